//! Counts of what the row merge of a conflict did, and the reasons for which it can fail.

use crate::merge::row_edits::{RowChange, RowEdit};
use crate::model::side::PerSide;

/// Counts of what the row merge of a conflict did, for judging whether it is safe.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct MergeStats {
    /// Rows changed by one side right beside rows changed by the other.
    pub adjacent: usize,
    /// Rows put in right beside rows that the other side changed.
    pub beside: usize,
    /// Rows put in right beside rows that the other side took out or replaced.
    pub beside_deleted: usize,
    /// Of these, those that stand by themselves: imports, whole declarations.
    pub self_contained: usize,
    /// Runs of rows put in where the other side left neither neighbour.
    pub isolated: usize,
    /// The same of runs that stand by themselves.
    pub isolated_self_contained: usize,
    /// Runs of rows put in that belong to a next row which the other side took out or replaced.
    pub attached_to_deleted: usize,
    /// Runs of rows put in where the other side has opened or closed more than base, or dropped the
    /// comma before: they may stand within or without.
    pub unbalanced: usize,
    /// Runs of rows put in beside a change that close before they open: what they belong to may
    /// have been cut elsewhere.
    pub closes_first: usize,
    /// Runs of rows put in beside rows which the other side replaced by something like them.
    pub similar_to_replacement: usize,
    /// Rows of which the names that they bring in were merged as a set.
    pub import_lists: usize,
    /// Rows into which both sides put the same new name, each at another place.
    pub doubled_names: usize,
    /// New rows beside several rows into which the other side put the same words.
    pub beside_pattern: usize,
    /// Rows whose end both sides changed, and behind which one of them put something in.
    pub forked_ends: usize,
    /// Rows put in before rows that the other side put into a block of their own.
    pub before_new_block: usize,
    /// New rows that use names which the other side left nowhere near.
    pub orphaned: usize,
    /// Rows whose words both sides changed.
    pub blended: usize,
    /// Fewest unchanged words between the sides' changes in one row.
    pub gap: Option<usize>,
    /// Rows that one side took out while the other changed only their blanks.
    pub deleted_respaced: usize,
    /// Rows put in and indented as the other side indents their neighbours.
    pub reindented: usize,
    /// Blanks that both sides changed, each its own way.
    pub whitespace_clashes: usize,
    /// Rows replaced by rows unlike them.
    pub replaced: usize,
    /// Rows that one side took out or replaced while the other changed their quotes or commas.
    pub formatted: usize,
    /// New rows in which the other side's changes of words were made too.
    pub rewritten: usize,
    /// New rows that use words which the other side changed.
    pub outdated: usize,
    /// Rows in which both sides changed a number.
    pub numbers: usize,
    /// Rows whose words one side changed and whose old words the other's new rows have.
    pub copied: usize,
    /// What each side did by itself.
    pub sides: PerSide<EditCounts>,
}

/// What one side did to the rows of base.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct EditCounts {
    /// Rows whose blanks alone it changed.
    pub whitespace: usize,
    /// Rows whose words it changed.
    pub reworded: usize,
    /// Rows it took out.
    pub deleted: usize,
    /// Runs of rows it replaced by rows unlike them.
    pub replaced: usize,
    /// Rows it put in.
    pub inserted: usize,
}

impl EditCounts {
    pub(crate) fn of(row_edits: &[RowEdit]) -> Self {
        let mut counts = EditCounts::default();
        for edit in row_edits {
            match edit {
                RowEdit::Keep(_, _, RowChange::Unchanged) => {}
                RowEdit::Keep(_, _, RowChange::Whitespace) => counts.whitespace += 1,
                RowEdit::Keep(_, _, RowChange::Formatting | RowChange::Wording) => {
                    counts.reworded += 1
                }
                RowEdit::Delete(_) => counts.deleted += 1,
                RowEdit::Replace(..) => counts.replaced += 1,
                RowEdit::Insert(_, lines) => counts.inserted += lines.len(),
            }
        }
        counts
    }

    /// Whether it changed blanks and nothing else.
    pub fn only_whitespace(&self) -> bool {
        self.whitespace > 0 && self.reworded + self.deleted + self.replaced + self.inserted == 0
    }

    /// Whether it deleted rows and did nothing else.
    pub fn only_deletes(&self) -> bool {
        self.deleted > 0 && self.whitespace + self.reworded + self.replaced + self.inserted == 0
    }
}

/// Why rows could not be merged.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Clash {
    /// Both changed the same words.
    Words,
    /// Both put something in at the same place.
    BothInserted,
    /// One side took out or replaced what the other changed.
    Deleted,
    /// One side put something into what the other took out or replaced.
    Inside,
    /// Too much to look at.
    TooLong,
}
