//! Names of a merged text: what an edited line uses is there, is declared before it, and is imported once.
//!
//! Names are compared as words; which declaration a word refers to is not resolved. A word counts as gone
//! only if one side has it nowhere in the file.

use crate::model::side::Side;
use crate::model::versions::Version;
use crate::text::language::{is_comment, is_import};
use crate::text::lines::LineIdx;
use crate::verify::result_lines::{
    LineSource, Objection, Pairing, ProofKind, ResultLines, first_words, width, words,
};
use foldhash::{HashMap, HashMapExt, HashSet};
use std::cell::LazyCell;

/// Words that declare the word after them.
const DECLARING: [&[u8]; 22] = [
    b"class",
    b"const",
    b"def",
    b"enum",
    b"fn",
    b"fun",
    b"func",
    b"function",
    b"import",
    b"interface",
    b"let",
    b"mod",
    b"module",
    b"package",
    b"static",
    b"struct",
    b"trait",
    b"type",
    b"union",
    b"use",
    b"val",
    b"var",
];

/// Returns the settled lines whose names are not bound as on the side that wrote them.
pub(crate) fn unbound(lines: &ResultLines<'_>, names: &VersionNames<'_>) -> Vec<Objection> {
    let mut found = gone(lines, names);
    found.extend(used_too_early(lines, names));
    found.extend(imported_twice(lines));
    found.extend(required_after_default(lines));
    found.extend(without_separator(lines));
    found
}

/// Returns the settled lines that use an anchor which the merged text has not.
pub(crate) fn without_anchor(lines: &ResultLines<'_>) -> Vec<Objection> {
    let rows = (0..lines.draft.len() as u32).filter_map(|row| lines.line(row));
    let anchors: HashSet<&[u8]> = rows
        .flat_map(|line| marked(line.line.trimmed(), b'&'))
        .collect();
    let missing = |(row, _): (u32, LineSource)| {
        let line = lines.line(row)?.line;
        let name = marked(line.trimmed(), b'*')
            .into_iter()
            .find(|name| !anchors.contains(name))?;
        let name = String::from_utf8_lossy(name);
        lines.objection(
            ProofKind::Names,
            row,
            format!("uses the anchor '{name}', which is not defined"),
        )
    };
    lines.settled().filter_map(missing).collect()
}

/// The names on a line of YAML that follow a sign: of anchors `&`, of their uses `*`.
fn marked(line: &[u8], sign: u8) -> Vec<&[u8]> {
    let parts =
        line.split(|b| b.is_ascii_whitespace() || matches!(b, b'[' | b']' | b'{' | b'}' | b','));
    let named = parts.filter_map(|part| part.strip_prefix(&[sign]));
    named
        .filter(|name| !name.is_empty())
        .take_while(|_| !is_comment(line))
        .collect()
}

/// Names on a line, without those in comments and strings.
fn names(line: &[u8]) -> Vec<&[u8]> {
    if is_comment(line) {
        return Vec::new();
    }
    let mut code = Vec::new();
    let (mut quote, mut from) = (None, 0);
    let mut end = line.len();
    for (at, byte) in line.iter().enumerate() {
        let next = line.get(at + 1);
        let starts_comment = matches!((byte, next), (b'/', Some(b'/')) | (b' ', Some(b'#')));
        match quote {
            Some(sign) if *byte == sign => (quote, from) = (None, at + 1),
            Some(_) => {}
            None if starts_comment => {
                end = at;
                break;
            }
            None if matches!(byte, b'"' | b'\'' | b'`') && line[at + 1..].contains(byte) => {
                code.push(&line[from..at]);
                quote = Some(*byte);
            }
            None => {}
        }
    }
    if quote.is_none() {
        code.push(&line[from.min(end)..end]);
    }
    let is_name = |word: &&[u8]| {
        let first = word.first();
        first.is_some_and(|b| b.is_ascii_alphabetic() || *b == b'_')
    };
    code.into_iter().flat_map(words).filter(is_name).collect()
}

/// Names on a line that are not members of an object.
fn plain_names(line: &[u8]) -> Vec<&[u8]> {
    let is_member = |name: &&[u8]| is_member(line, name);
    names(line)
        .into_iter()
        .filter(|name| !is_member(name))
        .collect()
}

