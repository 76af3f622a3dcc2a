//! What rules settled while git merged, as the merge driver noted it: no screen appears there.
//!
//! One line a file in `armistice/driven.jsonl` of the git folder, about the commit that was checked
//! out then. A note counts as long as that commit is checked out and what was merged is staged, or
//! what this program wrote in its place. A file that git merged and that somebody wants to
//! edit here is noted likewise, as one in which rules settled nothing.

use crate::case::one::Case;
use crate::case::place::Place;
use crate::case::reading::{places_in_index, staged_entries};
use crate::file::folders::{ROOT, make_folder, open, read_if_there};
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::process::runner::Runner;
use crate::repo::objects::Oid;
use crate::repo::repository::Repository;
use crate::repo::stages::{Stage, Stages};
use crate::repo::trees::tree_entries;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::fs::OpenOptions;
use std::io::Write as _;
use std::os::unix::ffi::OsStrExt as _;
use std::path::{Path, PathBuf};

/// A conflict that a rule settled while git merged.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct DrivenConflict {
    /// Its number in its file, counted from 1.
    pub conflict: usize,
    /// Where it stands in the merged file, counted from 1.
    pub line: usize,
    /// The rule's id.
    pub rule: String,
    /// How certain it was.
    pub certainty: String,
    /// Why.
    pub reason: String,
}

/// A file in which rules settled something while git merged.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct DrivenFile {
    /// Its path, as hexadecimal bytes.
    path: String,
    /// The commit that was checked out.
    head: Option<String>,
    /// The contents of base, ours and theirs, and of what came of them.
    base: Oid,
    ours: Oid,
    theirs: Oid,
    merged: Oid,
    /// What rules settled.
    pub settled: Vec<DrivenConflict>,
}

impl DrivenFile {
    /// Where it is.
    pub fn path(&self) -> RepoPath {
        let digits = self.path.as_bytes().chunks(2);
        let byte = |pair: &[u8]| {
            let pair = std::str::from_utf8(pair).ok()?;
            u8::from_str_radix(pair, 16).ok()
        };
        RepoPath::new(digits.filter_map(byte).collect::<Vec<u8>>())
    }

    fn stages(&self, like: &Stage) -> Stages {
        let stage = |oid: &Oid| {
            Some(Stage {
                mode: like.mode,
                oid: oid.clone(),
            })
        };
        Stages {
            base: stage(&self.base),
            ours: stage(&self.ours),
            theirs: stage(&self.theirs),
        }
    }
}

fn file(repo: &Repository) -> PathBuf {
    repo.git_dir().join(ROOT).join("driven.jsonl")
}

/// Notes what rules settled in a file, before it is handed to git. `versions` are the files that git
/// gave: base, ours and theirs.
///
/// # Errors
/// If git or the disk refuses.
pub fn note_driven(
    repo: &Repository,
    path: &Path,
    versions: [&Path; 3],
    merged: &[u8],
    settled: Vec<DrivenConflict>,
) -> Result<(), Error> {
    let call = Invocation::write(["hash-object", "-w", "--no-filters", "--stdin", "--"]);
    let call = versions.iter().fold(call, |call, file| call.arg(file));
    let oids = repo.must(&call.stdin(merged))?.text();
    let oids: Vec<Oid> = oids.lines().map(|oid| Oid(oid.trim().to_owned())).collect();
    let [merged, base, ours, theirs] = &oids[..] else {
        return Err(Error::Unreadable {
            command: "hash-object".to_owned(),
            what: format!("{} names for four texts", oids.len()),
        });
    };
    let path = RepoPath::new(path.as_os_str().as_bytes());
    let versions = [base, ours, theirs].map(Oid::clone);
    note(repo, &path, versions, merged.clone(), settled)
}

/// Notes a file that git merged: from now on it is a case, staged as it stands.
///
/// # Errors
/// If git or the disk refuses.
pub(crate) fn note_taken_in(
    repo: &Repository,
    path: &RepoPath,
    versions: [Oid; 3],
    merged: Oid,
) -> Result<(), Error> {
    note(repo, path, versions, merged, Vec::new())
}

fn note(
    repo: &Repository,
    path: &RepoPath,
    [base, ours, theirs]: [Oid; 3],
    merged: Oid,
    settled: Vec<DrivenConflict>,
) -> Result<(), Error> {
    let head = repo.resolve("HEAD")?;
    let note = DrivenFile {
        path: path.hex(),
        head: head.clone(),
        base,
        ours,
        theirs,
        merged,
        settled,
    };
    let file = file(repo);
    if let Some(folder) = file.parent() {
        make_folder(folder)?;
    }
    // What was noted about another commit is over.
    let old = read(repo).iter().all(|note| note.head == head);
    let mut options = OpenOptions::new();
    options.create(true).append(true);
    let mut file_open = open(&file, &mut options)?;
    if !old {
        file_open.set_len(0).map_err(Error::file("empty", &file))?;
    }
    let mut line = serde_json::to_vec(&note).unwrap_or_default();
    line.push(b'\n');
    file_open
        .write_all(&line)
        .map_err(Error::file("write", &file))
}

