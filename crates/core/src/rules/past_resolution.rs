//! Rule: the same conflict was settled before in this repository.

use crate::decide::past::Learned;
use crate::rules::conflict::Conflict;
use crate::rules::rule::{Example, Proposal, Rule, RuleContext};

pub(crate) struct Memory;

impl Rule for Memory {
    fn id(&self) -> &'static str {
        "memory"
    }

    fn title(&self) -> &'static str {
        "settled before"
    }

    fn repeats_a_person(&self) -> bool {
        true
    }

    fn propose(&self, conflict: &Conflict<'_>, context: &RuleContext) -> Option<Proposal> {
        let past = &context.past;
        let (resolution, learned) =
            past.remembered(conflict.texts(), conflict.plan(), conflict.region())?;
        let reason = match learned {
            None => {
                "these three versions were merged before; this is the earlier resolution".to_owned()
            }
            Some(Learned { commit, times: 1 }) => {
                format!("merge {commit} resolved the same conflict like this")
            }
            Some(Learned { commit, times }) => format!(
                "{times} merges resolved the same conflict like this, the last one is {commit}"
            ),
        };
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