/// Whether a word of a line is a member of something: after a dot or an arrow that follows a name or a
/// bracket.
pub(crate) fn is_member(line: &[u8], word: &[u8]) -> bool {
    let at = word.as_ptr() as usize - line.as_ptr() as usize;
    let before = &line[..at];
    let of = [&b"?."[..], b".", b"->"]
        .iter()
        .find_map(|sign| before.strip_suffix(*sign));
    let owner = of.and_then(<[u8]>::last);
    owner.is_some_and(|b| b.is_ascii_alphanumeric() || matches!(b, b'_' | b')' | b']'))
}

/// The names that lines declare: `let name`, `name = …`.
#[derive(Default)]
struct Declared<'a> {
    names: HashSet<&'a [u8]>,
    /// Whether an import may bring any name.
    any: bool,
}

impl<'a> Declared<'a> {
    fn add(&mut self, line: &'a [u8]) {
        let words = words(line);
        if is_import(line) {
            self.any |= words.contains(&&b"*"[..]);
            self.names.extend(words);
            return;
        }
        match words[..] {
            // A line of an import's list is only the name.
            [name] | [name, b","] => drop(self.names.insert(name)),
            [name, b"=", next, ..] if next != b"=" => drop(self.names.insert(name)),
            [name, b"="] | [name, b":", b"=", ..] => drop(self.names.insert(name)),
            _ => {}
        }
        let pairs = words.windows(2);
        let declared = pairs.filter(|pair| DECLARING.contains(&pair[0]));
        self.names.extend(declared.map(|pair| pair[1]));
    }

    fn has(&self, name: &[u8]) -> bool {
        self.any || self.names.contains(name)
    }
}