/// Merges files as git does where there is no driver, into the first; whether nothing clashed.
///
/// `files` and `labels` are those of ours, base and theirs. What is no text stays ours, and clashes.
///
/// # Errors
/// If git cannot be run.
pub fn merge_as_git_does(
    files: [&Path; 3],
    labels: &[String; 3],
    marker_size: usize,
) -> Result<bool, Error> {
    let size = format!("--marker-size={marker_size}");
    let call = Invocation::write(["merge-file", "-q", &size]);
    let call = labels
        .iter()
        .fold(call, |call, label| call.arg("-L").arg(label));
    let call = files
        .iter()
        .fold(call.arg("--"), |call, file| call.arg(file));
    let output = Runner::new(".").run(&call)?;
    Ok(output.ok())
}

/// All notes that can be read, the last of each path.
fn read(repo: &Repository) -> Vec<DrivenFile> {
    let bytes = read_if_there(&file(repo))
        .ok()
        .flatten()
        .unwrap_or_default();
    let lines = bytes.split(|b| *b == b'\n');
    let notes = lines.filter_map(|line| serde_json::from_slice::<DrivenFile>(line).ok());
    let last: BTreeMap<String, DrivenFile> = notes.map(|note| (note.path.clone(), note)).collect();
    last.into_values().collect()
}

/// Whether this program wrote a path for these stages.
pub(crate) type Wrote<'a> = dyn Fn(&RepoPath, &Stages) -> bool + 'a;

/// Files in which rules settled something while git merged and that stand as they were left: cases
/// as if they had been settled since, with what rules settled in them and in files that are still
/// in conflict.
///
/// # Errors
/// If git fails.
pub(crate) fn driven(
    repo: &Repository,
    known: &[Place],
    wrote: &Wrote<'_>,
) -> Result<(Vec<Case>, Vec<DrivenFile>), Error> {
    let mut notes = read(repo);
    if notes.is_empty() {
        return Ok((Vec::new(), Vec::new()));
    }
    let head = repo.resolve("HEAD")?;
    notes.retain(|note| note.head == head);
    let mut paths: Vec<RepoPath> = notes.iter().map(DrivenFile::path).collect();
    if let Some(incoming) = incoming_commit(repo)? {
        // A note of an earlier merge onto the same commit is about another version of theirs. A file
        // that the incoming commit has under another name cannot be compared.
        let theirs = tree_entries(repo, &incoming, &paths.iter().collect::<Vec<_>>())?;
        notes.retain(|note| {
            let theirs = theirs.get(&note.path());
            theirs.is_none_or(|entry| entry.oid == note.theirs)
        });
        paths = notes.iter().map(DrivenFile::path).collect();
    }
    let staged = staged_entries(repo, &paths.iter().collect::<Vec<_>>())?;
    let mut cases = Vec::new();
    let mut files = Vec::new();
    for (note, path) in notes.into_iter().zip(paths) {
        let stages = |stages: &Stages| {
            stages.names() == [&note.base, &note.ours, &note.theirs].map(|oid| oid.0.clone())
        };
        match known.iter().find(|place| place.path == path) {
            Some(place) if stages(&place.stages) => files.push(note),
            Some(_) => {}
            None => {
                if let Some(stage) = staged.get(&path)
                    && (stage.oid == note.merged || wrote(&path, &note.stages(stage)))
                {
                    let mut case = Case::new(path, note.stages(stage)).staged();
                    case.as_merged = stage.oid == note.merged;
                    cases.push(case);
                    files.push(note);
                }
            }
        }
    }
    files.retain(|note| !note.settled.is_empty());
    Ok((cases, files))
}

/// The commit that is merged, picked or applied again; `None` where there are several, and where the
/// contents that git merges are not those of the commit.
fn incoming_commit(repo: &Repository) -> Result<Option<String>, Error> {
    let heads = repo.state_file("MERGE_HEAD").unwrap_or_default();
    let renormalizes = repo.config("merge.renormalize")?.is_some();
    if heads.lines().count() > 1 || renormalizes {
        return Ok(None);
    }
    for name in ["MERGE_HEAD", "CHERRY_PICK_HEAD", "REBASE_HEAD"] {
        if let Some(commit) = repo.resolve(name)? {
            return Ok(Some(commit));
        }
    }
    Ok(None)
}

/// All paths of cases: those that the index tells of, and files in which rules settled something
/// while git merged.
pub(crate) fn all_places(repo: &Repository, wrote: &Wrote<'_>) -> Result<Vec<Place>, Error> {
    let mut places = places_in_index(repo)?;
    let (more, _) = driven(repo, &places, wrote)?;
    places.extend(more.into_iter().flat_map(|case| case.places));
    places.sort_by(|a, b| a.path.cmp(&b.path));
    Ok(places)
}

/// What rules settled while git merged what became the commit that is checked out now: nobody was
/// shown it before.
///
/// # Errors
/// If git fails.
pub(crate) fn driven_into_head(repo: &Repository) -> Result<Vec<DrivenFile>, Error> {
    let mut notes = read(repo);
    if notes.is_empty() {
        return Ok(notes);
    }
    let before = repo.resolve("HEAD^")?;
    notes.retain(|note| note.head.is_some() && note.head == before);
    let paths: Vec<RepoPath> = notes.iter().map(DrivenFile::path).collect();
    let there = tree_entries(repo, "HEAD", &paths.iter().collect::<Vec<_>>())?;
    let stands =
        |note: &DrivenFile| there.get(&note.path()).map(|entry| &entry.oid) == Some(&note.merged);
    notes.retain(|note| stands(note) && !note.settled.is_empty());
    Ok(notes)
}
