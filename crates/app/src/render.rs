//! From state to cells. Reads only; every size comes from the view.

pub mod accord;
pub mod canvas;
pub mod docket;
pub mod evidence;
pub mod frame;
pub mod overlay;
pub mod parley;
pub mod proof;
