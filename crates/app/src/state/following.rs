//! Edits that belong into another file than the one at hand.

use armistice_core::{LineIdx, LineRange, Side};
use armistice_git::RepoPath;

/// An edit in a file that may not be read, or no case, yet.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Following {
    /// What the other side edited in code that a side moved to another file.
    Moved(Box<MovedEdit>),
    /// A name that went, on a line of the merged text.
    Renamed {
        path: RepoPath,
        line: LineIdx,
        old: String,
        new: String,
    },
}

impl Following {
    /// The file that is edited.
    pub fn to(&self) -> &RepoPath {
        match self {
            Following::Moved(moved) => &moved.to,
            Following::Renamed { path, .. } => path,
        }
    }
}

/// Code that one side moved to another file, and that the other side edited where it was.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct MovedEdit {
    /// What is called so: "function rates".
    pub title: String,
    /// Who moved it.
    pub mover: Side,
    /// Where it was.
    pub from: RepoPath,
    /// Its lines there, in base.
    pub base: LineRange,
    /// Its lines there in the version of who edited it.
    pub edited: LineRange,
    /// Where it is.
    pub to: RepoPath,
    /// Its lines there in the version of who moved it.
    pub moved: LineRange,
}
