//! A file that somebody named as output, in a repository or outside of one.
//!
//! Links are followed, as by any program that opens a file; folders, devices and pipes are refused;
//! no folder is made unasked. Not here: files of the work tree, whose links are theirs (`work_file`).

use crate::file::work_file::{Prepared, is_read_only};
use crate::path::RepoPath;
use crate::process::error::Error;
use std::fs;
use std::io::ErrorKind;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};

/// Links that are followed one after the other; the limit of Linux.
const LINKS: usize = 40;

/// A place where output can go.
#[derive(Clone, Debug)]
pub struct OutputFile {
    /// The file itself, links followed.
    file: PathBuf,
}

impl OutputFile {
    /// Looks whether output can go there; nothing is written yet.
    ///
    /// # Errors
    /// If something else than a file is there, or the folder is not.
    pub fn at(path: &Path) -> Result<Self, Error> {
        let refuse = |why| {
            Err(Error::Unsafe {
                path: RepoPath::new(path.as_os_str().as_bytes()),
                why,
            })
        };
        // Asked of the path itself: not every link of a device leads to a path.
        match fs::metadata(path) {
            Ok(meta) if meta.is_dir() => return refuse("it is a folder"),
            Ok(meta) if !meta.is_file() => return refuse("it is a device or a pipe, not a file"),
            _ => {}
        }
        let mut file = std::path::absolute(path).map_err(Error::file("find", path))?;
        let mut links = 0;
        while let Ok(target) = fs::read_link(&file) {
            links += 1;
            if links > LINKS {
                return refuse("its symbolic link leads to itself");
            }
            let folder = file.parent().unwrap_or(Path::new("/"));
            file = folder.join(target);
        }
        match fs::metadata(&file) {
            Ok(_) => {}
            Err(error) if error.kind() == ErrorKind::NotFound => {
                if !file.parent().is_some_and(Path::is_dir) {
                    return refuse("its folder is not there; make it first");
                }
            }
            Err(error) => return Err(Error::file("read", path)(error)),
        }
        Ok(OutputFile { file })
    }

    /// Its bytes; `None` if there is no file yet.
    ///
    /// # Errors
    /// If it cannot be read.
    pub fn read(&self) -> Result<Option<Vec<u8>>, Error> {
        match fs::read(&self.file) {
            Ok(bytes) => Ok(Some(bytes)),
            Err(error) if error.kind() == ErrorKind::NotFound => Ok(None),
            Err(error) => Err(Error::file("read", &self.file)(error)),
        }
    }

    /// Writes it in one step; a file that was there keeps its mode.
    ///
    /// # Errors
    /// [`Error::ReadOnly`] if it is and `even_read_only` does not allow it; or if the disk refuses.
    pub fn write(&self, bytes: &[u8], even_read_only: bool) -> Result<(), Error> {
        if !even_read_only && is_read_only(&self.file) {
            return Err(Error::ReadOnly {
                path: RepoPath::new(self.file.as_os_str().as_bytes()),
            });
        }
        Prepared::new(&self.file, bytes, None)?.persist()
    }

    /// Where it is, links followed.
    pub fn path(&self) -> &Path {
        &self.file
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::os::unix::fs::{PermissionsExt, symlink};

    #[test]
    fn a_link_is_followed_and_the_mode_stays() {
        let folder = tempfile::tempdir().unwrap();
        let [real, link, dangling] = ["real", "link", "dangling"].map(|n| folder.path().join(n));
        fs::write(&real, "old").unwrap();
        fs::set_permissions(&real, fs::Permissions::from_mode(0o640)).unwrap();
        symlink("real", &link).unwrap();
        OutputFile::at(&link).unwrap().write(b"new", false).unwrap();
        assert!(fs::symlink_metadata(&link).unwrap().is_symlink());
        assert_eq!(fs::read(&real).unwrap(), b"new");
        assert_eq!(
            fs::metadata(&real).unwrap().permissions().mode() & 0o777,
            0o640
        );
        symlink("not yet", &dangling).unwrap();
        OutputFile::at(&dangling)
            .unwrap()
            .write(b"new", false)
            .unwrap();
        assert_eq!(fs::read(folder.path().join("not yet")).unwrap(), b"new");
    }

    #[test]
    fn what_is_no_file_is_refused_and_no_folder_is_made() {
        let folder = tempfile::tempdir().unwrap();
        let [circle, pipe] = ["circle", "pipe"].map(|n| folder.path().join(n));
        symlink("circle", &circle).unwrap();
        let made = std::process::Command::new("mkfifo")
            .arg(&pipe)
            .status()
            .unwrap();
        assert!(made.success());
        for (path, why) in [
            (folder.path().to_owned(), "it is a folder"),
            ("/dev/null".into(), "a device or a pipe"),
            (pipe, "a device or a pipe"),
            (circle, "leads to itself"),
            (
                folder.path().join("no/such/file"),
                "its folder is not there",
            ),
        ] {
            let error = OutputFile::at(&path).unwrap_err().to_string();
            assert!(error.contains(why), "{error}");
        }
        assert!(!folder.path().join("no").exists());
    }

    #[test]
    fn a_read_only_file_is_written_only_if_that_is_allowed() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("a.txt");
        fs::write(&file, "old").unwrap();
        fs::set_permissions(&file, fs::Permissions::from_mode(0o444)).unwrap();
        let output = OutputFile::at(&file).unwrap();
        assert!(matches!(
            output.write(b"new", false),
            Err(Error::ReadOnly { .. })
        ));
        assert_eq!(fs::read(&file).unwrap(), b"old");
        output.write(b"new", true).unwrap();
        assert_eq!(fs::read(&file).unwrap(), b"new");
        assert!(is_read_only(&file));
    }
}
