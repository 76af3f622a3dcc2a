//! Three-way merging over rows: finer than lines that are equal or not.
//!
//! Rows of base are paired with rows of each side over their words, not their
//! blanks. What each side did to a row, or put between two rows, is then
//! merged: indentation, words, trailing blanks and line end each on their own.
//! Nothing here decides whether the outcome is safe; the [`MergeStats`] tell the
//! rules what it took.

use crate::diff::align::best_pairs;
use crate::diff::hunk::Algorithm;
use crate::limits::{CONFLICT_ROWS, RIVAL_ALIKE};
use crate::merge::dependence::{attaches_to_next, copied, is_self_contained, orphaned};
use crate::merge::format_noise::{double_quoted, requoted};
use crate::merge::import_list::merge_import_list;
use crate::merge::indentation::IndentationMap;
use crate::merge::row_edits::{RowChange, RowEdit, row_edits};
use crate::merge::stats::{Clash, EditCounts, MergeStats};
use crate::merge::substitutions::{Replayed, Substitution, is_pattern, replay, substitutions};
use crate::merge::tokens::merge_tokens;
use crate::model::region::Region;
use crate::model::segment::Segment;
use crate::model::side::Side;
use crate::model::versions::{Version, Versions};
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::{Line, Source};
use crate::text::tokens::{bracket, is_name, solid_tokens};

/// What the two sides' rows give together.
#[derive(Clone, Debug)]
pub(crate) struct MergedRows {
    pub(crate) segments: Vec<Segment>,
    pub(crate) stats: MergeStats,
}

/// Merges the rows of a region.
pub(crate) fn merge_rows(
    versions: &Versions,
    region: &Region,
    algorithm: Algorithm,
) -> Result<MergedRows, Clash> {
    let most = [region.base, region.ours, region.theirs].map(|r| r.len());
    if most.into_iter().max() > Some(CONFLICT_ROWS) {
        return Err(Clash::TooLong);
    }
    let of = |side: Version| {
        row_edits(
            &versions.base,
            region.base,
            versions.get(side),
            region.lines(side),
            algorithm,
        )
    };
    let (ours, theirs) = (of(Version::Ours), of(Version::Theirs));
    let indents = [
        IndentationMap::new(&versions.base, &versions.ours, &ours),
        IndentationMap::new(&versions.base, &versions.theirs, &theirs),
    ];
    let mut merger = RowMerger {
        versions,
        indents,
        merged: MergedRows {
            segments: Vec::new(),
            stats: MergeStats {
                sides: [EditCounts::of(&ours), EditCounts::of(&theirs)],
                ..MergeStats::default()
            },
        },
        last: [None, None],
        depth: [0, 0],
        requoted: [
            requotes_throughout(&versions.base, &versions.ours, &ours),
            requotes_throughout(&versions.base, &versions.theirs, &theirs),
        ],
        substitutions: [
            substitutions(&versions.base, &versions.ours, &ours),
            substitutions(&versions.base, &versions.theirs, &theirs),
        ],
    };
    merger.run(&ours, &theirs)?;
    let sides = [(Version::Ours, &ours), (Version::Theirs, &theirs)];
    for ((side, row_edits), (other, others)) in sides.into_iter().zip([sides[1], sides[0]]) {
        merger.merged.stats.copied += copied(versions, row_edits, other, others);
        let left = region.lines(side);
        merger.merged.stats.orphaned +=
            orphaned(versions, (side, left), row_edits, (other, others));
    }
    Ok(merger.merged)
}

/// Whether a change of words is one of numbers too.
fn renumbered(base: &[u8], side: &[u8]) -> bool {
    let numbers = |line| -> Vec<&[u8]> {
        let words = solid_tokens(line);
        words.filter(|w| w.iter().any(u8::is_ascii_digit)).collect()
    };
    numbers(base) != numbers(side)
}

/// Whether a row has a name more often than either side, which both brought into it.
fn doubles((base, ours, theirs): (&[u8], &[u8], &[u8]), text: &[u8]) -> bool {
    let names = |line| solid_tokens(line).filter(|word| word.len() > 1 && is_name(word));
    let times = |line, name| names(line).filter(|word| *word == name).count();
    names(ours).any(|name| {
        let both = times(base, name) == 0 && times(theirs, name) > 0;
        both && times(text, name) > times(ours, name).max(times(theirs, name))
    })
}

