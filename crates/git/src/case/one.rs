//! One conflicted path as one case: what happened on each side, and what may come of it.

use crate::case::kinds::Kind;
use crate::case::outcomes::Outcome;
use crate::case::stages::{Stage, Stages};
use crate::path::RepoPath;
use serde::Serialize;

/// Whether a case is still unmerged in the index.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Standing {
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
    pub kind: Kind,
    /// Whether it is still unmerged.
    pub standing: Standing,
}

impl Case {
    /// The whole-file outcomes that are safe here, ours first.
    ///
    /// None for submodules: which commit is checked out there is not ours to change.
    pub fn outcomes(&self) -> Vec<Outcome> {
        if self.kind == Kind::Submodule {
            return Vec::new();
        }
        let Stages { base, ours, theirs } = &self.stages;
        let mut out = Vec::new();
        out.extend(ours.as_ref().map(|_| Outcome::Ours));
        out.extend(theirs.as_ref().map(|_| Outcome::Theirs));
        let all = ours.is_some() && theirs.is_some();
        out.extend(base.as_ref().filter(|_| all).map(|_| Outcome::Base));
        if !all {
            out.push(Outcome::Remove);
        }
        out
    }

    /// The stage that an outcome takes, if it takes one.
    pub fn stage(&self, outcome: Outcome) -> Option<&Stage> {
        match outcome {
            Outcome::Ours => self.stages.ours.as_ref(),
            Outcome::Theirs => self.stages.theirs.as_ref(),
            Outcome::Base => self.stages.base.as_ref(),
            Outcome::Remove => None,
        }
    }
}
