//! Sides, versions, regions and segments: the types that all of core is written in.

pub(crate) mod region;
pub(crate) mod segment;
pub(crate) mod side;
pub(crate) mod versions;
