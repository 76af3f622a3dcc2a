//! Three-way merging over rows: finer than lines that are equal or not.
//!
//! Rows of base are paired with rows of each side over their words, not their
//! blanks. What each side did to a row, or put between two rows, is then
//! merged: indentation, words, trailing blanks and line end each on their own.
//! Nothing here decides whether the outcome is safe; the [`Facts`] tell the
//! rules what it took.

use crate::diff::align::best_pairs;
use crate::diff::hunk::Algorithm;
use crate::merge::dependence::{copied, leans, orphaned, stands_alone};
use crate::merge::format_noise::{double_quoted, requoted};
use crate::merge::import_list::merge_names;
use crate::merge::indentation::Indents;
use crate::merge::row_edits::{Change, Unit, units};
use crate::merge::stats::{Clash, Deeds, Facts};
use crate::merge::substitutions::{Replayed, Swap, is_pattern, replay, swaps};
use crate::merge::tokens::stitch;
use crate::model::region::Region;
use crate::model::segment::Strand;
use crate::model::side::Side;
use crate::model::versions::{Version, Versions};
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::{Line, Source};
use crate::text::tokens::{bracket, is_name, solid_words};

/// Rows of one version beyond which a conflict is not woven: nobody could follow it.
pub(crate) const MOST: usize = 5_000;

/// New rows of both sides as alike as this, in hundredths, may stand for each other.
const RIVALS: u32 = 75;

