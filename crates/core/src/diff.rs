//! Differences between two texts: by lines, by rows, by tokens, and for the eye.

pub(crate) mod align;
pub(crate) mod display;
pub(crate) mod hunk;
pub(crate) mod interned;
pub(crate) mod lines;
pub(crate) mod options;
pub(crate) mod regions;
pub(crate) mod repetitive;
pub(crate) mod search;
pub(crate) mod tokens;
