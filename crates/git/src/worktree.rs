//! Writing the work tree and the index together, and taking that back.

pub(crate) mod change;
pub(crate) mod contents;
pub(crate) mod guard;
pub(crate) mod leftovers;
pub(crate) mod mend;
pub(crate) mod planned;
pub(crate) mod remake;
pub(crate) mod request;
pub(crate) mod staging;
pub(crate) mod take_back;
pub(crate) mod taken;
pub(crate) mod write;
