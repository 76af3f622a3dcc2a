//! Names that both sides newly declare in different files of one module: each file is right by itself,
//! and together they do not compile, or one silently stands for the other.

use crate::path::RepoPath;
use crate::situation::named_files::{File, called, outlined};
use armistice_core::{Check, Declaration, Finding, LineIdx, Side, Source};
use armistice_syntax::Language;
use std::collections::{HashMap, HashSet};

/// What is declared in a module: its folder, language, what holds it, and its name.
type Place = (Vec<u8>, Language, String);

/// Names that one side newly declares in one file and the other in another of the same module, told
/// where theirs stands.
pub(crate) fn names_twice(files: &[File]) -> Vec<(RepoPath, Finding)> {
    let [ours, theirs] = Side::BOTH.map(|side| newly_declared(files, side));
    let known: HashSet<Place> = files
        .iter()
        .flat_map(|file| declared(file, &file.base))
        .map(|(place, ..)| place)
        .collect();
    let mut findings = Vec::new();
    let mut told: Vec<_> = theirs
        .into_iter()
        .filter(|(place, _)| !known.contains(place))
        .collect();
    told.sort_by(|a, b| a.0.2.cmp(&b.0.2));
    for (place, (at, kind, line)) in told {
        let Some((other, _, first)) = ours.get(&place).filter(|(other, ..)| *other != at) else {
            continue;
        };
        let stands = |file: usize| {
            let staged = declared(&files[file], &files[file].staged);
            staged.into_iter().find(|(there, ..)| *there == place)
        };
        let (Some(_), Some((.., here))) = (stands(*other), stands(at)) else {
            continue;
        };
        let name = place.2.rsplit(' ').next().unwrap_or_default();
        let what = format!(
            "{kind} '{name}' is declared by both: by theirs here (its line {}), by ours in {} line {}",
            line.number(),
            files[*other].path,
            first.number()
        );
        let finding = Finding::new(Check::Twice, Some(here), what).in_text(&files[at].staged);
        findings.push((files[at].path.clone(), finding));
    }
    findings
}

/// What a side declares and base did not, with the file and line.
fn newly_declared(files: &[File], side: Side) -> HashMap<Place, (usize, &'static str, LineIdx)> {
    let mut out = HashMap::new();
    for (at, file) in files.iter().enumerate() {
        let text = &file.sides[side as usize];
        // What a side did not touch declares nothing new.
        if text.bytes() == file.base.bytes() {
            continue;
        }
        let before: HashSet<Place> = declared(file, &file.base)
            .into_iter()
            .map(|d| d.0)
            .collect();
        for (place, kind, line) in declared(file, text) {
            if !before.contains(&place) {
                out.entry(place).or_insert((at, kind, line));
            }
        }
    }
    out
}

/// What a text declares for its whole module.
fn declared(file: &File, text: &Source) -> Vec<(Place, &'static str, LineIdx)> {
    let folder = || {
        let bytes = file.path.bytes();
        let at = bytes.iter().rposition(|b| *b == b'/').unwrap_or(0);
        bytes[..at].to_vec()
    };
    let row = |declaration: &Declaration| {
        let line = text.line(declaration.starts);
        String::from_utf8_lossy(line.content()).into_owned()
    };
    let mut out = Vec::new();
    let outline = outlined(file.language, text);
    for outer in outline.declarations() {
        let mut put = |holder: &str, declaration: &Declaration| {
            let name = called(&declaration.name);
            let is_named = !name.is_empty() && name != "_" && name != "init" && name != "main";
            if is_named {
                let key = format!("{holder} {name}");
                out.push((
                    (folder(), file.language, key),
                    declaration.kind,
                    declaration.starts,
                ));
            }
        };
        match file.language {
            // Tests of another package may stand in the same folder.
            Language::Go if file.path.bytes().ends_with(b"_test.go") => {}
            Language::Go if outer.kind != "method" => put("", outer),
            Language::C if outer.kind == "function" && !row(outer).contains("static") => {
                put("", outer);
            }
            Language::Java | Language::Php if outer.kind != "namespace" => put("", outer),
            // Two parts of one type hold each other's methods.
            Language::Rust if outer.kind == "impl" && !outer.name.contains(" for ") => {
                outer.inner.iter().for_each(|inner| put(&outer.name, inner));
            }
            _ => {}
        }
    }
    out
}
