//! From three versions to a plan: what each side did to base, region by region.
//!
//! Not here: how a conflict is made smaller (`refine`, `partition`), what a person decides
//! about it (`draft`, `journal`).

use crate::diff::hunk::{Algorithm, Hunk};
use crate::diff::interned::InternedLines;
use crate::diff::lines::{hunks, is_only_difference};
use crate::limits::SECOND_LOOK_CONFLICTS;
use crate::model::region::{ConflictId, Region, RegionId, RegionKind};
use crate::model::side::PerSide;
use crate::model::versions::{Version, Versions};
use crate::plan::finer::FinerMerge;
use crate::plan::partition::partition;
use crate::plan::refine::refine;
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::Source;
use imara_diff::Token;
use std::sync::OnceLock;

/// What a plan depends on besides the three texts.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Options {
    /// How lines are compared.
    pub algorithm: Algorithm,
}

/// Three versions cut into regions that say who changed what.
#[derive(Clone, Debug)]
pub struct Plan {
    versions: Versions,
    /// Regions tile base, ours and theirs, in order; there is at least one.
    regions: Vec<Region>,
    /// The regions of kind conflict, in order.
    conflicts: Vec<RegionId>,
    /// For each conflict the number of the stretch it was cut out of; never falls.
    stretches: Vec<u32>,
    /// First and last region of each stretch with a conflict, what both did alike included.
    spans: Vec<(RegionId, RegionId)>,
    /// The finer merge of each conflict, made when it is first asked for.
    finer: Vec<OnceLock<Box<FinerMerge>>>,
    /// How many lines each side added to and removed from base.
    changes: PerSide<LineCounts>,
}

/// How many lines a side added to base and removed from it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct LineCounts {
    /// Lines of the side that base does not have.
    pub added: usize,
    /// Lines of base that the side does not have.
    pub removed: usize,
}

impl LineCounts {
    fn of(hunks: &[Hunk]) -> Self {
        LineCounts {
            added: hunks.iter().map(|h| h.side.len()).sum(),
            removed: hunks.iter().map(|h| h.base.len()).sum(),
        }
    }
}

impl Plan {
    /// The three versions it was made from.
    pub fn versions(&self) -> &Versions {
        &self.versions
    }

    /// All regions in order.
    pub fn regions(&self) -> &[Region] {
        &self.regions
    }

    /// One region.
    ///
    /// # Panics
    /// If the plan has no such region.
    pub fn region(&self, id: RegionId) -> &Region {
        &self.regions[id.0 as usize]
    }

    /// All regions with their ids.
    pub fn ids(&self) -> impl Iterator<Item = (RegionId, &Region)> {
        (0..).map(RegionId).zip(&self.regions)
    }

    /// The conflicts in order.
    pub fn conflicts(&self) -> &[RegionId] {
        &self.conflicts
    }

    /// How many lines each side added to base and removed from it.
    pub fn changes(&self) -> &PerSide<LineCounts> {
        &self.changes
    }

    /// The finer merge of a conflict; `None` if the region is none.
    pub(crate) fn finer(&self, region: RegionId) -> Option<&FinerMerge> {
        let nth = self.conflicts.binary_search(&region).ok()?;
        let make = || Box::new(FinerMerge::new(&self.versions, self.region(region)));
        Some(self.finer[nth].get_or_init(make))
    }

    /// Which conflict a region is, if it is one.
    pub fn conflict_of(&self, region: RegionId) -> Option<ConflictId> {
        let at = self.conflicts.binary_search(&region).ok()?;
        Some(ConflictId(at as u32))
    }

    /// The region that a conflict is.
    pub fn region_of(&self, conflict: ConflictId) -> Option<RegionId> {
        self.conflicts.get(conflict.0 as usize).copied()
    }

    /// The conflicts in the order of the text, those cut out of one stretch together.
    ///
    /// Changes that touch make one stretch; where its sides have runs of lines in
    /// common, it is cut into several conflicts.
    pub fn stretches(&self) -> impl Iterator<Item = &[RegionId]> {
        let mut rest = (self.conflicts.as_slice(), self.stretches.as_slice());
        std::iter::from_fn(move || {
            let first = rest.1.first()?;
            let n = rest.1.iter().take_while(|s| *s == first).count();
            let (stretch, after) = rest.0.split_at(n);
            rest = (after, &rest.1[n..]);
            Some(stretch)
        })
    }

