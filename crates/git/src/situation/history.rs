//! Who changed the lines of a file on each side since the sides parted, and why.
//!
//! Asked of git's own history: blame for lines that stand there, blame in reverse for lines that are
//! gone. Bounded to each side's own commits; nothing is said where the sides are not known.

use crate::case::one::Case;
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::operation::Operation;
use crate::repo::parties::Parties;
use crate::repo::repository::Repository;
use crate::situation::read::{Commit, Foreseen, Undertaking, commit, parse_commit};
use armistice_core::limits::BLAMED_BYTES;
use armistice_core::{LineIdx, PerSide, Side, Version, Versions};
use serde::Serialize;
use std::collections::{HashMap, HashSet};
use std::ffi::OsString;

/// What one side's commits did to a file.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct SideHistory {
    /// Its commits since base that touch the file, newest first.
    pub commits: Vec<Commit>,
    /// For each line of its version the commit that wrote it, by place among `commits`; none for
    /// lines that base has.
    written: Vec<Option<usize>>,
    /// For each line of base the commit that took it out or changed it; none for lines that stand.
    gone: Vec<Option<usize>>,
    /// Whether all of it is the work of the one commit in `commits`.
    is_one: bool,
}

impl SideHistory {
    /// The commits that wrote lines of the side's version and took lines of base out, newest first;
    /// all of them where lines were not traced.
    pub fn of_lines(
        &self,
        written: impl IntoIterator<Item = LineIdx>,
        gone: impl IntoIterator<Item = LineIdx>,
    ) -> Vec<&Commit> {
        if self.is_one || (self.written.is_empty() && self.gone.is_empty()) {
            return self.commits.iter().collect();
        }
        let at = |lines: &[Option<usize>], at: LineIdx| lines.get(at.0 as usize).copied().flatten();
        let written = written
            .into_iter()
            .filter_map(|line| at(&self.written, line));
        let gone = gone.into_iter().filter_map(|line| at(&self.gone, line));
        let mut places: Vec<usize> = written.chain(gone).collect();
        places.sort_unstable();
        places.dedup();
        places
            .iter()
            .filter_map(|at| self.commits.get(*at))
            .collect()
    }
}

/// A commit with all that is said about it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct CommitDetails {
    /// The commit.
    pub commit: Commit,
    /// Where its author can be asked.
    pub email: String,
    /// Its whole message.
    pub message: String,
    /// The files that it changed.
    pub files: Vec<RepoPath>,
}

/// What each side's commits did to the file of a case. `versions` are its texts, for their lengths;
/// without them lines are not looked into.
///
/// # Errors
/// If git fails.
pub fn history(
    repo: &Repository,
    operation: Operation,
    case: &Case,
    versions: Option<&Versions>,
) -> Result<PerSide<SideHistory>, Error> {
    let parties = Parties::read(repo, operation)?;
    of_parties(repo, operation, &parties, case, versions)
}

/// The same of something that is only foreseen. What a rebase stands on in a forecast was made for it: its
/// commits are nobody's.
///
/// # Errors
/// If git fails.
pub fn foreseen_history(
    repo: &Repository,
    foreseen: &Foreseen,
    case: &Case,
    versions: Option<&Versions>,
) -> Result<PerSide<SideHistory>, Error> {
    let mut parties = foreseen.parties.clone();
    if foreseen.undertaking == Undertaking::Rebase {
        parties.ours = None;
    }
    of_parties(repo, Operation::Loose, &parties, case, versions)
}

fn of_parties(
    repo: &Repository,
    operation: Operation,
    parties: &Parties,
    case: &Case,
    versions: Option<&Versions>,
) -> Result<PerSide<SideHistory>, Error> {
    let mut out = PerSide::<SideHistory>::default();
    for side in Side::BOTH {
        out[side] = of_side(repo, operation, parties, case, side, versions)?;
    }
    Ok(out)
}

/// All that is said about a commit.
///
/// # Errors
/// If git fails or there is no such commit.
pub fn commit_details(repo: &Repository, oid: &str) -> Result<CommitDetails, Error> {
    let gone = || Error::MovedOn {
        what: format!("there is no commit {oid} any more"),
    };
    let commit = commit(repo, oid)?.ok_or_else(gone)?;
    let call = Invocation::read(["log", "-1", "--format=%ae%x00%B", oid, "--"]);
    let said = repo.must(&call)?;
    let (email, message) = {
        let text = String::from_utf8_lossy(&said.stdout).into_owned();
        let (email, message) = text.split_once('\0').unwrap_or(("", &text));
        (email.to_owned(), message.trim_end().to_owned())
    };
    let call = Invocation::read([
        "diff-tree",
        "--no-commit-id",
        "--name-only",
        "--root",
        "-r",
        "-z",
        oid,
        "--",
    ]);
    let files = repo.must(&call)?.stdout;
    let files = files.split(|b| *b == 0).filter(|path| !path.is_empty());
    Ok(CommitDetails {
        commit,
        email,
        message,
        files: files.map(RepoPath::new).collect(),
    })
}

