//! The command line: what each subcommand does and how it exits.

pub mod cli;
pub mod demo;
pub mod dispatch;
pub mod exit;
pub mod loose;
pub mod memory;
pub mod merge;
pub mod plain;
pub mod screens;
pub mod setup;
