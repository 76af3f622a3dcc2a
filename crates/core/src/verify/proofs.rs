//! What a settled conflict must prove, whichever rule settled it.

use crate::decide::ruling::Certainty;
use crate::draft::merged_text::Draft;
use crate::verify::bindings::unbound;
use crate::verify::blended::dependent;
use crate::verify::coupled::{coupled, uneven_rows};
use crate::verify::order::{Position, out_of_order};
use crate::verify::result_lines::{Objection, ResultLines};
use crate::verify::scope::{ScopeTexts, out_of_scope};

/// What kind of text a merged file is, as far as the proofs go.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TextKind {
    /// A programming or style language: lines use names that others declare.
    Code,
    /// Rows of fields, parted by this byte.
    Table(u8),
    /// Anything else.
    Other,
}

impl TextKind {
    /// The kind of a file; `is_code` says whether it is in a language with names.
    pub fn of(path: &str, is_code: bool) -> Self {
        let end = path.rsplit('.').next().unwrap_or_default();
        match end {
            "csv" => TextKind::Table(b','),
            "tsv" | "tab" => TextKind::Table(b'\t'),
            "psv" | "md" | "markdown" => TextKind::Table(b'|'),
            "sql" | "hs" | "kt" | "kts" | "scala" | "swift" | "dart" | "ex" | "erl" | "lua"
            | "r" | "jl" | "ml" | "fs" | "vb" | "zig" | "nim" | "pl" | "pm" => TextKind::Code,
            _ if is_code => TextKind::Code,
            _ => TextKind::Other,
        }
    }
}

/// Returns the lines of settled conflicts, and lines beside them, that are not as their authors have them:
/// in another block, without a name that they use, or apart from an edit that they belong to.
///
/// A conflict of which a line is listed is not settled for certain.
pub fn objections(draft: &Draft, texts: &ScopeTexts<'_>, kind: TextKind) -> Vec<Objection> {
    let lines = ResultLines::new(draft);
    let mut found = out_of_scope(&lines, texts);
    match kind {
        TextKind::Code => found.extend(unbound(&lines)),
        TextKind::Table(separator) => found.extend(uneven_rows(&lines, separator)),
        TextKind::Other => {}
    }
    found.extend(coupled(&lines, kind));
    found.extend(dependent(&lines, kind, texts.independent));
    let beside = texts
        .positions
        .map(|positions| out_of_order(&lines, positions));
    found.extend(
        beside
            .into_iter()
            .flatten()
            .map(|(objection, position)| Objection {
                leaves: match position {
                    Position::Unknown => Certainty::Likely,
                    Position::Ordered | Position::Free => Certainty::Hint,
                },
                ..objection
            }),
    );
    found
}
