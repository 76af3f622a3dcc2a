//! When nothing is in progress any more: committed markers, what can be pushed, what git left lying
//! about; and several branches merged at once, which git does one after the other.

use crate::kit::{Desk, Repo, Tmux, assert_concluded, conclude};
use std::fs;

#[test]
fn conflicts_that_were_committed_are_told_where_nothing_is_under_way() {
    let repo = Repo::conflict("a.txt", "one\n2\n", "ours\n2\n", "theirs\n2\n");
    repo.commit("a merge in a hurry");
    let mut desk = repo.desk();
    let said = desk.message().to_owned();
    assert!(
        said.contains("1 file holds conflicts with markers that were committed, a.txt:1 first"),
        "{said}"
    );
    assert!(
        said.contains("armistice open a.txt") && said.contains("git commit --amend"),
        "{said}"
    );
    assert!(desk.press("!").shows().contains("settles them there"));
    // A title underlined in a text is no conflict.
    let repo = Repo::new();
    repo.write("a.md", "title\n=======\n<<<<<<< left\n");
    repo.commit("text");
    assert_eq!(repo.desk().message(), "");
}

#[test]
fn afterwards_it_is_told_whether_the_branch_can_be_pushed() {
    let repo = Repo::new();
    repo.write("a.txt", "one\n");
    repo.commit("base");
    let remote = tempfile::TempDir::new().unwrap();
    let url = remote.path().to_str().unwrap();
    repo.git(&["clone", "-q", "--bare", ".", url]);
    repo.git(&["remote", "add", "harbour", url]);
    repo.git(&["fetch", "-q", "harbour"]);
    repo.git(&["branch", "-q", "--set-upstream-to", "harbour/main"]);
    let accord = || Desk::new(&repo.top, (160, 47)).press("6").shows();
    assert!(
        accord().contains("harbour/main already has all commits"),
        "{}",
        accord()
    );
    repo.write("a.txt", "two\n");
    repo.commit("two");
    assert!(
        accord().contains("1 commit ahead of harbour/main: ready to push."),
        "{}",
        accord()
    );
    repo.git(&["push", "-q", "harbour", "main"]);
    repo.git(&["reset", "-q", "--hard", "HEAD^"]);
    assert!(
        accord().contains("1 commit behind harbour/main"),
        "{}",
        accord()
    );
    repo.write("a.txt", "three\n");
    repo.commit("three");
    assert!(
        accord().contains("1 behind: a push would be refused."),
        "{}",
        accord()
    );
}

/// A merge that git's own merge helper settled, with the files that it leaves.
fn helped() -> Repo {
    let repo = Repo::new();
    let (quay, tide) = ("der Kai/quay's.rs", "tide.rs");
    for (text, branch) in [("base\n", ""), ("theirs\n", "side"), ("ours\n", "")] {
        match branch {
            "side" => repo.git(&["checkout", "-q", "-b", "side"]),
            _ => repo.try_git(&["checkout", "-q", "main"]).status.to_string(),
        };
        repo.write(quay, format!("a\n{text}"));
        repo.write(tide, text);
        repo.commit(text.trim());
    }
    repo.try_git(&["merge", "-q", "side"]);
    let helper = [
        "-c",
        "mergetool.helper.cmd=cat \"$LOCAL\" > \"$MERGED\"",
        "-c",
        "mergetool.helper.trustExitCode=true",
        "-c",
        "mergetool.keepTemporaries=true",
        "mergetool",
        "-y",
        "-t",
        "helper",
    ];
    repo.git(&helper);
    repo
}

fn untracked(repo: &Repo) -> Vec<String> {
    let listed = repo.git(&["ls-files", "--others", "-z"]);
    let mut all: Vec<String> = listed.split('\0').map(str::to_owned).collect();
    all.retain(|path| !path.is_empty());
    all
}

