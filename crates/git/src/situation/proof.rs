//! The checks over all that is to be committed, before concluding.

use crate::case::contents::{Loaded, load_all, staged_contents};
use crate::case::kinds::whose_words;
use crate::case::one::{Case, IndexState};
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::objects::Oid;
use crate::repo::repository::Repository;
use crate::situation::read::Situation;
use crate::store::folders::hash;
use armistice_core::{Check, Finding, Inputs, Source, Weight, check};
use serde::Serialize;
use std::collections::HashSet;

/// A finding and where it is.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct PathFinding {
    /// In which file.
    pub path: RepoPath,
    /// What.
    #[serde(flatten)]
    pub finding: Finding,
}

/// The verdict over all that is to be committed.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Proof {
    /// All findings, by path.
    pub findings: Vec<PathFinding>,
    /// How many files were looked at.
    pub files: usize,
    /// What was staged then, as a hash; equal values mean that nothing else is staged since.
    #[serde(skip)]
    pub staged: String,
}

impl Proof {
    /// Findings that stand in the way.
    pub fn stops(&self) -> usize {
        let stops = |f: &&PathFinding| f.finding.weight == Weight::Stops;
        self.findings.iter().filter(stops).count()
    }
}

/// Checks everything in the index that the commit would bring.
///
/// Files that are the same as in either parent need no look: nothing was merged in them.
///
/// # Errors
/// If git fails.
pub fn prove(repo: &Repository, situation: &Situation) -> Result<Proof, Error> {
    // Taken first: what is staged while the checks run is not what they looked at.
    let mut proof = Proof {
        staged: staged_print(repo)?,
        ..Proof::default()
    };
    let seen: HashSet<_> = situation
        .cases
        .iter()
        .map(|case| case.path.clone())
        .collect();
    let staged: Vec<Case> = (situation.cases.iter())
        .filter(|case| case.standing == IndexState::Staged)
        .cloned()
        .collect();
    for case in &situation.cases {
        if case.standing == IndexState::Unmerged {
            proof.add(&case.path, vec![open_finding(case)]);
        }
    }
    let results = staged_contents(repo, &staged)?;
    let loaded = load_all(repo, &staged)?;
    for ((case, result), loaded) in staged.iter().zip(results).zip(loaded) {
        proof.add(&case.path, findings_of(result, &loaded));
    }
    let merged = merged_entries(repo, situation)?;
    let merged: Vec<_> = merged
        .into_iter()
        .filter(|(path, _)| !seen.contains(path))
        .collect();
    let oids: Vec<Oid> = merged.iter().map(|(_, oid)| oid.clone()).collect();
    for ((path, _), result) in merged.iter().zip(repo.contents(&oids)?) {
        if !result.is_binary() {
            let inputs = Inputs {
                result: &result,
                versions: None,
            };
            proof.add(path, check(&inputs));
        }
    }
    proof
        .findings
        .sort_by(|a, b| (&a.path, a.finding.line).cmp(&(&b.path, b.finding.line)));
    Ok(proof)
}

/// A hash of all that is staged against the commit that is checked out.
pub(crate) fn staged_print(repo: &Repository) -> Result<String, Error> {
    let call = match repo.resolve("HEAD")? {
        Some(head) => Invocation::read(["diff-index", "--cached", "-z", &head, "--"]),
        None => Invocation::read(["ls-files", "--stage", "-z"]),
    };
    Ok(hash(&repo.must(&call)?.stdout))
}

impl Proof {
    /// Puts findings about a file among the others.
    pub fn add_findings(&mut self, path: &RepoPath, findings: &[Finding]) {
        let at = |finding: &Finding| PathFinding {
            path: path.clone(),
            finding: finding.clone(),
        };
        self.findings.extend(findings.iter().map(at));
        self.findings
            .sort_by(|a, b| (&a.path, a.finding.line).cmp(&(&b.path, b.finding.line)));
    }

    fn add(&mut self, path: &RepoPath, findings: Vec<Finding>) {
        self.files += 1;
        let at = |finding| PathFinding {
            path: path.clone(),
            finding,
        };
        self.findings.extend(findings.into_iter().map(at));
    }
}

fn open_finding(case: &Case) -> Finding {
    let (ours, theirs) = whose_words(case.kind);
    let what = format!("not settled and staged yet: ours {ours}, theirs {theirs}");
    Finding::new(Check::Open, None, what)
}

/// What is found in a staged case; nothing in one without text: it was removed by decision, or is
/// a submodule.
fn findings_of(result: Option<Source>, loaded: &Loaded) -> Vec<Finding> {
    match result {
        Some(result) if !loaded.binary => check(&Inputs {
            result: &result,
            versions: Some(&loaded.versions),
        }),
        _ => Vec::new(),
    }
}

/// Index entries that differ from HEAD and from the incoming commit.
fn merged_entries(repo: &Repository, situation: &Situation) -> Result<Vec<(RepoPath, Oid)>, Error> {
    let empty_tree = || -> Result<String, Error> {
        Ok(repo
            .must(&Invocation::read(["hash-object", "-t", "tree", "--stdin"]))?
            .text())
    };
    let head = match repo.resolve("HEAD")? {
        Some(head) => head,
        None => empty_tree()?,
    };
    let mut entries = differing(repo, &head)?;
    if let Some(theirs) = &situation.theirs.commit {
        let other: HashSet<_> = differing(repo, &theirs.oid)?.into_iter().collect();
        entries.retain(|entry| other.contains(entry));
    }
    Ok(entries)
}

/// Files of the index that differ from a commit, with their contents' names.
fn differing(repo: &Repository, revision: &str) -> Result<Vec<(RepoPath, Oid)>, Error> {
    let call = Invocation::read([
        "diff-index",
        "--cached",
        "--raw",
        "-z",
        "--no-renames",
        "--no-abbrev",
        revision,
        "--",
    ]);
    Ok(parse_raw(&repo.must(&call)?.stdout))
}

/// Parses `:MODE MODE OID OID STATUS<NUL>PATH<NUL>`; removed, unmerged and special entries are left out.
fn parse_raw(bytes: &[u8]) -> Vec<(RepoPath, Oid)> {
    let mut fields = bytes.split(|b| *b == 0);
    let mut out = Vec::new();
    while let (Some(head), Some(path)) = (fields.next(), fields.next()) {
        let head = String::from_utf8_lossy(head);
        let words: Vec<&str> = head.split(' ').collect();
        if let [_, mode, _, oid, status] = words[..]
            && mode.starts_with("100")
            && !matches!(status, "U" | "D")
        {
            out.push((RepoPath::new(path), Oid(oid.to_owned())));
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_files_that_exist_are_looked_at() {
        let raw = b":100644 100644 a b M\0x y\0:100644 000000 a 0 D\0gone\0:160000 160000 a b M\0sub\0:000000 100755 0 c A\0n\nl\0";
        let paths: Vec<_> = parse_raw(raw)
            .into_iter()
            .map(|(p, o)| (p.to_string(), o.0))
            .collect();
        assert_eq!(
            paths,
            [
                ("x y".into(), "b".into()),
                ("n\\nl".to_owned(), "c".to_owned())
            ]
        );
    }
}
