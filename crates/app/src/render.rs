//! Drawing: one file a screen. Reads the state and never changes it; every size comes from `view`.

pub mod accord;
pub mod canvas;
pub mod docket;
pub mod evidence;
pub mod frame;
pub mod overlay;
pub mod parley;
pub mod proof;
mod scout;
mod staged;
mod terrain;
