//! Finishing a case: working file and index together, and taking that back.
//!
//! Order matters. What stands there is copied aside, it is noted what is begun and what will stand
//! there, the new file is made ready beside its place, then the index is changed (which fails whole
//! if its lock is held), then one rename puts the file in place, and the note says that it is done.
//! Whatever fails, both are as they were; whenever the program is killed, `mend` brings it to an end.

use crate::case::kinds::CaseKind;
use crate::case::one::Case;
use crate::case::outcomes::FileOutcome;
use crate::case::stages::Stage;
use crate::file::owner::own;
use crate::file::work_file::{Seen, WorkFile};
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::index::Mode;
use crate::repo::objects::{Oid, filtered, read_blobs, write_blobs};
use crate::repo::repository::Repository;
use crate::store::records::Store;
use crate::store::written::{Begun, Copy, Record, Records, WriteKind};
use crate::worktree::change::Change;
use crate::worktree::guard::{Overwrite, guard_all};
use crate::worktree::parallel::in_parallel;
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

/// What shall become of a case.
#[derive(Clone, Copy, Debug)]
pub enum Outcome<'a> {
    /// These merged bytes stand.
    Bytes(&'a [u8]),
    /// The file as a whole, as one version has it.
    Whole(FileOutcome),
}

/// A case to be written and staged.
#[derive(Clone, Copy, Debug)]
pub struct WriteRequest<'a> {
    /// Which case.
    pub case: &'a Case,
    /// What shall stand there.
    pub result: Outcome<'a>,
    /// The working file when it was read.
    pub seen: &'a Seen,
    /// Whether it may be replaced if it changed since.
    pub overwrite: Overwrite,
    /// Its mode, where the versions do not tell: [`Stages::mode_clash`](crate::Stages::mode_clash).
    pub mode: Option<Mode>,
}

/// Writes and stages cases, all of them with the same few calls of git; what came of each, in order.
///
/// The working file gets what git's filters make of merged bytes (line ends, and
/// whatever else attributes ask for); the index gets the bytes themselves.
///
/// # Errors
/// For one case: if the working file changed since it was read or was edited by hand after git
/// stopped and that is not allowed, if it is not safe to write there, if the outcome is not one of
/// [`Case::outcomes`], or if git or the disk refuses. Nothing has changed for that case then.
pub fn write_all(repo: &Repository, requests: &[WriteRequest<'_>]) -> Vec<Result<Written, Error>> {
    let mut results: Vec<Option<Result<Written, Error>>> = requests.iter().map(|_| None).collect();
    let turn = Store::new(repo.git_dir()).turn();
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
            (None, None) => Err(missing(case)),
        };
    let cases = requests.iter().map(|request| request.case);
    results.into_iter().zip(cases).map(or_stopped).collect()
}

/// A case on its way: guarded, what stands there copied aside, its new entry and content known.
struct Pending<'a> {
    nth: usize,
    case: &'a Case,
    now: WorkFile,
    kept: Option<PathBuf>,
    stage: Option<Stage>,
    content: Vec<u8>,
    /// The working file as it will be.
    after: Seen,
}

/// Guards, stores and copies aside; what fails by itself gets its result and is left out.
fn begin<'a>(
    repo: &Repository,
    requests: &[WriteRequest<'a>],
    results: &mut [Option<Result<Written, Error>>],
) -> Result<Vec<Pending<'a>>, Error> {
    let guarded: Vec<_> = requests
        .iter()
        .map(|r| (r.case, r.seen, r.overwrite))
        .collect();
    let guarded = guard_all(repo, &guarded)?;
    let merged = requests
        .iter()
        .zip(&guarded)
        .filter_map(|(request, now)| match request.result {
            Outcome::Bytes(bytes) if now.is_ok() => Some(bytes),
            _ => None,
        });
    let mut oids = write_blobs(repo, &merged.collect::<Vec<_>>())?.into_iter();
    let mut staged = Vec::new();
    for (nth, (request, now)) in requests.iter().zip(guarded).enumerate() {
        let entry = now.and_then(|now| Ok((now, new_entry(request, &mut oids)?)));
        match entry {
            Ok((now, stage)) => staged.push((nth, request.case, now, stage)),
            Err(error) => results[nth] = Some(Err(error)),
        }
    }
    let contents = contents_of(
        repo,
        staged
            .iter()
            .map(|(_, case, _, stage)| (*case, stage.as_ref())),
    )?;
    let store = Store::new(repo.git_dir());
    let mut pending = Vec::new();
    let staged = staged.into_iter().zip(contents);
    let copied = in_parallel(staged, |((nth, case, now, stage), content)| {
        let kept = keep(&store, case, &now);
        (nth, case, now, stage, content, kept)
    });
    for (nth, case, now, stage, content, kept) in copied {
        match kept {
            Ok(kept) => pending.push(Pending {
                nth,
                case,
                now,
                kept,
                after: seen_of(stage.as_ref(), &content),
                stage,
                content,
            }),
            Err(error) => results[nth] = Some(Err(error)),
        }
    }
    Ok(pending)
}

