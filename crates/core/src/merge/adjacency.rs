//! Counts the edits that touch an edit of the other side, and the risks of merging them.

use crate::diff::align::best_pairs;
use crate::limits::RIVAL_ALIKE;
use crate::merge::dependence::{attaches_to_next, is_self_contained};
use crate::merge::row_edits::{RowChange, RowEdit};
use crate::merge::stats::MergeStats;
use crate::model::segment::Segment;
use crate::model::side::{PerSide, Side};
use crate::model::versions::{Version, Versions};
use crate::text::lines::{LineIdx, LineRange};
use crate::text::tokens::bracket;

/// What has been seen of both sides' changes so far.
pub(crate) struct Adjacency<'a> {
    versions: &'a Versions,
    /// The last change of each side.
    last: PerSide<Option<RowEdit>>,
    /// By how many brackets more each side has opened than base.
    depth: PerSide<isize>,
}

impl<'a> Adjacency<'a> {
    pub(crate) fn new(versions: &'a Versions) -> Self {
        Adjacency {
            versions,
            last: PerSide::default(),
            depth: PerSide::default(),
        }
    }

    /// Both sides did the same: what comes next stands beside nobody's change.
    pub(crate) fn forget(&mut self) {
        self.last = PerSide::default();
    }

    /// Notes an edit of a side; `next` is what the other side does there, `before` is the merged
    /// text in front of it.
    pub(crate) fn note(
        &mut self,
        (side, edit): (Side, RowEdit),
        next: Option<RowEdit>,
        before: Option<&Segment>,
        stats: &mut MergeStats,
    ) {
        let beside = Beside {
            before: self.last[side.other()]
                .filter(|last| last.end() == edit.start() && last.changes()),
            after: next.filter(|next| next.start() == edit.end() && next.changes()),
        };
        let self_contained = match edit {
            RowEdit::Insert(_, lines) => self.note_insert((side, lines), beside, before, stats),
            _ => false,
        };
        for neighbour in beside.iter() {
            count(edit, neighbour, self_contained, stats);
        }
        if edit.changes() {
            self.depth[side] += self.opens(side, edit);
            self.last[side] = Some(edit);
        }
    }

    /// Counts what speaks against new rows; whether they mean the same wherever they stand.
    fn note_insert(
        &self,
        (side, lines): (Side, LineRange),
        beside: Beside,
        before: Option<&Segment>,
        stats: &mut MergeStats,
    ) -> bool {
        let text = self.versions.get(side.into());
        let (gone_before, gone_after) = (is_gone(beside.before), is_gone(beside.after));
        let self_contained = (gone_before || gone_after) && is_self_contained(text, lines);
        let isolated = gone_before && gone_after;
        stats.isolated += usize::from(isolated && !self_contained);
        stats.isolated_self_contained += usize::from(isolated && self_contained);
        let shaken = self.depth[side.other()] != 0 || self.lost_comma(side, lines, before);
        stats.unbalanced += usize::from(shaken);
        let closes = beside.iter().next().is_some() && self.closes_first(side, lines);
        stats.closes_first += usize::from(closes);
        let rival = beside
            .iter()
            .any(|edit| self.may_stand_for(side, lines, edit));
        stats.similar_to_replacement += usize::from(rival);
        let attached = gone_after && attaches_to_next(text, lines);
        stats.attached_to_deleted += usize::from(attached);
        self_contained
    }

    /// Whether new rows are like what the other side put in the place of others.
    fn may_stand_for(&self, side: Side, lines: LineRange, edit: RowEdit) -> bool {
        let RowEdit::Replace(_, rows) = edit else {
            return false;
        };
        let of = |side: Side| self.versions.get(side.into());
        !best_pairs(of(side), lines, of(side.other()), rows, RIVAL_ALIKE).is_empty()
    }

    /// Whether rows close what their side did not open.
    fn closes_first(&self, side: Side, lines: LineRange) -> bool {
        let mut open = self.depth[side];
        self.versions.get(side.into()).slice(lines).iter().any(|b| {
            open += bracket(*b);
            open < 0
        })
    }

    /// By how much more a side opens in some rows than base did.
    fn opens(&self, side: Side, edit: RowEdit) -> isize {
        let balance = |version: Version, lines: LineRange| -> isize {
            let bytes = self.versions.get(version).slice(lines);
            bytes.iter().map(|b| bracket(*b)).sum()
        };
        let none = LineRange::default();
        let (rows, new) = match edit {
            // The same words, the same brackets.
            RowEdit::Keep(_, _, RowChange::Unchanged | RowChange::Whitespace) => return 0,
            RowEdit::Keep(b, s, _) => (LineRange::one(b), LineRange::one(s)),
            RowEdit::Delete(b) => (LineRange::one(b), none),
            RowEdit::Replace(rows, new) => (rows, new),
            RowEdit::Insert(_, new) => (none, new),
        };
        balance(side.into(), new) - balance(Version::Base, rows)
    }

    /// Whether the row before new ones ends with a comma on their side and without here.
    fn lost_comma(&self, side: Side, lines: LineRange, before: Option<&Segment>) -> bool {
        let comma = |line: &[u8]| line.trim_ascii_end().ends_with(b",");
        let own = lines.start.0.checked_sub(1).map(LineIdx);
        let own = own.map(|at| self.versions.get(side.into()).line(at));
        let here = before.map(|segment| match segment {
            Segment::Lines(v, lines) => {
                let last = LineIdx(lines.end.0 - 1);
                comma(self.versions.get(*v).line(last).content())
            }
            Segment::Text(bytes) | Segment::Hand(bytes) => comma(bytes),
        });
        own.is_some_and(|line| comma(line.content())) && here == Some(false)
    }
}

/// Changes of the other side right before and right behind an edit.
#[derive(Clone, Copy)]
struct Beside {
    before: Option<RowEdit>,
    after: Option<RowEdit>,
}

impl Beside {
    fn iter(self) -> impl Iterator<Item = RowEdit> {
        self.before.into_iter().chain(self.after)
    }
}

fn is_gone(edit: Option<RowEdit>) -> bool {
    matches!(edit, Some(RowEdit::Delete(_) | RowEdit::Replace(..)))
}

/// Counts an edit beside a change of the other side.
fn count(edit: RowEdit, neighbour: RowEdit, self_contained: bool, stats: &mut MergeStats) {
    if let (RowEdit::Keep(a, ..), RowEdit::Keep(b, ..)) = (edit, neighbour)
        && a == b
    {
        return;
    }
    let both = [edit, neighbour];
    let inserts = both.iter().any(|e| matches!(e, RowEdit::Insert(..)));
    let gone = both.iter().any(|e| is_gone(Some(*e)));
    match (inserts, gone) {
        // Counted when the new rows were noted.
        (true, _) if !matches!(edit, RowEdit::Insert(..)) => {}
        (true, true) => {
            stats.beside_deleted += 1;
            stats.self_contained += usize::from(self_contained);
        }
        (true, false) => stats.beside += 1,
        (false, _) => stats.adjacent += 1,
    }
}
