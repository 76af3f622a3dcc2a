//! What stands in front of the screen: help, Ask, questions, what git said.

use super::{accord, rulings, run};
use crate::action::{Command, Effect};
use crate::keymap::{Binding, rows_for};
use crate::state::{Overlay, State};
use nucleo_matcher::pattern::{CaseMatching, Normalization, Pattern};
use nucleo_matcher::{Config, Matcher, Utf32Str};
use ratatui::crossterm::event::{KeyCode, KeyEvent};

pub(super) fn open(state: &mut State, command: Command) {
    state.overlay = Some(match command {
        Command::Ask => Overlay::Ask {
            typed: String::new(),
            chosen: 0,
        },
        _ => Overlay::Help { top: 0 },
    });
}

pub(super) fn key(state: &mut State, key: &KeyEvent, name: &str) -> Vec<Effect> {
    match &mut state.overlay {
        Some(Overlay::Ask { .. }) => return ask_key(state, key, name),
        Some(Overlay::Question(_)) => {
            return match name {
                "enter" | "y" => answer(state, true),
                "esc" | "n" | "q" => answer(state, false),
                _ => Vec::new(),
            };
        }
        Some(Overlay::Help { top } | Overlay::Told { top, .. }) => match name {
            "down" | "j" => *top += 1,
            "up" | "k" => *top = top.saturating_sub(1),
            "pagedown" | "space" => *top += 10,
            "pageup" => *top = top.saturating_sub(10),
            _ => state.overlay = None,
        },
        None => {}
    }
    Vec::new()
}

pub(super) fn answer(state: &mut State, yes: bool) -> Vec<Effect> {
    let Some(Overlay::Question(question)) = state.overlay.take() else {
        return Vec::new();
    };
    if !yes {
        state.say("nothing was done");
        return Vec::new();
    }
    if !question.rulings.is_empty() {
        return rulings::settle_all(state, question.rulings);
    }
    let effects = question.effects.into_iter();
    effects
        .flat_map(|effect| accord::start(state, effect))
        .collect()
}

/// The actions that match what was typed, best first.
pub fn matches(state: &State, typed: &str) -> Vec<&'static Binding> {
    let rows = rows_for(state.context()).filter(|b| !matches!(b.command, Command::Ask));
    let pattern = Pattern::parse(typed, CaseMatching::Ignore, Normalization::Smart);
    let mut matcher = Matcher::new(Config::DEFAULT);
    let mut buffer = Vec::new();
    let mut scored: Vec<_> = rows
        .filter_map(|row| {
            let text = format!("{} {}", row.label, row.help);
            let score = pattern.score(Utf32Str::new(&text, &mut buffer), &mut matcher)?;
            Some((score, row))
        })
        .collect();
    scored.sort_by_key(|(score, _)| std::cmp::Reverse(*score));
    scored.into_iter().map(|(_, row)| row).collect()
}

fn ask_key(state: &mut State, key: &KeyEvent, name: &str) -> Vec<Effect> {
    let Some(Overlay::Ask { typed, chosen }) = &mut state.overlay else {
        return Vec::new();
    };
    match name {
        "esc" => state.overlay = None,
        "enter" => {
            let (typed, chosen) = (std::mem::take(typed), *chosen);
            state.overlay = None;
            let found = matches(state, &typed).get(chosen).map(|b| b.command);
            return found.map_or(Vec::new(), |command| run(state, command));
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
        _ => return Vec::new(),
    };
    let last = matches(state, &typed).len().saturating_sub(1);
    if let Some(Overlay::Ask { chosen, .. }) = &mut state.overlay {
        *chosen = (*chosen).min(last);
    }
    Vec::new()
}
