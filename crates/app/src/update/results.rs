//! Results of effects, taken into the state.

use crate::base::commands::Tab;
use crate::base::project_checks::REPOSITORY_SETTINGS;
use crate::base::safe_text::count;
use crate::case::checks::ProjectChecks;
use crate::case::findings::marker_words;
use crate::case::load::CaseLoad;
use crate::case::opened::Recording;
use crate::case::steps::FinishedSteps;
use crate::state::action::WorkResult;
use crate::state::app::State;
use crate::state::effect::{Effect, FileId, Trouble, Wrote};
use crate::state::file::{FileLoad, FileState, Mode};
use crate::state::overlay::{Other, Overlay, Question};
use crate::update::accord::ask_empty;
use crate::update::files::{finish, other_unfinished};
use crate::update::loading::loads;
use crate::update::{
    accord, checks, following, hand_over, returning, rulings, scout, staged, syntax, taking,
    terrain, who,
};
use armistice_git::{
    After, Ending, IndexState, Interrupted, MarkerFile, Operation, PathFinding, Situation, Verdict,
};

pub(crate) fn take(state: &mut State, generation: u64, outcome: WorkResult) -> Vec<Effect> {
    match outcome {
        // These are about the repository as a whole and never outdated.
        WorkResult::Situated(result) => return situated(state, *result),
        WorkResult::Ended(ending, result, left) => {
            let effects = ended(state, ending, result, left.is_some());
            offer_undo(state, left);
            return effects;
        }
        WorkResult::Note(text) => state.complain(text),
        WorkResult::StepsReviewed(steps) => report_steps(state, &steps),
        WorkResult::ScoutRead(read) => return scout::known(state, read),
        WorkResult::Foreseen(question, result, is_all) => {
            return scout::foreseen(state, &question, result, is_all);
        }
        WorkResult::Named(name, found) => return scout::named(state, &name, found),
        WorkResult::StashDropped(oid, Ok(())) => {
            state.say(format!(
                "dropped the stash; 'git stash store {oid}' brings it back"
            ));
            return vec![Effect::ReadSituation];
        }
        WorkResult::StashDropped(_, Err(why)) => state.complain(why),
        WorkResult::UndidInterrupted(result) => return scout::undone(state, result),
        WorkResult::Begun(question, result, left) => {
            let effects = scout::begun(state, &question, result);
            offer_undo(state, left);
            return effects;
        }
        WorkResult::CheckBegan(line) => checks::began(state, line),
        WorkResult::CheckSaid(line, lines) => checks::said(state, line, lines),
        WorkResult::CheckEnded(line, result) => checks::ended(state, &line, result),
        WorkResult::ChecksDone => return vec![Effect::Prove],
        _ if generation != state.generation => {}
        WorkResult::Loaded(files) => {
            for (at, load) in files {
                loaded(state, at, load);
            }
            if state.following.is_some() {
                return following::go_on(state);
            }
            if state.scout.opening.is_some() {
                return scout::opened(state);
            }
            // Whoever has gone to another screen keeps the file that they have there.
            if state.tab == Tab::Docket && !state.docket.moved && state.returning.is_none() {
                begin_with_lines(state);
            }
        }
        WorkResult::Recorded(at, recording, result) => recorded(state, at, &recording, result),
        WorkResult::WorkFileRead(at, read) => return taking::take(state, at, read),
        WorkResult::HandedBack(at, given, result) => {
            return hand_over::taken(state, at, &given, result);
        }
        WorkResult::MarkersFound(Ok(found)) => report_markers(state, found),
        // Nobody asked for it.
        WorkResult::MarkersFound(Err(_)) => {}
        WorkResult::MergedListed(Ok(lines)) => {
            state.overlay = Some(Overlay::Output {
                title: "merged by git".to_owned(),
                lines,
                top: 0,
            });
        }
        WorkResult::MergedListed(Err(why)) => state.complain(why),
        WorkResult::TerrainRead(read) => {
            terrain::known(state, read.map(|terrain| *terrain));
            return following::go_on_after_reading(state);
        }
        WorkResult::Drawn(Ok(files)) => {
            let names: Vec<String> = files
                .iter()
                .map(|file| file.display().to_string())
                .collect();
            state.say(format!("drawn: {}", names.join(" · ")));
        }
        WorkResult::Drawn(Err(why)) => state.complain(why),
        WorkResult::TakenIn(taken) => return following::taken_in(state, taken),
        WorkResult::Compared(differ) => taking::tell(state, &differ),
        WorkResult::Ruled(all) => return rulings::ruled(state, all),
        WorkResult::Audited(reports) => {
            state.proof.reports = reports;
            state.sum_up();
        }
        WorkResult::Likes(found) => return rulings::likes(state, found),
        WorkResult::StagedAgain(path, Ok(())) => {
            state.say(format!("staged {path} as it is on disk"));
            return vec![Effect::ReadSituation];
        }
        WorkResult::StagedAgain(_, Err(why)) => state.complain(why),
        WorkResult::SyntaxChecked(at, stamp, found) => {
            if syntax::checked(state, at, stamp, found) {
                return finish(state, at);
            }
        }
        WorkResult::Forgot(Ok(0)) => state.say("no earlier resolution of this conflict is stored"),
        WorkResult::Forgot(Ok(_)) => state.say("forgotten; it will not be suggested again"),
        WorkResult::Forgot(Err(why)) => state.complain(why),
        WorkResult::Wrote(at, result) => return wrote(state, at, result),
        WorkResult::WroteMany(all) => return wrote_many(state, all),
        WorkResult::TookBack(at, result) => return took_back(state, at, result),
        WorkResult::Proved(result, known) => return proved(state, result, *known),
        WorkResult::LogRead(Ok(log)) => state.accord.log = log,
        WorkResult::Measured(Ok(against)) => return staged::counted(state, against),
        WorkResult::DiffRead(parent, path, diff) => staged::read(state, parent, path, diff),
        WorkResult::PathsRead(paths) => state.settings.of_repository = *paths,
        WorkResult::Trusted(Ok(paths)) => {
            state.settings.of_repository = *paths;
            let text = format!(
                "{REPOSITORY_SETTINGS} is trusted in its current form; M regenerates a file"
            );
            return rulings::rule_again(state, text);
        }
        WorkResult::Trusted(Err(why)) => state.complain(why),
        WorkResult::Shaded(at, shades) => syntax::shaded(state, at, shades),
        WorkResult::HistoryRead(at, found) => who::read(state, at, found),
        WorkResult::CommitsRead(found) => who::tell(state, found),
        WorkResult::BackupsRemoved(Ok(n)) => {
            state.accord.leftovers.clear();
            let files = count(n, "backup file");
            state.say(format!("removed {files}; copies are in the git folder"));
        }
        WorkResult::BackupsRemoved(Err(why)) => state.complain(why),
        WorkResult::LogRead(Err(why)) => state.complain(why),
        // Only decoration on Accord; its absence says enough.
        WorkResult::Measured(Err(_)) => state.accord.against.clear(),
    }
    Vec::new()
}

