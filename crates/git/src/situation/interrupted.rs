//! A command of git's that was interrupted while it began an operation, went on with it or ended it:
//! what became of it, and the way back to exactly the state before.

use crate::file::work_file::{Seen, WorkFile, write_atomically};
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::operation::{Backend, Operation};
use crate::repo::repository::Repository;
use crate::situation::staged::changed_on_disk;
use crate::store::before;
use crate::store::intent::{Intent, NotInIndex};
use crate::store::records::Store;
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

/// What is left of a command that was interrupted.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Interrupted {
    /// The command.
    pub command: String,
    /// Files that are not as they were: they go back.
    pub files: Vec<RepoPath>,
    /// Whether it was to end an operation or go on with it, rather than begin one.
    pub is_ending: bool,
}

/// What a command that a program began came to, after that program was gone.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum LeftBehind {
    /// git went on by itself and has done its part, or had changed nothing yet; what to say of it.
    Over(String),
    /// git died on the way.
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
    let _lock = Store::new(repo.git_dir()).command_lock()?;
    let Some(intent) = Intent::left_behind(repo) else {
        return Ok(None);
    };
    let now = match intent.is_ending {
        true => after_ending(repo, &intent)?,
        false => after_beginning(repo, &intent)?,
    };
    let command = command(&intent);
    let became = match now {
        Became::Torn => {
            return Ok(Some(LeftBehind::Torn(Interrupted {
                command,
                files: touched(repo, &intent)?,
                is_ending: intent.is_ending,
            })));
        }
        Became::Begun => "has begun, though the program that ran it was ended",
        Became::Done => "is done, though the program that ran it was ended",
        Became::AtNextStep => "went on, though the program that ran it was ended",
        Became::Nothing => "was cut short and had changed nothing",
    };
    Intent::forget(repo)?;
    let text = format!("'{command}' {became}");
    Ok(Some(LeftBehind::Over(text)))
}

fn command(intent: &Intent) -> String {
    format!("git {}", intent.command.join(" "))
}

/// What became of a command.
enum Became {
    /// An operation is in progress now.
    Begun,
    /// All that it was to do.
    Done,
    /// The operation stopped again at a later step.
    AtNextStep,
    /// It had changed nothing yet.
    Nothing,
    /// Half of it.
    Torn,
}

fn after_beginning(repo: &Repository, intent: &Intent) -> Result<Became, Error> {
    if Operation::detect(repo)? != Operation::Loose {
        return Ok(Became::Begun);
    }
    if repo.resolve("HEAD")? != intent.head {
        return Ok(Became::Done);
    }
    match is_as_before(repo, intent)? && !is_locked(repo) {
        true => Ok(Became::Nothing),
        false => Ok(Became::Torn),
    }
}

fn after_ending(repo: &Repository, intent: &Intent) -> Result<Became, Error> {
    let operation = Operation::detect(repo)?;
    if operation == Operation::Loose {
        return Ok(Became::Done);
    }
    let changed = changed_on_disk(repo)?;
    let torn_file = |path: &RepoPath| intent.was_untouched(path);
    if is_locked(repo) || changed.since_staged.iter().any(torn_file) {
        return Ok(Became::Torn);
    }
    let moved = repo.resolve("HEAD")? != intent.head;
    let is_merge_backend = |operation| {
        let merges = Backend::Merge;
        matches!(operation, Operation::Rebase { backend, .. } if backend == merges)
    };
    match operation {
        // The branch is moved last; only git's notes are left.
        Operation::Rebase { .. } if on_branch(repo)? && intent.branch.is_none() => {
            repo.must(&Invocation::conclude(["rebase", "--quit"]))?;
            return Ok(Became::Done);
        }
        // Notes of a step that is committed would be taken for those of another.
        Operation::Merge | Operation::CherryPick | Operation::Revert if moved => {
            let incoming = operation.incoming().unwrap_or_default();
            let now = repo.resolve(incoming)?;
            if now.is_some() && now == noted_incoming(repo, incoming) {
                return after_commit(repo, operation, now.as_deref());
            }
        }
        // A step that is staged whole, with no word that it stopped.
        operation if is_merge_backend(operation) && changed.unmerged.is_empty() => {
            let stopped = repo.has_state("rebase-merge/stopped-sha");
            let staged = Invocation::read(["diff-index", "--cached", "--quiet", "HEAD", "--"]);
            if moved && !stopped && !repo.run(&staged)?.ok() {
                return Ok(Became::Torn);
            }
        }
        _ => {}
    }
    match !moved && is_as_before(repo, intent)? {
        true => Ok(Became::Nothing),
        false => Ok(Became::AtNextStep),
    }
}

