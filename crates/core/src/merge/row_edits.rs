//! What one side did to rows of base: pairs over their words, rows taken out, replaced, put in.

use crate::diff::align::best_pairs;
use crate::diff::hunk::Algorithm;
use crate::diff::lines::hunks_of_keys;
use crate::limits::{FORMATTED_ROW_BYTES, MERGED_ALIKE};
use crate::merge::format_noise::same_but_for_format;
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::{Line, Source, is_blank};
use crate::text::tokens::same_tokens;

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

/// A number for the signs of a row that are not blank. Rows of one number by accident are
/// matched, and told apart by their words.
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

/// Rows of a hunk: the likeliest pairs, the rest taken out, replaced or put in.
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
}
