//! What each line of a merged text is: which line of which version, and the same line in the others.

use crate::decide::ruling::Certainty;
use crate::diff::lines::changed_lines;
use crate::draft::merged_text::{Draft, DraftLine};
use crate::draft::region_draft::RegionState;
use crate::model::region::RegionId;
use crate::model::side::Side;
use crate::model::versions::Version;
use crate::plan::build::Plan;
use crate::text::lines::LineIdx;
use foldhash::{HashMap, HashMapExt, HashSet, HashSetExt};
use std::cell::OnceCell;
use std::ops::Range;

/// A line, whichever version it is seen in: base's where base has it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(crate) struct LineId(pub(crate) Version, pub(crate) u32);

/// No line.
const NONE: u32 = u32::MAX;

/// Which lines of the versions of a plan are the same line.
pub(crate) struct Pairing<'a> {
    plan: &'a Plan,
    /// By version and line.
    ids: [Vec<LineId>; 3],
    /// By the version of an id, a version, and the line of the id: the line that has the id, or [`NONE`].
    rows: [[Vec<u32>; 3]; 3],
    /// The lines of base in whose place a side wrote a new line.
    replaced: HashMap<(Version, u32), Vec<u32>>,
}

impl<'a> Pairing<'a> {
    pub(crate) fn new(plan: &'a Plan) -> Self {
        let versions = plan.versions();
        let texts = [&versions.base, &versions.ours, &versions.theirs];
        let lines = texts.map(|text| {
            let lines = text.lines(text.all());
            lines.map(|line| line.content()).collect::<Vec<&[u8]>>()
        });
        let real = |version: Version, row: usize| plan.real_line(version, LineIdx(row as u32)).0;
        let mut ids = [Version::Base, Version::Ours, Version::Theirs].map(|version| {
            let rows = 0..lines[version as usize].len() as u32;
            rows.map(|row| LineId(version, row))
                .collect::<Vec<LineId>>()
        });
        let mut replaced = HashMap::new();
        for region in plan.regions() {
            let [base, ours, theirs] =
                [Version::Base, Version::Ours, Version::Theirs].map(|version| {
                    let lines = region.lines(version);
                    (lines.start.0 as usize, lines.end.0 as usize)
                });
            let slice =
                |version: Version, (from, to): (usize, usize)| &lines[version as usize][from..to];
            let old = slice(Version::Base, base);
            for (version, range) in [(Version::Ours, ours), (Version::Theirs, theirs)] {
                let found = Paired::new(old, slice(version, range));
                for (was, is) in found.pairs {
                    let id = LineId(Version::Base, real(Version::Base, base.0 + was));
                    ids[version as usize][real(version, range.0 + is) as usize] = id;
                }
                for (was, is) in found.replaced {
                    let was: Vec<u32> = was.map(|row| real(Version::Base, base.0 + row)).collect();
                    for row in is {
                        replaced.insert((version, real(version, range.0 + row)), was.clone());
                    }
                }
            }
            // Lines that both sides added alike.
            let both = Paired::new(slice(Version::Ours, ours), slice(Version::Theirs, theirs));
            for (of_ours, of_theirs) in both.equal {
                let of_ours = real(Version::Ours, ours.0 + of_ours) as usize;
                let of_theirs = real(Version::Theirs, theirs.0 + of_theirs) as usize;
                let id = ids[Version::Ours as usize][of_ours];
                let other = &mut ids[Version::Theirs as usize][of_theirs];
                if id.0 == Version::Ours && other.0 == Version::Theirs {
                    *other = id;
                }
            }
        }
        let none = |of: usize| [0, 1, 2].map(|_| vec![NONE; ids[of].len()]);
        let mut rows = [0, 1, 2].map(none);
        for (version, ids) in ids.iter().enumerate() {
            for (LineId(of, line), row) in ids.iter().zip(0..) {
                rows[*of as usize][version][*line as usize] = row;
            }
        }
        Pairing {
            plan,
            ids,
            rows,
            replaced,
        }
    }

    fn id(&self, version: Version, row: u32) -> Option<LineId> {
        self.ids[version as usize].get(row as usize).copied()
    }

