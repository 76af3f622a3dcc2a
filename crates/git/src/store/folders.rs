//! Folders and files of the store.

use crate::process::error::Error;
use std::fs;
use std::path::Path;

/// FNV-1a, 64 bits: a file name that never changes between builds. What a file
/// is about is checked against its header, so a collision loses nothing.
pub(crate) fn hash(bytes: &[u8]) -> String {
    let step = |h: u64, b: &u8| (h ^ u64::from(*b)).wrapping_mul(0x0100_0000_01b3);
    format!("{:016x}", bytes.iter().fold(0xcbf2_9ce4_8422_2325, step))
}

pub(crate) fn read_if_there(file: &Path) -> Result<Option<Vec<u8>>, Error> {
    match fs::read(file) {
        Ok(bytes) => Ok(Some(bytes)),
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => Ok(None),
        Err(e) => Err(Error::file("read", file)(e)),
    }
}

pub(crate) fn make_folder(folder: &Path) -> Result<(), Error> {
    fs::create_dir_all(folder).map_err(Error::file("create", folder))
}

pub(crate) fn remove_tree(folder: &Path) -> Result<(), Error> {
    match fs::remove_dir_all(folder) {
        Err(e) if e.kind() != std::io::ErrorKind::NotFound => Err(Error::file("remove", folder)(e)),
        _ => Ok(()),
    }
}

pub(crate) fn remove_file(file: &Path) -> Result<(), Error> {
    match fs::remove_file(file) {
        Err(e) if e.kind() != std::io::ErrorKind::NotFound => Err(Error::file("remove", file)(e)),
        _ => Ok(()),
    }
}

/// The numbers that names in a folder begin with, rising.
pub(crate) fn numbers(folder: &Path) -> Vec<u64> {
    let names = fs::read_dir(folder).into_iter().flatten().flatten();
    let number = |name: String| name.split('-').next()?.parse().ok();
    let mut all: Vec<u64> = names
        .filter_map(|f| number(f.file_name().to_string_lossy().into_owned()))
        .collect();
    all.sort_unstable();
    all
}

/// Removes the oldest files beyond `most`; one that cannot be removed stays.
pub(crate) fn prune(folder: &Path, most: usize) {
    let mut files: Vec<_> = fs::read_dir(folder)
        .into_iter()
        .flatten()
        .flatten()
        .collect();
    let excess = files.len().saturating_sub(most);
    if excess > 0 {
        files.sort_by_key(|f| f.metadata().and_then(|m| m.modified()).ok());
        for file in files.into_iter().take(excess) {
            let _ = fs::remove_file(file.path());
        }
    }
}
