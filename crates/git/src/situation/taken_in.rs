//! Files that git merged, taken in as cases: to be edited like one that was in conflict.

use crate::case::driven::note_taken_in;
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::repo::objects::{Oid, write_blobs};
use crate::repo::repository::Repository;
use crate::situation::read::Situation;
use crate::situation::touched::touched;

/// Makes a file that git merged a case, staged as it stands; nothing else changes. Where a
/// side does not have the file, that side and base count as empty. Whether there is such a file.
///
/// # Errors
/// If git or the disk refuses.
pub fn take_in(repo: &Repository, situation: &Situation, path: &RepoPath) -> Result<bool, Error> {
    let Some(all) = touched(repo, situation)? else {
        return Ok(false);
    };
    let mut files = all.to_look_at.into_iter().chain(all.followed);
    let Some(file) = files.find(|file| file.path == *path) else {
        return Ok(false);
    };
    let (Some(merged), false) = (
        file.staged,
        situation.cases.iter().any(|case| case.has_path(path)),
    ) else {
        return Ok(false);
    };
    let nothing = write_blobs(repo, &[b""])?.pop();
    let or_nothing = |oid: Option<Oid>| oid.or(nothing.clone());
    let versions = [file.base, file.ours, file.theirs].map(or_nothing);
    let [Some(base), Some(ours), Some(theirs)] = versions else {
        return Ok(false);
    };
    note_taken_in(repo, path, [base, ours, theirs], merged)?;
    Ok(true)
}
