//! Conflicts settled before: by the content of the three versions, and by likeness.

use crate::decide::resolution::Resolution;
use crate::diff::tokens::TokenDiff;
use crate::model::region::RegionId;
use crate::model::segment::Segment;
use crate::model::side::Side;
use crate::model::versions::Version;
use crate::plan::build::Plan;
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
    /// This text stood; it may be empty.
    Text(#[serde(with = "crate::text::encoding::as_text")] Vec<u8>),
}

impl PastOutcome {
    fn resolution(&self) -> Resolution {
        match self {
            PastOutcome::Take(version) => Resolution::Take(*version),
            PastOutcome::Both(side) => Resolution::Both(*side),
            PastOutcome::Text(text) if text.is_empty() => Resolution::Drop,
            PastOutcome::Text(text) => Resolution::Segments(vec![Segment::Text(text.clone())]),
        }
    }

    /// The same, had the sides been the other way round.
    fn mirrored(&self) -> Self {
        match self {
            PastOutcome::Take(Version::Ours) => PastOutcome::Take(Version::Theirs),
            PastOutcome::Take(Version::Theirs) => PastOutcome::Take(Version::Ours),
            PastOutcome::Both(side) => PastOutcome::Both(side.other()),
            other => other.clone(),
        }
    }
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
}

impl PastResolution {
    /// The memory of one settled conflict; `text` is the text that stands there now.
    pub fn of(plan: &Plan, id: RegionId, resolution: Option<&Resolution>, text: &[u8]) -> Self {
        let (versions, region) = (plan.versions(), plan.region(id));
        let bytes = |v: Version| versions.get(v).slice(region.lines(v)).to_vec();
        let outcome = match resolution {
            Some(Resolution::Take(version)) => PastOutcome::Take(*version),
            Some(Resolution::Both(side)) => PastOutcome::Both(*side),
            _ => PastOutcome::Text(text.to_vec()),
        };
        PastResolution {
            base: bytes(Version::Base),
            ours: bytes(Version::Ours),
            theirs: bytes(Version::Theirs),
            outcome,
        }
    }

    /// Its size in bytes, in memory and on disk.
    pub fn size(&self) -> usize {
        let text = match &self.outcome {
            PastOutcome::Text(text) => text.len(),
            _ => 0,
        };
        self.base.len() + self.ours.len() + self.theirs.len() + text
    }

    /// Whether it is about the same three texts, in either order of the sides.
    pub fn is_about(&self, other: &PastResolution) -> bool {
        let same = self.ours == other.ours && self.theirs == other.theirs;
        let mirrored = self.ours == other.theirs && self.theirs == other.ours;
        self.base == other.base && (same || mirrored)
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
/// };
/// let context = RuleContext { past: PastResolutions::new([&past], &[]), ..RuleContext::default() };
/// let plan = plan(&"a\n".into(), &"b\n".into(), &"c\n".into(), &Options::default());
/// assert_eq!(propose(&plan, plan.conflicts()[0], &context).unwrap().rule, "memory");
/// ```
#[derive(Clone, Debug, Default)]
pub struct PastResolutions(Arc<Inner>);

#[derive(Debug, Default)]
struct Inner {
    remembered: HashMap<Texts, PastOutcome>,
    /// What each side did to base in words, and what was settled; of this session.
    like: HashMap<(TokenText, TokenText), (PastOutcome, String)>,
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
            let texts = (p.base.clone(), p.ours.clone(), p.theirs.clone());
            inner.remembered.insert(texts, p.outcome.clone());
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

    /// What was decided about the same base, ours and theirs, in either order of the sides.
    pub(crate) fn remembered(&self, texts: [&[u8]; 3]) -> Option<Resolution> {
        if self.0.remembered.is_empty() {
            return None;
        }
        let [base, ours, theirs] = texts;
        let (base, ours, theirs) = (base.to_vec(), ours.to_vec(), theirs.to_vec());
        let direct = (base.clone(), ours.clone(), theirs.clone());
        if let Some(outcome) = self.0.remembered.get(&direct) {
            return Some(outcome.resolution());
        }
        let mirrored = self.0.remembered.get(&(base, theirs, ours))?;
        Some(mirrored.mirrored().resolution())
    }

    /// What was decided where the sides made the same changes of words; and by what.
    pub(crate) fn like(&self, texts: [&[u8]; 3]) -> Option<(Resolution, String)> {
        if self.0.like.is_empty() {
            return None;
        }
        let [base, ours, theirs] = texts;
        let (outcome, by) = self.0.like.get(&signature(base, ours, theirs)?)?;
        Some((outcome.resolution(), by.clone()))
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
