//! The command line: what each subcommand does and how it exits.

mod cli;
mod loose;
mod memory;
mod plain;
mod setup;
mod weave;

pub use cli::Cli;

use crate::demo;
use crate::settings::Settings;
use crate::theme::{Ground, Theme, Wishes};
use crate::work::Worker;
use anyhow::Result;
use armistice_git::{Overwrite, Repository};
use clap::CommandFactory;
use cli::{Command, DemoKind};
use std::env;
use std::path::Path;

/// How the program ends.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Exit {
    /// Done, nothing left open.
    Done,
    /// Something is still open or was found.
    Open,
}

/// Runs the program.
///
/// # Errors
/// If the command line makes no sense for this repository, or something failed.
pub fn run(cli: Cli) -> Result<Exit> {
    if let Some(folder) = &cli.folder {
        env::set_current_dir(folder)
            .map_err(|e| anyhow::anyhow!("cannot go to '{}': {e}", folder.display()))?;
    }
    match cli.command {
        None => screens(Path::new("."), cli.theme, cli.ascii),
        Some(Command::Demo {
            kind,
            into,
            no_open,
        }) => {
            let kind = match kind {
                DemoKind::Merge => demo::Kind::Merge,
                DemoKind::Rebase => demo::Kind::Rebase,
            };
            let made = demo::make(into.as_deref(), kind)?;
            if no_open {
                println!("{}", made.display());
                return Ok(Exit::Done);
            }
            let exit = screens(&made, cli.theme, cli.ascii);
            eprintln!(
                "The demo is in {}; remove it when you like.",
                made.display()
            );
            exit
        }
        Some(Command::Docket { json }) => plain::docket(&here()?, json),
        Some(Command::Settle {
            paths,
            by,
            conflict,
            overwrite,
        }) => {
            let overwrite = if overwrite {
                Overwrite::Yes
            } else {
                Overwrite::No
            };
            plain::settle(&here()?, &paths, by, conflict, overwrite)
        }
        Some(Command::Proof { json }) => plain::proof(&here()?, json),
        Some(Command::Conclude {
            message,
            despite_findings,
        }) => plain::conclude(&here()?, message.as_deref(), despite_findings),
        Some(Command::Weave(args)) => weave::weave(&args),
        Some(Command::Files(args)) => loose::files(&args, cli.theme, cli.ascii),
        Some(Command::Open { file }) => loose::open(&file, cli.theme, cli.ascii),
        Some(Command::Setup(args)) => setup::setup(&args),
        Some(Command::Memory {
            json,
            forget,
            forget_all,
        }) => memory::memory(&here()?, json, forget, forget_all),
        Some(Command::Completions { shell }) => {
            clap_complete::generate(
                shell,
                &mut Cli::command(),
                "armistice",
                &mut std::io::stdout(),
            );
            Ok(Exit::Done)
        }
    }
}

fn here() -> Result<Repository> {
    Ok(Repository::discover(Path::new("."))?)
}

fn screens(folder: &Path, ground: Ground, ascii: bool) -> Result<Exit> {
    let worker = Worker::new(Repository::discover(folder)?);
    show(worker, ground, ascii)?;
    Ok(Exit::Done)
}

/// Opens the screens.
fn show(worker: Worker, ground: Ground, ascii: bool) -> Result<()> {
    let variable = |name| env::var(name).unwrap_or_default();
    let (colorterm, term, colorfgbg) = (
        variable("COLORTERM"),
        variable("TERM"),
        variable("COLORFGBG"),
    );
    let locale = ["LC_ALL", "LC_CTYPE", "LANG"]
        .into_iter()
        .map(variable)
        .find(|v| !v.is_empty());
    // Only a locale that says it is something else rules the marks out.
    let ascii = ascii || locale.is_some_and(|l| l == "C" || l == "POSIX");
    let theme = Theme::new(&Wishes {
        ground,
        plain_marks: ascii,
        no_color: !variable("NO_COLOR").is_empty(),
        colorterm: &colorterm,
        term: &term,
        colorfgbg: &colorfgbg,
    });
    crate::runtime::run(worker, theme, Settings::read()?)
}
