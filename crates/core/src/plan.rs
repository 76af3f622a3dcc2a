//! Three versions cut into regions that say who changed what.

pub(crate) mod build;
pub(crate) mod by_declarations;
pub(crate) mod cause;
pub(crate) mod finer;
pub(crate) mod fingerprint;
pub(crate) mod partition;
pub(crate) mod recipe;
pub(crate) mod refine;
pub(crate) mod structure;