/// The index entry that a case shall have; `None` if its file goes.
fn new_entry(
    request: &WriteRequest<'_>,
    oids: &mut impl Iterator<Item = Oid>,
) -> Result<Option<Stage>, Error> {
    let case = request.case;
    let outcome = match request.result {
        Outcome::Bytes(_) => {
            let clash = case.stages.mode_clash().is_some();
            let mode = match request.mode.filter(|_| clash) {
                Some(mode) => mode,
                None if clash => {
                    return Err(Error::Unsafe {
                        path: case.path.clone(),
                        why: "both sides added it, one as a program and one not; say which",
                    });
                }
                None => case.stages.merged_mode(),
            };
            let oid = oids.next().ok_or_else(|| missing(case))?;
            return Ok(Some(Stage { mode, oid }));
        }
        Outcome::Whole(outcome) => outcome,
    };
    if !case.outcomes().contains(&outcome) {
        return Err(Error::Unsafe {
            path: case.path.clone(),
            why: "this case has no such outcome",
        });
    }
    let mut stage = case.stage(outcome).cloned();
    // Ours or theirs means the content; a mode that one side alone changed stays.
    if let (Some(stage), CaseKind::BothEdited) = (&mut stage, case.kind) {
        stage.mode = case.stages.merged_mode();
    }
    Ok(stage)
}

/// What shall stand in the work tree for entries, in order; nothing for a file that goes.
pub(crate) fn contents_of<'a>(
    repo: &Repository,
    entries: impl Iterator<Item = (&'a Case, Option<&'a Stage>)>,
) -> Result<Vec<Vec<u8>>, Error> {
    let entries: Vec<_> = entries.collect();
    let is_link = |stage: &&Stage| stage.mode == Mode::Link;
    let files: Vec<(&RepoPath, &Oid)> = (entries.iter())
        .filter_map(|(case, stage)| {
            let stage = stage.filter(|stage| !is_link(stage))?;
            Some((&case.path, &stage.oid))
        })
        .collect();
    let links = entries
        .iter()
        .filter_map(|(_, stage)| stage.filter(is_link));
    let links: Vec<Oid> = links.map(|stage| stage.oid.clone()).collect();
    let mut files = filtered(repo, &files)?.into_iter();
    let mut links = read_blobs(repo, &links)?.into_iter();
    let next = |(case, stage): (&Case, Option<&Stage>)| match stage {
        Some(stage) if is_link(&stage) => links.next().ok_or_else(|| missing(case)),
        Some(_) => files.next().ok_or_else(|| missing(case)),
        None => Ok(Vec::new()),
    };
    entries.into_iter().map(next).collect()
}

/// git gave fewer answers than it was asked for: better no file than a wrong one.
fn missing(case: &Case) -> Error {
    Error::Unreadable {
        command: "about several files".to_owned(),
        what: format!("nothing for '{}'", case.path),
    }
}

/// Copies aside what stands there.
fn keep(store: &Store, case: &Case, now: &WorkFile) -> Result<Option<PathBuf>, Error> {
    match now.seen {
        Seen::File(..) | Seen::Link(_) => store.keep(&case.path, &now.bytes).map(Some),
        Seen::Missing | Seen::Other => Ok(None),
    }
}

/// The working file that an entry makes.
pub(crate) fn seen_of(stage: Option<&Stage>, content: &[u8]) -> Seen {
    match stage {
        None => Seen::Missing,
        Some(stage) if stage.mode == Mode::Link => Seen::link(content),
        Some(_) => Seen::file(content),
    }
}

