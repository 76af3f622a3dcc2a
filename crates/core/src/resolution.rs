//! What may stand for a region: one side, both, nothing, picked lines or free text.

use crate::draft::{Origin, Piece};
use crate::lines::{LineIdx, LineRange};
use crate::plan::{Plan, Region};
use crate::text::Source;
use serde::{Deserialize, Serialize};

/// One of the two parties of a merge.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Side {
    /// The side merged into.
    Ours,
    /// The side that comes in.
    Theirs,
}

impl Side {
    /// The other one.
    pub fn other(self) -> Self {
        match self {
            Side::Ours => Side::Theirs,
            Side::Theirs => Side::Ours,
        }
    }
}

/// One of the three versions of a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Version {
    /// What both sides started from.
    Base,
    /// The side merged into.
    Ours,
    /// The side that comes in.
    Theirs,
}

impl Version {
    /// All three, ours first, in the order of the screens.
    pub const ALL: [Version; 3] = [Version::Ours, Version::Theirs, Version::Base];

    /// Its trade name.
    pub fn name(self) -> &'static str {
        match self {
            Version::Base => "base",
            Version::Ours => "ours",
            Version::Theirs => "theirs",
        }
    }
}

impl From<Side> for Version {
    fn from(side: Side) -> Self {
        match side {
            Side::Ours => Version::Ours,
            Side::Theirs => Version::Theirs,
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

/// A run of lines of a text that was woven from the versions.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Strand {
    /// Lines of one version as they are.
    Lines(Version, LineRange),
    /// Whole lines blended from several versions.
    Text(#[serde(with = "crate::encoding::as_text")] Vec<u8>),
}

/// What shall stand where a region is.
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
    Woven(Vec<Strand>),
}

impl Resolution {
    /// A few words for it, as the screens say it.
    pub fn name(&self) -> &'static str {
        match self {
            Resolution::Take(version) => version.name(),
            Resolution::Both(Side::Ours) => "ours then theirs",
            Resolution::Both(Side::Theirs) => "theirs then ours",
            Resolution::Drop => "drop",
            Resolution::Lines(_) => "picked lines",
            Resolution::Woven(_) => "blend",
        }
    }

    /// How many lines it would leave in `region`.
    pub fn len(&self, region: &Region) -> usize {
        match self {
            Resolution::Take(version) => region.lines(*version).len(),
            Resolution::Both(_) => region.ours.len() + region.theirs.len(),
            Resolution::Drop => 0,
            Resolution::Lines(picks) => picks.len(),
            Resolution::Woven(strands) => strands.iter().map(Strand::len).sum(),
        }
    }

    /// The pieces of text that it leaves in `region`.
    pub(crate) fn pieces(&self, region: &Region) -> Vec<Piece> {
        let whole = |version| Piece::lines(version, region.lines(version));
        match self {
            Resolution::Take(version) => vec![whole(*version)],
            Resolution::Both(first) => {
                vec![whole((*first).into()), whole(first.other().into())]
            }
            Resolution::Drop => Vec::new(),
            Resolution::Lines(picks) => picks.iter().map(pick_piece).collect(),
            Resolution::Woven(strands) => strands.iter().map(Strand::piece).collect(),
        }
    }

    /// The bytes that it leaves in a region, lines kept apart where one had no ending.
    pub fn text(&self, plan: &Plan, region: &Region) -> Source {
        let versions = plan.versions();
        let end = versions.ours.usual_end();
        let mut out = Vec::new();
        for piece in self.pieces(region) {
            piece.write(versions, end, &mut out);
        }
        Source::new(out)
    }
}

impl Strand {
    /// How many lines it is.
    pub fn len(&self) -> usize {
        match self {
            Strand::Lines(_, lines) => lines.len(),
            Strand::Text(bytes) => Source::new(bytes.as_slice()).len(),
        }
    }

    /// Whether it has no line.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// Puts it behind other strands, as part of the last one where they are of one kind.
    pub(crate) fn add_to(self, strands: &mut Vec<Strand>) {
        match (strands.last_mut(), self) {
            (Some(Strand::Lines(v, last)), Strand::Lines(w, next))
                if *v == w && last.end == next.start =>
            {
                last.end = next.end;
            }
            (_, Strand::Lines(_, lines)) if lines.is_empty() => {}
            // Two lines never run into one: only a last line may lack its end.
            (Some(Strand::Text(last)), Strand::Text(next)) if last.ends_with(b"\n") => {
                last.extend_from_slice(&next);
            }
            (_, strand) => strands.push(strand),
        }
    }

    /// Where its lines come from.
    pub fn origin(&self) -> Origin {
        match self {
            Strand::Lines(version, _) => (*version).into(),
            Strand::Text(_) => Origin::Blend,
        }
    }

    fn piece(&self) -> Piece {
        match self {
            Strand::Lines(version, lines) => Piece::lines(*version, *lines),
            Strand::Text(bytes) => Piece::blended(Source::new(bytes.as_slice())),
        }
    }
}

fn pick_piece(pick: &Pick) -> Piece {
    let line = pick.line.0;
    Piece::lines(pick.version, LineRange::new(line, line.saturating_add(1)))
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
