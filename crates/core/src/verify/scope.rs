//! The scope proof: every line of a merged text is in the block in which the side that wrote it has it.
//!
//! A block is named by its first line, its header. The lines of two versions are the same line where a
//! diff pairs them, or where one side rewrote the other's; so a header that a side renamed is still the
//! same header. What each side did to the block of a line is merged three ways, like the line itself.

use crate::draft::merged_text::DraftLine;
use crate::model::versions::Version;
use crate::outline::declaration::Outline;
use crate::text::lines::LineIdx;
use crate::verify::merge_texts::MergeTexts;
use crate::verify::result_lines::{LineId, LineSource, Objection, ProofKind, ResultLines};
use crate::verify::scopes::opens_block;
use foldhash::{HashMap, HashMapExt};
use std::borrow::Cow;
use std::cell::{LazyCell, OnceCell};

/// Returns the lines that are in another block than on the side that wrote them.
pub(crate) fn out_of_scope(lines: &ResultLines<'_>, texts: &MergeTexts<'_>) -> Vec<Objection> {
    let often = LazyCell::new(|| {
        let mut often = HashMap::new();
        for (row, line) in (0..).zip(lines.all()) {
            if let Some(block) = texts.result.number(row) {
                *often.entry((block, line.line.trimmed())).or_insert(0) += 1;
            }
        }
        often
    });
    let checker = Checker {
        lines,
        texts,
        often,
        chains: texts
            .versions
            .map(|scopes| vec![OnceCell::new(); scopes.blocks()]),
    };
    checker.findings()
}

/// How often each text is in each block of the result.
type Often<'a> = HashMap<(u32, &'a [u8]), usize>;

struct Checker<'a, F: FnOnce() -> Often<'a>> {
    lines: &'a ResultLines<'a>,
    texts: &'a MergeTexts<'a>,
    often: LazyCell<Often<'a>, F>,
    /// By version and block, the headers by their lines.
    chains: [Vec<OnceCell<Option<Vec<LineId>>>>; 3],
}