fn of_side(
    repo: &Repository,
    operation: Operation,
    parties: &Parties,
    case: &Case,
    side: Side,
    versions: Option<&Versions>,
) -> Result<SideHistory, Error> {
    // What is replayed or reverted is one commit's work.
    if side == Side::Theirs && operation.theirs_is_one_commit() {
        let name = operation.incoming();
        let one = match name {
            Some(name) => commit(repo, name)?,
            None => None,
        };
        return Ok(SideHistory {
            commits: one.into_iter().collect(),
            is_one: true,
            ..SideHistory::default()
        });
    }
    let (tip, bases) = match (side, &parties.stash, operation) {
        (Side::Theirs, Some([stash, on]), Operation::Loose) => (Some(stash), vec![on.clone()]),
        (Side::Ours, Some([_, on]), Operation::Loose) => (parties.ours.as_ref(), vec![on.clone()]),
        (Side::Ours, ..) => (parties.ours.as_ref(), parties.bases.clone()),
        (Side::Theirs, ..) => (parties.theirs.as_ref(), parties.bases.clone()),
    };
    let Some(tip) = tip.filter(|_| !bases.is_empty()) else {
        return Ok(SideHistory::default());
    };
    let nth = Version::from(side) as usize;
    let path = case.names[nth].as_ref().or(case.names[0].as_ref());
    let path = path.unwrap_or(&case.path);
    let line = Line {
        repo,
        tip,
        bases: commits_among(repo, bases)?,
    };
    let mut history = SideHistory {
        commits: line.commits_of(path)?,
        ..SideHistory::default()
    };
    let Some(versions) = versions.filter(|_| !history.commits.is_empty()) else {
        return Ok(history);
    };
    let text = versions.get(side.into());
    if text.bytes().len().max(versions.base.bytes().len()) > BLAMED_BYTES {
        return Ok(history);
    }
    let mut places: HashMap<String, usize> = history
        .commits
        .iter()
        .enumerate()
        .map(|(at, commit)| (commit.oid.clone(), at))
        .collect();
    if case.stages.all()[nth].is_some() {
        let blamed = line.blame(path)?;
        history.written = blamed
            .into_iter()
            .map(|oid| places.get(&oid?).copied())
            .collect();
    }
    let old = case.names[0].as_ref().unwrap_or(path);
    if case.stages.base.is_some()
        && let [base] = &line.bases[..]
    {
        history.gone = line.gone(base, old, &mut places, &mut history.commits)?;
    }
    Ok(history)
}

/// Bases that are commits: where nothing is shared, the base is the empty tree.
fn commits_among(repo: &Repository, bases: Vec<String>) -> Result<Vec<String>, Error> {
    let mut out = Vec::new();
    for base in bases {
        if repo.resolve(&format!("{base}^{{commit}}"))?.is_some() {
            out.push(base);
        }
    }
    Ok(out)
}

/// The commits of one side that the other does not start from.
struct Line<'a> {
    repo: &'a Repository,
    tip: &'a str,
    bases: Vec<String>,
}

