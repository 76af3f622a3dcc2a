//! Both sides' differences from base, walked at once: regions that say who changed what.
//!
//! Changes that touch are one region. Not here: what becomes of a conflict (`plan`).

use crate::diff::hunk::{Algorithm, Hunk};
use crate::diff::interned::InternedLines;
use crate::diff::lines::{hunks, is_only_difference};
use crate::diff::options::Options;
use crate::limits::SECOND_LOOK_CONFLICTS;
use crate::model::region::{Region, RegionKind};
use crate::model::side::PerSide;
use crate::text::lines::LineRange;
use imara_diff::Token;

/// Both sides' differences from base, and what they come to.
pub(crate) struct Compared {
    pub(crate) hunks: PerSide<Vec<Hunk>>,
    pub(crate) regions: Vec<Region>,
    /// Whether another way to match the lines comes to another text, or to conflicts where this one
    /// has none.
    pub(crate) is_ambiguous: bool,
}

/// Both sides' differences from base, and the regions that they make.
///
/// Where lines can be matched in several ways each side's difference may take another one;
/// matched by what is rare they often agree, so with a second look that is taken if it leaves no
/// conflict, as long as there are few.
pub(crate) fn regions(lines: &InternedLines, options: &Options) -> Compared {
    let by = |algorithm| {
        let of = |side: &Vec<Token>| hunks(&lines.base, side, lines.distinct, algorithm);
        let hunks = PerSide::new(of(&lines.ours), of(&lines.theirs));
        let regions = zip(lines, &hunks.ours, &hunks.theirs);
        let is_ambiguous = false;
        Compared {
            hunks,
            regions,
            is_ambiguous,
        }
    };
    let conflicts = |found: &Compared| {
        let kinds = found.regions.iter();
        kinds.filter(|r| r.kind == RegionKind::Conflict).count()
    };
    let first = by(options.algorithm);
    let n = conflicts(&first);
    let only = |hunks: &[Hunk], side: &[Token]| {
        is_only_difference(hunks, &lines.base, side, lines.distinct)
    };
    let is_one_sided = || first.hunks.ours.is_empty() || first.hunks.theirs.is_empty();
    let pointless =
        || only(&first.hunks.ours, &lines.ours) && only(&first.hunks.theirs, &lines.theirs);
    if !options.second_look || n > SECOND_LOOK_CONFLICTS || is_one_sided() || pointless() {
        return first;
    }
    let other = by(Algorithm::Histogram);
    let (is_clean, other_is_clean) = (n == 0, conflicts(&other) == 0);
    let is_ambiguous = is_clean != other_is_clean
        || is_clean && merged(lines, &first.regions) != merged(lines, &other.regions);
    let taken = match other_is_clean && !is_clean {
        true => other,
        false => first,
    };
    Compared {
        is_ambiguous,
        ..taken
    }
}

/// The text that regions without a conflict come to.
fn merged(lines: &InternedLines, regions: &[Region]) -> Vec<Token> {
    let of = |region: &Region| match region.kind {
        RegionKind::Theirs => &lines.theirs[region.theirs.span()],
        _ => &lines.ours[region.ours.span()],
    };
    regions.iter().flat_map(of).copied().collect()
}

/// Walks both lists of hunks at once and groups those that touch.
fn zip(tokens: &InternedLines, ours: &[Hunk], theirs: &[Hunk]) -> Vec<Region> {
    let mut zipper = Zipper {
        regions: Vec::with_capacity(2 * (ours.len() + theirs.len()) + 1),
        base: 0,
        ours: 0,
        theirs: 0,
    };
    let (mut i, mut j) = (0, 0);
    while i < ours.len() || j < theirs.len() {
        let group = Group::gather(ours, theirs, &mut i, &mut j);
        zipper.push(tokens, &group);
    }
    zipper.finish(tokens);
    zipper.regions
}

/// Hunks of both sides that touch each other, and the base lines they span.
struct Group<'a> {
    base: LineRange,
    ours: &'a [Hunk],
    theirs: &'a [Hunk],
}

impl<'a> Group<'a> {
    /// Takes the next hunk and all that touch what has been taken.
    fn gather(ours: &'a [Hunk], theirs: &'a [Hunk], i: &mut usize, j: &mut usize) -> Self {
        let (from_i, from_j) = (*i, *j);
        let starts = [ours.get(*i), theirs.get(*j)];
        let start = starts.iter().flatten().map(|h| h.base.start.0).min();
        let start = start.unwrap_or(0);
        let mut end = start;
        loop {
            let next = |list: &[Hunk], at: usize| {
                list.get(at)
                    .filter(|h| h.base.start.0 <= end)
                    .map(|h| h.base.end.0)
            };
            match (next(ours, *i), next(theirs, *j)) {
                (Some(to), _) => (*i, end) = (*i + 1, end.max(to)),
                (None, Some(to)) => (*j, end) = (*j + 1, end.max(to)),
                (None, None) => break,
            }
        }
        Group {
            base: LineRange::new(start, end),
            ours: &ours[from_i..*i],
            theirs: &theirs[from_j..*j],
        }
    }
}

struct Zipper {
    regions: Vec<Region>,
    base: u32,
    ours: u32,
    theirs: u32,
}

impl Zipper {
    fn push(&mut self, tokens: &InternedLines, group: &Group<'_>) {
        self.unchanged_until(group.base.start.0);
        let mut region = Region {
            kind: RegionKind::Conflict,
            base: group.base,
            ours: side_lines(self.ours, group.base, group.ours),
            theirs: side_lines(self.theirs, group.base, group.theirs),
        };
        region.kind = match (group.ours.is_empty(), group.theirs.is_empty()) {
            (false, true) => RegionKind::Ours,
            (true, false) => RegionKind::Theirs,
            _ if same(tokens, &region) => RegionKind::Same,
            _ => RegionKind::Conflict,
        };
        self.base = region.base.end.0;
        self.ours = region.ours.end.0;
        self.theirs = region.theirs.end.0;
        self.regions.push(region);
    }

    fn unchanged_until(&mut self, base: u32) {
        let n = base - self.base;
        if n > 0 {
            self.regions.push(Region {
                kind: RegionKind::Unchanged,
                base: LineRange::new(self.base, base),
                ours: LineRange::new(self.ours, self.ours + n),
                theirs: LineRange::new(self.theirs, self.theirs + n),
            });
        }
        self.base += n;
        self.ours += n;
        self.theirs += n;
    }

    fn finish(&mut self, tokens: &InternedLines) {
        self.unchanged_until(tokens.base.len() as u32);
        if self.regions.is_empty() {
            // Three empty texts: what is typed into them needs a place to stand.
            self.regions.push(Region {
                kind: RegionKind::Unchanged,
                base: LineRange::default(),
                ours: LineRange::default(),
                theirs: LineRange::default(),
            });
        }
    }
}

/// The lines of a side that stand for `base`: as many, but for what its hunks added and removed.
fn side_lines(start: u32, base: LineRange, hunks: &[Hunk]) -> LineRange {
    let removed: usize = hunks.iter().map(|h| h.base.len()).sum();
    let added: usize = hunks.iter().map(|h| h.side.len()).sum();
    let len = base.len() - removed + added;
    LineRange::new(start, start + len as u32)
}

fn same(tokens: &InternedLines, region: &Region) -> bool {
    tokens.ours[region.ours.span()] == tokens.theirs[region.theirs.span()]
}