    fn row(&self, version: Version, id: LineId) -> Option<u32> {
        let rows = &self.rows[id.0 as usize][version as usize];
        rows.get(id.1 as usize).copied().filter(|row| *row != NONE)
    }

    /// How many lines a version has.
    pub(crate) fn len(&self, version: Version) -> u32 {
        self.ids[version as usize].len() as u32
    }

    /// The words of a line of a version, without blanks around them.
    pub(crate) fn text(&self, version: Version, row: u32) -> &'a [u8] {
        let text = self.plan.real_versions().get(version);
        text.line(LineIdx(row)).trimmed()
    }
}

/// The lines of two texts that are the same line.
#[derive(Default)]
struct Paired {
    /// Those that a diff keeps.
    equal: Vec<(usize, usize)>,
    /// Those, and lines that were rewritten.
    pairs: Vec<(usize, usize)>,
    /// Changes that took lines away and put others in their place.
    replaced: Vec<(Range<usize>, Range<usize>)>,
}

impl Paired {
    fn new(old: &[&[u8]], new: &[&[u8]]) -> Self {
        let mut found = Paired::default();
        if old == new {
            found.equal = (0..old.len()).map(|nth| (nth, nth)).collect();
            found.pairs.clone_from(&found.equal);
            return found;
        }
        let (mut from, mut to) = (0, 0);
        for (was, is) in changed_lines(old, new) {
            let was = was.start.0 as usize..was.end.0 as usize;
            let is = is.start.0 as usize..is.end.0 as usize;
            found.keep(from, to, was.start - from);
            let inside = rewritten_lines(&old[was.clone()], &new[is.clone()]).into_iter();
            found
                .pairs
                .extend(inside.map(|(a, b)| (was.start + a, is.start + b)));
            (from, to) = (was.end, is.end);
            if !was.is_empty() && !is.is_empty() {
                found.replaced.push((was, is));
            }
        }
        found.keep(from, to, old.len() - from);
        found
    }

    fn keep(&mut self, from: usize, to: usize, length: usize) {
        let kept = (0..length).map(|nth| (from + nth, to + nth));
        self.equal.extend(kept.clone());
        self.pairs.extend(kept);
    }
}

/// Lines of a change that are one line before and after, in order: those that begin with the same word
/// and share most of their words.
fn rewritten_lines(old: &[&[u8]], new: &[&[u8]]) -> Vec<(usize, usize)> {
    let mut pairs = Vec::new();
    let mut next = 0;
    for (at, line) in old.iter().enumerate() {
        let words = words(line);
        let alike = |other: &&[u8]| {
            let others = self::words(other);
            !words.is_empty()
                && words.first() == others.first()
                && shared(&words, &others) * 2 >= words.len().max(others.len())
        };
        if let Some(found) = new[next..].iter().position(alike) {
            pairs.push((at, next + found));
            next += found + 1;
        }
    }
    // A change of one line is that line, whatever its words are.
    if pairs.is_empty() && old.len() == 1 && new.len() == 1 && width(old[0]) == width(new[0]) {
        pairs.push((0, 0));
    }
    pairs
}

/// Columns before the first character, a tab up to the next multiple of eight.
pub(crate) fn width(line: &[u8]) -> usize {
    let blanks = line.iter().take_while(|b| matches!(b, b' ' | b'\t'));
    blanks.fold(0, |at, b| {
        if *b == b'\t' {
            (at / 8 + 1) * 8
        } else {
            at + 1
        }
    })
}

/// Words, and single signs.
pub(crate) fn words(line: &[u8]) -> Vec<&[u8]> {
    first_words(line, usize::MAX)
}

/// The first of them, at least `n` if there are as many and hardly more.
pub(crate) fn first_words(line: &[u8], n: usize) -> Vec<&[u8]> {
    let mut out = Vec::new();
    let mut from = None;
    for (at, byte) in line.iter().enumerate() {
        if out.len() >= n {
            return out;
        }
        let is_word = byte.is_ascii_alphanumeric() || *byte == b'_' || *byte >= 0x80;
        match (is_word, from) {
            (true, None) => from = Some(at),
            (false, Some(start)) => {
                out.push(&line[start..at]);
                from = None;
            }
            _ => {}
        }
        if !is_word && !byte.is_ascii_whitespace() {
            out.push(&line[at..=at]);
        }
    }
    out.extend(from.map(|start| &line[start..]));
    out
}

