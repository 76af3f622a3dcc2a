//! How a side changed the indentation of rows, so that new rows of the other side can follow it.

use crate::merge::row_edits::RowEdit;
use crate::text::lines::LineIdx;
use crate::text::source::Source;
use std::collections::HashMap;

/// How one side indents what base indents otherwise.
pub(crate) struct IndentationMap<'a> {
    /// Row of base, its indentation, the side's; rows without words left out.
    rows: Vec<(LineIdx, &'a [u8], &'a [u8])>,
}

impl<'a> IndentationMap<'a> {
    pub(crate) fn new(base: &'a Source, side: &'a Source, row_edits: &[RowEdit]) -> Self {
        let row = |edit: &RowEdit| match *edit {
            RowEdit::Keep(b, s, _) => {
                let (old, new) = (base.line(b), side.line(s));
                let worded = !old.trimmed().is_empty() && !new.trimmed().is_empty();
                worded.then(|| (b, old.indent(), new.indent()))
            }
            _ => None,
        };
        IndentationMap {
            rows: row_edits.iter().filter_map(row).collect(),
        }
    }

    /// How one side indents what the other side indents otherwise; `start` tells it for the first
    /// row, in case they have no row of base in common.
    pub(crate) fn between(
        (from, ours): (&'a Source, &[RowEdit]),
        (to, theirs): (&'a Source, &[RowEdit]),
        start: (LineIdx, &'a [u8], &'a [u8]),
    ) -> Self {
        let kept: HashMap<LineIdx, LineIdx> = theirs.iter().filter_map(pair).collect();
        let both = ours.iter().filter_map(pair).filter_map(|(b, s)| {
            let (old, new) = (from.line(s), to.line(*kept.get(&b)?));
            let worded = !old.trimmed().is_empty() && !new.trimmed().is_empty();
            worded.then(|| (b, old.indent(), new.indent()))
        });
        let mut rows: Vec<_> = both.collect();
        if rows.is_empty() {
            rows.push(start);
        }
        IndentationMap { rows }
    }

    /// What became of the indentation of row `at`, if both have that row.
    pub(crate) fn row(&self, at: LineIdx, indent: &[u8]) -> Option<Vec<u8>> {
        let mut rows = self.rows.iter();
        let (_, _, new) = rows.find(|(b, old, _)| *b == at && *old == indent)?;
        Some(new.to_vec())
    }

    /// What the row nearest to `at` would make of an indentation.
    pub(crate) fn nearest(&self, at: LineIdx, indent: &[u8]) -> Option<Vec<u8>> {
        let (_, old, new) = self.rows.iter().min_by_key(|(b, ..)| b.0.abs_diff(at.0))?;
        Shift::between(old, new)?.apply(indent)
    }

    /// What this side would make of an indentation that stands before row `at` of base, in rows
    /// of which the flattest has `least`.
    ///
    /// `None` if its rows around do not agree.
    pub(crate) fn of(&self, at: LineIdx, indent: &[u8], least: &[u8]) -> Option<Vec<u8>> {
        let after = self.rows.partition_point(|(b, ..)| *b < at);
        let before = after.checked_sub(1).map(|i| self.rows[i]);
        let after = self.rows.get(after).copied();
        let moved = |row: Option<(LineIdx, &[u8], &[u8])>| row.map(|(_, old, new)| old != new);
        match (moved(before), moved(after)) {
            (None | Some(false), None | Some(false)) => return Some(indent.to_vec()),
            (Some(true) | None, Some(true) | None) => {}
            // At the edge of what was moved nobody can tell where a new row belongs.
            _ => return None,
        }
        // Less deep than all that moved: it stands outside of that.
        if self.rows.iter().all(|(_, old, _)| old.len() > least.len()) {
            return Some(indent.to_vec());
        }
        let alike = self.rows.iter().filter(|(_, old, _)| *old == indent);
        let nearest = alike.min_by_key(|(b, ..)| b.0.abs_diff(at.0));
        if let Some((_, _, new)) = nearest {
            return Some(new.to_vec());
        }
        let (_, old, new) = before.or(after)?;
        let shift = Shift::between(old, new)?;
        shift.apply(indent)
    }
}

/// A row of base and of the side, if the edit pairs them.
fn pair(edit: &RowEdit) -> Option<(LineIdx, LineIdx)> {
    match *edit {
        RowEdit::Keep(b, s, _) => Some((b, s)),
        _ => None,
    }
}

/// What turns one indentation into another.
enum Shift<'a> {
    Deeper(&'a [u8]),
    Flatter(&'a [u8]),
}

impl<'a> Shift<'a> {
    fn between(old: &'a [u8], new: &'a [u8]) -> Option<Self> {
        if let Some(more) = new.strip_suffix(old) {
            return Some(Shift::Deeper(more));
        }
        old.strip_suffix(new).map(Shift::Flatter)
    }

    fn apply(&self, indent: &[u8]) -> Option<Vec<u8>> {
        match self {
            Shift::Deeper(more) => Some([more, indent].concat()),
            Shift::Flatter(less) => indent.strip_prefix(*less).map(<[u8]>::to_vec),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::diff::hunk::Algorithm;
    use crate::merge::row_edits::row_edits;

    /// What the side makes of an indentation before a row of base.
    fn indent_of(base: &str, side: &str, at: u32, indent: &str) -> Option<String> {
        let (base, side) = (Source::from(base), Source::from(side));
        let row_edits = row_edits(&base, base.all(), &side, side.all(), Algorithm::Histogram);
        let indents = IndentationMap::new(&base, &side, &row_edits);
        let new = indents.of(LineIdx(at), indent.as_bytes(), indent.as_bytes())?;
        Some(String::from_utf8(new).unwrap())
    }

    #[test]
    fn a_new_row_follows_the_rows_around_it() {
        let (base, side) = ("\ta\n\t\tb\n\tc\n", "    a\n        b\n    c\n");
        assert_eq!(
            indent_of(base, side, 1, "\t\t"),
            Some("        ".to_owned())
        );
        // One level that no row has: what was done to its neighbours is done to it.
        let (base, side) = ("a\nb\n", "  a\n  b\n");
        assert_eq!(indent_of(base, side, 1, "  "), Some("    ".to_owned()));
        assert_eq!(
            indent_of("    a\n    b\n", "  a\n  b\n", 1, "  "),
            Some("  ".to_owned())
        );
        let (base, side) = ("    a\n    b\n", "  a\n  b\n");
        assert_eq!(indent_of(base, side, 1, "      "), Some("    ".to_owned()));
    }

    #[test]
    fn at_the_edge_of_what_moved_nobody_can_tell() {
        let (base, side) = ("a\nb\n", "a\n  b\n");
        assert_eq!(indent_of(base, side, 1, ""), None);
        assert_eq!(indent_of(base, side, 0, ""), Some(String::new()));
        assert_eq!(
            indent_of("a\nb\n", "a\nb\n", 1, "\t"),
            Some("\t".to_owned())
        );
    }
}
