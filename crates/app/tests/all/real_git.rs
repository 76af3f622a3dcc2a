//! Every way in which git stops with conflicts, and what may go wrong around it.

use crate::kit::{
    BASE, Desk, OURS, Repo, THEIRS, armistice, assert_concluded, conclude, git_in, merged,
};
use armistice_git::{CaseKind, IndexState, Verdict};
use std::fs;
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::PermissionsExt;

/// Two commits on `side` that each clash with `main`.
fn two_steps() -> Repo {
    let repo = Repo::new();
    repo.diverge("a.txt", BASE, OURS, THEIRS);
    repo.git(&["checkout", "-q", "side"]);
    repo.write("a.txt", "one\ntheirs again\nthree\n");
    repo.commit("theirs again");
    repo
}

#[test]
fn a_rebase_goes_through_its_steps_on_both_backends() {
    for backend in ["--merge", "--apply"] {
        let repo = two_steps();
        assert_eq!(
            repo.try_git(&["rebase", backend, "main"]).status.code(),
            Some(1)
        );
        let mut desk = repo.desk();
        assert_eq!(desk.state.situation.ours.label, "onto main", "{backend}");
        assert_eq!(
            desk.state.situation.theirs.label, "your commit 1 of 2",
            "{backend}"
        );
        desk.open("a.txt").press("t w");
        conclude(&mut desk);
        if desk.state.accord.verdict == Some(Verdict::NextStep) {
            assert_eq!(
                desk.state.situation.theirs.label, "your commit 2 of 2",
                "{backend}"
            );
            desk.open("a.txt").press("t w");
            conclude(&mut desk);
        }
        assert_eq!(
            desk.state.accord.verdict,
            Some(Verdict::Concluded),
            "{backend}: {}",
            desk.message()
        );
        assert_eq!(
            repo.read("a.txt"),
            "one\ntheirs again\nthree\n",
            "{backend}"
        );
        assert_eq!(
            repo.git(&["rev-list", "--count", "main..side"]).trim(),
            "2",
            "{backend}"
        );
    }
}

#[test]
fn a_step_settled_by_ours_and_one_skipped() {
    let repo = two_steps();
    repo.try_git(&["rebase", "main"]);
    let mut desk = repo.desk();
    desk.press("6 s");
    assert!(desk.shows().contains("Skip this step?"));
    desk.press("enter");
    assert_eq!(desk.state.accord.verdict, Some(Verdict::NextStep));
    desk.open("a.txt").press("b");
    assert_eq!(desk.state.totals().0.open, 0);
    desk.press("w 6 c");
    assert_concluded(&desk);
    assert_eq!(repo.read("a.txt"), THEIRS);
}

#[test]
fn a_rebase_message_can_be_edited() {
    let repo = two_steps();
    repo.try_git(&["rebase", "main"]);
    let mut desk = repo.desk();
    desk.open("a.txt")
        .press("t w 6 e ctrl-a")
        .type_text("It's a new subject")
        .press("esc c");
    assert_eq!(
        repo.git(&["log", "--format=%s", "-1", "HEAD~1"]).trim(),
        "It's a new subject"
    );
}

#[test]
fn backing_out_of_a_rebase_restores_the_branch_and_keeps_copies() {
    let repo = two_steps();
    let before = repo.git(&["rev-parse", "side"]);
    repo.try_git(&["rebase", "main"]);
    let mut desk = repo.desk();
    desk.open("a.txt").press("o 6 B");
    assert!(desk.shows().contains("You made 1 decision"));
    desk.press("esc");
    assert!(repo.path(".git/rebase-merge").exists(), "esc does nothing");
    desk.press("B enter");
    assert_eq!(desk.state.accord.verdict, Some(Verdict::BackedOut));
    assert_eq!(repo.git(&["rev-parse", "HEAD"]), before);
    assert_eq!(
        fs::read_dir(repo.path(".git/armistice/kept"))
            .unwrap()
            .count(),
        1
    );
}

