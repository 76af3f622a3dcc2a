//! What became of the lines that a side added or removed, counted.

use crate::model::side::{PerSide, Side};
use crate::text::lines::LineIdx;
use crate::verify::checks::Finding;
use crate::verify::resolved::NewLine;
use serde::Serialize;

/// Lines counted by what became of them.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Fates {
    /// As the side wanted it.
    pub kept: usize,
    /// Blended with the other side's words.
    pub blended: usize,
    /// Not so, by a decision or a rule.
    pub given_up: usize,
    /// Rewritten by hand.
    pub rewritten: usize,
    /// In a conflict that is still open.
    pub waiting: usize,
    /// Not so, and nothing accounts for it.
    pub missing: usize,
}

impl Fates {
    /// The sum of all counts, in lines.
    pub fn all(&self) -> usize {
        self.kept + self.blended + self.given_up + self.rewritten + self.waiting + self.missing
    }

    pub(crate) fn count(&mut self, fate: Fate) {
        *match fate {
            Fate::Kept => &mut self.kept,
            Fate::Blended => &mut self.blended,
            Fate::GivenUp => &mut self.given_up,
            Fate::Rewritten => &mut self.rewritten,
            Fate::Waiting => &mut self.waiting,
        } += 1;
    }
}

impl std::ops::AddAssign for Fates {
    fn add_assign(&mut self, other: Self) {
        self.kept += other.kept;
        self.blended += other.blended;
        self.given_up += other.given_up;
        self.rewritten += other.rewritten;
        self.waiting += other.waiting;
        self.missing += other.missing;
    }
}

/// What became of one side's work.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize)]
pub struct SideReport {
    /// Lines it added; kept if they stand.
    pub added: Fates,
    /// Lines of base it removed; kept if they are gone.
    pub removed: Fates,
}

impl std::ops::AddAssign for SideReport {
    fn add_assign(&mut self, other: Self) {
        self.added += other.added;
        self.removed += other.removed;
    }
}

/// Work of a side that a decision gave up.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct GivenUp {
    /// Whose work.
    pub side: Side,
    /// The conflict it was given up in; `None` for a rejected change.
    pub conflict: Option<usize>,
    /// The decision.
    pub by: String,
    /// Lines that the side had added.
    pub added: usize,
    /// Lines that the side had removed.
    pub removed: usize,
    /// The lines themselves, up to [`GIVEN_UP_LINES`](crate::limits::GIVEN_UP_LINES) in a file.
    pub lines: Vec<GivenUpLine>,
}

/// One line of a side's work that does not stand as the side wanted it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct GivenUpLine {
    /// What the side did to it.
    pub change: LineChange,
    /// Where it is: in the side's version if it was added there, else in base; in JSON counted from 1.
    #[serde(serialize_with = "number")]
    pub line: LineIdx,
    /// Its text, without its indentation and trailing whitespace.
    pub text: String,
}

/// What a side did to a line.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum LineChange {
    /// The side added it, and it does not stand.
    Added,
    /// The side removed it, and it stands.
    Removed,
}

fn number<S: serde::Serializer>(line: &LineIdx, to: S) -> Result<S::Ok, S::Error> {
    line.number().serialize(to)
}

/// What became of both sides' work in one file.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Report {
    /// What became of the lines of each side.
    #[serde(flatten)]
    pub sides: PerSide<SideReport>,
    /// What was given up, and by which decision.
    pub given_up: Vec<GivenUp>,
    /// Lines that no version has, as far as the text that is to be committed is known.
    pub new_lines: Vec<NewLine>,
    /// Lines that are missing or stand there twice, with no decision behind it.
    pub findings: Vec<Finding>,
}

#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) enum Fate {
    Kept,
    Blended,
    GivenUp,
    Rewritten,
    Waiting,
}
