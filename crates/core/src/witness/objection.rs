//! What speaks against an outcome of one conflict.
//!
//! The outcome is right if it has what each side alone put in, lacks what each side alone took out,
//! has nothing twice that no version has twice, keeps the order that all keep, and is as balanced as
//! the versions are. Not here: whether it is what the sides meant.

use crate::limits::WITNESS_LINES;
use crate::merge::list_items::kind_of;
use crate::model::region::{RegionId, RegionKind};
use crate::model::versions::Version;
use crate::plan::build::Plan;
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::Source;
use crate::text::tokens::{is_name, is_space, is_worded, solid_tokens};
use crate::witness::names::given_names;
use crate::witness::tally::{Count, Tally, Text};
use std::collections::{HashMap, HashSet};
use std::ops::Range;

/// What speaks against `outcome` for a conflict, in words for a person; `None` if nothing does.
///
/// Beyond [`WITNESS_LINES`](crate::limits) nothing is looked at, which is said. Linear in the texts,
/// but for the order of lines.
pub(crate) fn objection(plan: &Plan, id: RegionId, outcome: &Source) -> Option<String> {
    let region = plan.region(id);
    let versions = plan.versions();
    if blanks_alone(plan, id, outcome) {
        return None;
    }
    let of = |version: Version| Rows::new(versions.get(version), region.lines(version));
    let texts = Texts {
        base: of(Version::Base),
        ours: of(Version::Ours),
        theirs: of(Version::Theirs),
        outcome: Rows::new(outcome, outcome.all()),
    };
    let most = texts.all().map(|(_, rows)| rows.0.len()).max();
    if most > Some(WITNESS_LINES) {
        return Some("it is too long to be checked".to_owned());
    }
    texts
        .words()
        .or_else(|| texts.twice())
        .or_else(|| texts.names())
        .or_else(|| texts.successors())
        .or_else(|| texts.order())
        .or_else(|| texts.balance())
        .or_else(|| counter(plan, id, &texts))
        .or_else(|| kept_list(plan, id, outcome))
}

/// Whether one side changed blanks alone and the outcome has all words of the other: quick to tell,
/// and then nothing can speak against it.
fn blanks_alone(plan: &Plan, id: RegionId, outcome: &Source) -> bool {
    let region = plan.region(id);
    let bytes = |version: Version| plan.versions().get(version).slice(region.lines(version));
    let same = |a: &[u8], b: &[u8]| {
        let is_solid = |b: &&u8| !is_space(**b);
        a == b || a.iter().filter(is_solid).eq(b.iter().filter(is_solid))
    };
    let [base, ours, theirs] = [Version::Base, Version::Ours, Version::Theirs].map(bytes);
    same(base, theirs) && same(outcome.bytes(), ours)
        || same(base, ours) && same(outcome.bytes(), theirs)
}

/// The rows of a text, without blanks around them, empty ones left out.
struct Rows<'a>(Vec<&'a [u8]>);

impl<'a> Rows<'a> {
    fn new(source: &'a Source, lines: LineRange) -> Self {
        let rows = source.lines(lines).map(|line| line.trimmed());
        Rows(rows.filter(|row| !row.is_empty()).collect())
    }

    fn solid(&self) -> impl Iterator<Item = Vec<u8>> {
        self.0.iter().map(|row| solid(row))
    }

    fn words(&self) -> impl Iterator<Item = &'a [u8]> {
        self.0.iter().flat_map(|row| names(row))
    }
}

struct Texts<'a> {
    base: Rows<'a>,
    ours: Rows<'a>,
    theirs: Rows<'a>,
    outcome: Rows<'a>,
}

fn solid(row: &[u8]) -> Vec<u8> {
    solid_tokens(row).flatten().copied().collect()
}

fn names(row: &[u8]) -> impl Iterator<Item = &[u8]> {
    solid_tokens(row).filter(|word| is_name(word))
}

fn shown(bytes: &[u8]) -> String {
    String::from_utf8_lossy(bytes).chars().take(40).collect()
}

fn is_number(word: &[u8]) -> bool {
    word.first().is_some_and(u8::is_ascii_digit)
}

/// A word that one side calls otherwise throughout, so that it may be called so in the other's
/// lines too.
struct Renamed {
    /// How often the other side has it.
    others: usize,
}