#[test]
fn cherry_pick_and_revert_conclude() {
    let repo = Repo::new();
    repo.diverge("a.txt", BASE, OURS, THEIRS);
    repo.try_git(&["cherry-pick", "side"]);
    let mut desk = repo.desk();
    assert_eq!(desk.state.situation.theirs.label, "the picked commit");
    desk.open("a.txt").press("A w");
    conclude(&mut desk);
    assert_concluded(&desk);
    assert_eq!(repo.git(&["log", "-1", "--format=%s"]).trim(), "theirs");
    assert_eq!(repo.read("a.txt"), "one\ntheirs\nours\nthree\n");

    repo.try_git(&["revert", "--no-edit", "HEAD~1"]);
    let mut desk = repo.desk();
    assert!(desk.state.situation.theirs.label.starts_with("without "));
    desk.open("a.txt").press("o w");
    desk.press("6 c");
    // Taking ours everywhere leaves nothing to commit.
    assert!(
        desk.shows().contains("This step became empty"),
        "{}",
        desk.shows()
    );
    desk.press("esc");
    repo.try_git(&["revert", "--abort"]);
    repo.write("a.txt", "one\nlast\nthree\n");
    repo.commit("last");
    repo.try_git(&["revert", "--no-edit", "HEAD~1"]);
    let mut desk = repo.desk();
    desk.open("a.txt").press("t w 6 c");
    assert_concluded(&desk);
    assert!(
        repo.git(&["log", "-1", "--format=%s"])
            .starts_with("Revert ")
    );
}

#[test]
fn a_stash_pop_is_told_as_what_it_is() {
    let repo = Repo::new();
    repo.write("a.txt", BASE);
    repo.commit("base");
    repo.write("a.txt", THEIRS);
    repo.git(&["stash"]);
    repo.write("a.txt", OURS);
    repo.commit("ours");
    assert_eq!(repo.try_git(&["stash", "pop"]).status.code(), Some(1));
    let mut desk = repo.desk();
    assert_eq!(desk.state.situation.operation.name(), "no operation");
    desk.open("a.txt").press("t w");
    assert_eq!(repo.unmerged(), "");
    assert_eq!(repo.read("a.txt"), THEIRS);
    desk.press("6 c");
    assert!(
        desk.message().contains("commit when you like"),
        "{}",
        desk.message()
    );
    let again = repo.desk();
    assert_eq!(again.state.files.len(), 1, "it can still be taken back");
    assert_eq!(again.state.files[0].case.standing, IndexState::Staged);
    repo.commit("settled");
    assert!(
        repo.desk().state.situation.is_idle(),
        "once committed it is over"
    );
}

#[test]
fn a_linked_work_tree_has_its_own_conflicts_and_journal() {
    let repo = Repo::new();
    repo.diverge("a.txt", BASE, OURS, THEIRS);
    let linked = repo.dir.path().join("linked tree");
    repo.git(&[
        "worktree",
        "add",
        "-q",
        "-b",
        "other",
        linked.to_str().unwrap(),
        "main",
    ]);
    git_in(&linked, &["merge", "side"]);
    let mut desk = Desk::new(&linked, (100, 30));
    desk.open("a.txt").press("t w 6 c");
    assert_concluded(&desk);
    assert_eq!(fs::read_to_string(linked.join("a.txt")).unwrap(), THEIRS);
    assert!(repo.desk().state.situation.is_idle());
    let own = git_in(&linked, &["rev-parse", "--absolute-git-dir"]).stdout;
    let own = String::from_utf8(own).unwrap();
    assert!(own.contains("/.git/worktrees/"), "{own}");
    assert!(
        std::path::Path::new(own.trim())
            .join("armistice/concluded")
            .exists()
    );
}

#[test]
fn git_dir_may_be_given_by_the_environment() {
    let repo = merged();
    fs::create_dir(repo.path("sub")).unwrap();
    let output = std::process::Command::new(env!("CARGO_BIN_EXE_armistice"))
        .current_dir(repo.path("sub"))
        .env("GIT_DIR", "../.git")
        .env("GIT_WORK_TREE", "..")
        .args(["settle", "../a.txt", "--by", "theirs"])
        .output()
        .unwrap();
    assert!(output.status.success(), "{output:?}");
    assert_eq!(
        (repo.read("a.txt").as_str(), repo.unmerged().as_str()),
        (THEIRS, "")
    );
}

