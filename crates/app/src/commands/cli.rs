//! The command line as clap sees it.

use crate::base::theme::Ground;
use crate::commands::drawing::Picture;
use crate::commands::review::ReviewArgs;
use armistice_core::{AutoSettle, MARKER_SIZE, Side, WhitespacePolicy};
use clap::{Parser, Subcommand, ValueEnum};
use std::path::PathBuf;

const AFTER: &str = "\
Examples:
  armistice                          open the conflicts of this repository
  armistice demo                     try it on a made-up harbour office
  armistice docket --json            list the conflicted files for a script
  armistice settle a.rs --by ours    take ours in every open conflict of a.rs
  armistice proof && armistice conclude
  armistice proof --run              run the project checks, then check the result
  armistice merge --base b --ours o --theirs t --output merged
  armistice open notes.txt           resolve a file with markers, without a repository
  armistice scout                    what would a merge do?
  armistice review v1..v2            were these merges done right?
  armistice doctor                   check versions, terminal, git settings, registration
  armistice help rules               what rules settle without asking
  armistice setup --dry-run          show how to register Armistice with git

Exit codes:
  0  done
  1  a conflict is open, or a finding needs a look
  2  wrong usage, or an error

Decisions are saved in the git folder and restored when you open the repository
again. Set ARMISTICE_LOG=FILE to write a log.";

/// Resolve merge conflicts by what each side did to base.
#[derive(Debug, Parser)]
#[command(name = "armistice", version, about, after_help = AFTER, disable_help_subcommand = true)]
pub struct Cli {
    /// Run as if started in this folder
    #[arg(short = 'C', long = "folder", value_name = "FOLDER", global = true)]
    pub folder: Option<PathBuf>,
    /// Colour theme
    #[arg(long, value_enum, default_value_t, global = true)]
    pub theme: Ground,
    /// Use plain ASCII marks
    #[arg(long, global = true)]
    pub ascii: bool,
    #[command(subcommand)]
    pub command: Option<Command>,
}

