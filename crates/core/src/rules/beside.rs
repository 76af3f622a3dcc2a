//! Rule: lines inserted beside lines that the other side changed or removed.

use crate::decide::ruling::Certainty::{Certain, Hint, Likely};
use crate::model::side::Side;
use crate::rules::conflict::Conflict;
use crate::rules::rule::{Example, Proposal, Rule, RuleContext};
use crate::rules::wording::lines;

pub(crate) struct Beside;

impl Rule for Beside {
    fn id(&self) -> &'static str {
        "beside"
    }

    fn title(&self) -> &'static str {
        "added beside a change"
    }

    fn propose(&self, conflict: &Conflict<'_>, context: &RuleContext) -> Option<Proposal> {
        let stats = conflict.stats()?;
        if stats.beside + stats.beside_deleted + stats.before_new_block == 0 || stats.blended > 0 {
            return None;
        }
        let side = match stats.sides.ours.inserted > 0 {
            true => Side::Ours,
            false => Side::Theirs,
        };
        let (added, other) = (context.label(side), context.label(side.other()));
        let n = stats.sides[side].inserted;
        let what = match () {
            () if stats.before_new_block > 0 => "put into a block of its own",
            () if stats.beside_deleted > 0 => "removed or replaced",
            () => "changed",
        };
        let reason = format!(
            "{added} added {} next to lines that {other} {what}; both are kept",
            lines(n)
        );
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
                base: "let slot = free.pop();\n",
                ours: "let slot = free.pop();\nlog(slot);\n",
                theirs: "let slot = free.pop_front();\n",
                gives: Some((Certain, "let slot = free.pop_front();\nlog(slot);\n")),
            },
            Example {
                path: "a.py",
                base: "berth = quay,\ndepth = low,\n",
                ours: "berth = self.quay,\ndepth = self.low,\n",
                theirs: "berth = quay,\ndepth = low,\npilot = guide or 0,\n",
                gives: Some((
                    Likely,
                    "berth = self.quay,\ndepth = self.low,\npilot = guide or 0,\n",
                )),
            },
            Example {
                path: "a.rs",
                base: "moor(ship);\nlog(ship, berth);\n",
                ours: "moor(ship);\nlog(ship, berth);\npay(tide);\n",
                theirs: "moor(ship);\n",
                gives: Some((Likely, "moor(ship);\npay(tide);\n")),
            },
            Example {
                path: "a.rs",
                base: "let berth = free.pop();\nmoor(ship);\n",
                ours: "let berth = free.pop();\npay(berth);\nmoor(ship);\n",
                theirs: "moor(ship);\n",
                gives: Some((Hint, "")),
            },
            Example {
                path: "a.py",
                base: "def moor(ship):\n    log(ship)\n",
                ours: "def moor(ship):\n    pay(ship)\n    log(ship)\n",
                theirs: "def moor(ship):\n    if loud:\n        log(ship)\n",
                gives: Some((
                    Likely,
                    "def moor(ship):\n    pay(ship)\n    if loud:\n        log(ship)\n",
                )),
            },
            Example {
                path: "a.py",
                base: "def moor(ship):\n    log(ship)\n",
                ours: "@counted\ndef moor(ship):\n    log(ship)\n",
                theirs: "",
                gives: Some((Hint, "")),
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
