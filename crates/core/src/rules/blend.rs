//! Rule: both sides changed different words of one line.

use crate::decide::ruling::Certainty::{Certain, Hint, Likely};
use crate::limits::INDEPENDENT_WORDS;
use crate::model::versions::Version;
use crate::rules::conflict::{Conflict, blends_numbers};
use crate::rules::rule::{Example, Proposal, Rule, RuleContext};
use crate::rules::wording::lines;

pub(crate) struct Blend;

impl Rule for Blend {
    fn id(&self) -> &'static str {
        "blend"
    }

    fn title(&self) -> &'static str {
        "word-by-word blend"
    }

    fn propose(&self, conflict: &Conflict<'_>, context: &RuleContext) -> Option<Proposal> {
        let stats = conflict.stats()?;
        if stats.blended == 0 || stats.import_lists > 0 {
            return None;
        }
        let resolution = conflict.merged_resolution()?;
        let (o, t) = (&context.ours, &context.theirs);
        if stats.numbers > 0 || blends_numbers(conflict, &resolution) {
            return Some(Proposal::hint(format!(
                "{o} and {t} changed different parts of one number or version; no mixture of both is safe"
            )));
        }
        // Then what one side took out is part of what the other replaced: it may be in there in other words.
        let (region, versions) = (conflict.region(), conflict.versions());
        let text = resolution.text(conflict.plan(), region);
        let is_side = |side: Version| {
            let own = versions.get(side).slice(region.lines(side));
            own == text.bytes()
        };
        if is_side(Version::Ours) || is_side(Version::Theirs) {
            return Some(Proposal::hint(format!(
                "{o} and {t} both changed the same words; one of them may contain the other's change"
            )));
        }
        let apart = stats.gap.is_none_or(|gap| gap >= INDEPENDENT_WORDS);
        let how = if apart {
            "different words"
        } else {
            "neighbouring words"
        };
        let of = if stats.blended == 1 {
            "one line".to_owned()
        } else {
            lines(stats.blended)
        };
        let reason = format!("{o} and {t} changed {how} of {of}; the blend has both");
        Some(Proposal::new(
            conflict.certainty(context),
            resolution,
            reason,
        ))
    }

    fn examples(&self) -> &'static [Example] {
        &[
            Example {
                path: "a.rs",
                base: "let slot = self.free.pop(ship);\n",
                ours: "let berth = self.free.pop(ship);\n",
                theirs: "let slot = self.free.pop(tug);\n",
                gives: Some((Certain, "let berth = self.free.pop(tug);\n")),
            },
            Example {
                path: "a.rs",
                base: "moor(ship)\n",
                ours: "moor(ship, tide)\n",
                theirs: "moor(&ship)\n",
                gives: Some((Likely, "moor(&ship, tide)\n")),
            },
            Example {
                path: "a.toml",
                base: "at = \"1.4.2\"\n",
                ours: "at = \"1.5.2\"\n",
                theirs: "at = \"1.4.3\"\n",
                gives: Some((Hint, "")),
            },
            Example {
                path: "a.py",
                base: "def moor(ship, berth):\n",
                ours: "def moor(ship, berth, pilot):\n",
                theirs: "def moor(pilot, ship, berth):\n",
                gives: Some((Hint, "")),
            },
            Example {
                path: "a.css",
                base: "src: url(\"../lamps/3.11.10/lamp.eot\");\n",
                ours: "src: url(\"../lamps/3.11.11/lamp.eot\");\n",
                theirs: "src: url(\"../lamps/4.1.10/lamp.eot\");\n",
                gives: Some((Hint, "")),
            },
            Example {
                path: "a.rs",
                base: "moor(ship)\n",
                ours: "moor(tug)\n",
                theirs: "moor(ferry)\n",
                gives: None,
            },
        ]
    }
}
