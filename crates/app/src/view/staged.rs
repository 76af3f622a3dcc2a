//! Where the files and the difference are while what is staged is looked through.

use crate::case::staged_diff::StagedDiff;
use crate::state::app::State;
use crate::view::areas::Screen;
use ratatui::layout::Rect;

/// Rows of the list of files where it stands above the difference.
const FILES: u16 = 5;

/// Areas of the body.
pub struct StagedAreas {
    pub title: Rect,
    pub files: Rect,
    /// The row that names the file.
    pub head: Rect,
    pub diff: Rect,
}

impl StagedAreas {
    pub fn new(state: &State) -> Self {
        let screen = Screen::new(state);
        let body = screen.body;
        let title = screen.title();
        let under = Rect {
            y: body.y + title.height,
            height: body.height.saturating_sub(title.height),
            ..body
        };
        let (files, right) = match screen.is_wide() {
            true => {
                let width = under.width / 3;
                let right = Rect {
                    x: under.x + width,
                    width: under.width - width,
                    ..under
                };
                (Rect { width, ..under }, right)
            }
            false => {
                let height = FILES.min(under.height / 2);
                let right = Rect {
                    y: under.y + height,
                    height: under.height - height,
                    ..under
                };
                (Rect { height, ..under }, right)
            }
        };
        let head = Rect {
            height: right.height.min(1),
            ..right
        };
        let diff = Rect {
            y: right.y + head.height,
            height: right.height - head.height,
            ..right
        };
        StagedAreas {
            title,
            files,
            head,
            diff,
        }
    }
}

/// The difference that is shown, if it is read and is a text.
pub fn diff_at(state: &State) -> Option<&StagedDiff> {
    let view = state.staged.as_ref()?;
    let against = state.accord.against.get(view.parent)?;
    let file = against.files.get(view.files.chosen)?;
    let read = view.read.get(&(view.parent, file.path.clone()))?;
    read.as_ref().ok()?.as_deref()
}
