//! Whole-file decisions count like any other, and come back when the same versions meet again.

use crate::kit::{Desk, Repo};

/// A text conflict, and a file that ours removed and theirs edited.
fn repo() -> Repo {
    let repo = Repo::new();
    repo.write("gone.txt", "one\n");
    repo.diverge("a.txt", "one\n2\n3\nfour\n", "ours 1\n2\n3\nours 4\n", "theirs 1\n2\n3\nfour\n");
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
    (counts.conflicts, counts.open, counts.by_person(), counts.elsewhere)
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
    assert!(screen.contains("all settled, not yet concluded"), "{screen}");
    assert!(!screen.contains(" open "), "{screen}");
    // Another program, the same picture.
    assert_eq!(counts(&repo.desk()), (2, 0, 2, 0));
    let json: serde_json::Value =
        serde_json::from_slice(&repo.run(&["docket", "--json"]).stdout).unwrap();
    let open: Vec<_> = json["cases"].as_array().unwrap().iter().map(|c| &c["open"]).collect();
    assert_eq!(open, [0, 0]);

    desk.press("B enter");
    repo.try_git(&["merge", "-q", "side"]);
    let mut again = repo.desk();
    assert_eq!(counts(&again), (2, 0, 2, 0), "{}", again.shows());
    let screen = again.press("j").shows();
    assert!(screen.contains("Decided before: remove the file."), "{screen}");
    assert!(again.press("5").shows().contains("settled, but not written"), "{}", again.shows());
    again.press("2 u");
    assert_eq!(counts(&again), (2, 1, 1, 0), "opened again\n{}", again.shows());
    assert_eq!(counts(&repo.desk()), (2, 1, 1, 0));
    again.press("t enter u w");
    assert_eq!(repo.read("gone.txt"), "edited\n");
    assert_eq!(repo.unmerged().lines().filter(|l| l.ends_with("gone.txt")).count(), 0);
    again.press("k w");
    assert_eq!((repo.unmerged().as_str(), repo.read("a.txt").as_str()), ("", "theirs 1\n2\n3\nfour\n"));
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
    assert!(screen.contains("0 by you · 0 open, 2 settled without Armistice"), "{screen}");
    let screen = desk.press("6").shows();
    assert!(screen.contains("without Armistice"), "{screen}");
}
