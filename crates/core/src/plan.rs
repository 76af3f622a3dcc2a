//! Three versions cut into regions that say who changed what.

pub(crate) mod build;
pub(crate) mod cause;
pub(crate) mod finer;
pub(crate) mod partition;
pub(crate) mod refine;
