//! Whether a working file may be replaced: only what git or this program left there, unasked.

use crate::case::driven::all_places;
use crate::case::place::Place;
use crate::file::work_file::{Seen, WorkFile, is_read_only};
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::objects::{Oid, hash_files};
use crate::repo::repository::Repository;
use crate::repo::stages::Stages;
use crate::repo::trees::tree_entries;
use crate::store::records::Store;
use armistice_core::{Source, find_markers};
use std::collections::{HashMap, HashSet};

/// Whether a working file that changed may be replaced.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Overwrite {
    /// No: refuse if it is not what was read or what git left.
    No,
    /// If it is what was read: a person has taken it into account, whoever wrote it.
    AsRead,
    /// Yes, by decision of a person; a copy is kept. Read-only files as well.
    Yes,
}

/// A path, its working file when it was read, and whether it may be replaced if it changed since.
#[derive(Clone, Copy)]
pub(crate) struct Guarded<'a> {
    pub(crate) place: &'a Place,
    /// The versions of its case: git may have merged them into a path that has one stage alone.
    pub(crate) versions: &'a Stages,
    pub(crate) seen: &'a Seen,
    pub(crate) overwrite: Overwrite,
    /// Whether only its entry in the index changes.
    pub(crate) in_index_alone: bool,
    /// Paths that go with it: what stands at them is not in its way.
    pub(crate) going: &'a [RepoPath],
}

/// Looks whether working files may be replaced; each as it is now, in order.
///
/// # Errors
/// If git fails for all of them. For one: if it is not in the index as it was, is not safe to write there, it cannot be read,
/// or it changed and that was not allowed.
pub(crate) fn guard_all(
    repo: &Repository,
    files: &[Guarded<'_>],
) -> Result<Vec<Result<WorkFile, Error>>, Error> {
    let top = repo.work_tree();
    let places = files.iter().map(|file| file.place);
    let still = are_still_in_index(repo, &places.collect::<Vec<_>>())?;
    let read = |(file, still): (&Guarded<'_>, bool)| {
        if !still {
            return Err(gone(file.place));
        }
        if !file.in_index_alone {
            WorkFile::check_safe(top, &file.place.path, file.going)?;
        }
        WorkFile::read(top, &file.place.path)
    };
    let now: Vec<Result<WorkFile, Error>> = files.iter().zip(still).map(read).collect();
    // Only what nobody has allowed to be replaced is held against what git left there.
    let asked: Vec<(&Place, &Stages, &WorkFile)> = (files.iter().zip(&now))
        .filter_map(|(file, now)| {
            let now = now.as_ref().ok()?;
            let unasked = file.overwrite == Overwrite::No && now.seen == *file.seen;
            unasked.then_some((file.place, file.versions, now))
        })
        .collect();
    let as_left = are_as_left(repo, &asked)?;
    let unchanged: HashSet<&RepoPath> = (asked.iter().zip(as_left))
        .filter_map(|((place, ..), as_left)| as_left.then_some(&place.path))
        .collect();
    let verdict = |(file, now): (&Guarded<'_>, &Result<WorkFile, _>)| match (file.overwrite, now) {
        _ if file.in_index_alone => true,
        (Overwrite::Yes, _) => true,
        (Overwrite::AsRead, Ok(now)) => now.seen == *file.seen,
        _ => unchanged.contains(&file.place.path),
    };
    let verdicts: Vec<bool> = files.iter().zip(&now).map(verdict).collect();
    let decide = |(file, (now, allowed)): (&Guarded<'_>, (_, bool))| {
        let now: WorkFile = now?;
        let path = file.place.path.clone();
        match allowed {
            true if file.overwrite != Overwrite::Yes && is_read_only(&now.file) => {
                Err(Error::ReadOnly { path })
            }
            true => Ok(now),
            false => Err(Error::ChangedOutside { path }),
        }
    };
    Ok(files
        .iter()
        .zip(now.into_iter().zip(verdicts))
        .map(decide)
        .collect())
}

/// Whether the index still has the stages of places, unmerged or to be undone; in order.
///
/// Of a path that was in no conflict only the working file tells.
pub(crate) fn are_still_in_index(repo: &Repository, places: &[&Place]) -> Result<Vec<bool>, Error> {
    let records = Store::new(repo.git_dir()).records();
    let now = all_places(repo, &|path, stages| records.wrote_for(path, stages))?;
    let now: HashMap<_, _> = now
        .iter()
        .map(|place| (&place.path, &place.stages))
        .collect();
    let is = |place: &&Place| !place.is_conflict() || now.get(&place.path) == Some(&&place.stages);
    Ok(places.iter().map(is).collect())
}

/// The index has nothing of this place any more.
pub(crate) fn gone(place: &Place) -> Error {
    Error::MovedOn {
        what: format!("'{}' is not the conflict any more that it was", place.path),
    }
}

/// Whether working files are what git, or this program, left there; in order.
fn are_as_left(
    repo: &Repository,
    files: &[(&Place, &Stages, &WorkFile)],
) -> Result<Vec<bool>, Error> {
    let records = Store::new(repo.git_dir()).records();
    let known = |(place, _, now): &(&Place, &Stages, &WorkFile)| {
        let record = records.of(&place.path);
        matches!(now.seen, Seen::Missing | Seen::Other)
            || record.is_some_and(|r| r.after == now.seen)
    };
    let mut as_left: Vec<bool> = files.iter().map(known).collect();
    let asked: Vec<usize> = (0..files.len()).filter(|at| !as_left[*at]).collect();
    if asked.is_empty() {
        return Ok(as_left);
    }
    let paths: Vec<&RepoPath> = asked.iter().map(|at| &files[*at].0.path).collect();
    // What git's merge left at the paths, where git remembers it.
    let merged = match repo.resolve("AUTO_MERGE")? {
        Some(tree) => tree_entries(repo, &tree, &paths)?,
        None => HashMap::new(),
    };
    let objects = objects_of(repo, asked.iter().map(|at| (files[*at].0, files[*at].2)))?;
    for (at, object) in asked.into_iter().zip(objects) {
        let (place, versions, now) = files[at];
        let stages = || place.stages.all().into_iter().flatten();
        as_left[at] = match merged.get(&place.path) {
            Some(merged) if merged.oid == object => true,
            _ if stages()
                .chain(&place.merged)
                .any(|stage| stage.oid == object) =>
            {
                true
            }
            // Put back into conflict by this program, it is not what git's merge left.
            _ if place.has_lines() => looks_merged(repo, &place.stages, &now.bytes)?,
            _ => looks_merged(repo, versions, &now.bytes)?,
        };
    }
    Ok(as_left)
}

/// The objects that working files would become, in order.
fn objects_of<'a>(
    repo: &Repository,
    files: impl Iterator<Item = (&'a Place, &'a WorkFile)>,
) -> Result<Vec<Oid>, Error> {
    let files: Vec<_> = files.collect();
    let is_file = |now: &WorkFile| matches!(now.seen, Seen::File(..));
    let plain: Vec<(&RepoPath, &[u8])> = (files.iter())
        .filter(|(_, now)| is_file(now))
        .map(|(place, now)| (&place.path, now.bytes.as_slice()))
        .collect();
    let mut hashed = hash_files(repo, &plain)?.into_iter();
    let mut objects = Vec::with_capacity(files.len());
    for (_, now) in files {
        let next = if is_file(now) { hashed.next() } else { None };
        objects.push(match next {
            Some(oid) => oid,
            // The target of a link is stored as it is.
            None => {
                let call = Invocation::read(["hash-object", "--stdin"]).stdin(now.bytes.clone());
                Oid(repo.must(&call)?.text())
            }
        });
    }
    Ok(objects)
}

