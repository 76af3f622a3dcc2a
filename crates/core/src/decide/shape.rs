//! The shape of a decision: the same edit where both sides made the same edits to other words.
//!
//! What stands in common of a settled conflict does not matter; each place in which a side changed
//! base must be there again, with the same words taken out and put in by each side, in the same order.

use crate::diff::display::{Span, spans};
use crate::limits::LINE_BYTES;
use std::ops::Range;

/// A conflict that was settled, by its texts, and what came of it.
pub(crate) struct Settled<'a> {
    /// Base, ours and theirs.
    pub(crate) texts: [&'a [u8]; 3],
    pub(crate) result: &'a [u8],
}

/// What the same edit makes of another conflict; nothing if it is not of the same shape.
pub(crate) fn carried_over(settled: &Settled<'_>, texts: [&[u8]; 3]) -> Option<Vec<u8>> {
    let longest = settled.texts.iter().chain(&texts).map(|text| text.len());
    if longest.max()? > LINE_BYTES || settled.result.len() > LINE_BYTES {
        return None;
    }
    let [base, ours, theirs] = settled.texts;
    let sides = [edits(base, ours), edits(base, theirs)];
    let result = edits(base, settled.result);
    let places = places(&sides);
    let within = |edit: &Edit| {
        let mut all = places.iter();
        all.any(|place| place.start <= edit.base.start && edit.base.end <= place.end)
    };
    // What a person changed elsewhere belongs to that place alone.
    if places.is_empty() || !result.iter().all(within) {
        return None;
    }
    let [new_base, new_ours, new_theirs] = texts;
    let new_sides = [edits(new_base, new_ours), edits(new_base, new_theirs)];
    let new_places = self::places(&new_sides);
    if places.len() != new_places.len() {
        return None;
    }
    let mut out = Vec::new();
    let mut at = 0;
    for (place, new_place) in places.iter().zip(&new_places) {
        let same = base[place.clone()] == new_base[new_place.clone()]
            && (0..2).all(|side| {
                there(base, &sides[side], place) == there(new_base, &new_sides[side], new_place)
            });
        if !same {
            return None;
        }
        out.extend_from_slice(&new_base[at..new_place.start]);
        out.extend(there(base, &result, place));
        at = new_place.end;
    }
    out.extend_from_slice(&new_base[at..]);
    Some(out)
}

/// Bytes of base that became other bytes.
struct Edit {
    base: Range<usize>,
    to: Vec<u8>,
}

fn edits(base: &[u8], text: &[u8]) -> Vec<Edit> {
    let changed = spans(base, text).into_iter().filter_map(|span| match span {
        Span::Changed(from, to) => Some(Edit {
            base: from,
            to: text[to].to_vec(),
        }),
        Span::Kept(_) => None,
    });
    changed.collect()
}

/// The places of base that any side changed, in order; those that touch are one.
fn places(sides: &[Vec<Edit>; 2]) -> Vec<Range<usize>> {
    let mut all: Vec<Range<usize>> = sides
        .iter()
        .flatten()
        .map(|edit| edit.base.clone())
        .collect();
    all.sort_by_key(|range| (range.start, range.end));
    let mut out: Vec<Range<usize>> = Vec::new();
    for range in all {
        match out.last_mut() {
            Some(last) if range.start <= last.end => last.end = last.end.max(range.end),
            _ => out.push(range),
        }
    }
    out
}

/// What a text has at a place of base.
fn there(base: &[u8], edits: &[Edit], place: &Range<usize>) -> Vec<u8> {
    let mut out = Vec::new();
    let mut at = place.start;
    for edit in edits {
        if edit.base.start < place.start || edit.base.end > place.end {
            continue;
        }
        out.extend_from_slice(&base[at..edit.base.start]);
        out.extend_from_slice(&edit.to);
        at = edit.base.end;
    }
    out.extend_from_slice(&base[at..place.end]);
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn carried(settled: [&str; 3], result: &str, texts: [&str; 3]) -> Option<String> {
        let settled = Settled {
            texts: settled.map(str::as_bytes),
            result: result.as_bytes(),
        };
        let out = carried_over(&settled, texts.map(str::as_bytes))?;
        Some(String::from_utf8(out).unwrap())
    }

    #[test]
    fn the_same_edit_stands_among_other_words() {
        let one = [
            "def ships(self):\n",
            "def ships(self, timeout=10):\n",
            "def ships(self, per_page=50):\n",
        ];
        let result = "def ships(self, timeout=10, per_page=50):\n";
        let other = [
            "def tides(self, day, place):\n",
            "def tides(self, day, place, timeout=10):\n",
            "def tides(self, day, place, per_page=50):\n",
        ];
        assert_eq!(
            carried(one, result, other).as_deref(),
            Some("def tides(self, day, place, timeout=10, per_page=50):\n")
        );
        // Another value is another edit.
        let differs = [
            other[0],
            "def tides(self, day, place, timeout=20):\n",
            other[2],
        ];
        assert_eq!(carried(one, result, differs), None);
    }

    #[test]
    fn what_was_written_beside_it_stays_there() {
        let one = ["a(x)\n", "a(x, b)\n", "a(x, c)\n"];
        let other = ["d(y)\n", "d(y, b)\n", "d(y, c)\n"];
        assert_eq!(carried(one, "renamed(x, b, c)\n", other), None);
        assert_eq!(
            carried(one, "a(x, b, c)\n", other).as_deref(),
            Some("d(y, b, c)\n")
        );
        assert_eq!(
            carried(one, "a(x, b, c)\n", ["d(y)\n", "d(y)\n", "d(y, c)\n"]),
            None
        );
    }
}
