//! Three-way merging over rows: finer than lines that are equal or not.
//!
//! Rows of base are paired with rows of each side over their words, not their
//! blanks. What each side did to a row, or put between two rows, is then
//! merged: indentation, words, trailing blanks and line end each on their own.
//! Nothing here decides whether the outcome is safe; the [`Facts`] tell the
//! rules what it took.

use crate::diff::search_dense;
use crate::layout::{double_quoted, formatted, requoted};
use crate::lines::{LineIdx, LineRange};
use crate::plan::{Algorithm, Region, Versions};
use crate::resolution::{Side, Strand, Version};
use crate::rows::best_pairs;
use crate::stitch::{Replayed, Swap, is_name, replay, stitch};
use crate::text::{Line, Source};
use crate::words::{same_words, solid_words};
use std::collections::HashSet;

/// Rows less alike than this, in hundredths, are not one row re-worded.
const ALIKE: u32 = 50;
/// Bytes of a row beyond which it is not looked at for formatting.
const LONG_ROW: usize = 4_000;
/// Rows of one version beyond which a conflict is not woven: nobody could follow it.
const MOST: usize = 5_000;

/// What the two sides' rows give together.
#[derive(Clone, Debug)]
pub(crate) struct Woven {
    pub(crate) strands: Vec<Strand>,
    pub(crate) facts: Facts,
}

/// What it took to weave a conflict.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Facts {
    /// Rows changed by one side right beside rows changed by the other.
    pub adjacent: usize,
    /// Rows put in right beside rows that the other side changed.
    pub beside: usize,
    /// Rows put in right beside rows that the other side took out or replaced.
    pub beside_gone: usize,
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
    fn of(units: &[Unit]) -> Self {
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

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Change {
    Same,
    Blank,
    /// Quotes or a trailing comma.
    Format,
    Words,
}

/// What a side did, in the order of base.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Unit {
    /// A row and what became of it.
    Pair(u32, u32, Change),
    /// A row taken out, with nothing in its place.
    Gone(u32),
    /// Rows replaced by rows unlike them.
    Swap(LineRange, LineRange),
    /// Rows put in before a row.
    PutIn(u32, LineRange),
}

impl Unit {
    fn start(self) -> u32 {
        match self {
            Unit::Pair(b, ..) | Unit::Gone(b) | Unit::PutIn(b, _) => b,
            Unit::Swap(b, _) => b.start.0,
        }
    }

    fn end(self) -> u32 {
        match self {
            Unit::Pair(b, ..) | Unit::Gone(b) => b + 1,
            Unit::PutIn(b, _) => b,
            Unit::Swap(b, _) => b.end.0,
        }
    }

    fn changes(self) -> bool {
        !matches!(self, Unit::Pair(_, _, Change::Same))
    }
}

/// What a side did to some rows of base.
fn units(
    base: &Source,
    b: LineRange,
    side: &Source,
    s: LineRange,
    algorithm: Algorithm,
) -> Vec<Unit> {
    let solid = |line: Line<'_>| -> Vec<u8> {
        let content = line.content().iter().copied();
        content.filter(|b| !crate::text::is_blank(*b)).collect()
    };
    let keys_b: Vec<_> = base.lines(b).map(solid).collect();
    let keys_s: Vec<_> = side.lines(s).map(solid).collect();
    let mut out = Vec::new();
    let (mut at_b, mut at_s) = (b.start.0, s.start.0);
    for hunk in search_dense(&keys_b, &keys_s, algorithm) {
        let hunk_b = LineRange::new(hunk.base.start.0 + b.start.0, hunk.base.end.0 + b.start.0);
        let hunk_s = LineRange::new(hunk.side.start.0 + s.start.0, hunk.side.end.0 + s.start.0);
        pairs(&mut out, base, at_b..hunk_b.start.0, side, at_s);
        loose(&mut out, base, hunk_b, side, hunk_s);
        (at_b, at_s) = (hunk_b.end.0, hunk_s.end.0);
    }
    pairs(&mut out, base, at_b..b.end.0, side, at_s);
    out
}

fn pairs(out: &mut Vec<Unit>, base: &Source, rows: std::ops::Range<u32>, side: &Source, from: u32) {
    for (b, s) in rows.zip(from..) {
        out.push(Unit::Pair(b, s, change(base, b, side, s)));
    }
}

