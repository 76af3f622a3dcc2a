//! Keys and clicks in help, Ask, questions and the output of git.

use crate::base::commands::Command;
use crate::base::commands::Tab;
use crate::state::app::State;
use crate::state::effect::Effect;
use crate::state::overlay::{Answer, Overlay};
use crate::update::{accord, bulk, checks, files, rulings, scout, searching, terrain};
use crate::view::areas::{Screen, output_rows};
use crate::view::ask::matches;
use crate::view::questions::question_areas;
use ratatui::crossterm::event::{KeyCode, KeyEvent};

/// Shows the message in full.
pub(crate) fn show_message(state: &mut State) {
    if state.message.text.is_empty() {
        state.say("no message");
        return;
    }
    state.overlay = Some(Overlay::Output {
        title: "full message".to_owned(),
        lines: state.message.text.split(" · ").map(str::to_owned).collect(),
        top: 0,
    });
}

pub(crate) fn open(state: &mut State, command: Command) {
    state.overlay = Some(match command {
        Command::Ask => Overlay::Ask {
            typed: String::new(),
            chosen: 0,
        },
        _ => Overlay::Help { top: 0, find: None },
    });
}

/// What came of a key.
pub(crate) enum Pressed {
    /// It was for what stands in front of the screen.
    Done(Vec<Effect>),
    /// This command was chosen.
    Run(Command),
}

pub(crate) fn key(state: &mut State, key: &KeyEvent, name: &str) -> Pressed {
    match &mut state.overlay {
        Some(Overlay::Ask { .. }) => return ask_key(state, key, name),
        Some(Overlay::Question(question)) => {
            let is_other = question
                .other
                .as_ref()
                .is_some_and(|other| other.key == name);
            return Pressed::Done(match name {
                "enter" | "y" => answer(state, Answer::Yes),
                "esc" | "n" | "q" => answer(state, Answer::No),
                _ if is_other => answer(state, Answer::Other),
                "down" | "up" | "pagedown" | "pageup" | "home" | "end" => {
                    scroll_question(state, name);
                    Vec::new()
                }
                _ => Vec::new(),
            });
        }
        Some(Overlay::Seek { .. }) => searching::key(state, key, name),
        Some(Overlay::Jump { .. }) => terrain::list_key(state, key, name),
        Some(Overlay::Narrow) if state.tab == Tab::Scout => {
            return Pressed::Done(scout::narrow_key(state, key, name));
        }
        Some(Overlay::Narrow) => {
            let typed = match key.code {
                KeyCode::Char(c) if !name.starts_with("ctrl-") => Some(c),
                _ => None,
            };
            if !bulk::narrow_key(state, name, typed) {
                state.overlay = None;
            }
        }
        Some(Overlay::CheckOutput { run, top }) => {
            let run = run.clone();
            let lines = state.proof.outputs.get(&run).map_or(0, |o| o.lines.len());
            let scrolled = scroll(*top, name, lines, output_rows(&Screen::new(state)));
            match (scrolled, &mut state.overlay, name) {
                (_, _, "x") => return Pressed::Done(checks::stop(state)),
                (Some(scrolled), Some(Overlay::CheckOutput { top, .. }), _) => *top = scrolled,
                _ => state.overlay = None,
            }
        }
        Some(Overlay::Help { top, find }) if name == "/" && find.is_none() => {
            (*top, *find) = (0, Some(String::new()));
        }
        Some(Overlay::Help {
            top,
            find: Some(typed),
        }) if !matches!(
            name,
            "down" | "up" | "pagedown" | "pageup" | "enter" | "esc"
        ) =>
        {
            *top = 0;
            match key.code {
                KeyCode::Backspace => drop(typed.pop()),
                KeyCode::Char(c) if !name.starts_with("ctrl-") => typed.push(c),
                _ => {}
            }
        }
        Some(Overlay::Help { top, .. } | Overlay::Output { top, .. }) => match name {
            "down" | "j" => *top += 1,
            "up" | "k" => *top = top.saturating_sub(1),
            "pagedown" | "space" => *top += 10,
            "pageup" => *top = top.saturating_sub(10),
            _ => state.overlay = None,
        },
        None => {}
    }
    Pressed::Done(Vec::new())
}

