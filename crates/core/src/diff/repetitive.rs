//! Differences of long texts with few distinct lines, in bounded time.
//!
//! On such texts the usual search degenerates: every line matches almost
//! everywhere. Here the two texts are walked side by side instead; where they
//! part, the nearest place is taken at which a run of lines agrees again. The
//! answer is coarser than the shortest one, and linear in the length.

use crate::diff::hunk::Hunk;
use crate::diff::search::search_part;
use crate::limits::{
    REPETITIVE_BLOCK, REPETITIVE_LINES, REPETITIVE_NEAR, REPETITIVE_RATIO, REPETITIVE_RUN,
};
use crate::text::lines::LineRange;
use imara_diff::Token;
use std::collections::HashMap;
use std::hash::{BuildHasherDefault, Hasher};

/// Whether the usual search would take too long.
pub(crate) fn is_repetitive(base: &[Token], side: &[Token], distinct: u32) -> bool {
    let lines = base.len().max(side.len());
    lines > REPETITIVE_LINES && lines / REPETITIVE_RATIO > distinct as usize
}

/// The hunks that turn `base` into `side`, in order, never touching each other.
pub(crate) fn hunks(base: &[Token], side: &[Token]) -> Vec<Hunk> {
    let mut out = Vec::new();
    let (mut i, mut j) = (0, 0);
    while i < base.len() || j < side.len() {
        let same = agreement(&base[i..], &side[j..]);
        (i, j) = (i + same, j + same);
        let (a, b) = apart(&base[i..], &side[j..]);
        for hunk in search_part(&base[i..i + a], &side[j..j + b]) {
            push(&mut out, shifted(hunk, i, j));
        }
        (i, j) = (i + a, j + b);
    }
    out
}

fn agreement(a: &[Token], b: &[Token]) -> usize {
    a.iter().zip(b).take_while(|(x, y)| x == y).count()
}

/// How many lines of each to skip until a run agrees again.
fn apart(a: &[Token], b: &[Token]) -> (usize, usize) {
    let agrees =
        |i: usize, j: usize| match (a.get(i..i + REPETITIVE_RUN), b.get(j..j + REPETITIVE_RUN)) {
            (Some(x), Some(y)) => x == y,
            _ => false,
        };
    let sums = 1..=REPETITIVE_NEAR.min(a.len() + b.len());
    let near = |sum| (0..=sum).map(move |i| (i, sum - i));
    if let Some(found) = sums.flat_map(near).find(|(i, j)| agrees(*i, *j)) {
        return found;
    }
    // Windows grow with the distance, so that looking costs no more than what is skipped.
    let mut window = 4 * REPETITIVE_RUN;
    loop {
        if let Some(found) = nearest_run(a, b, window) {
            return found;
        }
        if window >= a.len().max(b.len()) {
            return (a.len().min(REPETITIVE_BLOCK), b.len().min(REPETITIVE_BLOCK));
        }
        window *= 4;
    }
}

/// The nearest places, both within `window` lines, from which a run agrees.
fn nearest_run(a: &[Token], b: &[Token], window: usize) -> Option<(usize, usize)> {
    let mut places: HashMap<u64, usize, BuildHasherDefault<Mixed>> = HashMap::default();
    for (j, hash) in run_hashes(b).take(window).enumerate() {
        places.entry(hash).or_insert(j);
    }
    let stands = |i: usize, j: usize| a[i..i + REPETITIVE_RUN] == b[j..j + REPETITIVE_RUN];
    let mut best: Option<(usize, usize)> = None;
    for (i, hash) in run_hashes(a).take(window).enumerate() {
        if best.is_some_and(|(x, y)| i >= x + y) {
            break;
        }
        if let Some(j) = places.get(&hash)
            && best.is_none_or(|(x, y)| i + j < x + y)
            && stands(i, *j)
        {
            best = Some((i, *j));
        }
    }
    best
}

