//! What is staged, looked through against each parent before it is committed.

use crate::kit::{Desk, Repo, merged};

const LONG: &str = "a\nb\nc\nd\ne\nf\ng\nh\ni\nj\nk\nl\nm\nn\no\np\n";

/// A merge with one conflict, and files that each side alone changed.
fn merge() -> Repo {
    let repo = Repo::new();
    repo.write("long.txt", LONG);
    repo.write("gone.txt", "gone\n");
    repo.diverge(
        "a.txt",
        "one\ntwo\nthree\n",
        "one\nours\nthree\n",
        "one\ntheirs\nthree\n",
    );
    repo.git(&["checkout", "-q", "side"]);
    repo.write("long.txt", LONG.replace("b\n", "b\nby theirs\n"));
    repo.write("new ü.txt", "new\n");
    repo.commit("more of theirs");
    repo.git(&["checkout", "-q", "main"]);
    repo.write("long.txt", LONG.replace("o\n", "o and ours\n"));
    repo.git(&["rm", "-q", "gone.txt"]);
    repo.commit("more of ours");
    assert_eq!(
        repo.try_git(&["merge", "-q", "side"]).status.code(),
        Some(1)
    );
    repo
}

fn has(desk: &Desk, texts: &[&str]) -> String {
    let screen = desk.shows();
    for text in texts {
        assert!(screen.contains(text), "no '{text}' on\n{screen}");
    }
    screen
}

#[test]
fn the_staged_result_is_shown_against_each_parent_with_whose_lines_came() {
    let repo = merge();
    let mut desk = Desk::new(&repo.top, (160, 40));
    desk.press("3 a w 6");
    has(
        &desk,
        &[
            "staged against main: 3 files, 3 lines added, 0 lines removed",
            "staged against side: 3 files, 2 lines added, 2 lines removed",
        ],
    );
    desk.press("d");
    has(
        &desk,
        &[
            "staged against ▲ main (parent 1 of 2) · 3 files, 3 lines added, 0 lines removed",
            " > a.txt",
            "a.txt · 1 change",
            "▼     3 + theirs",
            "new ü.txt",
        ],
    );
    desk.press("n");
    let screen = has(
        &desk,
        &[" > long.txt", "▼     3 + by theirs", "… 11 lines the same"],
    );
    assert!(
        !screen.contains("o and ours"),
        "that is in this parent already\n{screen}"
    );
    desk.press("tab");
    has(
        &desk,
        &[
            "staged against ▼ side (parent 2 of 2) · 3 files, 2 lines added, 2 lines removed",
            " > long.txt",
            "▲    16   o[→ and ours]",
            "gone.txt",
            "removed, 1",
        ],
    );
    desk.press("enter");
    assert!(
        desk.message()
            .contains("git merged this file without a conflict")
    );
    desk.press("up up up enter");
    has(&desk, &["3 Parley", "a.txt"]);
    // From Proof too; esc goes back there.
    desk.press("5 d");
    has(&desk, &["staged against ▲ main"]);
    desk.press("esc");
    has(&desk, &["no edit is lost"]);
}

#[test]
fn small_screens_show_it_below_each_other_and_long_files_scroll() {
    let repo = merged();
    let many: String = (0..200).map(|n| format!("line {n}\n")).collect();
    repo.write("a.txt", &many);
    repo.git(&["add", "a.txt"]);
    let mut desk = Desk::new(&repo.top, (80, 24));
    desk.press("6 d");
    has(&desk, &["staged against ▲ main", "+ line 0"]);
    desk.press("end");
    has(&desk, &["+ line 199"]);
    desk.press("home pagedown");
    let screen = desk.shows();
    assert!(
        !screen.contains("+ line 0\n") && screen.contains("+ line 20"),
        "{screen}"
    );
    let size = (62, 17);
    desk.state.size = size;
    desk.press("n p");
    has(&desk, &["staged against"]);
}

#[test]
fn a_rebase_is_against_the_steps_before_it_and_names_them() {
    let repo = Repo::new();
    repo.write("a.txt", "one\n");
    repo.write("b.txt", "one\n");
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    repo.write("b.txt", "first\n");
    repo.commit("first");
    repo.write("a.txt", "theirs\n");
    repo.commit("second");
    repo.git(&["checkout", "-q", "main"]);
    repo.write("a.txt", "ours\n");
    repo.commit("ours");
    repo.git(&["checkout", "-q", "side"]);
    repo.try_git(&["rebase", "main"]);
    let mut desk = Desk::new(&repo.top, (120, 40));
    desk.press("3 t w 6");
    let screen = has(
        &desk,
        &["staged against main and 1 step: 1 file, 1 line added, 1 line removed"],
    );
    assert!(!screen.contains("staged against your commit"), "{screen}");
    desk.press("d tab");
    assert!(
        desk.message().contains("has one parent"),
        "{}",
        desk.message()
    );
}

#[test]
fn what_has_no_text_says_so_and_what_changes_outside_is_counted_anew() {
    let repo = merge();
    repo.write("crest.png", b"\x89PNG\0\0".as_slice());
    repo.git(&["add", "crest.png"]);
    repo.git(&["update-index", "--chmod=+x", "new ü.txt"]);
    let mut desk = Desk::new(&repo.top, (120, 40));
    desk.press("3 o w 6 d");
    has(&desk, &[" > crest.png", "added: no text to show"]);
    repo.write("long.txt", LONG);
    repo.git(&["add", "long.txt"]);
    desk.press("ctrl-r j");
    has(&desk, &[" > long.txt", "[ and ours→]"]);
}
