//! Whether rows that one side inserted depend on rows that the other side changed.

use crate::limits::{NAME_LINES, NEW_NAME_ROWS};
use crate::merge::row_edits::{RowChange, RowEdit};
use crate::model::versions::{Version, Versions};
use crate::text::language::{begins_declaration, has_body, is_comment, is_import};
use crate::text::lines::LineRange;
use crate::text::source::{Line, Source};
use crate::text::tokens::{is_name, solid_tokens};
use std::collections::HashSet;

/// Rows re-worded by one side of which the other side put in something like a copy.
pub(crate) fn copied(
    versions: &Versions,
    row_edits: &[RowEdit],
    (other, news): (Version, &[RowEdit]),
) -> usize {
    let new_rows = news.iter().flat_map(|edit| match edit {
        RowEdit::Insert(_, lines) | RowEdit::Replace(_, lines) => versions.get(other).slice(*lines),
        _ => b"",
    });
    let new_rows: Vec<u8> = new_rows.copied().collect();
    if new_rows.is_empty() {
        return 0;
    }
    let known: HashSet<&[u8]> = solid_tokens(&new_rows).collect();
    let is_copied = |edit: &&RowEdit| match edit {
        RowEdit::Keep(b, _, RowChange::Wording) => {
            let row = versions.base.line(*b).trimmed();
            let names: HashSet<&[u8]> = solid_tokens(row).filter(|w| is_name(w)).collect();
            let shared = names.iter().filter(|name| known.contains(**name)).count();
            names.len() >= 3 && shared * 10 >= names.len() * 7
        }
        _ => false,
    };
    row_edits.iter().filter(is_copied).count()
}

/// New rows, and rows with new words, that use a name which the other side took out and left nowhere near.
pub(crate) fn orphaned(
    versions: &Versions,
    (side, left): (Version, LineRange),
    row_edits: &[RowEdit],
    (other, news): (Version, &[RowEdit]),
) -> usize {
    let removed = row_edits.iter().filter_map(|edit| match edit {
        RowEdit::Delete(b) => Some(LineRange::one(*b)),
        RowEdit::Replace(b, _) => Some(*b),
        _ => None,
    });
    let removed = removed.flat_map(|lines| versions.base.lines(lines).flat_map(names));
    let removed: HashSet<&[u8]> = removed.collect();
    if removed.is_empty() {
        return 0;
    }
    let used = new_uses(versions, (other, news), &removed);
    if used.is_empty() {
        return 0;
    }
    let text = versions.get(side);
    let around = LineRange::new(
        left.start.0.saturating_sub(NAME_LINES),
        (left.end.0 + NAME_LINES).min(text.all().end.0),
    );
    let near: HashSet<&[u8]> = text.lines(around).flat_map(names).collect();
    let vanished = |used: &&Vec<&[u8]>| used.iter().any(|name| !near.contains(name));
    used.iter().filter(vanished).count()
}

/// The removed names that each new row uses; of rows that stayed, only the words that are new in
/// them. Rows that use none are left out.
fn new_uses<'a>(
    versions: &'a Versions,
    (other, news): (Version, &[RowEdit]),
    removed: &HashSet<&[u8]>,
) -> Vec<Vec<&'a [u8]>> {
    let text = versions.get(other);
    let mut used: Vec<Vec<&[u8]>> = Vec::new();
    for edit in news {
        match *edit {
            RowEdit::Insert(_, lines) if lines.len() <= NEW_NAME_ROWS => {
                let rows = text.lines(lines);
                used.extend(rows.map(|row| names(row).filter(|n| removed.contains(n)).collect()));
            }
            RowEdit::Keep(b, s, RowChange::Wording) => {
                let old = versions.base.line(b);
                let new = names(text.line(s)).filter(|n| removed.contains(n));
                used.push(new.filter(|n| names(old).all(|o| o != *n)).collect());
            }
            _ => {}
        }
    }
    used.retain(|names| !names.is_empty());
    used
}

/// The names in a line, single letters left out.
fn names(line: Line<'_>) -> impl Iterator<Item = &[u8]> {
    let words = solid_tokens(line.content());
    words.filter(|word| word.len() > 1 && is_name(word))
}

/// Whether rows mean the same wherever they stand: imports of a line each, or whole
/// declarations parted from what is around them by a blank row.
pub(crate) fn is_self_contained(text: &Source, lines: LineRange) -> bool {
    let rows = || text.lines(lines).map(|line| line.trimmed());
    let worded = || rows().filter(|row| !row.is_empty());
    if worded().next().is_none() {
        return false;
    }
    if worded().all(is_import) {
        return true;
    }
    let edges = [rows().next(), rows().next_back()];
    let parted = edges.into_iter().flatten().any(<[u8]>::is_empty);
    let indents = text.lines(lines).filter(|line| !line.trimmed().is_empty());
    let least = indents.map(|line| line.indent().len()).min();
    let heads = text.lines(lines).filter(|line| {
        let (row, indent) = (line.trimmed(), line.indent().len());
        !row.is_empty() && Some(indent) == least
    });
    // At the outermost level there is nothing but heads, what leads to them and what closes them.
    let mut bodies = 0;
    let heads_only = heads.map(Line::trimmed).all(|row| {
        let mut words = solid_tokens(row).filter(|w| is_name(w)).take(4);
        let declares = words.any(has_body);
        bodies += usize::from(declares);
        let leads = row.starts_with(b"@") || row.starts_with(b"#") || row.starts_with(b"//");
        let shuts = row
            .iter()
            .all(|b| matches!(b, b'}' | b')' | b']' | b';' | b':' | b','));
        declares || leads || shuts
    });
    parted && heads_only && bodies > 0
}

