//! Files of a tree that stand elsewhere in another.

pub(crate) mod renames;
