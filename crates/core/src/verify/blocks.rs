//! A result beside the three versions it was merged from, cut where all four have the same line.
//!
//! The result is compared with all that a merge may be made of, in order: what one side alone
//! changed as that side has it, and of a conflict both sides' lines. What stands between two
//! lines that all four share is one block.

use crate::diff::hunk::Algorithm;
use crate::diff::lines::hunks;
use crate::limits::HISTOGRAM_LINES;
use crate::model::region::{RegionId, RegionKind};
use crate::model::versions::Version;
use crate::plan::build::Plan;
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::Source;
use crate::text::tokens::is_space;
use imara_diff::Token;
use std::collections::{HashMap, HashSet};
use std::hash::{BuildHasherDefault, Hasher};
use std::ops::Range;

/// A line, whatever blanks are in it: its number among those that differ so.
pub(crate) type Key = u32;

/// A line of which a merge may be made.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Part {
    pub(crate) region: RegionId,
    pub(crate) version: Version,
    pub(crate) line: LineIdx,
    pub(crate) key: Key,
    /// The line of the result that it is, if it stands there in its place.
    pub(crate) at: Option<LineIdx>,
}

/// What stands between two lines that all four texts share.
#[derive(Clone, Debug)]
pub(crate) struct Block {
    /// Which of the parts.
    pub(crate) parts: Range<usize>,
    pub(crate) base: LineRange,
    pub(crate) ours: LineRange,
    pub(crate) theirs: LineRange,
    pub(crate) result: LineRange,
}

impl Block {
    pub(crate) fn lines(&self, version: Version) -> LineRange {
        match version {
            Version::Base => self.base,
            Version::Ours => self.ours,
            Version::Theirs => self.theirs,
        }
    }
}

/// Numbers for lines: lines that differ in blanks alone have the same.
///
/// Lines are distinguished by 64 bits of their signs (FNV-1a): that two of a file have the same by
/// chance happens once in millions of files of a million lines.
#[derive(Default)]
pub(crate) struct Keys(HashMap<u64, Key, BuildHasherDefault<Hashed>>);

/// A hasher for what is a hash already.
#[derive(Default)]
pub(crate) struct Hashed(u64);

impl Hasher for Hashed {
    fn finish(&self) -> u64 {
        self.0
    }

    fn write(&mut self, bytes: &[u8]) {
        bytes
            .iter()
            .for_each(|b| self.0 = self.0 << 8 | u64::from(*b));
    }

    fn write_u64(&mut self, hash: u64) {
        self.0 = hash;
    }
}

impl Keys {
    pub(crate) fn of(&mut self, line: &[u8]) -> Key {
        let next = self.0.len() as Key;
        *self.0.entry(solid(line)).or_insert(next)
    }

    /// The number of a line that was given one.
    pub(crate) fn get(&self, line: &[u8]) -> Option<Key> {
        self.0.get(&solid(line)).copied()
    }
}

fn solid(line: &[u8]) -> u64 {
    let signs = line.iter().filter(|b| !is_space(**b));
    signs.fold(0xcbf2_9ce4_8422_2325, |hash, b| {
        (hash ^ u64::from(*b)).wrapping_mul(0x0100_0000_01b3)
    })
}

/// A result in blocks.
pub(crate) struct Blocks {
    pub(crate) parts: Vec<Part>,
    pub(crate) blocks: Vec<Block>,
    pub(crate) keys: Keys,
    /// The numbers of the result's lines.
    pub(crate) of_result: Vec<Key>,
    /// Lines with a smaller number are parts.
    pub(crate) of_parts: Key,
}

impl Blocks {
    pub(crate) fn new(plan: &Plan, result: &Source) -> Self {
        let mut keys = Keys::default();
        let mut parts = parts(plan, &mut keys);
        let of_parts = keys.0.len() as Key;
        let of_result = result
            .lines(result.all())
            .map(|line| keys.of(line.content()));
        let of_result: Vec<Key> = of_result.collect();
        place(&mut parts, &of_result, keys.0.len() as u32);
        let blocks = cut(plan, &parts, result);
        Blocks {
            parts,
            blocks,
            keys,
            of_result,
            of_parts,
        }
    }
}

/// All lines of which a merge may be made, in order.
fn parts(plan: &Plan, keys: &mut Keys) -> Vec<Part> {
    let mut parts = Vec::new();
    for (id, region) in plan.ids() {
        let versions: &[Version] = match region.kind {
            RegionKind::Unchanged => &[Version::Base],
            RegionKind::Ours | RegionKind::Same => &[Version::Ours],
            RegionKind::Theirs => &[Version::Theirs],
            RegionKind::Conflict => &[Version::Ours, Version::Theirs],
        };
        for version in versions {
            let text = plan.versions().get(*version);
            parts.extend(region.lines(*version).iter().map(|line| Part {
                region: id,
                version: *version,
                line,
                key: keys.of(text.line(line).content()),
                at: None,
            }));
        }
    }
    parts
}

