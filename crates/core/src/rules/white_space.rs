//! Rule: the sides have the same words and differ in blanks.

use crate::decide::policy::WhitespacePolicy;
use crate::decide::resolution::Resolution;
use crate::decide::ruling::Certainty::{Certain, Likely};
use crate::model::side::Side;
use crate::model::versions::Version;
use crate::rules::conflict::Conflict;
use crate::rules::rule::{Example, Proposal, Rule, RuleContext};
use crate::text::source::{Line, Source};
use crate::text::tokens::same_tokens;

pub(crate) struct WhiteSpace;

impl Rule for WhiteSpace {
    fn id(&self) -> &'static str {
        "white-space"
    }

    fn title(&self) -> &'static str {
        "white space only"
    }

    fn propose(&self, conflict: &Conflict<'_>, context: &RuleContext) -> Option<Proposal> {
        let [base, ours, theirs] =
            [Version::Base, Version::Ours, Version::Theirs].map(|v| conflict.text(v));
        if !same_tokens(ours, theirs) {
            return None;
        }
        let (o, t) = (&context.ours, &context.theirs);
        if let Some(stats) = conflict.stats()
            && stats.whitespace_clashes == 0
            && same_tokens(base, ours)
        {
            let reason =
                format!("{o} and {t} changed different white space; the words are the same");
            return Some(Proposal::certain(conflict.merged_resolution()?, reason));
        }
        let clash = clash(&Source::new(ours), &Source::new(theirs));
        // The blanks of the side that laid out more of the file are what its rest looks like.
        let more = conflict.lays_out();
        let side = more.unwrap_or(Side::Ours);
        let kept = context.label(side);
        let why = more.map_or("", |_| ", which changed more of the file");
        let resolution = match (side, conflict.merged_resolution()) {
            (Side::Ours, Some(merged)) => merged,
            _ => Resolution::Take(side.into()),
        };
        if clash <= context.blanks {
            let reason = format!(
                "{o} and {t} differ only in white space, which the policy '{}' ignores; the result has the white space of {kept}",
                context.blanks.name()
            );
            return Some(Proposal::certain(resolution, reason));
        }
        let reason = format!(
            "{o} and {t} have the same words and differ in {}; the result follows {kept}{why}",
            name(clash)
        );
        Some(Proposal::likely(resolution, reason))
    }

    fn examples(&self) -> &'static [Example] {
        const BOTH: (&str, &str, &str) = ("moor( ship )\n", "  moor( ship )\n", "moor(ship)\n");
        &[
            Example {
                path: "a.rs",
                base: BOTH.0,
                ours: BOTH.1,
                theirs: BOTH.2,
                gives: Some((Certain, "  moor(ship)\n")),
            },
            Example {
                path: "a.rs",
                base: "moor();\n",
                ours: "\tmoor();\n",
                theirs: "  moor();\n",
                gives: Some((Likely, "\tmoor();\n")),
            },
            Example {
                path: "a.rs",
                base: "moor();\n",
                ours: "  moor();\n",
                theirs: "  dock();\n",
                gives: None,
            },
        ]
    }
}

/// The strictest policy under which two texts with the same words are the same.
fn clash(a: &Source, b: &Source) -> WhitespacePolicy {
    if a.len() != b.len() {
        return WhitespacePolicy::All;
    }
    let pairs = a.lines(a.all()).zip(b.lines(b.all()));
    pairs
        .map(|(x, y)| line_clash(x, y))
        .max()
        .unwrap_or_default()
}

fn line_clash(x: Line<'_>, y: Line<'_>) -> WhitespacePolicy {
    let squeezed = |line: Line<'_>| -> Vec<u8> {
        let mut out: Vec<u8> = Vec::new();
        for byte in line.content() {
            let blank = matches!(byte, b' ' | b'\t');
            match (blank, out.last()) {
                (true, Some(b' ')) => {}
                (true, _) => out.push(b' '),
                (false, _) => out.push(*byte),
            }
        }
        out
    };
    let without_end = |line: Line<'_>| {
        let cut = line.content().len() - line.trailing().len();
        line.content()[..cut].to_vec()
    };
    match () {
        () if x == y => WhitespacePolicy::Exact,
        () if x.content() == y.content() => WhitespacePolicy::LineEnds,
        () if without_end(x) == without_end(y) => WhitespacePolicy::Trailing,
        () if squeezed(x).trim_ascii_end() == squeezed(y).trim_ascii_end() => {
            WhitespacePolicy::Amount
        }
        () => WhitespacePolicy::All,
    }
}

fn name(clash: WhitespacePolicy) -> &'static str {
    match clash {
        WhitespacePolicy::Exact | WhitespacePolicy::LineEnds => "line ends",
        WhitespacePolicy::Trailing => "trailing whitespace",
        WhitespacePolicy::Amount => "the amount of white space",
        WhitespacePolicy::All => "blanks",
    }
}
