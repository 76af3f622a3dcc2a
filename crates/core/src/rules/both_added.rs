//! Both put lines in at the same place.

use super::Certainty::Hint;
use super::{Conflict, Context, Example, Proposal, Rule};
use crate::resolution::Version;

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
                path: "a.rs",
                base: "fn pay() {}\n",
                ours: "fn moor() {}\n",
                theirs: "fn dock() {}\n",
                gives: None,
            },
        ]
    }
}