#[test]
fn backups_that_git_left_are_offered_for_removal_and_nothing_else() {
    let repo = helped();
    assert!(untracked(&repo).len() >= 2, "{:?}", untracked(&repo));
    // Of the same names, but with a person's own words in them.
    repo.write("tide_LOCAL_1.rs", "mine\n");
    let marked = repo.read("tide.rs.orig");
    repo.write("tide.rs.orig", format!("{marked}mine\n"));
    let mut desk = repo.desk();
    conclude(&mut desk);
    assert_concluded(&desk);
    let shown = desk.shows();
    assert!(
        shown.contains("of git mergetool and keeps copies: der Kai/quay's.rs.orig"),
        "{shown}"
    );
    desk.press("x");
    assert!(desk.message().contains("removed"), "{}", desk.message());
    assert_eq!(untracked(&repo), ["tide.rs.orig", "tide_LOCAL_1.rs"]);
    let kept = repo.top.join(".git/armistice/kept");
    let kept: Vec<_> = fs::read_dir(kept).unwrap().flatten().collect();
    let texts = kept
        .iter()
        .map(|file| fs::read_to_string(file.path()).unwrap());
    assert!(texts.into_iter().any(|text| text.contains("<<<<<<<")));
    desk.press("x");
    assert!(
        desk.message().contains("no backup file"),
        "{}",
        desk.message()
    );
}

#[test]
fn backups_are_offered_after_a_restart_too() {
    let repo = helped();
    let mut desk = repo.desk();
    conclude(&mut desk);
    drop(desk);
    let changed = untracked(&repo).len();
    let t = Tmux::start(&repo.top, (160, 47), "", &[]);
    t.wait("1 Scout");
    t.keys("6").wait("tide.rs.orig");
    // One that a person has changed since stays.
    repo.write("tide.rs.orig", "mine\n");
    t.keys("x").wait("removed");
    t.keys("q").wait("EXIT 0");
    assert!(untracked(&repo).len() < changed);
    assert_eq!(repo.read("tide.rs.orig"), "mine\n");
    let t = Tmux::start(&repo.top, (160, 47), "", &[]);
    t.wait("1 Scout");
    t.keys("6").wait("6 Accord");
    t.keys("x").wait("no backup file");
    t.keys("q").wait("EXIT 0");
}

#[test]
fn the_command_line_tells_of_backups_and_removes_them_if_asked() {
    let repo = helped();
    let copy = repo.copy();
    let (code, said) = repo.output(&["conclude"]);
    assert_eq!(code, 0, "{said}");
    assert!(
        said.contains("tide.rs.orig: a backup file of git mergetool is left"),
        "{said}"
    );
    assert!(repo.path("tide.rs.orig").exists());
    let (code, said) = copy.output(&["conclude", "--remove-backups"]);
    assert_eq!(code, 0, "{said}");
    assert!(said.contains("tide.rs.orig: removed, kept as"), "{said}");
    assert_eq!(untracked(&copy), [""; 0]);
}

#[test]
fn of_several_branches_merged_at_once_the_last_is_the_one_in_conflict() {
    let repo = Repo::new();
    repo.write("a.txt", "1\n2\n3\n");
    repo.commit("base");
    for branch in ["pilots", "quays"] {
        repo.git(&["checkout", "-q", "-b", branch, "main"]);
        repo.write("a.txt", format!("1\n{branch}\n3\n"));
        repo.commit(branch);
    }
    repo.git(&["checkout", "-q", "main"]);
    repo.write("b.txt", "main\n");
    repo.commit("main goes on");
    repo.try_git(&["merge", "-q", "pilots", "quays"]);
    let (_, said) = repo.output(&["docket"]);
    assert!(said.contains("ours    main with pilots"), "{said}");
    assert!(said.contains("theirs  quays"), "{said}");
    assert!(
        said.contains("git already merged pilots; quays is the last one"),
        "{said}"
    );
    let mut desk = repo.desk();
    let shown = desk.press("2").shows();
    assert!(shown.contains("git already merged pilots"), "{shown}");
    desk.open("a.txt").press("t w 6");
    let shown = desk.shows();
    assert!(
        shown.contains("Makes one merge commit of 3 parents"),
        "{shown}"
    );
    conclude(&mut desk);
    assert_concluded(&desk);
    let parents = repo.git(&["rev-list", "--parents", "-n1", "HEAD"]);
    assert_eq!(parents.split_whitespace().count(), 4);
    assert_eq!(repo.read("a.txt"), "1\nquays\n3\n");
}

