//! Leaves the times of objects as they were: git renews them when it would write an object that is there
//! already, so that cleaning up keeps it. Looking shall not change even that.

use rustix::fs::{AtFlags, CWD, Timespec, Timestamps, UTIME_OMIT, utimensat};
use std::collections::HashMap;
use std::fs;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};

/// Files up to which times are noted; of more nobody could tell which were renewed by looking alone.
const FILES: usize = 50_000;

/// When the files of a store of objects were changed last.
#[derive(Debug, Default)]
pub(crate) struct Times(HashMap<PathBuf, (i64, i64)>);

impl Times {
    /// Notes the times of all files in the folders of a store of objects.
    pub(crate) fn of(objects: &Path) -> Self {
        let mut times = HashMap::new();
        for folder in fs::read_dir(objects).into_iter().flatten().flatten() {
            for file in fs::read_dir(folder.path()).into_iter().flatten().flatten() {
                if let Ok(meta) = file.metadata() {
                    times.insert(file.path(), (meta.mtime(), meta.mtime_nsec()));
                }
                if times.len() > FILES {
                    return Times::default();
                }
            }
        }
        Times(times)
    }

    /// Puts them back where they are others by now.
    pub(crate) fn put_back(&self) {
        for (file, (seconds, nanoseconds)) in &self.0 {
            let now = fs::symlink_metadata(file);
            let is_other =
                now.is_ok_and(|meta| (meta.mtime(), meta.mtime_nsec()) != (*seconds, *nanoseconds));
            if is_other {
                let times = Timestamps {
                    last_access: Timespec {
                        tv_sec: 0,
                        tv_nsec: UTIME_OMIT,
                    },
                    last_modification: Timespec {
                        tv_sec: *seconds,
                        tv_nsec: *nanoseconds as _,
                    },
                };
                // Whose files they are not keeps the new time: an object is only kept longer.
                let _ = utimensat(CWD, file, &times, AtFlags::SYMLINK_NOFOLLOW);
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
