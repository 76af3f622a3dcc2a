//! Pairs the lines of two texts by likeness, for lines that are not equal.

use crate::limits::{ALIGN_PAIRS, LINE_BYTES};
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::{Line, Source};
use crate::text::tokens::solid_tokens;

/// Pairs in order that together are most alike (alignment by dynamic programming).
///
/// No pair is less alike than `alike`, in hundredths.
pub(crate) fn best_pairs(
    from: &Source,
    a: LineRange,
    to: &Source,
    b: LineRange,
    alike: u32,
) -> Vec<(LineIdx, LineIdx)> {
    if a.len() * b.len() > ALIGN_PAIRS {
        return Vec::new();
    }
    let left: Vec<_> = from.lines(a).map(fingerprint).collect();
    let right: Vec<_> = to.lines(b).map(fingerprint).collect();
    if let ([x], [y]) = (&left[..], &right[..]) {
        let likeness = likeness(x, y);
        let pair = likeness > 0 && likeness >= alike;
        return if pair {
            vec![(a.start, b.start)]
        } else {
            Vec::new()
        };
    }
    let (n, m) = (left.len(), right.len());
    let mut score = vec![0u32; (n + 1) * (m + 1)];
    let at = |i: usize, j: usize| i * (m + 1) + j;
    let mut joined = vec![false; (n + 1) * (m + 1)];
    for i in (0..n).rev() {
        for j in (0..m).rev() {
            let skip = score[at(i + 1, j)].max(score[at(i, j + 1)]);
            let likeness = likeness(&left[i], &right[j]);
            let join = score[at(i + 1, j + 1)] + likeness;
            joined[at(i, j)] = likeness >= alike && join > skip;
            score[at(i, j)] = if joined[at(i, j)] { join } else { skip };
        }
    }
    let (mut i, mut j, mut pairs) = (0, 0, Vec::new());
    while i < n && j < m {
        if joined[at(i, j)] {
            pairs.push((LineIdx(a.start.0 + i as u32), LineIdx(b.start.0 + j as u32)));
            (i, j) = (i + 1, j + 1);
        } else if score[at(i + 1, j)] >= score[at(i, j + 1)] {
            i += 1;
        } else {
            j += 1;
        }
    }
    pairs
}

/// A line's words as sorted (hash, weight); long words weigh more than signs.
fn fingerprint(line: Line<'_>) -> Vec<(u64, u32)> {
    let content = line.content();
    let mut out: Vec<_> = solid_tokens(&content[..content.len().min(LINE_BYTES)])
        .map(|word| (hash(word), word.len().min(8) as u32))
        .collect();
    out.sort_unstable();
    out
}

/// FNV-1a, 64 bits: words of one hash by accident only make two lines look more alike.
fn hash(word: &[u8]) -> u64 {
    let step = |h: u64, b: &u8| (h ^ u64::from(*b)).wrapping_mul(0x0100_0000_01b3);
    word.iter().fold(0xcbf2_9ce4_8422_2325, step)
}

/// Weight of the shared words against all words, in hundredths.
fn likeness(a: &[(u64, u32)], b: &[(u64, u32)]) -> u32 {
    let total: u32 = a.iter().chain(b).map(|(_, weight)| weight).sum();
    if total == 0 {
        return 100;
    }
    let (mut i, mut j, mut shared) = (0, 0, 0);
    while let (Some(x), Some(y)) = (a.get(i), b.get(j)) {
        match x.0.cmp(&y.0) {
            std::cmp::Ordering::Less => i += 1,
            std::cmp::Ordering::Greater => j += 1,
            std::cmp::Ordering::Equal => {
                shared += x.1;
                (i, j) = (i + 1, j + 1);
            }
        }
    }
    200 * shared / total
}
