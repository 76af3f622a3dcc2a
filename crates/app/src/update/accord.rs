//! Proof and Accord: checking, concluding, skipping, backing out.

use crate::base::commands::{Command, Tab};
use crate::base::editor::Motion;
use crate::base::safe_text::count;
use crate::case::checks::{failed_lines, outstanding};
use crate::case::drawings::Drawing;
use crate::case::records::{file_record, merge_record};
use crate::state::app::State;
use crate::state::effect::Effect;
use crate::state::file::FileLoad;
use crate::state::overlay::{Other, Overlay, Question};
use crate::update::checks;
use crate::update::files::show_file;
use crate::update::following;
use crate::update::leaving::quit;
use crate::update::moving::go_to_line;
use crate::view::gate::{droppable_stash, gate};
use crate::view::given_up::given_up_lines;
use crate::view::new_text::new_text_lines;
use armistice_core::MergeRecord;
use armistice_core::{Check, Weight};
use armistice_git::{Ending, IndexState, Operation};

pub(crate) fn run_proof(state: &mut State, command: Command) -> Vec<Effect> {
    let last = state.proof.rows().saturating_sub(1);
    let view = &mut state.proof.list;
    match command {
        Command::Move(Motion::Up) => view.chosen = view.chosen.saturating_sub(1),
        Command::Move(Motion::Down) => view.chosen = (view.chosen + 1).min(last),
        Command::Move(Motion::Start) => view.chosen = 0,
        Command::Move(Motion::End) => view.chosen = last,
        Command::Accept => return accept(state),
        Command::RunChecks => return checks::run(state),
        Command::StopChecks => return checks::stop(state),
        Command::CheckOutput => checks::show_output(state),
        Command::StageAgain => return stage_again(state),
        Command::ReplaceName => return following::replace_name(state),
        Command::ShowGivenUp => show_given_up(state),
        Command::ShowNewText => show_new_text(state),
        Command::Back => state.tab = Tab::Docket,
        _ => {}
    }
    Vec::new()
}

/// Goes to a finding; shows what a command printed, or runs it if it has not run.
fn accept(state: &mut State) -> Vec<Effect> {
    match state
        .proof
        .chosen_check()
        .map(|(check, _)| check.run.clone())
    {
        Some(run) if checks::has_output(state, &run) => {
            checks::show_output(state);
            Vec::new()
        }
        Some(_) => checks::run(state),
        None => go_to_finding(state),
    }
}

fn show_given_up(state: &mut State) {
    let lines = given_up_lines(state);
    if lines.is_empty() {
        state.say(
            match state.proof.reports.is_empty() && state.proof.running {
                true => "still looking",
                false => "no decision discarded a line",
            },
        );
        return;
    }
    state.overlay = Some(Overlay::Output {
        title: "lines that decisions discarded (numbers: added lines in their own version, removed lines in base)"
            .to_owned(),
        lines,
        top: 0,
    });
}

fn show_new_text(state: &mut State) {
    let lines = new_text_lines(state);
    if lines.is_empty() {
        state.say(
            match state.proof.reports.is_empty() && state.proof.running {
                true => "still looking",
                false => "every line is in base, ours or theirs",
            },
        );
        return;
    }
    state.overlay = Some(Overlay::Output {
        title: "lines that no version has".to_owned(),
        lines,
        top: 0,
    });
}

fn stage_again(state: &mut State) -> Vec<Effect> {
    let chosen = state.proof.chosen_finding();
    match chosen.filter(|f| f.finding.check == Check::Unstaged) {
        Some(found) => vec![Effect::StageAgain(found.path.clone())],
        None => {
            state.say("only a file that changed after it was staged can be staged again here");
            Vec::new()
        }
    }
}

fn go_to_finding(state: &mut State) -> Vec<Effect> {
    let Some(finding) = state.proof.chosen_finding().cloned() else {
        return Vec::new();
    };
    let Some(at) = state
        .ids()
        .find(|(_, f)| f.case.path == finding.path)
        .map(|(at, _)| at)
    else {
        let line = finding
            .finding
            .line
            .map_or(String::new(), |l| format!(", line {l}"));
        state.say(format!(
            "{}{line}: git merged this file without a conflict; open it in your editor",
            finding.path
        ));
        return Vec::new();
    };
    let effects = show_file(state, at);
    if state.tab == Tab::Parley
        && let Some(line) = finding.finding.line
    {
        go_to_line(state, line);
    }
    effects
}

