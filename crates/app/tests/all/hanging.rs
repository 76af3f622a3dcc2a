//! A git that hangs, or leaves somebody behind, holds neither the screens nor the commands.

use crate::kit::{Repo, Tmux, merged, plain_environment};
use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::path::Path;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

/// What a person takes for "at once" on a machine that is busy with other tests: the program itself
/// allows git 1.6 seconds.
const SOON: Duration = Duration::from_secs(20);

/// A program in front of git that hangs at calls with this word while the file `hang` is there.
fn hanging_git(repo: &Repo, word: &str) -> String {
    let folder = repo.dir.path().join("bin");
    fs::create_dir_all(&folder).unwrap();
    let real = Command::new("sh")
        .args(["-c", "command -v git"])
        .output()
        .unwrap();
    let real = String::from_utf8(real.stdout).unwrap();
    let hang = repo.dir.path().join("hang");
    let script = format!(
        "#!/bin/sh\nfor word; do while test \"$word\" = {word} && test -e '{}'; do sleep 0.05; done; done\nexec {} \"$@\"\n",
        hang.display(),
        real.trim()
    );
    executable(&folder.join("git"), &script);
    fs::write(hang, "").unwrap();
    let path = std::env::var("PATH").unwrap();
    format!("{}:{path}", folder.display())
}

fn executable(file: &Path, script: &str) {
    fs::create_dir_all(file.parent().unwrap()).unwrap();
    fs::write(file, script).unwrap();
    fs::set_permissions(file, fs::Permissions::from_mode(0o755)).unwrap();
}

#[test]
fn q_ctrl_c_and_term_end_the_program_while_git_hangs() {
    for (word, keys) in [
        ("check-attr", "q"),
        ("check-attr", "C-c"),
        ("check-attr", "TERM"),
        ("update-index", "q"),
    ] {
        let repo = merged();
        let path = hanging_git(&repo, word);
        let path = format!("'{path}'");
        let t = Tmux::start(&repo.top, (100, 30), "", &[("PATH", &path)]);
        t.wait("a.txt");
        if word == "update-index" {
            t.wait("1 open");
            t.keys("Enter t w").wait("writing a.txt");
        }
        let started = Instant::now();
        match keys {
            "TERM" => drop(t.signal("-TERM")),
            keys => drop(t.keys(keys)),
        }
        t.wait("EXIT ");
        assert!(
            started.elapsed() < SOON,
            "{word} {keys}: {:?}",
            started.elapsed()
        );
        fs::remove_file(repo.dir.path().join("hang")).unwrap();
        assert_eq!(
            repo.unmerged().lines().count(),
            3,
            "{word} {keys}: nothing was changed"
        );
        assert!(repo.read("a.txt").contains("<<<<<<<"));
    }
}

#[test]
fn a_git_that_hangs_before_there_is_anything_to_see_is_left_by_a_key() {
    for (word, keys) in [
        ("rev-parse", "q"),
        ("ls-files", "C-c"),
        ("rev-parse", "TERM"),
        ("cat-file", "q"),
    ] {
        let repo = merged();
        let path = hanging_git(&repo, word);
        let path = format!("'{path}'");
        let t = Tmux::start(&repo.top, (80, 24), "", &[("PATH", &path)]);
        let shown = t.wait("reading the repository");
        assert!(shown.contains("q leaves"), "{shown}");
        let started = Instant::now();
        match keys {
            "TERM" => drop(t.signal("-TERM")),
            keys => drop(t.keys(keys)),
        }
        t.wait("EXIT 0");
        assert!(started.elapsed() < SOON, "{word} {keys}");
        assert_nobody_hangs(&repo);
    }
}

#[test]
fn a_repository_that_is_slow_to_read_opens_and_keeps_what_was_typed() {
    let repo = merged();
    let done = repo.run(&["settle", "a.txt", "--by", "ours"]);
    assert!(done.status.success(), "{done:?}");
    let path = hanging_git(&repo, "rev-parse");
    let path = format!("'{path}'");
    let t = Tmux::start(&repo.top, (80, 24), "", &[("PATH", &path)]);
    t.wait("reading the repository");
    t.resize(100, 30).keys("6");
    fs::remove_file(repo.dir.path().join("hang")).unwrap();
    let shown = t.wait("all settled, not yet concluded");
    assert!(shown.contains("Accord"), "{shown}");
    t.keys("q").wait("EXIT 0");
}

#[test]
fn q_once_leaves_while_git_concludes() {
    let repo = merged();
    executable(
        &repo.path(".git/hooks/pre-commit"),
        "#!/bin/sh\nexec sleep 300\n",
    );
    let t = Tmux::start(&repo.top, (100, 30), "", &[]);
    t.wait("1 open");
    t.keys("Enter t w").wait("written and staged");
    t.keys("6").wait("all settled, not yet concluded");
    t.keys("c").wait("concluding");
    let started = Instant::now();
    t.keys("q")
        .wait("was stopped; 'armistice' shows the current state");
    t.wait("EXIT 0");
    assert!(started.elapsed() < SOON);
    assert!(
        repo.path(".git/MERGE_HEAD").exists(),
        "nothing was committed"
    );
    assert!(!repo.path(".git/index.lock").exists());
    assert_nobody_hangs(&repo);
}

