//! Work to be done outside of the state, as values: git, files, the editor.

use crate::base::project_checks::ProjectCheck;
use crate::case::drawings::Drawing;
use crate::case::finish::Finish;
use crate::case::foresee::Question;
use crate::case::opened::Recording;
use crate::case::place::Place;
use armistice_core::{
    Draft, MergeRecord, PastResolution, Plan, RegionId, Ruling, Side, Source, Versions,
};
use armistice_git::{
    Ending, FileOutcome, Leftover, Oid, Operation, Overwrite, RepoPath, Seen, StagedFile,
};
use std::path::PathBuf;
use std::sync::Arc;

/// A file of the state, counted from zero in the order of the situation's cases.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct FileId(pub usize);

/// Rulings for conflicts of several files.
pub type Rulings = Vec<(FileId, RegionId, Ruling)>;

/// A working file was written, removed or put back.
#[derive(Clone, Debug)]
pub struct Wrote {
    pub seen: Seen,
    pub kept: Option<PathBuf>,
    /// "wrote and staged", "took ours", …
    pub what: String,
    /// The whole-file outcome that it was settled by.
    pub whole: Option<FileOutcome>,
}

/// Why a working file was not written.
#[derive(Clone, Debug)]
pub enum Trouble {
    /// It changed; this effect would do it all the same, keeping a copy.
    Changed(Box<Effect>),
    /// It is read-only; this effect would write it anyway.
    ReadOnly(Box<Effect>),
    /// The repository is not where it was: it must be read again.
    MovedOn(String),
    /// A person stopped it before its turn came.
    Stopped,
    Other(String),
}

/// A file as it is given to another program.
#[derive(Clone, Debug)]
pub struct HandOver {
    /// The line for the shell, with places for the names of files.
    pub command: String,
    /// Its name, without folders: programs tell the language by it.
    pub name: String,
    /// The draft, with markers around what is open.
    pub text: Vec<u8>,
    pub versions: Versions,
    /// The line to go to, counted from one.
    pub line: usize,
}

/// How one of several files is written.
#[derive(Clone, Debug)]
pub enum WriteJob {
    /// As its draft stands, if that makes as much sense to a parser as these versions.
    Merged(Box<Finish>, Versions),
    /// As a whole; with the working file as it was read.
    Whole(FileOutcome, Seen, Overwrite),
}

