//! What was about to be begun, and how the repository was before: noted before git is called, removed
//! when it has answered. If the program or git dies in between, the next start knows what it was.

use crate::file::folders::{ROOT, make_folder, read_if_there, remove_file};
use crate::file::owner::{is_alive, own};
use crate::file::work_file::write_atomically;
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::repository::Repository;
use crate::store::before;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use std::path::PathBuf;

/// Of the notes that come with copies of the state before.
const FORMAT: u32 = 2;

/// A command that was about to be run.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Intent {
    #[serde(default)]
    format: u32,
    /// The words after `git`.
    pub command: Vec<String>,
    /// The program that runs it.
    owner: String,
    /// The commit that was checked out.
    pub(crate) head: Option<String>,
    /// The branch that was checked out, as a reference.
    pub(crate) branch: Option<String>,
    /// Whether it ends an operation or goes on with it, rather than beginning one.
    pub(crate) is_ending: bool,
    /// Copies of files in conflict that it may discard: their paths, and the files of the copies.
    pub(crate) kept: Vec<(Vec<u8>, PathBuf)>,
    /// Tracked files that were not as the index has them, by their bytes.
    pub(crate) changed: Vec<Vec<u8>>,
    /// Untracked files, ignored ones left out, by their bytes.
    pub(crate) untracked: Vec<Vec<u8>>,
}

fn file(repo: &Repository) -> PathBuf {
    repo.git_dir().join(ROOT).join("intent.json")
}

/// The tracked files that are not as the index has them, and the untracked ones that are not ignored.
pub(crate) type NotInIndex = [BTreeSet<RepoPath>; 2];

impl Intent {
    /// Notes that a command is about to begin an operation; when this returns the note and the copies
    /// of the state before survive the machine.
    ///
    /// # Errors
    /// If git or the disk refuses: nothing is to be run then.
    pub(crate) fn to_begin(
        repo: &Repository,
        command: Vec<String>,
        files: NotInIndex,
    ) -> Result<Self, Error> {
        Self::forget(repo)?;
        before::save(repo, false)?;
        Self::note(repo, command, files, None)
    }

    /// Notes that a command is about to end an operation, or to go on with it; `kept` are copies of
    /// files in conflict.
    ///
    /// # Errors
    /// As for [`Self::to_begin`].
    pub(crate) fn to_end(
        repo: &Repository,
        command: Vec<String>,
        files: NotInIndex,
        kept: Vec<(RepoPath, PathBuf)>,
    ) -> Result<Self, Error> {
        Self::forget(repo)?;
        before::save(repo, true)?;
        Self::note(repo, command, files, Some(kept))
    }

    fn note(
        repo: &Repository,
        command: Vec<String>,
        [changed, untracked]: NotInIndex,
        kept: Option<Vec<(RepoPath, PathBuf)>>,
    ) -> Result<Self, Error> {
        let bytes = |paths: BTreeSet<RepoPath>| paths.iter().map(|p| p.bytes().to_vec()).collect();
        let branch = repo.run(&Invocation::read(["symbolic-ref", "--quiet", "HEAD"]))?;
        let is_ending = kept.is_some();
        let kept = kept.unwrap_or_default().into_iter();
        let intent = Intent {
            format: FORMAT,
            command,
            owner: own().to_owned(),
            head: repo.resolve("HEAD")?,
            branch: branch.ok().then(|| branch.text()),
            is_ending,
            kept: kept
                .map(|(path, copy)| (path.bytes().to_vec(), copy))
                .collect(),
            changed: bytes(changed),
            untracked: bytes(untracked),
        };
        let file = file(repo);
        if let Some(folder) = file.parent() {
            make_folder(folder)?;
        }
        let text = serde_json::to_vec(&intent).map_err(|why| Error::Record {
            path: file.clone(),
            why: why.to_string(),
        })?;
        write_atomically(&file, &text, None)?;
        Ok(intent)
    }

    /// The one that a program left which is gone, or that git left half-way for this program; none if
    /// there is none, or it cannot be read.
    pub(crate) fn left_behind(repo: &Repository) -> Option<Self> {
        Self::read(repo).filter(|intent| intent.owner == own() || !is_alive(&intent.owner))
    }

    fn read(repo: &Repository) -> Option<Self> {
        let bytes = read_if_there(&file(repo)).ok().flatten()?;
        let intent: Self = serde_json::from_slice(&bytes).ok()?;
        // Without the copies there is no way back.
        (intent.format == FORMAT).then_some(intent)
    }

    /// Forgets it: git has answered, or what was left of it is cleared up.
    ///
    /// # Errors
    /// If the file cannot be removed.
    pub(crate) fn forget(repo: &Repository) -> Result<(), Error> {
        remove_file(&file(repo))?;
        before::forget(repo)
    }

    /// Whether a path was as the index had it, or was not there.
    pub(crate) fn was_untouched(&self, path: &RepoPath) -> bool {
        let is = |other: &Vec<u8>| other == path.bytes();
        !self.changed.iter().any(is) && !self.untracked.iter().any(is)
    }
}
