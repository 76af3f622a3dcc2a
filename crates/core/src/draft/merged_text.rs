//! The merged text while it is being decided: every line with its origin.
//!
//! A draft holds, for each region of its plan, how it stands and the segments of
//! text that stand there. Not here: how decisions change it (`deciding`), undo
//! (`session`), storage (`journal`), bytes with markers (`markers`).

use crate::decide::ruling::Ruling;
use crate::draft::region_draft::{RegionDraft, RegionState};
use crate::model::region::{ConflictId, RegionId, RegionKind};
use crate::model::segment::{DraftSegment, Origin, Pick};
use crate::model::versions::Version;
use crate::plan::build::Plan;
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::{Line, LineEnd};
use serde::Serialize;
use std::sync::Arc;

/// One line of the draft.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct DraftLine<'a> {
    /// Its bytes.
    pub line: Line<'a>,
    /// Where it came from.
    pub origin: Origin,
    /// The region it stands in.
    pub region: RegionId,
    /// The version and line it was taken from, unless written by hand.
    pub source: Option<Pick>,
}

/// How many conflicts are open and settled in a draft.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Counts {
    /// Conflicts of the plan.
    pub conflicts: usize,
    /// Conflicts still open.
    pub open: usize,
    /// Conflicts settled by rule.
    pub by_rule: usize,
    /// Conflicts that are open in the draft and settled all the same: somebody staged the file
    /// without this program.
    pub elsewhere: usize,
}

impl Counts {
    /// The same of a file that is staged as somebody made it.
    #[must_use]
    pub fn staged_elsewhere(self) -> Self {
        Counts {
            open: 0,
            elsewhere: self.elsewhere + self.open,
            ..self
        }
    }

    /// Conflicts that a person settled.
    pub fn by_person(&self) -> usize {
        self.conflicts
            .saturating_sub(self.open + self.by_rule + self.elsewhere)
    }
}

/// The merged text over a plan, with the origin of every line.
#[derive(Clone, Debug)]
pub struct Draft {
    pub(super) plan: Arc<Plan>,
    /// What stands in each region, in the plan's order.
    pub(super) regions: Vec<RegionDraft>,
    /// First draft line of each region, and the number of all lines at the end; never falls.
    pub(super) starts: Vec<u32>,
}

impl Draft {
    /// A draft in which nothing is decided: one-sided changes are merged, all conflicts are open.
    pub fn new(plan: Arc<Plan>) -> Self {
        let regions = plan.regions().iter().map(RegionDraft::default).collect();
        let mut draft = Draft {
            plan,
            regions,
            starts: Vec::new(),
        };
        draft.index();
        draft
    }

    /// The plan it stands on.
    pub fn plan(&self) -> &Arc<Plan> {
        &self.plan
    }

    /// How many lines it has.
    pub fn len(&self) -> usize {
        self.starts.last().map_or(0, |n| *n as usize)
    }

    /// Whether it has no line.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// How a region stands.
    ///
    /// # Panics
    /// If the plan has no such region.
    pub fn standing(&self, region: RegionId) -> &RegionState {
        &self.regions[region.0 as usize].standing
    }

    /// What stands in a region.
    ///
    /// # Panics
    /// If the plan has no such region.
    pub fn segments(&self, region: RegionId) -> &[DraftSegment] {
        &self.regions[region.0 as usize].segments
    }

    /// The draft lines of a region.
    ///
    /// # Panics
    /// If the plan has no such region.
    pub fn lines_of(&self, region: RegionId) -> LineRange {
        let i = region.0 as usize;
        LineRange::new(self.starts[i], self.starts[i + 1])
    }

    /// The region that a draft line stands in.
    pub fn region_at(&self, line: LineIdx) -> Option<RegionId> {
        let after = self.starts.partition_point(|start| *start <= line.0);
        (after > 0 && after < self.starts.len()).then(|| RegionId(after as u32 - 1))
    }

