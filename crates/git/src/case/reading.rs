//! Reads the conflicted part of the index, and what trees have at paths.

use crate::case::place::{IndexState, Place};
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::index::Mode;
use crate::repo::objects::Oid;
use crate::repo::repository::Repository;
use crate::repo::stages::{Stage, Stages};
use crate::repo::trees::tree_difference;
use std::collections::{BTreeMap, HashMap, HashSet};

/// The paths that the index tells of: unmerged ones, and staged ones whose stages git still
/// remembers.
pub(crate) fn places_in_index(git: &impl Git) -> Result<Vec<Place>, Error> {
    let read = |option| -> Result<_, Error> {
        let call = Invocation::read(["ls-files", "-z", option, "--full-name"]);
        parse(&git.must(&call)?.stdout)
    };
    let unmerged = read("--unmerged")?;
    let mut all = read("--resolve-undo")?;
    let known = unmerged.keys().cloned().collect::<Vec<_>>();
    all.extend(unmerged);
    let place = |(path, stages): (RepoPath, Stages)| Place {
        standing: match known.binary_search(&path) {
            Ok(_) => IndexState::Unmerged,
            Err(_) => IndexState::Staged,
        },
        ..Place::new(path, stages)
    };
    Ok(all.into_iter().map(place).collect())
}

/// Paths in one call; longer lists are read without naming any.
const NAMED: usize = 200;

/// What is staged for paths now, merged entries alone.
pub(crate) fn staged_entries(
    git: &impl Git,
    paths: &[&RepoPath],
) -> Result<HashMap<RepoPath, Stage>, Error> {
    if paths.is_empty() {
        return Ok(HashMap::new());
    }
    let mut call = Invocation::read(["ls-files", "-z", "--stage", "--full-name", "--"]);
    if paths.len() <= NAMED {
        call = paths.iter().fold(call, |call, path| call.arg(path.to_os()));
    }
    let output = git.must(&call)?;
    let wanted: HashSet<&RepoPath> = paths.iter().copied().collect();
    let mut found = HashMap::new();
    for record in output.stdout.split(|b| *b == 0).filter(|r| !r.is_empty()) {
        // Entries that are no files, folders of a sparse index say, are passed over.
        if let Some((path, b"0", stage)) = parse_record(record)
            && wanted.contains(&path)
        {
            found.insert(path, stage);
        }
    }
    Ok(found)
}

/// The names that have a folder in the index.
pub(crate) fn folders_in_index(
    git: &impl Git,
    names: &[&RepoPath],
) -> Result<HashSet<RepoPath>, Error> {
    let mut found = HashSet::new();
    for name in names {
        if !files_below(git, name)?.is_empty() {
            found.insert((*name).clone());
        }
    }
    Ok(found)
}

/// The merged entries below a folder.
pub(crate) fn files_below(
    git: &impl Git,
    folder: &RepoPath,
) -> Result<Vec<(RepoPath, Stage)>, Error> {
    let below = RepoPath::new([folder.bytes(), b"/"].concat());
    let call = Invocation::read(["ls-files", "-z", "--stage", "--full-name", "--"]);
    let output = git.must(&call.arg(below.to_os()))?;
    let records = output.stdout.split(|b| *b == 0);
    Ok(records
        .filter_map(parse_record)
        .filter(|(_, number, _)| *number == b"0")
        .map(|(path, _, stage)| (path, stage))
        .collect())
}

/// Files that only one of two trees has.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Differing {
    pub(crate) gone: Vec<(RepoPath, Stage)>,
    pub(crate) new: Vec<(RepoPath, Stage)>,
}

/// Returns the files that only the first tree has, and those that only the second has.
pub(crate) fn differing_files(repo: &Repository, from: &str, to: &str) -> Result<Differing, Error> {
    let mut differing = Differing::default();
    for change in tree_difference(repo, from, to)? {
        match (change.before, change.after) {
            (Some(stage), None) => differing.gone.push((change.path, stage)),
            (None, Some(stage)) => differing.new.push((change.path, stage)),
            _ => {}
        }
    }
    Ok(differing)
}

/// Parses `MODE OID STAGE<TAB>PATH<NUL>`, any number of times.
fn parse(bytes: &[u8]) -> Result<BTreeMap<RepoPath, Stages>, Error> {
    let mut out: BTreeMap<RepoPath, Stages> = BTreeMap::new();
    for record in bytes.split(|b| *b == 0).filter(|r| !r.is_empty()) {
        let (path, number, stage) = parse_record(record).ok_or_else(|| Error::Unreadable {
            command: "ls-files".to_owned(),
            what: String::from_utf8_lossy(record).into_owned(),
        })?;
        let stages = out.entry(path).or_default();
        match number {
            b"1" => stages.base = Some(stage),
            b"2" => stages.ours = Some(stage),
            _ => stages.theirs = Some(stage),
        }
    }
    Ok(out)
}

fn parse_record(record: &[u8]) -> Option<(RepoPath, &[u8], Stage)> {
    let tab = record.iter().position(|b| *b == b'\t')?;
    let (head, path) = (&record[..tab], &record[tab + 1..]);
    let mut fields = head.split(|b| *b == b' ');
    let mode = Mode::parse(fields.next()?)?;
    let oid = Oid(std::str::from_utf8(fields.next()?).ok()?.to_owned());
    let number = fields.next()?;
    Some((RepoPath::new(path), number, Stage { mode, oid }))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn records_of_one_path_make_one_entry() {
        let bytes = b"100644 aa 1\ta b\nc\x00100755 bb 2\ta b\nc\x00100644 cc 3\ta b\nc\x00100644 dd 2\tz\x00";
        let all = parse(bytes).unwrap();
        assert_eq!(all.len(), 2);
        let first = &all[&RepoPath::new(*b"a b\nc")];
        assert_eq!(first.names(), ["aa", "bb", "cc"]);
        assert_eq!(first.merged_mode(), Mode::Executable);
    }

    #[test]
    fn what_git_never_prints_is_an_error() {
        assert!(parse(b"nonsense\0").is_err());
        assert!(parse(b"").unwrap().is_empty());
    }
}