impl<'a, F: FnOnce() -> Often<'a>> Checker<'a, F> {
    fn findings(&self) -> Vec<Objection> {
        let check = |(row, source): (u32, LineSource)| {
            let what = self.objection(row, source)?;
            self.lines.objection(ProofKind::Scope, row, what)
        };
        self.lines.settled().filter_map(check).collect()
    }

    /// The headers of a line of a version.
    fn chain(&self, version: Version, row: u32) -> Option<&[LineId]> {
        let scopes = self.texts.versions[version as usize];
        let block = scopes.number(row)?;
        let id = |row: &u32| self.lines.id(version, *row);
        let found = self.chains[version as usize][block as usize]
            .get_or_init(|| scopes.block(block).iter().map(id).collect());
        found.as_deref()
    }

    /// The headers of a line of the result, by their lines.
    fn here(&self, row: u32) -> Option<&[u32]> {
        self.texts.result.of(row)
    }

    /// Whether a line of the result is below these headers.
    fn is_below(&self, headers: &[LineId], here: &[u32]) -> bool {
        let is_same = |(header, row): (&LineId, &u32)| match self.lines.source(*row) {
            None => true,
            Some(source) => source.id == *header || self.is_only_one(*header, *row),
        };
        headers.len() == here.len() && headers.iter().zip(here).all(is_same)
    }

    /// Whether a header of the result has the text of this one, and no other line of its block has.
    fn is_only_one(&self, header: LineId, row: u32) -> bool {
        let (Some(of_version), Some(line), Some(block)) = (
            self.lines.row(header.0, header),
            self.lines.line(row),
            self.texts.result.number(row),
        ) else {
            return false;
        };
        let text = line.line.trimmed();
        text == self.lines.text(header.0, of_version) && self.often.get(&(block, text)) == Some(&1)
    }

    fn objection(&self, row: u32, source: LineSource) -> Option<String> {
        let LineSource {
            version,
            row: real,
            id,
        } = source;
        let here = self.here(row)?;
        let line = self.lines.line(row)?;
        // A line that was blended may be wrapped otherwise than on either side: a line of its own conflict
        // that it only continues is no block.
        let inside = line
            .source
            .is_none()
            .then(|| self.lines.draft.lines_of(line.region));
        let plan = self.lines.draft.plan();
        let is_inside = |id: &LineId| {
            let in_conflict = inside.is_some_and(|lines| match self.lines.place(*id) {
                Some(at) => lines.contains(LineIdx(at)),
                None => {
                    let laid_out = plan.laid_out_line(id.0, LineIdx(id.1));
                    plan.region(line.region).lines(id.0).contains(laid_out)
                }
            });
            let row = self.lines.row(id.0, *id);
            in_conflict && row.is_some_and(|row| !opens_block(self.lines.text(id.0, row)))
        };
        let is_continued = |row: &u32| {
            let in_conflict = inside.is_some_and(|lines| lines.contains(LineIdx(*row)));
            let continues = |header: &DraftLine<'_>| !opens_block(header.line.trimmed());
            in_conflict && self.lines.line(*row).is_some_and(continues)
        };
        let here = &*match inside {
            None => Cow::Borrowed(here),
            Some(_) => {
                let kept = here.iter().copied();
                Cow::Owned(kept.filter(|row| !is_continued(row)).collect())
            }
        };
        let kept = |chain| match inside {
            None => Cow::Borrowed(chain),
            Some(_) => {
                let kept = <[LineId]>::iter(chain).copied();
                Cow::Owned(kept.filter(|id| !is_inside(id)).collect())
            }
        };
        let chain = |of: Version| Some(kept(self.chain(of, self.lines.row(of, id)?)?));
        let all = [Version::Base, Version::Ours, Version::Theirs].map(chain);
        let written = kept(self.chain(version, real)?);
        let is_right = match all {
            [Some(base), Some(ours), Some(theirs)] => match (ours == base, theirs == base) {
                (_, true) => self.is_below(&ours, here),
                (true, _) => self.is_below(&theirs, here),
                _ => ours == theirs && self.is_below(&ours, here),
            },
            // In two blocks they are two lines that look alike.
            [None, Some(ours), Some(theirs)] if ours == theirs => self.is_below(&ours, here),
            _ => {
                self.is_below(&written, here)
                    || self.moved_with_siblings(version, real, &written, here)
                    || self.moved_with_replaced(version, real, &written, here)
            }
        };
        if !is_right {
            return Some(self.block_words(row, version, real));
        }
        match self.lines.changed_by(id) {
            [] => None,
            _ => self.wrong_declaration(row, version, real),
        }
    }

    /// Whether a new line is in the block into which the other side has put the lines of its own block.
    ///
    /// Between two lines that the other side put into one block, it is in that block; at the end of its
    /// block all other lines must have gone there.
    fn moved_with_siblings(
        &self,
        version: Version,
        real: u32,
        written: &[LineId],
        here: &[u32],
    ) -> bool {
        let scopes = self.texts.versions[version as usize];
        let length = self.lines.len(version);
        let is_sibling = |at: &u32| {
            self.chain(version, *at)
                .is_some_and(|chain| chain == written)
        };
        // Beyond a line that is further out the block has ended.
        let is_inside = |at: &u32| {
            let headers = scopes.of(*at);
            headers.is_none_or(|headers| headers.len() >= written.len())
        };
        let known = |at: u32| {
            let id = self
                .lines
                .id(version, at)
                .filter(|id| id.0 == Version::Base)?;
            self.lines.place(id)
        };
        let before = (0..real).rev().take_while(is_inside).filter(is_sibling);
        let before: Vec<u32> = before.filter_map(known).collect();
        let after = (real + 1..length).take_while(is_inside).filter(is_sibling);
        let after: Vec<u32> = after.filter_map(known).collect();
        let is_here = |at: &u32| self.here(*at) == Some(here);
        match (before.first(), after.first()) {
            (Some(before), Some(after)) => is_here(before) && is_here(after),
            (None, None) => false,
            _ => before.iter().chain(&after).all(is_here),
        }
    }

    /// Whether a new line is in the block into which the other side has put the lines of base that it
    /// replaces.
    fn moved_with_replaced(
        &self,
        version: Version,
        real: u32,
        written: &[LineId],
        here: &[u32],
    ) -> bool {
        let other = match version {
            Version::Ours => Version::Theirs,
            _ => Version::Ours,
        };
        let moved = |base: &u32| {
            let in_base = self.chain(Version::Base, *base)?;
            let row = self.lines.row(other, LineId(Version::Base, *base))?;
            let there = self.chain(other, row)?;
            Some(in_base == written && self.is_below(there, here))
        };
        let replaced = self.lines.replaced(version, real).unwrap_or(&[]);
        let found: Vec<bool> = replaced.iter().filter_map(moved).collect();
        !found.is_empty() && found.into_iter().all(|is_there| is_there)
    }

    /// Whether an edited line is in another declaration than on the side that edited it, although that
    /// declaration is still there.
    fn wrong_declaration(&self, row: u32, version: Version, real: u32) -> Option<String> {
        let [base, ours, theirs, result] = self.texts.outlines?;
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
        if was == is {
            return None;
        }
        let has = |outline: &Outline, wanted: &(&'static str, String)| {
            let all = outline.flat();
            all.iter()
                .any(|(_, found)| (found.kind, &found.name) == (wanted.0, &wanted.1))
        };
        let is_wrong = has(result, &was) || has(other, &was) || has(own, &is);
        is_wrong.then(|| {
            format!(
                "is in {} {}; the side that wrote it has it in {} {}",
                is.0, is.1, was.0, was.1
            )
        })
    }

    fn block_words(&self, row: u32, version: Version, real: u32) -> String {
        let shown = |text: &[u8]| {
            let text: String = String::from_utf8_lossy(text).chars().take(60).collect();
            format!("'{text}'")
        };
        let there = self.texts.versions[version as usize]
            .of(real)
            .and_then(<[u32]>::last);
        let there = there.map_or("no block".to_owned(), |at| {
            shown(self.lines.text(version, *at))
        });
        let here = self.here(row).and_then(<[u32]>::last);
        let here = here.and_then(|at| self.lines.line(*at));
        let here = here.map_or("no block".to_owned(), |line| shown(line.line.trimmed()));
        format!("is in {here}; the side that wrote it has it in {there}")
    }
}
