//! Names that one side moved to another file while the other newly asks the former file for them.

use crate::path::RepoPath;
use crate::situation::named_files::{File, called, outlined, places};
use armistice_core::{Check, Finding, LineIdx, Side, Source};
use armistice_syntax::Language;
use std::collections::HashSet;

/// A declaration that a side took out of one file and has in another.
struct Moved {
    name: String,
    kind: &'static str,
    from: usize,
    to: usize,
}

/// Where the other side newly asks a file for a name that was moved out of it, and the result still does.
pub(crate) fn names_moved(files: &[File]) -> Vec<(RepoPath, Finding)> {
    let mut findings = Vec::new();
    for side in Side::BOTH {
        for moved in moved(files, side) {
            let from = &files[moved.from];
            if !is_a_module(from) || hands_on(&from.staged, &moved.name) {
                continue;
            }
            for (at, file) in files.iter().enumerate() {
                if at == moved.to || file.language != from.language {
                    continue;
                }
                if let Some(line) = asks(file, side.other(), &moved, &from.path) {
                    let what = told(files, side, &moved);
                    let finding =
                        Finding::new(Check::Names, Some(line), what).in_text(&file.staged);
                    findings.push((file.path.clone(), finding));
                }
            }
        }
    }
    findings
}

fn told(files: &[File], side: Side, moved: &Moved) -> String {
    let (mover, user) = match side {
        Side::Ours => ("ours", "theirs"),
        Side::Theirs => ("theirs", "ours"),
    };
    format!(
        "{} '{}' was moved from {} to {} by {mover}; {user} newly asks for it at its old place here",
        moved.kind, moved.name, files[moved.from].path, files[moved.to].path
    )
}

/// What stands at the top of one file of base and of another file of a side.
fn moved(files: &[File], side: Side) -> Vec<Moved> {
    let n = side as usize;
    let top = |file: &File, text: &Source| -> Vec<(String, &'static str)> {
        let outline = outlined(file.language, text);
        let all = outline.declarations().iter();
        all.map(|d| (called(&d.name).to_owned(), d.kind)).collect()
    };
    let changed = |file: &&File| file.sides[n].bytes() != file.base.bytes();
    if files.iter().filter(changed).count() < 2 {
        return Vec::new();
    }
    let before: Vec<Vec<(String, &str)>> = files.iter().map(|f| top(f, &f.base)).collect();
    let after: Vec<Vec<(String, &str)>> = files.iter().map(|f| top(f, &f.sides[n])).collect();
    let mut out = Vec::new();
    for from in 0..files.len() {
        let gone = before[from].iter().filter(|d| !after[from].contains(d));
        for declaration in gone.filter(|(name, _)| name.len() > 2) {
            let is_new =
                |to: &usize| after[*to].contains(declaration) && !before[*to].contains(declaration);
            let mut new = (0..files.len()).filter(|to| *to != from).filter(is_new);
            if let (Some(to), None) = (new.next(), new.next()) {
                let (name, kind) = declaration.clone();
                out.push(Moved {
                    name,
                    kind,
                    from,
                    to,
                });
            }
        }
    }
    out
}

/// Words that bring a name in from another file, or hand it on.
const BRINGING: [&str; 6] = ["import", "from", "use", "require", "export", "include"];

fn brings(row: &[u8]) -> bool {
    let has = |word: &&str| places(row, word.as_bytes()).next().is_some();
    BRINGING.iter().any(has)
}

/// Whether a file still hands a name on to those that ask it.
fn hands_on(text: &Source, name: &str) -> bool {
    let mut rows = text.lines(text.all()).map(|line| line.trimmed());
    rows.any(|row| {
        let names = places(row, name.as_bytes()).next().is_some();
        let all = row.ends_with(b"*") || row.windows(3).any(|w| w == b"::*");
        brings(row) && (names || all)
    })
}

/// The line in which a side newly names a file together with what was moved out of it.
fn asks(file: &File, side: Side, moved: &Moved, from: &RepoPath) -> Option<LineIdx> {
    if !file.risen[side as usize].contains(moved.name.as_bytes()) {
        return None;
    }
    let stem = stem(from);
    if stem.len() < 2 {
        return None;
    }
    let new = &file.sides[side as usize];
    let rows = |text: &Source| -> HashSet<Vec<u8>> {
        text.lines(text.all())
            .map(|line| line.trimmed().to_vec())
            .collect()
    };
    let (old, new) = (rows(&file.base), rows(new));
    let is_asking = |row: &[u8]| {
        let name = || places(row, moved.name.as_bytes());
        let file = || places(row, &stem);
        // `tolls.rates`, `tolls::rates`, or a line that brings it in from there.
        let reached = || {
            name().any(|at| {
                let before = row[..at].trim_ascii_end();
                let before = before
                    .strip_suffix(b".")
                    .or_else(|| before.strip_suffix(b"::"));
                before.is_some_and(|before| before.ends_with(&stem))
            })
        };
        let brought = brings(row) && name().next().is_some() && file().next().is_some();
        brought || reached()
    };
    let staged = &file.staged;
    staged.all().iter().find(|at| {
        let row = staged.line(*at).trimmed();
        !old.contains(row) && new.contains(row) && is_asking(row)
    })
}

/// Whether names of a file are asked for by the name of that file.
fn is_a_module(file: &File) -> bool {
    use Language::{JavaScript, Python, Rust, Tsx, TypeScript};
    let by_its_name = matches!(file.language, JavaScript | Python | Rust | Tsx | TypeScript);
    let named_by_folder = [&b"mod"[..], b"lib", b"main", b"index", b"__init__"];
    by_its_name && !named_by_folder.contains(&stem(&file.path).as_slice())
}

/// The name of a file without its folder and ending.
fn stem(path: &RepoPath) -> Vec<u8> {
    let name = path
        .bytes()
        .rsplit(|b| *b == b'/')
        .next()
        .unwrap_or_default();
    let name = name.split(|b| *b == b'.').next().unwrap_or_default();
    name.to_vec()
}
