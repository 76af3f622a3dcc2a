//! What may stand for a region: resolutions, rulings, policies, and what was decided before.

pub(crate) mod past;
pub(crate) mod policy;
pub(crate) mod reindent;
pub(crate) mod resolution;
pub(crate) mod ruling;