#[test]
fn committed_markers_stand_in_the_way_of_a_push_until_the_amend_that_keeps_both_parents() {
    let remote = tempfile::TempDir::new().unwrap();
    let url = remote.path().to_str().unwrap();
    let repo = Repo::conflict("a.txt", "one\n2\n", "ours\n2\n", "theirs\n2\n");
    repo.git(&["clone", "-q", "--bare", ".", url]);
    repo.git(&["remote", "add", "harbour", url]);
    repo.git(&["fetch", "-q", "harbour"]);
    repo.git(&["branch", "-q", "--set-upstream-to", "harbour/main"]);
    // Staged with markers it is not finished, on no screen and in no command.
    repo.git(&["add", "a.txt"]);
    let mut desk = Desk::new(&repo.top, (160, 47));
    assert!(
        desk.shows().contains("0/1") && desk.shows().contains("markers"),
        "{}",
        desk.shows()
    );
    desk.press("W 6");
    assert!(
        desk.shows().contains("1 file staged with conflict markers"),
        "{}",
        desk.shows()
    );
    let (code, said) = repo.output(&["docket"]);
    assert!(
        code == 1 && said.contains("staged with conflict markers"),
        "{said}"
    );
    assert_eq!(repo.output(&["conclude"]).0, 1);
    // Committed all the same, and a commit on top of it.
    repo.git(&["commit", "-q", "--no-edit"]);
    let ready = |repo: &Repo| Desk::new(&repo.top, (160, 47)).press("6").shows();
    assert!(
        ready(&repo).contains("not ready to push, 1 file holds conflict markers"),
        "{}",
        ready(&repo)
    );
    let (code, said) = repo.output(&["docket"]);
    assert!(code == 1 && said.contains("a.txt:1 first"), "{said}");
    let merge = repo.copy();
    repo.write("b.txt", "more\n");
    repo.commit("more");
    assert!(
        ready(&repo).contains("not ready to push"),
        "{}",
        ready(&repo)
    );
    // The way out that is named.
    merge.write("a.txt", "ours\n2\n");
    merge.git(&["add", "a.txt"]);
    merge.git(&["commit", "-q", "--amend", "--no-edit"]);
    assert_eq!(
        merge
            .git(&["rev-list", "--parents", "-n1", "HEAD"])
            .split(' ')
            .count(),
        3
    );
    assert!(
        ready(&merge).contains(": ready to push"),
        "{}",
        ready(&merge)
    );
    // Half a conflict in a merge counts too; a text about markers that was pushed does not.
    merge.write("a.txt", "ours\n2\n>>>>>>> side\n");
    merge.git(&["add", "a.txt"]);
    merge.git(&["commit", "-q", "--amend", "--no-edit"]);
    assert!(
        ready(&merge).contains("not ready to push"),
        "{}",
        ready(&merge)
    );
    merge.git(&["push", "-q", "harbour", "main"]);
    merge.write("b.txt", "more\n");
    merge.commit("more");
    assert!(
        ready(&merge).contains(": ready to push"),
        "{}",
        ready(&merge)
    );
}

