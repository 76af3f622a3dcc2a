//! Where the repository is.

use crate::file::times::IndexTimes;
use crate::process::cancel::Cancel;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation, Manner, Output};
use crate::process::runner::Runner;
use crate::repo::objects::{Oid, read_blobs};
use armistice_core::Source;
use std::collections::HashMap;
use std::ffi::OsString;
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard};

/// A work tree and its git folder; a linked work tree has a git folder of its own.
#[derive(Clone, Debug)]
pub struct Repository {
    git: Runner,
    work_tree: PathBuf,
    git_dir: PathBuf,
    common_dir: PathBuf,
    /// Contents read so far, by name: what was read for one screen is not read again for another.
    contents: Arc<Mutex<HashMap<Oid, Source>>>,
    /// Times that git renews when it reads the index.
    index_times: IndexTimes,
}

impl Repository {
    /// Finds the repository that `folder` is in, as git finds it: `GIT_DIR` and
    /// `GIT_WORK_TREE` count.
    ///
    /// # Errors
    /// If there is none, it has no work tree, or git is missing.
    pub fn discover(folder: &Path) -> Result<Self, Error> {
        let git = Runner::new(folder);
        let top = git.run(&Invocation::read(["rev-parse", "--show-toplevel"]))?;
        if !top.ok() || top.line().is_empty() {
            return Err(why_none(folder, &top.message()));
        }
        let dir = git.must(&Invocation::read(["rev-parse", "--absolute-git-dir"]))?;
        let call = ["rev-parse", "--path-format=absolute", "--git-common-dir"];
        let common = git.must(&Invocation::read(call))?;
        let (work_tree, git_dir, common_dir) = (path_of(&top), path_of(&dir), path_of(&common));
        let mut git = git.at(&work_tree);
        if std::env::var_os("GIT_DIR").is_some() {
            // Both may be relative to where we were started; every call runs at the top.
            git = git.with_env("GIT_DIR", &git_dir);
            git = git.with_env("GIT_WORK_TREE", &work_tree);
        }
        Ok(Repository {
            git,
            work_tree,
            index_times: IndexTimes::of(&git_dir, &common_dir),
            git_dir,
            common_dir,
            contents: Arc::default(),
        })
    }

    /// A repository of our own, wherever we were started; nothing is made by asking.
    pub(crate) fn private(work_tree: &Path, git_dir: &Path) -> Self {
        let git = Runner::new(work_tree)
            .with_env("GIT_DIR", git_dir)
            .with_env("GIT_WORK_TREE", work_tree)
            .with_env("GIT_CONFIG_GLOBAL", "/dev/null")
            .with_env("GIT_CONFIG_NOSYSTEM", "1");
        Repository {
            git,
            work_tree: work_tree.to_owned(),
            git_dir: git_dir.to_owned(),
            common_dir: git_dir.to_owned(),
            contents: Arc::default(),
            index_times: IndexTimes::default(),
        }
    }

    /// Top of the work tree.
    pub fn work_tree(&self) -> &Path {
        &self.work_tree
    }

    /// The git folder of this very work tree.
    pub fn git_dir(&self) -> &Path {
        &self.git_dir
    }

    /// The git folder that all work trees share.
    pub fn common_dir(&self) -> &Path {
        &self.common_dir
    }

    /// The same repository; its calls end when `cancel` says so.
    #[must_use]
    pub fn until(&self, cancel: &Cancel) -> Self {
        Repository {
            git: self.git.until(cancel),
            ..self.clone()
        }
    }

    /// The same repository for calls that may write: all that they write goes into `folder`, a git
    /// folder of their own, which [`make_private_folder`](crate::repo::private_folder) has made.
    #[must_use]
    pub(crate) fn writing_into(&self, folder: &Path) -> Self {
        let variable = std::env::var_os;
        let own = variable("GIT_OBJECT_DIRECTORY").map(PathBuf::from);
        let own = own.unwrap_or_else(|| self.common_dir.join("objects"));
        // What the user set stays readable.
        let also = variable("GIT_ALTERNATE_OBJECT_DIRECTORIES");
        let mut all = quoted(&own);
        if let Some(also) = also {
            all.push(":");
            all.push(also);
        }
        let git = self.git.clone().outside_of_repositories();
        let git = git
            .with_env("GIT_DIR", folder)
            .with_env("GIT_WORK_TREE", &self.work_tree)
            .with_env("GIT_CONFIG_GLOBAL", "/dev/null")
            .with_env("GIT_CONFIG_NOSYSTEM", "1")
            .with_env("GIT_ALTERNATE_OBJECT_DIRECTORIES", all);
        Repository {
            git,
            ..self.clone()
        }
    }

