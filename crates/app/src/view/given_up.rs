//! What decisions gave up, line by line, and what a whole-file outcome would give up, in words.

use crate::base::safe_text::count;
use crate::state::app::State;
use crate::state::effect::FileId;
use crate::state::file::FileLoad;
use armistice_core::{GivenUp, LineChange, LineCounts, Side, Version};
use armistice_git::FileOutcome;

/// What a whole-file outcome would give up, one line a side.
pub fn given_up(state: &State, at: FileId, outcome: FileOutcome) -> Vec<String> {
    let file = &state[at];
    let loses = |side: Side| match outcome {
        FileOutcome::Ours => side == Side::Theirs,
        FileOutcome::Theirs => side == Side::Ours,
        FileOutcome::Base => true,
        FileOutcome::Remove => file.case.stages.all()[Version::from(side) as usize].is_some(),
    };
    let sides = Side::BOTH.into_iter().filter(|side| loses(*side));
    sides
        .map(|side| {
            format!(
                "gives up what {} did: {}",
                Version::from(side).name(),
                work_of(&file.load, side)
            )
        })
        .collect()
}

/// What one side did to the whole file, in words.
fn work_of(load: &FileLoad, side: Side) -> String {
    let describe = |changes: LineCounts| {
        let LineCounts { added, removed } = changes;
        format!("{} added, {removed} removed", count(added, "line"))
    };
    match load {
        FileLoad::Lines(open) => describe(open.plan().changes()[side]),
        FileLoad::Whole(whole) => match (whole.sizes[side], whole.changes) {
            (None, _) => "its removal of the file".to_owned(),
            (Some(_), Some(changes)) => describe(changes[side]),
            (Some(size), None) => format!("a version of {}", count(size, "byte")),
        },
        FileLoad::Waiting | FileLoad::Failed(_) => "not read".to_owned(),
    }
}

/// Every line that decisions gave up, one block a decision.
pub fn given_up_lines(state: &State) -> Vec<String> {
    let mut out = Vec::new();
    for (at, report) in &state.proof.reports {
        let Some(file) = state.file(*at) else {
            continue;
        };
        for given_up in &report.given_up {
            out.extend(block(&file.case.path.to_string(), given_up));
        }
    }
    out
}

/// What one decision gave up, for a person.
pub fn block(path: &str, given_up: &GivenUp) -> Vec<String> {
    let place = match given_up.conflict {
        Some(n) => format!("conflict {n}"),
        None => "a change that was declined".to_owned(),
    };
    let mark = match given_up.side {
        Side::Ours => "▲",
        Side::Theirs => "▼",
    };
    let whose = Version::from(given_up.side).name();
    let mut lines = vec![format!("{path} · {place}, decided by {}", given_up.by)];
    lines.extend(given_up.lines.iter().map(|line| {
        let what = match line.change {
            LineChange::Added => "added",
            LineChange::Removed => "removed",
        };
        format!(
            "  {mark} {whose} {what} {:>5}  {}",
            line.line.number(),
            line.text
        )
    }));
    let blank = (given_up.added + given_up.removed).saturating_sub(given_up.lines.len());
    if blank > 0 {
        lines.push(format!(
            "  {mark} and {} more, blank or too many to list",
            count(blank, "line")
        ));
    }
    lines
}