fn change(base: &Source, b: u32, side: &Source, s: u32) -> Change {
    let (old, new) = (base.line(LineIdx(b)), side.line(LineIdx(s)));
    match () {
        () if old == new => Change::Same,
        () if same_words(old.content(), new.content()) => Change::Blank,
        () if old.content().len() < LONG_ROW
            && formatted(old.content()) == formatted(new.content()) =>
        {
            Change::Format
        }
        () => Change::Words,
    }
}

/// Rows of a hunk: the likeliest pairs, the rest taken out, replaced or put in.
fn loose(out: &mut Vec<Unit>, base: &Source, b: LineRange, side: &Source, s: LineRange) {
    let matched = best_pairs(base, b, side, s, ALIKE);
    let (mut at_b, mut at_s) = (b.start.0, s.start.0);
    let ends = (LineIdx(b.end.0), LineIdx(s.end.0));
    for (x, y) in matched.into_iter().chain([ends]) {
        match (at_b == x.0, at_s == y.0) {
            (true, true) => {}
            (true, false) => out.push(Unit::PutIn(x.0, LineRange::new(at_s, y.0))),
            (false, true) => out.extend((at_b..x.0).map(Unit::Gone)),
            (false, false) => out.push(Unit::Swap(
                LineRange::new(at_b, x.0),
                LineRange::new(at_s, y.0),
            )),
        }
        if x.0 < b.end.0 {
            out.push(Unit::Pair(x.0, y.0, change(base, x.0, side, y.0)));
        }
        (at_b, at_s) = (x.0 + 1, y.0 + 1);
    }
}

/// How one side indents what base indents otherwise.
struct Indents<'a> {
    /// Row of base, its indentation, the side's; rows without words left out.
    rows: Vec<(u32, &'a [u8], &'a [u8])>,
}

impl<'a> Indents<'a> {
    fn new(base: &'a Source, side: &'a Source, units: &[Unit]) -> Self {
        let row = |unit: &Unit| match *unit {
            Unit::Pair(b, s, _) => {
                let (old, new) = (base.line(LineIdx(b)), side.line(LineIdx(s)));
                let worded = !old.trimmed().is_empty() && !new.trimmed().is_empty();
                worded.then(|| (b, old.indent(), new.indent()))
            }
            _ => None,
        };
        Indents {
            rows: units.iter().filter_map(row).collect(),
        }
    }

    /// What this side would make of an indentation that stands before row `at` of base.
    ///
    /// `None` if its rows around do not agree.
    fn of(&self, at: u32, indent: &[u8]) -> Option<Vec<u8>> {
        let after = self.rows.partition_point(|(b, ..)| *b < at);
        let before = after.checked_sub(1).map(|i| self.rows[i]);
        let after = self.rows.get(after).copied();
        let moved = |row: Option<(u32, &[u8], &[u8])>| row.map(|(_, old, new)| old != new);
        match (moved(before), moved(after)) {
            (None | Some(false), None | Some(false)) => return Some(indent.to_vec()),
            (Some(true) | None, Some(true) | None) => {}
            // At the edge of what was moved nobody can tell where a new row belongs.
            _ => return None,
        }
        let alike = self.rows.iter().filter(|(_, old, _)| *old == indent);
        let nearest = alike.min_by_key(|(b, ..)| b.abs_diff(at));
        if let Some((_, _, new)) = nearest {
            return Some(new.to_vec());
        }
        let (_, old, new) = before.or(after)?;
        let shift = Shift::between(old, new)?;
        shift.apply(indent)
    }
}

