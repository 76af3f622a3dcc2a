//! One side removed what the other only laid out anew.

use crate::decide::resolution::Resolution;
use crate::decide::ruling::Certainty::Certain;
use crate::model::side::Side;
use crate::rules::conflict::Conflict;
use crate::rules::rule::{Context, Example, Proposal, Rule};

pub(crate) struct Removed;

impl Rule for Removed {
    fn id(&self) -> &'static str {
        "removed"
    }

    fn title(&self) -> &'static str {
        "removed against re-indented"
    }

    fn propose(&self, conflict: &Conflict<'_>, context: &Context) -> Option<Proposal> {
        let facts = conflict.facts()?;
        let [ours, theirs] = facts.sides;
        let side = match () {
            () if ours.only_gone() && theirs.only_blanks() => Side::Ours,
            () if theirs.only_gone() && ours.only_blanks() => Side::Theirs,
            () => return None,
        };
        if facts.removed_respaced == 0 || facts.adjacent > 0 {
            return None;
        }
        let reason = format!(
            "{} removed what {} changed in white space alone",
            context.label(side),
            context.label(side.other())
        );
        let resolution = match conflict.woven_resolution()? {
            Resolution::Woven(strands) if strands.is_empty() => Resolution::Drop,
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
