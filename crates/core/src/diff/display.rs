//! What one text did to another, row by row and word by word, for the eye.
//!
//! Lines are paired by likeness so that a re-worded line stands beside what it
//! was; inside a pair, words are compared. Merging never looks at this.

use crate::diff::align::best_pairs;
use crate::diff::hunk::Algorithm;
use crate::diff::lines::hunks;
use crate::limits::{ALIGN_PAIRS, LINE_BYTES, SHOWN_ALIKE};
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::{Line, Source};
use crate::text::tokens::{same_tokens, solid_tokens, token_ranges};
use imara_diff::Interner;
use std::ops::Range;

/// One row of a delta.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum DeltaRow {
    /// The same line in both.
    Kept(LineIdx, LineIdx),
    /// A line of `from` that is gone.
    Removed(LineIdx),
    /// A line of `to` that is new.
    Added(LineIdx),
    /// A line with other words.
    Reworded(LineIdx, LineIdx),
    /// A line with the same words behind other indentation.
    Reindented(LineIdx, LineIdx),
    /// A line with the same words and indentation that differs in inner or trailing whitespace or line end.
    Respaced(LineIdx, LineIdx),
}

/// The rows that turn a range of one text into a range of another.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Delta {
    /// All rows in order, kept ones included.
    pub rows: Vec<DeltaRow>,
    /// Words that differ: how much there is to read.
    pub cost: usize,
}

impl Delta {
    /// How many rows are of a kind.
    pub fn count(&self, is: impl Fn(&DeltaRow) -> bool) -> usize {
        self.rows.iter().filter(|row| is(row)).count()
    }

    /// What happened, in words: "re-worded 1 line, added 2"; "nothing" if nothing did.
    pub fn summary(&self) -> String {
        let counts = [
            (
                "re-indented",
                self.count(|r| matches!(r, DeltaRow::Reindented(..))),
            ),
            (
                "re-spaced",
                self.count(|r| matches!(r, DeltaRow::Respaced(..))),
            ),
            (
                "re-worded",
                self.count(|r| matches!(r, DeltaRow::Reworded(..))),
            ),
            ("added", self.count(|r| matches!(r, DeltaRow::Added(_)))),
            ("removed", self.count(|r| matches!(r, DeltaRow::Removed(_)))),
        ];
        let mut parts = Vec::new();
        for (verb, n) in counts.into_iter().filter(|(_, n)| *n > 0) {
            let edit = match (parts.is_empty(), n) {
                (false, _) => "",
                (true, 1) => " line",
                (true, _) => " lines",
            };
            parts.push(format!("{verb} {n}{edit}"));
        }
        match parts.is_empty() {
            true => "nothing".to_owned(),
            false => parts.join(", "),
        }
    }
}

/// How a range of one text became a range of another, row by row, for display.
///
/// Lines that are alike enough are one row re-worded. Beyond
/// [`ALIGN_PAIRS`](crate::limits::ALIGN_PAIRS) pairs of a hunk they are paired in order.
///
/// ```
/// use armistice_core::{DeltaRow, LineIdx, Source, delta};
/// let (old, new) = (Source::from("moor(ship);\ntail\n"), Source::from("moor(tug);\ntail\n"));
/// let rows = delta(&old, old.all(), &new, new.all()).rows;
/// assert_eq!(rows[0], DeltaRow::Reworded(LineIdx(0), LineIdx(0)));
/// assert_eq!(rows[1], DeltaRow::Kept(LineIdx(1), LineIdx(1)));
/// ```
pub fn delta(from: &Source, a: LineRange, to: &Source, b: LineRange) -> Delta {
    let mut delta = Delta::default();
    let mut interner = Interner::new(a.len() + b.len());
    let ta: Vec<_> = from.lines(a).map(|l| interner.intern(l.bytes())).collect();
    let tb: Vec<_> = to.lines(b).map(|l| interner.intern(l.bytes())).collect();
    let (mut at_a, mut at_b) = (a.start.0, b.start.0);
    for hunk in hunks(&ta, &tb, interner.num_tokens(), Algorithm::Histogram) {
        let lines_a = shifted(hunk.base, a.start);
        let lines_b = shifted(hunk.side, b.start);
        kept(&mut delta, &mut at_a, &mut at_b, lines_a.start.0);
        pair(&mut delta, from, lines_a, to, lines_b);
        (at_a, at_b) = (lines_a.end.0, lines_b.end.0);
    }
    kept(&mut delta, &mut at_a, &mut at_b, a.end.0);
    delta
}

