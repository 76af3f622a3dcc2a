//! The harbour office: a made-up repository, made by real git, left in mid-merge
//! or mid-rebase. Dates and people are fixed, so that its commits are always the same.

use crate::commands::{moves, structure};
use anyhow::{Context, Result, bail};
use armistice_git::{Git, Invocation, Runner};
use std::fs;
use std::os::unix::fs::{PermissionsExt, symlink};
use std::path::{Path, PathBuf};

/// What the demo is in the middle of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Kind {
    /// `night-pilotage` merged into `harbour/main`.
    Merge,
    /// `night-pilotage` rebased onto `harbour/main`, in five steps.
    Rebase,
    /// `new-basin` merged into `harbour/main`: files renamed, moved, removed, of other kinds.
    Moves,
    /// `lock-keeping` merged into `harbour/main`: code that moved, and a name that went.
    Structure,
}

macro_rules! file {
    ($path:literal) => {
        (
            $path,
            include_bytes!(concat!("../../demo/base/", $path)).as_slice(),
        )
    };
}

const BASE: &[(&str, &[u8])] = &[
    file!("README.md"),
    file!("assets/crest.png"),
    file!("config/prices.toml"),
    file!("db/schema.sql"),
    file!("docs/handbook.md"),
    file!("scripts/backup.sh"),
    file!("src/moorings.rs"),
    file!("src/quay.rs"),
    file!("src/tide.rs"),
    file!("tools/gauge.py"),
    file!("tools/lamps.py"),
    file!("tools/pilotage.py"),
    file!("web/timetable.html"),
    file!("web/timetable.js"),
];

const MAIN: &[&str] = &[
    include_str!("../../demo/main/0001-Hand-out-berths-from-the-deep-end.patch"),
    include_str!("../../demo/main/0002-Split-the-tide-table-into-quarters-of-an-hour.patch"),
    include_str!("../../demo/main/0003-Post-the-winter-price-list.patch"),
];

const NIGHT: &[&str] = &[
    include_str!("../../demo/night/0001-Add-the-night-surcharge.patch"),
    include_str!("../../demo/night/0002-Keep-a-lit-berth-for-ships-at-night.patch"),
    include_str!("../../demo/night/0003-Price-the-night.patch"),
    include_str!("../../demo/night/0004-Mark-night-calls-on-the-timetable.patch"),
    include_str!("../../demo/night/0005-Prefer-the-lit-berth-at-night.patch"),
];

const FIRST_COMMIT: &str = "2026-10-05T08:00:00+0200";

/// Makes the repository and says where it is: in `into`, which must be empty or
/// not exist, else in a temporary folder that stays.
///
/// # Errors
/// If the folder cannot be used or git fails.
pub fn make(into: Option<&Path>, kind: Kind) -> Result<PathBuf> {
    let folder = match into {
        Some(folder) => claim(folder)?,
        None => tempfile::Builder::new()
            .prefix("armistice-demo-")
            .tempdir()
            .context("cannot create a temporary folder")?
            .keep(),
    };
    let git = git_in(&folder);
    git.must(&Invocation::write(["init", "-q", "-b", "harbour/main"]))?;
    // Whoever tries the demo may have no identity set; and its hooks and signing are not the user's.
    let settings = [
        ("user.name", "Harbour Office"),
        ("user.email", "office@harbour.example"),
        ("commit.gpgSign", "false"),
        ("core.autocrlf", "false"),
        ("core.hooksPath", ".git/hooks"),
        ("merge.conflictStyle", "merge"),
        ("rebase.backend", "merge"),
    ];
    for (key, value) in settings {
        git.must(&Invocation::write(["config", key, value]))?;
    }
    write_base(&folder)?;
    let stop = match kind {
        Kind::Moves => {
            moves::make(&git, &folder)?;
            Invocation::write(["merge", "new-basin"])
        }
        Kind::Structure => {
            structure::make(&git, &folder)?;
            Invocation::write(["merge", "lock-keeping"])
        }
        Kind::Merge | Kind::Rebase => {
            git.must(&Invocation::write(["add", "-A"]))?;
            git.must(&first_commit())?;
            git.must(&Invocation::write(["branch", "night-pilotage"]))?;
            apply(&git, MAIN)?;
            git.must(&Invocation::write(["checkout", "-q", "night-pilotage"]))?;
            apply(&git, NIGHT)?;
            match kind {
                Kind::Rebase => Invocation::write(["rebase", "harbour/main"]),
                _ => {
                    git.must(&Invocation::write(["checkout", "-q", "harbour/main"]))?;
                    Invocation::write(["merge", "night-pilotage"])
                }
            }
        }
    };
    // Stopping with conflicts is what it is for; git exits with 1 then.
    let output = git.run(&stop)?;
    if output.code != Some(1) {
        bail!(
            "the demo's {kind:?} did not stop with conflicts: {}",
            output.message()
        );
    }
    Ok(folder)
}

fn claim(folder: &Path) -> Result<PathBuf> {
    fs::create_dir_all(folder).with_context(|| format!("cannot create '{}'", folder.display()))?;
    let mut inside =
        fs::read_dir(folder).with_context(|| format!("cannot read '{}'", folder.display()))?;
    if inside.next().is_some() {
        bail!(
            "'{}' is not empty; name a folder that is empty or does not exist",
            folder.display()
        );
    }
    Ok(folder.canonicalize()?)
}

/// git without the user's own settings, as somebody of the office.
fn git_in(folder: &Path) -> Runner {
    let mut git = Runner::new(folder);
    for (key, value) in [
        ("GIT_CONFIG_GLOBAL", "/dev/null"),
        ("GIT_CONFIG_NOSYSTEM", "1"),
        ("GIT_COMMITTER_NAME", "Harbour Office"),
        ("GIT_COMMITTER_EMAIL", "office@harbour.example"),
        ("GIT_COMMITTER_DATE", "2026-11-16T09:00:00+0100"),
    ] {
        git = git.with_env(key, value);
    }
    git
}

fn first_commit() -> Invocation {
    Invocation::write([
        "commit",
        "-q",
        "-m",
        "Plan the quay, its tides and its fees",
    ])
    .env("GIT_AUTHOR_NAME", "Ines Brandt")
    .env("GIT_AUTHOR_EMAIL", "ines@harbour.example")
    .env("GIT_AUTHOR_DATE", FIRST_COMMIT)
    .env("GIT_COMMITTER_DATE", FIRST_COMMIT)
}

fn write_base(folder: &Path) -> Result<()> {
    for (path, bytes) in BASE {
        let file = folder.join(path);
        if let Some(parent) = file.parent() {
            fs::create_dir_all(parent)?;
        }
        fs::write(&file, bytes).with_context(|| format!("cannot write '{}'", file.display()))?;
    }
    fs::set_permissions(
        folder.join("scripts/backup.sh"),
        fs::Permissions::from_mode(0o755),
    )?;
    symlink("handbook.md", folder.join("docs/current"))?;
    Ok(())
}

fn apply(git: &Runner, patches: &[&str]) -> Result<()> {
    for patch in patches {
        let call = Invocation::write(["am", "-q", "--committer-date-is-author-date"]);
        git.must(&call.stdin(*patch))?;
    }
    Ok(())
}
