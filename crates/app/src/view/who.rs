//! The commits behind what a card shows.

use crate::base::safe_text::{ago, visible};
use crate::case::card_lines::CardLine;
use crate::case::evidence::Card;
use crate::case::stakes::Stake;
use crate::state::file::{FileState, Who};
use armistice_core::{LineIdx, Side, Version};
use armistice_git::Commit;

/// The commits that made what the cards of a side show, newest first; of what clashes, where
/// anything does.
pub fn card_commits<'a>(file: &'a FileState, cards: &[Card], side: Side) -> Vec<&'a Commit> {
    let Who::Known(known) = &file.who else {
        return Vec::new();
    };
    let card = cards.iter().find(|card| card.party == Version::from(side));
    let Some(card) = card else {
        return Vec::new();
    };
    let clashes = card.lines.iter().any(|line| line.stake == Stake::Clash);
    let counts = |line: &&CardLine| match clashes {
        true => line.stake == Stake::Clash,
        false => line.stake != Stake::Kept,
    };
    let lines = || card.lines.iter().filter(counts);
    let at = |line: &CardLine| Some(LineIdx(line.number?.checked_sub(1)? as u32));
    let removed = |line: &&CardLine| line.sign == "−";
    let written = lines().filter(|line| !removed(line)).filter_map(at);
    let gone = lines().filter(removed).filter_map(at);
    known[side].of_lines(written, gone)
}

/// A commit in one line: what it is, who made it and when.
pub fn commit_line(commit: &Commit, now: i64) -> String {
    format!(
        "{} {} · {}, {}",
        commit.short,
        visible(&commit.subject),
        visible(&commit.author),
        ago(now, commit.time)
    )
}
