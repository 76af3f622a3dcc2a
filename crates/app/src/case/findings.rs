//! What Proof says of cases that are not staged: each open conflict with its line.
//!
//! git's index knows only that a path is unmerged; which conflicts are still open
//! is known here.

use crate::base::safe_text::count;
use crate::case::opened::OpenedFile;
use armistice_core::{Check, Finding};
use armistice_git::{MarkerFile, MarkerPlace, PathFinding, Proof, RepoPath, Situation};

/// Puts, for each unstaged case with lines, its open conflicts in the place of the one finding;
/// `open` finds the opened file of a path, `is_decided` tells whether one without lines is decided.
/// The files of `to_write_again` are staged, but decisions changed since they were written.
pub fn detail<'a>(
    proof: Proof,
    open: impl Fn(&RepoPath) -> Option<&'a OpenedFile>,
    is_decided: impl Fn(&RepoPath) -> bool,
    to_write_again: impl IntoIterator<Item = &'a RepoPath>,
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
    findings.extend(to_write_again.into_iter().map(|path| PathFinding {
        path: path.clone(),
        finding: Finding::new(
            Check::Unwritten,
            None,
            "a decision changed after the file was written: the index has the old result",
        ),
    }));
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

/// Which tracked files have conflict markers while no operation is in progress, and the ways out;
/// nothing if none has. Of several places the one that is nearest to the person is named.
pub fn marker_words(found: &[MarkerFile]) -> Option<String> {
    let place = found.iter().map(|file| file.place).max()?;
    let there: Vec<&MarkerFile> = found.iter().filter(|file| file.place == place).collect();
    let first = there.first()?;
    let files = count(there.len(), "file");
    let verb = if there.len() == 1 { "holds" } else { "hold" };
    let (path, line) = (&first.path, first.line.number());
    let at = format!("{path}:{line} first");
    let settle = format!("'armistice open {path}' settles them there");
    Some(match place {
        MarkerPlace::Earlier => {
            format!(
                "{files} {verb} conflicts with markers that were committed earlier, {at} · {settle}"
            )
        }
        MarkerPlace::Committed => format!(
            "{files} {verb} conflicts with markers that were committed, {at} · {settle}; 'git add' it, then 'git commit --amend' keeps all parents of the commit"
        ),
        MarkerPlace::Staged => format!(
            "{files} {verb} conflict markers that are staged, {at}, and no merge is in progress · {settle} · 'git restore --staged {path}' unstages them"
        ),
        MarkerPlace::WorkTree => format!(
            "{files} {verb} conflict markers in the working tree, {at}, and no merge is in progress · {settle}"
        ),
    })
}

/// What git did before the conflict where it merges several branches at once; nothing elsewhere.
pub fn several_at_once(situation: &Situation) -> Option<String> {
    let before = &situation.merged_before;
    let last = &situation.theirs.label;
    (!before.is_empty()).then(|| {
        let names = before.join(", ");
        format!("git already merged {names}; {last} is the last one")
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
