//! The search for the shortest difference, over symbols.
//!
//! The algorithms themselves are imara-diff's (histogram and Myers with git's
//! placement of hunks that could stand in several places). Not here: texts
//! that repeat so much that searching takes too long (`repetitive`).

use crate::diff::hunk::{Algorithm, Hunk};
use imara_diff::{Diff, NoSliderHeuristic, Token};
use std::collections::HashMap;
use std::ops::Range;

/// The difference of two short sequences; `distinct` is greater than every symbol in them.
pub(crate) fn search_short<R: From<Range<usize>>>(
    base: &[Token],
    side: &[Token],
    distinct: u32,
    algorithm: Algorithm,
) -> Vec<Hunk<R>> {
    let head = base.iter().zip(side).take_while(|(a, b)| a == b).count();
    let (old, new) = (&base[head..], &side[head..]);
    let ends = old.iter().rev().zip(new.iter().rev());
    let tail = ends.take_while(|(a, b)| a == b).count();
    let (old, new) = (head..base.len() - tail, head..side.len() - tail);
    match (old.len(), new.len()) {
        (0, 0) => Vec::new(),
        // Nothing is left to be matched.
        (0, _) | (_, 0) | (1, 1) => vec![Hunk {
            base: R::from(old),
            side: R::from(new),
        }],
        _ => search(base, side, distinct, algorithm),
    }
}

/// The difference of a small part of a long text.
///
/// The search sizes its tables by the largest symbol; thousands of small parts
/// want small symbols.
pub(crate) fn search_part<R: From<Range<usize>>>(base: &[Token], side: &[Token]) -> Vec<Hunk<R>> {
    let mut dense: HashMap<u32, u32> = HashMap::new();
    let mut renumber = |symbols: &[Token]| -> Vec<Token> {
        let mut number = |symbol: &Token| {
            let next = dense.len() as u32;
            Token(*dense.entry(symbol.0).or_insert(next))
        };
        symbols.iter().map(&mut number).collect()
    };
    let (base, side) = (renumber(base), renumber(side));
    search_short(&base, &side, dense.len() as u32, Algorithm::Myers)
}

/// The difference of two sequences, without a look at what it may cost.
pub(crate) fn search<R: From<Range<usize>>>(
    base: &[Token],
    side: &[Token],
    distinct: u32,
    algorithm: Algorithm,
) -> Vec<Hunk<R>> {
    let mut diff = Diff::default();
    let algorithm = match algorithm {
        Algorithm::Histogram => imara_diff::Algorithm::Histogram,
        Algorithm::Myers => imara_diff::Algorithm::Myers,
    };
    diff.compute_with(algorithm, base, side, distinct);
    diff.postprocess_with(base, side, NoSliderHeuristic);
    let range = |r: Range<u32>| R::from(r.start as usize..r.end as usize);
    diff.hunks()
        .map(|hunk| Hunk {
            base: range(hunk.before),
            side: range(hunk.after),
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::diff::hunk::TokenHunk;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn short_cuts_give_what_the_search_gives(
            base in prop::collection::vec(0u32..4, 0..8),
            side in prop::collection::vec(0u32..4, 0..8),
        ) {
            let [base, side] = [base, side].map(|v| v.into_iter().map(Token).collect::<Vec<_>>());
            for algorithm in [Algorithm::Histogram, Algorithm::Myers] {
                let short: Vec<TokenHunk> = search_short(&base, &side, 4, algorithm);
                prop_assert_eq!(short, search(&base, &side, 4, algorithm));
            }
            let part: Vec<TokenHunk> = search_part(&base, &side);
            prop_assert_eq!(part, search(&base, &side, 4, Algorithm::Myers));
        }
    }
}