/// What still runs in the repository of a git that hangs or of a hook that sleeps.
fn hanging(repo: &Repo) -> Vec<String> {
    let found = Command::new("pgrep")
        .args(["-f", "sleep 300|/bin/git"])
        .output()
        .unwrap();
    let found = String::from_utf8(found.stdout).unwrap();
    let here = |pid: &&str| {
        fs::read_link(format!("/proc/{pid}/cwd")).is_ok_and(|cwd| cwd.starts_with(repo.dir.path()))
    };
    found.lines().filter(here).map(str::to_owned).collect()
}

fn assert_nobody_hangs(repo: &Repo) {
    let left = hanging(repo);
    assert!(left.is_empty(), "left behind: {left:?}");
}

#[test]
fn a_command_that_is_told_to_end_takes_its_git_along() {
    let repo = merged();
    let hook = repo.path(".git/hooks/pre-commit");
    executable(&hook, "#!/bin/sh\necho $$ >hook-runs\nexec sleep 300\n");
    assert!(
        repo.run(&["settle", "a.txt", "--by", "ours"])
            .status
            .success()
    );
    let mut command = Command::new(env!("CARGO_BIN_EXE_armistice"));
    plain_environment(&mut command);
    command
        .current_dir(&repo.top)
        .arg("conclude")
        .stderr(Stdio::piped());
    let mut child = command.spawn().unwrap();
    let runs = repo.path("hook-runs");
    while !fs::read_to_string(&runs).is_ok_and(|text| text.ends_with('\n')) {
        std::thread::sleep(Duration::from_millis(10));
    }
    let hook = fs::read_to_string(&runs).unwrap();
    let started = Instant::now();
    let id = child.id().to_string();
    assert!(
        Command::new("kill")
            .args(["-INT", &id])
            .status()
            .unwrap()
            .success()
    );
    let status = child.wait().unwrap();
    assert!(started.elapsed() < SOON);
    assert_eq!(status.code(), Some(2));
    let stat = fs::read_to_string(format!("/proc/{}/stat", hook.trim())).unwrap_or_default();
    assert!(
        stat.is_empty() || stat.contains(") Z "),
        "the hook runs on: {stat}"
    );
    assert!(!repo.path(".git/index.lock").exists());
    assert!(
        repo.path(".git/MERGE_HEAD").exists(),
        "nothing was committed"
    );
}

#[test]
fn a_hook_that_leaves_a_child_behind_does_not_hold_the_screen() {
    let repo = merged();
    executable(
        &repo.path(".git/hooks/post-commit"),
        "#!/bin/sh\nsleep 300 &\necho noted\n",
    );
    let t = Tmux::start(&repo.top, (100, 30), "", &[]);
    t.wait("1 open");
    t.keys("Enter t w").wait("written and staged");
    t.keys("6").wait("all settled, not yet concluded");
    let started = Instant::now();
    t.keys("c").wait("── concluded");
    assert!(started.elapsed() < SOON);
    t.keys("q").wait("EXIT 0");
}

#[test]
fn fifty_megabytes_of_garbage_are_cut_and_can_be_left() {
    const GARBAGE: &str = "yes 'garbage without end' | head -c 50000000";
    // Of a call that only looks.
    let repo = merged();
    let folder = repo.dir.path().join("bin");
    let real = Command::new("sh").args(["-c", "command -v git"]).output();
    let real = String::from_utf8(real.unwrap().stdout).unwrap();
    let script = format!(
        "#!/bin/sh\nfor word; do if test \"$word\" = \"$GARBAGE\"; then {GARBAGE}; {GARBAGE} >&2; exit 1; fi; done\nexec {} \"$@\"\n",
        real.trim()
    );
    executable(&folder.join("git"), &script);
    let path = std::env::var("PATH").unwrap();
    let path = format!("'{}:{path}'", folder.display());
    let env = [("PATH", &*path), ("GARBAGE", "check-attr")];
    let t = Tmux::start(&repo.top, (100, 30), "", &env);
    t.wait("garbage without end");
    let started = Instant::now();
    t.keys("q").wait("EXIT ");
    assert!(started.elapsed() < SOON);
    let (code, said) = {
        let mut command = Command::new(env!("CARGO_BIN_EXE_armistice"));
        plain_environment(&mut command);
        command.current_dir(&repo.top).arg("docket");
        command.env("PATH", path.trim_matches('\''));
        command.env("GARBAGE", "ls-files");
        let ended = command.output().unwrap();
        let said = String::from_utf8_lossy(&ended.stderr).into_owned();
        (ended.status.code(), said)
    };
    assert_eq!(code, Some(2));
    assert!(said.len() < 100_000 && said.contains("characters left out"));
    // Of a hook while the merge is concluded.
    let repo = merged();
    let hook = format!("#!/bin/sh\n{GARBAGE}\nexit 1\n");
    executable(&repo.path(".git/hooks/pre-commit"), &hook);
    let t = Tmux::start(&repo.top, (100, 30), "", &[]);
    t.wait("1 open");
    t.keys("Enter t w").wait("written and staged");
    t.keys("6").wait("all settled, not yet concluded");
    t.keys("c").wait("git or a hook refused");
    t.wait("garbage without end");
    t.keys("Escape").wait("all settled, not yet concluded");
    t.keys("q").wait("EXIT 0");
    assert!(repo.path(".git/MERGE_HEAD").exists());
}
