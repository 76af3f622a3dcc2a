//! Which parts of a result stand there by a decision: as the draft has them, and settled there.

use crate::draft::merged_text::Draft;
use crate::draft::region_draft::RegionState;
use crate::model::region::RegionId;
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::Source;
use std::collections::HashSet;

/// Regions of a draft that a person or a rule settled and that the result has unchanged.
#[derive(Clone, Debug, Default)]
pub(crate) struct Decided {
    regions: HashSet<RegionId>,
    /// Where they stand in the result, in order.
    lines: Vec<LineRange>,
}

impl Decided {
    pub(crate) fn new(draft: &Draft, result: &Source) -> Self {
        let own = Source::new(draft.bytes());
        let (from, to) = (own.all(), result.all());
        let alike = |(a, b): &(LineIdx, LineIdx)| own.line(*a).bytes() == result.line(*b).bytes();
        let before = from.iter().zip(to.iter()).take_while(alike).count();
        let rest = from.len().min(to.len()) - before;
        let ends = from.iter().rev().zip(to.iter().rev()).take(rest);
        let behind = from.len() - ends.take_while(alike).count();
        let mut decided = Decided::default();
        for (id, _) in draft.plan().ids() {
            let settled = matches!(
                draft.standing(id),
                RegionState::Settled(_) | RegionState::Ruled(_)
            );
            let lines = draft.lines_of(id);
            let shift = if lines.end.0 as usize <= before {
                0
            } else if lines.start.0 as usize >= behind {
                to.len() as i64 - from.len() as i64
            } else {
                continue;
            };
            if settled {
                let moved = |at: LineIdx| (i64::from(at.0) + shift) as u32;
                decided.regions.insert(id);
                decided
                    .lines
                    .push(LineRange::new(moved(lines.start), moved(lines.end)));
            }
        }
        decided
    }

    pub(crate) fn is_decided(&self, region: RegionId) -> bool {
        self.regions.contains(&region)
    }

    /// Whether a line of the result stands there by a decision.
    pub(crate) fn covers(&self, at: LineIdx) -> bool {
        let nth = self.lines.partition_point(|lines| lines.end <= at);
        self.lines.get(nth).is_some_and(|lines| lines.start <= at)
    }
}
