//! Scout: choosing whom to meet, looking what would happen, looking into files, beginning.

use crate::base::commands::{Command, Tab};
use crate::base::editor::Motion;
use crate::base::safe_text::count;
use crate::case::drawings::Drawing;
use crate::case::foresee::{Forecast, Question};
use crate::state::app::State;
use crate::state::effect::{Effect, FileId};
use crate::state::file::FileLoad;
use crate::state::overlay::{Other, Overlay, Question as Ask};
use crate::state::scout::{ScoutFocus, ScoutReading};
use crate::update::files::show_file;
use crate::update::loading::loads;
use crate::update::moving::{in_list, show};
use crate::update::who;
use crate::view::scout::{ForecastRow, forecast_rows, is_under_way};
use armistice_core::Side;
use armistice_git::{Begun, Counterpart, Interrupted, RepoPath, Undertaking};
use ratatui::crossterm::event::{KeyCode, KeyEvent};
use std::sync::Arc;

/// Asks whom the current branch could meet, if nothing is in progress.
pub(crate) fn read(state: &mut State) -> Vec<Effect> {
    if is_under_way(state) || state.scout.reading == ScoutReading::Reading {
        return Vec::new();
    }
    state.scout.reading = ScoutReading::Reading;
    // Whoever tried something out sees what is left of it.
    if state.situation.foreseen.is_some() {
        state.scout.asked = None;
    }
    vec![Effect::ReadScout]
}

/// The counterparts are read: the most likely one is looked at.
pub(crate) fn known(state: &mut State, read: Result<Vec<Counterpart>, String>) -> Vec<Effect> {
    let here = state.scout.chosen().map(|chosen| chosen.name.clone());
    match read {
        Ok(all) => {
            state.scout.all = all;
            state.scout.reading = ScoutReading::Known;
        }
        Err(why) => {
            state.scout.reading = ScoutReading::Failed(why);
            return Vec::new();
        }
    }
    let wanted = state.scout.wanted.take();
    if let Some(name) = wanted.clone().or(here) {
        let shown = state.scout.shown_counterparts();
        match shown.iter().position(|one| one.name == name) {
            Some(at) => state.scout.list.chosen = at,
            None if wanted.is_some() => return vec![Effect::NameCounterpart(name)],
            None => state.scout.list.chosen = 0,
        }
    }
    look(state)
}

/// What was typed names a commit, or not.
pub(crate) fn named(
    state: &mut State,
    name: &str,
    found: Result<Option<Counterpart>, String>,
) -> Vec<Effect> {
    match found {
        Ok(Some(found)) => {
            state.scout.typed.clear();
            state.scout.all.retain(|one| one.name != found.name);
            state.scout.all.insert(0, found);
            state.scout.list.chosen = 0;
            look(state)
        }
        Ok(None) => {
            state.complain(format!("'{name}' is not a branch, tag or commit"));
            look(state)
        }
        Err(why) => {
            state.complain(why);
            Vec::new()
        }
    }
}

/// Looks at the counterpart at the cursor, unless that was looked at already.
fn look(state: &mut State) -> Vec<Effect> {
    let Some(question) = state.scout.question() else {
        state.scout.forecast = None;
        return Vec::new();
    };
    let is_known = state.scout.asked.as_ref() == Some(&question) && state.scout.failed.is_none();
    if is_known && (state.scout.looking || state.scout.forecast.is_some()) {
        return Vec::new();
    }
    ask(state, question)
}

fn ask(state: &mut State, question: Question) -> Vec<Effect> {
    let is_same = |forecast: &Arc<Forecast>| forecast.question == question;
    if !state.scout.forecast.as_ref().is_some_and(is_same) {
        state.scout.forecast = None;
        (state.scout.rows.chosen, state.scout.rows.top) = (0, 0);
    }
    state.scout.asked = Some(question.clone());
    state.scout.looking = true;
    state.scout.failed = None;
    vec![Effect::Foresee(question)]
}

