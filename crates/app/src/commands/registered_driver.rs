//! The merge driver as git's settings hold it: a line for the shell that never leaves a file half merged.
//!
//! git runs the line for each file that both sides changed. If the program is missing, fails, is
//! killed or takes too long, the line itself leaves git's own conflict. Not here: what the program
//! does when the line calls it (`merge`), and who writes the settings (`setup`).

use anyhow::{Context as _, Result, bail};
use armistice_git::{Git, Invocation, Runner};
use std::path::Path;

/// Seconds after which the shell line ends the program and lets git merge the file. The program
/// gives up by itself much earlier: this is for one that is stopped or cannot be read.
const SHELL_LIMIT: u32 = 60;

/// Set while the driver is tried out: settings of the person and of a repository do not count then.
pub(crate) const DRIVER_CHECK: &str = "ARMISTICE_DRIVER_CHECK";

/// What git hands to the program, as earlier versions wrote it.
const FORMER: &[&str] = &[
    "armistice weave --base %O --ours %A --theirs %B --output %A --name %P --marker-size %L",
    "armistice merge --base %O --ours %A --theirs %B --output %A --name %P --marker-size %L",
    "armistice merge --driver --base %O --ours %A --theirs %B --output %A --name %P --marker-size %L",
];

/// What every line that we write contains, whatever the program's path is.
const MARK: &str = " merge --driver --base %O --ours %A --theirs %B --output %A ";

/// A path as one word of the shell.
pub(crate) fn shell_word(path: &Path) -> String {
    format!("'{}'", path.display().to_string().replace('\'', r"'\''"))
}

/// The line that git runs for a file, with the program at `program`.
///
/// git puts in the names of the files, the size of markers (`%L`) and, from 2.44 on, the names of
/// the parties (`%S`, `%X`, `%Y`, quoted); an older git leaves those three as they are.
pub(crate) fn driver_line(program: &Path) -> String {
    let program = shell_word(program).replace('%', "%%");
    format!(
        "set -- %X %S %Y; case $1 in [%]X) set -- ours base theirs;; esac; \
         t='timeout -k 1 {SHELL_LIMIT}'; $t true 2>/dev/null || t=; \
         $t {program}{MARK}--name %P --marker-size %L \
         --label-ours=\"$1\" --label-base=\"$2\" --label-theirs=\"$3\"; s=$?; \
         test $s -le 1 && exit $s; \
         echo armistice: exit status $s, git merges %P >&2; \
         git merge-file -q --marker-size=%L -L \"$1\" -L \"$2\" -L \"$3\" %A %O %B || exit 1"
    )
}

/// Whether a value of `merge.armistice.driver` was written by `setup` of this or an earlier version.
pub(crate) fn is_driver_line(value: &str) -> bool {
    FORMER.contains(&value) || value.contains(MARK)
}

/// How a merge went for which git ran a driver line.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum DriverCheck {
    /// Armistice merged the file.
    Runs,
    /// git found no program and left its own conflict.
    Fallback,
}

const BASE: &str = "let berth = first(free);\nlet tide = table.low();\n";
const OURS: &str = "let berth = last(free);\nlet tide = table.low();\n";
const THEIRS: &str = "let berth = first(free);\nlet tide = table.high();\n";
const BOTH: &str = "let berth = last(free);\nlet tide = table.high();\n";
const CLASH: [&str; 3] = ["one\n", "ours\n", "theirs\n"];

/// Merges two files with `line` as driver, in a repository of its own: one that a rule settles and
/// one that stays in conflict.
///
/// # Errors
/// If git fails there, or leaves something else than a settled file and a conflict with markers.
pub(crate) fn check_driver(line: &str) -> Result<DriverCheck> {
    let folder = tempfile::TempDir::new().context("cannot make a folder for temporary files")?;
    let git = [
        ("GIT_CONFIG_GLOBAL", "/dev/null"),
        ("GIT_CONFIG_NOSYSTEM", "1"),
        ("GIT_AUTHOR_NAME", "Armistice"),
        ("GIT_AUTHOR_EMAIL", "check@armistice.invalid"),
        ("GIT_COMMITTER_NAME", "Armistice"),
        ("GIT_COMMITTER_EMAIL", "check@armistice.invalid"),
        (DRIVER_CHECK, "1"),
    ]
    .into_iter()
    .fold(Runner::new(folder.path()), |git, (key, value)| {
        git.with_env(key, value)
    })
    .outside_of_repositories();
    let run = |args: &[&str]| git.must(&Invocation::write(args.iter()));
    let put = |ruled: &str, clash: &str| -> Result<()> {
        std::fs::write(folder.path().join("ruled.rs"), ruled)?;
        std::fs::write(folder.path().join("clash.txt"), clash)?;
        Ok(())
    };
    run(&["init", "-q", "-b", "ours"])?;
    run(&["config", "merge.armistice.driver", line])?;
    std::fs::write(folder.path().join(".gitattributes"), "* merge=armistice\n")?;
    put(BASE, CLASH[0])?;
    run(&["add", "-A"])?;
    run(&["commit", "-q", "--no-verify", "-m", "base"])?;
    run(&["checkout", "-q", "-b", "theirs"])?;
    put(THEIRS, CLASH[2])?;
    run(&["commit", "-q", "--no-verify", "-a", "-m", "theirs"])?;
    run(&["checkout", "-q", "ours"])?;
    put(OURS, CLASH[1])?;
    run(&["commit", "-q", "--no-verify", "-a", "-m", "ours"])?;
    let merged = git.run(&Invocation::write(["merge", "-q", "theirs"]))?;
    let read = |name: &str| std::fs::read_to_string(folder.path().join(name));
    let (ruled, clash) = (read("ruled.rs")?, read("clash.txt")?);
    let has_markers = |text: &str| text.contains("<<<<<<<") && text.contains(">>>>>>>");
    if merged.ok() || !has_markers(&clash) || !clash.contains("ours") || !clash.contains("theirs") {
        bail!("a conflict was left without markers: {clash:?}");
    }
    match ruled {
        text if text == BOTH => Ok(DriverCheck::Runs),
        text if has_markers(&text) => Ok(DriverCheck::Fallback),
        text => bail!("a file was merged to {text:?}"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_program_that_is_not_there_leaves_gits_own_conflict() {
        for program in ["/no/such program", "/no/it's %O here", "/bin/false/x"] {
            let found = check_driver(&driver_line(Path::new(program)));
            assert_eq!(found.unwrap(), DriverCheck::Fallback, "{program}");
        }
    }

    #[test]
    fn what_earlier_versions_wrote_is_known() {
        assert!(FORMER.iter().all(|line| is_driver_line(line)));
        assert!(is_driver_line(&driver_line(Path::new(
            "/usr/bin/armistice"
        ))));
        assert!(!is_driver_line("mine %O %A %B"));
        // The bare name of earlier versions, where git does not find it: ours, without markers.
        let bare = FORMER[2].replace("armistice merge", "no-such-armistice merge");
        let why = check_driver(&bare).unwrap_err().to_string();
        assert!(why.contains("without markers"), "{why}");
    }
}
