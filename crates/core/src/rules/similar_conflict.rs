//! Rule: a conflict like one that was just settled in this session.

use crate::rules::conflict::Conflict;
use crate::rules::rule::{Example, Proposal, Rule, RuleContext};

pub(crate) struct SimilarConflict;

impl Rule for SimilarConflict {
    fn id(&self) -> &'static str {
        "echo"
    }

    fn title(&self) -> &'static str {
        "like one settled before"
    }

    fn repeats_a_person(&self) -> bool {
        true
    }

    fn propose(&self, conflict: &Conflict<'_>, context: &RuleContext) -> Option<Proposal> {
        let (resolution, by) = context.past.like(conflict.texts(), conflict.region())?;
        let reason = format!("like a conflict that you settled with {by} in this session");
        Some(Proposal::likely(resolution, reason))
    }

    fn examples(&self) -> &'static [Example] {
        &[Example {
            path: "a.rs",
            base: "a\n",
            ours: "b\n",
            theirs: "c\n",
            gives: None,
        }]
    }
}
