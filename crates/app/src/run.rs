//! The event loop, and the worker threads that carry out effects.

mod lending;
pub mod runtime;
pub mod worker;
