//! Files of the work tree: what is there, and replacing it in one step.

use crate::file::owner::temp_prefix;
use crate::path::RepoPath;
use crate::process::error::Error;
use serde::{Deserialize, Serialize};
use std::fs::{self, Permissions};
use std::hash::Hasher;
use std::io::{ErrorKind, Write};
use std::os::unix::ffi::OsStringExt;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use tempfile::NamedTempFile;

/// What was seen at a path; equal values mean that nothing changed since.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Seen {
    /// Nothing is there.
    Missing,
    /// A file, by length and hash of its bytes.
    File(u64, u64),
    /// A symbolic link, by hash of its target.
    Link(u64),
    /// A folder, or something stranger.
    Other,
}

impl Seen {
    /// A file with these bytes.
    pub(crate) fn file(bytes: &[u8]) -> Self {
        Seen::File(bytes.len() as u64, hash(bytes))
    }

    /// A symbolic link to this target.
    pub(crate) fn link(target: &[u8]) -> Self {
        Seen::Link(hash(target))
    }
}

/// A path of the work tree with what is there now.
#[derive(Clone, Debug)]
pub struct WorkFile {
    /// Where it is.
    pub file: PathBuf,
    /// What was seen.
    pub seen: Seen,
    /// Bytes of the file or target of the link; empty for anything else.
    pub bytes: Vec<u8>,
    /// Whether it is a file that its owner may run.
    pub executable: bool,
}

impl WorkFile {
    /// Looks at a path.
    ///
    /// # Errors
    /// If something is there and cannot be read.
    pub fn read(top: &Path, path: &RepoPath) -> Result<Self, Error> {
        let file = path.under(top);
        let mut executable = false;
        let (seen, bytes) = match fs::symlink_metadata(&file) {
            Err(e) if matches!(e.kind(), ErrorKind::NotFound | ErrorKind::NotADirectory) => {
                (Seen::Missing, Vec::new())
            }
            Err(e) => return Err(Error::file("read", file)(e)),
            Ok(meta) if meta.is_symlink() => {
                let target = fs::read_link(&file).map_err(Error::file("read", &file))?;
                let bytes = target.into_os_string().into_vec();
                (Seen::link(&bytes), bytes)
            }
            Ok(meta) if meta.is_file() => {
                let bytes = fs::read(&file).map_err(Error::file("read", &file))?;
                executable = meta.permissions().mode() & 0o100 != 0;
                (Seen::file(&bytes), bytes)
            }
            Ok(_) => (Seen::Other, Vec::new()),
        };
        Ok(WorkFile {
            file,
            seen,
            bytes,
            executable,
        })
    }

    /// Refuses paths through which a write could land elsewhere. What stands at the paths in `going`
    /// is not in the way: it goes first.
    pub(crate) fn check_safe(top: &Path, path: &RepoPath, going: &[RepoPath]) -> Result<(), Error> {
        let unsafe_because = |why| Error::Unsafe {
            path: path.clone(),
            why,
        };
        let goes = |file: &Path| going.iter().any(|path| path.under(top) == file);
        let file = path.under(top);
        for parent in file
            .ancestors()
            .skip(1)
            .take_while(|p| p.starts_with(top) && *p != top)
        {
            match fs::symlink_metadata(parent) {
                Ok(_) if goes(parent) => {}
                Ok(meta) if meta.is_symlink() => {
                    return Err(unsafe_because(
                        "a folder on the way to it is a symbolic link",
                    ));
                }
                Ok(meta) if !meta.is_dir() => {
                    return Err(unsafe_because(
                        "a file is in the way where its folder should be",
                    ));
                }
                _ => {}
            }
        }
        match fs::symlink_metadata(&file) {
            Ok(meta) if meta.is_dir() && !holds_only(&file, &goes) => {
                Err(unsafe_because("a folder is in its place"))
            }
            Ok(meta) if !meta.is_dir() && !meta.is_file() && !meta.is_symlink() => {
                Err(unsafe_because("a pipe, socket or device is in its place"))
            }
            _ => Ok(()),
        }
    }
}

