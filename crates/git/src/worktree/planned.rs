//! What an outcome of a case asks of each path: the paths in conflict, and those that go or come
//! with them.

use crate::case::kinds::CaseKind;
use crate::case::one::Case;
use crate::case::outcomes::FileOutcome;
use crate::case::place::Place;
use crate::case::reading::{files_below, staged_entries};
use crate::file::work_file::{Seen, WorkFile};
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::repo::index::Mode;
use crate::repo::objects::hash_files;
use crate::repo::repository::Repository;
use crate::repo::stages::Stage;
use crate::store::written::Records;
use crate::worktree::guard::Overwrite;
use crate::worktree::request::{Outcome, WriteRequest};
use std::fs;
use std::os::unix::ffi::OsStrExt as _;

/// The entry that a path shall have.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Wanted {
    /// None, and no file.
    Gone,
    /// This one.
    Entry(Stage),
    /// The merged text, which is stored later.
    Merged(Mode),
}

/// One path of a case that is to be written.
#[derive(Clone, Debug)]
pub(crate) struct Planned {
    pub(crate) place: Place,
    pub(crate) wanted: Wanted,
    /// The working file as it was read.
    pub(crate) seen: Seen,
    pub(crate) overwrite: Overwrite,
    /// Whether the working file stays as it is: the checkout of a submodule is not ours to change.
    pub(crate) in_index_alone: bool,
}

/// What is asked of each path of a case.
///
/// # Errors
/// If the outcome is none of the case's, or does not say which of two modes or names; if a name is
/// taken; if git fails.
pub(crate) fn planned(
    repo: &Repository,
    records: &Records,
    request: &WriteRequest<'_>,
) -> Result<Vec<Planned>, Error> {
    let case = request.case;
    let entries = entries(request)?;
    let mut places = case.places.clone();
    // What went or came with it the last time comes back, or goes.
    let beside = records.beside(&case.path);
    let beside = beside
        .into_iter()
        .filter(|place| !case.has_path(&place.path));
    places.extend(beside);
    for (path, _) in &entries {
        if places.iter().any(|place| place.path == *path) {
            continue;
        }
        let there = staged_entries(repo, &[path])?.remove(path);
        if there.is_some() {
            return Err(Error::Unsafe {
                path: path.clone(),
                why: "there is another file of that name already",
            });
        }
        places.push(Place::beside(path.clone(), None));
    }
    for (path, wanted) in &entries {
        let may_be_folder = matches!(wanted, Wanted::Merged(_)) || !is_submodule(wanted);
        if may_be_folder && path.under(repo.work_tree()).is_dir() {
            let below = files_below(repo, path)?.into_iter();
            let below = below.map(|(path, stage)| Place::beside(path, Some(stage)));
            let new: Vec<Place> = below
                .filter(|new| places.iter().all(|place| place.path != new.path))
                .collect();
            places.extend(new);
        }
    }
    let left_over = left_over(repo, case)?;
    let is_left_over = |place: &Place| left_over.contains(&place.path);
    for path in &left_over {
        if places.iter().all(|place| place.path != *path) {
            places.push(Place::beside(path.clone(), None));
        }
    }
    let top = repo.work_tree();
    let mut all = Vec::with_capacity(places.len());
    for place in places {
        let wanted = match entries.iter().find(|(path, _)| *path == place.path) {
            Some((_, wanted)) => wanted.clone(),
            // What was in no conflict and is not in the way stands as it stood.
            None => match (
                folder_entry(case, &place).or(place.merged.as_ref()),
                entries.iter().any(|(path, _)| is_below(&place.path, path)),
            ) {
                (Some(merged), false) => Wanted::Entry(merged.clone()),
                _ => Wanted::Gone,
            },
        };
        let is_main = place.path == case.path;
        let seen = match is_main {
            true => request.seen.clone(),
            false => WorkFile::read(top, &place.path)?.seen,
        };
        let overwrite = match (is_main, request.overwrite) {
            (true, overwrite) => overwrite,
            (false, Overwrite::Yes) => Overwrite::Yes,
            // It was just found to be git's own.
            (false, _) if is_left_over(&place) => Overwrite::AsRead,
            (false, _) => Overwrite::No,
        };
        let stages = place.stages.all().into_iter().flatten();
        let was_submodule = stages
            .chain(&place.merged)
            .any(|s| s.mode == Mode::Submodule);
        let is_folder = seen == Seen::Other;
        all.push(Planned {
            in_index_alone: is_folder
                && (is_submodule(&wanted)
                    || wanted == Wanted::Gone
                        && (was_submodule || case.kind == CaseKind::FileAgainstFolder))
                || wanted == Wanted::Gone && seen == Seen::Missing && !is_main,
            place,
            wanted,
            seen,
            overwrite,
        });
    }
    Ok(all)
}

