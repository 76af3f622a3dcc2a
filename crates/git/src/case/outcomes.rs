//! What may come of a file as a whole.

use serde::Serialize;

/// A whole-file outcome.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Outcome {
    /// The file as ours has it.
    Ours,
    /// The file as theirs has it.
    Theirs,
    /// The file as base had it.
    Base,
    /// No file.
    Remove,
}

impl Outcome {
    /// A few words for it.
    pub fn name(self) -> &'static str {
        match self {
            Outcome::Ours => "ours",
            Outcome::Theirs => "theirs",
            Outcome::Base => "base",
            Outcome::Remove => "remove the file",
        }
    }
}
