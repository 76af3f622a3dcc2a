//! Decisions as data: what a step does to a draft, and why one may be refused.

use crate::decide::resolution::Resolution;
use crate::decide::ruling::{Certainty, Ruling};
use crate::model::region::RegionId;
use crate::text::lines::{LineIdx, LineRange};
use serde::{Deserialize, Serialize};
use std::fmt;

/// One decision about one region, or one change by hand.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Entry {
    /// Let this stand there. For a change made by one side only, base declines it.
    Settle(RegionId, Resolution),
    /// Let stand there what a rule proposes.
    Rule(RegionId, Ruling),
    /// Open a settled conflict again.
    Reopen(RegionId),
    /// Put a region back to how it merged.
    Restore(RegionId),
    /// Lines rewritten by hand; all refer to the draft before this entry.
    /// An insertion between two regions belongs to `prefer`.
    Edit {
        /// The changed lines in order.
        edits: Vec<LineEdit>,
        /// The conflict the person was editing, if it was one.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        prefer: Option<RegionId>,
    },
}

impl Entry {
    /// The decision that takes what a ruling proposes, if it is at least this certain.
    pub fn of_ruling(id: RegionId, ruling: &Ruling, least: Certainty) -> Option<Entry> {
        let settles = ruling.resolution.is_some() && ruling.certainty >= least;
        settles.then(|| Entry::Rule(id, ruling.clone()))
    }
}

/// A group of decisions that is undone and redone as one.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Step {
    /// A few words for it: "settled conflict 2 by ours".
    pub label: String,
    /// What it does, in order.
    pub entries: Vec<Entry>,
    /// The number it shares with steps in other files that are taken back with it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub group: Option<u64>,
    /// Whether rules took it when the file was opened, before any person did anything: undo stops
    /// in front of it.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub on_opening: bool,
}

impl Step {
    /// A step of one file alone.
    pub fn new(label: impl Into<String>, entries: Vec<Entry>) -> Self {
        Step {
            label: label.into(),
            entries,
            group: None,
            on_opening: false,
        }
    }
}

/// Lines of the draft replaced by other text.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct LineEdit {
    /// Lines of the draft as it was before the edit; empty to insert before `start`.
    pub lines: LineRange,
    /// What stands there now, whole lines with their endings.
    #[serde(with = "crate::text::encoding::as_text")]
    pub text: Vec<u8>,
}

/// Why a decision could not be applied.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Refused {
    /// The plan has no such region.
    NoSuchRegion(RegionId),
    /// The region is not a conflict and so cannot be opened again.
    NotAConflict(RegionId),
    /// A ruling that is only a hint.
    NoResolution(RegionId),
    /// A line beyond the end of a version or of the draft.
    NoSuchLine(LineIdx),
    /// Edits that overlap or are out of order.
    Tangled,
}

impl fmt::Display for Refused {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Refused::NoSuchRegion(id) => write!(f, "there is no region {}", id.0),
            Refused::NotAConflict(id) => write!(f, "region {} is not a conflict", id.0),
            Refused::NoResolution(id) => write!(f, "region {} has only a hint", id.0),
            Refused::NoSuchLine(line) => write!(f, "there is no line {line}"),
            Refused::Tangled => write!(f, "the edits overlap or are out of order"),
        }
    }
}

impl std::error::Error for Refused {}
