//! The project's own commands: which there are here, whom they are trusted by, and running them.

use crate::base::project_checks::{
    CheckOrigin, CheckSetting, ProjectCheck, REPOSITORY_SETTINGS, RepositorySettings, checks_of,
};
use crate::case::trust::{is_trusted, repository_settings};
use armistice_core::limits::{OUTPUT_LINE_BYTES, OUTPUT_LINES, STORED_OUTPUT_LINES};
use armistice_git::{Cancel, CheckRun, CheckRuns, Error, Repository, run_shell, tree_print};
use std::collections::VecDeque;
use std::time::{Duration, Instant, SystemTime, UNIX_EPOCH};

/// The checks of a work tree, with how each ended the last time.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct ProjectChecks {
    pub all: Vec<(ProjectCheck, Option<CheckRun>)>,
    /// What a person would trust, if the repository names checks.
    pub to_trust: Option<String>,
    /// All of that, a line each.
    pub told: Vec<String>,
    /// Whether it is trusted as it stands.
    pub trusted: bool,
    /// Why the repository's settings were not read.
    pub trouble: Option<String>,
}

/// Reads which checks there are.
pub fn project_checks(repo: &Repository, own: &[CheckSetting]) -> ProjectChecks {
    let top = repo.work_tree();
    let (settings, trouble) = match repository_settings(repo) {
        Ok(settings) => (settings, None),
        Err(why) => (None, Some(format!("{REPOSITORY_SETTINGS}: {why}"))),
    };
    let to_trust = settings.as_ref().map(RepositorySettings::trusted_text);
    let told = settings.as_ref().map(RepositorySettings::told);
    let trusted = to_trust.as_ref().is_some_and(|text| is_trusted(repo, text));
    let of_repository = settings.as_ref().map(|settings| (settings, trusted));
    let runs = CheckRuns::new(repo.git_dir()).read();
    let last = |check: &ProjectCheck| runs.iter().find(|run| run.run == check.run).cloned();
    let all = checks_of(top, own, of_repository).into_iter();
    ProjectChecks {
        all: all.map(|check| (check.clone(), last(&check))).collect(),
        to_trust,
        told: told.unwrap_or_default(),
        trusted,
        trouble,
    }
}

/// Lines of output, the newest of them.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct OutputLines {
    pub lines: VecDeque<String>,
    /// Lines that were left out before the first.
    pub left_out: usize,
    /// What has no end of a line yet.
    rest: Vec<u8>,
}

impl OutputLines {
    /// What is kept of an earlier run.
    pub fn stored(run: &CheckRun) -> Self {
        OutputLines {
            lines: run.output.iter().cloned().collect(),
            ..OutputLines::default()
        }
    }

    /// Takes bytes as they come.
    pub fn take(&mut self, bytes: &[u8]) {
        for line in bytes.split_inclusive(|b| *b == b'\n') {
            let room = OUTPUT_LINE_BYTES.saturating_sub(self.rest.len());
            let content = line.strip_suffix(b"\n").unwrap_or(line);
            self.rest
                .extend_from_slice(&content[..content.len().min(room)]);
            if line.ends_with(b"\n") {
                self.end_line();
            }
        }
    }

    /// Takes what has no end of a line for a line.
    pub fn end(&mut self) {
        if !self.rest.is_empty() {
            self.end_line();
        }
    }

    fn end_line(&mut self) {
        let bytes = std::mem::take(&mut self.rest);
        self.push(plain(&String::from_utf8_lossy(&bytes)));
    }

    fn push(&mut self, line: String) {
        self.lines.push_back(line);
        if self.lines.len() > OUTPUT_LINES {
            self.lines.pop_front();
            self.left_out += 1;
        }
    }

    /// Puts later lines behind these.
    pub fn extend(&mut self, later: OutputLines) {
        // What was left out between was longer than all that is kept.
        if later.left_out > 0 {
            self.left_out += self.lines.len() + later.left_out;
            self.lines.clear();
        }
        for line in later.lines {
            self.push(line);
        }
    }

    /// The whole lines so far, taken out.
    fn drain(&mut self) -> OutputLines {
        let rest = std::mem::take(&mut self.rest);
        let whole = std::mem::take(self);
        self.rest = rest;
        whole
    }
}

/// A line as a terminal would leave it: without colours, and the last of what was written over.
fn plain(line: &str) -> String {
    let line = line.trim_end_matches('\r');
    let line = line.rsplit('\r').next().unwrap_or(line);
    let mut out = String::new();
    let mut chars = line.chars().peekable();
    while let Some(c) = chars.next() {
        if c == '\u{1b}' && chars.peek() == Some(&'[') {
            chars.next();
            // A control sequence ends with its first letter.
            for c in chars.by_ref() {
                if ('@'..='~').contains(&c) {
                    break;
                }
            }
        } else {
            out.push(c);
        }
    }
    out
}

/// How often what a command prints is reported.
const TELL: Duration = Duration::from_millis(100);

