//! Docket: going to files, whole-file outcomes, finishing and taking back.

use crate::base::commands::Command;
use crate::base::editor::Motion;
use crate::state::app::State;
use crate::state::effect::{Effect, FileId};
use crate::state::file::FileLoad;
use crate::state::overlay::{Overlay, Question, Settles};
use crate::update::files::{finish, other_unfinished, show_file, take_back};
use crate::update::rulings;
use crate::view::given_up::{given_up, outcome_lines};
use armistice_core::{Entry, RegionKind, Resolution, Version};
use armistice_git::{FileOutcome, IndexState, Overwrite};

pub(crate) fn run(state: &mut State, command: Command) -> Vec<Effect> {
    let last = state.files.len().saturating_sub(1);
    let view = &mut state.docket;
    match command {
        Command::Move(Motion::Up) => view.chosen = view.chosen.saturating_sub(1),
        Command::Move(Motion::Down) => view.chosen = (view.chosen + 1).min(last),
        Command::Move(Motion::PageUp) => view.chosen = view.chosen.saturating_sub(20),
        Command::Move(Motion::PageDown) => view.chosen = (view.chosen + 20).min(last),
        Command::Move(Motion::Start) => view.chosen = 0,
        Command::Move(Motion::End) => view.chosen = last,
        Command::NextOpen => next_open(state, true),
        Command::PrevOpen => next_open(state, false),
        Command::Accept => return show_file(state, state.chosen()),
        Command::WriteFile => return finish(state, state.chosen()),
        Command::SettleLikely => return rulings::settle_likely(state, None),
        Command::NextPolicy => return rulings::next_policy(state),
        Command::TakeBack => return take_back(state, state.chosen()),
        Command::ShowGivenUp => show_outcomes(state),
        Command::Whole(outcome) => return ask_whole(state, state.chosen(), outcome),
        _ => {}
    }
    Vec::new()
}

pub(crate) fn click(state: &mut State, row: usize) -> Vec<Effect> {
    if row >= state.files.len() {
        return Vec::new();
    }
    if state.docket.chosen == row {
        return show_file(state, FileId(row));
    }
    state.docket.chosen = row;
    Vec::new()
}

fn next_open(state: &mut State, forward: bool) {
    match other_unfinished(state, state.chosen(), forward) {
        Some(at) => state.docket.chosen = at.0,
        None => state.say("no other file has anything open"),
    }
}

/// Lists the very lines that each outcome of the chosen file would give up.
fn show_outcomes(state: &mut State) {
    let at = state.chosen();
    let Some(file) = state.file(at) else {
        return;
    };
    if matches!(file.load, FileLoad::Waiting | FileLoad::Failed(_)) {
        state.say("still reading this file");
        return;
    }
    state.overlay = Some(Overlay::Output {
        title: format!("{}: what each outcome gives up", file.case.title()),
        lines: outcome_lines(state, at),
        top: 0,
    });
}

/// Says what a whole-file outcome would give up, and asks.
fn ask_whole(state: &mut State, at: FileId, outcome: FileOutcome) -> Vec<Effect> {
    let Some(file) = state.file(at) else {
        return Vec::new();
    };
    if file.case.standing == IndexState::Staged {
        state.say("this file is staged; u takes that back first");
        return Vec::new();
    }
    let seen = match &file.load {
        FileLoad::Lines(open) => open.opened.seen.clone(),
        FileLoad::Whole(whole) => whole.seen.clone(),
        FileLoad::Waiting | FileLoad::Failed(_) => {
            state.say("still reading this file");
            return Vec::new();
        }
    };
    if !file.case.outcomes().contains(&outcome) {
        let text = format!(
            "{}: '{}' is not possible here",
            file.case.path,
            outcome.name()
        );
        state.complain(text);
        return Vec::new();
    }
    let title = format!("{}: {}", file.case.path, outcome_words(outcome));
    let mut lines = given_up(state, at, outcome);
    lines.push(
        "The working file as it is now is kept aside; u on Docket takes this back.".to_owned(),
    );
    let effect = Effect::SettleWhole {
        file: at,
        outcome,
        seen,
        overwrite: Overwrite::No,
    };
    let settles = decides_lines(state, at, outcome);
    state.overlay = Some(Overlay::Question(Box::new(Question {
        title,
        lines,
        yes: outcome_words(outcome).to_owned(),
        effects: vec![effect],
        settles,
        writes: None,
        other: None,
    })));
    Vec::new()
}

/// The decisions about lines that a whole-file outcome means: they are counted, kept and come back
/// like any other.
fn decides_lines(state: &State, at: FileId, outcome: FileOutcome) -> Option<Settles> {
    let version = match outcome {
        FileOutcome::Ours => Version::Ours,
        FileOutcome::Theirs => Version::Theirs,
        FileOutcome::Base => Version::Base,
        FileOutcome::Remove | FileOutcome::Both | FileOutcome::OwnName => return None,
    };
    let plan = state[at].open()?.plan();
    let changed = plan
        .ids()
        .filter(|(_, region)| region.kind != RegionKind::Unchanged);
    let take = |id| (at, Entry::Settle(id, Resolution::Take(version)));
    Some(Settles {
        label: format!("took the whole file as {} has it", version.name()),
        entries: changed.map(|(id, _)| take(id)).collect(),
    })
}

fn outcome_words(outcome: FileOutcome) -> &'static str {
    match outcome {
        FileOutcome::Ours => "take the whole file as ours has it",
        FileOutcome::Theirs => "take the whole file as theirs has it",
        FileOutcome::Base => "take the whole file as base had it",
        FileOutcome::Remove => "remove the file",
        FileOutcome::Both => "keep both, each under its own name",
        FileOutcome::OwnName => "keep it where its side has it",
    }
}