/// What the two sides' rows give together.
#[derive(Clone, Debug)]
pub(crate) struct Woven {
    pub(crate) strands: Vec<Strand>,
    pub(crate) facts: Facts,
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
        depth: [0, 0],
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
    let sides = [(Version::Ours, &ours), (Version::Theirs, &theirs)];
    for ((side, units), (other, others)) in sides.into_iter().zip([sides[1], sides[0]]) {
        loom.woven.facts.copied += copied(versions, units, other, others);
        let left = region.lines(side);
        loom.woven.facts.orphaned += orphaned(versions, (side, left), units, (other, others));
    }
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

/// Whether a row has a name more often than either side, which both brought into it.
fn doubles((base, ours, theirs): (&[u8], &[u8], &[u8]), text: &[u8]) -> bool {
    let names = |line| solid_words(line).filter(|word| word.len() > 1 && is_name(word));
    let times = |line, name| names(line).filter(|word| *word == name).count();
    names(ours).any(|name| {
        let both = times(base, name) == 0 && times(theirs, name) > 0;
        both && times(text, name) > times(ours, name).max(times(theirs, name))
    })
}

struct Loom<'a> {
    versions: &'a Versions,
    /// Of ours, of theirs.
    indents: [Indents<'a>; 2],
    woven: Woven,
    /// The last change of each side: where it ended, and what it was.
    last: [Option<Unit>; 2],
    /// By how much more each side has opened than base, so far.
    depth: [isize; 2],
    /// Whether each side made double quotes of single ones throughout.
    requoted: [bool; 2],
    /// The changes of words of each side.
    swaps: [Vec<Swap>; 2],
}

impl Loom<'_> {
    fn run(&mut self, ours: &[Unit], theirs: &[Unit]) -> Result<(), Clash> {
        let (mut i, mut j) = (0, 0);
        loop {
            match (ours.get(i).copied(), theirs.get(j).copied()) {
                (None, None) => return Ok(()),
                (Some(Unit::PutIn(a, o)), Some(Unit::PutIn(b, t))) if a == b => {
                    let before = [
                        i.checked_sub(1).map(|i| ours[i]),
                        j.checked_sub(1).map(|j| theirs[j]),
                    ];
                    self.both_put_in((o, ours.get(i + 1)), (t, theirs.get(j + 1)), before)?;
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
                self.gone(Side::Ours, ours, change, rest_theirs)?;
                Ok((1, 1))
            }
            (Unit::Pair(_, _, change), Unit::Gone(_)) => {
                self.gone(Side::Theirs, theirs, change, rest_ours)?;
                Ok((1, 1))
            }
            (Unit::Pair(b, o, mine), Unit::Pair(_, t, other)) => {
                let touching = self.row(LineIdx(b), (LineIdx(o), mine), (LineIdx(t), other))?;
                let goes_on = |rest: &[Unit]| matches!(rest.get(1), Some(Unit::PutIn(..)));
                let forked = touching && (goes_on(rest_ours) || goes_on(rest_theirs));
                self.woven.facts.forked += usize::from(forked);
                Ok((1, 1))
            }
            (Unit::PutIn(..), _) | (_, Unit::PutIn(..)) => Err(Clash::BothPutIn),
        }
    }

    fn gone(&mut self, side: Side, unit: Unit, other: Change, rest: &[Unit]) -> Result<(), Clash> {
        match other {
            // A comma, say, for what it put in behind the row.
            Change::Format if matches!(rest.get(1), Some(Unit::PutIn(..))) => {
                return Err(Clash::Gone);
            }
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

    fn both_put_in(
        &mut self,
        (ours, next_ours): (LineRange, Option<&Unit>),
        (theirs, next_theirs): (LineRange, Option<&Unit>),
        before: [Option<Unit>; 2],
    ) -> Result<(), Clash> {
        if self.versions.ours.slice(ours) == self.versions.theirs.slice(theirs) {
            self.lines(Version::Ours, ours);
            self.woven.facts.same += 1;
            return Ok(());
        }
        let tails = [
            self.ends_the_row(Side::Ours, before[0], ours),
            self.ends_the_row(Side::Theirs, before[1], theirs),
        ];
        if tails[0] != tails[1] {
            let (first, last) = match tails[0] {
                true => ((Side::Ours, ours), (Side::Theirs, theirs)),
                false => ((Side::Theirs, theirs), (Side::Ours, ours)),
            };
            self.woven.facts.beside += 1;
            self.fresh(first.0, None, first.1)?;
            return self.fresh(last.0, None, last.1);
        }
        let (first, last) = match (
            self.heads(Side::Ours, ours, next_ours),
            self.heads(Side::Theirs, theirs, next_theirs),
        ) {
            (true, false) => ((Side::Theirs, theirs), (Side::Ours, ours)),
            (false, true) => ((Side::Ours, ours), (Side::Theirs, theirs)),
            _ => return Err(Clash::BothPutIn),
        };
        if self.level(first) != self.level(last) {
            return Err(Clash::BothPutIn);
        }
        self.woven.facts.wrapped += 1;
        self.fresh(first.0, None, first.1)?;
        self.fresh(last.0, None, last.1)
    }

    /// Whether new rows are the end of the row before them, which was broken in two.
    fn ends_the_row(&self, side: Side, before: Option<Unit>, lines: LineRange) -> bool {
        let Some(Unit::Pair(b, s, Change::Words)) = before else {
            return false;
        };
        let text = self.versions.get(side.into());
        let row = text.line(LineIdx(s)).trimmed();
        let sign = row.split(|b| *b == b' ').next().unwrap_or_default();
        let sign = if sign.iter().any(u8::is_ascii_alphanumeric) {
            b""
        } else {
            sign
        };
        let rows = text.lines(lines).map(|line| {
            let row = line.trimmed();
            row.strip_prefix(sign).unwrap_or(row)
        });
        let new: Vec<&[u8]> = rows.flat_map(solid_words).collect();
        let old: Vec<&[u8]> = solid_words(self.versions.base.line(LineIdx(b)).trimmed()).collect();
        let kept: Vec<&[u8]> = solid_words(row).collect();
        !new.is_empty() && old.ends_with(&new) && !kept.ends_with(&new)
    }

    /// The indentation of the first row with words.
    fn level(&self, (side, lines): (Side, LineRange)) -> Option<&[u8]> {
        let mut rows = self.versions.get(side.into()).lines(lines);
        let worded = rows.find(|line| !line.trimmed().is_empty());
        worded.map(Line::indent)
    }

    /// Whether new rows open a block for the row that follows them.
    fn heads(&self, side: Side, lines: LineRange, next: Option<&Unit>) -> bool {
        let Some(Unit::Pair(b, s, _)) = next else {
            return false;
        };
        let text = self.versions.get(side.into());
        let (old, new) = (
            self.versions.base.line(LineIdx(*b)).indent(),
            text.line(LineIdx(*s)).indent(),
        );
        let deeper = |a: &[u8], b: &[u8]| a.len() > b.len() && a.starts_with(b);
        let last = lines.end.0.checked_sub(1).map(|at| text.line(LineIdx(at)));
        deeper(new, old) && last.is_some_and(|line| deeper(new, line.indent()))
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
        let worded = text.lines(lines).filter(|l| !l.trimmed().is_empty());
        let least = worded.map(Line::indent).min_by_key(|i| i.len());
        let least = least.unwrap_or_default();
        self.woven.facts.patterned += usize::from(at.is_some() && is_pattern(&self.swaps[other]));
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
                    .of(at, line.indent(), least)
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

    /// One row that stayed; whether both changed words of it that touch.
    fn row(
        &mut self,
        base: LineIdx,
        (o, mine): (LineIdx, Change),
        (t, other): (LineIdx, Change),
    ) -> Result<bool, Clash> {
        let mut touching = false;
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
                let (text, gap) = self.components(v.base.line(base), ours, theirs)?;
                touching = gap == Some(0);
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
        Ok(touching)
    }

    /// Indentation, words, trailing blanks and line end, each merged on its own; how many
    /// unchanged words stand between both sides' words.
    fn components(
        &mut self,
        b: Line<'_>,
        o: Line<'_>,
        t: Line<'_>,
    ) -> Result<(Vec<u8>, Option<usize>), Clash> {
        let mut apart = None;
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
                let Some(stitched) = stitch(wb, wo, wt) else {
                    let merged = merge_names(b, o, t).ok_or(Clash::Words)?;
                    facts.named += 1;
                    let gap = (!merged.sure).then_some(0);
                    facts.gap = [facts.gap, gap].into_iter().flatten().min();
                    out.extend_from_slice(&merged.words);
                    out.extend_from_slice(&trailing);
                    out.extend_from_slice(&end);
                    return Ok((out, gap));
                };
                facts.numbers += usize::from(renumbered(wb, wo) && renumbered(wb, wt));
                facts.blank_clashes += stitched.blank_clashes;
                facts.doubled += usize::from(doubles((wb, wo, wt), &stitched.text));
                facts.gap = [facts.gap, stitched.gap].into_iter().flatten().min();
                apart = stitched.gap;
                out.extend_from_slice(&stitched.text);
            }
        }
        out.extend_from_slice(&trailing);
        out.extend_from_slice(&end);
        Ok((out, apart))
    }

    /// Counts what stands right beside a change of the other side.
    fn note(&mut self, side: Side, unit: Unit, next: Option<Unit>) {
        let (own, other) = match side {
            Side::Ours => (0, 1),
            Side::Theirs => (1, 0),
        };
        let before = self.last[other].filter(|last| last.end() == unit.start() && last.changes());
        let after = next.filter(|next| next.start() == unit.end() && next.changes());
        let mut facts = self.woven.facts;
        let mut alone = false;
        if let Unit::PutIn(_, lines) = unit {
            let gone = |u: Option<Unit>| matches!(u, Some(Unit::Gone(_) | Unit::Swap(..)));
            alone = (gone(before) || gone(after))
                && stands_alone(self.versions.get(side.into()), lines);
            facts.deserted += usize::from(gone(before) && gone(after) && !alone);
            facts.islands += usize::from(gone(before) && gone(after) && alone);
            let shaken = self.depth[other] != 0 || self.lost_comma(side, lines);
            facts.unbalanced += usize::from(shaken);
            let beside = before.or(after).is_some();
            facts.slid += usize::from(beside && self.closes_first(side, lines));
            let like = |u: Option<Unit>| match u {
                Some(Unit::Swap(_, rows)) => {
                    let (own, other) = (
                        self.versions.get(side.into()),
                        self.versions.get(side.other().into()),
                    );
                    !best_pairs(own, lines, other, rows, RIVALS).is_empty()
                }
                _ => false,
            };
            facts.rivals += usize::from(like(before) || like(after));
            let leans = gone(after) && leans(self.versions.get(side.into()), lines);
            facts.leaning += usize::from(leans);
        }
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
                // Counted when the new rows were noted.
                (true, _) if !matches!(unit, Unit::PutIn(..)) => {}
                (true, true) => {
                    facts.beside_gone += 1;
                    facts.alone += usize::from(alone);
                }
                (true, false) => facts.beside += 1,
                (false, _) => facts.adjacent += 1,
            }
        }
        self.woven.facts = facts;
        if unit.changes() {
            self.depth[own] += self.opens(side, unit);
            self.last[own] = Some(unit);
        }
    }

