//! What it took to weave the rows of a conflict, and why it could not be done.

use crate::merge::row_edits::{Change, Unit};

/// What it took to weave a conflict.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Facts {
    /// Rows changed by one side right beside rows changed by the other.
    pub adjacent: usize,
    /// Rows put in right beside rows that the other side changed.
    pub beside: usize,
    /// Rows put in right beside rows that the other side took out or replaced.
    pub beside_gone: usize,
    /// Of these, those that stand by themselves: imports, whole declarations.
    pub alone: usize,
    /// Runs of rows put in where the other side left neither neighbour.
    pub deserted: usize,
    /// The same of runs that stand by themselves.
    pub islands: usize,
    /// Runs of rows put in that belong to a next row which the other side took out or replaced.
    pub leaning: usize,
    /// Runs of rows put in where the other side has opened or closed more than base, or dropped the
    /// comma before: they may stand within or without.
    pub unbalanced: usize,
    /// Runs of rows put in beside a change that close before they open: what they belong to may
    /// have been cut elsewhere.
    pub slid: usize,
    /// Runs of rows put in beside rows which the other side replaced by something like them.
    pub rivals: usize,
    /// Rows of which the names that they bring in were merged as a set.
    pub named: usize,
    /// Rows into which both sides put the same new name, each at another place.
    pub doubled: usize,
    /// New rows beside several rows into which the other side put the same words.
    pub patterned: usize,
    /// Rows whose end both sides changed, and behind which one of them put something in.
    pub forked: usize,
    /// Rows put in before rows that the other side put into a block of their own.
    pub wrapped: usize,
    /// New rows that use names which the other side left nowhere near.
    pub orphaned: usize,
    /// Rows whose words both sides changed.
    pub blended: usize,
    /// Fewest unchanged words between the sides' changes in one row.
    pub gap: Option<usize>,
    /// Rows with one side's blanks and the other side's words.
    pub respaced: usize,
    /// Rows with blanks of both sides and the same words.
    pub blanks: usize,
    /// Rows that one side took out while the other changed only their blanks.
    pub removed_respaced: usize,
    /// Rows put in and indented as the other side indents their neighbours.
    pub shifted: usize,
    /// Rows that both sides changed alike or put in alike.
    pub same: usize,
    /// Blanks that both sides changed, each its own way.
    pub blank_clashes: usize,
    /// Rows replaced by rows unlike them.
    pub swapped: usize,
    /// Rows that one side took out or replaced while the other changed their quotes or commas.
    pub formatted: usize,
    /// New rows in which the other side's changes of words were made too.
    pub renewed: usize,
    /// New rows that use words which the other side changed.
    pub stale: usize,
    /// Rows in which both sides changed a number.
    pub numbers: usize,
    /// Rows whose words one side changed and whose old words the other's new rows have.
    pub copied: usize,
    /// What each side did by itself: ours, theirs.
    pub sides: [Deeds; 2],
}

/// What one side did to the rows of base.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Deeds {
    /// Rows whose blanks alone it changed.
    pub blank: usize,
    /// Rows whose words it changed.
    pub worded: usize,
    /// Rows it took out.
    pub gone: usize,
    /// Runs of rows it replaced by rows unlike them.
    pub swapped: usize,
    /// Rows it put in.
    pub put_in: usize,
}

impl Deeds {
    pub(crate) fn of(units: &[Unit]) -> Self {
        let mut deeds = Deeds::default();
        for unit in units {
            match unit {
                Unit::Pair(_, _, Change::Same) => {}
                Unit::Pair(_, _, Change::Blank) => deeds.blank += 1,
                Unit::Pair(_, _, Change::Format | Change::Words) => deeds.worded += 1,
                Unit::Gone(_) => deeds.gone += 1,
                Unit::Swap(..) => deeds.swapped += 1,
                Unit::PutIn(_, lines) => deeds.put_in += lines.len(),
            }
        }
        deeds
    }

    /// Whether it changed blanks and nothing else.
    pub fn only_blanks(&self) -> bool {
        self.blank > 0 && self.worded + self.gone + self.swapped + self.put_in == 0
    }

    /// Whether it took rows out and did nothing else.
    pub fn only_gone(&self) -> bool {
        self.gone > 0 && self.blank + self.worded + self.swapped + self.put_in == 0
    }
}

/// Why rows could not be woven.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Clash {
    /// Both changed the same words.
    Words,
    /// Both put something in at the same place.
    BothPutIn,
    /// One side took out or replaced what the other changed.
    Gone,
    /// One side put something into what the other took out or replaced.
    Inside,
    /// Too much to look at.
    TooLong,
}
