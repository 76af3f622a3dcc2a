//! What a result lost of either side's work, brought back, or holds twice, however it came about.
//!
//! Judged from the three versions and the result alone, so it tells the same of a result that
//! Armistice wrote, that a person made by hand, or that another program staged. Lines are counted
//! over the whole file first: what only moved is neither lost nor new. A line that is missing counts
//! as lost only if its words are missing too: blended words, joined lines and statements laid out
//! again are no loss.
//!
//! Not here: what became of every single line (`audit`).

use crate::draft::merged_text::Draft;
use crate::limits::{AUDITED_LINE_BYTES, DOUBLED_WORDS, TRACED_FINDINGS};
use crate::merge::list_items::is_entry;
use crate::model::region::{RegionId, RegionKind};
use crate::model::side::{PerSide, Side};
use crate::model::versions::Version;
use crate::plan::build::Plan;
use crate::text::language::{begins_declaration, import_kind};
use crate::text::lines::LineIdx;
use crate::text::source::Source;
use crate::text::tokens::{is_name, solid_tokens};
use crate::verify::blocks::{Block, Blocks, Key, Part, disputed};
use crate::verify::checks::{Check, Finding, Weight};
use crate::verify::decided::Decided;
use crate::witness::tally::{Count, Tally, Text};
use std::cell::OnceCell;
use std::collections::{HashMap, HashSet};

/// Names what `result` lost of either side's work, what stands again that a side removed, and what
/// stands twice; in the order of the lines of `result`.
///
/// `draft` says what a person or a rule decided: what a decision gave up, in a part of the text that
/// is still as it was decided, is no finding. At most [`TRACED_FINDINGS`](crate::limits) are reported.
/// Linear in the texts, but for comparing `result` with the versions.
///
/// ```
/// use armistice_core::{Check, Options, plan, trace};
/// let (base, ours, theirs) = ("a\nb\n", "a\nmoor(ship);\nb\n", "a\nb\npay(fee);\n");
/// let plan = plan(&base.into(), &ours.into(), &theirs.into(), &Options::default());
/// let whole = "a\nmoor(ship);\nb\npay(fee);\n";
/// assert!(trace(&plan, &whole.into(), None).is_empty());
/// let found = trace(&plan, &"a\nmoor(ship);\nb\n".into(), None);
/// assert_eq!((found[0].check, found[0].line.unwrap().number()), (Check::Lost, 3));
/// ```
pub fn trace(plan: &Plan, result: &Source, draft: Option<&Draft>) -> Vec<Finding> {
    traced(plan, result, draft, Blocks::new(plan, result)).findings
}

/// Words from which on a line is recognised in other words.
const REWRITTEN_WORDS: usize = 2;

/// What was found, and how many lines that each side added are lost.
pub(crate) struct Traced {
    pub(crate) findings: Vec<Finding>,
    pub(crate) missing: PerSide<usize>,
}

pub(crate) fn traced(
    plan: &Plan,
    result: &Source,
    draft: Option<&Draft>,
    blocks: Blocks,
) -> Traced {
    let mut trace = Trace::new(plan, result, draft, blocks);
    for nth in 0..trace.blocks.blocks.len() {
        trace.block(nth);
    }
    let of = |side: Side| {
        let lost = trace.lost.iter();
        lost.filter(|(.., loss)| *loss == Loss::Added(side)).count()
    };
    let missing = PerSide::from_fn(of);
    trace.tell_lost();
    trace.tell_returned();
    let mut findings = trace.found;
    findings.sort_by_key(|f| (f.line, f.check));
    findings.truncate(TRACED_FINDINGS);
    let findings = findings.into_iter().map(|f| f.in_text(result)).collect();
    Traced { findings, missing }
}

struct Trace<'a> {
    plan: &'a Plan,
    result: &'a Source,
    /// Regions that a person sees as one with a conflict.
    disputed: HashSet<RegionId>,
    blocks: Blocks,
    decided: Decided,
    /// Lines between those that all four texts share.
    lines: Tally<Key>,
    /// Keys of the result's lines.
    keys: Vec<Key>,
    /// Parts that are missing, by their number.
    missing: HashSet<usize>,
    /// Lines of the result that it has too many of.
    surplus: HashSet<LineIdx>,
    /// Words of all blocks together.
    words: OnceCell<Tally<Vec<u8>>>,
    lost: Vec<Lost>,
    returned: Vec<Returned>,
    found: Vec<Finding>,
}

/// A block, a part of it that is lost, and how.
type Lost = (usize, usize, Loss);

