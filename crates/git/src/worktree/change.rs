//! A prepared change of one working file: everything but the final rename is done.

use crate::file::owner::temp_prefix;
use crate::file::work_file::{Prepared, Seen};
use crate::process::error::Error;
use crate::repo::index::Mode;
use crate::repo::stages::Stage;
use std::fs;
use std::io::ErrorKind;
use std::path::Path;

/// What is about to happen to a working file, made ready as far as possible.
pub(crate) enum Change {
    Put(Prepared),
    Link(Vec<u8>),
    Remove,
    /// A folder for a submodule.
    Folder,
    /// What stands in the work tree stays: a checkout of a submodule.
    Nothing,
    /// A file whose folder cannot be made yet: another file is in its place, and goes first.
    Late {
        executable: bool,
        content: Vec<u8>,
    },
}

impl Change {
    /// Makes a change ready: `content` is what shall stand there, filters applied, `now` what stands
    /// there.
    pub(crate) fn prepare(
        stage: Option<&Stage>,
        content: Vec<u8>,
        file: &Path,
        now: &Seen,
    ) -> Result<Self, Error> {
        let Some(stage) = stage else {
            return Ok(match now {
                Seen::Other => Change::Nothing,
                _ => Change::Remove,
            });
        };
        let executable = stage.mode == Mode::Executable;
        Ok(match stage.mode {
            Mode::Link => Change::Link(content),
            Mode::Submodule => match now {
                Seen::Other => Change::Nothing,
                _ => Change::Folder,
            },
            Mode::File | Mode::Executable if is_barred(file) => Change::Late {
                executable,
                content,
            },
            Mode::File | Mode::Executable => {
                Change::Put(Prepared::new(file, &content, Some(executable))?)
            }
        })
    }

    /// Carries it out below the top of a work tree.
    pub(crate) fn carry_out(self, top: &Path, file: &Path) -> Result<(), Error> {
        match self {
            Change::Put(prepared) => {
                remove_empty(file);
                prepared.persist()
            }
            Change::Late {
                executable,
                content,
            } => {
                remove_empty(file);
                Prepared::new(file, &content, Some(executable))?.persist()
            }
            Change::Link(target) => {
                remove_empty(file);
                put_link(&target, file)
            }
            Change::Nothing => Ok(()),
            Change::Folder => {
                remove_file(top, file)?;
                fs::create_dir_all(file).map_err(Error::file("create", file))
            }
            Change::Remove => remove_file(top, file),
        }
    }
}

/// Whether a file stands where a folder on the way to `file` should be.
fn is_barred(file: &Path) -> bool {
    let is_file = |folder: &Path| {
        let meta = fs::symlink_metadata(folder);
        meta.is_ok_and(|meta| !meta.is_dir())
    };
    file.ancestors().skip(1).any(is_file)
}

/// Removes a file, and the folders up to the top that hold nothing then, as git does.
fn remove_file(top: &Path, file: &Path) -> Result<(), Error> {
    match fs::remove_file(file) {
        Err(e) if !matches!(e.kind(), ErrorKind::NotFound | ErrorKind::NotADirectory) => {
            return Err(Error::file("remove", file)(e));
        }
        _ => {}
    }
    let above = file.ancestors().skip(1);
    for folder in above.take_while(|folder| folder.starts_with(top) && *folder != top) {
        // One that holds something stays.
        if fs::remove_dir(folder).is_err() {
            break;
        }
    }
    Ok(())
}

/// Removes a folder that holds nothing but empty folders; anything else stays, and is in the way.
fn remove_empty(folder: &Path) {
    let is_folder = fs::symlink_metadata(folder).is_ok_and(|meta| meta.is_dir());
    if !is_folder {
        return;
    }
    for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
        remove_empty(&entry.path());
    }
    let _ = fs::remove_dir(folder);
}

pub(crate) fn put_link(target: &[u8], file: &Path) -> Result<(), Error> {
    use std::os::unix::ffi::OsStrExt;
    let target = std::ffi::OsStr::from_bytes(target);
    let folder = file.parent().unwrap_or(Path::new("."));
    fs::create_dir_all(folder).map_err(Error::file("create", folder))?;
    let temp = tempfile::Builder::new()
        .prefix(&temp_prefix())
        .make_in(folder, |at| std::os::unix::fs::symlink(target, at));
    let temp = temp.map_err(Error::file("write", file))?;
    match temp.persist(file) {
        Ok(_) => Ok(()),
        Err(e) => Err(Error::file("write", file)(e.error)),
    }
}
