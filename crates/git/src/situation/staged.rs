//! What is staged as a whole: whether it is what was looked at, and whether it is anything.

use crate::file::folders::file_name_hash;
use crate::file::owner::temp_folder;
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::index::staged_diff;
use crate::repo::operation::{Backend, Operation};
use crate::repo::repository::Repository;
use std::collections::BTreeSet;

/// A hash of all that is staged against the commit that is checked out.
pub(crate) fn staged_print(repo: &Repository) -> Result<String, Error> {
    Ok(file_name_hash(&staged_diff(repo)?))
}

/// A hash of what stands in the work tree: what is staged, and each tracked file that differs from
/// it, by size and time. Equal values mean that a command would find the same tracked files again.
///
/// # Errors
/// If git fails.
pub fn tree_print(repo: &Repository) -> Result<String, Error> {
    Ok(print_of(repo, &staged_diff(repo)?, &changed_on_disk(repo)?))
}

/// The same, of what was looked up already.
pub(crate) fn print_of(repo: &Repository, staged: &[u8], changed: &ChangedOnDisk) -> String {
    let mut all = staged.to_vec();
    for path in changed.unmerged.iter().chain(&changed.since_staged) {
        let meta = std::fs::symlink_metadata(path.under(repo.work_tree())).ok();
        let time = meta.as_ref().and_then(|meta| meta.modified().ok());
        all.extend_from_slice(path.bytes());
        all.extend(format!(" {time:?} {:?}", meta.map(|meta| meta.len())).bytes());
    }
    file_name_hash(&all)
}

/// Tracked files whose working file is not what is staged.
#[derive(Debug, Default)]
pub(crate) struct ChangedOnDisk {
    /// In conflict.
    pub(crate) unmerged: BTreeSet<RepoPath>,
    /// Otherwise than staged.
    pub(crate) since_staged: BTreeSet<RepoPath>,
}

/// Looks which working files are not what is staged.
pub(crate) fn changed_on_disk(repo: &Repository) -> Result<ChangedOnDisk, Error> {
    let listed = Invocation::read(["diff-files", "--name-status", "-z", "--ignore-submodules"]);
    let listed = repo.must(&listed)?.stdout;
    let (mut unmerged, mut suspects) = (BTreeSet::new(), BTreeSet::new());
    let mut fields = listed.split(|b| *b == 0);
    while let (Some(status), Some(path)) = (fields.next(), fields.next()) {
        match status {
            b"U" => unmerged.insert(RepoPath::new(path)),
            _ => suspects.insert(RepoPath::new(path)),
        };
    }
    let mut since_staged = BTreeSet::new();
    let suspects: Vec<_> = suspects.difference(&unmerged).collect();
    if !suspects.is_empty() {
        // Unlike its plumbing, this leaves out files that were only touched. It would write that
        // into the index: it gets a copy.
        let folder = temp_folder().map_err(Error::file("create", "a temporary folder"))?;
        let copy = folder.path().join("index");
        let index = repo.index_file();
        std::fs::copy(&index, &copy).map_err(Error::file("copy", &index))?;
        let call = [
            "-c",
            "core.splitIndex=false",
            // A sparse index would be folded again, which writes trees.
            "-c",
            "index.sparse=false",
            "diff",
            "--name-only",
            "-z",
            "--no-ext-diff",
            "--ignore-submodules",
            "--",
        ];
        let paths = suspects.iter().map(|path| path.to_os());
        let call = paths.fold(Invocation::read(call), Invocation::arg);
        let changed = repo.must(&call.env("GIT_INDEX_FILE", &copy))?.stdout;
        let changed = changed.split(|b| *b == 0).filter(|path| !path.is_empty());
        since_staged.extend(changed.map(RepoPath::new));
    }
    Ok(ChangedOnDisk {
        unmerged,
        since_staged,
    })
}

/// Whether a step is in progress that would commit nothing.
///
/// A merge is none: it joins two lines of descent even then. A patch that git could not apply at all
/// leaves no conflict and is none either: `had_conflicts` tells them apart.
pub(crate) fn is_empty_step(
    repo: &Repository,
    operation: Operation,
    had_conflicts: bool,
) -> Result<bool, Error> {
    let replays = match operation {
        Operation::Rebase {
            backend: Backend::Merge,
            ..
        } => stopped_at_conflict(repo)?,
        Operation::Rebase { .. } | Operation::Mailbox => had_conflicts,
        Operation::CherryPick => repo.resolve("CHERRY_PICK_HEAD")?.is_some(),
        Operation::Revert => repo.resolve("REVERT_HEAD")?.is_some(),
        Operation::Merge | Operation::Loose => false,
    };
    Ok(replays && staged_diff(repo)?.is_empty())
}

/// Whether a rebase stopped before it could commit, and nobody has committed since.
fn stopped_at_conflict(repo: &Repository) -> Result<bool, Error> {
    let has = |file: &str| repo.state_file(file).is_some();
    // Where it stopped for an edit the commit is made, and goes on being amended.
    if !has("rebase-merge/stopped-sha") || has("rebase-merge/amend") {
        return Ok(false);
    }
    let call = Invocation::read(["log", "-g", "-1", "--format=%gs", "HEAD", "--"]);
    if repo.run(&call)?.text().starts_with("commit") {
        return Ok(false);
    }
    // git may have been killed after it had committed the step and before it went on.
    let written = |revision: &str| -> Result<String, Error> {
        let format = "--format=%an%x00%at%x00%s";
        let call = Invocation::read(["show", "-s", format, revision, "--"]);
        Ok(repo.run(&call)?.text())
    };
    Ok(written("HEAD")? != written("REBASE_HEAD")?)
}
