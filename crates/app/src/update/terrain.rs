//! Terrain: reading it, going from one declaration to the next, and to where it is settled.

use crate::base::commands::{Command, Tab};
use crate::base::editor::Motion;
use crate::case::drawings::Drawing;
use crate::state::app::State;
use crate::state::effect::{Effect, FileId};
use crate::state::file::OpenFile;
use crate::state::overlay::Overlay;
use crate::state::terrain::ShownDeclarations;
use crate::state::terrain::{Item, Reading};
use crate::update::files::show_file;
use crate::update::moving::{go_to_row, in_list};
use crate::view::areas::Screen;
use crate::view::draft_rows::DraftRows;
use crate::view::terrain::{TerrainRow, conflicts_in, jumps, terrain_rows};
use armistice_core::{LineIdx, Version};
use armistice_git::Terrain;
use ratatui::crossterm::event::{KeyCode, KeyEvent};
use std::sync::Arc;

/// Asks for what is not read yet.
pub(crate) fn read(state: &mut State) -> Vec<Effect> {
    match state.terrain.reading {
        // What failed is read again when everything is.
        Reading::Known(_) | Reading::Reading | Reading::Failed(_) => Vec::new(),
        Reading::Unread => {
            state.terrain.reading = Reading::Reading;
            vec![Effect::ReadTerrain]
        }
    }
}

pub(crate) fn known(state: &mut State, read: Result<Terrain, String>) {
    state.terrain.reading = match read {
        Ok(terrain) => Reading::Known(Arc::new(terrain)),
        Err(why) => Reading::Failed(why),
    };
    state.terrain.lay_out();
    state.terrain.list.chosen = 0;
}

pub(crate) fn run(state: &mut State, command: Command) -> Vec<Effect> {
    match command {
        Command::Move(motion) => go(state, motion),
        Command::NextChange => go_to_moved(state, true),
        Command::PrevChange => go_to_moved(state, false),
        Command::ShowAll => {
            let chosen = state.terrain.chosen();
            state.terrain.shown = state.terrain.shown.next();
            state.terrain.lay_out();
            let at = state.terrain.items().position(|item| Some(item) == chosen);
            state.terrain.list.chosen = at.unwrap_or(0);
            state.say(match state.terrain.shown {
                ShownDeclarations::All => "showing all declarations",
                ShownDeclarations::Changed => "showing changed declarations only",
                ShownDeclarations::Around => "showing changes, and the code that moved code passed",
            });
        }
        Command::Accept => {
            if let Some(item) = state.terrain.chosen() {
                return show(state, item);
            }
        }
        Command::Draw => {
            return vec![Effect::Draw(vec![Drawing::Moves])];
        }
        Command::Back => state.tab = Tab::Docket,
        _ => {}
    }
    Vec::new()
}

fn go(state: &mut State, motion: Motion) {
    let Some(last) = state.terrain.items().count().checked_sub(1) else {
        return;
    };
    let here = state.terrain.list.chosen;
    if let Some(to) = in_list(here, last, motion) {
        state.terrain.list.chosen = to;
    }
}

/// Goes to the next declaration that somebody moved.
fn go_to_moved(state: &mut State, forward: bool) {
    let moved: Vec<usize> = state
        .terrain
        .items()
        .enumerate()
        .filter(|(_, item)| {
            let change = state.terrain.change(*item);
            change.is_some_and(|(_, change)| change.did.iter().any(|did| did.moved))
        })
        .map(|(nth, _)| nth)
        .collect();
    let here = state.terrain.list.chosen;
    let next = match forward {
        true => moved.iter().find(|nth| **nth > here).or(moved.first()),
        false => moved.iter().rev().find(|nth| **nth < here).or(moved.last()),
    };
    match next {
        Some(nth) => state.terrain.list.chosen = *nth,
        None => state.say("nothing was moved"),
    }
}

