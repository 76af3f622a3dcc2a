//! Everything the screens show, as one value, and what may happen to it.

pub mod action;
pub mod app;
pub mod effect;
pub mod file;
pub mod overlay;
