//! Calls of git: values first, then processes.

pub(crate) mod batch;
pub(crate) mod cancel;
pub(crate) mod error;
pub(crate) mod invocation;
pub(crate) mod runner;
pub(crate) mod shell;
