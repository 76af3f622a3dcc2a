//! What became of the lines that a side added or removed, counted.

use crate::model::side::{PerSide, Side};
use crate::verify::checks::Finding;
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
    /// The conflict it was given up in; `None` for a change that was declined.
    pub conflict: Option<usize>,
    /// The decision.
    pub by: String,
    /// Lines that the side had added.
    pub added: usize,
    /// Lines that the side had removed.
    pub removed: usize,
}

/// What became of both sides' work in one file.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Report {
    /// What became of the lines of each side.
    #[serde(flatten)]
    pub sides: PerSide<SideReport>,
    /// What was given up, and by which decision.
    pub given_up: Vec<GivenUp>,
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
