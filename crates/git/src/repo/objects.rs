//! Objects by name: contents of many in one call.

use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use serde::Serialize;
use std::collections::hash_map::RandomState;
use std::ffi::OsString;
use std::fs;
use std::hash::BuildHasher;
use std::os::unix::ffi::OsStrExt;
use tempfile::TempDir;

/// Name of an object, in hexadecimal, of whichever length the repository uses.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, serde::Deserialize)]
#[serde(transparent)]
pub struct Oid(pub String);

/// Names of the blob of an empty file, in the hash functions that git knows.
const EMPTY_BLOBS: [&str; 2] = [
    "e69de29bb2d1d6434b8b29ae775ad8c2e48c5391",
    "473a0f4c3be8a93681a267e3b1e9a7dcda1185436fe141f7749120a303721813",
];

impl Oid {
    /// The blob of an empty file, in a repository whose names have `length` digits; it can be read even
    /// where it was never stored.
    pub(crate) fn of_nothing(length: usize) -> Option<Self> {
        let name = EMPTY_BLOBS.iter().find(|name| name.len() == length)?;
        Some(Oid((*name).to_owned()))
    }

    /// Whether it is the blob of an empty file.
    pub(crate) fn is_of_nothing(&self) -> bool {
        EMPTY_BLOBS.contains(&self.0.as_str())
    }
}

/// Stores contents as objects, as they are, and gives their names in order.
///
/// # Errors
/// If git or the disk refuses; objects stored before that stay, and harm nothing.
pub(crate) fn write_blobs(git: &impl Git, contents: &[&[u8]]) -> Result<Vec<Oid>, Error> {
    let alone = |bytes: &&[u8]| -> Result<Oid, Error> {
        let call = Invocation::write(["hash-object", "-w", "--stdin"]).stdin(*bytes);
        Ok(Oid(git.must(&call)?.text()))
    };
    if contents.len() < 2 {
        return contents.iter().map(alone).collect();
    }
    // One call for all of them wants files to read.
    let folder =
        TempDir::with_prefix("armistice-").map_err(Error::file("create", "temporary folder"))?;
    let mut paths = Vec::new();
    for (nth, bytes) in contents.iter().enumerate() {
        let file = folder.path().join(nth.to_string());
        fs::write(&file, bytes).map_err(Error::file("write", &file))?;
        paths.extend_from_slice(file.as_os_str().as_bytes());
        paths.push(b'\n');
    }
    let call = Invocation::write(["hash-object", "-w", "--no-filters", "--stdin-paths"]);
    let output = git.must(&call.stdin(paths))?;
    names(&output.stdout, contents.len(), "hash-object --stdin-paths")
}

/// What working files would be as objects, git's filters applied; nothing is stored.
///
/// Every path must be a regular file with these bytes.
pub(crate) fn hash_files(git: &impl Git, files: &[(&RepoPath, &[u8])]) -> Result<Vec<Oid>, Error> {
    // Paths are read a line each, and a quote begins one with escapes.
    let plain =
        |path: &RepoPath| !path.bytes().contains(&b'\n') && !path.bytes().starts_with(b"\"");
    if files.len() < 2 || !files.iter().all(|(path, _)| plain(path)) {
        let alone = |(path, bytes): &(&RepoPath, &[u8])| {
            let mut option = OsString::from("--path=");
            option.push(path.to_os());
            let call = Invocation::read(["hash-object", "--stdin"]).arg(option);
            Ok(Oid(git.must(&call.stdin(*bytes))?.text()))
        };
        return files.iter().map(alone).collect();
    }
    let lines = files
        .iter()
        .flat_map(|(path, _)| [path.bytes(), b"\n"].concat());
    let lines: Vec<u8> = lines.collect();
    let call = Invocation::read(["hash-object", "--stdin-paths"]).stdin(lines);
    names(
        &git.must(&call)?.stdout,
        files.len(),
        "hash-object --stdin-paths",
    )
}

/// What stands in the work tree for objects: line ends and other filters applied.
pub(crate) fn filtered(
    git: &impl Git,
    objects: &[(&RepoPath, &Oid)],
) -> Result<Vec<Vec<u8>>, Error> {
    if objects.len() < 2 {
        let alone = |(path, oid): &(&RepoPath, &Oid)| {
            let mut option = OsString::from("--path=");
            option.push(path.to_os());
            let call = Invocation::read(["cat-file", "--filters"])
                .arg(option)
                .arg(&oid.0);
            Ok(git.must(&call)?.stdout)
        };
        return objects.iter().map(alone).collect();
    }
    // The size that git prints is that of the object, not of what filters make of it: a line
    // that stands in no content parts them.
    let line = format!(
        "armistice-{:016x}",
        RandomState::new().hash_one(objects.len())
    );
    let records = objects.iter();
    let stdin: Vec<u8> = records
        .flat_map(|(path, oid)| [oid.0.as_bytes(), b" ", path.bytes(), b"\0"].concat())
        .collect();
    let format = format!("--batch={line}");
    let call = Invocation::read(["cat-file", "--filters", format.as_str(), "-z", "--buffer"]);
    let output = git.must(&call.stdin(stdin))?;
    let contents = parse_parted(&output.stdout, format!("{line}\n").as_bytes());
    match contents.len() == objects.len() {
        true => Ok(contents),
        false => Err(Error::Unreadable {
            command: "cat-file --filters --batch".to_owned(),
            what: format!("{} contents for {} objects", contents.len(), objects.len()),
        }),
    }
}

/// Parses `LINE<LF>CONTENT<LF>`, any number of times; `line` comes with its line end.
fn parse_parted(bytes: &[u8], line: &[u8]) -> Vec<Vec<u8>> {
    let mut out = Vec::new();
    let Some(mut rest) = bytes.strip_prefix(line) else {
        return out;
    };
    loop {
        let next = [b"\n", line].concat();
        match rest.windows(next.len()).position(|w| w == next) {
            Some(at) => {
                out.push(rest[..at].to_vec());
                rest = &rest[at + next.len()..];
            }
            None => {
                out.push(rest.strip_suffix(b"\n").unwrap_or(rest).to_vec());
                return out;
            }
        }
    }
}

/// Names of objects, a line each.
fn names(bytes: &[u8], wanted: usize, command: &str) -> Result<Vec<Oid>, Error> {
    let text = String::from_utf8_lossy(bytes);
    let names: Vec<_> = text.lines().map(|line| Oid(line.to_owned())).collect();
    match names.len() == wanted {
        true => Ok(names),
        false => Err(Error::Unreadable {
            command: command.to_owned(),
            what: format!("{} names for {wanted} contents", names.len()),
        }),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn filtered_contents_are_parted_by_a_line_that_none_of_them_has() {
        let all = parse_parted(b"N\na\r\n\nN\n\nN\nNo\n\n", b"N\n");
        assert_eq!(all, [b"a\r\n".to_vec(), Vec::new(), b"No\n".to_vec()]);
        assert!(parse_parted(b"", b"N\n").is_empty());
    }
}
