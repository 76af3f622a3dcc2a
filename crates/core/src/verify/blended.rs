//! Lines that have words of both sides: the two edits must not depend on each other.

use crate::decide::ruling::Certainty;
use crate::model::versions::Version;
use crate::text::lines::{LineIdx, LineRange};
use crate::verify::proofs::TextKind;
use crate::verify::result_lines::{Objection, ResultLines, words};
use std::collections::HashMap;
use std::ops::Range;

/// Whether two edits of base, as ranges of bytes, are in parts that do not depend on each other.
pub type Independent<'a> = dyn Fn([Range<usize>; 2]) -> bool + 'a;

/// Words that turn a meaning round.
const TURNING: [&[u8]; 12] = [
    b"!",
    b"-",
    b"~",
    b"False",
    b"True",
    b"false",
    b"not",
    b"reverse",
    b"reversed",
    b"true",
    b"unless",
    b"negate",
];

/// Returns the blended lines whose edits may depend on each other.
pub(crate) fn dependent(
    lines: &ResultLines<'_>,
    kind: TextKind,
    independent: Option<&Independent<'_>>,
) -> Vec<Objection> {
    let versions = lines.draft.plan().real_versions();
    let mut found = Vec::new();
    for (row, source) in lines.settled() {
        let is_blended = lines
            .draft
            .line(LineIdx(row))
            .is_some_and(|line| line.source.is_none());
        let rows = [Version::Base, Version::Ours, Version::Theirs]
            .map(|version| lines.row(version, source.id));
        let ([Some(base), Some(ours), Some(theirs)], true) = (rows, is_blended) else {
            continue;
        };
        let (old, ours, theirs) = (
            versions.base.line(LineIdx(base)).content(),
            versions.ours.line(LineIdx(ours)).content(),
            versions.theirs.line(LineIdx(theirs)).content(),
        );
        if ours == old || theirs == old {
            continue;
        }
        let turns = |new: &[u8]| {
            let changed = changed_words(old, new);
            kind == TextKind::Code
                && (changed.is_empty() || changed.iter().any(|word| TURNING.contains(word)))
        };
        if turns(ours) || turns(theirs) {
            let what = "has a side's words turned round or in another order, and an edit of the other side";
            found.extend(lines.objection(row, what.to_owned()));
            continue;
        }
        let start = versions.base.slice(LineRange::new(0, base)).len();
        let edits = [ours, theirs].map(|new| {
            let edit = changed_bytes(old, new);
            start + edit.start..start + edit.end
        });
        if !independent.is_some_and(|independent| independent(edits)) {
            let what = "has edits of both sides in parts that may depend on each other".to_owned();
            found.extend(lines.objection(row, what).map(|objection| Objection {
                leaves: Certainty::Likely,
                ..objection
            }));
        }
    }
    found
}

/// The words that only one of two lines has, or has more often.
fn changed_words<'a>(old: &'a [u8], new: &'a [u8]) -> Vec<&'a [u8]> {
    let mut counts: HashMap<&[u8], i32> = HashMap::new();
    words(old)
        .into_iter()
        .for_each(|word| *counts.entry(word).or_insert(0) += 1);
    words(new)
        .into_iter()
        .for_each(|word| *counts.entry(word).or_insert(0) -= 1);
    let changed = counts.into_iter().filter(|(_, count)| *count != 0);
    changed.map(|(word, _)| word).collect()
}

/// The part of a line that another line has otherwise.
fn changed_bytes(old: &[u8], new: &[u8]) -> Range<usize> {
    let before = old.iter().zip(new).take_while(|(a, b)| a == b).count();
    let most = old.len().min(new.len()) - before;
    let behind = old
        .iter()
        .rev()
        .zip(new.iter().rev())
        .take(most)
        .take_while(|(a, b)| a == b);
    before..old.len() - behind.count()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_changed_part_of_a_line_is_found() {
        assert_eq!(changed_bytes(b"f(a, b)", b"f(a, c)"), 5..6);
        assert_eq!(changed_bytes(b"f(a)", b"f(a, a)"), 3..3);
        assert_eq!(changed_bytes(b"aa", b"a"), 1..2);
        assert!(changed_words(b"f(a, b)", b"f(b, a)").is_empty());
    }
}
