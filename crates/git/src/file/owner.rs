//! Which running program a temporary file or a write that was begun belongs to.
//!
//! What belongs to a program that is gone was left behind by a crash: it is swept or mended.

use std::fs;
use std::path::Path;
use std::sync::LazyLock;
use std::time::{SystemTime, UNIX_EPOCH};

/// What names of temporary files begin with; the owner and a random part follow.
const PREFIX: &str = ".armistice-";

/// The number of this process, and when it first asked: numbers of processes are used again,
/// in a container from one start to the next.
static OWN: LazyLock<String> = LazyLock::new(|| {
    let since = SystemTime::now().duration_since(UNIX_EPOCH);
    let micros = since.map_or(0, |d| d.as_micros());
    format!("{}.{micros:x}", std::process::id())
});

/// This program, as owner.
pub(crate) fn own() -> &'static str {
    &OWN
}

/// Whether the owner may still be running. In doubt it is.
pub(crate) fn is_alive(owner: &str) -> bool {
    if owner == own() {
        return true;
    }
    let number = owner.split('.').next().and_then(|n| n.parse().ok());
    let Some(pid) = number.and_then(rustix::process::Pid::from_raw) else {
        return false;
    };
    // Another process with our own number must have ended before we began.
    pid.as_raw_nonzero().get().unsigned_abs() != std::process::id()
        && rustix::process::test_kill_process(pid) != Err(rustix::io::Errno::SRCH)
}

/// The beginning of the name of a temporary file of this program.
pub(crate) fn temp_prefix() -> String {
    format!("{PREFIX}{}-", own())
}

/// What names of folders that are thrown away begin with; the owner and a random part follow.
const FOLDER: &str = "armistice-scout-";

/// A temporary folder of this program, outside of any repository; it goes when it is dropped. Those that
/// killed programs left behind are removed first.
///
/// # Errors
/// If there is no room for temporary files.
pub fn temp_folder() -> std::io::Result<tempfile::TempDir> {
    for old in fs::read_dir(std::env::temp_dir())
        .into_iter()
        .flatten()
        .flatten()
    {
        let name = old.file_name();
        let owner = name.to_str().and_then(|name| {
            let rest = name.strip_prefix(FOLDER)?;
            Some(rest.rsplit_once('-')?.0)
        });
        let is_folder = old.file_type().is_ok_and(|kind| kind.is_dir());
        if is_folder && owner.is_some_and(|owner| !is_alive(owner)) {
            // One that is somebody else's stays.
            let _ = fs::remove_dir_all(old.path());
        }
    }
    let prefix = format!("{FOLDER}{}-", own());
    tempfile::Builder::new().prefix(&prefix).tempdir()
}

/// Removes temporary files that programs left in a folder which are gone. One that cannot be removed
/// is only untidy: the next opening tries again.
pub(crate) fn sweep(folder: &Path) {
    for file in fs::read_dir(folder).into_iter().flatten().flatten() {
        let name = file.file_name();
        let owner = name.to_str().and_then(|name| {
            let rest = name.strip_prefix(PREFIX)?;
            Some(rest.rsplit_once('-')?.0)
        });
        if owner.is_some_and(|owner| !is_alive(owner)) {
            let _ = fs::remove_file(file.path());
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The number of a process that has ended.
    fn gone() -> u32 {
        let mut child = std::process::Command::new("true").spawn().unwrap();
        child.wait().unwrap();
        child.id()
    }

    #[test]
    fn only_what_was_left_behind_is_swept() {
        let folder = tempfile::tempdir().unwrap();
        let (gone, init) = (gone(), 1);
        let own_number = std::process::id();
        for (name, stays) in [
            (format!(".armistice-{gone}.5f-aBc"), false),
            // The same number, an earlier start.
            (format!(".armistice-{own_number}.1-aBc"), false),
            (format!(".armistice-{init}.5f-aBc"), true),
            (format!("{}aBc", temp_prefix()), true),
            (".armistice-notes".to_owned(), true),
            ("quay.rs".to_owned(), true),
        ] {
            let file = folder.path().join(&name);
            fs::write(&file, "x").unwrap();
            sweep(folder.path());
            assert_eq!(file.exists(), stays, "{name}");
        }
        sweep(&folder.path().join("nowhere"));
    }
}
