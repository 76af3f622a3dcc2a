//! Edits that reached another block of the same text than their author's: lines look alike in similar
//! functions, and a diff may pair those of one with those of another.
//!
//! Each line is counted in the block that its author has it in. What both sides did to that count is
//! merged three ways; where the merged text has a line too few in one block and too many in another,
//! an edit went astray. One of the two is enough where it cannot come of a choice between the sides.

use crate::decide::ruling::Certainty;
use crate::draft::merged_text::Draft;
use crate::draft::region_draft::RegionState;
use crate::model::region::{Region, RegionId, RegionKind};
use crate::model::versions::Version;
use crate::plan::build::Plan;
use crate::text::lines::LineIdx;
use crate::text::source::Source;
use crate::text::tokens::is_worded;
use crate::verify::merge_texts::MergeTexts;
use crate::verify::result_lines::{Objection, ProofKind, ResultLines};
use crate::verify::scopes::{Scopes, opens_block};
use foldhash::{HashMap, HashMapExt, HashSet, HashSetExt};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

/// The names of the headers of a block, outermost first.
type Block = Arc<[Vec<u8>]>;
/// How often each text is in each block.
type Counts<'a> = HashMap<&'a [u8], BTreeMap<u32, i64>>;

/// Whether changes of one side may have reached another block, although no line is in conflict: lines moved,
/// can be matched in several ways, or the first line of a block or section is gone.
pub fn may_be_misdirected(plan: &Plan) -> bool {
    let is_header = |line: &&[u8]| {
        opens_block(line)
            || line.starts_with(b"[") && line.ends_with(b"]")
            || line.starts_with(b"#")
    };
    let loses_header = |region: &Region| {
        let headers = |version: Version| {
            let text = plan.versions().get(version);
            let rows = text.lines(region.lines(version)).map(|line| line.trimmed());
            rows.filter(is_header).collect::<HashSet<&[u8]>>()
        };
        let sides = [Version::Ours, Version::Theirs];
        region.kind != RegionKind::Unchanged
            && !region.base.is_empty()
            && sides
                .iter()
                .any(|side| !headers(Version::Base).is_subset(&headers(*side)))
    };
    !plan.is_plain() || plan.regions().iter().any(loses_header)
}

/// What the versions of a plan say of its edits, whatever the merged text is.
pub(crate) struct EditCounts<'a> {
    /// The lines that a side has more often or less often than base, somewhere.
    changed: HashSet<&'a [u8]>,
    /// How often each changed line is in each block of base, ours and theirs.
    counts: [Counts<'a>; 3],
    blocks: Blocks,
    /// The scopes that the blocks were read from.
    scopes: [Scopes; 3],
}

impl<'a> EditCounts<'a> {
    pub(crate) fn new(plan: &'a Plan, scopes: [&Scopes; 3]) -> Self {
        let regions = plan.regions().iter();
        let changed: HashSet<&[u8]> = regions.flat_map(|r| changed_texts(plan, r)).collect();
        let mut blocks = Blocks::default();
        let real = plan.real_versions();
        let texts = [&real.base, &real.ours, &real.theirs];
        let counts = [0, 1, 2].map(|nth| match changed.is_empty() {
            true => Counts::new(),
            false => blocks.count(texts[nth], scopes[nth], &changed),
        });
        EditCounts {
            changed,
            counts,
            blocks,
            scopes: scopes.map(Clone::clone),
        }
    }

    /// Whether they are of these scopes: a merged text that does not parse is read by its layout, and the
    /// versions with it.
    pub(crate) fn are_of(&self, scopes: [&Scopes; 3]) -> bool {
        self.scopes
            .iter()
            .zip(scopes)
            .all(|(own, other)| own == other)
    }
}

