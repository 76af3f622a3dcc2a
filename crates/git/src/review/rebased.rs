//! The commits of a branch before and after a rebase, matched.

use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::repository::Repository;
use crate::review::merge::{Before, Reviewer, ToReview, commits_of};
use crate::situation::read::Commit;
use std::collections::VecDeque;

/// The commits of a branch before and after a rebase.
#[derive(Clone, Debug, Default)]
pub struct RebasedCommits {
    /// Those of the branch as it is, oldest first, each with the one that it was.
    pub matched: Vec<ToReview>,
    /// Those that the branch had and has not any more.
    pub dropped: Vec<Before>,
    /// Those that the branch did not have.
    pub added: Vec<Commit>,
}

/// Matches the commits that `old` has and `new` has not with those that `new` has and `old` has not: by
/// author, date of authorship and subject, which a rebase keeps; then by subject alone.
///
/// # Errors
/// If git fails, or there is no such commit.
pub fn rebased_commits(repo: &Repository, old: &str, new: &str) -> Result<RebasedCommits, Error> {
    commits_between(repo, [new, old], [old, new])
}

/// The same of two ranges, each from a commit to another: of the commits before and those after.
fn commits_between(
    repo: &Repository,
    before: [&str; 2],
    after: [&str; 2],
) -> Result<RebasedCommits, Error> {
    let range = |[from, to]: [&str; 2]| {
        let words = ["--reverse", "--topo-order"].map(str::to_owned);
        let words: Vec<String> = words.into_iter().chain([format!("{from}..{to}")]).collect();
        commits_of(repo, &words)
    };
    let mut before: VecDeque<ToReview> = range(before)?.into();
    let after = range(after)?;
    let is_same = |one: &Commit, other: &Commit| {
        (&one.author, one.time, &one.subject) == (&other.author, other.time, &other.subject)
    };
    let mut take = |is_it: &dyn Fn(&Commit) -> bool| {
        let at = before.iter().position(|of| is_it(&of.commit))?;
        before.remove(at)
    };
    let exact = after.iter().map(|of| take(&|old| is_same(old, &of.commit)));
    let mut found: Vec<Option<ToReview>> = exact.collect();
    for (of, found) in after.iter().zip(&mut found) {
        if found.is_none() {
            *found = take(&|old| old.subject == of.commit.subject);
        }
    }
    let mut commits = RebasedCommits::default();
    for (of, found) in after.into_iter().zip(found) {
        match found {
            Some(old) => commits.matched.push(ToReview {
                before: Some(as_before(old)),
                ..of
            }),
            None => commits.added.push(of.commit),
        }
    }
    commits.dropped = before.into_iter().map(as_before).collect();
    Ok(commits)
}

/// The commits of a range that were others before, oldest first.
///
/// # Errors
/// If git fails.
pub(crate) fn matched_between(
    repo: &Repository,
    before: [&str; 2],
    after: [&str; 2],
) -> Result<Vec<ToReview>, Error> {
    Ok(commits_between(repo, before, after)?.matched)
}

/// The commit that the current branch was at before its last rebase, as its reflog has it.
///
/// # Errors
/// If git fails.
pub fn tip_before_rebase(repo: &Repository) -> Result<Option<String>, Error> {
    let call = Invocation::read(["symbolic-ref", "--quiet", "HEAD"]);
    let branch = repo.run(&call)?.text().trim().to_owned();
    if branch.is_empty() {
        return Ok(None);
    }
    let call = ["log", "-g", "-z", "--format=%H%x00%gs", &branch, "--"];
    let listed = repo.run(&Invocation::read(call))?.stdout;
    let fields: Vec<&[u8]> = listed.split(|b| *b == 0).collect();
    let mut entries = fields.chunks_exact(2);
    let is_rebase = |entry: &&[&[u8]]| entry[1].starts_with(b"rebase");
    entries.find(is_rebase);
    let before = entries.next().map(|entry| entry[0]);
    Ok(before.map(|oid| String::from_utf8_lossy(oid).into_owned()))
}

fn as_before(of: ToReview) -> Before {
    Before {
        parent: of.parents.first().cloned(),
        commit: of.commit,
    }
}

impl Reviewer {
    /// Whether a commit already contains what another changed: git merges nothing of it.
    ///
    /// # Errors
    /// If git fails.
    pub fn has_change(&self, commit: &str, change: &Before) -> Result<bool, Error> {
        let Some(parent) = &change.parent else {
            return Ok(false);
        };
        let sandbox = self.sandbox();
        let merged = sandbox.merge(Some(parent), commit, &change.commit.oid, None, &[])?;
        Ok(merged.cases.is_empty() && merged.tree == sandbox.tree_of(commit)?)
    }
}
