//! What can happen: keys, mouse, results of work; and what shall be done about it.

use crate::editor::Motion;
use crate::state::FileLoad;
use crate::update::Rulings;
use armistice_core::{Draft, Event, Plan, Precedent, RegionId, Report, Ruling, Side, Version};
use armistice_git::{After, Ending, LogLine, Outcome, Overwrite, Proof, Seen, Situation};
use ratatui::crossterm::event::{KeyEvent, MouseEvent};
use std::path::PathBuf;
use std::sync::Arc;

/// The four screens there are so far, by their place on the rail.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Tab {
    Docket,
    Parley,
    Proof,
    Accord,
}

impl Tab {
    pub const ALL: [Tab; 4] = [Tab::Docket, Tab::Parley, Tab::Proof, Tab::Accord];

    pub fn key(self) -> &'static str {
        match self {
            Tab::Docket => "2",
            Tab::Parley => "3",
            Tab::Proof => "5",
            Tab::Accord => "6",
        }
    }

    pub fn name(self) -> &'static str {
        match self {
            Tab::Docket => "Docket",
            Tab::Parley => "Parley",
            Tab::Proof => "Proof",
            Tab::Accord => "Accord",
        }
    }

    /// The question that the screen answers.
    pub fn question(self) -> &'static str {
        match self {
            Tab::Docket => "which files are in conflict, and what is left?",
            Tab::Parley => "what did each side want here, and what shall stand?",
            Tab::Proof => "is the merged result right?",
            Tab::Accord => "conclude, continue, or go back",
        }
    }
}

/// What a person can ask for; every one of them has a line in the keymap.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Command {
    Go(Tab),
    Help,
    Ask,
    Quit,
    Back,
    Suspend,
    Reload,
    Move(Motion),
    /// Take what is under the cursor or previewed.
    Accept,
    NextOpen,
    PrevOpen,
    NextChange,
    PrevChange,
    NextFile,
    PrevFile,
    Take(Version),
    Both(Side),
    /// The words of this side at the indentation of the other.
    Reindent(Side),
    Drop,
    Pick,
    Edit,
    Decline,
    Reopen,
    StartOver,
    Undo,
    Redo,
    Lens,
    Wide,
    NextChoice,
    PrevChoice,
    TakeProposal,
    SettleLikely,
    SameAgain,
    NextRuled,
    PrevRuled,
    SwitchRule,
    SwitchOn,
    NextPolicy,
    ShowBlanks,
    Forget,
    WriteFile,
    TakeBack,
    Whole(Outcome),
    PickLine,
    Conclude,
    Skip,
    BackOut,
    EditMessage,
    Cancel,
    LeaveEditor,
    DiscardEdit,
    Find,
    FindNext,
    Select(Motion),
    Newline,
    TabStop,
    Backspace,
    Delete,
    DeleteLine,
    EditUndo,
    EditRedo,
    Copy,
    Cut,
    Paste,
    SelectAll,
}

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
    Done(u64, Box<Outcomes>),
}

/// Results of work.
#[derive(Clone, Debug)]
pub enum Outcomes {
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

/// Files, added and removed lines of the result against one parent.
pub type Tally = (usize, usize, usize);

/// A working file was written, removed or put back.
#[derive(Clone, Debug)]
pub struct Wrote {
    pub seen: Seen,
    pub kept: Option<PathBuf>,
    /// "wrote and staged", "took ours", …
    pub what: String,
}

/// Why a working file was not written.
#[derive(Clone, Debug)]
pub enum Trouble {
    /// It changed; this effect would do it all the same, keeping a copy.
    Changed(Box<Effect>),
    Other(String),
}

/// Work to be done outside of the state.
#[derive(Clone, Debug)]
pub enum Effect {
    Load(Vec<usize>),
    /// One file, before all others that wait.
    LoadFirst(usize),
    Record(usize, Vec<Event>),
    /// Account for every line in drafts of files.
    Audit(Vec<(usize, Draft)>),
    /// Ask the rules about plans anew.
    Propose(Vec<(usize, Arc<Plan>)>),
    /// Look for conflicts like one that was settled.
    FindLike {
        precedent: Box<Precedent>,
        by: String,
        plans: Vec<(usize, Arc<Plan>, Vec<RegionId>)>,
    },
    Remember(Vec<Precedent>),
    /// Forget what is remembered about the same three texts.
    Forget(Box<Precedent>),
    Write {
        file: usize,
        bytes: Vec<u8>,
        seen: Seen,
        overwrite: Overwrite,
    },
    Outcome {
        file: usize,
        outcome: Outcome,
        seen: Seen,
        overwrite: Overwrite,
    },
    TakeBack {
        file: usize,
        markers: Vec<u8>,
    },
    ReadSituation,
    Prove,
    End(Ending, Option<String>),
    ReadLog,
    Measure,
    SaveSketch(usize, String),
    DropSketch(usize),
    /// To the terminal's clipboard.
    Copy(String),
    CancelWork,
    /// Stop the process until the shell lets it go on.
    Suspend,
    Quit,
}
