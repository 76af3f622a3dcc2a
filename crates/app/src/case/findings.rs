//! What Proof says of cases that are not staged: each open conflict with its line.
//!
//! git's index knows only that a path is unmerged; which conflicts are still open
//! is known here.

use crate::base::safe_text::count;
use crate::case::opened::OpenedFile;
use armistice_core::{Check, Finding};
use armistice_git::{PathFinding, Proof, RepoPath, Situation};

/// Puts, for each unstaged case with lines, its open conflicts in the place of the one finding;
/// `open` finds the opened file of a path, `is_decided` tells whether one without lines is decided.
pub fn detail<'a>(
    proof: Proof,
    open: impl Fn(&RepoPath) -> Option<&'a OpenedFile>,
    is_decided: impl Fn(&RepoPath) -> bool,
) -> Proof {
    let mut findings = Vec::with_capacity(proof.findings.len());
    for item in proof.findings {
        let file = match item.finding.check {
            Check::Open => open(&item.path),
            _ => None,
        };
        match file {
            Some(file) => findings.extend(of_file(file, &item)),
            None if item.finding.check == Check::Open && is_decided(&item.path) => {
                findings.push(PathFinding {
                    finding: unwritten(),
                    ..item
                });
            }
            None => findings.push(item),
        }
    }
    Proof { findings, ..proof }
}

fn unwritten() -> Finding {
    Finding::new(
        Check::Unwritten,
        None,
        "settled, but not written and staged yet",
    )
}

/// How many conflicts rules settled while git merged, in words; nothing if there is none.
pub fn settled_while_merging(situation: &Situation) -> Option<String> {
    let n = situation.settled_while_merging();
    let conflicts = count(n, "conflict");
    (n > 0).then(|| match situation.driven_is_committed {
        true => format!("{conflicts} settled by rule while git made this commit"),
        false => format!("{conflicts} settled by rule while merging"),
    })
}

/// What git did before the conflict where it merges several branches at once; nothing elsewhere.
pub fn several_at_once(situation: &Situation) -> Option<String> {
    let before = &situation.merged_before;
    let last = &situation.theirs.label;
    (!before.is_empty()).then(|| {
        let names = before.join(", ");
        format!("git merged {names} already, {last} comes last")
    })
}

fn of_file(open: &OpenedFile, item: &PathFinding) -> Vec<PathFinding> {
    let finding = |check, line, what: String| PathFinding {
        path: item.path.clone(),
        finding: Finding::new(check, line, what),
    };
    let all = open.plan().conflicts().len();
    let open_conflicts = open.draft().open().filter_map(|id| {
        let conflict = open.plan().conflict_of(id)?;
        let why = open
            .causes
            .get(conflict.0 as usize)
            .map_or("", String::as_str);
        let line = open.draft().lines_of(id).start;
        Some(finding(
            Check::Open,
            Some(line),
            format!("conflict {conflict} of {all} is open: {why}"),
        ))
    });
    let findings: Vec<_> = open_conflicts.collect();
    match findings.is_empty() {
        true => vec![PathFinding {
            path: item.path.clone(),
            finding: unwritten(),
        }],
        false => findings,
    }
}
