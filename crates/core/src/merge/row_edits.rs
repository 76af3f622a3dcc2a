//! What one side did to rows of base: pairs over their words, rows taken out, replaced, put in.

use crate::diff::align::best_pairs;
use crate::diff::hunk::Algorithm;
use crate::diff::lines::search_dense;
use crate::limits::{FORMATTED_ROW_BYTES, MERGED_ALIKE};
use crate::merge::format_noise::formatted;
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::{Line, Source, is_blank};
use crate::text::tokens::same_tokens;

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

/// What a side did, in the order of base.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum RowEdit {
    /// A row and what became of it.
    Keep(u32, u32, RowChange),
    /// A row taken out, with nothing in its place.
    Delete(u32),
    /// Rows replaced by rows unlike them.
    Replace(LineRange, LineRange),
    /// Rows put in before a row.
    Insert(u32, LineRange),
}

impl RowEdit {
    pub(crate) fn start(self) -> u32 {
        match self {
            RowEdit::Keep(b, ..) | RowEdit::Delete(b) | RowEdit::Insert(b, _) => b,
            RowEdit::Replace(b, _) => b.start.0,
        }
    }

    pub(crate) fn end(self) -> u32 {
        match self {
            RowEdit::Keep(b, ..) | RowEdit::Delete(b) => b + 1,
            RowEdit::Insert(b, _) => b,
            RowEdit::Replace(b, _) => b.end.0,
        }
    }

    pub(crate) fn changes(self) -> bool {
        !matches!(self, RowEdit::Keep(_, _, RowChange::Unchanged))
    }
}

/// What a side did to some rows of base.
pub(crate) fn row_edits(
    base: &Source,
    b: LineRange,
    side: &Source,
    s: LineRange,
    algorithm: Algorithm,
) -> Vec<RowEdit> {
    // Two rows of one print by accident would be paired, and told apart by their words below.
    let solid = |line: Line<'_>| -> [u8; 8] {
        let content = line.content().iter().filter(|b| !is_blank(**b));
        let print = content.fold(0xcbf2_9ce4_8422_2325_u64, |print, b| {
            (print ^ u64::from(*b)).wrapping_mul(0x0100_0000_01b3)
        });
        print.to_le_bytes()
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

fn pairs(
    out: &mut Vec<RowEdit>,
    base: &Source,
    rows: std::ops::Range<u32>,
    side: &Source,
    from: u32,
) {
    for (b, s) in rows.zip(from..) {
        out.push(RowEdit::Keep(b, s, change(base, b, side, s)));
    }
}

fn change(base: &Source, b: u32, side: &Source, s: u32) -> RowChange {
    let (old, new) = (base.line(LineIdx(b)), side.line(LineIdx(s)));
    match () {
        () if old == new => RowChange::Unchanged,
        () if same_tokens(old.content(), new.content()) => RowChange::Whitespace,
        () if old.content().len() < FORMATTED_ROW_BYTES
            && formatted(without_comma(old)) == formatted(without_comma(new)) =>
        {
            RowChange::Formatting
        }
        () => RowChange::Wording,
    }
}

/// A row without a comma at its end, which may be the last of a list or not.
fn without_comma<'a>(line: Line<'a>) -> &'a [u8] {
    let content = line.content().trim_ascii_end();
    content.strip_suffix(b",").unwrap_or(content)
}

/// Rows of a hunk: the likeliest pairs, the rest taken out, replaced or put in.
fn loose(out: &mut Vec<RowEdit>, base: &Source, b: LineRange, side: &Source, s: LineRange) {
    let matched = best_pairs(base, b, side, s, MERGED_ALIKE);
    let (mut at_b, mut at_s) = (b.start.0, s.start.0);
    let ends = (LineIdx(b.end.0), LineIdx(s.end.0));
    for (x, y) in matched.into_iter().chain([ends]) {
        match (at_b == x.0, at_s == y.0) {
            (true, true) => {}
            (true, false) => out.push(RowEdit::Insert(x.0, LineRange::new(at_s, y.0))),
            (false, true) => out.extend((at_b..x.0).map(RowEdit::Delete)),
            (false, false) => out.push(RowEdit::Replace(
                LineRange::new(at_b, x.0),
                LineRange::new(at_s, y.0),
            )),
        }
        if x.0 < b.end.0 {
            out.push(RowEdit::Keep(x.0, y.0, change(base, x.0, side, y.0)));
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
        assert_eq!(change(&base, 0, &side, 0), RowChange::Formatting);
        let other = Source::from("    tug,\n");
        assert_eq!(change(&base, 0, &other, 0), RowChange::Wording);
    }
}
