//! How often something stands in the three versions and in a result, and how often it may.

use foldhash::{HashMap, HashMapExt};
use std::hash::Hash;

/// How often one line or word stands in base, ours, theirs and the result.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Count {
    pub(crate) base: usize,
    pub(crate) ours: usize,
    pub(crate) theirs: usize,
    pub(crate) result: usize,
}

/// One of the four texts that are counted.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Text {
    Base,
    Ours,
    Theirs,
    Result,
}

impl Count {
    /// By how much each side changed the number.
    pub(crate) fn changes(&self) -> (isize, isize) {
        let by = |side: usize| side as isize - self.base as isize;
        (by(self.ours), by(self.theirs))
    }

    /// How often it stands, at least and at most, in a result that has both sides' changes.
    ///
    /// What both added may be the same one or two; what both removed likewise.
    pub(crate) fn bounds(&self) -> (usize, usize) {
        let base = self.base as isize;
        let (ours, theirs) = self.changes();
        let sum = base + ours + theirs;
        let (least, most) = match (ours >= 0, theirs >= 0) {
            (true, true) => (base + ours.max(theirs), sum),
            (false, false) => (sum, base + ours.min(theirs)),
            _ => (sum, sum),
        };
        (least.max(0) as usize, most.max(0) as usize)
    }

    /// How many are missing from the result.
    pub(crate) fn missing(&self) -> usize {
        self.bounds().0.saturating_sub(self.result)
    }

    /// How many the result has too many of.
    pub(crate) fn surplus(&self) -> usize {
        self.result.saturating_sub(self.bounds().1)
    }

    /// Whether some version has it.
    pub(crate) fn is_known(&self) -> bool {
        self.base + self.ours + self.theirs > 0
    }
}

/// Counts of many lines or words.
#[derive(Clone, Debug)]
pub(crate) struct Tally<K>(HashMap<K, Count>);

impl<K> Default for Tally<K> {
    fn default() -> Self {
        Tally(HashMap::new())
    }
}

impl<K: Hash + Eq> Tally<K> {
    pub(crate) fn put(&mut self, key: K, text: Text) {
        let count = self.0.entry(key).or_default();
        *match text {
            Text::Base => &mut count.base,
            Text::Ours => &mut count.ours,
            Text::Theirs => &mut count.theirs,
            Text::Result => &mut count.result,
        } += 1;
    }

    pub(crate) fn get(&self, key: &K) -> Count {
        self.0.get(key).copied().unwrap_or_default()
    }

    pub(crate) fn iter(&self) -> impl Iterator<Item = (&K, &Count)> {
        self.0.iter()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn bounds(base: usize, ours: usize, theirs: usize) -> (usize, usize) {
        let count = Count {
            base,
            ours,
            theirs,
            result: 0,
        };
        count.bounds()
    }

    #[test]
    fn a_result_with_both_changes_has_so_many() {
        assert_eq!(bounds(1, 1, 1), (1, 1));
        assert_eq!(bounds(0, 1, 0), (1, 1));
        assert_eq!(bounds(1, 0, 1), (0, 0));
        // The same line of both may be one or two.
        assert_eq!(bounds(0, 1, 1), (1, 2));
        assert_eq!(bounds(2, 1, 1), (0, 1));
        // Ours put one in, theirs took one out elsewhere.
        assert_eq!(bounds(1, 2, 0), (1, 1));
        assert_eq!(bounds(0, 2, 1), (2, 3));
    }
}