    /// Contents of objects, in order; only those that were not read before are asked for.
    pub(crate) fn contents(&self, oids: &[Oid]) -> Result<Vec<Source>, Error> {
        let mut new: Vec<Oid> = {
            let known = self.known_contents();
            let unknown = oids.iter().filter(|oid| !known.contains_key(oid));
            unknown.cloned().collect()
        };
        new.sort_unstable();
        new.dedup();
        let read = read_blobs(self, &new)?.into_iter().map(Source::new);
        let mut known = self.known_contents();
        known.extend(new.into_iter().zip(read));
        let found = oids.iter().filter_map(|oid| known.get(oid).cloned());
        Ok(found.collect())
    }

    fn known_contents(&self) -> MutexGuard<'_, HashMap<Oid, Source>> {
        match self.contents.lock() {
            Ok(known) => known,
            // A thread that panicked while it held the lock left whole entries behind.
            Err(poisoned) => poisoned.into_inner(),
        }
    }

    /// Forgets contents that were read: another step has others.
    pub fn forget_contents(&self) {
        self.known_contents().clear();
    }

    /// What a revision names, if it names anything.
    pub fn resolve(&self, revision: &str) -> Result<Option<String>, Error> {
        let call = Invocation::read(["rev-parse", "--verify", "--quiet", revision]);
        let output = self.run(&call)?;
        Ok(output.ok().then(|| output.text()))
    }

    /// A file in the git folder, if it is there.
    pub(crate) fn state_file(&self, name: &str) -> Option<String> {
        let bytes = std::fs::read(self.git_dir.join(name)).ok()?;
        Some(String::from_utf8_lossy(&bytes).trim_end().to_owned())
    }

    pub(crate) fn has_state(&self, name: &str) -> bool {
        self.git_dir.join(name).exists()
    }

    /// All settings that git sees here, includes resolved, in their order; keys in lower case but for
    /// the middle part. A later value of the same key counts.
    pub(crate) fn settings(&self) -> Result<Vec<(String, Option<String>)>, Error> {
        let listed = self.must(&Invocation::read(["config", "--list", "-z"]))?;
        let records = listed.stdout.split(|b| *b == 0).filter(|r| !r.is_empty());
        let setting = |record: &[u8]| {
            let text = String::from_utf8_lossy(record).into_owned();
            match text.split_once('\n') {
                Some((key, value)) => (key.to_owned(), Some(value.to_owned())),
                None => (text, None),
            }
        };
        Ok(records.map(setting).collect())
    }

    /// The name that git gives the user's commits; `None` if it has none.
    pub fn user_name(&self) -> Option<String> {
        self.config("user.name").ok().flatten()
    }

    /// A configuration value, if it is set.
    pub(crate) fn config(&self, key: &str) -> Result<Option<String>, Error> {
        let output = self.run(&Invocation::read(["config", "--get", key]))?;
        Ok(output.ok().then(|| output.text()))
    }
}

impl Git for Repository {
    fn run(&self, call: &Invocation) -> Result<Output, Error> {
        let output = self.git.run(call);
        if call.manner == Manner::Read {
            self.index_times.put_back();
        }
        output
    }
}

/// Why git finds no work tree here, by what it said.
fn why_none(folder: &Path, said: &str) -> Error {
    let folder = std::path::absolute(folder).unwrap_or_else(|_| folder.to_owned());
    if said.contains("dubious ownership") {
        return Error::NotOwned { folder };
    }
    if said.contains("must be run in a work tree") || said.is_empty() {
        return Error::NoWorkTree { folder };
    }
    // git passes a folder over that is no repository and looks further up; to the person it is one.
    let mut above = folder.ancestors().map(|folder| folder.join(".git"));
    match above.find(|git| git.symlink_metadata().is_ok()) {
        Some(git_dir) => Error::Broken {
            git_dir,
            said: said.trim().to_owned(),
        },
        None => Error::NoRepository { folder },
    }
}

/// A path as git reads it in a list of paths: quoted where it holds what parts them.
fn quoted(path: &Path) -> OsString {
    let bytes = path.as_os_str().as_bytes();
    if !bytes.iter().any(|b| matches!(b, b':' | b'"' | b'\\')) {
        return path.as_os_str().to_owned();
    }
    let mut out = vec![b'"'];
    for byte in bytes {
        if matches!(byte, b'"' | b'\\') {
            out.push(b'\\');
        }
        out.push(*byte);
    }
    out.push(b'"');
    OsString::from_vec(out)
}

/// A path that git printed with a newline behind it; the path may hold newlines itself.
fn path_of(output: &Output) -> PathBuf {
    PathBuf::from(OsString::from_vec(output.line().to_vec()))
}
