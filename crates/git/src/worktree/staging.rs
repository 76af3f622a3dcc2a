//! Entries of paths put into the index.

use crate::case::place::Place;
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::repository::Repository;
use crate::repo::stages::Stage;

/// Stages entries of several paths in one step: all of them, or none.
pub(crate) fn stage_entries<'a>(
    repo: &Repository,
    entries: impl Iterator<Item = (&'a Place, Option<&'a Stage>)>,
) -> Result<(), Error> {
    let entries: Vec<_> = entries.collect();
    let zeros = zeros(entries.iter().map(|(place, stage)| (*place, *stage)));
    // What goes, goes first: a file may stand where a folder was.
    let gone = entries.iter().filter(|(_, stage)| stage.is_none());
    let mut lines: Vec<u8> = gone.flat_map(|(place, _)| removal(&zeros, place)).collect();
    for (place, stage) in &entries {
        if let Some(stage) = stage {
            lines.extend(entry(stage.mode.octal(), &stage.oid.0, 0, place));
        }
    }
    index_info(repo, lines)
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

/// Puts what the index had at paths back into it: stages, or the entry that was merged.
pub(crate) fn unstage(repo: &Repository, places: &[&Place]) -> Result<(), Error> {
    let zeros = zeros(places.iter().map(|place| (*place, None)));
    let mut lines: Vec<u8> = places.iter().flat_map(|p| removal(&zeros, p)).collect();
    for place in places {
        if let Some(stage) = &place.merged {
            lines.extend(entry(stage.mode.octal(), &stage.oid.0, 0, place));
        }
        for (number, stage) in (1..).zip(place.stages.all()) {
            if let Some(stage) = stage {
                lines.extend(entry(stage.mode.octal(), &stage.oid.0, number, place));
            }
        }
    }
    index_info(repo, lines)
}

/// The name of no object, as long as names are here.
fn zeros<'a>(places: impl Iterator<Item = (&'a Place, Option<&'a Stage>)>) -> String {
    let mut lengths = places.flat_map(|(place, stage)| {
        let stages = place.stages.all().into_iter().flatten();
        let all = stages.chain(&place.merged).chain(stage);
        all.map(|stage| stage.oid.0.len()).max()
    });
    "0".repeat(lengths.next().unwrap_or(40))
}

fn removal(zeros: &str, place: &Place) -> Vec<u8> {
    entry("0", zeros, 0, place)
}

fn entry(mode: &str, oid: &str, stage: usize, place: &Place) -> Vec<u8> {
    let mut line = format!("{mode} {oid} {stage}\t").into_bytes();
    line.extend_from_slice(place.path.bytes());
    line.push(0);
    line
}

pub(crate) fn index_info(repo: &Repository, lines: Vec<u8>) -> Result<(), Error> {
    let call = Invocation::write(["update-index", "-z", "--index-info"]).stdin(lines);
    repo.must(&call).map(|_| ())
}