/// The names in the versions of a plan.
pub(crate) struct VersionNames<'a> {
    /// By version.
    used: [HashSet<&'a [u8]>; 3],
    /// Those of base that are not only members of objects, which may be declared in any file.
    plain: HashSet<&'a [u8]>,
    /// Those that base declares: a member of that name may be one of them.
    base: Declared<'a>,
    /// By version: what is declared where its place matters, with its first line.
    declared: [HashMap<&'a [u8], u32>; 3],
}

impl<'a> VersionNames<'a> {
    pub(crate) fn new(versions: &Pairing<'a>) -> Self {
        let all = [Version::Base, Version::Ours, Version::Theirs];
        let used = |version: Version| {
            let rows = 0..versions.len(version);
            rows.flat_map(|row| names(versions.text(version, row)))
                .collect()
        };
        let declared = |version: Version| {
            let rows = (0..versions.len(version)).rev();
            rows.filter_map(|row| Some((declared_in_order(versions.text(version, row))?, row)))
                .collect()
        };
        let mut base = Declared::default();
        for row in 0..versions.len(Version::Base) {
            base.add(versions.text(Version::Base, row));
        }
        VersionNames {
            used: all.map(used),
            base,
            plain: (0..versions.len(Version::Base))
                .flat_map(|row| plain_names(versions.text(Version::Base, row)))
                .collect(),
            declared: all.map(declared),
        }
    }
}

/// Lines that use a name which the other side removed or renamed throughout the file.
fn gone(lines: &ResultLines<'_>, all: &VersionNames<'_>) -> Vec<Objection> {
    let mut found = Vec::new();
    let declared = LazyCell::new(|| {
        let mut declared = Declared::default();
        for row in 0..lines.draft.len() as u32 {
            if let Some(line) = lines.line(row) {
                declared.add(line.line.trimmed());
            }
        }
        declared
    });
    for (row, _) in lines.edited() {
        let Some(line) = lines.line(row) else {
            continue;
        };
        let text = line.line.trimmed();
        let gone = |name: &&[u8]| {
            let lacks = |side: Side| !all.used[Version::from(side) as usize].contains(name);
            name.len() > 1
                && all.plain.contains(name)
                && (lacks(Side::Ours) || lacks(Side::Theirs))
                && (all.base.names.contains(name) || !is_member(text, name))
        };
        let used: Vec<&[u8]> = names(text).into_iter().filter(gone).collect();
        let unbound = used.into_iter().find(|name| !declared.has(name));
        if let Some(name) = unbound {
            let name = String::from_utf8_lossy(name);
            let what = format!("uses '{name}', which the other side removed or renamed everywhere");
            found.extend(lines.objection(ProofKind::Names, row, what));
        }
    }
    found
}

/// What a line declares whose place matters: a variable, a table.
fn declared_in_order(line: &[u8]) -> Option<&[u8]> {
    let all = first_words(line, 4);
    match all[..] {
        [b"const" | b"let" | b"var" | b"val", name, ..] if name != b"mut" => Some(name),
        [b"let", b"mut", name, ..] => Some(name),
        [name, b"=", next, ..] if next != b"=" => Some(name),
        // In a language that runs declarations in order.
        [b"class" | b"def", name, ..] if line.ends_with(b":") => Some(name),
        [create, what, name, ..]
            if create.eq_ignore_ascii_case(b"create")
                && (what.eq_ignore_ascii_case(b"table") || what.eq_ignore_ascii_case(b"view")) =>
        {
            Some(name)
        }
        _ => None,
    }
}

/// Edited lines that use a name before the line that declares it, which was before them on their side.
fn used_too_early(lines: &ResultLines<'_>, all: &VersionNames<'_>) -> Vec<Objection> {
    let mut found = Vec::new();
    let rows = (0..lines.draft.len() as u32).rev();
    let result: HashMap<&[u8], u32> = rows
        .filter_map(|row| {
            let line = lines.line(row)?.line;
            Some((declared_in_order(line.trimmed())?, row))
        })
        .collect();
    for (
        row,
        LineSource {
            version, row: real, ..
        },
    ) in lines.edited()
    {
        let line = lines.text(version, real);
        let own = declared_in_order(line);
        let too_early = plain_names(line)
            .into_iter()
            .filter(|name| Some(*name) != own)
            .find(|name| {
                let Some(declaring) = all.declared[version as usize].get(name) else {
                    return false;
                };
                // A declaration that was moved is another line.
                let place = result.get(name).copied();
                let texts = lines.draft.plan().real_versions().get(version);
                let same_level = width(texts.line(LineIdx(real)).bytes())
                    == width(texts.line(LineIdx(*declaring)).bytes());
                *declaring < real && same_level && place.is_some_and(|place| place > row)
            });
        if let Some(name) = too_early {
            let name = String::from_utf8_lossy(name);
            let what = format!("uses '{name}' before the line that declares it");
            found.extend(lines.objection(ProofKind::Names, row, what));
        }
    }
    found
}

/// The names that an import binds.
fn imported(line: &[u8]) -> Vec<String> {
    let text = String::from_utf8_lossy(line);
    let text = text.trim().trim_end_matches([';', ',']);
    let list = match text.split_once(" import ") {
        Some((_, list)) if text.starts_with("from ") => list,
        _ => text,
    };
    let bound = |item: &str| {
        let item = item.trim();
        let name = match item.rsplit_once(" as ") {
            Some((_, alias)) => alias,
            // The file of an include has no name of its own.
            None if item.starts_with('#') => return None,
            None => item.rsplit(['.', '/', ':', '\\', ' ']).next()?,
        };
        let name = name.trim_matches(['"', '\'', '(', ')', '{', '}', ' ']);
        (!name.is_empty() && name != "*" && name != "_").then(|| name.to_owned())
    };
    list.split(',').filter_map(bound).collect()
}

/// Imports of both sides that bind one name.
fn imported_twice(lines: &ResultLines<'_>) -> Vec<Objection> {
    let mut bound: HashMap<String, (Side, u32)> = HashMap::new();
    let mut found = Vec::new();
    for (row, source) in lines.edited() {
        let line = lines.text(source.version, source.row);
        let in_list = line.starts_with(b"\"") && line.ends_with(b"\"");
        if !is_import(line) && !in_list {
            continue;
        }
        let sides = lines.changed_by(source.id);
        let [side] = *sides else { continue };
        for name in imported(line) {
            match bound.get(&name) {
                Some((other, at)) if *other != side && *at != row => {
                    let what = format!("imports '{name}' a second time, from another place");
                    found.extend(lines.objection(ProofKind::Names, row, what));
                }
                _ => {
                    bound.insert(name, (side, row));
                }
            }
        }
    }
    found
}

/// Python's functions in which a parameter without a default follows one with.
fn required_after_default(lines: &ResultLines<'_>) -> Vec<Objection> {
    let is_wrong = |row: &u32| {
        let line = lines.line(*row);
        line.is_some_and(|line| has_required_after_default(line.line.trimmed()))
    };
    let rows = lines.settled().map(|(row, _)| row).filter(is_wrong);
    let what = "has a parameter without a default after one with a default";
    rows.filter_map(|row| lines.objection(ProofKind::Names, row, what.to_owned()))
        .collect()
}

fn has_required_after_default(line: &[u8]) -> bool {
    if !line.starts_with(b"def ") {
        return false;
    }
    let text = String::from_utf8_lossy(line);
    let Some((_, rest)) = text.split_once('(') else {
        return false;
    };
    let (mut depth, mut parts) = (0, vec![String::new()]);
    for sign in rest.chars() {
        match sign {
            '(' | '[' | '{' => depth += 1,
            ')' | ']' | '}' if depth == 0 => break,
            ')' | ']' | '}' => depth -= 1,
            ',' if depth == 0 => {
                parts.push(String::new());
                continue;
            }
            _ => {}
        }
        if let Some(part) = parts.last_mut() {
            part.push(sign);
        }
    }
    let parts = parts
        .iter()
        .map(|part| part.trim())
        .filter(|part| !part.is_empty() && *part != "/");
    // Behind a star they are given by name.
    let parts: Vec<&str> = parts.take_while(|part| !part.starts_with('*')).collect();
    let first = parts.iter().position(|part| part.contains('='));
    first.is_some_and(|first| parts[first..].iter().any(|part| !part.contains('=')))
}

/// Items of both sides with no separator between them: the first was the last of its list.
fn without_separator(lines: &ResultLines<'_>) -> Vec<Objection> {
    let mut found = Vec::new();
    let mut before: Option<(LineSource, &[u8])> = None;
    for (row, source) in lines.settled() {
        let Some(line) = lines.line(row).map(|line| line.line.trimmed()) else {
            continue;
        };
        if let Some((last, above)) = before
            && last.version != source.version
            && is_item(above)
            && is_item(line)
            && was_last(lines, last)
        {
            let what = "follows an item without a separator between them".to_owned();
            found.extend(lines.objection(ProofKind::Names, row, what));
        }
        before = Some((source, line));
    }
    found
}

/// Whether a line is a quoted text or a number with nothing behind it.
fn is_item(line: &[u8]) -> bool {
    let ends = matches!(line.last(), Some(b'"' | b'\'' | b'`' | b'0'..=b'9'));
    let begins = matches!(line.first(), Some(b'"' | b'\'' | b'`' | b'0'..=b'9'));
    begins && ends
}

/// Whether a line is the last of a list whose items have commas behind them.
fn was_last(lines: &ResultLines<'_>, source: LineSource) -> bool {
    let above = source
        .row
        .checked_sub(1)
        .map(|row| lines.text(source.version, row));
    let below = (source.row + 1 < lines.len(source.version))
        .then(|| lines.text(source.version, source.row + 1));
    above.is_some_and(|above| above.ends_with(b","))
        && below.is_some_and(|below| matches!(below.first(), Some(b')' | b']' | b'}')))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_those_of_the_code() {
        let found = names(b"let x1 = moor(\"a ship\", n) // of pay");
        assert_eq!(found, [&b"let"[..], b"x1", b"moor", b"n"]);
        assert!(names(b"# moor it").is_empty());
        let declares = |line: &[u8], name: &[u8]| {
            let mut declared = Declared::default();
            declared.add(line);
            declared.has(name)
        };
        assert!(declares(b"total = 3", b"total") && !declares(b"ship.total = 3", b"total"));
        assert!(!declares(b"if total == 3:", b"total") && declares(b"total := 3", b"total"));
        assert!(declares(b"pub fn moor(ship)", b"moor") && !declares(b"moor(ship)", b"moor"));
        assert!(declares(b"from quay import *", b"anything"));
    }

    #[test]
    fn a_required_parameter_after_a_default_is_found() {
        assert!(has_required_after_default(
            b"def f(session, timeout=None, tenant):"
        ));
        for right in [
            "def f(a, b=1, *, c):",
            "def f(a, b=g(1, 2)):",
            "def f(a=(1, 2), b=2):",
            "f(a=1, b)",
        ] {
            assert!(!has_required_after_default(right.as_bytes()), "{right}");
        }
    }

    #[test]
    fn anchors_and_their_uses_are_told_apart() {
        assert_eq!(
            marked(b"<<: [*gauge, *lamp]", b'*'),
            [&b"gauge"[..], b"lamp"]
        );
        assert_eq!(marked(b"gauge: &gauge", b'&'), [b"gauge"]);
        assert!(marked(b"# *gauge", b'*').is_empty());
    }

    #[test]
    fn an_import_binds_its_last_part_or_its_alias() {
        assert_eq!(imported(b"import qualified Data.Map as L"), ["L"]);
        assert_eq!(imported(b"\"html/template\""), ["template"]);
        assert_eq!(imported(b"from a.b import c, d as e"), ["c", "e"]);
        assert_eq!(imported(b"import java.util.List;"), ["List"]);
        assert_eq!(imported(b"use std::fmt::Result;"), ["Result"]);
    }
}
