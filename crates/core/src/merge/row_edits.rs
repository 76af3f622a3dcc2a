//! The edits that one side made to the rows of base: keep, delete, replace, insert.

use crate::diff::align::best_pairs;
use crate::diff::hunk::Algorithm;
use crate::diff::lines::hunks_of_keys;
use crate::limits::{FORMATTED_ROW_BYTES, MERGED_ALIKE};
use crate::merge::format_noise::same_but_for_format;
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::{Line, Source, is_blank};
use crate::text::tokens::same_tokens;
use std::collections::HashSet;

/// What a side changed in a row that it kept.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum RowChange {
    /// Nothing.
    Unchanged,
    /// Blanks alone.
    Whitespace,
    /// Quotes or a trailing comma.
    Formatting,
    /// What it says.
    Wording,
}

/// What a side did to one row of base, or between two; in the order of base.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum RowEdit {
    /// A row of base, the row that it became, and how that differs.
    Keep(LineIdx, LineIdx, RowChange),
    /// A row of base taken out, with nothing in its place.
    Delete(LineIdx),
    /// Rows of base replaced by rows unlike them.
    Replace(LineRange, LineRange),
    /// Rows put in before a row of base.
    Insert(LineIdx, LineRange),
}

impl RowEdit {
    /// The first row of base it is about.
    pub(crate) fn start(self) -> LineIdx {
        match self {
            RowEdit::Keep(b, ..) | RowEdit::Delete(b) | RowEdit::Insert(b, _) => b,
            RowEdit::Replace(b, _) => b.start,
        }
    }

    /// The row of base behind the last one it is about.
    pub(crate) fn end(self) -> LineIdx {
        match self {
            RowEdit::Keep(b, ..) | RowEdit::Delete(b) => LineIdx(b.0 + 1),
            RowEdit::Insert(b, _) => b,
            RowEdit::Replace(b, _) => b.end,
        }
    }

    /// Whether it changes anything.
    pub(crate) fn changes(self) -> bool {
        !matches!(self, RowEdit::Keep(_, _, RowChange::Unchanged))
    }
}

/// What a side did to some rows of base: edits that cover `b` and `s`, in order.
///
/// Rows are matched over their words, blanks aside; what is left is paired by likeness.
pub(crate) fn row_edits(
    base: &Source,
    b: LineRange,
    side: &Source,
    s: LineRange,
    algorithm: Algorithm,
) -> Vec<RowEdit> {
    let mut out = Vec::with_capacity(b.len().max(s.len()));
    if (b.len(), s.len()) == (1, 1) {
        match print(base.line(b.start)) == print(side.line(s.start)) {
            true => kept(&mut out, base, b, side, s.start),
            false => aligned(&mut out, base, b, side, s),
        }
        return out;
    }
    let keys = |text: &Source, lines| -> Vec<u64> { text.lines(lines).map(print).collect() };
    let (mut at_b, mut at_s) = (b.start, s.start);
    for hunk in hunks_of_keys(&keys(base, b), &keys(side, s), algorithm) {
        let (hunk_b, hunk_s) = (hunk.base.shifted(b.start), hunk.side.shifted(s.start));
        kept(
            &mut out,
            base,
            LineRange::new(at_b.0, hunk_b.start.0),
            side,
            at_s,
        );
        aligned(&mut out, base, hunk_b, side, hunk_s);
        (at_b, at_s) = (hunk_b.end, hunk_s.end);
    }
    kept(&mut out, base, LineRange::new(at_b.0, b.end.0), side, at_s);
    out
}

/// Whether rows could not have been matched otherwise: what has no partner stands nowhere on the
/// other side, and nowhere among what has one.
///
/// Any shortest difference then matches the same rows.
pub(crate) fn is_only_matching(edits: &[RowEdit], base: &Source, side: &Source) -> bool {
    let rows_of =
        |text: &Source, rows: LineRange| -> Vec<u64> { text.lines(rows).map(print).collect() };
    let (mut gone, mut new) = (HashSet::new(), HashSet::new());
    let mut matched = Vec::new();
    for edit in edits {
        match *edit {
            RowEdit::Keep(b, _, RowChange::Unchanged | RowChange::Whitespace) => matched.push(b),
            RowEdit::Keep(b, s, _) => {
                gone.insert(print(base.line(b)));
                new.insert(print(side.line(s)));
            }
            RowEdit::Delete(b) => drop(gone.insert(print(base.line(b)))),
            RowEdit::Insert(_, s) => new.extend(rows_of(side, s)),
            RowEdit::Replace(b, s) => {
                gone.extend(rows_of(base, b));
                new.extend(rows_of(side, s));
            }
        }
    }
    let recurs = |b: &LineIdx| {
        let print = print(base.line(*b));
        gone.contains(&print) || new.contains(&print)
    };
    let none = gone.is_empty() && new.is_empty();
    none || gone.is_disjoint(&new) && !matched.iter().any(recurs)
}

/// A number for the signs of a row that are not blank. Rows of one number by accident are
/// matched, and distinguished by their words.
fn print(line: Line<'_>) -> u64 {
    let solid = line.content().iter().filter(|b| !is_blank(**b));
    solid.fold(0xcbf2_9ce4_8422_2325, |print, b| {
        (print ^ u64::from(*b)).wrapping_mul(0x0100_0000_01b3)
    })
}