/// Notes all files, makes them ready, stages their entries in one step, then puts each in its place.
fn finish(
    repo: &Repository,
    requests: &[WriteRequest<'_>],
    pending: Vec<Pending<'_>>,
    results: &mut [Option<Result<Written, Error>>],
) -> Result<(), Error> {
    if pending.is_empty() {
        return Ok(());
    }
    let head = repo.resolve("HEAD")?;
    let store = Store::new(repo.git_dir());
    let earlier = store.records();
    let paths: Vec<&RepoPath> = pending.iter().map(|one| &one.case.path).collect();
    let mut records: Vec<Record> = (pending.iter())
        .map(|one| record_of(&earlier, one, &head))
        .collect();
    // Noted first: what cannot be noted must not be staged either.
    store.record(paths.iter().copied().zip(records.iter().map(Some)))?;
    let not_begun =
        |paths: &[&RepoPath]| store.record(paths.iter().map(|path| (*path, earlier.of(path))));
    let (mut ready, mut failed) = (Vec::new(), Vec::new());
    for (one, change) in in_parallel(pending.into_iter(), make_ready) {
        match change {
            Ok(change) => ready.push((one, change)),
            Err(error) => {
                failed.push(&one.case.path);
                results[one.nth] = Some(Err(error));
            }
        }
    }
    let entries = ready.iter().map(|(one, _)| (one.case, one.stage.as_ref()));
    if let Err(error) = stage_entries(repo, entries) {
        not_begun(&paths)?;
        return Err(error);
    }
    let mut done = Vec::new();
    for (one, change) in ready {
        let (nth, path) = (one.nth, &one.case.path);
        let put = put(repo, &one.now, change, one.case, requests[nth].overwrite);
        match put {
            Ok(_) => done.push(path),
            Err(_) => failed.push(path),
        }
        results[nth] = Some(put.map(|left| Written {
            seen: left.seen,
            kept: one.kept,
        }));
    }
    if !failed.is_empty() {
        not_begun(&failed)?;
    }
    records.iter_mut().for_each(|record| record.begun = None);
    let put: HashSet<&RepoPath> = done.iter().copied().collect();
    let noted = paths.iter().copied().zip(records.iter().map(Some));
    store.record_done(noted.filter(|(path, _)| put.contains(path)))?;
    // Only spares git a second look at the files; it does no harm if it fails.
    for paths in done.chunks(200) {
        let call = Invocation::write(["add", "--refresh", "--"]);
        let _ = repo.run(&paths.iter().fold(call, |call, path| call.arg(path.to_os())));
    }
    Ok(())
}

/// Makes the new file ready beside its place.
fn make_ready(mut one: Pending<'_>) -> (Pending<'_>, Result<Change, Error>) {
    let content = std::mem::take(&mut one.content);
    let change = Change::prepare(one.stage.as_ref(), content, &one.now.file);
    (one, change)
}

/// Puts one file in its place; if that fails its entry is taken back.
fn put(
    repo: &Repository,
    now: &WorkFile,
    change: Change,
    case: &Case,
    overwrite: Overwrite,
) -> Result<WorkFile, Error> {
    let top = repo.work_tree();
    // Where many files are written at once, one may have changed since it was guarded.
    let still = WorkFile::read(top, &case.path).and_then(|file| match file.seen == now.seen {
        true => Ok(()),
        false if overwrite == Overwrite::Yes => Ok(()),
        false => Err(Error::ChangedOutside {
            path: case.path.clone(),
        }),
    });
    let done = still
        .and_then(|()| change.carry_out(&now.file))
        .and_then(|()| WorkFile::read(top, &case.path));
    if done.is_err() {
        unstage(repo, case)?;
    }
    done
}

/// Settles one case by a whole-file outcome: as [`write_all`].
///
/// # Errors
/// As [`write_all`].
pub fn settle_outcome(
    repo: &Repository,
    case: &Case,
    outcome: FileOutcome,
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
        }],
    ))
}

fn only(results: Vec<Result<Written, Error>>) -> Result<Written, Error> {
    // One request has one result; stopped before it began, nothing was done.
    results.into_iter().next().unwrap_or(Err(Error::Cancelled))
}

/// What to remember for taking back: a file written for the second time still
/// goes back to what git left, not to what was written first.
fn record_of(earlier: &Records, pending: &Pending<'_>, head: &Option<String>) -> Record {
    let stages = &pending.case.stages;
    let earlier = earlier.of(&pending.case.path);
    let before = match earlier.filter(|record| record.stages == *stages) {
        Some(earlier) => earlier.before.clone(),
        None => pending.kept.clone().map(|file| Copy {
            file,
            is_link: matches!(pending.now.seen, Seen::Link(_)),
        }),
    };
    let begun = Begun {
        kind: WriteKind::Write(pending.stage.clone()),
        path: pending.case.path.bytes().to_vec(),
        owner: own().to_owned(),
        from: pending.now.seen.clone(),
        earlier: earlier.map(|record| record.after.clone()),
    };
    Record {
        stages: stages.clone(),
        before,
        after: pending.after.clone(),
        head: head.clone(),
        begun: Some(begun),
    }
}
