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
use crate::plan::structure::Apart;
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::{Source, is_blank};
use crate::text::tokens::{is_name, is_space, is_worded, solid_tokens};
use crate::witness::names::given_names;
use crate::witness::tally::{Count, Tally, Text};
use foldhash::{HashMap, HashMapExt, HashSet};
use std::borrow::Cow;
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
    let most = texts.all().map(|(_, rows)| rows.rows.len()).max();
    if most > Some(WITNESS_LINES) {
        return Some("it is too long to check".to_owned());
    }
    if matches!(plan.apart(id), Some(Apart::BothAdded { .. })) {
        return texts.both_whole();
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
struct Rows<'a> {
    rows: Vec<&'a [u8]>,
    /// Each row without any blanks.
    solid: Vec<Cow<'a, [u8]>>,
}

impl<'a> Rows<'a> {
    fn new(source: &'a Source, lines: LineRange) -> Self {
        let rows = source.lines(lines).map(|line| line.trimmed());
        let rows: Vec<&[u8]> = rows.filter(|row| !row.is_empty()).collect();
        let solid = rows.iter().map(|row| solid(row)).collect();
        Rows { rows, solid }
    }

    fn solid(&self) -> impl Iterator<Item = &[u8]> {
        self.solid.iter().map(|row| &**row)
    }

    /// Rows as they are, each with itself without any blanks.
    fn both(&self) -> impl Iterator<Item = (&'a [u8], &[u8])> {
        self.rows.iter().copied().zip(self.solid())
    }

    fn words(&self) -> impl Iterator<Item = &'a [u8]> {
        self.rows.iter().flat_map(|row| names(row))
    }
}

struct Texts<'a> {
    base: Rows<'a>,
    ours: Rows<'a>,
    theirs: Rows<'a>,
    outcome: Rows<'a>,
}