/// Says which tracked files have conflict markers while no operation is in progress, and the ways out.
fn report_markers(state: &mut State, found: Vec<MarkerFile>) {
    state.drop_marker_report();
    if let Some(said) = marker_words(&found) {
        match found.iter().any(MarkerFile::is_new) {
            true => state.complain(said),
            false => state.say(said),
        }
    }
    state.accord.markers = Some(found);
}

fn loaded(state: &mut State, at: FileId, load: CaseLoad) {
    let Some(file) = state.file_mut(at) else {
        return;
    };
    let note = match &load {
        CaseLoad::Lines(opened) => {
            file.unfinished = opened.unfinished;
            opened.note.clone()
        }
        _ => None,
    };
    file.load = load.into();
    returning::arrived(state, at);
    if let Some(note) = note {
        state.say(note);
    }
}

/// Docket begins with a file in which lines are open, not with a picture or a link, as long as
/// nobody has gone anywhere.
fn begin_with_lines(state: &mut State) {
    let open = |file: &FileState| {
        file.open()
            .is_some_and(|open| open.draft().counts().open > 0)
    };
    let begins = |file: &FileState| open(file) && !file.finished();
    let first = state.ids().find(|(_, file)| begins(file)).map(|(at, _)| at);
    if let Some(first) = first {
        state.docket.chosen = first.0;
        state.file = first;
    }
}

