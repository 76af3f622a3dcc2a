//! Rule: both sides changed different lines, and the changes touch.

use crate::decide::ruling::Certainty::Certain;
use crate::merge::stats::EditCounts;
use crate::model::side::Side;
use crate::rules::conflict::Conflict;
use crate::rules::rule::{Example, Proposal, Rule, RuleContext};

pub(crate) struct Adjacent;

impl Rule for Adjacent {
    fn id(&self) -> &'static str {
        "adjacent"
    }

    fn title(&self) -> &'static str {
        "adjacent edits"
    }

    fn propose(&self, conflict: &Conflict<'_>, context: &RuleContext) -> Option<Proposal> {
        let stats = conflict.stats()?;
        if stats.blended > 0 {
            return None;
        }
        let idle = |side: Side| stats.sides[side] == EditCounts::default();
        let reason = match (idle(Side::Ours), idle(Side::Theirs)) {
            (true, _) => format!("{} alone changed this part of the conflict", context.theirs),
            (_, true) => format!("{} alone changed this part of the conflict", context.ours),
            _ => format!(
                "{} and {} changed different lines next to each other",
                context.ours, context.theirs
            ),
        };
        Some(Proposal::new(
            conflict.certainty(context),
            conflict.merged_resolution()?,
            reason,
        ))
    }

    fn examples(&self) -> &'static [Example] {
        &[
            Example {
                path: "a.rs",
                base: "let berth = first(free);\nlet tide = table.low();\n",
                ours: "let berth = last(free);\nlet tide = table.low();\n",
                theirs: "let berth = first(free);\nlet tide = table.high();\n",
                gives: Some((
                    Certain,
                    "let berth = last(free);\nlet tide = table.high();\n",
                )),
            },
            Example {
                path: "a.rs",
                base: "moor(ship);\n",
                ours: "moor(tug);\n",
                theirs: "moor(ferry);\n",
                gives: None,
            },
        ]
    }
}
