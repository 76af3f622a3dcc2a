//! Merging import lines: the names of each are merged as a set, not as text.

use crate::limits::IMPORT_COLUMNS;
use crate::text::language::import_names;
use crate::text::source::Line;

/// What became of the names of one line.
pub(crate) struct Merged {
    /// The words of the line.
    pub(crate) words: Vec<u8>,
    /// Whether an order that all keep placed every name, and the line is not too long for it.
    pub(crate) sure: bool,
}

/// Merges the names of one line that all three have; `None` if it is no such line, or both put
/// different names in at the same place.
pub(crate) fn merge_import_list(
    base: Line<'_>,
    ours: Line<'_>,
    theirs: Line<'_>,
) -> Option<Merged> {
    let [ours, theirs] = [List::of(ours)?, List::of(theirs)?];
    let base = List::of(base).or_else(|| List::of_one(base, &ours))?;
    merged(&base, &ours, &theirs)
}

/// The same for a line that both put in.
pub(crate) fn merge_new_import_list(ours: Line<'_>, theirs: Line<'_>) -> Option<Merged> {
    let [ours, theirs] = [List::of(ours)?, List::of(theirs)?];
    let none = List {
        names: Vec::new(),
        ..ours.clone()
    };
    let merged = merged(&none, &ours, &theirs)?;
    Some(Merged {
        sure: false,
        ..merged
    })
}

fn merged(base: &List<'_>, ours: &List<'_>, theirs: &List<'_>) -> Option<Merged> {
    let frame = |l: &List<'_>| (l.head.to_vec(), l.tail.to_vec());
    if frame(ours) != frame(theirs) || frame(ours) != frame(base) {
        return None;
    }
    let (names, sorted) = merge(base, ours, theirs)?;
    let words = ours.with(&names);
    let longest = [ours, theirs].map(|l| l.line.content().len());
    let wide = longest
        .into_iter()
        .max()
        .unwrap_or_default()
        .max(IMPORT_COLUMNS);
    let fits = ours.line.indent().len() + words.len() <= wide;
    Some(Merged {
        words,
        sure: sorted && fits,
    })
}

/// A line that brings names in.
#[derive(Clone)]
struct List<'a> {
    line: Line<'a>,
    /// From the first word to the first name.
    head: &'a [u8],
    names: Vec<&'a [u8]>,
    /// From behind the last name.
    tail: &'a [u8],
}

impl<'a> List<'a> {
    fn of(line: Line<'a>) -> Option<Self> {
        let text = line.trimmed();
        let std::ops::Range {
            start: from,
            end: to,
        } = import_names(text)?;
        let inner = text.get(from..to)?;
        let (inner, before) = (
            inner.trim_ascii(),
            inner.len() - inner.trim_ascii_start().len(),
        );
        let start = from + before;
        let names: Vec<&[u8]> = inner
            .split(|b| *b == b',')
            .map(<[u8]>::trim_ascii)
            .collect();
        let name = |name: &&[u8]| {
            !name.is_empty()
                && name
                    .iter()
                    .all(|b| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'$' | b' ' | b':'))
        };
        names.iter().all(name).then(|| List {
            line,
            head: &text[..start],
            names,
            tail: &text[start + inner.len()..],
        })
    }

    /// A line that brings in one name without braces, as a list like another.
    fn of_one(line: Line<'a>, like: &List<'a>) -> Option<Self> {
        let (head, tail) = (like.head.strip_suffix(b"{")?, like.tail.strip_prefix(b"}")?);
        let name = line.trimmed().strip_prefix(head)?.strip_suffix(tail)?;
        let plain = name.iter().all(|b| b.is_ascii_alphanumeric() || *b == b'_');
        (plain && !name.is_empty()).then(|| List {
            line,
            head: like.head,
            names: vec![name],
            tail: like.tail,
        })
    }

    /// The words of the line with other names.
    fn with(&self, names: &[&[u8]]) -> Vec<u8> {
        [self.head, &names.join(&b", "[..]), self.tail].concat()
    }

    fn has(&self, name: &[u8]) -> bool {
        self.names.contains(&name)
    }

    /// Names that base has not, each with the one before it.
    fn added(&self, base: &List<'_>) -> Vec<(Option<&'a [u8]>, &'a [u8])> {
        let before = std::iter::once(None).chain(self.names.iter().copied().map(Some));
        let all = before.zip(self.names.iter().copied());
        all.filter(|(_, name)| !base.has(name)).collect()
    }
}

