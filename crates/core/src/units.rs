//! What one side did to rows of base: pairs over their words, rows taken out, replaced, put in.

use crate::diff::search_dense;
use crate::layout::{formatted, requoted};
use crate::lines::{LineIdx, LineRange};
use crate::plan::{Algorithm, Versions};
use crate::resolution::Version;
use crate::rows::best_pairs;
use crate::stitch::is_name;
use crate::swaps::Swap;
use crate::text::{Line, Source};
use crate::words::{same_words, solid_words};
use std::collections::HashSet;

/// Rows less alike than this, in hundredths, are not one row re-worded.
const ALIKE: u32 = 50;
/// Bytes of a row beyond which it is not looked at for formatting.
const LONG_ROW: usize = 4_000;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Change {
    Same,
    Blank,
    /// Quotes or a trailing comma.
    Format,
    Words,
}

/// What a side did, in the order of base.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Unit {
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
    pub(crate) fn start(self) -> u32 {
        match self {
            Unit::Pair(b, ..) | Unit::Gone(b) | Unit::PutIn(b, _) => b,
            Unit::Swap(b, _) => b.start.0,
        }
    }

    pub(crate) fn end(self) -> u32 {
        match self {
            Unit::Pair(b, ..) | Unit::Gone(b) => b + 1,
            Unit::PutIn(b, _) => b,
            Unit::Swap(b, _) => b.end.0,
        }
    }

    pub(crate) fn changes(self) -> bool {
        !matches!(self, Unit::Pair(_, _, Change::Same))
    }
}

/// What a side did to some rows of base.
pub(crate) fn units(
    base: &Source,
    b: LineRange,
    side: &Source,
    s: LineRange,
    algorithm: Algorithm,
) -> Vec<Unit> {
    // Two rows of one print by accident would be paired, and told apart by their words below.
    let solid = |line: Line<'_>| -> [u8; 8] {
        let content = line
            .content()
            .iter()
            .filter(|b| !crate::text::is_blank(**b));
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
            && formatted(without_comma(old)) == formatted(without_comma(new)) =>
        {
            Change::Format
        }
        () => Change::Words,
    }
}