impl Renamed {
    fn of(count: &Count) -> Option<Self> {
        let (ours, theirs) = count.changes();
        let others = match (count.ours, count.theirs) {
            (0, others) if ours < 0 && theirs != 0 => others,
            (others, 0) if theirs < 0 && ours != 0 => others,
            _ => return None,
        };
        Some(Renamed { others })
    }

    /// Whether another word stands wherever the other side has this one.
    fn stands_as(&self, count: &Count) -> bool {
        self.others > 0 && count.result == count.base + self.others
    }
}

impl<'a> Texts<'a> {
    fn all(&self) -> impl Iterator<Item = (Text, &Rows<'a>)> {
        [
            (Text::Base, &self.base),
            (Text::Ours, &self.ours),
            (Text::Theirs, &self.theirs),
            (Text::Result, &self.outcome),
        ]
        .into_iter()
    }

    fn tally<K: std::hash::Hash + Eq>(&self, keys: impl Fn(&Rows<'a>) -> Vec<K>) -> Tally<K> {
        let mut tally = Tally::default();
        for (text, rows) in self.all() {
            keys(rows).into_iter().for_each(|key| tally.put(key, text));
        }
        tally
    }

    /// Whether the outcome is what one side has, word for word.
    fn is_a_side(&self) -> bool {
        let words = |rows: &Rows<'a>| rows.solid().flatten().collect::<Vec<u8>>();
        let outcome = words(&self.outcome);
        outcome == words(&self.ours) || outcome == words(&self.theirs)
    }

    /// Words of lines that both sides put in alike, and of those that both took out.
    fn common(&self) -> [HashMap<&'a [u8], usize>; 2] {
        let rows = self.tally(|rows| rows.solid().collect::<Vec<_>>());
        let mut common = [HashMap::new(), HashMap::new()];
        let mut seen: HashMap<Vec<u8>, usize> = HashMap::new();
        for row in self.ours.0.iter().chain(&self.base.0) {
            let key = solid(row);
            let (ours, theirs) = rows.get(&key).changes();
            let (nth, n) = match (ours > 0 && theirs > 0, ours < 0 && theirs < 0) {
                (true, _) => (0, ours.min(theirs) as usize),
                (_, true) => (1, ours.max(theirs).unsigned_abs()),
                _ => continue,
            };
            let times = seen.entry(key).or_default();
            *times += 1;
            if *times <= n {
                names(row).for_each(|word| *common[nth].entry(word).or_default() += 1);
            }
        }
        common
    }

    /// How often a word that one side put into every line it changed may stand in the other's new
    /// lines too.
    fn patterned(&self, count: &Count) -> usize {
        let lines = |rows: &Rows<'a>, of: &Rows<'a>| {
            let known: HashSet<Vec<u8>> = of.solid().collect();
            rows.solid().filter(|row| !known.contains(row)).count()
        };
        let (ours, theirs) = count.changes();
        let (by, side, other) = match (ours > 0, theirs > 0) {
            (true, false) => (ours, &self.ours, &self.theirs),
            (false, true) => (theirs, &self.theirs, &self.ours),
            _ => return 0,
        };
        let changed = lines(&self.base, side);
        match changed > 1 && by as usize >= changed {
            true => lines(other, &self.base),
            false => 0,
        }
    }

    /// Words that one side put in are there, those that one side took out are gone.
    fn words(&self) -> Option<String> {
        let tally = self.tally(|rows| rows.words().collect::<Vec<_>>());
        let [both_added, both_removed] = self.common();
        let of =
            |common: &HashMap<&[u8], usize>, word: &[u8]| common.get(word).copied().unwrap_or(0);
        // Of two numbers in the place of one only one can stand.
        let changed = |by: fn(&Count) -> isize| {
            tally
                .iter()
                .any(|(word, count)| is_number(word) && by(count) > 0)
        };
        let both_number = changed(|c| c.changes().0) && changed(|c| c.changes().1);
        let is_a_side = self.is_a_side();
        let renamed: Vec<Renamed> = tally.iter().filter_map(|(_, c)| Renamed::of(c)).collect();
        let mut extra: Option<(&[u8], usize)> = None;
        for (word, count) in tally.sorted() {
            if is_number(word) && both_number || Renamed::of(count).is_some() {
                continue;
            }
            let called_so = renamed.iter().any(|r| r.stands_as(count));
            if count.missing() > of(&both_added, word) && !called_so {
                return Some(format!("'{}' would be lost", shown(word)));
            }
            let surplus = count.surplus().saturating_sub(of(&both_removed, word));
            if surplus > 0 && !is_a_side && !called_so && surplus > self.patterned(count) {
                let more = extra.map_or(0, |(_, n)| n) + surplus;
                extra = Some((word, more));
            }
        }
        let (word, n) = extra?;
        let renames: usize = renamed.iter().map(|r| r.others).sum();
        (n > renames).then(|| format!("'{}' would stand there too often", shown(word)))
    }

    /// No line stands more often than in any version.
    fn twice(&self) -> Option<String> {
        if self.is_a_side() {
            return None;
        }
        let tally = self.tally(|rows| rows.solid().collect::<Vec<_>>());
        let twice = |(row, count): &(&Vec<u8>, &Count)| {
            let most = count.base.max(count.ours).max(count.theirs);
            count.result > most.max(1) && is_worded(row)
        };
        let (row, _) = tally.sorted().into_iter().find(twice)?;
        Some(format!("'{}' would stand there twice", shown(row)))
    }

    /// Nothing is imported, declared or given a value more often than in any version.
    fn names(&self) -> Option<String> {
        if self.is_a_side() {
            return None;
        }
        let of = |rows: &Rows<'a>| rows.0.iter().flat_map(|row| given_names(row)).collect();
        let tally: Tally<Vec<u8>> = self.tally(of);
        let twice = |(_, count): &(&Vec<u8>, &Count)| {
            let most = count.base.max(count.ours).max(count.theirs);
            count.result > most.max(1)
        };
        let (name, _) = tally.sorted().into_iter().find(twice)?;
        Some(format!("'{}' would be given twice", shown(name)))
    }

    /// No row of base has become two.
    fn successors(&self) -> Option<String> {
        let set = |rows: &Rows<'a>| rows.solid().collect::<HashSet<_>>();
        let (base, ours, theirs, outcome) = (
            set(&self.base),
            set(&self.ours),
            set(&self.theirs),
            set(&self.outcome),
        );
        let successor = |gone: &[u8], side: &Rows<'a>| {
            let words: HashSet<&[u8]> = names(gone).collect();
            let like = |row: &[u8]| {
                let own: HashSet<&[u8]> = names(row).collect();
                let shared = own.intersection(&words).count();
                (2 * shared >= own.len().max(words.len()) && shared > 0).then_some(shared)
            };
            let new = side.0.iter().filter(|row| !base.contains(&solid(row)));
            let best = new.filter_map(|row| Some((like(row)?, solid(row))));
            best.max_by_key(|(shared, _)| *shared).map(|(_, row)| row)
        };
        for row in &self.base.0 {
            let key = solid(row);
            if ours.contains(&key) || theirs.contains(&key) {
                continue;
            }
            if let (Some(a), Some(b)) = (successor(row, &self.ours), successor(row, &self.theirs))
                && a != b
                && outcome.contains(&a)
                && outcome.contains(&b)
                && !ours.contains(&b)
                && !theirs.contains(&a)
            {
                return Some(format!("'{}' would become two", shown(row)));
            }
        }
        None
    }

