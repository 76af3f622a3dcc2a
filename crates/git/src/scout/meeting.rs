//! Two lines of commits and how they stand to each other.

use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::parties::{common_ancestors, empty_tree};
use crate::repo::repository::Repository;
use crate::situation::lines::{TwoLines, lines_since_merge_base};
use crate::situation::read::{Commit, parse_commit};
use armistice_core::Side;
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
    let bases = common_ancestors(repo, "HEAD", other)?;
    let names = ["HEAD", other].into_iter();
    let names: Vec<&str> = names.chain(bases.first().map(String::as_str)).collect();
    let commits = commits_named(repo, &names)?;
    let Some((ours, theirs)) = commits.first().zip(commits.get(1)) else {
        return Ok(None);
    };
    let relation = match &bases[..] {
        [] => Relation::Unrelated,
        [base] if *base == theirs.oid => Relation::Contained,
        [base] if *base == ours.oid => Relation::FastForward,
        all => Relation::Parted(all.len()),
    };
    let base = commits.get(2).cloned();
    let lines = lines_since_merge_base(repo, &ours.oid, &theirs.oid, base)?;
    let count = |side: Side| lines.commits[side].len() + lines.left_out[side];
    Ok(Some(Meeting {
        ahead: count(Side::Ours),
        behind: count(Side::Theirs),
        ours: ours.clone(),
        theirs: theirs.clone(),
        relation,
        lines,
    }))
}

/// Reads some commits in one call, in the order of their names; none if one of them does not exist.
fn commits_named(repo: &Repository, names: &[&str]) -> Result<Vec<Commit>, Error> {
    // git lists a commit once, however often it is named: each name is resolved first.
    let names: Vec<String> = names
        .iter()
        .map(|name| format!("{name}^{{commit}}"))
        .collect();
    let objects = repo.objects(&names)?;
    let oids: Vec<String> = objects.into_iter().flatten().map(|o| o.oid).collect();
    if oids.len() < names.len() {
        return Ok(Vec::new());
    }
    let call = [
        "log",
        "-z",
        "--no-walk=unsorted",
        "--format=%H%x00%h%x00%s%x00%an%x00%at",
    ];
    let call = oids.iter().fold(Invocation::read(call), Invocation::arg);
    let output = repo.must(&call.arg("--"))?;
    let fields: Vec<&[u8]> = output.stdout.split(|b| *b == 0).collect();
    let parse = |fields: &[&[u8]]| parse_commit(&fields.join(&0));
    let read: Vec<Commit> = fields.chunks_exact(5).filter_map(parse).collect();
    let of = |oid: &String| read.iter().find(|commit| commit.oid == *oid).cloned();
    Ok(oids.iter().filter_map(of).collect())
}

/// The own commits in a rebase.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Replayed {
    /// Commits that git applies again, oldest first.
    pub commits: Vec<ReplayedCommit>,
    /// Commits that git leaves out, because the other branch has the same change already.
    pub dropped: Vec<Commit>,
}

/// A commit that git applies again.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ReplayedCommit {
    /// The commit itself.
    pub commit: Commit,
    /// Its parents.
    pub parents: Vec<String>,
    /// Files that it adds. A file that a later commit removes again is not in the index, and an
    /// untracked file may be in its place.
    pub added: Vec<RepoPath>,
}

/// Reads the own commits in a rebase onto `other`, without merges.
///
/// # Errors
/// If git fails.
pub fn replayed(repo: &Repository, other: &str) -> Result<Replayed, Error> {
    let mut all = Replayed::default();
    let options = [
        "--reverse",
        "--topo-order",
        "--no-merges",
        "--right-only",
        "--cherry-mark",
    ];
    for (mark, commit) in listed(repo, &options, &format!("{other}...HEAD"))? {
        if mark == b"=" {
            all.dropped.push(commit.commit);
        } else {
            all.commits.push(commit);
        }
    }
    Ok(all)
}

/// Lists commits with their parents and the files that each adds; the mark is that of `--cherry-mark`.
fn listed(
    repo: &Repository,
    options: &[&str],
    range: &str,
) -> Result<Vec<(Vec<u8>, ReplayedCommit)>, Error> {
    let call = ["log", "-z", "--no-renames", "--name-status"];
    // A path only ever follows a letter, so none is taken for the mark that begins a commit.
    let format = "--format=%x01%m%x00%P%x00%H%x00%h%x00%s%x00%an%x00%at";
    let call = options.iter().fold(Invocation::read(call), Invocation::arg);
    let output = repo.must(&call.arg(format).arg(range).arg("--"))?;
    let mut fields = output.stdout.split(|b| *b == 0);
    let mut all: Vec<(Vec<u8>, ReplayedCommit)> = Vec::new();
    while let Some(field) = fields.next() {
        // An empty line comes before the first letter.
        let field = field.strip_prefix(b"\n").unwrap_or(field);
        if let Some(mark) = field.strip_prefix(b"\x01") {
            let parents = String::from_utf8_lossy(fields.next().unwrap_or_default()).into_owned();
            let of_commit: Vec<&[u8]> = fields.by_ref().take(5).collect();
            if let Some(commit) = parse_commit(&of_commit.join(&0)) {
                let commit = ReplayedCommit {
                    commit,
                    parents: parents.split_whitespace().map(str::to_owned).collect(),
                    added: Vec::new(),
                };
                all.push((mark.to_vec(), commit));
            }
        } else if let Some(path) = (!field.is_empty()).then(|| fields.next()).flatten()
            && let Some((_, last)) = all.last_mut().filter(|_| field == b"A")
        {
            last.added.push(RepoPath::new(path));
        }
    }
    Ok(all)
}

/// Reads the commits that a pick or a revert takes, in the order in which git takes them, merges
/// included.
///
/// # Errors
/// If git fails, or the name or range names no commits.
pub fn picked(
    repo: &Repository,
    name: &str,
    newest_first: bool,
) -> Result<Vec<ReplayedCommit>, Error> {
    let mut options = Vec::new();
    if !name.contains("..") {
        options.push("--no-walk");
    } else if !newest_first {
        options.push("--reverse");
    }
    let all = listed(repo, &options, name)?.into_iter();
    Ok(all.map(|(_, commit)| commit).collect())
}

impl ReplayedCommit {
    /// Returns its parent, or the empty tree before the first commit; `None` for a merge.
    ///
    /// # Errors
    /// If git fails.
    pub fn only_parent(&self, repo: &Repository) -> Result<Option<String>, Error> {
        Ok(match &self.parents[..] {
            [] => Some(empty_tree(repo)?),
            [parent] => Some(parent.clone()),
            _ => None,
        })
    }
}
