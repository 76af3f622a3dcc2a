//! Rule: both sides added items to one list that stands in one line.

use crate::decide::ruling::Certainty::Likely;
use crate::merge::list_items::entry_name;
use crate::model::segment::Segment;
use crate::model::side::Side;
use crate::model::versions::Version;
use crate::rules::conflict::Conflict;
use crate::rules::rule::{Example, Proposal, Rule, RuleContext};
use crate::text::source::LineEnd;

pub(crate) struct ListEnd;

impl Rule for ListEnd {
    fn id(&self) -> &'static str {
        "list-end"
    }

    fn title(&self) -> &'static str {
        "both sides added to a list in one line"
    }

    fn propose(&self, conflict: &Conflict<'_>, context: &RuleContext) -> Option<Proposal> {
        let row = |version: Version| {
            let lines = conflict.region().lines(version);
            (lines.len() == 1).then(|| conflict.versions().get(version).line(lines.start))
        };
        let [base, ours, theirs] = [
            row(Version::Base)?,
            row(Version::Ours)?,
            row(Version::Theirs)?,
        ];
        if ours.indent() != theirs.indent() || ours.end() == LineEnd::None {
            return None;
        }
        let merged = both(base.trimmed(), ours.trimmed(), theirs.trimmed())?;
        let text = [ours.indent(), &merged, ours.trailing(), ours.end().bytes()].concat();
        let reason = format!(
            "{} and {} each added to the end of a list; {} comes first",
            context.ours,
            context.theirs,
            context.label(Side::Ours)
        );
        Some(Proposal::likely(
            conflict.resolution(vec![Segment::Text(text)]),
            reason,
        ))
    }

    fn examples(&self) -> &'static [Example] {
        &[
            Example {
                path: "a.py",
                base: "berths = [east, west]\n",
                ours: "berths = [east, west, north]\n",
                theirs: "berths = [east, west, south]\n",
                gives: Some((Likely, "berths = [east, west, north, south]\n")),
            },
            Example {
                path: "a.js",
                base: "const fee = { day: 1 };\n",
                ours: "const fee = { day: 1, night: 2 };\n",
                theirs: "const fee = { day: 1, feast: 3 };\n",
                gives: Some((Likely, "const fee = { day: 1, night: 2, feast: 3 };\n")),
            },
            Example {
                path: "a.py",
                base: "berths = []\n",
                ours: "berths = [north]\n",
                theirs: "berths = [south]\n",
                gives: Some((Likely, "berths = [north, south]\n")),
            },
            // The same key twice, the same item twice.
            Example {
                path: "a.js",
                base: "const fee = { day: 1 };\n",
                ours: "const fee = { day: 1, night: 2 };\n",
                theirs: "const fee = { day: 1, night: 3 };\n",
                gives: None,
            },
            Example {
                path: "a.py",
                base: "berths = [east]\n",
                ours: "berths = [east, north]\n",
                theirs: "berths = [east, south, north]\n",
                gives: None,
            },
            // Which argument comes first matters.
            Example {
                path: "a.py",
                base: "moor(ship)\n",
                ours: "moor(ship, tide)\n",
                theirs: "moor(ship, wind)\n",
                gives: None,
            },
            Example {
                path: "a.py",
                base: "name = berths[n]\n",
                ours: "name = berths[n + 1]\n",
                theirs: "name = berths[n - 1]\n",
                gives: None,
            },
        ]
    }
}

/// The row with what both put in before the same closing bracket.
fn both(base: &[u8], ours: &[u8], theirs: &[u8]) -> Option<Vec<u8>> {
    let common = |a: &[u8], b: &[u8]| a.iter().zip(b).take_while(|(a, b)| a == b).count();
    let head = common(base, ours).min(common(base, theirs));
    // All of base that is not before the new items stands behind them.
    let tail = &base[head..];
    let new = |side: &'_ [u8]| -> Option<Vec<u8>> {
        Some(side.get(head..)?.strip_suffix(tail)?.to_vec())
    };
    let closing = tail.trim_ascii_start().first()?;
    let opening = match closing {
        b']' => b'[',
        b'}' => b'{',
        _ => return None,
    };
    let head = &base[..head];
    if unclosed(head)? != opening {
        return None;
    }
    let is_empty = head.trim_ascii_end().last() == Some(&opening);
    let items = |side: &[u8]| -> Option<Vec<Vec<u8>>> {
        let new = new(side)?;
        let new = new.trim_ascii();
        let list = match is_empty {
            true => new,
            false => new.strip_prefix(b",")?,
        };
        let items: Vec<Vec<u8>> = list
            .split(|b| *b == b',')
            .map(|i| i.trim_ascii().to_vec())
            .collect();
        // Commas inside of brackets and strings part nothing.
        let plain = |item: &Vec<u8>| {
            !item.is_empty() && !item.iter().any(|b| b"()[]{}\"'`".contains(b)) || is_string(item)
        };
        items.iter().all(plain).then_some(items)
    };
    let (first, second) = (items(ours)?, items(theirs)?);
    // A key is known by its name, everything else by itself, in whatever spelling.
    let name = |item: &Vec<u8>| {
        let own = entry_name(item).unwrap_or(item);
        let letters = own
            .iter()
            .filter(|b| b.is_ascii_alphanumeric() || **b >= 0x80);
        let letters: Vec<u8> = letters.map(u8::to_ascii_lowercase).collect();
        if letters.is_empty() {
            own.to_vec()
        } else {
            letters
        }
    };
    let names: Vec<Vec<u8>> = first.iter().map(name).collect();
    if second.iter().map(name).any(|n| names.contains(&n)) {
        return None;
    }
    let all = [first, second].concat().join(&b", "[..]);
    let before: &[u8] = if is_empty { b"" } else { b", " };
    // The blank before the bracket, where the list has one.
    let blank: &[u8] = match (is_empty, head.last()) {
        (true, Some(b' ')) => b" ",
        _ => b"",
    };
    Some([head.trim_ascii_end(), blank, before, &all, tail].concat())
}

fn is_string(item: &[u8]) -> bool {
    matches!(item, [a @ (b'"' | b'\''), inner @ .., b] if a == b && !inner.contains(a))
}

/// The bracket that is open at the end of a text.
fn unclosed(text: &[u8]) -> Option<u8> {
    let mut open = Vec::new();
    for b in text {
        match b {
            b'(' | b'[' | b'{' => open.push(*b),
            b')' | b']' | b'}' => drop(open.pop()),
            _ => {}
        }
    }
    open.pop()
}
