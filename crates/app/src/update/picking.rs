//! Picking single lines in the evidence.

use crate::base::commands::Command;
use crate::base::editor::Motion;
use crate::base::safe_text::count;
use crate::case::choices::picked;
use crate::case::evidence::pickable;
use crate::state::app::State;
use crate::state::effect::Effect;
use crate::state::file::{Mode, Picking};
use crate::update::moving::{region, with_view};
use crate::update::settling::settle_as;
use armistice_core::Pick;

pub(crate) fn start_picking(state: &mut State) {
    let in_conflict = region(state)
        .zip(state.open_file())
        .is_some_and(|(id, file)| file.plan().conflict_of(id).is_some());
    if !in_conflict {
        state.say("line picking works inside a conflict; n goes to the next open one");
        return;
    }
    with_view(state, |file| {
        file.view.choice = None;
        file.view.wide = false;
        file.view.mode = Mode::Pick(Picking::default());
    });
    state.say("space picks lines in order, enter accepts them");
}

pub(crate) fn run_picking(state: &mut State, command: Command) -> Vec<Effect> {
    let Some(file) = state.open_file_mut() else {
        return Vec::new();
    };
    let lines = pickable(&file.opened, file.view.region);
    let Mode::Pick(picking) = &mut file.view.mode else {
        return Vec::new();
    };
    let last = lines.len().saturating_sub(1);
    match command {
        Command::Move(Motion::Up) => picking.cursor = picking.cursor.saturating_sub(1),
        Command::Move(Motion::Down) => picking.cursor = (picking.cursor + 1).min(last),
        Command::Move(Motion::Start) => picking.cursor = 0,
        Command::Move(Motion::End) => picking.cursor = last,
        Command::PickLine => {
            toggle(picking, &lines);
            picking.cursor = (picking.cursor + 1).min(last);
        }
        Command::Copy => {
            let picks = match picking.picks.is_empty() {
                true => lines.get(picking.cursor).into_iter().copied().collect(),
                false => picking.picks.clone(),
            };
            let versions = file.plan().versions();
            let text = picks.iter().map(|pick| {
                let line = versions.get(pick.version).line(pick.line);
                format!("{}\n", file.opened.encoding.decode(line.content()))
            });
            let text: String = text.collect();
            state.say(format!(
                "copied {}; ctrl-v in the editor pastes them",
                count(picks.len(), "line")
            ));
            state.clipboard.clone_from(&text);
            return vec![Effect::Copy(text)];
        }
        Command::CommentLine => {
            let has_comments = file.opened.comments.is_some();
            match lines.get(picking.cursor).filter(|_| has_comments) {
                Some(pick) => {
                    comment(picking, *pick);
                    picking.cursor = (picking.cursor + 1).min(last);
                }
                None => state.say("Armistice knows no comment syntax for this file"),
            }
        }
        Command::Back => {
            file.view.mode = Mode::Look;
            state.say("left without a decision");
        }
        Command::Accept => {
            let picks = std::mem::take(&mut picking.picks);
            let commented = std::mem::take(&mut picking.commented);
            if picks.is_empty() {
                state.say("no line is picked; space picks one, d in Parley removes all lines");
                return Vec::new();
            }
            file.view.mode = Mode::Look;
            let resolution = picked(&file.opened, &picks, &commented);
            return settle_as(state, resolution, "picked lines");
        }
        _ => {}
    }
    Vec::new()
}

/// Marks a line to stand as a comment, or takes that away.
fn comment(picking: &mut Picking, pick: Pick) {
    match picking.commented.iter().position(|p| *p == pick) {
        Some(at) => {
            picking.commented.remove(at);
            picking.picks.retain(|p| *p != pick);
        }
        None => {
            picking.commented.push(pick);
            if !picking.picks.contains(&pick) {
                picking.picks.push(pick);
            }
        }
    }
}

pub(crate) fn toggle(picking: &mut Picking, lines: &[Pick]) {
    let Some(pick) = lines.get(picking.cursor) else {
        return;
    };
    match picking.picks.iter().position(|p| p == pick) {
        Some(at) => {
            picking.picks.remove(at);
            picking.commented.retain(|p| p != pick);
        }
        None => picking.picks.push(*pick),
    }
}

pub(crate) fn click_pick(state: &mut State, nth: usize) -> Vec<Effect> {
    with_view(state, |file| {
        let lines = pickable(&file.opened, file.view.region);
        if let Mode::Pick(picking) = &mut file.view.mode {
            picking.cursor = nth.min(lines.len().saturating_sub(1));
            toggle(picking, &lines);
        }
    });
    Vec::new()
}

/// Dragging over lines marks them one after the other; none is unmarked by it.
pub(crate) fn drag_pick(state: &mut State, nth: usize) {
    with_view(state, |file| {
        let lines = pickable(&file.opened, file.view.region);
        if let Mode::Pick(picking) = &mut file.view.mode
            && let Some(pick) = lines.get(nth)
        {
            picking.cursor = nth;
            if !picking.picks.contains(pick) {
                picking.picks.push(*pick);
            }
        }
    });
}
