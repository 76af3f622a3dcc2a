//! The merged text while it is being decided: every line with its origin.
//!
//! A draft holds, for each region of its plan, how it stands and the segments of
//! text that stand there. Not here: undo and storage (`journal`), bytes with
//! markers (`markers`).

use crate::decide::resolution::Resolution;
use crate::decide::ruling::Ruling;
use crate::model::region::{ConflictId, Region, RegionId, RegionKind};
use crate::model::segment::{DraftSegment, Origin, Pick, Segment};
use crate::model::versions::Version;
use crate::plan::build::Plan;
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::{Line, LineEnd, Source};
use serde::{Deserialize, Serialize};
use std::fmt;
use std::sync::Arc;

/// How a region stands in the draft.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum RegionState {
    /// As it merged by itself.
    Merged,
    /// A conflict that waits for a decision.
    Open,
    /// By decision.
    Settled(Resolution),
    /// By a rule.
    Ruled(Arc<Ruling>),
    /// Rewritten by hand, wholly or in part.
    ByHand,
}

/// Lines of the draft replaced by other text.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct LineEdit {
    /// Lines of the draft as it was before the edit; empty to insert before `start`.
    pub lines: LineRange,
    /// What stands there now, whole lines with their endings.
    #[serde(with = "crate::text::encoding::as_text")]
    pub text: Vec<u8>,
}

/// Why a decision could not be applied.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Refused {
    /// The plan has no such region.
    NoSuchRegion(RegionId),
    /// The region is not a conflict and so cannot be opened again.
    NotAConflict(RegionId),
    /// A ruling that is only a hint.
    NoResolution(RegionId),
    /// A line beyond the end of a version or of the draft.
    NoSuchLine(LineIdx),
    /// Edits that overlap or are out of order.
    Tangled,
}

impl fmt::Display for Refused {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Refused::NoSuchRegion(id) => write!(f, "there is no region {}", id.0),
            Refused::NotAConflict(id) => write!(f, "region {} is not a conflict", id.0),
            Refused::NoResolution(id) => write!(f, "region {} has only a hint", id.0),
            Refused::NoSuchLine(line) => write!(f, "there is no line {line}"),
            Refused::Tangled => write!(f, "the edits overlap or are out of order"),
        }
    }
}

impl std::error::Error for Refused {}

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

/// How far a draft is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Counts {
    /// Conflicts of the plan.
    pub conflicts: usize,
    /// Conflicts still open.
    pub open: usize,
    /// Conflicts settled by rule.
    pub by_rule: usize,
}

impl Counts {
    /// Conflicts that a person settled.
    pub fn by_person(&self) -> usize {
        self.conflicts.saturating_sub(self.open + self.by_rule)
    }
}

#[derive(Clone, Debug)]
struct RegionDraft {
    standing: RegionState,
    /// What stands there, in order; no segment is empty.
    segments: Vec<DraftSegment>,
}

impl RegionDraft {
    fn new(region: &Region, standing: RegionState) -> Self {
        let segments = match &standing {
            RegionState::Settled(resolution) => resolution.segments(region),
            RegionState::Ruled(ruling) => match &ruling.resolution {
                Some(resolution) => resolution.segments(region),
                None => vec![default_segment(region)],
            },
            _ => vec![default_segment(region)],
        };
        let segments = segments.into_iter().filter(|p| !p.is_empty()).collect();
        RegionDraft { standing, segments }
    }

    fn default(region: &Region) -> Self {
        let standing = match region.kind {
            RegionKind::Conflict => RegionState::Open,
            _ => RegionState::Merged,
        };
        Self::new(region, standing)
    }

    fn len(&self) -> usize {
        self.segments.iter().map(DraftSegment::len).sum()
    }
}

fn default_segment(region: &Region) -> DraftSegment {
    match region.kind {
        RegionKind::Unchanged => {
            DraftSegment::with_origin(Origin::Unchanged, Version::Base, region.base)
        }
        RegionKind::Ours => DraftSegment::lines(Version::Ours, region.ours),
        RegionKind::Theirs => DraftSegment::lines(Version::Theirs, region.theirs),
        RegionKind::Same => DraftSegment::with_origin(Origin::Same, Version::Ours, region.ours),
        RegionKind::Conflict => DraftSegment::with_origin(Origin::Open, Version::Base, region.base),
    }
}

