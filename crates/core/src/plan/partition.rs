//! Cuts a long conflict around the rows that clash.
//!
//! Where one side laid out a whole block anew, every row of it is in one
//! conflict, and one row that both re-worded would leave all of it open. Rows
//! that follow each other in all three versions, and of which one was re-worded
//! by one side at most, can be cut apart; parts whose rows go together
//! ([`merge_rows`]) are joined again, so that only what clashes stands apart.

use crate::diff::hunk::Algorithm;
use crate::limits::{CONFLICT_ROWS, PART_ROWS, PARTITIONED_ROWS, PARTS};
use crate::merge::row_edits::{RowChange, RowEdit, row_edits};
use crate::merge::rows::merge_rows;
use crate::model::region::Region;
use crate::model::versions::{Version, Versions};
use crate::text::lines::LineRange;
use std::collections::HashSet;

/// What became of a row of base on a side: the row, and what was changed in it.
type Row = Option<(u32, RowChange)>;

/// The parts of a conflict, in order; they tile it in all three versions.
pub(crate) fn split(versions: &Versions, region: Region) -> Vec<Region> {
    let longest = Version::ALL
        .map(|v| region.lines(v).len())
        .into_iter()
        .max();
    if region.base.len() < PARTITIONED_ROWS || longest > Some(CONFLICT_ROWS) {
        return vec![region];
    }
    let [ours, theirs] = [Version::Ours, Version::Theirs].map(|v| Rows::of(versions, &region, v));
    if !may_clash(&ours, &theirs) || goes_together(versions, &region) {
        return vec![region];
    }
    let atoms = atoms(&region, &ours.rows, &theirs.rows);
    if atoms.len() > PARTS {
        return vec![region];
    }
    let mut parts: Vec<(bool, Region)> = Vec::new();
    for atom in atoms {
        let whole = goes_together(versions, &atom);
        match parts.last_mut() {
            Some((last, part)) if *last == whole => *part = joined(*part, atom),
            _ => parts.push((whole, atom)),
        }
    }
    let mut out: Vec<(bool, Region)> = Vec::new();
    for (whole, part) in parts {
        let alone = whole && part.base.len() as u32 >= PART_ROWS;
        match out.last_mut() {
            Some((false, last)) if !alone => *last = joined(*last, part),
            _ => out.push((alone, part)),
        }
    }
    out.into_iter().map(|(_, part)| part).collect()
}

fn goes_together(versions: &Versions, region: &Region) -> bool {
    merge_rows(versions, region, Algorithm::Histogram).is_ok()
}

fn joined(a: Region, b: Region) -> Region {
    let both = |x: LineRange, y: LineRange| LineRange::new(x.start.0, y.end.0);
    Region {
        kind: a.kind,
        base: both(a.base, b.base),
        ours: both(a.ours, b.ours),
        theirs: both(a.theirs, b.theirs),
    }
}

fn worded(change: RowChange) -> bool {
    matches!(change, RowChange::Wording | RowChange::Formatting)
}

/// Whether the rows may not go together: cheaper to tell than whether they do.
fn may_clash(ours: &Rows, theirs: &Rows) -> bool {
    let pairs = ours.rows.iter().zip(&theirs.rows);
    let mut both = pairs.map(|(o, t)| match (o, t) {
        (Some((_, x)), Some((_, y))) => worded(*x) && worded(*y),
        (None, Some((_, change))) | (Some((_, change)), None) => worded(*change),
        (None, None) => true,
    });
    let inserted = |a: &Rows, b: &Rows| a.inserted.iter().any(|at| b.gone_at(*at));
    both.any(|clash| clash)
        || ours.inserted.iter().any(|at| theirs.inserted.contains(at))
        || inserted(ours, theirs)
        || inserted(theirs, ours)
}

