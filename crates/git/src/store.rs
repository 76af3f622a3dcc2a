//! What Armistice keeps under the git folder: journals, copies, notes.
//!
//! ```text
//! armistice/journal/PATHHASH-VERSIONSHASH.jsonl   decisions about one file's three versions
//! armistice/sketch/PATHHASH-VERSIONSHASH          text of an edit that was not finished
//! armistice/memory.jsonl                          settled conflicts, by their three texts
//! armistice/written/PATHHASH.json                 what was written, to take it back
//! armistice/kept/NUMBER-NAME                      copies of what was replaced
//! ```

use crate::case::{Case, Stages};
use crate::error::Error;
use crate::path::RepoPath;
use crate::work_file::{Seen, write_atomically};
use armistice_core::{Event, Header, Precedent, ReadJournal, read_journal};
use serde::{Deserialize, Serialize};
use std::fs;
use std::io::Write;
use std::path::{Path, PathBuf};

/// Copies and journals beyond these numbers go, oldest first.
const KEEP_COPIES: usize = 5000;
const KEEP_JOURNALS: usize = 2000;

/// The folder under the git folder.
#[derive(Clone, Debug)]
pub struct Store {
    root: PathBuf,
}

/// What was written for a case, and what to put back.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Record {
    pub(crate) stages: Stages,
    /// The working file as git left it; `None` if there was none.
    pub(crate) before: Option<Copy>,
    /// The working file as it was left.
    pub(crate) after: Seen,
    /// The commit that was checked out then.
    pub(crate) head: Option<String>,
}

/// What stood at a path, copied aside.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Copy {
    pub(crate) file: PathBuf,
    /// Whether it was a symbolic link; the copy then holds its target.
    pub(crate) is_link: bool,
}

/// The stored decisions about one case.
#[derive(Debug)]
pub struct Journal {
    file: PathBuf,
    header: Header,
    /// Length of the file as this program left it.
    len: u64,
}

impl Store {
    /// The store of a git folder; nothing is created by asking.
    pub fn new(git_dir: &Path) -> Self {
        Store {
            root: git_dir.join("armistice"),
        }
    }

    /// Opens the journal of a case and reads what it holds.
    ///
    /// A torn or damaged tail is kept aside and cut off. The message, if any,
    /// says what a person should know.
    ///
    /// # Errors
    /// If the file is there and cannot be read.
    pub fn journal(&self, case: &Case) -> Result<(Journal, Vec<Event>, Option<String>), Error> {
        let file = self.root.join("journal").join(name_of(case) + ".jsonl");
        let header = Header {
            armistice: Header::FORMAT,
            path: case.path.to_string(),
            versions: case.stages.names(),
        };
        let bytes = read_if_there(&file)?.unwrap_or_default();
        let read = read_journal(&bytes);
        let mut journal = Journal {
            len: bytes.len() as u64,
            file,
            header,
        };
        if bytes.is_empty() {
            return Ok((journal, Vec::new(), self.other_versions(case)));
        }
        if read.header.as_ref() != Some(&journal.header) {
            let copy = self.keep(&case.path, &bytes)?;
            journal.restart(&[])?;
            let copy = copy.display();
            return Ok((
                journal,
                Vec::new(),
                Some(format!("an unreadable journal was put aside as {copy}")),
            ));
        }
        let message = self.mend(&mut journal, case, &bytes, &read)?;
        Ok((journal, read.events, message))
    }

    fn mend(
        &self,
        journal: &mut Journal,
        case: &Case,
        bytes: &[u8],
        read: &ReadJournal,
    ) -> Result<Option<String>, Error> {
        let Some(line) = read.unreadable.first() else {
            return Ok(None);
        };
        let copy = self.keep(&case.path, bytes)?;
        journal.restart(&read.events)?;
        let copy = copy.display();
        Ok(Some(format!(
            "the journal was damaged from line {line} on; the whole is kept as {copy}"
        )))
    }

    /// Whether decisions were recorded about other versions of the same path.
    fn other_versions(&self, case: &Case) -> Option<String> {
        let prefix = format!("{}-", hash(case.path.bytes()));
        let mut files = fs::read_dir(self.root.join("journal")).ok()?;
        let older =
            files.any(|f| f.is_ok_and(|f| f.file_name().to_string_lossy().starts_with(&prefix)));
        older.then(|| {
            format!(
                "{}: the versions changed; decisions made about the earlier ones were not used",
                case.path
            )
        })
    }

    /// Copies bytes aside and says where.
    ///
    /// # Errors
    /// If the copy cannot be written.
    pub fn keep(&self, path: &RepoPath, bytes: &[u8]) -> Result<PathBuf, Error> {
        let folder = self.root.join("kept");
        make_folder(&folder)?;
        let next = numbers(&folder).last().map_or(1, |n| n + 1);
        let name: String = (path.to_string().rsplit('/').next().unwrap_or_default())
            .chars()
            .map(|c| {
                if c.is_alphanumeric() || c == '.' {
                    c
                } else {
                    '_'
                }
            })
            .take(80)
            .collect();
        let file = folder.join(format!("{next:06}-{name}"));
        write_atomically(&file, bytes, None)?;
        prune(&folder, KEEP_COPIES);
        Ok(file)
    }

