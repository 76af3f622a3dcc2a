//! What each side did to the declarations of every file that both could have met in, and what moved
//! from one file to another.

use crate::case::contents::load_all;
use crate::case::kinds::CaseKind;
use crate::case::one::Case;
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::repo::repository::Repository;
use crate::situation::read::Situation;
use crate::situation::touched::{Touched, texts_of, touched};
use armistice_core::limits::{RENAMED_LIKENESS, TERRAIN_FILES};
use armistice_core::{
    DeclarationChange, LineRange, Outline, PerSide, Side, Source, Version, Versions,
    declaration_changes, outline_by_indentation, text_likeness,
};
use armistice_syntax::{Language, outline};
use serde::Serialize;
use std::collections::HashMap;

/// The declarations of one file.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct FileTerrain {
    /// Where it stands.
    pub path: RepoPath,
    /// Whether a parser found them; else they are read by indentation.
    pub parsed: bool,
    /// What each side did to each, in the order of base.
    pub changes: Vec<DeclarationChange>,
    /// For each, where a side that took it out of this file has it.
    #[serde(skip)]
    pub went_to_file: Vec<PerSide<Option<RepoPath>>>,
}

/// Code that one side moved to another file, and that the other side edited where it was.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct MovedEdit {
    /// What it is, and what it is called: "function rates".
    pub title: String,
    /// Who moved it.
    pub mover: Side,
    /// Where it was.
    pub from: RepoPath,
    /// Its lines there, in base.
    pub base: LineRange,
    /// Its lines there in the version of who edited it.
    pub edited: LineRange,
    /// Where it is.
    pub to: RepoPath,
    /// Its lines there in the version of who moved it.
    pub moved: LineRange,
    /// What base had, what the mover has, and what the other side made of it.
    pub texts: [Vec<u8>; 3],
}

/// What each side did to declarations, file by file, and how many files were left out.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Terrain {
    /// Files in which a side did something to a declaration, those in conflict first.
    pub files: Vec<FileTerrain>,
    /// Edits of code that the other side moved to another file, what holds others without them.
    pub edits: Vec<MovedEdit>,
    /// Files beyond [`TERRAIN_FILES`](armistice_core::limits::TERRAIN_FILES).
    pub left_out: usize,
}

/// Reads the declarations of all files in conflict, and of those that a side changed.
///
/// # Errors
/// If git fails.
pub fn terrain(repo: &Repository, situation: &Situation) -> Result<Terrain, Error> {
    let cases: Vec<_> = (situation.cases.iter())
        .filter(|case| case.has_lines() || is_removed(case))
        .cloned()
        .collect();
    let loaded = load_all(repo, &cases)?;
    let mut texts: Vec<(RepoPath, Versions)> = cases
        .iter()
        .zip(loaded)
        .filter(|(_, loaded)| !loaded.binary && !loaded.too_large)
        .map(|(case, loaded)| (case.path.clone(), loaded.versions))
        .collect();
    let others = touched(repo, situation)?.map_or(Vec::new(), |all| {
        let mut files: Vec<Touched> = all.to_look_at.into_iter().chain(all.followed).collect();
        files.retain(|file| !situation.cases.iter().any(|case| case.has_path(&file.path)));
        files.retain(|file| language(&file.path).is_some());
        files.sort_by(|a, b| a.path.cmp(&b.path));
        files
    });
    let room = TERRAIN_FILES.saturating_sub(texts.len());
    let left_out = others.len().saturating_sub(room);
    texts.extend(read(repo, &others[..others.len() - left_out])?);
    let mut files: Vec<FileTerrain> = texts.iter().map(|(path, v)| file(path, v)).collect();
    let edits = across(&mut files, &texts);
    files.retain(|file| file.changes.iter().any(DeclarationChange::is_changed));
    Ok(Terrain {
        files,
        edits,
        left_out,
    })
}

/// Whether one side removed a file of lines that the other edited: it may have moved what is in it.
fn is_removed(case: &Case) -> bool {
    let mut stages = case.stages.all().into_iter().flatten();
    let removed = matches!(
        case.kind,
        CaseKind::RemovedByOurs | CaseKind::RemovedByTheirs
    );
    removed && stages.all(|stage| stage.mode.is_text_like())
}

fn language(path: &RepoPath) -> Option<Language> {
    Language::of(&String::from_utf8_lossy(path.bytes()))
}

