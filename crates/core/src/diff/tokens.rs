//! A text cut into tokens, what each side did to those of base, and whether one change holds the other.

use crate::diff::hunk::{Algorithm, TokenHunk};
use crate::diff::search::search_short;
use crate::limits::{SAID_WORDS, TOKEN_BYTES};
use crate::model::side::{PerSide, Side};
use crate::text::tokens::{is_space, token_ranges};
use imara_diff::{Interner, Token};
use std::ops::Range;

/// A text as a run of words, each with the blanks (line ends included) in front of it.
pub(crate) struct TokenText<'a> {
    bytes: &'a [u8],
    /// The words in order; what stands between two of them is blank.
    words: Vec<Range<usize>>,
}

impl<'a> TokenText<'a> {
    pub(crate) fn new(bytes: &'a [u8]) -> Self {
        let mut words = token_ranges(bytes);
        words.retain(|word| !is_space(bytes[word.start]));
        TokenText { bytes, words }
    }

    /// How many words it has.
    pub(crate) fn len(&self) -> usize {
        self.words.len()
    }

    /// The blanks in front of a word; those at the end if `at` is the number of words.
    pub(crate) fn blank(&self, at: usize) -> &'a [u8] {
        let from = at.checked_sub(1).map_or(0, |before| self.words[before].end);
        let to = self
            .words
            .get(at)
            .map_or(self.bytes.len(), |word| word.start);
        &self.bytes[from..to]
    }

    pub(crate) fn word(&self, at: usize) -> &'a [u8] {
        match self.words.get(at) {
            Some(word) => &self.bytes[word.clone()],
            None => b"",
        }
    }

    /// Words `range` with what stands between them, without the blanks before the first.
    pub(crate) fn run(&self, range: Range<usize>) -> &'a [u8] {
        match range.is_empty() {
            true => b"",
            false => &self.bytes[self.words[range.start].start..self.words[range.end - 1].end],
        }
    }

    /// The words as symbols: equal symbols, equal words.
    pub(crate) fn symbols(&self, interner: &mut Interner<&'a [u8]>) -> Vec<Token> {
        let words = self.words.iter();
        words
            .map(|word| interner.intern(&self.bytes[word.clone()]))
            .collect()
    }
}

/// What each side did to the words of base.
pub(crate) struct TokenDiff<'a> {
    pub(crate) base: TokenText<'a>,
    pub(crate) sides: PerSide<TokenText<'a>>,
    /// The words of base, and of each side.
    symbols: (Vec<Token>, PerSide<Vec<Token>>),
    pub(crate) hunks: PerSide<Vec<TokenHunk>>,
}

/// One side's words and what it did to base.
type Changed<'a> = (&'a [Token], &'a [TokenHunk]);

impl<'a> TokenDiff<'a> {
    /// `None` if a text is longer than [`TOKEN_BYTES`].
    pub(crate) fn new(base: &'a [u8], ours: &'a [u8], theirs: &'a [u8]) -> Option<Self> {
        if base.len().max(ours.len()).max(theirs.len()) > TOKEN_BYTES {
            return None;
        }
        let base = TokenText::new(base);
        let sides = PerSide::new(ours, theirs).map(TokenText::new);
        let mut interner = Interner::new(base.len() * 2 + 8);
        let own = base.symbols(&mut interner);
        let symbols = sides.as_ref().map(|text| text.symbols(&mut interner));
        let distinct = interner.num_tokens();
        let hunks = symbols
            .as_ref()
            .map(|side| search_short(&own, side, distinct, Algorithm::Myers));
        Some(TokenDiff {
            base,
            sides,
            symbols: (own, symbols),
            hunks,
        })
    }

    /// The runs of words that a side took out and what it put there.
    pub(crate) fn changes(&self, side: Side) -> Vec<(&'a [u8], &'a [u8])> {
        let run = |h: &TokenHunk| {
            let (old, new) = (h.base.clone(), h.side.clone());
            (self.base.run(old), self.sides[side].run(new))
        };
        self.hunks[side].iter().map(run).collect()
    }

    /// The side that has every change of words which the other made, and more; and whether it
    /// made just these changes and others elsewhere, so that nothing the other said is said otherwise.
    pub(crate) fn covering(&self) -> Option<(Side, bool)> {
        let (base, symbols) = (&self.symbols.0, &self.symbols.1);
        if self.hunks.iter().any(Vec::is_empty) || symbols.ours == symbols.theirs {
            return None;
        }
        let of = |side: Side| (symbols[side].as_slice(), self.hunks[side].as_slice());
        let covers = |more: Side| covers(base, of(more.other()), of(more));
        let more = match (covers(Side::Ours), covers(Side::Theirs)) {
            (true, false) => Side::Ours,
            (false, true) => Side::Theirs,
            _ => return None,
        };
        Some((more, is_close(of(more.other()), of(more))))
    }
}

