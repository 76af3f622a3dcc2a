//! `git cat-file --batch` processes that stay open: one request costs a round trip on a pipe, not a process.

use crate::process::error::Error;
use crate::process::invocation::Invocation;
use crate::process::runner::{Pipes, Runner, end_group};
use std::process::Child;
use std::sync::{Arc, Mutex, MutexGuard};
use std::time::Duration;

/// An object as git stores it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Object {
    /// Its name, in hexadecimal.
    pub(crate) oid: String,
    /// Its bytes: the format of a tree or commit is git's own.
    pub(crate) bytes: Vec<u8>,
}

/// Idle processes that are kept for the next request; a request takes one of them, or starts another.
#[derive(Clone, Debug, Default)]
pub(crate) struct ObjectReader {
    idle: Arc<Mutex<Vec<Batch>>>,
}

/// Idle processes that are kept at most.
const MOST_IDLE: usize = 2;

impl ObjectReader {
    /// Reads objects in order, each by a name or revision; `None` where there is no such object.
    ///
    /// A process reads the index once: names such as `:path` may be out of date.
    ///
    /// # Errors
    /// If git cannot be started, ends early, or the runner is cancelled.
    pub(crate) fn read(
        &self,
        runner: &Runner,
        names: &[impl AsRef<str>],
    ) -> Result<Vec<Option<Object>>, Error> {
        if names.is_empty() {
            return Ok(Vec::new());
        }
        let kept = self.idle().pop();
        let read = kept.map(|mut batch| Ok((batch.read(runner, names)?, batch)));
        let (objects, batch) = match read {
            Some(Ok(read)) => read,
            Some(Err(Error::Cancelled)) => return Err(Error::Cancelled),
            // Another program may have ended the idle process; a new one is asked.
            Some(Err(_)) | None => {
                let mut batch = Batch::start(runner)?;
                (batch.read(runner, names)?, batch)
            }
        };
        let mut idle = self.idle();
        if idle.len() < MOST_IDLE {
            idle.push(batch);
        }
        Ok(objects)
    }

    /// Ends the idle processes: the next request sees new settings and replacements.
    pub(crate) fn close(&self) {
        self.idle().clear();
    }

    fn idle(&self) -> MutexGuard<'_, Vec<Batch>> {
        match self.idle.lock() {
            Ok(idle) => idle,
            // Each process in the list is idle, whatever happened to the thread that held the lock.
            Err(poisoned) => poisoned.into_inner(),
        }
    }
}

/// One process. It is dropped, and so ended, after any error: what it would still print belongs to
/// another request.
#[derive(Debug)]
struct Batch {
    child: Child,
    pipes: Pipes,
}

impl Drop for Batch {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

impl Batch {
    fn start(runner: &Runner) -> Result<Self, Error> {
        let (child, pipes) = runner.start(&Invocation::read(["cat-file", "--batch"]))?;
        Ok(Batch { child, pipes })
    }

    fn read(
        &mut self,
        runner: &Runner,
        names: &[impl AsRef<str>],
    ) -> Result<Vec<Option<Object>>, Error> {
        // A name with a line end would be two requests; no object has one.
        let is_name = |name: &str| !name.is_empty() && !name.contains('\n');
        let asked = names.iter().map(AsRef::as_ref).filter(|name| is_name(name));
        let request: Vec<&str> = asked.flat_map(|name| [name, "\n"]).collect();
        self.pipes.write(request.concat().into_bytes());
        let mut objects = Vec::with_capacity(names.len());
        let mut parsed = 0;
        for name in names.iter().map(AsRef::as_ref) {
            if !is_name(name) {
                objects.push(None);
                continue;
            }
            let object = loop {
                let (_, received) = &self.pipes.read[0];
                match answer(&received[parsed..], name) {
                    Answer::Object(object, end) => {
                        parsed += end;
                        break Some(object);
                    }
                    Answer::Missing(end) => {
                        parsed += end;
                        break None;
                    }
                    Answer::Incomplete => self.receive(runner)?,
                }
            };
            objects.push(object);
        }
        self.pipes.read[0].1.clear();
        Ok(objects)
    }

