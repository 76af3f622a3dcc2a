//! `doctor`: what this program finds around it, what of that matters, and what it would change.

use crate::base::settings::Settings;
use crate::commands::exit::Exit;
use crate::commands::output::say;
use crate::commands::registered_driver::{DriverCheck, check_driver};
use anyhow::Result;
use armistice_git::{Git, Invocation, Repository, Runner, cut_short};
use std::env;
use std::path::Path;

/// The git that merges in memory with a base that is named.
const NEEDED: (u32, u32) = (2, 40);

/// One thing that was looked at.
struct Found {
    is_well: bool,
    what: String,
}

fn well(what: String) -> Found {
    Found {
        is_well: true,
        what,
    }
}

fn trouble(what: String) -> Found {
    Found {
        is_well: false,
        what,
    }
}

/// Looks around, changes nothing, and says what matters.
pub(crate) fn doctor() -> Result<Exit> {
    let here = Path::new(".");
    let git = Runner::new(here);
    let mut all = vec![well(format!("armistice {}", env!("CARGO_PKG_VERSION")))];
    all.push(git_version(&git));
    all.push(terminal());
    all.push(settings());
    match Repository::discover(here) {
        Ok(repo) => {
            all.push(well(format!(
                "a repository: {}",
                repo.work_tree().display()
            )));
            all.extend(cut_short(&repo).into_iter().map(|what| {
                trouble(format!(
                    "{what}; any other command, or 'armistice mend', mends it"
                ))
            }));
        }
        Err(why) => all.push(well(format!("no repository here ({why})"))),
    }
    all.extend(of_git(&git));
    for found in &all {
        say!("{}{}", if found.is_well { "  " } else { "! " }, found.what);
    }
    say!("");
    say!(
        "Armistice changes git's settings only when you ask: 'armistice setup --dry-run' shows the changes, 'armistice setup --remove' undoes them."
    );
    Ok(match all.iter().all(|found| found.is_well) {
        true => Exit::Done,
        false => Exit::Open,
    })
}

/// The merge driver, tried out on a conflict in a repository of its own.
fn driver(line: Option<&str>) -> Found {
    let Some(line) = line else {
        return well(
            "merge.armistice.driver: not set · git merges without rules; 'armistice setup --driver' registers Armistice as merge driver"
                .to_owned(),
        );
    };
    let again = "run 'armistice setup --driver' again";
    match check_driver(line) {
        Ok(DriverCheck::Runs) => well(
            "merge.armistice.driver: set · tried on a conflict: rules settle while git merges"
                .to_owned(),
        ),
        Ok(DriverCheck::Fallback) => trouble(format!(
            "merge.armistice.driver: git could not run the program and merged without it; {again}"
        )),
        Err(why) => trouble(format!(
            "merge.armistice.driver: tried on a conflict, and it does not work ({why:#}); {again}"
        )),
    }
}

fn git_version(git: &Runner) -> Found {
    let said = match git.run(&Invocation::read(["version"])) {
        Ok(output) => output.text(),
        Err(why) => return trouble(why.to_string()),
    };
    let numbers = said.split_whitespace().nth(2).unwrap_or_default();
    let mut parts = numbers
        .split('.')
        .map(|part| part.parse::<u32>().unwrap_or(0));
    let version = (parts.next().unwrap_or(0), parts.next().unwrap_or(0));
    match version >= NEEDED {
        true => well(said),
        false => trouble(format!(
            "{said}: Scout needs git {}.{} or newer",
            NEEDED.0, NEEDED.1
        )),
    }
}

fn terminal() -> Found {
    let variable = |name: &str| env::var(name).unwrap_or_default();
    let (term, colours) = (variable("TERM"), variable("COLORTERM"));
    let locale = ["LC_ALL", "LC_CTYPE", "LANG"]
        .into_iter()
        .map(variable)
        .find(|value| !value.is_empty())
        .unwrap_or_else(|| "none set".to_owned());
    let colours = match colours.as_str() {
        "" => "256 or fewer colours".to_owned(),
        some => format!("{some} colours"),
    };
    let text = format!("terminal: TERM={term}, {colours}, locale {locale}");
    match term.as_str() {
        "" | "dumb" => trouble(format!(
            "{text}: the screens need a terminal that can move its cursor"
        )),
        _ => well(text),
    }
}

fn settings() -> Found {
    let file = Settings::file().map_or("nowhere".to_owned(), |file| file.display().to_string());
    match Settings::read() {
        Ok(read) if read == Settings::default() => well(format!(
            "settings: defaults ('armistice setup --config' writes {file})"
        )),
        Ok(_) => well(format!("settings: read from {file}")),
        Err(why) => trouble(format!("settings: {why:#}")),
    }
}

/// Settings of git that matter while merging.
fn of_git(git: &Runner) -> Vec<Found> {
    let value = |key: &str| {
        let output = git.run(&Invocation::read(["config", "--get", key])).ok()?;
        output.ok().then(|| output.text())
    };
    let told = |key: &str, means: &dyn Fn(Option<&str>) -> &'static str| {
        let set = value(key);
        let shown = set.as_deref().unwrap_or("not set");
        well(format!("{key}: {shown} · {}", means(set.as_deref())))
    };
    let mut all = vec![
        told(
            "merge.conflictStyle",
            &|_| "any style works: versions are read from git, not from markers",
        ),
        told("rerere.enabled", &|set| match set {
            Some("true") => {
                "git replays recorded resolutions; files it resolves are shown as staged by another program"
            }
            _ => "not needed: Armistice has its own memory ('armistice memory')",
        }),
        told("merge.tool", &|set| match set {
            Some("armistice") => "git mergetool calls Armistice",
            _ => "git mergetool calls another program, or asks",
        }),
        told("mergetool.armistice.cmd", &|set| match set {
            Some(_) => "known to git mergetool",
            None => "unknown to git mergetool; 'armistice setup' changes that",
        }),
        driver(value("merge.armistice.driver").as_deref()),
        told(
            "core.editor",
            &|_| "E on a file hands it over to your editor",
        ),
    ];
    if value("commit.gpgsign").as_deref() == Some("true") {
        all.push(well(
            "commit.gpgsign: true · concluding may need a passphrase; keep it in an agent"
                .to_owned(),
        ));
    }
    all
}