#[derive(Debug, Subcommand)]
pub enum Command {
    /// Create the harbour-office repository and open it during a merge or rebase
    Demo {
        #[arg(value_enum, default_value_t = DemoKind::Merge)]
        kind: DemoKind,
        /// Create it in this folder, which must be empty or not exist
        #[arg(long, value_name = "DIR")]
        into: Option<PathBuf>,
        /// Only create it and print its path
        #[arg(long)]
        no_open: bool,
    },
    /// Show what a merge or rebase would do, without touching the repository
    #[command(
        after_help = "Examples:\n  armistice scout                       the screen, with the most likely branch\n  armistice scout night --as rebase     the screen, with this forecast\n  armistice scout main --json           will this branch still merge?\n  armistice scout v1..v2 --as pick      every commit of a range, in git's order\n\nExit status: 0 if nothing needs a person, 1 if conflicts stay open, git stops or\nrefuses, or a finding needs a look, 2 on errors."
    )]
    Scout {
        /// Branch, tag or commit to compare with; by default the most likely one
        other: Option<String>,
        /// Operation to forecast
        #[arg(long = "as", value_enum, value_name = "WHAT")]
        undertaking: Option<As>,
        /// Print the forecast as JSON, without a screen
        #[arg(long)]
        json: bool,
        /// Print the forecast as text, without a screen
        #[arg(long, conflicts_with = "json")]
        text: bool,
        /// Rulings that settle conflicts without asking
        #[arg(long, value_enum)]
        settle: Option<Level>,
        /// Side that estimates assume for open conflicts
        #[arg(long, value_enum, default_value_t = ModeOf::Ours, value_name = "SIDE")]
        assume: ModeOf,
    },
    /// Finish or undo an interrupted write
    Mend {
        /// Restore the state before a git command that was interrupted
        #[arg(long)]
        undo: bool,
    },
    /// List the conflicted files, with what each side did and how many conflicts are open
    Docket {
        /// Print JSON
        #[arg(long)]
        json: bool,
        /// Also list the commits of each side that touch each file
        #[arg(long)]
        who: bool,
    },
    /// Settle conflicts without a screen; write and stage files without open conflicts
    Settle {
        /// Files, relative to the current folder
        #[arg(required = true, value_name = "PATH")]
        paths: Vec<PathBuf>,
        /// Version to keep
        #[arg(long, value_enum)]
        by: By,
        /// Mode to keep when both sides added the file with different modes
        #[arg(long, value_enum, value_name = "SIDE")]
        mode: Option<ModeOf>,
        /// Path to keep, relative to the current folder: one of two new names, or another
        #[arg(long, value_name = "PATH")]
        name: Option<PathBuf>,
        /// Settle only this conflict, counted from 1
        #[arg(long, value_name = "N")]
        conflict: Option<usize>,
        /// Replace a working file that another program changed; a copy is kept
        #[arg(long)]
        overwrite: bool,
    },
    /// Check the merged result before it is committed
    Proof {
        /// Print JSON
        #[arg(long)]
        json: bool,
        /// Run project checks first: the named ones, or all configured ones
        #[arg(long, value_name = "NAME", num_args = 0..)]
        run: Option<Vec<String>>,
        /// List every line that a decision discarded
        #[arg(long, conflicts_with = "json")]
        given_up: bool,
        /// List every line that no version has, riskiest first
        #[arg(long, conflicts_with = "json")]
        new_text: bool,
        /// Show the commands in .armistice.toml and ask whether to trust them
        #[arg(long, conflicts_with_all = ["run", "json"])]
        trust: bool,
    },
    /// Review merges and rebases that were made already, with any program
    #[command(
        after_help = "Examples:\n  armistice review                      the last merge of this branch\n  armistice review v1..v2               every merge between two tags\n  armistice review --since '2 weeks ago' --json\n  armistice review origin/main..HEAD --sarif > review.sarif\n  armistice review --rebased            the last rebase of this branch\n\nFor each merge: the conflicts that git leaves, how each was resolved, edits that are\nlost, misplaced or undone, and lines that neither side added although git saw\nno conflict.\n\nLines marked '?' need a look and are no findings.\n\nExit status: 0 without findings, 1 with findings or if a commit was not reviewed,\n2 on errors."
    )]
    Review(ReviewArgs),
    /// Commit the merge, or continue the rebase, cherry-pick or revert
    Conclude {
        /// Read the message from this file ("-" for standard input)
        #[arg(long, value_name = "FILE")]
        message: Option<PathBuf>,
        /// Conclude despite findings of Proof
        #[arg(long)]
        despite_findings: bool,
        /// What to do with a step that became empty
        #[arg(long, value_enum, value_name = "HOW")]
        empty: Option<IfEmpty>,
        /// Remove the backup files of git mergetool, and keep copies
        #[arg(long)]
        remove_backups: bool,
    },
    /// Merge three files, with markers for open conflicts; works as a merge driver
    // Drivers that were set up by an earlier version call it by its earlier name.
    #[command(alias = "weave")]
    Merge(MergeArgs),
    /// Resolve three files on the screens, without a repository
    Files(FilesArgs),
    /// Resolve a file with conflict markers on the screens, without a repository
    Open {
        /// File to resolve; it is replaced when you finish it
        #[arg(value_name = "FILE")]
        file: PathBuf,
    },
    /// Register Armistice with git as merge tool and, if asked, as merge driver
    Setup(SetupArgs),
    /// List, learn or forget resolutions of this repository
    #[command(
        args_conflicts_with_subcommands = true,
        after_help = "Examples:\n  armistice memory\n  armistice memory learn --since '1 year ago'"
    )]
    Memory {
        #[command(subcommand)]
        action: Option<MemoryAction>,
        /// Print JSON
        #[arg(long)]
        json: bool,
        /// Forget the resolution with this number
        #[arg(long, value_name = "N", conflicts_with = "forget_all")]
        forget: Option<usize>,
        /// Forget all resolutions
        #[arg(long)]
        forget_all: bool,
    },
    /// Print the decisions, with places, authors and reasons, as Markdown
    #[command(
        after_help = "Examples:\n  armistice record > decided.md\n  armistice record HEAD~2 --json"
    )]
    Record {
        /// Commit that was concluded with Armistice; by default the operation in progress, else
        /// HEAD
        #[arg(value_name = "COMMIT")]
        commit: Option<String>,
        /// Print JSON
        #[arg(long)]
        json: bool,
        /// Write to this file instead of standard output
        #[arg(long, value_name = "FILE")]
        output: Option<PathBuf>,
    },
    /// Draw the merge as SVG or PDF: moved code, the commits of both sides, the decisions
    Draw {
        #[arg(value_enum)]
        picture: Picture,
        /// Draw the history with this revision, when no operation is in progress
        #[arg(long, value_name = "OTHER")]
        with: Option<String>,
        /// File to write, ending in .svg or .pdf
        #[arg(long, value_name = "FILE")]
        output: PathBuf,
    },
    /// Explain a command, or a topic: rules, marks, keys, cases, configuration
    Help {
        #[arg(value_name = "COMMAND|TOPIC")]
        topic: Option<String>,
    },
    /// Check the environment: versions, terminal, git settings, registration
    Doctor {
        /// Read this repository as the screens do, and check that no file changed
        #[arg(long)]
        prove: bool,
    },
    /// Print the man page, or write all man pages to a folder
    Man {
        #[arg(long, value_name = "DIR")]
        into: Option<PathBuf>,
    },
    /// Print shell completions
    Completions {
        #[arg(value_enum)]
        shell: clap_complete::Shell,
    },
}

