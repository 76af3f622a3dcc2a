//! The two parties of a merge.

use serde::{Deserialize, Serialize};

/// One of the two parties of a merge.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Side {
    /// The side merged into.
    Ours,
    /// The side that comes in.
    Theirs,
}

impl Side {
    /// The other one.
    pub fn other(self) -> Self {
        match self {
            Side::Ours => Side::Theirs,
            Side::Theirs => Side::Ours,
        }
    }
}
