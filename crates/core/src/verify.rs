//! Whether a merged text is right: markers, checks, and an account of every line.

pub(crate) mod audit;
pub(crate) mod bag;
pub(crate) mod blocks;
pub(crate) mod checks;
pub(crate) mod decided;
pub(crate) mod fates;
pub(crate) mod markers;
pub(crate) mod misplaced;
pub(crate) mod scope;
pub(crate) mod syntax;
pub(crate) mod trace;
