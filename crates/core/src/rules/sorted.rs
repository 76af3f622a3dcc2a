//! Rule: both sides changed a list that is kept sorted.

use crate::decide::ruling::Certainty::{Certain, Likely};
use crate::limits::{LIST_NEIGHBOURS, ORDERED_ENTRIES, ORDERED_LINES};
use crate::merge::list_items::{ENTRY, entry_name, kind_of};
use crate::model::segment::Segment;
use crate::model::side::Side;
use crate::model::versions::Version;
use crate::rules::conflict::Conflict;
use crate::rules::rule::{Example, Proposal, Rule, RuleContext};
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::{Line, LineEnd};
use std::collections::HashSet;

pub(crate) struct Sorted;

/// What a line is placed by.
type Order = fn(&[u8]) -> Vec<u8>;

/// The ways in which people keep lists in order.
const ORDERS: [Order; 4] = [by_bytes, by_letters, imports_first, by_path];

impl Rule for Sorted {
    fn id(&self) -> &'static str {
        "sorted"
    }

    fn title(&self) -> &'static str {
        "both sides added to a sorted list"
    }

    fn propose(&self, conflict: &Conflict<'_>, context: &RuleContext) -> Option<Proposal> {
        if !Side::BOTH
            .iter()
            .all(|side| starts_as_a_list(conflict, *side))
        {
            return None;
        }
        let lists = Version::ALL.map(|v| List::of(conflict, v));
        let [ours, theirs, base] = &lists;
        if !lists.iter().all(List::looks_like_a_list)
            || ours.items.is_empty()
            || theirs.items.is_empty()
        {
            return None;
        }
        let [kind, other] = [ours, theirs].map(|list| list.items.first().map(|(i, _)| kind_of(i)));
        if kind != other {
            return None;
        }
        let kept = |order: &&Order| ours.is_sorted(**order) && theirs.is_sorted(**order);
        let orders: Vec<_> = ORDERS.iter().filter(kept).collect();
        let merged: Vec<_> = orders
            .iter()
            .map(|order| merge(conflict, &lists, **order))
            .collect();
        let first = merged.first()?.clone()?;
        let agreed = merged.iter().all(|m| m.as_ref() == Some(&first));
        let least = ours.len().min(theirs.len());
        let entries = kind == Some(Some(ENTRY));
        if entries && (least < ORDERED_ENTRIES || !agreed || !base.is_sorted(*orders[0])) {
            return None;
        }
        let certainty = match agreed && least >= ORDERED_LINES && base.is_sorted(*orders[0]) {
            true if !entries => Certain,
            _ => Likely,
        };
        let reason = format!(
            "{} and {} each changed a list that every version keeps sorted; the order gives every line its place",
            context.ours, context.theirs
        );
        Some(Proposal::new(certainty, conflict.resolution(first), reason))
    }

    fn examples(&self) -> &'static [Example] {
        &[
            Example {
                path: "a.rs",
                base: "use harbour::berth;\nuse harbour::tide;\n",
                ours: "use harbour::berth;\nuse harbour::pilot;\nuse harbour::tide;\n",
                theirs: "use harbour::berth;\nuse harbour::crane;\nuse harbour::tide;\n",
                gives: Some((
                    Certain,
                    "use harbour::berth;\nuse harbour::crane;\nuse harbour::pilot;\nuse harbour::tide;\n",
                )),
            },
            Example {
                path: "a.py",
                base: "from harbour import berth\nfrom harbour import tide\n",
                ours: "from harbour import berth\nfrom harbour import pilot\nfrom harbour import tide\n",
                theirs: "from harbour import berth\nfrom harbour.night import lamp\nfrom harbour import tide\n",
                gives: Some((
                    Certain,
                    "from harbour import berth\nfrom harbour.night import lamp\nfrom harbour import pilot\nfrom harbour import tide\n",
                )),
            },
            Example {
                path: "a.py",
                base: "from harbour import berth\n",
                ours: "from harbour import berth, pilot\n",
                theirs: "from harbour import berth, lamp\n",
                gives: None,
            },
            Example {
                path: "a.py",
                base: "",
                ours: "import pilot\n",
                theirs: "import crane\n",
                gives: Some((Likely, "import crane\nimport pilot\n")),
            },
            Example {
                path: "a.py",
                base: "    berth=1,\n    crane=2,\n    tide=3,\n    wind=4,\n",
                ours: "    berth=1,\n    crane=2,\n    pilot=5,\n    tide=3,\n    wind=4,\n",
                theirs: "    berth=1,\n    crane=2,\n    lamp=6,\n    tide=3,\n    wind=4,\n",
                gives: Some((
                    Likely,
                    "    berth=1,\n    crane=2,\n    lamp=6,\n    pilot=5,\n    tide=3,\n    wind=4,\n",
                )),
            },
            Example {
                path: "a.py",
                base: "    berth=1,\n    wind=4,\n    crane=2,\n    tide=3,\n",
                ours: "    berth=1,\n    wind=4,\n    pilot=5,\n    crane=2,\n    tide=3,\n",
                theirs: "    berth=1,\n    wind=4,\n    lamp=6,\n    crane=2,\n    tide=3,\n",
                gives: None,
            },
            Example {
                path: "a.py",
                base: "    berth=1,\n    crane=2,\n    tide=3,\n    wind=4,\n    yard=5,\n",
                ours: "    berth=1,\n    crane=2,\n    tide=low,\n    wind=4,\n    yard=5,\n",
                theirs: "    berth=1,\n    crane=2,\n    tide=high,\n    wind=4,\n    yard=5,\n",
                gives: None,
            },
            Example {
                path: "a.rs",
                base: "",
                ours: "use tide;\n",
                theirs: "at = \"1.4.2\"\n",
                gives: None,
            },
            Example {
                path: "a.rs",
                base: "moor(ship);\nlog(ship);\n",
                ours: "moor(ship);\npay(ship);\nlog(ship);\n",
                theirs: "moor(ship);\ncheck(ship);\nlog(ship);\n",
                gives: None,
            },
        ]
    }
}

