//! The three versions of a file.

use crate::model::side::Side;
use crate::text::source::Source;
use serde::{Deserialize, Serialize};

/// One of the three versions of a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Version {
    /// What both sides started from.
    Base,
    /// The side merged into.
    Ours,
    /// The side that comes in.
    Theirs,
}

impl Version {
    /// All three, ours first, in the order of the screens.
    pub const ALL: [Version; 3] = [Version::Ours, Version::Theirs, Version::Base];

    /// Its name: "base", "ours" or "theirs".
    pub fn name(self) -> &'static str {
        match self {
            Version::Base => "base",
            Version::Ours => "ours",
            Version::Theirs => "theirs",
        }
    }
}

impl From<Side> for Version {
    fn from(side: Side) -> Self {
        match side {
            Side::Ours => Version::Ours,
            Side::Theirs => Version::Theirs,
        }
    }
}

/// The three versions of one file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Versions {
    /// What both sides started from.
    pub base: Source,
    /// The side merged into.
    pub ours: Source,
    /// The side that comes in.
    pub theirs: Source,
}

impl Versions {
    /// One of the three.
    pub fn get(&self, version: Version) -> &Source {
        match version {
            Version::Base => &self.base,
            Version::Ours => &self.ours,
            Version::Theirs => &self.theirs,
        }
    }
}
