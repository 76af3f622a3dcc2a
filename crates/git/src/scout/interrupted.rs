//! A merge, rebase, pick or revert that was interrupted while git began it: what became of it, and the
//! way back to exactly the state before.

use crate::file::work_file::WorkFile;
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::operation::Operation;
use crate::repo::repository::Repository;
use crate::situation::staged::changed_on_disk;
use crate::store::intent::Intent;
use crate::store::records::Store;
use std::collections::BTreeSet;

/// What is left of a command that was interrupted.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Interrupted {
    /// The command.
    pub command: String,
    /// Tracked files that it changed, and files that it added: they go back to how they were.
    pub files: Vec<RepoPath>,
}

/// What a command that a program began came to, after that program was gone.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum LeftBehind {
    /// git went on by itself and has begun or done it, or had changed nothing yet; what to say of it.
    Over(String),
    /// git died on the way: files are changed and nothing is in progress.
    Torn(Interrupted),
}

/// Looks what became of a command that a program had begun which is gone; none if there is none.
///
/// # Errors
/// If git fails.
pub fn left_behind(repo: &Repository) -> Result<Option<LeftBehind>, Error> {
    if Intent::left_behind(repo).is_none() {
        return Ok(None);
    }
    // A git that the program started may still be at work: it inherits the lock.
    let _lock = Store::new(repo.git_dir()).write_lock()?;
    let Some(intent) = Intent::left_behind(repo) else {
        return Ok(None);
    };
    let command = format!("git {}", intent.command.join(" "));
    if Operation::detect(repo)? != Operation::Loose {
        Intent::forget(repo)?;
        let text = format!("'{command}' has begun, though the program that ran it was ended");
        return Ok(Some(LeftBehind::Over(text)));
    }
    if repo.resolve("HEAD")? != intent.head {
        Intent::forget(repo)?;
        let text = format!("'{command}' is done, though the program that ran it was ended");
        return Ok(Some(LeftBehind::Over(text)));
    }
    let files = touched(repo, &intent)?;
    if files.is_empty() && has_index(repo, &intent)? && !is_locked(repo) {
        Intent::forget(repo)?;
        let text = format!("'{command}' was cut short and had changed nothing");
        return Ok(Some(LeftBehind::Over(text)));
    }
    Ok(Some(LeftBehind::Torn(Interrupted { command, files })))
}

/// Whether a git that died left its lock on the index, or one is at work.
fn is_locked(repo: &Repository) -> bool {
    repo.git_dir().join("index.lock").exists()
}

/// Whether working files and index are as they were before a command.
pub(crate) fn is_as_before(repo: &Repository, intent: &Intent) -> Result<bool, Error> {
    Ok(touched(repo, intent)?.is_empty() && has_index(repo, intent)?)
}

/// Whether the index holds what it held before.
fn has_index(repo: &Repository, intent: &Intent) -> Result<bool, Error> {
    let Some(tree) = &intent.index else {
        return Ok(true);
    };
    let call = Invocation::read(["diff-index", "--cached", "--quiet", tree, "--"]);
    Ok(repo.run(&call)?.ok())
}

/// Tracked files that are not as the index has them, and untracked ones that are not ignored.
pub(crate) fn not_in_index(repo: &Repository) -> Result<[BTreeSet<RepoPath>; 2], Error> {
    let changed = changed_on_disk(repo)?;
    let mut tracked = changed.since_staged;
    tracked.extend(changed.unmerged);
    let call = ["ls-files", "--others", "--exclude-standard", "-z"];
    let listed = repo.must(&Invocation::read(call))?.stdout;
    let listed = listed.split(|b| *b == 0).filter(|path| !path.is_empty());
    Ok([tracked, listed.map(RepoPath::new).collect()])
}

/// The files that are not as they were before: tracked ones that were as the index has them, and
/// untracked ones that were not there.
fn touched(repo: &Repository, intent: &Intent) -> Result<Vec<RepoPath>, Error> {
    let [mut paths, untracked] = not_in_index(repo)?;
    paths.extend(untracked);
    if let Some(tree) = &intent.index {
        let call = [
            "diff-index",
            "--cached",
            "--name-only",
            "-z",
            "--ignore-submodules",
            tree,
            "--",
        ];
        let listed = repo.must(&Invocation::read(call))?.stdout;
        let listed = listed.split(|b| *b == 0).filter(|path| !path.is_empty());
        paths.extend(listed.map(RepoPath::new));
    }
    paths.retain(|path| intent.was_untouched(path));
    Ok(paths.into_iter().collect())
}

/// Goes back to exactly the state before the command: index, working files, and files that it added.
/// What is there now is copied aside first. How many files went back.
///
/// # Errors
/// If git or the disk refuses; what was not put back yet is named on the next start.
pub fn undo_interrupted(repo: &Repository) -> Result<usize, Error> {
    let store = Store::new(repo.git_dir());
    let _lock = store.write_lock()?;
    let Some(intent) = Intent::to_undo(repo) else {
        return Ok(0);
    };
    if Operation::detect(repo)? != Operation::Loose || repo.resolve("HEAD")? != intent.head {
        return Err(Error::MovedOn {
            what: "an operation has begun, or another commit is checked out".to_owned(),
        });
    }
    let lock = repo.git_dir().join("index.lock");
    if lock.exists() {
        return Err(Error::Locked {
            lock: lock.display().to_string(),
        });
    }
    let files = touched(repo, &intent)?;
    for path in &files {
        let now = WorkFile::read(repo.work_tree(), path)?;
        if !now.bytes.is_empty() {
            store.keep(path, &now.bytes)?;
        }
    }
    if let Some(tree) = &intent.index {
        repo.must(&Invocation::write(["read-tree", tree]))?;
    }
    let listed: BTreeSet<RepoPath> = {
        let call = Invocation::read(["ls-files", "-z", "--full-name"]);
        let listed = repo.must(&call)?.stdout;
        let listed = listed.split(|b| *b == 0).filter(|path| !path.is_empty());
        listed.map(RepoPath::new).collect()
    };
    let (tracked, added): (Vec<&RepoPath>, Vec<&RepoPath>) =
        files.iter().partition(|path| listed.contains(*path));
    for path in added {
        let file = path.under(repo.work_tree());
        match std::fs::remove_file(&file) {
            Err(why) if why.kind() != std::io::ErrorKind::NotFound => {
                return Err(Error::file("remove", file)(why));
            }
            _ => remove_empty_folders(repo, &file),
        }
    }
    let names: Vec<u8> = tracked
        .iter()
        .flat_map(|p| [p.bytes(), b"\0"].concat())
        .collect();
    let call = Invocation::write(["checkout-index", "-f", "-q", "-z", "--stdin"]);
    repo.must(&call.stdin(names))?;
    // The index notes what is on disk now; a failure costs the next call a look at the files.
    let _ = repo.run(&Invocation::write(["update-index", "-q", "--refresh"]));
    Intent::forget(repo)?;
    Ok(files.len())
}

/// Removes folders that a removed file leaves empty.
fn remove_empty_folders(repo: &Repository, file: &std::path::Path) {
    let parents = file
        .ancestors()
        .skip(1)
        .take_while(|folder| *folder != repo.work_tree());
    for folder in parents {
        if std::fs::remove_dir(folder).is_err() {
            return;
        }
    }
}