/// Whether rows belong to the one that follows them: decorators, comments, an open end.
pub(crate) fn attaches_to_next(text: &Source, lines: LineRange) -> bool {
    let rows: Vec<&[u8]> = text.lines(lines).map(|l| l.trimmed()).collect();
    let mut worded = rows.iter().filter(|row| !row.is_empty());
    let Some(first) = worded.clone().next() else {
        return false;
    };
    let last = worded.next_back().unwrap_or(first);
    // A blank row parts them from what follows.
    if rows.last().is_some_and(|row| row.is_empty()) {
        return false;
    }
    let declares = rows.iter().any(|row| {
        let word = solid_tokens(row).next();
        word.is_some_and(begins_declaration)
    });
    let open = matches!(
        last.last(),
        Some(b',' | b'(' | b'[' | b'{' | b'=' | b'\\' | b':')
    );
    let heads = (first.starts_with(b"@") || first.starts_with(b"#[")) && !declares;
    open || is_comment(last) || heads
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::diff::hunk::Algorithm;
    use crate::merge::row_edits::row_edits;

    fn whole_leans(text: &str) -> bool {
        let text = Source::from(text);
        attaches_to_next(&text, text.all())
    }

    #[test]
    fn some_rows_belong_to_the_next() {
        assert!(whole_leans("@counted\n"));
        assert!(whole_leans("@counted(\n    \"calls\")\n"));
        assert!(whole_leans("#[derive(Debug)]\n"));
        assert!(whole_leans("// What follows.\n"));
        assert!(whole_leans("moor(ship,\n"));
        assert!(!whole_leans("@counted\ndef moor(ship):\n    log(ship)\n"));
        assert!(!whole_leans("// A part of its own.\n\n"));
        assert!(!whole_leans("moor(ship);\n"));
        assert!(!whole_leans("\n"));
    }

    #[test]
    fn some_rows_mean_the_same_wherever_they_stand() {
        let alone = |text: &str| {
            let text = Source::from(text);
            is_self_contained(&text, text.all())
        };
        assert!(alone("from harbour import berth\nimport tide\n\n"));
        assert!(alone("const berth = require('./berth');\n"));
        assert!(alone("\n    def moor(self, ship):\n        log(ship)\n"));
        assert!(alone("#[test]\npub(crate) fn moor() {\n    log();\n}\n\n"));
        assert!(!alone("from harbour import (\n    berth,\n)\n"));
        // Not parted from what is around it, or with a statement of its own.
        assert!(!alone("def moor(self, ship):\n    log(ship)\n"));
        assert!(!alone(
            "\ndef moor(self, ship):\n    log(ship)\nmoor(tug)\n"
        ));
        assert!(!alone("pay(tide);\n"));
        assert!(!alone("\n"));
    }

    /// New rows of theirs that use what ours took out.
    fn hanging(base: &str, ours: &str, theirs: &str) -> usize {
        let versions = Versions {
            base: base.into(),
            ours: ours.into(),
            theirs: theirs.into(),
        };
        let of = |side: &Source| {
            let (base, all) = (&versions.base, side.all());
            row_edits(base, base.all(), side, all, Algorithm::Histogram)
        };
        let (o, t) = (of(&versions.ours), of(&versions.theirs));
        let all = versions.ours.all();
        orphaned(&versions, (Version::Ours, all), &o, (Version::Theirs, &t))
    }

    #[test]
    fn new_rows_may_use_what_is_gone() {
        let base = "let berth = free.pop();\nmoor(ship);\n";
        let theirs = "let berth = free.pop();\npay(berth);\nmoor(ship);\n";
        assert_eq!(hanging(base, "moor(ship);\n", theirs), 1);
        // The name still stands near.
        assert_eq!(hanging(base, "moor(ship, berth);\n", theirs), 0);
        assert_eq!(hanging(base, base, theirs), 0);
        let theirs = "let berth = free.pop();\nmoor(ship, berth);\n";
        assert_eq!(hanging(base, "moor(ship);\n", theirs), 1);
        // Many new rows have names of their own.
        let many = format!("{theirs}{}", "log(berth);\n".repeat(NEW_NAME_ROWS + 1));
        assert_eq!(hanging(base, "moor(ship);\n", &many), 1);
    }
}
