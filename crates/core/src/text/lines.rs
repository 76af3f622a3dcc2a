//! Units of position in a text: which line, and which run of lines.
//!
//! Not here: bytes and their line ends (`source`).

use serde::{Deserialize, Serialize};
use std::fmt;
use std::ops::Range;

/// A line of one text, counted from zero.
#[derive(
    Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize,
)]
#[serde(transparent)]
pub struct LineIdx(pub u32);

impl LineIdx {
    /// The number a person sees, counted from one.
    pub fn number(self) -> usize {
        self.0 as usize + 1
    }
}

impl fmt::Display for LineIdx {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}", self.number())
    }
}

/// A run of lines of one text, from `start` up to but without `end`.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct LineRange {
    /// First line.
    pub start: LineIdx,
    /// The line after the last one; never before `start`.
    pub end: LineIdx,
}

impl LineRange {
    /// The lines from `start` up to but without `end`; empty if `end` comes first.
    pub fn new(start: u32, end: u32) -> Self {
        Self {
            start: LineIdx(start),
            end: LineIdx(end.max(start)),
        }
    }

    /// How many lines.
    pub fn len(self) -> usize {
        (self.end.0 - self.start.0) as usize
    }

    /// Whether there is no line in it.
    pub fn is_empty(self) -> bool {
        self.start == self.end
    }

    /// Whether `line` is one of its lines.
    pub fn contains(self, line: LineIdx) -> bool {
        self.start <= line && line < self.end
    }

    /// Its lines in order.
    pub fn iter(self) -> impl DoubleEndedIterator<Item = LineIdx> + ExactSizeIterator {
        self.span().map(|i| LineIdx(i as u32))
    }

    /// The same lines counted from another first line: `by` is the first of the whole.
    pub(crate) fn shifted(self, by: LineIdx) -> Self {
        Self::new(self.start.0 + by.0, self.end.0 + by.0)
    }

    /// The line `at` alone.
    pub(crate) fn one(at: LineIdx) -> Self {
        Self::new(at.0, at.0 + 1)
    }

    /// The same as positions in a slice.
    pub(crate) fn span(self) -> Range<usize> {
        self.start.0 as usize..self.end.0 as usize
    }
}

impl From<Range<usize>> for LineRange {
    fn from(range: Range<usize>) -> Self {
        Self::new(range.start as u32, range.end as u32)
    }
}