/// A row was clicked; a second click goes there.
pub(crate) fn click(state: &mut State, row: usize, column: Option<Version>) -> Vec<Effect> {
    let wide = Screen::new(state).is_wide();
    let rows = terrain_rows(state, wide);
    let item = match rows.get(row) {
        Some(TerrainRow::Item(item)) => Some(*item),
        Some(TerrainRow::Cells(nth, at)) => {
            let block = &state.terrain.blocks[*nth];
            let cells = block.columns.cells(column.unwrap_or(Version::Base));
            cells.get(*at).copied().flatten().map(|cell| Item {
                file: block.file,
                declaration: cell.declaration,
            })
        }
        _ => None,
    };
    let Some(item) = item else {
        return Vec::new();
    };
    if state.terrain.chosen() == Some(item) {
        return show(state, item);
    }
    let at = state.terrain.items().position(|other| other == item);
    state.terrain.list.chosen = at.unwrap_or(0);
    Vec::new()
}

/// Goes to a declaration in Parley.
fn show(state: &mut State, item: Item) -> Vec<Effect> {
    let Some((file, _)) = state.terrain.change(item) else {
        return Vec::new();
    };
    let path = file.path.clone();
    let Some(at) = state
        .files
        .iter()
        .position(|file| file.case.has_path(&path))
    else {
        state.say(format!(
            "git merged {path} without a conflict: nothing to settle"
        ));
        return Vec::new();
    };
    let effects = show_file(state, FileId(at));
    if state.tab == Tab::Parley {
        go_to_declaration(state, item);
    }
    effects
}

/// Lists the declarations of the file in Parley.
pub(crate) fn list(state: &mut State) -> Vec<Effect> {
    state.overlay = Some(Overlay::Jump {
        typed: String::new(),
        chosen: 0,
    });
    read(state)
}

/// A key while they are listed.
pub(crate) fn list_key(state: &mut State, key: &KeyEvent, name: &str) {
    let Some(Overlay::Jump { typed, chosen }) = &mut state.overlay else {
        return;
    };
    match name {
        "esc" => state.overlay = None,
        "down" => *chosen += 1,
        "up" => *chosen = chosen.saturating_sub(1),
        "backspace" => {
            typed.pop();
            *chosen = 0;
        }
        "enter" => {
            let (typed, chosen) = (std::mem::take(typed), *chosen);
            state.overlay = None;
            let found = jumps(state, &typed);
            let Some(jump) = found.get(chosen.min(found.len().saturating_sub(1))) else {
                state.say("this file has no such declaration");
                return;
            };
            go_to_declaration(state, jump.item);
        }
        name => {
            if let KeyCode::Char(c) = key.code
                && !name.starts_with("ctrl-")
            {
                typed.push(c);
                *chosen = 0;
            }
        }
    }
}

/// Where a declaration begins: in ours, else in theirs, else in base.
fn place_of(state: &State, item: Item) -> Option<(Version, LineIdx)> {
    let (_, change) = state.terrain.change(item)?;
    let mut places = [Version::Ours, Version::Theirs, Version::Base].into_iter();
    places.find_map(|version| Some((version, change.lines_in(version)?.start)))
}

/// Goes to what is to be settled in a declaration: an open conflict, else a settled one, else its first
/// line.
fn go_to_declaration(state: &mut State, item: Item) {
    let (Some((_, change)), Some(file)) = (state.terrain.change(item), state.open_file()) else {
        return;
    };
    let conflicts = conflicts_in(file, change);
    let open = conflicts.iter().find(|id| file.draft().is_open(**id));
    match open.or(conflicts.first()) {
        Some(id) => {
            let row = DraftRows::new(file).of(*id).0;
            go_to_row(state, row);
        }
        None => {
            if let Some((version, line)) = place_of(state, item) {
                go_to_line_of(state, version, line);
            }
        }
    }
}

/// Goes to where a line of a version stands in the draft.
pub(crate) fn go_to_line_of(state: &mut State, version: Version, line: LineIdx) {
    let Some(file) = state.open_file() else {
        return;
    };
    let laid_out = file.plan().laid_out_line(version, line);
    let Some(region) = file.plan().region_at(version, laid_out) else {
        return;
    };
    let row = DraftRows::new(file).of(region).0;
    let within = line_in_region(file, version, laid_out);
    go_to_row(state, row + within);
}

/// How far behind the beginning of its region a line stands in the draft.
fn line_in_region(file: &OpenFile, version: Version, line: LineIdx) -> usize {
    let Some(region) = file.plan().region_at(version, line) else {
        return 0;
    };
    let lines = file.plan().region(region).lines(version);
    let stands = file.draft().lines_of(region).len();
    ((line.0 - lines.start.0) as usize).min(stands.saturating_sub(1))
}
