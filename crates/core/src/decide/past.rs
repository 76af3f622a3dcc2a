//! Conflicts settled before: by the content of the three versions, and by likeness.

use crate::decide::resolution::Resolution;
use crate::decide::shape::{Settled, carried_over};
use crate::diff::tokens::TokenDiff;
use crate::model::region::{Region, RegionId};
use crate::model::segment::{DraftSegment, Origin, Segment};
use crate::model::side::Side;
use crate::model::versions::Version;
use crate::plan::build::Plan;
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::Source;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::sync::Arc;

/// How a conflict was settled, without line numbers.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum PastOutcome {
    /// One version stood.
    Take(Version),
    /// Both sides stood, this one first.
    Both(Side),
    /// This text stood, as earlier versions noted it; it may be empty.
    Text(#[serde(with = "crate::text::encoding::as_text")] Vec<u8>),
    /// These parts stood, each with where it came from; lines count from the first of the conflict
    /// in their version.
    Parts(Vec<Segment>),
}

impl PastOutcome {
    fn resolution(&self, region: &Region) -> Resolution {
        match self {
            PastOutcome::Take(version) => Resolution::Take(*version),
            PastOutcome::Both(side) => Resolution::Both(*side),
            PastOutcome::Text(text) if text.is_empty() => Resolution::Drop,
            PastOutcome::Text(text) => Resolution::Segments(vec![Segment::Text(text.clone())]),
            PastOutcome::Parts(parts) if parts.is_empty() => Resolution::Drop,
            PastOutcome::Parts(parts) => {
                Resolution::Segments(parts.iter().map(|part| placed(part, region)).collect())
            }
        }
    }

    /// The same, had the sides been the other way round.
    fn mirrored(&self) -> Self {
        let swap = |version: &Version| match version {
            Version::Base => Version::Base,
            Version::Ours => Version::Theirs,
            Version::Theirs => Version::Ours,
        };
        match self {
            PastOutcome::Take(version) => PastOutcome::Take(swap(version)),
            PastOutcome::Both(side) => PastOutcome::Both(side.other()),
            PastOutcome::Parts(parts) => {
                let swapped = parts.iter().map(|part| match part {
                    Segment::Lines(version, lines) => Segment::Lines(swap(version), *lines),
                    other => other.clone(),
                });
                PastOutcome::Parts(swapped.collect())
            }
            PastOutcome::Text(_) => self.clone(),
        }
    }

    /// Whether it holds text that was written for one place.
    fn is_text(&self) -> bool {
        match self {
            PastOutcome::Take(_) | PastOutcome::Both(_) => false,
            PastOutcome::Text(text) => !text.is_empty(),
            PastOutcome::Parts(parts) => {
                parts.iter().any(|part| !matches!(part, Segment::Lines(..)))
            }
        }
    }
}

/// A part as it stands in a region.
fn placed(part: &Segment, region: &Region) -> Segment {
    match part {
        Segment::Lines(version, lines) => {
            let first = region.lines(*version).start.0;
            let lines = LineRange::new(lines.start.0 + first, lines.end.0 + first);
            Segment::Lines(*version, lines)
        }
        other => other.clone(),
    }
}

/// A part as it is remembered: lines of the conflict by their place in it, lines from elsewhere as
/// text that a person put there.
fn remembered_part(segment: &DraftSegment, plan: &Plan, region: &Region) -> Segment {
    let text = || segment.bytes(plan.versions()).to_vec();
    match (segment.source(), segment.origin()) {
        (Some((version, lines)), _) => {
            let own = region.lines(version);
            match own.start <= lines.start && lines.end <= own.end {
                true => {
                    let first = own.start.0;
                    let lines = LineRange::new(lines.start.0 - first, lines.end.0 - first);
                    Segment::Lines(version, lines)
                }
                false => Segment::Hand(text()),
            }
        }
        (None, Origin::Blend) => Segment::Text(text()),
        (None, _) => Segment::Hand(text()),
    }
}

/// The lines of base before and behind a conflict, without their indentation.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Around {
    /// The one before; empty at the start of the file.
    #[serde(with = "crate::text::encoding::as_text")]
    pub before: Vec<u8>,
    /// The one behind; empty at the end of the file.
    #[serde(with = "crate::text::encoding::as_text")]
    pub behind: Vec<u8>,
}

impl Around {
    /// What stands around a region of a plan.
    pub fn of(plan: &Plan, region: &Region) -> Self {
        let base = &plan.versions().base;
        let line = |at: Option<u32>| {
            let at = at.filter(|at| (*at as usize) < base.len());
            at.map_or(Vec::new(), |at| base.line(LineIdx(at)).trimmed().to_vec())
        };
        Around {
            before: line(region.base.start.0.checked_sub(1)),
            behind: line(Some(region.base.end.0)),
        }
    }
}

/// Merge commits in which a conflict was settled before Armistice was used.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Learned {
    /// The newest of them, by its short name.
    pub commit: String,
    /// In how many it was settled so.
    pub times: usize,
}

