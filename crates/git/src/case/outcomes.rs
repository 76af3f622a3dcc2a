//! The outcomes a whole file can have: keep, remove, take a side, both under two names.

use serde::Serialize;

/// A whole-file outcome.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum FileOutcome {
    /// The file as ours has it.
    Ours,
    /// The file as theirs has it.
    Theirs,
    /// The file as base had it.
    Base,
    /// No file.
    Remove,
    /// Ours and theirs, each under its own name.
    Both,
    /// Where its side has it, not where git suggests.
    #[serde(rename = "own-name")]
    OwnName,
}

impl FileOutcome {
    /// A few words for it.
    pub fn name(self) -> &'static str {
        match self {
            FileOutcome::Ours => "ours",
            FileOutcome::Theirs => "theirs",
            FileOutcome::Base => "base",
            FileOutcome::Remove => "remove the file",
            FileOutcome::Both => "both, under two names",
            FileOutcome::OwnName => "its own name",
        }
    }
}
