//! How each conflict of a merge was resolved, told by the text that came of it; and the lines of that
//! text that no version has.

use crate::decide::past::{Learned, PastResolution};
use crate::decide::resolution::Resolution;
use crate::model::region::{RegionId, RegionKind};
use crate::model::side::Side;
use crate::model::versions::Version;
use crate::plan::build::Plan;
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::Source;
use crate::text::tokens::{is_worded, solid_tokens};
use crate::verify::blocks::{Block, Blocks, Key, Part, disputed};
use foldhash::{HashSet, HashSetExt};
use serde::Serialize;

/// What a conflict was resolved by.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum ResolvedBy {
    /// The lines of ours, as they are.
    Ours,
    /// The lines of theirs, as they are.
    Theirs,
    /// The lines of base: both edits were discarded.
    Base,
    /// Both sides' lines, those of ours first.
    OursThenTheirs,
    /// Both sides' lines, those of theirs first.
    TheirsThenOurs,
    /// No line at all.
    Nothing,
    /// Words and lines of the versions, put together otherwise.
    Combined,
    /// Words that no version has.
    NewText,
}

/// What a new line may change, riskiest first.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum MayChange {
    /// It decides what runs.
    Condition,
    /// A number, with or without a unit.
    Number,
    /// A command line.
    Command,
    /// A value that is taken where none is given.
    Default,
    /// Who may use it.
    Visibility,
    /// Anything else.
    Other,
}

/// One conflict and what came of it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct ResolvedConflict {
    /// Which.
    pub region: RegionId,
    /// The lines of the result that it became, or within which it is where they cannot be told apart.
    pub lines: LineRange,
    /// What it was resolved by.
    pub by: ResolvedBy,
    /// Whether the lines are those of this conflict and of nothing else.
    pub is_exact: bool,
}

impl ResolvedConflict {
    /// What is to be remembered of it; `None` if its lines cannot be told from others.
    pub fn lesson(&self, plan: &Plan, result: &Source, learned: Learned) -> Option<PastResolution> {
        let id = self.region;
        let take = |version| PastResolution::of(plan, id, Some(&Resolution::Take(version)), &[]);
        let both = |first| PastResolution::of(plan, id, Some(&Resolution::Both(first)), &[]);
        let lesson = match self.by {
            ResolvedBy::Ours => take(Version::Ours),
            ResolvedBy::Theirs => take(Version::Theirs),
            ResolvedBy::Base => take(Version::Base),
            ResolvedBy::OursThenTheirs => both(Side::Ours),
            ResolvedBy::TheirsThenOurs => both(Side::Theirs),
            ResolvedBy::Nothing | ResolvedBy::Combined | ResolvedBy::NewText => {
                let text = result.slice(self.lines).to_vec();
                PastResolution::of_text(plan, id, text)
            }
        };
        self.is_exact.then_some(PastResolution {
            learned: Some(learned),
            ..lesson
        })
    }
}

/// A line of a result that no version has.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct NewLine {
    /// Where; in JSON counted from 1.
    #[serde(serialize_with = "number")]
    pub line: LineIdx,
    /// Its words.
    pub text: String,
    /// Whether it is where git shows a conflict.
    pub in_conflict: bool,
    /// What it may change.
    pub may_change: MayChange,
}

impl NewLine {
    /// The line of a result at some place.
    pub fn new(line: LineIdx, words: &[u8], in_conflict: bool) -> Self {
        let text = String::from_utf8_lossy(words);
        NewLine {
            line,
            may_change: may_change(&text),
            text: text.chars().take(SHOWN_CHARS).collect(),
            in_conflict,
        }
    }
}

fn number<S: serde::Serializer>(line: &LineIdx, to: S) -> Result<S::Ok, S::Error> {
    line.number().serialize(to)
}

/// What came of the conflicts of a merge, and what nobody had written before.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Resolved {
    /// In the order of the plan.
    pub conflicts: Vec<ResolvedConflict>,
    /// In the order of the result; blank lines and lines of signs alone are left out.
    pub new_lines: Vec<NewLine>,
}

/// The longest part of a new line that is kept, in characters.
const SHOWN_CHARS: usize = 200;

/// Reads out of a result how the conflicts of a plan were resolved. Lines are compared without their white
/// space. Linear in the texts, but for comparing `result` with the versions.
///
/// ```
/// use armistice_core::{Options, ResolvedBy, plan, resolved};
/// let plan = plan(&"a\nb\n".into(), &"a\nB\n".into(), &"a\nbb\n".into(), &Options::default());
/// let by = |result: &str| resolved(&plan, &result.into()).conflicts[0].by;
/// assert_eq!(by("a\nB\n"), ResolvedBy::Ours);
/// assert_eq!(by("a\nB\nbb\n"), ResolvedBy::OursThenTheirs);
/// assert_eq!(by("a\nquay\n"), ResolvedBy::NewText);
/// ```
pub fn resolved(plan: &Plan, result: &Source) -> Resolved {
    resolved_in(plan, result, &mut Blocks::new(plan, result))
}

