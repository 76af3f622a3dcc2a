//! The one place that makes a process of a call of git.

use crate::process::cancel::Cancel;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation, Manner, Output};
use rustix::event::{PollFd, PollFlags, Timespec, poll};
use rustix::fs::{OFlags, fcntl_getfl, fcntl_setfl};
use rustix::io::Errno;
use rustix::process::{Resource, getrlimit};
use std::ffi::{OsStr, OsString};
use std::fs::File;
use std::io::{Read as _, Seek as _, Write as _};
use std::os::fd::OwnedFd;
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

/// Variables that say which repository git works on, and with which settings.
const OF_ANOTHER: [&str; 19] = [
    "GIT_ALTERNATE_OBJECT_DIRECTORIES",
    "GIT_CEILING_DIRECTORIES",
    "GIT_COMMON_DIR",
    "GIT_CONFIG",
    "GIT_CONFIG_COUNT",
    "GIT_CONFIG_GLOBAL",
    "GIT_CONFIG_PARAMETERS",
    "GIT_CONFIG_SYSTEM",
    "GIT_DIR",
    "GIT_GRAFT_FILE",
    "GIT_IMPLICIT_WORK_TREE",
    "GIT_INDEX_FILE",
    "GIT_NAMESPACE",
    "GIT_OBJECT_DIRECTORY",
    "GIT_PREFIX",
    "GIT_QUARANTINE_PATH",
    "GIT_SHALLOW_FILE",
    "GIT_TEMPLATE_DIR",
    "GIT_WORK_TREE",
];

/// Runs the real git in one folder.
#[derive(Clone, Debug)]
pub struct Runner {
    program: OsString,
    folder: PathBuf,
    env: Vec<(OsString, OsString)>,
    /// Whether variables that name another repository are kept from it.
    outside: bool,
    cancel: Cancel,
}

