//! How actions change the state, one file for each part of the program. Pure: no I/O.

pub mod accord;
pub mod bulk;
mod cards;
mod checks;
mod deciding;
pub mod dispatch;
pub mod docket;
pub mod editing;
pub mod files;
mod hand_over;
pub mod leaving;
pub mod loading;
pub mod moving;
pub mod overlay;
pub mod parley;
pub mod picking;
pub mod results;
pub mod returning;
pub mod rulings;
mod searching;
pub mod settling;
pub mod staged;
mod syntax;
pub mod taking;
pub mod who;
mod whole;
pub mod windows;
