//! The merged text while it is being decided, and the journal of decisions.

pub(crate) mod deciding;
pub(crate) mod entry;
pub(crate) mod journal;
pub(crate) mod merged_text;
pub(crate) mod region_draft;
pub(crate) mod session;