/// What is not on the disk is not on the screen either: later decisions would build on it.
fn recorded(state: &mut State, at: FileId, recording: &Recording, result: Result<(), String>) {
    let Some(file) = state.file_mut(at) else {
        return;
    };
    let path = file.case.path.to_string();
    let Some(open) = file.open_mut() else {
        return;
    };
    let editing = open.view.unrecorded.take();
    let Err(why) = result else {
        return;
    };
    open.opened.retract(recording);
    open.view.choice = None;
    let what = match editing {
        Some(mut editing) => {
            editing.editor.dirty = true;
            open.view.mode = Mode::Edit(editing);
            "the edit was NOT saved, so the editor is open again (esc tries again, ctrl-g discards it)"
        }
        None => "NOT saved, so it was undone",
    };
    // What was to be written together with it is not written either.
    state.files.iter_mut().for_each(|file| file.writing = false);
    let text = format!("{path}: {what}: {why}");
    state.complain(text);
}

fn wrote(state: &mut State, at: FileId, result: Result<Wrote, Trouble>) -> Vec<Effect> {
    let Some(file) = state.file_mut(at) else {
        return Vec::new();
    };
    file.writing = false;
    let path = file.case.path.to_string();
    match result {
        Ok(wrote) => {
            file.case.standing = IndexState::Staged;
            file.case.as_merged = false;
            file.unfinished = None;
            set_seen(&mut file.load, &wrote);
            let next = match other_unfinished(state, at, true) {
                None => all_finished(state).to_owned(),
                Some(next) => format!("n goes on with {}", state[next].case.path),
            };
            let back = match state.tab {
                Tab::Docket => "u takes it back",
                _ => "u on Docket takes it back",
            };
            state.say(format!("{path}: {} · {next} · {back}", wrote.what));
            return vec![Effect::Prove, Effect::Measure];
        }
        Err(Trouble::Changed(again)) => ask_overwrite(state, &path, *again),
        Err(Trouble::ReadOnly(again)) => ask_read_only(state, &path, *again),
        Err(Trouble::MovedOn(why)) => {
            state.complain(why);
            return vec![Effect::ReadSituation];
        }
        Err(Trouble::Stopped) => state.say(format!("{path}: stopped, not written")),
        Err(Trouble::Other(why)) => state.complain(why),
    }
    Vec::new()
}

/// Several files were written: those that were not are reported together.
fn wrote_many(state: &mut State, all: Vec<(FileId, Result<Wrote, Trouble>)>) -> Vec<Effect> {
    let mut refused = Vec::new();
    let mut stopped = 0;
    let mut moved = None;
    for (at, result) in all {
        let Some(file) = state.file_mut(at) else {
            continue;
        };
        file.writing = false;
        match result {
            Ok(wrote) => {
                file.case.standing = IndexState::Staged;
                file.case.as_merged = false;
                file.unfinished = None;
                set_seen(&mut file.load, &wrote);
            }
            Err(Trouble::MovedOn(why)) => moved = Some(why),
            Err(Trouble::Changed(_)) => refused.push(format!("{} changed on disk", file.case.path)),
            Err(Trouble::ReadOnly(_)) => refused.push(format!("{} is read-only", file.case.path)),
            Err(Trouble::Stopped) => stopped += 1,
            Err(Trouble::Other(why)) => refused.push(why),
        }
    }
    if let Some(why) = moved {
        state.complain(why);
        return vec![Effect::ReadSituation];
    }
    if let Some(first) = refused.first() {
        let n = count(refused.len(), "file");
        state.complain(format!(
            "{n} not written; {first}; press w on each to decide"
        ));
    }
    let waiting = state.files.iter().filter(|file| file.writing).count();
    let (done, files) = state.files_done();
    if waiting > 0 {
        state.say(format!(
            "{done} of {} written, {waiting} left · esc stops",
            count(files, "file")
        ));
        return Vec::new();
    }
    if stopped > 0 {
        state.say(format!(
            "stopped: {done} of {} written and staged · W continues, u takes back",
            count(files, "file")
        ));
        return vec![Effect::Prove, Effect::Measure];
    }
    let next = match files - done {
        0 => all_finished(state).to_owned(),
        left => format!("{} left, n goes from one to the next", count(left, "file")),
    };
    state.say(format!(
        "{done} of {} written and staged · {next}",
        count(files, "file")
    ));
    vec![Effect::Prove, Effect::Measure]
}

/// What there is to do when every file is finished.
fn all_finished(state: &State) -> &'static str {
    match state.situation.operation {
        // Loose files, or a stash: nothing to conclude.
        Operation::Loose => "every file is finished",
        _ => "every file is finished: 5 checks, 6 concludes",
    }
}

