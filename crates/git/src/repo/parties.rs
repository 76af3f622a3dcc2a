//! The commits whose trees are merged: both parties' and what they started from.

use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::operation::Operation;
use crate::repo::repository::Repository;

/// The commits that an operation merges, by name; what is not known is none.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Parties {
    /// What both started from: several where the histories cross, none where they share nothing.
    pub(crate) bases: Vec<String>,
    /// The commit that is checked out.
    pub(crate) ours: Option<String>,
    /// The incoming one.
    pub(crate) theirs: Option<String>,
    /// Without an operation, what may have been applied: the last stash, and what it was made on.
    pub(crate) stash: Option<[String; 2]>,
}

impl Parties {
    /// Finds them. Of several branches merged at once, a patch from a mail and what is applied
    /// without an operation, only ours is known.
    ///
    /// # Errors
    /// If git fails.
    pub(crate) fn read(repo: &Repository, operation: Operation) -> Result<Self, Error> {
        let ours = repo.resolve("HEAD")?;
        let heads = repo.state_file("MERGE_HEAD").unwrap_or_default();
        let octopus = operation == Operation::Merge && heads.lines().count() > 1;
        let theirs = match operation.incoming().filter(|_| !octopus) {
            Some(name) => repo.resolve(name)?,
            None => None,
        };
        let (Some(head), Some(incoming)) = (&ours, &theirs) else {
            return Ok(Parties {
                ours,
                stash: match operation {
                    Operation::Loose => stash(repo)?,
                    _ => None,
                },
                ..Parties::default()
            });
        };
        let bases = match operation {
            Operation::Merge => merge_bases(repo, head, incoming)?,
            _ => parents(repo, incoming)?,
        };
        Ok(match operation {
            // What comes in is the state before that commit, which both started from.
            Operation::Revert => Parties {
                theirs: bases.first().cloned(),
                bases: vec![incoming.clone()],
                ours,
                stash: None,
            },
            _ => Parties {
                bases,
                ours,
                theirs,
                stash: None,
            },
        })
    }

    /// The one commit that both started from, if it is one.
    pub(crate) fn base(&self) -> Option<&String> {
        match &self.bases[..] {
            [base] => Some(base),
            _ => None,
        }
    }
}

/// The last stash and the commit that it was made on; git keeps it where applying it clashed.
fn stash(repo: &Repository) -> Result<Option<[String; 2]>, Error> {
    if !repo.may_have_ref("refs/stash") {
        return Ok(None);
    }
    let (stash, base) = (repo.resolve("refs/stash")?, repo.resolve("refs/stash^1")?);
    Ok(stash.zip(base).map(|(stash, base)| [stash, base]))
}

/// What two commits started from; the tree of nothing if they share no history.
pub(crate) fn merge_bases(
    repo: &Repository,
    head: &str,
    theirs: &str,
) -> Result<Vec<String>, Error> {
    let bases = common_ancestors(repo, head, theirs)?;
    match bases.is_empty() {
        true => Ok(vec![empty_tree(repo)?]),
        false => Ok(bases),
    }
}

/// The last common ancestors of two commits; none if they share no history.
pub(crate) fn common_ancestors(
    repo: &Repository,
    head: &str,
    theirs: &str,
) -> Result<Vec<String>, Error> {
    let call = Invocation::read(["merge-base", "--all", head, theirs]);
    let output = repo.run(&call)?.text();
    Ok(output.split_whitespace().map(str::to_owned).collect())
}

/// The parent of a commit, or nothing at all before the first; of a merge, which was taken as the
/// main line is not known.
fn parents(repo: &Repository, commit: &str) -> Result<Vec<String>, Error> {
    let call = Invocation::read(["rev-list", "--parents", "-n1", commit, "--"]);
    let output = repo.run(&call)?.text();
    let parents: Vec<String> = output
        .split_whitespace()
        .skip(1)
        .map(str::to_owned)
        .collect();
    match parents.is_empty() {
        true => Ok(vec![empty_tree(repo)?]),
        false => Ok(parents),
    }
}

/// The name of the tree that holds nothing.
pub(crate) fn empty_tree(repo: &Repository) -> Result<String, Error> {
    let call = Invocation::read(["hash-object", "-t", "tree", "--stdin"]);
    Ok(repo.must(&call)?.text().trim().to_owned())
}
