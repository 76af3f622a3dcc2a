//! Everything that can happen to the state: keys, mouse events and results of work.

use crate::base::commands::Command;
use crate::base::path_settings::RepositoryPaths;
use crate::case::checks::{OutputLines, ProjectChecks};
use crate::case::foresee::{Forecast, Question};
use crate::case::load::CaseLoad;
use crate::case::opened::{AllShades, Recording};
use crate::case::staged_diff::DiffRead;
use crate::case::steps::FinishedSteps;
use crate::state::effect::{FileId, Rulings, Trouble, Wrote};
use armistice_core::{Finding, PerSide, RegionId, Report, Ruling, Side};
use armistice_git::{
    After, AgainstParent, Begun, CheckRun, CommitDetails, Counterpart, Ending, Interrupted,
    LogLine, MarkerFile, Proof, RepoPath, Seen, SideHistory, Situation, Terrain,
};
use ratatui::crossterm::event::{KeyEvent, MouseEvent};
use std::path::PathBuf;
use std::sync::Arc;

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
    /// A result of work; dropped if the situation was read again meanwhile.
    Done(u64, Box<WorkResult>),
}

/// Results of work.
#[derive(Clone, Debug)]
pub enum WorkResult {
    Loaded(Vec<(FileId, CaseLoad)>),
    /// What was recorded, or was not: why.
    Recorded(FileId, Recording, Result<(), String>),
    /// What stands in the work tree, as it would be stored.
    WorkFileRead(FileId, Result<(Seen, Vec<u8>), String>),
    /// What another program made of a file, and the text that it was given.
    HandedBack(FileId, Vec<u8>, Result<Vec<u8>, String>),
    /// What is wrong in the steps of a rebase that has ended.
    StepsReviewed(FinishedSteps),
    /// Files that hold committed conflicts, each with the line of the first.
    MarkersFound(Result<Vec<MarkerFile>, String>),
    /// Files that git merged, one line each.
    MergedListed(Result<Vec<String>, String>),
    /// What each side did to declarations.
    TerrainRead(Result<Box<Terrain>, String>),
    /// Where a picture was written, or why it was not.
    Drawn(Result<Vec<PathBuf>, String>),
    /// The branches to compare with.
    ScoutRead(Result<Vec<Counterpart>, String>),
    /// What would happen, as far as it is known; whether that is all.
    Foreseen(Question, Result<Box<Forecast>, String>, bool),
    /// What a typed name stands for.
    Named(String, Result<Option<Counterpart>, String>),
    /// git has begun something, done it at once, or refused.
    /// The stash of this name was dropped, or not.
    StashDropped(String, Result<(), String>),
    /// How many files went back to how they were before a command.
    UndidInterrupted(Result<usize, String>),
    Begun(Question, Result<Begun, String>, Option<Interrupted>),
    /// Files that git merged are cases now, but for these.
    TakenIn(Result<Vec<RepoPath>, String>),
    /// Files that differ on disk from what was read.
    Compared(Vec<FileId>),
    Ruled(Vec<(FileId, Vec<(RegionId, Ruling)>)>),
    Likes(Rulings),
    Audited(Vec<(FileId, Report)>),
    /// A file was staged as it stands on disk.
    StagedAgain(RepoPath, Result<(), String>),
    /// What makes no sense in a draft, by which text it was.
    SyntaxChecked(FileId, u64, Vec<Finding>),
    Forgot(Result<usize, String>),
    Wrote(FileId, Result<Wrote, Trouble>),
    /// What came of writing several files.
    WroteMany(Vec<(FileId, Result<Wrote, Trouble>)>),
    TookBack(FileId, Result<Wrote, Trouble>),
    Situated(Box<Result<Situation, String>>),
    /// What was checked, and the project's own commands.
    Proved(Result<Proof, String>, Box<ProjectChecks>),
    /// One of the project's own commands has begun, by the line that the shell was given.
    CheckBegan(String),
    CheckSaid(String, OutputLines),
    CheckEnded(String, Result<CheckRun, String>),
    /// What the repository's settings say of paths, read again.
    PathsRead(Box<RepositoryPaths>),
    /// The repository's settings are trusted now, or not: why.
    Trusted(Result<Box<RepositoryPaths>, String>),
    /// None of them runs any more.
    ChecksDone,
    Ended(Ending, Result<After, String>, Option<Interrupted>),
    /// Comments, strings and keywords of a file's versions.
    Shaded(FileId, Arc<AllShades>),
    /// Who changed a file on each side.
    HistoryRead(FileId, Result<PerSide<SideHistory>, String>),
    /// What commits say.
    CommitsRead(Result<Vec<(Side, CommitDetails)>, String>),
    /// How many backup files were removed.
    BackupsRemoved(Result<usize, String>),
    LogRead(Result<Vec<LogLine>, String>),
    Measured(Result<Vec<AgainstParent>, String>),
    /// One file of what is staged against a parent; nothing if it is no text.
    DiffRead(usize, RepoPath, DiffRead),
    Note(String),
}
