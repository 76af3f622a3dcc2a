//! What Armistice keeps under the git folder: journals, copies, notes.
//!
//! ```text
//! armistice/journal/PATHHASH-VERSIONSHASH.jsonl   decisions about one file's three versions
//! armistice/sketch/PATHHASH-VERSIONSHASH          text of an edit that was not finished
//! armistice/whole/PATHHASH-VERSIONSHASH           how a case was settled as a whole
//! armistice/memory.jsonl                          settled conflicts, by their three texts
//! armistice/written.jsonl                         what was written, to take it back
//! armistice/kept/NUMBER-NAME                      copies of what was replaced
//! armistice/decided/COMMIT.json                   what was decided in what became that commit
//! armistice/checks.json                           how the project's own commands ended
//! armistice/place.json                            where a person was on the screens
//! armistice/turn                                  locked while something is written
//! ```

use crate::case::one::Case;
use crate::case::outcomes::FileOutcome;
use crate::file::folders::{
    ROOT, file_name_hash, make_folder, numbers, open, plain_files, prune, read_if_there,
    remove_file, remove_tree,
};
use crate::file::owner::sweep;
use crate::file::work_file::{write_atomically, write_new};
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::store::journal::Journal;
use crate::store::remade::REMADE;
use crate::store::write_lock::WriteLock;
use crate::store::written::{self, Copy, Record, Records};
use armistice_core::limits::{KEPT_COPIES, KEPT_JOURNALS};
use armistice_core::{Event, Header, PlanRecipe, ReadJournal, read_journal};
use std::fs;
use std::io::Read;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

/// The folder under the git folder.
#[derive(Clone, Debug)]
pub struct Store {
    root: PathBuf,
    /// The number of the last copy that was kept; 0 if the folder was not looked through yet.
    copies: Arc<AtomicU64>,
}

/// Copies after which the folder of copies is looked through again.
const LOOKED_THROUGH: u64 = 64;

impl Store {
    /// The store of a git folder; nothing is created by asking.
    pub fn new(git_dir: &Path) -> Self {
        Store {
            root: git_dir.join(ROOT),
            copies: Arc::default(),
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
            plan: PlanRecipe::default(),
        };
        let bytes = read_if_there(&file)?.unwrap_or_default();
        let read = read_journal(&bytes);
        let mut journal = Journal {
            len: bytes.len() as u64,
            torn: Vec::new(),
            held: bytes.clone(),
            file,
            header,
        };
        if bytes.is_empty() {
            return Ok((journal, Vec::new(), self.other_versions(case)));
        }
        if !read
            .header
            .as_ref()
            .is_some_and(|header| is_about(header, &journal.header))
        {
            let copy = self.keep(&case.path, &bytes)?;
            journal.restart(&[])?;
            let copy = copy.display();
            let formats = read.header.as_ref().map(|header| header.armistice);
            let message = match formats.is_some_and(|format| format != Header::FORMAT) {
                true => format!(
                    "decisions that another version of Armistice recorded were put aside as {copy}"
                ),
                false => format!("an unreadable journal was put aside as {copy}"),
            };
            return Ok((journal, Vec::new(), Some(message)));
        }
        if let Some(header) = &read.header {
            journal.header.plan = header.plan.clone();
        }
        let message = self.mend(&mut journal, case, &bytes, &read)?;
        Ok((journal, read.events, message))
    }

    /// Puts the decisions of a journal aside, which are about another plan of the same versions, and
    /// empties it. Where they are now.
    ///
    /// # Errors
    /// If the copy or the journal cannot be written; the journal is then as it was.
    pub fn put_aside(&self, journal: &mut Journal, case: &Case) -> Result<PathBuf, Error> {
        let copy = self.keep(&case.path, &journal.held)?;
        journal.restart(&[])?;
        journal.header.plan = PlanRecipe::default();
        Ok(copy)
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
        let prefix = format!("{}-", file_name_hash(case.path.bytes()));
        let mut files = plain_files(&self.root.join("journal")).into_iter();
        let older = files.any(|f| f.file_name().to_string_lossy().starts_with(&prefix));
        older.then(|| {
            format!(
                "{}: the versions changed; decisions made about the earlier ones were not used",
                case.path
            )
        })
    }

    /// Writes a drawing of this name and says where.
    ///
    /// # Errors
    /// If it cannot be written.
    pub fn draw(&self, name: &str, bytes: &[u8]) -> Result<PathBuf, Error> {
        let folder = self.root.join("drawings");
        make_folder(&folder)?;
        let file = folder.join(name);
        write_atomically(&file, bytes, None)?;
        Ok(file)
    }

    /// Copies bytes aside and says where.
    ///
    /// # Errors
    /// If the copy cannot be written.
    pub fn keep(&self, path: &RepoPath, bytes: &[u8]) -> Result<PathBuf, Error> {
        let folder = self.root.join("kept");
        make_folder(&folder)?;
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
        loop {
            let file = folder.join(format!("{:06}-{name}", self.next_copy(&folder)));
            // Another thread or program may have taken the number meanwhile: no copy is replaced.
            if write_new(&file, bytes)? {
                return Ok(file);
            }
            self.copies.store(0, Ordering::Relaxed);
        }
    }

    /// The number of the next copy; the folder is looked through once, and again now and then, to
    /// be rid of the oldest.
    fn next_copy(&self, folder: &Path) -> u64 {
        let n = self.copies.load(Ordering::Relaxed);
        let next = match n.is_multiple_of(LOOKED_THROUGH) {
            true => {
                prune(folder, KEPT_COPIES);
                numbers(folder).last().map_or(1, |n| n + 1).max(n + 1)
            }
            false => n + 1,
        };
        self.copies.store(next, Ordering::Relaxed);
        next
    }