fn set_seen(load: &mut FileLoad, wrote: &Wrote) {
    match load {
        FileLoad::Lines(open) => open.opened.seen = wrote.seen.clone(),
        FileLoad::Whole(whole) => {
            whole.seen = wrote.seen.clone();
            whole.decided = wrote.whole.or(whole.decided);
        }
        FileLoad::Waiting | FileLoad::Failed(_) => {}
    }
}

fn ask_read_only(state: &mut State, path: &str, again: Effect) {
    state.complain(format!("{path} is read-only; nothing was written"));
    state.overlay = Some(Overlay::Question(Box::new(Question {
        title: format!("{path} is read-only"),
        lines: vec![
            "The file has no write permission.".to_owned(),
            "Writing replaces it anyway and keeps it read-only. Its current contents are copied aside first."
                .to_owned(),
        ],
        yes: "write it anyway".to_owned(),
        effects: vec![again],
        ..Question::default()
    })));
}

fn ask_overwrite(state: &mut State, path: &str, again: Effect) {
    state.complain(format!(
        "{path} changed on disk since it was read; nothing was written"
    ));
    state.overlay = Some(Overlay::Question(Box::new(Question {
        title: format!("{path} changed on disk since it was read"),
        lines: vec![
            "It differs from git's conflict and from what Armistice read.".to_owned(),
            "Writing replaces it with the draft. Its current contents are copied aside first."
                .to_owned(),
        ],
        yes: "copy it aside and write the draft".to_owned(),
        other: again
            .files()
            .first()
            .filter(|at| state[**at].open().is_some())
            .map(|at| Other {
                key: "t",
                label: "read it into the draft, line by line".to_owned(),
                effect: Effect::ReadWorkFile(*at),
            }),
        effects: vec![again],
        ..Question::default()
    })));
}

fn took_back(state: &mut State, at: FileId, result: Result<Wrote, Trouble>) -> Vec<Effect> {
    match (result, state.file_mut(at)) {
        (Ok(wrote), Some(file)) => {
            file.case.standing = IndexState::Unmerged;
            set_seen(&mut file.load, &wrote);
            let kept = match wrote.kept {
                Some(copy) => format!(" · the old contents are kept as {}", copy.display()),
                None => String::new(),
            };
            let text = format!(
                "{}: in conflict again, decisions kept{kept}",
                file.case.path
            );
            state.say(text);
            vec![Effect::Prove, Effect::Measure]
        }
        (Err(Trouble::MovedOn(why)), _) => {
            state.complain(why);
            vec![Effect::ReadSituation]
        }
        (Err(Trouble::Other(why)), _) => {
            state.complain(why);
            Vec::new()
        }
        _ => Vec::new(),
    }
}

fn proved(
    state: &mut State,
    result: Result<armistice_git::Proof, String>,
    known: ProjectChecks,
) -> Vec<Effect> {
    state.proof.running = false;
    if std::mem::take(&mut state.proof.again) {
        return vec![Effect::Prove];
    }
    checks::known(state, known);
    match result {
        Ok(proof) => {
            state.proof.error = None;
            state.proof.checked = Some(proof);
            state.sum_up();
        }
        Err(why) => state.proof.error = Some(why),
    }
    match std::mem::take(&mut state.accord.waiting) {
        true => accord::conclude(state),
        false => Vec::new(),
    }
}

/// What is said until everything is read again.
pub(crate) const READING: &str = "reloading …";

fn situated(state: &mut State, result: Result<Situation, String>) -> Vec<Effect> {
    match result {
        Ok(situation) => {
            let idle = situation.is_idle();
            // Nothing is left of a forecast when everything is read again.
            if idle && state.situation.foreseen.is_some() && state.tab != Tab::Accord {
                state.tab = Tab::Scout;
            }
            state.situate(situation);
            state.docket.stopped = false;
            following::give_up(state);
            if let Some((tab, text)) = state.scout.landing.take() {
                state.tab = tab;
                state.say(text);
            }
            let asked = state.message.text == READING;
            if asked {
                state.say("reloaded");
            }
            let waits = |f: &FileState| matches!(f.load, FileLoad::Waiting);
            let files = state.ids().filter(|(_, f)| waits(f));
            let mut effects = loads(files.map(|(at, _)| at).collect());
            effects.extend([Effect::Prove, Effect::Measure]);
            if asked {
                effects.push(taking::compare(state));
            }
            if idle {
                effects.extend([Effect::ReadLog, Effect::FindMarkers]);
                state.scout.asked = None;
                effects.extend(scout::read(state));
            }
            effects
        }
        Err(why) => {
            state.following = None;
            state.complain(why);
            Vec::new()
        }
    }
}

