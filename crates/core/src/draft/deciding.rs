//! How decisions change a draft. There is one way in: steps, after which its index is whole again.

use crate::decide::resolution::Resolution;
use crate::decide::ruling::Ruling;
use crate::draft::entry::{Entry, LineEdit, Refused, Step};
use crate::draft::merged_text::Draft;
use crate::draft::region_draft::{RegionDraft, RegionState};
use crate::model::region::{Region, RegionId, RegionKind};
use crate::model::segment::{Pick, Segment};
use crate::plan::build::Plan;
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::Source;
use std::sync::Arc;

impl Draft {
    /// The draft after one more step; this one stays whole in case the step is refused half-way.
    pub(crate) fn after(&self, step: &Step) -> Result<Draft, Refused> {
        let mut draft = self.clone();
        draft.take(step)?;
        draft.index();
        Ok(draft)
    }

    /// The draft after steps from the beginning; if one is refused, that after the steps before
    /// it, the place of the one refused, and why.
    pub(crate) fn replayed(plan: Arc<Plan>, steps: &[Step]) -> (Draft, Option<(usize, Refused)>) {
        let mut draft = Draft::new(Arc::clone(&plan));
        for (at, step) in steps.iter().enumerate() {
            if let Err(why) = draft.take(step) {
                // It may have been taken in part: the steps before it are taken again without it.
                return (Draft::replayed(plan, &steps[..at]).0, Some((at, why)));
            }
        }
        draft.index();
        (draft, None)
    }

    /// Takes a step, perhaps in part if it is refused; the index is left as it was.
    fn take(&mut self, step: &Step) -> Result<(), Refused> {
        for entry in &step.entries {
            match entry {
                Entry::Settle(region, resolution) => self.settle(*region, resolution)?,
                Entry::Rule(region, ruling) => self.rule(*region, ruling)?,
                Entry::Reopen(region) => self.reopen(*region)?,
                Entry::Restore(region) => self.reset(*region)?,
                Entry::Edit { edits, prefer } => self.edit(edits, *prefer)?,
            }
        }
        Ok(())
    }

    fn rule(&mut self, id: RegionId, ruling: &Ruling) -> Result<(), Refused> {
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

    fn settle(&mut self, id: RegionId, resolution: &Resolution) -> Result<(), Refused> {
        self.check(resolution)?;
        self.put(id, |region| {
            Ok(RegionDraft::new(
                region,
                RegionState::Settled(resolution.clone()),
            ))
        })
    }

    /// Puts a region back to how it merged.
    fn reset(&mut self, id: RegionId) -> Result<(), Refused> {
        self.put(id, |region| Ok(RegionDraft::default(region)))
    }

    fn reopen(&mut self, id: RegionId) -> Result<(), Refused> {
        self.put(id, |region| match region.kind {
            RegionKind::Conflict => Ok(RegionDraft::default(region)),
            _ => Err(Refused::NotAConflict(id)),
        })
    }

    fn put(
        &mut self,
        id: RegionId,
        make: impl FnOnce(&Region) -> Result<RegionDraft, Refused>,
    ) -> Result<(), Refused> {
        let region = self.plan.regions().get(id.0 as usize);
        self.regions[id.0 as usize] = make(region.ok_or(Refused::NoSuchRegion(id))?)?;
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
            Segment::Text(_) | Segment::Hand(_) => None,
        };
        match segments.iter().find_map(outside) {
            Some(line) => Err(Refused::NoSuchLine(line)),
            None => Ok(()),
        }
    }

    /// Replaces lines by free text; all edits refer to the draft as it is now.
    ///
    /// `prefer` is the region that an insertion between two regions belongs to.
    fn edit(&mut self, edits: &[LineEdit], prefer: Option<RegionId>) -> Result<(), Refused> {
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
                self.regions[i].splice(cut.start as usize, cut.end as usize, text);
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
}