fn shifted(lines: LineRange, by: LineIdx) -> LineRange {
    LineRange::new(lines.start.0 + by.0, lines.end.0 + by.0)
}

fn kept(delta: &mut Delta, a: &mut u32, b: &mut u32, until: u32) {
    while *a < until {
        delta.rows.push(DeltaRow::Kept(LineIdx(*a), LineIdx(*b)));
        *a += 1;
        *b += 1;
    }
}

/// The rows of one hunk: most likely pairs first, the rest removed or added.
fn pair(delta: &mut Delta, from: &Source, a: LineRange, to: &Source, b: LineRange) {
    let pairs = match a.len() * b.len() {
        0 => Vec::new(),
        // One line for one line: however unlike, a person reads it as re-worded.
        1 => vec![(a.start, b.start)],
        n if n > ALIGN_PAIRS => a.iter().zip(b.iter()).collect(),
        _ => best_pairs(from, a, to, b, SHOWN_ALIKE),
    };
    let (mut at_a, mut at_b) = (a.start.0, b.start.0);
    for (x, y) in pairs {
        loose(delta, from, at_a..x.0, to, at_b..y.0);
        let (old, new) = (from.line(x), to.line(y));
        delta.cost += spans(old.content(), new.content())
            .iter()
            .map(Span::cost)
            .sum::<usize>();
        delta.rows.push(changed_row(x, old, y, new));
        (at_a, at_b) = (x.0 + 1, y.0 + 1);
    }
    loose(delta, from, at_a..a.end.0, to, at_b..b.end.0);
}

fn loose(delta: &mut Delta, from: &Source, a: Range<u32>, to: &Source, b: Range<u32>) {
    // As many lines for as many, each with a word of the one before it: line for line.
    let shares_a_word = |(x, y): (u32, u32)| {
        let (old, new) = (
            from.line(LineIdx(x)).content(),
            to.line(LineIdx(y)).content(),
        );
        let short = old.len().max(new.len()) <= LINE_BYTES;
        let has = |word: &[u8]| solid_tokens(new).any(|other| other == word);
        short && solid_tokens(old).any(|word| is_wordy(word) && has(word))
    };
    if a.len() > 1 && a.len() == b.len() && a.clone().zip(b.clone()).all(shares_a_word) {
        for (x, y) in a.zip(b) {
            let (x, y) = (LineIdx(x), LineIdx(y));
            let (old, new) = (from.line(x), to.line(y));
            let changes = spans(old.content(), new.content());
            delta.cost += changes.iter().map(Span::cost).sum::<usize>();
            delta.rows.push(changed_row(x, old, y, new));
        }
        return;
    }
    // A line beyond all reading counts as its bytes.
    let cost = |bytes: &[u8]| match bytes.len() {
        n if n > LINE_BYTES => n / 8,
        _ => solid_tokens(bytes).count(),
    };
    for line in a.map(LineIdx) {
        delta.cost += cost(from.line(line).content());
        delta.rows.push(DeltaRow::Removed(line));
    }
    for line in b.map(LineIdx) {
        delta.cost += cost(to.line(line).content());
        delta.rows.push(DeltaRow::Added(line));
    }
}

