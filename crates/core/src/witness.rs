//! The second witness: judges an outcome from the three versions and the outcome alone, knowing
//! nothing of the rule that proposed it.

pub(crate) mod names;
pub(crate) mod objection;
pub(crate) mod tally;