#[test]
fn a_sha_256_repository_works() {
    let repo = Repo::with(&["--object-format=sha256"]);
    repo.diverge("a.txt", BASE, OURS, THEIRS);
    repo.try_git(&["merge", "side"]);
    let mut desk = repo.desk();
    desk.open("a.txt").press("a w");
    assert_eq!(repo.unmerged(), "");
    desk.press("2 u");
    assert_eq!(repo.unmerged().lines().count(), 3, "{}", desk.message());
    desk.press("w 6 c");
    assert_concluded(&desk);
    assert_eq!(repo.read("a.txt"), "one\nours\ntheirs\nthree\n");
}

#[test]
fn paths_are_bytes() {
    let names: [&[u8]; 5] = [
        b"with space and 'quotes\".txt",
        "größe ⚓.txt".as_bytes(),
        b"new\nline.txt",
        b"-leading:dash*.txt",
        b"not \xff utf-8.txt",
    ];
    for bytes in names {
        let name = std::ffi::OsStr::from_bytes(bytes);
        let repo = Repo::new();
        let file = repo.top.join("a folder").join(name);
        fs::create_dir_all(file.parent().unwrap()).unwrap();
        let put = |text: &str, message: &str| {
            fs::write(&file, text).unwrap();
            repo.commit(message);
        };
        put(BASE, "base");
        repo.git(&["checkout", "-q", "-b", "side"]);
        put(THEIRS, "theirs");
        repo.git(&["checkout", "-q", "main"]);
        put(OURS, "ours");
        repo.try_git(&["merge", "side"]);
        let mut desk = repo.desk();
        desk.press("enter t w");
        assert_eq!(
            fs::read_to_string(&file).unwrap(),
            THEIRS,
            "{name:?}: {}",
            desk.message()
        );
        assert_eq!(repo.unmerged(), "", "{name:?}");
        desk.press("2 u");
        assert!(
            fs::read_to_string(&file).unwrap().contains("<<<<<<<"),
            "{name:?}: {}",
            desk.message()
        );
        desk.press("w 6 c");
        assert_eq!(
            desk.state.accord.verdict,
            Some(Verdict::Concluded),
            "{name:?}: {}",
            desk.message()
        );
    }
}

#[test]
fn crlf_by_autocrlf_reaches_the_working_file() {
    let repo = Repo::new();
    repo.git(&["config", "core.autocrlf", "true"]);
    let crlf = |text: &str| text.replace('\n', "\r\n");
    repo.diverge("a.txt", &crlf(BASE), &crlf(OURS), &crlf(THEIRS));
    repo.try_git(&["merge", "side"]);
    let mut desk = repo.desk();
    desk.open("a.txt").press("a w");
    assert_eq!(
        repo.read("a.txt"),
        "one\r\nours\r\ntheirs\r\nthree\r\n",
        "{}",
        desk.message()
    );
    assert_eq!(
        repo.git(&["cat-file", "-p", ":a.txt"]),
        "one\nours\ntheirs\nthree\n"
    );
    assert_eq!(
        repo.git(&["diff", "--name-only"]),
        "",
        "git sees no difference left"
    );
}

#[test]
fn the_executable_bit_follows_the_side_that_changed_it() {
    let repo = Repo::new();
    repo.write("run.sh", BASE);
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    repo.write("run.sh", THEIRS);
    fs::set_permissions(repo.path("run.sh"), fs::Permissions::from_mode(0o755)).unwrap();
    repo.commit("theirs");
    repo.git(&["checkout", "-q", "main"]);
    repo.write("run.sh", OURS);
    repo.commit("ours");
    repo.try_git(&["merge", "side"]);
    repo.desk().open("run.sh").press("o w");
    assert!(
        repo.git(&["ls-files", "-s", "run.sh"])
            .starts_with("100755")
    );
    let mode = fs::metadata(repo.path("run.sh"))
        .unwrap()
        .permissions()
        .mode();
    assert_eq!(mode & 0o111, 0o111);
    assert_eq!(
        repo.git(&["status", "--porcelain", "run.sh"]),
        "M  run.sh\n"
    );
}