/// The smallest parts: cut wherever rows follow each other on both sides.
fn atoms(region: &Region, ours: &[Row], theirs: &[Row]) -> Vec<Region> {
    let both = |at: usize| ours[at].zip(theirs[at]);
    // Whether at most one side changed its words.
    let quiet = |(x, y): ((u32, RowChange), (u32, RowChange))| !(worded(x.1) && worded(y.1));
    let mut out = Vec::new();
    let mut from = (
        region.base.start.0,
        region.ours.start.0,
        region.theirs.start.0,
    );
    let mut part = |to: (u32, u32, u32)| {
        out.push(Region {
            kind: region.kind,
            base: LineRange::new(from.0, to.0),
            ours: LineRange::new(from.1, to.1),
            theirs: LineRange::new(from.2, to.2),
        });
        from = to;
    };
    for at in 1..ours.len() {
        let Some((before, row)) = both(at - 1).zip(both(at)) else {
            continue;
        };
        let (o, t) = (row.0.0, row.1.0);
        let follows = (o, t) == (before.0.0 + 1, before.1.0 + 1);
        if follows && (quiet(before) || quiet(row)) {
            part((region.base.start.0 + at as u32, o, t));
        }
    }
    part((region.base.end.0, region.ours.end.0, region.theirs.end.0));
    out
}

/// What a side did to the rows of base in a region.
struct Rows {
    rows: Vec<Row>,
    /// Rows of base, counted from the first, before which rows were put in.
    inserted: HashSet<usize>,
}

impl Rows {
    fn of(versions: &Versions, region: &Region, side: Version) -> Self {
        let mut found = Rows {
            rows: vec![None; region.base.len()],
            inserted: HashSet::new(),
        };
        let text = versions.get(side);
        let lines = region.lines(side);
        let nth = |row: u32| (row - region.base.start.0) as usize;
        for edit in row_edits(
            &versions.base,
            region.base,
            text,
            lines,
            Algorithm::Histogram,
        ) {
            match edit {
                RowEdit::Keep(b, s, change) => found.rows[nth(b)] = Some((s, change)),
                RowEdit::Insert(at, _) => {
                    found.inserted.insert(nth(at));
                }
                RowEdit::Delete(_) | RowEdit::Replace(..) => {}
            }
        }
        found
    }

    /// Whether it took out or replaced a row beside the one before which something was put in.
    fn gone_at(&self, at: usize) -> bool {
        let gone = |row: usize| self.rows.get(row).is_some_and(Option::is_none);
        gone(at) || at.checked_sub(1).is_some_and(gone)
    }
}

#[cfg(test)]
mod tests {
    use crate::{Options, RegionKind, Version, plan};

    /// A block of calls, indented or not, with some of them named otherwise.
    fn block(indent: &str, named: &[(usize, &str)]) -> String {
        let row = |n: usize| {
            let known = named.iter().find(|(at, _)| *at == n);
            let ship = known.map_or(format!("ship_{n}"), |(_, name)| (*name).to_owned());
            format!("{indent}moor({ship}, berth_{n});\n")
        };
        (0..40).map(row).collect()
    }

    fn parts(ours: &str, theirs: &str) -> Vec<usize> {
        let base = block("", &[]);
        let plan = plan(
            &base.as_str().into(),
            &ours.into(),
            &theirs.into(),
            &Options::default(),
        );
        let conflicts = plan.conflicts().iter().map(|id| plan.region(*id));
        conflicts.map(|r| r.lines(Version::Base).len()).collect()
    }

    #[test]
    fn only_what_clashes_stands_apart() {
        let ours = block("    ", &[(20, "tug")]);
        assert_eq!(parts(&ours, &block("", &[(5, "ferry")])), [40]);
        assert_eq!(
            parts(&ours, &block("", &[(5, "ferry"), (20, "pilot")])),
            [20, 1, 19]
        );
        // The sides swapped, the parts are the same.
        assert_eq!(
            parts(&block("", &[(5, "ferry"), (20, "pilot")]), &ours),
            [20, 1, 19]
        );
    }

    #[test]
    fn parts_too_short_stay_with_what_clashes() {
        let ours = block("    ", &[(20, "tug"), (23, "tug")]);
        let theirs = block("", &[(20, "pilot"), (23, "ferry")]);
        assert_eq!(parts(&ours, &theirs), [20, 4, 16]);
        let base = block("", &[]);
        let plan = plan(
            &base.as_str().into(),
            &ours.as_str().into(),
            &theirs.as_str().into(),
            &Options::default(),
        );
        assert!(
            plan.regions()
                .iter()
                .all(|r| r.kind == RegionKind::Conflict)
        );
    }
}
