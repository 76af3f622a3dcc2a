//! The working tree as git would find it: what was changed.

use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::repository::Repository;
use serde::Serialize;
use std::collections::HashMap;

/// The state of the work tree.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct TreeState {
    /// Tracked files that are staged otherwise than committed.
    pub staged: Vec<RepoPath>,
    /// What is staged for them, as an object; nothing for those that are removed.
    #[serde(skip)]
    pub(crate) staged_as: HashMap<RepoPath, Option<String>>,
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
            "--porcelain=v2",
            "-z",
            "--untracked-files=no",
            "--no-renames",
            "--ignore-submodules=all",
        ];
        let status = repo.must(&Invocation::read(call))?.stdout;
        let mut state = TreeState::default();
        for record in status.split(|b| *b == 0) {
            state.take(record);
        }
        if repo.may_have_ref("refs/stash") {
            let call = ["rev-list", "-g", "--count", "refs/stash", "--"];
            let stashes = repo.run(&Invocation::read(call))?;
            state.stashes = stashes.text().trim().parse().unwrap_or(0);
        }
        state.sparse = repo.config("core.sparsecheckout")?.as_deref() == Some("true");
        let may_be_there = state.sparse || repo.work_tree().join(".gitmodules").exists();
        let call = ["ls-files", "-s", "--", ":/.gitmodules"];
        let call = Invocation::read(call).env("GIT_LITERAL_PATHSPECS", "0");
        if may_be_there && !repo.run(&call)?.stdout.is_empty() {
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

    /// Takes one record: `1 XY SUB MODE MODE MODE OID OID PATH`, or `u XY SUB MODE MODE MODE MODE OID
    /// OID OID PATH` for one in conflict.
    fn take(&mut self, record: &[u8]) {
        let fields = match record.first() {
            Some(b'1') => 8,
            Some(b'u') => 10,
            _ => return,
        };
        let parts: Vec<&[u8]> = record.splitn(fields + 1, |b| *b == b' ').collect();
        let (Some(state), Some(path)) = (parts.get(1), parts.get(fields)) else {
            return;
        };
        let path = RepoPath::new(*path);
        if state.first().is_some_and(|sign| *sign != b'.') {
            if fields == 8 {
                let oid = String::from_utf8_lossy(parts[7]).into_owned();
                // A removed file has a name of zeros.
                let staged = Some(oid).filter(|oid| oid.bytes().any(|b| b != b'0'));
                self.staged_as.insert(path.clone(), staged);
            }
            self.staged.push(path.clone());
        }
        if state.get(1).is_some_and(|sign| *sign != b'.') {
            self.changed.push(path);
        }
    }

    /// Whether nothing that is tracked was changed.
    pub fn is_clean(&self) -> bool {
        self.staged.is_empty() && self.changed.is_empty()
    }
}
