//! Rule: a hint that a file written by a tool is better generated again than merged.

use crate::decide::ruling::Certainty::Hint;
use crate::rules::conflict::Conflict;
use crate::rules::rule::{Example, Proposal, Rule, RuleContext};
use crate::text::language::is_lock;
use crate::text::source::Source;

pub(crate) struct Generated;

/// The id of the rule by which a file is recognised that a tool writes.
pub const GENERATED_FILE: &str = "generated";

impl Rule for Generated {
    fn id(&self) -> &'static str {
        GENERATED_FILE
    }

    fn title(&self) -> &'static str {
        "generated file"
    }

    fn propose(&self, conflict: &Conflict<'_>, context: &RuleContext) -> Option<Proposal> {
        is_generated(conflict, context).then(|| {
            Proposal::hint("a tool generates this file: settle its sources, take either side here and run the tool again".to_owned())
        })
    }

    fn examples(&self) -> &'static [Example] {
        &[
            Example {
                path: "src/Cargo.lock",
                base: "a\n",
                ours: "b\n",
                theirs: "c\n",
                gives: Some((Hint, "")),
            },
            Example {
                path: "src/cargo.rs",
                base: "a\n",
                ours: "b\n",
                theirs: "c\n",
                gives: None,
            },
        ]
    }
}

pub(crate) fn is_generated(conflict: &Conflict<'_>, context: &RuleContext) -> bool {
    is_lock(&context.path) || conflict.says_generated(|| says_so(&conflict.versions().ours))
}

/// Whether the first lines of a text say that a tool writes it.
fn says_so(text: &Source) -> bool {
    let head = text.lines((0..text.len().min(6)).into());
    head.map(|line| line.content().to_ascii_lowercase())
        .any(|line| {
            let says = |what: &[u8]| line.windows(what.len()).any(|w| w == what);
            says(b"@generated")
                || (says(b"generated") && (says(b"do not edit") || says(b"don't edit")))
        })
}
