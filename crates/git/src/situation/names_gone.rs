//! Names that one side renamed or removed while the other newly uses them, in any file of the merge.
//!
//! Lines do not show it: both changes are clean, and the result compiles nowhere. Files of data and
//! documents are not looked at: their keys are nobody's names.

use crate::case::reading::staged_entries;
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::objects::Oid;
use crate::repo::repository::Repository;
use crate::situation::touched::{Touched, texts_of};
use armistice_core::limits::{NAMED_FILES, NAMES_GONE};
use armistice_core::{Check, Finding, LineIdx, Outline, Side, Source, renamed_declarations};
use armistice_syntax::{Language, outline};
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};

/// Names shorter than that stand for too much.
const NAME_BYTES: usize = 3;

/// What was found of names, and in how many files.
pub(crate) struct Named {
    pub(crate) files: usize,
    pub(crate) findings: Vec<(RepoPath, Finding)>,
}

/// Names that went and are used, each where it is used, and how many files of code were looked at; `None`
/// beyond [`NAMED_FILES`](armistice_core::limits::NAMED_FILES) or
/// [`NAMES_GONE`](armistice_core::limits::NAMES_GONE).
///
/// # Errors
/// If git fails.
pub(crate) fn names_gone(repo: &Repository, all: &[Touched]) -> Result<Option<Named>, Error> {
    let files: Vec<&Touched> = all.iter().filter(|t| language(&t.path).is_some()).collect();
    let by_both = |side: fn(&Touched) -> &Option<Oid>| files.iter().any(|t| *side(t) != t.base);
    if files.len() > NAMED_FILES {
        return Ok(None);
    }
    let mut named = Named {
        files: files.len(),
        findings: Vec::new(),
    };
    if !by_both(|t| &t.ours) || !by_both(|t| &t.theirs) {
        return Ok(Some(named));
    }
    let files = read(repo, &files)?;
    for side in Side::BOTH {
        let Some(gone) = gone(&files, side) else {
            return Ok(None);
        };
        for name in still_gone(repo, &files, gone)? {
            named.findings.extend(uses(&files, side, &name));
        }
    }
    Ok(Some(named))
}

/// The language of a file of code; `None` for data and documents.
fn language(path: &RepoPath) -> Option<Language> {
    let language = Language::of(&String::from_utf8_lossy(path.bytes()))?;
    let is_data = matches!(
        language,
        Language::Css
            | Language::Html
            | Language::Json
            | Language::Markdown
            | Language::Toml
            | Language::Yaml
    );
    (!is_data).then_some(language)
}

/// A file in all its versions.
struct File {
    path: RepoPath,
    language: Language,
    base: Source,
    sides: [Source; 2],
    staged: Source,
    /// Words of each side that stand there more often than in base, and less often.
    risen: [HashSet<Vec<u8>>; 2],
    dropped: [HashSet<Vec<u8>>; 2],
}

fn read(repo: &Repository, files: &[&Touched]) -> Result<Vec<File>, Error> {
    let texts = texts_of(repo, files)?;
    let mut out = Vec::with_capacity(files.len());
    for (touched, [base, ours, theirs, staged]) in files.iter().zip(texts) {
        let Some(language) = language(&touched.path) else {
            continue;
        };
        let before = counts(base.bytes());
        let sides = [ours, theirs];
        let after = [0, 1].map(|n: usize| counts(sides[n].bytes()));
        let compared = |risen: bool| {
            [0, 1].map(|n: usize| {
                let more = |a: &HashMap<&[u8], u32>, b: &HashMap<&[u8], u32>| {
                    let words = a
                        .iter()
                        .filter(|(word, n)| **n > b.get(*word).copied().unwrap_or(0));
                    words.map(|(word, _)| word.to_vec()).collect::<HashSet<_>>()
                };
                match risen {
                    true => more(&after[n], &before),
                    false => more(&before, &after[n]),
                }
            })
        };
        let (risen, dropped) = (compared(true), compared(false));
        out.push(File {
            path: touched.path.clone(),
            language,
            base,
            sides,
            staged,
            risen,
            dropped,
        });
    }
    Ok(out)
}

fn words(bytes: &[u8]) -> impl Iterator<Item = &[u8]> {
    let words = bytes.split(|b| !(b.is_ascii_alphanumeric() || *b == b'_' || *b >= 0x80));
    words.filter(|word| word.len() >= NAME_BYTES && !word[0].is_ascii_digit())
}

fn counts(bytes: &[u8]) -> HashMap<&[u8], u32> {
    let mut counts = HashMap::new();
    for word in words(bytes) {
        *counts.entry(word).or_default() += 1;
    }
    counts
}

/// A name that a side no longer declares.
struct Gone {
    name: String,
    kind: &'static str,
    /// Where base declared it.
    path: RepoPath,
    line: LineIdx,
    /// What the side calls it now.
    new_name: Option<String>,
}

/// The last part of a name: what it is called by.
fn called(name: &str) -> &str {
    let name = name.rsplit([':', '.', ' ']).next().unwrap_or(name);
    name.trim_matches(|c: char| !c.is_alphanumeric() && c != '_')
}

