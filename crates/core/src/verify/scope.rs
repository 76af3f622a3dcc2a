//! The scope proof: every line of a merged text is in the block in which the side that wrote it has it.
//!
//! A block is named by its first line, its header. The lines of two versions are the same line where a
//! diff pairs them, or where one side rewrote the other's; so a header that a side renamed is still the
//! same header. What each side did to the block of a line is merged three ways, like the line itself.

use crate::diff::lines::changed_lines;
use crate::draft::merged_text::Draft;
use crate::model::region::RegionId;
use crate::model::side::Side;
use crate::model::versions::Version;
use crate::outline::declaration::Outline;
use crate::text::lines::LineIdx;
use crate::text::source::Source;
use std::collections::{HashMap, HashSet};
use std::ops::Range;

/// For each line of a text, the first lines of the blocks that it is in.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Scopes {
    /// Outermost first, each before the line itself; `None` for lines that are not compared: blank ones
    /// and comments.
    headers: Vec<Option<Vec<u32>>>,
}

impl Scopes {
    /// Scopes that a parser found: `headers` has an entry for each line.
    pub fn new(headers: Vec<Option<Vec<u32>>>) -> Self {
        Scopes { headers }
    }

    /// Scopes by indentation and by the headings of sections, where no parser is known.
    ///
    /// ```
    /// use armistice_core::Scopes;
    /// let scopes = Scopes::by_layout(&"a:\n  b:\n    c\n  d\n".into());
    /// assert_eq!(scopes.of(2), Some(&[0, 1][..]));
    /// assert_eq!(scopes.of(3), Some(&[0][..]));
    /// ```
    pub fn by_layout(text: &Source) -> Self {
        let mut open: Vec<(usize, u32)> = Vec::new();
        let mut section: Option<u32> = None;
        let mut headers = Vec::with_capacity(text.len());
        for (row, line) in (0..).zip(text.lines(text.all())) {
            let trimmed = line.trimmed();
            if trimmed.is_empty() {
                headers.push(None);
                continue;
            }
            let indentation = width(line.bytes());
            if indentation == 0 && trimmed.starts_with(b"[") && trimmed.ends_with(b"]") {
                (section, open) = (Some(row), Vec::new());
                headers.push(Some(Vec::new()));
                continue;
            }
            open.retain(|(outer, _)| *outer < indentation);
            let chain = section
                .iter()
                .copied()
                .chain(open.iter().map(|(_, row)| *row));
            headers.push(Some(chain.collect()));
            open.push((indentation, row));
        }
        Scopes { headers }
    }

    /// The headers of a line, counted from zero; `None` if it is not compared.
    pub fn of(&self, row: u32) -> Option<&[u32]> {
        self.headers.get(row as usize)?.as_deref()
    }
}

/// Columns before the first character, a tab up to the next multiple of eight.
fn width(line: &[u8]) -> usize {
    let blanks = line.iter().take_while(|b| matches!(b, b' ' | b'\t'));
    blanks.fold(0, |at, b| {
        if *b == b'\t' {
            (at / 8 + 1) * 8
        } else {
            at + 1
        }
    })
}

/// What is known of the texts of a merge; lines are counted in the texts as they are, not as a plan lays
/// them out.
#[derive(Clone, Copy, Debug)]
pub struct ScopeTexts<'a> {
    /// Of base, ours and theirs.
    pub versions: [&'a Scopes; 3],
    /// Of the merged text.
    pub result: &'a Scopes,
    /// What base, ours, theirs and the merged text declare, if a parser knows.
    pub outlines: Option<[&'a Outline; 4]>,
}

/// A line that is in another block than on the side that wrote it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OutOfScope {
    /// The line of the merged text.
    pub line: LineIdx,
    /// The region that it is in.
    pub region: RegionId,
    /// What is wrong, in a sentence without a subject: "is inside of 'x' here, …".
    pub what: String,
    /// Identifies the fault in two texts over one plan.
    pub key: (Version, u32),
}

