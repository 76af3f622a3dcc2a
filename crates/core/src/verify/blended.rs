//! Lines that have words of both sides: the two edits must not depend on each other.

use crate::decide::ruling::Certainty;
use crate::model::versions::Version;
use crate::text::language::is_comment;
use crate::text::lines::{LineIdx, LineRange};
use crate::verify::bindings::is_member;
use crate::verify::merge_texts::{Independent, TextKind};
use crate::verify::result_lines::{Objection, ProofKind, ResultLines, words};
use std::collections::HashMap;
use std::ops::Range;

/// Words that reverse or join a meaning.
const TURNING: [&[u8]; 13] = [
    b"and",
    b"or",
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
        let is_blended = lines.line(row).is_some_and(|line| line.source.is_none());
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
        // One side may have changed only the layout.
        if words(ours) == words(old) || words(theirs) == words(old) {
            continue;
        }
        let turns = |new: &[u8], other: &[u8]| {
            if is_clause(old, new) {
                return false;
            }
            let changed = changed_words(old, new);
            // A comparison and a condition beside it are two.
            if is_clause(old, other) && changed.iter().all(|(word, _)| compares(word)) {
                return changed.is_empty();
            }
            let is_code = kind == TextKind::Code && !is_comment(old.trim_ascii());
            is_code && (changed.is_empty() || turns_round(&changed))
        };
        if turns(ours, theirs) || turns(theirs, ours) {
            let what = "has words that one side negated, joined or reordered, and an edit of the other side";
            found.extend(lines.objection(ProofKind::Independence, row, what.to_owned()));
            continue;
        }
        let start = versions.base.slice(LineRange::new(0, base)).len();
        let edits = [ours, theirs].map(|new| {
            let edit = changed_bytes(old, new);
            start + edit.start..start + edit.end
        });
        if !independent.is_some_and(|independent| independent(edits)) {
            let what = "has edits of both sides in parts that may depend on each other".to_owned();
            found.extend(
                lines
                    .objection(ProofKind::Independence, row, what)
                    .map(|objection| Objection {
                        leaves: Certainty::Likely,
                        ..objection
                    }),
            );
        }
    }
    found
}

/// Whether a line only has another condition at the end of those it had.
fn is_clause(old: &[u8], new: &[u8]) -> bool {
    let edit = changed_bytes(old, new);
    let put_in = &new[edit.start..new.len() - (old.len() - edit.end)];
    let first = words(put_in).first().copied();
    edit.is_empty() && matches!(first, Some(b"and" | b"or" | b"&" | b"|"))
}

/// Whether a sign is part of a comparison.
fn compares(word: &[u8]) -> bool {
    matches!(word, b"<" | b">" | b"=")
}

/// Whether words that one line has more often than another negate, compare or join otherwise.
fn turns_round(changed: &[(&[u8], i32)]) -> bool {
    let turns = |(word, count): &(&[u8], i32)| match *word {
        // Twice it asserts.
        b"!" => count % 2 != 0,
        // Once it is a reference or a type.
        b"&" | b"|" => count % 2 == 0,
        word => TURNING.contains(&word),
    };
    changed.iter().any(turns) || changed.iter().all(|(word, _)| compares(word))
}

/// The words that one of two lines has more often, with how much more often the first has them.
fn changed_words<'a>(old: &'a [u8], new: &'a [u8]) -> Vec<(&'a [u8], i32)> {
    let mut counts: HashMap<&[u8], i32> = HashMap::new();
    // A method called `or` or `not` joins and negates nothing.
    for (line, step) in [(old, 1), (new, -1)] {
        for word in words(line)
            .into_iter()
            .filter(|word| !(TURNING.contains(word) && is_member(line, word)))
        {
            *counts.entry(word).or_insert(0) += step;
        }
    }
    counts
        .into_iter()
        .filter(|(_, count)| *count != 0)
        .collect()
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
