//! Settling by rule: what no person needs to see, with a reason.
//!
//! A rule looks at one conflict and may propose what shall stand, how sure it
//! is, and why. Rules read; they never change a draft: what they propose
//! becomes a decision like a person's ([`crate::Entry::Rule`]).
//! A rule is one file here behind [`rule::Rule`], with examples and counter-examples.

pub(crate) mod adjacent;
pub(crate) mod beside;
pub(crate) mod blend;
pub(crate) mod both_added;
pub(crate) mod by_path;
pub(crate) mod choice;
pub(crate) mod conflict;
pub(crate) mod declarations;
pub(crate) mod engine;
pub(crate) mod formula;
pub(crate) mod generated;
pub(crate) mod import_list;
pub(crate) mod list_end;
pub(crate) mod more;
pub(crate) mod moved;
pub(crate) mod numbers;
pub(crate) mod past_resolution;
pub(crate) mod reindented;
pub(crate) mod removed;
pub(crate) mod rewrapped;
pub(crate) mod risks;
pub(crate) mod rule;
pub(crate) mod similar_conflict;
pub(crate) mod sorted;
pub(crate) mod too_long;
pub(crate) mod white_space;
pub(crate) mod wording;

#[cfg(test)]
mod tests;
