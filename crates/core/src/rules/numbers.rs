//! Rule: numbers, versions and dates are never mixed from two sides.

use crate::decide::ruling::Certainty::{Hint, Likely};
use crate::limits::NUMBER_TOKENS;
use crate::model::segment::Segment;
use crate::model::versions::Version;
use crate::rules::conflict::Conflict;
use crate::rules::rule::{Example, Proposal, Rule, RuleContext};
use crate::text::tokens::token_ranges;

pub(crate) struct Numbers;

impl Rule for Numbers {
    fn id(&self) -> &'static str {
        "numbers"
    }

    fn title(&self) -> &'static str {
        "version numbers and dates"
    }

    fn propose(&self, conflict: &Conflict<'_>, context: &RuleContext) -> Option<Proposal> {
        let (ours, theirs) = (conflict.text(Version::Ours), conflict.text(Version::Theirs));
        let (a, b) = (token_ranges(ours), token_ranges(theirs));
        if a.len() != b.len() || a.is_empty() || a.len() > NUMBER_TOKENS {
            return None;
        }
        let mut years = true;
        let mut differ = 0;
        let mut text = Vec::new();
        for (x, y) in a.into_iter().zip(b) {
            let (x, y) = (&ours[x], &theirs[y]);
            if x != y {
                let (p, q) = (number(x)?, number(y)?);
                differ += 1;
                years &= (1950..2200).contains(&p) && (1950..2200).contains(&q);
                text.extend_from_slice(if p >= q { x } else { y });
                continue;
            }
            text.extend_from_slice(x);
        }
        if differ == 0 {
            return None;
        }
        let says = |what: &[u8]| {
            text.to_ascii_lowercase()
                .windows(what.len())
                .any(|w| w == what)
        };
        let (o, t) = (&context.ours, &context.theirs);
        if years && differ <= 2 && (says(b"copyright") || says(b"(c)")) {
            let reason =
                format!("{o} and {t} differ in the year of a notice; the later year is kept");
            let resolution = conflict.resolution(vec![Segment::Text(text)]);
            return Some(Proposal::likely(resolution, reason));
        }
        Some(Proposal::hint(format!(
            "{o} and {t} differ only in numbers; a person must choose, and no mixture is safe"
        )))
    }

    fn examples(&self) -> &'static [Example] {
        &[
            Example {
                path: "a.rs",
                base: "// Copyright 2019 Harbour Office\n",
                ours: "// Copyright 2019-2024 Harbour Office\n",
                theirs: "// Copyright 2019-2023 Harbour Office\n",
                gives: Some((Likely, "// Copyright 2019-2024 Harbour Office\n")),
            },
            Example {
                path: "a.toml",
                base: "at = \"1.4.2\"\n",
                ours: "at = \"1.5.2\"\n",
                theirs: "at = \"1.4.3\"\n",
                gives: Some((Hint, "")),
            },
            Example {
                path: "a.rs",
                base: "moor(1)\n",
                ours: "moor(ship)\n",
                theirs: "moor(2)\n",
                gives: None,
            },
        ]
    }
}

fn number(word: &[u8]) -> Option<u64> {
    std::str::from_utf8(word).ok()?.parse().ok()
}
