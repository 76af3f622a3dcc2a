//! Which operation of git is in progress.

use crate::process::error::Error;
use crate::repo::repository::Repository;
use serde::Serialize;
use std::fmt;

/// How a rebase does its work inside git.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Backend {
    /// `git rebase --merge`, the usual one.
    Merge,
    /// `git rebase --apply`, by patches.
    Apply,
}

impl fmt::Display for Backend {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Backend::Merge => "merge backend",
            Backend::Apply => "apply backend",
        })
    }
}

/// What git is in the middle of.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case", tag = "name")]
pub enum Operation {
    /// A merge.
    Merge,
    /// A rebase.
    Rebase {
        /// How it works.
        backend: Backend,
        /// Which step it stands at, counted from one.
        step: usize,
        /// How many steps there are.
        total: usize,
    },
    /// One or more commits being picked.
    CherryPick,
    /// One or more commits being reverted.
    Revert,
    /// Patches from mails.
    Mailbox,
    /// Conflicts without an operation: a stash, `cherry-pick -n`, `checkout -m`.
    Loose,
}

impl Operation {
    /// Finds out what is in progress.
    ///
    /// A rebase comes first: it leaves the marks of merges and picks as well.
    pub(crate) fn detect(repo: &Repository) -> Result<Self, Error> {
        let number = |file: &str| {
            let text = repo.state_file(file);
            text.and_then(|t| t.trim().parse().ok()).unwrap_or(0)
        };
        if repo.has_state("rebase-merge") {
            return Ok(Operation::Rebase {
                backend: Backend::Merge,
                step: number("rebase-merge/msgnum"),
                total: number("rebase-merge/end"),
            });
        }
        if repo.has_state("rebase-apply/applying") {
            return Ok(Operation::Mailbox);
        }
        if repo.has_state("rebase-apply") {
            return Ok(Operation::Rebase {
                backend: Backend::Apply,
                step: number("rebase-apply/next"),
                total: number("rebase-apply/last"),
            });
        }
        let todo = repo.state_file("sequencer/todo").unwrap_or_default();
        if repo.resolve("CHERRY_PICK_HEAD")?.is_some() || todo.starts_with("pick") {
            return Ok(Operation::CherryPick);
        }
        if repo.resolve("REVERT_HEAD")?.is_some() || todo.starts_with("revert") {
            return Ok(Operation::Revert);
        }
        if repo.resolve("MERGE_HEAD")?.is_some() {
            return Ok(Operation::Merge);
        }
        Ok(Operation::Loose)
    }

    /// Its name.
    pub fn name(self) -> &'static str {
        match self {
            Operation::Merge => "merge",
            Operation::Rebase { .. } => "rebase",
            Operation::CherryPick => "cherry-pick",
            Operation::Revert => "revert",
            Operation::Mailbox => "am",
            Operation::Loose => "no operation",
        }
    }

    /// The git command that continues, skips or aborts it.
    pub(crate) fn command(self) -> Option<&'static str> {
        (self != Operation::Loose).then(|| self.name())
    }

    /// Whether the current step can be left out.
    pub fn can_skip(self) -> bool {
        !matches!(self, Operation::Merge | Operation::Loose)
    }

    /// Whether what comes in is the work of one single commit.
    pub fn theirs_is_one_commit(self) -> bool {
        !matches!(self, Operation::Merge | Operation::Loose)
    }

    /// Whether the message of the commit to come can be chosen.
    pub fn takes_message(self) -> bool {
        let apply = matches!(self, Operation::Rebase { backend, .. } if backend == Backend::Apply);
        !(apply || matches!(self, Operation::Mailbox | Operation::Loose))
    }

    /// The name of the incoming commit among git's pseudo-references.
    pub(crate) fn incoming(self) -> Option<&'static str> {
        match self {
            Operation::Merge => Some("MERGE_HEAD"),
            Operation::Rebase { .. } => Some("REBASE_HEAD"),
            Operation::CherryPick => Some("CHERRY_PICK_HEAD"),
            Operation::Revert => Some("REVERT_HEAD"),
            Operation::Mailbox | Operation::Loose => None,
        }
    }
}
