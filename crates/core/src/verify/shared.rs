//! Which lines of a result need no account: those that all versions and the draft have alike.
//!
//! In a long file almost all lines are of this kind. They are found by the plan and by comparing
//! draft and result from both ends, without looking a line up.

use crate::draft::merged_text::Draft;
use crate::draft::region_draft::RegionState;
use crate::model::region::{Region, RegionKind};
use crate::model::versions::Version;
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::Source;

/// A draft and a result, and the lines at their beginning and end that are the same.
pub(crate) struct Shared<'a> {
    draft: &'a Draft,
    result: &'a Source,
    /// Lines of the draft between the beginning and the end that they have alike.
    middle: LineRange,
    /// Lines of the result there.
    result_middle: LineRange,
}

impl<'a> Shared<'a> {
    /// `own` is the text of the draft.
    pub(crate) fn new(draft: &'a Draft, own: &Source, result: &'a Source) -> Self {
        let (from, to) = (own.all(), result.all());
        let alike = |(a, b): &(LineIdx, LineIdx)| own.line(*a).bytes() == result.line(*b).bytes();
        let prefix = from.iter().zip(to.iter()).take_while(alike).count();
        let rest = from.len().min(to.len()) - prefix;
        let ends = from.iter().rev().zip(to.iter().rev()).take(rest);
        let suffix = ends.take_while(alike).count();
        Shared {
            draft,
            result,
            middle: (prefix..from.len() - suffix).into(),
            result_middle: (prefix..to.len() - suffix).into(),
        }
    }

    /// As if nothing were shared: the same account, by looking at every line.
    #[cfg(test)]
    pub(crate) fn nothing(draft: &'a Draft, own: &Source, result: &'a Source) -> Self {
        Shared {
            draft,
            result,
            middle: own.all(),
            result_middle: result.all(),
        }
    }

    /// Lines of a version that are not shared, trimmed.
    pub(crate) fn lines_of(&self, version: Version) -> impl Iterator<Item = &'a [u8]> {
        let text = self.draft.plan().versions().get(version);
        self.regions().flat_map(move |(region, lines, quiet)| {
            let own = match quiet {
                true => self.part_of(region.lines(version), lines, self.in_middle(lines)),
                false => region.lines(version),
            };
            text.lines(own).map(|line| line.trimmed())
        })
    }

    /// Lines that all versions, the draft and the result share, trimmed.
    pub(crate) fn common_lines(&self) -> impl Iterator<Item = &'a [u8]> {
        let base = &self.draft.plan().versions().base;
        let quiet = self.regions().filter(|(.., quiet)| *quiet);
        quiet.flat_map(move |(region, lines, _)| {
            let middle = self.in_middle(lines);
            let outer = [
                LineRange::new(lines.start.0, middle.start.0),
                LineRange::new(middle.end.0, lines.end.0),
            ];
            let outer = outer.map(|part| self.part_of(region.base, lines, part));
            let outer = outer.into_iter().flat_map(|part| base.lines(part));
            outer.map(|line| line.trimmed())
        })
    }

    /// Lines of the result that are not shared, trimmed.
    pub(crate) fn own_lines(&self) -> impl Iterator<Item = &'a [u8]> {
        let middle = self.result.lines(self.result_middle);
        let loud = self.regions().filter(|(.., quiet)| !quiet);
        let outer = loud.flat_map(|(_, lines, _)| {
            let (middle, result) = (self.middle, self.result_middle);
            let before = LineRange::new(lines.start.0, lines.end.0.min(middle.start.0));
            let after = lines.start.0.max(middle.end.0);
            // The end of the result stands as many lines after its middle as that of the draft.
            let after = after - middle.end.0 + result.end.0;
            let end = (lines.end.0 + result.end.0).saturating_sub(middle.end.0);
            [before, LineRange::new(after, end)]
        });
        let outer = outer.flat_map(|part| self.result.lines(part));
        middle.chain(outer).map(|line| line.trimmed())
    }

    /// All lines of the result in order, trimmed.
    pub(crate) fn result_lines(&self) -> impl Iterator<Item = (LineIdx, &'a [u8])> {
        let all = self.result.all();
        let lines = self.result.lines(all).map(|line| line.trimmed());
        all.iter().zip(lines)
    }

    /// Regions with their lines in the draft, and whether they are quiet: as in all versions.
    fn regions(&self) -> impl Iterator<Item = (&'a Region, LineRange, bool)> {
        let draft = self.draft;
        draft.plan().ids().map(move |(id, region)| {
            let merged = matches!(draft.standing(id), RegionState::Merged);
            let quiet = region.kind == RegionKind::Unchanged && merged;
            (region, draft.lines_of(id), quiet)
        })
    }

    /// The part of `lines` that lies in the middle; where there is none, an empty run within them.
    fn in_middle(&self, lines: LineRange) -> LineRange {
        let clamp = |at: LineIdx| at.0.clamp(lines.start.0, lines.end.0);
        LineRange::new(clamp(self.middle.start), clamp(self.middle.end))
    }

    /// The lines of a version that stand where `part` stands in `lines` of the draft.
    fn part_of(&self, version: LineRange, lines: LineRange, part: LineRange) -> LineRange {
        let at = |line: LineIdx| version.start.0 + line.0 - lines.start.0;
        LineRange::new(at(part.start), at(part.end))
    }
}