fn kept(out: &mut Vec<RowEdit>, base: &Source, rows: LineRange, side: &Source, from: LineIdx) {
    for (b, s) in rows.iter().zip(from.0..) {
        let s = LineIdx(s);
        out.push(RowEdit::Keep(b, s, change(base.line(b), side.line(s))));
    }
}

/// How a row differs from what it was.
fn change(old: Line<'_>, new: Line<'_>) -> RowChange {
    if old == new {
        RowChange::Unchanged
    } else if same_tokens(old.content(), new.content()) {
        RowChange::Whitespace
    } else if old.content().len() < FORMATTED_ROW_BYTES
        && same_but_for_format(without_comma(old), without_comma(new))
    {
        RowChange::Formatting
    } else {
        RowChange::Wording
    }
}

/// A row without a comma at its end, which may be the last of a list or not.
fn without_comma<'a>(line: Line<'a>) -> &'a [u8] {
    let content = line.content().trim_ascii_end();
    content.strip_suffix(b",").unwrap_or(content)
}

/// Rows of a hunk: the most likely pairs, the rest taken out, replaced or put in.
fn aligned(out: &mut Vec<RowEdit>, base: &Source, b: LineRange, side: &Source, s: LineRange) {
    let pairs = best_pairs(base, b, side, s, MERGED_ALIKE);
    let (mut at_b, mut at_s) = (b.start.0, s.start.0);
    for (x, y) in pairs.into_iter().chain([(b.end, s.end)]) {
        let (old, new) = (LineRange::new(at_b, x.0), LineRange::new(at_s, y.0));
        match (old.is_empty(), new.is_empty()) {
            (true, true) => {}
            (true, false) => out.push(RowEdit::Insert(x, new)),
            (false, true) => out.extend(old.iter().map(RowEdit::Delete)),
            (false, false) => out.push(RowEdit::Replace(old, new)),
        }
        if x < b.end {
            out.push(RowEdit::Keep(x, y, change(base.line(x), side.line(y))));
        }
        (at_b, at_s) = (x.0 + 1, y.0 + 1);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_comma_at_the_end_is_formatting() {
        let (base, side) = (Source::from("    ship\n"), Source::from("    ship,\n"));
        assert_eq!(
            change(base.line(LineIdx(0)), side.line(LineIdx(0))),
            RowChange::Formatting
        );
        let other = Source::from("    tug,\n");
        assert_eq!(
            change(base.line(LineIdx(0)), other.line(LineIdx(0))),
            RowChange::Wording
        );
    }
    fn both_ways(base: &str, side: &str) -> [Vec<RowEdit>; 2] {
        let (base, side) = (Source::from(base), Source::from(side));
        [Algorithm::Histogram, Algorithm::Myers]
            .map(|by| row_edits(&base, base.all(), &side, side.all(), by))
    }

    #[test]
    fn edits_cover_both_texts_in_order() {
        let base = "moor(ship);\nlog(ship);\npay(fee);\ngo();\n";
        let side = "  moor(ship);\nlog(tug);\nring(bell);\nsing();\n";
        for edits in both_ways(base, side) {
            let (mut at_b, mut at_s) = (0, 0);
            for edit in &edits {
                assert_eq!(edit.start().0, at_b, "{edits:?}");
                at_b = edit.end().0;
                let new = match edit {
                    RowEdit::Keep(_, s, _) => LineRange::one(*s),
                    RowEdit::Insert(_, s) | RowEdit::Replace(_, s) => *s,
                    RowEdit::Delete(_) => LineRange::new(at_s, at_s),
                };
                assert_eq!(new.start.0, at_s, "{edits:?}");
                at_s = new.end.0;
            }
            assert_eq!((at_b, at_s), (4, 4), "{edits:?}");
            assert_eq!(
                edits[0],
                RowEdit::Keep(LineIdx(0), LineIdx(0), RowChange::Whitespace)
            );
        }
    }

    #[test]
    fn a_row_that_could_be_matched_otherwise_is_noticed() {
        for (base, side, only) in [
            // Only indentation, or nothing: there is one way.
            ("a(1)\nb(2)\n", "  a(1)\n  b(2)\n", true),
            ("a(1)\nb(2)\nc(3)\n", "a(1)\nB(9)\nc(3)\n", true),
            // Either of two equal rows may be the one that is gone.
            ("x(1)\na(1)\na(1)\nb(2)\n", "x(1)\na(1)\nb(2)\n", false),
            // Rows that changed places: either may be the one that stayed.
            ("a(1)\nb(2)\n", "b(2)\na(1)\n", false),
        ] {
            let [edits, _] = both_ways(base, side);
            let (base, side) = (Source::from(base), Source::from(side));
            assert_eq!(is_only_matching(&edits, &base, &side), only, "{edits:?}");
        }
    }

    proptest! {
        #[test]
        fn where_rows_match_in_one_way_any_search_finds_it(
            base in prop::collection::vec(0..9u8, 2..14),
            side in prop::collection::vec(0..12u8, 2..14),
        ) {
            let text = |rows: &[u8]| -> String {
                rows.iter().map(|n| format!("berth_{n}(\"{}\");\n", "x".repeat(*n as usize))).collect()
            };
            let (base, side) = (text(&base), text(&side));
            let [rare, short] = both_ways(&base, &side);
            if is_only_matching(&rare, &base.as_str().into(), &side.as_str().into()) {
                prop_assert_eq!(rare, short);
            }
        }
    }
}
