//! What is about to happen to a working file, made ready as far as possible.

use crate::case::one::Case;
use crate::case::stages::Stage;
use crate::file::work_file::Prepared;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::index::Mode;
use crate::repo::objects::{Oid, read_blobs};
use crate::repo::repository::Repository;
use std::fs;

/// What is about to happen to a working file, made ready as far as possible.
pub(crate) enum Change {
    Put(Prepared),
    Link(Vec<u8>),
    Remove,
}

impl Change {
    pub(crate) fn prepare(
        repo: &Repository,
        case: &Case,
        stage: &Stage,
        file: &std::path::Path,
    ) -> Result<Self, Error> {
        if stage.mode == Mode::Link {
            let target = read_blobs(repo, std::slice::from_ref(&stage.oid))?;
            return Ok(Change::Link(target.concat()));
        }
        let bytes = filtered(repo, case, &stage.oid)?;
        let executable = stage.mode == Mode::Executable;
        Ok(Change::Put(Prepared::new(file, &bytes, Some(executable))?))
    }

    pub(crate) fn carry_out(self, file: &std::path::Path) -> Result<(), Error> {
        match self {
            Change::Put(prepared) => prepared.persist(),
            Change::Link(target) => put_link(&target, file),
            Change::Remove => match fs::remove_file(file) {
                Err(e) if e.kind() != std::io::ErrorKind::NotFound => {
                    Err(Error::file("remove", file)(e))
                }
                _ => Ok(()),
            },
        }
    }
}

pub(crate) fn put_link(target: &[u8], file: &std::path::Path) -> Result<(), Error> {
    use std::os::unix::ffi::OsStrExt;
    let target = std::ffi::OsStr::from_bytes(target);
    let folder = file.parent().unwrap_or(std::path::Path::new("."));
    let temp = tempfile::Builder::new()
        .prefix(".armistice-")
        .make_in(folder, |at| std::os::unix::fs::symlink(target, at));
    let temp = temp.map_err(Error::file("write", file))?;
    match temp.persist(file) {
        Ok(_) => Ok(()),
        Err(e) => Err(Error::file("write", file)(e.error)),
    }
}

/// What stands in the work tree for an object: line ends and other filters applied.
pub(crate) fn filtered(repo: &Repository, case: &Case, oid: &Oid) -> Result<Vec<u8>, Error> {
    let mut path = std::ffi::OsString::from("--path=");
    path.push(case.path.to_os());
    let call = Invocation::read(["cat-file", "--filters"])
        .arg(path)
        .arg(&oid.0);
    Ok(repo.must(&call)?.stdout)
}