/// Something is known of what was asked.
pub(crate) fn foreseen(
    state: &mut State,
    question: &Question,
    result: Result<Box<Forecast>, String>,
    is_all: bool,
) -> Vec<Effect> {
    // Somebody has gone on to something else meanwhile.
    if state.scout.asked.as_ref() != Some(question) {
        return Vec::new();
    }
    state.scout.looking = !is_all;
    match result {
        Ok(forecast) => {
            state.scout.forecast = Some(Arc::new(*forecast));
            to_something(state);
        }
        Err(why) => {
            state.scout.failed = Some(why);
            state.scout.looking = false;
        }
    }
    Vec::new()
}

/// The cursor of the forecast stands on something that can be looked into.
fn to_something(state: &mut State) {
    let rows = forecast_rows(state);
    let chosen = state.scout.rows.chosen;
    if !rows.get(chosen).is_some_and(ForecastRow::is_chosen_at_all) {
        let first = rows.iter().position(ForecastRow::is_chosen_at_all);
        state.scout.rows.chosen = first.unwrap_or(0);
    }
}

pub(crate) fn run(state: &mut State, command: Command) -> Vec<Effect> {
    if is_under_way(state) {
        if command == Command::Back {
            state.tab = Tab::Docket;
        } else {
            state.say("an operation is in progress: conclude or abort it first (6)");
        }
        return Vec::new();
    }
    match command {
        Command::Move(motion) => return go(state, motion),
        Command::SwitchList => switch(state),
        Command::ShowWho => return who::show(state),
        Command::NextAssumption => {
            state.scout.assumed = state.scout.assumed.other();
            return look(state);
        }
        Command::NextUndertaking => {
            let all = Undertaking::ALL;
            let here = all.iter().position(|one| *one == state.scout.undertaking);
            state.scout.undertaking = all[(here.unwrap_or(0) + 1) % all.len()];
            return look(state);
        }
        Command::Narrow => {
            state.scout.focus = ScoutFocus::Counterparts;
            state.overlay = Some(Overlay::Narrow);
        }
        Command::ShowMerged => {
            state.scout.clean_shown = !state.scout.clean_shown;
            to_something(state);
        }
        Command::Accept => return accept(state),
        Command::Begin => ask_to_begin(state),
        Command::Draw => return draw(state),
        Command::Back if state.scout.looking => {
            state.scout.looking = false;
            state.scout.asked = None;
            state.say("stopped looking; enter looks again");
            return vec![Effect::StopForeseeing];
        }
        Command::Back => state.scout.focus = ScoutFocus::Counterparts,
        _ => {}
    }
    Vec::new()
}

fn switch(state: &mut State) {
    state.scout.focus = match state.scout.focus {
        ScoutFocus::Counterparts => ScoutFocus::Forecast,
        ScoutFocus::Forecast => ScoutFocus::Counterparts,
    };
    to_something(state);
}

fn go(state: &mut State, motion: Motion) -> Vec<Effect> {
    match state.scout.focus {
        ScoutFocus::Counterparts => {
            let Some(last) = state.scout.shown_counterparts().len().checked_sub(1) else {
                return Vec::new();
            };
            if let Some(to) = in_list(state.scout.list.chosen, last, motion) {
                state.scout.list.chosen = to;
            }
            look(state)
        }
        ScoutFocus::Forecast => {
            let rows = forecast_rows(state);
            let can = |nth: &usize| rows[*nth].is_chosen_at_all();
            let all: Vec<usize> = (0..rows.len()).filter(can).collect();
            let here = all.iter().position(|nth| *nth == state.scout.rows.chosen);
            if let Some(last) = all.len().checked_sub(1)
                && let Some(to) = in_list(here.unwrap_or(0), last, motion)
            {
                state.scout.rows.chosen = all[to];
            }
            Vec::new()
        }
    }
}

