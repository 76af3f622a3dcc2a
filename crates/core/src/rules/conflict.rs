//! A conflict as rules see it: its versions, its finer merge, and facts computed on demand.

use crate::decide::resolution::Resolution;
use crate::diff::tokens::TokenDiff;
use crate::limits::DISTINCTIVE_BYTES;
use crate::merge::rows::MergedRows;
use crate::merge::stats::{Clash, MergeStats};
use crate::model::region::{Region, RegionId, RegionKind};
use crate::model::segment::Segment;
use crate::model::side::{PerSide, Side};
use crate::model::versions::{Version, Versions};
use crate::plan::build::Plan;
use crate::text::lines::LineIdx;
use crate::text::numbers::numbers;
use crate::text::tokens::{is_worded, same_tokens};
use std::cell::OnceCell;
use std::cmp::Ordering;
use std::collections::{HashMap, HashSet};
use std::sync::{Arc, OnceLock};

/// What all conflicts of a plan share, computed when a rule first asks for it.
#[derive(Debug, Default)]
pub(crate) struct Shared<'a> {
    /// Where each line with words stands among those that a side changed, without its indentation.
    places: PerSide<OnceLock<Places<'a>>>,
    /// Long lines of ours, theirs and base where a side changed something.
    changed: [OnceLock<HashSet<&'a [u8]>>; 3],
    /// The side that reformatted more of the file.
    lays_out: OnceLock<Option<Side>>,
    /// Whether the head of the file says that a tool writes it.
    says_generated: OnceLock<bool>,
}

type Places<'a> = HashMap<&'a [u8], Vec<LineIdx>>;

/// A conflict as rules look at it; what is costly is computed once, when it is first asked for.
pub struct Conflict<'a> {
    plan: &'a Plan,
    id: RegionId,
    shared: Arc<Shared<'a>>,
    token_diff: OnceCell<Option<TokenDiff<'a>>>,
    steady: OnceCell<bool>,
}

impl<'a> Conflict<'a> {
    /// A conflict of a plan.
    pub fn new(plan: &'a Plan, id: RegionId) -> Self {
        Self::with(plan, id, Arc::default())
    }

    pub(crate) fn with(plan: &'a Plan, id: RegionId, shared: Arc<Shared<'a>>) -> Self {
        Conflict {
            plan,
            id,
            shared,
            token_diff: OnceCell::new(),
            steady: OnceCell::new(),
        }
    }

