//! The rail and the key bar: what is on them, and where.

use crate::base::commands::{Command, Tab};
use crate::base::keymap::{Binding, rows_for};
use crate::case::checks::{failed, outstanding};
use crate::state::app::State;
use crate::view::gate::gate;
use crate::view::working::works;
use unicode_width::UnicodeWidthStr;

/// Where the first tab begins behind the program's name.
pub const BEHIND_NAME: u16 = 12;

/// The tabs of the rail: which, its text, and the columns it covers. Where there is little room the
/// program's name goes, then the counts.
pub fn rail_tabs(state: &State) -> Vec<(Tab, String, u16, u16)> {
    let ways = [
        (BEHIND_NAME, true, true),
        (0, false, true),
        (0, false, false),
    ];
    let laid_out = ways.map(|(from, wide, counts)| laid_out(state, from, wide, counts));
    let fits = |tabs: &&Vec<(Tab, String, u16, u16)>| {
        tabs.last().is_none_or(|(.., to)| *to <= state.size.0)
    };
    let found = laid_out.iter().find(fits).or(laid_out.last());
    found.cloned().unwrap_or_default()
}

fn laid_out(state: &State, from: u16, wide: bool, counts: bool) -> Vec<(Tab, String, u16, u16)> {
    let mut x = from;
    let tab = |tab: Tab| {
        let count = match counts {
            true => tab_count(state, tab),
            false => String::new(),
        };
        let gap = if count.is_empty() { "" } else { " " };
        let end = if wide { " " } else { "" };
        let text = format!(" {} {}{gap}{count}{end}", tab.key(), tab.name());
        let from = x;
        let to = x + text.width() as u16;
        x = to + u16::from(wide);
        (tab, text, from, to)
    };
    Tab::ALL.into_iter().map(tab).collect()
}

fn tab_count(state: &State, tab: Tab) -> String {
    match tab {
        Tab::Scout => match &state.scout.forecast {
            Some(forecast) if forecast.refused.is_none() => {
                let questions = forecast.weight().questions;
                if questions == 0 {
                    String::new()
                } else {
                    format!("{questions}?")
                }
            }
            _ => String::new(),
        },
        Tab::Docket if state.files.is_empty() => String::new(),
        Tab::Docket => {
            let (done, all) = state.files_done();
            format!("{done}/{all}")
        }
        Tab::Parley => match state.open_file() {
            Some(file) => {
                let counts = file.draft().counts();
                format!("{}/{}", counts.conflicts - counts.open, counts.conflicts)
            }
            None => String::new(),
        },
        Tab::Terrain => match state.terrain.moved() {
            0 => String::new(),
            n => n.to_string(),
        },
        // Where nothing is in progress nothing was looked at.
        Tab::Proof if !state.has_real_parties() => String::new(),
        Tab::Proof if state.proof.running => "…".to_owned(),
        Tab::Proof => match &state.proof.proof {
            Some(proof) => {
                let failed = failed(&state.proof.checks, &proof.stands);
                match proof.findings.len() + failed {
                    0 if !outstanding(&state.proof.checks, &proof.stands).is_empty() => {
                        "…".to_owned()
                    }
                    0 => "clean".to_owned(),
                    n => n.to_string(),
                }
            }
            None => String::new(),
        },
        Tab::Accord => match gate(state) {
            None => "ready".to_owned(),
            Some(_) => String::new(),
        },
    }
}

/// A key on the bar at the foot.
pub struct BarKey {
    pub key: &'static str,
    pub label: String,
    pub from: u16,
    pub to: u16,
    pub command: Command,
}

/// As many keys of the context as fit, most useful first; help and Ask always.
pub fn key_bar(state: &State, width: u16) -> Vec<BarKey> {
    let rows: Vec<_> = rows_for(state.context())
        .filter(|b| !b.label.is_empty() && works(state, b.command))
        .collect();
    let is_last = |c: Command| matches!(c, Command::Help | Command::Ask | Command::Quit);
    let words = state.party_words();
    let size = |b: &Binding| (b.keys[0].width() + words.put_into(b.label).width() + 3) as u16;
    let (last, first): (Vec<&Binding>, Vec<&Binding>) =
        rows.into_iter().partition(|b| is_last(b.command));
    let mut room = (width - 1).saturating_sub(last.iter().map(|b| size(b)).sum());
    let mut shown = Vec::new();
    for row in first {
        if size(row) > room {
            break;
        }
        room -= size(row);
        shown.push(row);
    }
    let mut x = 1;
    let bar = |b: &Binding| {
        let from = x;
        x += size(b);
        BarKey {
            key: b.keys[0],
            label: words.put_into(b.label),
            from,
            to: x - 2,
            command: b.command,
        }
    };
    shown.into_iter().chain(last).map(bar).collect()
}
