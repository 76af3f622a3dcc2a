//! What decisions gave up, line by line, and what a whole-file outcome would give up, in words.

use crate::base::safe_text::count;
use crate::case::load::edit_lines;
use crate::state::app::State;
use crate::state::effect::FileId;
use crate::state::file::FileLoad;
use armistice_core::{GivenUp, LineChange, LineCounts, Side, Version};
use armistice_git::{Case, CaseKind, FileOutcome, RepoPath};

/// What a whole-file outcome would give up, one line for each thing: a side's work, a name, a
/// folder.
pub fn given_up(state: &State, at: FileId, outcome: FileOutcome) -> Vec<String> {
    let file = &state[at];
    let case = &file.case;
    let mut lost: Vec<String> = Side::BOTH
        .into_iter()
        .filter(|side| loses(case, outcome, *side))
        .map(|side| {
            let name = Version::from(side).name();
            format!("discards from {name}: {}", work_of(&file.load, side))
        })
        .collect();
    let kept: Vec<&RepoPath> = match outcome {
        FileOutcome::Ours => vec![&case.targets[1]],
        FileOutcome::Theirs => vec![&case.targets[2]],
        FileOutcome::Base => vec![&case.targets[0]],
        FileOutcome::Both => case.targets[1..].iter().collect(),
        FileOutcome::OwnName => case.own_name().into_iter().collect(),
        FileOutcome::Remove => Vec::new(),
    };
    if outcome != FileOutcome::Remove && case.name_clash().is_some() {
        let names = case.name_clash().into_iter().flatten();
        lost.extend(
            names
                .filter(|name| !kept.contains(name))
                .map(|name| format!("discards the name {name}")),
        );
    }
    if let (FileLoad::Whole(whole), true) = (&file.load, outcome != FileOutcome::Remove)
        && let [first, ..] = &whole.folder[..]
    {
        let files = count(whole.folder.len(), "file");
        lost.push(format!(
            "removes the folder with that name: {files}, for example {first}"
        ));
    }
    if lost.is_empty() {
        lost.push("discards nothing".to_owned());
    }
    lost
}

/// A few words for an outcome of a case.
pub fn outcome_name(case: &Case, outcome: FileOutcome) -> &'static str {
    match (case.kind, outcome) {
        (CaseKind::FileAgainstFolder, FileOutcome::Ours) => "ours: the file",
        (CaseKind::FileAgainstFolder, FileOutcome::Theirs) => "theirs: the file",
        (CaseKind::FileAgainstFolder, FileOutcome::Remove) => "the folder: the file goes",
        (CaseKind::Suggested, FileOutcome::Ours) => "ours, in the folder's new place",
        (CaseKind::Suggested, FileOutcome::Theirs) => "theirs, in the folder's new place",
        (CaseKind::RenamedTwoWays, FileOutcome::Ours) => "ours, under its name",
        (CaseKind::RenamedTwoWays, FileOutcome::Theirs) => "theirs, under its name",
        _ => outcome.name(),
    }
}

/// Whether an outcome gives up what a side did.
fn loses(case: &Case, outcome: FileOutcome, side: Side) -> bool {
    let has = case.stages.all()[Version::from(side) as usize].is_some();
    // Who never had the file has done nothing to it.
    if !has && case.stages.base.is_none() {
        return false;
    }
    match outcome {
        FileOutcome::Ours => side == Side::Theirs,
        FileOutcome::Theirs => side == Side::Ours,
        FileOutcome::Base => true,
        FileOutcome::Remove => has,
        FileOutcome::Both | FileOutcome::OwnName => false,
    }
}

/// For each outcome the very lines that it would give up.
pub fn outcome_lines(state: &State, at: FileId) -> Vec<String> {
    let file = &state[at];
    let mut out = Vec::new();
    for outcome in file.case.outcomes() {
        out.push(format!("{}:", outcome_name(&file.case, outcome)));
        for said in given_up(state, at, outcome) {
            out.push(format!("  {said}"));
        }
        for side in Side::BOTH {
            if loses(&file.case, outcome, side) {
                let lines = work_lines(&file.load, side);
                out.extend(
                    lines
                        .iter()
                        .map(|line| format!("    {} {line}", mark(side))),
                );
            }
        }
        if let (FileLoad::Whole(whole), true) = (&file.load, outcome != FileOutcome::Remove) {
            out.extend(whole.folder.iter().map(|path| format!("    {path}")));
        }
        out.push(String::new());
    }
    out
}

/// What one side did to the whole file, line by line.
pub fn work_lines(load: &FileLoad, side: Side) -> Vec<String> {
    match load {
        FileLoad::Lines(open) => {
            let versions = open.plan().real_versions();
            edit_lines(&versions.base, versions.get(side.into()))
        }
        FileLoad::Whole(whole) => whole.edits[side].clone(),
        FileLoad::Waiting | FileLoad::Failed(_) => Vec::new(),
    }
}

fn mark(side: Side) -> &'static str {
    match side {
        Side::Ours => "▲",
        Side::Theirs => "▼",
    }
}

/// What one side did to the whole file, in words.
fn work_of(load: &FileLoad, side: Side) -> String {
    let describe = |changes: LineCounts| {
        let LineCounts { added, removed } = changes;
        format!("{} added, {removed} removed", count(added, "line"))
    };
    match load {
        FileLoad::Lines(open) => describe(open.plan().changes()[side]),
        FileLoad::Whole(whole) if !whole.commits[side].is_empty() => whole.commits[side].clone(),
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
        None => "a rejected change".to_owned(),
    };
    let mark = mark(given_up.side);
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
            "  {mark} and {} more (blank lines, or too many to list)",
            count(blank, "line")
        ));
    }
    lines
}
