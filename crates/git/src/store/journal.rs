//! The stored decisions about one case: a file of JSON lines.

use crate::file::folders::{make_folder, open, remove_file};
use crate::file::work_file::write_atomically;
use crate::process::error::Error;
use armistice_core::{Event, Header, PlanRecipe};
use std::fs;
use std::io::Write;
use std::path::{Path, PathBuf};

/// The stored decisions about one case.
#[derive(Debug)]
pub struct Journal {
    pub(crate) file: PathBuf,
    pub(crate) header: Header,
    /// Length of the file as this program left it.
    pub(crate) len: u64,
    /// What was partly appended and could not be cut off again.
    pub(crate) torn: Vec<u8>,
    /// All that the file held as this program left it, to be written again if somebody removes it.
    pub(crate) held: Vec<u8>,
}

impl Journal {
    /// Appends events, all or none of them; when this returns, they survive the program.
    ///
    /// # Errors
    /// If they cannot be written, or another program wrote to the journal. What was written of
    /// them is cut off again, now or at the latest before the next ones.
    pub fn append(&mut self, events: &[Event]) -> Result<(), Error> {
        let mut bytes: Vec<u8> = events.iter().flat_map(Event::to_line).collect();
        if self.len == 0 {
            bytes.splice(0..0, self.header.to_line());
        }
        if let Some(folder) = self.file.parent() {
            make_folder(folder)?;
        }
        if self.len > 0 && self.held.len() as u64 == self.len && !self.file.exists() {
            // Somebody removed it while it was open: what it held is known here.
            write_atomically(&self.file, &self.held, None)?;
        }
        let mut options = fs::OpenOptions::new();
        let mut file = open(&self.file, options.create(true).append(true))?;
        let len = self.cut_torn(&file)?;
        if len != self.len {
            return Err(Error::Record {
                path: self.file.clone(),
                why: "another Armistice wrote to it; close one of the two and open this one again"
                    .to_owned(),
            });
        }
        if let Err(error) = file.write_all(&bytes) {
            if file.set_len(self.len).is_err() {
                self.torn = bytes;
            }
            return Err(Error::file("write", &self.file)(error));
        }
        self.len += bytes.len() as u64;
        self.held.extend(bytes);
        Ok(())
    }

    /// Cuts off what an append left behind that failed; the length then.
    fn cut_torn(&mut self, file: &fs::File) -> Result<u64, Error> {
        let length = || -> Result<u64, Error> {
            let meta = file.metadata().map_err(Error::file("read", &self.file))?;
            Ok(meta.len())
        };
        let torn = std::mem::take(&mut self.torn);
        if torn.is_empty() || length()? == self.len {
            return length();
        }
        let bytes = fs::read(&self.file).map_err(Error::file("read", &self.file))?;
        // Only what this program tried to write; what another one wrote is not ours to cut.
        let ours = bytes.get(self.len as usize..);
        if ours.is_some_and(|tail| torn.starts_with(tail)) {
            let cut = file.set_len(self.len);
            if let Err(error) = cut {
                self.torn = torn;
                return Err(Error::file("write", &self.file)(error));
            }
        }
        length()
    }

    /// Waits until what was appended is on the disk, not only with the system.
    ///
    /// # Errors
    /// If the disk refuses.
    pub fn sync(file: &Path) -> Result<(), Error> {
        let handle = fs::File::open(file).map_err(Error::file("open", file))?;
        handle.sync_data().map_err(Error::file("sync", file))
    }

    /// How the plan was made that its decisions are about.
    pub fn recipe(&self) -> &PlanRecipe {
        &self.header.plan
    }

    /// Says so of decisions to come; those that are stored keep theirs.
    pub fn set_recipe(&mut self, plan: PlanRecipe) {
        if self.len == 0 {
            self.header.plan = plan;
        }
    }

    /// Where it is stored.
    pub fn file(&self) -> &Path {
        &self.file
    }

    /// Keeps these events alone. Without any the file goes: the header is written with the first one.
    pub(crate) fn restart(&mut self, events: &[Event]) -> Result<(), Error> {
        if events.is_empty() {
            remove_file(&self.file)?;
            self.len = 0;
            self.held.clear();
            return Ok(());
        }
        let mut bytes = self.header.to_line();
        bytes.extend(events.iter().flat_map(Event::to_line));
        write_atomically(&self.file, &bytes, None)?;
        self.len = bytes.len() as u64;
        self.held = bytes;
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn journal(file: PathBuf) -> Journal {
        Journal {
            file,
            header: Header {
                armistice: Header::FORMAT,
                path: "berth.rs".to_owned(),
                versions: Default::default(),
                plan: PlanRecipe::default(),
            },
            len: 0,
            torn: Vec::new(),
            held: Vec::new(),
        }
    }

    #[test]
    fn what_was_torn_and_not_cut_off_is_cut_off_before_the_next_event() {
        let folder = tempfile::tempdir().unwrap();
        let mut journal = journal(folder.path().join("a.jsonl"));
        journal.append(&[Event::Undo]).unwrap();
        let whole = fs::read(&journal.file).unwrap();
        let line = Event::Redo.to_line();
        fs::write(&journal.file, [&whole[..], &line[..3]].concat()).unwrap();
        journal.torn = line.clone();
        journal.append(&[Event::Redo]).unwrap();
        assert_eq!(
            fs::read(&journal.file).unwrap(),
            [&whole[..], &line].concat()
        );
    }

    #[test]
    fn what_another_program_wrote_is_not_cut_off() {
        let folder = tempfile::tempdir().unwrap();
        let mut journal = journal(folder.path().join("a.jsonl"));
        journal.append(&[Event::Undo]).unwrap();
        let others = [fs::read(&journal.file).unwrap(), Event::Undo.to_line()].concat();
        fs::write(&journal.file, &others).unwrap();
        journal.torn = Event::Redo.to_line();
        let error = journal.append(&[Event::Redo]).unwrap_err();
        assert!(error.to_string().contains("another Armistice"), "{error}");
        assert_eq!(fs::read(&journal.file).unwrap(), others);
    }
}
