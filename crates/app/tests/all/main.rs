//! The program against real git: in process, by its command line, and in tmux.

mod kills;
mod kit;
mod looking;
mod names;
mod obstacles;

mod afterwards;
mod around;
mod cases;
mod certainty;
mod checks;
mod demo;
mod driver;
mod editing;
mod elsewhere;
mod empty;
mod finishing;
mod hanging;
mod in_memory;
mod interrupted;
mod outside;
mod parley;
mod paths;
mod plain;
mod proof;
mod question;
mod real_git;
mod resume;
mod rulings;
mod scout;
mod screens;
mod staged;
mod storm;
mod structure;
mod terminal;
mod whole;
