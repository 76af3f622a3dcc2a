//! The command line: its arguments, and one file for each group of subcommands.

pub mod cli;
mod completions;
pub mod demo;
pub mod dispatch;
mod doctor;
pub mod drawing;
pub mod exit;
mod help;
pub mod loose;
pub mod memory;
pub mod merge;
mod moves;
pub mod output;
pub mod plain;
mod proof;
mod prove_looking;
mod reading;
mod registered_driver;
mod review;
mod scout;
pub mod screens;
pub mod setup;
mod structure;