/// Whether a command that was to end an operation did only half of it.
pub(crate) fn is_torn(repo: &Repository, intent: &Intent) -> Result<bool, Error> {
    Ok(matches!(after_ending(repo, intent)?, Became::Torn))
}

/// A commit is made, and the notes of the operation are there still.
fn after_commit(
    repo: &Repository,
    operation: Operation,
    incoming: Option<&str>,
) -> Result<Became, Error> {
    let parents = Invocation::read(["rev-list", "--parents", "-n", "1", "HEAD", "--"]);
    let parents = repo.must(&parents)?.text();
    let is_parent =
        incoming.is_some_and(|oid| parents.split_whitespace().skip(1).any(|p| p == oid));
    match operation == Operation::Merge && is_parent {
        true => {
            repo.must(&Invocation::conclude(["merge", "--quit"]))?;
            Ok(Became::Done)
        }
        false => Ok(Became::Torn),
    }
}

/// What an operation was about to take in.
fn noted_incoming(repo: &Repository, name: &str) -> Option<String> {
    before::note(repo, name).or_else(|| before::note(repo, &format!("{name}.ref")))
}

fn on_branch(repo: &Repository) -> Result<bool, Error> {
    let call = Invocation::read(["symbolic-ref", "--quiet", "HEAD"]);
    Ok(repo.run(&call)?.ok())
}

/// Whether a git that died left its lock on the index, or one is at work.
fn is_locked(repo: &Repository) -> bool {
    repo.index_file().with_extension("lock").exists()
}

/// Whether working files and index are as they were before a command.
pub(crate) fn is_as_before(repo: &Repository, intent: &Intent) -> Result<bool, Error> {
    Ok(touched(repo, intent)?.is_empty() && changed_entries(repo)?.is_empty())
}

/// The paths whose entries in the index are not those of the copy.
fn changed_entries(repo: &Repository) -> Result<BTreeSet<RepoPath>, Error> {
    let copy = before::index_copy(repo);
    let (now, then) = (entries(repo, None)?, entries(repo, Some(&copy))?);
    let differs = |path: &&RepoPath| now.get(*path) != then.get(*path);
    let all = now.keys().chain(then.keys());
    Ok(all.filter(differs).cloned().collect())
}

/// The entries of an index: mode, object and stage of each path. None at all if it is not there.
fn entries(
    repo: &Repository,
    index: Option<&Path>,
) -> Result<BTreeMap<RepoPath, Vec<Vec<u8>>>, Error> {
    let call = Invocation::read(["ls-files", "--stage", "-z", "--full-name"]);
    let call = match index {
        Some(index) => call.env("GIT_INDEX_FILE", index),
        None => call,
    };
    let mut entries: BTreeMap<RepoPath, Vec<Vec<u8>>> = BTreeMap::new();
    for line in repo.must(&call)?.stdout.split(|b| *b == 0) {
        if let Some(tab) = line.iter().position(|b| *b == b'\t') {
            let (entry, path) = line.split_at(tab);
            let all = entries.entry(RepoPath::new(&path[1..])).or_default();
            all.push(entry.to_vec());
        }
    }
    Ok(entries)
}

/// Tracked files that are not as the index has them, and untracked ones that are not ignored.
pub(crate) fn not_in_index(repo: &Repository) -> Result<NotInIndex, Error> {
    let changed = changed_on_disk(repo)?;
    let mut tracked = changed.since_staged;
    tracked.extend(changed.unmerged);
    let call = ["ls-files", "--others", "--exclude-standard", "-z"];
    let listed = repo.must(&Invocation::read(call))?.stdout;
    let listed = listed.split(|b| *b == 0).filter(|path| !path.is_empty());
    Ok([tracked, listed.map(RepoPath::new).collect()])
}

/// The files that are not as they were before: tracked ones that were as the index has them,
/// untracked ones that were not there, and files in conflict of which there are copies.
fn touched(repo: &Repository, intent: &Intent) -> Result<Vec<RepoPath>, Error> {
    let [mut paths, untracked] = not_in_index(repo)?;
    paths.extend(untracked);
    paths.extend(changed_entries(repo)?);
    paths.retain(|path| intent.was_untouched(path));
    for (path, copy) in &intent.kept {
        let path = RepoPath::new(path.as_slice());
        let now = WorkFile::read(repo.work_tree(), &path)?;
        if std::fs::read(copy).is_ok_and(|bytes| bytes != now.bytes) {
            paths.insert(path);
        }
    }
    Ok(paths.into_iter().collect())
}

