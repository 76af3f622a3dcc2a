//! Rule: both sides made the same change, and one of them did more.

use crate::decide::resolution::Resolution;
use crate::decide::ruling::Certainty::{Certain, Likely};
use crate::diff::hunk::Algorithm;
use crate::diff::lines::hunks_of_keys;
use crate::model::region::RegionKind;
use crate::model::side::Side;
use crate::model::versions::Version;
use crate::rules::conflict::Conflict;
use crate::rules::rule::{Example, Proposal, Rule, RuleContext};
use crate::rules::wording::{lines, whose};
use crate::text::source::Source;

pub(crate) struct More;

impl Rule for More {
    fn id(&self) -> &'static str {
        "more"
    }

    fn title(&self) -> &'static str {
        "the same change and more"
    }

    fn propose(&self, conflict: &Conflict<'_>, context: &RuleContext) -> Option<Proposal> {
        [Side::Ours, Side::Theirs]
            .into_iter()
            .find_map(|side| self.one_way(conflict, context, side))
            .or_else(|| self.by_words(conflict, context))
    }

    fn examples(&self) -> &'static [Example] {
        &[
            Example {
                path: "a.py",
                base: "",
                ours: "moor(ship)\npay(ship)\n",
                theirs: "moor(ship)\npay(ship)\nlog(ship)\n",
                gives: Some((Likely, "moor(ship)\npay(ship)\nlog(ship)\n")),
            },
            Example {
                path: "a.py",
                base: "dock(ship)\n",
                ours: "moor(ship)\npay(ship)\n",
                theirs: "moor(ship)\nlog(ship)\npay(ship)\n",
                gives: Some((Certain, "moor(ship)\nlog(ship)\npay(ship)\n")),
            },
            Example {
                path: "a.py",
                base: "",
                ours: "moor(ship)\npay(ship)\n",
                theirs: "moor(ship)\nlog(ship)\npay(ship)\n",
                gives: Some((Likely, "moor(ship)\nlog(ship)\npay(ship)\n")),
            },
            Example {
                path: "a.rs",
                base: "let slot = berths[at].write().unwrap();\n",
                ours: "let slot = berths[at].lock();\n",
                theirs: "let slot = berths[at].write();\n",
                gives: Some((Likely, "let slot = berths[at].lock();\n")),
            },
            Example {
                path: "a.py",
                base: "from harbour import berth, tide\n",
                ours: "from harbour import berth\n",
                theirs: "",
                gives: Some((Likely, "")),
            },
            Example {
                path: "a.py",
                base: "dock(ship)\n",
                ours: "moor(ship)\n",
                theirs: "pay(ship)\n",
                gives: None,
            },
        ]
    }
}

impl More {
    /// Word by word: whether one side's change holds all that the other changed.
    fn by_words(&self, conflict: &Conflict<'_>, context: &RuleContext) -> Option<Proposal> {
        let (more, close) = conflict.token_diff()?.covering()?;
        let reason = format!(
            "{} has every word of {} change, and more",
            context.label(more),
            whose(context.label(more.other()))
        );
        // An operand that one side took out the other may have put into what it wrote instead.
        let operators = |version: Version| {
            let signs = conflict.text(version).iter();
            signs
                .filter(|b| matches!(b, b'*' | b'/' | b'+' | b'%'))
                .count()
        };
        if !close && operators(more.other().into()) < operators(Version::Base) {
            return None;
        }
        // What one side took out as a whole the other may have meant to change.
        let sure = close && !Version::ALL.iter().any(|v| conflict.text(*v).is_empty());
        let taken = Resolution::Take(more.into());
        Some(match sure {
            true => Proposal::certain(taken, reason),
            false => Proposal::likely(taken, reason),
        })
    }

    /// Whether `more` is the other side's text with lines put in, and base did not have them.
    fn one_way(
        &self,
        conflict: &Conflict<'_>,
        context: &RuleContext,
        more: Side,
    ) -> Option<Proposal> {
        let less = more.other();
        let region = conflict.region();
        if region.lines(less.into()).len() >= region.lines(more.into()).len() {
            return None;
        }
        let rows = |v: Version| -> Vec<&[u8]> {
            let text: &Source = conflict.versions().get(v);
            text.lines(region.lines(v)).map(|l| l.bytes()).collect()
        };
        let (base, small, large) = (rows(Version::Base), rows(less.into()), rows(more.into()));
        let worded = small
            .iter()
            .filter(|l| l.iter().filter(|b| b.is_ascii_alphanumeric()).count() > 2)
            .count();
        // What both changed alike has left the conflict already and stands beside it.
        let beside = beside_the_same(conflict).filter(|_| small.is_empty());
        if worded == 0 && beside.is_none() {
            return None;
        }
        let added = hunks_of_keys(&small, &large, Algorithm::Myers);
        let only_added = added.iter().all(|h| h.base.is_empty());
        // What the smaller side took out of base must not come back.
        let returns = added
            .iter()
            .flat_map(|h| large[h.side.span()].iter())
            .any(|line| base.contains(line));
        if !only_added || returns {
            return None;
        }
        let n: usize = added.iter().map(|h| h.side.len()).sum();
        let reason = format!(
            "{} has all of {} change and {} more",
            context.label(more),
            whose(context.label(less)),
            lines(n)
        );
        let taken = Resolution::Take(more.into());
        // Where both only took lines out alike, what one put in is not part of one change.
        let one_change = worded > 0 || beside == Some(true);
        Some(match base.is_empty() || !one_change {
            true => Proposal::likely(taken, reason),
            false => Proposal::certain(taken, reason),
        })
    }
}

/// Whether a change that both made alike touches the conflict, and has new lines.
fn beside_the_same(conflict: &Conflict<'_>) -> Option<bool> {
    let (regions, at) = (conflict.plan().regions(), conflict.id().0 as usize);
    let before = at.checked_sub(1).and_then(|i| regions.get(i));
    let beside = before.into_iter().chain(regions.get(at + 1));
    let same = beside.filter(|r| r.kind == RegionKind::Same);
    same.map(|r| !r.ours.is_empty()).max()
}