pub(crate) fn run(state: &mut State, command: Command) -> Vec<Effect> {
    match command {
        Command::Cancel if state.accord.running.is_some() => {
            state.say("telling git to stop …");
            return vec![Effect::CancelWork];
        }
        Command::Cancel => return quit(state),
        _ if state.accord.running.is_some() => {
            state.say("git is running; ctrl-c stops it");
        }
        Command::Conclude => return conclude(state),
        Command::Skip => return ask_skip(state),
        Command::BackOut => return ask_back_out(state),
        Command::EditMessage => edit_message(state),
        Command::RemoveBackups => return remove_backups(state),
        Command::DropStash => ask_drop_stash(state),
        Command::Draw => {
            let record = (!state.situation.is_idle()).then(|| Box::new(record_of(state)));
            let record = Drawing::Record(record);
            return vec![Effect::Draw(vec![record, Drawing::History])];
        }
        Command::Move(Motion::Down | Motion::PageDown) => {
            let last = state.accord.log.len().saturating_sub(1);
            state.accord.top = (state.accord.top + 1).min(last);
        }
        Command::Move(Motion::Up | Motion::PageUp) => {
            state.accord.top = state.accord.top.saturating_sub(1);
        }
        Command::Back if state.accord.waiting => {
            state.accord.waiting = false;
            state.say("nothing was concluded");
        }
        Command::Back => state.tab = Tab::Docket,
        _ => {}
    }
    Vec::new()
}

fn remove_backups(state: &mut State) -> Vec<Effect> {
    let left = state.accord.leftovers.clone();
    if left.is_empty() {
        state.say("no backup file of git mergetool was found");
        return Vec::new();
    }
    vec![Effect::RemoveBackups(left)]
}

fn ask_drop_stash(state: &mut State) {
    let Some(stash) = droppable_stash(state).cloned() else {
        state.say(match state.situation.stash {
            Some(_) => "finish every file first: the conflicts came from this stash",
            None => "no stash caused conflicts here",
        });
        return;
    };
    let lines = vec![
        format!("{} {}", stash.short, stash.subject),
        "Its changes are in the working tree, as you resolved them. Git keeps the stash until you drop it.".to_owned(),
        format!("'git stash store {}' brings it back.", stash.oid),
    ];
    let effect = Effect::DropStash(stash.oid);
    ask(state, "Drop the stash?", lines, "drop it", effect);
}

fn edit_message(state: &mut State) {
    match state.situation.operation.takes_message() {
        true => {
            state.accord.editing = true;
            state.say("editing the message; esc keeps it");
        }
        false => state.say("git uses its own message here"),
    }
}

pub(crate) fn conclude(state: &mut State) -> Vec<Effect> {
    if state.situation.operation == Operation::Loose {
        state.say("no operation is in progress; commit when you like");
        return Vec::new();
    }
    if state.proof.running {
        state.accord.waiting = true;
        state.say("checking what is staged, then concluding …");
        return Vec::new();
    }
    let unfinished = state
        .files
        .iter()
        .any(|f| f.case.standing == IndexState::Unmerged);
    if let Some(why) = gate(state).filter(|_| unfinished) {
        state.complain(format!("{why}; 2 shows which"));
        return Vec::new();
    }
    let (risks, required) = risks(state);
    if state.proof.proof.as_ref().is_some_and(|proof| proof.empty) {
        ask_empty(state);
        return Vec::new();
    }
    let effect = end(state, Ending::Conclude);
    if risks.is_empty() {
        return start(state, effect);
    }
    let mut lines = risks;
    lines.push("The commit will contain what is staged now.".to_owned());
    let mut question = Question {
        title: "Conclude anyway?".to_owned(),
        lines,
        yes: "conclude anyway".to_owned(),
        effects: vec![effect],
        ..Question::default()
    };
    if !required.is_empty() {
        let effects = std::mem::take(&mut question.effects);
        question.yes = "go on".to_owned();
        question.then = Some(Box::new(Question {
            title: "Conclude without a required check?".to_owned(),
            lines: required,
            yes: "conclude without it".to_owned(),
            effects,
            ..Question::default()
        }));
    }
    state.overlay = Some(Overlay::Question(Box::new(question)));
    Vec::new()
}

/// All that speaks against concluding, a line each, and of it the required checks that did not pass.
fn risks(state: &State) -> (Vec<String>, Vec<String>) {
    let mut risks: Vec<String> = gate(state).into_iter().collect();
    if let Some(why) = &state.proof.error {
        risks.push(format!("The staged files could not be checked: {why}"));
    }
    let Some(proof) = &state.proof.proof else {
        return (risks, Vec::new());
    };
    let required = outstanding(&state.proof.checks, &proof.stands);
    // The gate names one of them: it stands in the list below.
    risks.retain(|risk| !required.contains(risk));
    if risks.is_empty() && required.is_empty() {
        return (risks, required);
    }
    risks.extend(required.iter().cloned());
    risks.extend(failed_lines(&state.proof.checks, &proof.stands));
    risks.extend(proof.findings.iter().map(|found| {
        let line = found.finding.line;
        let line = line.map_or(String::new(), |line| format!(":{}", line.number()));
        let mark = match found.finding.weight {
            Weight::Stops => "! ",
            Weight::Look => "  ",
        };
        format!("{mark}{}{line}: {}", found.path, found.finding.what)
    }));
    (risks, required)
}

