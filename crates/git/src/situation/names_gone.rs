//! Names that one side renamed or removed while the other newly uses them, in any file of the merge.
//!
//! Lines do not show it: both changes are clean, and the result compiles nowhere. Files of data and
//! documents are not looked at: their keys are nobody's names.

use crate::case::reading::staged_entries;
use crate::parallel::{in_parallel, processors};
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::objects::Oid;
use crate::repo::repository::Repository;
use crate::repo::trees::tree_entries;
use crate::situation::named_files::{
    File, called, declared_of, declares, language, outlined, places,
};
use armistice_core::limits::NAMES_GONE;
use armistice_core::{Check, Declaration, Finding, LineIdx, Side, Source, renamed_declarations};
use armistice_syntax::Language;
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};

/// Names that went and are used, each where it is used; `None` beyond
/// [`NAMES_GONE`](armistice_core::limits::NAMES_GONE).
///
/// # Errors
/// If git fails.
pub(crate) fn names_gone(
    repo: &Repository,
    files: &[File],
    tree: Option<&str>,
) -> Result<Option<Vec<(RepoPath, Finding)>>, Error> {
    let mut findings = Vec::new();
    for side in Side::BOTH {
        let Some(gone) = gone(files, side) else {
            return Ok(None);
        };
        for name in still_gone(repo, files, gone, tree)? {
            findings.extend(uses(files, side, &name));
        }
    }
    Ok(Some(findings))
}

/// Files that are parsed at a time before it is seen whether too many names went.
const PORTION: usize = 32;

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

/// Whether declarations of a kind are called by their names from elsewhere.
fn is_called(kind: &str) -> bool {
    !matches!(
        kind,
        "key" | "impl" | "linkage" | "block" | "section" | "element"
    )
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
    let drops_one = |file: &&File| {
        let mut dropped = file.dropped[n].iter();
        dropped.any(|word| newly.contains(word.as_slice()))
    };
    let files: Vec<&File> = files.iter().filter(drops_one).collect();
    let mut out: BTreeMap<String, Gone> = BTreeMap::new();
    // Once there are too many, what the other files declare makes no difference.
    for portion in files.chunks(PORTION) {
        let found = in_parallel(portion.iter(), processors(), |file| {
            gone_from(file, n, &newly)
        });
        for gone in found.into_iter().flatten() {
            out.entry(gone.name.clone()).or_insert(gone);
        }
        if out.len() > NAMES_GONE {
            return None;
        }
    }
    Some(out.into_values().collect())
}

/// Those of `newly` that one side of a file no longer declares.
fn gone_from(file: &File, side: usize, newly: &HashSet<&[u8]>) -> Vec<Gone> {
    let (before, after) = (
        outlined(file.language, &file.base),
        outlined(file.language, &file.sides[side]),
    );
    // What a parser does not understand may still be declared.
    if after.errors() > before.errors() {
        return Vec::new();
    }
    let after_all = after.flat();
    let kept: HashSet<&str> = after_all.iter().map(|(_, d)| called(&d.name)).collect();
    let is_gone = |(_, declaration): &(usize, &Declaration)| {
        let name = called(&declaration.name);
        is_called(declaration.kind) && !kept.contains(name) && newly.contains(name.as_bytes())
    };
    let mut gone = before.flat();
    gone.retain(is_gone);
    if gone.is_empty() {
        return Vec::new();
    }
    let renamed = renamed_declarations((&file.base, &before), (&file.sides[side], &after));
    let of = |(_, declaration): (usize, &Declaration)| {
        let new_name = renamed.iter().find(|(old, _)| *old == declaration.name);
        Gone {
            name: called(&declaration.name).to_owned(),
            kind: declaration.kind,
            path: file.path.clone(),
            line: declaration.starts,
            new_name: new_name.map(|(_, new)| called(new).to_owned()),
        }
    };
    gone.into_iter().map(of).collect()
}

/// Those that nothing that would be committed declares any more.
fn still_gone(
    repo: &Repository,
    files: &[File],
    gone: Vec<Gone>,
    tree: Option<&str>,
) -> Result<Vec<Gone>, Error> {
    let mut out = Vec::new();
    if gone.is_empty() {
        return Ok(out);
    }
    let seen: BTreeSet<&RepoPath> = files.iter().map(|file| &file.path).collect();
    let names: HashSet<&str> = gone.iter().map(|gone| gone.name.as_str()).collect();
    let declared = in_parallel(files.iter(), processors(), |file| {
        declared_of(file.language, &file.staged, &names)
    });
    let declared: HashSet<String> = declared.into_iter().flatten().collect();
    for name in gone {
        if declared.contains(&name.name) {
            continue;
        }
        if !is_declared_elsewhere(repo, &seen, &name.name, tree)? {
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
    tree: Option<&str>,
) -> Result<bool, Error> {
    /// Files that mention a name up to which they are parsed.
    const MENTIONS: usize = 40;
    let call = Invocation::read(["grep", "-l", "-z", "-w", "-F", "-e", name]);
    let call = call.arg(tree.unwrap_or("--cached"));
    // It says 1 where there is none.
    let listed = repo.run(&call)?.stdout;
    let before = tree.map_or(0, |tree| tree.len() + 1);
    let paths = listed
        .split(|b| *b == 0)
        .filter_map(|path| path.get(before..))
        .filter(|path| !path.is_empty());
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
    let oids: HashMap<RepoPath, Oid> = match tree {
        None => {
            let entries = staged_entries(repo, &names)?.into_iter();
            entries.map(|(path, stage)| (path, stage.oid)).collect()
        }
        Some(tree) => {
            let entries = tree_entries(repo, tree, &names)?.into_iter();
            entries.map(|(path, entry)| (path, entry.oid)).collect()
        }
    };
    let staged: Vec<(Language, Oid)> = code
        .iter()
        .filter_map(|(path, language)| Some((*language, oids.get(path)?.clone())))
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
    // A word of another language is another name.
    let of = language(&gone.path);
    let is_shared = |file: &&File| of.is_some_and(|of| of.shares_names_with(file.language));
    let using = files
        .iter()
        .filter(is_shared)
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