/// A settled conflict, as it is remembered.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct PastResolution {
    /// What stood in base.
    #[serde(with = "crate::text::encoding::as_text")]
    pub base: Vec<u8>,
    /// What stood in ours.
    #[serde(with = "crate::text::encoding::as_text")]
    pub ours: Vec<u8>,
    /// What stood in theirs.
    #[serde(with = "crate::text::encoding::as_text")]
    pub theirs: Vec<u8>,
    /// What came of it.
    pub outcome: PastOutcome,
    /// What stood around it: a text that was written for one place fits only there.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub around: Option<Around>,
    /// Where it was learned, if nobody settled it with Armistice.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub learned: Option<Learned>,
}

impl PastResolution {
    /// The memory of one settled conflict; `segments` are what stands there now.
    pub fn of(
        plan: &Plan,
        id: RegionId,
        resolution: Option<&Resolution>,
        segments: &[DraftSegment],
    ) -> Self {
        let (versions, region) = (plan.versions(), plan.region(id));
        let bytes = |v: Version| versions.get(v).slice(region.lines(v)).to_vec();
        let outcome = match resolution {
            Some(Resolution::Take(version)) => PastOutcome::Take(*version),
            Some(Resolution::Both(side)) => PastOutcome::Both(*side),
            _ => {
                let parts = segments.iter().map(|s| remembered_part(s, plan, region));
                PastOutcome::Parts(parts.collect())
            }
        };
        PastResolution {
            base: bytes(Version::Base),
            ours: bytes(Version::Ours),
            theirs: bytes(Version::Theirs),
            outcome,
            around: Some(Around::of(plan, region)),
            learned: None,
        }
    }

    /// The same, of a text that somebody wrote there.
    pub(crate) fn of_text(plan: &Plan, id: RegionId, text: Vec<u8>) -> Self {
        let parts = match text.is_empty() {
            true => Vec::new(),
            false => vec![Segment::Hand(text)],
        };
        PastResolution {
            outcome: PastOutcome::Parts(parts),
            ..PastResolution::of(plan, id, None, &[])
        }
    }

    /// Its size in bytes, in memory and on disk.
    pub fn size(&self) -> usize {
        let text = match &self.outcome {
            PastOutcome::Text(text) => text.len(),
            PastOutcome::Parts(parts) => parts.iter().map(text_of_part).sum(),
            _ => 0,
        };
        self.base.len() + self.ours.len() + self.theirs.len() + text
    }

    /// The text that stood.
    fn result(&self) -> Vec<u8> {
        let version = |version: &Version| match version {
            Version::Base => &self.base,
            Version::Ours => &self.ours,
            Version::Theirs => &self.theirs,
        };
        let part = |part: &Segment| match part {
            Segment::Lines(from, lines) => {
                let text = Source::new(version(from).as_slice());
                let end = LineIdx(lines.end.0.min(text.len() as u32));
                let start = LineIdx(lines.start.0.min(end.0));
                text.slice(LineRange::new(start.0, end.0)).to_vec()
            }
            Segment::Text(text) | Segment::Hand(text) => text.clone(),
        };
        match &self.outcome {
            PastOutcome::Take(from) => version(from).clone(),
            PastOutcome::Both(first) => {
                let (a, b) = (Version::from(*first), Version::from(first.other()));
                [version(&a).as_slice(), version(&b)].concat()
            }
            PastOutcome::Text(text) => text.clone(),
            PastOutcome::Parts(parts) => parts.iter().flat_map(part).collect(),
        }
    }

    fn texts(&self) -> Texts {
        (self.base.clone(), self.ours.clone(), self.theirs.clone())
    }

    /// Whether it is about the same three texts, in either order of the sides.
    pub fn is_about(&self, other: &PastResolution) -> bool {
        let same = self.ours == other.ours && self.theirs == other.theirs;
        let mirrored = self.ours == other.theirs && self.theirs == other.ours;
        self.base == other.base && (same || mirrored)
    }
}

fn text_of_part(part: &Segment) -> usize {
    match part {
        Segment::Lines(..) => size_of::<LineRange>(),
        Segment::Text(text) | Segment::Hand(text) => text.len(),
    }
}

type TokenText = Vec<(Vec<u8>, Vec<u8>)>;
type Texts = (Vec<u8>, Vec<u8>, Vec<u8>);

/// What was settled before, by memory and in this session. Cloning shares it.
///
/// ```
/// use armistice_core::{Options, PastOutcome, PastResolution, PastResolutions, RuleContext, Version, plan, propose};
/// let past = PastResolution {
///     base: b"a\n".to_vec(),
///     ours: b"b\n".to_vec(),
///     theirs: b"c\n".to_vec(),
///     outcome: PastOutcome::Take(Version::Theirs),
///     around: None,
///     learned: None,
/// };
/// let context = RuleContext { past: PastResolutions::new([&past], &[]), ..RuleContext::default() };
/// let plan = plan(&"a\n".into(), &"b\n".into(), &"c\n".into(), &Options::default());
/// assert_eq!(propose(&plan, plan.conflicts()[0], &context).unwrap().rule, "memory");
/// ```
#[derive(Clone, Debug, Default)]
pub struct PastResolutions(Arc<Inner>);

