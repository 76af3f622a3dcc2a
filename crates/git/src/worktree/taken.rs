//! What stands in the work tree for a case, as git would store it.

use crate::case::one::Case;
use crate::file::work_file::{Seen, WorkFile};
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::objects::Oid;
use crate::repo::repository::Repository;
use std::ffi::OsString;

/// The working file of a case, and its bytes with git's filters applied: those that the index
/// would get.
///
/// # Errors
/// If it is no plain file, or git or the disk refuses.
pub fn what_stands_there(repo: &Repository, case: &Case) -> Result<(Seen, Vec<u8>), Error> {
    WorkFile::check_safe(repo.work_tree(), &case.path, &[])?;
    let now = WorkFile::read(repo.work_tree(), &case.path)?;
    if !matches!(now.seen, Seen::File(..)) {
        return Err(Error::Unsafe {
            path: case.path.clone(),
            why: "it is no plain file, so there are no lines to take",
        });
    }
    let mut path = OsString::from("--path=");
    path.push(case.path.to_os());
    let call = Invocation::write(["hash-object", "-w", "--stdin"]).arg(path);
    let oid = Oid(repo.must(&call.stdin(now.bytes))?.text());
    Ok((now.seen, repo.read_blobs(&[oid])?.concat()))
}

/// Whether the working file of a case is another one than was seen; one that cannot be read is.
pub fn differs_on_disk(repo: &Repository, case: &Case, seen: &Seen) -> bool {
    WorkFile::read(repo.work_tree(), &case.path).map_or(true, |now| now.seen != *seen)
}