    /// Waits until more is received.
    fn receive(&mut self, runner: &Runner) -> Result<(), Error> {
        let before = self.pipes.read[0].1.len();
        while self.pipes.read[0].1.len() == before {
            if runner.is_cancelled() {
                end_group(&mut self.child);
                return Err(Error::Cancelled);
            }
            // It wakes as soon as a pipe can be read.
            let moved = self.pipes.exchange(Duration::from_millis(20));
            moved.map_err(Error::file("talk to", "git"))?;
            if self.pipes.read[0].0.is_none() && self.pipes.read[0].1.len() == before {
                let said = String::from_utf8_lossy(&self.pipes.read[1].1)
                    .trim()
                    .to_owned();
                return Err(Error::Unreadable {
                    command: "cat-file --batch".to_owned(),
                    what: match said.is_empty() {
                        true => "it ended early".to_owned(),
                        false => said,
                    },
                });
            }
        }
        Ok(())
    }
}

/// What begins the bytes received: each answer with its length.
enum Answer {
    Object(Object, usize),
    Missing(usize),
    Incomplete,
}

/// Parses `OID TYPE SIZE<LF>BYTES<LF>`, or a line that ends in a word such as `missing`.
fn answer(bytes: &[u8], name: &str) -> Answer {
    let Some(end) = bytes.iter().position(|b| *b == b'\n') else {
        return Answer::Incomplete;
    };
    // `NAME missing`, `NAME ambiguous`; names may hold spaces.
    let is_refused = bytes[..end]
        .strip_prefix(name.as_bytes())
        .is_some_and(|rest| matches!(rest, b" missing" | b" ambiguous" | b" submodule"));
    let head = String::from_utf8_lossy(&bytes[..end]);
    let fields: Vec<&str> = head.split(' ').collect();
    let ([oid, _, size], false) = (&fields[..], is_refused) else {
        return Answer::Missing(end + 1);
    };
    let Ok(size) = size.parse::<usize>() else {
        return Answer::Missing(end + 1);
    };
    let content = end + 1..(end + 1).saturating_add(size);
    match bytes.get(content.clone()) {
        Some(found) if bytes.len() > content.end => {
            let object = Object {
                oid: (*oid).to_owned(),
                bytes: found.to_vec(),
            };
            Answer::Object(object, content.end + 1)
        }
        _ => Answer::Incomplete,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn answers_are_parsed_as_they_arrive() {
        let whole = b"ab blob 3\nx\ny\nrest";
        for length in 0..14 {
            assert!(matches!(answer(&whole[..length], "ab"), Answer::Incomplete));
        }
        let Answer::Object(object, 14) = answer(whole, "ab") else {
            panic!("an object of 14 bytes");
        };
        assert_eq!((object.oid.as_str(), &*object.bytes), ("ab", &b"x\ny"[..]));
        assert!(matches!(
            answer(b"a b missing\n", "a b"),
            Answer::Missing(12)
        ));
        assert!(matches!(
            answer(b"x y missing\n", "x y"),
            Answer::Missing(12)
        ));
    }

    #[test]
    fn one_process_answers_many_requests() {
        let folder = tempfile::TempDir::new().unwrap();
        let git = |args: &[&str]| {
            let mut command = std::process::Command::new("git");
            let output = command.args(args).current_dir(folder.path()).output();
            let output = output.unwrap();
            assert!(output.status.success());
            String::from_utf8(output.stdout).unwrap().trim().to_owned()
        };
        git(&["init", "-q"]);
        let store = |bytes: &[u8]| {
            std::fs::write(folder.path().join("a"), bytes).unwrap();
            git(&["hash-object", "-w", "a"])
        };
        let small = store(b"text");
        let runner = Runner::new(folder.path());
        let reader = ObjectReader::default();
        let read = |name: &str| reader.read(&runner, &[name]).unwrap().remove(0);
        let first = read(&small).unwrap();
        assert_eq!(first.bytes, b"text");
        let process = reader.idle()[0].child.id();
        assert_eq!(read("no such"), None);
        assert_eq!(read("a\nb"), None);
        // Large answers and many requests do not lock up.
        let big = vec![b'x'; 3_000_000];
        let stored = store(&big);
        let many: Vec<&str> = (0..40).flat_map(|_| [&*stored, &*small]).collect();
        let all = reader.read(&runner, &many).unwrap();
        assert_eq!(all.iter().flatten().count(), 80);
        assert_eq!(all[78].as_ref().unwrap().bytes, big);
        assert_eq!(reader.idle()[0].child.id(), process);
        // If the process is gone, another answers.
        reader.idle()[0].child.kill().unwrap();
        assert_eq!(read(&small), Some(first));
        assert_ne!(reader.idle()[0].child.id(), process);
    }

    #[test]
    fn a_request_can_be_cancelled() {
        let cancel = crate::process::cancel::Cancel::default();
        cancel.cancel();
        let runner = Runner::new(".").until(&cancel);
        let read = ObjectReader::default().read(&runner, &["HEAD"]);
        assert!(matches!(read, Err(Error::Cancelled)));
    }
}
