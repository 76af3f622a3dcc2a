//! A merge that is interrupted while git begins it: git goes on when the program is killed; if git dies
//! too, the next start names what is left and goes back to exactly the state before.

use crate::kit::{Repo, Tmux};
use std::fs;
use std::os::unix::fs::PermissionsExt;

/// A repository with changes of the person's own, and a line that clashes and adds files.
fn apart() -> Repo {
    let repo = Repo::new();
    for n in 0..6 {
        repo.write(&format!("file {n}.txt"), "one\ntwo\nthree\n");
    }
    repo.write("mine.txt", "mine\n");
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    for n in 0..6 {
        repo.write(&format!("file {n}.txt"), "one\ntheirs\nthree\n");
    }
    repo.write("folder/new.txt", "new\n");
    repo.commit("theirs");
    repo.git(&["checkout", "-q", "main"]);
    for n in 0..3 {
        repo.write(&format!("file {n}.txt"), "one\nours\nthree\n");
    }
    repo.commit("ours");
    repo.write("mine.txt", "changed\n");
    repo.write("untracked.txt", "untracked\n");
    repo
}

/// A folder with a git in it that does `script` when it is to merge.
fn git_that(repo: &Repo, script: &str) -> String {
    let folder = repo.dir.path().join("bin");
    fs::create_dir(&folder).unwrap();
    let real = String::from_utf8(
        std::process::Command::new("which")
            .arg("git")
            .output()
            .unwrap()
            .stdout,
    )
    .unwrap();
    let text = format!(
        "#!/bin/sh\ngit={}\ncase \"$1\" in merge) {script};; esac\nexec \"$git\" \"$@\"\n",
        real.trim()
    );
    let file = folder.join("git");
    fs::write(&file, text).unwrap();
    fs::set_permissions(&file, fs::Permissions::from_mode(0o755)).unwrap();
    format!("{}:{}", folder.display(), std::env::var("PATH").unwrap())
}

/// Contents of the working tree and what git says of it.
fn state(repo: &Repo) -> (Vec<(String, String)>, String) {
    let listed = repo.git(&["ls-files", "--cached", "--others"]);
    let mut files: Vec<String> = listed
        .lines()
        .map(|line| line.trim_matches('"').to_owned())
        .collect();
    files.sort();
    let read = |name: String| {
        let text = fs::read_to_string(repo.path(&name)).unwrap_or_else(|_| "gone".to_owned());
        (name, text)
    };
    (
        files.into_iter().map(read).collect(),
        repo.git(&["status", "--porcelain=v2", "--branch"]),
    )
}

fn begin(repo: &Repo, path: &str) -> Tmux {
    let tmux = Tmux::start(
        &repo.top,
        (120, 40),
        "scout side",
        &[("PATH", &format!("'{path}'"))],
    );
    tmux.wait("S begin");
    tmux.wait("3 conflicts in 3 files");
    tmux.keys("S").wait("merge side?");
    tmux.keys("Enter");
    tmux
}

#[test]
fn git_goes_on_when_the_program_is_killed_and_the_next_start_says_so() {
    let repo = apart();
    // The program dies while git has not begun to write, and git prints into what nobody reads.
    let path = git_that(&repo, "kill -9 $PPID; sleep 0.3; yes | head -c 200000");
    begin(&repo, &path).wait("EXIT 137");
    let (code, said) = repo.output(&["mend"]);
    assert_eq!(code, 0, "{said}");
    assert!(
        said.contains("'git merge --no-edit side' has begun"),
        "{said}"
    );
    assert!(repo.path(".git/MERGE_HEAD").exists());
    assert_eq!(repo.unmerged().lines().count(), 9);
    assert_eq!(repo.output(&["mend"]).1, "nothing was interrupted\n");
}

#[test]
fn what_a_git_that_died_left_is_named_and_goes_back_to_exactly_the_state_before() {
    for script in [
        // Files with markers, a new file, the old index; then an index that is half changed as well.
        "printf '<<<<<<< HEAD\\nours\\n=======\\ntheirs\\n>>>>>>> side\\n' > 'file 0.txt'; mkdir folder; echo new > folder/new.txt; kill -9 $PPID $$",
        "echo theirs > 'file 4.txt'; \"$git\" add 'file 4.txt'; mkdir folder; echo new > folder/new.txt; \"$git\" add folder; kill -9 $PPID $$",
    ] {
        let repo = apart();
        let before = state(&repo);
        let path = git_that(&repo, script);
        begin(&repo, &path).wait("EXIT 137");
        assert_ne!(state(&repo), before);
        // Every command and the screens say so; nothing is done to it unasked.
        let (_, said) = repo.output(&["docket"]);
        assert!(
            said.contains("'git merge --no-edit side' was interrupted: 2 files changed"),
            "{said}"
        );
        let torn = state(&repo);
        let tmux = Tmux::start(&repo.top, (120, 40), "", &[]);
        tmux.wait("restore the state before it");
        tmux.keys("Escape").wait("nothing was done");
        tmux.keys("q").wait("EXIT 0");
        assert_eq!(state(&repo), torn);
        let copy = repo.copy();
        assert_eq!(copy.output(&["mend"]).0, 1);
        let (code, said) = copy.output(&["mend", "--undo"]);
        assert!(
            code == 0 && said.contains("undone: 2 files restored"),
            "{said}"
        );
        assert_eq!(state(&copy), before);
        // What was there is kept, and nothing is left to mend.
        assert_eq!(
            fs::read_dir(copy.path(".git/armistice/kept"))
                .unwrap()
                .count(),
            2
        );
        assert_eq!(copy.output(&["mend"]).1, "nothing was interrupted\n");
        // The same on the screens.
        let tmux = Tmux::start(&repo.top, (120, 40), "", &[]);
        tmux.wait("restore the state before it");
        tmux.keys("Enter").wait("2 files restored");
        tmux.keys("q").wait("EXIT 0");
        assert_eq!(state(&repo), before);
    }
}

#[test]
fn a_git_that_refuses_and_leaves_changes_is_not_said_to_have_changed_nothing() {
    let repo = apart();
    let path = git_that(&repo, "echo half > 'file 5.txt'; echo refused >&2; exit 1");
    let tmux = begin(&repo, &path);
    let said = tmux.wait("git refused but changed files");
    assert!(said.contains("refused"), "{said}");
    tmux.keys("Escape").keys("q").wait("EXIT 0");
    assert_eq!(repo.output(&["mend", "--undo"]).0, 0);
    assert_eq!(
        repo.read("file 5.txt"),
        "one\ntheirs\nthree\n".replace("theirs", "two")
    );
}
