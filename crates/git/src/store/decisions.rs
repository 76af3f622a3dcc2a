//! What was decided in operations that are concluded, by the commits that they became.
//!
//! One file a commit in `armistice/decided`, in words of the application; the oldest go.

use crate::file::folders::{ROOT, make_folder, plain_files, prune, read_if_there};
use crate::file::work_file::write_atomically;
use crate::process::error::Error;
use armistice_core::limits::KEPT_RECORDS;
use std::path::{Path, PathBuf};

/// The records kept under a git folder.
#[derive(Clone, Debug)]
pub struct Decisions {
    folder: PathBuf,
}

impl Decisions {
    /// The records of a git folder; nothing is created by asking.
    pub fn new(git_dir: &Path) -> Self {
        Decisions {
            folder: git_dir.join(ROOT).join("decided"),
        }
    }

    /// Where the record of a commit is; none for what is no name of a commit.
    fn file(&self, commit: &str) -> Option<PathBuf> {
        let is_name = !commit.is_empty() && commit.bytes().all(|b| b.is_ascii_hexdigit());
        is_name.then(|| self.folder.join(format!("{commit}.json")))
    }

    /// Keeps the record of a commit.
    ///
    /// # Errors
    /// If it cannot be written.
    pub fn keep(&self, commit: &str, record: &[u8]) -> Result<(), Error> {
        let Some(file) = self.file(commit) else {
            return Ok(());
        };
        make_folder(&self.folder)?;
        write_atomically(&file, record, None)?;
        prune(&self.folder, KEPT_RECORDS);
        Ok(())
    }

    /// The record of a commit, by its full name; none if there is none that can be read.
    pub fn of(&self, commit: &str) -> Option<Vec<u8>> {
        read_if_there(&self.file(commit)?).ok()?
    }

    /// The commits of which there are records, the newest record first.
    pub fn commits(&self) -> Vec<String> {
        let mut files = plain_files(&self.folder);
        files.sort_by_key(|file| file.metadata().and_then(|m| m.modified()).ok());
        let name = |name: std::ffi::OsString| {
            let name = name.to_string_lossy();
            name.strip_suffix(".json").map(str::to_owned)
        };
        let names = files.into_iter().rev().map(|file| file.file_name());
        names.filter_map(name).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_record_is_found_by_its_commit_and_the_oldest_go() {
        let folder = tempfile::TempDir::new().unwrap();
        let kept = Decisions::new(folder.path());
        assert_eq!((kept.of("ab12"), kept.commits()), (None, Vec::new()));
        kept.keep("ab12", b"{}").unwrap();
        kept.keep("../out", b"{}").unwrap();
        assert_eq!(kept.of("ab12").as_deref(), Some(&b"{}"[..]));
        assert_eq!(kept.commits(), ["ab12"]);
        assert!(!folder.path().join("armistice/out.json").exists());
        for n in 0..KEPT_RECORDS + 3 {
            kept.keep(&format!("{n:x}"), b"{}").unwrap();
        }
        assert_eq!(kept.commits().len(), KEPT_RECORDS);
    }
}
