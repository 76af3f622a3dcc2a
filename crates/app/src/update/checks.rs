//! The project's own commands on Proof: running, stopping, showing what they print.

use crate::base::project_checks::{CheckOrigin, ProjectCheck, REPOSITORY_SETTINGS};
use crate::base::safe_text::{count, wrap};
use crate::case::checks::{OutputLines, ProjectChecks};
use crate::state::app::State;
use crate::state::effect::Effect;
use crate::state::overlay::{Overlay, Question};
use crate::view::areas::Screen;
use armistice_git::CheckRun;

/// Rows of a question that are not its text, its surroundings on the screen included.
const AROUND_A_QUESTION: usize = 12;

/// Runs the command at the cursor, or all that somebody has named.
pub(crate) fn run(state: &mut State) -> Vec<Effect> {
    if let Some((line, _)) = &state.proof.at_work {
        let text = format!("{} is running; x stops it", name_of(state, line));
        state.say(text);
        return Vec::new();
    }
    let chosen = state.proof.chosen_check().map(|(check, _)| check.clone());
    let named = state.proof.checks.all.iter().map(|(check, _)| check);
    let named = named.filter(|check| check.origin != CheckOrigin::Guessed);
    let checks: Vec<ProjectCheck> = match chosen {
        Some(check) => vec![check],
        None => named.cloned().collect(),
    };
    if checks.is_empty() {
        let text = match state.proof.checks.all.is_empty() {
            true if state.proof.running => "still looking for commands".to_owned(),
            true => format!(
                "no project check is configured; add one to {REPOSITORY_SETTINGS} or to your settings"
            ),
            false => "these checks are only suggestions: select one, and r runs it".to_owned(),
        };
        state.say(text);
        return Vec::new();
    }
    // Who starts them all watches them, one after the other.
    go_to_check(state, &checks[0].run);
    if checks
        .iter()
        .all(|check| check.origin != CheckOrigin::Untrusted)
    {
        return vec![Effect::RunChecks {
            checks,
            trust: None,
        }];
    }
    ask_trust(state, checks);
    Vec::new()
}

fn ask_trust(state: &mut State, checks: Vec<ProjectCheck>) {
    let told = state.proof.checks.told.clone();
    let yes = format!("trust them and run {}", count(checks.len(), "command"));
    let trust = state.proof.checks.to_trust.clone();
    ask_to_trust(state, told, yes, Effect::RunChecks { checks, trust });
}

/// Asks whether to trust the repository's settings for their paths.
pub(crate) fn ask_trust_of_paths(state: &mut State) {
    let paths = &state.settings.of_repository;
    let (told, trust) = (paths.told.clone(), paths.to_trust.clone());
    if let Some(trust) = trust {
        ask_to_trust(state, told, "trust them".to_owned(), Effect::Trust(trust));
    }
}

/// A repository's settings count only after a person has seen every line of them.
fn ask_to_trust(state: &mut State, told: Vec<String>, yes: String, effect: Effect) {
    let mut lines = vec![format!(
        "{REPOSITORY_SETTINGS} came with the repository. Its commands run with your rights:"
    )];
    lines.extend(told);
    lines.push("If the file changes, Armistice asks again.".to_owned());
    let screen = Screen::new(state);
    let width = screen.middle(76, 99).width.saturating_sub(4) as usize;
    let rows: usize = lines.iter().map(|line| wrap(line, width).len()).sum();
    if rows + AROUND_A_QUESTION > state.size.1 as usize {
        state.say("the commands do not fit on this screen; 'armistice proof --trust' prints them and asks");
        return;
    }
    state.overlay = Some(Overlay::Question(Box::new(Question {
        title: format!("Trust the commands of {REPOSITORY_SETTINGS}?"),
        lines,
        yes,
        effects: vec![effect],
        ..Question::default()
    })));
}

pub(crate) fn stop(state: &mut State) -> Vec<Effect> {
    match &state.proof.at_work {
        Some((line, _)) => {
            let text = format!("stopping {} …", name_of(state, line));
            state.say(text);
            vec![Effect::StopChecks]
        }
        None => {
            state.say("no command is running");
            Vec::new()
        }
    }
}

/// Shows what the command at the cursor printed, or the one that runs.
pub(crate) fn show_output(state: &mut State) {
    let chosen = state
        .proof
        .chosen_check()
        .map(|(check, _)| check.run.clone());
    let running = state.proof.at_work.as_ref().map(|(line, _)| line.clone());
    match chosen.filter(|run| has_output(state, run)).or(running) {
        Some(run) => state.overlay = Some(Overlay::CheckOutput { run, top: None }),
        None => state.say("not run yet; r runs it"),
    }
}

pub(crate) fn has_output(state: &State, run: &str) -> bool {
    state.proof.outputs.contains_key(run)
}

/// Takes which commands there are; what is kept of runs elsewhere or before is there to be read.
pub(crate) fn known(state: &mut State, mut checks: ProjectChecks) {
    for (check, read) in &mut checks.all {
        let known = (state.proof.checks.all.iter()).find(|(c, _)| c.run == check.run);
        let known = known.and_then(|(_, run)| run.clone());
        let ended = |run: &Option<CheckRun>| run.as_ref().map(|run| run.ended);
        if ended(&known) > ended(read) {
            // It ended here while the others were read.
            *read = known;
        } else if let Some(run) = read
            && ended(&known) < Some(run.ended)
        {
            let output = OutputLines::stored(run);
            state.proof.outputs.insert(run.run.clone(), output);
        }
    }
    if let Some(trouble) = &checks.trouble
        && state.proof.checks.trouble.as_ref() != Some(trouble)
    {
        state.complain(trouble.clone());
    }
    // The cursor stays on its finding when commands come or go above it.
    let (before, after) = (state.proof.checks.all.len(), checks.all.len());
    let cursor = &mut state.proof.list.chosen;
    if *cursor >= before {
        *cursor = *cursor - before + after;
    }
    state.proof.checks = checks;
}

fn name_of(state: &State, line: &str) -> String {
    let known = state
        .proof
        .checks
        .all
        .iter()
        .find(|(check, _)| check.run == line);
    known.map_or(line, |(check, _)| &check.name).to_owned()
}

fn go_to_check(state: &mut State, line: &str) {
    let all = &state.proof.checks.all;
    if let Some(nth) = all.iter().position(|(check, _)| check.run == line) {
        state.proof.list.chosen = nth;
    }
}

pub(crate) fn began(state: &mut State, line: String) {
    if state.proof.chosen_check().is_some() {
        go_to_check(state, &line);
    }
    state
        .proof
        .outputs
        .insert(line.clone(), OutputLines::default());
    let name = name_of(state, &line);
    state.say(format!(
        "{name} is running; x stops it, o shows all it prints"
    ));
    state.proof.at_work = Some((line, state.now));
}

pub(crate) fn said(state: &mut State, line: String, lines: OutputLines) {
    state.proof.outputs.entry(line).or_default().extend(lines);
}

pub(crate) fn ended(state: &mut State, line: &str, result: Result<CheckRun, String>) {
    state.proof.at_work = None;
    let name = name_of(state, line);
    let run = match result {
        Ok(run) => run,
        Err(why) => return state.complain(format!("{name}: {why}")),
    };
    match run.code {
        Some(0) => state.say(format!("{name}: passed")),
        Some(code) => state.complain(format!(
            "{name}: failed with exit code {code}; o shows what it printed"
        )),
        None => state.say(format!("{name}: stopped")),
    }
    for (check, last) in &mut state.proof.checks.all {
        if check.run == line {
            *last = Some(run.clone());
        }
    }
}