/// What turns one indentation into another.
enum Shift<'a> {
    Deeper(&'a [u8]),
    Flatter(&'a [u8]),
}

impl<'a> Shift<'a> {
    fn between(old: &'a [u8], new: &'a [u8]) -> Option<Self> {
        if let Some(more) = new.strip_suffix(old) {
            return Some(Shift::Deeper(more));
        }
        old.strip_suffix(new).map(Shift::Flatter)
    }

    fn apply(&self, indent: &[u8]) -> Option<Vec<u8>> {
        match self {
            Shift::Deeper(more) => Some([more, indent].concat()),
            Shift::Flatter(less) => indent.strip_prefix(*less).map(<[u8]>::to_vec),
        }
    }
}

/// Weaves the rows of a region.
pub(crate) fn weave_rows(
    versions: &Versions,
    region: &Region,
    algorithm: Algorithm,
) -> Result<Woven, Clash> {
    let most = [region.base, region.ours, region.theirs].map(|r| r.len());
    if most.into_iter().max() > Some(MOST) {
        return Err(Clash::TooLong);
    }
    let of = |side: Version| {
        units(
            &versions.base,
            region.base,
            versions.get(side),
            region.lines(side),
            algorithm,
        )
    };
    let (ours, theirs) = (of(Version::Ours), of(Version::Theirs));
    let indents = [
        Indents::new(&versions.base, &versions.ours, &ours),
        Indents::new(&versions.base, &versions.theirs, &theirs),
    ];
    let mut loom = Loom {
        versions,
        indents,
        woven: Woven {
            strands: Vec::new(),
            facts: Facts {
                sides: [Deeds::of(&ours), Deeds::of(&theirs)],
                ..Facts::default()
            },
        },
        last: [None, None],
        requoted: [
            requotes(&versions.base, &versions.ours, &ours),
            requotes(&versions.base, &versions.theirs, &theirs),
        ],
        swaps: [
            swaps(&versions.base, &versions.ours, &ours),
            swaps(&versions.base, &versions.theirs, &theirs),
        ],
    };
    loom.run(&ours, &theirs)?;
    loom.woven.facts.copied = copied(versions, &ours, Version::Theirs, &theirs)
        + copied(versions, &theirs, Version::Ours, &ours);
    Ok(loom.woven)
}

/// Whether a change of words is one of numbers too.
fn renumbered(base: &[u8], side: &[u8]) -> bool {
    let numbers = |line| -> Vec<&[u8]> {
        let words = solid_words(line);
        words.filter(|w| w.iter().any(u8::is_ascii_digit)).collect()
    };
    numbers(base) != numbers(side)
}

/// Rows re-worded by one side of which the other side put in something like a copy.
fn copied(versions: &Versions, units: &[Unit], other: Version, news: &[Unit]) -> usize {
    let new_rows = news.iter().flat_map(|unit| match unit {
        Unit::PutIn(_, lines) | Unit::Swap(_, lines) => versions.get(other).slice(*lines),
        _ => b"",
    });
    let new_rows: Vec<u8> = new_rows.copied().collect();
    if new_rows.is_empty() {
        return 0;
    }
    let known: HashSet<&[u8]> = solid_words(&new_rows).collect();
    let is_copied = |unit: &&Unit| match unit {
        Unit::Pair(b, _, Change::Words) => {
            let row = versions.base.line(LineIdx(*b)).trimmed();
            let names: HashSet<&[u8]> = solid_words(row).filter(|w| is_name(w)).collect();
            let shared = names.iter().filter(|name| known.contains(**name)).count();
            names.len() >= 3 && shared * 10 >= names.len() * 7
        }
        _ => false,
    };
    units.iter().filter(is_copied).count()
}

struct Loom<'a> {
    versions: &'a Versions,
    /// Of ours, of theirs.
    indents: [Indents<'a>; 2],
    woven: Woven,
    /// The last change of each side: where it ended, and what it was.
    last: [Option<Unit>; 2],
    /// Whether each side made double quotes of single ones throughout.
    requoted: [bool; 2],
    /// The changes of words of each side.
    swaps: [Vec<Swap>; 2],
}

fn requotes(base: &Source, side: &Source, units: &[Unit]) -> bool {
    let rows = || {
        units.iter().filter_map(|unit| match *unit {
            Unit::Pair(b, s, _) => Some((base.line(LineIdx(b)), side.line(LineIdx(s)))),
            _ => None,
        })
    };
    let single = |line: Line<'_>| line.content().contains(&b'\'');
    rows().any(|(old, new)| requoted(old.content(), new.content()))
        && !rows().any(|(old, new)| single(old) && single(new))
}

/// Rows whose words a side may have changed before its changes are no longer replayed.
const REPLAYED: usize = 60;

