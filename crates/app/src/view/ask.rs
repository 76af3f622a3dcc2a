//! The actions that match what was typed into Ask.

use crate::base::commands::Command;
use crate::base::keymap::{Binding, rows_for};
use crate::state::app::State;
use nucleo_matcher::pattern::{CaseMatching, Normalization, Pattern};
use nucleo_matcher::{Config, Matcher, Utf32Str};

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