    /// Lines and words that stand once keep the order that they have on every side.
    fn order(&self) -> Option<String> {
        let rows = |rows: &Rows<'a>| -> Vec<Vec<u8>> {
            let worded = rows.0.iter().filter(|row| is_worded(row));
            worded.map(|row| solid(row)).collect()
        };
        // A new word may stand for one that the other side put elsewhere.
        let base: HashSet<&[u8]> = self.base.words().collect();
        let words = |rows: &Rows<'a>| {
            let kept = rows.words().filter(|word| base.contains(word));
            kept.map(<[u8]>::to_vec).collect()
        };
        (self.out_of_order(rows))
            .or_else(|| self.out_of_order(words))
            .or_else(|| self.new_word_astray())
    }

    /// A word that a side put between two that all keep stands between them, where the other side
    /// left alone what had stood there.
    fn new_word_astray(&self) -> Option<String> {
        let words = |rows: &Rows<'a>| rows.words().collect::<Vec<&[u8]>>();
        let [base, ours, theirs, outcome] =
            [&self.base, &self.ours, &self.theirs, &self.outcome].map(words);
        let once = |all: &[&'a [u8]]| {
            let mut places: HashMap<&'a [u8], Option<usize>> = HashMap::new();
            for (nth, word) in all.iter().enumerate() {
                places
                    .entry(word)
                    .and_modify(|p| *p = None)
                    .or_insert(Some(nth));
            }
            places
        };
        let places = [&base, &ours, &theirs, &outcome].map(|all| once(all));
        let at = |nth: usize, word: &[u8]| places[nth].get(word).copied().flatten();
        let kept = |word: &&&[u8]| (0..4).all(|nth| at(nth, word).is_some());
        for (side, other, nth) in [(&ours, &theirs, 2), (&theirs, &ours, 1)] {
            for (place, word) in side.iter().enumerate() {
                if places[0].contains_key(word) || places[nth].contains_key(word) {
                    continue;
                }
                let (before, behind) = (
                    side[..place].iter().rev().find(kept),
                    side[place + 1..].iter().find(kept),
                );
                let (Some(before), Some(behind), Some(stands)) = (before, behind, at(3, word))
                else {
                    continue;
                };
                let between = |nth: usize, all: &[&'a [u8]]| -> Option<Vec<&'a [u8]>> {
                    Some(all.get(at(nth, before)? + 1..at(nth, behind)?)?.to_vec())
                };
                let left_alone =
                    between(0, &base).is_some() && between(0, &base) == between(nth, other);
                let (from, to) = (at(3, before)?, at(3, behind)?);
                if left_alone && from < to && !(from..to).contains(&stands) {
                    return Some(format!("'{}' would stand out of order", shown(word)));
                }
            }
        }
        None
    }

    fn out_of_order(&self, keys: impl Fn(&Rows<'a>) -> Vec<Vec<u8>>) -> Option<String> {
        let places = |rows: &Rows<'a>| {
            let mut places: HashMap<Vec<u8>, Option<usize>> = HashMap::new();
            for (nth, key) in keys(rows).into_iter().enumerate() {
                let twice = |place: &mut Option<usize>| *place = None;
                places.entry(key).and_modify(twice).or_insert(Some(nth));
            }
            places.retain(|_, place| place.is_some());
            places
        };
        let [base, ours, theirs, outcome] =
            [&self.base, &self.ours, &self.theirs, &self.outcome].map(places);
        for (side, other) in [(&ours, &theirs), (&theirs, &ours)] {
            let mut stands: Vec<(&Vec<u8>, usize)> = (outcome.iter())
                .filter(|(key, _)| side.contains_key(*key))
                .filter_map(|(key, place)| Some((key, (*place)?)))
                .collect();
            stands.sort_by_key(|(_, place)| *place);
            for pair in stands.windows(2) {
                let (first, second) = (pair[0].0, pair[1].0);
                let before = |places: &HashMap<Vec<u8>, Option<usize>>| {
                    Some(places.get(first)?.as_ref()? < places.get(second)?.as_ref()?)
                };
                // Where the other side has them that way round and base had not, it moved them.
                let moved = before(other) == Some(true) && before(&base) != Some(true);
                if before(side) == Some(false) && !moved {
                    return Some(format!("'{}' would stand out of order", shown(second)));
                }
            }
        }
        None
    }

    /// Brackets and quotes balance as both changes together make them.
    fn balance(&self) -> Option<String> {
        let depth = |rows: &Rows<'a>, open: u8, close: u8| {
            let signs = rows.0.iter().flat_map(|row| row.iter());
            signs.fold(0isize, |n, b| {
                n + isize::from(*b == open) - isize::from(*b == close)
            })
        };
        for (open, close) in [(b'(', b')'), (b'[', b']'), (b'{', b'}')] {
            let of = |rows| depth(rows, open, close);
            let [b, o, t, r] = [&self.base, &self.ours, &self.theirs, &self.outcome].map(of);
            let both = b + (o - b) + (t - b);
            if r != both && r != o && r != t {
                return Some(format!(
                    "'{}' and '{}' would not balance",
                    open as char, close as char
                ));
            }
        }
        let odd = |rows: &Rows<'a>| {
            let signs = rows.0.iter().flat_map(|row| row.iter());
            signs.filter(|b| **b == b'"').count() % 2
        };
        let [b, o, t, r] = [&self.base, &self.ours, &self.theirs, &self.outcome].map(odd);
        (b == 0 && o == 0 && t == 0 && r != 0).then(|| "a string would not end".to_owned())
    }
}