/// Whether `more` put in what `less` did and no more there, and nothing where `less` only took words
/// out.
fn is_close((l, less): Changed<'_>, (m, more): Changed<'_>) -> bool {
    let mut said = less.iter().filter(|hunk| !hunk.side.is_empty());
    let same = |a: &TokenHunk| {
        let same = |b: &TokenHunk| a.base == b.base && l[a.side.clone()] == m[b.side.clone()];
        more.iter().any(same)
    };
    if !said.all(same) {
        return false;
    }
    let taken_out = less.iter().filter(|hunk| hunk.side.is_empty());
    let mut rewritten = taken_out.flat_map(|out| {
        let out = out.base.clone();
        more.iter().filter(move |hunk| {
            let words = hunk.base.clone();
            words.start < out.end && out.start < words.end
        })
    });
    !rewritten.any(|hunk| !hunk.side.is_empty())
}

/// Whether `more` has every change of words that `less` made of base.
fn covers(b: &[Token], (l, less): Changed<'_>, (m, more): Changed<'_>) -> bool {
    // Most changes that do not hold the other's do not even touch its first.
    let touches = |hunk: &TokenHunk| {
        let first = &less[0].base;
        hunk.base.start <= first.end && first.start <= hunk.base.end
    };
    let slid = less[0].side.is_empty();
    if !slid && !more.iter().any(touches) {
        return false;
    }
    let mut gone = vec![false; b.len()];
    for hunk in more {
        gone[hunk.base.clone()].fill(true);
    }
    less.iter().all(|hunk| {
        let (out, come) = (hunk.base.clone(), &l[hunk.side.clone()]);
        if come.is_empty() {
            // A run taken out of like words may be any of several.
            return slides(b, out).any(|out| {
                let shorter = more.iter().any(|hunk| {
                    let words = hunk.base.clone();
                    let meets = words.start < out.end && out.start < words.end;
                    meets && hunk.side.len() < words.len()
                });
                shorter && gone[out].iter().all(|gone| *gone)
            });
        }
        let said = come.len() >= SAID_WORDS || !b.is_empty();
        let has = |hunk: &TokenHunk| {
            let (words, new) = (hunk.base.clone(), &m[hunk.side.clone()]);
            let around = words.start <= out.start && out.end <= words.end;
            around && new.windows(come.len()).any(|run| run == come)
        };
        said && gone[out.clone()].iter().all(|gone| *gone) && more.iter().any(has)
    })
}

/// A run of words and the same words beside it.
fn slides(words: &[Token], run: Range<usize>) -> impl Iterator<Item = Range<usize>> {
    let left = (0..run.start)
        .rev()
        .zip((0..run.end).rev())
        .take_while(|(a, b)| words[*a] == words[*b])
        .count();
    let right = (run.start..words.len())
        .zip(run.end..words.len())
        .take_while(|(a, b)| words[*a] == words[*b])
        .count();
    (run.start - left..=run.start + right).map(move |at| at..at + run.len())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_change_may_hold_the_other() {
        let holds = |base: &str, less: &str, more: &str| {
            let diff = TokenDiff::new(base.as_bytes(), less.as_bytes(), more.as_bytes());
            let found = diff.unwrap().covering();
            found.is_some_and(|(side, _)| side == Side::Theirs)
        };
        let base = "slot = berths[at].write().unwrap();";
        assert!(holds(
            base,
            "slot = berths[at].write();",
            "slot = berths[at].lock();"
        ));
        assert!(!holds(
            base,
            "slot = berths[at].lock();",
            "slot = berths[at].write();"
        ));
        assert!(holds(
            "moor(a, b)",
            "moor(a, b, tide)",
            "moor(a, b, tide, pilot)"
        ));
        assert!(!holds(
            "moor(a, b)",
            "moor(a, b, low)",
            "moor(a, b, tide, pilot)"
        ));
        // What one rewrote, the other took out: neither has the other's change.
        assert!(!holds("log(a)\n", "", "log(b)\n"));
        assert!(!holds("log(a)\n", "", "trace(b, c, d, e)\n"));
        assert!(!holds("a", "a", "b"));
    }

    #[test]
    fn what_was_rewritten_may_say_it_otherwise() {
        let close = |base: &str, less: &str, more: &str| {
            let diff = TokenDiff::new(base.as_bytes(), less.as_bytes(), more.as_bytes());
            diff.unwrap().covering()
        };
        let base = "check(ship); moor(ship);";
        assert_eq!(
            close(base, "moor(ship);", "moor(tug);"),
            Some((Side::Theirs, true))
        );
        let base = "wait for the tide and the wind moor(ship);";
        let rewritten = "then all lamps out moor(ship);";
        assert_eq!(
            close(base, "moor(ship);", rewritten).map(|(_, close)| close),
            Some(false)
        );
    }
}
