//! What a settled conflict must prove, whichever rule settled it.

use crate::decide::ruling::Certainty;
use crate::draft::merged_text::Draft;
use crate::plan::build::Plan;
use crate::verify::bindings::{VersionNames, unbound, without_anchor};
use crate::verify::blended::dependent;
use crate::verify::coupled::{coupled, outgrown_counts, same_numbers, uneven_rows};
use crate::verify::merge_texts::{MergeTexts, TextKind};
use crate::verify::misdirected::{EditCounts, misdirected};
use crate::verify::order::{Position, out_of_order};
use crate::verify::result_lines::{Objection, Pairing, ResultLines};
use crate::verify::scope::out_of_scope;
use std::cell::OnceCell;

/// Checks the drafts of one plan. What the versions alone say is worked out once.
pub struct Proofs<'a> {
    pairing: Pairing<'a>,
    names: OnceCell<VersionNames<'a>>,
    edits: OnceCell<EditCounts<'a>>,
    plan: &'a Plan,
}

impl<'a> Proofs<'a> {
    /// The proofs of a plan.
    pub fn new(plan: &'a Plan) -> Self {
        Proofs {
            pairing: Pairing::new(plan),
            names: OnceCell::new(),
            edits: OnceCell::new(),
            plan,
        }
    }

    /// Returns the lines of settled conflicts, and lines beside them, that are not as their authors have
    /// them: in another block, without a name that they use, or apart from an edit that they belong to.
    ///
    /// The draft must be of the same plan. A conflict of which a line is listed is not settled for certain.
    pub fn objections(
        &self,
        draft: &Draft,
        texts: &MergeTexts<'_>,
        kind: TextKind,
    ) -> Vec<Objection> {
        let lines = &ResultLines::new(draft, &self.pairing);
        let mut found = out_of_scope(lines, texts);
        let edits = self
            .edits
            .get_or_init(|| EditCounts::new(self.plan, texts.versions));
        match edits.are_of(texts.versions) {
            true => found.extend(misdirected(lines, texts, edits)),
            false => {
                let edits = EditCounts::new(self.plan, texts.versions);
                found.extend(misdirected(lines, texts, &edits));
            }
        }
        match kind {
            TextKind::Code => {
                let names = self.names.get_or_init(|| VersionNames::new(&self.pairing));
                found.extend(unbound(lines, names));
            }
            TextKind::Table(separator) => found.extend(uneven_rows(lines, separator)),
            TextKind::Yaml => found.extend(without_anchor(lines)),
            TextKind::Other => {}
        }
        found.extend(coupled(lines, kind));
        found.extend(outgrown_counts(lines, texts.result));
        found.extend(same_numbers(lines, texts.result));
        found.extend(dependent(lines, kind, texts.independent));
        let beside = out_of_order(lines, texts.positions).into_iter();
        found.extend(beside.map(|(objection, position)| Objection {
            leaves: match position {
                Position::Unknown => Certainty::Likely,
                Position::Ordered | Position::Free => Certainty::Hint,
            },
            ..objection
        }));
        found
    }
}
