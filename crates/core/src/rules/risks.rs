//! The risks of settling a conflict by its merged rows, and the certainty that they leave.

use crate::decide::resolution::Resolution;
use crate::decide::ruling::Certainty;
use crate::limits::{DISTINCTIVE_BYTES, INDEPENDENT_WORDS, SAME_TEXT_LINES};
use crate::merge::list_items::is_item;
use crate::merge::stats::EditCounts;
use crate::model::side::{PerSide, Side};
use crate::model::versions::Version;
use crate::rules::conflict::Conflict;
use crate::rules::rule::RuleContext;
use crate::text::language::is_data;
use crate::text::tokens::is_space;
use std::collections::{BTreeSet, HashMap};

/// A reason to doubt that changes are independent although they do not overlap.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Risk {
    /// Both changed the same blanks.
    WhitespaceClash,
    /// New lines use words that the other side changed.
    Outdated,
    /// The other side's changes of words were made in new lines too.
    Rewritten,
    /// New lines are like a line that the other side changed.
    Copied,
    /// One side took lines out, the other did something around them.
    Deleted,
    /// Both put lines in.
    BothInserted,
    /// New lines were indented as the other side indents.
    Shifted,
    /// Not code: what belongs together does not stand together.
    Data,
    /// Both changed numbers.
    Numbers,
    /// One side broke the same words into other lines.
    WrappedAnew,
    /// New lines whose place an order tells, in a list or a header.
    ListItems,
    /// Changed words with next to nothing between them.
    Touching,
    /// Words blended right beside other changes.
    Crowded,
    /// One side formatted what the other took out or replaced.
    Formatted,
    /// Lines paired another way give another text.
    Unsteady,
    /// New lines stand where the other side opened or closed something.
    Unbalanced,
    /// A line stands there more often than on any side.
    Repeats,
    /// New lines close what they did not open.
    Slid,
    /// New lines stand before a block that the other side made of what followed.
    Wrapped,
    /// New lines are like what the other side made of the lines beside them.
    Rivals,
    /// Both brought the same name into one line, each at another place.
    Doubled,
    /// New lines beside lines into which the other side put the same words throughout.
    Pattern,
    /// Both changed the end of a line, and one of them went on behind it.
    Forked,
    /// The other side has the new lines too, elsewhere.
    ElsewhereToo,
}

