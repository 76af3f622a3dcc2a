//! What one text did to another, row by row and word by word, for the eye.
//!
//! Lines are paired by likeness so that a re-worded line stands beside what it
//! was; inside a pair, words are compared. Merging never looks at this.

use crate::diff::hunks;
use crate::lines::{LineIdx, LineRange};
use crate::plan::Algorithm;
use crate::text::{Line, Source};
use crate::words::{same_words, solid_words, words};
use imara_diff::Interner;
use std::hash::{DefaultHasher, Hash, Hasher};
use std::ops::Range;

/// Lines less alike than this, in hundredths, are a removal and an addition.
const ALIKE: u32 = 40;
/// Hunks with more pairs of lines than this are paired in order, not by likeness.
const PAIRS: usize = 10_000;
/// Bytes beyond which the words of a line are not compared one by one.
const LONG_LINE: usize = 8_000;

/// One row of a delta.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Row {
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
    /// A line with the same words and indentation that differs in inner or trailing blanks or line end.
    Respaced(LineIdx, LineIdx),
}

/// What turned a stretch of one text into a stretch of another.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Delta {
    /// All rows in order, kept ones included.
    pub rows: Vec<Row>,
    /// Words that differ: how much there is to read.
    pub cost: usize,
}

impl Delta {
    /// How many rows are of a kind.
    pub fn count(&self, is: impl Fn(&Row) -> bool) -> usize {
        self.rows.iter().filter(|row| is(row)).count()
    }

    /// What happened, in words: "re-worded 1 line, added 2"; "nothing" if nothing did.
    pub fn summary(&self) -> String {
        let counts = [
            (
                "re-indented",
                self.count(|r| matches!(r, Row::Reindented(..))),
            ),
            ("re-spaced", self.count(|r| matches!(r, Row::Respaced(..)))),
            ("re-worded", self.count(|r| matches!(r, Row::Reworded(..)))),
            ("added", self.count(|r| matches!(r, Row::Added(_)))),
            ("removed", self.count(|r| matches!(r, Row::Removed(_)))),
        ];
        let mut parts = Vec::new();
        for (verb, n) in counts.into_iter().filter(|(_, n)| *n > 0) {
            let unit = match (parts.is_empty(), n) {
                (false, _) => "",
                (true, 1) => " line",
                (true, _) => " lines",
            };
            parts.push(format!("{verb} {n}{unit}"));
        }
        match parts.is_empty() {
            true => "nothing".to_owned(),
            false => parts.join(", "),
        }
    }
}

/// Compares two stretches of text.
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
        delta.rows.push(Row::Kept(LineIdx(*a), LineIdx(*b)));
        *a += 1;
        *b += 1;
    }
}

