//! Backup files that git's own merge helper left beside files that were in conflict.
//!
//! Told by what is in them, never by their names alone: a file that holds anything that no version of
//! its case has is a person's.

use crate::case::contents::load;
use crate::case::one::Case;
use crate::file::folders::{ROOT, make_folder, read_if_there};
use crate::file::work_file::{Seen, WorkFile, write_atomically};
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::objects::hash_files;
use crate::repo::repository::Repository;
use crate::store::records::Store;
use armistice_core::{Source, Versions, find_markers, marker_size, parse_markers};
use std::collections::{HashMap, HashSet};
use std::fs;
use std::os::unix::ffi::OsStringExt;
use std::path::PathBuf;

/// A backup file with what was seen in it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Leftover {
    /// Where it is.
    pub path: RepoPath,
    seen: Seen,
}

/// The backup files beside cases: untracked, named as git names them, and with nothing in them but
/// one version of the case, or lines of its versions between markers.
///
/// # Errors
/// If git fails or a folder cannot be read.
pub(crate) fn leftovers(repo: &Repository, cases: &[Case]) -> Result<Vec<Leftover>, Error> {
    let mut found = Vec::new();
    let mut folders: HashMap<&[u8], Vec<Vec<u8>>> = HashMap::new();
    for case in cases {
        let (folder, name) = split(case.path.bytes());
        let entries = folders
            .entry(folder)
            .or_insert_with(|| entries(repo, folder));
        let named = entries.iter().filter(|entry| is_named_so(name, entry));
        for entry in named {
            found.push((case, RepoPath::new([folder, entry].concat())));
        }
    }
    let tracked = tracked(repo, found.iter().map(|(_, path)| path))?;
    let mut left = Vec::new();
    for (case, path) in found {
        if tracked.contains(&path) {
            continue;
        }
        let file = WorkFile::read(repo.work_tree(), &path)?;
        if matches!(file.seen, Seen::File(..)) && is_a_backup(repo, case, &file.bytes)? {
            let seen = file.seen;
            left.push(Leftover { path, seen });
        }
    }
    Ok(left)
}

/// Removes backup files that are still what was seen, each copied aside first; where the copies are,
/// in order, for those that went.
///
/// # Errors
/// If a copy cannot be made or a file cannot be removed.
pub fn remove_leftovers(
    repo: &Repository,
    leftovers: &[Leftover],
) -> Result<Vec<(RepoPath, PathBuf)>, Error> {
    let store = Store::new(repo.git_dir());
    let _turn = store.write_lock()?;
    let mut gone = Vec::new();
    for left in leftovers {
        let now = WorkFile::read(repo.work_tree(), &left.path)?;
        if now.seen != left.seen {
            continue;
        }
        let copy = store.keep(&left.path, &now.bytes)?;
        fs::remove_file(&now.file).map_err(Error::file("remove", &now.file))?;
        gone.push((left.path.clone(), copy));
    }
    note_leftovers(repo, &known_leftovers(repo))?;
    Ok(gone)
}

/// Where backup files are noted that nobody has removed, below the store's folder.
const NOTED: &str = "leftovers.json";

/// Notes backup files, beside those that are noted already, so that a later start can offer them.
///
/// # Errors
/// If the note cannot be written.
pub(crate) fn note_leftovers(repo: &Repository, leftovers: &[Leftover]) -> Result<(), Error> {
    let file = repo.git_dir().join(ROOT).join(NOTED);
    let mut all = leftovers.to_vec();
    let known = known_leftovers(repo).into_iter();
    all.extend(known.filter(|known| !leftovers.iter().any(|left| left.path == known.path)));
    if all.is_empty() {
        return match fs::remove_file(&file) {
            Err(why) if why.kind() != std::io::ErrorKind::NotFound => {
                Err(Error::file("remove", file)(why))
            }
            _ => Ok(()),
        };
    }
    let all: Vec<(&[u8], &Seen)> = all
        .iter()
        .map(|left| (left.path.bytes(), &left.seen))
        .collect();
    let text = serde_json::to_vec(&all).map_err(|why| Error::Record {
        path: file.clone(),
        why: why.to_string(),
    })?;
    make_folder(&repo.git_dir().join(ROOT))?;
    write_atomically(&file, &text, None)
}

/// Returns the noted backup files that are still as they were seen.
pub fn known_leftovers(repo: &Repository) -> Vec<Leftover> {
    let bytes = read_if_there(&repo.git_dir().join(ROOT).join(NOTED));
    let noted = bytes.ok().flatten();
    let noted = noted.and_then(|bytes| serde_json::from_slice::<Vec<(Vec<u8>, Seen)>>(&bytes).ok());
    let noted = noted
        .unwrap_or_default()
        .into_iter()
        .map(|(path, seen)| Leftover {
            path: RepoPath::new(path),
            seen,
        });
    let is_same = |left: &Leftover| {
        let now = WorkFile::read(repo.work_tree(), &left.path);
        now.is_ok_and(|now| now.seen == left.seen)
    };
    noted.filter(is_same).collect()
}

