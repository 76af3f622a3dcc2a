//! What may stand for a region: one side, both, nothing, picked lines or free text.

use crate::model::region::Region;
use crate::model::segment::{DraftSegment, Pick, Segment};
use crate::model::side::Side;
use crate::model::versions::Version;
use crate::plan::build::Plan;
use crate::text::lines::LineRange;
use crate::text::source::Source;
use serde::{Deserialize, Serialize};

/// What shall stand in a region of the merged text.
///
/// ```
/// use armistice_core::{Options, Resolution, Side, plan};
/// let plan = plan(&"".into(), &"a\n".into(), &"b\n".into(), &Options::default());
/// let region = plan.region(plan.conflicts()[0]);
/// let both = Resolution::Both(Side::Theirs);
/// assert_eq!(both.text(&plan, region).bytes(), b"b\na\n");
/// assert_eq!((both.len(region), both.name()), (2, "theirs then ours"));
/// ```
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Resolution {
    /// One version's lines; base declines both changes.
    Take(Version),
    /// Both sides' lines, those of this side first.
    Both(Side),
    /// No line at all.
    Drop,
    /// These lines in this order, from anywhere in the three versions.
    Lines(Vec<Pick>),
    /// Lines of the versions and lines blended from them, in this order.
    #[serde(rename = "woven")]
    Segments(Vec<Segment>),
}

impl Resolution {
    /// Its name on the screens, in a few words.
    pub fn name(&self) -> &'static str {
        match self {
            Resolution::Take(version) => version.name(),
            Resolution::Both(Side::Ours) => "ours then theirs",
            Resolution::Both(Side::Theirs) => "theirs then ours",
            Resolution::Drop => "drop",
            Resolution::Lines(_) => "picked lines",
            Resolution::Segments(_) => "blend",
        }
    }

    /// How many lines it would leave in `region`.
    pub fn len(&self, region: &Region) -> usize {
        match self {
            Resolution::Take(version) => region.lines(*version).len(),
            Resolution::Both(_) => region.ours.len() + region.theirs.len(),
            Resolution::Drop => 0,
            Resolution::Lines(picks) => picks.len(),
            Resolution::Segments(segments) => segments.iter().map(Segment::len).sum(),
        }
    }

    /// The segments of text that it leaves in `region`.
    pub fn segments(&self, region: &Region) -> Vec<DraftSegment> {
        let whole = |version| DraftSegment::lines(version, region.lines(version));
        match self {
            Resolution::Take(version) => vec![whole(*version)],
            Resolution::Both(first) => {
                vec![whole((*first).into()), whole(first.other().into())]
            }
            Resolution::Drop => Vec::new(),
            Resolution::Lines(picks) => picks.iter().map(pick_segment).collect(),
            Resolution::Segments(segments) => segments.iter().map(Segment::segment).collect(),
        }
    }

    /// The bytes that it leaves in a region, lines kept apart where one had no ending.
    pub fn text(&self, plan: &Plan, region: &Region) -> Source {
        let versions = plan.versions();
        let end = versions.ours.usual_end();
        let mut out = Vec::new();
        for segment in self.segments(region) {
            segment.write(versions, end, &mut out);
        }
        Source::new(out)
    }
}

fn pick_segment(pick: &Pick) -> DraftSegment {
    let line = pick.line.0;
    DraftSegment::lines(pick.version, LineRange::new(line, line.saturating_add(1)))
}