/// A line of the result that a side had removed.
#[derive(Clone, Copy)]
struct Returned {
    block: usize,
    at: LineIdx,
    side: Side,
    /// Whether its words are too many as well: else it is reported only in the place of a lost line.
    certain: bool,
}

/// How a line of one side came to be missing.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Loss {
    /// The side had added it.
    Added(Side),
    /// All versions have it.
    Deleted,
}

impl<'a> Trace<'a> {
    fn new(plan: &'a Plan, result: &'a Source, draft: Option<&Draft>, mut blocks: Blocks) -> Self {
        let keys = std::mem::take(&mut blocks.of_result);
        let mut lines = Tally::default();
        for block in &blocks.blocks {
            for (version, text) in VERSIONS {
                let source = plan.versions().get(version);
                for line in source.lines(block.lines(version)) {
                    lines.put(blocks.keys.of(line.content()), text);
                }
            }
            for at in block.result.iter() {
                lines.put(keys[at.0 as usize], Text::Result);
            }
        }
        let mut trace = Trace {
            plan,
            result,
            disputed: disputed(plan),
            decided: draft.map_or_else(Decided::default, |draft| Decided::new(draft, result)),
            blocks,
            lines,
            keys,
            missing: HashSet::new(),
            surplus: HashSet::new(),
            words: OnceCell::new(),
            lost: Vec::new(),
            returned: Vec::new(),
            found: Vec::new(),
        };
        trace.choose_missing();
        trace.choose_surplus();
        trace
    }

    /// Which of several like parts are the missing ones: those that stand nowhere, and of them those
    /// that nobody disputes before others.
    fn choose_missing(&mut self) {
        let mut left: HashMap<Key, usize> = HashMap::new();
        for (key, count) in self.lines.iter() {
            if count.missing() > 0 {
                left.insert(*key, count.missing());
            }
        }
        if left.is_empty() {
            return;
        }
        for disputed in [false, true] {
            for (nth, part) in self.blocks.parts.iter().enumerate() {
                let is_conflict = self.plan.region(part.region).kind == RegionKind::Conflict;
                if part.at.is_some() || is_conflict != disputed {
                    continue;
                }
                if let Some(n) = left.get_mut(&part.key).filter(|n| **n > 0) {
                    *n -= 1;
                    self.missing.insert(nth);
                }
            }
        }
    }

    /// Which of several like lines are too many: those that are not in the place of a part.
    fn choose_surplus(&mut self) {
        let mut left: HashMap<Key, usize> = HashMap::new();
        for (key, count) in self.lines.iter() {
            // What no version has was put in by hand, or blended.
            let known = count.is_known() || *key < self.blocks.of_parts;
            if known && count.surplus() > 0 {
                left.insert(*key, count.surplus());
            }
        }
        if left.is_empty() {
            return;
        }
        let placed: HashSet<LineIdx> = self.blocks.parts.iter().filter_map(|p| p.at).collect();
        for in_place in [false, true] {
            for block in &self.blocks.blocks {
                for at in block.result.iter() {
                    let key = self.keys[at.0 as usize];
                    if placed.contains(&at) == in_place
                        && let Some(n) = left.get_mut(&key).filter(|n| **n > 0)
                    {
                        *n -= 1;
                        self.surplus.insert(at);
                    }
                }
            }
        }
    }

    fn block(&mut self, nth: usize) {
        let block = self.blocks.blocks[nth].clone();
        let missing: Vec<usize> = (block.parts.clone())
            .filter(|n| self.missing.contains(n))
            .collect();
        let surplus: Vec<LineIdx> = (block.result.iter())
            .filter(|at| self.surplus.contains(at))
            .collect();
        if missing.is_empty() && surplus.is_empty() {
            return;
        }
        let words = self.words_of(std::slice::from_ref(&block));
        let (twice, again): (Vec<_>, Vec<_>) =
            surplus.into_iter().partition(|at| self.is_twice(*at));
        let returned = (again.into_iter()).filter_map(|at| {
            let (side, certain) = self.returned(&block, at, &words, &missing)?;
            Some(Returned {
                block: nth,
                at,
                side,
                certain,
            })
        });
        let returned: Vec<Returned> = returned.collect();
        self.returned.extend(returned);
        let lost = (missing.into_iter())
            .filter(|part| self.is_lost(&block, *part, &words))
            .map(|part| (nth, part, self.loss(part)));
        let lost: Vec<Lost> = lost.collect();
        self.lost.extend(lost);
        self.tell_twice(&twice);
    }

