//! The merged text while it is being decided, and the journal of decisions.

pub(crate) mod journal;
pub(crate) mod merged_text;
