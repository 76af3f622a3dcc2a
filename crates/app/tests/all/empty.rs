//! A step of which nothing is left to commit: skipped, kept, or gone back from, never quietly dropped.

use crate::kit::{Repo, Tmux, conclude};
use armistice::state::overlay::Overlay;

/// A rebase of two commits, stopped at the first, whose change is settled by what is there already.
fn rebased() -> Repo {
    let repo = Repo::new();
    repo.diverge("a.txt", "one\n", "ours\n", "theirs\n");
    repo.git(&["checkout", "-q", "side"]);
    repo.write("b.txt", "b\n");
    repo.commit("another");
    repo.try_git(&["rebase", "-q", "main"]);
    let done = repo.run(&["settle", "a.txt", "--by", "ours"]);
    assert!(done.status.success(), "{done:?}");
    repo
}

fn picked() -> Repo {
    let repo = Repo::new();
    repo.diverge("a.txt", "one\n", "ours\n", "theirs\n");
    repo.try_git(&["cherry-pick", "side"]);
    assert!(
        repo.run(&["settle", "a.txt", "--by", "ours"])
            .status
            .success()
    );
    repo
}

fn subjects(repo: &Repo) -> String {
    repo.git(&["log", "--format=%s", "HEAD"]).replace('\n', " ")
}

#[test]
fn concluding_an_empty_step_asks_and_changes_nothing() {
    let repo = rebased();
    let head = repo.git(&["rev-parse", "HEAD"]);
    let (code, said) = repo.output(&["conclude"]);
    assert_eq!(code, 1, "{said}");
    assert!(
        said.contains("already in the branch, or were discarded; '--empty skip'"),
        "{said}"
    );
    assert_eq!(repo.git(&["rev-parse", "HEAD"]), head);
    assert!(repo.path(".git/rebase-merge").exists());
}

#[test]
fn an_empty_step_is_skipped_or_kept_on_the_command_line() {
    let repo = rebased();
    assert_eq!(repo.output(&["conclude", "--empty", "skip"]).0, 0);
    assert_eq!(subjects(&repo), "another ours base ");
    let repo = rebased();
    let (code, said) = repo.output(&["conclude", "--empty", "keep"]);
    assert_eq!(code, 0, "{said}");
    assert_eq!(subjects(&repo), "another theirs ours base ");
    assert!(!repo.path(".git/rebase-merge").exists());
    let repo = picked();
    assert_eq!(repo.output(&["conclude", "--empty", "keep"]).0, 0);
    assert_eq!(subjects(&repo), "theirs ours base ");
    assert_eq!(repo.git(&["diff", "HEAD~1", "HEAD"]), "");
    // Where something is left to commit it is an ordinary step, whatever was said.
    let repo = Repo::new();
    repo.diverge("a.txt", "one\n", "ours\n", "theirs\n");
    repo.try_git(&["cherry-pick", "side"]);
    repo.run(&["settle", "a.txt", "--by", "theirs"]);
    assert_eq!(repo.output(&["conclude", "--empty", "skip"]).0, 0);
    assert_eq!(subjects(&repo), "theirs ours base ");
}

#[test]
fn on_the_screen_it_is_a_question_with_three_answers() {
    let repo = picked();
    let mut desk = repo.desk();
    desk.press("6");
    assert!(
        desk.shows().contains("this step became empty"),
        "{}",
        desk.shows()
    );
    conclude(&mut desk);
    assert!(
        desk.shows().contains("k keep it as an empty commit"),
        "{}",
        desk.shows()
    );
    desk.press("esc");
    assert!(repo.path(".git/CHERRY_PICK_HEAD").exists());
    desk.press("c k");
    assert_eq!(subjects(&repo), "theirs ours base ", "{}", desk.message());
    let repo = picked();
    let mut desk = repo.desk();
    desk.press("6 c enter");
    assert_eq!(subjects(&repo), "ours base ", "{}", desk.message());
    assert!(desk.state.situation.is_idle());
}

#[test]
fn a_rebase_that_stopped_for_an_edit_simply_goes_on() {
    let repo = rebased();
    repo.git(&["rebase", "--abort"]);
    let edit = "sed -i s/^pick/edit/";
    repo.git(&[
        "-c",
        &format!("sequence.editor={edit}"),
        "rebase",
        "-q",
        "-i",
        "main~1",
    ]);
    for _ in 0..3 {
        let _ = repo.run(&["conclude"]);
    }
    assert!(!repo.path(".git/rebase-merge").exists());
    assert_eq!(subjects(&repo), "another theirs base ");
}

#[test]
fn a_step_that_was_committed_elsewhere_is_not_empty() {
    let repo = rebased();
    repo.git(&["commit", "-q", "--allow-empty", "-m", "by hand"]);
    assert_eq!(repo.output(&["conclude"]).0, 0);
    assert_eq!(subjects(&repo), "another by hand ours base ");
}

#[test]
fn an_empty_step_taken_back_is_none_any_more() {
    let repo = rebased();
    let mut desk = repo.desk();
    desk.press("6 c");
    assert!(matches!(desk.state.overlay, Some(Overlay::Question(_))));
    desk.press("esc 2 u enter t w 6 c");
    assert_eq!(
        subjects(&repo),
        "another theirs ours base ",
        "{}",
        desk.message()
    );
}

#[test]
fn in_a_terminal_the_rebase_goes_on_after_it() {
    let repo = rebased();
    let t = Tmux::start(&repo.top, (100, 30), "", &[]);
    t.keys("6").wait("this step became empty");
    t.keys("c").wait("keep it as an empty commit");
    t.keys("k").wait("── concluded");
    t.keys("q").wait("EXIT 0");
    assert_eq!(subjects(&repo), "another theirs ours base ");
}