fn read(repo: &Repository, files: &[Touched]) -> Result<Vec<(RepoPath, Versions)>, Error> {
    let all: Vec<&Touched> = files.iter().collect();
    let texts = texts_of(repo, &all)?.into_iter();
    let read = files
        .iter()
        .zip(texts)
        .map(|(touched, [base, ours, theirs, _])| {
            (touched.path.clone(), Versions { base, ours, theirs })
        });
    let is_text = |(_, v): &(RepoPath, Versions)| {
        ![&v.base, &v.ours, &v.theirs]
            .into_iter()
            .any(Source::is_binary)
    };
    Ok(read.filter(is_text).collect())
}

fn file(path: &RepoPath, versions: &Versions) -> FileTerrain {
    let texts = [&versions.base, &versions.ours, &versions.theirs];
    let language = language(path);
    let parsed: Option<Vec<Outline>> = (texts.iter())
        .map(|text| language.and_then(|language| outline(language, text)))
        .collect();
    let is_parsed = parsed.is_some();
    let outlines = parsed.unwrap_or_else(|| texts.map(outline_by_indentation).to_vec());
    let changes = match &outlines[..] {
        [base, ours, theirs] => declaration_changes(versions, [base, ours, theirs]),
        _ => Vec::new(),
    };
    FileTerrain {
        path: path.clone(),
        parsed: is_parsed,
        went_to_file: vec![PerSide::default(); changes.len()],
        changes,
    }
}

/// Finds what a side took out of one file and has in another, under the same name and alike.
fn across(files: &mut [FileTerrain], texts: &[(RepoPath, Versions)]) -> Vec<MovedEdit> {
    let mut edits = Vec::new();
    for side in Side::BOTH {
        let version = Version::from(side);
        let text = |file: usize, change: &DeclarationChange, version: Version| {
            let lines = change.lines_in(version).unwrap_or_default();
            texts[file].1.get(version).slice(lines).to_vec()
        };
        let mut added: HashMap<String, Vec<(usize, usize)>> = HashMap::new();
        for (at, file) in files.iter().enumerate() {
            for (nth, change) in file.changes.iter().enumerate() {
                if change.did[side].added {
                    let name = change.name_in(version).to_owned();
                    added.entry(name).or_default().push((at, nth));
                }
            }
        }
        for from in 0..files.len() {
            for nth in 0..files[from].changes.len() {
                let change = &files[from].changes[nth];
                if !change.did[side].removed {
                    continue;
                }
                let here = text(from, change, Version::Base);
                let places = added.get_mut(change.name_in(Version::Base));
                let found = places.and_then(|places| {
                    let alike = |(file, nth): &(usize, usize)| {
                        let there = text(*file, &files[*file].changes[*nth], version);
                        *file != from && text_likeness(&here, &there) >= RENAMED_LIKENESS
                    };
                    let at = places.iter().position(alike)?;
                    Some(places.remove(at))
                });
                if let Some((file, to)) = found {
                    edits.extend(edit_of(files, texts, (from, nth), (file, to), side));
                    let path = files[file].path.clone();
                    let did = &mut files[from].changes[nth].did[side];
                    (did.removed, did.moved) = (false, true);
                    files[from].went_to_file[nth][side] = Some(path);
                    let there = &mut files[file].changes[to].did[side];
                    (there.added, there.moved) = (false, true);
                }
            }
        }
    }
    outermost(edits)
}

/// What the other side edited of something that a side moved.
fn edit_of(
    files: &[FileTerrain],
    texts: &[(RepoPath, Versions)],
    (from, nth): (usize, usize),
    (file, to): (usize, usize),
    mover: Side,
) -> Option<MovedEdit> {
    let change = &files[from].changes[nth];
    let version = Version::from(mover);
    if !change.did[mover.other()].edited {
        return None;
    }
    let base = change.lines_in(Version::Base)?;
    let edited = change.lines_in(mover.other().into())?;
    let moved = files[file].changes[to].lines_in(version)?;
    let text = |file: usize, version: Version, lines: LineRange| {
        texts[file].1.get(version).slice(lines).to_vec()
    };
    Some(MovedEdit {
        title: format!("{} {}", change.kind, change.name_in(Version::Base)),
        mover,
        from: files[from].path.clone(),
        base,
        edited,
        to: files[file].path.clone(),
        moved,
        texts: [
            text(from, Version::Base, base),
            text(file, version, moved),
            text(from, mover.other().into(), edited),
        ],
    })
}

/// Those that are not within another one.
fn outermost(edits: Vec<MovedEdit>) -> Vec<MovedEdit> {
    let holds = |outer: &MovedEdit, inner: &MovedEdit| {
        outer != inner
            && outer.from == inner.from
            && outer.mover == inner.mover
            && outer.base.start <= inner.base.start
            && inner.base.end <= outer.base.end
    };
    let is_outer = |edit: &&MovedEdit| !edits.iter().any(|outer| holds(outer, edit));
    edits.iter().filter(is_outer).cloned().collect()
}