/// Both sides counted one up for a line of their own: with both lines the number is wrong.
fn counter(plan: &Plan, id: RegionId, texts: &Texts<'_>) -> Option<String> {
    let rows = |rows: &Rows<'_>| rows.solid().collect::<HashSet<_>>();
    let base = rows(&texts.base);
    let (ours, theirs, outcome) = (rows(&texts.ours), rows(&texts.theirs), rows(&texts.outcome));
    let adds = |side: &HashSet<Vec<u8>>, other: &HashSet<Vec<u8>>| {
        let mut new = side.difference(&base).filter(|row| !other.contains(*row));
        new.any(|row| outcome.contains(row))
    };
    if !adds(&ours, &theirs) || !adds(&theirs, &ours) {
        return None;
    }
    let near = id.0.saturating_sub(NEAR)..=(id.0 + NEAR).min(plan.regions().len() as u32 - 1);
    let same = near.map(RegionId).map(|id| plan.region(id));
    let same = same.filter(|region| region.kind == RegionKind::Same);
    for region in same {
        let versions = plan.versions();
        let words = |version: Version| -> Vec<&[u8]> {
            let lines = versions.get(version).lines(region.lines(version));
            lines
                .flat_map(|line| solid_tokens(line.content()))
                .collect()
        };
        let (was, is) = (words(Version::Base), words(Version::Ours));
        let counted = was.len() == is.len()
            && was != is
            && was
                .iter()
                .zip(&is)
                .all(|(a, b)| a == b || is_number(a) && is_number(b));
        if counted {
            return Some("both sides changed a number beside it alike".to_owned());
        }
    }
    None
}

