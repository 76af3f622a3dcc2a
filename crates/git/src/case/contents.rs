//! The three versions of a case, read, and what is staged for it.

use crate::case::kinds::CaseKind;
use crate::case::one::Case;
use crate::case::reading::{files_below, staged_entries};
use crate::case::submodule::commits;
use crate::file::work_file::{Seen, WorkFile};
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::repo::index::Mode;
use crate::repo::objects::Oid;
use crate::repo::repository::Repository;
use crate::repo::stages::Stage;
use armistice_core::limits::MERGED_BYTES;
use armistice_core::{Part, Side, Source, Version, Versions, marker_size, parse_markers};

/// The contents of a case.
#[derive(Clone, Debug)]
pub struct Loaded {
    /// Base, ours, theirs; a missing version is empty.
    pub versions: Versions,
    /// Whether a version is binary, so that lines make no sense.
    pub binary: bool,
    /// Whether a version is larger than what is merged line by line.
    pub too_large: bool,
    /// The working file when it was read.
    pub seen: Seen,
    /// What is known of the commits, if it is about a submodule.
    pub commits: Vec<String>,
    /// Files of the folder that a file of the same name would replace.
    pub folder: Vec<RepoPath>,
}

/// Reads the versions of a case and looks at its working file.
///
/// # Errors
/// If an object is missing or the working file cannot be read.
pub fn load(repo: &Repository, case: &Case) -> Result<Loaded, Error> {
    let mut all = load_all(repo, std::slice::from_ref(case))?;
    all.pop().ok_or_else(|| Error::Unreadable {
        command: "cat-file --batch".to_owned(),
        what: format!("nothing for '{}'", case.path),
    })
}

/// Reads many cases with one call for all contents; in the order of `cases`.
///
/// # Errors
/// As [`load`], for the first case that fails.
pub fn load_all(repo: &Repository, cases: &[Case]) -> Result<Vec<Loaded>, Error> {
    let stages = cases.iter().flat_map(|case| readable(case)).flatten();
    let oids: Vec<Oid> = stages.map(|s| s.oid.clone()).collect();
    let mut contents = repo.contents(&oids)?.into_iter();
    let paths: Vec<&RepoPath> = cases.iter().map(|case| &case.path).collect();
    let binary = repo.called_binary(&paths)?;
    let mut loaded = Vec::with_capacity(cases.len());
    for (case, called_binary) in cases.iter().zip(binary) {
        let mut next = |stage: Option<&Stage>| {
            let found = stage.and_then(|_| contents.next());
            found.unwrap_or_else(|| Source::new(Vec::new()))
        };
        let [base, ours, theirs] = readable(case);
        let versions = Versions {
            base: next(base),
            ours: next(ours),
            theirs: next(theirs),
        };
        let versions = untangled(case, versions);
        let texts = [&versions.base, &versions.ours, &versions.theirs];
        let folder = match case.kind {
            CaseKind::FileAgainstFolder => files_below(repo, &case.targets[1])?,
            _ => Vec::new(),
        };
        loaded.push(Loaded {
            commits: commits(repo, case),
            folder: below(case, folder),
            too_large: texts.iter().any(|text| text.bytes().len() > MERGED_BYTES),
            binary: called_binary || texts.into_iter().any(Source::is_binary),
            seen: WorkFile::read(repo.work_tree(), &case.path)?.seen,
            versions,
        });
    }
    Ok(loaded)
}

/// The files of the folder that a file of its name would replace, unmerged ones too.
fn below(case: &Case, merged: Vec<(RepoPath, Stage)>) -> Vec<RepoPath> {
    let mut paths: Vec<RepoPath> = merged.into_iter().map(|(path, _)| path).collect();
    if case.kind == CaseKind::FileAgainstFolder {
        let inside = [case.targets[1].bytes(), b"/"].concat();
        let unmerged = case
            .paths()
            .filter(|path| path.bytes().starts_with(&inside));
        paths.extend(unmerged.cloned());
    }
    paths.sort();
    paths
}

/// Takes apart what git had merged half, with markers, where nothing tells what the sides had: of a
/// file renamed two ways both stages are one text then.
fn untangled(case: &Case, versions: Versions) -> Versions {
    let in_index = |nth: usize| {
        let mut stages = case
            .places
            .iter()
            .filter_map(|p| p.stages.all()[nth].clone());
        stages.next()
    };
    let one_text = in_index(1).filter(|ours| Some(ours) == in_index(2).as_ref());
    let Some(one_text) = one_text.filter(|_| case.kind == CaseKind::RenamedTwoWays) else {
        return versions;
    };
    let side = |own: Side| {
        let nth = Version::from(own) as usize;
        let text = versions.get(own.into());
        // Where the party itself tells, its text was taken already.
        match case.stages.all()[nth] {
            Some(stage) if *stage == one_text => taken_apart(text, own),
            _ => text.clone(),
        }
    };
    Versions {
        ours: side(Side::Ours),
        theirs: side(Side::Theirs),
        base: versions.base.clone(),
    }
}

/// What one side has in a text with markers.
fn taken_apart(text: &Source, own: Side) -> Source {
    let Ok(parts) = parse_markers(text, marker_size(text)) else {
        return text.clone();
    };
    let lines = parts.iter().map(|part| match part {
        Part::Clean(lines) => *lines,
        Part::Conflict { ours, theirs, .. } => match own {
            Side::Ours => *ours,
            Side::Theirs => *theirs,
        },
    });
    let bytes: Vec<u8> = lines.flat_map(|lines| text.slice(lines).to_vec()).collect();
    Source::new(bytes)
}

/// The stages that are objects of this repository: the commit of a submodule is none.
fn readable(case: &Case) -> [Option<&Stage>; 3] {
    let is_readable = |s: &&Stage| s.mode != Mode::Submodule;
    case.stages.all().map(|s| s.as_ref().filter(is_readable))
}

/// What is staged for each case now, if anything is, under whichever of its names; in their order.
///
/// # Errors
/// If git fails.
pub fn staged_contents(
    repo: &Repository,
    cases: &[Case],
) -> Result<Vec<Option<StagedText>>, Error> {
    let paths: Vec<&RepoPath> = cases.iter().flat_map(names_of).collect();
    let entries = staged_entries(repo, &paths)?;
    let of = |case: &Case| {
        let stage = names_of(case).find_map(|path| entries.get(path))?;
        // The commit of a submodule is no object of this repository.
        (stage.mode != Mode::Submodule).then(|| stage.oid.clone())
    };
    let oids: Vec<Option<Oid>> = cases.iter().map(of).collect();
    let wanted: Vec<Oid> = oids.iter().flatten().cloned().collect();
    let mut contents = repo.contents(&wanted)?.into_iter();
    Ok(oids
        .into_iter()
        .map(|oid| {
            let text = oid.as_ref().and_then(|_| contents.next())?;
            Some(StagedText { oid: oid?, text })
        })
        .collect())
}

/// What is staged for a case.
#[derive(Clone, Debug)]
pub struct StagedText {
    /// The object.
    pub oid: Oid,
    /// Its contents.
    pub text: Source,
}

/// The paths under which a case may be staged.
fn names_of(case: &Case) -> impl Iterator<Item = &RepoPath> {
    case.paths().chain(&case.targets)
}
