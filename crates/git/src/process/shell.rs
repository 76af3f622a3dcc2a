//! Runs the project's own commands: a line for the shell, its output told as it comes.

use crate::process::cancel::Cancel;
use crate::process::error::Error;
use crate::process::runner::end_group;
use rustix::event::{PollFd, PollFlags, Timespec, poll};
use rustix::fs::{OFlags, fcntl_getfl, fcntl_setfl};
use rustix::io::Errno;
use std::os::fd::OwnedFd;
use std::os::unix::process::CommandExt;
use std::path::Path;
use std::process::Command;
use std::time::Duration;

/// How long output is gathered before it is reported.
const GATHER: Duration = Duration::from_millis(50);
/// Bytes that are read at once: as many as a pipe holds.
const AT_ONCE: usize = 1 << 16;
/// How often the pipe is read before it is looked whether to stop.
const LOOKS: usize = 16;

/// Runs its argument in a shell of its own, beside a watcher that reads from a pipe which nobody writes
/// to. When the pipe closes, because the program that holds it is gone, the whole group is ended. A
/// line that a signal ended ends this shell by the same signal.
const BOUND: &str = "exec 3<&0 </dev/null; \
{ trap '' TERM; read -r end <&3; kill -TERM -$$; sleep 0.5; kill -KILL -$$; } >/dev/null 2>&1 & watcher=$!; \
exec 3<&-; sh -c \"$1\"; code=$?; kill -KILL $watcher 2>/dev/null; \
test $code -gt 128 && kill -$((code - 128)) $$; exit $code";

/// Runs a line of the shell in a folder and tells its output and errors, in the order in which they
/// come; the exit code, or none if a signal ended it.
///
/// What is reported may be nothing: it is asked several times a second whether it wants to pass on what
/// it has gathered.
/// Nothing is typed into it. Whoever it leaves behind is not waited for.
///
/// # Errors
/// If there is no shell, or `cancel` says to stop: its whole group is ended then.
pub fn run_shell(
    folder: &Path,
    line: &str,
    cancel: &Cancel,
    tell: &mut dyn FnMut(&[u8]),
) -> Result<Option<i32>, Error> {
    let failed = |cause| Error::file("run", line)(cause);
    let (reader, writer) = std::io::pipe().map_err(failed)?;
    let errors = writer.try_clone().map_err(failed)?;
    // Never written to: it closes when this program ends, however that comes about.
    let (life, alive) = std::io::pipe().map_err(failed)?;
    let mut command = Command::new("sh");
    command.args(["-c", BOUND, "sh", line]).current_dir(folder);
    command.stdin(life).stdout(writer).stderr(errors);
    command.process_group(0);
    let mut child = command.spawn().map_err(failed)?;
    // This end keeps the pipe open otherwise.
    drop(command);
    let reader = OwnedFd::from(reader);
    let flags = fcntl_getfl(&reader).map_err(|e| failed(e.into()))?;
    fcntl_setfl(&reader, flags | OFlags::NONBLOCK).map_err(|e| failed(e.into()))?;
    let mut pipe = Some(reader);
    let status = loop {
        wait_for_output(&pipe);
        // Much output at once is passed on in small parts, so that the receiver keeps up.
        std::thread::sleep(GATHER / 5);
        tell_all(&mut pipe, tell).map_err(failed)?;
        tell(b"");
        if cancel.is_cancelled() {
            end_group(&mut child);
            return Err(Error::Cancelled);
        }
        if let Some(status) = child.try_wait().map_err(failed)? {
            break status;
        }
    };
    tell_all(&mut pipe, tell).map_err(failed)?;
    drop(alive);
    Ok(status.code())
}

fn wait_for_output(pipe: &Option<OwnedFd>) {
    let timeout = Timespec {
        tv_sec: 0,
        tv_nsec: GATHER.subsec_nanos().into(),
    };
    match pipe {
        Some(pipe) => {
            let mut fds = [PollFd::new(pipe, PollFlags::IN)];
            // A poll that fails only makes the next look come at once.
            let _ = poll(&mut fds, Some(&timeout));
        }
        None => std::thread::sleep(GATHER),
    }
}

/// Tells what the pipe holds now, a bounded part of it: what a command prints without an end would
/// otherwise never let anybody look whether it is to stop.
fn tell_all(pipe: &mut Option<OwnedFd>, tell: &mut dyn FnMut(&[u8])) -> std::io::Result<()> {
    let mut buffer = vec![0; AT_ONCE];
    for _ in 0..LOOKS {
        let Some(open) = &*pipe else {
            break;
        };
        match rustix::io::read(open, &mut buffer) {
            Ok(0) => *pipe = None,
            Ok(n) => tell(&buffer[..n]),
            Err(Errno::AGAIN) => break,
            Err(Errno::INTR) => {}
            Err(error) => return Err(error.into()),
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn run(line: &str, cancel: &Cancel) -> (Result<Option<i32>, Error>, String) {
        let mut said = Vec::new();
        let code = run_shell(Path::new("."), line, cancel, &mut |bytes| {
            said.extend_from_slice(bytes);
        });
        (code, String::from_utf8_lossy(&said).into_owned())
    }

    #[test]
    fn output_and_errors_come_in_order_with_the_code() {
        let (code, said) = run(
            "echo one; echo two >&2; echo three; exit 3",
            &Cancel::default(),
        );
        assert_eq!(
            (code.unwrap(), said.as_str()),
            (Some(3), "one\ntwo\nthree\n")
        );
        let (code, _) = run("kill -9 $$", &Cancel::default());
        assert_eq!(code.unwrap(), None);
    }

    #[test]
    fn nothing_is_waited_for_but_the_command_itself() {
        let (code, said) = run("sleep 30 & echo left; read answer", &Cancel::default());
        assert_eq!((code.unwrap(), said.as_str()), (Some(1), "left\n"));
    }

    #[test]
    fn a_command_is_stopped_with_all_it_started_also_amid_endless_output() {
        for line in ["sleep 60", "yes", "sleep 60 & sleep 60; wait"] {
            let cancel = Cancel::default();
            let mut told = 0;
            let stop = cancel.clone();
            let stopper = std::thread::spawn(move || {
                std::thread::sleep(Duration::from_millis(100));
                stop.cancel();
            });
            let result = run_shell(Path::new("."), line, &cancel, &mut |b| told += b.len());
            assert!(matches!(result, Err(Error::Cancelled)), "{line}");
            stopper.join().unwrap();
        }
    }
}
