//! Whole-file decisions count like any other, and come back when the same versions meet again.

use crate::kit::{Desk, Repo};

/// A text conflict, and a file that ours removed and theirs edited.
fn repo() -> Repo {
    let repo = Repo::new();
    repo.write("gone.txt", "one\n");
    repo.diverge(
        "a.txt",
        "one\n2\n3\nfour\n",
        "ours 1\n2\n3\nours 4\n",
        "theirs 1\n2\n3\nfour\n",
    );
    repo.git(&["checkout", "-q", "side"]);
    repo.write("gone.txt", "edited\n");
    repo.commit("edit");
    repo.git(&["checkout", "-q", "main"]);
    repo.git(&["rm", "-q", "gone.txt"]);
    repo.commit("remove");
    repo.try_git(&["merge", "-q", "side"]);
    repo
}

fn counts(desk: &Desk) -> (usize, usize, usize, usize) {
    let counts = desk.state.totals().0;
    (
        counts.conflicts,
        counts.open,
        counts.by_person(),
        counts.elsewhere,
    )
}

#[test]
fn a_whole_file_taken_on_docket_is_counted_kept_and_comes_back() {
    let repo = repo();
    let mut desk = repo.desk();
    assert_eq!(counts(&desk), (2, 2, 0, 0));
    desk.press("g t enter");
    assert_eq!(repo.read("a.txt"), "theirs 1\n2\n3\nfour\n");
    assert_eq!(counts(&desk), (2, 1, 1, 0), "{}", desk.shows());
    desk.press("j x enter");
    assert_eq!(counts(&desk), (2, 0, 2, 0), "{}", desk.shows());
    assert!(!repo.path("gone.txt").exists());
    let screen = desk.press("6").shows();
    assert!(
        screen.contains("all settled, not yet concluded"),
        "{screen}"
    );
    assert!(!screen.contains(" open "), "{screen}");
    // Another program, the same picture.
    assert_eq!(counts(&repo.desk()), (2, 0, 2, 0));
    let json: serde_json::Value =
        serde_json::from_slice(&repo.run(&["docket", "--json"]).stdout).unwrap();
    let open: Vec<_> = json["cases"]
        .as_array()
        .unwrap()
        .iter()
        .map(|c| &c["open"])
        .collect();
    assert_eq!(open, [0, 0]);

    desk.press("B enter");
    repo.try_git(&["merge", "-q", "side"]);
    let mut again = repo.desk();
    assert_eq!(counts(&again), (2, 0, 2, 0), "{}", again.shows());
    let screen = again.press("j").shows();
    assert!(
        screen.contains("Decided earlier: remove the file."),
        "{screen}"
    );
    assert!(
        again
            .press("5")
            .shows()
            .contains("settled, but not written"),
        "{}",
        again.shows()
    );
    again.press("2 u");
    assert_eq!(
        counts(&again),
        (2, 1, 1, 0),
        "opened again\n{}",
        again.shows()
    );
    assert_eq!(counts(&repo.desk()), (2, 1, 1, 0));
    again.press("t enter u w");
    assert_eq!(repo.read("gone.txt"), "edited\n");
    assert_eq!(
        repo.unmerged()
            .lines()
            .filter(|l| l.ends_with("gone.txt"))
            .count(),
        0
    );
    again.press("k w");
    assert_eq!(
        (repo.unmerged().as_str(), repo.read("a.txt").as_str()),
        ("", "theirs 1\n2\n3\nfour\n")
    );
}

#[test]
fn what_somebody_staged_is_settled_and_nobodys_decision_here() {
    let repo = repo();
    repo.write("a.txt", "ours 1\n2\n3\nfour, by hand\n");
    repo.git(&["add", "a.txt"]);
    repo.git(&["rm", "-q", "--cached", "gone.txt"]);
    let mut desk = repo.desk();
    assert_eq!(counts(&desk), (2, 0, 0, 2));
    let screen = desk.shows();
    assert!(
        screen.contains("0 by you · 0 open, 2 staged by another program"),
        "{screen}"
    );
    let screen = desk.press("6").shows();
    assert!(screen.contains("other program"), "{screen}");
}

#[test]
fn the_mode_of_a_file_that_both_added_is_asked_for() {
    let make = || {
        let repo = Repo::new();
        repo.write("base.txt", "base\n");
        repo.commit("base");
        repo.git(&["checkout", "-q", "-b", "side"]);
        repo.write("run.sh", "#!/bin/sh\necho theirs\n");
        repo.git(&["add", "run.sh"]);
        repo.git(&["update-index", "--chmod=+x", "run.sh"]);
        repo.git(&["commit", "-q", "-m", "theirs"]);
        repo.git(&["checkout", "-q", "-f", "main"]);
        repo.write("run.sh", "#!/bin/sh\necho ours\n");
        repo.commit("ours");
        repo.try_git(&["merge", "-q", "side"]);
        repo
    };
    let staged = |repo: &Repo| repo.git(&["ls-files", "--stage", "run.sh"])[..6].to_owned();
    let repo = make();
    let mut desk = repo.desk();
    desk.press("3 a w");
    let screen = desk.shows();
    for text in [
        "run.sh: which mode?",
        "main added it as an ordinary file.",
        "side added it as executable",
    ] {
        assert!(screen.contains(text), "no '{text}' on\n{screen}");
    }
    desk.press("esc");
    assert!(!repo.unmerged().is_empty());
    desk.press("w t");
    assert_eq!(
        (staged(&repo).as_str(), repo.unmerged().as_str()),
        ("100755", ""),
        "{}",
        desk.message()
    );
    let repo = make();
    repo.desk().press("3 a w enter");
    assert_eq!(staged(&repo), "100644");
    // Without a screen it must be said, or follows from the side that is taken.
    let repo = make();
    let (code, text) = repo.output(&["settle", "run.sh", "--by", "base"]);
    assert!(
        code == 2 && text.contains("choose one with --mode"),
        "{text}"
    );
    assert!(!repo.unmerged().is_empty());
    assert_eq!(repo.output(&["settle", "run.sh", "--by", "theirs"]).0, 0);
    assert_eq!(staged(&repo), "100755");
}

#[test]
fn what_somebody_else_staged_is_not_taken_for_an_earlier_decision() {
    let repo = repo();
    repo.desk().press("g j x enter");
    repo.git(&["merge", "--abort"]);
    repo.try_git(&["merge", "-q", "side"]);
    // Removed before; now somebody keeps it without this program.
    repo.write("gone.txt", "edited\n");
    repo.git(&["add", "gone.txt"]);
    let desk = repo.desk();
    assert_eq!(counts(&desk), (2, 1, 0, 1), "{}", desk.shows());
}

#[test]
fn a_file_too_large_for_lines_is_settled_as_a_whole() {
    let long = format!("{}\n", "tide ".repeat(13_000));
    let theirs = format!("theirs\n{}", long.repeat(1_000));
    let repo = Repo::conflict("log.txt", "base\n", "ours\n", &theirs);
    let mut desk = repo.desk();
    let shown = desk.press("2").shows();
    assert!(shown.contains("too large to merge line by line"), "{shown}");
    // What was not looked at is not counted.
    let size = format!("a version of {} bytes", theirs.len());
    assert!(shown.contains(&size), "{shown}");
    desk.press("t enter");
    assert_eq!(repo.unmerged(), "");
    assert!(repo.read("log.txt").starts_with("theirs\n"));
}