/// If git left half of a command, asks whether to restore the state before it.
fn offer_undo(state: &mut State, left: Option<Interrupted>) {
    if let Some(torn) = left {
        scout::ask_to_undo(state, &torn);
    }
}

/// The command that a rebase ran as a step and that failed, as git says it; none if none did.
fn failed_exec(message: &str) -> Option<&str> {
    let said = "execution failed: ";
    let line = message.lines().find(|line| line.contains(said))?;
    line.split_once(said).map(|(_, command)| command.trim())
}

/// After git has ended a step or everything, or has died half-way.
fn ended(
    state: &mut State,
    ending: Ending,
    result: Result<After, String>,
    is_torn: bool,
) -> Vec<Effect> {
    state.accord.running = None;
    let after = match result {
        Ok(after) => after,
        Err(why) => {
            state.complain(why);
            return vec![Effect::ReadSituation];
        }
    };
    state.accord.verdict = Some(after.verdict);
    state.accord.leftovers.extend(after.leftovers);
    let name = state.situation.operation.name();
    let kept = match after.kept.len() {
        0 => String::new(),
        n => format!(
            " · {} kept in the git folder",
            count(n, "copy").replace("copys", "copies")
        ),
    };
    let untidy = after.untidy.map_or(String::new(), |why| {
        format!(" · the stored decisions could not be removed: {why}")
    });
    let kept = kept + &untidy;
    match (after.verdict, ending) {
        (Verdict::Concluded, _) => {
            state.tab = Tab::Accord;
            state.say(format!("the {name} is concluded{kept}"));
        }
        (Verdict::NextStep, _) if let Some(line) = failed_exec(&after.message) => {
            state.tab = Tab::Accord;
            state.complain(format!(
                "'{line}' failed as a rebase step: fix it, then press c to continue{kept}"
            ));
            state.overlay = Some(Overlay::Output {
                title: format!("'{line}' failed"),
                lines: after.message.lines().map(str::to_owned).collect(),
                top: 0,
            });
        }
        (Verdict::NextStep, _) => {
            state.tab = Tab::Docket;
            state.docket.chosen = 0;
            state.docket.moved = false;
            state.file = FileId(0);
            state.say(format!("continued with the next step{kept}"));
        }
        (Verdict::BackedOut, _) => {
            state.tab = Tab::Accord;
            state.say(format!("aborted the {name}; everything is as before{kept}"));
        }
        (Verdict::Empty, _) => ask_empty(state),
        (Verdict::Refused, _) => {
            let said = match is_torn {
                true => "git stopped before it was done",
                false => "git or a hook refused; nothing was lost",
            };
            state.complain(said);
            state.overlay = Some(Overlay::Output {
                title: said.to_owned(),
                lines: after.message.lines().map(str::to_owned).collect(),
                top: 0,
            });
        }
    }
    let is_rebase = matches!(state.situation.operation, Operation::Rebase { .. });
    let mut effects = vec![Effect::ReadSituation, Effect::ReadLog];
    if is_rebase && after.verdict == Verdict::Concluded {
        effects.push(Effect::ReviewSteps);
    }
    effects
}

/// Lists what is wrong in the steps of a rebase that has ended.
fn report_steps(state: &mut State, steps: &FinishedSteps) {
    let found = &steps.findings;
    if found.is_empty() {
        if let Some(why) = &steps.not_reviewed {
            state.complain(format!("the rebase is concluded · {why}"));
        }
        return;
    }
    let said = format!(
        "the rebase is concluded, but its steps have {}",
        count(found.len(), "finding")
    );
    let line = |found: &PathFinding| format!("{}: {}", found.path, found.finding.what);
    let mut lines: Vec<String> = found.iter().map(line).collect();
    lines.extend(steps.not_reviewed.clone());
    lines.push(String::new());
    lines.push("'armistice review --rebased' shows what each commit changed.".to_owned());
    state.complain(said.clone());
    state.overlay = Some(Overlay::Output {
        title: said,
        lines,
        top: 0,
    });
}
