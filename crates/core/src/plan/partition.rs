//! Cuts a long conflict around the rows that clash.
//!
//! Where one side laid out a whole block again, every row of it is in one
//! conflict, and one row that both re-worded would leave all of it open. Rows
//! that follow each other in all three versions, and of which one was re-worded
//! by one side at most, can be cut apart; parts whose rows go together
//! (`merge::rows`) are joined again, so that only what clashes stands apart.

use crate::limits::{CONFLICT_ROWS, PART_ROWS, PARTITIONED_ROWS, PARTS};
use crate::merge::row_edits::{RowChange, RowEdit};
use crate::model::region::{Region, RegionKind};
use crate::model::versions::{Version, Versions};
use crate::plan::finer::FinerMerge;
use crate::text::lines::{LineIdx, LineRange};
use std::collections::HashSet;

/// What became of a row of base on a side: the row, and what was changed in it.
type Row = Option<(LineIdx, RowChange)>;

/// A part of a conflict, with its finer merge where that was made.
pub(crate) struct Part {
    pub(crate) region: Region,
    pub(crate) finer: Option<FinerMerge>,
}

impl Part {
    fn new(versions: &Versions, region: Region) -> Self {
        Part {
            finer: Some(FinerMerge::new(versions, &region)),
            region,
        }
    }

    /// Whether its rows go together.
    fn merges(&self, versions: &Versions) -> bool {
        let finer = self.finer.as_ref();
        finer.is_some_and(|finer| finer.rows(versions, &self.region).is_ok())
    }

    /// This part and the one behind it.
    fn join(&mut self, next: Part) {
        self.region = joined(self.region, next.region);
        self.finer = None;
    }
}

/// The parts of a conflict, in order; they tile it in all three versions.
pub(crate) fn partition(versions: &Versions, region: Region) -> Vec<Part> {
    let longest = Version::ALL.map(|v| region.lines(v).len());
    if region.base.len() < 2 || longest.into_iter().max() > Some(CONFLICT_ROWS) {
        return vec![Part {
            region,
            finer: None,
        }];
    }
    let whole = Part::new(versions, region);
    let Some(edits) = whole.finer.as_ref().and_then(FinerMerge::edits) else {
        return vec![whole];
    };
    let rows = edits.as_ref().map(|edits| Rows::of(&region, edits));
    if !may_clash(&rows.ours, &rows.theirs) || whole.merges(versions) {
        return vec![whole];
    }
    let atoms = atoms(&region, &rows.ours.rows, &rows.theirs.rows);
    if atoms.len() > PARTS {
        return vec![whole];
    }
    if region.base.len() < PARTITIONED_ROWS {
        return undisputed_apart(versions, &atoms);
    }
    let mut out = Vec::new();
    for (stands, part) in assembled(versions, atoms.clone()) {
        if stands {
            // What one side alone did there is no question, though it is long.
            let kind = kind_of(versions, &part.region);
            out.push(Part {
                region: Region {
                    kind,
                    ..part.region
                },
                finer: part.finer.filter(|_| kind == RegionKind::Conflict),
            });
            continue;
        }
        let within = |atom: &&Region| {
            part.region.base.start <= atom.base.start && atom.base.end <= part.region.base.end
        };
        let own: Vec<Region> = atoms.iter().filter(within).copied().collect();
        out.extend(undisputed_apart(versions, &own));
    }
    out
}

/// The atoms of a part that clashes, those that one side alone changed apart from the rest: what
/// nobody disputes merges by itself. Rows that nobody changed go with what clashes on both sides of
/// them.
fn undisputed_apart(versions: &Versions, atoms: &[Region]) -> Vec<Part> {
    let mut out: Vec<Region> = Vec::new();
    for atom in atoms {
        let kind = match laid_out_anew(versions, atom) {
            true => RegionKind::Conflict,
            false => kind_of(versions, atom),
        };
        match out.last_mut() {
            Some(last) if last.kind == kind => *last = joined(*last, *atom),
            _ => out.push(Region { kind, ..*atom }),
        }
    }
    let between = |out: &[Region], at: usize| {
        let kind = |at: usize| out.get(at).map(|region| region.kind);
        let clash = Some(RegionKind::Conflict);
        out[at].kind == RegionKind::Unchanged
            && at > 0
            && kind(at - 1) == clash
            && kind(at + 1) == clash
    };
    let mut parts: Vec<Region> = Vec::new();
    for (at, region) in out.iter().enumerate() {
        let kind = match between(&out, at) {
            true => RegionKind::Conflict,
            false => region.kind,
        };
        match parts.last_mut() {
            Some(last) if last.kind == kind => *last = joined(*last, *region),
            _ => parts.push(Region { kind, ..*region }),
        }
    }
    let part = |region: Region| Part {
        region,
        finer: None,
    };
    parts.into_iter().map(part).collect()
}