    /// Whether rows close what their side did not open.
    fn closes_first(&self, side: Side, lines: LineRange) -> bool {
        let mut open = self.depth[usize::from(side == Side::Theirs)];
        self.versions.get(side.into()).slice(lines).iter().any(|b| {
            open += bracket(*b);
            open < 0
        })
    }

    /// By how much more a side opens in some rows than base did.
    fn opens(&self, side: Side, unit: Unit) -> isize {
        let balance = |version: Version, lines: LineRange| -> isize {
            let bytes = self.versions.get(version).slice(lines);
            bytes.iter().map(|b| bracket(*b)).sum()
        };
        let one = |at: u32| LineRange::new(at, at + 1);
        let none = |at: u32| LineRange::new(at, at);
        let (rows, new) = match unit {
            Unit::Pair(b, s, _) => (one(b), one(s)),
            Unit::Gone(b) => (one(b), none(0)),
            Unit::Swap(rows, new) => (rows, new),
            Unit::PutIn(_, new) => (none(0), new),
        };
        balance(side.into(), new) - balance(Version::Base, rows)
    }

    /// Whether the row before new ones ends with a comma on their side and without here.
    fn lost_comma(&self, side: Side, lines: LineRange) -> bool {
        let text = self.versions.get(side.into());
        let before = lines
            .start
            .0
            .checked_sub(1)
            .map(|at| text.line(LineIdx(at)));
        let comma = |line: &[u8]| line.trim_ascii_end().ends_with(b",");
        let last = self.woven.strands.last().map(|strand| match strand {
            Strand::Lines(v, lines) => {
                let last = LineIdx(lines.end.0 - 1);
                comma(self.versions.get(*v).line(last).content())
            }
            Strand::Text(bytes) => comma(bytes),
        });
        before.is_some_and(|line| comma(line.content())) && last == Some(false)
    }

