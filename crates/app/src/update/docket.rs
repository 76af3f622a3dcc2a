//! Docket: going to files, whole-file outcomes, finishing and taking back.

use crate::base::commands::{Command, Tab};
use crate::base::editor::Motion;
use crate::base::safe_text::count;
use crate::base::settings::MadeBy;
use crate::state::app::State;
use crate::state::effect::{Effect, FileId};
use crate::state::file::FileLoad;
use crate::state::overlay::{Overlay, Question};
use crate::update::bulk;
use crate::update::checks::ask_trust_of_paths;
use crate::update::files::{finish, other_unfinished, show_file, take_back};
use crate::update::hand_over;
use crate::update::moving::{in_list, show};
use crate::update::whole::ask_whole;
use crate::update::{following, rulings, who};
use crate::view::given_up::outcome_lines;

pub(crate) fn run(state: &mut State, command: Command) -> Vec<Effect> {
    // Whoever does anything here has seen the row at the cursor: it stays.
    state.docket.moved |= command != Command::SettleLikely;
    match command {
        Command::Move(motion) => go(state, motion),
        Command::NextOpen => next_open(state, true),
        Command::PrevOpen => next_open(state, false),
        Command::Accept if is_whole(state) => show_outcomes(state),
        Command::Accept => {
            let effects = show_file(state, state.chosen());
            to_something_open(state);
            return effects;
        }
        Command::WriteFile => return finish(state, state.chosen()),
        Command::SettleLikely => {
            let marked = state.marked();
            let only = (!marked.is_empty()).then_some(marked);
            return rulings::settle_likely(state, only.as_deref());
        }
        Command::WriteAll => return bulk::write_all(state),
        Command::StartOver => return bulk::ask_start_over(state),
        Command::ShowMerged => {
            state.say("reading what git merged …");
            return vec![Effect::ListMerged];
        }
        Command::Regenerate => return ask_regenerate(state, state.chosen()),
        Command::HandOver => return hand_over::begin(state, state.chosen()),
        Command::TakeAlong => return following::take_all_along(state, state.chosen()),
        Command::Mark => bulk::mark(state),
        Command::MarkAll => bulk::mark_all(state),
        Command::NextFilter => bulk::next_filter(state),
        Command::NextSort => bulk::next_sort(state),
        Command::Narrow => bulk::narrow(state),
        Command::TakeClashes(version) => return bulk::take_clashes(state, version),
        Command::NextPolicy => return rulings::next_policy(state),
        Command::TakeBack => {
            let files = state.marked_or_chosen().into_iter();
            return files.flat_map(|at| take_back(state, at)).collect();
        }
        Command::ShowGivenUp => show_outcomes(state),
        Command::Back => return stop(state),
        Command::ShowWho => return who::show(state),
        Command::Whole(outcome) if !state.marked().is_empty() => {
            return bulk::ask_whole_marked(state, outcome);
        }
        Command::Whole(outcome) => return ask_whole(state, state.chosen(), outcome),
        _ => {}
    }
    Vec::new()
}

/// Moves the cursor over the rows that are shown.
fn go(state: &mut State, motion: Motion) {
    let rows = state.docket_rows();
    let Some(last) = rows.len().checked_sub(1) else {
        return;
    };
    let here = rows
        .iter()
        .position(|row| *row == state.chosen())
        .unwrap_or(0);
    if let Some(to) = in_list(here, last, motion) {
        state.docket.chosen = rows[to].0;
    }
}

pub(crate) fn click(state: &mut State, row: usize) -> Vec<Effect> {
    let rows = state.docket_rows();
    let Some(at) = rows.get(row).copied() else {
        return Vec::new();
    };
    state.docket.moved = true;
    if state.chosen() == at {
        return show_file(state, at);
    }
    state.docket.chosen = at.0;
    Vec::new()
}

/// Whether the chosen file has no lines to go to.
fn is_whole(state: &State) -> bool {
    let file = state.file(state.chosen());
    file.is_some_and(|file| matches!(file.load, FileLoad::Whole(_)))
}

/// From where one was in a file to its first open conflict, unless that was one.
fn to_something_open(state: &mut State) {
    // A file without lines, or one that is still read, is not shown there.
    if state.tab != Tab::Parley || state.file != state.chosen() {
        return;
    }
    let Some(file) = state.open_file_mut() else {
        return;
    };
    let here = file.draft().is_open(file.view.region);
    let first = file.draft().open().next().filter(|_| !here);
    if let Some(first) = first {
        show(file, first);
    }
}

/// Stops what goes on with many files: writing, or else reading.
fn stop(state: &mut State) -> Vec<Effect> {
    let writing = state.files.iter().filter(|file| file.writing).count();
    let (_, waiting) = state.totals();
    if writing > 1 {
        state.say("stopping after the current files …");
    } else if waiting > 0 && !state.docket.stopped {
        state.docket.stopped = true;
        state.say(format!(
            "{} not read; enter reads one, ctrl-r reads all",
            count(waiting, "file")
        ));
    } else {
        return Vec::new();
    }
    vec![Effect::StopQueued]
}

fn next_open(state: &mut State, forward: bool) {
    match other_unfinished(state, state.chosen(), forward) {
        Some(at) => state.docket.chosen = at.0,
        None => state.say("no other file has an open conflict"),
    }
}

/// Says what would be run to make a file again, and asks.
fn ask_regenerate(state: &mut State, at: FileId) -> Vec<Effect> {
    let Some(file) = state.file(at) else {
        return Vec::new();
    };
    let path = file.case.path.to_string();
    let (line, by) = match state.settings.made_by(&path) {
        Some(MadeBy::Settings(line)) => (line, "from the settings"),
        Some(MadeBy::Usual(line)) => (
            line,
            "the usual command for this file, not from the settings",
        ),
        Some(MadeBy::Untrusted(_)) => {
            ask_trust_of_paths(state);
            return Vec::new();
        }
        None => {
            state.say(format!(
                "{path}: the settings have no command to regenerate it ([[paths]], regenerate)"
            ));
            return Vec::new();
        }
    };
    let Some(seen) = file.load.seen().cloned() else {
        state.say("still reading this file");
        return Vec::new();
    };
    let mut question = Question {
        title: format!("regenerate {path}?"),
        lines: vec![
            format!("Runs, {by}: {line}"),
            "The command starts from one side's whole file, without markers. Its result is staged; if it fails, nothing is staged. u takes it back.".to_owned(),
        ],
        yes: "run it and stage the result".to_owned(),
        effects: vec![Effect::Regenerate { file: at, line, seen }],
        ..Question::default()
    };
    let left: Vec<String> = (state.ids())
        .filter(|(other, file)| *other != at && !file.finished())
        .map(|(_, file)| file.case.title())
        .collect();
    if !left.is_empty() {
        let n = count(left.len(), "other file");
        let verb = if left.len() == 1 { "is" } else { "are" };
        let mut lines = vec![format!(
            "{n} {verb} not finished. The command may read files with conflict markers, and its result is out of date once those are written. Regenerate files last:"
        )];
        lines.extend(left);
        question.then = Some(Box::new(Question {
            title: format!("regenerate {path} before the other files are finished?"),
            lines,
            yes: "run it anyway".to_owned(),
            effects: std::mem::take(&mut question.effects),
            ..Question::default()
        }));
        question.yes = "go on".to_owned();
    }
    state.overlay = Some(Overlay::Question(Box::new(question)));
    Vec::new()
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
        title: format!("{}: what each outcome discards", file.case.title()),
        lines: outcome_lines(state, at),
        top: 0,
    });
}
