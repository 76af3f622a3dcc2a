//! What can happen: keys, mouse, results of work; and what shall be done about it.

use crate::base::commands::Command;
use crate::state::effect::{Rulings, Tally, Trouble, Wrote};
use crate::state::file::FileLoad;
use armistice_core::{RegionId, Report, Ruling};
use armistice_git::{After, Ending, LogLine, Proof, Situation};
use ratatui::crossterm::event::{KeyEvent, MouseEvent};

/// Something that happened.
#[derive(Clone, Debug)]
pub enum Action {
    Key(KeyEvent),
    Mouse(MouseEvent),
    Paste(String),
    Resize(u16, u16),
    /// Time has passed; seconds since 1970.
    Tick(i64),
    Command(Command),
    /// A result of work; dropped if the situation was read anew meanwhile.
    Done(u64, Box<WorkResult>),
}

/// Results of work.
#[derive(Clone, Debug)]
pub enum WorkResult {
    Loaded(Vec<(usize, FileLoad)>),
    Recorded(usize, Result<(), String>),
    Ruled(Vec<(usize, Vec<(RegionId, Ruling)>)>),
    Likes(Rulings),
    Audited(Vec<(usize, Report)>),
    Forgot(Result<usize, String>),
    Wrote(usize, Result<Wrote, Trouble>),
    TookBack(usize, Result<Wrote, Trouble>),
    Situated(Box<Result<Situation, String>>),
    Proved(Result<Proof, String>),
    Ended(Ending, Result<After, String>),
    LogRead(Result<Vec<LogLine>, String>),
    Measured(Result<(Tally, Tally), String>),
    Note(String),
}