impl Line<'_> {
    fn range(&self) -> Vec<OsString> {
        let not = self.bases.iter().map(|base| format!("^{base}").into());
        std::iter::once(self.tip.into()).chain(not).collect()
    }

    fn call(&self, args: &[&str], path: Option<&RepoPath>) -> Invocation {
        let args = ["--literal-pathspecs"].iter().chain(args);
        // What a partial clone does not have is not fetched for this.
        let mut call = Invocation::read(args).env("GIT_NO_LAZY_FETCH", "1");
        for word in self.range() {
            call = call.arg(word);
        }
        call = call.arg("--");
        match path {
            Some(path) => call.arg(path.to_os()),
            None => call,
        }
    }

    /// The commits that touch a file, newest first.
    fn commits_of(&self, path: &RepoPath) -> Result<Vec<Commit>, Error> {
        let format = "--format=%H%x00%h%x00%s%x00%an%x00%at";
        let output = self
            .repo
            .must(&self.call(&["log", "-z", format], Some(path)))?;
        let fields: Vec<&[u8]> = output.stdout.split(|b| *b == 0).collect();
        let one = |fields: &[&[u8]]| parse_commit(&fields.join(&0));
        Ok(fields.chunks_exact(5).filter_map(one).collect())
    }

    /// The commit that wrote each line of a file as it is now; none for those that base has.
    fn blame(&self, path: &RepoPath) -> Result<Vec<Option<String>>, Error> {
        let output = self
            .repo
            .run(&self.call(&["blame", "--porcelain"], Some(path)))?;
        match output.ok() {
            true => Ok(parse_blame(&output.stdout)),
            // The file is not there under this name: its lines tell nothing.
            false => Ok(Vec::new()),
        }
    }

    /// The commit that took out each line of a file as base has it, by place among `commits`.
    fn gone(
        &self,
        base: &str,
        path: &RepoPath,
        places: &mut HashMap<String, usize>,
        commits: &mut Vec<Commit>,
    ) -> Result<Vec<Option<usize>>, Error> {
        let range = format!("{base}..{}", self.tip);
        let call = Invocation::read([
            "--literal-pathspecs",
            "blame",
            "--reverse",
            "--porcelain",
            &range,
            "--",
        ])
        .env("GIT_NO_LAZY_FETCH", "1");
        let output = self.repo.run(&call.arg(path.to_os()))?;
        if !output.ok() {
            return Ok(Vec::new());
        }
        let last_seen = parse_reversed(&output.stdout);
        let children = self.children()?;
        let touching: HashSet<&str> = commits.iter().map(|commit| commit.oid.as_str()).collect();
        let after = |oid: &String| -> Option<String> {
            let next = children.get(oid)?;
            let known = next.iter().find(|child| touching.contains(child.as_str()));
            known.or(next.first()).cloned()
        };
        let removers: Vec<Option<String>> = last_seen
            .iter()
            .map(|oid| match oid == self.tip {
                true => None,
                false => after(oid),
            })
            .collect();
        let mut found = Vec::with_capacity(removers.len());
        for remover in removers {
            let Some(oid) = remover else {
                found.push(None);
                continue;
            };
            let at = match places.get(&oid) {
                Some(at) => Some(*at),
                None => commit(self.repo, &oid)?.map(|commit| {
                    commits.push(commit);
                    places.insert(oid, commits.len() - 1);
                    commits.len() - 1
                }),
            };
            found.push(at);
        }
        Ok(found)
    }

    /// For each commit those that follow it.
    fn children(&self) -> Result<HashMap<String, Vec<String>>, Error> {
        let output = self
            .repo
            .must(&self.call(&["rev-list", "--parents"], None))?;
        let mut children: HashMap<String, Vec<String>> = HashMap::new();
        for line in output.text().lines() {
            let mut words = line.split(' ');
            let Some(child) = words.next() else { continue };
            for parent in words {
                let of = children.entry(parent.to_owned()).or_default();
                of.push(child.to_owned());
            }
        }
        Ok(children)
    }
}

/// Reads `git blame --porcelain`: for each line its commit; none where that is a boundary.
fn parse_blame(bytes: &[u8]) -> Vec<Option<String>> {
    let lines = records(bytes);
    let bounds: HashSet<String> = boundaries(bytes);
    lines
        .into_iter()
        .map(|oid| Some(oid).filter(|oid| !bounds.contains(oid)))
        .collect()
}

/// Reads `git blame --reverse --porcelain`: for each line the last commit that has it.
fn parse_reversed(bytes: &[u8]) -> Vec<String> {
    records(bytes)
}

/// The commit of each line, in the order of lines.
fn records(bytes: &[u8]) -> Vec<String> {
    let mut out = Vec::new();
    let mut current = String::new();
    for line in bytes.split(|b| *b == b'\n') {
        match line {
            [b'\t', ..] => out.push(current.clone()),
            line => {
                if let Some(oid) = oid_of(line) {
                    current = oid;
                }
            }
        }
    }
    out
}

fn boundaries(bytes: &[u8]) -> HashSet<String> {
    let mut out = HashSet::new();
    let mut current = String::new();
    for line in bytes.split(|b| *b == b'\n') {
        if line == b"boundary" {
            out.insert(current.clone());
        } else if let Some(oid) = oid_of(line) {
            current = oid;
        }
    }
    out
}

/// The commit that a head line `OID LINE LINE [COUNT]` names.
fn oid_of(line: &[u8]) -> Option<String> {
    let text = std::str::from_utf8(line).ok()?;
    let (oid, rest) = text.split_once(' ')?;
    let is_oid = oid.len() >= 40 && oid.bytes().all(|b| b.is_ascii_hexdigit());
    let numbers = rest.split(' ').all(|n| n.parse::<u32>().is_ok());
    (is_oid && numbers).then(|| oid.to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_line_has_its_commit_and_a_boundary_none() {
        let (a, b) = ("a".repeat(40), "b".repeat(40));
        let text = format!(
            "{a} 1 1 2\nauthor Ines\nsummary x\nboundary\nfilename f\n\tone\n{a} 2 2\n\ttwo\n{b} 3 3 1\nauthor Jon\nfilename f\n\tthree\n"
        );
        let found = parse_blame(text.as_bytes());
        assert_eq!(found, [None, None, Some(b.clone())]);
        assert_eq!(parse_reversed(text.as_bytes()), [a.clone(), a, b]);
    }
}
