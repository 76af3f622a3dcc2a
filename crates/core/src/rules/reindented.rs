//! One side changed blanks alone, the other words.

use super::Certainty::Certain;
use super::{Certainty, Conflict, Context, Example, Proposal, Rule};
use crate::resolution::Side;

pub(super) struct Reindented;

impl Rule for Reindented {
    fn id(&self) -> &'static str {
        "re-indented"
    }

    fn title(&self) -> &'static str {
        "re-indented against re-worded"
    }

    fn propose(&self, conflict: &Conflict<'_>, context: &Context) -> Option<Proposal> {
        let facts = conflict.facts()?;
        let [ours, theirs] = facts.sides;
        let side = match () {
            () if ours.only_blanks() => Side::Ours,
            () if theirs.only_blanks() => Side::Theirs,
            () => return None,
        };
        let (blank, worded) = (context.label(side), context.label(side.other()));
        let reason = format!(
            "{blank} changed white space alone; {worded}'s words stand, laid out as {blank} has them"
        );
        let certainty = match facts.blank_clashes == 0 && conflict.is_steady() {
            true => Certain,
            false => Certainty::Likely,
        };
        Some(Proposal::new(
            certainty,
            conflict.woven_resolution()?,
            reason,
        ))
    }

    fn examples(&self) -> &'static [Example] {
        &[
            Example {
                path: "a.rs",
                base: "moor(ship);\nlog(ship);\n",
                ours: "    moor(ship);\n    log(ship);\n",
                theirs: "moor(tug);\nlog(tug);\n",
                gives: Some((Certain, "    moor(tug);\n    log(tug);\n")),
            },
            Example {
                path: "a.rs",
                base: "moor(ship);\nlog(ship);\n",
                ours: "\tmoor(ship);\n\tlog(ship);\n",
                theirs: "moor(ship);\npay(ship);\nlog(ship);\n",
                gives: Some((Certain, "\tmoor(ship);\n\tpay(ship);\n\tlog(ship);\n")),
            },
            Example {
                path: "a.rs",
                base: "moor(ship);\n",
                ours: "  moor(tug);\n",
                theirs: "moor(ferry);\n",
                gives: None,
            },
        ]
    }
}
