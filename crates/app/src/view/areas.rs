//! Where everything is on the screen, computed from the state alone: areas to
//! draw in, and what a click in them means.

use crate::base::commands::Tab;
use crate::case::evidence::Card;
use crate::state::app::State;
use crate::state::file::Mode;
use crate::view::cards::wanted;
use crate::view::check_rows::CHECK_ROWS;
use crate::view::evidence::{card_width, settle_height};
use ratatui::layout::Rect;

/// Below this the screens cannot say anything true.
pub const LEAST: (u16, u16) = (60, 16);
/// From this width on evidence stands beside the draft.
const BESIDE: u16 = 120;
/// From this width on the cards of ours and theirs stand side by side, and evidence has more room.
const VERY_WIDE: u16 = 200;
/// Below this height evidence is a drawer of few rows.
const DRAWER: u16 = 30;

/// Rows that the draft keeps above the evidence.
const DRAFT_LEAST: u16 = 6;

/// Rows of output that the box over the whole screen shows.
pub fn output_rows(screen: &Screen<'_>) -> usize {
    // Its edges, and the row that says where one is.
    (screen.middle(u16::MAX, u16::MAX).height as usize).saturating_sub(3)
}

/// Areas of the screen at its present size.
pub struct Screen<'a> {
    pub(crate) state: &'a State,
    pub rail: Rect,
    pub parties: Rect,
    pub body: Rect,
    pub message: Rect,
    pub keys: Rect,
}

impl<'a> Screen<'a> {
    pub fn new(state: &'a State) -> Self {
        let (width, height) = state.size;
        let row = |y: u16| Rect::new(0, y.min(height), width, u16::from(y < height));
        Screen {
            state,
            rail: row(0),
            parties: row(1),
            body: Rect::new(0, 2.min(height), width, height.saturating_sub(4)),
            message: row(height.saturating_sub(2)),
            keys: row(height.saturating_sub(1)),
        }
    }

    pub fn too_small(&self) -> bool {
        self.state.size.0 < LEAST.0 || self.state.size.1 < LEAST.1
    }

    /// Whether evidence stands beside the draft, not under it.
    pub fn is_wide(&self) -> bool {
        self.state.size.0 >= BESIDE
    }

    fn side_by_side(&self) -> bool {
        self.state
            .open_file()
            .is_some_and(|f| f.view.wide && !matches!(f.view.mode, Mode::Edit(_)))
    }

    /// The row under the parties: file name and counts.
    pub fn title(&self) -> Rect {
        Rect {
            height: self.body.height.min(1),
            ..self.body
        }
    }

    fn under_title(&self) -> Rect {
        let used = self.body.height.min(1);
        Rect {
            y: self.body.y + used,
            height: self.body.height - used,
            ..self.body
        }
    }

    /// Spine and draft together.
    pub fn left(&self) -> Rect {
        let body = self.under_title();
        if self.side_by_side() {
            return Rect {
                height: (body.height / 3).max(4).min(body.height),
                ..body
            };
        }
        match self.is_wide() {
            true => Rect {
                width: match body.width >= VERY_WIDE {
                    true => body.width * 2 / 5,
                    false => body.width / 2,
                },
                ..body
            },
            false => Rect {
                height: body.height - self.evidence_height(body.height),
                ..body
            },
        }
    }

    fn evidence_height(&self, body: u16) -> u16 {
        if matches!(
            self.state.open_file().map(|f| &f.view.mode),
            Some(Mode::Edit(_))
        ) && body < DRAWER
        {
            // A drawer: while the draft is edited it is nearly shut.
            return (body / 4).min(4);
        }
        let Some(file) = self.state.open_file() else {
            return body / 2;
        };
        // What would stand there is looked at in the draft.
        if file.view.choice.is_some() || matches!(file.view.mode, Mode::Pick(_)) {
            return body / 2;
        }
        // As much as the question takes, if the draft keeps enough to show where it stands.
        let whole = Rect {
            height: body,
            ..self.body
        };
        let most = body.saturating_sub(DRAFT_LEAST).max(body / 2);
        let cards: Vec<&Card> = file.shown().cards.iter().collect();
        let cards = wanted(&cards, card_width(whole), most as usize) as u16;
        let low = Rect {
            height: 0,
            ..self.body
        };
        let around = 1 + settle_height(file, low);
        (cards + around).clamp(body / 2, most)
    }

