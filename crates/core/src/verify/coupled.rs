//! Edits that belong together although they are on different lines, and rows of tables.

use crate::model::side::Side;
use crate::model::versions::Version;
use crate::verify::merge_texts::TextKind;
use crate::verify::result_lines::{LineId, LineSource, Objection, ProofKind, ResultLines, words};
use crate::verify::scopes::Scopes;
use std::collections::HashSet;

/// Keys whose values are chosen together.
const TOGETHER: [[&str; 2]; 11] = [
    ["image", "tag"],
    ["repository", "tag"],
    ["host", "port"],
    ["user", "password"],
    ["username", "password"],
    ["version", "checksum"],
    ["version", "hash"],
    ["version", "sha256"],
    ["url", "sha256"],
    ["url", "checksum"],
    ["min", "max"],
];

/// Rows up to which two edits are beside each other.
const NEAR_ROWS: u32 = 3;
/// Edited lines that are compared with one, before and after it.
const NEAR: usize = 4;

/// Words that may be before a name that gets a value: `public final int n = 2`.
const DECLARING_WORDS: usize = 4;

/// A line of a settled conflict that one side alone changed.
struct Edited<'a> {
    row: u32,
    side: Side,
    line: &'a [u8],
}

/// Returns lines that depend on a line of the same conflict which the other side changed.
pub(crate) fn coupled(lines: &ResultLines<'_>, kind: TextKind) -> Vec<Objection> {
    let plan = lines.draft.plan();
    let in_conflict = |row: u32| {
        let line = lines.line(row);
        line.is_some_and(|line| plan.conflict_of(line.region).is_some())
    };
    let settled = lines.settled().filter(|(row, _)| in_conflict(*row));
    let edited: Vec<Edited<'_>> = settled
        .filter_map(|(row, source)| {
            let sides = lines.changed_by(source.id);
            let [side] = *sides else { return None };
            let line = lines.text(source.version, source.row);
            Some(Edited { row, side, line })
        })
        .collect();
    let mut found = Vec::new();
    for (nth, one) in edited.iter().enumerate() {
        let near = |other: &&Edited<'_>| {
            other.side != one.side && other.row.abs_diff(one.row) <= NEAR_ROWS
        };
        let others = edited[nth.saturating_sub(NEAR)..].iter().take(2 * NEAR);
        let why = others
            .filter(near)
            .find_map(|other| reason(one.line, other.line, kind));
        found.extend(why.and_then(|why| lines.objection(ProofKind::Together, one.row, why)));
    }
    found
}

fn shown(name: &[u8]) -> String {
    String::from_utf8_lossy(name).into_owned()
}

/// Why an edited line depends on a line that the other side edited.
fn reason(line: &[u8], other: &[u8], kind: TextKind) -> Option<String> {
    let may_have_commands = matches!(kind, TextKind::Code | TextKind::Other);
    if may_have_commands && affects_later_commands(other) {
        let command = shown(words(other)[0]);
        return Some(format!(
            "is next to '{command}', which the other side changed and other commands depend on"
        ));
    }
    if let Some(name) = assigned(other)
        && words(line).contains(&name)
        && assigned(line) != Some(name)
    {
        let name = shown(name);
        return Some(format!(
            "uses '{name}', which the other side gave another value"
        ));
    }
    let key = |line: &[u8]| -> Option<String> {
        let word = words(line).into_iter().find(|word| word.len() > 1)?;
        Some(shown(word).to_ascii_lowercase())
    };
    let (one, other) = (key(line)?, key(other)?);
    // In a program these are names of variables like any other.
    let pairs: &[[&str; 2]] = match kind {
        TextKind::Code => &[["color", "background"]],
        _ => &TOGETHER,
    };
    let together = pairs
        .iter()
        .any(|pair| pair.contains(&&*one) && pair.contains(&&*other));
    (together && one != other)
        .then(|| format!("sets '{one}', and the other side changed '{other}', which belongs to it"))
}

