//! Whether a merged text is right: markers, checks, and an account of every line.

pub(crate) mod audit;
pub(crate) mod bag;
pub(crate) mod bindings;
pub(crate) mod blended;
pub(crate) mod blocks;
pub(crate) mod checks;
pub(crate) mod coupled;
pub(crate) mod decided;
pub(crate) mod fates;
pub(crate) mod markers;
pub(crate) mod merge_texts;
pub(crate) mod misdirected;
pub(crate) mod misplaced;
pub(crate) mod order;
pub(crate) mod proofs;
pub(crate) mod resolved;
pub(crate) mod result_lines;
pub(crate) mod scope;
pub(crate) mod scopes;
pub(crate) mod syntax;
pub(crate) mod trace;
