//! Line differences base→side, over one interning of all three texts.
//!
//! The difference algorithms themselves are imara-diff's (histogram and Myers
//! with git's placement of hunks that could stand in several places).

use crate::diff::hunk::{Algorithm, Hunk};
use crate::text::lines::LineRange;
use imara_diff::{Diff, NoSliderHeuristic, Token};
use std::collections::HashMap;

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
