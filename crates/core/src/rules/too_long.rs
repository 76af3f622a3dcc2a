//! Where a bound was hit, that is said.

use super::{Conflict, Context, Example, Proposal, Rule};
use crate::loom::Clash;

pub(super) struct TooLong;

impl Rule for TooLong {
    fn id(&self) -> &'static str {
        "too-long"
    }

    fn title(&self) -> &'static str {
        "too long to look into"
    }

    fn propose(&self, conflict: &Conflict<'_>, _: &Context) -> Option<Proposal> {
        (conflict.woven().err() == Some(Clash::TooLong)).then(|| {
            Proposal::hint(
                "this conflict is too long for rules to look into its lines; none did".to_owned(),
            )
        })
    }

    fn examples(&self) -> &'static [Example] {
        // A long one is in the tests: a table is no place for thousands of lines.
        const SHORT: (&str, &str, &str) = ("a\n", "b\n", "c\n");
        &[Example {
            path: "a.rs",
            base: SHORT.0,
            ours: SHORT.1,
            theirs: SHORT.2,
            gives: None,
        }]
    }
}
