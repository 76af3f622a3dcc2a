//! Begins what was foreseen: git's own command, with hooks, and what it said.

use crate::file::work_file::{Seen, WorkFile};
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation, Output};
use crate::repo::operation::Operation;
use crate::repo::repository::Repository;
use crate::situation::interrupted::{is_as_before, not_in_index};
use crate::situation::read::Undertaking;
use crate::store::intent::Intent;
use crate::store::records::Store;

/// How it went.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Begun {
    /// All that git and the hooks printed.
    pub message: String,
    /// Whether something is in progress now, most likely with conflicts.
    pub under_way: bool,
    /// Whether git did it, or began it; else it refused.
    pub done: bool,
    /// Whether everything is as it was before; looked at only if git refused. If it is not,
    /// [`left_behind`](crate::left_behind) tells what is left of it.
    pub unchanged: bool,
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

/// Begins it, if the commit that is checked out is still the one that was looked at. What is about to be
/// done is noted first, with the state before; copies of the files in `keep` are made.
///
/// # Errors
/// If git cannot be run or was stopped, or the repository moved on; a refusal of git is no error.
pub fn begin(
    repo: &Repository,
    undertaking: Undertaking,
    name: &str,
    seen: Option<&str>,
    keep: &[RepoPath],
) -> Result<Begun, Error> {
    let before = repo.resolve("HEAD")?;
    let moved_on = |what: &str| Error::MovedOn {
        what: what.to_owned(),
    };
    if Operation::detect(repo)? != Operation::Loose {
        return Err(moved_on("another operation is in progress"));
    }
    if seen != before.as_deref() {
        return Err(moved_on("another commit is checked out by now"));
    }
    let store = Store::new(repo.git_dir());
    for path in keep {
        let now = WorkFile::read(repo.work_tree(), path)?;
        if matches!(now.seen, Seen::File(..) | Seen::Link(_)) {
            store.keep(path, &now.bytes)?;
        }
    }
    let words = begin_words(undertaking, name);
    // git inherits the lock: a program that starts meanwhile waits until git has ended.
    let _lock = store.command_lock()?;
    let intent = Intent::to_begin(repo, words.clone(), not_in_index(repo)?)?;
    let output = repo.run(&Invocation::conclude(words));
    let under_way = Operation::detect(repo)? != Operation::Loose;
    let ok = output.as_ref().is_ok_and(Output::ok);
    let unchanged = !ok && !under_way && is_as_before(repo, &intent)?;
    // A git that was stopped, or died, may have left half of it: the note stays.
    let is_over = under_way || ok || unchanged || repo.resolve("HEAD")? != before;
    if is_over {
        Intent::forget(repo)?;
    }
    let output = output?;
    Ok(Begun {
        message: output.message(),
        under_way,
        done: output.ok() || under_way,
        unchanged,
        before,
    })
}
