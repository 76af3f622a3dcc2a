//! What turned one sequence into another.

use crate::text::lines::LineRange;

/// How lines are compared.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Algorithm {
    /// Matches rare lines first; the steadier choice for code.
    Histogram,
    /// The shortest edit script, as `git merge-file` computes it by default.
    #[default]
    Myers,
}

/// One run of lines that a side changed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Hunk {
    pub(crate) base: LineRange,
    pub(crate) side: LineRange,
}
