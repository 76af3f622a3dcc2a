//! The lines of three texts as symbols: numbers that are equal where the lines are.

use crate::text::lines::LineIdx;
use crate::text::source::Source;
use imara_diff::{Interner, Token};

/// The lines of three texts as numbers: equal numbers, equal bytes.
pub(crate) struct InternedLines {
    pub(crate) base: Vec<Token>,
    pub(crate) ours: Vec<Token>,
    pub(crate) theirs: Vec<Token>,
    pub(crate) distinct: u32,
}

impl InternedLines {
    pub(crate) fn new(base: &Source, ours: &Source, theirs: &Source) -> Self {
        let mut interner = Interner::new(base.len() + base.len() / 4 + 16);
        let base_tokens: Vec<_> = base
            .lines(base.all())
            .map(|line| interner.intern(line.bytes()))
            .collect();
        let ours = follow(&mut interner, base, &base_tokens, ours);
        let theirs = follow(&mut interner, base, &base_tokens, theirs);
        InternedLines {
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
        let hit = likely.filter(|_| base.line(LineIdx(guess)).bytes() == line.bytes());
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
