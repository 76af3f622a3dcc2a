//! White space in which the sides may differ.

use serde::{Deserialize, Serialize};

/// White space in which the sides may differ without anybody being asked.
///
/// Each policy includes the ones before it. What only one side changed is kept
/// under all of them; the policy decides where both changed the same blanks, each its own way.
#[derive(
    Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize,
)]
#[serde(rename_all = "kebab-case")]
pub enum WhitespacePolicy {
    /// None: every clash of blanks is a person's.
    #[default]
    Exact,
    /// Line ends.
    LineEnds,
    /// Line ends and trailing whitespace.
    Trailing,
    /// How many blanks, and of which kind, stand where all have some.
    Amount,
    /// All blanks, line breaks too.
    All,
}

impl WhitespacePolicy {
    /// All policies, strictest first.
    pub const ALL: [WhitespacePolicy; 5] = [
        WhitespacePolicy::Exact,
        WhitespacePolicy::LineEnds,
        WhitespacePolicy::Trailing,
        WhitespacePolicy::Amount,
        WhitespacePolicy::All,
    ];

    /// Its name on the command line and in the configuration.
    pub fn name(self) -> &'static str {
        match self {
            WhitespacePolicy::Exact => "exact",
            WhitespacePolicy::LineEnds => "line-ends",
            WhitespacePolicy::Trailing => "trailing",
            WhitespacePolicy::Amount => "amount",
            WhitespacePolicy::All => "all",
        }
    }

    /// The next one, the first after the last.
    pub fn next(self) -> Self {
        let at = Self::ALL.iter().position(|p| *p == self).unwrap_or(0);
        Self::ALL[(at + 1) % Self::ALL.len()]
    }
}