/// Whether a side changed the indentation of a row: what is taken for its neighbours must follow it.
fn laid_out_anew(versions: &Versions, atom: &Region) -> bool {
    let indents = |version: Version| {
        let lines = versions.get(version).lines(atom.lines(version));
        lines
            .filter(|line| !line.content().trim_ascii().is_empty())
            .map(|line| line.indent().to_vec())
            .collect::<HashSet<_>>()
    };
    let base = indents(Version::Base);
    [Version::Ours, Version::Theirs]
        .into_iter()
        .any(|side| indents(side) != base)
}

/// Whose change an atom is, by its bytes.
fn kind_of(versions: &Versions, atom: &Region) -> RegionKind {
    let text = |version| versions.get(version).slice(atom.lines(version));
    let (base, ours, theirs) = (
        text(Version::Base),
        text(Version::Ours),
        text(Version::Theirs),
    );
    match (ours == base, theirs == base) {
        (true, true) => RegionKind::Unchanged,
        (true, false) => RegionKind::Theirs,
        (false, true) => RegionKind::Ours,
        (false, false) if ours == theirs => RegionKind::Same,
        (false, false) => RegionKind::Conflict,
    }
}

/// Neighbouring atoms put together again, those that merge and those that clash; each stands by
/// itself.
fn assembled(versions: &Versions, atoms: Vec<Region>) -> Vec<(bool, Part)> {
    let mut parts: Vec<(bool, Part)> = Vec::new();
    for atom in atoms {
        let part = Part::new(versions, atom);
        let merges = part.merges(versions);
        match parts.last_mut() {
            Some((last, before)) if *last == merges => before.join(part),
            _ => parts.push((merges, part)),
        }
    }
    let mut out: Vec<(bool, Part)> = Vec::new();
    for (merges, part) in parts {
        let stands = merges && part.region.base.len() as u32 >= PART_ROWS;
        match out.last_mut() {
            Some((false, before)) if !stands => before.join(part),
            _ => out.push((stands, part)),
        }
    }
    out
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
    let quiet =
        |(x, y): ((LineIdx, RowChange), (LineIdx, RowChange))| !(worded(x.1) && worded(y.1));
    let mut out = Vec::new();
    let mut from = Version::ALL.map(|v| region.lines(v).start);
    let mut part = |to: [LineIdx; 3]| {
        let [ours, theirs, base] = [0, 1, 2].map(|n| LineRange::new(from[n].0, to[n].0));
        out.push(Region {
            kind: region.kind,
            base,
            ours,
            theirs,
        });
        from = to;
    };
    for at in 1..ours.len() {
        let Some((before, row)) = both(at - 1).zip(both(at)) else {
            continue;
        };
        let (o, t) = (row.0.0, row.1.0);
        let follows = (o.0, t.0) == (before.0.0.0 + 1, before.1.0.0 + 1);
        if follows && (quiet(before) || quiet(row)) {
            part([o, t, LineIdx(region.base.start.0 + at as u32)]);
        }
    }
    part(Version::ALL.map(|v| region.lines(v).end));
    out
}

/// What a side did to the rows of base in a region.
struct Rows {
    rows: Vec<Row>,
    /// Rows of base, counted from the first, before which rows were put in.
    inserted: HashSet<usize>,
}

impl Rows {
    fn of(region: &Region, edits: &[RowEdit]) -> Self {
        let mut found = Rows {
            rows: vec![None; region.base.len()],
            inserted: HashSet::new(),
        };
        let nth = |row: LineIdx| (row.0 - region.base.start.0) as usize;
        for edit in edits {
            match *edit {
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
            [20, 1]
        );
        // The last nineteen rows were reformatted by one side, and nobody else touched them: they
        // merge by themselves. The sides swapped, the parts are the same.
        assert_eq!(
            parts(&block("", &[(5, "ferry"), (20, "pilot")]), &ours),
            [20, 1]
        );
    }

    #[test]
    fn parts_too_short_stay_with_what_clashes() {
        let ours = block("    ", &[(20, "tug"), (23, "tug")]);
        let theirs = block("", &[(20, "pilot"), (23, "ferry")]);
        assert_eq!(parts(&ours, &theirs), [4]);
        let base = block("", &[]);
        let plan = plan(
            &base.as_str().into(),
            &ours.as_str().into(),
            &theirs.as_str().into(),
            &Options::default(),
        );
        let kinds: Vec<RegionKind> = plan.regions().iter().map(|r| r.kind).collect();
        assert_eq!(
            kinds,
            [RegionKind::Ours, RegionKind::Conflict, RegionKind::Ours]
        );
    }
}