/// Whether a line is a command that changes where or how later commands run.
fn affects_later_commands(line: &[u8]) -> bool {
    match words(line)[..] {
        [
            b"cd" | b"pushd" | b"popd" | b"umask" | b"WORKDIR" | b"USER",
            next,
            ..,
        ] => !matches!(next, b"(" | b"=" | b":" | b"."),
        [b"set", b"-" | b"+", ..] => true,
        _ => false,
    }
}

/// The name to which a line gives a value: `n = 2`, `let n: u32 = 2`, `local n = 2`, `n := 2`.
fn assigned(line: &[u8]) -> Option<&[u8]> {
    let all = words(line);
    let at = all.iter().position(|word| *word == b"=")?;
    if all.get(at + 1) == Some(&&b"="[..]) {
        return None;
    }
    // A type may be between the name and its value.
    let end = all[..at].iter().position(|word| *word == b":");
    let [before @ .., name] = &all[..end.unwrap_or(at)] else {
        return None;
    };
    let is_name = |name: &[u8]| name.first().is_some_and(u8::is_ascii_alphabetic);
    let declares = |word: &&[u8]| is_name(word) || *word == b"$";
    (is_name(name) && before.len() <= DECLARING_WORDS && before.iter().all(declares))
        .then_some(*name)
}

/// Returns numbers that both sides changed alike in the first line of a block to which both added lines.
pub(crate) fn outgrown_counts(lines: &ResultLines<'_>, result: &Scopes) -> Vec<Objection> {
    let base = |id: LineId| Some(lines.text(Version::Base, lines.row(Version::Base, id)?));
    let is_count = |id: LineId, now: &[u8]| {
        let Some(old) = base(id) else { return false };
        let (old, now) = (words(old), words(now));
        let differ: Vec<_> = old.iter().zip(&now).filter(|(a, b)| a != b).collect();
        let number = |word: &[u8]| std::str::from_utf8(word).ok()?.parse::<u64>().ok();
        let grew = |(a, b): (&[u8], &[u8])| number(a).zip(number(b)).is_some_and(|(a, b)| a < b);
        old.len() == now.len() && matches!(differ[..], [(a, b)] if grew((a, b)))
    };
    let mut found = Vec::new();
    for (row, source) in lines.settled() {
        let text = lines.text(source.version, source.row);
        let sides = lines.changed_by(source.id);
        let alike = |side: &Side| {
            let own = lines.row((*side).into(), source.id);
            own.is_some_and(|own| lines.text((*side).into(), own) == text)
        };
        if sides.len() < 2 || !sides.iter().all(alike) || !is_count(source.id, text) {
            continue;
        }
        let added: HashSet<Side> = lines
            .settled()
            .filter(|(at, of)| {
                let inside = result.of(*at).is_some_and(|above| above.contains(&row));
                inside && lines.row(Version::Base, of.id).is_none()
            })
            .filter_map(|(_, of)| match *lines.changed_by(of.id) {
                [side] => Some(side),
                _ => None,
            })
            .collect();
        if added.len() == 2 {
            let what =
                "has a number that both sides raised alike, and both added lines to its block";
            found.extend(lines.objection(ProofKind::Together, row, what.to_owned()));
        }
    }
    found
}

/// Members with different numbers that a block must have before equal numbers count as a mistake.
const NUMBERED: usize = 2;