/// Whether a folder holds nothing but files that go, and folders of such.
fn holds_only(folder: &Path, goes: &impl Fn(&Path) -> bool) -> bool {
    let Ok(entries) = fs::read_dir(folder) else {
        return false;
    };
    entries.into_iter().all(|entry| {
        let Ok(entry) = entry else { return false };
        let is_folder = entry.file_type().is_ok_and(|kind| kind.is_dir());
        goes(&entry.path()) || is_folder && holds_only(&entry.path(), goes)
    })
}

/// Not for storage across builds of different toolchains: a record that no
/// longer matches only means that a copy is kept and a question asked.
fn hash(bytes: &[u8]) -> u64 {
    let mut hasher = std::hash::DefaultHasher::new();
    hasher.write(bytes);
    hasher.finish()
}

/// A new file beside its place, complete and on the disk, not yet in its place.
pub(crate) struct Prepared {
    temp: NamedTempFile,
    target: PathBuf,
}

impl Prepared {
    /// Writes `bytes` beside `target`; permissions are those of the file there, `executable` added or removed.
    pub(crate) fn new(
        target: &Path,
        bytes: &[u8],
        executable: Option<bool>,
    ) -> Result<Self, Error> {
        let folder = target.parent().unwrap_or(Path::new("."));
        fs::create_dir_all(folder).map_err(Error::file("create", folder))?;
        let write = || -> std::io::Result<NamedTempFile> {
            let mut temp = tempfile::Builder::new()
                .prefix(&temp_prefix())
                .tempfile_in(folder)?;
            temp.write_all(bytes)?;
            let mode = mode_for(target, executable);
            temp.as_file()
                .set_permissions(Permissions::from_mode(mode))?;
            temp.as_file().sync_all()?;
            Ok(temp)
        };
        Ok(Prepared {
            temp: write().map_err(Error::file("write", target))?,
            target: target.to_owned(),
        })
    }

    /// Puts it in its place in one step.
    pub(crate) fn persist(self) -> Result<(), Error> {
        let target = self.target;
        match self.temp.persist(&target) {
            Ok(_) => Ok(()),
            Err(e) => Err(Error::file("write", target)(e.error)),
        }
    }
}

/// Writes a file where none is; whether there was none.
///
/// # Errors
/// If the folder or the disk refuses.
pub(crate) fn write_new(target: &Path, bytes: &[u8]) -> Result<bool, Error> {
    let prepared = Prepared::new(target, bytes, None)?;
    match prepared.temp.persist_noclobber(target) {
        Ok(_) => Ok(true),
        Err(e) if e.error.kind() == ErrorKind::AlreadyExists => Ok(false),
        Err(e) => Err(Error::file("write", target)(e.error)),
    }
}

/// Whether somebody took from a file the right to be written.
pub(crate) fn is_read_only(file: &Path) -> bool {
    let meta = fs::symlink_metadata(file).ok();
    meta.is_some_and(|meta| meta.is_file() && meta.permissions().mode() & 0o222 == 0)
}

/// The mode bits a replaced file keeps; a new one gets what this process would give it.
fn mode_for(target: &Path, executable: Option<bool>) -> u32 {
    let there = fs::symlink_metadata(target)
        .ok()
        .filter(fs::Metadata::is_file);
    let mode = match there {
        Some(meta) => meta.permissions().mode() & 0o7777,
        None => 0o666 & !umask(),
    };
    match executable {
        None => mode,
        Some(true) => mode | ((mode & 0o444) >> 2),
        Some(false) => mode & !0o111,
    }
}

/// The process's file mode mask. Asking the system for it means setting it, which
/// would show for a moment in every thread, so it is read where Linux tells it.
fn umask() -> u32 {
    static MASK: std::sync::LazyLock<u32> = std::sync::LazyLock::new(|| {
        let status = fs::read_to_string("/proc/self/status").unwrap_or_default();
        let line = status.lines().find_map(|l| l.strip_prefix("Umask:"));
        let mask = line.and_then(|m| u32::from_str_radix(m.trim(), 8).ok());
        mask.unwrap_or(0o022)
    });
    *MASK
}

/// Replaces a file in one step: a reader sees the old bytes or the new, never a part.
///
/// The permissions of the file that was there stay; `executable` adds or removes
/// the right to run it.
///
/// # Errors
/// If the folder or the disk refuses; the old file is then untouched.
pub fn write_atomically(
    target: &Path,
    bytes: &[u8],
    executable: Option<bool>,
) -> Result<(), Error> {
    Prepared::new(target, bytes, executable)?.persist()
}