    /// All lines, in order.
    pub fn lines(&self) -> impl Iterator<Item = DraftLine<'_>> {
        let regions = (0..).zip(&self.regions);
        let segments = regions.flat_map(|(id, region)| {
            let segments = region.segments.iter();
            segments.map(move |segment| (RegionId(id), segment))
        });
        segments.flat_map(move |(region, segment)| {
            (0..segment.len()).map(move |nth| self.line_of(region, segment, nth))
        })
    }

    fn line_of<'a>(
        &'a self,
        region: RegionId,
        segment: &'a DraftSegment,
        nth: usize,
    ) -> DraftLine<'a> {
        DraftLine {
            line: segment.line(self.plan.versions(), nth),
            origin: segment.origin(),
            region,
            source: segment.source().map(|(version, lines)| Pick {
                version,
                line: LineIdx(lines.start.0 + nth as u32),
            }),
        }
    }

    /// One line.
    pub fn line(&self, line: LineIdx) -> Option<DraftLine<'_>> {
        let region = self.region_at(line)?;
        let mut nth = (line.0 - self.starts[region.0 as usize]) as usize;
        for segment in self.segments(region) {
            if nth < segment.len() {
                return Some(self.line_of(region, segment, nth));
            }
            nth -= segment.len();
        }
        None
    }

    /// The first draft line that shows a line of a version, if any does.
    ///
    /// Unchanged lines are found from all three versions.
    pub fn find(&self, version: Version, line: LineIdx) -> Option<LineIdx> {
        let id = self.plan.region_at(version, line)?;
        let region = self.plan.region(id);
        let offset = line.0 - region.lines(version).start.0;
        let mut at = self.starts[id.0 as usize];
        for segment in self.segments(id) {
            if let Some((shown, lines)) = segment.source() {
                let alike = region.kind == RegionKind::Unchanged
                    || (region.kind == RegionKind::Same && version != Version::Base);
                let wanted = match alike {
                    true => LineIdx(region.lines(shown).start.0 + offset),
                    false => line,
                };
                if (alike || shown == version) && lines.contains(wanted) {
                    return Some(LineIdx(at + wanted.0 - lines.start.0));
                }
            }
            at += segment.len() as u32;
        }
        None
    }

    /// What stands in a region, as bytes.
    pub fn text_of(&self, region: RegionId) -> Vec<u8> {
        let mut out = Vec::new();
        let end = self.plan.versions().ours.usual_end();
        for segment in self.segments(region) {
            segment.write(self.plan.versions(), end, &mut out);
        }
        out
    }

    /// Whether a conflict is still open.
    pub fn is_open(&self, region: RegionId) -> bool {
        *self.standing(region) == RegionState::Open
    }

    /// The open conflicts in order.
    pub fn open(&self) -> impl DoubleEndedIterator<Item = RegionId> {
        let conflicts = self.plan.conflicts().iter().copied();
        conflicts.filter(|id| self.is_open(*id))
    }

    /// The conflicts that a rule settled, in order, and what it ruled.
    pub fn ruled(&self) -> impl DoubleEndedIterator<Item = (RegionId, &Arc<Ruling>)> {
        let conflicts = self.plan.conflicts().iter();
        conflicts.filter_map(|id| match self.standing(*id) {
            RegionState::Ruled(ruling) => Some((*id, ruling)),
            _ => None,
        })
    }

    /// How many conflicts are open and settled.
    pub fn counts(&self) -> Counts {
        Counts {
            conflicts: self.plan.conflicts().len(),
            open: self.open().count(),
            by_rule: self.ruled().count(),
            elsewhere: 0,
        }
    }

    /// The merged bytes; base stands where a conflict is open.
    pub fn bytes(&self) -> Vec<u8> {
        let versions = self.plan.versions();
        let segments = || self.regions.iter().flat_map(|region| &region.segments);
        let has = |sign: u8| segments().any(|segment| segment.bytes(versions).contains(&sign));
        // A text without any LF is cut at lone CRs, whatever the versions are cut at; one with LF
        // never is.
        let end = match (has(b'\n'), has(b'\r'), versions.ours.usual_end()) {
            (false, true, _) => LineEnd::Cr,
            (true, _, LineEnd::Cr) => LineEnd::Lf,
            (.., usual) => usual,
        };
        let mut out = Vec::new();
        for segment in segments() {
            segment.write(versions, end, &mut out);
        }
        out
    }

    /// The region that `conflict` is.
    pub fn region_of(&self, conflict: ConflictId) -> Option<RegionId> {
        self.plan.region_of(conflict)
    }

    /// Works out again where each region begins: the only writer of `starts`.
    pub(super) fn index(&mut self) {
        self.starts.clear();
        self.starts.reserve(self.regions.len() + 1);
        let mut at = 0;
        self.starts.push(0);
        for region in &self.regions {
            at += region.len() as u32;
            self.starts.push(at);
        }
    }
}
