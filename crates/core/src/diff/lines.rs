//! The lines that differ between two texts, however they repeat.

use crate::diff::hunk::{Algorithm, Hunk};
use crate::diff::repetitive;
use crate::diff::search::{search, search_short};
use crate::text::lines::LineRange;
use imara_diff::{Interner, Token};
use std::hash::Hash;

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

/// Whether two texts can be matched in one way only: what has no partner stands nowhere in the
/// other text, nor among the lines that have one.
///
/// No other difference matches as many lines. `distinct` is greater than every
/// symbol; time and space are linear.
pub(crate) fn is_only_difference(
    hunks: &[Hunk],
    base: &[Token],
    side: &[Token],
    distinct: u32,
) -> bool {
    let mut unmatched = vec![false; distinct as usize];
    let mut mark = |tokens: &[Token]| tokens.iter().for_each(|t| unmatched[t.0 as usize] = true);
    for hunk in hunks {
        mark(&base[hunk.base.span()]);
    }
    let unmatched_in_base = unmatched.clone();
    let is_of_base = |token: &Token| unmatched_in_base[token.0 as usize];
    for hunk in hunks {
        let new = &side[hunk.side.span()];
        if new.iter().any(is_of_base) {
            return false;
        }
        new.iter().for_each(|t| unmatched[t.0 as usize] = true);
    }
    let recurs = |tokens: &[Token]| tokens.iter().any(|t| unmatched[t.0 as usize]);
    let mut rest = 0;
    let between = hunks.iter().any(|hunk| {
        let matched = rest..hunk.base.start.0 as usize;
        rest = hunk.base.end.0 as usize;
        recurs(&base[matched])
    });
    !between && !recurs(&base[rest..])
}

/// The hunks between two sequences of any keys.
pub(crate) fn hunks_of_keys<K: Hash + Eq>(
    base: &[K],
    side: &[K],
    algorithm: Algorithm,
) -> Vec<Hunk> {
    let mut interner = Interner::new(base.len() + side.len());
    let old: Vec<_> = base.iter().map(|k| interner.intern(k)).collect();
    let new: Vec<_> = side.iter().map(|k| interner.intern(k)).collect();
    let distinct = interner.num_tokens();
    match repetitive::is_repetitive(&old, &new, distinct) {
        true => repetitive::hunks(&old, &new),
        false => search_short(&old, &new, distinct, algorithm),
    }
}

/// The runs of lines in which two texts differ, as few and short as may be: lines before, lines after.
///
/// Myers, "An O(ND) difference algorithm and its variations", Algorithmica 1, 1986.
///
/// ```
/// use armistice_core::{LineRange, changed_lines};
/// let runs = changed_lines(&[b"a", b"b", b"c"], &[b"a", b"c", b"d"]);
/// assert_eq!(runs, [
///     (LineRange::new(1, 2), LineRange::new(1, 1)),
///     (LineRange::new(3, 3), LineRange::new(2, 3)),
/// ]);
/// ```
pub fn changed_lines(before: &[&[u8]], after: &[&[u8]]) -> Vec<(LineRange, LineRange)> {
    let mut interner = Interner::new(before.len() + after.len());
    let old: Vec<_> = before.iter().map(|line| interner.intern(*line)).collect();
    let new: Vec<_> = after.iter().map(|line| interner.intern(*line)).collect();
    let hunks = hunks(&old, &new, interner.num_tokens(), Algorithm::Myers);
    hunks.into_iter().map(|h| (h.base, h.side)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn tokens(letters: &str) -> Vec<Token> {
        letters.bytes().map(|b| Token(u32::from(b))).collect()
    }

    #[test]
    fn lines_that_recur_can_be_matched_in_several_ways() {
        for (base, side, only) in [
            ("abc", "abc", true),
            ("abc", "aXc", true),
            ("abc", "XYZ", true),
            ("abac", "Xabac", true),
            // Either of two equal lines may be the one that is gone, or new.
            ("aab", "ab", false),
            ("ab", "aab", false),
            // Either of two lines that changed places may be the one that stayed.
            ("abc", "bac", false),
        ] {
            let (base, side) = (tokens(base), tokens(side));
            let hunks = hunks(&base, &side, 256, Algorithm::Myers);
            let said = is_only_difference(&hunks, &base, &side, 256);
            assert_eq!(said, only, "{base:?} {side:?}");
        }
    }

    proptest! {
        #[test]
        fn where_there_is_one_way_any_other_matches_less(
            base in "[a-m]{0,14}",
            side in "[a-r]{0,14}",
        ) {
            let (base, side) = (tokens(&base), tokens(&side));
            let by = |algorithm| hunks(&base, &side, 256, algorithm);
            let gone = |hunks: &[Hunk]| hunks.iter().map(|h| h.base.len()).sum::<usize>();
            let (short, rare) = (by(Algorithm::Myers), by(Algorithm::Histogram));
            if is_only_difference(&short, &base, &side, 256) {
                prop_assert!(short == rare || gone(&short) < gone(&rare));
            }
        }
    }
}