/// The merged text over a plan, with the origin of every line.
#[derive(Clone, Debug)]
pub struct Draft {
    plan: Arc<Plan>,
    /// One region_draft a region, in the plan's order.
    regions: Vec<RegionDraft>,
    /// First draft line of each region, and the number of all lines at the end; never falls.
    starts: Vec<u32>,
}

impl Draft {
    /// The draft as it merges by itself, conflicts open.
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

    /// One line.
    pub fn line(&self, line: LineIdx) -> Option<DraftLine<'_>> {
        let region = self.region_at(line)?;
        let mut nth = (line.0 - self.starts[region.0 as usize]) as usize;
        for segment in self.segments(region) {
            if nth < segment.len() {
                return Some(DraftLine {
                    line: segment.line(self.plan.versions(), nth),
                    origin: segment.origin(),
                    region,
                    source: segment.source().map(|(version, lines)| Pick {
                        version,
                        line: LineIdx(lines.start.0 + nth as u32),
                    }),
                });
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

    /// How far it is.
    pub fn counts(&self) -> Counts {
        Counts {
            conflicts: self.plan.conflicts().len(),
            open: self.open().count(),
            by_rule: self.ruled().count(),
        }
    }

    /// The merged bytes; base stands where a conflict is open.
    pub fn bytes(&self) -> Vec<u8> {
        let versions = self.plan.versions();
        let segments = || {
            self.regions
                .iter()
                .flat_map(|region_draft| &region_draft.segments)
        };
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

    pub(crate) fn rule(&mut self, id: RegionId, ruling: &Ruling) -> Result<(), Refused> {
        let Some(resolution) = &ruling.resolution else {
            return Err(Refused::NoResolution(id));
        };
        self.check(resolution)?;
        self.put(id, |region| match region.kind {
            RegionKind::Conflict => Ok(RegionDraft::new(
                region,
                RegionState::Ruled(Arc::new(ruling.clone())),
            )),
            _ => Err(Refused::NotAConflict(id)),
        })
    }

    fn check(&self, resolution: &Resolution) -> Result<(), Refused> {
        match resolution {
            Resolution::Lines(picks) => self.check_picks(picks),
            Resolution::Segments(segments) => self.check_segments(segments),
            _ => Ok(()),
        }
    }

    pub(crate) fn settle(&mut self, id: RegionId, resolution: &Resolution) -> Result<(), Refused> {
        self.check(resolution)?;
        self.put(id, |region| {
            Ok(RegionDraft::new(
                region,
                RegionState::Settled(resolution.clone()),
            ))
        })
    }

    /// Puts a region back to how it merged by itself.
    pub(crate) fn reset(&mut self, id: RegionId) -> Result<(), Refused> {
        self.put(id, |region| Ok(RegionDraft::default(region)))
    }

    pub(crate) fn reopen(&mut self, id: RegionId) -> Result<(), Refused> {
        self.put(id, |region| match region.kind {
            RegionKind::Conflict => Ok(RegionDraft::default(region)),
            _ => Err(Refused::NotAConflict(id)),
        })
    }

    fn put(
        &mut self,
        id: RegionId,
        region_draft: impl FnOnce(&Region) -> Result<RegionDraft, Refused>,
    ) -> Result<(), Refused> {
        let region = self.plan.regions().get(id.0 as usize);
        let region_draft = region_draft(region.ok_or(Refused::NoSuchRegion(id))?)?;
        self.regions[id.0 as usize] = region_draft;
        Ok(())
    }

    fn check_picks(&self, picks: &[Pick]) -> Result<(), Refused> {
        let inside = |p: &&Pick| (p.line.0 as usize) < self.plan.versions().get(p.version).len();
        match picks.iter().find(|p| !inside(p)) {
            Some(pick) => Err(Refused::NoSuchLine(pick.line)),
            None => Ok(()),
        }
    }

    fn check_segments(&self, segments: &[Segment]) -> Result<(), Refused> {
        let outside = |segment: &Segment| match segment {
            Segment::Lines(version, lines) => {
                let len = self.plan.versions().get(*version).len();
                (lines.end < lines.start || lines.end.0 as usize > len).then_some(lines.end)
            }
            Segment::Text(_) => None,
        };
        match segments.iter().find_map(outside) {
            Some(line) => Err(Refused::NoSuchLine(line)),
            None => Ok(()),
        }
    }

    /// Replaces lines by free text; all edits refer to the draft as it is now.
    ///
    /// `prefer` is the region that an insertion between two regions belongs to.
    pub(crate) fn edit(
        &mut self,
        edits: &[LineEdit],
        prefer: Option<RegionId>,
    ) -> Result<(), Refused> {
        self.index();
        self.check_edits(edits)?;
        for edit in edits.iter().rev() {
            self.replace(edit, prefer);
        }
        self.index();
        Ok(())
    }

    fn check_edits(&self, edits: &[LineEdit]) -> Result<(), Refused> {
        let mut at = 0;
        for edit in edits {
            if edit.lines.start.0 < at || edit.lines.end < edit.lines.start {
                return Err(Refused::Tangled);
            }
            at = edit.lines.end.0;
        }
        match at as usize > self.len() {
            true => Err(Refused::NoSuchLine(LineIdx(at))),
            false => Ok(()),
        }
    }

    fn replace(&mut self, edit: &LineEdit, prefer: Option<RegionId>) {
        let home = self.home(edit.lines, prefer);
        let (start, end) = (edit.lines.start.0, edit.lines.end.0);
        let last = self.starts.partition_point(|s| *s < end).max(home + 1);
        let first = self
            .starts
            .partition_point(|s| *s <= start)
            .saturating_sub(1);
        for i in first.min(home)..last.min(self.regions.len()) {
            let (from, to) = (self.starts[i], self.starts[i + 1]);
            let cut = start.clamp(from, to) - from..end.clamp(from, to) - from;
            let text = (i == home).then(|| Source::new(edit.text.clone()));
            if text.is_some() || !cut.is_empty() {
                splice(
                    &mut self.regions[i],
                    cut.start as usize,
                    cut.end as usize,
                    text,
                );
            }
        }
    }

    /// The region whose text an edit becomes: one it cuts into, conflicts first.
    fn home(&self, lines: LineRange, prefer: Option<RegionId>) -> usize {
        let (start, end) = (lines.start.0, lines.end.0);
        let touches = |i: &usize| self.starts[*i] <= end && start <= self.starts[i + 1];
        let cuts = |i: &usize| self.starts[*i] < end && start < self.starts[i + 1];
        let first = self
            .starts
            .partition_point(|s| *s < start)
            .saturating_sub(1);
        let near = || (first..self.regions.len()).take_while(|i| self.starts[*i] <= end);
        let belongs = |i: &usize| match lines.is_empty() {
            true => touches(i),
            false => cuts(i),
        };
        if let Some(id) = prefer.map(|id| id.0 as usize).filter(belongs) {
            return id;
        }
        let is_open = |i: &usize| self.regions[*i].standing == RegionState::Open;
        let is_conflict = |i: &usize| self.plan.regions()[*i].kind == RegionKind::Conflict;
        near()
            .find(|i| cuts(i) && is_conflict(i))
            .or_else(|| near().find(cuts))
            .or_else(|| near().find(|i| touches(i) && !is_open(i)))
            .or_else(|| near().find(touches))
            .unwrap_or(0)
    }

    pub(crate) fn index(&mut self) {
        self.starts.clear();
        self.starts.reserve(self.regions.len() + 1);
        let mut at = 0;
        self.starts.push(0);
        for region_draft in &self.regions {
            at += region_draft.len() as u32;
            self.starts.push(at);
        }
    }
}

/// Replaces lines of a region_draft, counted from its first, and marks it as written by hand.
fn splice(region_draft: &mut RegionDraft, start: usize, end: usize, text: Option<Source>) {
    let was_open = region_draft.standing == RegionState::Open;
    let (head, rest) = cut(std::mem::take(&mut region_draft.segments), start);
    let (_, tail) = cut(rest, end - start);
    let text = text.filter(|t| !t.is_empty()).map(DraftSegment::by_hand);
    region_draft.segments = head.into_iter().chain(text).chain(tail).collect();
    region_draft.standing = RegionState::ByHand;
    for segment in region_draft.segments.iter_mut().filter(|_| was_open) {
        segment.decided();
    }
}

fn cut(segments: Vec<DraftSegment>, at: usize) -> (Vec<DraftSegment>, Vec<DraftSegment>) {
    let (mut head, mut tail, mut left) = (Vec::new(), Vec::new(), at);
    for segment in segments {
        match segment.len() {
            n if left >= n => {
                left -= n;
                head.push(segment);
            }
            _ if left == 0 => tail.push(segment),
            _ => {
                let (a, b) = segment.split(left);
                head.push(a);
                tail.push(b);
                left = 0;
            }
        }
    }
    (head, tail)
}
