//! The command line as clap sees it.

use crate::base::theme::Ground;
use crate::commands::drawing::Picture;
use armistice_core::{AutoSettle, MARKER_SIZE, Side, WhitespacePolicy};
use clap::{Parser, Subcommand, ValueEnum};
use std::path::PathBuf;

const AFTER: &str = "\
Examples:
  armistice                          open the conflicts of this repository
  armistice demo                     try it on a made-up harbour office
  armistice docket --json            list the cases for a script
  armistice settle a.rs --by ours    settle every open conflict of a.rs by ours
  armistice proof && armistice conclude
  armistice proof --run              run the project's own commands, then check
  armistice merge --base b --ours o --theirs t --output merged
  armistice open notes.txt           settle a file with markers, no repository needed
  armistice scout                    what would happen if I merged?
  armistice doctor                   what it finds around it
  armistice help rules               what is settled without asking
  armistice setup --dry-run          show how git can be told to call Armistice

Exit codes:
  0  done
  1  something is still open or was found
  2  wrong usage, or it failed

Every decision is kept under the git folder and comes back when you open the
repository again. A log is written when ARMISTICE_LOG names a file.";

/// Resolve merge conflicts, seeing what each side did to base.
#[derive(Debug, Parser)]
#[command(name = "armistice", version, about, after_help = AFTER, disable_help_subcommand = true)]
pub struct Cli {
    /// Run as if started in this folder
    #[arg(short = 'C', long = "folder", value_name = "FOLDER", global = true)]
    pub folder: Option<PathBuf>,
    /// Ground of the colours
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
    /// Make the harbour-office repository and open it in mid-merge or mid-rebase
    Demo {
        #[arg(value_enum, default_value_t = DemoKind::Merge)]
        kind: DemoKind,
        /// Make it in this folder, which must be empty or not exist
        #[arg(long, value_name = "DIR")]
        into: Option<PathBuf>,
        /// Only make it and print where it is
        #[arg(long)]
        no_open: bool,
    },
    /// Show what a merge or rebase would do, without touching the repository
    #[command(
        after_help = "Examples:\n  armistice scout                       the screen, with the likeliest counterpart\n  armistice scout night --as rebase     the screen, with that question\n  armistice scout main --json           will this branch still merge?\n  armistice scout v1..v2 --as pick      every commit of a range, in git's order\n\nExit status: 0 if there is nothing to do by hand, 1 if conflicts stay open, git stops or\nrefuses, or a finding needs a look, 2 on errors."
    )]
    Scout {
        /// The other line: a branch, a tag, a commit; the likeliest if none is named
        other: Option<String>,
        /// What would be done with it
        #[arg(long = "as", value_enum, value_name = "WHAT")]
        undertaking: Option<As>,
        /// Print it as JSON, without a screen
        #[arg(long)]
        json: bool,
        /// Print it as text, without a screen
        #[arg(long, conflicts_with = "json")]
        text: bool,
        /// What rules settle by themselves
        #[arg(long, value_enum)]
        settle: Option<Level>,
        /// The side that estimates take for conflicts that stay open
        #[arg(long, value_enum, default_value_t = ModeOf::Ours, value_name = "SIDE")]
        assume: ModeOf,
    },
    /// Finish or undo what a killed program had begun
    Mend {
        /// Go back to the state before a command that was interrupted while git began it
        #[arg(long)]
        undo: bool,
    },
    /// List the cases: who did what, how many conflicts, how many open
    Docket {
        /// As JSON
        #[arg(long)]
        json: bool,
        /// With the commits of each side that touch each file
        #[arg(long)]
        who: bool,
    },
    /// Settle conflicts without a screen; writes and stages what has none left open
    Settle {
        /// Files, relative to this folder
        #[arg(required = true, value_name = "PATH")]
        paths: Vec<PathBuf>,
        /// Which version shall stand
        #[arg(long, value_enum)]
        by: By,
        /// Whose mode a file gets that both added, one as a program and one not
        #[arg(long, value_enum, value_name = "SIDE")]
        mode: Option<ModeOf>,
        /// The name it gets, relative to this folder: where the sides gave it two, or a new one
        #[arg(long, value_name = "PATH")]
        name: Option<PathBuf>,
        /// Only this conflict, counted from 1
        #[arg(long, value_name = "N")]
        conflict: Option<usize>,
        /// Replace a working file that was changed outside; a copy is kept
        #[arg(long)]
        overwrite: bool,
    },
    /// Check what is to be committed
    Proof {
        /// As JSON
        #[arg(long)]
        json: bool,
        /// Run the project's own commands first: those of these names, or all that settings name
        #[arg(long, value_name = "NAME", num_args = 0..)]
        run: Option<Vec<String>>,
        /// List every line that a decision gave up
        #[arg(long, conflicts_with = "json")]
        given_up: bool,
        /// Show the commands of the repository's .armistice.toml and ask whether to trust them
        #[arg(long, conflicts_with_all = ["run", "json"])]
        trust: bool,
    },
    /// Commit the merge, or continue the rebase, cherry-pick or revert
    Conclude {
        /// Take the message from this file ("-" for standard input)
        #[arg(long, value_name = "FILE")]
        message: Option<PathBuf>,
        /// Conclude although Proof found something
        #[arg(long)]
        despite_findings: bool,
        /// What becomes of a step that would commit nothing
        #[arg(long, value_enum, value_name = "HOW")]
        empty: Option<IfEmpty>,
        /// Remove the backup files that git's own merge helper left, copies kept
        #[arg(long)]
        remove_backups: bool,
    },
    /// Merge three files; what stays open gets markers. Works as a merge driver
    // Drivers that were set up by an earlier version call it by its earlier name.
    #[command(alias = "weave")]
    Merge(MergeArgs),
    /// Settle three loose files on the screens, without a repository
    Files(FilesArgs),
    /// Settle a file with conflict markers on the screens, without a repository
    Open {
        /// The file; it is replaced when it is finished
        #[arg(value_name = "FILE")]
        file: PathBuf,
    },
    /// Register Armistice with git as merge tool and, if asked, as merge driver
    Setup(SetupArgs),
    /// List or forget how conflicts of this repository were settled before
    Memory {
        /// As JSON
        #[arg(long)]
        json: bool,
        /// Forget the one of this number in the list
        #[arg(long, value_name = "N", conflicts_with = "forget_all")]
        forget: Option<usize>,
        /// Forget all
        #[arg(long)]
        forget_all: bool,
    },
    /// Print what was decided, where, by whom and why, as Markdown
    #[command(
        after_help = "Examples:\n  armistice record > decided.md\n  armistice record HEAD~2 --json"
    )]
    Record {
        /// A commit that was concluded with Armistice; without it what is under way, or else what
        /// became the commit that is checked out
        #[arg(value_name = "COMMIT")]
        commit: Option<String>,
        /// As JSON
        #[arg(long)]
        json: bool,
        /// Into this file instead of standard output
        #[arg(long, value_name = "FILE")]
        output: Option<PathBuf>,
    },
    /// Draw what is under way as SVG or PDF: what moved, the two lines of commits, what was decided
    Draw {
        #[arg(value_enum)]
        picture: Picture,
        /// Of the history with this other line, where nothing is under way
        #[arg(long, value_name = "OTHER")]
        with: Option<String>,
        /// The file to write; its name ends in .svg or .pdf
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
        /// Look at this repository as the screens do, and compare every file before and after
        #[arg(long)]
        prove: bool,
    },
    /// Print the page for man, or write all pages into a folder
    Man {
        #[arg(long, value_name = "DIR")]
        into: Option<PathBuf>,
    },
    /// Print completions for a shell
    Completions {
        #[arg(value_enum)]
        shell: clap_complete::Shell,
    },
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum DemoKind {
    /// Two branches of text, merged
    Merge,
    /// The same, rebased in five steps
    Rebase,
    /// Files renamed, moved, removed, of other kinds: every case that is no text alone
    Moves,
    /// Code that moved inside of files and between them, and a name that went
    Structure,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum By {
    Ours,
    Theirs,
    Base,
    /// What a rule proposes, certain or likely
    Rule,
    /// No file
    Remove,
    /// Both versions, under two names; --name names theirs
    Both,
    /// Where its side has it, not in the renamed folder that git suggests
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
    /// What both sides started from; leave it out if there is none
    #[arg(long, value_name = "FILE")]
    pub base: Option<PathBuf>,
    /// One side
    #[arg(long, value_name = "FILE")]
    pub ours: PathBuf,
    /// The other side
    #[arg(long, value_name = "FILE")]
    pub theirs: PathBuf,
    /// Where the merged text goes
    #[arg(long, value_name = "FILE")]
    pub output: PathBuf,
}

#[derive(Debug, clap::Args)]
pub struct SetupArgs {
    /// For the user, in all repositories; otherwise for this repository alone
    #[arg(long)]
    pub user: bool,
    /// As merge driver too: git then merges every text file by Armistice
    #[arg(long)]
    pub driver: bool,
    /// Take back what setup has set
    #[arg(long, conflicts_with = "driver")]
    pub remove: bool,
    /// Write a file of settings to begin with, every one of them commented; never over one that is there
    #[arg(long, conflicts_with_all = ["driver", "remove", "user"])]
    pub config: bool,
    /// Only show what would be set
    #[arg(long)]
    pub dry_run: bool,
    /// Do it without asking
    #[arg(long)]
    pub yes: bool,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum IfEmpty {
    /// It is left out of the history
    Skip,
    /// It is kept as an empty commit
    Keep,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum Level {
    /// Nothing
    None,
    /// What the rules are certain of
    Certain,
    /// What they think likely too
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
    /// Line ends and trailing blanks
    Trailing,
    /// How many blanks stand where all have some
    Amount,
    /// All blanks, line breaks too
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
    /// Ours, base and theirs; what both did alike stands outside
    Base,
    /// Ours, base and theirs in full
    Whole,
}

/// The longest marker that is printed; git takes any number from attributes.
const LONGEST_MARKER: u64 = 10_000;

/// git hands a merge driver whatever its attributes say.
fn marker_size(text: &str) -> Result<u32, String> {
    match text.trim().parse::<u64>() {
        Ok(0) | Err(_) => Err("it must be a number from 1 on".to_owned()),
        Ok(n) => Ok(n.min(LONGEST_MARKER) as u32),
    }
}

/// What is done with another line.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum As {
    /// Both lines become one
    Merge,
    /// The own commits are made again on top of it
    Rebase,
    /// What one commit did is done here too
    Pick,
    /// What one commit did is undone
    Revert,
}

#[derive(Clone, Debug, clap::Args)]
pub struct MergeArgs {
    /// What both sides started from
    #[arg(long, value_name = "FILE")]
    pub base: PathBuf,
    /// One side
    #[arg(long, value_name = "FILE")]
    pub ours: PathBuf,
    /// The other side
    #[arg(long, value_name = "FILE")]
    pub theirs: PathBuf,
    /// Write here instead of to standard output
    #[arg(long, value_name = "FILE")]
    pub output: Option<PathBuf>,
    /// The path that the file has in its repository, for the markers
    #[arg(long, value_name = "PATH")]
    pub name: Option<String>,
    /// What rules settle before markers are printed; without it, as the settings say
    #[arg(long, value_enum)]
    pub settle: Option<Level>,
    /// White space in which the sides may differ; without it, as the settings say
    #[arg(long, value_enum, value_name = "POLICY")]
    pub whitespace: Option<Policy>,
    /// What is printed between markers: the sides; base too; base and all that both did alike
    #[arg(long, value_enum, default_value_t = Style::Base)]
    pub style: Style,
    /// Print regions, origins, rules and reasons as JSON instead of the merged text
    #[arg(long, conflicts_with = "output")]
    pub json: bool,
    /// What ours is called behind its marker
    #[arg(long, value_name = "NAME")]
    pub label_ours: Option<String>,
    /// What base is called behind its marker
    #[arg(long, value_name = "NAME")]
    pub label_base: Option<String>,
    /// What theirs is called behind its marker
    #[arg(long, value_name = "NAME")]
    pub label_theirs: Option<String>,
    /// Signs a marker
    #[arg(long, value_name = "N", default_value_t = MARKER_SIZE as u32, value_parser = marker_size)]
    pub marker_size: u32,
    /// As git's merge driver: note under the git folder what rules settle, and on any failure leave
    /// git's own conflict
    #[arg(long, requires = "output", conflicts_with = "json")]
    pub driver: bool,
}
