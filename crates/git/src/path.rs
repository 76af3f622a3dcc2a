//! Paths inside a repository: bytes, as git has them.

use armistice_core::is_hidden;
use serde::{Serialize, Serializer};
use std::ffi::{OsStr, OsString};
use std::fmt;
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::path::{Path, PathBuf};

/// A path relative to the top of the work tree, slashes between its parts.
///
/// Any bytes but NUL. Shown with escapes, so that no path can garble a screen
/// or run over its line.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct RepoPath(Vec<u8>);

impl RepoPath {
    /// A path of these bytes.
    pub fn new(bytes: impl Into<Vec<u8>>) -> Self {
        RepoPath(bytes.into())
    }

    /// Its bytes.
    pub fn bytes(&self) -> &[u8] {
        &self.0
    }

    /// Its bytes in hexadecimal, for programs that read what is printed.
    pub fn hex(&self) -> String {
        self.0.iter().map(|byte| format!("{byte:02x}")).collect()
    }

    /// As an argument for git.
    pub fn to_os(&self) -> OsString {
        OsString::from_vec(self.0.clone())
    }

    /// Where it is below `top`.
    pub fn under(&self, top: &Path) -> PathBuf {
        top.join(OsStr::from_bytes(&self.0))
    }
}

impl fmt::Display for RepoPath {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for chunk in self.0.utf8_chunks() {
            for c in chunk.valid().chars() {
                match c {
                    '\n' => f.write_str("\\n")?,
                    '\t' => f.write_str("\\t")?,
                    // So that no two paths are printed alike.
                    '\\' => f.write_str("\\\\")?,
                    c if c.is_control() || is_hidden(c) => write!(f, "\\u{{{:x}}}", c as u32)?,
                    c => write!(f, "{c}")?,
                }
            }
            for byte in chunk.invalid() {
                write!(f, "\\x{byte:02x}")?;
            }
        }
        Ok(())
    }
}

impl Serialize for RepoPath {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.collect_str(self)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_path_reaches_a_screen_raw() {
        let path = RepoPath::new(b"a\nb\x1b[31m\xff\xe2\x80\xae.rs".to_vec());
        assert_eq!(path.to_string(), "a\\nb\\u{1b}[31m\\xff\\u{202e}.rs");
        let (newline, letters) = (RepoPath::new(*b"a\nb"), RepoPath::new(*b"a\\nb"));
        assert_eq!(letters.to_string(), "a\\\\nb");
        assert_ne!(newline.to_string(), letters.to_string());
        assert_eq!(
            (newline.hex().as_str(), letters.hex().as_str()),
            ("610a62", "615c6e62")
        );
    }
}
