//! What was found before, so that looking at the same contents again costs nothing.

use crate::case::reading::staged_entries;
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::objects::{Oid, read_blobs};
use crate::repo::repository::Repository;
use crate::situation::parsing::{Look, look_at_all};
use crate::situation::touched::Touched;
use armistice_core::{
    Check, Finding, LineIdx, MARKER_SIZE, Part, Source, Weight, marker_size, parse_markers,
};
use std::collections::HashMap;
use std::sync::{Mutex, MutexGuard};

/// What was found before: looking at the same texts again finds the same.
#[derive(Debug, Default)]
pub(crate) struct Looked {
    /// What was found in results, by path.
    results: Mutex<HashMap<RepoPath, (Look, Vec<Finding>)>>,
    /// Where conflicts with markers stand in contents that a side had committed.
    markers: Mutex<HashMap<Oid, Vec<Finding>>>,
}

impl Looked {
    /// What is found in each, in their order.
    pub(crate) fn at_all(&self, looks: &[Look]) -> Vec<Vec<Finding>> {
        let mut known = held(&self.results);
        let of = |look: &Look| {
            let (same, found) = known.get(&look.path)?;
            same.is(look).then(|| found.clone())
        };
        let mut found: Vec<Option<Vec<Finding>>> = looks.iter().map(of).collect();
        let new = looks
            .iter()
            .zip(&found)
            .filter(|(_, found)| found.is_none());
        let new: Vec<Look> = new.map(|(look, _)| look.clone()).collect();
        let mut all = look_at_all(&new).into_iter();
        for (look, found) in looks.iter().zip(&mut found).filter(|(_, f)| f.is_none()) {
            let new = all.next().unwrap_or_default();
            known.insert(look.path.clone(), (look.clone(), new.clone()));
            *found = Some(new);
        }
        found.into_iter().flatten().collect()
    }

    /// Conflicts with markers that a side had committed before the merge, in files that follow from
    /// one side alone.
    ///
    /// # Errors
    /// If git fails.
    pub(crate) fn committed_markers<'a>(
        &self,
        repo: &Repository,
        followed: &'a [Touched],
    ) -> Result<Vec<(&'a Touched, Vec<Finding>)>, Error> {
        let mut known = held(&self.markers);
        let staged = || {
            followed
                .iter()
                .filter_map(|t| Some((t, t.staged.as_ref()?)))
        };
        let new: Vec<Oid> = staged()
            .map(|(_, oid)| oid.clone())
            .filter(|oid| !known.contains_key(oid))
            .collect();
        for some in new.chunks(READ_AT_ONCE) {
            for (oid, bytes) in some.iter().zip(read_blobs(repo, some)?) {
                known.insert(oid.clone(), conflicts_in(bytes));
            }
        }
        let mut found = Vec::new();
        for (touched, oid) in staged() {
            let whose = match (&touched.ours, &touched.theirs) {
                (Some(ours), Some(theirs)) if ours == theirs => "both sides",
                (Some(ours), _) if ours == oid => "ours",
                _ => "theirs",
            };
            let mut findings = known.get(oid).cloned().unwrap_or_default();
            for finding in &mut findings {
                finding.what = format!("a conflict with markers that {whose} had committed");
            }
            if !findings.is_empty() {
                found.push((touched, findings));
            }
        }
        Ok(found)
    }
}

/// Files of the index in which conflicts with markers stand, each with the line of its first one: they
/// were committed, or staged, by mistake.
///
/// # Errors
/// If git fails.
pub fn committed_conflicts(repo: &Repository) -> Result<Vec<(RepoPath, LineIdx)>, Error> {
    // It exits with 1 where it finds nothing.
    let call = Invocation::read([
        "grep",
        "--cached",
        "-l",
        "-z",
        "-I",
        "-e",
        "^<<<<<<< ",
        "--",
    ]);
    let listed = repo.run(&call)?.stdout;
    let paths = listed.split(|b| *b == 0).filter(|path| !path.is_empty());
    let paths: Vec<RepoPath> = paths.map(RepoPath::new).collect();
    let entries = staged_entries(repo, &paths.iter().collect::<Vec<_>>())?;
    let mut found = Vec::new();
    for some in paths.chunks(READ_AT_ONCE) {
        let here: Vec<_> = some
            .iter()
            .filter_map(|p| Some((p, entries.get(p)?)))
            .collect();
        let oids: Vec<Oid> = here.iter().map(|(_, stage)| stage.oid.clone()).collect();
        for ((path, _), bytes) in here.iter().zip(read_blobs(repo, &oids)?) {
            let first = conflicts_in(bytes)
                .into_iter()
                .find_map(|finding| finding.line);
            found.extend(first.map(|line| ((*path).clone(), line)));
        }
    }
    Ok(found)
}

/// Files that are read at once.
const READ_AT_ONCE: usize = 256;

fn held<T>(known: &Mutex<T>) -> MutexGuard<'_, T> {
    match known.lock() {
        Ok(known) => known,
        // Whole entries are put in at once.
        Err(poisoned) => poisoned.into_inner(),
    }
}

/// Where conflicts with markers stand in a text; it may be about markers, so it is only worth a look.
fn conflicts_in(bytes: Vec<u8>) -> Vec<Finding> {
    // Most files have none, and are not cut into lines for it.
    if !bytes.windows(MARKER_SIZE).any(|signs| signs == b"<<<<<<<") {
        return Vec::new();
    }
    let text = Source::new(bytes);
    let parts = match parse_markers(&text, marker_size(&text)) {
        Ok(parts) if !text.is_binary() => parts,
        _ => return Vec::new(),
    };
    let conflicts = parts.iter().filter_map(|part| match part {
        Part::Conflict { ours, .. } => Some(LineIdx(ours.start.0.saturating_sub(1))),
        Part::Clean(_) => None,
    });
    let found = conflicts.map(|at| {
        let mut finding = Finding::new(Check::Markers, Some(at), "").in_text(&text);
        finding.weight = Weight::Look;
        finding
    });
    found.collect()
}