fn solid(row: &[u8]) -> Cow<'_, [u8]> {
    match row.iter().any(|b| is_blank(*b)) {
        true => Cow::Owned(row.iter().copied().filter(|b| !is_blank(*b)).collect()),
        false => Cow::Borrowed(row),
    }
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
    /// What both sides declared here: all rows of each stand there in their order, and no other. Rows
    /// may well stand in both.
    fn both_whole(&self) -> Option<String> {
        let bare = |row: &[u8]| row.strip_suffix(b",").unwrap_or(row).to_vec();
        let rows =
            |rows: &Rows<'_>| -> Vec<Vec<u8>> { rows.rows.iter().map(|r| bare(r)).collect() };
        let (ours, theirs, outcome) = (rows(&self.ours), rows(&self.theirs), rows(&self.outcome));
        let stands_in_order = |side: &[Vec<u8>]| {
            let mut left = outcome.iter();
            side.iter().all(|row| left.any(|other| other == row))
        };
        if !stands_in_order(&ours) || !stands_in_order(&theirs) {
            return Some("a declaration of one side would be lost".to_owned());
        }
        let mut all = [ours.clone(), theirs.clone()].concat();
        let mut there = outcome.clone();
        all.sort_unstable();
        there.sort_unstable();
        (all != there).then(|| "a declaration would differ from both sides".to_owned())
    }

    fn all(&self) -> impl Iterator<Item = (Text, &Rows<'a>)> {
        [
            (Text::Base, &self.base),
            (Text::Ours, &self.ours),
            (Text::Theirs, &self.theirs),
            (Text::Result, &self.outcome),
        ]
        .into_iter()
    }

    fn tally<'s, K, I>(&'s self, keys: impl Fn(&'s Rows<'a>) -> I) -> Tally<K>
    where
        K: std::hash::Hash + Eq,
        I: IntoIterator<Item = K>,
    {
        let mut tally = Tally::default();
        for (text, rows) in self.all() {
            keys(rows).into_iter().for_each(|key| tally.put(key, text));
        }
        tally
    }

    /// Whether the outcome is what one side has, word for word.
    fn is_a_side(&self) -> bool {
        let same = |side: &Rows<'a>| {
            let outcome = self.outcome.solid().flatten();
            outcome.eq(side.solid().flatten())
        };
        same(&self.ours) || same(&self.theirs)
    }

    /// Words of lines that both sides put in alike, and of those that both took out.
    fn common(&self) -> [HashMap<&'a [u8], usize>; 2] {
        let rows = self.tally(Rows::solid);
        let mut common = [HashMap::new(), HashMap::new()];
        let mut seen: HashMap<&[u8], usize> = HashMap::new();
        for (row, key) in self.ours.both().chain(self.base.both()) {
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
            let known: HashSet<&[u8]> = of.solid().collect();
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
        let tally = self.tally(Rows::words);
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
        // The first and the last in order: which word is reported is the same in every run.
        let mut lost: Option<&[u8]> = None;
        let mut extra: Option<(&[u8], usize)> = None;
        for (&word, count) in tally.iter() {
            if is_number(word) && both_number || Renamed::of(count).is_some() {
                continue;
            }
            let called_so = renamed.iter().any(|r| r.stands_as(count));
            if count.missing() > of(&both_added, word) && !called_so {
                lost = Some(lost.map_or(word, |lost| lost.min(word)));
            }
            let surplus = count.surplus().saturating_sub(of(&both_removed, word));
            if surplus > 0 && !is_a_side && !called_so && surplus > self.patterned(count) {
                extra = Some(extra.map_or((word, surplus), |(e, n)| (e.max(word), n + surplus)));
            }
        }
        if let Some(word) = lost {
            return Some(format!("'{}' would be lost", shown(word)));
        }
        let (word, n) = extra?;
        let renames: usize = renamed.iter().map(|r| r.others).sum();
        (n > renames).then(|| format!("'{}' would appear too often", shown(word)))
    }

    /// No line stands more often than in any version.
    fn twice(&self) -> Option<String> {
        if self.is_a_side() {
            return None;
        }
        let tally = self.tally(Rows::solid);
        let twice = |(row, count): &(&&[u8], &Count)| {
            let most = count.base.max(count.ours).max(count.theirs);
            count.result > most.max(1) && is_worded(row)
        };
        let (row, _) = tally.iter().filter(twice).min_by_key(|(row, _)| **row)?;
        Some(format!("'{}' would appear twice", shown(row)))
    }

    /// Nothing is imported, declared or given a value more often than in any version.
    fn names(&self) -> Option<String> {
        if self.is_a_side() {
            return None;
        }
        let tally = self.tally(|rows| rows.rows.iter().flat_map(|row| given_names(row)));
        let twice = |(_, count): &(&Vec<u8>, &Count)| {
            let most = count.base.max(count.ours).max(count.theirs);
            count.result > most.max(1)
        };
        let (name, _) = tally.iter().filter(twice).min_by_key(|(name, _)| *name)?;
        Some(format!("'{}' would be defined twice", shown(name)))
    }

    /// No row of base has become two.
    fn successors(&self) -> Option<String> {
        fn set<'s>(rows: &'s Rows<'_>) -> HashSet<&'s [u8]> {
            rows.solid().collect()
        }
        let (base, ours, theirs) = (set(&self.base), set(&self.ours), set(&self.theirs));
        let gone = |key: &[u8]| !ours.contains(key) && !theirs.contains(key);
        if self.base.solid().all(|key| !gone(key)) {
            return None;
        }
        let outcome = set(&self.outcome);
        let [new_ours, new_theirs] = [&self.ours, &self.theirs].map(|side| {
            let new = side.both().filter(|(_, key)| !base.contains(key));
            new.map(|(row, key)| (distinct_names(row), key))
                .collect::<Vec<_>>()
        });
        for (row, key) in self.base.both() {
            if !gone(key) {
                continue;
            }
            let words = distinct_names(row);
            if let (Some(a), Some(b)) =
                (successor(&words, &new_ours), successor(&words, &new_theirs))
                && a != b
                && outcome.contains(a)
                && outcome.contains(b)
                && !ours.contains(b)
                && !theirs.contains(a)
            {
                return Some(format!("'{}' would become two", shown(row)));
            }
        }
        None
    }

    /// Lines and words that stand once keep the order that they have on every side.
    fn order(&self) -> Option<String> {
        // A new word may stand for one that the other side put elsewhere.
        let base: HashSet<&[u8]> = self.base.words().collect();
        let rows = self.each(|rows| rows.solid().filter(|row| is_worded(row)).collect());
        out_of_order(rows)
            .or_else(|| {
                out_of_order(self.each(|rows| {
                    let kept = rows.words().filter(|word| base.contains(word));
                    kept.collect()
                }))
            })
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
        let kept = |word: &[u8]| (0..4).all(|nth| at(nth, word).is_some());
        for (side, other, nth) in [(&ours, &theirs, 2), (&theirs, &ours, 1)] {
            let mut ends = side
                .iter()
                .enumerate()
                .filter(|(_, word)| kept(word))
                .peekable();
            let mut before: Option<&[u8]> = None;
            // What is between the two words that all keep is compared once for all words there.
            let mut left_alone = None;
            for (place, word) in side.iter().enumerate() {
                if ends.peek().is_some_and(|(end, _)| *end == place) {
                    (before, left_alone) = (Some(*word), None);
                    ends.next();
                    continue;
                }
                if places[0].contains_key(word) || places[nth].contains_key(word) {
                    continue;
                }
                let behind = ends.peek().map(|(_, word)| **word);
                let (Some(before), Some(behind), Some(stands)) = (before, behind, at(3, word))
                else {
                    continue;
                };
                let left_alone = *left_alone.get_or_insert_with(|| {
                    let between = |nth: usize, all: &'_ [&'a [u8]]| {
                        Some(at(nth, before)? + 1..at(nth, behind)?)
                            .filter(|r| all.get(r.clone()).is_some())
                    };
                    let (of_base, of_other) = (between(0, &base), between(nth, other));
                    of_base
                        .zip(of_other)
                        .is_some_and(|(a, b)| base[a] == other[b])
                });
                let (from, to) = (at(3, before)?, at(3, behind)?);
                if left_alone && from < to && !(from..to).contains(&stands) {
                    return Some(format!("'{}' would be out of order", shown(word)));
                }
            }
        }
        None
    }

    /// Base, ours, theirs and the outcome as keys.
    fn each<'s>(&'s self, keys: impl Fn(&'s Rows<'a>) -> Vec<&'s [u8]>) -> [Vec<&'s [u8]>; 4] {
        [&self.base, &self.ours, &self.theirs, &self.outcome].map(keys)
    }

    /// Brackets and quotes balance as both changes together make them.
    fn balance(&self) -> Option<String> {
        let depth = |rows: &Rows<'a>, open: u8, close: u8| {
            let signs = rows.rows.iter().flat_map(|row| row.iter());
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
            let signs = rows.rows.iter().flat_map(|row| row.iter());
            signs.filter(|b| **b == b'"').count() % 2
        };
        let [b, o, t, r] = [&self.base, &self.ours, &self.theirs, &self.outcome].map(odd);
        (b == 0 && o == 0 && t == 0 && r != 0).then(|| "a string would not end".to_owned())
    }
}

