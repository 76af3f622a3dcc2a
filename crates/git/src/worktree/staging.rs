//! Entries of a case put into the index.

use crate::case::one::Case;
use crate::case::stages::Stage;
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::repository::Repository;

/// Stages entries of several cases in one step: all of them, or none.
pub(crate) fn stage_entries<'a>(
    repo: &Repository,
    entries: impl Iterator<Item = (&'a Case, Option<&'a Stage>)>,
) -> Result<(), Error> {
    let line = |(case, stage): (&Case, Option<&Stage>)| match stage {
        Some(stage) => entry(stage.mode.octal(), &stage.oid.0, 0, case),
        None => removal(case),
    };
    index_info(repo, entries.flat_map(line).collect())
}

/// Stages files as they stand in the work tree, through the filters that their attributes ask for.
///
/// # Errors
/// If git refuses; then nothing is staged.
pub fn stage_as_they_stand(repo: &Repository, paths: &[RepoPath]) -> Result<(), Error> {
    let call = Invocation::write(["add", "--all", "--"]);
    let call = paths
        .iter()
        .map(RepoPath::to_os)
        .fold(call, Invocation::arg);
    repo.must(&call)?;
    Ok(())
}

/// Puts the stages of a case back into the index.
pub(crate) fn unstage(repo: &Repository, case: &Case) -> Result<(), Error> {
    let mut lines = removal(case);
    for (number, stage) in (1..).zip(case.stages.all()) {
        if let Some(stage) = stage {
            lines.extend(entry(stage.mode.octal(), &stage.oid.0, number, case));
        }
    }
    index_info(repo, lines)
}

pub(crate) fn removal(case: &Case) -> Vec<u8> {
    let any = case.stages.names().into_iter().find(|n| !n.is_empty());
    let zeros = "0".repeat(any.map_or(40, |n| n.len()));
    entry("0", &zeros, 0, case)
}

pub(crate) fn entry(mode: &str, oid: &str, stage: usize, case: &Case) -> Vec<u8> {
    let mut line = format!("{mode} {oid} {stage}\t").into_bytes();
    line.extend_from_slice(case.path.bytes());
    line.push(0);
    line
}

pub(crate) fn index_info(repo: &Repository, lines: Vec<u8>) -> Result<(), Error> {
    let call = Invocation::write(["update-index", "-z", "--index-info"]).stdin(lines);
    repo.must(&call).map(|_| ())
}
