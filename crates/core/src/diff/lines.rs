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