/// Goes back to exactly the state before the command: the commit that was checked out, git's notes,
/// the index, working files, and files that it added. What is there now is copied aside first. How
/// many files went back.
///
/// # Errors
/// If git or the disk refuses; what was not put back yet is named on the next start.
pub fn undo_interrupted(repo: &Repository) -> Result<usize, Error> {
    let store = Store::new(repo.git_dir());
    let _lock = store.command_lock()?;
    let Some(intent) = Intent::left_behind(repo) else {
        return Ok(0);
    };
    let moved_on = match intent.is_ending {
        true => matches!(after_ending(repo, &intent)?, Became::Done),
        false => {
            Operation::detect(repo)? != Operation::Loose || repo.resolve("HEAD")? != intent.head
        }
    };
    if moved_on {
        return Err(Error::MovedOn {
            what: "an operation has begun or ended, or another commit is checked out".to_owned(),
        });
    }
    let files = touched(repo, &intent)?;
    for path in &files {
        let now = WorkFile::read(repo.work_tree(), path)?;
        if !now.bytes.is_empty() {
            store.keep(path, &now.bytes)?;
        }
    }
    if intent.is_ending {
        restore_head(repo, &intent)?;
    }
    before::restore_index(repo)?;
    put_files_back(repo, &intent, &files)?;
    if intent.is_ending {
        before::restore_notes(repo)?;
    }
    Intent::forget(repo)?;
    Ok(files.len())
}

/// Checks out the commit of before, without a look at index and files.
fn restore_head(repo: &Repository, intent: &Intent) -> Result<(), Error> {
    const WHY: &str = "undo an interrupted command";
    let Some(head) = &intent.head else {
        return Ok(());
    };
    match &intent.branch {
        Some(branch) => {
            repo.must(&Invocation::write([
                "symbolic-ref",
                "-m",
                WHY,
                "HEAD",
                branch,
            ]))?;
            repo.must(&Invocation::write(["update-ref", "-m", WHY, branch, head]))?;
        }
        None => {
            let call = ["update-ref", "--no-deref", "-m", WHY, "HEAD", head];
            repo.must(&Invocation::write(call))?;
        }
    }
    // A rebase moves its branch at the end, and only from where it was.
    for folder in ["rebase-merge", "rebase-apply"] {
        let note = |name: &str| before::note(repo, &format!("{folder}/{name}"));
        if let (Some(branch), Some(at)) = (note("head-name"), note("orig-head"))
            && branch.starts_with("refs/")
        {
            let call = ["update-ref", "-m", WHY, &branch, &at];
            repo.must(&Invocation::write(call))?;
        }
    }
    Ok(())
}

/// Puts working files back as the index or a copy has them, and removes those that are in neither.
fn put_files_back(repo: &Repository, intent: &Intent, files: &[RepoPath]) -> Result<(), Error> {
    let listed = entries(repo, None)?;
    let mut tracked = Vec::new();
    for path in files {
        let is_it = |kept: &&(Vec<u8>, _)| kept.0 == path.bytes();
        let file = path.under(repo.work_tree());
        if let Some((_, copy)) = intent.kept.iter().find(is_it) {
            let bytes = std::fs::read(copy).map_err(Error::file("read", copy))?;
            let now = WorkFile::read(repo.work_tree(), path)?.seen;
            if let Some(folder) = file.parent() {
                std::fs::create_dir_all(folder).map_err(Error::file("create", folder))?;
            }
            match now {
                Seen::File(..) | Seen::Missing => write_atomically(&file, &bytes, None)?,
                // A link or a folder: the copy stays where it is.
                _ => {}
            }
        } else if listed.contains_key(path) {
            tracked.extend([path.bytes(), b"\0"].concat());
        } else {
            match std::fs::remove_file(&file) {
                Err(why) if why.kind() != std::io::ErrorKind::NotFound => {
                    return Err(Error::file("remove", file)(why));
                }
                _ => remove_empty_folders(repo, &file),
            }
        }
    }
    let call = Invocation::write(["checkout-index", "-f", "-q", "-z", "--stdin"]);
    repo.must(&call.stdin(tracked))?;
    // The index notes what is on disk now; a failure costs the next call a look at the files.
    let _ = repo.run(&Invocation::write(["update-index", "-q", "--refresh"]));
    Ok(())
}

/// Removes folders that a removed file leaves empty.
fn remove_empty_folders(repo: &Repository, file: &Path) {
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
