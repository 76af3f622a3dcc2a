//! Showing a file, finishing it, taking it back.

use crate::base::commands::Tab;
use crate::base::safe_text::count;
use crate::case::finish::Finish;
use crate::case::opened::Recording;
use crate::state::app::State;
use crate::state::effect::{Effect, FileId};
use crate::state::file::{FileLoad, Mode, OpenFile};
use crate::state::overlay::{Other, Overlay, Question};
use crate::update::moving::arrive;
use crate::update::syntax::{Verdict, before_writing};
use armistice_core::{Draft, LineIdx, Markers, render_with_markers};
use armistice_git::{IndexState, Mode as FileMode, Overwrite, RepoPath};

/// The nearest other file that is not finished, going round.
pub(crate) fn other_unfinished(state: &State, from: FileId, forward: bool) -> Option<FileId> {
    let open = |at: &FileId| state[*at].counts().is_none_or(|counts| counts.open > 0);
    // What is open comes before what is only to be written.
    let mut others = state.others(from, forward);
    let first = others.find(|at| open(at) && !state[*at].finished());
    first.or_else(|| {
        let mut others = state.others(from, forward);
        others.find(|at| !state[*at].finished())
    })
}

/// Shows a file in Parley, or says why it has no lines to show.
pub(crate) fn show_file(state: &mut State, at: FileId) -> Vec<Effect> {
    let Some(file) = state.file(at) else {
        state.say("no file is in conflict");
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
            state.docket.chosen = at.0;
            state.say(text);
        }
        FileLoad::Lines(open) => {
            let note = open.opened.note.clone();
            state.tab = Tab::Parley;
            state.file = at;
            state.docket.chosen = at.0;
            arrive(state);
            if let Some(note) = note {
                state.say(note);
            }
        }
    }
    Vec::new()
}

/// Writes and stages a file in which no conflict is open; asks first where it makes no sense to a parser.
pub(crate) fn finish(state: &mut State, at: FileId) -> Vec<Effect> {
    finish_as(state, at, false)
}

fn ask_despite_syntax(state: &mut State, at: FileId, line: Option<LineIdx>, what: &str) {
    let path = state[at].case.path.to_string();
    let place = line.map_or(String::new(), |line| format!(", line {line}"));
    state.overlay = Some(Overlay::Question(Box::new(Question {
        title: "The draft does not parse. Write it anyway?".to_owned(),
        lines: vec![
            format!("{path}{place}: {what}"),
            "No version has this error. esc returns to the draft.".to_owned(),
        ],
        yes: "write it anyway".to_owned(),
        effects: Vec::new(),
        writes: Some(at),
        ..Question::default()
    })));
}

/// Writes and stages a file in which no conflict is open.
pub(crate) fn finish_as(state: &mut State, at: FileId, despite_syntax: bool) -> Vec<Effect> {
    let Some(file) = state.file(at) else {
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
        return finish_whole(state, at);
    };
    if matches!(open.view.mode, Mode::Edit(_)) {
        state.say("leave the editor first: esc keeps the text");
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
        let text = format!("{path} is already written and staged");
        state.say(text);
        return Vec::new();
    }
    if !despite_syntax {
        match before_writing(state, at) {
            Verdict::Sense => {}
            Verdict::Trouble(found) => {
                ask_despite_syntax(state, at, found.line, &found.what);
                return Vec::new();
            }
            Verdict::Wait(effects) => {
                state.say(format!("checking that {path} parses, then writing it …"));
                return effects;
            }
        }
    }
    let file = &state[at];
    let Some(open) = file.open() else {
        return Vec::new();
    };
    let overwrite = match open.opened.is_taken() {
        true => Overwrite::AsRead,
        false => Overwrite::No,
    };
    let finish = Finish::new(&file.case, &open.opened, overwrite);
    let mut effects = Vec::new();
    // What rules settled is what is written: from now on the journal says so.
    let open = state[at].open_mut();
    if let Some(first) = open.and_then(|f| f.opened.take_unsaved()) {
        let recording = Recording {
            rules: Some(first),
            event: None,
        };
        effects.push(Effect::Record(at, recording));
    }
    if let Some(modes) = finish.case.stages.mode_clash() {
        ask_mode(state, at, modes, &finish);
        return effects;
    }
    if let Some([first, second]) = finish.case.name_clash() {
        let names = [first.clone(), second.clone()];
        ask_name(state, at, names, &finish);
        return effects;
    }
    state[at].writing = true;
    state.say(format!("writing {path} …"));
    effects.push(Effect::Finish(at, Box::new(finish)));
    effects
}

