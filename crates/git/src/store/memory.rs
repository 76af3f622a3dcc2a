//! Settled conflicts that a repository remembers.

use crate::file::folders::{ROOT, make_folder, read_if_there, remove_file};
use crate::file::work_file::write_atomically;
use crate::process::error::Error;
use armistice_core::PastResolution;
use armistice_core::limits::{REMEMBERED_BYTES, REMEMBERED_CONFLICTS};
use std::path::{Path, PathBuf};

/// Settled conflicts that a repository remembers, oldest first.
///
/// A file of JSON lines in the folder that all work trees share. What does not
/// fit any more goes, oldest first; a line that cannot be read is passed over.
#[derive(Clone, Debug)]
pub struct Memory {
    file: PathBuf,
}

impl Memory {
    /// The memory of a repository; nothing is created by asking.
    pub fn new(common_dir: &Path) -> Self {
        Memory {
            file: common_dir.join(ROOT).join("memory.jsonl"),
        }
    }

    /// What is remembered, oldest first.
    ///
    /// # Errors
    /// If the file is there and cannot be read.
    pub fn read(&self) -> Result<Vec<PastResolution>, Error> {
        let bytes = read_if_there(&self.file)?.unwrap_or_default();
        // The newest that fit, whoever wrote the file.
        let lines = bytes
            .rsplit(|b| *b == b'\n')
            .filter(|line| !line.is_empty());
        let mut size = 0;
        let fits = |past: &PastResolution| {
            size += past.size();
            size <= REMEMBERED_BYTES
        };
        let mut newest: Vec<PastResolution> = lines
            .take(REMEMBERED_CONFLICTS)
            .filter_map(|line| serde_json::from_slice(line).ok())
            .take_while(fits)
            .collect();
        newest.reverse();
        Ok(newest)
    }

    /// Remembers; what was remembered about the same three texts is replaced.
    ///
    /// # Errors
    /// If the file cannot be read or written.
    pub fn remember(&self, new: &[PastResolution]) -> Result<(), Error> {
        if new.is_empty() {
            return Ok(());
        }
        let mut all = self.read()?;
        all.retain(|old| !new.iter().any(|n| n.is_about(old)));
        all.extend_from_slice(new);
        self.write_newest(&all)
    }

    /// Writes as many as fit, the last ones.
    fn write_newest(&self, all: &[PastResolution]) -> Result<(), Error> {
        let mut size = 0;
        let fits = |p: &&PastResolution| {
            size += p.size();
            size <= REMEMBERED_BYTES
        };
        let n = all
            .iter()
            .rev()
            .take(REMEMBERED_CONFLICTS)
            .take_while(fits)
            .count();
        self.write(&all[all.len() - n..])
    }

    /// Remembers what was learned from merges, as older than all that was settled with Armistice. What was
    /// learned before about the same three texts is replaced, what was settled is kept. Returns how many
    /// are new.
    ///
    /// # Errors
    /// If the file cannot be read or written.
    pub fn learn(&self, lessons: Vec<PastResolution>) -> Result<usize, Error> {
        let mut known = self.read()?;
        let settled = |lesson: &PastResolution| {
            let mut own = known.iter().filter(|known| known.learned.is_none());
            own.any(|own| own.is_about(lesson))
        };
        let mut all: Vec<PastResolution> = lessons;
        all.retain(|lesson| !settled(lesson));
        let is_new = |lesson: &&PastResolution| !known.iter().any(|known| known.is_about(lesson));
        let new = all.iter().filter(is_new).count();
        known.retain(|known| !all.iter().any(|lesson| lesson.is_about(known)));
        all.extend(known);
        all.sort_by_key(|past| past.learned.is_none());
        self.write_newest(&all)?;
        Ok(new)
    }

    /// Forgets the one of this number, counted from zero, oldest first.
    ///
    /// # Errors
    /// If there is none, or the file cannot be read or written.
    pub fn forget(&self, nth: usize) -> Result<(), Error> {
        let mut all = self.read()?;
        if nth >= all.len() {
            return Err(Error::Record {
                path: self.file.clone(),
                why: format!(
                    "it has {} entries; there is no number {}",
                    all.len(),
                    nth + 1
                ),
            });
        }
        all.remove(nth);
        self.write(&all)
    }

    /// Forgets everything; how much that was.
    ///
    /// # Errors
    /// If the file cannot be read or removed.
    pub fn forget_all(&self) -> Result<usize, Error> {
        let n = self.read()?.len();
        remove_file(&self.file)?;
        Ok(n)
    }

    fn write(&self, all: &[PastResolution]) -> Result<(), Error> {
        let mut bytes = Vec::new();
        for past_resolution in all {
            // Serialising these types cannot fail: no map keys but strings, no I/O.
            bytes.extend(serde_json::to_vec(past_resolution).unwrap_or_default());
            bytes.push(b'\n');
        }
        if let Some(folder) = self.file.parent() {
            make_folder(folder)?;
        }
        write_atomically(&self.file, &bytes, None)
    }
}
