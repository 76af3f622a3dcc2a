//! What Armistice asks of git, and the only place that writes a work tree.
//!
//! Every call is a value ([`Invocation`]) before it is a process; parsers take
//! bytes, so each is tested without git. What is decided about a conflict is
//! decided elsewhere: this crate reads the situation and carries results out.
#![deny(missing_docs)]

mod case;
mod file;
mod loose;
mod parallel;
mod path;
mod process;
mod repo;
mod review;
mod scout;
mod situation;
mod store;
mod worktree;

pub use case::contents::{Loaded, StagedText, load, load_all, staged_contents};
pub use case::driven::{DrivenConflict, DrivenFile, merge_as_git_does, note_driven};
pub use case::kinds::CaseKind;
pub use case::one::Case;
pub use case::outcomes::FileOutcome;
pub use case::place::{IndexState, Place};
pub use file::folders::file_name_hash;
pub use file::output::OutputFile;
pub use file::owner::temp_folder;
pub use file::work_file::{Seen, WorkFile, write_atomically};
pub use loose::Loose;
pub use parallel::{in_parallel, processors};
pub use path::RepoPath;
pub use process::cancel::Cancel;
pub use process::error::Error;
pub use process::invocation::{Git, Invocation, Output};
pub use process::runner::Runner;
pub use process::shell::run_shell;
pub use repo::index::Mode;
pub use repo::mark::Mark;
pub use repo::objects::Oid;
pub use repo::operation::{Backend, Operation};
pub use repo::repository::Repository;
pub use repo::stages::{Stage, Stages};
pub use review::lessons::Lessons;
pub use review::merge::{
    Before, Reviewed, ReviewedConflict, ReviewedFile, Reviewer, ToReview, WholeFileResult,
    merge_commit, merge_commits,
};
pub use review::rebased::{RebasedCommits, rebased_commits, tip_before_rebase};
pub use review::steps::{CheckSteps, ReviewedSteps, StepFinding, StepReview};
pub use scout::begin::{Begun, begin, begin_words};
pub use scout::command_settings::{CommandSettings, FastForward};
pub use scout::counterparts::{
    Counterpart, CounterpartKind, NAMED, counterpart_named, counterparts,
};
pub use scout::meeting::{Meeting, Relation, Replayed, ReplayedCommit, meeting, picked, replayed};
pub use scout::obstacles::{Beginning, Obstacles};
pub use scout::sandbox::{
    CleanFile, CleanFiles, MergedTree, Sandbox, SettledContent, SettledFile, party,
};
pub use scout::state::TreeState;
pub use situation::conclude::{After, Ending, LogLine, SeenState, Verdict, log, run_ending};
pub use situation::history::{
    CommitDetails, SideHistory, commit_details, foreseen_history, history,
};
pub use situation::interrupted::{Interrupted, LeftBehind, left_behind, undo_interrupted};
pub use situation::lines::{TwoLines, merged_lines, two_lines};
pub use situation::marker_files::{MarkerFile, MarkerPlace, marker_files};
pub use situation::parents::{
    AgainstParent, Parent, StagedFile, staged_against_parents, staged_texts,
};
pub use situation::parsing::{has_parser, merged_syntax, new_syntax_findings};
pub use situation::proof::{PathFinding, Proof, Prover, prove};
pub use situation::read::{
    Commit, ConflictList, Foreseen, Party, PreparedMessage, Situation, Undertaking, Upstream,
};
pub use situation::staged::tree_print;
pub use situation::stash::drop_stash;
pub use situation::steps::{OperationStep, StepState};
pub use situation::taken_in::take_in;
pub use situation::terrain::{FileTerrain, MovedEdit, Terrain, terrain};
pub use situation::touched::merged_by_git;
pub use store::check_runs::{CheckRun, CheckRuns};
pub use store::decisions::Decisions;
pub use store::journal::Journal;
pub use store::memory::Memory;
pub use store::records::Store;
pub use store::written::Records;
pub use worktree::guard::Overwrite;
pub use worktree::leftovers::{Leftover, known_leftovers, remove_leftovers};
pub use worktree::mend::{Mended, cut_short, mend};
pub use worktree::remake::remake;
pub use worktree::request::{Outcome, WriteRequest};
pub use worktree::staging::stage_as_they_stand;
pub use worktree::take_back::take_back;
pub use worktree::taken::{differs_on_disk, what_stands_there};
pub use worktree::write::{Written, settle_outcome, write_all};
