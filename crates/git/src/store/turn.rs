//! Whose turn it is to write: one program at a time, its calls of git included.
//!
//! The turn is a lock on a file of the store that calls of git inherit. If the program is killed
//! while git still changes the index for it, the lock lasts until that git has ended: nobody
//! mends a write that is still going on.

use crate::file::folders::{make_folder, open};
use crate::process::error::Error;
use rustix::fs::{FlockOperation, flock};
use rustix::io::{FdFlags, fcntl_setfd};
use std::fs::{self, File};
use std::path::Path;
use std::time::{Duration, Instant};

/// How long to wait for the turn of others. Writing a thousand files takes about a second.
const PATIENCE: Duration = Duration::from_secs(20);

/// The right to write, until it is dropped and what was begun meanwhile has ended.
#[derive(Debug)]
pub(crate) struct Turn {
    _lock: File,
}

impl Turn {
    /// Waits for the turn.
    ///
    /// # Errors
    /// If the file cannot be opened, or another program keeps the turn too long.
    pub(crate) fn take(root: &Path) -> Result<Self, Error> {
        make_folder(root)?;
        let path = root.join("turn");
        let mut options = fs::OpenOptions::new();
        let lock = open(&path, options.create(true).append(true))?;
        let started = Instant::now();
        loop {
            match flock(&lock, FlockOperation::NonBlockingLockExclusive) {
                Ok(()) => break,
                Err(rustix::io::Errno::WOULDBLOCK) if started.elapsed() < PATIENCE => {
                    std::thread::sleep(Duration::from_millis(5));
                }
                Err(rustix::io::Errno::WOULDBLOCK) => {
                    return Err(Error::Record {
                        path,
                        why: "another Armistice is writing; wait for it, or end it".to_owned(),
                    });
                }
                // Not every file system has such locks; then two programs are told apart by their
                // records alone.
                Err(error) => {
                    tracing::warn!(%error, "no lock");
                    break;
                }
            }
        }
        // Calls of git inherit it.
        fcntl_setfd(&lock, FdFlags::empty()).map_err(|e| Error::file("lock", path)(e.into()))?;
        Ok(Turn { _lock: lock })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::process::Command;

    #[test]
    fn the_turn_lasts_until_what_it_began_has_ended() {
        let root = tempfile::tempdir().unwrap();
        let turn = Turn::take(root.path()).unwrap();
        let mut begun = Command::new("sleep").arg("0.3").spawn().unwrap();
        let started = Instant::now();
        drop(turn);
        Turn::take(root.path()).unwrap();
        let waited = started.elapsed();
        begun.wait().unwrap();
        assert!(waited > Duration::from_millis(100), "{waited:?}");
    }
}
