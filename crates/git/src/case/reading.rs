//! Reads the conflicted part of the index.

use crate::case::one::{Case, IndexState};
use crate::case::stages::{Stage, Stages};
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::index::Mode;
use crate::repo::objects::Oid;
use std::collections::{BTreeMap, HashMap, HashSet};

/// The cases that the index tells of: unmerged paths, and staged ones whose
/// stages git still remembers.
pub(crate) fn cases_in_index(git: &impl Git) -> Result<Vec<Case>, Error> {
    let read = |option| -> Result<_, Error> {
        let call = Invocation::read(["ls-files", "-z", option, "--full-name"]);
        parse(&git.must(&call)?.stdout)
    };
    let unmerged = read("--unmerged")?;
    let mut all = read("--resolve-undo")?;
    let known = unmerged.keys().cloned().collect::<Vec<_>>();
    all.extend(unmerged);
    let case = |(path, stages): (RepoPath, Stages)| Case {
        standing: match known.binary_search(&path) {
            Ok(_) => IndexState::Unmerged,
            Err(_) => IndexState::Staged,
        },
        ..Case::new(path, stages)
    };
    Ok(all.into_iter().map(case).collect())
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

/// What trees hold at paths: `MODE TYPE OID<TAB>PATH<NUL>`, any number of times.
pub(crate) fn tree_entries(
    git: &impl Git,
    tree: &str,
    paths: &[&RepoPath],
) -> Result<HashMap<RepoPath, Oid>, Error> {
    let mut found = HashMap::new();
    for paths in paths.chunks(NAMED) {
        let call = Invocation::read(["ls-tree", "-z", "--full-tree", tree, "--"]);
        let call = paths.iter().fold(call, |call, path| call.arg(path.to_os()));
        let output = git.must(&call)?;
        for record in output.stdout.split(|b| *b == 0) {
            let Some(tab) = record.iter().position(|b| *b == b'\t') else {
                continue;
            };
            let head = String::from_utf8_lossy(&record[..tab]);
            if let Some(oid) = head.split(' ').nth(2) {
                found.insert(RepoPath::new(&record[tab + 1..]), Oid(oid.to_owned()));
            }
        }
    }
    Ok(found)
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
