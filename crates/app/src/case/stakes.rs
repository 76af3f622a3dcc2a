//! Which rows of a conflict are the question: those that both sides changed.
//!
//! Not here: what rules make of them (`core::merge`); this is for the eye, over the same rows that
//! the cards show.

use crate::base::safe_text::TAB;
use armistice_core::{Delta, DeltaRow, LineIdx, PerSide, Side, Source, Version, Versions};
use std::collections::{HashMap, HashSet};

/// What a line of a card has to do with the question.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Stake {
    /// Both sides changed it, or, where only one side changed anything, it did: this is the question.
    Clash,
    /// One side alone changed it.
    Own,
    /// Only its layout changed, by so many columns of indentation.
    Layout(isize),
    /// It is as it was.
    Kept,
}

/// What each row of each side's difference has to do with the question.
pub(crate) struct Stakes {
    /// In the order of the rows of each side's difference.
    pub(crate) rows: PerSide<Vec<Stake>>,
    /// By line of base, ours and theirs; what is missing is as it was.
    lines: [HashMap<LineIdx, Stake>; 3],
}

impl Stakes {
    /// Of a conflict: rows that both sides changed clash, with the rows put in beside them. Where
    /// none does, every row with other words is the question; where there is none, every row with
    /// another layout.
    pub(crate) fn of(deltas: &PerSide<Delta>, versions: &Versions) -> Self {
        let touched = deltas.as_ref().map(Touched::of);
        let clash = PerSide::from_fn(|side: Side| clashing(&deltas[side], &touched[side.other()]));
        let any = Side::BOTH.iter().any(|side| clash[*side].contains(&true));
        let rows = PerSide::from_fn(|side: Side| {
            let text = versions.get(side.into());
            let rows = deltas[side].rows.iter().zip(&clash[side]);
            // What one only reformatted and the other re-worded: that is the question where nothing
            // else is.
            let against_words = |row: &DeltaRow| {
                let changed = !matches!(row, DeltaRow::Kept(..));
                let (old, _) = ends(row);
                changed && old.is_some_and(|at| touched[side.other()].rows.contains(&at))
            };
            let stake = |(row, clash): (&DeltaRow, &bool)| match (any, clash) {
                (true, false) if is_worded(row) => Stake::Own,
                (false, _) if against_words(row) => Stake::Clash,
                _ if is_worded(row) => Stake::Clash,
                _ => layout(row, &versions.base, text),
            };
            rows.map(stake).collect()
        });
        Stakes::new(rows, deltas)
    }

    /// Where only one side changed anything: all that it changed.
    pub(crate) fn all(deltas: &PerSide<Delta>, versions: &Versions) -> Self {
        let rows = PerSide::from_fn(|side: Side| {
            Stakes::between(&deltas[side], &versions.base, versions.get(side.into()))
        });
        Stakes::new(rows, deltas)
    }

    /// Of one difference by itself: all rows with other words, or else with another layout.
    pub(crate) fn between(delta: &Delta, old: &Source, new: &Source) -> Vec<Stake> {
        let worded = delta.rows.iter().any(is_worded);
        let stake = |row: &DeltaRow| match row {
            row if is_worded(row) => Stake::Clash,
            DeltaRow::Kept(..) => Stake::Kept,
            _ if !worded => Stake::Clash,
            row => layout(row, old, new),
        };
        delta.rows.iter().map(stake).collect()
    }

    fn new(mut rows: PerSide<Vec<Stake>>, deltas: &PerSide<Delta>) -> Self {
        let worded = |stake: &Stake| matches!(stake, Stake::Clash | Stake::Own);
        if !Side::BOTH.iter().any(|side| rows[*side].iter().any(worded)) {
            // Only layout is in question.
            for side in Side::BOTH {
                for stake in &mut rows[side] {
                    if matches!(stake, Stake::Layout(_)) {
                        *stake = Stake::Clash;
                    }
                }
            }
        }
        let mut lines = <[HashMap<LineIdx, Stake>; 3]>::default();
        for side in Side::BOTH {
            for (row, stake) in deltas[side].rows.iter().zip(&rows[side]) {
                let (old, new) = ends(row);
                let marks = [(Version::Base, old), (Version::from(side), new)];
                for (version, at) in marks {
                    let Some(at) = at else { continue };
                    let known = lines[version as usize].entry(at).or_insert(*stake);
                    *known = (*known).min(*stake);
                }
            }
        }
        Stakes { rows, lines }
    }

    /// What a line of a version has to do with the question.
    pub(crate) fn of_line(&self, version: Version, at: LineIdx) -> Stake {
        let known = self.lines[version as usize].get(&at);
        known.copied().unwrap_or(Stake::Kept)
    }
}

/// Whether words changed.
fn is_worded(row: &DeltaRow) -> bool {
    matches!(
        row,
        DeltaRow::Removed(_) | DeltaRow::Added(_) | DeltaRow::Reworded(..)
    )
}