fn shared(one: &[&[u8]], other: &[&[u8]]) -> usize {
    let mut left = other.to_vec();
    let mut count = 0;
    for word in one {
        if let Some(at) = left.iter().position(|other| other == word) {
            left.swap_remove(at);
            count += 1;
        }
    }
    count
}

/// Where a line of the merged text comes from.
#[derive(Clone, Copy, Debug)]
pub(crate) struct LineSource {
    /// The version that it was taken from.
    pub(crate) version: Version,
    /// The line of that version's text.
    pub(crate) row: u32,
    /// The line, whichever version it is seen in.
    pub(crate) id: LineId,
}

/// The lines of a draft, each with the line of a version that it is.
pub(crate) struct ResultLines<'a> {
    pub(crate) draft: &'a Draft,
    pairing: &'a Pairing<'a>,
    /// By line of the draft.
    lines: Vec<DraftLine<'a>>,
    /// By line of the draft; `None` where no version has it.
    sources: Vec<Option<LineSource>>,
    /// Where a line is in the draft, by version and line; else [`NONE`].
    places: [Vec<u32>; 3],
    /// Those that are settled, with their sources.
    settled: Vec<(u32, LineSource)>,
    edited: OnceCell<Vec<(u32, LineSource)>>,
}

impl<'a> ResultLines<'a> {
    pub(crate) fn new(draft: &'a Draft, pairing: &'a Pairing<'a>) -> Self {
        let plan = draft.plan();
        let all: Vec<DraftLine<'_>> = draft.lines().collect();
        let sources = all.iter().map(|line| {
            let pick = line.source?;
            let row = plan.real_line(pick.version, pick.line).0;
            Some(LineSource {
                version: pick.version,
                row,
                id: pairing.id(pick.version, row)?,
            })
        });
        let mut lines = ResultLines {
            draft,
            sources: sources.collect(),
            lines: all,
            settled: Vec::new(),
            pairing,
            places: [0, 1, 2].map(|of: usize| vec![NONE; pairing.ids[of].len()]),
            edited: OnceCell::new(),
        };
        lines.name_blended();
        for (row, source) in (0..).zip(&lines.sources) {
            if let Some(source) = source {
                let place = &mut lines.places[source.id.0 as usize][source.id.1 as usize];
                *place = (*place).min(row);
            }
        }
        // Where a conflict is open, base stands for what a person will decide.
        let of_draft = (0..).zip(lines.lines.iter().zip(&lines.sources));
        let settled = of_draft.filter_map(|(row, (line, source))| {
            let source = (*source)?;
            (!draft.is_open(line.region)).then_some((row, source))
        });
        lines.settled = settled.collect();
        lines
    }

    /// All lines of the draft.
    pub(crate) fn all(&self) -> &[DraftLine<'a>] {
        &self.lines
    }