/// The names that stand in the end, and whether an order that all keep placed them.
fn merge<'a>(base: &List<'a>, ours: &List<'a>, theirs: &List<'a>) -> Option<(Vec<&'a [u8]>, bool)> {
    let stays = |name: &&[u8]| !base.has(name) || theirs.has(name);
    let mut names: Vec<&[u8]> = ours.names.iter().copied().filter(stays).collect();
    let new = theirs.added(base);
    let new: Vec<_> = new
        .into_iter()
        .filter(|(_, name)| !ours.has(name))
        .collect();
    let letters = |name: &&[u8]| name.to_ascii_lowercase();
    let by_bytes = [base, ours, theirs].iter().all(|l| l.names.is_sorted());
    let by_letters = [base, ours, theirs]
        .iter()
        .all(|l| l.names.is_sorted_by_key(letters));
    if by_bytes || by_letters {
        names.extend(new.iter().map(|(_, name)| *name));
        let mut other = names.clone();
        names.sort_unstable();
        other.sort_by_key(letters);
        let sure = !(by_bytes && by_letters) || names == other;
        return Some((if by_bytes { names } else { other }, sure));
    }
    let mine = ours.added(base);
    for (before, name) in new {
        // Two names put in at one place: which comes first only a person knows.
        if mine.iter().any(|(other, _)| *other == before) {
            return None;
        }
        let at = match before {
            None => 0,
            Some(before) => names.iter().position(|n| *n == before)? + 1,
        };
        names.insert(at, name);
    }
    (!names.is_empty()).then_some((names, false))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn merged_text(base: &str, ours: &str, theirs: &str) -> Option<(String, bool)> {
        let line = |text: &'static str| Line::new(text.as_bytes());
        let [base, ours, theirs] =
            [base, ours, theirs].map(|text| line(Box::leak(text.to_owned().into_boxed_str())));
        let merged = merge_import_list(base, ours, theirs)?;
        Some((String::from_utf8(merged.words).unwrap(), merged.sure))
    }

    #[test]
    fn what_one_took_out_is_gone_and_what_one_put_in_is_there() {
        let of = |names: &str| format!("use harbour::{{{names}}};\n");
        let merged = |base, ours, theirs| merged_text(&of(base), &of(ours), &of(theirs));
        let one = |names: &str, sure| Some((of(names).trim().to_owned(), sure));
        assert_eq!(
            merged("berth, quay", "berth", "berth, quay, tide"),
            one("berth, tide", true)
        );
        assert_eq!(
            merged("quay, berth", "quay, berth, crane", "pilot, quay, berth"),
            one("pilot, quay, berth, crane", false)
        );
        // Put in at one place: which comes first only a person knows.
        assert_eq!(
            merged("quay, berth", "quay, berth, crane", "quay, berth, ferry"),
            None
        );
        // Names from elsewhere.
        let other = "use office::{berth, quay};\n";
        assert_eq!(merged_text(&of("berth"), &of("berth, quay"), other), None);
        assert_eq!(
            merged_text("moor(a)\n", "moor(a, b)\n", "moor(a, c)\n"),
            None
        );
    }

    #[test]
    fn a_line_that_becomes_too_long_may_be_laid_out_otherwise() {
        let of = |names: &[&str]| format!("from harbour import {}\n", names.join(", "));
        let long = ["anchor_chain_of_the_north", "berth_of_the_pilot"];
        let (ours, theirs) = (
            of(&[long[0], long[1], "crane_of_the_quay"]),
            of(&["a_buoy_of_brass", long[0], long[1]]),
        );
        let (text, sure) = merged_text(&of(&long), &ours, &theirs).unwrap();
        assert!(text.len() > IMPORT_COLUMNS && !sure, "{text}");
    }
}
