//! Whether a working file may be replaced: only what git or this program left there, unasked.

use crate::case::driven::all_cases;
use crate::case::one::Case;
use crate::case::reading::tree_entries;
use crate::file::work_file::{Seen, WorkFile, is_read_only};
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::objects::{Oid, hash_files};
use crate::repo::repository::Repository;
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

/// A case, its working file when it was read, and whether it may be replaced if it changed since.
pub(crate) type Guarded<'a> = (&'a Case, &'a Seen, Overwrite);

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
    let cases = files.iter().map(|(case, ..)| *case);
    let still = are_still_in_index(repo, &cases.collect::<Vec<_>>())?;
    let read = |((case, ..), still): (&Guarded<'_>, bool)| {
        if !still {
            return Err(gone(case));
        }
        WorkFile::check_safe(top, &case.path)?;
        WorkFile::read(top, &case.path)
    };
    let now: Vec<Result<WorkFile, Error>> = files.iter().zip(still).map(read).collect();
    // Only what nobody has allowed to be replaced is held against what git left there.
    let asked: Vec<(&Case, &WorkFile)> = (files.iter().zip(&now))
        .filter_map(|((case, seen, overwrite), now)| {
            let now = now.as_ref().ok()?;
            (*overwrite == Overwrite::No && now.seen == **seen).then_some((*case, now))
        })
        .collect();
    let as_left = are_as_left(repo, &asked)?;
    let unchanged: HashSet<&RepoPath> = (asked.iter().zip(as_left))
        .filter_map(|((case, _), as_left)| as_left.then_some(&case.path))
        .collect();
    let verdict = |((case, seen, overwrite), now): (&Guarded<'_>, &Result<WorkFile, _>)| match (
        overwrite, now,
    ) {
        (Overwrite::Yes, _) => true,
        (Overwrite::AsRead, Ok(now)) => now.seen == **seen,
        _ => unchanged.contains(&case.path),
    };
    let verdicts: Vec<bool> = files.iter().zip(&now).map(verdict).collect();
    let decide = |((case, _, overwrite), (now, allowed)): (&Guarded<'_>, (_, bool))| {
        let now: WorkFile = now?;
        match allowed {
            true if *overwrite != Overwrite::Yes && is_read_only(&now.file) => {
                Err(Error::ReadOnly {
                    path: case.path.clone(),
                })
            }
            true => Ok(now),
            false => Err(Error::ChangedOutside {
                path: case.path.clone(),
            }),
        }
    };
    Ok(files
        .iter()
        .zip(now.into_iter().zip(verdicts))
        .map(decide)
        .collect())
}

/// Whether the index still has the stages of cases, unmerged or to be undone; in order.
pub(crate) fn are_still_in_index(repo: &Repository, cases: &[&Case]) -> Result<Vec<bool>, Error> {
    let now = all_cases(repo)?;
    let now: HashMap<_, _> = now.iter().map(|case| (&case.path, &case.stages)).collect();
    let is = |case: &&Case| now.get(&case.path) == Some(&&case.stages);
    Ok(cases.iter().map(is).collect())
}

/// The index has nothing of this case any more.
pub(crate) fn gone(case: &Case) -> Error {
    Error::MovedOn {
        what: format!("'{}' is not the conflict any more that it was", case.path),
    }
}

/// Whether working files are what git, or this program, left there; in order.
fn are_as_left(repo: &Repository, files: &[(&Case, &WorkFile)]) -> Result<Vec<bool>, Error> {
    let records = Store::new(repo.git_dir()).records();
    let known = |(case, now): &(&Case, &WorkFile)| {
        let record = records.of(&case.path);
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
    let objects = objects_of(repo, asked.iter().map(|at| files[*at]))?;
    for (at, object) in asked.into_iter().zip(objects) {
        let (case, now) = files[at];
        let stages = || case.stages.all().into_iter().flatten();
        as_left[at] = match merged.get(&case.path) {
            Some(merged) if *merged == object => true,
            _ if stages().any(|stage| stage.oid == object) => true,
            // Put back into conflict by this program, it is not what git's merge left.
            _ => case.kind.has_lines() && looks_merged(repo, case, &now.bytes)?,
        };
    }
    Ok(as_left)
}

/// The objects that working files would become, in order.
fn objects_of<'a>(
    repo: &Repository,
    files: impl Iterator<Item = (&'a Case, &'a WorkFile)>,
) -> Result<Vec<Oid>, Error> {
    let files: Vec<_> = files.collect();
    let is_file = |now: &WorkFile| matches!(now.seen, Seen::File(..));
    let plain: Vec<(&RepoPath, &[u8])> = (files.iter())
        .filter(|(_, now)| is_file(now))
        .map(|(case, now)| (&case.path, now.bytes.as_slice()))
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
fn looks_merged(repo: &Repository, case: &Case, bytes: &[u8]) -> Result<bool, Error> {
    let [base, ours, theirs] = case.stages.all();
    let (Some(ours), Some(theirs)) = (ours, theirs) else {
        return Ok(false);
    };
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