/// The lines of both texts that a row is about.
fn ends(row: &DeltaRow) -> (Option<LineIdx>, Option<LineIdx>) {
    match *row {
        DeltaRow::Kept(a, b)
        | DeltaRow::Reworded(a, b)
        | DeltaRow::Reindented(a, b)
        | DeltaRow::Respaced(a, b) => (Some(a), Some(b)),
        DeltaRow::Removed(a) => (Some(a), None),
        DeltaRow::Added(b) => (None, Some(b)),
    }
}

fn layout(row: &DeltaRow, old: &Source, new: &Source) -> Stake {
    let wide = |source: &Source, at: LineIdx| -> isize {
        let indent = source.line(at).indent().iter();
        indent
            .map(|b| if *b == b'\t' { TAB as isize } else { 1 })
            .sum()
    };
    match row {
        DeltaRow::Kept(..) => Stake::Kept,
        DeltaRow::Reindented(a, b) => Stake::Layout(wide(new, *b) - wide(old, *a)),
        _ => Stake::Layout(0),
    }
}

/// What a side changed of base: rows, and places between rows where it put something in.
struct Touched {
    rows: HashSet<LineIdx>,
    /// The row of base before which something was put in; none behind the last.
    gaps: HashSet<Option<LineIdx>>,
}

impl Touched {
    fn of(delta: &Delta) -> Self {
        let (mut rows, mut gaps) = (HashSet::new(), HashSet::new());
        let mut next = None;
        for row in delta.rows.iter().rev() {
            let (old, _) = ends(row);
            match (old, is_worded(row)) {
                (Some(at), true) => drop(rows.insert(at)),
                (None, _) => drop(gaps.insert(next)),
                _ => {}
            }
            next = old.or(next);
        }
        Touched { rows, gaps }
    }
}

/// Which rows of a difference the other side changed too; what is put in clashes with what the other
/// puts in at the same place, and goes with a row beside it that clashes.
fn clashing(delta: &Delta, other: &Touched) -> Vec<bool> {
    let mut next = None;
    let mut out: Vec<bool> = Vec::with_capacity(delta.rows.len());
    for row in delta.rows.iter().rev() {
        let (old, _) = ends(row);
        out.push(match (old, is_worded(row)) {
            (Some(at), true) => other.rows.contains(&at),
            (None, _) => other.gaps.contains(&next),
            _ => false,
        });
        next = old.or(next);
    }
    out.reverse();
    spread(&delta.rows, &mut out);
    out
}

/// Rows put in without a gap beside a row that clashes are part of what was made of it.
fn spread(rows: &[DeltaRow], clash: &mut [bool]) {
    let added = |row: &DeltaRow| matches!(row, DeltaRow::Added(_));
    for at in 1..rows.len() {
        clash[at] |= added(&rows[at]) && clash[at - 1];
    }
    for at in (1..rows.len()).rev() {
        clash[at - 1] |= added(&rows[at - 1]) && clash[at];
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use armistice_core::delta;

    fn stakes(base: &str, ours: &str, theirs: &str) -> [String; 2] {
        let versions = Versions {
            base: base.into(),
            ours: ours.into(),
            theirs: theirs.into(),
        };
        let deltas = PerSide::from_fn(|side: Side| {
            let text = versions.get(side.into());
            delta(&versions.base, versions.base.all(), text, text.all())
        });
        let stakes = Stakes::of(&deltas, &versions);
        Side::BOTH.map(|side| {
            let sign = |stake: &Stake| match stake {
                Stake::Clash => '!',
                Stake::Own => 'o',
                Stake::Layout(_) => '~',
                Stake::Kept => '.',
            };
            stakes.rows[side].iter().map(sign).collect()
        })
    }

    #[test]
    fn rows_that_both_changed_are_the_question() {
        let base = "limit = 1\nretries = 3\nwait = 5\n";
        let ours = "limit = 10\nretries = 3\nwait = 5\n";
        let theirs = "limit = 20\nretries = 5\nwait = 5\n";
        assert_eq!(stakes(base, ours, theirs), ["!..", "!o."]);
        // What was put in beside it goes with it.
        let more = "limit = 20\nburst = 7\nretries = 3\nwait = 5\n";
        assert_eq!(stakes(base, ours, more), ["!..", "!!.."]);
    }

    #[test]
    fn rows_only_laid_out_anew_are_told_apart() {
        let base = "if tide:\n  moor(a)\n  moor(b)\n";
        let ours = "if tide:\n      moor(a)\n      moor(c)\n";
        let theirs = "if tide:\n  moor(a)\n  moor(d)\n";
        assert_eq!(stakes(base, ours, theirs), [".~!", "..!"]);
    }

    #[test]
    fn where_no_row_is_shared_all_that_changed_is_the_question() {
        assert_eq!(
            stakes("a b\nc d\n", "a x\nc d\n", "a b\nc y\n"),
            ["!.", ".!"]
        );
        assert_eq!(stakes("a\nb\n", "  a\nb\n", " a\nb\n"), ["!.", "!."]);
        // Laid out again against re-worded.
        let (base, ours) = ("a b\nc d\ne f\n", "  a b\n  c d\n  e f\n");
        assert_eq!(stakes(base, ours, "a b\nc x\ne f\n"), ["~!~", ".!."]);
    }
}
