//! Brings to an end what a killed program had begun between the index and the working file.
//!
//! Each write is noted before it changes anything (`write`, `take_back`). On opening, the index says
//! how far a program came that is gone: a path that has its new entry gets its file, one that has
//! not stays as it was.

use crate::case::driven::all_places;
use crate::case::place::{IndexState, Place};
use crate::case::reading::staged_entries;
use crate::file::owner::{is_alive, sweep};
use crate::file::work_file::{Seen, WorkFile};
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::repo::repository::Repository;
use crate::repo::stages::Stage;
use crate::store::intent::Intent;
use crate::store::records::Store;
use crate::store::written::{Begun, Record, WriteKind};
use crate::worktree::change::Change;
use crate::worktree::contents::{contents_of, put_back};
use crate::worktree::staging::stage_entries;

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
    let _turn = store.write_lock()?;
    // What goes, goes first: its place may be needed.
    let goes = |record: &Record, begun: &Begun| match &begun.kind {
        WriteKind::Write(new) => new.is_none(),
        WriteKind::TakeBack => record.before.is_none(),
    };
    begun.sort_by_key(|(path, record, begun)| (!goes(record, begun), path.clone()));
    let places = all_places(repo, &|path, stages| records.wrote_for(path, stages))?;
    let paths: Vec<&RepoPath> = begun.iter().map(|(path, ..)| path).collect();
    let going: Vec<RepoPath> = begun.iter().map(|(path, ..)| path.clone()).collect();
    let entries = staged_entries(repo, &paths)?;
    let mut mended = Vec::new();
    for (path, record, begun) in &begun {
        if WorkFile::check_safe(repo.work_tree(), path, &going).is_err()
            && begun.from != Seen::Other
        {
            // Something else is in the way by now. The note stays until it is gone.
            continue;
        }
        let entry = entries.get(path);
        let place = match &record.beside {
            Some(beside) => {
                let place = Place::beside(path.clone(), beside.merged.clone());
                let is_open = |p: &Place| p.path.bytes() == beside.case;
                places.iter().any(is_open).then_some(place)
            }
            None => places.iter().find(|place| place.path == *path).cloned(),
        };
        match place {
            Some(place) => {
                let finished = mend_one(repo, &store, (&place, record, begun), entry)?;
                let path = path.clone();
                mended.push(Mended { path, finished });
            }
            // Concluded or aborted of by other means: the file is as that left it.
            None => store.forget_record(path),
        }
        if let Some(folder) = path.under(repo.work_tree()).parent() {
            sweep(folder);
        }
    }
    Ok(mended)
}

/// What a program had begun which is gone and nobody has mended yet, a line each; only looks.
pub fn cut_short(repo: &Repository) -> Vec<String> {
    let records = Store::new(repo.git_dir()).records();
    let begun = records.begun().into_iter();
    let begun = begun.filter(|(_, _, begun)| !is_alive(&begun.owner));
    let mut said: Vec<String> = begun
        .map(|(path, ..)| format!("{path}: a write was cut short"))
        .collect();
    said.extend(
        Intent::left_behind(repo)
            .map(|intent| format!("'git {}' was interrupted", intent.command.join(" "))),
    );
    said
}

/// Whether the index has what was begun: of a path in conflict, whether it is staged; of another,
/// whether it has not the entry any more that stood there.
fn is_staged(place: &Place, begun: &Begun, entry: Option<&Stage>) -> bool {
    match (place.is_conflict(), &begun.kind) {
        (true, _) => place.standing == IndexState::Staged,
        (false, WriteKind::Write(new)) => entry == new.as_ref(),
        (false, WriteKind::TakeBack) => entry != place.merged.as_ref(),
    }
}

fn mend_one(
    repo: &Repository,
    store: &Store,
    (place, record, begun): (&Place, &Record, &Begun),
    entry: Option<&Stage>,
) -> Result<bool, Error> {
    let staged = is_staged(place, begun, entry);
    match &begun.kind {
        WriteKind::Write(new) if staged && entry == new.as_ref() => {
            put(repo, place, begun, new.as_ref())?;
            done(store, place, record)
        }
        // git was cut short between taking the stages out and putting the entry in.
        WriteKind::Write(Some(new)) if staged && entry.is_none() => {
            stage_entries(repo, std::iter::once((place, Some(new))))?;
            put(repo, place, begun, Some(new))?;
            done(store, place, record)
        }
        // Somebody staged something else since.
        WriteKind::Write(_) if staged => done(store, place, record),
        // The index was not changed: the file was not either.
        WriteKind::Write(_) => {
            let earlier = begun.earlier.clone().map(|after| Record {
                after,
                begun: None,
                ..record.clone()
            });
            store.record([(&place.path, earlier.as_ref())])?;
            Ok(false)
        }
        WriteKind::TakeBack if staged => done(store, place, record).map(|_| false),
        WriteKind::TakeBack => {
            let copy = record.before.as_ref().map(|copy| store.copy(copy));
            let now = WorkFile::read(repo.work_tree(), &place.path)?.seen;
            // Without the copy nobody knows what stood there: what stands there now is better.
            if now == begun.from && now != Seen::Other && copy != Some(None) {
                put_back(repo, place, Some(record), &[])?;
            }
            store.forget_record(&place.path);
            Ok(true)
        }
    }
}

/// Notes that nothing is begun any more.
fn done(store: &Store, place: &Place, record: &Record) -> Result<bool, Error> {
    let record = Record {
        begun: None,
        ..record.clone()
    };
    store.record([(&place.path, Some(&record))])?;
    Ok(true)
}

/// Puts the file in its place that the index has already. One that was changed since stays.
fn put(
    repo: &Repository,
    place: &Place,
    begun: &Begun,
    entry: Option<&Stage>,
) -> Result<(), Error> {
    let top = repo.work_tree();
    let now = WorkFile::read(top, &place.path)?;
    // A folder may be gone with the files that went with it.
    let folder_gone = begun.from == Seen::Other && now.seen == Seen::Missing;
    if now.seen != begun.from && !folder_gone {
        return Ok(());
    }
    let content = contents_of(repo, std::iter::once((place, entry)))?.concat();
    Change::prepare(entry, content, &now.file, &now.seen)?.carry_out(top, &now.file)
}