#[test]
fn kinds_that_cannot_be_merged_by_lines_are_named_truthfully() {
    let repo = Repo::new();
    repo.write("old.txt", "a\nb\nc\nd\ne\nf\n");
    repo.write("gone.txt", "x\n");
    repo.write("pic.bin", b"\0one");
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    repo.git(&["mv", "old.txt", "theirs.txt"]);
    repo.write("gone.txt", "x changed\n");
    repo.write("pic.bin", b"\0two");
    repo.write("both", "theirs\n");
    repo.commit("theirs");
    repo.git(&["checkout", "-q", "main"]);
    repo.git(&["mv", "old.txt", "ours.txt"]);
    repo.git(&["rm", "-q", "gone.txt"]);
    repo.write("pic.bin", b"\0three");
    repo.write("both", "ours\n");
    repo.commit("ours");
    repo.try_git(&["merge", "side"]);
    let mut desk = repo.desk();
    let kind = |path: &str| {
        desk.state
            .files
            .iter()
            .find(|f| f.case.path.to_string() == path)
            .unwrap()
            .case
            .kind
    };
    assert_eq!(kind("ours.txt"), CaseKind::RenamedTwoWays);
    assert_eq!(kind("gone.txt"), CaseKind::RemovedByOurs);
    assert_eq!(kind("both"), CaseKind::BothAdded);
    for (path, key) in [("ours.txt", "o"), ("gone.txt", "t"), ("pic.bin", "t")] {
        let at = desk
            .state
            .files
            .iter()
            .position(|f| f.case.path.to_string() == path)
            .unwrap();
        desk.press("2");
        desk.state.docket.chosen = at;
        desk.press(key).press("enter");
        assert!(
            desk.message().contains("settled as a whole"),
            "{path}: {}",
            desk.message()
        );
    }
    desk.open("both").press("A w 6 c");
    assert_concluded(&desk);
    assert_eq!(
        repo.git(&["ls-files"]),
        "both\ngone.txt\nours.txt\npic.bin\n"
    );
    assert_eq!(repo.git(&["status", "--porcelain"]), "");
}

#[test]
fn empty_versions_and_huge_lines_do_no_harm() {
    let huge = "x".repeat(2_000_000);
    let repo = Repo::conflict("a.txt", "", &format!("{huge}1\n"), &format!("{huge}2\n"));
    let mut desk = repo.desk();
    desk.open("a.txt").shows();
    desk.press("right > >").shows();
    desk.press("esc z").shows();
    desk.press("z o w");
    assert_eq!(repo.read("a.txt").len(), 2_000_002, "{}", desk.message());
}

#[test]
fn a_repository_that_moved_on_is_read_anew() {
    let repo = merged();
    let mut desk = repo.desk();
    desk.open("a.txt").press("o");
    repo.git(&["checkout", "-q", "--theirs", "a.txt"]);
    repo.git(&["add", "a.txt"]);
    desk.press("ctrl-r 2");
    assert!(desk.shows().contains("staged"), "{}", desk.shows());
    repo.git(&["commit", "-q", "--no-edit"]);
    desk.press("ctrl-r");
    assert!(desk.state.situation.is_idle());
    assert!(desk.shows().contains("No file is in conflict"));
}

#[test]
fn nothing_under_way_shows_the_log() {
    let repo = Repo::new();
    repo.write("a.txt", BASE);
    repo.commit("Only commit");
    let mut desk = repo.desk();
    assert!(
        desk.shows().contains("no other branch exists"),
        "{}",
        desk.shows()
    );
    assert!(desk.press("6").shows().contains("Only commit"));
    let fresh = Repo::new();
    let shown = fresh.desk().press("6").shows();
    assert!(shown.contains("no operation in progress"), "{shown}");
    let (code, output) = fresh.output(&["docket"]);
    assert_eq!(code, 0, "{output}");
    assert_eq!(armistice(&fresh.top, &["proof"]).status.code(), Some(0));
}