/// The names of a row, each once, in order.
fn distinct_names(row: &[u8]) -> Vec<&[u8]> {
    let mut all: Vec<&[u8]> = names(row).collect();
    all.sort_unstable();
    all.dedup();
    all
}

/// Of the new rows of a side the one that shares most with `words`, if it shares half.
fn successor<'a>(words: &[&[u8]], new: &[(Vec<&[u8]>, &'a [u8])]) -> Option<&'a [u8]> {
    let like = |own: &[&[u8]]| {
        let shared = own.iter().filter(|w| words.binary_search(w).is_ok());
        let shared = shared.count();
        (2 * shared >= own.len().max(words.len()) && shared > 0).then_some(shared)
    };
    let best = new.iter().filter_map(|(own, key)| Some((like(own)?, *key)));
    best.max_by_key(|(shared, _)| *shared).map(|(_, key)| key)
}

/// What stands once in base, ours, theirs and the outcome, and in the outcome elsewhere than on a
/// side that has it.
fn out_of_order(texts: [Vec<&[u8]>; 4]) -> Option<String> {
    let places = texts.each_ref().map(|keys| {
        let mut places: HashMap<&[u8], Option<usize>> = HashMap::with_capacity(keys.len());
        for (nth, key) in keys.iter().enumerate() {
            let twice = |place: &mut Option<usize>| *place = None;
            places.entry(key).and_modify(twice).or_insert(Some(nth));
        }
        places
    });
    let [base, ours, theirs, outcome] = &places;
    let once = |places: &HashMap<&[u8], Option<usize>>, key: &[u8]| *places.get(key)?;
    for (side, other) in [(ours, theirs), (theirs, ours)] {
        let stands = texts[3]
            .iter()
            .filter(|key| once(outcome, key).is_some() && once(side, key).is_some());
        let mut before: Option<&[u8]> = None;
        for key in stands {
            let first = before.replace(key);
            let Some(first) = first else { continue };
            let order = |places| Some(once(places, first)? < once(places, key)?);
            // Where the other side has them that way round and base had not, it moved them.
            let moved = order(other) == Some(true) && order(base) != Some(true);
            if order(side) == Some(false) && !moved {
                return Some(format!("'{}' would be out of order", shown(key)));
            }
        }
    }
    None
}

/// Both sides counted one up for a line of their own: with both lines the number is wrong.
fn counter(plan: &Plan, id: RegionId, texts: &Texts<'_>) -> Option<String> {
    let rows = texts.each(|rows| rows.solid().collect());
    let [base, ours, theirs, outcome] =
        rows.map(|rows| rows.into_iter().collect::<HashSet<&[u8]>>());
    let adds = |side: &HashSet<&[u8]>, other: &HashSet<&[u8]>| {
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
            return Some("both sides made the same change to a number next to it".to_owned());
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
    let own = outcome.all().iter().map(|at| row(outcome, at.0));
    let own: Vec<Vec<u8>> = own.collect();
    let kind = own.first().and_then(|row| kind_of(row))?;
    if own.iter().any(|row| kind_of(row) != Some(kind)) {
        return None;
    }
    // The lines around it may be those of either side.
    let results = [Version::Ours, Version::Theirs].map(|version| {
        let (before, behind) = around(version);
        [before, own.clone(), behind].concat()
    });
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
    let stays = |result: &Vec<Vec<u8>>| kept.iter().any(|order| is_sorted(result, **order));
    let broken = !kept.is_empty() && !results.iter().all(stays);
    broken.then(|| "a list that every version keeps sorted would not be sorted".to_owned())
}

/// What a row is placed by.
type Order = fn(&[u8]) -> Vec<u8>;

/// Rows around a conflict that are looked at for an order.
const LIST_ROWS: u32 = 3;

/// Regions before and behind a conflict in which a number may count its lines.
const NEAR: u32 = 2;