/// Whether `bytes` are what git would merge the three versions to, labels and
/// line ends aside.
fn looks_merged(repo: &Repository, versions: &Stages, bytes: &[u8]) -> Result<bool, Error> {
    let [base, ours, theirs] = versions.all();
    let (Some(ours), Some(theirs)) = (ours, theirs) else {
        return Ok(false);
    };
    if !ours.mode.is_text_like() || !theirs.mode.is_text_like() {
        return Ok(false);
    }
    let base = match base {
        Some(stage) => stage.oid.clone(),
        // git knows the empty blob without its being stored, by its name of either length.
        None => Oid(repo
            .must(&Invocation::read(["hash-object", "--stdin"]))?
            .text()),
    };
    let plain = bare(bytes);
    let ways = ["histogram", "myers"].into_iter();
    for (algorithm, style) in ways.flat_map(|way| [(way, "-q"), (way, "--diff3")]) {
        let algorithm = format!("--diff-algorithm={algorithm}");
        let args = [
            "merge-file",
            "-p",
            "-q",
            style,
            "--object-id",
            &algorithm,
            &ours.oid.0,
            &base.0,
            &theirs.oid.0,
        ];
        if bare(&repo.run(&Invocation::read(args))?.stdout) == plain {
            return Ok(true);
        }
    }
    Ok(false)
}

/// Lines without carriage returns and without what stands behind markers.
fn bare(bytes: &[u8]) -> Vec<Vec<u8>> {
    let text = Source::new(bytes);
    let markers: Vec<_> = find_markers(&text)
        .into_iter()
        .map(|(line, _)| line)
        .collect();
    let line = |at| match markers.binary_search(&at) {
        Ok(_) => text
            .line(at)
            .content()
            .first()
            .copied()
            .into_iter()
            .collect(),
        Err(_) => text.line(at).content().to_vec(),
    };
    text.all().iter().map(line).collect()
}
