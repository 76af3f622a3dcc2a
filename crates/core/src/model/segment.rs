//! Runs of lines of a merged text, each with where it came from.

use crate::model::versions::{Version, Versions};
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::{Line, LineEnd, Source};
use serde::{Deserialize, Serialize};

/// Where a line of the draft came from.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Origin {
    /// In all three versions.
    Unchanged,
    /// Brought in by both sides alike.
    Same,
    /// Ours.
    Ours,
    /// Theirs.
    Theirs,
    /// Base, by decision.
    Base,
    /// Blended from both sides.
    Blend,
    /// Written by hand.
    Hand,
    /// Base, shown where a conflict is still open.
    Open,
}

impl From<Version> for Origin {
    fn from(version: Version) -> Self {
        match version {
            Version::Base => Origin::Base,
            Version::Ours => Origin::Ours,
            Version::Theirs => Origin::Theirs,
        }
    }
}

/// One line taken out of one version.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct Pick {
    /// From which version.
    pub version: Version,
    /// Which line of it.
    pub line: LineIdx,
}

/// A run of lines of a text that was merged from the versions.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Segment {
    /// Lines of one version as they are.
    Lines(Version, LineRange),
    /// Whole lines blended from several versions.
    Text(#[serde(with = "crate::text::encoding::as_text")] Vec<u8>),
    /// Whole lines that a person wrote.
    Hand(#[serde(with = "crate::text::encoding::as_text")] Vec<u8>),
}

impl Segment {
    /// How many lines it is.
    pub fn len(&self) -> usize {
        match self {
            Segment::Lines(_, lines) => lines.len(),
            Segment::Text(bytes) | Segment::Hand(bytes) => Source::new(bytes.as_slice()).len(),
        }
    }

    /// Whether it has no line.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// Puts it behind other segments, as part of the last one where they are of one kind.
    pub(crate) fn add_to(self, segments: &mut Vec<Segment>) {
        match (segments.last_mut(), self) {
            (Some(Segment::Lines(v, last)), Segment::Lines(w, next))
                if *v == w && last.end == next.start =>
            {
                last.end = next.end;
            }
            (_, Segment::Lines(_, lines)) if lines.is_empty() => {}
            // Two lines never run into one: only a last line may lack its end.
            (Some(Segment::Text(last)), Segment::Text(next)) if last.ends_with(b"\n") => {
                last.extend_from_slice(&next);
            }
            (_, segment) => segments.push(segment),
        }
    }

    /// Where its lines come from.
    pub fn origin(&self) -> Origin {
        match self {
            Segment::Lines(version, _) => (*version).into(),
            Segment::Text(_) => Origin::Blend,
            Segment::Hand(_) => Origin::Hand,
        }
    }

    pub(crate) fn segment(&self) -> DraftSegment {
        match self {
            Segment::Lines(version, lines) => DraftSegment::lines(*version, *lines),
            Segment::Text(bytes) => DraftSegment::blended(Source::new(bytes.as_slice())),
            Segment::Hand(bytes) => DraftSegment::by_hand(Source::new(bytes.as_slice())),
        }
    }
}

/// A run of text in the draft with one origin.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct DraftSegment {
    origin: Origin,
    text: Text,
}

#[derive(Clone, Debug, PartialEq, Eq)]
enum Text {
    Lines(Version, LineRange),
    Free(Source),
}

impl DraftSegment {
    pub(crate) fn lines(version: Version, lines: LineRange) -> Self {
        Self::with_origin(version.into(), version, lines)
    }

    pub(crate) fn with_origin(origin: Origin, version: Version, lines: LineRange) -> Self {
        let text = Text::Lines(version, lines);
        DraftSegment { origin, text }
    }

    pub(crate) fn blended(text: Source) -> Self {
        let text = Text::Free(text);
        DraftSegment {
            origin: Origin::Blend,
            text,
        }
    }

    pub(crate) fn by_hand(text: Source) -> Self {
        let text = Text::Free(text);
        DraftSegment {
            origin: Origin::Hand,
            text,
        }
    }

    /// Where its lines came from.
    pub fn origin(&self) -> Origin {
        self.origin
    }

    /// The same once no conflict is open there any more: base by decision.
    pub(crate) fn decided(&mut self) {
        if self.origin == Origin::Open {
            self.origin = Origin::Base;
        }
    }

    /// Which lines of which version it is; `None` for text written by hand.
    pub fn source(&self) -> Option<(Version, LineRange)> {
        match &self.text {
            Text::Lines(version, lines) => Some((*version, *lines)),
            Text::Free(_) => None,
        }
    }

    /// How many lines it has.
    pub fn len(&self) -> usize {
        match &self.text {
            Text::Lines(_, lines) => lines.len(),
            Text::Free(text) => text.len(),
        }
    }

    /// Whether it has no line.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    pub(crate) fn bytes<'a>(&'a self, versions: &'a Versions) -> &'a [u8] {
        match &self.text {
            Text::Lines(version, lines) => versions.get(*version).slice(*lines),
            Text::Free(text) => text.bytes(),
        }
    }

    pub(crate) fn line<'a>(&'a self, versions: &'a Versions, nth: usize) -> Line<'a> {
        match &self.text {
            Text::Lines(version, lines) => versions
                .get(*version)
                .line(LineIdx(lines.start.0 + nth as u32)),
            Text::Free(text) => text.line(LineIdx(nth as u32)),
        }
    }

    /// Appends its bytes to `out`; if `out` ends within a line, that line is ended first.
    pub(crate) fn write(&self, versions: &Versions, end: LineEnd, out: &mut Vec<u8>) {
        let bytes = self.bytes(versions);
        if !bytes.is_empty() {
            end_line(out, end);
            out.extend_from_slice(bytes);
        }
    }

    /// The segment cut in two before its line `at`.
    pub(crate) fn split(self, at: usize) -> (DraftSegment, DraftSegment) {
        let halves = match &self.text {
            Text::Lines(version, lines) => {
                let mid = lines.start.0 + at as u32;
                let first = LineRange::new(lines.start.0, mid);
                let second = LineRange::new(mid, lines.end.0);
                (Text::Lines(*version, first), Text::Lines(*version, second))
            }
            Text::Free(text) => {
                let cut = |lines| Text::Free(Source::new(text.slice(lines)));
                let mid = at as u32;
                let all = text.len() as u32;
                (cut(LineRange::new(0, mid)), cut(LineRange::new(mid, all)))
            }
        };
        let segment = |text| DraftSegment {
            origin: self.origin,
            text,
        };
        (segment(halves.0), segment(halves.1))
    }
}

/// Ends the last line of `out` if it has no ending: two lines must never run into one.
pub(crate) fn end_line(out: &mut Vec<u8>, end: LineEnd) {
    let open = !matches!(out.last(), None | Some(b'\n'));
    if open && !(end == LineEnd::Cr && out.last() == Some(&b'\r')) {
        out.extend_from_slice(end.bytes());
    }
}