    /// The spine: the whole file at screen height.
    pub fn spine(&self) -> Rect {
        Rect {
            width: self.left().width.min(2),
            ..self.left()
        }
    }

    /// The text of the draft, behind spine and gutter.
    pub fn draft_area(&self) -> Rect {
        let left = self.left();
        let gutter = self.gutter();
        Rect {
            x: left.x + gutter,
            width: left.width.saturating_sub(gutter + 1),
            ..left
        }
    }

    /// Columns of spine, mark and line number.
    pub fn gutter(&self) -> u16 {
        let lines = match self
            .state
            .open_file()
            .map(|f| (&f.view.mode, f.draft().len()))
        {
            Some((Mode::Edit(editing), _)) => editing.editor.len_lines(),
            Some((_, lines)) => lines,
            None => 0,
        };
        let digits = lines.max(1).ilog10() as u16 + 1;
        // Spine, blank, mark, blank, number, frame and blank.
        2 + 2 + digits.max(3) + 3
    }

    /// Evidence and settle box.
    pub fn evidence(&self) -> Rect {
        let (body, left) = (self.under_title(), self.left());
        match self.is_wide() && !self.side_by_side() {
            true => Rect {
                x: left.x + left.width,
                width: body.width - left.width,
                ..body
            },
            false => Rect {
                y: left.y + left.height,
                height: body.height - left.height,
                ..body
            },
        }
    }

    /// Rows that a list on Docket or Proof has.
    pub fn list_height(&self) -> usize {
        self.list().height as usize
    }

    /// The list on Docket or Proof, under its heading.
    pub fn list(&self) -> Rect {
        let body = self.under_title();
        let (top, foot) = match self.state.tab {
            Tab::Proof => (CHECK_ROWS.len() as u16 + 1, 4 + self.finding_height()),
            _ => (2, 0),
        };
        let height = match self.state.tab {
            Tab::Docket if !self.is_wide() => body.height.saturating_sub(self.details_height()),
            _ => body.height,
        };
        let width = match self.state.tab {
            Tab::Docket if self.is_wide() => body.width * 5 / 8,
            _ => body.width,
        };
        let top = top.min(height);
        Rect {
            y: body.y + top,
            height: (height - top).saturating_sub(foot),
            width,
            x: body.x,
        }
    }

    /// Rows in which the text around the chosen finding is shown, its heading among them.
    pub fn finding_height(&self) -> u16 {
        match self.state.size.1 {
            0..28 => 0,
            28..40 => 6,
            _ => 14,
        }
    }

    fn details_height(&self) -> u16 {
        (self.under_title().height / 2).min(12)
    }

    /// What is said about the chosen file on Docket.
    pub fn details(&self) -> Rect {
        let (body, list) = (self.under_title(), self.list());
        match self.is_wide() {
            true => Rect {
                x: list.width,
                width: body.width - list.width,
                ..body
            },
            false => {
                let height = self.details_height();
                Rect {
                    y: body.y + body.height - height,
                    height,
                    ..body
                }
            }
        }
    }

    /// The message of the commit on Accord.
    pub fn message_area(&self) -> Rect {
        let body = self.under_title();
        let top = 8.min(body.height);
        let width = if self.is_wide() {
            body.width / 2
        } else {
            body.width
        };
        let height = body.height - top;
        let height = if self.is_wide() { height } else { height / 2 };
        Rect {
            x: body.x + 2,
            y: body.y + top,
            width: width.saturating_sub(4),
            height,
        }
    }

    /// A box in the middle of the screen.
    pub fn middle(&self, width: u16, height: u16) -> Rect {
        let (w, h) = self.state.size;
        let (width, height) = (
            width.min(w.saturating_sub(4)),
            height.min(h.saturating_sub(4)),
        );
        Rect::new((w - width) / 2, (h - height) / 3, width, height)
    }
}
