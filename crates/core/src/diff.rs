//! Line differences base→side, over one interning of all three texts.
//!
//! The difference algorithms themselves are imara-diff's (histogram and Myers
//! with git's placement of hunks that could stand in several places).

use crate::lines::LineRange;
use crate::plan::Algorithm;
use crate::repetitive;
use crate::text::Source;
use imara_diff::{Diff, Interner, NoSliderHeuristic, Token};
use std::collections::HashMap;

/// One run of lines that a side changed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Hunk {
    pub(crate) base: LineRange,
    pub(crate) side: LineRange,
}

/// The lines of three texts as numbers: equal numbers, equal bytes.
pub(crate) struct Tokens {
    pub(crate) base: Vec<Token>,
    pub(crate) ours: Vec<Token>,
    pub(crate) theirs: Vec<Token>,
    pub(crate) distinct: u32,
}

impl Tokens {
    pub(crate) fn new(base: &Source, ours: &Source, theirs: &Source) -> Self {
        let mut interner = Interner::new(base.len() + base.len() / 4 + 16);
        let base_tokens: Vec<_> = base
            .lines(base.all())
            .map(|line| interner.intern(line.bytes()))
            .collect();
        let ours = follow(&mut interner, base, &base_tokens, ours);
        let theirs = follow(&mut interner, base, &base_tokens, theirs);
        Tokens {
            base: base_tokens,
            ours,
            theirs,
            distinct: interner.num_tokens(),
        }
    }
}

/// Interns `side`, guessing that each line is the base line after the last one
/// met: most are, and comparing bytes is cheaper than hashing them.
fn follow<'a>(
    interner: &mut Interner<&'a [u8]>,
    base: &Source,
    tokens: &[Token],
    side: &'a Source,
) -> Vec<Token> {
    let mut guess = 0u32;
    let mut out = Vec::with_capacity(side.len());
    for line in side.lines(side.all()) {
        let likely = tokens.get(guess as usize).copied();
        let hit = likely.filter(|_| base.line(crate::LineIdx(guess)).bytes() == line.bytes());
        let token = hit.unwrap_or_else(|| interner.intern(line.bytes()));
        guess = match hit {
            Some(_) => guess + 1,
            None => resync(tokens, guess, token),
        };
        out.push(token);
    }
    out
}

/// Where in base to go on guessing after a line that was not the guessed one.
fn resync(tokens: &[Token], guess: u32, token: Token) -> u32 {
    let near = tokens.iter().skip(guess as usize).take(8);
    match near.enumerate().find(|(_, t)| **t == token) {
        Some((ahead, _)) => guess + ahead as u32 + 1,
        None => guess,
    }
}

/// The hunks that turn `base` into `side`, in order, never touching each other.
pub(crate) fn hunks(
    base: &[Token],
    side: &[Token],
    distinct: u32,
    algorithm: Algorithm,
) -> Vec<Hunk> {
    match repetitive::is_repetitive(base, side, distinct) {
        true => repetitive::hunks(base, side),
        false => search(base, side, distinct, algorithm),
    }
}

/// The usual search over any keys.
pub(crate) fn search_dense<K: AsRef<[u8]>>(
    base: &[K],
    side: &[K],
    algorithm: Algorithm,
) -> Vec<Hunk> {
    let mut interner = Interner::new(base.len() + side.len());
    let old: Vec<_> = base.iter().map(|k| interner.intern(k.as_ref())).collect();
    let new: Vec<_> = side.iter().map(|k| interner.intern(k.as_ref())).collect();
    hunks(&old, &new, interner.num_tokens(), algorithm)
}

/// The usual search in a small part of a long text.
///
/// The search sizes its tables by the largest token; thousands of small parts
/// want small tokens.
pub(crate) fn search_small(base: &[Token], side: &[Token]) -> Vec<Hunk> {
    let whole = Hunk {
        base: LineRange::from(0..base.len()),
        side: LineRange::from(0..side.len()),
    };
    match (base.is_empty(), side.is_empty()) {
        (true, true) => return Vec::new(),
        (true, false) | (false, true) => return vec![whole],
        (false, false) => {}
    }
    let mut dense: HashMap<u32, u32> = HashMap::new();
    let mut renumber = |tokens: &[Token]| -> Vec<Token> {
        let mut number = |token: &Token| {
            let next = dense.len() as u32;
            Token(*dense.entry(token.0).or_insert(next))
        };
        tokens.iter().map(&mut number).collect()
    };
    let (base, side) = (renumber(base), renumber(side));
    search(&base, &side, dense.len() as u32, Algorithm::Myers)
}

/// The usual search, without a look at what it may cost.
pub(crate) fn search(
    base: &[Token],
    side: &[Token],
    distinct: u32,
    algorithm: Algorithm,
) -> Vec<Hunk> {
    let mut diff = Diff::default();
    let algorithm = match algorithm {
        Algorithm::Histogram => imara_diff::Algorithm::Histogram,
        Algorithm::Myers => imara_diff::Algorithm::Myers,
    };
    diff.compute_with(algorithm, base, side, distinct);
    diff.postprocess_with(base, side, NoSliderHeuristic);
    diff.hunks()
        .map(|hunk| Hunk {
            base: LineRange::new(hunk.before.start, hunk.before.end),
            side: LineRange::new(hunk.after.start, hunk.after.end),
        })
        .collect()
}

/// The runs of lines in which two texts differ: lines before, lines after.
pub fn changed_lines(before: &[&[u8]], after: &[&[u8]]) -> Vec<(LineRange, LineRange)> {
    let mut interner = Interner::new(before.len() + after.len());
    let old: Vec<_> = before.iter().map(|line| interner.intern(*line)).collect();
    let new: Vec<_> = after.iter().map(|line| interner.intern(*line)).collect();
    let hunks = hunks(&old, &new, interner.num_tokens(), Algorithm::Myers);
    hunks.into_iter().map(|h| (h.base, h.side)).collect()
}
