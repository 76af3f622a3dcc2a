//! What may stand for a region: resolutions, the rulings that propose them, white-space policies, past resolutions.

pub(crate) mod joined;
pub(crate) mod past;
pub(crate) mod policy;
pub(crate) mod reindent;
pub(crate) mod resolution;
pub(crate) mod ruling;
pub(crate) mod shape;
