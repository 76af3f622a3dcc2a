//! Armistice, the program: command line, screens, and the runtime that joins
//! them to git. Nothing is merged here (that is `armistice-core`) and nothing
//! of git is known here (that is `armistice-git`).

pub mod action;
pub mod commands;
pub mod demo;
pub mod draw;
pub mod editor;
pub mod evidence;
pub mod keymap;
pub mod open_findings;
pub mod rows;
pub mod runtime;
pub mod screen;
pub mod settings;
pub mod state;
pub mod text;
pub mod theme;
pub mod update;
pub mod work;