impl Conflict<'_> {
    /// What speaks against taking the merged rows as they are.
    ///
    /// The risks were found by looking at real merges with a known answer.
    pub fn risks(&self, context: &RuleContext) -> Vec<Risk> {
        let Some(stats) = self.stats() else {
            return Vec::new();
        };
        let PerSide { ours, theirs } = &stats.sides;
        let takes = |d: &EditCounts| d.deleted + d.replaced > 0;
        let idle = |d: &EditCounts| *d == EditCounts::default();
        let puts_in = |d: &EditCounts| d.inserted + d.replaced;
        let found = [
            (stats.whitespace_clashes > 0, Risk::WhitespaceClash),
            (stats.outdated > 0, Risk::Outdated),
            (stats.rewritten > 0, Risk::Rewritten),
            (stats.copied > 0, Risk::Copied),
            (
                takes(ours) && !idle(theirs) || takes(theirs) && !idle(ours),
                Risk::Deleted,
            ),
            (ours.inserted > 0 && theirs.inserted > 0, Risk::BothInserted),
            (stats.reindented > 0, Risk::Shifted),
            (is_data(&context.path), Risk::Data),
            (
                stats.numbers > 0 || self.both_changed_numbers(),
                Risk::Numbers,
            ),
            (self.is_wrapped_anew(), Risk::WrappedAnew),
            (stats.beside > 0 && self.adds_list_items(), Risk::ListItems),
            (
                stats.blended > 0 && stats.gap.is_some_and(|gap| gap < INDEPENDENT_WORDS),
                Risk::Touching,
            ),
            (
                stats.blended > 0 && stats.beside + stats.beside_deleted + stats.adjacent > 0,
                Risk::Crowded,
            ),
            (stats.formatted > 0, Risk::Formatted),
            (!self.is_steady(), Risk::Unsteady),
            (stats.unbalanced > 0, Risk::Unbalanced),
            (self.repeats_a_line(), Risk::Repeats),
            (stats.closes_first > 0, Risk::Slid),
            (stats.before_new_block > 0, Risk::Wrapped),
            (stats.similar_to_replacement > 0, Risk::Rivals),
            (stats.doubled_names > 0, Risk::Doubled),
            (stats.beside_pattern > 0, Risk::Pattern),
            (stats.forked_ends > 0, Risk::Forked),
            (
                puts_in(ours) + puts_in(theirs) > 0
                    && self.known()
                        >= if stats.beside_deleted > 0 {
                            1
                        } else {
                            SAME_TEXT_LINES
                        },
                Risk::ElsewhereToo,
            ),
        ];
        found
            .into_iter()
            .filter(|(is, _)| *is)
            .map(|(_, risk)| risk)
            .collect()
    }

    /// How sure one may be of the merged rows.
    ///
    /// Measured on real merges: where lines were taken out, what the other side blended there,
    /// or added where it hangs on what is gone, is wrong too often to be offered.
    pub(crate) fn certainty(&self, context: &RuleContext) -> Certainty {
        let risks = self.risks(context);
        let (Some(stats), false) = (self.stats(), risks.is_empty()) else {
            return Certainty::Certain;
        };
        // Rows of their own that one side took out, or words blended beside them, are as apart
        // as changes can be.
        let harmless = match risks.as_slice() {
            [Risk::Crowded] => true,
            [Risk::Deleted] => {
                let hangs = stats.isolated
                    + stats.isolated_self_contained
                    + stats.attached_to_deleted
                    + stats.orphaned;
                let settled = match stats.beside_deleted {
                    0 => stats.replaced + stats.beside == 0,
                    n => n == stats.self_contained,
                };
                settled && stats.deleted_respaced + stats.blended + hangs == 0
            }
            _ => false,
        };
        if harmless {
            return Certainty::Certain;
        }
        let spoils = |risk: &Risk| match risk {
            Risk::Outdated
            | Risk::Copied
            | Risk::Numbers
            | Risk::Unbalanced
            | Risk::Repeats
            | Risk::Rivals
            | Risk::Doubled
            | Risk::Forked
            | Risk::ElsewhereToo => true,
            Risk::BothInserted => risks.contains(&Risk::ListItems),
            Risk::Deleted => {
                stats.isolated + stats.attached_to_deleted + stats.orphaned > 0
                    || risks.contains(&Risk::Rewritten)
            }
            _ => false,
        };
        match risks.iter().any(spoils) || risks.len() > 3 {
            true => Certainty::Hint,
            false => Certainty::Likely,
        }
    }

    /// Lines that one side put in here and the other side elsewhere.
    fn known(&self) -> usize {
        let here = |version| {
            let lines = self.versions().get(version);
            let lines = lines.lines(self.region().lines(version));
            let long = lines.map(|l| l.trimmed());
            long.filter(|l| l.len() >= DISTINCTIVE_BYTES)
        };
        let known = |side: Side| {
            let other = Version::from(side.other());
            let lines = here(side.into()).filter(|line| {
                let changed = |version| self.changed(version).contains(line);
                changed(other) && !changed(Version::Base) && !here(other).any(|l| l == *line)
            });
            lines.take(SAME_TEXT_LINES).count()
        };
        known(Side::Ours).max(known(Side::Theirs))
    }

    /// Whether a side put in lines whose place in a list or header only its order tells.
    pub(crate) fn adds_list_items(&self) -> bool {
        let lines = |v: Version| {
            let lines = self.text(v).split(|b| *b == b'\n');
            lines.map(<[u8]>::trim_ascii)
        };
        let items = |v: Version| lines(v).filter(|line| is_item(line)).count();
        let base: BTreeSet<&[u8]> = lines(Version::Base).collect();
        let known = items(Version::Base);
        [Version::Ours, Version::Theirs].into_iter().any(|v| {
            let new = lines(v).filter(|line| !base.contains(line));
            // An item with other words is none that was added.
            items(v) > known && new.into_iter().any(is_item)
        })
    }

    /// Whether a line of words stands in the merged rows more often than on any side.
    fn repeats_a_line(&self) -> bool {
        self.merged_rows().is_ok_and(|merged| {
            let resolution = Resolution::Segments(merged.segments.clone());
            self.repeats(resolution.text(self.plan(), self.region()).bytes())
        })
    }

    /// Whether a text has a line of words more often than both sides.
    pub(crate) fn repeats(&self, text: &[u8]) -> bool {
        let count = |bytes: &[u8]| {
            let mut lines: HashMap<Vec<u8>, usize> = HashMap::new();
            for line in bytes.split(|b| *b == b'\n') {
                let solid: Vec<u8> = line.iter().copied().filter(|b| !is_space(*b)).collect();
                if solid.len() > 3 {
                    *lines.entry(solid).or_default() += 1;
                }
            }
            lines
        };
        let sides = [Version::Ours, Version::Theirs, Version::Base].map(|v| count(self.text(v)));
        count(text).iter().any(|(line, n)| {
            *n > 1
                && sides
                    .iter()
                    .all(|side| side.get(line).is_none_or(|m| m < n))
        })
    }
}
