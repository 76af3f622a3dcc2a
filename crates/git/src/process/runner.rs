//! The one place that makes a process of a call of git.

use crate::process::cancel::Cancel;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation, Manner, Output};
use std::ffi::{OsStr, OsString};
use std::io::{Read, Write};
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, ExitStatus, Stdio};
use std::time::{Duration, Instant};

/// Runs the real git in one folder.
#[derive(Clone, Debug)]
pub struct Runner {
    program: OsString,
    folder: PathBuf,
    env: Vec<(OsString, OsString)>,
    cancel: Cancel,
}

impl Runner {
    /// A runner in `folder` for the git on PATH.
    pub fn new(folder: impl Into<PathBuf>) -> Self {
        Runner {
            program: "git".into(),
            folder: folder.into(),
            env: Vec::new(),
            cancel: Cancel::default(),
        }
    }

    /// The same, in another folder.
    #[must_use]
    pub fn at(&self, folder: impl Into<PathBuf>) -> Self {
        Runner {
            folder: folder.into(),
            ..self.clone()
        }
    }

    /// The same, with a variable set for every call.
    #[must_use]
    pub fn with_env(mut self, key: &str, value: impl AsRef<OsStr>) -> Self {
        self.env.push((key.into(), value.as_ref().to_owned()));
        self
    }

    /// The same, stopped when `cancel` says so.
    #[must_use]
    pub fn until(&self, cancel: &Cancel) -> Self {
        Runner {
            cancel: cancel.clone(),
            ..self.clone()
        }
    }

    /// Where it runs.
    pub fn folder(&self) -> &Path {
        &self.folder
    }

    fn command(&self, call: &Invocation) -> Command {
        let mut command = Command::new(&self.program);
        command.current_dir(&self.folder).args(&call.args);
        // Output must not depend on the user's language or tools, and nothing may ask
        // questions on a terminal that the screen owns.
        command.envs([
            ("GIT_PAGER", "cat"),
            ("GIT_TERMINAL_PROMPT", "0"),
            ("GIT_EDITOR", "true"),
            ("GIT_SEQUENCE_EDITOR", "true"),
        ]);
        if call.manner != Manner::Conclude {
            command.envs([("LC_ALL", "C"), ("GIT_LITERAL_PATHSPECS", "1")]);
        }
        if call.manner == Manner::Read {
            command.env("GIT_OPTIONAL_LOCKS", "0");
        }
        command.envs(self.env.iter().map(|(k, v)| (k, v)));
        command.envs(call.env.iter().map(|(k, v)| (k, v)));
        command.stdin(Stdio::piped());
        command.stdout(Stdio::piped()).stderr(Stdio::piped());
        // A group of its own, so that a cancelled hook goes with the git that ran it.
        command.process_group(0);
        command
    }
}

impl Git for Runner {
    fn run(&self, call: &Invocation) -> Result<Output, Error> {
        let started = Instant::now();
        let mut child = self.command(call).spawn().map_err(|source| Error::NoGit {
            program: self.program.to_string_lossy().into_owned(),
            source,
        })?;
        let output = talk(&mut child, &call.stdin, &self.cancel)?;
        let ms = started.elapsed().as_millis() as u64;
        tracing::debug!(git = %call.name(), code = output.code, ms);
        Ok(output)
    }
}

/// Feeds and drains a process from threads: a pipe that fills up stops both ends.
fn talk(child: &mut Child, stdin: &[u8], cancel: &Cancel) -> Result<Output, Error> {
    let pipes = (child.stdin.take(), child.stdout.take(), child.stderr.take());
    std::thread::scope(|scope| {
        let (input, out, err) = pipes;
        scope.spawn(move || {
            // git may end before it has read everything; that is its answer, not an error.
            let _ = input.map(|mut pipe| pipe.write_all(stdin));
        });
        let out = scope.spawn(move || drain(out));
        let err = scope.spawn(move || drain(err));
        let status = wait(child, cancel);
        let (stdout, stderr) = (out.join(), err.join());
        let status = status?;
        Ok(Output {
            code: status.code(),
            stdout: stdout.unwrap_or_default(),
            stderr: stderr.unwrap_or_default(),
        })
    })
}

fn drain(pipe: Option<impl Read>) -> Vec<u8> {
    let mut bytes = Vec::new();
    if let Some(mut pipe) = pipe {
        // What could be read before a broken pipe is still worth showing.
        let _ = pipe.read_to_end(&mut bytes);
    }
    bytes
}

fn wait(child: &mut Child, cancel: &Cancel) -> Result<ExitStatus, Error> {
    let wait_error = Error::file("wait for", "git");
    // Most calls last a millisecond: look often at first, then every 20 ms.
    let mut pause = Duration::from_micros(200);
    loop {
        match child.try_wait() {
            Ok(Some(status)) => return Ok(status),
            Ok(None) if cancel.is_cancelled() => {
                end_group(child);
                return Err(Error::Cancelled);
            }
            Ok(None) => std::thread::sleep(pause),
            Err(source) => return Err(wait_error(source)),
        }
        pause = (pause * 3 / 2).min(Duration::from_millis(20));
    }
}

/// Asks the group to end, so that git removes its lock files, and insists after half a second.
fn end_group(child: &mut Child) {
    use rustix::process::{Pid, Signal, kill_process_group};
    let Some(group) = Pid::from_raw(child.id() as i32) else {
        return;
    };
    let _ = kill_process_group(group, Signal::TERM);
    for _ in 0..25 {
        if matches!(child.try_wait(), Ok(Some(_))) {
            break;
        }
        std::thread::sleep(Duration::from_millis(20));
    }
    let _ = kill_process_group(group, Signal::KILL);
    let _ = child.wait();
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_missing_program_says_what_to_do() {
        let mut runner = Runner::new(".");
        runner.program = "no-such-git".into();
        let error = runner.run(&Invocation::read(["version"])).unwrap_err();
        assert!(error.to_string().contains("put it on PATH"), "{error}");
    }

    #[test]
    fn a_long_call_can_be_cancelled() {
        let cancel = Cancel::default();
        let runner = Runner::new(".").until(&cancel);
        let stop = cancel.clone();
        let thread = std::thread::spawn(move || {
            runner.run(&Invocation::read(["-c", "alias.nap=!sleep 60", "nap"]))
        });
        stop.cancel();
        assert!(matches!(thread.join().unwrap(), Err(Error::Cancelled)));
    }

    #[test]
    fn large_input_and_output_do_not_lock_up() {
        let big = vec![b'x'; 3_000_000];
        let call = Invocation::read(["stripspace"]).stdin(big.clone());
        let output = Runner::new(".").must(&call).unwrap();
        assert_eq!(output.line().len(), big.len());
    }
}
