//! Rule: one side changed blanks only, the other words.

use crate::decide::resolution::Resolution;
use crate::decide::ruling::Certainty::{Certain, Hint, Likely};
use crate::merge::stats::EditCounts;
use crate::model::segment::Segment;
use crate::model::side::{PerSide, Side};
use crate::rules::conflict::Conflict;
use crate::rules::risks::Risk;
use crate::rules::rule::{Example, Proposal, Rule, RuleContext};
use crate::rules::wording::lines;

pub(crate) struct Reindented;

/// A resolution with the line ends of the side that laid the lines out, where it changed them throughout.
fn with_ends_of(conflict: &Conflict<'_>, side: Side, resolution: Resolution) -> Resolution {
    let Resolution::Segments(segments) = &resolution else {
        return resolution;
    };
    let versions = conflict.versions();
    let end = versions.get(side.into()).usual_end();
    if versions.get(side.other().into()).usual_end() == end {
        return resolution;
    }
    let mut text = Vec::new();
    for segment in segments {
        let bytes = match segment {
            Segment::Lines(version, lines) => versions.get(*version).slice(*lines),
            Segment::Text(bytes) | Segment::Hand(bytes) => bytes.as_slice(),
        };
        for line in bytes.split_inclusive(|b| *b == b'\n') {
            match line.strip_suffix(b"\n") {
                Some(content) => {
                    text.extend_from_slice(content.strip_suffix(b"\r").unwrap_or(content));
                    text.extend_from_slice(end.bytes());
                }
                None => text.extend_from_slice(line),
            }
        }
    }
    Resolution::Segments(vec![Segment::Text(text)])
}

impl Rule for Reindented {
    fn id(&self) -> &'static str {
        "re-indented"
    }

    fn title(&self) -> &'static str {
        "re-indented against re-worded"
    }

    fn propose(&self, conflict: &Conflict<'_>, context: &RuleContext) -> Option<Proposal> {
        let stats = conflict.stats()?;
        let PerSide { ours, theirs } = stats.sides;
        // Wrapping in a new block puts lines in and re-indents what is inside of them.
        let wraps = |d: &EditCounts| d.whitespace > 0 && d.reworded + d.deleted + d.replaced == 0;
        let side = match () {
            () if ours.only_whitespace() => Side::Ours,
            () if theirs.only_whitespace() => Side::Theirs,
            () if wraps(&ours) => Side::Ours,
            () if wraps(&theirs) => Side::Theirs,
            () => return None,
        };
        let (blank, worded) = (context.label(side), context.label(side.other()));
        let counts = stats.sides[side];
        let certain = match counts.only_whitespace() {
            true => stats.whitespace_clashes == 0 && conflict.is_steady(),
            // New lines of both are in order where what was re-indented tells them apart.
            false => conflict
                .risks(context)
                .iter()
                .all(|risk| matches!(risk, Risk::Shifted | Risk::BothInserted)),
        };
        let spoils = |risk: &Risk| matches!(risk, Risk::Repeats | Risk::ElsewhereToo);
        let certainty = match certain {
            true => Certain,
            false if conflict.risks(context).iter().any(spoils) => Hint,
            false => Likely,
        };
        let what = match counts.inserted {
            0 => format!("{blank} changed only white space"),
            n => format!(
                "{blank} re-indented these lines around {} of its own",
                lines(n)
            ),
        };
        let reason =
            format!("{what}; the result has the words of {worded} in the layout of {blank}");
        let resolution = with_ends_of(conflict, side, conflict.merged_resolution()?);
        Some(Proposal::new(certainty, resolution, reason))
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
                path: "a.py",
                base: "def f():\n    moor(ship)\n    log(ship)\n",
                ours: "def f():\n    if tide:\n        moor(ship)\n        log(ship)\n",
                theirs: "def f():\n    moor(tug)\n    pay(tide)\n    log(ship)\n",
                gives: Some((
                    Certain,
                    "def f():\n    if tide:\n        moor(tug)\n        pay(tide)\n        log(ship)\n",
                )),
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