struct RowMerger<'a> {
    versions: &'a Versions,
    /// Of ours, of theirs.
    indents: [IndentationMap<'a>; 2],
    merged: MergedRows,
    /// The last change of each side: where it ended, and what it was.
    last: [Option<RowEdit>; 2],
    /// By how much more each side has opened than base, so far.
    depth: [isize; 2],
    /// Whether each side made double quotes of single ones throughout.
    requoted: [bool; 2],
    /// The changes of words of each side.
    substitutions: [Vec<Substitution>; 2],
}

impl RowMerger<'_> {
    fn run(&mut self, ours: &[RowEdit], theirs: &[RowEdit]) -> Result<(), Clash> {
        let (mut i, mut j) = (0, 0);
        loop {
            match (ours.get(i).copied(), theirs.get(j).copied()) {
                (None, None) => return Ok(()),
                (Some(RowEdit::Insert(a, o)), Some(RowEdit::Insert(b, t))) if a == b => {
                    let before = [
                        i.checked_sub(1).map(|i| ours[i]),
                        j.checked_sub(1).map(|j| theirs[j]),
                    ];
                    self.both_insert((o, ours.get(i + 1)), (t, theirs.get(j + 1)), before)?;
                    self.note(Side::Ours, RowEdit::Insert(a, o), None);
                    self.note(Side::Theirs, RowEdit::Insert(b, t), None);
                    (i, j) = (i + 1, j + 1);
                }
                (Some(RowEdit::Insert(at, lines)), next) => {
                    self.insert(Side::Ours, at, lines, next)?;
                    i += 1;
                }
                (next, Some(RowEdit::Insert(at, lines))) => {
                    self.insert(Side::Theirs, at, lines, next)?;
                    j += 1;
                }
                (Some(o), Some(t)) => {
                    let (used_o, used_t) = self.rows(o, &theirs[j..], t, &ours[i..])?;
                    (i, j) = (i + used_o, j + used_t);
                }
                // Both lists cover the same rows of base.
                (Some(_), None) | (None, Some(_)) => return Err(Clash::Deleted),
            }
        }
    }

    /// One row, or the rows that one side replaced; how many row_edits of each side that used up.
    fn rows(
        &mut self,
        ours: RowEdit,
        rest_theirs: &[RowEdit],
        theirs: RowEdit,
        rest_ours: &[RowEdit],
    ) -> Result<(usize, usize), Clash> {
        match (ours, theirs) {
            (RowEdit::Replace(a, o), RowEdit::Replace(b, t)) => {
                let same = self.versions.ours.slice(o) == self.versions.theirs.slice(t);
                if a != b || !same {
                    return Err(Clash::Deleted);
                }
                self.lines(Version::Ours, o);
                self.merged.stats.same += 1;
                Ok((1, 1))
            }
            (RowEdit::Replace(rows, new), _) => {
                let used = self.replace(Side::Ours, rows, new, rest_theirs)?;
                Ok((1, used))
            }
            (_, RowEdit::Replace(rows, new)) => {
                let used = self.replace(Side::Theirs, rows, new, rest_ours)?;
                Ok((used, 1))
            }
            (RowEdit::Delete(_), RowEdit::Delete(_)) => {
                self.merged.stats.same += 1;
                Ok((1, 1))
            }
            (RowEdit::Delete(_), RowEdit::Keep(_, _, change)) => {
                self.delete(Side::Ours, ours, change, rest_theirs)?;
                Ok((1, 1))
            }
            (RowEdit::Keep(_, _, change), RowEdit::Delete(_)) => {
                self.delete(Side::Theirs, theirs, change, rest_ours)?;
                Ok((1, 1))
            }
            (RowEdit::Keep(b, o, mine), RowEdit::Keep(_, t, other)) => {
                let touching = self.row(LineIdx(b), (LineIdx(o), mine), (LineIdx(t), other))?;
                let goes_on = |rest: &[RowEdit]| matches!(rest.get(1), Some(RowEdit::Insert(..)));
                let forked = touching && (goes_on(rest_ours) || goes_on(rest_theirs));
                self.merged.stats.forked_ends += usize::from(forked);
                Ok((1, 1))
            }
            (RowEdit::Insert(..), _) | (_, RowEdit::Insert(..)) => Err(Clash::BothInserted),
        }
    }

    fn delete(
        &mut self,
        side: Side,
        edit: RowEdit,
        other: RowChange,
        rest: &[RowEdit],
    ) -> Result<(), Clash> {
        match other {
            // A comma, say, for what it put in behind the row.
            RowChange::Formatting if matches!(rest.get(1), Some(RowEdit::Insert(..))) => {
                return Err(Clash::Deleted);
            }
            RowChange::Wording => return Err(Clash::Deleted),
            RowChange::Whitespace => self.merged.stats.deleted_respaced += 1,
            RowChange::Formatting => self.merged.stats.formatted += 1,
            RowChange::Unchanged => {}
        }
        self.note(side, edit, None);
        Ok(())
    }

    /// Rows that one side replaced and the other must have left as they were.
    fn replace(
        &mut self,
        side: Side,
        rows: LineRange,
        new: LineRange,
        other: &[RowEdit],
    ) -> Result<usize, Clash> {
        let (mut used, mut respaced) = (0, false);
        for edit in other {
            if edit.start() >= rows.end.0
                && !matches!(edit, RowEdit::Insert(at, _) if *at < rows.end.0)
            {
                break;
            }
            match edit {
                RowEdit::Keep(_, _, RowChange::Unchanged) => {}
                RowEdit::Keep(_, _, RowChange::Whitespace) => respaced = true,
                RowEdit::Keep(_, _, RowChange::Formatting) => {
                    respaced = true;
                    self.merged.stats.formatted += 1;
                }
                RowEdit::Keep(..) | RowEdit::Delete(_) | RowEdit::Replace(..) => {
                    return Err(Clash::Deleted);
                }
                RowEdit::Insert(..) => return Err(Clash::Inside),
            }
            used += 1;
        }
        self.note(side, RowEdit::Replace(rows, new), None);
        self.merged.stats.replaced += 1;
        self.inserted_rows(side, respaced.then_some(rows.start.0), new)?;
        Ok(used)
    }

    fn both_insert(
        &mut self,
        (ours, next_ours): (LineRange, Option<&RowEdit>),
        (theirs, next_theirs): (LineRange, Option<&RowEdit>),
        before: [Option<RowEdit>; 2],
    ) -> Result<(), Clash> {
        if self.versions.ours.slice(ours) == self.versions.theirs.slice(theirs) {
            self.lines(Version::Ours, ours);
            self.merged.stats.same += 1;
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
            self.merged.stats.beside += 1;
            self.inserted_rows(first.0, None, first.1)?;
            return self.inserted_rows(last.0, None, last.1);
        }
        let (first, last) = match (
            self.opens_block(Side::Ours, ours, next_ours),
            self.opens_block(Side::Theirs, theirs, next_theirs),
        ) {
            (true, false) => ((Side::Theirs, theirs), (Side::Ours, ours)),
            (false, true) => ((Side::Ours, ours), (Side::Theirs, theirs)),
            _ => return Err(Clash::BothInserted),
        };
        if self.level(first) != self.level(last) {
            return Err(Clash::BothInserted);
        }
        self.merged.stats.before_new_block += 1;
        self.inserted_rows(first.0, None, first.1)?;
        self.inserted_rows(last.0, None, last.1)
    }

    /// Whether new rows are the end of the row before them, which was broken in two.
    fn ends_the_row(&self, side: Side, before: Option<RowEdit>, lines: LineRange) -> bool {
        let Some(RowEdit::Keep(b, s, RowChange::Wording)) = before else {
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
        let new: Vec<&[u8]> = rows.flat_map(solid_tokens).collect();
        let old: Vec<&[u8]> = solid_tokens(self.versions.base.line(LineIdx(b)).trimmed()).collect();
        let kept: Vec<&[u8]> = solid_tokens(row).collect();
        !new.is_empty() && old.ends_with(&new) && !kept.ends_with(&new)
    }

    /// The indentation of the first row with words.
    fn level(&self, (side, lines): (Side, LineRange)) -> Option<&[u8]> {
        let mut rows = self.versions.get(side.into()).lines(lines);
        let worded = rows.find(|line| !line.trimmed().is_empty());
        worded.map(Line::indent)
    }

    /// Whether new rows open a block for the row that follows them.
    fn opens_block(&self, side: Side, lines: LineRange, next: Option<&RowEdit>) -> bool {
        let Some(RowEdit::Keep(b, s, _)) = next else {
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

    fn insert(
        &mut self,
        side: Side,
        at: u32,
        lines: LineRange,
        next: Option<RowEdit>,
    ) -> Result<(), Clash> {
        self.note(side, RowEdit::Insert(at, lines), next);
        self.inserted_rows(side, Some(at), lines)
    }

    /// New lines of a side: indented as the other side indents what is around row `at`,
    /// and with the words that the other side changed made new.
    fn inserted_rows(
        &mut self,
        side: Side,
        at: Option<u32>,
        lines: LineRange,
    ) -> Result<(), Clash> {
        let text = self.versions.get(side.into());
        let other = usize::from(side == Side::Ours);
        let worded = text.lines(lines).filter(|l| !l.trimmed().is_empty());
        let least = worded.map(Line::indent).min_by_key(|i| i.len());
        let least = least.unwrap_or_default();
        self.merged.stats.beside_pattern +=
            usize::from(at.is_some() && is_pattern(&self.substitutions[other]));
        for idx in lines.iter() {
            let line = text.line(idx);
            let requoted = self.requoted[other]
                .then(|| double_quoted(line.trimmed()))
                .flatten();
            let requoted = requoted.filter(|words| words != line.trimmed());
            let words = match replay(
                &self.substitutions[other],
                requoted.as_deref().unwrap_or(line.trimmed()),
            ) {
                Replayed::Untouched if requoted.is_some() => requoted,
                Replayed::Untouched => None,
                Replayed::Rewritten(words) => Some(words),
                Replayed::Outdated => {
                    self.merged.stats.outdated += 1;
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
            self.merged.stats.reindented += usize::from(!same_indent);
            self.merged.stats.rewritten += usize::from(words.is_some());
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
        (o, mine): (LineIdx, RowChange),
        (t, other): (LineIdx, RowChange),
    ) -> Result<bool, Clash> {
        let mut touching = false;
        let v = self.versions;
        let (ours, theirs) = (v.ours.line(o), v.theirs.line(t));
        let one = |line: LineIdx| LineRange::new(line.0, line.0 + 1);
        match (mine, other) {
            (RowChange::Unchanged, RowChange::Unchanged) => self.lines(Version::Base, one(base)),
            (_, RowChange::Unchanged) => {
                self.note(Side::Ours, RowEdit::Keep(base.0, o.0, mine), None);
                self.lines(Version::Ours, one(o));
            }
            (RowChange::Unchanged, _) => {
                self.note(Side::Theirs, RowEdit::Keep(base.0, t.0, other), None);
                self.lines(Version::Theirs, one(t));
            }
            _ if ours == theirs => {
                self.merged.stats.same += 1;
                self.last = [None, None];
                self.lines(Version::Ours, one(o));
            }
            _ => {
                self.note(Side::Ours, RowEdit::Keep(base.0, o.0, mine), None);
                self.note(Side::Theirs, RowEdit::Keep(base.0, t.0, other), None);
                let (text, gap) = self.components(v.base.line(base), ours, theirs)?;
                touching = gap == Some(0);
                match (mine, other) {
                    (RowChange::Whitespace, RowChange::Whitespace) => self.merged.stats.blanks += 1,
                    (RowChange::Whitespace, _) | (_, RowChange::Whitespace) => {
                        self.merged.stats.respaced += 1
                    }
                    _ => self.merged.stats.blended += 1,
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
        let stats = &mut self.merged.stats;
        let mut three = |b: &[u8], o: &[u8], t: &[u8]| -> Vec<u8> {
            match () {
                () if o == t || t == b => o.to_vec(),
                () if o == b => t.to_vec(),
                () => {
                    stats.whitespace_clashes += 1;
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
                let Some(merged) = merge_tokens(wb, wo, wt) else {
                    let merged = merge_import_list(b, o, t).ok_or(Clash::TokenText)?;
                    stats.import_lists += 1;
                    let gap = (!merged.sure).then_some(0);
                    stats.gap = [stats.gap, gap].into_iter().flatten().min();
                    out.extend_from_slice(&merged.words);
                    out.extend_from_slice(&trailing);
                    out.extend_from_slice(&end);
                    return Ok((out, gap));
                };
                stats.numbers += usize::from(renumbered(wb, wo) && renumbered(wb, wt));
                stats.whitespace_clashes += merged.whitespace_clashes;
                stats.doubled_names += usize::from(doubles((wb, wo, wt), &merged.text));
                stats.gap = [stats.gap, merged.gap].into_iter().flatten().min();
                apart = merged.gap;
                out.extend_from_slice(&merged.text);
            }
        }
        out.extend_from_slice(&trailing);
        out.extend_from_slice(&end);
        Ok((out, apart))
    }

    /// Counts what stands right beside a change of the other side.
    fn note(&mut self, side: Side, edit: RowEdit, next: Option<RowEdit>) {
        let (own, other) = match side {
            Side::Ours => (0, 1),
            Side::Theirs => (1, 0),
        };
        let before = self.last[other].filter(|last| last.end() == edit.start() && last.changes());
        let after = next.filter(|next| next.start() == edit.end() && next.changes());
        let mut stats = self.merged.stats;
        let mut alone = false;
        if let RowEdit::Insert(_, lines) = edit {
            let gone =
                |u: Option<RowEdit>| matches!(u, Some(RowEdit::Delete(_) | RowEdit::Replace(..)));
            alone = (gone(before) || gone(after))
                && is_self_contained(self.versions.get(side.into()), lines);
            stats.isolated += usize::from(gone(before) && gone(after) && !alone);
            stats.isolated_self_contained += usize::from(gone(before) && gone(after) && alone);
            let shaken = self.depth[other] != 0 || self.lost_comma(side, lines);
            stats.unbalanced += usize::from(shaken);
            let beside = before.or(after).is_some();
            stats.closes_first += usize::from(beside && self.closes_first(side, lines));
            let like = |u: Option<RowEdit>| match u {
                Some(RowEdit::Replace(_, rows)) => {
                    let (own, other) = (
                        self.versions.get(side.into()),
                        self.versions.get(side.other().into()),
                    );
                    !best_pairs(own, lines, other, rows, RIVAL_ALIKE).is_empty()
                }
                _ => false,
            };
            stats.similar_to_replacement += usize::from(like(before) || like(after));
            let attaches_to_next =
                gone(after) && attaches_to_next(self.versions.get(side.into()), lines);
            stats.attached_to_deleted += usize::from(attaches_to_next);
        }
        for neighbour in before.into_iter().chain(after) {
            let one_row =
                matches!((edit, neighbour), (RowEdit::Keep(a, ..), RowEdit::Keep(b, ..)) if a == b);
            let put_in = [edit, neighbour]
                .iter()
                .any(|u| matches!(u, RowEdit::Insert(..)));
            let gone = [edit, neighbour]
                .iter()
                .any(|u| matches!(u, RowEdit::Delete(_) | RowEdit::Replace(..)));
            match (put_in, gone) {
                _ if one_row => {}
                // Counted when the new rows were noted.
                (true, _) if !matches!(edit, RowEdit::Insert(..)) => {}
                (true, true) => {
                    stats.beside_deleted += 1;
                    stats.self_contained += usize::from(alone);
                }
                (true, false) => stats.beside += 1,
                (false, _) => stats.adjacent += 1,
            }
        }
        self.merged.stats = stats;
        if edit.changes() {
            self.depth[own] += self.opens(side, edit);
            self.last[own] = Some(edit);
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
    fn opens(&self, side: Side, edit: RowEdit) -> isize {
        let balance = |version: Version, lines: LineRange| -> isize {
            let bytes = self.versions.get(version).slice(lines);
            bytes.iter().map(|b| bracket(*b)).sum()
        };
        let one = |at: u32| LineRange::new(at, at + 1);
        let none = |at: u32| LineRange::new(at, at);
        let (rows, new) = match edit {
            RowEdit::Keep(b, s, _) => (one(b), one(s)),
            RowEdit::Delete(b) => (one(b), none(0)),
            RowEdit::Replace(rows, new) => (rows, new),
            RowEdit::Insert(_, new) => (none(0), new),
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
        let last = self.merged.segments.last().map(|segment| match segment {
            Segment::Lines(v, lines) => {
                let last = LineIdx(lines.end.0 - 1);
                comma(self.versions.get(*v).line(last).content())
            }
            Segment::Text(bytes) => comma(bytes),
        });
        before.is_some_and(|line| comma(line.content())) && last == Some(false)
    }

    fn lines(&mut self, version: Version, lines: LineRange) {
        Segment::Lines(version, lines).add_to(&mut self.merged.segments);
    }

    fn text(&mut self, bytes: Vec<u8>) {
        Segment::Text(bytes).add_to(&mut self.merged.segments);
    }
}

/// Whether a side made double quotes of single ones throughout.
fn requotes_throughout(base: &Source, side: &Source, row_edits: &[RowEdit]) -> bool {
    let rows = || {
        row_edits.iter().filter_map(|edit| match *edit {
            RowEdit::Keep(b, s, _) => Some((base.line(LineIdx(b)), side.line(LineIdx(s)))),
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

    /// The merged text and what it took; or why there is none.
    fn merged(base: &str, ours: &str, theirs: &str) -> Result<(String, MergeStats), Clash> {
        let plan = plan(
            &base.into(),
            &ours.into(),
            &theirs.into(),
            &Options::default(),
        );
        let region = plan.region(plan.conflicts()[0]);
        let merged = merge_rows(plan.versions(), region, Algorithm::Histogram)?;
        let text = Resolution::Segments(merged.segments).text(&plan, region);
        let text = String::from_utf8(text.bytes().to_vec()).unwrap();
        Ok((text, merged.stats))
    }

    #[test]
    fn facts_tell_what_it_took() {
        let of = |base, ours, theirs| merged(base, ours, theirs).unwrap();
        let (text, stats) = of(
            "let a = 1;\nlet b = x;\n",
            "let a = 2;\nlet b = x;\n",
            "let a = 1;\nlet b = y;\n",
        );
        assert_eq!(
            (text.as_str(), stats.adjacent),
            ("let a = 2;\nlet b = y;\n", 1)
        );
        let (text, stats) = of("moor(ship);\n", "moor(ship);\nlog();\n", "moor(tug);\n");
        assert_eq!((text.as_str(), stats.beside), ("moor(tug);\nlog();\n", 1));
        let (_, stats) = of(
            "moor(ship, low, tide);\n",
            "dock(ship, low, tide);\n",
            "moor(ship, low, wind);\n",
        );
        assert_eq!((stats.blended, stats.gap), (1, Some(5)));
        let (text, stats) = of("moor(a);\n", "  moor(a);\n", "moor(b);\n");
        assert_eq!((text.as_str(), stats.respaced), ("  moor(b);\n", 1));
        let (text, stats) = of(
            "moor(a);\nlog(a);\n",
            "  moor(a);\n  log(a);\n",
            "moor(a);\npay(a);\nlog(a);\n",
        );
        assert_eq!(
            (text.as_str(), stats.reindented),
            ("  moor(a);\n  pay(a);\n  log(a);\n", 1)
        );
        let (text, stats) = of(
            "new Tide(this, options);\n",
            "if (low) new Tide(this, options).log();\nnew Tide(this, options);\n",
            "new Tide(this);\n",
        );
        assert_eq!((stats.rewritten, stats.copied), (1, 1));
        assert_eq!(text, "if (low) new Tide(this).log();\nnew Tide(this);\n");
    }

    #[test]
    fn facts_tell_what_speaks_against_it() {
        let stats = |base, ours, theirs| merged(base, ours, theirs).unwrap().1;
        // New rows like what the other side made of the row beside them.
        let base = "lamps = list(quay.lamps)\npay(ship);\n";
        let ours = "moor(ship, berth, tide);\nlamps = list(quay.lamps)\npay(ship);\n";
        let rival = stats(base, ours, "moor(ship, berth);\npay(ship);\n");
        assert_eq!((rival.beside_deleted, rival.similar_to_replacement), (1, 1));
        let unlike = stats(base, ours, "light the lamps\npay(ship);\n");
        assert_eq!(
            (unlike.beside_deleted, unlike.similar_to_replacement),
            (1, 0)
        );
        // Both changed the end of a row, and one goes on behind it.
        let forked = stats(
            "moor(ship, berth, quay)\n",
            "moor(ship, berth, quay, tide)\n",
            "moor(ship, berth, quay,\n    pilot)\n",
        );
        assert_eq!((forked.blended, forked.forked_ends), (1, 1));
        // Both brought the same name into one row.
        let doubled = stats(
            "fn name(ship, berth)\n",
            "fn name(ship, berth, pilot)\n",
            "fn name(pilot, ship, berth)\n",
        );
        assert_eq!(doubled.doubled_names, 1);
        // The same words put into each of several rows, and a new row without them.
        let base = "berth = quay,\ndepth = low,\n";
        let theirs = "berth = quay,\ndepth = low,\npilot = guide or 0,\n";
        let ours = "berth = self.quay,\ndepth = self.low,\n";
        assert_eq!(stats(base, ours, theirs).beside_pattern, 1);
        let one = "berth = quay,\ndepth = self.low,\n";
        assert_eq!(stats(base, one, theirs).beside_pattern, 0);
        // An import means the same wherever it stands, a statement does not.
        let base = "import tide\nimport wind\n";
        let alone = stats(
            base,
            "import tide\nimport pilot\nimport wind\n",
            "import wind\n",
        );
        assert_eq!((alone.beside_deleted, alone.self_contained), (1, 1));
        let hangs = stats(
            "moor(a);\npay(b);\n",
            "moor(a);\nlog(c);\npay(b);\n",
            "pay(b);\n",
        );
        assert_eq!((hangs.beside_deleted, hangs.self_contained), (1, 0));
    }

    #[test]
    fn names_of_an_import_are_a_set_in_a_longer_conflict_too() {
        let (text, stats) = merged(
            "from office import desk\nfrom harbour import berth, quay\n",
            "from office import desk\nfrom harbour import anchor, berth, quay\n",
            "from harbour import quay\n",
        )
        .unwrap();
        assert_eq!(text, "from harbour import anchor, quay\n");
        // Their order places every name.
        assert_eq!((stats.blended, stats.gap), (1, None));
        let (text, stats) = merged(
            "from office import desk\nfrom harbour import quay, berth\n",
            "from office import desk\nfrom harbour import quay, berth, anchor\n",
            "from harbour import berth\n",
        )
        .unwrap();
        assert_eq!(text, "from harbour import berth, anchor\n");
        assert_ne!(stats.gap, None);
    }

    #[test]
    fn the_end_of_a_row_stays_with_its_row() {
        let base = "// The quay whose lamps are lit when the sun is down\nlight();\n";
        let ours = "// The quay whose lamps are lit when the sun is down\n// Broken ones stay dark.\nlight();\n";
        let theirs =
            "// The northern quay whose lamps are lit when the sun\n// is down\nlight();\n";
        let (text, _) = merged(base, ours, theirs).unwrap();
        assert_eq!(
            text,
            "// The northern quay whose lamps are lit when the sun\n// is down\n// Broken ones stay dark.\n"
        );
        // Something new of theirs at that place: nobody can tell which comes first.
        let other = "// The northern quay whose lamps are lit when the sun is down\n// And no other.\nlight();\n";
        assert_eq!(merged(base, ours, other).unwrap_err(), Clash::BothInserted);
    }

    #[test]
    fn clashes_say_why() {
        let why = |base, ours, theirs| merged(base, ours, theirs).unwrap_err();
        assert_eq!(
            why("moor(a);\n", "moor(b);\n", "moor(c);\n"),
            Clash::TokenText
        );
        assert_eq!(why("", "moor();\n", "pay();\n"), Clash::BothInserted);
        assert_eq!(
            why("moor(ship, a);\n", "", "moor(ship, b);\n"),
            Clash::Deleted
        );
        let inside = why(
            "moor(ship);\nlog(ship);\n",
            "light the lamps\n",
            "moor(ship);\npay(ship);\nlog(ship);\n",
        );
        assert_eq!(inside, Clash::Inside);
    }
}