/// The same, of a result that was cut into blocks already.
pub(crate) fn resolved_in(plan: &Plan, result: &Source, blocks: &mut Blocks) -> Resolved {
    // Between the blocks all texts are alike.
    let mut known = HashSet::new();
    for nth in 0..blocks.blocks.len() {
        for version in [Version::Base, Version::Ours, Version::Theirs] {
            let lines = blocks.blocks[nth].lines(version);
            for line in plan.versions().get(version).lines(lines) {
                known.insert(blocks.keys.of(line.content()));
            }
        }
    }
    let mut reader = Reader {
        plan,
        result,
        disputed: disputed(plan),
        known,
        resolved: Resolved::default(),
    };
    for nth in 0..blocks.blocks.len() {
        let block = blocks.blocks[nth].clone();
        reader.block(&block, blocks);
    }
    reader.resolved
}

struct Reader<'a> {
    plan: &'a Plan,
    result: &'a Source,
    /// Regions that git shows as one with a conflict.
    disputed: std::collections::HashSet<RegionId>,
    /// The lines of the versions that are not parts.
    known: HashSet<Key>,
    resolved: Resolved,
}

/// A region of a block, with all that may have become of it.
struct Choices {
    region: RegionId,
    is_conflict: bool,
    options: Vec<(ResolvedBy, Vec<Key>)>,
}

/// Regions of one block up to which the ways to resolve each are tried together.
const TRIED_REGIONS: usize = 40;

impl Reader<'_> {
    fn block(&mut self, block: &Block, blocks: &mut Blocks) {
        let regions = self.regions(block);
        let is_conflict = |id: &RegionId| self.plan.region(*id).kind == RegionKind::Conflict;
        if regions.iter().any(is_conflict) {
            self.conflicts(block, &regions, blocks);
        }
        let in_conflict = regions.iter().any(|id| self.disputed.contains(id));
        for at in block.result.iter() {
            let line = self.result.line(at).trimmed();
            let key = blocks.of_result[at.0 as usize];
            let is_known = key < blocks.of_parts || self.known.contains(&key);
            if !is_known && is_worded(line) {
                let new = NewLine::new(at, line, in_conflict);
                self.resolved.new_lines.push(new);
            }
        }
    }

    /// The regions of a block in order, without the unchanged ones.
    fn regions(&self, block: &Block) -> Vec<RegionId> {
        let all = self.plan.regions();
        let from = all.partition_point(|region| region.base.end < block.base.start);
        let ids = (from..all.len()).map(|nth| RegionId(nth as u32));
        let near = ids.take_while(|id| self.plan.region(*id).base.start <= block.base.end);
        let is_in = |id: &RegionId| {
            let region = self.plan.region(*id);
            let versions = [Version::Base, Version::Ours, Version::Theirs];
            region.kind != RegionKind::Unchanged
                && versions.into_iter().all(|version| {
                    let (own, all) = (region.lines(version), block.lines(version));
                    all.start <= own.start && own.end <= all.end
                })
        };
        near.filter(is_in).collect()
    }

    /// Finds out how the conflicts of a block were resolved.
    fn conflicts(&mut self, block: &Block, regions: &[RegionId], blocks: &mut Blocks) {
        let choices: Vec<Choices> = regions.iter().map(|id| self.choices(*id, blocks)).collect();
        let stands = block
            .result
            .iter()
            .map(|at| blocks.of_result[at.0 as usize]);
        let stands: Vec<Key> = stands.collect();
        let parts = blocks.parts[block.parts.clone()].iter();
        // Else a line that all versions have is gone or elsewhere.
        let changed = |part: &Part| self.plan.region(part.region).kind != RegionKind::Unchanged;
        let is_whole = parts.into_iter().all(changed);
        let may_be_taken = is_whole && choices.len() <= TRIED_REGIONS;
        match may_be_taken.then(|| taken(&choices, &stands)).flatten() {
            Some(taken) => self.tell_taken(block, &choices, &taken),
            None => self.tell_mixed(block, &choices, is_whole && choices.len() == 1),
        }
    }

    fn choices(&self, id: RegionId, blocks: &mut Blocks) -> Choices {
        let region = self.plan.region(id);
        let mut keys = |version: Version| -> Vec<Key> {
            let lines = self
                .plan
                .versions()
                .get(version)
                .lines(region.lines(version));
            lines.map(|line| blocks.keys.of(line.content())).collect()
        };
        let is_conflict = region.kind == RegionKind::Conflict;
        let options = match region.kind {
            RegionKind::Unchanged => vec![(ResolvedBy::Base, keys(Version::Base))],
            RegionKind::Ours | RegionKind::Same => vec![(ResolvedBy::Ours, keys(Version::Ours))],
            RegionKind::Theirs => vec![(ResolvedBy::Theirs, keys(Version::Theirs))],
            RegionKind::Conflict => {
                let (base, ours, theirs) = (
                    keys(Version::Base),
                    keys(Version::Ours),
                    keys(Version::Theirs),
                );
                vec![
                    (ResolvedBy::Ours, ours.clone()),
                    (ResolvedBy::Theirs, theirs.clone()),
                    (ResolvedBy::OursThenTheirs, [&*ours, &theirs].concat()),
                    (ResolvedBy::TheirsThenOurs, [&*theirs, &ours].concat()),
                    (ResolvedBy::Base, base),
                    (ResolvedBy::Nothing, Vec::new()),
                ]
            }
        };
        Choices {
            region: id,
            is_conflict,
            options,
        }
    }

    fn tell_taken(&mut self, block: &Block, choices: &[Choices], taken: &[usize]) {
        let mut at = block.result.start.0;
        for (choice, nth) in choices.iter().zip(taken) {
            let (by, lines) = &choice.options[*nth];
            let end = at + lines.len() as u32;
            if choice.is_conflict {
                self.resolved.conflicts.push(ResolvedConflict {
                    region: choice.region,
                    lines: LineRange::new(at, end),
                    by: *by,
                    is_exact: true,
                });
            }
            at = end;
        }
    }

    /// The conflicts of a block that is put together otherwise.
    fn tell_mixed(&mut self, block: &Block, choices: &[Choices], is_exact: bool) {
        let by = match self.has_new_words(block) {
            true => ResolvedBy::NewText,
            false => ResolvedBy::Combined,
        };
        let conflicts = choices.iter().filter(|choice| choice.is_conflict);
        let told = conflicts.map(|choice| ResolvedConflict {
            region: choice.region,
            lines: block.result,
            by,
            is_exact,
        });
        self.resolved.conflicts.extend(told);
    }

    /// Whether a block of the result has words that no version has there.
    fn has_new_words(&self, block: &Block) -> bool {
        let mut known: HashSet<&[u8]> = HashSet::new();
        for version in [Version::Base, Version::Ours, Version::Theirs] {
            let text = self.plan.versions().get(version);
            for line in text.lines(block.lines(version)) {
                known.extend(solid_tokens(line.content()));
            }
        }
        let mut lines = self.result.lines(block.result);
        lines.any(|line| {
            let mut words = solid_tokens(line.content());
            words.any(|word| is_worded(word) && !known.contains(word))
        })
    }
}

