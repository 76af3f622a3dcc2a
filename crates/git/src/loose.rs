//! Three loose files, settled without a repository of their own.
//!
//! They become a conflict in a private repository below the user's folder for
//! state, so that decisions survive as they do anywhere else. What is written
//! there is delivered to the file that was asked for.

use crate::file::folders::file_name_hash;
use crate::file::output::OutputFile;
use crate::file::owner::sweep;
use crate::file::work_file::write_atomically;
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::repository::Repository;
use crate::situation::read::Situation;
use crate::worktree::guard::Overwrite;
use armistice_core::Versions;
use armistice_core::limits::LOOSE_REPOSITORIES;
use std::ffi::OsStr;
use std::fs;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};

/// Loose files and where their merge goes.
#[derive(Clone, Debug)]
pub struct Loose {
    repo: Repository,
    folder: PathBuf,
    output: OutputFile,
    labels: [String; 2],
    /// What stood at the output when it was first looked at.
    before: Option<Vec<u8>>,
    /// What was delivered last.
    delivered: Arc<Mutex<Option<Vec<u8>>>>,
}

impl Loose {
    /// Makes the conflict, or finds the one that was made of the same texts before.
    ///
    /// # Errors
    /// If a file or folder refuses, or git fails.
    pub fn make(
        state: &Path,
        versions: &Versions,
        output: &Path,
        labels: [String; 2],
    ) -> Result<Self, Error> {
        let output = OutputFile::at(output)?;
        let path = output.path();
        let name = path.file_name().unwrap_or(OsStr::new("merged")).to_owned();
        let texts = [&versions.base, &versions.ours, &versions.theirs];
        let mut key = path.as_os_str().as_bytes().to_vec();
        for text in texts {
            key.extend(file_name_hash(text.bytes()).into_bytes());
        }
        let all = state.join("loose");
        let folder = all.join(file_name_hash(&key));
        let is_new = !folder.join("work").exists();
        let work = folder.join("work");
        fs::create_dir_all(&work).map_err(Error::file("create", &work))?;
        let repo = Repository::private(&work, &folder.join("git"));
        if is_new {
            conflict(&repo, &RepoPath::new(name.as_bytes()), versions)?;
            prune(&all, &folder);
        }
        if let Some(folder) = path.parent() {
            sweep(folder);
        }
        Ok(Loose {
            repo,
            folder,
            before: output.read()?,
            output,
            labels,
            delivered: Arc::default(),
        })
    }

    /// The private repository.
    pub fn repo(&self) -> &Repository {
        &self.repo
    }

    /// Puts the files' own names into a situation.
    pub fn name(&self, situation: &mut Situation) {
        situation.ours.label = self.labels[0].clone();
        situation.theirs.label = self.labels[1].clone();
        (situation.ours.commit, situation.theirs.commit) = (None, None);
        // The private repository's own branch is nobody's business.
        situation.branch = Some("loose files".to_owned());
    }

    /// Writes the merged text to the output.
    ///
    /// # Errors
    /// If the output changed since it was looked at and `overwrite` does not allow
    /// replacing it, or it cannot be written.
    pub fn deliver(&self, bytes: &[u8], overwrite: Overwrite) -> Result<(), Error> {
        let now = self.output.read()?;
        let mut delivered = self.lock();
        let known = now == self.before || now == *delivered;
        if !known && overwrite == Overwrite::No {
            return Err(Error::ChangedOutside {
                path: RepoPath::new(self.output.path().as_os_str().as_bytes()),
            });
        }
        self.output.write(bytes, overwrite == Overwrite::Yes)?;
        *delivered = Some(bytes.to_vec());
        Ok(())
    }

    /// Puts back what stood at the output, if it is still what was delivered.
    ///
    /// # Errors
    /// If it was changed meanwhile, or cannot be written.
    pub fn take_back(&self) -> Result<(), Error> {
        let mut delivered = self.lock();
        if delivered.is_none() {
            return Ok(());
        }
        if self.output.read()? != *delivered {
            return Err(Error::ChangedOutside {
                path: RepoPath::new(self.output.path().as_os_str().as_bytes()),
            });
        }
        match &self.before {
            // It was written, so it may be written back.
            Some(bytes) => self.output.write(bytes, true)?,
            None => {
                let file = self.output.path();
                fs::remove_file(file).map_err(Error::file("remove", file))?;
            }
        }
        *delivered = None;
        Ok(())
    }

    /// Whether the output has the merged text; what was kept to come back to is then gone.
    pub fn close(self) -> bool {
        let done = self.lock().is_some();
        if done {
            // What cannot be removed now is pruned some day.
            let _ = fs::remove_dir_all(&self.folder);
        }
        done
    }

    fn lock(&self) -> std::sync::MutexGuard<'_, Option<Vec<u8>>> {
        match self.delivered.lock() {
            Ok(held) => held,
            Err(poisoned) => poisoned.into_inner(),
        }
    }
}

/// An index with the three texts.
fn conflict(repo: &Repository, path: &RepoPath, versions: &Versions) -> Result<(), Error> {
    repo.must(&Invocation::write(["init", "-q"]))?;
    // Bytes in are bytes out, whatever the user's own settings are.
    for (key, value) in [
        ("core.autocrlf", "false"),
        ("core.attributesFile", "/dev/null"),
        ("core.hooksPath", "/dev/null"),
    ] {
        repo.must(&Invocation::write(["config", key, value]))?;
    }
    let mut entries = Vec::new();
    let texts = [&versions.base, &versions.ours, &versions.theirs];
    for (stage, text) in (1..).zip(texts) {
        let call = Invocation::write(["hash-object", "-w", "--stdin"]).stdin(text.bytes());
        let oid = repo.must(&call)?.text();
        entries.extend(format!("100644 {oid} {stage}\t").into_bytes());
        entries.extend_from_slice(path.bytes());
        entries.push(0);
    }
    repo.must(&Invocation::write(["update-index", "-z", "--index-info"]).stdin(entries))?;
    // Ours stands in the working file: nobody edited it, as far as this repository knows.
    write_atomically(&path.under(repo.work_tree()), versions.ours.bytes(), None)
}

fn prune(all: &Path, but: &Path) {
    let folders = fs::read_dir(all).into_iter().flatten().flatten();
    let mut old: Vec<_> = folders.map(|f| f.path()).filter(|p| p != but).collect();
    old.sort_by_key(|p| fs::metadata(p).and_then(|m| m.modified()).ok());
    let excess = old.len().saturating_sub(LOOSE_REPOSITORIES);
    for folder in old.into_iter().take(excess) {
        // One that cannot be removed stays.
        let _ = fs::remove_dir_all(folder);
    }
}
