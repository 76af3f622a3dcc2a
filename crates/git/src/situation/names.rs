//! What lines do not show of names, in all files of a merge: those that went and are used, those that are
//! asked for where they stood, those that both sides declare, and calls of functions that take other
//! arguments by now.

use crate::path::RepoPath;
use crate::process::error::Error;
use crate::repo::objects::Oid;
use crate::repo::repository::Repository;
use crate::situation::calls_outdated::calls_outdated;
use crate::situation::named_files::{language, read};
use crate::situation::names_gone::names_gone;
use crate::situation::names_moved::names_moved;
use crate::situation::names_twice::names_twice;
use crate::situation::touched::Touched;
use armistice_core::Finding;
use armistice_core::limits::NAMED_FILES;

/// What was found of names, and in how many files.
pub(crate) struct Named {
    pub(crate) files: usize,
    pub(crate) findings: Vec<(RepoPath, Finding)>,
}

/// What is wrong with names, each where it stands, and how many files of code were looked at; `None`
/// beyond [`NAMED_FILES`](armistice_core::limits::NAMED_FILES) or
/// [`NAMES_GONE`](armistice_core::limits::NAMES_GONE).
///
/// # Errors
/// If git fails.
///
/// `tree` is what would be committed; without it, what is staged.
pub(crate) fn names(
    repo: &Repository,
    all: &[Touched],
    tree: Option<&str>,
) -> Result<Option<Named>, Error> {
    let files: Vec<&Touched> = all.iter().filter(|t| language(&t.path).is_some()).collect();
    let by = |side: fn(&Touched) -> &Option<Oid>| files.iter().any(|t| *side(t) != t.base);
    if files.len() > NAMED_FILES {
        return Ok(None);
    }
    let mut named = Named {
        files: files.len(),
        findings: Vec::new(),
    };
    if !by(|t| &t.ours) || !by(|t| &t.theirs) {
        return Ok(Some(named));
    }
    let files = read(repo, &files)?;
    let Some(gone) = names_gone(repo, &files, tree)? else {
        return Ok(None);
    };
    named.findings = gone;
    named.findings.extend(names_moved(&files));
    named.findings.extend(names_twice(&files));
    named.findings.extend(calls_outdated(&files));
    Ok(Some(named))
}
