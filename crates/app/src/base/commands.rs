//! The screens, and what a person can ask for.

use crate::base::editor::Motion;
use armistice_core::{Side, Version};
use armistice_git::FileOutcome;
use serde::{Deserialize, Serialize};

/// The six screens, by their place on the rail.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub enum Tab {
    Scout,
    Docket,
    Parley,
    Terrain,
    Proof,
    Accord,
}

impl Tab {
    pub const ALL: [Tab; 6] = [
        Tab::Scout,
        Tab::Docket,
        Tab::Parley,
        Tab::Terrain,
        Tab::Proof,
        Tab::Accord,
    ];

    pub fn key(self) -> &'static str {
        match self {
            Tab::Scout => "1",
            Tab::Docket => "2",
            Tab::Parley => "3",
            Tab::Terrain => "4",
            Tab::Proof => "5",
            Tab::Accord => "6",
        }
    }

    pub fn name(self) -> &'static str {
        match self {
            Tab::Scout => "Scout",
            Tab::Docket => "Docket",
            Tab::Parley => "Parley",
            Tab::Terrain => "Terrain",
            Tab::Proof => "Proof",
            Tab::Accord => "Accord",
        }
    }

    /// The question that the screen answers.
    pub fn question(self) -> &'static str {
        match self {
            Tab::Scout => "what would happen if these two lines met?",
            Tab::Docket => "which files are in conflict, and what is left?",
            Tab::Parley => "what did each side want here, and which lines are right?",
            Tab::Terrain => "what moved, what was renamed?",
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
    /// Show the message in full.
    ShowMessage,
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
    /// The whole of a side around the current conflict, what it alone did not change included.
    TakeAll(Side),
    Both(Side),
    /// The words of this side at the indentation of the other.
    Reindent(Side),
    /// This side, with the other behind it as a comment.
    Comment(Side),
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
    /// Scroll a card of the evidence by a page: ours, theirs, base; down or up.
    ScrollCard(Version, bool),
    /// Who changed this, and why.
    ShowWho,
    /// Show what is folded in the cards, or fold it.
    Unfold,
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
    /// Show what nobody changed too, or fold it.
    ShowAll,
    /// Write the picture of a screen to files.
    Draw,
    /// Go from one list of Scout to the other.
    SwitchList,
    /// The next thing that could be done with the other line.
    NextUndertaking,
    NextAssumption,
    /// Begin what is foreseen.
    Begin,
    /// Take the other side's edit along to where this code was moved.
    TakeAlong,
    /// Put the new name in place of one that went.
    ReplaceName,
    /// List the declarations of the file, to go to one.
    JumpList,
    Forget,
    StageAgain,
    ShowGivenUp,
    ShowNewText,
    /// Look through what is staged against each parent.
    ShowStaged,
    NextParent,
    RunChecks,
    StopChecks,
    CheckOutput,
    WriteFile,
    TakeBack,
    /// Write all files that are settled.
    WriteAll,
    /// List the files that git merged.
    ShowMerged,
    /// Make a generated file again, from the settings.
    Regenerate,
    /// Give the file to another program.
    HandOver,
    /// Mark a file, or take the mark away.
    Mark,
    MarkAll,
    NextFilter,
    NextSort,
    /// Show only files whose path has what is typed.
    Narrow,
    /// Take a side where both clash, in whole files.
    TakeClashes(Version),
    Whole(FileOutcome),
    PickLine,
    /// Pick a line to stand as a comment.
    CommentLine,
    Conclude,
    Skip,
    BackOut,
    EditMessage,
    /// Remove the backup files that git left beside files that were in conflict.
    RemoveBackups,
    DropStash,
    Cancel,
    LeaveEditor,
    DiscardEdit,
    Find,
    FindNext,
    GoToLine,
    /// Wrap long lines of the draft, or cut them.
    WrapLines,
    /// Back to where one was before the last jump.
    JumpBack,
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
