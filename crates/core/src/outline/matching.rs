//! Which unit of one text is which of another: by name first, then by likeness.
//!
//! Linear but for what is left over after names: at most
//! [`LIKENESS_PAIRS`](crate::limits::LIKENESS_PAIRS) pairs of those are compared.

use crate::limits::{IN_PLACE_LIKENESS, LIKENESS_PAIRS, RENAMED_LIKENESS, SAME_PARAGRAPH_LIKENESS};
use crate::outline::likeness::WordBag;
use crate::outline::units::Unit;
use crate::text::source::Source;
use foldhash::{HashMap, HashMapExt};
use std::cmp::Reverse;
use std::hash::Hash;

/// The units of one level of a text.
#[derive(Clone, Copy)]
pub(crate) struct Level<'a> {
    pub(crate) text: &'a Source,
    pub(crate) units: &'a [Unit<'a>],
}

impl<'a> Level<'a> {
    fn bytes(&self, unit: usize) -> &'a [u8] {
        self.text.slice(self.units[unit].lines)
    }
}

impl Level<'_> {
    /// Whether a unit has the same lines as one of another text.
    pub(crate) fn same_text(&self, unit: usize, other: Level<'_>, others: usize) -> bool {
        self.bytes(unit) == other.bytes(others)
    }

    /// Whether no other unit of its level has its name: only then a name tells what it is.
    pub(crate) fn is_alone(&self, unit: usize) -> bool {
        let Some(own) = self.units[unit].declaration else {
            return true;
        };
        let same = self.units.iter().filter_map(|unit| unit.declaration);
        same.filter(|d| d.kind == own.kind && d.name == own.name)
            .count()
            == 1
    }
}

/// Pairs of units, by their places; each unit at most once.
pub(crate) struct Matching {
    /// For each unit of the first text its partner in the second.
    pub(crate) forth: Vec<Option<usize>>,
    /// For each unit of the second its partner in the first.
    pub(crate) back: Vec<Option<usize>>,
}

impl Matching {
    fn pair(&mut self, a: usize, b: usize) {
        self.forth[a] = Some(b);
        self.back[b] = Some(a);
    }

    /// Keeps only pairs that `keep` wants.
    pub(crate) fn keep(&mut self, keep: impl Fn(usize, usize) -> bool) {
        for a in 0..self.forth.len() {
            if let Some(b) = self.forth[a].filter(|b| !keep(a, *b)) {
                self.forth[a] = None;
                self.back[b] = None;
            }
        }
    }

    fn left<'m>(links: &'m [Option<usize>], keep: impl Fn(usize) -> bool + 'm) -> Vec<usize> {
        let free = (0..links.len()).filter(|n| links[*n].is_none());
        free.filter(|n| keep(*n)).collect()
    }

    /// Pairs free units whose keys are equal, in order; without a key a unit has no partner.
    fn by_key<K: Hash + Eq>(
        &mut self,
        key_a: impl Fn(usize) -> Option<K>,
        key_b: impl Fn(usize) -> Option<K>,
    ) {
        let mut free: HashMap<K, Vec<usize>> = HashMap::new();
        for b in Self::left(&self.back, |_| true).into_iter().rev() {
            if let Some(key) = key_b(b) {
                free.entry(key).or_default().push(b);
            }
        }
        for a in Self::left(&self.forth, |_| true) {
            let partner = key_a(a).and_then(|key| free.get_mut(&key)?.pop());
            if let Some(b) = partner {
                self.pair(a, b);
            }
        }
    }
}

/// How far units may be unlike each other and still be the same.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) enum Strictness {
    /// The same name, or the same lines.
    Named,
    /// Or alike, under another name.
    Alike,
}

