//! What this program wrote, so that it can be taken back and is known again.
//!
//! One file of JSON lines for all cases: writing a thousand files costs one wait for the disk, not
//! a thousand. Of several lines about one path the last counts; one without a record forgets it.

use crate::case::place::Place;
use crate::file::folders::{
    file_name_hash, make_folder, open, plain_files, read_if_there, remove_file, remove_tree,
};
use crate::file::work_file::Seen;
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::repo::objects::Oid;
use crate::repo::stages::{Stage, Stages};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::fs;
use std::io::Write;
use std::path::{Path, PathBuf};

/// What was written for a case, and what to put back.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Record {
    pub(crate) stages: Stages,
    /// What it went or came with, if it was in no conflict itself.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) beside: Option<Beside>,
    /// The working file as git left it; `None` if there was none.
    pub(crate) before: Option<Copy>,
    /// The working file as it was left.
    pub(crate) after: Seen,
    /// The commit that was checked out then.
    pub(crate) head: Option<String>,
    /// The entry that it got in the index; earlier versions did not note it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) staged: Option<Stage>,
    /// What has been begun and not finished yet.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) begun: Option<Begun>,
}

/// A path that was in no conflict and was written with a case.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Beside {
    /// The path of the case, by its bytes.
    pub(crate) case: Vec<u8>,
    /// Its own, likewise.
    pub(crate) path: Vec<u8>,
    /// The entry that stood in the index before.
    pub(crate) merged: Option<Stage>,
}

/// A write or a taking back that was begun. It stands in the record from before the index is
/// changed until the working file is in its place, so that it can be brought to an end if the
/// program is killed between the two.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Begun {
    pub(crate) kind: WriteKind,
    /// The path, by its bytes.
    pub(crate) path: Vec<u8>,
    /// Who does it: [`owner`](crate::file::owner).
    pub(crate) owner: String,
    /// The working file before.
    pub(crate) from: Seen,
    /// The working file that an earlier write had left, if there was one.
    pub(crate) earlier: Option<Seen>,
}

/// What is done to the index and the working file together.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum WriteKind {
    /// The path gets this entry, or none at all.
    Write(Option<Stage>),
    /// The path gets its stages back.
    TakeBack,
}

/// What stood at a path, copied aside.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Copy {
    pub(crate) file: PathBuf,
    /// Whether it was a symbolic link; the copy then holds its target.
    pub(crate) is_link: bool,
    /// Whether it could be run; earlier versions did not note it.
    #[serde(default)]
    pub(crate) executable: Option<bool>,
}

/// One line of the file.
#[derive(Serialize, Deserialize)]
struct Entry {
    /// Hash of the path: paths need not be text.
    path: String,
    record: Option<Record>,
}

/// All records as they were when they were read.
#[derive(Clone, Debug, Default)]
pub struct Records(HashMap<String, Record>);

impl Records {
    /// Reads them; a line that is torn or not of this kind is passed over, as if nothing had been
    /// written: the guard then asks before it replaces what is there.
    pub(crate) fn read(root: &Path) -> Self {
        let mut records = former(root);
        let bytes = read_if_there(&file_of(root)).ok().flatten();
        let bytes = bytes.unwrap_or_default();
        for line in bytes.split(|byte| *byte == b'\n') {
            match serde_json::from_slice(line) {
                Ok(Entry {
                    path,
                    record: Some(record),
                }) => drop(records.insert(path, record)),
                Ok(Entry { path, record: None }) => drop(records.remove(&path)),
                Err(_) => {}
            }
        }
        Records(records)
    }

    /// Whether this program wrote the working file of a path.
    pub fn wrote(&self, path: &RepoPath) -> bool {
        self.of(path).is_some()
    }

    /// Whether this program wrote the working file of a path and staged this object for it.
    pub fn staged(&self, path: &RepoPath, oid: &Oid) -> bool {
        let record = self.of(path);
        record.is_some_and(|r| r.staged.as_ref().is_none_or(|stage| stage.oid == *oid))
    }

    /// Whether this program wrote the working file of a path when these were its stages.
    pub(crate) fn wrote_for(&self, path: &RepoPath, stages: &Stages) -> bool {
        self.of(path).is_some_and(|record| record.stages == *stages)
    }

    /// Whether this program wrote the working file while `head` was checked out.
    pub(crate) fn wrote_on(&self, path: &RepoPath, head: &Option<String>) -> bool {
        self.of(path).is_some_and(|record| record.head == *head)
    }

    /// The writes that were begun and are not noted as done.
    pub(crate) fn begun(&self) -> Vec<(RepoPath, &Record, &Begun)> {
        let begun = self.0.iter().filter_map(|(key, record)| {
            let begun = record.begun.as_ref()?;
            // What names another path than its key was not written by this program.
            (file_name_hash(&begun.path) == *key)
                .then(|| (RepoPath::new(&*begun.path), record, begun))
        });
        begun.collect()
    }

    /// The paths in no conflict that were written with a case, in order.
    pub(crate) fn beside(&self, case: &RepoPath) -> Vec<Place> {
        let all = self.0.values().filter_map(|record| record.beside.as_ref());
        let own = all.filter(|beside| beside.case == case.bytes());
        let mut places: Vec<Place> = own
            .map(|own| Place::beside(RepoPath::new(&*own.path), own.merged.clone()))
            .collect();
        places.sort_by(|a, b| a.path.cmp(&b.path));
        places
    }