    /// First and last region of the stretch that a conflict was cut out of.
    pub fn span_of(&self, conflict: ConflictId) -> Option<(RegionId, RegionId)> {
        let at = self.region_of(conflict)?;
        let nth = self.spans.partition_point(|(_, last)| *last < at);
        self.spans.get(nth).copied()
    }

    /// The region that holds a line of a version.
    pub fn region_at(&self, version: Version, line: LineIdx) -> Option<RegionId> {
        let at = self
            .regions
            .partition_point(|region| region.lines(version).end <= line);
        let region = self.regions.get(at)?;
        (region.lines(version).contains(line)).then_some(RegionId(at as u32))
    }
}

/// Cuts three versions into regions.
///
/// Total: never fails, on any bytes. What it cannot decide is a region of kind
/// [`RegionKind::Conflict`]. Changes that touch each other are conflicts, as they are
/// for git. Swapping the sides swaps the two in the plan and
/// changes nothing else.
///
/// ```
/// use armistice_core::{plan, RegionKind, Options, Source};
/// let plan = plan(&"a\nb\nc\n".into(), &"A\nb\nc\n".into(), &"a\nb\nC\n".into(), &Options::default());
/// let kinds: Vec<RegionKind> = plan.regions().iter().map(|r| r.kind).collect();
/// assert_eq!(kinds, [RegionKind::Ours, RegionKind::Unchanged, RegionKind::Theirs]);
/// ```
pub fn plan(base: &Source, ours: &Source, theirs: &Source, options: &Options) -> Plan {
    let lines = InternedLines::new(base, ours, theirs);
    let (hunks, regions) = agreed(&lines, options.algorithm);
    let versions = Versions {
        base: base.clone(),
        ours: ours.clone(),
        theirs: theirs.clone(),
    };
    let mut plan = Plan {
        versions,
        regions: Vec::with_capacity(regions.len()),
        conflicts: Vec::new(),
        stretches: Vec::new(),
        spans: Vec::new(),
        finer: Vec::new(),
        changes: hunks.as_ref().map(|hunks| LineCounts::of(hunks)),
    };
    for (stretch, region) in (0..).zip(regions) {
        match region.kind {
            RegionKind::Conflict => plan.push_stretch(&lines, stretch, region),
            _ => plan.regions.push(region),
        }
    }
    plan
}

impl Plan {
    /// Cuts a stretch that both sides changed into its conflicts and what lies between them.
    fn push_stretch(&mut self, lines: &InternedLines, stretch: u32, region: Region) {
        let (first, before) = (self.regions.len() as u32, self.conflicts.len());
        for part in refine(&self.versions, lines, region) {
            if part.kind != RegionKind::Conflict {
                self.regions.push(part);
                continue;
            }
            for part in partition(&self.versions, part) {
                self.conflicts.push(RegionId(self.regions.len() as u32));
                self.stretches.push(stretch);
                let finer = part.finer.map(Box::new);
                self.finer
                    .push(finer.map_or_else(OnceLock::new, OnceLock::from));
                self.regions.push(part.region);
            }
        }
        if self.conflicts.len() > before {
            let last = self.regions.len() as u32 - 1;
            self.spans.push((RegionId(first), RegionId(last)));
        }
    }
}

/// Both sides' differences from base, and the regions that they make.
///
/// Where lines can be matched in several ways each side's difference may take another one;
/// matched by what is rare they often agree, so that is tried where few conflicts are left.
fn agreed(lines: &InternedLines, algorithm: Algorithm) -> (PerSide<Vec<Hunk>>, Vec<Region>) {
    let by = |algorithm| {
        let of = |side: &Vec<Token>| hunks(&lines.base, side, lines.distinct, algorithm);
        let hunks = PerSide::new(of(&lines.ours), of(&lines.theirs));
        let regions = zip(lines, &hunks.ours, &hunks.theirs);
        (hunks, regions)
    };
    let clashes = |regions: &[Region]| {
        let kinds = regions.iter().filter(|r| r.kind == RegionKind::Conflict);
        kinds.count()
    };
    let first = by(algorithm);
    let few = (1..=SECOND_LOOK_CONFLICTS).contains(&clashes(&first.1));
    let only = |hunks: &[Hunk], side: &[Token]| {
        is_only_difference(hunks, &lines.base, side, lines.distinct)
    };
    let pointless = || only(&first.0.ours, &lines.ours) && only(&first.0.theirs, &lines.theirs);
    if few && algorithm != Algorithm::Histogram && !pointless() {
        let other = by(Algorithm::Histogram);
        if clashes(&other.1) == 0 {
            return other;
        }
    }
    first
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