fn by_bytes(item: &[u8]) -> Vec<u8> {
    item.to_vec()
}

fn by_letters(item: &[u8]) -> Vec<u8> {
    item.to_ascii_lowercase()
}

/// Whole modules before names out of modules.
fn imports_first(item: &[u8]) -> Vec<u8> {
    let late = u8::from(item.starts_with(b"from "));
    [&[late], item.to_ascii_lowercase().as_slice()].concat()
}

/// Names by their whole path, wherever the word for bringing them in stands.
fn by_path(item: &[u8]) -> Vec<u8> {
    let words: Vec<&[u8]> = item
        .split(|b| *b == b' ')
        .filter(|w| !w.is_empty())
        .collect();
    let path = match words.as_slice() {
        [b"from", module, b"import", names @ ..] => [module, &b"."[..], &names.concat()].concat(),
        [b"import", module, ..] => module.to_vec(),
        _ => item.to_vec(),
    };
    path.to_ascii_lowercase()
}

/// Whether two lines bring names in from one place that would stand in one line.
fn of_one_place(a: &[u8], b: &[u8]) -> bool {
    let module = |item: &[u8]| -> Option<Vec<u8>> {
        let rest = item.strip_prefix(b"from ")?;
        let at = rest.windows(8).position(|w| w == b" import ")?;
        Some(rest[..at].to_vec())
    };
    let several = a.contains(&b',') || b.contains(&b',');
    several && module(a).is_some() && module(a) == module(b)
}

/// Whether the first line of a side is an item: quick to tell, and most conflicts have none.
fn starts_as_a_list(conflict: &Conflict<'_>, side: Side) -> bool {
    let lines = conflict.region().lines(side.into());
    let text = conflict.versions().get(side.into());
    !lines.is_empty() && kind_of(text.line(lines.start).trimmed()).is_some()
}

/// The lines of one version in the conflict, with a few unchanged ones around.
struct List<'a> {
    before: Vec<&'a [u8]>,
    /// Lines in the conflict: without blanks, and where each is.
    items: Vec<(&'a [u8], u32)>,
    after: Vec<&'a [u8]>,
    indents: HashSet<&'a [u8]>,
    blank_inside: bool,
}

