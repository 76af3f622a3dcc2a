//! Docket: going to files, whole-file outcomes, finishing and taking back.

use crate::action::{Command, Effect, Tab};
use crate::editor::Motion;
use crate::state::{FileLoad, Mode, Overlay, Question, State};
use crate::text::count;
use armistice_core::{Markers, Version, weave};
use armistice_git::{Outcome, Overwrite, Standing};

pub(super) fn run(state: &mut State, command: Command) -> Vec<Effect> {
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
        Command::Accept => return open(state, state.docket.chosen),
        Command::WriteFile => return finish(state, state.docket.chosen),
        Command::SettleLikely => return super::rulings::settle_likely(state, None),
        Command::NextPolicy => return super::rulings::next_policy(state),
        Command::TakeBack => return take_back(state, state.docket.chosen),
        Command::Whole(outcome) => return ask_whole(state, state.docket.chosen, outcome),
        _ => {}
    }
    Vec::new()
}

pub(super) fn click(state: &mut State, row: usize) -> Vec<Effect> {
    if row >= state.files.len() {
        return Vec::new();
    }
    if state.docket.chosen == row {
        return open(state, row);
    }
    state.docket.chosen = row;
    Vec::new()
}

fn next_open(state: &mut State, forward: bool) {
    match other_unfinished(state, state.docket.chosen, forward) {
        Some(at) => state.docket.chosen = at,
        None => state.say("no other file has anything open"),
    }
}

/// The nearest other file that is not finished, going round.
pub(super) fn other_unfinished(state: &State, from: usize, forward: bool) -> Option<usize> {
    let n = state.files.len();
    let step = |i: usize| {
        if forward {
            (from + i) % n
        } else {
            (from + n - i) % n
        }
    };
    (1..n).map(step).find(|at| !state.files[*at].finished())
}

/// Shows a file in Parley, or says why it has no lines to show.
pub(super) fn open(state: &mut State, at: usize) -> Vec<Effect> {
    let Some(file) = state.files.get(at) else {
        state.say("there is no file in conflict");
        return Vec::new();
    };
    let path = file.case.path.to_string();
    match &file.load {
        FileLoad::Waiting => {
            state.say(format!("still reading {path} …"));
            return vec![Effect::LoadFirst(at)];
        }
        FileLoad::Failed(why) => {
            let text = format!("{path}: {why}");
            state.complain(text);
        }
        FileLoad::Whole(whole) => {
            let text = format!(
                "{path}: {}; choose a whole-file outcome on Docket",
                whole.why
            );
            state.tab = Tab::Docket;
            state.docket.chosen = at;
            state.say(text);
        }
        FileLoad::Lines(open) => {
            let note = open.note.clone();
            state.tab = Tab::Parley;
            state.file = at;
            state.docket.chosen = at;
            super::parley::arrive(state);
            if let Some(note) = note {
                state.say(note);
            }
        }
    }
    Vec::new()
}

/// Writes and stages a file in which nothing is open.
pub(super) fn finish(state: &mut State, at: usize) -> Vec<Effect> {
    let Some(file) = state.files.get(at) else {
        return Vec::new();
    };
    if file.writing {
        return Vec::new();
    }
    let path = file.case.path.to_string();
    if matches!(file.load, FileLoad::Waiting) {
        state.say(format!("still reading {path} …"));
        return vec![Effect::LoadFirst(at)];
    }
    let Some(open) = file.open() else {
        let text = format!("{path}: choose a whole-file outcome: o, t, b or x");
        state.say(text);
        return Vec::new();
    };
    if matches!(open.view.mode, Mode::Edit(_)) {
        state.say("leave the editor first: esc keeps what was written");
        return Vec::new();
    }
    let left = open.draft().counts().open;
    if left > 0 {
        let text = format!(
            "{path}: {} still open; n goes to the next",
            count(left, "conflict")
        );
        state.complain(text);
        return Vec::new();
    }
    if file.finished() {
        let text = format!("{path} is written and staged already");
        state.say(text);
        return Vec::new();
    }
    let effect = Effect::Write {
        file: at,
        bytes: open.draft().bytes(),
        seen: open.seen.clone(),
        overwrite: Overwrite::No,
    };
    let lessons = super::rulings::lessons(open);
    let mut effects = Vec::new();
    // What rules settled is what is written: from now on the journal says so.
    if let Some(first) = state.files[at]
        .open_mut()
        .and_then(|f| f.session.take_unsaved())
    {
        effects.push(Effect::Record(at, vec![first]));
    }
    state.files[at].writing = true;
    state.say(format!("writing {path} …"));
    effects.push(effect);
    if !lessons.is_empty() {
        effects.push(Effect::Remember(lessons));
    }
    effects
}

