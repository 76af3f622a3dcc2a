//! One level of declarations in all three versions, and the order in which they shall stand.
//!
//! The order is that of the side that moved some; where each moved others, both moves are made. What
//! only one side has stands behind what it follows there.

use crate::model::side::{PerSide, Side};
use crate::model::versions::Version;
use crate::outline::matching::{Level, Matching, Strictness, match_units};
use foldhash::{HashMap, HashMapExt};

/// The same unit in the versions that have it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Node {
    /// Its place among the units of base, ours and theirs.
    at: [Option<usize>; 3],
    /// Which sides moved it past its neighbours.
    pub(crate) moved: PerSide<bool>,
    /// Whether both sides moved it, to different places: it is one of two nodes, one at each place.
    pub(crate) two_places: bool,
}

impl Node {
    pub(crate) fn at(&self, version: Version) -> Option<usize> {
        self.at[version as usize]
    }

    /// In how many versions it stands.
    pub(crate) fn versions(&self) -> usize {
        self.at.iter().flatten().count()
    }

    /// The side that moved it, if one alone did.
    pub(crate) fn mover(&self) -> Option<Side> {
        match (self.moved.ours, self.moved.theirs) {
            (true, false) => Some(Side::Ours),
            (false, true) => Some(Side::Theirs),
            _ => None,
        }
    }
}

/// The units of three versions, matched; in no order yet.
struct Nodes {
    nodes: Vec<Node>,
    /// The node of each unit, for base, ours and theirs.
    of: [Vec<usize>; 3],
}

