//! Rule: one side removed what the other only reformatted.

use crate::decide::resolution::Resolution;
use crate::decide::ruling::Certainty::Certain;
use crate::model::side::{PerSide, Side};
use crate::rules::conflict::Conflict;
use crate::rules::rule::{Example, Proposal, Rule, RuleContext};

pub(crate) struct Removed;

impl Rule for Removed {
    fn id(&self) -> &'static str {
        "removed"
    }

    fn title(&self) -> &'static str {
        "removed against re-indented"
    }

    fn propose(&self, conflict: &Conflict<'_>, context: &RuleContext) -> Option<Proposal> {
        let stats = conflict.stats()?;
        let PerSide { ours, theirs } = stats.sides;
        let side = match () {
            () if ours.only_deletes() && theirs.only_whitespace() => Side::Ours,
            () if theirs.only_deletes() && ours.only_whitespace() => Side::Theirs,
            () => return None,
        };
        if stats.deleted_respaced == 0 || stats.adjacent > 0 {
            return None;
        }
        let reason = format!(
            "{} removed lines in which {} changed only white space",
            context.label(side),
            context.label(side.other())
        );
        let resolution = match conflict.merged_resolution()? {
            Resolution::Segments(segments) if segments.is_empty() => Resolution::Drop,
            resolution => resolution,
        };
        Some(Proposal::certain(resolution, reason))
    }

    fn examples(&self) -> &'static [Example] {
        &[
            Example {
                path: "a.rs",
                base: "moor(ship);\n",
                ours: "",
                theirs: "    moor(ship);\n",
                gives: Some((Certain, "")),
            },
            Example {
                path: "a.rs",
                base: "moor(ship);\n",
                ours: "",
                theirs: "    moor(tug);\n",
                gives: None,
            },
        ]
    }
}
