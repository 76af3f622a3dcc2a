//! Folders and files of the store.
//!
//! Whoever made the repository may have put anything there. No link is followed, nothing but plain
//! files is read, moved or removed, and nothing is read without a bound.

use crate::process::error::Error;
use armistice_core::limits::STORED_BYTES;
use rustix::fs::OFlags;
use std::fs::{self, File, OpenOptions};
use std::io::{ErrorKind, Read};
use std::os::unix::fs::OpenOptionsExt;
use std::path::Path;

/// Name of the store's own folder.
pub(crate) const ROOT: &str = "armistice";

/// FNV-1a, 64 bits: a file name that never changes between builds. What a file
/// is about is checked against its header, so a collision loses nothing.
pub fn file_name_hash(bytes: &[u8]) -> String {
    let step = |h: u64, b: &u8| (h ^ u64::from(*b)).wrapping_mul(0x0100_0000_01b3);
    format!("{:016x}", bytes.iter().fold(0xcbf2_9ce4_8422_2325, step))
}

/// Refuses a path of the store one of whose folders is a link, the store's own included.
fn refuse_links(folder: &Path) -> Result<(), Error> {
    for folder in folder.ancestors() {
        if fs::symlink_metadata(folder).is_ok_and(|meta| meta.is_symlink()) {
            return Err(Error::Record {
                path: folder.to_owned(),
                why: "it is a symbolic link, which Armistice never makes; remove it".to_owned(),
            });
        }
        if folder.file_name().is_some_and(|name| name == ROOT) {
            break;
        }
    }
    Ok(())
}

/// Opens a file of the store.
///
/// # Errors
/// If it is no plain file, one of its folders is a link, or the system refuses.
pub(crate) fn open(file: &Path, options: &mut OpenOptions) -> Result<File, Error> {
    refuse_links(file)?;
    // A link that was put there meanwhile is not followed, a pipe not waited for.
    let flags = OFlags::NOFOLLOW | OFlags::NONBLOCK;
    let opened = options.custom_flags(flags.bits().cast_signed()).open(file);
    let opened = opened.map_err(Error::file("open", file))?;
    let meta = opened.metadata().map_err(Error::file("read", file))?;
    match meta.is_file() {
        true => Ok(opened),
        false => Err(Error::Record {
            path: file.to_owned(),
            why: "it is no plain file; remove it".to_owned(),
        }),
    }
}

/// Reads a file of the store, if it is there.
///
/// # Errors
/// As for [`open`]; and if it is larger than [`STORED_BYTES`].
pub(crate) fn read_if_there(file: &Path) -> Result<Option<Vec<u8>>, Error> {
    let mut opened = match open(file, OpenOptions::new().read(true)) {
        Err(Error::File { cause, .. }) if cause.kind() == ErrorKind::NotFound => return Ok(None),
        opened => opened?,
    };
    let mut bytes = Vec::new();
    let read = (&mut opened)
        .take(STORED_BYTES as u64 + 1)
        .read_to_end(&mut bytes);
    read.map_err(Error::file("read", file))?;
    match bytes.len() <= STORED_BYTES {
        true => Ok(Some(bytes)),
        false => Err(Error::Record {
            path: file.to_owned(),
            why: format!("it is larger than {STORED_BYTES} bytes; remove it"),
        }),
    }
}

pub(crate) fn make_folder(folder: &Path) -> Result<(), Error> {
    refuse_links(folder)?;
    fs::create_dir_all(folder).map_err(Error::file("create", folder))
}

pub(crate) fn remove_tree(folder: &Path) -> Result<(), Error> {
    refuse_links(folder)?;
    match fs::remove_dir_all(folder) {
        Err(e) if e.kind() != ErrorKind::NotFound => Err(Error::file("remove", folder)(e)),
        _ => Ok(()),
    }
}

pub(crate) fn remove_file(file: &Path) -> Result<(), Error> {
    refuse_links(file.parent().unwrap_or(file))?;
    match fs::remove_file(file) {
        Err(e) if e.kind() != ErrorKind::NotFound => Err(Error::file("remove", file)(e)),
        _ => Ok(()),
    }
}

/// The plain files of a folder of the store; none if it is a link.
pub(crate) fn plain_files(folder: &Path) -> Vec<fs::DirEntry> {
    if refuse_links(folder).is_err() {
        return Vec::new();
    }
    let files = fs::read_dir(folder).into_iter().flatten().flatten();
    let plain = |file: &fs::DirEntry| file.file_type().is_ok_and(|kind| kind.is_file());
    files.filter(plain).collect()
}

/// The numbers that names in a folder begin with, rising.
pub(crate) fn numbers(folder: &Path) -> Vec<u64> {
    let number = |name: String| name.split('-').next()?.parse().ok();
    let files = plain_files(folder).into_iter();
    let mut all: Vec<u64> = files
        .filter_map(|f| number(f.file_name().to_string_lossy().into_owned()))
        .collect();
    all.sort_unstable();
    all
}

/// Removes the oldest files beyond `most`; one that cannot be removed stays.
pub(crate) fn prune(folder: &Path, most: usize) {
    let mut files = plain_files(folder);
    let excess = files.len().saturating_sub(most);
    if excess > 0 {
        files.sort_by_key(|f| f.metadata().and_then(|m| m.modified()).ok());
        for file in files.into_iter().take(excess) {
            let _ = fs::remove_file(file.path());
        }
    }
}
