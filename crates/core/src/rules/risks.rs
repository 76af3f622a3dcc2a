//! What speaks against settling a conflict by its woven rows, and how sure one may be of them.

use crate::decide::resolution::Resolution;
use crate::decide::ruling::Certainty;
use crate::merge::list_items::is_item;
use crate::merge::stats::Deeds;
use crate::model::side::Side;
use crate::model::versions::Version;
use crate::rules::conflict::{APART, Conflict, OF_ITS_OWN};
use crate::rules::rule::Context;
use crate::text::tokens::is_space;
use std::collections::{BTreeSet, HashMap};

/// Something that speaks against changes being independent although they do not overlap.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Doubt {
    /// Both changed the same blanks.
    BlankClash,
    /// New lines use words that the other side changed.
    Stale,
    /// The other side's changes of words were made in new lines too.
    Renewed,
    /// New lines are like a line that the other side changed.
    Copied,
    /// One side took lines out, the other did something around them.
    Taken,
    /// Both put lines in.
    BothPutIn,
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
    Known,
}

/// Lines which both sides put in, in different places, from which on they are one text.
const MANY: usize = 5;

impl Conflict<'_> {
    /// What speaks against taking the woven rows as they are.
    ///
    /// The doubts were found by looking at real merges with a known answer.
    pub fn doubts(&self, context: &Context) -> Vec<Doubt> {
        let Some(facts) = self.facts() else {
            return Vec::new();
        };
        let [ours, theirs] = &facts.sides;
        let takes = |d: &Deeds| d.gone + d.swapped > 0;
        let idle = |d: &Deeds| *d == Deeds::default();
        let puts_in = |d: &Deeds| d.put_in + d.swapped;
        let data = matches!(
            context.extension(),
            "toml" | "json" | "yaml" | "yml" | "cfg" | "ini" | "md" | "rst" | "txt"
        );
        let found = [
            (facts.blank_clashes > 0, Doubt::BlankClash),
            (facts.stale > 0, Doubt::Stale),
            (facts.renewed > 0, Doubt::Renewed),
            (facts.copied > 0, Doubt::Copied),
            (
                takes(ours) && !idle(theirs) || takes(theirs) && !idle(ours),
                Doubt::Taken,
            ),
            (ours.put_in > 0 && theirs.put_in > 0, Doubt::BothPutIn),
            (facts.shifted > 0, Doubt::Shifted),
            (data, Doubt::Data),
            (
                facts.numbers > 0 || self.both_changed_numbers(),
                Doubt::Numbers,
            ),
            (self.is_wrapped_anew(), Doubt::WrappedAnew),
            (facts.beside > 0 && self.adds_list_items(), Doubt::ListItems),
            (
                facts.blended > 0 && facts.gap.is_some_and(|gap| gap < APART),
                Doubt::Touching,
            ),
            (
                facts.blended > 0 && facts.beside + facts.beside_gone + facts.adjacent > 0,
                Doubt::Crowded,
            ),
            (facts.formatted > 0, Doubt::Formatted),
            (!self.is_steady(), Doubt::Unsteady),
            (facts.unbalanced > 0, Doubt::Unbalanced),
            (self.repeats_a_line(), Doubt::Repeats),
            (facts.slid > 0, Doubt::Slid),
            (facts.wrapped > 0, Doubt::Wrapped),
            (facts.rivals > 0, Doubt::Rivals),
            (facts.doubled > 0, Doubt::Doubled),
            (facts.patterned > 0, Doubt::Pattern),
            (facts.forked > 0, Doubt::Forked),
            (
                puts_in(ours) + puts_in(theirs) > 0
                    && self.known() >= if facts.beside_gone > 0 { 1 } else { MANY },
                Doubt::Known,
            ),
        ];
        found
            .into_iter()
            .filter(|(is, _)| *is)
            .map(|(_, doubt)| doubt)
            .collect()
    }

    /// How sure one may be of the woven rows.
    ///
    /// Measured on real merges: where lines were taken out, what the other side blended there,
    /// or added where it hangs on what is gone, is wrong too often to be offered.
    pub(crate) fn sure(&self, context: &Context) -> Certainty {
        let doubts = self.doubts(context);
        let (Some(facts), false) = (self.facts(), doubts.is_empty()) else {
            return Certainty::Certain;
        };
        // Rows of their own that one side took out, or words blended beside them, are as apart
        // as changes can be.
        let harmless = match doubts.as_slice() {
            [Doubt::Crowded] => true,
            [Doubt::Taken] => {
                let hangs = facts.deserted + facts.islands + facts.leaning + facts.orphaned;
                let settled = match facts.beside_gone {
                    0 => facts.swapped + facts.beside == 0,
                    n => n == facts.alone,
                };
                settled && facts.removed_respaced + facts.blended + hangs == 0
            }
            _ => false,
        };
        if harmless {
            return Certainty::Certain;
        }
        let spoils = |doubt: &Doubt| match doubt {
            Doubt::Stale
            | Doubt::Copied
            | Doubt::Numbers
            | Doubt::Unbalanced
            | Doubt::Repeats
            | Doubt::Rivals
            | Doubt::Doubled
            | Doubt::Forked
            | Doubt::Known => true,
            Doubt::BothPutIn => doubts.contains(&Doubt::ListItems),
            Doubt::Taken => {
                facts.deserted + facts.leaning + facts.orphaned > 0
                    || doubts.contains(&Doubt::Renewed)
            }
            _ => false,
        };
        match doubts.iter().any(spoils) || doubts.len() > 3 {
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
            long.filter(|l| l.len() >= OF_ITS_OWN)
        };
        let known = |side: Side| {
            let other = Version::from(side.other());
            let lines = here(side.into()).filter(|line| {
                let changed = |version| self.changed(version).contains(line);
                changed(other) && !changed(Version::Base) && !here(other).any(|l| l == *line)
            });
            lines.take(MANY).count()
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

    /// Whether a line of words stands in the woven rows more often than on any side.
    fn repeats_a_line(&self) -> bool {
        self.woven().is_ok_and(|woven| {
            let resolution = Resolution::Woven(woven.strands.clone());
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
