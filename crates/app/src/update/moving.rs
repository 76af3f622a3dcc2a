//! Moving the cursor and the window within a file.

use crate::base::editor::Motion;
use crate::state::app::State;
use crate::state::file::OpenFile;
use crate::view::draft_rows::DraftRows;
use armistice_core::{LineIdx, RegionId};

pub(crate) fn with_view(state: &mut State, change: impl FnOnce(&mut OpenFile)) {
    if let Some(file) = state.open_file_mut() {
        change(file);
    }
}

pub(crate) fn region(state: &State) -> Option<RegionId> {
    state.open_file().map(|f| f.view.region)
}

/// Goes to the first open conflict when a file is shown for the first time.
pub(crate) fn arrive(state: &mut State) {
    let Some(file) = state.open_file_mut() else {
        return;
    };
    let fresh = file.view.region == RegionId(0) && file.view.offset == 0 && file.view.top == 0;
    let first = file
        .draft()
        .open()
        .next()
        .or(file.plan().conflicts().first().copied());
    let first = first.filter(|_| fresh);
    if let Some(first) = first {
        show(file, first);
    }
    if file.opened.unsaved_edit.is_some() {
        state.say("an edit of this file was interrupted; e restores its text");
    }
}

/// Puts the cursor on a region and the region near the top of the window.
pub(crate) fn show(file: &mut OpenFile, region: RegionId) {
    file.view.region = region;
    file.view.offset = 0;
    file.view.choice = None;
    // Settled afterwards by `follow`, which leaves a few lines above the cursor.
    let (start, _) = DraftRows::new(file).of(region);
    file.view.top = start.saturating_sub(6);
}

/// Keeps the cursor in the window and, where it fits, its whole region too.
pub(crate) fn follow(file: &mut OpenFile, height: usize) {
    let rows = DraftRows::new(file);
    let (cursor, len) = (rows.cursor(), rows.height());
    let (start, tall) = rows.of(file.view.region);
    let margin = (height / 6).min(3);
    let lowest = (cursor + margin + 1).saturating_sub(height.max(1));
    let mut top = file
        .view
        .top
        .clamp(lowest, cursor.saturating_sub(margin).max(lowest));
    let is_conflict = file.plan().conflict_of(file.view.region).is_some();
    if is_conflict && tall + 2 <= height {
        let lowest = (start + tall + 1).saturating_sub(height);
        top = top.clamp(lowest, start.saturating_sub(1).max(lowest));
    }
    file.view.top = top.min(len.saturating_sub(height.min(len)));
}

pub(crate) fn go_to_row(state: &mut State, row: usize) {
    with_view(state, |file| {
        let rows = DraftRows::new(file);
        let row = row.min(rows.height().saturating_sub(1));
        if let Some((id, _)) = rows.at(row) {
            let offset = row - rows.of(id).0;
            if file.view.region != id {
                file.view.choice = None;
            }
            file.view.region = id;
            file.view.offset = offset;
        }
    });
}

/// Goes to a line of the draft.
pub(crate) fn go_to_line(state: &mut State, line: LineIdx) {
    let row = state
        .open_file()
        .map(|file| DraftRows::new(file).row_of(line));
    go_to_row(state, row.unwrap_or(0));
}

/// Where a motion leads in a list of which `last` is the last row; nowhere if it is none for lists.
pub(crate) fn in_list(here: usize, last: usize, motion: Motion) -> Option<usize> {
    /// Rows that a page has.
    const PAGE: usize = 20;
    let to = match motion {
        Motion::Up => here.saturating_sub(1),
        Motion::Down => here + 1,
        Motion::PageUp => here.saturating_sub(PAGE),
        Motion::PageDown => here + PAGE,
        Motion::Start => 0,
        Motion::End => last,
        _ => return None,
    };
    Some(to.min(last))
}
