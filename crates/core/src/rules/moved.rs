//! Rule: a hint that one side moved lines away that the other edited.

use crate::decide::ruling::Certainty::Hint;
use crate::limits::{MOVED_LINES, MOVED_PLACES};
use crate::model::side::Side;
use crate::model::versions::Version;
use crate::rules::conflict::Conflict;
use crate::rules::rule::{Example, Proposal, Rule, RuleContext};
use crate::text::lines::LineIdx;
use crate::text::tokens::is_worded;
use std::collections::HashSet;

pub(crate) struct Moved;

impl Rule for Moved {
    fn id(&self) -> &'static str {
        "moved"
    }

    fn title(&self) -> &'static str {
        "moved against edited"
    }

    fn propose(&self, conflict: &Conflict<'_>, context: &RuleContext) -> Option<Proposal> {
        let region = conflict.region();
        let base: Vec<&[u8]> = solid(conflict.text(Version::Base));
        if base.len() < MOVED_LINES {
            return None;
        }
        let known: HashSet<&[u8]> = base.iter().copied().collect();
        [Side::Ours, Side::Theirs].into_iter().find_map(|side| {
            let version = Version::from(side);
            let mut lines = solid(conflict.text(version)).into_iter();
            if lines.any(|line| known.contains(line)) {
                return None;
            }
            let at = find(conflict, side, &base)?;
            if region.lines(version).contains(at) {
                return None;
            }
            Some(Proposal::hint(format!(
                "{} moved these lines to its line {}; the edit of {} belongs there",
                context.label(side),
                at.number(),
                context.label(side.other())
            )))
        })
    }

    fn examples(&self) -> &'static [Example] {
        &[
            Example {
                path: "a.rs",
                base: "fn moor() {\n    let berth = free.pop();\n    log(berth);\n}\n\nfn last() {}\nfn end() {}\nfn over() {}\nfn shut() {}\nfn lock() {}\nfn bar() {}\n",
                ours: "fn last() {}\nfn end() {}\nfn over() {}\nfn shut() {}\nfn lock() {}\nfn bar() {}\n\nfn moor() {\n    let berth = free.pop();\n    log(berth);\n}\n",
                theirs: "fn moor() {\n    let berth = free.take();\n    log(berth);\n}\n\nfn last() {}\nfn end() {}\nfn over() {}\nfn shut() {}\nfn lock() {}\nfn bar() {}\n",
                gives: Some((Hint, "")),
            },
            Example {
                path: "a.rs",
                base: "moor();\nlog();\n",
                ours: "pay();\n",
                theirs: "moor(1);\nlog();\n",
                gives: None,
            },
        ]
    }
}

/// The lines of a stretch that have words, without indentation.
fn solid(text: &[u8]) -> Vec<&[u8]> {
    let lines = text.split(|b| *b == b'\n').map(<[u8]>::trim_ascii);
    lines.filter(|line| is_worded(line)).collect()
}

/// The line of a side from which on `wanted` stands there, lines without words passed over.
fn find(conflict: &Conflict<'_>, side: Side, wanted: &[&[u8]]) -> Option<LineIdx> {
    let text = conflict.versions().get(side.into());
    let places = conflict.places(side, wanted.first()?);
    let stands = |at: &&LineIdx| {
        let from = (at.0 as usize..text.len()).into();
        let lines = text.lines(from).map(|line| line.trimmed());
        let mut lines = lines.filter(|line| is_worded(line));
        wanted.iter().all(|line| lines.next() == Some(*line))
    };
    places.iter().take(MOVED_PLACES).find(stands).copied()
}
