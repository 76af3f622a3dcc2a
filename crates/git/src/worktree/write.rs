//! Finishing a case: working files and index together.
//!
//! Order matters. What stands there is copied aside, it is noted what is begun and what will stand
//! there, the new file is made ready beside its place, then the index is changed (which fails whole
//! if its lock is held), then one rename puts the file in place, and the note says that it is done.
//! Whatever fails, both are as they were; whenever the program is killed, `mend` brings it to an end.
//! Of the paths of one case either all are written or none.

use crate::case::one::Case;
use crate::case::outcomes::FileOutcome;
use crate::case::place::Place;
use crate::file::owner::own;
use crate::file::work_file::{Seen, WorkFile};
use crate::parallel::{DISK_THREADS, in_parallel};
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::objects::write_blobs;
use crate::repo::repository::Repository;
use crate::repo::stages::Stage;
use crate::store::records::Store;
use crate::store::written::{Begun, Beside, Copy, Record, Records, WriteKind};
use crate::worktree::change::Change;
use crate::worktree::contents::{contents_of, missing, put_back, seen_of};
use crate::worktree::guard::{Guarded, Overwrite, guard_all};
use crate::worktree::planned::{Planned, Wanted, planned};
use crate::worktree::request::{Outcome, WriteRequest};
use crate::worktree::staging::{stage_entries, unstage};
use std::collections::HashSet;
use std::path::PathBuf;

/// What was written.
#[derive(Clone, Debug)]
pub struct Written {
    /// The working file as it was left.
    pub seen: Seen,
    /// Where the bytes that stood there before are kept.
    pub kept: Option<PathBuf>,
}