    /// The words of some blocks.
    fn words_of(&self, blocks: &[Block]) -> Tally<Vec<u8>> {
        let mut words = Tally::default();
        let mut put = |source: &Source, lines, text| {
            for line in source.lines(lines) {
                names(line.content()).for_each(|word| words.put(word.to_vec(), text));
            }
        };
        for block in blocks {
            for (version, text) in VERSIONS {
                put(
                    self.plan.versions().get(version),
                    block.lines(version),
                    text,
                );
            }
            put(self.result, block.result, Text::Result);
        }
        words
    }

    fn part(&self, nth: usize) -> &Part {
        &self.blocks.parts[nth]
    }

    fn text(&self, part: &Part) -> &'a [u8] {
        let source = self.plan.versions().get(part.version);
        source.line(part.line).trimmed()
    }

    fn loss(&self, nth: usize) -> Loss {
        let part = self.part(nth);
        let (ours, theirs) = self.lines.get(&part.key).changes();
        match part.version {
            Version::Ours if ours > 0 => Loss::Added(Side::Ours),
            Version::Theirs if theirs > 0 => Loss::Added(Side::Theirs),
            _ if ours > 0 => Loss::Added(Side::Ours),
            _ if theirs > 0 => Loss::Added(Side::Theirs),
            _ => Loss::Deleted,
        }
    }

    /// Whether a missing line is lost: its words are missing too, and no decision gave it up.
    fn is_lost(&self, block: &Block, nth: usize, words: &Tally<Vec<u8>>) -> bool {
        let part = self.part(nth);
        let line = self.text(part);
        if line.len() >= AUDITED_LINE_BYTES || self.decided.is_decided(part.region) {
            return false;
        }
        let scarce = |words: &Tally<Vec<u8>>| {
            names(line).any(|word| words.get(&word.to_vec()).missing() > 0)
        };
        if !scarce(words) || self.is_rewritten(block, nth, words) {
            return false;
        }
        // A block that one side moved has its words elsewhere, the other side's with them.
        let moved = Side::BOTH.iter().any(|side| self.is_moved(block, *side));
        !moved || scarce(self.all_words())
    }

    /// Whether a missing line that a side added is in the result in other words: a new line there has all
    /// of its words but numbers, and names that the other side renamed.
    fn is_rewritten(&self, block: &Block, nth: usize, words: &Tally<Vec<u8>>) -> bool {
        let Loss::Added(side) = self.loss(nth) else {
            return false;
        };
        let is_gone = |word: &&[u8]| words.get(&word.to_vec()).missing() > 0;
        let line = self.text(self.part(nth));
        let (gone, kept): (Vec<&[u8]>, Vec<&[u8]>) = names(line).partition(is_gone);
        let is_excused = |word: &&[u8]| {
            let count = self.all_words().get(&word.to_vec());
            let (_, other) = side_counts(&count, side);
            word.iter().all(u8::is_ascii_digit) || count.base > 0 && other < count.base
        };
        if kept.len() < REWRITTEN_WORDS || !gone.iter().all(is_excused) {
            return false;
        }
        let is_new = |at: &LineIdx| {
            let key = self.keys[at.0 as usize];
            !self.lines.get(&key).is_known() && key >= self.blocks.of_parts
        };
        block.result.iter().filter(is_new).any(|at| {
            let has: HashSet<&[u8]> = names(self.result.line(at).trimmed()).collect();
            kept.iter().all(|word| has.contains(word))
        })
    }

    /// Whether a side has lines of this block elsewhere.
    fn is_moved(&self, block: &Block, side: Side) -> bool {
        let part = |nth: usize| self.part(nth);
        let here: HashSet<Key> = (block.parts.clone())
            .filter(|n| part(*n).version == side.into())
            .map(|n| part(n).key)
            .collect();
        let gone = (block.parts.clone())
            .map(|n| part(n).key)
            .filter(|key| !here.contains(key));
        let moved = gone.filter(|key| {
            let count = self.lines.get(key);
            let (of_side, _) = side_counts(&count, side);
            count.base > 0 && of_side >= count.base
        });
        moved.collect::<HashSet<_>>().len() > 1
    }

    /// Whether a line stands in the result more often than in any version.
    fn is_twice(&self, at: LineIdx) -> bool {
        let count = self.lines.get(&self.keys[at.0 as usize]);
        count.result > count.base.max(count.ours).max(count.theirs)
    }

    /// The side that removed a line which stands again, and whether its words are too many too.
    fn returned(
        &self,
        block: &Block,
        at: LineIdx,
        words: &Tally<Vec<u8>>,
        missing: &[usize],
    ) -> Option<(Side, bool)> {
        let count = self.lines.get(&self.keys[at.0 as usize]);
        let (ours, theirs) = count.changes();
        let side = match (ours < 0, theirs < 0) {
            (true, _) => Side::Ours,
            (_, true) => Side::Theirs,
            _ => return None,
        };
        let line = self.result.line(at).trimmed();
        if !is_telling(line) || self.decided.covers(at) {
            return None;
        }
        let more = |words: &Tally<Vec<u8>>| {
            names(line).any(|word| words.get(&word.to_vec()).surplus() > 0)
        };
        let lost = missing
            .iter()
            .any(|nth| self.loss(*nth) == Loss::Added(side));
        let certain = more(words) || more(self.all_words());
        (lost || !self.has_whole(block, side.other())).then_some((side, certain))
    }

    /// Whether a conflict stands in the result with all lines that a side has there, in order: it was
    /// settled by them, and by what else the other side put in.
    fn has_whole(&self, block: &Block, side: Side) -> bool {
        let is_conflict = |part: &Part| self.plan.region(part.region).kind == RegionKind::Conflict;
        let parts = || block.parts.clone().map(|nth| self.part(nth));
        if !parts().any(is_conflict) {
            return false;
        }
        let source = self.plan.versions().get(side.into());
        let keys = &self.blocks.keys;
        let mut stands = block.result.iter().map(|at| self.keys[at.0 as usize]);
        let mut all = source.lines(block.lines(side.into()));
        all.all(|line| {
            keys.get(line.content())
                .is_some_and(|key| stands.any(|k| k == key))
        })
    }

    fn all_words(&self) -> &Tally<Vec<u8>> {
        let all = || self.words_of(&self.blocks.blocks);
        self.words.get_or_init(all)
    }

    fn tell_lost(&mut self) {
        let lost = std::mem::take(&mut self.lost);
        let next = |a: &Lost, b: &Lost| (a.0, a.1 + 1, a.2) == *b;
        for run in lost.chunk_by(next) {
            let (nth, first, loss) = run[0];
            let part = self.part(first);
            let text = excerpt(self.text(part));
            let disputed = self.disputed.contains(&part.region);
            let block = self.blocks.blocks[nth].clone();
            let lines = counted(run.len());
            let is = if run.len() == 1 { "is" } else { "are" };
            let (at, what) = match loss {
                Loss::Deleted => (
                    self.place(&block, first),
                    format!("{lines} that all versions have {is} missing: {text}"),
                ),
                Loss::Added(side) => {
                    let name = Version::from(side).name();
                    match self.take_returned(nth, run, side) {
                        None => (
                            self.place(&block, first),
                            match disputed {
                                true => format!(
                                    "{lines} that {name} added {is} not in the resolution: {text}"
                                ),
                                false => format!("{lines} that {name} added {is} missing: {text}"),
                            },
                        ),
                        Some((there, at)) => {
                            let old = excerpt(self.result.line(at).trimmed());
                            let moved = there != nth || self.is_moved(&block, side.other());
                            let what = match moved {
                                false if disputed => format!(
                                    "an edit of {name} is not in the resolution: the line is {old} again, not {text}"
                                ),
                                false => format!(
                                    "an edit of {name} is lost: the line is {old} again, not {text}"
                                ),
                                true => format!(
                                    "an edit of {name} is lost where {} moved the code: the line is {old}, not {text}",
                                    Version::from(side.other()).name()
                                ),
                            };
                            (at, what)
                        }
                    }
                }
            };
            let mut finding = Finding::new(Check::Lost, self.clamped(at), what);
            if disputed || loss == Loss::Deleted {
                finding.weight = Weight::Look;
            }
            self.found.push(finding);
        }
    }

    /// Takes out what stands again in the place of lost lines of the same side: in their block, or
    /// the most similar line where the other side moved them to.
    fn take_returned(&mut self, nth: usize, run: &[Lost], side: Side) -> Option<(usize, LineIdx)> {
        let here = |r: &Returned| r.block == nth && r.side == side;
        if let Some(at) = self.returned.iter().find(|r| here(r)).map(|r| r.at) {
            self.returned.retain(|r| !here(r));
            return Some((nth, at));
        }
        let text = self.text(self.part(run[0].1));
        let words: HashSet<&[u8]> = names(text).collect();
        let shared = |r: &Returned| {
            let line = names(self.result.line(r.at).trimmed());
            line.filter(|word| words.contains(word)).count()
        };
        let of_side = (self.returned.iter()).filter(|r| r.side == side && r.block != nth);
        let found = of_side.copied().max_by_key(|r| shared(r))?;
        if shared(&found) == 0 && words.len() > 1 {
            return None;
        }
        self.returned.retain(|r| r.at != found.at);
        Some((found.block, found.at))
    }

    /// Where in the result a missing part would stand.
    fn place(&self, block: &Block, nth: usize) -> LineIdx {
        let before = (block.parts.start..nth).rev().find_map(|n| self.part(n).at);
        before.map_or(block.result.start, |at| LineIdx(at.0 + 1))
    }

    fn clamped(&self, at: LineIdx) -> Option<LineIdx> {
        let last = self.result.len().checked_sub(1)? as u32;
        Some(LineIdx(at.0.min(last)))
    }

    fn tell_returned(&mut self) {
        let mut returned = std::mem::take(&mut self.returned);
        returned.retain(|r| r.certain);
        for run in returned.chunk_by(|a, b| a.at.0 + 1 == b.at.0 && a.side == b.side) {
            let Returned {
                block: nth,
                at,
                side,
                ..
            } = run[0];
            let line = excerpt(self.result.line(at).trimmed());
            let what = format!(
                "{} that {} removed {} back: {line}",
                counted(run.len()),
                Version::from(side).name(),
                if run.len() == 1 { "is" } else { "are" },
            );
            let mut finding = Finding::new(Check::Back, Some(at), what);
            let mut parts = self.blocks.blocks[nth].parts.clone();
            let disputed = |n: usize| {
                let region = self.plan.region(self.part(n).region);
                region.kind == RegionKind::Conflict
            };
            if parts.any(disputed) {
                finding.weight = Weight::Look;
            }
            self.found.push(finding);
        }
    }

    /// Whether a line is of a kind that stands once: an import, an entry, a declaration.
    fn is_entry(&self, at: LineIdx) -> bool {
        let line = self.result.line(at).trimmed();
        let first = names(line).next().unwrap_or_default();
        is_entry(line) || import_kind(line).is_some() || begins_declaration(first)
    }

    fn tell_twice(&mut self, twice: &[LineIdx]) {
        for run in twice.chunk_by(|a, b| a.0 + 1 == b.0) {
            let said = |at: &LineIdx| names(self.result.line(*at).trimmed()).count();
            let most = run.iter().map(said).max().unwrap_or(0);
            let alone = run.len() == 1 && most < DOUBLED_WORDS && !self.is_entry(run[0]);
            if most < 2 || alone {
                continue;
            }
            let telling = run
                .iter()
                .find(|at| is_telling(self.result.line(**at).trimmed()));
            let at = *telling.unwrap_or(&run[0]);
            let key = self.keys[at.0 as usize];
            let twin = self
                .keys
                .iter()
                .zip(0..)
                .find(|(k, n)| **k == key && LineIdx(*n) != at);
            let twin = twin.map_or(String::new(), |(_, n)| {
                format!(", also line {}", LineIdx(n).number())
            });
            let what = format!(
                "{} {} twice{twin}: {}",
                counted(run.len()),
                if run.len() == 1 { "appears" } else { "appear" },
                excerpt(self.result.line(at).trimmed())
            );
            self.found
                .push(Finding::new(Check::Twice, Some(run[0]), what));
        }
    }
}

const VERSIONS: [(Version, Text); 3] = [
    (Version::Base, Text::Base),
    (Version::Ours, Text::Ours),
    (Version::Theirs, Text::Theirs),
];

fn side_counts(count: &Count, side: Side) -> (usize, usize) {
    match side {
        Side::Ours => (count.ours, count.theirs),
        Side::Theirs => (count.theirs, count.ours),
    }
}

fn names(line: &[u8]) -> impl Iterator<Item = &[u8]> {
    solid_tokens(line).filter(|word| is_name(word))
}

/// Whether a line says enough to be missed.
fn is_telling(line: &[u8]) -> bool {
    line.len() < AUDITED_LINE_BYTES && names(line).next().is_some()
}

fn counted(n: usize) -> String {
    match n {
        1 => "a line".to_owned(),
        n => format!("{n} lines"),
    }
}

fn excerpt(line: &[u8]) -> String {
    let text = String::from_utf8_lossy(line);
    text.chars().take(60).collect()
}

#[cfg(test)]
mod tests;
