//! A finished case put back into conflict.

use crate::case::one::Case;
use crate::case::place::Place;
use crate::file::owner::own;
use crate::file::work_file::{Seen, WorkFile};
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::repo::repository::Repository;
use crate::store::records::Store;
use crate::store::written::{Begun, Record, WriteKind};
use crate::worktree::contents::{lone_stage, put_back};
use crate::worktree::guard::{are_still_in_index, gone};
use crate::worktree::staging::unstage;
use crate::worktree::write::Written;
use armistice_core::{Source, find_markers};
use std::path::PathBuf;

/// One path of the case, and what is known of it.
struct Known {
    place: Place,
    now: WorkFile,
    record: Option<Record>,
    /// Whether the working file stays as it is.
    untouched: bool,
    kept: Option<PathBuf>,
}

/// Puts the conflict back: the stages into the index, the working files as they were
/// before this program wrote them.
///
/// A working file that was changed since is kept aside first. One that somebody
/// else staged stays as it is if it still holds markers; otherwise it gets
/// `with_markers`, the markers that git would have left.
///
/// # Errors
/// If git or the disk refuses.
pub fn take_back(repo: &Repository, case: &Case, with_markers: &[u8]) -> Result<Written, Error> {
    let store = Store::new(repo.git_dir());
    let _turn = store.write_lock()?;
    let records = store.records();
    let mut places = case.places.clone();
    let beside = records.beside(&case.path).into_iter();
    places.extend(beside.filter(|place| !case.has_path(&place.path)));
    let all: Vec<&Place> = places.iter().collect();
    let still = are_still_in_index(repo, &all)?;
    if let Some((place, _)) = places.iter().zip(&still).find(|(_, still)| !**still) {
        return Err(gone(place));
    }
    let going: Vec<RepoPath> = places.iter().map(|place| place.path.clone()).collect();
    let mut known = Vec::new();
    for place in &places {
        let record = records.of(&place.path).cloned();
        let record = record.filter(|r| r.stages == place.stages);
        known.push(look(repo, &store, place, record, &going)?);
    }
    // Noted first: the index and the working files are several steps.
    let notes: Vec<(RepoPath, Record)> = known.iter().filter_map(note).collect();
    store.record(notes.iter().map(|(path, record)| (path, Some(record))))?;
    unstage(repo, &all)?;
    // What goes, goes first: its place may be needed.
    known.sort_by_key(|one| one.record.as_ref().is_none_or(|r| r.before.is_some()));
    for one in known.iter().filter(|one| !one.untouched) {
        put_back(repo, &one.place, one.record.as_ref(), with_markers)?;
    }
    for place in &places {
        store.forget_record(&place.path);
    }
    let seen = WorkFile::read(repo.work_tree(), &case.path)?.seen;
    let main = known.into_iter().find(|one| one.place.path == case.path);
    let kept = main.and_then(|main| main.kept);
    Ok(Written { seen, kept })
}

fn look(
    repo: &Repository,
    store: &Store,
    place: &Place,
    record: Option<Record>,
    going: &[RepoPath],
) -> Result<Known, Error> {
    let now = WorkFile::read(repo.work_tree(), &place.path)?;
    // The checkout of a submodule is not ours to change.
    let is_checkout = now.seen == Seen::Other && record.as_ref().is_none_or(|r| r.before.is_none());
    if !is_checkout {
        WorkFile::check_safe(repo.work_tree(), &place.path, going)?;
    }
    let known = record.as_ref().is_some_and(|r| r.after == now.seen);
    let marked = !find_markers(&Source::new(now.bytes.clone())).is_empty();
    let untouched = match &record {
        None if now.seen == Seen::Missing => lone_stage(place).is_none() && !place.has_lines(),
        None => marked || !place.has_lines(),
        Some(_) => is_checkout,
    };
    let kept = match now.seen {
        Seen::File(..) | Seen::Link(_) if !known && !untouched => {
            Some(store.keep(&place.path, &now.bytes)?)
        }
        _ => None,
    };
    Ok(Known {
        place: place.clone(),
        now,
        record,
        untouched,
        kept,
    })
}

fn note(one: &Known) -> Option<(RepoPath, Record)> {
    let record = one.record.as_ref()?;
    let begun = Begun {
        kind: WriteKind::TakeBack,
        path: one.place.path.bytes().to_vec(),
        owner: own().to_owned(),
        from: one.now.seen.clone(),
        earlier: Some(record.after.clone()),
    };
    let record = Record {
        begun: Some(begun),
        ..record.clone()
    };
    Some((one.place.path.clone(), record))
}