/// Whether declarations of a kind are called by their names from elsewhere.
fn is_called(kind: &str) -> bool {
    !matches!(
        kind,
        "key" | "impl" | "linkage" | "block" | "section" | "element"
    )
}

fn outlined(language: Language, text: &Source) -> Outline {
    outline(language, text).unwrap_or_default()
}

/// Whether a text declares a name.
fn declares(language: Language, text: &Source, name: &str) -> bool {
    let has_word = words(text.bytes()).any(|word| word == name.as_bytes());
    has_word && {
        let outline = outlined(language, text);
        let all = outline.flat();
        all.iter().any(|(_, d)| called(&d.name) == name)
    }
}

/// The names that a side no longer declares and that the other newly writes somewhere; `None` if there
/// are too many to look each of them up.
fn gone(files: &[File], side: Side) -> Option<Vec<Gone>> {
    let (n, other) = (side as usize, side.other() as usize);
    let newly: HashSet<&[u8]> = files
        .iter()
        .flat_map(|f| &f.risen[other])
        .map(Vec::as_slice)
        .collect();
    let mut out: BTreeMap<String, Gone> = BTreeMap::new();
    for file in files {
        if !file.dropped[n]
            .iter()
            .any(|word| newly.contains(word.as_slice()))
        {
            continue;
        }
        let (before, after) = (
            outlined(file.language, &file.base),
            outlined(file.language, &file.sides[n]),
        );
        // What a parser does not understand may still be declared.
        if after.errors() > before.errors() {
            continue;
        }
        let kept: HashSet<String> = after
            .flat()
            .iter()
            .map(|(_, d)| called(&d.name).to_owned())
            .collect();
        let renamed = renamed_declarations((&file.base, &before), (&file.sides[n], &after));
        for (_, declaration) in before.flat() {
            let name = called(&declaration.name);
            if !is_called(declaration.kind)
                || kept.contains(name)
                || !newly.contains(name.as_bytes())
            {
                continue;
            }
            let new_name = renamed.iter().find(|(old, _)| *old == declaration.name);
            out.entry(name.to_owned()).or_insert_with(|| Gone {
                name: name.to_owned(),
                kind: declaration.kind,
                path: file.path.clone(),
                line: declaration.starts,
                new_name: new_name.map(|(_, new)| called(new).to_owned()),
            });
        }
    }
    (out.len() <= NAMES_GONE).then(|| out.into_values().collect())
}

/// Those that nothing that would be committed declares any more.
fn still_gone(repo: &Repository, files: &[File], gone: Vec<Gone>) -> Result<Vec<Gone>, Error> {
    let mut out = Vec::new();
    let seen: BTreeSet<&RepoPath> = files.iter().map(|file| &file.path).collect();
    for name in gone {
        let declared = |file: &File| declares(file.language, &file.staged, &name.name);
        if files.iter().any(declared) {
            continue;
        }
        if !is_declared_elsewhere(repo, &seen, &name.name)? {
            out.push(name);
        }
    }
    Ok(out)
}

/// Whether a file that no side touched declares a name, or too many mention it to tell.
fn is_declared_elsewhere(
    repo: &Repository,
    seen: &BTreeSet<&RepoPath>,
    name: &str,
) -> Result<bool, Error> {
    /// Files that mention a name up to which they are parsed.
    const MENTIONS: usize = 40;
    let call = ["grep", "--cached", "-l", "-z", "-w", "-F", "-e", name];
    // It says 1 where there is none.
    let listed = repo.run(&Invocation::read(call))?.stdout;
    let paths = listed.split(|b| *b == 0).filter(|path| !path.is_empty());
    let others: Vec<RepoPath> = paths
        .map(RepoPath::new)
        .filter(|path| !seen.contains(path))
        .collect();
    let code: Vec<(RepoPath, Language)> = others
        .into_iter()
        .filter_map(|path| Some((path.clone(), language(&path)?)))
        .collect();
    if code.len() > MENTIONS {
        return Ok(true);
    }
    let names: Vec<&RepoPath> = code.iter().map(|(path, _)| path).collect();
    let entries = staged_entries(repo, &names)?;
    let staged: Vec<(Language, Oid)> = code
        .iter()
        .filter_map(|(path, language)| Some((*language, entries.get(path)?.oid.clone())))
        .collect();
    let oids: Vec<Oid> = staged.iter().map(|(_, oid)| oid.clone()).collect();
    let texts = repo.contents(&oids)?;
    let mut each = staged.iter().zip(texts);
    Ok(each.any(|((language, _), text)| declares(*language, &text, name)))
}

