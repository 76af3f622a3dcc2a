//! Leaves the times of files as they were: git renews some by looking, so that its own cleaning up keeps
//! them. What a person only looks at shall not change even there.
//!
//! The time at which the file's entry was changed (ctime) cannot be put back by anybody.

use rustix::fs::{AtFlags, CWD, Timespec, Timestamps, UTIME_OMIT, utimensat};
use std::collections::{HashMap, HashSet};
use std::ffi::OsStr;
use std::fs;
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};

/// Files up to which times are noted; of more nobody could tell which were renewed by looking alone.
const FILES: usize = 50_000;

/// Stores of objects that are followed from one to the next.
const STORES: usize = 32;

/// Seconds and nanoseconds of a modification.
type Time = (i64, i64);

/// When the files of stores of objects were changed last.
#[derive(Debug, Default)]
pub(crate) struct Times(HashMap<PathBuf, Time>);

fn time_of(file: &Path) -> Option<Time> {
    let meta = fs::symlink_metadata(file).ok()?;
    Some((meta.mtime(), meta.mtime_nsec()))
}

/// Gives a file its former time, where it is another by now.
fn put_back(file: &Path, (seconds, nanoseconds): Time) {
    if time_of(file).is_none_or(|now| now == (seconds, nanoseconds)) {
        return;
    }
    let times = Timestamps {
        last_access: Timespec {
            tv_sec: 0,
            tv_nsec: UTIME_OMIT,
        },
        last_modification: Timespec {
            tv_sec: seconds,
            tv_nsec: nanoseconds as _,
        },
    };
    // Whose files they are not keeps the new time: an object is only kept longer.
    let _ = utimensat(CWD, file, &times, AtFlags::SYMLINK_NOFOLLOW);
}

impl Times {
    /// Notes the times of all files in the folders of a store of objects, and of those that it
    /// reads from.
    pub(crate) fn of(objects: &Path) -> Self {
        let mut times = HashMap::new();
        let (mut stores, mut seen) = (vec![objects.to_owned()], HashSet::new());
        while let Some(store) = stores.pop() {
            if !seen.insert(store.clone()) || seen.len() > STORES {
                continue;
            }
            for folder in fs::read_dir(&store).into_iter().flatten().flatten() {
                for file in fs::read_dir(folder.path()).into_iter().flatten().flatten() {
                    if let Some(time) = time_of(&file.path()) {
                        times.insert(file.path(), time);
                    }
                    if times.len() > FILES {
                        return Times::default();
                    }
                }
            }
            stores.extend(alternates(&store));
        }
        Times(times)
    }

    /// Puts them back where they are others by now.
    pub(crate) fn put_back(&self) {
        for (file, time) in &self.0 {
            put_back(file, *time);
        }
    }
}

/// The stores that one reads from.
fn alternates(objects: &Path) -> Vec<PathBuf> {
    let listed = fs::read(objects.join("info/alternates")).unwrap_or_default();
    let lines = listed.split(|b| *b == b'\n');
    let paths = lines.filter(|line| !line.is_empty() && !line.starts_with(b"#"));
    paths
        .map(|line| objects.join(OsStr::from_bytes(line)))
        .collect()
}

/// Times that git renews whenever it reads the index: of the parts of a split index, and of the trees
/// that a sparse index stands for.
#[derive(Clone, Debug, Default)]
pub(crate) struct IndexTimes {
    git_dir: PathBuf,
    times: Arc<Mutex<HashMap<PathBuf, Time>>>,
    /// Of all objects, where only a part of the tree is checked out.
    objects: Arc<Times>,
}

impl IndexTimes {
    /// Notes them before the index is read.
    pub(crate) fn of(git_dir: &Path, common_dir: &Path) -> Self {
        let objects = match git_dir.join("info/sparse-checkout").exists() {
            true => Times::of(&common_dir.join("objects")),
            false => Times::default(),
        };
        let times = IndexTimes {
            git_dir: git_dir.to_owned(),
            times: Arc::default(),
            objects: Arc::new(objects),
        };
        times.put_back();
        times
    }

    /// Puts them back; those of parts that are new are noted.
    pub(crate) fn put_back(&self) {
        self.objects.put_back();
        let Ok(mut times) = self.times.lock() else {
            return;
        };
        for entry in fs::read_dir(&self.git_dir).into_iter().flatten().flatten() {
            if !entry.file_name().as_bytes().starts_with(b"sharedindex.") {
                continue;
            }
            let file = entry.path();
            if let Some(time) = times.get(&file) {
                put_back(&file, *time);
            } else if let Some(time) = time_of(&file) {
                times.insert(file, time);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::time::{Duration, SystemTime};

    #[test]
    fn what_was_renewed_has_its_former_time_again() {
        let folder = tempfile::TempDir::new().unwrap();
        let file = folder.path().join("ab").join("cdef");
        fs::create_dir(folder.path().join("ab")).unwrap();
        fs::write(&file, "object").unwrap();
        let old = SystemTime::now() - Duration::from_secs(90_000);
        let set = |time| {
            fs::File::options()
                .append(true)
                .open(&file)
                .unwrap()
                .set_modified(time)
                .unwrap()
        };
        set(old);
        let before = fs::metadata(&file).unwrap().modified().unwrap();
        let times = Times::of(folder.path());
        set(SystemTime::now());
        assert_ne!(fs::metadata(&file).unwrap().modified().unwrap(), before);
        times.put_back();
        assert_eq!(fs::metadata(&file).unwrap().modified().unwrap(), before);
    }
}
