//! Where the repository is.

use crate::process::cancel::Cancel;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation, Output};
use crate::process::runner::Runner;
use std::ffi::OsString;
use std::os::unix::ffi::OsStringExt;
use std::path::{Path, PathBuf};

/// A work tree and its git folder; a linked work tree has a git folder of its own.
#[derive(Clone, Debug)]
pub struct Repository {
    git: Runner,
    work_tree: PathBuf,
    git_dir: PathBuf,
    common_dir: PathBuf,
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
            return Err(Error::NoRepository {
                folder: folder.to_owned(),
            });
        }
        let dir = git.must(&Invocation::read(["rev-parse", "--absolute-git-dir"]))?;
        let call = ["rev-parse", "--path-format=absolute", "--git-common-dir"];
        let common = git.must(&Invocation::read(call))?;
        let (work_tree, git_dir) = (path_of(&top), path_of(&dir));
        let mut git = git.at(&work_tree);
        if std::env::var_os("GIT_DIR").is_some() {
            // Both may be relative to where we were started; every call runs at the top.
            git = git.with_env("GIT_DIR", &git_dir);
            git = git.with_env("GIT_WORK_TREE", &work_tree);
        }
        Ok(Repository {
            git,
            work_tree,
            git_dir,
            common_dir: path_of(&common),
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

    /// What a revision names, if it names anything.
    pub(crate) fn resolve(&self, revision: &str) -> Result<Option<String>, Error> {
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

    /// A configuration value, if it is set.
    pub(crate) fn config(&self, key: &str) -> Result<Option<String>, Error> {
        let output = self.run(&Invocation::read(["config", "--get", key]))?;
        Ok(output.ok().then(|| output.text()))
    }
}

impl Git for Repository {
    fn run(&self, call: &Invocation) -> Result<Output, Error> {
        self.git.run(call)
    }
}

/// A path that git printed with a newline behind it; the path may hold newlines itself.
fn path_of(output: &Output) -> PathBuf {
    PathBuf::from(OsString::from_vec(output.line().to_vec()))
}
