//! How much two stretches of text are alike, by the words that they share.

use crate::text::tokens::{is_name, solid_tokens};
use foldhash::{HashMap, HashMapExt};

/// The share of words that two texts have in common, in per cent; 0 if either has none.
///
/// ```
/// assert_eq!(armistice_core::text_likeness(b"moor(ship)", b"moor (ship);"), 100);
/// ```
pub fn text_likeness(a: &[u8], b: &[u8]) -> u32 {
    WordBag::new(a).likeness(&WordBag::new(b))
}

/// The words of a text, each with how often it stands there.
pub(crate) struct WordBag<'a> {
    counts: HashMap<&'a [u8], u32>,
    total: u32,
}

impl<'a> WordBag<'a> {
    pub(crate) fn new(bytes: &'a [u8]) -> Self {
        let mut bag = WordBag {
            counts: HashMap::new(),
            total: 0,
        };
        for word in solid_tokens(bytes).filter(|word| is_name(word) || word[0].is_ascii_digit()) {
            *bag.counts.entry(word).or_default() += 1;
            bag.total += 1;
        }
        bag
    }

    /// The share of their words that both have, in per cent; 0 if either has none.
    pub(crate) fn likeness(&self, other: &Self) -> u32 {
        let common = |(word, n): (&&[u8], &u32)| other.counts.get(*word).map_or(0, |m| *n.min(m));
        let shared: u32 = self.counts.iter().map(common).sum();
        match self.total.min(other.total) {
            0 => 0,
            _ => 200 * shared / (self.total + other.total),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_share_of_common_words_counts() {
        let likeness =
            |a: &str, b: &str| WordBag::new(a.as_bytes()).likeness(&WordBag::new(b.as_bytes()));
        assert_eq!(likeness("moor(ship, tide)", "moor (ship, tide);"), 100);
        assert_eq!(likeness("moor ship tide wind", "moor ship sun moon"), 50);
        assert_eq!(likeness("moor", "pay"), 0);
        assert_eq!(likeness("{ }", "{ }"), 0);
    }
}
