//! Everything the screens show, as one value, and what may happen to it.

pub mod action;
pub mod app;
pub mod choices;
pub mod effect;
pub mod evidence;
pub mod file;
pub mod findings;
pub mod overlay;
