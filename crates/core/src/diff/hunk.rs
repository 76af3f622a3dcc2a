//! A hunk: a range of one sequence and the range that replaced it; and the algorithms that find hunks.

use crate::text::lines::LineRange;
use std::ops::Range;

/// How lines are compared.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Algorithm {
    /// Matches rare lines first; the steadier choice for code.
    Histogram,
    /// The shortest edit script, as `git merge-file` computes it by default.
    #[default]
    Myers,
}

/// One run of lines or tokens that a side changed: what it was in base, and what it became.
///
/// The hunks of one difference are in order and never touch each other.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Hunk<R = LineRange> {
    pub(crate) base: R,
    pub(crate) side: R,
}

/// A hunk of tokens.
pub(crate) type TokenHunk = Hunk<Range<usize>>;
