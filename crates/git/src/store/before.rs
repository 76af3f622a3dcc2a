//! Copies of the index and of git's notes on the operation in progress, made before a command that
//! changes them. They lead back to exactly that state if git dies half-way.

use crate::file::folders::{ROOT, make_folder, remove_tree};
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::repository::Repository;
use std::fs::{self, File};
use std::io::ErrorKind;
use std::path::{Path, PathBuf};

/// Folders of git's notes on an operation.
const FOLDERS: [&str; 3] = ["rebase-merge", "rebase-apply", "sequencer"];

/// Files of git's notes on an operation. All but the first may be references of a reference table.
const FILES: [&str; 10] = [
    "MERGE_HEAD",
    "MERGE_MODE",
    "MERGE_MSG",
    "MERGE_AUTOSTASH",
    "SQUASH_MSG",
    "CHERRY_PICK_HEAD",
    "REVERT_HEAD",
    "REBASE_HEAD",
    "ORIG_HEAD",
    "AUTO_MERGE",
];

/// Those of them that git may keep in its reference table instead.
const REFERENCES: [&str; 5] = [
    "CHERRY_PICK_HEAD",
    "REVERT_HEAD",
    "REBASE_HEAD",
    "ORIG_HEAD",
    "AUTO_MERGE",
];

fn folder(repo: &Repository) -> PathBuf {
    repo.git_dir().join(ROOT).join("before")
}

/// Where the copy of the index is.
pub(crate) fn index_copy(repo: &Repository) -> PathBuf {
    folder(repo).join("index")
}

/// Copies the index; and git's notes, if an operation is in progress. There must be no earlier copies.
///
/// # Errors
/// If git or the disk refuses.
pub(crate) fn save(repo: &Repository, in_progress: bool) -> Result<(), Error> {
    let folder = folder(repo);
    make_folder(&folder)?;
    let index = index_copy(repo);
    if copy_file(&repo.index_file(), &index)? && is_split(repo) {
        // Alone it would need the shared part, which git may remove at any time.
        let call = ["-c", "core.splitIndex=false", "update-index"];
        let call = Invocation::write(call).arg("--no-split-index");
        let call = call.arg("--force-write-index");
        repo.must(&call.env("GIT_INDEX_FILE", &index))?;
    }
    if !in_progress {
        return Ok(());
    }
    let notes = folder.join("notes");
    make_folder(&notes)?;
    for name in FILES {
        copy_file(&repo.git_dir().join(name), &notes.join(name))?;
    }
    for name in FOLDERS {
        copy_folder(&repo.git_dir().join(name), &notes.join(name))?;
    }
    if has_reference_table(repo) {
        for name in REFERENCES {
            if let Some(oid) = repo.resolve(name)? {
                let file = notes.join(format!("{name}.ref"));
                fs::write(&file, oid).map_err(Error::file("write", &file))?;
            }
        }
    }
    Ok(())
}

/// A note of git's as it was, if it was there.
pub(crate) fn note(repo: &Repository, name: &str) -> Option<String> {
    let bytes = fs::read(folder(repo).join("notes").join(name)).ok()?;
    Some(String::from_utf8_lossy(&bytes).trim_end().to_owned())
}

/// Puts the index back as it was.
///
/// # Errors
/// If git is at work on the index, or the disk refuses.
pub(crate) fn restore_index(repo: &Repository) -> Result<(), Error> {
    let index = repo.index_file();
    let lock = index.with_extension("lock");
    let locked = File::options().write(true).create_new(true).open(&lock);
    match locked {
        Err(why) if why.kind() == ErrorKind::AlreadyExists => {
            return Err(Error::Locked {
                lock: lock.display().to_string(),
            });
        }
        locked => locked.map_err(Error::file("create", &lock))?,
    };
    let put = match copy_file(&index_copy(repo), &lock) {
        Ok(true) => fs::rename(&lock, &index).map_err(Error::file("write", &index)),
        // There was none.
        Ok(false) => match fs::remove_file(&index) {
            Err(why) if why.kind() != ErrorKind::NotFound => {
                Err(Error::file("remove", &index)(why))
            }
            _ => fs::remove_file(&lock).map_err(Error::file("remove", &lock)),
        },
        Err(why) => Err(why),
    };
    if put.is_err() {
        let _ = fs::remove_file(&lock);
    }
    put
}

/// Puts git's notes back as they were, and removes those that were not there.
///
/// # Errors
/// If git or the disk refuses; it can be called again.
pub(crate) fn restore_notes(repo: &Repository) -> Result<(), Error> {
    let notes = folder(repo).join("notes");
    for name in FILES {
        let file = repo.git_dir().join(name);
        if !copy_file(&notes.join(name), &file)? {
            match fs::remove_file(&file) {
                Err(why) if why.kind() != ErrorKind::NotFound => {
                    return Err(Error::file("remove", &file)(why));
                }
                _ => {}
            }
        }
    }
    if has_reference_table(repo) {
        for name in REFERENCES {
            match note(repo, &format!("{name}.ref")) {
                Some(oid) => repo.must(&Invocation::write(["update-ref", name, &oid]))?,
                None => repo.must(&Invocation::write(["update-ref", "-d", name]))?,
            };
        }
    }
    for name in FOLDERS {
        let now = repo.git_dir().join(name);
        match fs::remove_dir_all(&now) {
            Err(why) if why.kind() != ErrorKind::NotFound => {
                return Err(Error::file("remove", &now)(why));
            }
            _ => copy_folder(&notes.join(name), &now)?,
        }
    }
    Ok(())
}

/// Removes the copies.
///
/// # Errors
/// If they cannot be removed.
pub(crate) fn forget(repo: &Repository) -> Result<(), Error> {
    remove_tree(&folder(repo))
}

fn has_reference_table(repo: &Repository) -> bool {
    repo.common_dir().join("reftable").exists()
}

/// Whether part of the index is in a file of its own.
fn is_split(repo: &Repository) -> bool {
    let files = fs::read_dir(repo.git_dir()).into_iter().flatten().flatten();
    let mut names = files.map(|file| file.file_name());
    names.any(|name| name.to_string_lossy().starts_with("sharedindex."))
}

/// Copies a file and waits for the disk; whether it is there.
fn copy_file(from: &Path, to: &Path) -> Result<bool, Error> {
    match fs::symlink_metadata(from) {
        Ok(meta) if meta.is_file() => {}
        _ => return Ok(false),
    }
    fs::copy(from, to).map_err(Error::file("copy", from))?;
    let file = File::open(to).map_err(Error::file("open", to))?;
    file.sync_all().map_err(Error::file("write", to))?;
    Ok(true)
}

/// Copies a folder with all that is in it, if it is there.
fn copy_folder(from: &Path, to: &Path) -> Result<(), Error> {
    let listed = match fs::read_dir(from) {
        Err(why) if why.kind() == ErrorKind::NotFound => return Ok(()),
        listed => listed.map_err(Error::file("read", from))?,
    };
    fs::create_dir_all(to).map_err(Error::file("create", to))?;
    for entry in listed {
        let entry = entry.map_err(Error::file("read", from))?;
        let target = to.join(entry.file_name());
        match entry.file_type().is_ok_and(|kind| kind.is_dir()) {
            true => copy_folder(&entry.path(), &target)?,
            false => copy_file(&entry.path(), &target).map(drop)?,
        }
    }
    Ok(())
}
