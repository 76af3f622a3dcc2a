//! Merge commits that are made already, by whatever means, held against what git would have left.

pub(crate) mod merge;
