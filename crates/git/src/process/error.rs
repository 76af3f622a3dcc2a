//! The errors of this crate; each text says what failed and what to do next.

use crate::path::RepoPath;
use std::path::PathBuf;

/// Why something asked of git or of the work tree was not done.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum Error {
    /// The program `git` could not be started.
    #[error("cannot start '{program}': {cause}; install git or put it on PATH")]
    NoGit {
        /// What was to be started.
        program: String,
        /// Why it could not be.
        cause: std::io::Error,
    },
    /// git ran and failed.
    #[error("git {command} failed ({status}): {message}")]
    Failed {
        /// The command with its first arguments.
        command: String,
        /// How it ended.
        status: String,
        /// What it printed, errors first.
        message: String,
    },
    /// Another process holds the lock of the index.
    #[error(
        "another git process holds '{lock}'; wait for it, or remove the file if none is running"
    )]
    Locked {
        /// The lock file.
        lock: String,
    },
    /// Not inside a work tree.
    #[error("'{folder}' is not inside a git work tree; go to one, or try 'armistice demo'")]
    NoRepository {
        /// Where it was looked for.
        folder: PathBuf,
    },
    /// git trusts no repository that somebody else owns.
    #[error(
        "the repository in '{folder}' belongs to another user, so git does not use it; if you trust it: git config --global --add safe.directory '{folder}'"
    )]
    NotOwned {
        /// Where it was looked for.
        folder: PathBuf,
    },
    /// A repository without a work tree.
    #[error(
        "'{folder}' is in a bare repository, which has no files to settle; go to a work tree of it"
    )]
    NoWorkTree {
        /// Where it was looked for.
        folder: PathBuf,
    },
    /// There is a `.git`, and git cannot use it.
    #[error(
        "'{git_dir}' is there and git cannot use it ({said}); 'git fsck' or a fresh clone may help"
    )]
    Broken {
        /// The folder or file.
        git_dir: PathBuf,
        /// What git said.
        said: String,
    },
    /// A name that stands for no commit.
    #[error("'{name}' names no commit here")]
    NoCommit {
        /// The name.
        name: String,
    },
    /// git does not know what it was asked to do.
    #[error(
        "this git is too old to merge in memory: version {needed} or newer is needed; 'armistice doctor' shows the installed version"
    )]
    TooOld {
        /// The first version that does.
        needed: &'static str,
    },
    /// git printed what no git prints.
    #[error("cannot read what git {command} printed: {what}")]
    Unreadable {
        /// The command.
        command: String,
        /// What could not be read.
        what: String,
    },
    /// A file or folder refused.
    #[error("cannot {action} '{path}': {cause}")]
    File {
        /// What was to be done: "read", "write", …
        action: &'static str,
        /// With which file.
        path: PathBuf,
        /// Why not.
        cause: std::io::Error,
    },
    /// The working file is not what it was when it was read.
    #[error("'{path}' was changed by another program since it was read; nothing was written")]
    ChangedOutside {
        /// Which file.
        path: RepoPath,
    },
    /// The repository is not where it was when it was looked at.
    #[error("{what}: the repository was changed outside of Armistice; nothing was done")]
    MovedOn {
        /// What is different.
        what: String,
    },
    /// The file may not be written, as its mode says.
    #[error("'{path}' is read-only; nothing was written")]
    ReadOnly {
        /// Which file.
        path: RepoPath,
    },
    /// What stands at the path cannot be replaced safely.
    #[error("'{path}' cannot be written: {why}")]
    Unsafe {
        /// Which file.
        path: RepoPath,
        /// Why not.
        why: &'static str,
    },
    /// A stored record could not be understood.
    #[error("cannot use '{path}': {why}")]
    Record {
        /// Which file.
        path: PathBuf,
        /// Why not.
        why: String,
    },
    /// What stopped this stopped others with it.
    #[error("{why}")]
    Stopped {
        /// What it was.
        why: String,
    },
    /// The work was stopped on request.
    #[error("stopped on request")]
    Cancelled,
}

impl Error {
    pub(crate) fn file(
        action: &'static str,
        path: impl Into<PathBuf>,
    ) -> impl FnOnce(std::io::Error) -> Error {
        let path = path.into();
        move |error| Error::File {
            action,
            path,
            cause: plain(error),
        }
    }

    /// The same error for another file that it stopped too.
    pub fn again(&self) -> Error {
        match self {
            Error::MovedOn { what } => Error::MovedOn { what: what.clone() },
            Error::Locked { lock } => Error::Locked { lock: lock.clone() },
            Error::Cancelled => Error::Cancelled,
            other => Error::Stopped {
                why: other.to_string(),
            },
        }
    }
}

/// What the system said, without the path that a library put behind it: errors name theirs.
fn plain(error: std::io::Error) -> std::io::Error {
    let inner = error.get_ref().and_then(|inner| inner.source());
    let system = inner.and_then(|inner| inner.downcast_ref::<std::io::Error>());
    match system.and_then(std::io::Error::raw_os_error) {
        Some(code) => std::io::Error::from_raw_os_error(code),
        None => error,
    }
}
