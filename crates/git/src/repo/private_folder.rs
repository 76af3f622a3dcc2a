//! A git folder of our own over the objects of a repository: for calls that must write somewhere,
//! and must change nothing.
//!
//! It has its own index, configuration and references, and no hooks. Objects are read from the
//! repository as from an alternate, and written into the folder. Settings are those that git sees in
//! the repository, without the ones that would make git do anything besides what it is asked to.

use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::repository::{Repository, Settings};
use std::fs;
use std::path::{Path, PathBuf};

/// Settings that are left out, by the beginning of their names.
const LEFT_OUT: [&str; 17] = [
    "alias.",
    "core.bare",
    "core.fsmonitor",
    "core.hookspath",
    "core.repositoryformatversion",
    "core.sharedrepository",
    "core.sparsecheckout",
    "core.splitindex",
    "core.untrackedcache",
    "core.worktree",
    "extensions.refstorage",
    "extensions.worktreeconfig",
    "gc.",
    "include",
    "index.",
    "maintenance.",
    "splitindex.",
];

/// Settings of our own: nothing runs besides what is asked for, and the index is one file.
const OUR_OWN: &str = "[core]\n\trepositoryFormatVersion = 1\n\tbare = false\n\thooksPath = /dev/null\n\tfsmonitor = false\n\tsplitIndex = false\n\tuntrackedCache = false\n\tlogAllRefUpdates = false\n[gc]\n\tauto = 0\n[maintenance]\n\tauto = false\n";

/// Files that git reads beside the configuration.
const COPIED: [&str; 4] = ["shallow", "info/attributes", "info/exclude", "info/grafts"];

/// Makes the git folder.
///
/// # Errors
/// If git fails, or the folder cannot be written.
pub(crate) fn make_private_folder(repo: &Repository, folder: &Path) -> Result<(), Error> {
    let make = |path: PathBuf| fs::create_dir_all(&path).map_err(Error::file("create", path));
    for name in ["objects", "refs/heads", "info"] {
        make(folder.join(name))?;
    }
    let write = |name: &str, bytes: &[u8]| {
        let file = folder.join(name);
        fs::write(&file, bytes).map_err(Error::file("write", file))
    };
    let settings = repo.settings()?;
    let mut config = OUR_OWN.as_bytes().to_vec();
    config.extend(written(&settings));
    write("config", &config)?;
    let head = match repo.resolve("HEAD")? {
        Some(oid) => format!("{oid}\n"),
        None => "ref: refs/heads/unborn\n".to_owned(),
    };
    write("HEAD", head.as_bytes())?;
    for name in COPIED {
        if let Ok(bytes) = fs::read(repo.common_dir().join(name)) {
            write(name, &bytes)?;
        }
    }
    replacements(repo, folder)
}

/// Objects that stand for others, as `git replace` made them.
fn replacements(repo: &Repository, folder: &Path) -> Result<(), Error> {
    if !repo.may_have_ref("refs/replace") {
        return Ok(());
    }
    let call = Invocation::read([
        "for-each-ref",
        "--format=%(refname) %(objectname)",
        "refs/replace/",
    ]);
    let listed = repo.must(&call)?.text();
    for (name, oid) in listed.lines().filter_map(|line| line.split_once(' ')) {
        let file = folder.join(name);
        if let Some(parent) = file.parent() {
            fs::create_dir_all(parent).map_err(Error::file("create", parent))?;
        }
        fs::write(&file, format!("{oid}\n")).map_err(Error::file("write", &file))?;
    }
    Ok(())
}

/// Settings as a configuration file has them.
fn written(settings: &Settings) -> Vec<u8> {
    let mut out = Vec::new();
    let kept = settings
        .iter()
        .filter(|(key, _)| !LEFT_OUT.iter().any(|name| key.starts_with(name)));
    for (key, value) in kept {
        let Some((section, rest)) = key.split_once('.') else {
            continue;
        };
        let line = match rest.rsplit_once('.') {
            Some((sub, _)) => format!("[{section} \"{}\"]\n", escaped(sub)),
            None => format!("[{section}]\n"),
        };
        let name = rest.rsplit_once('.').map_or(rest, |(_, name)| name);
        out.extend(line.into_bytes());
        let line = match value {
            Some(value) => format!("\t{name} = \"{}\"\n", escaped(value)),
            // A name alone means yes.
            None => format!("\t{name}\n"),
        };
        out.extend(line.into_bytes());
    }
    out
}

fn escaped(text: &str) -> String {
    let text = text.replace('\\', "\\\\").replace('"', "\\\"");
    text.replace('\n', "\\n").replace('\t', "\\t")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn settings_are_read_back_as_they_were() {
        let all = [
            ("merge.renames", Some("true")),
            ("merge.my driver.driver", Some("x \"%A\" \\ a;b # c\n\td ")),
            ("branch.a.b/c.mergeoptions", Some("-X ours")),
            ("core.bare", Some("true")),
            ("alias.x", Some("y")),
            ("rerere.enabled", None),
        ];
        let owned =
            |(key, value): &(&str, Option<&str>)| ((*key).to_owned(), value.map(str::to_owned));
        let settings: Vec<_> = all.iter().map(owned).collect();
        let folder = tempfile::TempDir::new().unwrap();
        let file = folder.path().join("config");
        fs::write(&file, written(&settings)).unwrap();
        let read = |key: &str| {
            let mut command = std::process::Command::new("git");
            command
                .args(["config", "-f"])
                .arg(&file)
                .args(["--get", key]);
            let output = command.output().unwrap();
            let text = String::from_utf8(output.stdout).unwrap();
            output
                .status
                .success()
                .then(|| text.strip_suffix('\n').unwrap().to_owned())
        };
        for (key, value) in all {
            let wanted = match key {
                "core.bare" | "alias.x" => None,
                "rerere.enabled" => Some(String::new()),
                _ => value.map(str::to_owned),
            };
            assert_eq!(read(key), wanted, "{key}");
        }
    }
}
