//! From parsed arguments to the subcommand that was asked for.

use crate::base::safe_text::count;
use crate::case::service::mended;
use crate::commands::cli::{Cli, Command, DemoKind, MemoryAction};
use crate::commands::exit::Exit;
use crate::commands::output::{complain, raw, say};
use crate::commands::prove_looking::prove_looking;
use crate::commands::screens::screens;
use crate::commands::{
    completions, demo, doctor, drawing, help, loose, memory, merge, plain, proof, review, scout,
    setup,
};
use anyhow::Result;
use armistice_git::{
    Cancel, LeftBehind, Overwrite, Repository, Undertaking, left_behind, undo_interrupted,
};
use std::env;
use std::io::IsTerminal as _;
use std::path::Path;
use std::time::Duration;

/// How long a command has to end after a signal, and git with it.
const PATIENCE: Duration = Duration::from_millis(1500);

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
        None => screens(Path::new("."), None, cli.theme, cli.ascii),
        Some(Command::Demo {
            kind,
            into,
            no_open,
        }) => {
            let kind = match kind {
                DemoKind::Merge => demo::Kind::Merge,
                DemoKind::Rebase => demo::Kind::Rebase,
                DemoKind::Moves => demo::Kind::Moves,
                DemoKind::Structure => demo::Kind::Structure,
            };
            let made = demo::make(into.as_deref(), kind)?;
            if no_open {
                say!("{}", made.display());
                return Ok(Exit::Done);
            }
            let exit = screens(&made, None, cli.theme, cli.ascii);
            complain!(
                "The demo is in {}; remove it when you like.",
                made.display()
            );
            exit
        }
        Some(Command::Scout {
            other,
            undertaking,
            json,
            text,
            settle,
            assume,
        }) => {
            let undertaking = undertaking.map_or(Undertaking::Merge, Undertaking::from);
            if !json && !text && settle.is_none() && std::io::stdout().is_terminal() {
                let asked = Some((other, undertaking));
                return screens(Path::new("."), asked, cli.theme, cli.ascii);
            }
            let repo = here()?;
            let question = scout::question(&repo, other, undertaking, assume.into())?;
            scout::scout(&repo, &question, settle, json)
        }
        Some(Command::Mend { undo }) => mend(undo),
        Some(Command::Docket { json, who }) => plain::docket(&here()?, json, who),
        Some(Command::Settle {
            paths,
            by,
            mode,
            name,
            conflict,
            overwrite,
        }) => {
            let overwrite = if overwrite {
                Overwrite::Yes
            } else {
                Overwrite::No
            };
            let order = plain::SettleOrder {
                by,
                mode,
                name,
                conflict,
                overwrite,
            };
            plain::settle(&here()?, &paths, &order)
        }
        Some(Command::Proof { trust: true, .. }) => proof::trust_checks(&here()?),
        Some(Command::Proof {
            json,
            run,
            given_up,
            new_text,
            ..
        }) => {
            let order = proof::ProofOrder {
                json,
                given_up,
                new_text,
                run: run.as_deref(),
            };
            proof::proof(&here()?, &order)
        }
        Some(Command::Conclude {
            message,
            despite_findings,
            empty,
            remove_backups,
        }) => {
            let order = plain::ConcludeOrder {
                message: message.as_deref(),
                despite_findings,
                empty,
                remove_backups,
            };
            plain::conclude(&here()?, &order)
        }
        Some(Command::Review(args)) => review::review(&here()?, &args),
        Some(Command::Merge(args)) => merge::merge(&args),
        Some(Command::Files(args)) => loose::files(&args, cli.theme, cli.ascii),
        Some(Command::Open { file }) => loose::open(&file, cli.theme, cli.ascii),
        Some(Command::Setup(args)) => setup::setup(&args),
        Some(Command::Memory {
            action: Some(MemoryAction::Learn { since }),
            ..
        }) => memory::learn(&here()?, since.as_deref()),
        Some(Command::Memory {
            action: None,
            json,
            forget,
            forget_all,
        }) => memory::memory(&here()?, json, forget, forget_all),
        Some(Command::Record {
            commit,
            json,
            output,
        }) => drawing::record(&here()?, commit.as_deref(), json, output.as_deref()),
        Some(Command::Draw {
            picture,
            with,
            output,
        }) => drawing::draw(&here()?, picture, with.as_deref(), &output),
        Some(Command::Completions { shell }) => {
            raw(&completions::script(shell));
            Ok(Exit::Done)
        }
        Some(Command::Help { topic }) => help::help(topic.as_deref()),
        Some(Command::Doctor { prove: true }) => {
            stop_on_signals()?;
            prove_looking(&Repository::discover(Path::new("."))?)
        }
        Some(Command::Doctor { prove: false }) => doctor::doctor(),
        Some(Command::Man { into }) => help::man(into.as_deref()),
    }
}

/// The repository that this folder is in, for commands without a screen.
fn here() -> Result<Repository> {
    stop_on_signals()?;
    let repo = Repository::discover(Path::new("."))?;
    for mended in mended(&repo)? {
        complain!("{mended}");
    }
    Ok(repo)
}

/// Finishes or undoes what a killed program had begun, and says what it was.
fn mend(undo: bool) -> Result<Exit> {
    stop_on_signals()?;
    let repo = Repository::discover(Path::new("."))?;
    let mut said = mended(&repo)?;
    let torn = matches!(left_behind(&repo)?, Some(LeftBehind::Torn(_)));
    if torn && undo {
        let files = undo_interrupted(&repo)?;
        said = vec![format!(
            "undone: {} restored; copies are in the git folder",
            count(files, "file")
        )];
    }
    match said.is_empty() {
        true => say!("nothing was interrupted"),
        false => said.iter().for_each(|line| say!("{line}")),
    }
    Ok(match torn && !undo {
        true => Exit::Open,
        false => Exit::Done,
    })
}

/// Ends every git that runs when the command is asked to end: it has a group of its own, which
/// ctrl-c does not reach. What git was doing is then refused as any other failure.
fn stop_on_signals() -> Result<()> {
    use signal_hook::consts::{SIGHUP, SIGINT, SIGTERM};
    let mut signals = signal_hook::iterator::Signals::new([SIGTERM, SIGHUP, SIGINT])?;
    std::thread::spawn(move || {
        if let Some(signal) = signals.forever().next() {
            Cancel::everything();
            std::thread::sleep(PATIENCE);
            std::process::exit(128 + signal);
        }
    });
    Ok(())
}