/// Returns one objection for each region with a changed line that is in another block of the merged text
/// than its author has it in, or that is gone from another block.
///
/// Only blocks that all four texts have by the same names are compared.
pub(crate) fn misdirected(
    lines: &ResultLines<'_>,
    texts: &MergeTexts<'_>,
    edits: &EditCounts<'_>,
) -> Vec<Objection> {
    let plan = lines.draft.plan();
    let changed = &edits.changed;
    if changed.is_empty() {
        return Vec::new();
    }
    let mut blocks = edits.blocks.clone();
    let of_result = blocks.count(texts.text, texts.result, changed);
    let [base, ours, theirs] = &edits.counts;
    let counts = [base, ours, theirs, &of_result];
    let common = blocks.common();
    let doubtful = Doubtful::new(lines.draft);
    let mut found: HashMap<&[u8], (u32, u32)> = HashMap::new();
    for text in changed {
        let astray = Astray::new(text, &counts, &common, &blocks);
        if let Some(of_blocks) = astray.blocks(text, &doubtful) {
            found.insert(text, of_blocks);
        }
    }
    let mixed_up = mixed_up(plan, &found, &blocks, &common);
    if found.is_empty() && mixed_up.is_empty() {
        return Vec::new();
    }
    let mut objections = Vec::new();
    for (id, region) in plan
        .ids()
        .filter(|(_, region)| region.kind != RegionKind::Same)
    {
        let astray = changed_texts(plan, region).into_iter().find_map(|text| {
            let of_blocks = found.get(text).or_else(|| mixed_up.get(&*title(text)))?;
            Some((text, *of_blocks))
        });
        if let Some((text, (from, to))) = astray {
            let [from, to] = [from, to].map(|block| blocks.words(block));
            let what = match from == to {
                true => {
                    format!("is part of an edit of '{from}' that has lines missing or repeated")
                }
                false => format!("is part of an edit of '{from}', but changes '{to}'"),
            };
            objections.push(objection(lines.draft, id, text, what));
        }
    }
    objections
}

/// An objection to a region, at the line with this text if it has one.
fn objection(draft: &Draft, region: RegionId, text: &[u8], what: String) -> Objection {
    let drafted = draft.lines_of(region);
    let is_it = |at: &LineIdx| {
        draft
            .line(*at)
            .is_some_and(|line| line.line.trimmed() == text)
    };
    let line = drafted.iter().find(is_it).unwrap_or(drafted.start);
    Objection {
        proof: ProofKind::Scope,
        line: LineIdx(line.0.min((draft.len() as u32).saturating_sub(1))),
        region,
        what,
        // No line of base has such a number.
        key: (Version::Base, u32::MAX - region.0),
        leaves: Certainty::Hint,
    }
}

/// Headers of blocks that were taken for others: of those in which what looked like one edit of both sides
/// was two, and of those whose header is not what both sides made of it.
fn mixed_up<'b>(
    plan: &Plan,
    found: &HashMap<&[u8], (u32, u32)>,
    blocks: &'b Blocks,
    common: &HashSet<u32>,
) -> HashMap<&'b [u8], (u32, u32)> {
    let same = plan
        .regions()
        .iter()
        .filter(|r| r.kind == RegionKind::Same && !found.is_empty());
    let texts = same.flat_map(|region| changed_texts(plan, region));
    let of_same = texts.filter_map(|text| found.get(text));
    let of_same =
        of_same.flat_map(|of_blocks| [(of_blocks.0, *of_blocks), (of_blocks.1, *of_blocks)]);
    let others = blocks
        .with_other_header(common)
        .into_iter()
        .map(|block| (block, (block, block)));
    let mut headers = HashMap::new();
    for (block, of_blocks) in of_same.chain(others) {
        if let Some(header) = blocks.name(block).and_then(|name| name.last()) {
            headers.entry(&**header).or_insert(of_blocks);
        }
    }
    headers
}

/// Where the merged text has a line more often or less often than both sides together make it.
#[derive(Default)]
struct Astray {
    /// The block in which it is missing.
    few: Option<u32>,
    /// The block in which there is one too many.
    many: Option<u32>,
    /// Whether no choice between the sides comes to that.
    is_sure: bool,
    /// Whether a side changed how often it is in `few`.
    is_edited: bool,
}