    /// The plan it belongs to.
    pub fn plan(&self) -> &'a Plan {
        self.plan
    }

    /// Its region.
    pub fn region(&self) -> &'a Region {
        self.plan.region(self.id)
    }

    /// Which region it is.
    pub fn id(&self) -> RegionId {
        self.id
    }

    /// Where a side has a line with words, among the lines that it changed: what it left as it
    /// was it did not move there.
    pub(crate) fn places(&self, side: Side, line: &[u8]) -> &[LineIdx] {
        let index = || {
            let (version, text) = (Version::from(side), self.versions().get(side.into()));
            let mut places = Places::new();
            for region in self.plan.regions().iter().filter(|r| r.is_changed_by(side)) {
                for at in region.lines(version).iter() {
                    let line = text.line(at).trimmed();
                    if is_worded(line) {
                        places.entry(line).or_default().push(at);
                    }
                }
            }
            places
        };
        let places = self.shared.places[side].get_or_init(index);
        places.get(line).map_or(&[], Vec::as_slice)
    }

    /// The side that changed blanks in more places of the file; else the one that changed more
    /// places; `None` if neither did.
    pub(crate) fn lays_out(&self) -> Option<Side> {
        let versions = self.versions();
        let count = |side: Side| {
            let changed = self.plan.regions().iter().filter(|r| r.is_changed_by(side));
            let texts = changed.map(|region| {
                let version = Version::from(side);
                let text = versions.get(version).slice(region.lines(version));
                (versions.base.slice(region.base), text)
            });
            let (mut respaced, mut changed) = (0, 0);
            for (base, text) in texts.filter(|(base, text)| base != text) {
                changed += 1;
                respaced += usize::from(same_tokens(base, text));
            }
            (respaced, changed)
        };
        let compare = || match count(Side::Ours).cmp(&count(Side::Theirs)) {
            Ordering::Greater => Some(Side::Ours),
            Ordering::Less => Some(Side::Theirs),
            Ordering::Equal => None,
        };
        *self.shared.lays_out.get_or_init(compare)
    }

    /// Whether the head of the file says that a tool writes it.
    pub(crate) fn says_generated(&self, look: impl FnOnce() -> bool) -> bool {
        *self.shared.says_generated.get_or_init(look)
    }

    pub(crate) fn versions(&self) -> &'a Versions {
        self.plan.versions()
    }

    /// The bytes of one version.
    pub fn text(&self, version: Version) -> &'a [u8] {
        self.versions()
            .get(version)
            .slice(self.region().lines(version))
    }

    /// The bytes of base, ours and theirs.
    pub(crate) fn texts(&self) -> [&'a [u8]; 3] {
        [Version::Base, Version::Ours, Version::Theirs].map(|v| self.text(v))
    }

    /// What its rows give together, or why they do not.
    pub(crate) fn merged_rows(&self) -> Result<&'a MergedRows, Clash> {
        let finer = self.plan.finer(self.id).ok_or(Clash::Deleted)?;
        finer.rows(self.versions(), self.region())
    }

    /// What each side did to its words; `None` if they are too many.
    pub(crate) fn token_diff(&self) -> Option<&TokenDiff<'a>> {
        let [base, ours, theirs] =
            [Version::Base, Version::Ours, Version::Theirs].map(|v| self.text(v));
        let diff = || TokenDiff::new(base, ours, theirs);
        self.token_diff.get_or_init(diff).as_ref()
    }

    /// Why its rows do not go together, if they do not.
    pub fn clash(&self) -> Option<Clash> {
        self.merged_rows().err()
    }

    pub(crate) fn stats(&self) -> Option<&'a MergeStats> {
        self.merged_rows().ok().map(|w| &w.stats)
    }

    /// The merged rows as a resolution, whatever speaks against them: a whole side where they are
    /// just that; `None` where rows clash.
    pub fn merged_resolution(&self) -> Option<Resolution> {
        let merged = self.merged_rows().ok()?;
        Some(self.resolution(merged.segments.clone()))
    }

    pub(crate) fn resolution(&self, segments: Vec<Segment>) -> Resolution {
        let resolution = Resolution::Segments(segments);
        let text = resolution.text(self.plan, self.region());
        let whole = [Version::Ours, Version::Theirs].into_iter();
        match whole
            .map(|v| (v, self.text(v)))
            .find(|(_, t)| *t == text.bytes())
        {
            Some((version, _)) => Resolution::Take(version),
            None => resolution,
        }
    }

    /// The long lines of a version where a side changed something, all over the file.
    pub(crate) fn changed(&self, version: Version) -> &HashSet<&'a [u8]> {
        let index = || {
            let text = self.versions().get(version);
            let regions = self.plan.regions().iter();
            let changed = regions.filter(|region| region.kind != RegionKind::Unchanged);
            let lines = changed.flat_map(|region| text.lines(region.lines(version)));
            let lines = lines.map(|line| line.trimmed());
            lines
                .filter(|line| line.len() >= DISTINCTIVE_BYTES)
                .collect()
        };
        let nth = Version::ALL.iter().position(|v| *v == version);
        self.shared.changed[nth.unwrap_or(0)].get_or_init(index)
    }

    /// Whether one side broke the same words into other lines.
    pub(crate) fn is_wrapped_anew(&self) -> bool {
        let base = self.text(Version::Base);
        [Version::Ours, Version::Theirs].into_iter().any(|v| {
            let (region, side) = (self.region(), self.text(v));
            region.lines(v).len() != region.base.len() && same_tokens(base, side)
        })
    }

    pub(crate) fn both_changed_numbers(&self) -> bool {
        let of = |v: Version| -> Vec<&[u8]> { numbers(self.text(v)).collect() };
        let (base, ours, theirs) = (of(Version::Base), of(Version::Ours), of(Version::Theirs));
        base.len() == ours.len() && base.len() == theirs.len() && base != ours && base != theirs
    }

    /// Whether rows paired another way give the same text.
    pub(crate) fn is_steady(&self) -> bool {
        *self.steady.get_or_init(|| {
            let text = |rows: &MergedRows| {
                Resolution::Segments(rows.segments.clone()).text(self.plan, self.region())
            };
            let finer = self.plan.finer(self.id);
            finer.is_some_and(|finer| {
                let same_text = |a: &MergedRows, b: &MergedRows| text(a) == text(b);
                finer.is_steady(self.versions(), self.region(), same_text)
            })
        })
    }
}

/// Whether blended text holds a number or version that no version of the file has.
pub(crate) fn blends_numbers(conflict: &Conflict<'_>, resolution: &Resolution) -> bool {
    let Resolution::Segments(segments) = resolution else {
        return false;
    };
    let mut known = HashSet::new();
    for version in Version::ALL {
        known.extend(numbers(conflict.text(version)));
    }
    segments.iter().any(|segment| match segment {
        Segment::Text(bytes) | Segment::Hand(bytes) => numbers(bytes).any(|n| !known.contains(n)),
        Segment::Lines(..) => false,
    })
}