/// Hashes of all runs in order, each worked out from the one before.
///
/// Karp and Rabin, "Efficient randomized pattern-matching algorithms", IBM Journal 31(2), 1987.
fn run_hashes(tokens: &[Token]) -> impl Iterator<Item = u64> {
    const FACTOR: u64 = 0x9e37_79b9_7f4a_7c15;
    let add = |hash: u64, token: &Token| {
        hash.wrapping_mul(FACTOR)
            .wrapping_add(u64::from(token.0) + 1)
    };
    let highest = FACTOR.wrapping_pow(REPETITIVE_RUN as u32 - 1);
    let mut hash = 0;
    (0..tokens.len()).filter_map(move |at| {
        if let Some(first) = at.checked_sub(REPETITIVE_RUN) {
            let gone = (u64::from(tokens[first].0) + 1).wrapping_mul(highest);
            hash = u64::wrapping_sub(hash, gone);
        }
        hash = add(hash, &tokens[at]);
        (at + 1 >= REPETITIVE_RUN).then_some(hash)
    })
}

/// A hasher for what is a hash already.
#[derive(Default)]
struct Mixed(u64);

impl Hasher for Mixed {
    fn finish(&self) -> u64 {
        self.0
    }

    fn write(&mut self, bytes: &[u8]) {
        bytes.iter().for_each(|b| self.write_u64(u64::from(*b)));
    }

    fn write_u64(&mut self, hash: u64) {
        let mixed = (self.0 ^ hash ^ (hash >> 32)).wrapping_mul(0xd6e8_feb8_6659_fd93);
        self.0 = mixed ^ (mixed >> 32);
    }
}

fn shifted(hunk: Hunk, i: usize, j: usize) -> Hunk {
    let shift = |lines: LineRange, by: usize| {
        let by = by as u32;
        LineRange::new(lines.start.0 + by, lines.end.0 + by)
    };
    Hunk {
        base: shift(hunk.base, i),
        side: shift(hunk.side, j),
    }
}

/// Hunks of neighbouring blocks may touch; they are one then.
fn push(out: &mut Vec<Hunk>, hunk: Hunk) {
    match out.last_mut() {
        Some(last) if last.base.end == hunk.base.start && last.side.end == hunk.side.start => {
            last.base.end = hunk.base.end;
            last.side.end = hunk.side.end;
        }
        _ => out.push(hunk),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn tokens(numbers: &[u32]) -> Vec<Token> {
        numbers.iter().map(|n| Token(*n)).collect()
    }

    fn applied(base: &[Token], side: &[Token], hunks: &[Hunk]) -> Vec<Token> {
        let (mut out, mut at) = (Vec::new(), 0);
        for hunk in hunks {
            out.extend_from_slice(&base[at..hunk.base.start.0 as usize]);
            out.extend_from_slice(&side[hunk.side.span()]);
            at = hunk.base.end.0 as usize;
        }
        out.extend_from_slice(&base[at..]);
        out
    }

    proptest! {
        #[test]
        fn the_hunks_turn_base_into_the_side(
            base in prop::collection::vec(0u32..3, 0..300),
            side in prop::collection::vec(0u32..3, 0..300),
        ) {
            let (base, side) = (tokens(&base), tokens(&side));
            let hunks = hunks(&base, &side);
            prop_assert_eq!(applied(&base, &side, &hunks), side);
        }

        #[test]
        fn an_edit_of_one_line_is_one_hunk(n in 40usize..400, at in 0usize..40) {
            let base: Vec<_> = (0..n as u32).map(|i| i * i % 5).collect();
            let mut side = base.clone();
            side[at] = 9;
            let (base, side) = (tokens(&base), tokens(&side));
            prop_assert_eq!(hunks(&base, &side).len(), 1);
        }
    }

    #[test]
    fn a_long_removal_does_not_upset_the_rest() {
        let mut seed = 7u32;
        let mut number = || {
            seed ^= seed << 13;
            seed ^= seed >> 17;
            seed ^= seed << 5;
            seed % 40
        };
        let text: Vec<u32> = (0..6000).map(|_| number()).collect();
        let mut side = text.clone();
        side.drain(1000..2500);
        side[3000] = 99;
        let hunks = hunks(&tokens(&text), &tokens(&side));
        assert_eq!(hunks.len(), 2, "{hunks:?}");
        assert_eq!(hunks[0].base.len(), 1500);
    }

    #[test]
    fn ordinary_and_short_texts_go_the_usual_way() {
        let few = tokens(&vec![1; 100]);
        assert!(!is_repetitive(&few, &few, 1));
        let many = tokens(&(0..5000).collect::<Vec<_>>());
        assert!(!is_repetitive(&many, &many, 5000));
        let same = tokens(&vec![1; 5000]);
        assert!(is_repetitive(&same, &same, 2));
    }
}