/// A row without a comma at its end, which may be the last of a list or not.
fn without_comma<'a>(line: Line<'a>) -> &'a [u8] {
    let content = line.content().trim_ascii_end();
    content.strip_suffix(b",").unwrap_or(content)
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
    pub(crate) fn of(units: &[Unit]) -> Self {
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

/// Rows re-worded by one side of which the other side put in something like a copy.
pub(crate) fn copied(versions: &Versions, units: &[Unit], other: Version, news: &[Unit]) -> usize {
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

/// Lines around a conflict in which names are looked for.
const NEAR: u32 = 20;
/// New rows beyond which they are taken to have names of their own.
const FEW: usize = 12;

/// New rows, and rows with new words, that use a name which the other side took out and left nowhere near.
pub(crate) fn orphaned(
    versions: &Versions,
    (side, left): (Version, LineRange),
    units: &[Unit],
    (other, news): (Version, &[Unit]),
) -> usize {
    let rows = |text: &'_ Source, lines: LineRange| -> Vec<u8> {
        let kept = text.lines(lines).map(|l| l.content().to_vec());
        kept.collect::<Vec<_>>().join(&b'\n')
    };
    let removed = units.iter().filter_map(|unit| match unit {
        Unit::Gone(b) => Some(LineRange::new(*b, b + 1)),
        Unit::Swap(b, _) => Some(*b),
        _ => None,
    });
    let removed: Vec<u8> = removed
        .flat_map(|lines| [rows(&versions.base, lines), b"\n".to_vec()].concat())
        .collect();
    if removed.is_empty() {
        return 0;
    }
    let text = versions.get(side);
    let around = LineRange::new(
        left.start.0.saturating_sub(NEAR),
        (left.end.0 + NEAR).min(text.all().end.0),
    );
    let near = rows(text, around);
    let near: HashSet<&[u8]> = solid_words(&near).collect();
    let vanished: HashSet<&[u8]> = solid_words(&removed)
        .filter(|word| word.len() > 1 && is_name(word) && !near.contains(word))
        .collect();
    let uses = |lines: LineRange| {
        let new = versions.get(other);
        let uses = |line: &Line<'_>| solid_words(line.content()).any(|w| vanished.contains(w));
        new.lines(lines).filter(uses).count()
    };
    // Rows that stayed: only words that are new in them.
    let takes_up = |b: u32, s: u32| {
        let old: HashSet<&[u8]> = solid_words(versions.base.line(LineIdx(b)).content()).collect();
        let new = solid_words(versions.get(other).line(LineIdx(s)).content());
        let mut new = new.filter(|word| !old.contains(word));
        usize::from(new.any(|word| vanished.contains(word)))
    };
    let fresh = news.iter().filter_map(|unit| match *unit {
        Unit::PutIn(_, lines) if lines.len() <= FEW => Some(uses(lines)),
        Unit::Pair(b, s, Change::Words) => Some(takes_up(b, s)),
        _ => None,
    });
    fresh.sum()
}

/// Words that begin what stands by itself.
const DECLARES: [&[u8]; 22] = [
    b"def",
    b"class",
    b"async",
    b"fn",
    b"pub",
    b"struct",
    b"enum",
    b"impl",
    b"trait",
    b"mod",
    b"use",
    b"import",
    b"from",
    b"function",
    b"export",
    b"const",
    b"let",
    b"var",
    b"static",
    b"public",
    b"private",
    b"type",
];

/// Words that begin a declaration with a body of its own.
const BODIES: [&[u8]; 9] = [
    b"def",
    b"class",
    b"fn",
    b"struct",
    b"enum",
    b"impl",
    b"trait",
    b"function",
    b"interface",
];

/// Whether rows mean the same wherever they stand: imports of a line each, or whole
/// declarations parted from what is around them by a blank row.
pub(crate) fn stands_alone(text: &Source, lines: LineRange) -> bool {
    let rows = || text.lines(lines).map(|line| line.trimmed());
    let worded = || rows().filter(|row| !row.is_empty());
    if worded().next().is_none() {
        return false;
    }
    if worded().all(is_import) {
        return true;
    }
    let edges = [rows().next(), rows().next_back()];
    let parted = edges.into_iter().flatten().any(<[u8]>::is_empty);
    let indents = text.lines(lines).filter(|line| !line.trimmed().is_empty());
    let least = indents.map(|line| line.indent().len()).min();
    let heads = text.lines(lines).filter(|line| {
        let (row, indent) = (line.trimmed(), line.indent().len());
        !row.is_empty() && Some(indent) == least
    });
    // At the outermost level there is nothing but heads, what leads to them and what closes them.
    let mut bodies = 0;
    let heads_only = heads.map(Line::trimmed).all(|row| {
        let mut words = solid_words(row).filter(|w| is_name(w)).take(4);
        let declares = words.any(|word| BODIES.contains(&word));
        bodies += usize::from(declares);
        let leads = row.starts_with(b"@") || row.starts_with(b"#") || row.starts_with(b"//");
        let shuts = row
            .iter()
            .all(|b| matches!(b, b'}' | b')' | b']' | b';' | b':' | b','));
        declares || leads || shuts
    });
    parted && heads_only && bodies > 0
}

/// Whether a row is a whole import.
fn is_import(row: &[u8]) -> bool {
    let starts = |what: &[u8]| row.starts_with(what);
    let known = starts(b"import ")
        || starts(b"use ")
        || starts(b"#include ")
        || (starts(b"from ") && row.windows(8).any(|w| w == b" import "))
        || (starts(b"const ") || starts(b"var ")) && row.windows(11).any(|w| w == b" = require(");
    known && !matches!(row.last(), Some(b'(' | b'{' | b'\\' | b','))
}

/// Whether rows belong to the one that follows them: decorators, comments, an open end.
pub(crate) fn leans(text: &Source, lines: LineRange) -> bool {
    let rows: Vec<&[u8]> = text.lines(lines).map(|l| l.trimmed()).collect();
    let mut worded = rows.iter().filter(|row| !row.is_empty());
    let Some(first) = worded.clone().next() else {
        return false;
    };
    let last = worded.next_back().unwrap_or(first);
    // A blank row parts them from what follows.
    if rows.last().is_some_and(|row| row.is_empty()) {
        return false;
    }
    let comment = |row: &[u8]| {
        [&b"#"[..], b"//", b"/*", b"*", b"--", b"\"\"\""]
            .iter()
            .any(|sign| row.starts_with(sign))
    };
    let declares = rows.iter().any(|row| {
        let word = solid_words(row).next();
        word.is_some_and(|word| DECLARES.contains(&word))
    });
    let open = matches!(
        last.last(),
        Some(b',' | b'(' | b'[' | b'{' | b'=' | b'\\' | b':')
    );
    let heads = (first.starts_with(b"@") || first.starts_with(b"#[")) && !declares;
    open || comment(last) || heads
}

/// Whether a side made double quotes of single ones throughout.
pub(crate) fn requotes(base: &Source, side: &Source, units: &[Unit]) -> bool {
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

/// The changes of words that a side made, row by row.
pub(crate) fn swaps(base: &Source, side: &Source, units: &[Unit]) -> Vec<Swap> {
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

#[cfg(test)]
mod tests {
    use super::*;

    fn whole_leans(text: &str) -> bool {
        let text = Source::from(text);
        leans(&text, text.all())
    }

    #[test]
    fn some_rows_belong_to_the_next() {
        assert!(whole_leans("@counted\n"));
        assert!(whole_leans("@counted(\n    \"calls\")\n"));
        assert!(whole_leans("#[derive(Debug)]\n"));
        assert!(whole_leans("// What follows.\n"));
        assert!(whole_leans("moor(ship,\n"));
        assert!(!whole_leans("@counted\ndef moor(ship):\n    log(ship)\n"));
        assert!(!whole_leans("// A part of its own.\n\n"));
        assert!(!whole_leans("moor(ship);\n"));
        assert!(!whole_leans("\n"));
    }

    #[test]
    fn some_rows_mean_the_same_wherever_they_stand() {
        let alone = |text: &str| {
            let text = Source::from(text);
            stands_alone(&text, text.all())
        };
        assert!(alone("from harbour import berth\nimport tide\n\n"));
        assert!(alone("const berth = require('./berth');\n"));
        assert!(alone("\n    def moor(self, ship):\n        log(ship)\n"));
        assert!(alone("#[test]\npub(crate) fn moor() {\n    log();\n}\n\n"));
        assert!(!alone("from harbour import (\n    berth,\n)\n"));
        // Not parted from what is around it, or with a statement of its own.
        assert!(!alone("def moor(self, ship):\n    log(ship)\n"));
        assert!(!alone(
            "\ndef moor(self, ship):\n    log(ship)\nmoor(tug)\n"
        ));
        assert!(!alone("pay(tide);\n"));
        assert!(!alone("\n"));
    }

    /// New rows of theirs that use what ours took out.
    fn hanging(base: &str, ours: &str, theirs: &str) -> usize {
        let versions = Versions {
            base: base.into(),
            ours: ours.into(),
            theirs: theirs.into(),
        };
        let of = |side: &Source| {
            let (base, all) = (&versions.base, side.all());
            units(base, base.all(), side, all, Algorithm::Histogram)
        };
        let (o, t) = (of(&versions.ours), of(&versions.theirs));
        let all = versions.ours.all();
        orphaned(&versions, (Version::Ours, all), &o, (Version::Theirs, &t))
    }

    #[test]
    fn new_rows_may_use_what_is_gone() {
        let base = "let berth = free.pop();\nmoor(ship);\n";
        let theirs = "let berth = free.pop();\npay(berth);\nmoor(ship);\n";
        assert_eq!(hanging(base, "moor(ship);\n", theirs), 1);
        // The name still stands near.
        assert_eq!(hanging(base, "moor(ship, berth);\n", theirs), 0);
        assert_eq!(hanging(base, base, theirs), 0);
        let theirs = "let berth = free.pop();\nmoor(ship, berth);\n";
        assert_eq!(hanging(base, "moor(ship);\n", theirs), 1);
        // Many new rows have names of their own.
        let many = format!("{theirs}{}", "log(berth);\n".repeat(FEW + 1));
        assert_eq!(hanging(base, "moor(ship);\n", &many), 1);
    }

    #[test]
    fn a_comma_at_the_end_is_formatting() {
        let (base, side) = (Source::from("    ship\n"), Source::from("    ship,\n"));
        assert_eq!(change(&base, 0, &side, 0), Change::Format);
        let other = Source::from("    tug,\n");
        assert_eq!(change(&base, 0, &other, 0), Change::Words);
    }
}
