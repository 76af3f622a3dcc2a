//! One conflicted path as one case: what happened on each side, and what may come of it.

use crate::case::kinds::CaseKind;
use crate::case::outcomes::FileOutcome;
use crate::case::stages::{Stage, Stages};
use crate::path::RepoPath;
use serde::Serialize;

/// Whether a case is still unmerged in the index.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum IndexState {
    /// Its stages are in the index.
    Unmerged,
    /// Something has been staged for it; git still remembers the stages.
    Staged,
}

/// One conflicted path.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Case {
    /// Where.
    pub path: RepoPath,
    /// Its versions.
    pub stages: Stages,
    /// What kind of conflict it is.
    pub kind: CaseKind,
    /// Whether it is still unmerged.
    pub standing: IndexState,
}

impl Case {
    /// A case that is unmerged; its kind follows from its stages.
    pub fn new(path: RepoPath, stages: Stages) -> Self {
        Case {
            path,
            kind: CaseKind::of(&stages),
            stages,
            standing: IndexState::Unmerged,
        }
    }

    /// The whole-file outcomes that are safe here, ours first.
    ///
    /// None for submodules: which commit is checked out there is not ours to change.
    pub fn outcomes(&self) -> Vec<FileOutcome> {
        if self.kind == CaseKind::Submodule {
            return Vec::new();
        }
        let Stages { base, ours, theirs } = &self.stages;
        let mut out = Vec::new();
        out.extend(ours.as_ref().map(|_| FileOutcome::Ours));
        out.extend(theirs.as_ref().map(|_| FileOutcome::Theirs));
        let all = ours.is_some() && theirs.is_some();
        out.extend(base.as_ref().filter(|_| all).map(|_| FileOutcome::Base));
        if !all {
            out.push(FileOutcome::Remove);
        }
        out
    }

    /// The stage that an outcome takes, if it takes one.
    pub fn stage(&self, outcome: FileOutcome) -> Option<&Stage> {
        match outcome {
            FileOutcome::Ours => self.stages.ours.as_ref(),
            FileOutcome::Theirs => self.stages.theirs.as_ref(),
            FileOutcome::Base => self.stages.base.as_ref(),
            FileOutcome::Remove => None,
        }
    }
}