/// A counterpart was clicked; a second click looks into what would happen.
pub(crate) fn click_counterpart(state: &mut State, nth: usize) -> Vec<Effect> {
    let again = state.scout.list.chosen == nth && state.scout.focus == ScoutFocus::Counterparts;
    state.scout.focus = ScoutFocus::Counterparts;
    if nth >= state.scout.shown_counterparts().len() {
        return Vec::new();
    }
    state.scout.list.chosen = nth;
    if again {
        return accept(state);
    }
    look(state)
}

/// A row of the forecast was clicked; a second click looks into it.
pub(crate) fn click_row(state: &mut State, nth: usize) -> Vec<Effect> {
    let rows = forecast_rows(state);
    if !rows.get(nth).is_some_and(ForecastRow::is_chosen_at_all) {
        return Vec::new();
    }
    let again = state.scout.rows.chosen == nth && state.scout.focus == ScoutFocus::Forecast;
    state.scout.focus = ScoutFocus::Forecast;
    state.scout.rows.chosen = nth;
    if again { accept(state) } else { Vec::new() }
}

fn accept(state: &mut State) -> Vec<Effect> {
    if state.scout.focus == ScoutFocus::Counterparts {
        if state.scout.forecast.is_none() && !state.scout.looking {
            return look(state);
        }
        switch(state);
        return Vec::new();
    }
    let rows = forecast_rows(state);
    let (Some(row), Some(forecast)) = (
        rows.get(state.scout.rows.chosen),
        state.scout.forecast.clone(),
    ) else {
        return Vec::new();
    };
    match row {
        ForecastRow::Step(nth) => {
            let first = forecast.steps[*nth]
                .files
                .first()
                .map(|file| file.path.clone());
            match first {
                Some(path) => look_into(state, &forecast, *nth, path, None),
                None => {
                    state.say("this step has no conflict");
                    Vec::new()
                }
            }
        }
        ForecastRow::File(step, file) => {
            let path = forecast.steps[*step].files[*file].path.clone();
            look_into(state, &forecast, *step, path, None)
        }
        ForecastRow::Clean(step, nth) => {
            let clean = &forecast.steps[*step].clean.files[*nth];
            look_into(state, &forecast, *step, clean.case.path.clone(), Some(*nth))
        }
        ForecastRow::Words(_) | ForecastRow::Finding(_) => Vec::new(),
    }
}

/// Shows a foreseen step on the other screens, and a file of it in Parley.
fn look_into(
    state: &mut State,
    forecast: &Forecast,
    nth: usize,
    path: RepoPath,
    clean: Option<usize>,
) -> Vec<Effect> {
    let step = &forecast.steps[nth];
    let here = (forecast.question.clone(), nth);
    let is_case = |state: &State| state.files.iter().any(|file| file.case.path == path);
    let is_shown = state.scout.shown.as_ref() == Some(&here) && state.situation.foreseen.is_some();
    let mut effects = Vec::new();
    if !is_shown || !is_case(state) {
        let mut situation = (*step.situation).clone();
        if is_shown {
            situation.cases.clone_from(&state.situation.cases);
        }
        if let Some(clean) = clean.filter(|_| !situation.cases.iter().any(|case| case.path == path))
        {
            situation.cases.push(step.clean.files[clean].case.clone());
            situation.cases.sort_by(|a, b| a.path.cmp(&b.path));
        }
        state.situate(situation);
        state.scout.shown = Some(here);
        let waits = state
            .ids()
            .filter(|(_, file)| matches!(file.load, FileLoad::Waiting));
        effects = loads(waits.map(|(at, _)| at).collect());
    }
    state.scout.opening = Some(path);
    effects.extend(opened(state));
    effects
}

