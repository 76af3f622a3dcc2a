//! A prepared change of one working file: everything but the final rename is done.

use crate::case::stages::Stage;
use crate::file::owner::temp_prefix;
use crate::file::work_file::Prepared;
use crate::process::error::Error;
use crate::repo::index::Mode;
use std::fs;

/// What is about to happen to a working file, made ready as far as possible.
pub(crate) enum Change {
    Put(Prepared),
    Link(Vec<u8>),
    Remove,
}

impl Change {
    /// Makes a change ready: `content` is what shall stand there, filters applied.
    pub(crate) fn prepare(
        stage: Option<&Stage>,
        content: Vec<u8>,
        file: &std::path::Path,
    ) -> Result<Self, Error> {
        Ok(match stage {
            None => Change::Remove,
            Some(stage) if stage.mode == Mode::Link => Change::Link(content),
            Some(stage) => {
                let executable = stage.mode == Mode::Executable;
                Change::Put(Prepared::new(file, &content, Some(executable))?)
            }
        })
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
        .prefix(&temp_prefix())
        .make_in(folder, |at| std::os::unix::fs::symlink(target, at));
    let temp = temp.map_err(Error::file("write", file))?;
    match temp.persist(file) {
        Ok(_) => Ok(()),
        Err(e) => Err(Error::file("write", file)(e.error)),
    }
}