    /// One line of the draft.
    pub(crate) fn line(&self, row: u32) -> Option<&DraftLine<'a>> {
        self.lines.get(row as usize)
    }

    /// Finds out which lines blended ones are: those of the region that they share most words with.
    fn name_blended(&mut self) {
        let plan = self.draft.plan();
        let mut taken: HashSet<LineId> = HashSet::new();
        for (row, line) in self.lines.iter().enumerate() {
            if self.sources[row].is_some() {
                continue;
            }
            let region = plan.region(line.region);
            let own = words(line.line.bytes());
            // What was written by hand may be a new line.
            let by_hand = matches!(self.draft.standing(line.region), RegionState::ByHand);
            let mut best: Option<(usize, LineSource)> = None;
            for version in [Version::Ours, Version::Theirs] {
                let text = plan.versions().get(version);
                for at in region.lines(version).iter() {
                    let real = plan.real_line(version, at).0;
                    let Some(id) = self.pairing.id(version, real) else {
                        continue;
                    };
                    let other = words(text.line(at).bytes());
                    let likeness = shared(&own, &other);
                    let is_like = !by_hand || likeness * 2 > own.len().max(other.len());
                    let is_better = best.is_none_or(|(most, _)| likeness > most);
                    if likeness > 0 && is_like && is_better && !taken.contains(&id) {
                        let row = real;
                        best = Some((likeness, LineSource { version, row, id }));
                    }
                }
            }
            if let Some((_, source)) = best {
                taken.insert(source.id);
                self.sources[row] = Some(source);
            }
        }
    }

    /// Where a line of the draft comes from.
    pub(crate) fn source(&self, row: u32) -> Option<LineSource> {
        self.sources.get(row as usize).copied().flatten()
    }

    /// Where a line is in the draft.
    pub(crate) fn place(&self, id: LineId) -> Option<u32> {
        let place = self.places[id.0 as usize].get(id.1 as usize).copied()?;
        (place != NONE).then_some(place)
    }

    /// What a line of a version is.
    pub(crate) fn id(&self, version: Version, row: u32) -> Option<LineId> {
        self.pairing.id(version, row)
    }

    /// The line of a version that is this line.
    pub(crate) fn row(&self, version: Version, id: LineId) -> Option<u32> {
        self.pairing.row(version, id)
    }

    /// The lines of base in whose place a side wrote a new line.
    pub(crate) fn replaced(&self, version: Version, row: u32) -> Option<&[u32]> {
        let replaced = self.pairing.replaced.get(&(version, row))?;
        Some(replaced)
    }

    /// How many lines a version has.
    pub(crate) fn len(&self, version: Version) -> u32 {
        self.pairing.len(version)
    }

    /// The words of a line of a version, without blanks around them.
    pub(crate) fn text(&self, version: Version, row: u32) -> &'a [u8] {
        self.pairing.text(version, row)
    }

    /// The sides that have a line otherwise than base: in other words, or where base has none.
    pub(crate) fn changed_by(&self, id: LineId) -> &'static [Side] {
        let text = |version: Version| Some(self.text(version, self.row(version, id)?));
        let base = text(Version::Base);
        let differs = |version: Version| {
            let own = text(version);
            own.is_some() && own != base
        };
        match (differs(Version::Ours), differs(Version::Theirs)) {
            (true, true) => &Side::BOTH,
            (true, false) => &[Side::Ours],
            (false, true) => &[Side::Theirs],
            (false, false) => &[],
        }
    }

    /// Those of them that a side has otherwise than base.
    pub(crate) fn edited(&self) -> impl Iterator<Item = (u32, LineSource)> {
        let edited = self.edited.get_or_init(|| {
            let is_edited =
                |(_, source): &(u32, LineSource)| !self.changed_by(source.id).is_empty();
            self.settled().filter(is_edited).collect()
        });
        edited.iter().copied()
    }

    /// All lines of the draft but those of open conflicts, with their sources.
    pub(crate) fn settled(&self) -> impl Iterator<Item = (u32, LineSource)> {
        self.settled.iter().copied()
    }
}

/// What a proof is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ProofKind {
    /// Blocks, classes and sections.
    Scope,
    /// Names, imports and anchors.
    Names,
    /// Edits of different lines that belong together, and rows of tables.
    Together,
    /// Edits of one line that may depend on each other.
    Independence,
    /// The order of lines that both sides added.
    Order,
}

/// A line of a merged text that is not as the side that wrote it has it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Objection {
    /// By which proof.
    pub proof: ProofKind,
    /// The line of the merged text.
    pub line: LineIdx,
    /// The region that it is in.
    pub region: RegionId,
    /// What is wrong, in a sentence whose subject is the line.
    pub what: String,
    /// Identifies the fault in two texts over one plan.
    pub key: (Version, u32),
    /// How certain a ruling may be all the same.
    pub leaves: Certainty,
}

impl ResultLines<'_> {
    /// An objection to a line.
    pub(crate) fn objection(&self, proof: ProofKind, row: u32, what: String) -> Option<Objection> {
        let id = self.source(row)?.id;
        Some(Objection {
            proof,
            line: LineIdx(row),
            region: self.line(row)?.region,
            what,
            key: (id.0, id.1),
            leaves: Certainty::Hint,
        })
    }
}