#[test]
fn markers_with_no_operation_in_progress_are_named_wherever_they_are() {
    let conflict = "<<<<<<< HEAD\nours\n=======\ntheirs\n>>>>>>> side\n";
    let repo = Repo::new();
    repo.write("a.txt", "one\n");
    repo.commit("base");
    repo.write("a.txt", conflict);
    let said = |repo: &Repo| repo.desk().message().to_owned();
    assert!(
        said(&repo).contains("conflict markers in the working tree, a.txt:1 first"),
        "{}",
        said(&repo)
    );
    assert!(repo.desk().state.message.is_trouble);
    repo.git(&["add", "a.txt"]);
    assert!(
        said(&repo).contains("conflict markers that are staged"),
        "{}",
        said(&repo)
    );
    let (code, text) = repo.output(&["docket", "--json"]);
    let json: serde_json::Value = serde_json::from_str(&text).unwrap();
    assert_eq!(
        (code, &json["markers"][0]["place"]),
        (1, &"staged".into()),
        "{text}"
    );
}

#[test]
fn a_stash_that_clashed_can_be_dropped_once_it_is_settled() {
    let repo = Repo::new();
    repo.write("a.txt", "one\n");
    repo.commit("base");
    repo.write("a.txt", "stashed\n");
    repo.git(&["stash", "-q"]);
    repo.write("a.txt", "other\n");
    repo.commit("other");
    repo.try_git(&["stash", "pop"]);
    let mut desk = Desk::new(&repo.top, (140, 40));
    desk.press("6 t");
    assert!(
        desk.message().contains("finish every file first"),
        "{}",
        desk.message()
    );
    desk.open("a.txt").press("t w 6");
    assert!(
        desk.shows().contains("t drops the stash"),
        "{}",
        desk.shows()
    );
    desk.press("t esc");
    assert_eq!(repo.git(&["stash", "list"]).lines().count(), 1);
    let oid = repo.git(&["rev-parse", "refs/stash"]).trim().to_owned();
    desk.press("t enter");
    assert!(desk.message().contains(&oid), "{}", desk.message());
    assert_eq!(repo.git(&["stash", "list"]), "");
    repo.git(&["stash", "store", &oid]);
    assert_eq!(repo.git(&["stash", "list"]).lines().count(), 1);
    assert_eq!(repo.read("a.txt"), "stashed\n");
}

#[test]
fn a_command_that_fails_as_a_step_of_a_rebase_is_said_to_have_failed() {
    let repo = Repo::new();
    repo.diverge("a.txt", "one\n", "ours\n", "theirs\n");
    repo.try_git(&["rebase", "-q", "-x", "exit 3", "side"]);
    let mut desk = Desk::new(&repo.top, (140, 40));
    desk.open("a.txt").press("t w");
    conclude(&mut desk);
    assert!(
        desk.message().contains("'exit 3' failed as a rebase step"),
        "{}\n{}",
        desk.message(),
        desk.shows()
    );
}

#[test]
fn loose_files_of_a_conflict_are_called_by_the_parties_and_a_binary_shows_its_outcomes() {
    let repo = Repo::conflict("a.txt", "one\n", "ours\n", "theirs\n");
    for (name, text) in [
        ("a_BASE_1", "one\n"),
        ("a_LOCAL_1", "ours\n"),
        ("a_REMOTE_1", "theirs\n"),
    ] {
        repo.write(name, text);
    }
    let home = repo.dir.path().display().to_string();
    let env = [("XDG_STATE_HOME", home.as_str())];
    let args = "files --base a_BASE_1 --ours a_LOCAL_1 --theirs a_REMOTE_1 --output a.txt";
    let tmux = Tmux::start(&repo.top, (120, 40), args, &env);
    tmux.wait("1 open");
    let shown = tmux.wait("▼ side");
    assert!(
        shown.contains("▲ main") && !shown.contains("LOCAL"),
        "{shown}"
    );
    tmux.keys("q").wait("EXIT 1");
    let repo = Repo::merge(&[(
        "crest.bin",
        ["\0base", "\0ours", "\0theirs"].map(str::to_owned),
    )]);
    let mut desk = Desk::new(&repo.top, (140, 40));
    let shown = desk.press("2 enter").shows();
    assert!(shown.contains("what each outcome discards"), "{shown}");
    // A repository without commits says so in a plain sentence.
    let (code, said) = Repo::new().output(&["scout"]);
    assert!(code == 2 && said.contains("has no commits yet"), "{said}");
}