/// What came of three texts, what stood around it if it fits only there, and where it was learned.
#[derive(Debug)]
struct Remembered {
    outcome: PastOutcome,
    around: Option<Around>,
    learned: Option<Learned>,
}

#[derive(Debug, Default)]
struct Inner {
    /// With what stood around, if it fits only there.
    remembered: HashMap<Texts, Remembered>,
    /// What each side did to base in words, and what was settled; of this session.
    like: HashMap<(TokenText, TokenText), (PastOutcome, String)>,
    /// One with a text of its own, to be done again where both sides made the same edits.
    shape: Option<(PastResolution, String)>,
}

impl PastResolutions {
    /// Those from memory, of which a later one replaces an earlier one, and those of this session
    /// with the way they were settled.
    pub fn new<'a>(
        memory: impl IntoIterator<Item = &'a PastResolution>,
        session: impl IntoIterator<Item = &'a (PastResolution, String)>,
    ) -> Self {
        let mut inner = Inner::default();
        for p in memory {
            // Where earlier versions noted a text, they did not note its surroundings.
            if p.outcome.is_text() && p.around.is_none() {
                continue;
            }
            let around = p.around.clone().filter(|_| p.outcome.is_text());
            let remembered = Remembered {
                outcome: p.outcome.clone(),
                learned: p.learned.clone(),
                around,
            };
            inner.remembered.insert(p.texts(), remembered);
        }
        for (p, by) in session {
            // A text written for one place says nothing about another.
            let (PastOutcome::Take(_) | PastOutcome::Both(_)) = p.outcome else {
                continue;
            };
            if let Some(words) = signature(&p.base, &p.ours, &p.theirs) {
                inner.like.insert(words, (p.outcome.clone(), by.clone()));
            }
        }
        PastResolutions(Arc::new(inner))
    }

    /// One that a person just settled and wants to see again wherever the same texts or changes
    /// meet, whatever stands around them.
    pub fn again(settled: &PastResolution, by: &str) -> Self {
        let session = [(settled.clone(), by.to_owned())];
        let mut past = PastResolutions::new([], &session);
        if let Some(inner) = Arc::get_mut(&mut past.0) {
            let outcome = settled.outcome.clone();
            let remembered = Remembered {
                outcome,
                around: None,
                learned: None,
            };
            inner.remembered.insert(settled.texts(), remembered);
            let shape = settled.outcome.is_text();
            inner.shape = shape.then(|| (settled.clone(), by.to_owned()));
        }
        past
    }

    /// What was decided about the same base, ours and theirs, in either order of the sides; a text
    /// only where the same lines stand around it.
    pub(crate) fn remembered(
        &self,
        texts: [&[u8]; 3],
        plan: &Plan,
        region: &Region,
    ) -> Option<(Resolution, Option<&Learned>)> {
        if self.0.remembered.is_empty() {
            return None;
        }
        let [base, ours, theirs] = texts;
        let (base, ours, theirs) = (base.to_vec(), ours.to_vec(), theirs.to_vec());
        let direct = (base.clone(), ours.clone(), theirs.clone());
        let fits = |around: &Option<Around>| {
            let fits = |around: &Around| *around == Around::of(plan, region);
            around.as_ref().is_none_or(fits)
        };
        if let Some(found) = self.0.remembered.get(&direct) {
            let resolution = || (found.outcome.resolution(region), found.learned.as_ref());
            return fits(&found.around).then(resolution);
        }
        let found = self.0.remembered.get(&(base, theirs, ours))?;
        let mirrored = || found.outcome.mirrored().resolution(region);
        fits(&found.around).then(|| (mirrored(), found.learned.as_ref()))
    }

    /// What was decided where the sides made the same changes of words; and by what.
    pub(crate) fn like(&self, texts: [&[u8]; 3], region: &Region) -> Option<(Resolution, String)> {
        if let Some((settled, by)) = &self.0.shape {
            let result = settled.result();
            let shape = Settled {
                texts: [&settled.base, &settled.ours, &settled.theirs],
                result: &result,
            };
            let text = carried_over(&shape, texts)?;
            let resolution = Resolution::Segments(vec![Segment::Text(text)]);
            return Some((resolution, by.clone()));
        }
        if self.0.like.is_empty() {
            return None;
        }
        let [base, ours, theirs] = texts;
        let (outcome, by) = self.0.like.get(&signature(base, ours, theirs)?)?;
        Some((outcome.resolution(region), by.clone()))
    }
}

/// What each side did to base, wherever it stands and however it is indented.
fn signature(base: &[u8], ours: &[u8], theirs: &[u8]) -> Option<(TokenText, TokenText)> {
    let diff = TokenDiff::new(base, ours, theirs)?;
    let of = |side| -> TokenText {
        let changes = diff.changes(side).into_iter();
        changes.map(|(x, y)| (x.to_vec(), y.to_vec())).collect()
    };
    let (a, b) = (of(Side::Ours), of(Side::Theirs));
    // A change of signs alone recurs everywhere and means nothing.
    let solid = |words: &TokenText| words.iter().any(|(x, y)| x.len() + y.len() > 2);
    (solid(&a) && solid(&b)).then_some((a, b))
}
