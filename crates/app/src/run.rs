//! The event loop, and the worker threads that carry out effects.

pub mod runtime;
pub mod worker;
