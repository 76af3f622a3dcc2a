//! What stands in one region of a draft, and how it came to stand there.

use crate::decide::resolution::Resolution;
use crate::decide::ruling::Ruling;
use crate::model::region::{Region, RegionKind};
use crate::model::segment::{DraftSegment, Origin};
use crate::model::versions::Version;
use crate::text::source::Source;
use std::sync::Arc;

/// How a region stands in the draft.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum RegionState {
    /// As it merged.
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

#[derive(Clone, Debug)]
pub(super) struct RegionDraft {
    pub(super) standing: RegionState,
    /// What stands there, in order; no segment is empty.
    pub(super) segments: Vec<DraftSegment>,
}

impl RegionDraft {
    pub(super) fn new(region: &Region, standing: RegionState) -> Self {
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

    pub(super) fn default(region: &Region) -> Self {
        let standing = match region.kind {
            RegionKind::Conflict => RegionState::Open,
            _ => RegionState::Merged,
        };
        Self::new(region, standing)
    }

    pub(super) fn len(&self) -> usize {
        self.segments.iter().map(DraftSegment::len).sum()
    }

    /// Replaces lines, counted from the first of the region, and marks it as written by hand.
    pub(super) fn splice(&mut self, start: usize, end: usize, text: Option<Source>) {
        let was_open = self.standing == RegionState::Open;
        let (head, rest) = cut(std::mem::take(&mut self.segments), start);
        let (_, tail) = cut(rest, end - start);
        let text = text.filter(|t| !t.is_empty()).map(DraftSegment::by_hand);
        self.segments = head.into_iter().chain(text).chain(tail).collect();
        self.standing = RegionState::ByHand;
        for segment in self.segments.iter_mut().filter(|_| was_open) {
            segment.decided();
        }
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

/// Parts segments at a line.
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
