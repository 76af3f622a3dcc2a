//! A multiset of lines, by their bytes.

use std::collections::HashMap;

/// A multiset of lines.
#[derive(Clone, Debug, Default)]
pub(crate) struct Bag<'a>(HashMap<&'a [u8], usize>);

impl<'a> Bag<'a> {
    pub(crate) fn put(&mut self, line: &'a [u8]) {
        *self.0.entry(line).or_default() += 1;
    }

    /// Takes one out; whether there was one.
    pub(crate) fn take(&mut self, line: &[u8]) -> bool {
        match self.0.get_mut(line) {
            Some(n) if *n > 0 => {
                *n -= 1;
                true
            }
            _ => false,
        }
    }
}

impl<'a> FromIterator<&'a [u8]> for Bag<'a> {
    fn from_iter<I: IntoIterator<Item = &'a [u8]>>(lines: I) -> Self {
        let mut bag = Bag::default();
        lines.into_iter().for_each(|line| bag.put(line));
        bag
    }
}
