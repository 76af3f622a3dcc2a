//! Files that a command made, and what else was staged when it made them: once that changes, such a
//! file may be out of date.

use crate::case::reading::staged_entries;
use crate::file::folders::{ROOT, file_name_hash, make_folder, read_if_there};
use crate::file::work_file::write_atomically;
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::repo::objects::Oid;
use crate::repo::repository::Repository;
use serde::{Deserialize, Serialize};
use std::collections::HashSet;
use std::path::PathBuf;

/// Where they are noted, below the store's folder.
pub(crate) const REMADE: &str = "remade.json";

/// A file that a command made.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
struct Remade {
    /// Its path, by its bytes.
    path: Vec<u8>,
    /// What was staged for it.
    oid: String,
    /// Hash of everything else that was staged then, but for other such files.
    others: String,
}

fn file(repo: &Repository) -> PathBuf {
    repo.git_dir().join(ROOT).join(REMADE)
}

/// All that are noted; none if they cannot be read.
fn read(repo: &Repository) -> Vec<Remade> {
    let bytes = read_if_there(&file(repo)).ok().flatten();
    bytes
        .and_then(|bytes| serde_json::from_slice(&bytes).ok())
        .unwrap_or_default()
}

/// Hash of what is staged, as `git diff-index -z` lists it, without some paths.
fn print_without(staged: &[u8], paths: &HashSet<&[u8]>) -> String {
    let mut fields = staged.split(|b| *b == 0);
    let mut kept = Vec::new();
    while let (Some(entry), Some(path)) = (fields.next(), fields.next()) {
        if !paths.contains(path) {
            kept.extend_from_slice(entry);
            kept.push(0);
            kept.extend_from_slice(path);
            kept.push(0);
        }
    }
    file_name_hash(&kept)
}

/// Notes that a command made a file of what is staged now; `staged` lists all of it.
pub(crate) fn note_remade(repo: &Repository, path: &RepoPath, staged: &[u8]) -> Result<(), Error> {
    let entries = staged_entries(repo, &[path])?;
    let Some(entry) = entries.get(path) else {
        return Ok(());
    };
    let mut all = read(repo);
    all.retain(|other| other.path != path.bytes());
    all.push(Remade {
        path: path.bytes().to_vec(),
        oid: entry.oid.0.clone(),
        others: String::new(),
    });
    let paths: HashSet<&[u8]> = all.iter().map(|one| one.path.as_slice()).collect();
    let others = print_without(staged, &paths);
    if let Some(last) = all.last_mut() {
        last.others = others;
    }
    let file = file(repo);
    if let Some(folder) = file.parent() {
        make_folder(folder)?;
    }
    let text = serde_json::to_vec(&all).map_err(|why| Error::Record {
        path: file.clone(),
        why: why.to_string(),
    })?;
    write_atomically(&file, &text, None)
}

/// Files that are staged as a command made them, while other files have been staged since.
///
/// # Errors
/// If git fails.
pub(crate) fn outdated(repo: &Repository, staged: &[u8]) -> Result<Vec<RepoPath>, Error> {
    let all = read(repo);
    if all.is_empty() {
        return Ok(Vec::new());
    }
    let made: HashSet<&[u8]> = all.iter().map(|one| one.path.as_slice()).collect();
    let now = print_without(staged, &made);
    let paths: Vec<RepoPath> = all.iter().map(|one| RepoPath::new(&*one.path)).collect();
    let entries = staged_entries(repo, &paths.iter().collect::<Vec<_>>())?;
    let is_outdated = |(one, path): &(Remade, RepoPath)| {
        let oid = Oid(one.oid.clone());
        one.others != now && entries.get(path).is_some_and(|entry| entry.oid == oid)
    };
    let found = all.into_iter().zip(paths).filter(is_outdated);
    Ok(found.map(|(_, path)| path).collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_other_paths_count() {
        let staged = b":100644 100644 a b M\0x.lock\0:100644 100644 c d M\0a.rs\0";
        let other = b":100644 100644 a f M\0x.lock\0:100644 100644 c d M\0a.rs\0";
        let changed = b":100644 100644 a b M\0x.lock\0:100644 100644 c e M\0a.rs\0";
        let lock = HashSet::from([b"x.lock".as_slice()]);
        assert_eq!(print_without(staged, &lock), print_without(other, &lock));
        assert_ne!(print_without(staged, &lock), print_without(changed, &lock));
    }
}
