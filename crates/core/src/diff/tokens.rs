//! What each side did to the words of base, and whether one change holds the other.

use crate::diff::hunk::Hunk;
use crate::diff::search::search_small;
use crate::model::side::Side;
use crate::text::tokens::is_space;
use crate::text::tokens::words;
use imara_diff::{Interner, Token};
use std::ops::Range;

/// Bytes beyond which a text is not merged.
pub(crate) const LONG: usize = 60_000;

pub(crate) struct TokenText<'a> {
    bytes: &'a [u8],
    /// Each word with the blanks in front of it: blanks, word. The last has no word.
    cells: Vec<(Range<usize>, Range<usize>)>,
}

impl<'a> TokenText<'a> {
    pub(crate) fn new(bytes: &'a [u8]) -> Self {
        let mut cells = Vec::new();
        let mut from = 0;
        for word in words(bytes) {
            if !bytes[word.clone()].iter().all(|b| is_space(*b)) {
                cells.push((from..word.start, word.clone()));
                from = word.end;
            }
        }
        cells.push((from..bytes.len(), bytes.len()..bytes.len()));
        TokenText { bytes, cells }
    }

    pub(crate) fn len(&self) -> usize {
        self.cells.len() - 1
    }

    pub(crate) fn blank(&self, at: usize) -> &'a [u8] {
        &self.bytes[self.cells[at].0.clone()]
    }

    pub(crate) fn word(&self, at: usize) -> &'a [u8] {
        &self.bytes[self.cells[at].1.clone()]
    }

    /// TokenText `range` with what stands between them, without the blanks before the first.
    pub(crate) fn run(&self, range: Range<usize>) -> &'a [u8] {
        match range.is_empty() {
            true => b"",
            false => &self.bytes[self.cells[range.start].1.start..self.cells[range.end - 1].1.end],
        }
    }

    pub(crate) fn tokens(&self, interner: &mut Interner<&'a [u8]>) -> Vec<Token> {
        (0..self.len())
            .map(|at| interner.intern(self.word(at)))
            .collect()
    }
}

/// TokenText that a side must have put in where nothing was, for the other to be said to have them too.
const SAID: usize = 3;

/// What each side did to the words of base.
pub(crate) struct TokenDiff<'a> {
    base: TokenText<'a>,
    sides: [TokenText<'a>; 2],
    tokens: [Vec<Token>; 3],
    hunks: [Vec<Hunk>; 2],
}

impl<'a> TokenDiff<'a> {
    /// `None` if a text is too long.
    pub(crate) fn new(base: &'a [u8], ours: &'a [u8], theirs: &'a [u8]) -> Option<Self> {
        if base.len().max(ours.len()).max(theirs.len()) > LONG {
            return None;
        }
        let (base, sides) = (TokenText::new(base), [ours, theirs].map(TokenText::new));
        let mut interner = Interner::new(base.len() * 2 + 8);
        let tokens = [&base, &sides[0], &sides[1]].map(|words| words.tokens(&mut interner));
        let hunks = [1, 2].map(|side| search_small(&tokens[0], &tokens[side]));
        Some(TokenDiff {
            base,
            sides,
            tokens,
            hunks,
        })
    }

    /// The runs of words that a side took out and what it put there.
    pub(crate) fn changes(&self, side: Side) -> Vec<(&'a [u8], &'a [u8])> {
        let at = usize::from(side == Side::Theirs);
        let run = |h: &Hunk| {
            (
                self.base.run(h.base.span()),
                self.sides[at].run(h.side.span()),
            )
        };
        self.hunks[at].iter().map(run).collect()
    }

    /// The side that has every change of words which the other made, and more; and whether it
    /// made just these changes and others elsewhere, so that nothing the other said is said otherwise.
    pub(crate) fn covering(&self) -> Option<(Side, bool)> {
        let [b, o, t] = &self.tokens;
        let [by_ours, by_theirs] = &self.hunks;
        if by_ours.is_empty() || by_theirs.is_empty() || o == t {
            return None;
        }
        match (
            covers(b, (t, by_theirs), (o, by_ours)),
            covers(b, (o, by_ours), (t, by_theirs)),
        ) {
            (true, false) => Some((Side::Ours, is_close((t, by_theirs), (o, by_ours)))),
            (false, true) => Some((Side::Theirs, is_close((o, by_ours), (t, by_theirs)))),
            _ => None,
        }
    }
}

/// Whether `more` put in what `less` did and no more there, and next to nothing where `less` only
/// took words out.
fn is_close((l, less): (&[Token], &[Hunk]), (m, more): (&[Token], &[Hunk])) -> bool {
    let mut said = less.iter().filter(|hunk| !hunk.side.is_empty());
    let same = |a: &Hunk| {
        let same = |b: &Hunk| a.base == b.base && l[a.side.span()] == m[b.side.span()];
        more.iter().any(same)
    };
    if !said.all(same) {
        return false;
    }
    let taken_out = less.iter().filter(|hunk| hunk.side.is_empty());
    let mut rewritten = taken_out.flat_map(|out| {
        let out = out.base.span();
        more.iter().filter(move |hunk| {
            let words = hunk.base.span();
            words.start < out.end && out.start < words.end
        })
    });
    !rewritten.any(|hunk| hunk.side.len() > SAID)
}

/// Whether `more` has every change of words that `less` made of base.
fn covers(b: &[Token], (l, less): (&[Token], &[Hunk]), (m, more): (&[Token], &[Hunk])) -> bool {
    // Most changes that do not hold the other's do not even touch its first.
    let touches = |hunk: &Hunk| {
        let first = less[0].base;
        hunk.base.start <= first.end && first.start <= hunk.base.end
    };
    let slid = less[0].side.is_empty();
    if !slid && !more.iter().any(touches) {
        return false;
    }
    let mut gone = vec![false; b.len()];
    for hunk in more {
        gone[hunk.base.span()].fill(true);
    }
    less.iter().all(|hunk| {
        let (out, come) = (hunk.base.span(), &l[hunk.side.span()]);
        if come.is_empty() {
            // A run taken out of like words may be any of several.
            return slides(b, out).any(|out| {
                let shorter = more.iter().any(|hunk| {
                    let words = hunk.base.span();
                    let meets = words.start < out.end && out.start < words.end;
                    meets && hunk.side.len() < words.len()
                });
                shorter && gone[out].iter().all(|gone| *gone)
            });
        }
        let said = come.len() >= SAID || !b.is_empty();
        let has = |hunk: &Hunk| {
            let (words, new) = (hunk.base.span(), &m[hunk.side.span()]);
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