/// Whether a token is a word or a number.
fn is_wordy(token: &[u8]) -> bool {
    token.iter().any(u8::is_ascii_alphanumeric)
}

fn changed_row(x: LineIdx, old: Line<'_>, y: LineIdx, new: Line<'_>) -> DeltaRow {
    let same_tokens = same_tokens(old.content(), new.content());
    match (same_tokens, old.indent() == new.indent()) {
        (false, _) => DeltaRow::Reworded(x, y),
        (true, false) => DeltaRow::Reindented(x, y),
        (true, true) => DeltaRow::Respaced(x, y),
    }
}

/// A stretch of a re-worded line.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Span {
    /// Bytes of the new line that the old one has too.
    Kept(Range<usize>),
    /// Bytes of the old line that became bytes of the new one; either may be empty.
    Changed(Range<usize>, Range<usize>),
}

impl Span {
    fn cost(&self) -> usize {
        match self {
            Span::Kept(_) => 0,
            Span::Changed(..) => 1,
        }
    }
}

/// How the words of one line became the words of another, left to right.
///
/// Changes with nothing but blanks between them are one. Lines longer than
/// [`LINE_BYTES`](crate::limits::LINE_BYTES) are one change between what both their ends share.
///
/// ```
/// use armistice_core::{Span, spans};
/// let words = spans(b"moor(ship);", b"moor(tug);");
/// assert_eq!(words, [
///     Span::Kept(0..5),
///     Span::Changed(5..9, 5..8),
///     Span::Kept(8..10),
/// ]);
/// ```
pub fn spans(old: &[u8], new: &[u8]) -> Vec<Span> {
    if old.len().max(new.len()) > LINE_BYTES {
        return ends_only(old, new);
    }
    let (a, b) = (token_ranges(old), token_ranges(new));
    let mut interner = Interner::new(a.len() + b.len());
    let ta: Vec<_> = a.iter().map(|w| interner.intern(&old[w.clone()])).collect();
    let tb: Vec<_> = b.iter().map(|w| interner.intern(&new[w.clone()])).collect();
    let mut out: Vec<Span> = Vec::new();
    let mut at = 0;
    let bytes = |words: &[Range<usize>], range: Range<usize>, len: usize| {
        let start = words.get(range.start).map_or(len, |w| w.start);
        start..words.get(range.end).map_or(len, |w| w.start)
    };
    for hunk in hunks(&ta, &tb, interner.num_tokens(), Algorithm::Myers) {
        let from = bytes(&a, hunk.base.span(), old.len());
        let to = bytes(&b, hunk.side.span(), new.len());
        push_kept(&mut out, new, at..to.start);
        push_changed(&mut out, from, to.clone());
        at = to.end;
    }
    push_kept(&mut out, new, at..new.len());
    out
}

fn ends_only(old: &[u8], new: &[u8]) -> Vec<Span> {
    // No cut inside of a character: only bytes that begin one are looked at.
    let begins = |bytes: &[u8], at: usize| bytes.get(at).is_none_or(|b| b & 0xC0 != 0x80);
    let mut head = old.iter().zip(new).take_while(|(a, b)| a == b).count();
    while !(begins(old, head) && begins(new, head)) {
        head -= 1;
    }
    let (rest_a, rest_b) = (&old[head..], &new[head..]);
    let mut tail = rest_a
        .iter()
        .rev()
        .zip(rest_b.iter().rev())
        .take_while(|(a, b)| a == b)
        .count();
    while !begins(old, old.len() - tail) {
        tail -= 1;
    }
    let mut out = Vec::new();
    push_kept(&mut out, new, 0..head);
    if head < old.len() - tail || head < new.len() - tail {
        out.push(Span::Changed(
            head..old.len() - tail,
            head..new.len() - tail,
        ));
    }
    push_kept(&mut out, new, new.len() - tail..new.len());
    out
}

