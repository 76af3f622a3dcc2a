//! One call of git as a value: its arguments, environment and input, and the locks it may take.

use crate::process::error::Error;
use std::ffi::{OsStr, OsString};

/// Whether a call may take locks and run the user's own programs.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Manner {
    /// Looks only: takes no optional lock.
    Read,
    /// Changes the index or the objects.
    Write,
    /// Runs hooks and other programs of the user, in the user's own language.
    Conclude,
}

/// A call of git.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Invocation {
    pub(crate) args: Vec<OsString>,
    pub(crate) env: Vec<(OsString, OsString)>,
    pub(crate) stdin: Vec<u8>,
    pub(crate) manner: Manner,
}

impl Invocation {
    /// A call that only looks.
    pub fn read<A: AsRef<OsStr>>(args: impl IntoIterator<Item = A>) -> Self {
        Self::new(Manner::Read, args)
    }

    /// A call that changes something.
    pub fn write<A: AsRef<OsStr>>(args: impl IntoIterator<Item = A>) -> Self {
        Self::new(Manner::Write, args)
    }

    /// A call that makes commits and runs hooks.
    pub fn conclude<A: AsRef<OsStr>>(args: impl IntoIterator<Item = A>) -> Self {
        Self::new(Manner::Conclude, args)
    }

    fn new<A: AsRef<OsStr>>(manner: Manner, args: impl IntoIterator<Item = A>) -> Self {
        Invocation {
            args: args.into_iter().map(|a| a.as_ref().to_owned()).collect(),
            env: Vec::new(),
            stdin: Vec::new(),
            manner,
        }
    }

    /// With one more argument.
    #[must_use]
    pub fn arg(mut self, arg: impl AsRef<OsStr>) -> Self {
        self.args.push(arg.as_ref().to_owned());
        self
    }

    /// With these bytes to read.
    #[must_use]
    pub fn stdin(mut self, bytes: impl Into<Vec<u8>>) -> Self {
        self.stdin = bytes.into();
        self
    }

    /// With a variable set.
    #[must_use]
    pub fn env(mut self, key: impl AsRef<OsStr>, value: impl AsRef<OsStr>) -> Self {
        let pair = (key.as_ref().to_owned(), value.as_ref().to_owned());
        self.env.push(pair);
        self
    }

    /// Its first arguments, for messages.
    pub fn name(&self) -> String {
        let words = self.args.iter().take(3).map(|a| a.to_string_lossy());
        words.collect::<Vec<_>>().join(" ")
    }
}

/// How a call ended.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Output {
    /// Exit code; `None` if a signal ended it.
    pub code: Option<i32>,
    /// What it printed.
    pub stdout: Vec<u8>,
    /// What it said.
    pub stderr: Vec<u8>,
}

impl Output {
    /// Whether it exited with 0.
    pub fn ok(&self) -> bool {
        self.code == Some(0)
    }

    /// What it printed, without the newline at the end.
    pub fn line(&self) -> &[u8] {
        self.stdout.strip_suffix(b"\n").unwrap_or(&self.stdout)
    }

    /// [`Output::line`] as text.
    pub fn text(&self) -> String {
        String::from_utf8_lossy(self.line()).into_owned()
    }

    /// All it said and printed, errors first, for a person.
    ///
    /// A long message keeps only its beginning and its end.
    pub fn message(&self) -> String {
        let text = |bytes| shortened(String::from_utf8_lossy(bytes).trim_end());
        let parts = [text(&self.stderr), text(&self.stdout)];
        let parts: Vec<_> = parts.into_iter().filter(|p| !p.is_empty()).collect();
        parts.join("\n")
    }
}

/// Characters that a long message keeps of its beginning, and as many of its end.
const MESSAGE_PART: usize = 8_000;

/// A message without its middle, if it is very long.
fn shortened(text: &str) -> String {
    let all = text.chars().count();
    if all <= 2 * MESSAGE_PART {
        return text.to_owned();
    }
    let head: String = text.chars().take(MESSAGE_PART).collect();
    let tail: String = text.chars().skip(all - MESSAGE_PART).collect();
    let left_out = all - 2 * MESSAGE_PART;
    format!("{head}\n… {left_out} characters left out …\n{tail}")
}

/// Something that can carry out a call of git.
pub trait Git {
    /// Runs a call to its end, whatever its exit code.
    ///
    /// # Errors
    /// If it could not be started, or was cancelled.
    fn run(&self, call: &Invocation) -> Result<Output, Error>;

    /// Runs a call that must exit with 0.
    ///
    /// # Errors
    /// If it did not, with what it said.
    fn must(&self, call: &Invocation) -> Result<Output, Error> {
        let output = self.run(call)?;
        match output.ok() {
            true => Ok(output),
            false => Err(failed(call, &output)),
        }
    }
}

pub(crate) fn failed(call: &Invocation, output: &Output) -> Error {
    let message = output.message();
    if let Some(lock) = lock_in(&message) {
        return Error::Locked { lock };
    }
    let status = match output.code {
        Some(code) => format!("exit {code}"),
        None => "ended by a signal".to_owned(),
    };
    Error::Failed {
        command: call.name(),
        status,
        message,
    }
}

fn lock_in(message: &str) -> Option<String> {
    let (_, rest) = message.split_once("Unable to create '")?;
    let (path, rest) = rest.split_once('\'')?;
    (path.ends_with(".lock") && rest.contains("File exists")).then(|| path.to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_held_lock_is_told_as_such() {
        let output = Output {
            code: Some(128),
            stdout: Vec::new(),
            stderr: b"fatal: Unable to create '/r/.git/index.lock': File exists.\n\nAnother git"
                .to_vec(),
        };
        let error = failed(&Invocation::write(["add"]), &output);
        assert!(
            error.to_string().contains("holds '/r/.git/index.lock'"),
            "{error}"
        );
    }
}
