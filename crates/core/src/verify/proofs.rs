//! What a settled conflict must prove, whichever rule settled it.

use crate::decide::ruling::Certainty;
use crate::draft::merged_text::Draft;
use crate::verify::bindings::{unbound, without_anchor};
use crate::verify::blended::dependent;
use crate::verify::coupled::{coupled, uneven_rows};
use crate::verify::merge_texts::{MergeTexts, TextKind};
use crate::verify::order::{Position, out_of_order};
use crate::verify::result_lines::{Objection, ResultLines};
use crate::verify::scope::out_of_scope;

/// Returns the lines of settled conflicts, and lines beside them, that are not as their authors have them:
/// in another block, without a name that they use, or apart from an edit that they belong to.
///
/// A conflict of which a line is listed is not settled for certain.
pub fn objections(draft: &Draft, texts: &MergeTexts<'_>, kind: TextKind) -> Vec<Objection> {
    let lines = ResultLines::new(draft);
    let mut found = out_of_scope(&lines, texts);
    match kind {
        TextKind::Code => found.extend(unbound(&lines)),
        TextKind::Table(separator) => found.extend(uneven_rows(&lines, separator)),
        TextKind::Yaml => found.extend(without_anchor(&lines)),
        TextKind::Other => {}
    }
    found.extend(coupled(&lines, kind));
    found.extend(dependent(&lines, kind, texts.independent));
    let beside = out_of_order(&lines, texts.positions).into_iter();
    found.extend(beside.map(|(objection, position)| Objection {
        leaves: match position {
            Position::Unknown => Certainty::Likely,
            Position::Ordered | Position::Free => Certainty::Hint,
        },
        ..objection
    }));
    found
}