/// The folder of a path with its slash, and its last part.
fn split(path: &[u8]) -> (&[u8], &[u8]) {
    let at = path.iter().rposition(|b| *b == b'/').map_or(0, |at| at + 1);
    path.split_at(at)
}

/// The names in a folder; none where it is gone.
fn entries(repo: &Repository, folder: &[u8]) -> Vec<Vec<u8>> {
    let folder = RepoPath::new(folder).under(repo.work_tree());
    let Ok(read) = fs::read_dir(folder) else {
        return Vec::new();
    };
    let names = read.flatten().map(|entry| entry.file_name().into_vec());
    names.collect()
}

/// `name.orig`, or `stem_WHAT_NUMBER.extension`.
fn is_named_so(name: &[u8], entry: &[u8]) -> bool {
    if entry.strip_prefix(name) == Some(b".orig") {
        return true;
    }
    let dot = name.iter().rposition(|b| *b == b'.').unwrap_or(name.len());
    let (stem, extension) = name.split_at(dot);
    let middle = entry.strip_prefix(stem);
    let Some(middle) = middle.and_then(|rest| rest.strip_suffix(extension)) else {
        return false;
    };
    ["_BACKUP_", "_BASE_", "_LOCAL_", "_REMOTE_"]
        .iter()
        .any(|what| {
            let number = middle.strip_prefix(what.as_bytes());
            number.is_some_and(|n| !n.is_empty() && n.iter().all(u8::is_ascii_digit))
        })
}

fn tracked<'a>(
    repo: &Repository,
    paths: impl Iterator<Item = &'a RepoPath>,
) -> Result<HashSet<RepoPath>, Error> {
    let paths: Vec<_> = paths.collect();
    if paths.is_empty() {
        return Ok(HashSet::new());
    }
    let mut call = Invocation::read(["--literal-pathspecs", "ls-files", "-z", "--"]);
    for path in paths {
        call = call.arg(path.to_os());
    }
    let listed = repo.must(&call)?.stdout;
    let listed = listed.split(|b| *b == 0).filter(|path| !path.is_empty());
    Ok(listed.map(RepoPath::new).collect())
}

fn is_a_backup(repo: &Repository, case: &Case, bytes: &[u8]) -> Result<bool, Error> {
    let stored = hash_files(repo, &[(&case.path, bytes)])?;
    let stages = case.stages.all().into_iter().flatten();
    let mut stages = stages.chain(case.places.iter().flat_map(|place| {
        let [base, ours, theirs] = place.stages.all();
        [base, ours, theirs].into_iter().flatten()
    }));
    if stages.any(|stage| stored.first() == Some(&stage.oid)) {
        return Ok(true);
    }
    if !case
        .stages
        .all()
        .into_iter()
        .flatten()
        .all(|s| s.mode.is_text_like())
    {
        return Ok(false);
    }
    let loaded = load(repo, case)?;
    Ok(!loaded.binary && holds_nothing_new(&Source::new(bytes.to_vec()), &loaded.versions))
}

/// Whether a text is a conflict with markers, made of lines that the versions have. Line ends are
/// left out of account: git writes them as the work tree has them.
fn holds_nothing_new(text: &Source, versions: &Versions) -> bool {
    let markers: HashSet<_> = find_markers(text).into_iter().map(|(at, _)| at).collect();
    if markers.is_empty() || parse_markers(text, marker_size(text)).is_err() {
        return false;
    }
    let texts = [&versions.base, &versions.ours, &versions.theirs];
    let known: HashSet<&[u8]> = texts
        .into_iter()
        .flat_map(|text| text.lines((0..text.len()).into()))
        .map(|line| line.content())
        .collect();
    let lines = text.lines((0..text.len()).into()).enumerate();
    let mut others =
        lines.filter(|(at, _)| !markers.contains(&armistice_core::LineIdx(*at as u32)));
    others.all(|(_, line)| known.contains(line.content()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_those_that_git_gives() {
        let named = |name: &str, entry: &str| is_named_so(name.as_bytes(), entry.as_bytes());
        assert!(named("quay.rs", "quay.rs.orig"));
        assert!(named("quay.rs", "quay_LOCAL_4711.rs"));
        assert!(named("Makefile", "Makefile_BASE_1"));
        for other in [
            "quay.orig",
            "quay_LOCAL_.rs",
            "quay_LOCAL_4a.rs",
            "quay_OTHER_1.rs",
            "quay.rs",
        ] {
            assert!(!named("quay.rs", other), "{other}");
        }
    }

    #[test]
    fn a_line_of_a_persons_own_makes_it_theirs() {
        let versions = Versions {
            base: Source::from("a\nb\n"),
            ours: Source::from("a\nB\n"),
            theirs: Source::from("a\nbb\n"),
        };
        let marked = "a\n<<<<<<< ours\nB\n=======\nbb\n>>>>>>> theirs\n";
        let nothing_new = |text: &str| holds_nothing_new(&Source::from(text), &versions);
        assert!(nothing_new(marked));
        assert!(nothing_new(&marked.replace('\n', "\r\n")));
        assert!(!nothing_new(&format!("{marked}mine\n")));
        assert!(!nothing_new("a\nB\n"));
    }
}
