//! An outline by indentation alone, for texts that no parser is known for: it says that it is one.

use crate::outline::declaration::{Declaration, Outline};
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::Source;

/// Blocks of a text: a line, and the deeper lines below it up to what closes them.
///
/// Each is called by its first line. Lines right above that stand at the same depth, as comments do,
/// belong to it.
///
/// ```
/// use armistice_core::outline_by_indentation;
/// let text = "# berths\nmoor ship:\n    look at the tide\n\npay:\n    now\n".into();
/// let outline = outline_by_indentation(&text);
/// let names: Vec<_> = outline.declarations().iter().map(|d| d.name.as_str()).collect();
/// assert_eq!(names, ["moor ship:", "pay:"]);
/// assert!(!outline.is_parsed());
/// ```
pub fn outline_by_indentation(text: &Source) -> Outline {
    let rows: Vec<Row> = text
        .lines(text.all())
        .map(|line| Row {
            depth: line.indent().len(),
            is_blank: line.trimmed().is_empty(),
            closes: closes(line.trimmed()),
        })
        .collect();
    Outline::new(blocks(text, &rows), text.len(), false)
}

struct Row {
    depth: usize,
    is_blank: bool,
    /// Whether it ends a block instead of beginning something.
    closes: bool,
}

fn closes(row: &[u8]) -> bool {
    let word = row.split(|b| !b.is_ascii_alphanumeric()).next();
    matches!(row.first(), Some(b'}' | b')' | b']'))
        || matches!(word, Some(b"end" | b"fi" | b"done" | b"esac"))
}

/// The outermost blocks: lines without indentation that deeper ones follow.
fn blocks(text: &Source, rows: &[Row]) -> Vec<Declaration> {
    let mut out = Vec::new();
    // Where the lines began that belong to the next block if it follows without a blank line.
    let mut leading = 0;
    let mut at = 0;
    while at < rows.len() {
        let row = &rows[at];
        if row.is_blank || row.depth > 0 || row.closes {
            at += 1;
            leading = at;
            continue;
        }
        let end = block_end(rows, at);
        if end > at + 1 {
            let name = String::from_utf8_lossy(text.line(LineIdx(at as u32)).trimmed());
            out.push(Declaration {
                kind: "block",
                name: name.into_owned(),
                signature: String::new(),
                lines: LineRange::from(leading..end),
                starts: LineIdx(at as u32),
                inner: Vec::new(),
            });
            leading = end;
        }
        at = end;
    }
    out
}

/// The line behind a block that begins at `at`.
fn block_end(rows: &[Row], at: usize) -> usize {
    let mut end = at + 1;
    let mut next = end;
    while let Some(row) = rows.get(next) {
        match (row.is_blank, row.depth > rows[at].depth, row.closes) {
            (true, ..) => {}
            (_, true, _) => end = next + 1,
            // What closes it is its last line.
            (.., true) if end > at + 1 => return next + 1,
            _ => break,
        }
        next += 1;
    }
    end
}
