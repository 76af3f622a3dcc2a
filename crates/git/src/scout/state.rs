//! The work tree as git would find it: what was changed, and what of it would be in the way.

use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::repository::Repository;
use crate::situation::read::Undertaking;
use serde::Serialize;
use std::collections::BTreeSet;

/// The state of the work tree.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct TreeState {
    /// Tracked files that are staged otherwise than committed.
    pub staged: Vec<RepoPath>,
    /// Tracked files that stand otherwise on disk than staged.
    pub changed: Vec<RepoPath>,
    /// How many stashes there are.
    pub stashes: usize,
    /// Whether only a part of the tree is checked out.
    pub sparse: bool,
    /// How many submodules there are.
    pub submodules: usize,
}

impl TreeState {
    /// Reads it; nothing is written by looking.
    ///
    /// # Errors
    /// If git fails.
    pub fn read(repo: &Repository) -> Result<Self, Error> {
        let call = [
            "status",
            "--porcelain=v1",
            "-z",
            "--untracked-files=no",
            "--no-renames",
            "--ignore-submodules=all",
        ];
        let status = repo.must(&Invocation::read(call))?.stdout;
        let mut state = TreeState::default();
        for record in status.split(|b| *b == 0).filter(|record| record.len() > 3) {
            let path = RepoPath::new(&record[3..]);
            if record[0] != b' ' && record[0] != b'?' {
                state.staged.push(path.clone());
            }
            if record[1] != b' ' && record[1] != b'?' {
                state.changed.push(path);
            }
        }
        let stashes = repo.run(&Invocation::read([
            "rev-list",
            "-g",
            "--count",
            "refs/stash",
            "--",
        ]))?;
        state.stashes = stashes.text().trim().parse().unwrap_or(0);
        state.sparse = repo.config("core.sparseCheckout")?.as_deref() == Some("true");
        let call = ["ls-files", "-s", "--", ":/.gitmodules"];
        if !repo
            .run(&Invocation::read(call).env("GIT_LITERAL_PATHSPECS", "0"))?
            .stdout
            .is_empty()
        {
            let call = [
                "config",
                "--blob",
                ":.gitmodules",
                "--get-regexp",
                "^submodule\\..*\\.path$",
            ];
            state.submodules = repo.run(&Invocation::read(call))?.text().lines().count();
        }
        Ok(state)
    }

    /// Whether nothing that is tracked was changed.
    pub fn is_clean(&self) -> bool {
        self.staged.is_empty() && self.changed.is_empty()
    }

    /// The files for which git would refuse to begin: changed ones that would be written over, and
    /// untracked ones in a place where a file would come.
    ///
    /// # Errors
    /// If git fails.
    pub fn in_the_way(
        &self,
        repo: &Repository,
        undertaking: Undertaking,
        forward: bool,
        to: &str,
    ) -> Result<Vec<RepoPath>, Error> {
        let call = [
            "diff-tree",
            "-r",
            "-z",
            "--name-status",
            "--no-renames",
            "HEAD",
            to,
            "--",
        ];
        let listed = repo.must(&Invocation::read(call))?.stdout;
        let mut fields = listed.split(|b| *b == 0);
        let (mut written, mut added) = (BTreeSet::new(), Vec::new());
        while let (Some(status), Some(path)) = (fields.next(), fields.next()) {
            let path = RepoPath::new(path);
            if status == b"A" {
                added.push(path.clone());
            }
            written.insert(path);
        }
        let mut way: BTreeSet<RepoPath> = BTreeSet::new();
        let is_written = |path: &&RepoPath| written.contains(path);
        match (undertaking, forward) {
            // A rebase begins from a clean tree alone.
            (Undertaking::Rebase, _) => {
                way.extend(self.staged.iter().chain(&self.changed).cloned());
            }
            (Undertaking::Merge, true) => {
                way.extend(self.staged.iter().filter(is_written).cloned());
            }
            _ => way.extend(self.staged.iter().cloned()),
        }
        way.extend(self.changed.iter().filter(is_written).cloned());
        let listed = match added.is_empty() {
            true => Vec::new(),
            false => {
                let call = ["ls-files", "-z", "--full-name"];
                repo.must(&Invocation::read(call))?.stdout
            }
        };
        let tracked: BTreeSet<&[u8]> = listed.split(|b| *b == 0).collect();
        for path in added {
            let there = repo
                .work_tree()
                .join(path.to_os())
                .symlink_metadata()
                .is_ok();
            if there && !tracked.contains(path.bytes()) {
                way.insert(path);
            }
        }
        Ok(way.into_iter().collect())
    }
}
