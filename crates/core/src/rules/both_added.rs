//! Rule: both sides inserted lines at the same place.

use crate::decide::resolution::Resolution;
use crate::decide::ruling::Certainty::{Hint, Likely};
use crate::model::segment::Segment;
use crate::model::side::Side;
use crate::model::versions::Version;
use crate::rules::conflict::Conflict;
use crate::rules::rule::{Example, Proposal, Rule, RuleContext};
use crate::text::lines::LineIdx;
use crate::text::source::Line;

pub(crate) struct BothAdded;

impl Rule for BothAdded {
    fn id(&self) -> &'static str {
        "both-added"
    }

    fn title(&self) -> &'static str {
        "both sides added lines here"
    }

    fn propose(&self, conflict: &Conflict<'_>, context: &RuleContext) -> Option<Proposal> {
        let [base, ours, theirs] =
            [Version::Base, Version::Ours, Version::Theirs].map(|v| conflict.text(v));
        if !base.is_empty() || ours.is_empty() || theirs.is_empty() {
            return None;
        }
        // What opens a block for the lines that follow cannot be seen from them.
        let opens = [Version::Ours, Version::Theirs].into_iter().any(|v| {
            let lines = conflict.versions().get(v).lines(conflict.region().lines(v));
            let last = lines.filter_map(|line| line.trimmed().last()).next_back();
            matches!(last, Some(b'(' | b'[' | b'{' | b'=' | b'\\' | b':'))
        });
        if let Some(first) = deeper(conflict).filter(|_| !opens) {
            let (inner, outer) = (context.label(first), context.label(first.other()));
            let reason = format!(
                "{inner} added to the block above, {outer} added after it; both are kept in that order"
            );
            let order = [first, first.other()]
                .map(|side| Segment::Lines(side.into(), conflict.region().lines(side.into())));
            return Some(Proposal::likely(
                Resolution::Segments(order.to_vec()),
                reason,
            ));
        }
        if let Some(last) = leaves(conflict).filter(|_| !opens) {
            let (first, last) = (last.other(), last);
            let reason = format!(
                "the lines of {} leave the block, so the lines of {} come first",
                context.label(last),
                context.label(first)
            );
            let order = [first, last]
                .map(|side| Segment::Lines(side.into(), conflict.region().lines(side.into())));
            return Some(Proposal::likely(
                Resolution::Segments(order.to_vec()),
                reason,
            ));
        }
        // Their order is a coin toss: nothing in the texts tells it.
        Some(Proposal::hint(format!(
            "{} and {} each added lines here; often both are kept, but a person must choose the order",
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
                path: "a.js",
                base: "  moor(ship);\n",
                ours: "  moor(ship);\n  return ship;\n",
                theirs: "  moor(ship);\n  if (loud) {\n    log(ship);\n  }\n",
                gives: Some((
                    Likely,
                    "  moor(ship);\n  if (loud) {\n    log(ship);\n  }\n  return ship;\n",
                )),
            },
            Example {
                path: "a.py",
                base: "def moor():\n    log()\n",
                ours: "def moor():\n    log()\n    pay()\n",
                theirs: "def moor():\n    log()\n\ndef dock():\n",
                gives: Some((Hint, "")),
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

/// Words after which nothing in the block is reached, and the tag that comes last in a comment.
const LEAVES: [&[u8]; 7] = [
    b"return",
    b"raise",
    b"throw",
    b"break",
    b"continue",
    b"@return",
    b"@returns",
];

/// The side whose lines end with leaving the block, where the other's do not and both stand in it.
fn leaves(conflict: &Conflict<'_>) -> Option<Side> {
    let (versions, region) = (conflict.versions(), conflict.region());
    let of = |side: Side| {
        let text = versions.get(side.into());
        let worded: Vec<Line<'_>> = text
            .lines(region.lines(side.into()))
            .filter(|line| !line.trimmed().is_empty())
            .collect();
        let level = worded
            .iter()
            .map(|line| line.indent())
            .min_by_key(|i| i.len());
        let leaving = worded.iter().map(|line| {
            let row = line.trimmed();
            let row = row.strip_prefix(b"* ").unwrap_or(row);
            let word = row
                .split(|b| !(b.is_ascii_alphanumeric() || *b == b'@'))
                .next();
            let leaves = word.is_some_and(|word| LEAVES.contains(&word)) && !is_guarded(row);
            Some(line.indent()) == level && leaves
        });
        let leaving: Vec<bool> = leaving.collect();
        let (last, before) = leaving.split_last()?;
        // Lines that leave earlier are parts of several blocks.
        (!before.contains(&true)).then_some((level?, *last))
    };
    let (ours, theirs) = (of(Side::Ours)?, of(Side::Theirs)?);
    match (ours.1, theirs.1) {
        _ if ours.0 != theirs.0 => None,
        (true, false) => Some(Side::Ours),
        (false, true) => Some(Side::Theirs),
        _ => None,
    }
}

/// Whether a line leaves the block only under a condition behind it: `return if late`.
fn is_guarded(line: &[u8]) -> bool {
    let words: Vec<&[u8]> = line.split(|b| b.is_ascii_whitespace()).collect();
    let has = |word: &[u8]| words.contains(&word);
    (has(b"if") || has(b"unless")) && !has(b"else")
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
    let above = versions.base.line(LineIdx(above));
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