/// Shows the file that was to be looked into, once it is read.
pub(crate) fn opened(state: &mut State) -> Vec<Effect> {
    let Some(path) = state.scout.opening.clone() else {
        return Vec::new();
    };
    let at = state.ids().find(|(_, file)| file.case.path == path);
    let Some(at) = at.map(|(at, _)| at) else {
        state.scout.opening = None;
        return Vec::new();
    };
    if matches!(state[at].load, FileLoad::Waiting) {
        return Vec::new();
    }
    state.scout.opening = None;
    state.docket.chosen = at.0;
    let effects = show_file(state, at);
    if state.tab == Tab::Scout {
        // What has no lines is looked at on Docket.
        state.tab = Tab::Docket;
    } else {
        to_first_open(state, at);
        state.say("a forecast to try out: decisions are kept for the real operation · 1 goes back");
    }
    effects
}

fn to_first_open(state: &mut State, at: FileId) {
    let Some(open) = state[at].open_mut() else {
        return;
    };
    let first = open.draft().open().next();
    if let Some(first) = first {
        show(open, first);
    }
}

fn ask_to_begin(state: &mut State) {
    let (Some(question), Some(forecast)) = (state.scout.question(), state.scout.forecast.clone())
    else {
        state.say("no forecast yet");
        return;
    };
    let seen = forecast.meeting.ours.oid.clone();
    let mut lines = vec![format!("Runs: {}", question.command())];
    if let Some(why) = &forecast.refused {
        lines.push(format!("git would refuse: {why}."));
    }
    let obstacles = &forecast.obstacles;
    if let Some(first) = obstacles.refused.first() {
        let others = match obstacles.refused.len() {
            1 => String::new(),
            n => format!(" and {} more", n - 1),
        };
        lines.push(format!(
            "git refuses to begin: {first}{others} is in the way."
        ));
    }
    lines.extend(forecast.notes.iter().cloned());
    for (step, path) in &obstacles.later {
        lines.push(format!(
            "git stops at step {step}: the untracked file {path} is in the way."
        ));
    }
    if !obstacles.overwritten.is_empty() {
        let files = count(obstacles.overwritten.len(), "ignored file");
        lines.push(format!("git overwrites {files} without asking:"));
        lines.extend(obstacles.overwritten.iter().map(|path| format!("  {path}")));
    }
    lines.push(
        "Hooks run as usual. Conflicts are listed on Docket; abort on Accord restores exactly this state.".to_owned(),
    );
    let keep = obstacles.overwritten.clone();
    let begin = |keep: Vec<RepoPath>| Effect::Begin {
        question: question.clone(),
        seen: Some(seen.clone()),
        keep,
    };
    let without_copies = (!keep.is_empty()).then(|| Other {
        key: "w",
        label: "begin without copies".to_owned(),
        effect: begin(Vec::new()),
    });
    state.overlay = Some(Overlay::Question(Box::new(Ask {
        title: format!("{} {}?", question.undertaking.name(), question.name),
        lines,
        yes: match keep.len() {
            0 => "begin".to_owned(),
            n => format!("keep {} in the git folder, then begin", copies(n)),
        },
        effects: vec![begin(keep)],
        other: without_copies,
        ..Ask::default()
    })));
}

fn copies(n: usize) -> String {
    match n {
        1 => "1 copy".to_owned(),
        n => format!("{n} copies"),
    }
}

/// A command was interrupted and git left half of it: asks whether to restore the state before it.
pub fn ask_to_undo(state: &mut State, torn: &Interrupted) {
    let (command, n) = (&torn.command, count(torn.files.len(), "file"));
    let mut lines = match torn.is_ending {
        false => vec![
            format!("'{command}' was interrupted: {n} changed, and no operation is in progress."),
            "Undo restores the index and these files. Their current contents are copied aside first. Then S on Scout can begin again.".to_owned(),
        ],
        true => vec![
            format!("'{command}' was interrupted: git did only part of it, and {n} changed."),
            "Undo restores the commit that was checked out, git's notes on the operation, the index and these files. Their current contents are copied aside first. Then it can be concluded again.".to_owned(),
        ],
    };
    lines.extend(torn.files.iter().map(|path| format!("  {path}")));
    // What git said is more than that it was interrupted.
    if let Some(Overlay::Output { lines: said, .. }) = state.overlay.take()
        && !said.is_empty()
    {
        lines.push("git said:".to_owned());
        lines.extend(said.iter().map(|line| format!("  {line}")));
    }
    state.overlay = Some(Overlay::Question(Box::new(Ask {
        title: "Undo the interrupted command?".to_owned(),
        lines,
        yes: "restore the state before it".to_owned(),
        effects: vec![Effect::UndoInterrupted],
        ..Ask::default()
    })));
}