/// What the folder's side has at a path below a file that is in conflict with the folder.
fn folder_entry<'a>(case: &Case, place: &'a Place) -> Option<&'a Stage> {
    let inside =
        case.kind == CaseKind::FileAgainstFolder && is_below(&place.path, &case.targets[1]);
    let stages = [&place.stages.ours, &place.stages.theirs];
    let mut stages = stages.into_iter().flatten();
    stages.next().filter(|_| inside)
}

fn is_submodule(wanted: &Wanted) -> bool {
    matches!(wanted, Wanted::Entry(stage) if stage.mode == Mode::Submodule)
}

fn is_below(path: &RepoPath, folder: &RepoPath) -> bool {
    let rest = path.bytes().strip_prefix(folder.bytes());
    rest.is_some_and(|rest| rest.starts_with(b"/"))
}

/// The paths that shall have an entry; all others of the case go.
fn entries(request: &WriteRequest<'_>) -> Result<Vec<(RepoPath, Wanted)>, Error> {
    let case = request.case;
    let refused = |why| Error::Unsafe {
        path: case.path.clone(),
        why,
    };
    let named = |target: &RepoPath| request.name.unwrap_or(target).clone();
    let outcome = match request.result {
        Outcome::Bytes(_) => {
            let clash = case.stages.mode_clash().is_some();
            let mode = match request.mode.filter(|_| clash) {
                Some(mode) => mode,
                None if clash => {
                    return Err(refused(
                        "both sides added it, one as a program and one not; say which",
                    ));
                }
                None => case.stages.merged_mode(),
            };
            if case.name_clash().is_some() && request.name.is_none() {
                return Err(refused("it has two names; say which"));
            }
            return Ok(vec![(named(&case.targets[1]), Wanted::Merged(mode))]);
        }
        Outcome::Whole(outcome) => outcome,
    };
    let both_named = outcome == FileOutcome::Both
        && request.name.is_some()
        && case.stages.ours.is_some()
        && case.stages.theirs.is_some();
    if !case.outcomes().contains(&outcome) && !both_named {
        return Err(refused("this outcome is not possible here"));
    }
    let entry = |stage: &Option<Stage>| stage.clone().map(Wanted::Entry);
    let [_, ours, theirs] = case.stages.all();
    let [base_name, ours_name, theirs_name] = &case.targets;
    let all = match outcome {
        FileOutcome::Remove => Vec::new(),
        FileOutcome::OwnName => {
            let own = case.own_name().unwrap_or(&case.path);
            vec![(named(own), entry(&case.stage(outcome).cloned()))]
        }
        FileOutcome::Both => vec![
            (ours_name.clone(), entry(ours)),
            (named(theirs_name), entry(theirs)),
        ],
        FileOutcome::Base => vec![(named(base_name), entry(&case.stages.base))],
        FileOutcome::Ours => vec![(named(ours_name), entry(ours))],
        FileOutcome::Theirs => vec![(named(theirs_name), entry(theirs))],
    };
    let mut all: Vec<(RepoPath, Wanted)> = all
        .into_iter()
        .filter_map(|(path, wanted)| Some((path, wanted?)))
        .collect();
    // Ours or theirs means the content; a mode that one side alone changed stays.
    let kept = matches!(case.kind, CaseKind::BothEdited | CaseKind::RenamedTwoWays);
    for (_, wanted) in &mut all {
        if let Wanted::Entry(stage) = wanted
            && kept
            && outcome != FileOutcome::Both
        {
            stage.mode = case.stages.merged_mode();
        }
    }
    Ok(all)
}

/// Files that git's older merge put aside beside a path: untracked, named by a label, with what one
/// side has.
fn left_over(repo: &Repository, case: &Case) -> Result<Vec<RepoPath>, Error> {
    let aside = matches!(
        case.kind,
        CaseKind::FileAgainstFolder | CaseKind::Link | CaseKind::Submodule
    );
    if !aside {
        return Ok(Vec::new());
    }
    let name = &case.targets[1];
    let file = name.under(repo.work_tree());
    let start = [name.bytes(), b"~"].concat();
    let folder = file.parent().unwrap_or(repo.work_tree());
    let entries = fs::read_dir(folder).into_iter().flatten().flatten();
    let beside = entries.filter_map(|entry| {
        let path = entry.path();
        let path = path.strip_prefix(repo.work_tree()).ok()?;
        let path = path.as_os_str().as_bytes();
        path.starts_with(&start).then(|| RepoPath::new(path))
    });
    let mut found = Vec::new();
    for path in beside.filter(|path| !case.has_path(path)) {
        let now = WorkFile::read(repo.work_tree(), &path)?;
        let is_file = matches!(now.seen, Seen::File(..));
        if !is_file || !staged_entries(repo, &[&path])?.is_empty() {
            continue;
        }
        let own = hash_files(repo, &[(&path, &now.bytes)])?;
        let mut stages = case.stages.all().into_iter().flatten();
        if stages.any(|stage| Some(&stage.oid) == own.first()) {
            found.push(path);
        }
    }
    Ok(found)
}