    pub(crate) fn record(&self, path: &RepoPath, record: &Record) -> Result<(), Error> {
        let file = self.record_file(path);
        let bytes = serde_json::to_vec(record).map_err(|e| Error::Record {
            path: file.clone(),
            why: e.to_string(),
        })?;
        make_folder(&self.root.join("written"))?;
        write_atomically(&file, &bytes, None)
    }

    pub(crate) fn recorded(&self, path: &RepoPath) -> Option<Record> {
        let bytes = fs::read(self.record_file(path)).ok()?;
        serde_json::from_slice(&bytes).ok()
    }

    /// Whether this program wrote the working file of a path.
    pub fn wrote(&self, path: &RepoPath) -> bool {
        self.record_file(path).exists()
    }

    /// Whether this program wrote the working file while `head` was checked out.
    pub(crate) fn wrote_on(&self, path: &RepoPath, head: &Option<String>) -> bool {
        self.recorded(path)
            .is_some_and(|record| record.head == *head)
    }

    pub(crate) fn forget_record(&self, path: &RepoPath) {
        // A record that cannot be removed is only looked at again and found outdated.
        let _ = fs::remove_file(self.record_file(path));
    }

    fn record_file(&self, path: &RepoPath) -> PathBuf {
        let name = format!("{}.json", hash(path.bytes()));
        self.root.join("written").join(name)
    }

    /// Keeps the text of an edit under way.
    ///
    /// # Errors
    /// If it cannot be written.
    pub fn save_sketch(&self, case: &Case, text: &str) -> Result<(), Error> {
        make_folder(&self.root.join("sketch"))?;
        write_atomically(&self.sketch_file(case), text.as_bytes(), None)
    }

    /// The text of an edit that was not finished.
    pub fn sketch(&self, case: &Case) -> Option<String> {
        fs::read_to_string(self.sketch_file(case)).ok()
    }

    /// Forgets the edit under way.
    pub fn drop_sketch(&self, case: &Case) {
        // Gone already is as good as removed.
        let _ = fs::remove_file(self.sketch_file(case));
    }

    fn sketch_file(&self, case: &Case) -> PathBuf {
        self.root.join("sketch").join(name_of(case))
    }

    /// Forgets what was written; journals stay, for the same merge may be started again.
    pub(crate) fn forget_written(&self) -> Result<(), Error> {
        remove_tree(&self.root.join("written"))
    }

    /// Closes the books after an operation was concluded: journals are put
    /// aside, records of what was written are gone.
    ///
    /// # Errors
    /// If the folder refuses.
    pub fn close_books(&self) -> Result<(), Error> {
        let (from, to) = (self.root.join("journal"), self.root.join("concluded"));
        self.forget_written()?;
        remove_tree(&self.root.join("sketch"))?;
        if !from.exists() {
            return Ok(());
        }
        make_folder(&to)?;
        for file in fs::read_dir(&from)
            .map_err(Error::file("read", &from))?
            .flatten()
        {
            let target = to.join(file.file_name());
            fs::rename(file.path(), &target).map_err(Error::file("move", file.path()))?;
        }
        prune(&to, KEEP_JOURNALS);
        Ok(())
    }
}

/// Settled conflicts that a repository remembers, oldest first.
///
/// A file of JSON lines in the folder that all work trees share. What does not
/// fit any more goes, oldest first; a line that cannot be read is passed over.
#[derive(Clone, Debug)]
pub struct Memory {
    file: PathBuf,
}

/// Bounds of what is remembered.
const MOST_REMEMBERED: usize = 2_000;
const BYTES_REMEMBERED: usize = 8_000_000;

impl Memory {
    /// The memory of a repository; nothing is created by asking.
    pub fn new(common_dir: &Path) -> Self {
        Memory {
            file: common_dir.join("armistice").join("memory.jsonl"),
        }
    }

    /// What is remembered, oldest first.
    ///
    /// # Errors
    /// If the file is there and cannot be read.
    pub fn read(&self) -> Result<Vec<Precedent>, Error> {
        let bytes = read_if_there(&self.file)?.unwrap_or_default();
        let lines = bytes.split(|b| *b == b'\n').filter(|line| !line.is_empty());
        Ok(lines
            .filter_map(|line| serde_json::from_slice(line).ok())
            .collect())
    }

