//! The write lock of a repository: one program writes at a time, its git calls included.
//!
//! The lock is on a file of the store, and git calls inherit it. If the program is killed while git
//! still changes the index, the lock lasts until that git has ended: no other program repairs a write
//! that is still going on.

use crate::file::folders::{make_folder, open};
use crate::process::error::Error;
use rustix::fs::{FlockOperation, flock};
use rustix::io::{FdFlags, fcntl_setfd};
use std::fs::{self, File};
use std::path::Path;
use std::time::{Duration, Instant};

/// How long to wait for another program. Writing a thousand files takes about a second.
const LOCK_TIMEOUT: Duration = Duration::from_secs(20);

/// The right to write, released when it is dropped.
#[derive(Debug)]
pub(crate) struct WriteLock {
    /// Open until it is dropped.
    file: Option<File>,
}

impl WriteLock {
    /// Waits for the lock.
    ///
    /// # Errors
    /// If the file cannot be opened, or another program keeps the lock for longer than 20 seconds.
    pub(crate) fn acquire(root: &Path) -> Result<Self, Error> {
        // Older versions use the same file.
        Self::acquire_file(root, "turn")
    }

    /// Waits until no command of git's is running that begins or ends an operation. Hooks run beneath
    /// such a command, and may write: it is another lock.
    ///
    /// # Errors
    /// As for [`Self::acquire`].
    pub(crate) fn acquire_command(root: &Path) -> Result<Self, Error> {
        Self::acquire_file(root, "command")
    }

    fn acquire_file(root: &Path, name: &str) -> Result<Self, Error> {
        make_folder(root)?;
        let path = root.join(name);
        let mut options = fs::OpenOptions::new();
        let file = open(&path, options.create(true).append(true))?;
        let started = Instant::now();
        loop {
            match flock(&file, FlockOperation::NonBlockingLockExclusive) {
                Ok(()) => break,
                Err(rustix::io::Errno::WOULDBLOCK) if started.elapsed() < LOCK_TIMEOUT => {
                    std::thread::sleep(Duration::from_millis(5));
                }
                Err(rustix::io::Errno::WOULDBLOCK) => {
                    return Err(Error::Record {
                        path,
                        why: "another Armistice is writing; wait for it, or end it".to_owned(),
                    });
                }
                // Some file systems have no such locks; then records alone keep two programs apart.
                Err(error) => {
                    tracing::warn!(%error, "no lock");
                    break;
                }
            }
        }
        // Git calls inherit it.
        fcntl_setfd(&file, FdFlags::empty()).map_err(|e| Error::file("lock", path)(e.into()))?;
        Ok(WriteLock { file: Some(file) })
    }
}

impl Drop for WriteLock {
    /// Releases the lock for the processes that inherited it too: one that outlives the write, such as
    /// a daemon that a hook started, must not keep it.
    fn drop(&mut self) {
        if let Some(file) = &self.file {
            let _ = flock(file, FlockOperation::Unlock);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::process::Command;

    #[test]
    fn after_a_kill_the_lock_lasts_until_git_has_ended() {
        let root = tempfile::tempdir().unwrap();
        let mut lock = WriteLock::acquire(root.path()).unwrap();
        let mut begun = Command::new("sleep").arg("0.3").spawn().unwrap();
        let started = Instant::now();
        // The system closes files of a killed program, and unlocks none that another has open.
        lock.file.take();
        WriteLock::acquire(root.path()).unwrap();
        let waited = started.elapsed();
        begun.wait().unwrap();
        assert!(waited > Duration::from_millis(100), "{waited:?}");
    }

    #[test]
    fn a_process_that_outlives_the_write_does_not_keep_the_lock() {
        let root = tempfile::tempdir().unwrap();
        let lock = WriteLock::acquire(root.path()).unwrap();
        let mut daemon = Command::new("sleep").arg("30").spawn().unwrap();
        drop(lock);
        let started = Instant::now();
        WriteLock::acquire(root.path()).unwrap();
        daemon.kill().unwrap();
        daemon.wait().unwrap();
        assert!(started.elapsed() < Duration::from_secs(10));
    }
}