/// Where the other side newly uses a name that went, and the result still does.
fn uses(files: &[File], side: Side, gone: &Gone) -> Vec<(RepoPath, Finding)> {
    let other = side.other() as usize;
    let mut out = Vec::new();
    let using = files
        .iter()
        .filter(|file| file.risen[other].contains(gone.name.as_bytes()));
    for file in using {
        if defines(&file.staged, &gone.name) {
            continue;
        }
        let old: HashSet<&[u8]> = file
            .base
            .lines(file.base.all())
            .map(|l| l.trimmed())
            .collect();
        let new: HashSet<&[u8]> = (file.sides[other].lines(file.sides[other].all()))
            .map(|l| l.trimmed())
            .collect();
        for at in file.staged.all().iter() {
            let row = file.staged.line(at).trimmed();
            let is_use = is_used(row, gone) && !old.contains(row) && new.contains(row);
            if is_use {
                let what = told(side, gone);
                let mut finding = Finding::new(Check::Names, Some(at), what).in_text(&file.staged);
                let new = gone.new_name.as_ref().filter(|new| !new.is_empty());
                finding.renamed = new.map(|new| [gone.name.clone(), new.clone()]);
                out.push((file.path.clone(), finding));
            }
        }
    }
    out
}

fn told(side: Side, gone: &Gone) -> String {
    let (name, line) = (&gone.name, gone.line.number());
    let (mover, user) = match side {
        Side::Ours => ("ours", "theirs"),
        Side::Theirs => ("theirs", "ours"),
    };
    let went = match &gone.new_name {
        Some(new) => format!("was renamed to '{new}' by {mover}"),
        None => format!("was removed by {mover}"),
    };
    format!(
        "{} '{name}' {went} ({} line {line} of base); {user} newly uses it here",
        gone.kind, gone.path
    )
}

/// Whether a text gives a name a meaning of its own: a local variable, a parameter with a default.
fn defines(text: &Source, name: &str) -> bool {
    const BEFORE: [&str; 10] = [
        "let", "var", "const", "mut", "for", "def", "fn", "func", "function", "as",
    ];
    let mut rows = text.lines(text.all()).map(|line| line.trimmed());
    rows.any(|row| {
        places(row, name.as_bytes()).any(|at| {
            let before = String::from_utf8_lossy(row[..at].trim_ascii_end()).into_owned();
            let word = before
                .rsplit(|c: char| !c.is_alphanumeric() && c != '_')
                .next();
            let behind = row[at + name.len()..].trim_ascii_start();
            let assigned =
                behind.starts_with(b"=") && !behind.starts_with(b"==") || behind.starts_with(b":=");
            assigned || word.is_some_and(|word| BEFORE.contains(&word))
        })
    })
}

/// Whether a row uses a name as what it is: functions are called, handed on or brought in.
fn is_used(row: &[u8], gone: &Gone) -> bool {
    let comments = [&b"//"[..], b"#", b"*", b"--", b"/*"];
    if comments.iter().any(|sign| row.starts_with(sign)) && !row.starts_with(b"#include") {
        return false;
    }
    let mut places = places(row, gone.name.as_bytes());
    match gone.kind {
        "function" | "method" | "macro" => places.any(|at| {
            let behind = row.get(at + gone.name.len());
            let before = at.checked_sub(1).map(|n| row[n]);
            let brings_in = [&b"import"[..], b"from", b"use", b"require"]
                .iter()
                .any(|w| row.starts_with(w));
            matches!(behind, Some(b'(' | b'!')) || matches!(before, Some(b'.' | b':')) || brings_in
        }),
        "field" | "property" => places.any(|at| at > 0 && matches!(row[at - 1], b'.' | b'>')),
        _ => places.next().is_some(),
    }
}

/// Where a whole word stands in a row.
fn places<'a>(row: &'a [u8], word: &'a [u8]) -> impl Iterator<Item = usize> + 'a {
    let is_part =
        |b: Option<&u8>| b.is_some_and(|b| b.is_ascii_alphanumeric() || *b == b'_' || *b >= 0x80);
    let windows = row.windows(word.len().max(1)).enumerate();
    windows.filter_map(move |(at, window)| {
        let before = at.checked_sub(1).and_then(|n| row.get(n));
        (window == word && !is_part(before) && !is_part(row.get(at + word.len()))).then_some(at)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn used(row: &str, kind: &'static str) -> bool {
        let gone = Gone {
            name: "fetch".to_owned(),
            kind,
            path: RepoPath::new(b"a.py"),
            line: LineIdx(0),
            new_name: None,
        };
        is_used(row.as_bytes(), &gone)
    }

    #[test]
    fn a_function_is_used_where_it_is_called_reached_or_brought_in() {
        assert!(used("x = fetch(1)", "function"));
        assert!(used("from quay import fetch", "function"));
        assert!(used("quay.fetch", "function"));
        assert!(!used("fetch = 1", "function"));
        assert!(!used("prefetch(1)", "function"));
        assert!(!used("# fetch(1)", "function"));
        assert!(used("f: fetch", "class"));
        assert!(!used("fetch", "field"));
    }

    #[test]
    fn a_name_of_its_own_is_not_the_one_that_went() {
        let defines = |text: &str| defines(&text.into(), "fetch");
        assert!(defines("let fetch = 1;\n"));
        assert!(defines("fetch := 1\n"));
        assert!(defines("for fetch in all:\n"));
        assert!(!defines("x = fetch(1)\n"));
        assert!(!defines("if fetch == 1:\n"));
    }
}