/// What an interrupted command left is undone, or not.
pub(crate) fn undone(state: &mut State, result: Result<usize, String>) -> Vec<Effect> {
    match result {
        Ok(n) => {
            state.drop_marker_report();
            let files = count(n, "file");
            state.say(format!("{files} restored; copies are in the git folder"));
        }
        Err(why) => state.complain(why),
    }
    vec![Effect::ReadSituation]
}

/// git has begun, done or refused it.
pub(crate) fn begun(
    state: &mut State,
    question: &Question,
    result: Result<Begun, String>,
) -> Vec<Effect> {
    let begun = match result {
        Ok(begun) => begun,
        Err(why) => {
            state.complain(why);
            return vec![Effect::ReadSituation];
        }
    };
    state.scout.asked = None;
    state.scout.forecast = None;
    state.scout.shown = None;
    match (begun.under_way, begun.done) {
        (true, _) => {
            state.docket.moved = false;
            let text = "git stopped at conflicts; your trial decisions are applied";
            let text = format!("{}: {text}", question.command());
            state.scout.landing = Some((Tab::Docket, text));
        }
        (false, true) => {
            let back = begun.before.as_deref().map_or(String::new(), |before| {
                let short = before.get(..7).unwrap_or(before);
                format!(" · git reset --keep {short} undoes it")
            });
            let text = format!("{}: done without a conflict{back}", question.command());
            state.scout.landing = Some((Tab::Accord, text));
        }
        (false, false) => {
            let said = match begun.unchanged {
                true => "git refused; nothing has changed",
                false => "git refused but changed files",
            };
            state.complain(said);
            state.overlay = Some(Overlay::Output {
                title: said.to_owned(),
                lines: begun.message.lines().map(str::to_owned).collect(),
                top: 0,
            });
        }
    }
    vec![Effect::ReadSituation, Effect::ReadLog]
}

fn draw(state: &mut State) -> Vec<Effect> {
    let Some(forecast) = &state.scout.forecast else {
        state.say("no forecast yet");
        return Vec::new();
    };
    let lines = Box::new(forecast.meeting.lines.clone());
    let names = [
        state.label(Side::Ours).to_owned(),
        forecast.question.name.clone(),
    ];
    vec![Effect::Draw(vec![Drawing::Lines(lines, names)])]
}

/// A key while a counterpart is looked for.
pub(crate) fn narrow_key(state: &mut State, key: &KeyEvent, name: &str) -> Vec<Effect> {
    match name {
        "esc" => {
            state.scout.typed.clear();
            state.overlay = None;
        }
        "enter" => {
            state.overlay = None;
            let typed = state.scout.typed.clone();
            if state.scout.shown_counterparts().is_empty() && !typed.is_empty() {
                state.scout.typed.clear();
                return vec![Effect::NameCounterpart(typed)];
            }
        }
        "backspace" => {
            state.scout.typed.pop();
        }
        "down" => return go(state, Motion::Down),
        "up" => return go(state, Motion::Up),
        name => {
            if let KeyCode::Char(c) = key.code
                && !name.starts_with("ctrl-")
            {
                state.scout.typed.push(c);
                state.scout.list.chosen = 0;
            }
        }
    }
    let last = state.scout.shown_counterparts().len().saturating_sub(1);
    state.scout.list.chosen = state.scout.list.chosen.min(last);
    // While letters come nothing is looked at: who has found what they look for presses enter.
    match state.overlay {
        None => look(state),
        Some(_) => Vec::new(),
    }
}