impl Astray {
    fn new(text: &[u8], counts: &[&Counts<'_>; 4], common: &HashSet<u32>, names: &Blocks) -> Self {
        let of = |nth: usize, block: u32| {
            let all = counts[nth].get(text).and_then(|all| all.get(&block));
            all.copied().unwrap_or(0)
        };
        let all = counts.iter().filter_map(|all| all.get(text));
        let blocks: BTreeSet<u32> = all.flat_map(|all| all.keys().copied()).collect();
        let mut astray = Astray::default();
        for block in blocks
            .iter()
            .copied()
            .filter(|block| common.contains(block))
        {
            let [base, ours, theirs, result] = [0, 1, 2, 3].map(|nth| of(nth, block));
            let both = ours + theirs - base;
            // Where both did the same it may be the same edit.
            let (least, most) = match (ours - base, theirs - base) {
                (o, t) if o > 0 && t > 0 => (ours.max(theirs), both),
                (o, t) if o < 0 && t < 0 => (both.max(0), ours.min(theirs)),
                _ => (both, both),
            };
            let is_edited = ours != base || theirs != base;
            // Blocks that only some of the texts have: the other side may have wrapped the place in one.
            let elsewhere = |inner: &&u32| of(3, **inner) > 0 && !common.contains(*inner);
            let wrapped = |inner: &u32| names.is_inside(*inner, block);
            let is_new = |inner: &u32| (0..3).all(|nth| of(nth, *inner) == 0);
            let mut others = blocks.iter().filter(elsewhere);
            if result < least && !others.clone().any(wrapped) {
                astray.is_sure |= !is_edited || others.any(is_new);
                if Some(block) >= astray.few {
                    (astray.few, astray.is_edited) = (Some(block), is_edited);
                }
            }
            if result > most {
                astray.is_sure |= !is_edited;
                astray.many = astray.many.max(Some(block));
            }
        }
        astray
    }

    /// The block whose edit it is, and the one that it changed, if it went astray.
    fn blocks(&self, text: &[u8], doubtful: &Doubtful<'_>) -> Option<(u32, u32)> {
        match (self.few, self.many) {
            (Some(few), Some(many)) if self.is_edited => Some((few, many)),
            (Some(few), Some(many)) => Some((many, few)),
            // A ruling may have chosen the other side's line.
            (Some(few), None) if !doubtful.disputed.contains(text) => Some((few, few)),
            (Some(block), None) | (None, Some(block)) => {
                let is_certain = self.is_sure || self.few.is_none();
                (is_certain && !doubtful.rewritten.contains(text)).then_some((block, block))
            }
            (None, None) => None,
        }
    }
}

/// Lines whose number may come of a decision.
struct Doubtful<'a> {
    /// The lines of conflicts and of what was edited by hand.
    disputed: HashSet<&'a [u8]>,
    /// Those that are open or edited by hand, or in the result of which is a line that no version has.
    rewritten: HashSet<&'a [u8]>,
}

impl<'a> Doubtful<'a> {
    fn new(draft: &'a Draft) -> Self {
        let plan = draft.plan();
        let (mut disputed, mut rewritten) = (HashSet::new(), HashSet::new());
        for (id, region) in plan.ids() {
            let is_by_hand = matches!(draft.standing(id), RegionState::ByHand);
            if region.kind != RegionKind::Conflict && !is_by_hand {
                continue;
            }
            let versions = [Version::Base, Version::Ours, Version::Theirs].into_iter();
            let rows = versions.flat_map(|version| {
                let text = plan.versions().get(version);
                text.lines(region.lines(version)).map(|line| line.trimmed())
            });
            let rows: HashSet<&[u8]> = rows.collect();
            let drafted = draft.lines_of(id).iter();
            let mut drafted = drafted.filter_map(|at| Some(draft.line(at)?.line.trimmed()));
            let is_loose = is_by_hand || draft.is_open(id);
            if is_loose || drafted.any(|row| is_worded(row) && !rows.contains(row)) {
                rewritten.extend(rows.iter().copied());
            }
            disputed.extend(rows);
        }
        Doubtful {
            disputed,
            rewritten,
        }
    }
}

/// The lines of a region that a side has more often or less often than base.
fn changed_texts<'a>(plan: &'a Plan, region: &Region) -> Vec<&'a [u8]> {
    if region.kind == RegionKind::Unchanged {
        return Vec::new();
    }
    // How often each line is in a version.
    let rows = |version: Version| {
        let text = plan.versions().get(version);
        let rows = text.lines(region.lines(version)).map(|line| line.trimmed());
        let mut all: HashMap<&[u8], u32> = HashMap::new();
        for row in rows.filter(|row| is_worded(row)) {
            *all.entry(row).or_insert(0) += 1;
        }
        all
    };
    let base = rows(Version::Base);
    let mut changed = Vec::new();
    for version in [Version::Ours, Version::Theirs] {
        let own = rows(version);
        let both = own
            .keys()
            .chain(base.keys().filter(|row| !own.contains_key(*row)));
        changed.extend(both.filter(|row| own.get(*row) != base.get(*row)).copied());
    }
    // In the order of their words, so that the same one is named each time.
    changed.sort_unstable();
    changed.dedup();
    changed
}

/// The blocks of some texts, by number.
#[derive(Clone, Default)]
struct Blocks {
    numbers: HashMap<Block, u32>,
    names: Vec<Block>,
    /// Of each text the blocks that it has.
    of_texts: Vec<HashSet<u32>>,
    /// Of each text the header of each block; none where blocks of one name have several.
    headers: Vec<HashMap<u32, Option<Vec<u8>>>>,
}

