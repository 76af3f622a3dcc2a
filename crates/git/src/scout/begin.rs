//! Begins what was foreseen: git's own command, with hooks, and what it said.

use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::operation::Operation;
use crate::repo::repository::Repository;
use crate::situation::read::Undertaking;

/// How it went.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Begun {
    /// All that git and the hooks printed.
    pub message: String,
    /// Whether something is under way now, most likely with conflicts.
    pub under_way: bool,
    /// Whether git did it, or began it; else it refused and nothing has changed.
    pub done: bool,
    /// The commit that was checked out before.
    pub before: Option<String>,
}

/// The very command that begins it, as a person would type it.
pub fn begin_words(undertaking: Undertaking, name: &str) -> Vec<String> {
    let words: &[&str] = match undertaking {
        Undertaking::Merge => &["merge", "--no-edit"],
        Undertaking::Rebase => &["rebase"],
        Undertaking::Pick => &["cherry-pick"],
        Undertaking::Revert => &["revert", "--no-edit"],
    };
    let mut all: Vec<String> = words.iter().map(|word| (*word).to_owned()).collect();
    all.push(name.to_owned());
    all
}

/// Begins it, if the commit that is checked out is still the one that was looked at.
///
/// # Errors
/// If git cannot be run or was stopped, or the repository moved on; a refusal of git is no error.
pub fn begin(
    repo: &Repository,
    undertaking: Undertaking,
    name: &str,
    seen: Option<&str>,
) -> Result<Begun, Error> {
    let before = repo.resolve("HEAD")?;
    let moved_on = |what: &str| Error::MovedOn {
        what: what.to_owned(),
    };
    if Operation::detect(repo)? != Operation::Loose {
        return Err(moved_on("something else is under way by now"));
    }
    if seen != before.as_deref() {
        return Err(moved_on("another commit is checked out by now"));
    }
    let output = repo.run(&Invocation::conclude(begin_words(undertaking, name)))?;
    let under_way = Operation::detect(repo)? != Operation::Loose;
    Ok(Begun {
        message: output.message(),
        under_way,
        done: output.ok() || under_way,
        before,
    })
}