/// Runs one check, tells its output as it comes, and keeps how it ended.
///
/// # Errors
/// If git or the shell fails.
pub fn run_check(
    repo: &Repository,
    check: &ProjectCheck,
    cancel: &Cancel,
    tell: &mut dyn FnMut(OutputLines),
) -> Result<CheckRun, Error> {
    // Taken before: what changes while it runs is not what it looked at.
    let stood = tree_print(repo)?;
    let started = Instant::now();
    let (mut lines, mut told) = (OutputLines::default(), Instant::now());
    let mut tail = VecDeque::new();
    let ended = run_shell(repo.work_tree(), &check.run, cancel, &mut |bytes| {
        lines.take(bytes);
        if told.elapsed() >= TELL {
            told = Instant::now();
            let new = lines.drain();
            keep_tail(&mut tail, &new);
            tell(new);
        }
    });
    let code = match ended {
        Ok(code) => code,
        Err(Error::Cancelled) => None,
        Err(error) => return Err(error),
    };
    lines.end();
    let new = lines.drain();
    keep_tail(&mut tail, &new);
    tell(new);
    let now = SystemTime::now().duration_since(UNIX_EPOCH);
    let run = CheckRun {
        run: check.run.clone(),
        ended: now.map_or(0, |now| now.as_secs() as i64),
        ms: started.elapsed().as_millis() as u64,
        code,
        stood,
        output: tail.into(),
    };
    CheckRuns::new(repo.git_dir()).keep(&run)?;
    Ok(run)
}

fn keep_tail(tail: &mut VecDeque<String>, new: &OutputLines) {
    let from = new.lines.len().saturating_sub(STORED_OUTPUT_LINES);
    tail.extend(new.lines.iter().skip(from).cloned());
    let excess = tail.len().saturating_sub(STORED_OUTPUT_LINES);
    tail.drain(..excess);
}

/// Whether a run says something about what stands in the work tree now.
pub fn is_fresh(run: &CheckRun, stands: &str) -> bool {
    run.stood == stands
}

/// Required checks that have not passed on what stands there now, with why.
pub fn outstanding(checks: &ProjectChecks, stands: &str) -> Vec<String> {
    let why = |(check, run): &(ProjectCheck, Option<CheckRun>)| {
        let name = &check.name;
        match run {
            _ if !check.required => None,
            Some(run) if !is_fresh(run, stands) => Some(format!(
                "files changed after the required check '{name}' ran"
            )),
            Some(run) if run.passed() => None,
            Some(run) if run.code.is_none() => {
                Some(format!("the required check '{name}' was stopped"))
            }
            Some(_) => Some(format!("the required check '{name}' failed")),
            None if check.origin == CheckOrigin::Untrusted => Some(format!(
                "the required check '{name}' of {REPOSITORY_SETTINGS} is not trusted yet and did not run"
            )),
            None => Some(format!("the required check '{name}' has not run")),
        }
    };
    // What cannot be read may require anything.
    let unread = checks.trouble.iter().cloned();
    unread.chain(checks.all.iter().filter_map(why)).collect()
}

/// The optional checks that failed on the present files, a line each.
pub fn failed_lines(checks: &ProjectChecks, stands: &str) -> Vec<String> {
    let line = |(check, run): &(ProjectCheck, Option<CheckRun>)| {
        let run = run.as_ref()?;
        let failed = is_fresh(run, stands) && run.code.is_some() && !run.passed();
        (failed && !check.required).then(|| format!("the check '{}' failed", check.name))
    };
    checks.all.iter().filter_map(line).collect()
}

/// How many commands found something wrong with what stands there now.
pub fn failed(checks: &ProjectChecks, stands: &str) -> usize {
    let failed = |run: &CheckRun| is_fresh(run, stands) && run.code.is_some() && !run.passed();
    let runs = checks.all.iter().filter_map(|(_, run)| run.as_ref());
    runs.filter(|run| failed(run)).count()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_come_whole_however_bytes_are_cut() {
        let mut lines = OutputLines::default();
        for part in [
            &b"one\ntw"[..],
            b"o\n\x1b[31mred\x1b[0m 1%\r100%\r\nth",
            b"ree",
        ] {
            lines.take(part);
        }
        lines.end();
        let all: Vec<_> = lines.lines.iter().map(String::as_str).collect();
        assert_eq!(all, ["one", "two", "100%", "three"]);
        let mut long = OutputLines::default();
        long.take(&vec![b'x'; 5000]);
        long.end();
        assert_eq!(long.lines[0].len(), OUTPUT_LINE_BYTES);
    }

    #[test]
    fn the_newest_lines_are_kept_and_the_others_counted() {
        let mut all = OutputLines::default();
        for _ in 0..3 {
            let mut some = OutputLines::default();
            some.take("x\n".repeat(OUTPUT_LINES - 1).as_bytes());
            all.extend(some);
        }
        assert_eq!(
            (all.lines.len(), all.left_out),
            (OUTPUT_LINES, 2 * OUTPUT_LINES - 3)
        );
        let mut many = OutputLines::default();
        many.take("y\n".repeat(OUTPUT_LINES + 5).as_bytes());
        all.extend(many);
        assert_eq!(
            (all.lines.len(), all.left_out),
            (OUTPUT_LINES, 3 * OUTPUT_LINES + 2)
        );
        assert!(all.lines.iter().all(|line| line == "y"));
    }
}