/// Work to be done outside of the state.
#[derive(Clone, Debug)]
pub enum Effect {
    Load(Vec<FileId>),
    /// One file, before all others that wait.
    LoadFirst(FileId),
    /// Record what was decided in a file. If that fails it is taken back, and what stands behind
    /// it in the same list and is about the same file is not done.
    Record(FileId, Recording),
    /// Account for every line in drafts of files.
    Audit(Vec<(FileId, Draft)>),
    /// Ask the rules about plans again.
    Propose(Vec<(FileId, Arc<Plan>)>),
    /// Look for conflicts like one that was settled.
    FindLike {
        past_resolution: Box<PastResolution>,
        by: String,
        plans: Vec<(FileId, Arc<Plan>, Vec<RegionId>)>,
    },
    /// Run the project's own commands, one after the other.
    RunChecks {
        checks: Vec<ProjectCheck>,
        /// What a person has just seen and trusted.
        trust: Option<String>,
    },
    StopChecks,
    /// Trust what the repository's settings say, as a person has just seen it.
    Trust(String),
    /// Stage a file as it stands on disk.
    StageAgain(RepoPath),
    /// Forget what is remembered about the same three texts.
    Forget(Box<PastResolution>),
    /// Write and stage a file, then remember how it was settled.
    Finish(FileId, Box<Finish>),
    /// Write and stage several files with the same few calls of git.
    WriteMany(Vec<(FileId, WriteJob)>),
    SettleWhole {
        file: FileId,
        outcome: FileOutcome,
        seen: Seen,
        overwrite: Overwrite,
    },
    TakeBack {
        file: FileId,
        markers: Vec<u8>,
    },
    /// Read the working file of a case, to take its lines into the draft.
    ReadWorkFile(FileId),
    /// Make a file again by a line for the shell, and stage it.
    Regenerate {
        file: FileId,
        line: String,
        seen: Seen,
    },
    /// Review the steps of the rebase that has just ended.
    ReviewSteps,
    /// Look for conflicts with markers that were committed.
    FindMarkers,
    /// List the files that git merged.
    ListMerged,
    /// Read what each side did to declarations.
    ReadTerrain,
    /// Draw pictures into the store.
    Draw(Vec<Drawing>),
    /// Give the terminal to another program, with a file to edit.
    HandOver(FileId, Box<HandOver>),
    /// Look which working files are not what they were when they were read.
    Compare(Vec<(FileId, Seen)>),
    ReadSituation,
    Prove,
    /// Conclude, skip or back out.
    End {
        ending: Ending,
        message: Option<String>,
        /// What was staged when it was checked; nothing else is concluded.
        staged: Option<String>,
        /// What was decided, to be kept if it is concluded.
        record: Option<Box<MergeRecord>>,
    },
    /// Read whom the current branch could meet.
    ReadScout,
    /// Look what would happen.
    Foresee(Question),
    /// Look no longer.
    StopForeseeing,
    /// Find what a typed name stands for.
    NameCounterpart(String),
    /// Begin what was foreseen, if this commit is still checked out.
    Begin {
        question: Question,
        seen: Option<String>,
        /// Files that are copied aside first.
        keep: Vec<RepoPath>,
    },
    /// Go back to the state before a command that was interrupted.
    UndoInterrupted,
    /// Make files that git merged cases.
    TakeIn(Vec<RepoPath>),
    ReadLog,
    /// Look which stretches of a file are comments, strings and keywords.
    Shade(FileId, Arc<Plan>),
    /// Ask git's history who changed a file on each side.
    ReadHistory(FileId, Operation),
    /// Read what commits say.
    ReadCommits(Vec<(Side, String)>),
    RemoveBackups(Vec<Leftover>),
    /// Drop the last stash, if it is still this commit.
    DropStash(String),
    /// Count what is staged against each parent.
    Measure,
    /// Read one file of it, against a parent in their order.
    ReadDiff {
        parent: usize,
        file: Box<StagedFile>,
        /// What the other parent has there.
        other: Option<Oid>,
    },
    /// Look whether a draft, or the text being edited, makes sense to a parser.
    CheckSyntax {
        at: FileId,
        /// Which text it was.
        stamp: u64,
        text: Source,
        plan: Arc<Plan>,
    },
    /// Forget how a file was settled as a whole.
    Undecide(FileId),
    /// Note how a file shall be settled as a whole, once that can be done.
    DecideWhole(FileId, FileOutcome),
    /// Note where the person is.
    SavePlace(Place),
    SaveUnsavedEdit(FileId, String),
    DropUnsavedEdit(FileId),
    /// To the terminal's clipboard.
    Copy(String),
    CancelWork,
    /// Read and write no more of the files that wait for it; what has begun is ended.
    StopQueued,
    /// Stop the process until the shell lets it go on.
    Suspend,
    Quit,
}

impl Effect {
    /// Whether it changes the work tree, the index or what is in progress: nothing of that is done in a
    /// forecast.
    pub fn changes_the_tree(&self) -> bool {
        matches!(
            self,
            Effect::Finish(..)
                | Effect::WriteMany(_)
                | Effect::SettleWhole { .. }
                | Effect::TakeBack { .. }
                | Effect::Regenerate { .. }
                | Effect::StageAgain(_)
                | Effect::TakeIn(_)
                | Effect::HandOver(..)
                | Effect::End { .. }
                | Effect::RemoveBackups(_)
                | Effect::DropStash(_)
        )
    }

    /// The files it is about, in order; none if it is about the repository as a whole.
    pub fn files(&self) -> Vec<FileId> {
        match self {
            Effect::Load(files) => files.clone(),
            Effect::LoadFirst(at)
            | Effect::Record(at, _)
            | Effect::Finish(at, _)
            | Effect::SaveUnsavedEdit(at, _)
            | Effect::DropUnsavedEdit(at)
            | Effect::Undecide(at)
            | Effect::DecideWhole(at, _)
            | Effect::HandOver(at, _)
            | Effect::ReadWorkFile(at)
            | Effect::ReadHistory(at, _)
            | Effect::Shade(at, _)
            | Effect::SettleWhole { file: at, .. }
            | Effect::Regenerate { file: at, .. }
            | Effect::TakeBack { file: at, .. } => vec![*at],
            Effect::CheckSyntax { at, .. } => vec![*at],
            Effect::Propose(plans) => plans.iter().map(|(at, _)| *at).collect(),
            Effect::WriteMany(jobs) => jobs.iter().map(|(at, _)| *at).collect(),
            Effect::Compare(files) => files.iter().map(|(at, _)| *at).collect(),
            Effect::Audit(drafts) => drafts.iter().map(|(at, _)| *at).collect(),
            _ => Vec::new(),
        }
    }
}
