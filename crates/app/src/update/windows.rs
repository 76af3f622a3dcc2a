//! After every action: computes what the open file shows, and keeps every cursor inside its list and
//! inside the window.

use crate::state::app::State;
use crate::state::file::Mode;
use crate::update::moving::follow;
use crate::view::areas::Screen;
use crate::view::scout::{ScoutAreas, forecast_rows};
use crate::view::staged::StagedAreas;
use crate::view::terrain::{TerrainAreas, row_of};
use crate::view::whole_line::any_cut;

/// The first row of a window that shows the chosen one.
fn window(top: usize, chosen: usize, height: usize) -> usize {
    let least = (chosen + 1).saturating_sub(height.max(1));
    top.min(chosen).max(least)
}

/// Works out what the open file shows, then keeps cursors inside of what there is and inside of the
/// window: in this order, because what is shown decides how high the draft's window is.
pub fn settle_views(state: &mut State) {
    let policy = state.settings.whitespace;
    if let Some(file) = state.open_file_mut() {
        file.view.policy = policy;
        file.refresh();
    }
    let rows = state.proof.rows();
    let screen = Screen::new(state);
    let (list, draft, message) = (
        screen.list_height(),
        screen.draft_area(),
        screen.message_area(),
    );
    let shown = match state.docket.is_plain() {
        true => None,
        false => Some(state.docket_rows()),
    };
    let docket = &mut state.docket;
    docket.chosen = docket.chosen.min(state.files.len().saturating_sub(1));
    let row = match &shown {
        None => docket.chosen,
        Some(rows) => rows
            .iter()
            .position(|at| at.0 == docket.chosen)
            .unwrap_or(0),
    };
    docket.top = window(docket.top, row, list);
    let view = &mut state.proof.list;
    view.chosen = view.chosen.min(rows.saturating_sub(1));
    view.top = window(view.top, view.chosen, list);
    let wide = Screen::new(state).is_wide();
    let terrain_height = TerrainAreas::new(state).rows.height as usize;
    if let Some(item) = state.terrain.chosen() {
        let row = row_of(state, item, wide);
        // The name of its file stays in sight where it is the first.
        let list = &mut state.terrain.list;
        list.top = window(list.top, row, terrain_height).min(row.saturating_sub(1));
    }
    let areas = ScoutAreas::new(state);
    let shown = state.scout.shown_counterparts().len();
    let rows = forecast_rows(state).len();
    for (list, area, all) in [
        (&mut state.scout.list, areas.counterparts, shown),
        (&mut state.scout.rows, areas.forecast, rows),
    ] {
        list.chosen = list.chosen.min(all.saturating_sub(1));
        list.top = window(
            list.top,
            list.chosen,
            area.height.saturating_sub(1) as usize,
        );
    }
    let files = StagedAreas::new(state).files.height as usize;
    if let Some(view) = &mut state.staged {
        let list = &mut view.files;
        let least = (list.chosen + 1).saturating_sub(files.max(1));
        list.top = list.top.min(list.chosen).max(least);
    }
    let (height, width) = (draft.height as usize, draft.width as usize);
    state
        .accord
        .editor
        .follow(message.height as usize, message.width as usize);
    if let Some(file) = state.open_file_mut() {
        // A window of another width wraps elsewhere.
        file.view.wrap = file.view.wrap.map(|_| draft.width);
        match &mut file.view.mode {
            Mode::Edit(editing) => editing.editor.follow(height, width),
            _ => follow(file, height),
        }
    }
    let cut = state.open_file().is_some_and(|file| {
        let looks = matches!(file.view.mode, Mode::Look);
        looks && any_cut(&Screen::new(state), file)
    });
    if let Some(file) = state.open_file_mut() {
        file.view.cut = cut;
    }
}