impl Blocks {
    /// Counts some lines of a text, and learns its blocks.
    fn count<'t>(
        &mut self,
        text: &'t Source,
        scopes: &Scopes,
        wanted: &HashSet<&[u8]>,
    ) -> Counts<'t> {
        let mut counts: Counts<'t> = HashMap::new();
        let mut known: Vec<Option<u32>> = vec![None; scopes.blocks()];
        let mut own = HashSet::new();
        let mut own_headers: HashMap<u32, Option<Vec<u8>>> = HashMap::new();
        let mut seen = HashSet::new();
        for (row, line) in (0..).zip(text.lines(text.all())) {
            let Some(number) = scopes.number(row) else {
                continue;
            };
            let block = match known[number as usize] {
                Some(block) => block,
                None => {
                    let headers = scopes.block(number);
                    let name = |row: &u32| header_name(text, *row);
                    let block = self.numbered(headers.iter().map(name).collect());
                    if let Some(row) = headers.last().filter(|row| seen.insert(**row)) {
                        let header = header_line(text, *row).to_vec();
                        let first = own_headers.entry(block);
                        first.and_modify(|one| *one = None).or_insert(Some(header));
                    }
                    block
                }
            };
            if known[number as usize].replace(block).is_none() {
                own.insert(block);
            }
            let line = line.trimmed();
            if wanted.contains(line) {
                let all = counts.entry(line).or_default();
                *all.entry(block).or_insert(0) += 1;
            }
        }
        self.of_texts.push(own);
        self.headers.push(own_headers);
        counts
    }

    /// The number of a block.
    fn numbered(&mut self, name: Block) -> u32 {
        if let Some(known) = self.numbers.get(&name) {
            return *known;
        }
        let next = self.names.len() as u32;
        self.names.push(Arc::clone(&name));
        self.numbers.insert(name, next);
        next
    }

    /// The blocks that all texts have. Lines outside of every block are not compared.
    fn common(&self) -> HashSet<u32> {
        let numbers = self.numbers.iter();
        let common = numbers.filter(|(name, number)| {
            !name.is_empty() && self.of_texts.iter().all(|own| own.contains(*number))
        });
        common.map(|(_, number)| *number).collect()
    }

    /// The blocks of the last text whose header is not what both sides made of it.
    fn with_other_header(&self, common: &HashSet<u32>) -> Vec<u32> {
        let is_other = |block: &u32| {
            let of = |nth: usize| self.headers.get(nth)?.get(block)?.as_ref();
            let all = [of(0), of(1), of(2), of(3)];
            let [Some(base), Some(ours), Some(theirs), Some(result)] = all else {
                return false;
            };
            match (ours == base, theirs == base) {
                (_, true) => result != ours,
                (true, _) => result != theirs,
                _ => false,
            }
        };
        let mut found: Vec<u32> = common.iter().copied().filter(is_other).collect();
        found.sort_unstable();
        found
    }

    fn name(&self, block: u32) -> Option<&Block> {
        self.names.get(block as usize)
    }

    /// Whether a block is within another.
    fn is_inside(&self, inner: u32, outer: u32) -> bool {
        let names = self.name(inner).zip(self.name(outer));
        names.is_some_and(|(inner, outer)| inner.starts_with(outer))
    }

    fn words(&self, block: u32) -> String {
        let name = self.name(block).and_then(|name| name.last());
        let name = name.map(|name| String::from_utf8_lossy(name).chars().take(60).collect());
        name.unwrap_or_default()
    }
}

/// What a header is called. A brace on a line of its own belongs to the line above.
fn header_name(text: &Source, row: u32) -> Vec<u8> {
    title(header_line(text, row))
}

fn header_line(text: &Source, row: u32) -> &[u8] {
    let line = |row: u32| text.line(LineIdx(row)).trimmed();
    let rows = (0..=row).rev().take(4);
    let worded = rows.map(line).find(|line| is_worded(line));
    worded.unwrap_or_else(|| line(row))
}

