//! Rule: a hint that a conflict is beyond a bound, so that no other rule looked at it.

use crate::limits::TOKEN_BYTES;
use crate::merge::stats::Clash;
use crate::model::versions::Version;
use crate::rules::conflict::Conflict;
use crate::rules::rule::{Example, Proposal, Rule, RuleContext};

pub(crate) struct TooLong;

impl Rule for TooLong {
    fn id(&self) -> &'static str {
        "too-long"
    }

    fn title(&self) -> &'static str {
        "too long for rules"
    }

    fn propose(&self, conflict: &Conflict<'_>, _: &RuleContext) -> Option<Proposal> {
        let longest = Version::ALL
            .map(|v| conflict.text(v).len())
            .into_iter()
            .max();
        let too_long =
            conflict.merged_rows().err() == Some(Clash::TooLong) || longest > Some(TOKEN_BYTES);
        too_long.then(|| Proposal::hint("this conflict is too long for rules".to_owned()))
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
