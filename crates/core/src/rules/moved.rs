//! One side moved the lines away, the other edited them.

use super::Certainty::Hint;
use super::{Conflict, Context, Example, Proposal, Rule};
use crate::resolution::{Side, Version};
use crate::text::Source;

pub(super) struct Moved;

/// Lines with words that must stand together elsewhere to be taken for the same ones.
const ENOUGH: usize = 2;

impl Rule for Moved {
    fn id(&self) -> &'static str {
        "moved"
    }

    fn title(&self) -> &'static str {
        "moved against edited"
    }

    fn propose(&self, conflict: &Conflict<'_>, context: &Context) -> Option<Proposal> {
        let region = conflict.region();
        let base: Vec<&[u8]> = solid(&conflict.versions().base, conflict.text(Version::Base));
        if base.len() < ENOUGH {
            return None;
        }
        [Side::Ours, Side::Theirs].into_iter().find_map(|side| {
            let (version, text) = (Version::from(side), conflict.versions().get(side.into()));
            if solid(text, conflict.text(version))
                .iter()
                .any(|line| base.contains(line))
            {
                return None;
            }
            let at = find(text, &base)?;
            if region.lines(version).contains(crate::LineIdx(at)) {
                return None;
            }
            Some(Proposal::hint(format!(
                "{} moved these lines to its line {}; what {} changed in them belongs there",
                context.label(side),
                at + 1,
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
fn solid<'a>(_: &Source, text: &'a [u8]) -> Vec<&'a [u8]> {
    let lines = text.split(|b| *b == b'\n').map(<[u8]>::trim_ascii);
    lines
        .filter(|line| line.iter().filter(|b| b.is_ascii_alphanumeric()).count() > 2)
        .collect()
}

/// The line from which on `wanted` stands in a text, lines without words passed over.
fn find(text: &Source, wanted: &[&[u8]]) -> Option<u32> {
    let worded = |line: &&[u8]| line.iter().filter(|b| b.is_ascii_alphanumeric()).count() > 2;
    let mut lines = Vec::new();
    for at in text.all().iter() {
        let trimmed = text.line(at).trimmed();
        if worded(&trimmed) {
            lines.push((trimmed, at.0));
        }
    }
    let found = lines
        .windows(wanted.len())
        .find(|w| w.iter().zip(wanted).all(|(a, b)| a.0 == *b))?;
    found.first().map(|(_, at)| *at)
}
