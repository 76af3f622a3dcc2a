//! The lines of a result that no version has, for a person who checks them.

use crate::base::safe_text::count;
use crate::state::app::State;
use armistice_core::{MayChange, NewLine, Report};
use armistice_git::RepoPath;

/// Every line of all files that no version has: the riskiest kind first, then by file.
pub fn new_text_lines(state: &State) -> Vec<String> {
    let reports = state.proof.reports.iter().filter_map(|(at, report)| {
        let file = state.file(*at)?;
        Some((&file.case.path, report))
    });
    listed(reports)
}

/// How many there are.
pub fn new_text_count(state: &State) -> usize {
    let reports = state.proof.reports.iter();
    reports.map(|(_, report)| report.new_lines.len()).sum()
}

/// The new lines of some files under a heading for each kind.
pub fn listed<'a>(reports: impl Iterator<Item = (&'a RepoPath, &'a Report)>) -> Vec<String> {
    let of = |(path, report): (&'a RepoPath, &'a Report)| {
        report.new_lines.iter().map(move |new| (path, new))
    };
    let mut all: Vec<(&RepoPath, &NewLine)> = reports.flat_map(of).collect();
    all.sort_by_key(|(_, new)| new.may_change);
    let mut out = Vec::new();
    for run in all.chunk_by(|one, next| one.1.may_change == next.1.may_change) {
        if !out.is_empty() {
            out.push(String::new());
        }
        out.push(format!(
            "{}: {}",
            kind(run[0].1.may_change),
            count(run.len(), "line")
        ));
        let line = |(path, new): &(&RepoPath, &NewLine)| {
            format!("  {path}:{}  {}", new.line.number(), new.text)
        };
        out.extend(run.iter().map(line));
    }
    out
}

fn kind(may_change: MayChange) -> &'static str {
    match may_change {
        MayChange::Condition => "conditions",
        MayChange::Number => "numbers and units",
        MayChange::Command => "command lines",
        MayChange::Default => "defaults",
        MayChange::Visibility => "visibility",
        MayChange::Other => "everything else",
    }
}
