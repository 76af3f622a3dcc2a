//! One path of a case, with what the index has there.

use crate::path::RepoPath;
use crate::repo::stages::{Stage, Stages};
use serde::Serialize;

/// Whether a path is still unmerged in the index.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum IndexState {
    /// Its stages are in the index.
    Unmerged,
    /// Something has been staged for it; git still remembers the stages.
    Staged,
}

/// One path that belongs to a case.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Place {
    /// Where.
    pub path: RepoPath,
    /// What the index has, or had, there unmerged; none if it was in no conflict itself.
    pub stages: Stages,
    /// The entry that stood there before, where it was in no conflict.
    pub merged: Option<Stage>,
    /// Whether it is still unmerged.
    pub standing: IndexState,
}

impl Place {
    /// A path that is in conflict.
    pub fn new(path: RepoPath, stages: Stages) -> Self {
        Place {
            path,
            stages,
            merged: None,
            standing: IndexState::Unmerged,
        }
    }

    /// A path that is in no conflict and goes, or comes, with one that is.
    pub(crate) fn beside(path: RepoPath, merged: Option<Stage>) -> Self {
        Place {
            merged,
            standing: IndexState::Staged,
            ..Place::new(path, Stages::default())
        }
    }

    /// Whether it is in conflict itself.
    pub(crate) fn is_conflict(&self) -> bool {
        self.stages.all().iter().any(|stage| stage.is_some())
    }

    /// Whether both sides have a file there, whose lines git merges into the working file.
    pub(crate) fn has_lines(&self) -> bool {
        let is_file = |stage: &Option<Stage>| {
            let stage = stage.as_ref();
            stage.is_some_and(|stage| stage.mode.is_text_like())
        };
        is_file(&self.stages.ours) && is_file(&self.stages.theirs)
    }
}
