//! What Armistice asks of git, and the only place that writes a work tree.
//!
//! Every call is a value ([`Invocation`]) before it is a process; parsers take
//! bytes, so each is tested without git. What is decided about a conflict is
//! decided elsewhere: this crate reads the situation and carries results out.
#![deny(missing_docs)]

mod blobs;
mod case;
mod conclude;
mod error;
mod index;
mod invocation;
mod loose;
mod operation;
mod path;
mod proof;
mod repository;
mod situation;
mod store;
mod work_file;
mod write;

pub use blobs::read_blobs;
pub use case::{Case, CaseId, Kind, Mode, Oid, Outcome, Stage, Stages, Standing, whose_words};
pub use conclude::{After, Ending, LogLine, Verdict, conclude, log, result_against, run_ending};
pub use error::Error;
pub use invocation::{Cancel, Git, Invocation, Output, Runner};
pub use loose::Loose;
pub use operation::{Backend, Operation};
pub use path::RepoPath;
pub use proof::{PathFinding, Proof, prove};
pub use repository::Repository;
pub use situation::{Commit, Party, Situation};
pub use store::{Journal, Memory, Store};
pub use work_file::{Seen, WorkFile, write_atomically};
pub use write::{
    Loaded, Overwrite, Written, load, load_all, settle_outcome, staged_bytes, take_back,
    write_result,
};