    pub(crate) fn of(&self, path: &RepoPath) -> Option<&Record> {
        self.0.get(&file_name_hash(path.bytes()))
    }
}

/// Adds records, all or none of them; when this returns they survive the machine.
pub(crate) fn append<'a>(
    root: &Path,
    records: impl IntoIterator<Item = (&'a RepoPath, Option<&'a Record>)>,
) -> Result<(), Error> {
    write(root, records, true)
}

/// Notes that what was begun is done. If that is lost, it is found to be done on opening.
pub(crate) fn append_done<'a>(
    root: &Path,
    records: impl IntoIterator<Item = (&'a RepoPath, Option<&'a Record>)>,
) -> Result<(), Error> {
    write(root, records, false)
}

fn write<'a>(
    root: &Path,
    records: impl IntoIterator<Item = (&'a RepoPath, Option<&'a Record>)>,
    wait_for_disk: bool,
) -> Result<(), Error> {
    let file = file_of(root);
    // A line that was torn by a full disk must not take the next one with it.
    let torn = read_if_there(&file)?.is_some_and(|bytes| !bytes.ends_with(b"\n"));
    let mut lines = Vec::from(if torn { "\n" } else { "" });
    for (path, record) in records {
        let path = file_name_hash(path.bytes());
        let record = record.cloned();
        serde_json::to_writer(&mut lines, &Entry { path, record }).map_err(|e| Error::Record {
            path: file.clone(),
            why: e.to_string(),
        })?;
        lines.push(b'\n');
    }
    make_folder(root)?;
    let mut options = fs::OpenOptions::new();
    let mut opened = open(&file, options.create(true).append(true))?;
    let write = |opened: &mut fs::File| {
        opened.write_all(&lines)?;
        match wait_for_disk {
            true => opened.sync_data(),
            false => Ok(()),
        }
    };
    write(&mut opened).map_err(Error::file("write", &file))
}

/// Forgets all of them.
pub(crate) fn forget(root: &Path) -> Result<(), Error> {
    remove_tree(&root.join("written"))?;
    remove_file(&file_of(root))
}

fn file_of(root: &Path) -> PathBuf {
    root.join("written.jsonl")
}

/// Records of earlier versions: one file for each path, named by the hash of the path.
fn former(root: &Path) -> HashMap<String, Record> {
    let files = plain_files(&root.join("written")).into_iter();
    let read = |file: fs::DirEntry| {
        let bytes = read_if_there(&file.path()).ok()??;
        let record = serde_json::from_slice(&bytes).ok()?;
        let name = file.file_name().into_string().ok()?;
        Some((name.strip_suffix(".json")?.to_owned(), record))
    };
    files.filter_map(read).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn record(len: u64) -> Record {
        Record {
            stages: Stages::default(),
            beside: None,
            before: None,
            after: Seen::File(len, 1),
            head: Some("0123".to_owned()),
            staged: None,
            begun: None,
        }
    }

    #[test]
    fn the_last_line_about_a_path_counts() {
        let root = tempfile::tempdir().unwrap();
        let root = root.path().join("armistice");
        let (berth, quay) = (RepoPath::new("berth\n.rs"), RepoPath::new("quay.rs"));
        let (first, second) = (record(1), record(2));
        append(&root, [(&berth, Some(&first)), (&quay, Some(&first))]).unwrap();
        append(&root, [(&berth, Some(&second)), (&quay, None)]).unwrap();
        let records = Records::read(&root);
        assert_eq!(records.of(&berth), Some(&second));
        assert!(!records.wrote(&quay));
        assert!(records.wrote_on(&berth, &Some("0123".to_owned())));
        assert!(!records.wrote_on(&berth, &None));
        forget(&root).unwrap();
        assert!(!Records::read(&root).wrote(&berth));
    }

    #[test]
    fn a_torn_line_takes_no_other_with_it() {
        let root = tempfile::tempdir().unwrap();
        let (berth, quay) = (RepoPath::new("berth.rs"), RepoPath::new("quay.rs"));
        append(root.path(), [(&berth, Some(&record(1)))]).unwrap();
        let file = file_of(root.path());
        let mut bytes = fs::read(&file).unwrap();
        bytes.extend_from_slice(&bytes.clone()[..20]);
        fs::write(&file, bytes).unwrap();
        append(root.path(), [(&quay, Some(&record(2)))]).unwrap();
        let records = Records::read(root.path());
        assert_eq!(records.of(&berth), Some(&record(1)));
        assert_eq!(records.of(&quay), Some(&record(2)));
    }

    #[test]
    fn records_of_earlier_versions_are_read_until_there_are_newer_ones() {
        let root = tempfile::tempdir().unwrap();
        let berth = RepoPath::new("berth.rs");
        let folder = root.path().join("written");
        fs::create_dir(&folder).unwrap();
        let name = format!("{}.json", file_name_hash(berth.bytes()));
        fs::write(folder.join(name), serde_json::to_vec(&record(1)).unwrap()).unwrap();
        assert_eq!(Records::read(root.path()).of(&berth), Some(&record(1)));
        append(root.path(), [(&berth, Some(&record(2)))]).unwrap();
        assert_eq!(Records::read(root.path()).of(&berth), Some(&record(2)));
        append(root.path(), [(&berth, None)]).unwrap();
        assert!(!Records::read(root.path()).wrote(&berth));
    }
}