/// Pairs the units of two levels that `free` lets take part; by likeness only where all do.
pub(crate) fn match_units(
    a: Level<'_>,
    b: Level<'_>,
    free: [&dyn Fn(usize) -> bool; 2],
    strictness: Strictness,
) -> Matching {
    let mut found = Matching {
        forth: vec![None; a.units.len()],
        back: vec![None; b.units.len()],
    };
    let full = |level: Level<'_>, n: usize| {
        let d = level.units[n].declaration?;
        Some((d.kind, d.name.clone(), d.signature.clone()))
    };
    let named = |level: Level<'_>, n: usize| {
        let d = level.units[n].declaration.filter(|d| !d.name.is_empty())?;
        Some((d.kind, d.name.clone()))
    };
    let bytes = |level: Level<'_>, n: usize| {
        Some((
            level.units[n].declaration.is_some(),
            level.bytes(n).to_vec(),
        ))
    };
    let [free_a, free_b] = free;
    // Repeated declarations are distinguished by their lines first.
    let exact = |level: Level<'_>, n: usize| Some((full(level, n)?, level.bytes(n).to_vec()));
    found.by_key(
        |n| exact(a, n).filter(|_| free_a(n)),
        |n| exact(b, n).filter(|_| free_b(n)),
    );
    found.by_key(
        |n| full(a, n).filter(|_| free_a(n)),
        |n| full(b, n).filter(|_| free_b(n)),
    );
    found.by_key(
        |n| named(a, n).filter(|_| free_a(n)),
        |n| named(b, n).filter(|_| free_b(n)),
    );
    found.by_key(
        |n| bytes(a, n).filter(|_| free_a(n)),
        |n| bytes(b, n).filter(|_| free_b(n)),
    );
    if strictness == Strictness::Alike {
        by_likeness(a, b, &mut found);
        by_neighbours(a, b, &mut found);
    }
    found
}

/// Pairs what is alike, most alike first: declarations of one kind, paragraphs among themselves.
fn by_likeness(a: Level<'_>, b: Level<'_>, found: &mut Matching) {
    let left_a = Matching::left(&found.forth, |_| true);
    let left_b = Matching::left(&found.back, |_| true);
    if left_a.len().saturating_mul(left_b.len()) > LIKENESS_PAIRS {
        return;
    }
    let bags: Vec<_> = left_b.iter().map(|n| WordBag::new(b.bytes(*n))).collect();
    let mut pairs = Vec::new();
    for from in &left_a {
        let bag = WordBag::new(a.bytes(*from));
        let kind = a.units[*from].declaration.map(|d| d.kind);
        for (to, other) in left_b.iter().zip(&bags) {
            if b.units[*to].declaration.map(|d| d.kind) != kind {
                continue;
            }
            let least = match kind {
                Some(_) => RENAMED_LIKENESS,
                None => SAME_PARAGRAPH_LIKENESS,
            };
            let likeness = bag.likeness(other);
            if likeness >= least {
                pairs.push((Reverse(likeness), from.abs_diff(*to), *from, *to));
            }
        }
    }
    pairs.sort_unstable();
    for (.., from, to) in pairs {
        if found.forth[from].is_none() && found.back[to].is_none() {
            found.pair(from, to);
        }
    }
}

/// Pairs what alone stands between the same neighbours: paragraphs, and declarations of one kind that
/// have something in common.
fn by_neighbours(a: Level<'_>, b: Level<'_>, found: &mut Matching) {
    for n in 0..a.units.len() {
        if found.forth[n].is_some() {
            continue;
        }
        let before = match n.checked_sub(1) {
            None => Some(0),
            Some(before) => found.forth[before].map(|at| at + 1),
        };
        let after = match n + 1 == a.units.len() {
            true => b.units.len().checked_sub(1),
            false => found.forth[n + 1].and_then(|at| at.checked_sub(1)),
        };
        let (Some(at), true) = (before, before == after) else {
            continue;
        };
        if found.back[at].is_none() && is_in_place(a, n, b, at) {
            found.pair(n, at);
        }
    }
}

/// Whether a unit may be another that stands in its place.
fn is_in_place(a: Level<'_>, n: usize, b: Level<'_>, at: usize) -> bool {
    match (a.units[n].declaration, b.units[at].declaration) {
        (None, None) => true,
        (Some(one), Some(other)) => {
            let likeness = || WordBag::new(a.bytes(n)).likeness(&WordBag::new(b.bytes(at)));
            one.kind == other.kind
                && (shares_most(&one.name, &other.name) || likeness() >= IN_PLACE_LIKENESS)
        }
        _ => false,
    }
}

/// Whether two names have most of the longer one in common, at their beginning or their end.
fn shares_most(a: &str, b: &str) -> bool {
    let common = |a: &mut dyn Iterator<Item = char>, b: &mut dyn Iterator<Item = char>| {
        a.zip(b).take_while(|(a, b)| a == b).count()
    };
    let head = common(&mut a.chars(), &mut b.chars());
    let tail = common(&mut a.chars().rev(), &mut b.chars().rev());
    let longer = a.chars().count().max(b.chars().count());
    longer > 0 && 2 * head.max(tail) >= longer
}
