//! Work to be done outside of the state.

use armistice_core::{Draft, Event, PastResolution, Plan, RegionId, Ruling};
use armistice_git::{Ending, FileOutcome, Overwrite, Seen};
use std::path::PathBuf;
use std::sync::Arc;

/// Rulings for conflicts of several files.
pub type Rulings = Vec<(usize, RegionId, Ruling)>;

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
        past_resolution: Box<PastResolution>,
        by: String,
        plans: Vec<(usize, Arc<Plan>, Vec<RegionId>)>,
    },
    Remember(Vec<PastResolution>),
    /// Forget what is remembered about the same three texts.
    Forget(Box<PastResolution>),
    Write {
        file: usize,
        bytes: Vec<u8>,
        seen: Seen,
        overwrite: Overwrite,
    },
    SettleWhole {
        file: usize,
        outcome: FileOutcome,
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
    SaveUnsavedEdit(usize, String),
    DropUnsavedEdit(usize),
    /// To the terminal's clipboard.
    Copy(String),
    CancelWork,
    /// Stop the process until the shell lets it go on.
    Suspend,
    Quit,
}
