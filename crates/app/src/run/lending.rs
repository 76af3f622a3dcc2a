//! Lends the terminal to another program: nothing of this one reads keys meanwhile.

use crate::state::effect::HandOver;
use anyhow::{Context as _, Result, bail};
use armistice_git::temp_folder;
use std::path::Path;
use std::process::Command;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

/// Whether the terminal is lent, known to whoever reads from it.
#[derive(Clone, Debug, Default)]
pub(crate) struct Lending {
    wanted: Arc<AtomicBool>,
    /// Whether the reader has stopped reading.
    stopped: Arc<AtomicBool>,
}

/// How often whoever reads keys looks whether the terminal is to be lent.
pub(crate) const LOOKS: Duration = Duration::from_millis(100);

impl Lending {
    pub(crate) fn is_lent(&self) -> bool {
        self.wanted.load(Ordering::SeqCst)
    }

    /// Asks the reader to stop, and waits until it has.
    pub(crate) fn begin(&self) {
        self.wanted.store(true, Ordering::SeqCst);
        let started = Instant::now();
        while !self.stopped.load(Ordering::SeqCst) && started.elapsed() < 10 * LOOKS {
            std::thread::sleep(LOOKS / 10);
        }
    }

    pub(crate) fn end(&self) {
        self.wanted.store(false, Ordering::SeqCst);
    }

    /// Called by the reader: waits as long as the terminal is lent.
    pub(crate) fn stand_aside(&self) {
        while self.is_lent() {
            self.stopped.store(true, Ordering::SeqCst);
            std::thread::sleep(LOOKS / 2);
        }
        self.stopped.store(false, Ordering::SeqCst);
    }
}

/// Runs the program on a file of its own and gives what it left there.
///
/// # Errors
/// If the files cannot be written, the program cannot be run or says that it failed, or it left no
/// file or an empty one.
pub(crate) fn run_program(given: &HandOver) -> Result<Vec<u8>> {
    let folder = temp_folder().context("cannot create a temporary folder")?;
    let put = |part: &str, bytes: &[u8]| -> Result<String> {
        let place = folder.path().join(part);
        std::fs::create_dir(&place)?;
        let file = place.join(&given.name);
        std::fs::write(&file, bytes)?;
        Ok(quoted(&file))
    };
    let write = || -> Result<[String; 4]> {
        Ok([
            put("output", &given.text)?,
            put("base", given.versions.base.bytes())?,
            put("ours", given.versions.ours.bytes())?,
            put("theirs", given.versions.theirs.bytes())?,
        ])
    };
    let [output, base, ours, theirs] = write().context("cannot write the file for the program")?;
    let line = given
        .command
        .replace("{output}", &output)
        .replace("{base}", &base)
        .replace("{ours}", &ours)
        .replace("{theirs}", &theirs)
        .replace("{line}", &given.line.to_string());
    let status = Command::new("sh").args(["-c", &line]).status();
    let status = status.context("cannot run 'sh'")?;
    if !status.success() {
        bail!("the program failed ({status})");
    }
    let file = folder.path().join("output").join(&given.name);
    let answer = std::fs::read(&file).context("the program left no file")?;
    if answer.is_empty() && !given.text.is_empty() {
        bail!("the program left an empty file");
    }
    Ok(answer)
}

/// The name of a file as one word for the shell.
fn quoted(file: &Path) -> String {
    format!("'{}'", file.display().to_string().replace('\'', "'\\''"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use armistice_core::{Source, Versions};

    fn hand_over(command: &str) -> HandOver {
        HandOver {
            command: command.to_owned(),
            name: "quay.rs".to_owned(),
            text: b"moor\n".to_vec(),
            versions: Versions {
                base: Source::new("base\n"),
                ours: Source::new("ours\n"),
                theirs: Source::new("theirs\n"),
            },
            line: 3,
        }
    }

    #[test]
    fn a_program_gets_all_versions_and_its_answer_comes_back() {
        let all = "cat {base} {ours} {theirs} >> {output}; echo {line} >> {output}";
        let answer = run_program(&hand_over(all)).unwrap();
        assert_eq!(answer, b"moor\nbase\nours\ntheirs\n3\n");
    }

    #[test]
    fn a_program_that_fails_or_returns_nothing_is_told() {
        for (command, why) in [
            ("exit 3 # {output}", "failed"),
            ("rm {output}", "the program left no file"),
            (": > {output}", "an empty file"),
        ] {
            let error = run_program(&hand_over(command)).unwrap_err().to_string();
            assert!(error.contains(why), "{command}: {error}");
        }
    }
}