/// A line, whichever version it is seen in: base's where base has it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
struct LineId(Version, u32);

/// Which lines of the versions are the same line.
struct Pairing {
    /// By version and line.
    ids: [Vec<LineId>; 3],
    /// The line of each version that has an id.
    rows: [HashMap<LineId, u32>; 3],
    /// The lines of base in whose place a side wrote a new line.
    replaced: HashMap<(Version, u32), Vec<u32>>,
}

impl Pairing {
    fn new(draft: &Draft) -> Self {
        let plan = draft.plan();
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
        let rows = [0, 1, 2].map(|nth| {
            let ids: &Vec<LineId> = &ids[nth];
            ids.iter().zip(0..).map(|(id, row)| (*id, row)).collect()
        });
        Pairing {
            ids,
            rows,
            replaced,
        }
    }

    fn id(&self, version: Version, row: u32) -> Option<LineId> {
        self.ids[version as usize].get(row as usize).copied()
    }

    fn row(&self, version: Version, id: LineId) -> Option<u32> {
        self.rows[version as usize].get(&id).copied()
    }

    /// The headers of a line of a version.
    fn chain(&self, version: Version, scopes: &Scopes, row: u32) -> Option<Vec<LineId>> {
        let headers = scopes.of(row)?;
        headers.iter().map(|row| self.id(version, *row)).collect()
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

/// Words, and single signs.
fn words(line: &[u8]) -> Vec<&[u8]> {
    let mut out = Vec::new();
    let mut from = None;
    for (at, byte) in line.iter().enumerate() {
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

/// Returns the lines of a draft that are in another block than on the side that wrote them.
pub fn out_of_scope(draft: &Draft, texts: &ScopeTexts<'_>) -> Vec<OutOfScope> {
    Checker::new(draft, texts).findings()
}

struct Checker<'a> {
    draft: &'a Draft,
    texts: &'a ScopeTexts<'a>,
    pairing: Pairing,
    /// What each line of the result is, and the version that it was taken from.
    sources: Vec<Option<(Version, u32, LineId)>>,
    /// Where a line is in the result.
    places: HashMap<LineId, u32>,
}

impl<'a> Checker<'a> {
    fn new(draft: &'a Draft, texts: &'a ScopeTexts<'a>) -> Self {
        let pairing = Pairing::new(draft);
        let plan = draft.plan();
        let mut sources = Vec::with_capacity(draft.len());
        let mut places = HashMap::new();
        for row in 0..draft.len() as u32 {
            let source = draft.line(LineIdx(row)).and_then(|line| {
                let pick = line.source?;
                let real = plan.real_line(pick.version, pick.line).0;
                Some((pick.version, real, pairing.id(pick.version, real)?))
            });
            sources.push(source);
        }
        let mut checker = Checker {
            draft,
            texts,
            pairing,
            sources,
            places: HashMap::new(),
        };
        checker.name_blended();
        for (row, source) in (0..).zip(&checker.sources) {
            if let Some((_, _, id)) = source {
                places.entry(*id).or_insert(row);
            }
        }
        checker.places = places;
        checker
    }

    /// Finds out which lines blended ones are: those of the region that they share most words with.
    fn name_blended(&mut self) {
        let plan = self.draft.plan();
        let mut taken: HashSet<LineId> = HashSet::new();
        for row in 0..self.draft.len() as u32 {
            let Some(line) = self.draft.line(LineIdx(row)) else {
                continue;
            };
            if self.sources[row as usize].is_some() {
                continue;
            }
            let region = plan.region(line.region);
            let own = words(line.line.bytes());
            let mut best: Option<(usize, (Version, u32, LineId))> = None;
            for version in [Version::Ours, Version::Theirs] {
                let text = plan.versions().get(version);
                for at in region.lines(version).iter() {
                    let real = plan.real_line(version, at).0;
                    let Some(id) = self.pairing.id(version, real) else {
                        continue;
                    };
                    let likeness = shared(&own, &words(text.line(at).bytes()));
                    let is_better = best.is_none_or(|(most, _)| likeness > most);
                    if likeness > 0 && is_better && !taken.contains(&id) {
                        best = Some((likeness, (version, real, id)));
                    }
                }
            }
            if let Some((_, source)) = best {
                taken.insert(source.2);
                self.sources[row as usize] = Some(source);
            }
        }
    }

    fn findings(&self) -> Vec<OutOfScope> {
        let mut found = Vec::new();
        for row in 0..self.draft.len() as u32 {
            let Some((version, real, id)) = self.sources[row as usize] else {
                continue;
            };
            let Some(region) = self.draft.region_at(LineIdx(row)) else {
                continue;
            };
            // Where a conflict is open, base stands for what a person will decide.
            if self.draft.is_open(region) {
                continue;
            }
            let what = self.objection(row, version, real, id);
            found.extend(what.map(|what| OutOfScope {
                line: LineIdx(row),
                region,
                what,
                key: (id.0, id.1),
            }));
        }
        found
    }

    fn objection(&self, row: u32, version: Version, real: u32, id: LineId) -> Option<String> {
        let now = self.chain_here(row)?;
        let chain = |of: Version| {
            let row = self.pairing.row(of, id)?;
            self.pairing
                .chain(of, self.texts.versions[of as usize], row)
        };
        let all = [Version::Base, Version::Ours, Version::Theirs].map(chain);
        let written = self
            .pairing
            .chain(version, self.texts.versions[version as usize], real)?;
        let is_same = |chain: &[LineId]| {
            chain.len() == now.len()
                && chain
                    .iter()
                    .zip(&now)
                    .all(|(a, b)| b.is_none_or(|b| b == *a))
        };
        let in_order = match all {
            [Some(base), Some(ours), Some(theirs)] => match (ours == base, theirs == base) {
                (_, true) => is_same(&ours),
                (true, _) => is_same(&theirs),
                _ => ours == theirs && is_same(&ours),
            },
            [None, Some(ours), Some(theirs)] => ours == theirs && is_same(&ours),
            _ => {
                is_same(&written)
                    || self.moved_with_siblings(version, real, &written, row)
                    || self.moved_with_replaced(version, real, &written, &now)
            }
        };
        if !in_order {
            return Some(self.block_words(row, version, real));
        }
        self.wrong_declaration(row, version, real, all_changed(self, id))
    }

    /// The headers of a line of the result; an unknown one where it is in no version.
    fn chain_here(&self, row: u32) -> Option<Vec<Option<LineId>>> {
        let headers = self.texts.result.of(row)?;
        let id = |row: &u32| {
            self.sources
                .get(*row as usize)
                .copied()
                .flatten()
                .map(|(.., id)| id)
        };
        Some(headers.iter().map(id).collect())
    }

    /// Whether a new line is in the block in which the lines before and after it in its own block are:
    /// the other side has put them into another block, or taken their block away.
    fn moved_with_siblings(
        &self,
        version: Version,
        real: u32,
        written: &[LineId],
        row: u32,
    ) -> bool {
        let scopes = self.texts.versions[version as usize];
        let chain_of = |row: u32| self.pairing.chain(version, scopes, row);
        let length = self.pairing.ids[version as usize].len() as u32;
        let is_sibling = |at: &u32| chain_of(*at).is_some_and(|chain| chain == written);
        let ends = |at: &u32| {
            // Beyond a line that is further out the block has ended.
            scopes
                .of(*at)
                .is_none_or(|headers| headers.len() >= written.len())
        };
        let known = |at: u32| {
            let id = self
                .pairing
                .id(version, at)
                .filter(|id| id.0 == Version::Base)?;
            self.places.get(&id).copied()
        };
        let before = (0..real)
            .rev()
            .take_while(ends)
            .filter(is_sibling)
            .find_map(known);
        let after = (real + 1..length)
            .take_while(ends)
            .filter(is_sibling)
            .find_map(known);
        let here = self.texts.result.of(row);
        let mut siblings = before.iter().chain(&after).peekable();
        siblings.peek().is_some() && siblings.all(|at| self.texts.result.of(*at) == here)
    }

    /// Whether a new line is in the block into which the other side has put the lines of base that it
    /// replaces.
    fn moved_with_replaced(
        &self,
        version: Version,
        real: u32,
        written: &[LineId],
        now: &[Option<LineId>],
    ) -> bool {
        let Some(was) = self.pairing.replaced.get(&(version, real)) else {
            return false;
        };
        let other = match version {
            Version::Ours => Version::Theirs,
            _ => Version::Ours,
        };
        let chain = |of: Version, row: u32| {
            self.pairing
                .chain(of, self.texts.versions[of as usize], row)
        };
        let moved = |base: &u32| {
            let in_base = chain(Version::Base, *base)?;
            let row = self.pairing.row(other, LineId(Version::Base, *base))?;
            let there = chain(other, row)?;
            let is_there = there.len() == now.len()
                && there
                    .iter()
                    .zip(now)
                    .all(|(a, b)| b.is_none_or(|b| b == *a));
            Some(in_base == written && is_there)
        };
        let found: Vec<bool> = was.iter().filter_map(moved).collect();
        !found.is_empty() && found.into_iter().all(|is_there| is_there)
    }

    /// Whether an edited line is in another declaration than on the side that edited it, although that
    /// declaration is still there.
    fn wrong_declaration(
        &self,
        row: u32,
        version: Version,
        real: u32,
        changed: bool,
    ) -> Option<String> {
        let [base, ours, theirs, result] = self.texts.outlines?;
        if !changed {
            return None;
        }
        let other = match version {
            Version::Ours => theirs,
            Version::Theirs => ours,
            Version::Base => return None,
        };
        let own = [base, ours, theirs][version as usize];
        let innermost = |outline: &Outline, row: u32| {
            let all = outline.at(LineIdx(row));
            all.last().map(|found| (found.kind, found.name.clone()))
        };
        let (was, is) = (innermost(own, real)?, innermost(result, row)?);
        let has = |outline: &Outline, wanted: &(&'static str, String)| {
            let all = outline.flat();
            all.iter()
                .any(|(_, found)| (found.kind, &found.name) == (wanted.0, &wanted.1))
        };
        let is_wrong = was != is && (has(result, &was) || has(other, &was) || has(own, &is));
        is_wrong.then(|| {
            format!(
                "is in {} {} here, and in {} {} on the side that wrote it",
                is.0, is.1, was.0, was.1
            )
        })
    }

    fn block_words(&self, row: u32, version: Version, real: u32) -> String {
        let text = |version: Version, row: u32| {
            let text = self.draft.plan().real_versions().get(version);
            String::from_utf8_lossy(text.line(LineIdx(row)).trimmed()).into_owned()
        };
        let there = self.texts.versions[version as usize]
            .of(real)
            .and_then(<[u32]>::last);
        let there = there.map_or("no block".to_owned(), |at| {
            format!("'{}'", text(version, *at))
        });
        let here = self.texts.result.of(row).and_then(<[u32]>::last);
        let here = here.and_then(|at| self.draft.line(LineIdx(*at)));
        let here = here.map_or("no block".to_owned(), |line| {
            format!("'{}'", String::from_utf8_lossy(line.line.trimmed()))
        });
        format!("would be in {here}; the side that wrote it has it in {there}")
    }
}

/// Whether a line is new, or one side has it otherwise than base.
fn all_changed(checker: &Checker<'_>, id: LineId) -> bool {
    let plan = checker.draft.plan();
    let versions = plan.real_versions();
    let text = |version: Version| {
        let row = checker.pairing.row(version, id)?;
        Some(versions.get(version).line(LineIdx(row)).trimmed().to_vec())
    };
    let base = text(Version::Base);
    Side::BOTH.iter().any(|side| text((*side).into()) != base)
}