impl Runner {
    /// A runner in `folder` for the git on PATH.
    pub fn new(folder: impl Into<PathBuf>) -> Self {
        Runner {
            program: "git".into(),
            folder: folder.into(),
            env: Vec::new(),
            outside: false,
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

    /// The same, for a repository that has nothing to do with the one around it: no variable that
    /// git set for a hook, or a person for this repository, reaches it.
    #[must_use]
    pub fn outside_of_repositories(mut self) -> Self {
        self.outside = true;
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
        let mut command = match getrlimit(Resource::Fsize).current {
            None => Command::new(&self.program),
            // Where files may not grow beyond a limit, git shall find its writes refused, like on a
            // full disk, and take its locks away. The signal would kill it instead.
            Some(_) => {
                let mut shell = Command::new("sh");
                shell.args(["-c", "trap '' XFSZ; exec \"$0\" \"$@\""]);
                shell.arg(&self.program);
                shell
            }
        };
        command.current_dir(&self.folder);
        if call.manner == Manner::Read {
            // Looking runs none of the user's programs and starts no daemon.
            command.args([
                "-c",
                "core.hooksPath=/dev/null",
                "-c",
                "core.fsmonitor=false",
            ]);
        }
        command.args(&call.args);
        if self.outside {
            for key in OF_ANOTHER {
                command.env_remove(key);
            }
        }
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
        // A group of its own, so that a cancelled hook goes with the git that ran it.
        command.process_group(0);
        command
    }
}

impl Runner {
    fn no_git(&self, cause: std::io::Error) -> Error {
        Error::NoGit {
            program: self.program.to_string_lossy().into_owned(),
            cause,
        }
    }

    /// Starts a call that stays to answer requests from its input.
    ///
    /// # Errors
    /// If git cannot be started.
    pub(crate) fn start(&self, call: &Invocation) -> Result<(Child, Pipes), Error> {
        let mut command = self.command(call);
        command.stdin(Stdio::piped());
        command.stdout(Stdio::piped()).stderr(Stdio::piped());
        let mut child = command.spawn().map_err(|cause| self.no_git(cause))?;
        let pipes = Pipes::of(&mut child, Vec::new()).map_err(Error::file("talk to", "git"))?;
        tracing::debug!(git = %call.name(), "started");
        Ok((child, pipes))
    }

    /// Whether the calls of this runner are to end.
    pub(crate) fn is_cancelled(&self) -> bool {
        self.cancel.is_cancelled()
    }
}

impl Git for Runner {
    fn run(&self, call: &Invocation) -> Result<Output, Error> {
        let started = Instant::now();
        let no_git = |cause| self.no_git(cause);
        let mut command = self.command(call);
        let files = match call.manner {
            Manner::Conclude => Files::new(&call.stdin).ok(),
            Manner::Read | Manner::Write => None,
        };
        let output = match files {
            Some(files) => {
                let [input, out, err] = files.for_git().map_err(Error::file("talk to", "git"))?;
                command.stdin(input).stdout(out).stderr(err);
                let mut child = command.spawn().map_err(no_git)?;
                let code = wait(&mut child, &self.cancel)?;
                files.output(code)?
            }
            None => {
                command.stdin(Stdio::piped());
                command.stdout(Stdio::piped()).stderr(Stdio::piped());
                let mut child = command.spawn().map_err(no_git)?;
                talk(&mut child, &call.stdin, &self.cancel)?
            }
        };
        let ms = started.elapsed().as_millis() as u64;
        tracing::debug!(git = %call.name(), code = output.code, ms);
        Ok(output)
    }
}

/// What git reads and writes while it begins or concludes something: files without a name, not pipes. If
/// this program is killed, git goes on to its end; from a pipe that nobody reads it would die half-way.
struct Files {
    input: File,
    output: File,
    errors: File,
}

impl Files {
    fn new(stdin: &[u8]) -> std::io::Result<Self> {
        let mut input = tempfile::tempfile()?;
        input.write_all(stdin)?;
        input.rewind()?;
        Ok(Files {
            input,
            output: tempfile::tempfile()?,
            errors: tempfile::tempfile()?,
        })
    }

    fn for_git(&self) -> std::io::Result<[File; 3]> {
        Ok([
            self.input.try_clone()?,
            self.output.try_clone()?,
            self.errors.try_clone()?,
        ])
    }

    fn output(mut self, code: Option<i32>) -> Result<Output, Error> {
        let read = |file: &mut File| -> std::io::Result<Vec<u8>> {
            let mut bytes = Vec::new();
            file.rewind()?;
            file.take(MESSAGE_BYTES as u64).read_to_end(&mut bytes)?;
            Ok(bytes)
        };
        let stdout = read(&mut self.output).map_err(Error::file("talk to", "git"))?;
        let stderr = read(&mut self.errors).map_err(Error::file("talk to", "git"))?;
        Ok(Output {
            code,
            stdout,
            stderr,
        })
    }
}

/// What is read of the output of one call, in bytes: more than any repository should need at once.
const OUTPUT_BYTES: usize = 1 << 31;

/// Pieces that are read from a pipe at a time.
const READS: usize = 64;

/// What is read of errors, and of what git prints for a person, in bytes.
const MESSAGE_BYTES: usize = 1 << 20;

/// Waits until a process ends, or ends it when cancelled; returns its exit code.
fn wait(child: &mut Child, cancel: &Cancel) -> Result<Option<i32>, Error> {
    let mut pause = Duration::from_micros(500);
    loop {
        match child.try_wait() {
            Ok(Some(status)) => return Ok(status.code()),
            Ok(None) if cancel.is_cancelled() => {
                end_group(child);
                return Err(Error::Cancelled);
            }
            Ok(None) => std::thread::sleep(pause),
            Err(source) => return Err(Error::file("wait for", "git")(source)),
        }
        pause = (pause * 3 / 2).min(Duration::from_millis(20));
    }
}

/// Feeds and drains a process until it has ended, or is asked to end.
///
/// What git wrote before it ended is in the pipes then. Who else holds them, a program that a
/// hook left behind for example, is not waited for.
fn talk(child: &mut Child, stdin: &[u8], cancel: &Cancel) -> Result<Output, Error> {
    let mut pipes = Pipes::of(child, stdin.to_vec()).map_err(Error::file("talk to", "git"))?;
    pipes.close_when_written();
    // Most calls last a millisecond: look often at first, then every 20 ms.
    let mut pause = Duration::from_micros(200);
    let status = loop {
        let moved = pipes.exchange(pause);
        if moved.map_err(Error::file("talk to", "git"))? {
            pause = Duration::from_micros(200);
        }
        match child.try_wait() {
            Ok(Some(status)) => break status,
            Ok(None) if cancel.is_cancelled() => {
                end_group(child);
                return Err(Error::Cancelled);
            }
            Ok(None) => {}
            Err(source) => return Err(Error::file("wait for", "git")(source)),
        }
        pause = (pause * 3 / 2).min(Duration::from_millis(20));
    };
    let rest = pipes.exchange(Duration::ZERO);
    rest.map_err(Error::file("talk to", "git"))?;
    let [stdout, stderr] = pipes.read.map(|(_, bytes)| bytes);
    Ok(Output {
        code: status.code(),
        stdout,
        stderr,
    })
}

/// The ends of a process's pipes, none of which is ever waited for alone.
#[derive(Debug)]
pub(crate) struct Pipes {
    input: Option<OwnedFd>,
    /// Input, and how much of it git has taken.
    to_write: (Vec<u8>, usize),
    /// Whether the input ends once all of `to_write` is written.
    closes: bool,
    /// Output and errors, each with the bytes received so far.
    pub(crate) read: [(Option<OwnedFd>, Vec<u8>); 2],
}

impl Pipes {
    pub(crate) fn of(child: &mut Child, stdin: Vec<u8>) -> std::io::Result<Self> {
        let input = child.stdin.take().map(OwnedFd::from);
        let out = child.stdout.take().map(OwnedFd::from);
        let err = child.stderr.take().map(OwnedFd::from);
        for fd in [&input, &out, &err].into_iter().flatten() {
            fcntl_setfl(fd, fcntl_getfl(fd)? | OFlags::NONBLOCK)?;
        }
        Ok(Pipes {
            input,
            to_write: (stdin, 0),
            closes: false,
            read: [(out, Vec::new()), (err, Vec::new())],
        })
    }

    fn close_when_written(&mut self) {
        self.closes = true;
        if self.is_written() {
            self.input = None;
        }
    }

    fn is_written(&self) -> bool {
        self.to_write.1 >= self.to_write.0.len()
    }

    /// More input, after what was written before.
    pub(crate) fn write(&mut self, bytes: Vec<u8>) {
        if self.is_written() {
            self.to_write = (bytes, 0);
        } else {
            self.to_write.0.extend(bytes);
        }
    }

    /// Waits for one of the pipes, at most `pause`, and moves all that can be moved now; whether
    /// anything was.
    pub(crate) fn exchange(&mut self, pause: Duration) -> std::io::Result<bool> {
        let mut fds: Vec<PollFd<'_>> = (self.read.iter())
            .filter_map(|(fd, _)| Some(PollFd::new(fd.as_ref()?, PollFlags::IN)))
            .collect();
        let input = self.input.iter().filter(|_| !self.is_written());
        fds.extend(input.map(|fd| PollFd::new(fd, PollFlags::OUT)));
        if fds.is_empty() {
            std::thread::sleep(pause);
            return Ok(false);
        }
        let timeout = Timespec {
            tv_sec: 0,
            tv_nsec: pause.subsec_nanos().into(),
        };
        match poll(&mut fds, Some(&timeout)) {
            Ok(_) | Err(Errno::INTR) => {}
            Err(error) => return Err(error.into()),
        }
        let mut moved = self.feed();
        let [output, errors] = &mut self.read;
        moved |= drain(&mut output.0, &mut output.1, OUTPUT_BYTES)?;
        moved |= drain(&mut errors.0, &mut errors.1, MESSAGE_BYTES)?;
        Ok(moved)
    }

    /// Writes as much input as the pipe takes; whether any.
    fn feed(&mut self) -> bool {
        let mut moved = false;
        while let Some(pipe) = self.input.as_ref().filter(|_| !self.is_written()) {
            let (bytes, written) = &mut self.to_write;
            match rustix::io::write(pipe, &bytes[*written..]) {
                Ok(n) => *written += n,
                Err(Errno::AGAIN) => break,
                Err(Errno::INTR) => continue,
                // git may end before it has read everything; that is its answer, not an error.
                Err(_) => *written = bytes.len(),
            }
            moved = true;
            if self.closes && self.is_written() {
                self.input = None;
            }
        }
        moved
    }
}

/// Reads what a pipe holds now, and lets go of it at its end; whether anything came, its end
/// included: git is about to end as well then.
///
/// Discards what comes beyond `most` bytes. One call reads a bounded part, so that a cancel is noticed.
fn drain(fd: &mut Option<OwnedFd>, bytes: &mut Vec<u8>, most: usize) -> std::io::Result<bool> {
    let mut moved = false;
    let mut buffer = [0; 1 << 16];
    for _ in 0..READS {
        let Some(pipe) = fd else { break };
        match rustix::io::read(pipe, &mut buffer) {
            Ok(0) => {
                *fd = None;
                moved = true;
            }
            Ok(n) => {
                let room = most.saturating_sub(bytes.len());
                bytes.extend_from_slice(&buffer[..n.min(room)]);
                moved = true;
            }
            Err(Errno::AGAIN) => break,
            Err(Errno::INTR) => {}
            Err(error) => return Err(error.into()),
        }
    }
    Ok(moved)
}

/// Asks the group to end, so that git removes its lock files, and insists after half a second.
pub(crate) fn end_group(child: &mut Child) {
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
    fn who_was_left_behind_is_not_waited_for() {
        let started = Instant::now();
        let alias = "alias.leave=!echo before; sleep 30 & echo after";
        let output = Runner::new(".")
            .must(&Invocation::read(["-c", alias, "leave"]))
            .unwrap();
        assert_eq!(output.stdout, b"before\nafter\n");
        assert!(started.elapsed() < Duration::from_secs(20));
    }

    #[test]
    fn input_that_nobody_reads_does_no_harm() {
        let call = Invocation::read(["version"]).stdin(vec![b'x'; 3_000_000]);
        assert!(
            Runner::new(".")
                .must(&call)
                .unwrap()
                .line()
                .starts_with(b"git version")
        );
    }

    #[test]
    fn large_input_and_output_do_not_lock_up() {
        let big = vec![b'x'; 3_000_000];
        let call = Invocation::read(["stripspace"]).stdin(big.clone());
        let output = Runner::new(".").must(&call).unwrap();
        assert_eq!(output.line().len(), big.len());
    }
}
