//! Brings to an end what a killed program had begun between the index and the working file.
//!
//! Each write is noted before it changes anything (`write`, `take_back`). On opening, the index says
//! how far a program came that is gone: a path that has its new entry gets its file, one that has
//! not stays as it was.

use crate::case::driven::all_cases;
use crate::case::one::{Case, IndexState};
use crate::case::reading::staged_entries;
use crate::case::stages::Stage;
use crate::file::owner::{is_alive, sweep};
use crate::file::work_file::WorkFile;
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::repo::repository::Repository;
use crate::store::records::Store;
use crate::store::written::{Begun, Record, WriteKind};
use crate::worktree::change::Change;
use crate::worktree::staging::stage_entries;
use crate::worktree::take_back::put_back;
use crate::worktree::write::contents_of;

/// A write that was cut short, and what became of it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Mended {
    /// Which file.
    pub path: RepoPath,
    /// Whether it was finished; else everything was left or put as it was before it began.
    pub finished: bool,
}

impl std::fmt::Display for Mended {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let end = match self.finished {
            true => "has been finished",
            false => "had changed nothing yet",
        };
        write!(f, "{}: a write that was cut short {end}", self.path)
    }
}

/// Finishes or undoes writes that a program began which is gone, and removes temporary files that it
/// left; looks at nothing else. What another running program has begun is left to it.
///
/// # Errors
/// If git or the disk refuses; the next opening tries again.
pub fn mend(repo: &Repository) -> Result<Vec<Mended>, Error> {
    let store = Store::new(repo.git_dir());
    store.sweep();
    let records = store.records();
    let mut begun = records.begun();
    begun.retain(|(_, _, begun)| !is_alive(&begun.owner));
    if begun.is_empty() {
        return Ok(Vec::new());
    }
    // A git that the program started before it was killed may still be at work.
    let _turn = store.turn()?;
    begun.sort_by(|(a, ..), (b, ..)| a.cmp(b));
    let cases = all_cases(repo)?;
    let paths: Vec<&RepoPath> = begun.iter().map(|(path, ..)| path).collect();
    let entries = staged_entries(repo, &paths)?;
    let mut mended = Vec::new();
    for (path, record, begun) in &begun {
        if WorkFile::check_safe(repo.work_tree(), path).is_err() {
            // Something else is in the way by now. The note stays until it is gone.
            continue;
        }
        match cases.iter().find(|case| case.path == *path) {
            Some(case) => {
                let entry = entries.get(path);
                let finished = mend_one(repo, &store, (case, record, begun), entry)?;
                let path = path.clone();
                mended.push(Mended { path, finished });
            }
            // Concluded or backed out of by other means: the file is as that left it.
            None => store.forget_record(path),
        }
        if let Some(folder) = path.under(repo.work_tree()).parent() {
            sweep(folder);
        }
    }
    Ok(mended)
}

fn mend_one(
    repo: &Repository,
    store: &Store,
    (case, record, begun): (&Case, &Record, &Begun),
    entry: Option<&Stage>,
) -> Result<bool, Error> {
    let staged = case.standing == IndexState::Staged;
    match &begun.kind {
        WriteKind::Write(new) if staged && entry == new.as_ref() => {
            put(repo, case, begun, new.as_ref())?;
            done(store, case, record)
        }
        // git was cut short between taking the stages out and putting the entry in.
        WriteKind::Write(Some(new)) if staged && entry.is_none() => {
            stage_entries(repo, std::iter::once((case, Some(new))))?;
            put(repo, case, begun, Some(new))?;
            done(store, case, record)
        }
        // Somebody staged something else since.
        WriteKind::Write(_) if staged => done(store, case, record),
        // The index was not changed: the file was not either.
        WriteKind::Write(_) => {
            let earlier = begun.earlier.clone().map(|after| Record {
                after,
                begun: None,
                ..record.clone()
            });
            store.record([(&case.path, earlier.as_ref())])?;
            Ok(false)
        }
        WriteKind::TakeBack if staged => done(store, case, record).map(|_| false),
        WriteKind::TakeBack => {
            let copy = record.before.as_ref().map(|copy| store.copy(copy));
            let unchanged = WorkFile::read(repo.work_tree(), &case.path)?.seen == begun.from;
            // Without the copy nobody knows what stood there: what stands there now is better.
            if unchanged && copy != Some(None) {
                put_back(repo, case, Some(record), &[])?;
            }
            store.forget_record(&case.path);
            Ok(true)
        }
    }
}

/// Notes that nothing is begun any more.
fn done(store: &Store, case: &Case, record: &Record) -> Result<bool, Error> {
    let record = Record {
        begun: None,
        ..record.clone()
    };
    store.record([(&case.path, Some(&record))])?;
    Ok(true)
}

/// Puts the file in its place that the index has already. One that was changed since stays.
fn put(repo: &Repository, case: &Case, begun: &Begun, entry: Option<&Stage>) -> Result<(), Error> {
    let now = WorkFile::read(repo.work_tree(), &case.path)?;
    if now.seen != begun.from {
        return Ok(());
    }
    let content = contents_of(repo, std::iter::once((case, entry)))?.concat();
    Change::prepare(entry, content, &now.file)?.carry_out(&now.file)
}