    /// Remembers; what was remembered about the same three texts is replaced.
    ///
    /// # Errors
    /// If the file cannot be read or written.
    pub fn remember(&self, new: &[Precedent]) -> Result<(), Error> {
        if new.is_empty() {
            return Ok(());
        }
        let mut all = self.read()?;
        all.retain(|old| !new.iter().any(|n| n.is_about(old)));
        all.extend_from_slice(new);
        let mut size = 0;
        let fits = |p: &&Precedent| {
            size += p.size();
            size <= BYTES_REMEMBERED
        };
        let n = all
            .iter()
            .rev()
            .take(MOST_REMEMBERED)
            .take_while(fits)
            .count();
        self.write(&all[all.len() - n..])
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
        match fs::remove_file(&self.file) {
            Err(e) if e.kind() != std::io::ErrorKind::NotFound => {
                Err(Error::file("remove", &self.file)(e))
            }
            _ => Ok(n),
        }
    }

    fn write(&self, all: &[Precedent]) -> Result<(), Error> {
        let mut bytes = Vec::new();
        for precedent in all {
            // Serialising these types cannot fail: no map keys but strings, no I/O.
            bytes.extend(serde_json::to_vec(precedent).unwrap_or_default());
            bytes.push(b'\n');
        }
        if let Some(folder) = self.file.parent() {
            make_folder(folder)?;
        }
        write_atomically(&self.file, &bytes, None)
    }
}

impl Journal {
    /// Appends an event; when this returns, it survives the program.
    ///
    /// # Errors
    /// If it cannot be written, or another program wrote to the journal.
    pub fn append(&mut self, event: &Event) -> Result<(), Error> {
        let mut bytes = event.to_line();
        if self.len == 0 {
            bytes.splice(0..0, self.header.to_line());
        }
        if let Some(folder) = self.file.parent() {
            make_folder(folder)?;
        }
        let mut options = fs::OpenOptions::new();
        let mut file = options
            .create(true)
            .append(true)
            .open(&self.file)
            .map_err(Error::file("open", &self.file))?;
        let len = file
            .metadata()
            .map_err(Error::file("read", &self.file))?
            .len();
        if len != self.len {
            return Err(Error::Record {
                path: self.file.clone(),
                why: "another Armistice wrote to it; close one of the two and open this one again"
                    .to_owned(),
            });
        }
        file.write_all(&bytes)
            .map_err(Error::file("write", &self.file))?;
        self.len += bytes.len() as u64;
        Ok(())
    }

    /// Waits until what was appended is on the disk, not only with the system.
    ///
    /// # Errors
    /// If the disk refuses.
    pub fn sync(file: &Path) -> Result<(), Error> {
        let handle = fs::File::open(file).map_err(Error::file("open", file))?;
        handle.sync_data().map_err(Error::file("sync", file))
    }

    /// Where it is stored.
    pub fn file(&self) -> &Path {
        &self.file
    }

    fn restart(&mut self, events: &[Event]) -> Result<(), Error> {
        let mut bytes = self.header.to_line();
        bytes.extend(events.iter().flat_map(Event::to_line));
        write_atomically(&self.file, &bytes, None)?;
        self.len = bytes.len() as u64;
        Ok(())
    }
}

fn name_of(case: &Case) -> String {
    let versions = case.stages.names().join(" ");
    format!("{}-{}", hash(case.path.bytes()), hash(versions.as_bytes()))
}

/// FNV-1a, 64 bits: a file name that never changes between builds. What a file
/// is about is checked against its header, so a collision loses nothing.
pub(crate) fn hash(bytes: &[u8]) -> String {
    let step = |h: u64, b: &u8| (h ^ u64::from(*b)).wrapping_mul(0x0100_0000_01b3);
    format!("{:016x}", bytes.iter().fold(0xcbf2_9ce4_8422_2325, step))
}

fn read_if_there(file: &Path) -> Result<Option<Vec<u8>>, Error> {
    match fs::read(file) {
        Ok(bytes) => Ok(Some(bytes)),
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => Ok(None),
        Err(e) => Err(Error::file("read", file)(e)),
    }
}

fn make_folder(folder: &Path) -> Result<(), Error> {
    fs::create_dir_all(folder).map_err(Error::file("create", folder))
}

fn remove_tree(folder: &Path) -> Result<(), Error> {
    match fs::remove_dir_all(folder) {
        Err(e) if e.kind() != std::io::ErrorKind::NotFound => Err(Error::file("remove", folder)(e)),
        _ => Ok(()),
    }
}

/// The numbers that names in a folder begin with, rising.
fn numbers(folder: &Path) -> Vec<u64> {
    let names = fs::read_dir(folder).into_iter().flatten().flatten();
    let number = |name: String| name.split('-').next()?.parse().ok();
    let mut all: Vec<u64> = names
        .filter_map(|f| number(f.file_name().to_string_lossy().into_owned()))
        .collect();
    all.sort_unstable();
    all
}

/// Removes the oldest files beyond `most`; one that cannot be removed stays.
fn prune(folder: &Path, most: usize) {
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
