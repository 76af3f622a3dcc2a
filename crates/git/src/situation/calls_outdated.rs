//! Calls that one side newly wrote for a function as it was, while the other side changed its parameters.
//!
//! Calls and declarations are matched by name and by the number of arguments; which declaration a call
//! reaches is not resolved. Where another declaration of the name takes that many, nothing is said.

use crate::path::RepoPath;
use crate::situation::named_files::{File, called, outlined};
use armistice_core::{Check, Declaration, Finding, LineIdx, Side, Version, Weight};
use armistice_syntax::Language;
use std::collections::{BTreeMap, HashSet};

/// How many arguments a function takes: at least, and at most if there is a bound.
type Arity = (usize, Option<usize>);

/// A function with other parameters than in base.
struct Changed {
    side: Side,
    path: RepoPath,
    language: Language,
    old: Arity,
    new: Arity,
    /// Its parameters now.
    parameters: String,
}

/// Returns the calls that fit a function of base, and no function of that name in the result, each with the
/// file that it is in.
pub(crate) fn calls_outdated(files: &[File]) -> Vec<(RepoPath, Finding)> {
    let mut found = Vec::new();
    for side in Side::BOTH {
        let risen = |file: &File, word: &[u8]| file.risen[side.other() as usize].contains(word);
        let newly = |word: &[u8]| files.iter().any(|file| risen(file, word));
        let mut changed: BTreeMap<String, Changed> = BTreeMap::new();
        for file in files {
            changed.extend(changed_by(file, side, &newly));
        }
        if changed.is_empty() {
            continue;
        }
        let arities = arities(files, &changed);
        for file in files {
            let calls = calls(file, side.other(), &changed, &arities).into_iter();
            found.extend(calls.map(|finding| (file.path.clone(), finding)));
        }
    }
    found
}

/// The functions whose parameters a side changed so that fewer or other numbers of arguments fit.
fn changed_by(file: &File, side: Side, newly: &dyn Fn(&[u8]) -> bool) -> Vec<(String, Changed)> {
    let own = &file.sides[side as usize];
    if own.bytes() == file.base.bytes() {
        return Vec::new();
    }
    let (before, after) = (
        outlined(file.language, &file.base),
        outlined(file.language, own),
    );
    let (before, after) = (before.flat(), after.flat());
    let once = |all: &[(usize, &Declaration)], name: &str| {
        all.iter().filter(|(_, d)| called(&d.name) == name).count() == 1
    };
    let of = |(_, old): &(usize, &Declaration)| {
        let name = called(&old.name);
        if !newly(name.as_bytes()) || !once(&before, name) || !once(&after, name) {
            return None;
        }
        let (_, new) = after.iter().find(|(_, d)| called(&d.name) == name)?;
        let (was, is) = (arity(&old.signature)?, arity(&new.signature)?);
        (was != is).then(|| {
            let changed = Changed {
                side,
                path: file.path.clone(),
                language: file.language,
                old: was,
                new: is,
                parameters: new.signature.clone(),
            };
            (name.to_owned(), changed)
        })
    };
    before.iter().filter_map(of).collect()
}

/// How many arguments the declarations of some names take in the result.
fn arities(files: &[File], names: &BTreeMap<String, Changed>) -> BTreeMap<String, Vec<Arity>> {
    let mut all: BTreeMap<String, Vec<Arity>> = BTreeMap::new();
    for file in files {
        let outline = outlined(file.language, &file.staged);
        for (_, declaration) in outline.flat() {
            let name = called(&declaration.name);
            if let (true, Some(arity)) = (names.contains_key(name), arity(&declaration.signature)) {
                all.entry(name.to_owned()).or_default().push(arity);
            }
        }
    }
    all
}

fn fits(arguments: usize, (least, most): Arity) -> bool {
    arguments >= least && most.is_none_or(|most| arguments <= most)
}

fn calls(
    file: &File,
    side: Side,
    changed: &BTreeMap<String, Changed>,
    arities: &BTreeMap<String, Vec<Arity>>,
) -> Vec<Finding> {
    let risen = &file.risen[side as usize];
    // A name of another language is another function.
    let may_call = |(name, changed): &(&String, &Changed)| {
        risen.contains(name.as_bytes()) && changed.language.shares_names_with(file.language)
    };
    let names: Vec<(&String, &Changed)> = changed.iter().filter(may_call).collect();
    if names.is_empty() {
        return Vec::new();
    }
    let rows = |text: &'_ armistice_core::Source| -> Vec<Vec<u8>> {
        text.lines(text.all())
            .map(|line| line.trimmed().to_vec())
            .collect()
    };
    let before: HashSet<Vec<u8>> = rows(&file.base).into_iter().collect();
    let own: HashSet<Vec<u8>> = rows(&file.sides[side as usize]).into_iter().collect();
    let declared = outlined(file.language, &file.staged);
    let declared: HashSet<LineIdx> = declared.flat().iter().map(|(_, d)| d.starts).collect();
    let mut found = Vec::new();
    for (at, row) in (0..).map(LineIdx).zip(rows(&file.staged)) {
        if before.contains(&row) || !own.contains(&row) || declared.contains(&at) {
            continue;
        }
        let text = String::from_utf8_lossy(&row);
        let outdated = names.iter().find_map(|(name, changed)| {
            let n = arguments(&text, name)?;
            let other = arities.get(*name).into_iter().flatten();
            let is_outdated = fits(n, changed.old)
                && !fits(n, changed.new)
                && !other.into_iter().any(|arity| fits(n, *arity));
            is_outdated.then_some((name, changed, n))
        });
        let Some((name, changed, n)) = outdated else {
            continue;
        };
        let (who, other) = (
            Version::from(changed.side).name(),
            Version::from(side).name(),
        );
        let given = match n {
            1 => "1 argument".to_owned(),
            n => format!("{n} arguments"),
        };
        let what = format!(
            "'{name}' takes {} since {who} changed it ({}); {other} newly calls it with {given}",
            changed.parameters, changed.path,
        );
        let mut finding = Finding::new(Check::Names, Some(at), what).in_text(&file.staged);
        finding.weight = Weight::Look;
        found.push(finding);
    }
    found
}

