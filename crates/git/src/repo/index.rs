//! Entries of the index, and all of it that differs from the commit that is checked out.

use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::repository::Repository;
use serde::Serialize;

/// What an index entry is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, serde::Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Mode {
    /// An ordinary file.
    File,
    /// A file that may be run.
    Executable,
    /// A symbolic link.
    Link,
    /// A commit of another repository.
    Submodule,
}

impl Mode {
    pub(crate) fn parse(octal: &[u8]) -> Option<Self> {
        match octal {
            b"100644" | b"100664" => Some(Mode::File),
            b"100755" => Some(Mode::Executable),
            b"120000" => Some(Mode::Link),
            b"160000" => Some(Mode::Submodule),
            _ => None,
        }
    }

    pub(crate) fn octal(self) -> &'static str {
        match self {
            Mode::File => "100644",
            Mode::Executable => "100755",
            Mode::Link => "120000",
            Mode::Submodule => "160000",
        }
    }

    pub(crate) fn is_text_like(self) -> bool {
        matches!(self, Mode::File | Mode::Executable)
    }
}

/// All that is staged against the commit that is checked out, as git lists it; nothing if there is
/// nothing to commit.
pub(crate) fn staged_diff(repo: &Repository) -> Result<Vec<u8>, Error> {
    let call = match repo.resolve("HEAD")? {
        Some(head) => Invocation::read(["diff-index", "--cached", "-z", &head, "--"]),
        None => Invocation::read(["ls-files", "--stage", "-z"]),
    };
    Ok(repo.must(&call)?.stdout)
}
