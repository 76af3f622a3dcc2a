//! The stages of an unmerged path.

use crate::repo::index::Mode;
use crate::repo::objects::Oid;
use serde::Serialize;

/// One stage of an unmerged path.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, serde::Deserialize)]
pub struct Stage {
    /// What it is.
    pub mode: Mode,
    /// Its content.
    pub oid: Oid,
}

impl Stage {
    /// What was done to it to become another, in words; none if it is the same.
    pub(crate) fn turned_into(&self, new: &Stage) -> Option<&'static str> {
        Some(match (self.mode, new.mode) {
            (Mode::Submodule, Mode::Submodule) if self.oid == new.oid => return None,
            (Mode::Submodule, Mode::Submodule) => "moved the submodule to another commit",
            (_, Mode::Submodule) => "made it a submodule",
            (Mode::Link, Mode::Link) if self.oid == new.oid => return None,
            (Mode::Link, Mode::Link) => "changed the target of the link",
            (_, Mode::Link) => "made it a link",
            (Mode::Link | Mode::Submodule, _) => "made it a file",
            (was, is) => match (self.oid == new.oid, was == is) {
                (true, true) => return None,
                (false, true) => "edited it",
                (true, false) if is == Mode::Executable => "made it executable",
                (true, false) => "made it not executable",
                (false, false) if is == Mode::Executable => "edited it and made it executable",
                (false, false) => "edited it and made it not executable",
            },
        })
    }
}

/// The stages of an unmerged path: base, ours, theirs.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, serde::Deserialize)]
pub struct Stages {
    /// Stage 1.
    pub base: Option<Stage>,
    /// Stage 2.
    pub ours: Option<Stage>,
    /// Stage 3.
    pub theirs: Option<Stage>,
}

impl Stages {
    /// All three, in order of their numbers.
    pub fn all(&self) -> [&Option<Stage>; 3] {
        [&self.base, &self.ours, &self.theirs]
    }

    /// The names of the contents, empty for a missing stage.
    pub fn names(&self) -> [String; 3] {
        let name =
            |stage: &Option<Stage>| stage.as_ref().map_or(String::new(), |s| s.oid.0.clone());
        [name(&self.base), name(&self.ours), name(&self.theirs)]
    }

    /// The modes of ours and theirs where both added the file, each with another one: no base tells
    /// who changed it.
    pub fn mode_clash(&self) -> Option<[Mode; 2]> {
        let is_file = |mode: Mode| matches!(mode, Mode::File | Mode::Executable);
        match (&self.base, &self.ours, &self.theirs) {
            (None, Some(ours), Some(theirs)) if ours.mode != theirs.mode => {
                let modes = [ours.mode, theirs.mode];
                modes.into_iter().all(is_file).then_some(modes)
            }
            _ => None,
        }
    }

    /// The mode that the merged file should have: a change of one side counts.
    pub fn merged_mode(&self) -> Mode {
        let mode = |stage: &Option<Stage>| stage.as_ref().map(|s| s.mode);
        let (base, ours, theirs) = (mode(&self.base), mode(&self.ours), mode(&self.theirs));
        let merged = if ours == base {
            theirs.or(ours)
        } else {
            ours.or(theirs)
        };
        merged.or(base).unwrap_or(Mode::File)
    }
}
