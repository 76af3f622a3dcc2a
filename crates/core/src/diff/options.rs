//! How three versions are compared.

use crate::diff::hunk::Algorithm;

/// What a plan depends on besides the three texts.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Options {
    /// How lines are compared.
    pub algorithm: Algorithm,
    /// Whether the lines are matched in another way too: that is taken if it leaves no conflict.
    pub second_look: bool,
}

impl Default for Options {
    fn default() -> Self {
        Options {
            algorithm: Algorithm::default(),
            second_look: true,
        }
    }
}