#[derive(Debug, Subcommand)]
pub enum MemoryAction {
    /// Store how the merges of this branch's history resolved their conflicts
    Learn {
        /// Read only merges since this date, in any form that git reads
        #[arg(long, value_name = "DATE")]
        since: Option<String>,
    },
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum DemoKind {
    /// A merge of two branches with text conflicts
    Merge,
    /// The same branches in a rebase of five steps
    Rebase,
    /// Renamed, moved and removed files, links, submodules: every kind of conflict beside text
    Moves,
    /// Code that moved within and between files, and a removed name
    Structure,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum By {
    Ours,
    Theirs,
    Base,
    /// The suggestion of a rule, certain or likely
    Rule,
    /// No file
    Remove,
    /// Both versions, under two names; --name sets the name of theirs
    Both,
    /// Its own path, not the renamed folder that git suggests
    OwnName,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum ModeOf {
    Ours,
    Theirs,
}

impl From<ModeOf> for Side {
    fn from(side: ModeOf) -> Self {
        match side {
            ModeOf::Ours => Side::Ours,
            ModeOf::Theirs => Side::Theirs,
        }
    }
}

#[derive(Debug, clap::Args)]
pub struct FilesArgs {
    /// The merge base; omit it if there is none
    #[arg(long, value_name = "FILE")]
    pub base: Option<PathBuf>,
    /// Our version
    #[arg(long, value_name = "FILE")]
    pub ours: PathBuf,
    /// Their version
    #[arg(long, value_name = "FILE")]
    pub theirs: PathBuf,
    /// File for the merged text
    #[arg(long, value_name = "FILE")]
    pub output: PathBuf,
}

#[derive(Debug, clap::Args)]
pub struct SetupArgs {
    /// Register for the user, in all repositories; otherwise for this repository only
    #[arg(long)]
    pub user: bool,
    /// Also register the merge driver: git then merges text files with Armistice
    #[arg(long)]
    pub driver: bool,
    /// Undo what setup has set
    #[arg(long, conflicts_with = "driver")]
    pub remove: bool,
    /// Write a settings file with every setting as a comment; never overwrites one
    #[arg(long, conflicts_with_all = ["driver", "remove", "user"])]
    pub config: bool,
    /// Only show the changes
    #[arg(long)]
    pub dry_run: bool,
    /// Do not ask
    #[arg(long)]
    pub yes: bool,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum IfEmpty {
    /// Leave it out of the history
    Skip,
    /// Keep it as an empty commit
    Keep,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum Level {
    /// No rulings
    None,
    /// Certain rulings
    Certain,
    /// Certain and likely rulings
    Likely,
}

impl From<Level> for AutoSettle {
    fn from(level: Level) -> Self {
        match level {
            Level::None => AutoSettle::None,
            Level::Certain => AutoSettle::Certain,
            Level::Likely => AutoSettle::Likely,
        }
    }
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum Policy {
    /// None
    Exact,
    /// Line ends
    LineEnds,
    /// Line ends and trailing whitespace
    Trailing,
    /// The amount of white space between words
    Amount,
    /// All white space, including line breaks
    All,
}

impl From<Policy> for WhitespacePolicy {
    fn from(policy: Policy) -> Self {
        match policy {
            Policy::Exact => WhitespacePolicy::Exact,
            Policy::LineEnds => WhitespacePolicy::LineEnds,
            Policy::Trailing => WhitespacePolicy::Trailing,
            Policy::Amount => WhitespacePolicy::Amount,
            Policy::All => WhitespacePolicy::All,
        }
    }
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum Style {
    /// Ours and theirs
    Sides,
    /// Ours, base and theirs; equal changes are outside the markers
    Base,
    /// Ours, base and theirs in full
    Whole,
}

/// The longest marker that is printed; git accepts any number from attributes.
const LONGEST_MARKER: u64 = 10_000;

/// git hands a merge driver whatever its attributes say.
fn marker_size(text: &str) -> Result<u32, String> {
    match text.trim().parse::<u64>() {
        Ok(0) | Err(_) => Err("it must be a number from 1 on".to_owned()),
        Ok(n) => Ok(n.min(LONGEST_MARKER) as u32),
    }
}

/// What is done with another branch.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum As {
    /// Merge both sides
    Merge,
    /// Replay your commits on top of it
    Rebase,
    /// Apply one commit here
    Pick,
    /// Undo one commit
    Revert,
}

#[derive(Clone, Debug, clap::Args)]
pub struct MergeArgs {
    /// The merge base
    #[arg(long, value_name = "FILE")]
    pub base: PathBuf,
    /// Our version
    #[arg(long, value_name = "FILE")]
    pub ours: PathBuf,
    /// Their version
    #[arg(long, value_name = "FILE")]
    pub theirs: PathBuf,
    /// Write to this file instead of standard output
    #[arg(long, value_name = "FILE")]
    pub output: Option<PathBuf>,
    /// Path of the file in its repository, for language and markers
    #[arg(long, value_name = "PATH")]
    pub name: Option<String>,
    /// Rulings to apply before markers are printed; by default from the settings
    #[arg(long, value_enum)]
    pub settle: Option<Level>,
    /// White space to ignore; by default from the settings
    #[arg(long, value_enum, value_name = "POLICY")]
    pub whitespace: Option<Policy>,
    /// What to print between markers: the sides; also base; also equal changes
    #[arg(long, value_enum, default_value_t = Style::Base)]
    pub style: Style,
    /// Print regions, origins, rules and reasons as JSON instead of the merged text
    #[arg(long, conflicts_with = "output")]
    pub json: bool,
    /// Label of ours after its marker
    #[arg(long, value_name = "NAME")]
    pub label_ours: Option<String>,
    /// Label of base after its marker
    #[arg(long, value_name = "NAME")]
    pub label_base: Option<String>,
    /// Label of theirs after its marker
    #[arg(long, value_name = "NAME")]
    pub label_theirs: Option<String>,
    /// Length of the markers
    #[arg(long, value_name = "N", default_value_t = MARKER_SIZE as u32, value_parser = marker_size)]
    pub marker_size: u32,
    /// Run as git's merge driver: record rulings in the git folder, and on any failure leave git's
    /// own conflict
    #[arg(long, requires = "output", conflicts_with = "json")]
    pub driver: bool,
}
