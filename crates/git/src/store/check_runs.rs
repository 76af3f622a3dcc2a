//! How the project's own commands ended the last time, so that a verdict outlives the program.

use crate::file::folders::{ROOT, make_folder, read_if_there};
use crate::file::work_file::write_atomically;
use crate::process::error::Error;
use serde::{Deserialize, Serialize};
use std::path::{Path, PathBuf};

/// How one command ended.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct CheckRun {
    /// The line that the shell was given.
    pub run: String,
    /// When it ended, in seconds since 1970.
    pub ended: i64,
    /// How long it took, in milliseconds.
    pub ms: u64,
    /// Its exit code; none if a signal ended it, or a person.
    pub code: Option<i32>,
    /// What stood in the work tree when it began: [`tree_print`](crate::tree_print).
    pub stood: String,
    /// The last lines it printed.
    pub output: Vec<String>,
}

impl CheckRun {
    /// Whether the command found nothing wrong.
    pub fn passed(&self) -> bool {
        self.code == Some(0)
    }
}

/// Runs that are kept; the oldest go.
const KEPT: usize = 64;

/// The runs kept under a git folder.
#[derive(Clone, Debug)]
pub struct CheckRuns {
    file: PathBuf,
}

impl CheckRuns {
    /// The runs of a git folder; nothing is created by asking.
    pub fn new(git_dir: &Path) -> Self {
        CheckRuns {
            file: git_dir.join(ROOT).join("checks.json"),
        }
    }

    /// The last run of each command; none if they cannot be read, for a verdict that is missing
    /// only asks for another run.
    pub fn read(&self) -> Vec<CheckRun> {
        let bytes = read_if_there(&self.file).ok().flatten();
        bytes
            .and_then(|bytes| serde_json::from_slice(&bytes).ok())
            .unwrap_or_default()
    }

    /// Keeps a run in place of an earlier one of the same command.
    ///
    /// # Errors
    /// If it cannot be written.
    pub fn keep(&self, run: &CheckRun) -> Result<(), Error> {
        let mut all = self.read();
        all.retain(|old| old.run != run.run);
        all.push(run.clone());
        let excess = all.len().saturating_sub(KEPT);
        all.drain(..excess);
        if let Some(folder) = self.file.parent() {
            make_folder(folder)?;
        }
        let text = serde_json::to_vec_pretty(&all).map_err(|why| Error::Record {
            path: self.file.clone(),
            why: why.to_string(),
        })?;
        write_atomically(&self.file, &text, None)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_last_run_of_each_command_is_kept() {
        let folder = tempfile::TempDir::new().unwrap();
        let runs = CheckRuns::new(folder.path());
        assert_eq!(runs.read(), []);
        let run = |line: &str, code| CheckRun {
            run: line.to_owned(),
            ended: 1,
            ms: 2,
            code: Some(code),
            stood: "x".to_owned(),
            output: vec!["said".to_owned()],
        };
        for (line, code) in [("make", 1), ("make test", 0), ("make", 0)] {
            runs.keep(&run(line, code)).unwrap();
        }
        assert_eq!(runs.read(), [run("make test", 0), run("make", 0)]);
        assert!(runs.read()[1].passed() && !run("make", 1).passed());
        std::fs::write(folder.path().join("armistice/checks.json"), "{").unwrap();
        assert_eq!(runs.read(), []);
        for n in 0..70 {
            runs.keep(&run(&n.to_string(), 0)).unwrap();
        }
        assert_eq!((runs.read().len(), runs.read()[0].run.as_str()), (64, "6"));
    }
}