/// Finds the parts in the result.
fn place(parts: &mut [Part], result: &[Key], distinct: u32) {
    let tokens = |keys: &mut dyn Iterator<Item = Key>| keys.map(Token).collect::<Vec<_>>();
    let old = tokens(&mut parts.iter().map(|p| p.key));
    let new = tokens(&mut result.iter().copied());
    let mut alike = |from: Range<usize>, to: usize| {
        for (part, at) in parts[from].iter_mut().zip(to..) {
            part.at = Some(LineIdx(at as u32));
        }
    };
    let (mut from, mut to) = (0, 0);
    // Searching for rare lines takes as long as there are hunks times lines.
    let algorithm = match old.len() > HISTOGRAM_LINES {
        true => Algorithm::Myers,
        false => Algorithm::Histogram,
    };
    for hunk in hunks(&old, &new, distinct, algorithm) {
        let (base, side) = (hunk.base.span(), hunk.side.span());
        alike(from..base.start, to);
        (from, to) = (base.end, side.end);
    }
    alike(from..old.len(), to);
}

/// A line of all four texts; just behind the last it is their end.
struct Anchor {
    part: usize,
    base: u32,
    ours: u32,
    theirs: u32,
    result: u32,
}

fn cut(plan: &Plan, parts: &[Part], result: &Source) -> Vec<Block> {
    let anchor = |(nth, part): (usize, &Part)| {
        let region = plan.region(part.region);
        let result = part.at.filter(|_| region.kind == RegionKind::Unchanged)?.0;
        let offset = part.line.0 - region.base.start.0;
        Some(Anchor {
            part: nth,
            base: part.line.0,
            ours: region.ours.start.0 + offset,
            theirs: region.theirs.start.0 + offset,
            result,
        })
    };
    let versions = plan.versions();
    let end = Anchor {
        part: parts.len(),
        base: versions.base.len() as u32,
        ours: versions.ours.len() as u32,
        theirs: versions.theirs.len() as u32,
        result: result.len() as u32,
    };
    let anchors = parts.iter().enumerate().filter_map(anchor);
    let mut blocks = Vec::new();
    let (mut part, mut base, mut ours, mut theirs, mut at) = (0, 0, 0, 0, 0);
    for next in anchors.chain([end]) {
        let block = Block {
            parts: part..next.part,
            base: LineRange::new(base, next.base),
            ours: LineRange::new(ours, next.ours),
            theirs: LineRange::new(theirs, next.theirs),
            result: LineRange::new(at, next.result),
        };
        let texts = [block.base, block.ours, block.theirs, block.result];
        if texts.iter().any(|lines| !lines.is_empty()) {
            blocks.push(block);
        }
        part = next.part + 1;
        (base, ours, theirs, at) = (
            next.base + 1,
            next.ours + 1,
            next.theirs + 1,
            next.result + 1,
        );
    }
    blocks
}

/// Lines between two conflicts up to which git shows them as one.
const JOINED_LINES: usize = 3;

/// The conflicts of a plan, and the changes that git shows as part of them: a resolution made between
/// git's markers decides them too.
pub(crate) fn disputed(plan: &Plan) -> HashSet<RegionId> {
    let regions = plan.regions();
    let all: Vec<usize> = (0..regions.len()).collect();
    // Changes without an unchanged line between them.
    let is_change = |nth: &usize| regions[*nth].kind != RegionKind::Unchanged;
    let runs = all.chunk_by(|one, next| is_change(one) && is_change(next));
    let is_conflict = |nth: &usize| regions[*nth].kind == RegionKind::Conflict;
    let runs = runs.filter(|run| run.iter().any(is_conflict));
    let mut found: HashSet<RegionId> = HashSet::new();
    let mut last: Option<usize> = None;
    for run in runs {
        let (first, end) = (run[0], run[run.len() - 1]);
        let lines = |from: usize| {
            regions[from..first]
                .iter()
                .map(|r| r.base.len())
                .sum::<usize>()
        };
        let from = match last {
            Some(last) if lines(last + 1) <= JOINED_LINES => last + 1,
            _ => first,
        };
        found.extend((from..=end).map(|nth| RegionId(nth as u32)));
        last = Some(end);
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Options, plan};

    #[test]
    fn blocks_stand_between_lines_that_all_share() {
        let plan = plan(
            &"a\nb\nc\nd\n".into(),
            &"a\nB\nc\nd\n".into(),
            &"a\nb\nc\nd\ne\n".into(),
            &Options::default(),
        );
        let result = "a\n  B\nc\nd\nx\n".into();
        let blocks = Blocks::new(&plan, &result).blocks;
        let ranges: Vec<_> = blocks
            .iter()
            .map(|b| [b.base, b.ours, b.theirs, b.result].map(|r| (r.start.0, r.end.0)))
            .collect();
        assert_eq!(
            ranges,
            [
                [(1, 2), (1, 2), (1, 2), (1, 2)],
                [(4, 4), (4, 4), (4, 5), (4, 5)]
            ]
        );
    }
}