/// The wheel over what stands in front of the screen.
pub(crate) fn turn(state: &mut State, down: bool, rows: usize) {
    let screen_rows = output_rows(&Screen::new(state));
    if let Some(Overlay::Question(_)) = &state.overlay {
        for _ in 0..rows {
            scroll_question(state, if down { "down" } else { "up" });
        }
    }
    match &mut state.overlay {
        Some(Overlay::Help { top, .. } | Overlay::Output { top, .. }) if down => *top += rows,
        Some(Overlay::Help { top, .. } | Overlay::Output { top, .. }) => {
            *top = top.saturating_sub(rows);
        }
        Some(Overlay::CheckOutput { run, top }) => {
            let lines = state.proof.outputs.get(run).map_or(0, |o| o.lines.len());
            for _ in 0..rows {
                let key = if down { "down" } else { "up" };
                *top = scroll(*top, key, lines, screen_rows).flatten();
            }
        }
        _ => {}
    }
}

/// Scrolls the lines of a question that do not all fit.
fn scroll_question(state: &mut State, name: &str) {
    let Some(Overlay::Question(question)) = &state.overlay else {
        return;
    };
    let areas = question_areas(&Screen::new(state), question);
    let rows = areas.rows.max(1);
    let last = areas.lines.len().saturating_sub(rows);
    let Some(Overlay::Question(question)) = &mut state.overlay else {
        return;
    };
    question.top = match name {
        "down" => question.top + 1,
        "up" => question.top.saturating_sub(1),
        "pagedown" => question.top + rows,
        "pageup" => question.top.saturating_sub(rows),
        "end" => last,
        _ => 0,
    }
    .min(last);
}

/// Where output that may still grow is scrolled to; nothing if the key is for something else.
fn scroll(top: Option<usize>, key: &str, lines: usize, rows: usize) -> Option<Option<usize>> {
    let last = lines.saturating_sub(rows);
    let from = top.unwrap_or(last).min(last);
    let to = match key {
        "down" | "j" => from + 1,
        "up" | "k" => from.saturating_sub(1),
        "pagedown" | "space" => from + rows,
        "pageup" => from.saturating_sub(rows),
        "home" | "g" => 0,
        "end" | "G" => last,
        _ => return None,
    };
    // At the end it follows what comes.
    Some((to < last).then_some(to))
}

pub(crate) fn answer(state: &mut State, answer: Answer) -> Vec<Effect> {
    let Some(Overlay::Question(question)) = state.overlay.take() else {
        return Vec::new();
    };
    match answer {
        Answer::Yes => {}
        Answer::No => {
            state.say("nothing was done");
            return Vec::new();
        }
        Answer::Other => {
            let other = question.other.map(|other| other.effect);
            return other.map_or_else(Vec::new, |effect| accord::start(state, effect));
        }
    }
    if let Some(then) = question.then {
        state.overlay = Some(Overlay::Question(then));
        return Vec::new();
    }
    if let Some(at) = question.writes {
        return files::finish_as(state, at, true);
    }
    for effect in &question.effects {
        if let Effect::WriteMany(jobs) = effect {
            jobs.iter().for_each(|(at, _)| state[*at].writing = true);
        }
    }
    if let Some(settles) = question.settles {
        let mut effects = rulings::settle_all(state, settles);
        effects.extend(question.effects);
        return effects;
    }
    let effects = question.effects.into_iter();
    effects
        .flat_map(|effect| accord::start(state, effect))
        .collect()
}

fn ask_key(state: &mut State, key: &KeyEvent, name: &str) -> Pressed {
    let Some(Overlay::Ask { typed, chosen }) = &mut state.overlay else {
        return Pressed::Done(Vec::new());
    };
    match name {
        "esc" => state.overlay = None,
        "enter" => {
            let (typed, chosen) = (std::mem::take(typed), *chosen);
            state.overlay = None;
            let found = matches(state, &typed).get(chosen).map(|b| b.command);
            return found.map_or(Pressed::Done(Vec::new()), Pressed::Run);
        }
        "down" => *chosen += 1,
        "up" => *chosen = chosen.saturating_sub(1),
        "backspace" => {
            typed.pop();
            *chosen = 0;
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
    let typed = match &state.overlay {
        Some(Overlay::Ask { typed, .. }) => typed.clone(),
        _ => return Pressed::Done(Vec::new()),
    };
    let last = matches(state, &typed).len().saturating_sub(1);
    if let Some(Overlay::Ask { chosen, .. }) = &mut state.overlay {
        *chosen = (*chosen).min(last);
    }
    Pressed::Done(Vec::new())
}