/// Writes and stages cases, all of them with the same few calls of git; what came of each, in order.
///
/// The working file gets what git's filters make of merged bytes (line ends, and
/// whatever else attributes ask for); the index gets the bytes themselves.
///
/// # Errors
/// For one case: if a working file changed since it was read or was edited by hand after git
/// stopped and that is not allowed, if it is not safe to write there, if the outcome is not one of
/// [`Case::outcomes`], or if git or the disk refuses. Nothing has changed for that case then.
pub fn write_all(repo: &Repository, requests: &[WriteRequest<'_>]) -> Vec<Result<Written, Error>> {
    let mut results: Vec<Option<Result<Written, Error>>> = requests.iter().map(|_| None).collect();
    let turn = Store::new(repo.git_dir()).write_lock();
    let done = turn
        .as_ref()
        .map_err(Error::again)
        .and_then(|_| begin(repo, requests, &mut results))
        .and_then(|pending| finish(repo, requests, pending, &mut results));
    // What stopped all of them is the error of each that has no result of its own.
    let stopped = done.err();
    let or_stopped =
        |(result, case): (Option<Result<Written, Error>>, &Case)| match (result, &stopped) {
            (Some(result), _) => result,
            (None, Some(error)) => Err(error.again()),
            (None, None) => Err(missing(&case.path)),
        };
    let cases = requests.iter().map(|request| request.case);
    results.into_iter().zip(cases).map(or_stopped).collect()
}

/// A path on its way: guarded, what stands there copied aside, its new entry and content known.
struct Pending {
    /// Which request it is of.
    nth: usize,
    place: Place,
    now: WorkFile,
    kept: Option<PathBuf>,
    stage: Option<Stage>,
    content: Vec<u8>,
    /// The working file as it will be.
    after: Seen,
}

/// Guards, stores and copies aside; what fails by itself gets its result and is left out.
fn begin(
    repo: &Repository,
    requests: &[WriteRequest<'_>],
    results: &mut [Option<Result<Written, Error>>],
) -> Result<Vec<Pending>, Error> {
    let store = Store::new(repo.git_dir());
    let records = store.records();
    let mut all: Vec<(usize, Planned)> = Vec::new();
    for (nth, request) in requests.iter().enumerate() {
        match planned(repo, &records, request) {
            Ok(paths) => all.extend(paths.into_iter().map(|path| (nth, path))),
            Err(error) => results[nth] = Some(Err(error)),
        }
    }
    let goes = |(_, path): &&(usize, Planned)| path.wanted == Wanted::Gone;
    let going: Vec<RepoPath> = all
        .iter()
        .filter(goes)
        .map(|(_, path)| path.place.path.clone())
        .collect();
    let guarded: Vec<Guarded<'_>> = all
        .iter()
        .map(|(nth, path)| Guarded {
            place: &path.place,
            versions: &requests[*nth].case.stages,
            seen: &path.seen,
            overwrite: path.overwrite,
            in_index_alone: path.in_index_alone,
            going: &going,
        })
        .collect();
    let mut guarded: Vec<_> = guard_all(repo, &guarded)?.into_iter().map(Some).collect();
    // Of one case all or none.
    for ((nth, _), now) in all.iter().zip(&mut guarded) {
        if let Some(Err(_)) = now
            && results[*nth].is_none()
            && let Some(Err(error)) = now.take()
        {
            results[*nth] = Some(Err(error));
        }
    }
    let merged = requests.iter().enumerate().filter_map(|(nth, request)| {
        let Outcome::Bytes(bytes) = request.result else {
            return None;
        };
        results[nth].is_none().then_some((nth, bytes))
    });
    let merged: Vec<(usize, &[u8])> = merged.collect();
    let texts: Vec<&[u8]> = merged.iter().map(|(_, bytes)| *bytes).collect();
    let oids = write_blobs(repo, &texts)?;
    let oid = |of: usize| {
        let at = merged.iter().position(|(nth, _)| *nth == of)?;
        oids.get(at).cloned()
    };
    let mut staged = Vec::new();
    for ((nth, path), now) in all.into_iter().zip(guarded) {
        let (true, Some(Ok(now))) = (results[nth].is_none(), now) else {
            continue;
        };
        let stage = match path.wanted {
            Wanted::Gone => None,
            Wanted::Entry(stage) => Some(stage),
            Wanted::Merged(mode) => {
                let oid = oid(nth).ok_or_else(|| missing(&path.place.path))?;
                Some(Stage { mode, oid })
            }
        };
        staged.push((nth, path.place, now, stage));
    }
    let entries = staged.iter();
    let contents = contents_of(
        repo,
        entries.map(|(_, place, _, stage)| (place, stage.as_ref())),
    )?;
    let copied = in_parallel(
        staged.into_iter().zip(contents),
        DISK_THREADS,
        |((nth, place, now, stage), content)| {
            let kept = keep(&store, &place, &now);
            (nth, place, now, stage, content, kept)
        },
    );
    let mut pending = Vec::new();
    for (nth, place, now, stage, content, kept) in copied {
        match kept {
            Ok(kept) => pending.push(Pending {
                nth,
                place,
                now,
                kept,
                after: seen_of(stage.as_ref(), &content),
                stage,
                content,
            }),
            Err(error) => results[nth] = Some(Err(error)),
        }
    }
    pending.retain(|one| results[one.nth].is_none());
    Ok(pending)
}

/// Copies aside what stands there.
fn keep(store: &Store, place: &Place, now: &WorkFile) -> Result<Option<PathBuf>, Error> {
    match now.seen {
        Seen::File(..) | Seen::Link(_) => store.keep(&place.path, &now.bytes).map(Some),
        Seen::Missing | Seen::Other => Ok(None),
    }
}

/// Notes all files, makes them ready, stages their entries in one step, then puts each in its place.
fn finish(
    repo: &Repository,
    requests: &[WriteRequest<'_>],
    mut pending: Vec<Pending>,
    results: &mut [Option<Result<Written, Error>>],
) -> Result<(), Error> {
    if pending.is_empty() {
        return Ok(());
    }
    let head = repo.resolve("HEAD")?;
    let store = Store::new(repo.git_dir());
    let earlier = store.records();
    // What goes, goes first: its place may be needed, by another case as well.
    let mut stays = vec![false; requests.len()];
    for one in &pending {
        stays[one.nth] |= one.stage.is_some();
    }
    pending.sort_by_key(|one| (stays[one.nth], one.nth, one.stage.is_some()));
    let paths: Vec<RepoPath> = pending.iter().map(|one| one.place.path.clone()).collect();
    let mut records: Vec<Record> = (pending.iter())
        .map(|one| record_of(&earlier, one, &requests[one.nth].case.path, &head))
        .collect();
    // Noted first: what cannot be noted must not be staged either.
    store.record(paths.iter().zip(records.iter().map(Some)))?;
    let not_begun =
        |paths: &[&RepoPath]| store.record(paths.iter().map(|path| (*path, earlier.of(path))));
    let mut all = Vec::new();
    for (one, change) in in_parallel(pending.into_iter(), DISK_THREADS, make_ready) {
        match change {
            Ok(change) => all.push((one, Some(change))),
            Err(error) => {
                results[one.nth] = Some(Err(error));
                all.push((one, None));
            }
        }
    }
    let (ready, failed): (Vec<_>, Vec<_>) =
        (all.into_iter()).partition(|(one, change)| change.is_some() && results[one.nth].is_none());
    let mut failed: Vec<RepoPath> = failed.into_iter().map(|(one, _)| one.place.path).collect();
    let entries = ready
        .iter()
        .map(|(one, _)| (&one.place, one.stage.as_ref()));
    if let Err(error) = stage_entries(repo, entries) {
        not_begun(&paths.iter().collect::<Vec<_>>())?;
        return Err(error);
    }
    let mut done = Vec::new();
    let mut ready = ready.into_iter().peekable();
    while let Some((first, change)) = ready.next() {
        let nth = first.nth;
        let mut group = vec![(first, change)];
        while let Some(next) = ready.next_if(|(one, _)| one.nth == nth) {
            group.push(next);
        }
        let of_case: Vec<RepoPath> = group
            .iter()
            .map(|(one, _)| one.place.path.clone())
            .collect();
        let put = put_group(repo, group, &requests[nth]);
        match put {
            Ok(_) => done.extend(of_case),
            Err(_) => failed.extend(of_case),
        }
        results[nth] = Some(put);
    }
    if !failed.is_empty() {
        not_begun(&failed.iter().collect::<Vec<_>>())?;
    }
    records.iter_mut().for_each(|record| record.begun = None);
    let put: HashSet<&RepoPath> = done.iter().collect();
    let noted = paths.iter().zip(records.iter().map(Some));
    store.record_done(noted.filter(|(path, _)| put.contains(path)))?;
    // Only spares git a second look at the files; it does no harm if it fails.
    for paths in done.chunks(200) {
        let call = Invocation::write(["add", "--refresh", "--"]);
        let _ = repo.run(&paths.iter().fold(call, |call, path| call.arg(path.to_os())));
    }
    Ok(())
}

/// Makes the new file ready beside its place.
fn make_ready(mut one: Pending) -> (Pending, Result<Change, Error>) {
    let content = std::mem::take(&mut one.content);
    let change = Change::prepare(one.stage.as_ref(), content, &one.now.file, &one.now.seen);
    (one, change)
}

/// Puts the files of one case in their places; if one fails all are as they were, in the index too.
fn put_group(
    repo: &Repository,
    group: Vec<(Pending, Option<Change>)>,
    request: &WriteRequest<'_>,
) -> Result<Written, Error> {
    let places: Vec<Place> = group.iter().map(|(one, _)| one.place.clone()).collect();
    let mut done: Vec<(Place, Record)> = Vec::new();
    let mut main = None;
    for (one, change) in group {
        let Some(change) = change else { continue };
        let put = put(repo, &one, change, request.overwrite);
        match put {
            Ok(left) if main.is_none() || one.place.path == request.case.path => {
                main = Some(Written {
                    seen: left.seen,
                    kept: one.kept.clone(),
                });
            }
            Ok(_) => {}
            Err(error) => {
                unstage(repo, &places.iter().collect::<Vec<_>>())?;
                done.sort_by_key(|(_, record)| record.before.is_some());
                for (place, record) in &done {
                    put_back(repo, place, Some(record), &[])?;
                }
                return Err(error);
            }
        }
        let record = record_of(&Records::default(), &one, &request.case.path, &None);
        done.push((one.place, record));
    }
    main.ok_or_else(|| missing(&request.case.path))
}

/// Puts one file in its place.
fn put(
    repo: &Repository,
    one: &Pending,
    change: Change,
    overwrite: Overwrite,
) -> Result<WorkFile, Error> {
    let top = repo.work_tree();
    // Where many files are written at once, one may have changed since it was guarded. A folder may
    // be gone with the files that went with it.
    let still = WorkFile::read(top, &one.place.path).and_then(|file| {
        let folder_gone = one.now.seen == Seen::Other && file.seen == Seen::Missing;
        match file.seen == one.now.seen || folder_gone {
            true => Ok(()),
            false if overwrite == Overwrite::Yes => Ok(()),
            false => Err(Error::ChangedOutside {
                path: one.place.path.clone(),
            }),
        }
    });
    still
        .and_then(|()| change.carry_out(top, &one.now.file))
        .and_then(|()| WorkFile::read(top, &one.place.path))
}

/// Settles one case by a whole-file outcome: as [`write_all`].
///
/// # Errors
/// As [`write_all`].
pub fn settle_outcome(
    repo: &Repository,
    case: &Case,
    outcome: FileOutcome,
    name: Option<&RepoPath>,
    seen: &Seen,
    overwrite: Overwrite,
) -> Result<Written, Error> {
    only(write_all(
        repo,
        &[WriteRequest {
            case,
            result: Outcome::Whole(outcome),
            seen,
            overwrite,
            mode: None,
            name,
        }],
    ))
}

fn only(results: Vec<Result<Written, Error>>) -> Result<Written, Error> {
    // One request has one result; stopped before it began, nothing was done.
    results.into_iter().next().unwrap_or(Err(Error::Cancelled))
}

/// What to remember for taking back: a file written for the second time still
/// goes back to what git left, not to what was written first.
fn record_of(
    earlier: &Records,
    pending: &Pending,
    case: &RepoPath,
    head: &Option<String>,
) -> Record {
    let place = &pending.place;
    let earlier = earlier.of(&place.path);
    let before = match earlier.filter(|record| record.stages == place.stages) {
        Some(earlier) => earlier.before.clone(),
        None => pending.kept.clone().map(|file| Copy {
            file,
            is_link: matches!(pending.now.seen, Seen::Link(_)),
            executable: Some(pending.now.executable),
        }),
    };
    let begun = Begun {
        kind: WriteKind::Write(pending.stage.clone()),
        path: place.path.bytes().to_vec(),
        owner: own().to_owned(),
        from: pending.now.seen.clone(),
        earlier: earlier.map(|record| record.after.clone()),
    };
    let beside = (!place.is_conflict()).then(|| Beside {
        case: case.bytes().to_vec(),
        path: place.path.bytes().to_vec(),
        merged: place.merged.clone(),
    });
    Record {
        stages: place.stages.clone(),
        beside,
        before,
        after: pending.after.clone(),
        head: head.clone(),
        staged: pending.stage.clone(),
        begun: Some(begun),
    }
}
