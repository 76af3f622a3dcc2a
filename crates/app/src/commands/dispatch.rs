//! From parsed arguments to the subcommand that was asked for.

use crate::commands::cli::{Cli, Command, DemoKind};
use crate::commands::exit::Exit;
use crate::commands::screens::screens;
use crate::commands::{demo, loose, memory, merge, plain, setup};
use anyhow::Result;
use armistice_git::{Overwrite, Repository};
use clap::CommandFactory;
use std::env;
use std::path::Path;

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
        Some(Command::Merge(args)) => merge::merge(&args),
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
    let repo = Repository::discover(Path::new("."))?;
    for mended in armistice_git::mend(&repo)? {
        eprintln!("{mended}");
    }
    Ok(repo)
}