/// A header's text up to its parameters or the sign that opens the block.
fn title(line: &[u8]) -> Vec<u8> {
    let end = line.iter().position(|b| *b == b'(').unwrap_or(line.len());
    let head = match end {
        0 => line,
        end => &line[..end],
    };
    let is_sign = |b: &u8| matches!(b, b'{' | b':' | b' ' | b'\t' | b'=' | b'[');
    let end = head
        .iter()
        .rposition(|b| !is_sign(b))
        .map_or(0, |at| at + 1);
    head[..end].to_vec()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::verify::proofs::Proofs;
    use crate::{Options, Session, TextKind, plan};
    use std::sync::Arc;

    fn function(name: &str, lines: &[&str]) -> String {
        let lines: String = lines.iter().map(|line| format!("  {line}\n")).collect();
        format!("fun {name}(data) {{\n{lines}}}\n\n")
    }

    /// What the scope proof says of the merge by lines.
    fn found(base: &str, ours: &str, theirs: &str) -> Vec<String> {
        let [base, ours, theirs] = [base, ours, theirs].map(Source::from);
        let plan = Arc::new(plan(&base, &ours, &theirs, &Options::default()));
        let session = Session::new(Arc::clone(&plan));
        let result = Source::new(session.draft().bytes());
        let scopes = [&base, &ours, &theirs, &result].map(Scopes::by_layout_of_code);
        let texts = MergeTexts {
            text: &result,
            versions: [&scopes[0], &scopes[1], &scopes[2]],
            result: &scopes[3],
            outlines: None,
            positions: None,
            independent: None,
        };
        let found = Proofs::new(&plan).objections(session.draft(), &texts, TextKind::Other);
        found.into_iter().map(|found| found.what).collect()
    }

    const LINES: [&str; 3] = ["check(data)", "trace(data)", "send(data)"];

    fn file(names: &[&str], edit: impl Fn(&str) -> Option<Vec<&'static str>>) -> String {
        let of = |name: &&str| function(name, &edit(name).unwrap_or(LINES.to_vec()));
        names.iter().map(of).collect()
    }

    #[test]
    fn an_edit_of_one_of_several_alike_functions_that_changed_places_is_found_in_another() {
        let base = file(&["load", "store", "dump"], |_| None);
        let ours = file(&["dump", "load", "store"], |_| None);
        for edited in [
            vec!["check(data)", "audit(data)", "trace(data)", "send(data)"],
            vec!["check(data)", "send(data)"],
            vec!["check(data)", "track(data)", "send(data)"],
        ] {
            let theirs = file(&["load", "store", "dump"], |name| {
                (name == "store").then(|| edited.clone())
            });
            let found = found(&base, &ours, &theirs);
            assert!(
                found.iter().any(|what| what.contains("'fun store'")),
                "{edited:?}: {found:?}"
            );
        }
    }

    #[test]
    fn a_parameter_that_another_function_got_is_found() {
        let base = file(&["load", "store", "dump"], |_| None);
        let rotated = file(&["dump", "load", "store"], |_| None);
        // The result of a merge that took the functions for renamed ones.
        let theirs = base.replace("store(data)", "store(data, more)");
        let found = found(&base, &rotated, &theirs);
        assert!(
            found.is_empty() || found.iter().any(|what| what.contains("'fun ")),
            "{found:?}"
        );
        let [base, ours, theirs] = [&*base, &*base, &*theirs].map(Source::from);
        let wrong = Source::from(&*rotated.replace("load(data)", "load(data, more)"));
        let mut blocks = Blocks::default();
        for text in [&base, &ours, &theirs, &wrong] {
            blocks.count(text, &Scopes::by_layout_of_code(text), &HashSet::new());
        }
        let named = blocks.with_other_header(&blocks.common());
        let named: Vec<String> = named.into_iter().map(|block| blocks.words(block)).collect();
        assert_eq!(named, ["fun load", "fun store"]);
    }

    #[test]
    fn edits_that_arrive_where_they_belong_are_left_alone() {
        let names = ["load", "store", "dump"];
        let base = file(&names, |_| None);
        let with = |name: &'static str, lines: [&'static str; 4]| {
            file(&names, move |of| (of == name).then(|| lines.to_vec()))
        };
        let ours = with(
            "load",
            ["check(data)", "audit(data)", "trace(data)", "send(data)"],
        );
        let theirs = with(
            "dump",
            ["check(data)", "trace(data)", "audit(data)", "send(data)"],
        );
        assert_eq!(found(&base, &ours, &theirs), Vec::<String>::new());
        // A function that one side renamed is not one that all texts have.
        let renamed = base.replace("store", "keep");
        let theirs = with(
            "store",
            ["check(data)", "audit(data)", "trace(data)", "send(data)"],
        );
        assert_eq!(found(&base, &renamed, &theirs), Vec::<String>::new());
    }
}
