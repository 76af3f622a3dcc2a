//! The state of the program as one value, the actions that change it, and the effects they ask for.

pub mod action;
pub mod app;
pub mod docket;
pub mod effect;
pub mod file;
pub mod following;
pub mod overlay;
mod rows;
pub mod scout;
pub mod terrain;
