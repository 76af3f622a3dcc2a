//! Two lines of commits and how they stand to each other.

use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::parties::{common_ancestors, empty_tree};
use crate::repo::repository::Repository;
use crate::situation::lines::{TwoLines, lines_between};
use crate::situation::read::{Commit, commit, parse_commit};
use serde::Serialize;

/// How two lines stand to each other.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Relation {
    /// Ours has all of theirs already.
    Contained,
    /// Theirs has all of ours: ours only moves on.
    FastForward,
    /// Each has commits of its own; they share this many last common ancestors.
    Parted(usize),
    /// They share no commit.
    Unrelated,
}

/// Two lines of commits.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Meeting {
    /// The commit that is checked out.
    pub ours: Commit,
    /// The other tip.
    pub theirs: Commit,
    /// How they stand to each other.
    pub relation: Relation,
    /// Commits that each alone has.
    pub lines: TwoLines,
    /// How many commits each alone has.
    pub ahead: usize,
    /// How many the other alone has.
    pub behind: usize,
}

/// Reads how the commit that is checked out and another line stand to each other; `None` if one of them
/// does not exist.
///
/// # Errors
/// If git fails.
pub fn meeting(repo: &Repository, other: &str) -> Result<Option<Meeting>, Error> {
    let (Some(ours), Some(theirs)) = (commit(repo, "HEAD")?, commit(repo, other)?) else {
        return Ok(None);
    };
    let bases = common_ancestors(repo, &ours.oid, &theirs.oid)?;
    let relation = match &bases[..] {
        [] => Relation::Unrelated,
        [base] if *base == theirs.oid => Relation::Contained,
        [base] if *base == ours.oid => Relation::FastForward,
        all => Relation::Parted(all.len()),
    };
    let lines = lines_between(repo, &ours.oid, &theirs.oid, &bases)?;
    let count = |side: armistice_core::Side| lines.commits[side].len() + lines.left_out[side];
    Ok(Some(Meeting {
        ahead: count(armistice_core::Side::Ours),
        behind: count(armistice_core::Side::Theirs),
        ours,
        theirs,
        relation,
        lines,
    }))
}

/// What becomes of the own commits in a rebase.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Replayed {
    /// Those that git makes again, the first one first.
    pub commits: Vec<Commit>,
    /// Those that git leaves out, because the other line has the same change already.
    pub dropped: Vec<Commit>,
}

/// The own commits in a rebase onto `other`, merges left out.
///
/// # Errors
/// If git fails.
pub fn replayed(repo: &Repository, other: &str) -> Result<Replayed, Error> {
    let call = Invocation::read([
        "log",
        "-z",
        "--reverse",
        "--topo-order",
        "--no-merges",
        "--right-only",
        "--cherry-mark",
        "--format=%m%x00%H%x00%h%x00%s%x00%an%x00%at",
    ]);
    let call = call.arg(format!("{other}...HEAD")).arg("--");
    let output = repo.must(&call)?;
    let fields: Vec<&[u8]> = output.stdout.split(|b| *b == 0).collect();
    let mut all = Replayed::default();
    for fields in fields.chunks_exact(6) {
        let Some(commit) = parse_commit(&fields[1..].join(&0)) else {
            continue;
        };
        match fields[0] {
            b"=" => all.dropped.push(commit),
            _ => all.commits.push(commit),
        }
    }
    Ok(all)
}

/// The commits that a pick or a revert of a range takes, in the order in which git takes them; merges
/// among them too.
///
/// # Errors
/// If git fails, or the range names no commits.
pub fn in_range(repo: &Repository, range: &str, newest_first: bool) -> Result<Vec<Commit>, Error> {
    let mut call = Invocation::read(["log", "-z", "--format=%H%x00%h%x00%s%x00%an%x00%at"]);
    if !newest_first {
        call = call.arg("--reverse");
    }
    let output = repo.must(&call.arg(range).arg("--"))?;
    let fields: Vec<&[u8]> = output.stdout.split(|b| *b == 0).collect();
    let one = |fields: &[&[u8]]| parse_commit(&fields.join(&0));
    Ok(fields.chunks_exact(5).filter_map(one).collect())
}

/// Files that the own commits add in a rebase, by step from 1: one that a later commit removes again is
/// not in the index, and an untracked file may be in its place.
///
/// # Errors
/// If git fails.
pub fn added_by_steps(
    repo: &Repository,
    other: &str,
    steps: &[Commit],
) -> Result<Vec<(usize, RepoPath)>, Error> {
    let call = Invocation::read([
        "log",
        "-z",
        "--no-merges",
        "--no-renames",
        "--diff-filter=A",
        "--name-only",
        "--format=%x01%H",
    ]);
    let listed = repo
        .must(&call.arg(format!("{other}..HEAD")).arg("--"))?
        .stdout;
    let mut step = None;
    let mut added = Vec::new();
    for field in listed
        .split(|b| *b == 0 || *b == b'\n')
        .filter(|field| !field.is_empty())
    {
        if let Some(oid) = field.strip_prefix(b"\x01") {
            let oid = String::from_utf8_lossy(oid).into_owned();
            step = steps.iter().position(|commit| commit.oid == oid);
        } else if let Some(step) = step {
            added.push((step + 1, RepoPath::new(field)));
        }
    }
    added.sort();
    Ok(added)
}

/// The parent of a commit that is picked or undone; the empty tree before the first, nothing for a merge.
///
/// # Errors
/// If git fails.
pub fn only_parent(repo: &Repository, commit: &str) -> Result<Option<String>, Error> {
    let call = Invocation::read(["rev-list", "--parents", "-n1", commit, "--"]);
    let listed = repo.must(&call)?.text();
    let parents: Vec<&str> = listed.split_whitespace().skip(1).collect();
    Ok(match parents[..] {
        [] => Some(empty_tree(repo)?),
        [parent] => Some(parent.to_owned()),
        _ => None,
    })
}
