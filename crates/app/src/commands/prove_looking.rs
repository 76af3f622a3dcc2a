//! `doctor --prove`: looks at everything that the screens look at, and compares every file of the
//! repository before and after.

use crate::case::foresee::{Foreseer, Question};
use crate::case::propose::RuleSettings;
use crate::case::service::CaseService;
use crate::case::trust::settings_of;
use crate::commands::exit::Exit;
use crate::commands::output::say;
use anyhow::Result;
use armistice_git::{
    Cancel, CheckSteps, Repository, Situation, TreeState, Undertaking, counterparts, log,
    marker_files,
};
use std::collections::{BTreeMap, BTreeSet};
use std::hash::{DefaultHasher, Hasher as _};
use std::os::unix::ffi::OsStrExt as _;
use std::os::unix::fs::MetadataExt as _;
use std::path::{Path, PathBuf};

/// What is compared of one file, link or folder.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Entry {
    mode: u32,
    inode: u64,
    modified: (i64, i64),
    /// Hash of its bytes, or of the target of a link.
    contents: u64,
}

fn entry(path: &Path) -> Option<Entry> {
    let meta = path.symlink_metadata().ok()?;
    let mut hasher = DefaultHasher::new();
    if meta.is_file() {
        hasher.write(&std::fs::read(path).unwrap_or_default());
    } else if meta.is_symlink() {
        let target = std::fs::read_link(path).unwrap_or_default();
        hasher.write(target.as_os_str().as_bytes());
    }
    Some(Entry {
        mode: meta.mode(),
        inode: meta.ino(),
        modified: (meta.mtime(), meta.mtime_nsec()),
        contents: hasher.finish(),
    })
}

/// Everything below some folders; links are not followed.
fn everything(folders: &BTreeSet<PathBuf>) -> BTreeMap<PathBuf, Entry> {
    let mut all = BTreeMap::new();
    let mut left: Vec<PathBuf> = folders.iter().cloned().collect();
    while let Some(path) = left.pop() {
        if all.contains_key(&path) {
            continue;
        }
        let Some(found) = entry(&path) else { continue };
        all.insert(path.clone(), found);
        if path.is_dir() && !path.is_symlink() {
            let inside = std::fs::read_dir(&path).into_iter().flatten().flatten();
            left.extend(inside.map(|entry| entry.path()));
        }
    }
    all
}

/// The folders in which git keeps something of this repository: working tree, git folders, and the
/// stores of objects that it reads from.
fn folders_of(repo: &Repository) -> BTreeSet<PathBuf> {
    let own = [repo.work_tree(), repo.git_dir(), repo.common_dir()];
    let mut folders: BTreeSet<PathBuf> = own.into_iter().map(Path::to_owned).collect();
    let mut stores = vec![repo.common_dir().join("objects")];
    while let Some(store) = stores.pop() {
        let listed = std::fs::read_to_string(store.join("info/alternates")).unwrap_or_default();
        for line in listed.lines().filter(|line| !line.is_empty()) {
            let other = store.join(line);
            if folders.insert(other.clone()) {
                stores.push(other);
            }
        }
    }
    folders
}

/// Does all that the screens do to look, and says what came of each.
fn look(repo: &Repository) -> Result<Vec<String>> {
    let service = CaseService::new(repo.clone());
    let situation = service.situation()?;
    let rules = RuleSettings::new(&situation, &settings_of(repo)?);
    let mut said = Vec::new();
    let mut done = |what: &str, result: Result<(), armistice_git::Error>| {
        said.push(match result {
            Ok(()) => format!("  {what}"),
            Err(why) => format!("  {what}: {why}"),
        });
    };
    let loads = service.load(&situation.cases, &rules);
    done(
        &format!("Docket and Parley: {} conflicted files", loads.len()),
        Ok(()),
    );
    done("Terrain: declarations", service.terrain().map(drop));
    done(
        "Proof: all checks but the project's own commands",
        service.prove(CheckSteps::All).map(drop),
    );
    done("Accord: the log", log(repo, 50).map(drop));
    if situation.is_idle() {
        done(
            "markers with no operation in progress",
            marker_files(repo).map(drop),
        );
        done("Scout: the working tree", TreeState::read(repo).map(drop));
        said.extend(foresee(repo, &situation, &rules));
    }
    Ok(said)
}

/// Foresees a merge and a rebase with the most likely counterpart.
fn foresee(repo: &Repository, situation: &Situation, rules: &RuleSettings) -> Vec<String> {
    let found = match counterparts(repo) {
        Ok(found) => found,
        Err(why) => return vec![format!("  Scout: branches: {why}")],
    };
    let Some(other) = found
        .into_iter()
        .next()
        .filter(|_| situation.mark.head.is_some())
    else {
        return vec!["  Scout: there is no other branch or commit".to_owned()];
    };
    let cancel = Cancel::default();
    let foreseer = Foreseer {
        repo,
        now: Some(situation),
        rules,
        cancel: &cancel,
        tell: &|_| {},
    };
    let one = |undertaking: Undertaking| {
        let question = Question::new(undertaking, other.name.clone());
        let what = format!("  Scout: {} with {}", undertaking.name(), other.name);
        match foreseer.look(&question) {
            Ok(_) => what,
            Err(why) => format!("{what}: {why}"),
        }
    };
    [Undertaking::Merge, Undertaking::Rebase].map(one).to_vec()
}

/// Looks, compares, and lists what is not as it was.
pub(crate) fn prove_looking(repo: &Repository) -> Result<Exit> {
    let folders = folders_of(repo);
    let before = everything(&folders);
    let said = look(repo)?;
    let after = everything(&folders);
    say!("looked at:");
    for line in said {
        say!("{line}");
    }
    say!("compared before and after (contents, mode, inode, time of modification), below:");
    for folder in &folders {
        say!("  {}", folder.display());
    }
    let all: BTreeSet<&PathBuf> = before.keys().chain(after.keys()).collect();
    let changed: Vec<&&PathBuf> = (all.iter())
        .filter(|path| before.get(**path) != after.get(**path))
        .collect();
    for path in &changed {
        let what = match (before.get(**path), after.get(**path)) {
            (None, _) => "is new",
            (_, None) => "is gone",
            (Some(before), Some(after)) if before.contents != after.contents => {
                "has other contents"
            }
            _ => "has another mode, inode or time",
        };
        say!("! {} {what}", path.display());
    }
    Ok(match changed.len() {
        0 => {
            say!("{} files and folders: nothing changed", all.len());
            Exit::Done
        }
        n => {
            say!(
                "{n} of {} files and folders changed; another program may have done it",
                all.len()
            );
            Exit::Open
        }
    })
}
