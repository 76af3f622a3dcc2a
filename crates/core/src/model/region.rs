//! One stretch of a merge in all three versions.

use crate::model::side::Side;
use crate::model::versions::Version;
use crate::text::lines::LineRange;
use serde::{Deserialize, Serialize};
use std::fmt;

/// A region of a plan, counted from zero.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(transparent)]
pub struct RegionId(pub u32);

/// A conflict of a plan, counted from zero among the conflicts alone.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(transparent)]
pub struct ConflictId(pub u32);

impl ConflictId {
    /// The number a person sees, counted from one.
    pub fn number(self) -> usize {
        self.0 as usize + 1
    }
}

impl fmt::Display for ConflictId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}", self.number())
    }
}

/// Who changed a region.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum RegionKind {
    /// Nobody.
    Unchanged,
    /// Ours alone.
    Ours,
    /// Theirs alone.
    Theirs,
    /// Both, to the same text.
    Same,
    /// Both, to different texts: a person or a rule has to settle it.
    Conflict,
}

/// The same stretch in all three versions.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Region {
    /// Who changed it.
    pub kind: RegionKind,
    /// Its lines in base.
    pub base: LineRange,
    /// Its lines in ours.
    pub ours: LineRange,
    /// Its lines in theirs.
    pub theirs: LineRange,
}

impl Region {
    /// Whether a side has other lines than base here; not looked at within a conflict.
    pub(crate) fn is_changed_by(&self, side: Side) -> bool {
        match self.kind {
            RegionKind::Unchanged => false,
            RegionKind::Ours => side == Side::Ours,
            RegionKind::Theirs => side == Side::Theirs,
            RegionKind::Same | RegionKind::Conflict => true,
        }
    }

    /// Its lines in one version.
    pub fn lines(&self, version: Version) -> LineRange {
        match version {
            Version::Base => self.base,
            Version::Ours => self.ours,
            Version::Theirs => self.theirs,
        }
    }
}