    fn lines(&mut self, version: Version, lines: LineRange) {
        Strand::Lines(version, lines).add_to(&mut self.woven.strands);
    }

    fn text(&mut self, bytes: Vec<u8>) {
        Strand::Text(bytes).add_to(&mut self.woven.strands);
    }
}

/// Whether a side made double quotes of single ones throughout.
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Options, Resolution, plan};

    /// The woven text and what it took; or why there is none.
    fn woven(base: &str, ours: &str, theirs: &str) -> Result<(String, Facts), Clash> {
        let plan = plan(
            &base.into(),
            &ours.into(),
            &theirs.into(),
            &Options::default(),
        );
        let region = plan.region(plan.conflicts()[0]);
        let woven = weave_rows(plan.versions(), region, Algorithm::Histogram)?;
        let text = Resolution::Woven(woven.strands).text(&plan, region);
        let text = String::from_utf8(text.bytes().to_vec()).unwrap();
        Ok((text, woven.facts))
    }

    #[test]
    fn facts_tell_what_it_took() {
        let of = |base, ours, theirs| woven(base, ours, theirs).unwrap();
        let (text, facts) = of(
            "let a = 1;\nlet b = x;\n",
            "let a = 2;\nlet b = x;\n",
            "let a = 1;\nlet b = y;\n",
        );
        assert_eq!(
            (text.as_str(), facts.adjacent),
            ("let a = 2;\nlet b = y;\n", 1)
        );
        let (text, facts) = of("moor(ship);\n", "moor(ship);\nlog();\n", "moor(tug);\n");
        assert_eq!((text.as_str(), facts.beside), ("moor(tug);\nlog();\n", 1));
        let (_, facts) = of(
            "moor(ship, low, tide);\n",
            "dock(ship, low, tide);\n",
            "moor(ship, low, wind);\n",
        );
        assert_eq!((facts.blended, facts.gap), (1, Some(5)));
        let (text, facts) = of("moor(a);\n", "  moor(a);\n", "moor(b);\n");
        assert_eq!((text.as_str(), facts.respaced), ("  moor(b);\n", 1));
        let (text, facts) = of(
            "moor(a);\nlog(a);\n",
            "  moor(a);\n  log(a);\n",
            "moor(a);\npay(a);\nlog(a);\n",
        );
        assert_eq!(
            (text.as_str(), facts.shifted),
            ("  moor(a);\n  pay(a);\n  log(a);\n", 1)
        );
        let (text, facts) = of(
            "new Tide(this, options);\n",
            "if (low) new Tide(this, options).log();\nnew Tide(this, options);\n",
            "new Tide(this);\n",
        );
        assert_eq!((facts.renewed, facts.copied), (1, 1));
        assert_eq!(text, "if (low) new Tide(this).log();\nnew Tide(this);\n");
    }

    #[test]
    fn facts_tell_what_speaks_against_it() {
        let facts = |base, ours, theirs| woven(base, ours, theirs).unwrap().1;
        // New rows like what the other side made of the row beside them.
        let base = "lamps = list(quay.lamps)\npay(ship);\n";
        let ours = "moor(ship, berth, tide);\nlamps = list(quay.lamps)\npay(ship);\n";
        let rival = facts(base, ours, "moor(ship, berth);\npay(ship);\n");
        assert_eq!((rival.beside_gone, rival.rivals), (1, 1));
        let unlike = facts(base, ours, "light the lamps\npay(ship);\n");
        assert_eq!((unlike.beside_gone, unlike.rivals), (1, 0));
        // Both changed the end of a row, and one goes on behind it.
        let forked = facts(
            "moor(ship, berth, quay)\n",
            "moor(ship, berth, quay, tide)\n",
            "moor(ship, berth, quay,\n    pilot)\n",
        );
        assert_eq!((forked.blended, forked.forked), (1, 1));
        // Both brought the same name into one row.
        let doubled = facts(
            "fn name(ship, berth)\n",
            "fn name(ship, berth, pilot)\n",
            "fn name(pilot, ship, berth)\n",
        );
        assert_eq!(doubled.doubled, 1);
        // The same words put into each of several rows, and a new row without them.
        let base = "berth = quay,\ndepth = low,\n";
        let theirs = "berth = quay,\ndepth = low,\npilot = guide or 0,\n";
        let ours = "berth = self.quay,\ndepth = self.low,\n";
        assert_eq!(facts(base, ours, theirs).patterned, 1);
        let one = "berth = quay,\ndepth = self.low,\n";
        assert_eq!(facts(base, one, theirs).patterned, 0);
        // An import means the same wherever it stands, a statement does not.
        let base = "import tide\nimport wind\n";
        let alone = facts(
            base,
            "import tide\nimport pilot\nimport wind\n",
            "import wind\n",
        );
        assert_eq!((alone.beside_gone, alone.alone), (1, 1));
        let hangs = facts(
            "moor(a);\npay(b);\n",
            "moor(a);\nlog(c);\npay(b);\n",
            "pay(b);\n",
        );
        assert_eq!((hangs.beside_gone, hangs.alone), (1, 0));
    }

    #[test]
    fn names_of_an_import_are_a_set_in_a_longer_conflict_too() {
        let (text, facts) = woven(
            "from office import desk\nfrom harbour import berth, quay\n",
            "from office import desk\nfrom harbour import anchor, berth, quay\n",
            "from harbour import quay\n",
        )
        .unwrap();
        assert_eq!(text, "from harbour import anchor, quay\n");
        // Their order places every name.
        assert_eq!((facts.blended, facts.gap), (1, None));
        let (text, facts) = woven(
            "from office import desk\nfrom harbour import quay, berth\n",
            "from office import desk\nfrom harbour import quay, berth, anchor\n",
            "from harbour import berth\n",
        )
        .unwrap();
        assert_eq!(text, "from harbour import berth, anchor\n");
        assert_ne!(facts.gap, None);
    }

    #[test]
    fn the_end_of_a_row_stays_with_its_row() {
        let base = "// The quay whose lamps are lit when the sun is down\nlight();\n";
        let ours = "// The quay whose lamps are lit when the sun is down\n// Broken ones stay dark.\nlight();\n";
        let theirs =
            "// The northern quay whose lamps are lit when the sun\n// is down\nlight();\n";
        let (text, _) = woven(base, ours, theirs).unwrap();
        assert_eq!(
            text,
            "// The northern quay whose lamps are lit when the sun\n// is down\n// Broken ones stay dark.\n"
        );
        // Something new of theirs at that place: nobody can tell which comes first.
        let other = "// The northern quay whose lamps are lit when the sun is down\n// And no other.\nlight();\n";
        assert_eq!(woven(base, ours, other).unwrap_err(), Clash::BothPutIn);
    }

    #[test]
    fn clashes_say_why() {
        let why = |base, ours, theirs| woven(base, ours, theirs).unwrap_err();
        assert_eq!(why("moor(a);\n", "moor(b);\n", "moor(c);\n"), Clash::Words);
        assert_eq!(why("", "moor();\n", "pay();\n"), Clash::BothPutIn);
        assert_eq!(why("moor(ship, a);\n", "", "moor(ship, b);\n"), Clash::Gone);
        let inside = why(
            "moor(ship);\nlog(ship);\n",
            "light the lamps\n",
            "moor(ship);\npay(ship);\nlog(ship);\n",
        );
        assert_eq!(inside, Clash::Inside);
    }
}
