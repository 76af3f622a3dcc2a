//! The binary: log, command line, exit code.

use anyhow::Context;
use armistice::commands::cli::Cli;
use armistice::commands::dispatch::run;
use armistice::commands::exit::Exit;
use armistice::commands::merge::rescue;
use armistice::commands::output;
use armistice::run::runtime::terminal_is_gone;
use clap::Parser;
use std::fs::OpenOptions;
use std::process::ExitCode;

/// Parsing makes and frees many small nodes: this allocator takes less time for them.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn main() -> ExitCode {
    let args: Vec<_> = std::env::args_os().collect();
    let cli = match Cli::try_parse_from(&args) {
        Ok(cli) => cli,
        Err(error) => match rescue(&args).filter(|_| error.use_stderr()) {
            Some(exit) => return code(exit),
            None => error.exit(),
        },
    };
    let _log = start_log();
    // Beyond a limit on the size of files a write shall fail like on a full disk, not kill.
    let limited = std::sync::Arc::new(std::sync::atomic::AtomicBool::new(false));
    if let Err(error) = signal_hook::flag::register(signal_hook::consts::SIGXFSZ, limited) {
        tracing::warn!(%error, "no handler for file size limits");
    }
    let done = run(cli);
    if terminal_is_gone() {
        // As after the signal for it.
        return ExitCode::from(129);
    }
    let done = done.and_then(|exit| {
        // What could not be printed was done all the same; it only was not said.
        output::end().context("cannot write what there is to say")?;
        Ok(exit)
    });
    match done {
        Ok(exit) => code(exit),
        Err(error) => {
            tracing::error!("{error:#}");
            output::complaint(format_args!("armistice: {error:#}"));
            ExitCode::from(2)
        }
    }
}

fn code(exit: Exit) -> ExitCode {
    match exit {
        Exit::Done => ExitCode::SUCCESS,
        Exit::Open => ExitCode::from(1),
    }
}

/// Logs to the file that ARMISTICE_LOG names; never to the screen.
fn start_log() -> Option<tracing_appender::non_blocking::WorkerGuard> {
    let file = std::env::var_os("ARMISTICE_LOG")?;
    let file = OpenOptions::new()
        .create(true)
        .append(true)
        .open(file)
        .ok()?;
    let (writer, guard) = tracing_appender::non_blocking(file);
    tracing_subscriber::fmt()
        .with_writer(writer)
        .with_ansi(false)
        .with_max_level(tracing::Level::DEBUG)
        .init();
    Some(guard)
}
