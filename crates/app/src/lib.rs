//! Armistice, the program: command line, screens, and the runtime that joins
//! them to git. Nothing is merged here (that is `armistice-core`) and nothing
//! of git is known here (that is `armistice-git`).

pub mod base;
pub mod case;
pub mod commands;
pub mod render;
pub mod run;
pub mod state;
pub mod update;
pub mod view;