fn end(state: &State, ending: Ending) -> Effect {
    let concludes = ending == Ending::Conclude;
    let message = concludes.then(|| state.accord.editor.text());
    let is_known = concludes && state.proof.error.is_none();
    let checked = state.proof.checked.as_ref().filter(|_| is_known);
    Effect::End {
        ending,
        message: message.filter(|m| !m.trim().is_empty()),
        staged: checked.map(|proof| proof.staged.clone()),
        record: record_to_keep(state).filter(|_| concludes),
    }
}

/// Marks git as being at work and lets it begin.
pub(crate) fn start(state: &mut State, effect: Effect) -> Vec<Effect> {
    if let Effect::End { ending, .. } = &effect {
        state.accord.running = Some(*ending);
        state.say("git and its hooks are running …");
    }
    vec![effect]
}

fn ask(state: &mut State, title: &str, lines: Vec<String>, yes: &str, effect: Effect) {
    state.overlay = Some(Overlay::Question(Box::new(Question {
        title: title.to_owned(),
        lines,
        yes: yes.to_owned(),
        effects: vec![effect],
        ..Question::default()
    })));
}

/// A step that would commit nothing is left out or kept, never quietly.
pub(crate) fn ask_empty(state: &mut State) {
    let lines = vec![
        match state.files.is_empty() {
            true => format!(
                "All changes of {} are already in the branch: nothing is left to commit.",
                state.situation.theirs.label
            ),
            false => format!(
                "Nothing of {} is left to commit: its changes are already in the branch, or were discarded here.",
                state.situation.theirs.label
            ),
        },
        "Skip leaves it out of the history; keep makes an empty commit with its message."
            .to_owned(),
        "esc returns to Accord: undoing a decision may bring changes back.".to_owned(),
    ];
    let skip = end(state, Ending::Skip);
    ask(state, "This step became empty", lines, "skip it", skip);
    let record = record_to_keep(state);
    if let Some(Overlay::Question(question)) = &mut state.overlay {
        question.other = Some(Other {
            key: "k",
            label: "keep it as an empty commit".to_owned(),
            effect: Effect::End {
                ending: Ending::KeepEmpty,
                message: Some(state.accord.editor.text()).filter(|m| !m.trim().is_empty()),
                staged: None,
                record,
            },
        });
    }
}

fn what_is_discarded(state: &State) -> Vec<String> {
    let mut lines = Vec::new();
    let decided: usize = state
        .files
        .iter()
        .filter_map(|f| f.open())
        .map(|o| o.opened.session().steps().len())
        .sum();
    let finished = state.files_done().0;
    if decided + finished > 0 {
        lines.push(format!(
            "You made {} and finished {}.",
            count(decided, "decision"),
            count(finished, "file")
        ));
    }
    lines.push(format!(
        "The working files of {} are copied aside first.",
        count(state.files.len(), "case")
    ));
    lines
}

/// What was decided, to be kept; nothing while files are not read: they would be reported wrongly.
fn record_to_keep(state: &State) -> Option<Box<MergeRecord>> {
    let (_, waiting) = state.totals();
    (waiting == 0).then(|| Box::new(record_of(state)))
}

/// What was decided so far, of files that are read.
fn record_of(state: &State) -> MergeRecord {
    let files = state.files.iter().map(|file| {
        let whole = match &file.load {
            FileLoad::Whole(whole) => whole.decided,
            _ => None,
        };
        file_record(&file.case, file.open().map(|open| &open.opened), whole)
    });
    merge_record(&state.situation, files.collect())
}

fn ask_skip(state: &mut State) -> Vec<Effect> {
    let operation = state.situation.operation;
    if !operation.can_skip() {
        state.say(format!(
            "a {} has no step to skip; B aborts it",
            operation.name()
        ));
        return Vec::new();
    }
    let mut lines = vec![format!(
        "The changes of {} will not be in the result.",
        state.situation.theirs.label
    )];
    lines.extend(what_is_discarded(state));
    ask(
        state,
        "Skip this step?",
        lines,
        "skip the step",
        end(state, Ending::Skip),
    );
    Vec::new()
}

fn ask_back_out(state: &mut State) -> Vec<Effect> {
    let operation = state.situation.operation;
    if operation == Operation::Loose {
        state.say("no operation is in progress, so there is nothing to abort");
        return Vec::new();
    }
    let mut lines = vec![format!(
        "Restores everything as it was before the {}.",
        operation.name()
    )];
    lines.extend(what_is_discarded(state));
    lines.push("Your decisions are kept, and offered again for the same versions.".to_owned());
    let title = format!("Abort the {}?", operation.name());
    ask(state, &title, lines, "abort", end(state, Ending::BackOut));
    Vec::new()
}