/// For each region the option that makes the lines of a result, if one of each does; the first ones first.
fn taken(choices: &[Choices], stands: &[Key]) -> Option<Vec<usize>> {
    // By region and line: no way on from there.
    let mut dead: HashSet<(usize, usize)> = HashSet::new();
    let mut path: Vec<(usize, usize)> = Vec::new();
    let (mut at, mut nth) = (0, 0);
    loop {
        if path.len() == choices.len() && at == stands.len() {
            return Some(path.into_iter().map(|(nth, _)| nth).collect());
        }
        let depth = path.len();
        let options = choices.get(depth).map_or(&[][..], |choice| &choice.options);
        let fits = |(_, lines): &&(ResolvedBy, Vec<Key>)| stands[at..].starts_with(lines);
        let next = match dead.contains(&(depth, at)) {
            true => None,
            false => (nth..options.len()).find(|n| fits(&&options[*n])),
        };
        match next {
            Some(found) => {
                path.push((found, at));
                at += options[found].1.len();
                nth = 0;
            }
            None => {
                dead.insert((depth, at));
                let (last, from) = path.pop()?;
                (at, nth) = (from, last + 1);
            }
        }
    }
}

/// What a new line may change.
fn may_change(line: &str) -> MayChange {
    const CONDITIONS: [&str; 14] = [
        "if", "else", "elif", "elsif", "unless", "while", "until", "when", "case", "match", "and",
        "or", "not", "assert",
    ];
    const VISIBILITY: [&str; 8] = [
        "pub",
        "public",
        "private",
        "protected",
        "internal",
        "export",
        "static",
        "extern",
    ];
    const COMMANDS: [&str; 9] = [
        "RUN",
        "CMD",
        "ENTRYPOINT",
        "exec",
        "sudo",
        "rm",
        "curl",
        "run:",
        "command:",
    ];
    let words: Vec<&str> = line.split_whitespace().collect();
    let has = |all: &[&str]| words.iter().any(|word| all.contains(word));
    let compares = ["==", "!=", "<=", ">=", "&&", "||"]
        .iter()
        .any(|sign| line.contains(sign));
    let signs = |c: char| !(c.is_alphanumeric() || c == '_');
    let is_number = |word: &str| word.starts_with(|c: char| c.is_ascii_digit());
    if has(&CONDITIONS) || compares {
        MayChange::Condition
    } else if line.split(signs).any(is_number) {
        MayChange::Number
    } else if has(&COMMANDS) || words.first().is_some_and(|word| word.starts_with("$")) {
        MayChange::Command
    } else if line.contains("default") || line.contains("Default") || line.contains("??") {
        MayChange::Default
    } else if has(&VISIBILITY) {
        MayChange::Visibility
    } else {
        MayChange::Other
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Options, plan};

    fn of(base: &str, ours: &str, theirs: &str, result: &str) -> Resolved {
        let plan = plan(
            &base.into(),
            &ours.into(),
            &theirs.into(),
            &Options::default(),
        );
        resolved(&plan, &result.into())
    }

    fn by(found: &Resolved) -> Vec<ResolvedBy> {
        found.conflicts.iter().map(|conflict| conflict.by).collect()
    }

    const BASE: &str = "head\nmoor(ship)\nmiddle\npay(fee)\ntail\n";
    const OURS: &str = "head\nmoor(ship, quay)\nmiddle\npay(fee, day)\ntail\n";
    const THEIRS: &str = "head\nmoor(tug)\nmiddle\npay(fee, night)\ntail\nend\n";

    #[test]
    fn each_conflict_is_told_by_what_came_of_it() {
        use ResolvedBy::{Base, Combined, NewText, Nothing, Ours, Theirs, TheirsThenOurs};
        let with = |first: &str, second: &str| format!("head\n{first}middle\n{second}tail\nend\n");
        let (ours, theirs) = ("moor(ship, quay)\n", "moor(tug)\n");
        for (first, second, wanted) in [
            (ours, "pay(fee, night)\n", [Ours, Theirs]),
            ("moor(ship)\n", "", [Base, Nothing]),
            (
                "moor(tug)\nmoor(ship, quay)\n",
                "pay(fee, day, night)\n",
                [TheirsThenOurs, Combined],
            ),
            (theirs, "pay(fee, week)\n", [Theirs, NewText]),
        ] {
            let found = of(BASE, OURS, THEIRS, &with(first, second));
            assert_eq!(by(&found), wanted, "{first}{second}");
        }
    }

    #[test]
    fn conflicts_side_by_side_are_told_apart_where_the_text_tells() {
        let ours = "moor(ship, quay)\nlog(ship)\npay(fee, day)\n";
        let theirs = "moor(tug)\nlog(ship)\npay(fee, night)\n";
        let base = "moor(ship)\nlog(ship)\npay(fee)\n";
        let result = "moor(ship, quay)\nlog(tug)\npay(fee, night)\n";
        let found = of(base, ours, theirs, result);
        // What all versions share is gone between them.
        assert!(found.new_lines.iter().any(|new| new.text == "log(tug)"));
        let whole = "moor(tug)\nlog(ship)\npay(fee, day)\n";
        assert_eq!(
            by(&of(base, ours, theirs, whole)),
            [ResolvedBy::Theirs, ResolvedBy::Ours]
        );
    }

    #[test]
    fn a_line_that_nobody_wrote_is_told_with_its_place() {
        let result = OURS.replace("tail\n", "tail\nif (fee > 20) refuse()\n") + "end\n";
        let found = of(BASE, OURS, THEIRS, &result);
        let new: Vec<_> = found
            .new_lines
            .iter()
            .map(|new| (new.line.number(), new.in_conflict, new.may_change))
            .collect();
        assert_eq!(new, [(6, false, MayChange::Condition)]);
        assert_eq!(by(&found), [ResolvedBy::Ours, ResolvedBy::Ours]);
        let same = of(BASE, OURS, THEIRS, &(OURS.to_owned() + "end\n"));
        assert_eq!(same.new_lines, []);
    }

    #[test]
    fn lines_are_ordered_by_what_they_may_change() {
        for (line, wanted) in [
            ("} else if ready {", MayChange::Condition),
            ("timeout = 30s", MayChange::Number),
            ("RUN apt-get update", MayChange::Command),
            ("mode: default", MayChange::Default),
            ("pub fn moor()", MayChange::Visibility),
            ("moor(ship)", MayChange::Other),
        ] {
            assert_eq!(may_change(line), wanted, "{line}");
        }
    }
}
