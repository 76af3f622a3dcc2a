//! Rule: one side's change is one replacement, made throughout: replay it on the other side.

use crate::decide::resolution::Resolution;
use crate::decide::ruling::Certainty::Likely;
use crate::merge::formula::Formula;
use crate::model::segment::Segment;
use crate::model::side::Side;
use crate::model::versions::Version;
use crate::rules::conflict::{Conflict, blends_numbers};
use crate::rules::rule::{Example, Proposal, Rule, RuleContext};

pub(crate) struct Replay;

impl Rule for Replay {
    fn id(&self) -> &'static str {
        "formula"
    }

    fn title(&self) -> &'static str {
        "one replacement throughout"
    }

    fn propose(&self, conflict: &Conflict<'_>, context: &RuleContext) -> Option<Proposal> {
        let base = conflict.text(Version::Base);
        // What one side put in may hang on what the other took out, and no two versions give a third.
        if conflict
            .stats()
            .is_some_and(|stats| stats.orphaned + stats.numbers + stats.doubled_names > 0)
        {
            return None;
        }
        [Side::Ours, Side::Theirs].into_iter().find_map(|side| {
            let changes = conflict.token_diff()?.changes(side);
            let other = conflict.text(side.other().into());
            // Where the other side dropped the words there is nothing to replay.
            let (from, _) = changes.first()?;
            if !from.is_empty() && !other.windows(from.len()).any(|words| words == *from) {
                return None;
            }
            let formula = Formula::out_of(&changes, base, conflict.text(side.into()))?;
            if formula.call.is_some() && !formula.fits(other) {
                return None;
            }
            let (text, times) = formula.replay(other);
            if times == 0 {
                return None;
            }
            // One word changed once, or only added to, says little about the same word elsewhere: it may
            // be rebound there.
            let weak = formula.times == 1 || formula.only_adds();
            if weak && formula.call.is_none() && !formula.in_company(base, other) {
                return None;
            }
            let resolution = conflict.resolution(vec![Segment::Text(text)]);
            // A version of three parts is a number too.
            if conflict.both_changed_numbers() || blends_numbers(conflict, &resolution) {
                return None;
            }
            let (who, on) = (context.label(side), context.label(side.other()));
            let reason = format!(
                "{who} only changed {}; the same change is applied to the lines of {on}",
                formula.describe()
            );
            // One change is no pattern, unless the other side changed only the layout.
            let bare = |text: &[u8]| -> Vec<u8> {
                let is_word = |b: &&u8| !b.is_ascii_whitespace() && **b != b'\\';
                text.iter().filter(is_word).copied().collect()
            };
            Some(match formula.times {
                1 if bare(base) != bare(other) => Proposal::hint(reason),
                _ => Proposal::likely(without_empty(resolution), reason),
            })
        })
    }

    fn examples(&self) -> &'static [Example] {
        &[
            Example {
                path: "a.rs",
                base: "let slot = free.pop();\nlet next = free.pop();\n",
                ours: "let slot = free.take();\nlet next = free.take();\n",
                theirs: "let slot = free.pop().or(spare);\nlet next = free.pop();\nlet last = free.pop();\n",
                gives: Some((
                    Likely,
                    "let slot = free.take().or(spare);\nlet next = free.take();\nlet last = free.take();\n",
                )),
            },
            Example {
                path: "a.rs",
                base: "moor(ship);\nmoor(tug);\n",
                ours: "moor(ship, tide);\nmoor(tug, tide);\n",
                theirs: "moor(first(ship));\nmoor(tug);\nmoor(ferry);\n",
                gives: Some((
                    Likely,
                    "moor(first(ship), tide);\nmoor(tug, tide);\nmoor(ferry, tide);\n",
                )),
            },
            Example {
                path: "a.rs",
                base: "moor(ship);\n",
                ours: "moor(ship, tide);\n",
                theirs: "harbour.moor(ship, tide);\n",
                gives: None,
            },
            Example {
                path: "a.py",
                base: "class Bell(event.Handler):\n",
                ours: "class Bell(tide.Handler):\n",
                theirs: "# Rings at an event.\nclass Bell(event.Handler):\n",
                gives: None,
            },
            Example {
                path: "a.css",
                base: "src: url(\"../lamps/3.11.10/lamp.eot\");\n",
                ours: "src: url(\"../lamps/3.11.11/lamp.eot\");\n",
                theirs: "src: url(\"../lamps/4.1.10/lamp.eot\");\n",
                gives: None,
            },
            Example {
                path: "a.py",
                base: "VERSION = (4, 1, 10)\n",
                ours: "VERSION = (4, 1, 11)\n",
                theirs: "VERSION = (5, 0, 10)\n",
                gives: None,
            },
            Example {
                path: "a.rs",
                base: "poll(fd, 1);\nclose(fd);\n",
                ours: "poll(&fd, 1);\nclose(&fd);\n",
                theirs: "match poll(fd, 1) {\n    Ok(fd) => fd,\n}\nclose(fd);\n",
                gives: None,
            },
            Example {
                path: "a.rs",
                base: "let slot = free.pop();\n",
                ours: "let slot = free.take();\n",
                theirs: "let slot = spare();\n",
                gives: None,
            },
        ]
    }
}

fn without_empty(resolution: Resolution) -> Resolution {
    match resolution {
        Resolution::Segments(segments) => {
            Resolution::Segments(segments.into_iter().filter(|s| !s.is_empty()).collect())
        }
        other => other,
    }
}