fn push_kept(out: &mut Vec<Span>, new: &[u8], range: Range<usize>) {
    if !range.is_empty() && range.end <= new.len() {
        out.push(Span::Kept(range));
    }
}

fn push_changed(out: &mut Vec<Span>, from: Range<usize>, to: Range<usize>) {
    // Only one blank may be bridged: its twin in the old line is then one byte too.
    if let [.., Span::Changed(a, b), Span::Kept(kept)] = out.as_mut_slice()
        && kept.len() == 1
        && a.end + 1 == from.start
        && a.end > a.start
        && from.end > from.start
    {
        *a = a.start..from.end;
        *b = b.start..to.end;
        out.pop();
        return;
    }
    out.push(Span::Changed(from, to));
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn of(a: &str, b: &str) -> Delta {
        let (a, b) = (Source::from(a), Source::from(b));
        delta(&a, a.all(), &b, b.all())
    }

    fn shown(old: &str, new: &str) -> String {
        let tell = |span: &Span| match span {
            Span::Kept(r) => new[r.clone()].to_owned(),
            Span::Changed(a, b) => format!("[{}>{}]", &old[a.clone()], &new[b.clone()]),
        };
        spans(old.as_bytes(), new.as_bytes())
            .iter()
            .map(tell)
            .collect()
    }

    #[test]
    fn words_inside_a_line_are_told_apart() {
        assert_eq!(
            shown("self.free.pop();", "self.free.pop_front();"),
            "self.free.[pop>pop_front]();"
        );
        assert_eq!(shown("pop();", "pop().or(spare);"), "pop()[>.or(spare)];");
        assert_eq!(shown("same", "same"), "same");
    }

    #[test]
    fn a_long_line_is_told_by_its_ends() {
        let long = |word: &str| format!("{}⚓{word}ö{}", "a b ".repeat(4000), "c d ".repeat(10));
        let (old, new) = (long("x"), long("yy"));
        let text = shown(&old, &new);
        assert!(text.contains("⚓[x>yy]ö"), "{}", &text[text.len() - 80..]);
        assert_eq!(spans(old.as_bytes(), old.as_bytes()).len(), 1);
    }

    #[test]
    fn neighbouring_changes_are_one() {
        assert_eq!(
            shown("let old name;", "let new label;"),
            "let [old name>new label];"
        );
    }

    #[test]
    fn a_summary_says_what_happened() {
        let delta = of("berth one\nb two\nc\nd\n", "berth won\nb two\ne\nf\ng\n");
        assert_eq!(delta.summary(), "re-worded 1 line, added 3, removed 2");
        assert_eq!(of("x\n", "x\n").summary(), "nothing");
        assert_eq!(of("x y\n", "  x y\n").summary(), "re-indented 1 line");
        assert_eq!(of("x y\n", "x  y \n").summary(), "re-spaced 1 line");
    }

    #[test]
    fn like_lines_are_paired_and_others_not() {
        let delta = of("fn berth() {\n", "// by tide\nfn berths() {\n");
        let pair = DeltaRow::Reworded(LineIdx(0), LineIdx(1));
        assert_eq!(delta.rows, [DeltaRow::Added(LineIdx(0)), pair]);
    }

    proptest! {
        #[test]
        fn spans_rebuild_both_lines(a in "[ab ()]{0,12}", b in "[ab ()]{0,12}") {
            let (mut old, mut new) = (String::new(), String::new());
            let mut kept_old = 0;
            for span in spans(a.as_bytes(), b.as_bytes()) {
                match span {
                    Span::Kept(r) => {
                        old += &b[r.clone()];
                        new += &b[r.clone()];
                        kept_old += r.len();
                    }
                    Span::Changed(x, y) => {
                        prop_assert_eq!(x.start, kept_old);
                        kept_old = x.end;
                        old += &a[x];
                        new += &b[y];
                    }
                }
            }
            prop_assert_eq!(old, a);
            prop_assert_eq!(new, b);
        }
    }
}
