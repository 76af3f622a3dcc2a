//! Merge and rebased commits that exist already, made with any program, held against what git leaves.

pub(crate) mod lessons;
pub(crate) mod merge;
pub(crate) mod rebased;
pub(crate) mod steps;