impl<'a> List<'a> {
    fn of(conflict: &Conflict<'a>, version: Version) -> Self {
        let (text, lines) = (
            conflict.versions().get(version),
            conflict.region().lines(version),
        );
        let mut indents = HashSet::new();
        let mut blank_inside = false;
        let mut items = Vec::new();
        for idx in lines.iter() {
            let line = text.line(idx);
            blank_inside |= line.trimmed().is_empty();
            indents.insert(line.indent());
            items.push((line.trimmed(), idx.0));
        }
        let near = |from: u32, to: u32, back: bool| -> Vec<&'a [u8]> {
            let lines = text.lines(LineRange::new(from, to));
            let mut near: Vec<_> = lines.collect();
            if back {
                near.reverse();
            }
            let indent = |line: &Line<'a>| indents.is_empty() || indents.contains(line.indent());
            let same = |line: &Line<'a>| !line.trimmed().is_empty() && indent(line);
            let mut near: Vec<_> = near
                .into_iter()
                .take_while(same)
                .map(|l| l.trimmed())
                .collect();
            if back {
                near.reverse();
            }
            near
        };
        let before = near(
            lines.start.0.saturating_sub(LIST_NEIGHBOURS),
            lines.start.0,
            true,
        );
        let after = near(
            lines.end.0,
            (lines.end.0 + LIST_NEIGHBOURS).min(text.len() as u32),
            false,
        );
        List {
            before,
            items,
            after,
            indents,
            blank_inside,
        }
    }

    fn len(&self) -> usize {
        self.before.len() + self.items.len() + self.after.len()
    }

    fn all(&self) -> impl Iterator<Item = &'a [u8]> {
        let items = self.items.iter().map(|(item, _)| *item);
        self.before
            .iter()
            .copied()
            .chain(items)
            .chain(self.after.iter().copied())
    }

    /// One line an item, all of one kind.
    fn looks_like_a_list(&self) -> bool {
        if self.blank_inside || self.indents.len() > 1 {
            return false;
        }
        let mut items = self.items.iter().map(|(item, _)| kind_of(item));
        match items.next() {
            None => true,
            Some(first) => first.is_some() && items.all(|kind| kind == first),
        }
    }

    /// Whether it is in order, as far as its neighbours are items of the same kind.
    fn is_sorted(&self, order: Order) -> bool {
        let kind = self.items.first().and_then(|(item, _)| kind_of(item));
        let near = |item: &&[u8]| kind.is_none() || kind_of(item) == kind;
        let keys: Vec<_> = self.all().filter(near).map(order).collect();
        keys.is_sorted_by(|a, b| a < b)
    }
}

/// What stands in base or is new on a side, unless a side took it out; in order.
fn merge(
    conflict: &Conflict<'_>,
    [ours, theirs, base]: &[List<'_>; 3],
    order: Order,
) -> Option<Vec<Segment>> {
    let set = |list: &List<'_>| -> HashSet<Vec<u8>> {
        list.items.iter().map(|(i, _)| i.to_vec()).collect()
    };
    let (in_base, in_ours, in_theirs) = (set(base), set(ours), set(theirs));
    let stays = |item: &[u8]| {
        !in_base.contains(item) || (in_ours.contains(item) && in_theirs.contains(item))
    };
    let mut seen = HashSet::new();
    let mut all: Vec<(Vec<u8>, Version, u32)> = Vec::new();
    for (list, version) in [(ours, Version::Ours), (theirs, Version::Theirs)] {
        for (item, at) in &list.items {
            if stays(item) && seen.insert(item.to_vec()) {
                all.push((order(item), version, *at));
            }
        }
    }
    all.sort_by(|a, b| a.0.cmp(&b.0));
    let item = |version: Version, at: u32| {
        let text = conflict.versions().get(version);
        text.line(LineIdx(at)).trimmed()
    };
    // One name that stands for two things is a clash.
    let names = all
        .iter()
        .filter_map(|(_, v, at)| entry_name(item(*v, *at)));
    if names.clone().collect::<HashSet<_>>().len() < names.count() {
        return None;
    }
    let torn = all.iter().enumerate().any(|(n, (_, v, at))| {
        let later = all[n + 1..].iter().filter(|(_, w, _)| w != v);
        let mut later = later.map(|(_, w, other)| item(*w, *other));
        later.any(|other| of_one_place(item(*v, *at), other))
    });
    if torn {
        return None;
    }
    // It must fit between its neighbours too.
    let edge = |items: &[&[u8]], last: bool| {
        if last {
            items.last().map(|i| order(i))
        } else {
            items.first().map(|i| order(i))
        }
    };
    let kind = ours.items.first().and_then(|(item, _)| kind_of(item));
    let near = |item: Option<&&[u8]>| item.is_some_and(|i| kind_of(i) == kind);
    let fits_before = !near(ours.before.last())
        || edge(&ours.before, true) < all.first().map(|(k, ..)| k.clone());
    let fits_after =
        !near(ours.after.first()) || all.last().map(|(k, ..)| k.clone()) < edge(&ours.after, false);
    let ended =
        |v: Version, at: u32| conflict.versions().get(v).line(LineIdx(at)).end() != LineEnd::None;
    let all_ended = all.iter().all(|(_, v, at)| ended(*v, *at));
    if !(fits_before && fits_after && all_ended) {
        return None;
    }
    let mut out: Vec<Segment> = Vec::new();
    for (_, version, at) in all {
        match out.last_mut() {
            Some(Segment::Lines(v, lines)) if *v == version && lines.end.0 == at => {
                lines.end.0 += 1
            }
            _ => out.push(Segment::Lines(version, LineRange::new(at, at + 1))),
        }
    }
    Some(out)
}