/// How many arguments a function with these parameters takes; `None` if that cannot be read.
fn arity(signature: &str) -> Option<Arity> {
    // In Go the receiver has parentheses of its own.
    let open = signature.rfind(")(").map_or(0, |at| at + 1);
    let inner = signature[open..]
        .trim()
        .strip_prefix('(')?
        .strip_suffix(')')?;
    let mut parts = parts(inner)?;
    let is_receiver = |part: &str| {
        let name = part.split(':').next().unwrap_or_default().trim();
        matches!(
            name,
            "self" | "cls" | "&self" | "&mut self" | "mut self" | "this"
        )
    };
    if parts.first().is_some_and(|part| is_receiver(part)) {
        parts.remove(0);
    }
    if parts == ["void"] {
        parts.clear();
    }
    // What may only be given by name is counted otherwise.
    if parts.iter().any(|part| matches!(*part, "*" | "/")) {
        return None;
    }
    let is_open = |part: &&str| part.starts_with('*') || part.contains("...");
    let is_optional = |part: &&str| {
        part.contains('=')
            || part
                .split(':')
                .next()
                .is_some_and(|name| name.trim().ends_with('?'))
    };
    let least = parts
        .iter()
        .filter(|part| !is_open(part) && !is_optional(part))
        .count();
    let most = (!parts.iter().any(is_open)).then_some(parts.len());
    Some((least, most))
}

/// The arguments of the first call of a function in a line; `None` if there is none, it goes on in the next
/// line, or their number is not known.
fn arguments(line: &str, name: &str) -> Option<usize> {
    let is_part = |c: char| c.is_alphanumeric() || c == '_';
    let mut calls = line.match_indices(name).filter(|(at, _)| {
        let before = line[..*at].chars().next_back();
        !before.is_some_and(is_part) && line[at + name.len()..].starts_with('(')
    });
    let (at, _) = calls.next()?;
    let inner = &line[at + name.len() + 1..];
    let end = closing(inner)?;
    let parts = parts(&inner[..end])?;
    let is_spread = |part: &&str| part.starts_with('*') || part.contains("...");
    (!parts.iter().any(is_spread)).then_some(parts.len())
}

/// Where the parenthesis closes in which a text begins.
fn closing(text: &str) -> Option<usize> {
    let mut depth = 0;
    let mut quote = None;
    for (at, c) in text.char_indices() {
        match (quote, c) {
            (Some(sign), _) if sign == c => quote = None,
            (Some(_), _) => {}
            (None, '"' | '\'' | '`') => quote = Some(c),
            (None, '(' | '[' | '{') => depth += 1,
            (None, ')' | ']' | '}') if depth == 0 => return (c == ')').then_some(at),
            (None, ')' | ']' | '}') => depth -= 1,
            _ => {}
        }
    }
    None
}

/// The parts of a list between its own commas; `None` if brackets or quotes do not match.
fn parts(list: &str) -> Option<Vec<&str>> {
    let mut depth = 0;
    let mut quote = None;
    let mut from = 0;
    let mut parts = Vec::new();
    for (at, c) in list.char_indices() {
        match (quote, c) {
            (Some(sign), _) if sign == c => quote = None,
            (Some(_), _) => {}
            (None, '"' | '\'' | '`') => quote = Some(c),
            (None, '(' | '[' | '{' | '<') => depth += 1,
            (None, ')' | ']' | '}' | '>') => depth -= 1,
            (None, ',') if depth == 0 => {
                parts.push(list[from..at].trim());
                from = at + 1;
            }
            _ => {}
        }
    }
    let is_whole = quote.is_none() && depth == 0;
    parts.push(list[from..].trim());
    // A comma may follow the last one.
    if parts.last().is_some_and(|last| last.is_empty()) {
        parts.pop();
    }
    is_whole.then_some(parts)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn parameters_are_counted_as_a_call_gives_them() {
        for (signature, wanted) in [
            ("(self, key)", Some((1, Some(1)))),
            ("(&self, key: &str, n: Map<A, B>)", Some((2, Some(2)))),
            ("(key, tenant=None)", Some((1, Some(2)))),
            ("(key: string, tenant?: string)", Some((1, Some(2)))),
            ("(q *Quay)(ship Ship, n int)", Some((2, Some(2)))),
            ("(void)", Some((0, Some(0)))),
            ("(a, *rest)", Some((1, None))),
            ("(const char *format, ...)", Some((1, None))),
            ("(a, *, b)", None),
            ("()", Some((0, Some(0)))),
            ("", None),
        ] {
            assert_eq!(arity(signature), wanted, "{signature}");
        }
    }

    #[test]
    fn arguments_are_counted_in_the_call_itself() {
        for (line, wanted) in [
            ("x = store.fetch(key)", Some(1)),
            ("x = fetch(f(a, b), [1, 2], 'a, b')", Some(3)),
            ("fetch()", Some(0)),
            ("fetch(a, b,)", Some(2)),
            ("prefetch(a)", None),
            ("fetch(a,", None),
            ("fetch(*all)", None),
            ("fetched(a); fetch(b)", Some(1)),
        ] {
            assert_eq!(arguments(line, "fetch"), wanted, "{line}");
        }
    }
}