/// Both sides added the file, one as a program and one not: that is a conflict like any other.
fn ask_mode(state: &mut State, at: FileId, modes: [FileMode; 2], finish: &Finish) {
    let word = |mode| match mode {
        FileMode::Executable => "executable",
        _ => "an ordinary file",
    };
    let as_of = |mode| {
        let finish = Finish {
            mode: Some(mode),
            ..finish.clone()
        };
        Effect::Finish(at, Box::new(finish))
    };
    let (ours, theirs) = (&state.situation.ours.label, &state.situation.theirs.label);
    state.overlay = Some(Overlay::Question(Box::new(Question {
        title: format!("{}: which mode?", finish.case.path),
        lines: vec![
            format!("{ours} added it as {}.", word(modes[0])),
            format!("{theirs} added it as {}.", word(modes[1])),
        ],
        yes: "write it as ours has it".to_owned(),
        effects: vec![as_of(modes[0])],
        other: Some(Other {
            key: "t",
            label: "write it as theirs has it".to_owned(),
            effect: as_of(modes[1]),
        }),
        ..Question::default()
    })));
}

/// The file has two names: which one it gets is a conflict like any other.
fn ask_name(state: &mut State, at: FileId, names: [RepoPath; 2], finish: &Finish) {
    let named = |name: &RepoPath| {
        let finish = Finish {
            name: Some(name.clone()),
            ..finish.clone()
        };
        Effect::Finish(at, Box::new(finish))
    };
    let [first, second] = &names;
    let (ours, theirs) = (&state.situation.ours.label, &state.situation.theirs.label);
    let mut lines = match finish.case.own_name() {
        Some(_) => vec![
            format!("{first}: in the renamed folder, as git suggests."),
            format!("{second}: at its own path."),
        ],
        None => vec![
            format!("{ours} calls it {first}."),
            format!("{theirs} calls it {second}."),
        ],
    };
    lines.insert(0, finish.case.title());
    state.overlay = Some(Overlay::Question(Box::new(Question {
        title: "which name should the file get?".to_owned(),
        lines,
        yes: format!("write it as {first}"),
        effects: vec![named(first)],
        other: Some(Other {
            key: "t",
            label: format!("write it as {second}"),
            effect: named(second),
        }),
        ..Question::default()
    })));
}

/// Writes a file without lines as it was decided, now or when the same versions met before.
fn finish_whole(state: &mut State, at: FileId) -> Vec<Effect> {
    let file = &state[at];
    let path = file.case.path.to_string();
    let whole = match &file.load {
        FileLoad::Whole(whole) => whole.decided.map(|outcome| (outcome, whole.seen.clone())),
        _ => None,
    };
    let Some((outcome, seen)) = whole.filter(|_| !file.finished()) else {
        let text = match file.finished() {
            true => format!("{path} is already written and staged"),
            false => format!("{path}: choose a whole-file outcome: o, t, b or x"),
        };
        state.say(text);
        return Vec::new();
    };
    state[at].writing = true;
    vec![Effect::SettleWhole {
        file: at,
        outcome,
        seen,
        overwrite: Overwrite::No,
    }]
}

/// What git would leave of a file with all its conflicts open; nothing for a file without lines.
pub(crate) fn untouched_text(open: Option<&OpenFile>) -> Vec<u8> {
    open.map_or_else(Vec::new, |open| {
        let untouched = Draft::new(open.draft().plan().clone());
        render_with_markers(&untouched, &Markers::default())
    })
}

pub(crate) fn take_back(state: &mut State, at: FileId) -> Vec<Effect> {
    let Some(file) = state.file(at) else {
        return Vec::new();
    };
    if file.case.standing == IndexState::Unmerged
        && let FileLoad::Whole(whole) = &mut state[at].load
        && whole.decided.take().is_some()
    {
        let text = format!("{}: reopened", state[at].case.path);
        state.say(text);
        return vec![Effect::Undecide(at), Effect::Prove];
    }
    let file = &state[at];
    if file.case.standing == IndexState::Unmerged {
        let text = format!("{} is still in conflict; it was not staged", file.case.path);
        state.say(text);
        return Vec::new();
    }
    vec![Effect::TakeBack {
        file: at,
        markers: untouched_text(file.open()),
    }]
}
