//! What commands print: made safe to show, and never a reason to stop half-way.
//!
//! Output may be closed or its disk full at any time. The first failure is kept and what follows is
//! left unprinted, while the command goes on to its end; `end` then says so.

use crate::base::safe_text::visible;
use std::fmt::Arguments;
use std::io::{self, ErrorKind, Write};
use std::sync::{Mutex, MutexGuard};

/// Why printing failed, if it did.
static FAILED: Mutex<Option<io::Error>> = Mutex::new(None);

fn failed() -> MutexGuard<'static, Option<io::Error>> {
    match FAILED.lock() {
        Ok(failed) => failed,
        // Nothing can panic while it is held.
        Err(poisoned) => poisoned.into_inner(),
    }
}

/// Prints bytes as they are.
pub(crate) fn raw(bytes: &[u8]) {
    let mut failed = failed();
    if failed.is_none() {
        *failed = io::stdout().lock().write_all(bytes).err();
    }
}

/// Prints lines for a person.
pub(crate) fn lines(text: Arguments<'_>) {
    raw(safe(text).as_bytes());
}

/// Prints lines for a person on standard error; if that is gone there is nobody to tell.
pub fn complaint(text: Arguments<'_>) {
    let _ = io::stderr().lock().write_all(safe(text).as_bytes());
}

/// Every line with what could garble a terminal made visible.
fn safe(text: Arguments<'_>) -> String {
    let text = text.to_string();
    let lines = text.split('\n').map(|line| visible(line) + "\n");
    lines.collect()
}

/// Sees to it that all is printed; why it could not be, unless nobody wanted to read on.
///
/// # Errors
/// If the output refused for another reason than being closed.
pub fn end() -> io::Result<()> {
    let flushed = io::stdout().lock().flush();
    match failed().take().map_or(flushed, Err) {
        Err(error) if error.kind() == ErrorKind::BrokenPipe => Ok(()),
        ended => ended,
    }
}

/// Prints lines for a person on standard output.
macro_rules! say {
    ($($text:tt)*) => { $crate::commands::output::lines(format_args!($($text)*)) };
}

/// Prints lines for a person on standard error.
macro_rules! complain {
    ($($text:tt)*) => { $crate::commands::output::complaint(format_args!($($text)*)) };
}

pub(crate) use {complain, say};