    /// A copy that was kept, by the name of its file; `None` if it is gone.
    pub(crate) fn copy(&self, copy: &Copy) -> Option<Vec<u8>> {
        // Wherever the record says it is: copies are in one place alone.
        let file = self.root.join("kept").join(copy.file.file_name()?);
        let mut bytes = Vec::new();
        let mut opened = open(&file, fs::OpenOptions::new().read(true)).ok()?;
        opened.read_to_end(&mut bytes).ok()?;
        Some(bytes)
    }

    /// Notes what was written, all or none of it; a path without a record is forgotten.
    pub(crate) fn record<'a>(
        &self,
        records: impl IntoIterator<Item = (&'a RepoPath, Option<&'a Record>)>,
    ) -> Result<(), Error> {
        written::append(&self.root, records)
    }

    /// Notes that what was begun is done; does not wait for the disk.
    pub(crate) fn record_done<'a>(
        &self,
        records: impl IntoIterator<Item = (&'a RepoPath, Option<&'a Record>)>,
    ) -> Result<(), Error> {
        written::append_done(&self.root, records)
    }

    /// Waits for the turn to write.
    pub(crate) fn write_lock(&self) -> Result<WriteLock, Error> {
        WriteLock::acquire(&self.root)
    }

    /// Waits until no command is running that begins or ends an operation.
    pub(crate) fn command_lock(&self) -> Result<WriteLock, Error> {
        WriteLock::acquire_command(&self.root)
    }

    /// Removes temporary files that a crash left in the store.
    pub(crate) fn sweep(&self) {
        for folder in [
            "",
            "kept",
            "journal",
            "sketch",
            "whole",
            "concluded",
            "decided",
        ] {
            sweep(&self.root.join(folder));
        }
    }

    /// What was written, as it is known now.
    pub fn records(&self) -> Records {
        Records::read(&self.root)
    }

    pub(crate) fn forget_record(&self, path: &RepoPath) {
        // A record that stays is only looked at again and found outdated.
        let _ = self.record([(path, None)]);
    }

    /// Keeps the text of an edit in progress.
    ///
    /// # Errors
    /// If it cannot be written.
    pub fn save_unsaved_edit(&self, case: &Case, text: &str) -> Result<(), Error> {
        make_folder(&self.root.join("sketch"))?;
        write_atomically(&self.unsaved_edit_file(case), text.as_bytes(), None)
    }

    /// The text of an edit that was not finished.
    pub fn unsaved_edit(&self, case: &Case) -> Option<String> {
        let bytes = read_if_there(&self.unsaved_edit_file(case)).ok()??;
        String::from_utf8(bytes).ok()
    }

    /// Forgets the edit in progress.
    pub fn drop_unsaved_edit(&self, case: &Case) {
        // Gone already is as good as removed.
        let _ = remove_file(&self.unsaved_edit_file(case));
    }

    /// Notes how a case was settled as a whole, so that it comes back when the same versions meet again.
    ///
    /// # Errors
    /// If it cannot be written.
    pub fn save_whole(&self, case: &Case, outcome: FileOutcome) -> Result<(), Error> {
        make_folder(&self.root.join("whole"))?;
        write_atomically(&self.whole_file(case), outcome.name().as_bytes(), None)
    }

    /// How a case of these versions was settled as a whole, if it still can be.
    pub fn whole(&self, case: &Case) -> Option<FileOutcome> {
        let name = read_if_there(&self.whole_file(case)).ok()??;
        let mut possible = case.outcomes().into_iter();
        possible.find(|outcome| outcome.name().as_bytes() == name)
    }

    /// Forgets how a case was settled as a whole.
    pub fn drop_whole(&self, case: &Case) {
        let _ = remove_file(&self.whole_file(case));
    }

    fn whole_file(&self, case: &Case) -> PathBuf {
        self.root.join("whole").join(name_of(case))
    }

    /// Notes where a person is on the screens, in words of the application.
    ///
    /// # Errors
    /// If it cannot be written.
    pub fn save_place(&self, place: &[u8]) -> Result<(), Error> {
        make_folder(&self.root)?;
        write_atomically(&self.root.join("place.json"), place, None)
    }

    /// Where a person was; none if nobody noted it or it cannot be read.
    pub fn place(&self) -> Option<Vec<u8>> {
        read_if_there(&self.root.join("place.json")).ok()?
    }

    fn unsaved_edit_file(&self, case: &Case) -> PathBuf {
        self.root.join("sketch").join(name_of(case))
    }

    /// Forgets what was written; journals stay, for the same merge may be started again.
    pub(crate) fn forget_written(&self) -> Result<(), Error> {
        remove_file(&self.root.join(REMADE))?;
        written::forget(&self.root)
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
        remove_tree(&self.root.join("whole"))?;
        if !from.exists() {
            return Ok(());
        }
        make_folder(&to)?;
        for file in plain_files(&from) {
            let target = to.join(file.file_name());
            fs::rename(file.path(), &target).map_err(Error::file("move", file.path()))?;
        }
        prune(&to, KEPT_JOURNALS);
        Ok(())
    }
}

/// Whether a stored header is about the same file as one made now. Backslashes of a path were not
/// doubled once; its bytes are in the name of the file.
fn is_about(stored: &Header, now: &Header) -> bool {
    let former = now.path.replace("\\\\", "\\");
    let path = stored.path == now.path || stored.path == former;
    path && (stored.armistice, &stored.versions) == (now.armistice, &now.versions)
}

fn name_of(case: &Case) -> String {
    let versions = case.stages.names().join(" ");
    format!(
        "{}-{}",
        file_name_hash(case.path.bytes()),
        file_name_hash(versions.as_bytes())
    )
}
