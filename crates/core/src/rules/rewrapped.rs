//! Rule: a statement reformatted by one side and changed in words by the other.

use crate::decide::ruling::Certainty::{Certain, Hint, Likely};
use crate::limits::REWRAPPED_ROWS;
use crate::merge::format_noise::{double_quoted, requoted, same_but_for_format};
use crate::merge::tokens::merge_tokens;
use crate::model::segment::Segment;
use crate::model::side::Side;
use crate::model::versions::Version;
use crate::rules::conflict::{Conflict, blends_numbers};
use crate::rules::rule::{Example, Proposal, Rule, RuleContext};
use crate::text::tokens::same_tokens;

pub(crate) struct Rewrapped;

/// Both changed words, and one of them the line breaks too.
fn over_lines(conflict: &Conflict<'_>, context: &RuleContext) -> Option<Proposal> {
    let region = conflict.region();
    let rows = Version::ALL.map(|v| region.lines(v).len());
    let wrapped = rows.iter().any(|n| *n != region.base.len());
    if conflict.clash().is_none() || !wrapped || rows.into_iter().max() > Some(REWRAPPED_ROWS) {
        return None;
    }
    let [base, ours, theirs] =
        [Version::Base, Version::Ours, Version::Theirs].map(|v| conflict.text(v));
    let merged = merge_tokens(base, ours, theirs)?;
    if merged.whitespace_clashes > 0 || merged.gap == Some(0) || conflict.repeats(&merged.text) {
        return None;
    }
    let resolution = conflict.resolution(vec![Segment::Text(merged.text)]);
    if conflict.both_changed_numbers() || blends_numbers(conflict, &resolution) {
        return None;
    }
    let reason = format!(
        "{} and {} changed different words and line breaks; the result has both",
        context.ours, context.theirs
    );
    Some(Proposal::likely(resolution, reason))
}

impl Rule for Rewrapped {
    fn id(&self) -> &'static str {
        "re-wrapped"
    }

    fn title(&self) -> &'static str {
        "re-wrapped against re-worded"
    }

    fn propose(&self, conflict: &Conflict<'_>, context: &RuleContext) -> Option<Proposal> {
        let [ours, theirs] = [Version::Ours, Version::Theirs].map(|v| conflict.text(v));
        let base = conflict.text(Version::Base);
        if base.is_empty() || ours.is_empty() || theirs.is_empty() {
            return None;
        }
        [Side::Ours, Side::Theirs]
            .into_iter()
            .find_map(|side| {
                let laid_out = conflict.text(side.into());
                let exact = same_tokens(base, laid_out);
                if !exact && !same_but_for_format(base, laid_out) {
                    return None;
                }
                let merged = merge_tokens(base, ours, theirs)?;
                let quotes = requoted(base, laid_out);
                // Words put in by the other side would bring the old quotes back.
                let text = if quotes {
                    double_quoted(&merged.text)?
                } else {
                    merged.text
                };
                // New words may need lines of their own in the new layout.
                let replaced = conflict.token_diff()?.changes(side.other());
                let replaced = replaced.iter().all(|(from, to)| {
                    !from.is_empty() && !from.contains(&b'\n') && !to.contains(&b'\n')
                });
                let certainty = match (merged.whitespace_clashes, exact && replaced) {
                    (0, true) => Certain,
                    (0, false) => Likely,
                    _ => Hint,
                };
                let (layout, worded) = (context.label(side), context.label(side.other()));
                let reason = format!(
                    "{layout} only changed the layout; the result has the words of {worded} in the layout of {layout}"
                );
                let resolution = conflict.resolution(vec![Segment::Text(text)]);
                Some(Proposal::new(certainty, resolution, reason))
            })
            .or_else(|| over_lines(conflict, context))
    }

    fn examples(&self) -> &'static [Example] {
        &[
            Example {
                path: "a.rs",
                base: "moor(ship, berth, tide);\n",
                ours: "moor(\n    ship,\n    berth,\n    tide\n);\n",
                theirs: "moor(ship, quay, tide);\n",
                gives: Some((Certain, "moor(\n    ship,\n    quay,\n    tide\n);\n")),
            },
            Example {
                path: "a.py",
                base: "moor(ship, berth, 'low')\n",
                ours: "moor(\n    ship,\n    berth,\n    \"low\",\n)\n",
                theirs: "moor(ship, quay, 'low')\n",
                gives: Some((Likely, "moor(\n    ship,\n    quay,\n    \"low\",\n)\n")),
            },
            Example {
                path: "a.py",
                base: "moor(ship, berth)\n",
                ours: "moor(\n    ship,\n    berth,\n)\n",
                theirs: "moor(ship, berth, tide)\n",
                gives: Some((Likely, "moor(\n    ship,\n    berth,\n    tide,\n)\n")),
            },
            Example {
                path: "a.js",
                base: "moor({\n  ship: 1,\n  berth: 2\n}, tide);\n",
                ours: "moor(\n  {\n    ship: 1,\n    berth: 2\n  },\n  tide\n);\n",
                theirs: "moor({\n  ship: 1,\n  crane: 3,\n  berth: 2\n}, tide);\n",
                gives: Some((
                    Likely,
                    "moor(\n  {\n    ship: 1,\n    crane: 3,\n    berth: 2\n  },\n  tide\n);\n",
                )),
            },
            Example {
                path: "a.js",
                base: "moor(ship, berth, tide) {\n",
                ours: "moor(\n  ship,\n  berth,\n  tide,\n  pilot,\n  tug\n) {\n",
                theirs: "moor(ship, berth, crane, tide) {\n",
                gives: Some((
                    Likely,
                    "moor(\n  ship,\n  berth,\n  crane,\n  tide,\n  pilot,\n  tug\n) {\n",
                )),
            },
            Example {
                path: "a.py",
                base: "moor(ship, berth)\n",
                ours: "moor(\n    tug,\n    berth,\n)\n",
                theirs: "moor(ferry, berth)\n",
                gives: None,
            },
        ]
    }
}
