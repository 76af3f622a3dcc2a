//! From an action to the next state and the work to be done. Pure: no I/O.

pub mod accord;
pub mod deciding;
pub mod dispatch;
pub mod docket;
pub mod editing;
pub mod files;
pub mod loading;
pub mod moving;
pub mod overlay;
pub mod parley;
pub mod picking;
pub mod results;
pub mod rulings;
pub mod settling;
pub mod windows;
