//! Sides, versions, regions, segments: the nouns of a merge.

pub(crate) mod region;
pub(crate) mod segment;
pub(crate) mod side;
pub(crate) mod versions;