/// The rows of one hunk: likeliest pairs first, the rest removed or added.
fn pair(delta: &mut Delta, from: &Source, a: LineRange, to: &Source, b: LineRange) {
    let pairs = match a.len() * b.len() {
        0 => Vec::new(),
        // One line for one line: however unlike, a person reads it as re-worded.
        1 => vec![(a.start, b.start)],
        n if n > PAIRS => a.iter().zip(b.iter()).collect(),
        _ => best_pairs(from, a, to, b, ALIKE),
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
    // A line beyond all reading counts as its bytes.
    let cost = |bytes: &[u8]| match bytes.len() {
        n if n > LONG_LINE => n / 8,
        _ => solid_words(bytes).count(),
    };
    for line in a.map(LineIdx) {
        delta.cost += cost(from.line(line).content());
        delta.rows.push(Row::Removed(line));
    }
    for line in b.map(LineIdx) {
        delta.cost += cost(to.line(line).content());
        delta.rows.push(Row::Added(line));
    }
}

fn changed_row(x: LineIdx, old: Line<'_>, y: LineIdx, new: Line<'_>) -> Row {
    let same_words = same_words(old.content(), new.content());
    match (same_words, old.indent() == new.indent()) {
        (false, _) => Row::Reworded(x, y),
        (true, false) => Row::Reindented(x, y),
        (true, true) => Row::Respaced(x, y),
    }
}

/// Pairs in order that together are most alike (alignment by dynamic programming).
///
/// No pair is less alike than `alike`, in hundredths.
pub(crate) fn best_pairs(
    from: &Source,
    a: LineRange,
    to: &Source,
    b: LineRange,
    alike: u32,
) -> Vec<(LineIdx, LineIdx)> {
    if a.len() * b.len() > PAIRS {
        return Vec::new();
    }
    let left: Vec<_> = from.lines(a).map(fingerprint).collect();
    let right: Vec<_> = to.lines(b).map(fingerprint).collect();
    let (n, m) = (left.len(), right.len());
    let mut score = vec![0u32; (n + 1) * (m + 1)];
    let at = |i: usize, j: usize| i * (m + 1) + j;
    let mut joined = vec![false; (n + 1) * (m + 1)];
    for i in (0..n).rev() {
        for j in (0..m).rev() {
            let skip = score[at(i + 1, j)].max(score[at(i, j + 1)]);
            let likeness = likeness(&left[i], &right[j]);
            let join = score[at(i + 1, j + 1)] + likeness;
            joined[at(i, j)] = likeness >= alike && join > skip;
            score[at(i, j)] = if joined[at(i, j)] { join } else { skip };
        }
    }
    let (mut i, mut j, mut pairs) = (0, 0, Vec::new());
    while i < n && j < m {
        if joined[at(i, j)] {
            pairs.push((LineIdx(a.start.0 + i as u32), LineIdx(b.start.0 + j as u32)));
            (i, j) = (i + 1, j + 1);
        } else if score[at(i + 1, j)] >= score[at(i, j + 1)] {
            i += 1;
        } else {
            j += 1;
        }
    }
    pairs
}

/// A line's words as sorted (hash, weight); long words weigh more than signs.
fn fingerprint(line: Line<'_>) -> Vec<(u64, u32)> {
    let content = line.content();
    let mut out: Vec<_> = solid_words(&content[..content.len().min(LONG_LINE)])
        .map(|word| {
            let mut hasher = DefaultHasher::new();
            word.hash(&mut hasher);
            (hasher.finish(), word.len().min(8) as u32)
        })
        .collect();
    out.sort_unstable();
    out
}

/// Weight of the shared words against all words, in hundredths.
fn likeness(a: &[(u64, u32)], b: &[(u64, u32)]) -> u32 {
    let total: u32 = a.iter().chain(b).map(|(_, weight)| weight).sum();
    if total == 0 {
        return 100;
    }
    let (mut i, mut j, mut shared) = (0, 0, 0);
    while let (Some(x), Some(y)) = (a.get(i), b.get(j)) {
        match x.0.cmp(&y.0) {
            std::cmp::Ordering::Less => i += 1,
            std::cmp::Ordering::Greater => j += 1,
            std::cmp::Ordering::Equal => {
                shared += x.1;
                (i, j) = (i + 1, j + 1);
            }
        }
    }
    200 * shared / total
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

/// How the words of `old` became the words of `new`, left to right.
///
/// Changes with nothing but blanks between them are told as one.
/// Lines longer than a bound are told as one change between what they share at both ends.
pub fn spans(old: &[u8], new: &[u8]) -> Vec<Span> {
    if old.len().max(new.len()) > LONG_LINE {
        return ends_only(old, new);
    }
    let (a, b) = (words(old), words(new));
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

    fn told(old: &str, new: &str) -> String {
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
            told("self.free.pop();", "self.free.pop_front();"),
            "self.free.[pop>pop_front]();"
        );
        assert_eq!(told("pop();", "pop().or(spare);"), "pop()[>.or(spare)];");
        assert_eq!(told("same", "same"), "same");
    }

    #[test]
    fn a_long_line_is_told_by_its_ends() {
        let long = |word: &str| format!("{}⚓{word}ö{}", "a b ".repeat(4000), "c d ".repeat(10));
        let (old, new) = (long("x"), long("yy"));
        let told = told(&old, &new);
        assert!(told.contains("⚓[x>yy]ö"), "{}", &told[told.len() - 80..]);
        assert_eq!(spans(old.as_bytes(), old.as_bytes()).len(), 1);
    }

    #[test]
    fn neighbouring_changes_are_one() {
        assert_eq!(
            told("let old name;", "let new label;"),
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
        let pair = Row::Reworded(LineIdx(0), LineIdx(1));
        assert_eq!(delta.rows, [Row::Added(LineIdx(0)), pair]);
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
