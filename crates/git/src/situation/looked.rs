//! What was found before, so that looking at the same contents again costs nothing.

use crate::path::RepoPath;
use crate::process::error::Error;
use crate::repo::objects::Oid;
use crate::repo::repository::Repository;
use crate::situation::marker_files::conflict_lines;
use crate::situation::parsing::{Look, look_at_all};
use crate::situation::touched::Touched;
use armistice_core::{Check, Finding, Source, Weight};
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
            for (oid, bytes) in some.iter().zip(repo.read_blobs(some)?) {
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
                finding.what = format!("a conflict with markers that {whose} committed");
            }
            if !findings.is_empty() {
                found.push((touched, findings));
            }
        }
        Ok(found)
    }
}

/// Files that are read at once.
pub(crate) const READ_AT_ONCE: usize = 256;

fn held<T>(known: &Mutex<T>) -> MutexGuard<'_, T> {
    match known.lock() {
        Ok(known) => known,
        // Whole entries are put in at once.
        Err(poisoned) => poisoned.into_inner(),
    }
}

/// Where conflicts with markers stand in a text; it may be about markers, so it is only worth a look.
fn conflicts_in(bytes: Vec<u8>) -> Vec<Finding> {
    let text = Source::new(bytes);
    let found = conflict_lines(&text).into_iter().map(|at| {
        let mut finding = Finding::new(Check::Markers, Some(at), "").in_text(&text);
        finding.weight = Weight::Look;
        finding
    });
    found.collect()
}
