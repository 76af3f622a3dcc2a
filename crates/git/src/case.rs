//! One conflicted path as one case: what happened on each side, what may come of it, its contents.

pub(crate) mod contents;
pub(crate) mod driven;
pub(crate) mod grouping;
pub(crate) mod kinds;
pub(crate) mod one;
pub(crate) mod outcomes;
pub(crate) mod place;
pub(crate) mod reading;
pub(crate) mod submodule;
