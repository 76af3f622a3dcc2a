//! From three versions to a plan: what each side did to base, region by region.
//!
//! Not here: how a conflict is made smaller (`refine`, `partition`), what a person decides
//! about it (`draft`, `journal`).

use crate::diff::hunk::Hunk;
use crate::diff::interned::InternedLines;
use crate::diff::options::Options;
use crate::diff::regions::{Compared, regions};
use crate::model::region::{ConflictId, Region, RegionId, RegionKind};
use crate::model::side::PerSide;
use crate::model::versions::{Version, Versions};
use crate::plan::finer::FinerMerge;
use crate::plan::partition::partition;
use crate::plan::recipe::Matching;
use crate::plan::refine::refine;
use crate::plan::structure::Structure;
use crate::text::lines::LineIdx;
use crate::text::source::Source;
use std::collections::BTreeSet;
use std::sync::{Arc, OnceLock};

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
    /// How its texts are laid out, if that is by declarations.
    pub(crate) structure: Option<Arc<Structure>>,
    is_ambiguous: bool,
    matching: Matching,
    /// The conflicts that are none by lines: see [`Plan::with_doubts`].
    doubtful: BTreeSet<RegionId>,
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

    /// Whether another way to match the lines comes to another text, or to conflicts where this plan has
    /// none. Where it has none either way, git may merge the three versions otherwise.
    pub fn is_ambiguous(&self) -> bool {
        self.is_ambiguous
    }

    /// Whether nothing speaks for another plan: no line moved, and however the lines are matched, the
    /// text is the same.
    pub fn is_plain(&self) -> bool {
        self.matching == Matching::Either && !self.is_ambiguous && !self.may_have_moves()
    }

    pub(crate) fn matching(&self) -> Matching {
        self.matching
    }

    pub(crate) fn doubts(&self) -> impl Iterator<Item = RegionId> {
        self.doubtful.iter().copied()
    }

    /// Whether a conflict is one because the result of its lines is in doubt, and not because both sides
    /// changed them.
    pub fn is_doubtful(&self, region: RegionId) -> bool {
        self.doubtful.contains(&region)
    }

    /// The same plan with a conflict in place of each of these regions: lines that one side changed, in
    /// the result of which they would stand elsewhere than that side has them.
    ///
    /// Regions that are conflicts already, or that nobody changed, stay as they are.
    #[must_use]
    pub fn with_doubts(&self, regions: &BTreeSet<RegionId>) -> Self {
        let mut plan = Plan {
            changes: self.changes,
            structure: self.structure.clone(),
            is_ambiguous: self.is_ambiguous,
            matching: self.matching,
            doubtful: self.doubtful.clone(),
            ..Plan::empty(self.versions.clone())
        };
        for (id, region) in self.ids() {
            let is_one_sided = matches!(region.kind, RegionKind::Ours | RegionKind::Theirs);
            let doubted = is_one_sided && regions.contains(&id);
            plan.regions.push(match doubted {
                true => Region {
                    kind: RegionKind::Conflict,
                    ..*region
                },
                false => *region,
            });
            if doubted {
                plan.doubtful.insert(id);
            }
            let known = self.conflicts.binary_search(&id).ok();
            if known.is_none() && !doubted {
                continue;
            }
            // Inside of a stretch it becomes part of it; else it is one of its own.
            let span = self
                .spans
                .iter()
                .find(|(first, last)| (*first..=*last).contains(&id));
            let span = span.copied().unwrap_or((id, id));
            let stretch = match plan.spans.last() {
                Some(last) if *last == span => plan.stretches.last().copied().unwrap_or_default(),
                _ => {
                    plan.spans.push(span);
                    plan.stretches.last().map_or(0, |stretch| stretch + 1)
                }
            };
            plan.stretches.push(stretch);
            plan.conflicts.push(id);
            plan.finer
                .push(known.map_or_else(OnceLock::new, |nth| self.finer[nth].clone()));
        }
        plan
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
    let Compared {
        hunks,
        regions,
        is_ambiguous,
    } = regions(&lines, options);
    let versions = Versions {
        base: base.clone(),
        ours: ours.clone(),
        theirs: theirs.clone(),
    };
    let mut plan = Plan::empty(versions);
    plan.is_ambiguous = is_ambiguous;
    plan.matching = Matching::of(options);
    plan.changes = hunks.as_ref().map(|hunks| LineCounts::of(hunks));
    plan.regions.reserve(regions.len());
    for (stretch, region) in (0..).zip(regions) {
        match region.kind {
            RegionKind::Conflict => plan.push_stretch(&lines, stretch, region),
            _ => plan.regions.push(region),
        }
    }
    plan
}

impl Plan {
    /// One without any region yet.
    pub(crate) fn empty(versions: Versions) -> Self {
        Plan {
            versions,
            regions: Vec::new(),
            conflicts: Vec::new(),
            stretches: Vec::new(),
            spans: Vec::new(),
            finer: Vec::new(),
            changes: PerSide::default(),
            structure: None,
            is_ambiguous: false,
            matching: Matching::default(),
            doubtful: BTreeSet::new(),
        }
    }

    pub(crate) fn finish(
        mut self,
        changes: PerSide<LineCounts>,
        structure: Structure,
        matching: Matching,
    ) -> Self {
        self.matching = matching;
        self.changes = changes;
        self.structure = Some(Arc::new(structure));
        self
    }

    /// Adds a region that is no conflict; what nobody changed goes on from what nobody changed.
    pub(crate) fn push_region(&mut self, region: Region) {
        match self.regions.last_mut() {
            Some(last)
                if last.kind == RegionKind::Unchanged && region.kind == RegionKind::Unchanged =>
            {
                last.base.end = region.base.end;
                last.ours.end = region.ours.end;
                last.theirs.end = region.theirs.end;
            }
            _ => self.regions.push(region),
        }
    }

    /// Adds a conflict as it is, a stretch of its own.
    pub(crate) fn push_conflict(&mut self, stretch: u32, region: Region) -> RegionId {
        let id = RegionId(self.regions.len() as u32);
        self.conflicts.push(id);
        self.stretches.push(stretch);
        self.finer.push(OnceLock::new());
        self.spans.push((id, id));
        self.regions.push(Region {
            kind: RegionKind::Conflict,
            ..region
        });
        id
    }

    /// Cuts a stretch that both sides changed into its conflicts and what lies between them.
    pub(crate) fn push_stretch(&mut self, lines: &InternedLines, stretch: u32, region: Region) {
        let (first, before) = (self.regions.len() as u32, self.conflicts.len());
        for part in refine(&self.versions, lines, region) {
            if part.kind != RegionKind::Conflict {
                self.regions.push(part);
                continue;
            }
            for part in partition(&self.versions, part) {
                if part.region.kind != RegionKind::Conflict {
                    self.regions.push(part.region);
                    continue;
                }
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
