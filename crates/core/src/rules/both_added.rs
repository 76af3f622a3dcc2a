//! Both put lines in at the same place.

use super::Certainty::{Hint, Likely};
use super::{Conflict, Context, Example, Proposal, Rule};
use crate::resolution::{Resolution, Side, Strand, Version};
use crate::text::Line;

pub(super) struct BothAdded;

impl Rule for BothAdded {
    fn id(&self) -> &'static str {
        "both-added"
    }

    fn title(&self) -> &'static str {
        "both added here"
    }

    fn propose(&self, conflict: &Conflict<'_>, context: &Context) -> Option<Proposal> {
        let [base, ours, theirs] =
            [Version::Base, Version::Ours, Version::Theirs].map(|v| conflict.text(v));
        if !base.is_empty() || ours.is_empty() || theirs.is_empty() {
            return None;
        }
        if let Some(first) = deeper(conflict) {
            let (inner, outer) = (context.label(first), context.label(first.other()));
            let reason = format!(
                "{inner} added to the block above, {outer} added what stands outside of it; both stand in that order"
            );
            let order = [first, first.other()]
                .map(|side| Strand::Lines(side.into(), conflict.region().lines(side.into())));
            return Some(Proposal::likely(Resolution::Woven(order.to_vec()), reason));
        }
        // Their order is a coin toss: nothing in the texts tells it.
        Some(Proposal::hint(format!(
            "{} and {} each added lines here; often both stay, but which comes first only a person knows",
            context.ours, context.theirs
        )))
    }

    fn examples(&self) -> &'static [Example] {
        &[
            Example {
                path: "a.rs",
                base: "",
                ours: "fn moor() {}\n",
                theirs: "fn dock() {}\n",
                gives: Some((Hint, "")),
            },
            Example {
                path: "a.py",
                base: "def moor():\n    log()\n",
                ours: "def moor():\n    log()\n    pay()\n",
                theirs: "def moor():\n    log()\n\ndef dock():\n    log()\n",
                gives: Some((
                    Likely,
                    "def moor():\n    log()\n    pay()\n\ndef dock():\n    log()\n",
                )),
            },
            Example {
                path: "a.rs",
                base: "fn pay() {}\n",
                ours: "fn moor() {}\n",
                theirs: "fn dock() {}\n",
                gives: None,
            },
        ]
    }
}

/// The side that added to the block above, where the other added something outside of it.
fn deeper(conflict: &Conflict<'_>) -> Option<Side> {
    let (versions, region) = (conflict.versions(), conflict.region());
    let level = |side: Side, first: bool| -> Option<&[u8]> {
        let lines = versions.get(side.into()).lines(region.lines(side.into()));
        let mut worded = lines.filter(|l| !l.trimmed().is_empty()).map(Line::indent);
        match first {
            true => worded.next(),
            false => worded.min_by_key(|indent| indent.len()),
        }
    };
    let above = region.base.start.0.checked_sub(1)?;
    let above = versions.base.line(crate::LineIdx(above));
    if above.trimmed().is_empty() {
        return None;
    }
    [Side::Ours, Side::Theirs].into_iter().find(|side| {
        let (Some(inner), Some(outer)) = (level(*side, false), level(side.other(), true)) else {
            return false;
        };
        inner.len() > outer.len() && inner.starts_with(outer) && above.indent().starts_with(inner)
    })
}