pub(super) fn take_back(state: &mut State, at: usize) -> Vec<Effect> {
    let Some(file) = state.files.get(at) else {
        return Vec::new();
    };
    if file.case.standing == Standing::Unmerged {
        let text = format!(
            "{} is still in conflict; nothing was staged for it",
            file.case.path
        );
        state.say(text);
        return Vec::new();
    }
    let markers = file.open().map(|open| {
        let untouched = armistice_core::Draft::new(open.draft().plan().clone());
        weave(&untouched, &Markers::default())
    });
    vec![Effect::TakeBack {
        file: at,
        markers: markers.unwrap_or_default(),
    }]
}

/// Says what a whole-file outcome would give up, and asks.
fn ask_whole(state: &mut State, at: usize, outcome: Outcome) -> Vec<Effect> {
    let Some(file) = state.files.get(at) else {
        return Vec::new();
    };
    if file.case.standing == Standing::Staged {
        state.say("this file is staged; u takes that back first");
        return Vec::new();
    }
    let seen = match &file.load {
        FileLoad::Lines(open) => open.seen.clone(),
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
    let effect = Effect::Outcome {
        file: at,
        outcome,
        seen,
        overwrite: Overwrite::No,
    };
    state.overlay = Some(Overlay::Question(Question {
        title,
        lines,
        yes: outcome_words(outcome).to_owned(),
        effects: vec![effect],
        rulings: Vec::new(),
    }));
    Vec::new()
}

fn outcome_words(outcome: Outcome) -> &'static str {
    match outcome {
        Outcome::Ours => "take the whole file as ours has it",
        Outcome::Theirs => "take the whole file as theirs has it",
        Outcome::Base => "take the whole file as base had it",
        Outcome::Remove => "remove the file",
    }
}

/// What a whole-file outcome would give up, one line a side.
pub fn given_up(state: &State, at: usize, outcome: Outcome) -> Vec<String> {
    let file = &state.files[at];
    let loses = |version: Version| match outcome {
        Outcome::Ours => version == Version::Theirs,
        Outcome::Theirs => version == Version::Ours,
        Outcome::Base => version != Version::Base,
        Outcome::Remove => file.case.stages.all()[version as usize].is_some(),
    };
    let sides = [Version::Ours, Version::Theirs]
        .into_iter()
        .filter(|v| loses(*v));
    sides
        .map(|side| {
            format!(
                "gives up what {} did: {}",
                side.name(),
                work_of(&file.load, side)
            )
        })
        .collect()
}

/// What one side did to the whole file, in words.
fn work_of(load: &FileLoad, side: Version) -> String {
    let told = |(added, removed)| format!("{} added, {removed} removed", count(added, "line"));
    match load {
        FileLoad::Lines(open) => told(open.lost[usize::from(side == Version::Theirs)]),
        FileLoad::Whole(whole) => {
            let theirs = usize::from(side == Version::Theirs);
            match (whole.sizes[1 + theirs], whole.lost) {
                (None, _) => "its removal of the file".to_owned(),
                (Some(_), Some(lost)) => told(lost[theirs]),
                (Some(size), None) => format!("a version of {}", count(size, "byte")),
            }
        }
        FileLoad::Waiting | FileLoad::Failed(_) => "not read".to_owned(),
    }
}