/// Matches a level over three versions; in the order in which all of it shall stand.
pub(crate) fn matched(levels: [Level<'_>; 3]) -> Vec<Node> {
    let mut nodes = Nodes::new(levels);
    nodes.find_moved(levels);
    nodes.split_clashes(levels);
    let order = nodes.order(levels);
    order.into_iter().map(|n| nodes.nodes[n]).collect()
}

/// Matches a level over three versions; in the order of base, then ours, then theirs.
pub(crate) fn matched_unordered(levels: [Level<'_>; 3]) -> Vec<Node> {
    let mut nodes = Nodes::new(levels);
    nodes.find_moved(levels);
    nodes.nodes
}

impl Nodes {
    fn new(levels: [Level<'_>; 3]) -> Self {
        let [base, ours, theirs] = levels;
        let all: [&dyn Fn(usize) -> bool; 2] = [&|_| true, &|_| true];
        let sides = [ours, theirs].map(|side| match_units(base, side, all, Strictness::Alike));
        let [mo, mt] = &sides;
        let is_new = |found: &Matching, n: usize| found.back[n].is_none();
        let new: [&dyn Fn(usize) -> bool; 2] = [&|n| is_new(mo, n), &|n| is_new(mt, n)];
        let mut added = match_units(ours, theirs, new, Strictness::Named);
        added.keep(|a, b| ours.same_text(a, theirs, b) || (ours.is_alone(a) && theirs.is_alone(b)));
        let mut nodes = Vec::with_capacity(base.units.len());
        for n in 0..base.units.len() {
            nodes.push([Some(n), mo.forth[n], mt.forth[n]]);
        }
        for n in (0..ours.units.len()).filter(|n| is_new(mo, *n)) {
            nodes.push([None, Some(n), added.forth[n]]);
        }
        let alone = |n: &usize| is_new(mt, *n) && added.back[*n].is_none();
        for n in (0..theirs.units.len()).filter(alone) {
            nodes.push([None, None, Some(n)]);
        }
        let mut of = levels.map(|level| vec![0; level.units.len()]);
        for (id, at) in nodes.iter().enumerate() {
            for (version, unit) in at.iter().enumerate() {
                if let Some(unit) = unit {
                    of[version][*unit] = id;
                }
            }
        }
        let nodes = nodes.into_iter().map(|at| Node {
            at,
            ..Node::default()
        });
        Nodes {
            nodes: nodes.collect(),
            of,
        }
    }

    /// Marks what each side moved: all that is not in the heaviest run that kept its order.
    fn find_moved(&mut self, levels: [Level<'_>; 3]) {
        let weight = |node: &Node| {
            let base = node.at[0].map_or(0, |n| levels[0].units[n].lines.len());
            1 + base as u64
        };
        for side in Side::BOTH {
            let common: Vec<usize> = self.of[Version::from(side) as usize]
                .iter()
                .copied()
                .filter(|id| self.nodes[*id].at[0].is_some())
                .collect();
            let places: Vec<(usize, u64)> = common
                .iter()
                .map(|id| (self.nodes[*id].at[0].unwrap_or(0), weight(&self.nodes[*id])))
                .collect();
            let stays = heaviest_rising(&places, self.of[0].len());
            for (id, stays) in common.iter().zip(stays) {
                self.nodes[*id].moved[side] = !stays;
            }
        }
    }

    fn moved(&self, side: Side) -> bool {
        self.nodes.iter().any(|node| node.moved[side])
    }

    /// Makes two nodes of what both sides moved to different places, one of them with base. Which of the two places it shall have only a person knows.
    fn split_clashes(&mut self, levels: [Level<'_>; 3]) {
        if !self.moved(Side::Ours) || !self.moved(Side::Theirs) || self.agree() {
            return;
        }
        let by_both = |node: &Node| node.moved.ours && node.moved.theirs;
        // What each stands behind, but for others that both moved.
        let before = |side: Side| {
            let mut before = HashMap::new();
            let mut last = None;
            for id in &self.of[Version::from(side) as usize] {
                match by_both(&self.nodes[*id]) {
                    true => drop(before.insert(*id, last)),
                    false => last = Some(*id),
                }
            }
            before
        };
        let (ours, theirs) = (before(Side::Ours), before(Side::Theirs));
        let mut clashes: Vec<usize> = ours.keys().copied().collect();
        clashes.retain(|id| ours[id] != theirs[id]);
        clashes.sort_unstable();
        let second_side = first_by_content(levels).other();
        let second = Version::from(second_side) as usize;
        for id in clashes {
            let Some(unit) = self.nodes[id].at[second].take() else {
                continue;
            };
            self.nodes[id].moved[second_side] = false;
            self.nodes[id].two_places = true;
            self.of[second][unit] = self.nodes.len();
            let mut node = Node {
                two_places: true,
                ..Node::default()
            };
            node.at[second] = Some(unit);
            self.nodes.push(node);
        }
    }

    /// The order in which all of them shall stand.
    fn order(&self, levels: [Level<'_>; 3]) -> Vec<usize> {
        let sequence = |side: Side| &self.of[Version::from(side) as usize];
        let main = match (self.moved(Side::Ours), self.moved(Side::Theirs)) {
            (false, true) => Side::Theirs,
            (true, false) => Side::Ours,
            _ => first_by_content(levels),
        };
        let other = main.other();
        let mut order = sequence(main).clone();
        if self.moved(other) && !self.agree() {
            order.retain(|id| !self.nodes[*id].moved[other]);
        }
        let mut chain = Chain::new(&order, self.nodes.len());
        chain.insert(sequence(other), |id| self.is_alone(id, main));
        chain.insert(&self.of[0], |_| false);
        chain.in_order()
    }

    /// Whether only one side has it.
    fn is_alone(&self, id: usize, side: Side) -> bool {
        let node = &self.nodes[id];
        node.versions() == 1 && node.at(side.into()).is_some()
    }

    /// Whether both sides have what both have in the same order.
    fn agree(&self) -> bool {
        let common = |side: Side| {
            let ids = self.of[Version::from(side) as usize].iter();
            ids.filter(|id| self.nodes[**id].at[1].is_some() && self.nodes[**id].at[2].is_some())
        };
        common(Side::Ours).eq(common(Side::Theirs))
    }
}

/// The side whose text comes first, whichever it is called: swapping the sides then changes nothing else.
fn first_by_content([_, ours, theirs]: [Level<'_>; 3]) -> Side {
    match ours.text.bytes() <= theirs.text.bytes() {
        true => Side::Ours,
        false => Side::Theirs,
    }
}

/// A sequence in which things can be put behind others.
struct Chain {
    /// What follows each; the last entry is what comes first of all.
    next: Vec<Option<usize>>,
    inside: Vec<bool>,
}

impl Chain {
    fn new(order: &[usize], all: usize) -> Self {
        let mut chain = Chain {
            next: vec![None; all + 1],
            inside: vec![false; all],
        };
        let mut last = all;
        for id in order {
            chain.put_behind(last, *id);
            last = *id;
        }
        chain
    }

    fn put_behind(&mut self, before: usize, id: usize) {
        self.next[id] = self.next[before];
        self.next[before] = Some(id);
        self.inside[id] = true;
    }

    /// Puts in what of a sequence is missing, each behind what it follows there, and behind whatever
    /// stands there that `first` says comes before it.
    fn insert(&mut self, sequence: &[usize], first: impl Fn(usize) -> bool) {
        let mut before = self.inside.len();
        for id in sequence {
            if !self.inside[*id] {
                while let Some(next) = self.next[before].filter(|next| first(*next)) {
                    before = next;
                }
                self.put_behind(before, *id);
            }
            before = *id;
        }
    }

    fn in_order(&self) -> Vec<usize> {
        std::iter::successors(self.next[self.inside.len()], |id| self.next[*id]).collect()
    }
}

/// Which of `places` belong to the heaviest run of rising places; places are below `bound`.
///
/// A tree of sums over places (Fenwick, 1994) holds the best run that ends at or below each.
fn heaviest_rising(places: &[(usize, u64)], bound: usize) -> Vec<bool> {
    // The weight of the best run and its last member, by the place it ends in.
    let mut tree: Vec<(u64, Option<usize>)> = vec![(0, None); bound + 1];
    let mut came: HashMap<usize, Option<usize>> = HashMap::new();
    let mut best = (0, None);
    for (nth, (place, weight)) in places.iter().enumerate() {
        let mut before = (0, None);
        let mut at = *place;
        while at > 0 {
            before = if tree[at].0 > before.0 {
                tree[at]
            } else {
                before
            };
            at &= at - 1;
        }
        came.insert(nth, before.1);
        let here = (before.0 + weight, Some(nth));
        let mut at = place + 1;
        while at <= bound {
            if here.0 > tree[at].0 {
                tree[at] = here;
            }
            at += at & at.wrapping_neg();
        }
        if here.0 > best.0 {
            best = here;
        }
    }
    let mut out = vec![false; places.len()];
    let mut at = best.1;
    while let Some(nth) = at {
        out[nth] = true;
        at = came.get(&nth).copied().flatten();
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_heaviest_rising_run_stays() {
        let run = |places: &[(usize, u64)]| heaviest_rising(places, 10);
        assert_eq!(run(&[(1, 1), (2, 1), (0, 1)]), [true, true, false]);
        assert_eq!(run(&[(1, 1), (2, 1), (0, 5)]), [false, false, true]);
        assert_eq!(run(&[]), Vec::<bool>::new());
        assert_eq!(
            run(&[(3, 2), (0, 1), (1, 2), (9, 1)]),
            [false, true, true, true]
        );
    }

    #[test]
    fn what_is_missing_stands_behind_what_it_follows() {
        let mut chain = Chain::new(&[0, 1, 2], 6);
        chain.insert(&[0, 3, 4, 2, 5], |id| id == 1);
        assert_eq!(chain.in_order(), [0, 1, 3, 4, 2, 5]);
    }
}