/// A list that all keep in order, with the rows around the conflict, is in order with the outcome.
fn kept_list(plan: &Plan, id: RegionId, outcome: &Source) -> Option<String> {
    let region = plan.region(id);
    let versions = plan.versions();
    let row = |source: &Source, at: u32| source.line(LineIdx(at)).trimmed().to_vec();
    let around = |version: Version| -> (Vec<Vec<u8>>, Vec<Vec<u8>>) {
        let (source, lines) = (versions.get(version), region.lines(version));
        let before = lines.start.0.saturating_sub(LIST_ROWS)..lines.start.0;
        let behind = lines.end.0..(lines.end.0 + LIST_ROWS).min(source.len() as u32);
        let of = |range: Range<u32>| range.map(|at| row(source, at)).collect();
        (of(before), of(behind))
    };
    let all = |version: Version| {
        let (source, lines) = (versions.get(version), region.lines(version));
        let own = lines.iter().map(|at| row(source, at.0));
        let (before, behind) = around(version);
        [before, own.collect(), behind].concat()
    };
    let (before, behind) = around(Version::Ours);
    let own = outcome.all().iter().map(|at| row(outcome, at.0));
    let own: Vec<Vec<u8>> = own.collect();
    let kind = own.first().and_then(|row| kind_of(row))?;
    if own.iter().any(|row| kind_of(row) != Some(kind)) {
        return None;
    }
    let result = [before, own, behind].concat();
    let is_sorted = |rows: &[Vec<u8>], order: Order| {
        let rows = rows.iter().filter(|row| kind_of(row) == Some(kind));
        rows.map(|row| order(row)).is_sorted()
    };
    let orders: [Order; 2] = [<[u8]>::to_vec, <[u8]>::to_ascii_lowercase];
    let lists = Version::ALL.map(all);
    let kept = orders
        .iter()
        .filter(|order| lists.iter().all(|list| is_sorted(list, **order)));
    let kept: Vec<_> = kept.collect();
    let broken = !kept.is_empty() && !kept.iter().any(|order| is_sorted(&result, **order));
    broken.then(|| "a list that all keep in order would not be".to_owned())
}

/// What a row is placed by.
type Order = fn(&[u8]) -> Vec<u8>;

/// Rows around a conflict that are looked at for an order.
const LIST_ROWS: u32 = 3;

/// Regions before and behind a conflict in which a number may count its lines.
const NEAR: u32 = 2;
