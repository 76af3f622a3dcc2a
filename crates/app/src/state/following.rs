//! Edits that belong into another file than the current one.

use crate::state::effect::FileId;
use armistice_core::LineIdx;
use armistice_git::{MovedEdit, RepoPath};

/// Edits in files that may not be read, or no cases, yet.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Following {
    /// What the other side edited in code that a side moved to other files. With a file, that is to be
    /// settled as its mover has it: removed.
    Moved(Vec<MovedEdit>, Option<RepoPath>),
    /// A name that went, on a line of the merged text.
    Renamed {
        path: RepoPath,
        line: LineIdx,
        old: String,
        new: String,
    },
}

impl Following {
    /// The files that are edited.
    pub fn to(&self) -> Vec<&RepoPath> {
        match self {
            Following::Moved(edits, _) => edits.iter().map(|edit| &edit.to).collect(),
            Following::Renamed { path, .. } => vec![path],
        }
    }
}

/// Where an edit goes.
pub type Place = (FileId, armistice_core::Entry);
