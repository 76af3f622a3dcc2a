//! Carries effects out, and joins terminal, state and work.

pub mod runtime;
pub mod worker;
