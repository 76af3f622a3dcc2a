//! The stored decisions about one case: a file of JSON lines.

use crate::file::work_file::write_atomically;
use crate::process::error::Error;
use crate::store::folders::make_folder;
use armistice_core::{Event, Header};
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

    pub(crate) fn restart(&mut self, events: &[Event]) -> Result<(), Error> {
        let mut bytes = self.header.to_line();
        bytes.extend(events.iter().flat_map(Event::to_line));
        write_atomically(&self.file, &bytes, None)?;
        self.len = bytes.len() as u64;
        Ok(())
    }
}
