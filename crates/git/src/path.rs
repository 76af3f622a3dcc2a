//! Paths inside a repository: bytes, as git has them.

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
                    c if c.is_control() || is_bidi(c) => write!(f, "\\u{{{:x}}}", c as u32)?,
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

fn is_bidi(c: char) -> bool {
    matches!(c, '\u{200e}' | '\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}')
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
    }
}