/// Returns new members that have the same number as a new member of the other side, in blocks where every
/// member of base has its own.
pub(crate) fn same_numbers(lines: &ResultLines<'_>, result: &Scopes) -> Vec<Objection> {
    let is_new = |id: LineId| lines.row(Version::Base, id).is_none();
    let mut added: Vec<Numbered<'_>> = Vec::new();
    for (row, source) in lines.settled().filter(|(_, source)| is_new(source.id)) {
        let text = lines.text(source.version, source.row);
        if let Some((name, number)) = numbered(text)
            && let Some(block) = result.of(row)
            && let [side] = *lines.changed_by(source.id)
        {
            added.push(Numbered {
                row,
                block,
                side,
                name,
                number,
            });
        }
    }
    let mut found = Vec::new();
    for one in &added {
        let other = added.iter().find(|other| {
            let same = other.block == one.block && other.number == one.number;
            same && other.side != one.side && other.name != one.name
        });
        let Some(other) = other.filter(|_| each_has_its_own(lines, result, one.block)) else {
            continue;
        };
        let (number, other) = (shown(one.number), shown(other.name));
        let what = format!("has the number {number}, which the other side gave to '{other}'");
        found.extend(lines.objection(ProofKind::Together, one.row, what));
    }
    found
}

/// Whether the members that base has in a block have numbers, and all different ones.
fn each_has_its_own(lines: &ResultLines<'_>, result: &Scopes, block: &[u32]) -> bool {
    let of_base = lines.settled().filter(|(row, source)| {
        result.of(*row) == Some(block) && lines.row(Version::Base, source.id).is_some()
    });
    let numbers = of_base.filter_map(|(_, source)| {
        let (_, number) = numbered(lines.text(source.version, source.row))?;
        Some(number)
    });
    let mut numbers: Vec<&[u8]> = numbers.collect();
    let all = numbers.len();
    numbers.sort_unstable();
    numbers.dedup();
    numbers.len() >= NUMBERED && numbers.len() == all
}

/// A new member of a block that has a number.
struct Numbered<'a> {
    /// The line of the draft.
    row: u32,
    block: &'a [u32],
    side: Side,
    name: &'a [u8],
    number: &'a [u8],
}

/// The name and the number of a member: `MOOR = 4,`, `port: 8080`, `case 4: moor`, `4: "moor",`.
fn numbered(line: &[u8]) -> Option<(&[u8], &[u8])> {
    let is_number = |word: &[u8]| word.first().is_some_and(u8::is_ascii_digit);
    let all = words(line);
    let all = match all[..] {
        [ref rest @ .., b"," | b";"] => rest,
        ref rest => rest,
    };
    match all {
        [.., name, b"=" | b":", number] if is_number(number) && !is_number(name) => {
            Some((name, number))
        }
        [b"case", number, b":", name, ..] | [number, b":", name, ..] if is_number(number) => {
            Some((name, number))
        }
        _ => None,
    }
}

/// Returns rows of a table that have more or fewer fields than the row above them.
///
/// `separator` parts the fields; rows that do not hold it are no rows.
pub(crate) fn uneven_rows(lines: &ResultLines<'_>, separator: u8) -> Vec<Objection> {
    let fields = |row: u32| {
        let line = lines.line(row)?.line;
        let n = line.bytes().iter().filter(|b| **b == separator).count();
        (n > 0).then_some(n)
    };
    let differs = |(row, _): (u32, LineSource)| {
        let (above, own) = (fields(row.checked_sub(1)?)?, fields(row)?);
        (above != own).then(|| {
            lines.objection(
                ProofKind::Together,
                row,
                "has a different number of fields than the row above".to_owned(),
            )
        })?
    };
    lines.settled().filter_map(differs).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_that_belong_together_are_found() {
        let of = |one: &str, other: &str| reason(one.as_bytes(), other.as_bytes(), TextKind::Other);
        assert!(of("COLUMNS = WIDTH", "WIDTH = 80 * 8").is_some());
        assert!(of("use_it(c.unwrap());", "let c = p.get().unwrap();").is_some());
        assert!(of("tag: v2", "- image: quay/app-next").is_some());
        assert_eq!(of("depth: 2", "length: 3"), None);
        assert_eq!(of("a = 1", "b = 2"), None);
        assert_eq!(of("if WIDTH == 3:", "if HEIGHT == 4:"), None);
    }
}