fn swaps(base: &Source, side: &Source, units: &[Unit]) -> Vec<Swap> {
    let worded = |unit: &&Unit| matches!(unit, Unit::Pair(_, _, Change::Format | Change::Words));
    let rows = units.iter().filter(worded).take(REPLAYED);
    let of = |unit: &Unit| match *unit {
        Unit::Pair(b, s, _) => Swap::between(
            base.line(LineIdx(b)).trimmed(),
            side.line(LineIdx(s)).trimmed(),
        ),
        _ => Vec::new(),
    };
    rows.flat_map(of).collect()
}

impl Loom<'_> {
    fn run(&mut self, ours: &[Unit], theirs: &[Unit]) -> Result<(), Clash> {
        let (mut i, mut j) = (0, 0);
        loop {
            match (ours.get(i).copied(), theirs.get(j).copied()) {
                (None, None) => return Ok(()),
                (Some(Unit::PutIn(a, o)), Some(Unit::PutIn(b, t))) if a == b => {
                    self.both_put_in(o, t)?;
                    self.note(Side::Ours, Unit::PutIn(a, o), None);
                    self.note(Side::Theirs, Unit::PutIn(b, t), None);
                    (i, j) = (i + 1, j + 1);
                }
                (Some(Unit::PutIn(at, lines)), next) => {
                    self.put_in(Side::Ours, at, lines, next)?;
                    i += 1;
                }
                (next, Some(Unit::PutIn(at, lines))) => {
                    self.put_in(Side::Theirs, at, lines, next)?;
                    j += 1;
                }
                (Some(o), Some(t)) => {
                    let (used_o, used_t) = self.rows(o, &theirs[j..], t, &ours[i..])?;
                    (i, j) = (i + used_o, j + used_t);
                }
                // Both lists cover the same rows of base.
                (Some(_), None) | (None, Some(_)) => return Err(Clash::Gone),
            }
        }
    }

    /// One row, or the rows that one side replaced; how many units of each side that used up.
    fn rows(
        &mut self,
        ours: Unit,
        rest_theirs: &[Unit],
        theirs: Unit,
        rest_ours: &[Unit],
    ) -> Result<(usize, usize), Clash> {
        match (ours, theirs) {
            (Unit::Swap(a, o), Unit::Swap(b, t)) => {
                let same = self.versions.ours.slice(o) == self.versions.theirs.slice(t);
                if a != b || !same {
                    return Err(Clash::Gone);
                }
                self.lines(Version::Ours, o);
                self.woven.facts.same += 1;
                Ok((1, 1))
            }
            (Unit::Swap(rows, new), _) => {
                let used = self.swap(Side::Ours, rows, new, rest_theirs)?;
                Ok((1, used))
            }
            (_, Unit::Swap(rows, new)) => {
                let used = self.swap(Side::Theirs, rows, new, rest_ours)?;
                Ok((used, 1))
            }
            (Unit::Gone(_), Unit::Gone(_)) => {
                self.woven.facts.same += 1;
                Ok((1, 1))
            }
            (Unit::Gone(_), Unit::Pair(_, _, change)) => {
                self.gone(Side::Ours, ours, change)?;
                Ok((1, 1))
            }
            (Unit::Pair(_, _, change), Unit::Gone(_)) => {
                self.gone(Side::Theirs, theirs, change)?;
                Ok((1, 1))
            }
            (Unit::Pair(b, o, mine), Unit::Pair(_, t, other)) => {
                self.row(LineIdx(b), (LineIdx(o), mine), (LineIdx(t), other))?;
                Ok((1, 1))
            }
            (Unit::PutIn(..), _) | (_, Unit::PutIn(..)) => Err(Clash::BothPutIn),
        }
    }

    fn gone(&mut self, side: Side, unit: Unit, other: Change) -> Result<(), Clash> {
        match other {
            Change::Words => return Err(Clash::Gone),
            Change::Blank => self.woven.facts.removed_respaced += 1,
            Change::Format => self.woven.facts.formatted += 1,
            Change::Same => {}
        }
        self.note(side, unit, None);
        Ok(())
    }

    /// Rows that one side replaced and the other must have left as they were.
    fn swap(
        &mut self,
        side: Side,
        rows: LineRange,
        new: LineRange,
        other: &[Unit],
    ) -> Result<usize, Clash> {
        let (mut used, mut respaced) = (0, false);
        for unit in other {
            if unit.start() >= rows.end.0 && !matches!(unit, Unit::PutIn(at, _) if *at < rows.end.0)
            {
                break;
            }
            match unit {
                Unit::Pair(_, _, Change::Same) => {}
                Unit::Pair(_, _, Change::Blank) => respaced = true,
                Unit::Pair(_, _, Change::Format) => {
                    respaced = true;
                    self.woven.facts.formatted += 1;
                }
                Unit::Pair(..) | Unit::Gone(_) | Unit::Swap(..) => return Err(Clash::Gone),
                Unit::PutIn(..) => return Err(Clash::Inside),
            }
            used += 1;
        }
        self.note(side, Unit::Swap(rows, new), None);
        self.woven.facts.swapped += 1;
        self.fresh(side, respaced.then_some(rows.start.0), new)?;
        Ok(used)
    }

    fn both_put_in(&mut self, ours: LineRange, theirs: LineRange) -> Result<(), Clash> {
        if self.versions.ours.slice(ours) != self.versions.theirs.slice(theirs) {
            return Err(Clash::BothPutIn);
        }
        self.lines(Version::Ours, ours);
        self.woven.facts.same += 1;
        Ok(())
    }

    fn put_in(
        &mut self,
        side: Side,
        at: u32,
        lines: LineRange,
        next: Option<Unit>,
    ) -> Result<(), Clash> {
        self.note(side, Unit::PutIn(at, lines), next);
        self.fresh(side, Some(at), lines)
    }

    /// New lines of a side: indented as the other side indents what is around row `at`,
    /// and with the words that the other side changed made new.
    fn fresh(&mut self, side: Side, at: Option<u32>, lines: LineRange) -> Result<(), Clash> {
        let text = self.versions.get(side.into());
        let other = usize::from(side == Side::Ours);
        for idx in lines.iter() {
            let line = text.line(idx);
            let requoted = self.requoted[other]
                .then(|| double_quoted(line.trimmed()))
                .flatten();
            let requoted = requoted.filter(|words| words != line.trimmed());
            let words = match replay(
                &self.swaps[other],
                requoted.as_deref().unwrap_or(line.trimmed()),
            ) {
                Replayed::Fresh if requoted.is_some() => requoted,
                Replayed::Fresh => None,
                Replayed::Renewed(words) => Some(words),
                Replayed::Stale => {
                    self.woven.facts.stale += 1;
                    None
                }
            };
            let indent = match at {
                Some(at) if !line.trimmed().is_empty() => self.indents[other]
                    .of(at, line.indent())
                    .ok_or(Clash::Inside)?,
                _ => line.indent().to_vec(),
            };
            let same_indent = indent == line.indent();
            if same_indent && words.is_none() {
                self.lines(side.into(), LineRange::new(idx.0, idx.0 + 1));
                continue;
            }
            self.woven.facts.shifted += usize::from(!same_indent);
            self.woven.facts.renewed += usize::from(words.is_some());
            let words = words.as_deref().unwrap_or(line.trimmed());
            let tail = [line.trailing(), line.end().bytes()].concat();
            self.text([indent.as_slice(), words, &tail].concat());
        }
        Ok(())
    }

    fn row(
        &mut self,
        base: LineIdx,
        (o, mine): (LineIdx, Change),
        (t, other): (LineIdx, Change),
    ) -> Result<(), Clash> {
        let v = self.versions;
        let (ours, theirs) = (v.ours.line(o), v.theirs.line(t));
        let one = |line: LineIdx| LineRange::new(line.0, line.0 + 1);
        match (mine, other) {
            (Change::Same, Change::Same) => self.lines(Version::Base, one(base)),
            (_, Change::Same) => {
                self.note(Side::Ours, Unit::Pair(base.0, o.0, mine), None);
                self.lines(Version::Ours, one(o));
            }
            (Change::Same, _) => {
                self.note(Side::Theirs, Unit::Pair(base.0, t.0, other), None);
                self.lines(Version::Theirs, one(t));
            }
            _ if ours == theirs => {
                self.woven.facts.same += 1;
                self.last = [None, None];
                self.lines(Version::Ours, one(o));
            }
            _ => {
                self.note(Side::Ours, Unit::Pair(base.0, o.0, mine), None);
                self.note(Side::Theirs, Unit::Pair(base.0, t.0, other), None);
                let text = self.components(v.base.line(base), ours, theirs)?;
                match (mine, other) {
                    (Change::Blank, Change::Blank) => self.woven.facts.blanks += 1,
                    (Change::Blank, _) | (_, Change::Blank) => self.woven.facts.respaced += 1,
                    _ => self.woven.facts.blended += 1,
                }
                match () {
                    () if text == ours.bytes() => self.lines(Version::Ours, one(o)),
                    () if text == theirs.bytes() => self.lines(Version::Theirs, one(t)),
                    () => self.text(text),
                }
            }
        }
        Ok(())
    }

    /// Indentation, words, trailing blanks and line end, each merged on its own.
    fn components(&mut self, b: Line<'_>, o: Line<'_>, t: Line<'_>) -> Result<Vec<u8>, Clash> {
        let facts = &mut self.woven.facts;
        let mut three = |b: &[u8], o: &[u8], t: &[u8]| -> Vec<u8> {
            match () {
                () if o == t || t == b => o.to_vec(),
                () if o == b => t.to_vec(),
                () => {
                    facts.blank_clashes += 1;
                    o.to_vec()
                }
            }
        };
        let mut out = three(b.indent(), o.indent(), t.indent());
        let trailing = three(b.trailing(), o.trailing(), t.trailing());
        let end = three(b.end().bytes(), o.end().bytes(), t.end().bytes());
        let (wb, wo, wt) = (b.trimmed(), o.trimmed(), t.trimmed());
        match () {
            () if wo == wt || wt == wb => out.extend_from_slice(wo),
            () if wo == wb => out.extend_from_slice(wt),
            () => {
                let stitched = stitch(wb, wo, wt).ok_or(Clash::Words)?;
                facts.numbers += usize::from(renumbered(wb, wo) && renumbered(wb, wt));
                facts.blank_clashes += stitched.blank_clashes;
                facts.gap = [facts.gap, stitched.gap].into_iter().flatten().min();
                out.extend_from_slice(&stitched.text);
            }
        }
        out.extend_from_slice(&trailing);
        out.extend_from_slice(&end);
        Ok(out)
    }

    /// Counts what stands right beside a change of the other side.
    fn note(&mut self, side: Side, unit: Unit, next: Option<Unit>) {
        let (own, other) = match side {
            Side::Ours => (0, 1),
            Side::Theirs => (1, 0),
        };
        let before = self.last[other].filter(|last| last.end() == unit.start() && last.changes());
        let after = next.filter(|next| next.start() == unit.end() && next.changes());
        let facts = &mut self.woven.facts;
        for neighbour in before.into_iter().chain(after) {
            let one_row =
                matches!((unit, neighbour), (Unit::Pair(a, ..), Unit::Pair(b, ..)) if a == b);
            let put_in = [unit, neighbour]
                .iter()
                .any(|u| matches!(u, Unit::PutIn(..)));
            let gone = [unit, neighbour]
                .iter()
                .any(|u| matches!(u, Unit::Gone(_) | Unit::Swap(..)));
            match (put_in, gone) {
                _ if one_row => {}
                (true, true) => facts.beside_gone += 1,
                (true, false) => facts.beside += 1,
                (false, _) => facts.adjacent += 1,
            }
        }
        if unit.changes() {
            self.last[own] = Some(unit);
        }
    }

    fn lines(&mut self, version: Version, lines: LineRange) {
        match self.woven.strands.last_mut() {
            Some(Strand::Lines(v, last)) if *v == version && last.end == lines.start => {
                last.end = lines.end;
            }
            _ if lines.is_empty() => {}
            _ => self.woven.strands.push(Strand::Lines(version, lines)),
        }
    }

    fn text(&mut self, bytes: Vec<u8>) {
        match self.woven.strands.last_mut() {
            // Two lines never run into one: only a last line may lack its end.
            Some(Strand::Text(last)) if last.ends_with(b"\n") => last.extend_from_slice(&bytes),
            _ => self.woven.strands.push(Strand::Text(bytes)),
        }
    }
}
