//! The repository changed by another window between two keys: nothing is done on an old picture.

use crate::kit::{Desk, Repo, THEIRS, assert_concluded, merged};
use armistice::state::action::{Action, WorkResult};
use armistice_core::{RegionState, Resolution, Version};
use armistice_git::Seen;

/// A desk at Accord, the only file written and staged, as another window finds it.
fn ready() -> (Repo, Desk) {
    let repo = merged();
    let mut desk = repo.desk();
    desk.open("a.txt").press("t w");
    assert!(
        desk.message().contains("wrote and staged"),
        "{}",
        desk.message()
    );
    desk.press("6");
    (repo, desk)
}

fn head(repo: &Repo) -> String {
    repo.git(&["rev-parse", "HEAD"])
}

#[test]
fn markers_staged_in_another_window_are_not_committed() {
    let (repo, mut desk) = ready();
    let before = head(&repo);
    repo.write(
        "a.txt",
        "one\n<<<<<<< ours\nx\n=======\ny\n>>>>>>> theirs\nthree\n",
    );
    repo.git(&["add", "a.txt"]);
    desk.press("c");
    assert!(
        desk.message()
            .starts_with("what is staged is not what was checked"),
        "{}",
        desk.message()
    );
    assert_eq!(head(&repo), before);
    // It was checked again meanwhile, and now stands in the way.
    desk.press("c");
    assert!(
        desk.shows().contains("Conclude anyway?"),
        "{}",
        desk.shows()
    );
    assert_eq!(head(&repo), before);
}

#[test]
fn another_file_staged_in_another_window_is_seen_before_it_is_committed() {
    let (repo, mut desk) = ready();
    let before = head(&repo);
    repo.write("stray.txt", "stray\n");
    repo.git(&["add", "stray.txt"]);
    desk.press("c");
    assert_eq!(head(&repo), before, "{}", desk.message());
    desk.press("c");
    assert_concluded(&desk);
}

#[test]
fn another_merge_begun_outside_is_not_committed_with_the_old_message() {
    let (repo, mut desk) = ready();
    repo.git(&["merge", "--abort"]);
    repo.git(&["checkout", "-q", "-b", "third", "main~1"]);
    repo.write("b.txt", "b\n");
    repo.commit("third");
    repo.git(&["checkout", "-q", "main"]);
    repo.git(&["merge", "-q", "--no-commit", "--no-ff", "third"]);
    let before = head(&repo);
    desk.press("c");
    assert!(
        desk.message().starts_with("this is another merge now"),
        "{}",
        desk.message()
    );
    assert_eq!(head(&repo), before);
    desk.press("B");
    assert!(repo.path(".git/MERGE_HEAD").exists());
}

#[test]
fn after_an_abort_outside_nothing_is_written_taken_back_or_backed_out_of() {
    let repo = merged();
    let mut desk = repo.desk();
    desk.open("a.txt").press("t");
    repo.git(&["merge", "--abort"]);
    let before = repo.read("a.txt");
    desk.press("w");
    assert!(
        desk.message()
            .starts_with("the merge is no longer in progress"),
        "{}",
        desk.message()
    );
    assert_eq!(repo.read("a.txt"), before);
    assert_eq!(repo.git(&["status", "--porcelain"]), "");
    assert!(desk.state.situation.is_idle(), "it was read anew");

    let (repo, mut desk) = ready();
    repo.git(&["merge", "--abort"]);
    desk.press("2 u");
    assert!(
        desk.message().contains("no longer in progress"),
        "{}",
        desk.message()
    );
    let (repo_2, mut desk) = ready();
    repo_2.git(&["commit", "-q", "--no-edit"]);
    let concluded = head(&repo_2);
    desk.press("6 B enter");
    assert!(
        desk.message().contains("no longer in progress"),
        "{}",
        desk.message()
    );
    assert_eq!(head(&repo_2), concluded);
    assert_eq!(repo.git(&["status", "--porcelain"]), "");
}

#[test]
fn a_conflict_settled_and_staged_by_hand_outside_is_not_written_over() {
    let repo = merged();
    let mut desk = repo.desk();
    desk.open("a.txt").press("o");
    repo.write("a.txt", "by hand outside\n");
    repo.git(&["add", "a.txt"]);
    desk.press("w");
    // It can be undone, so it is still this conflict; but the file is not what was read.
    assert_eq!(repo.read("a.txt"), "by hand outside\n");
    assert!(
        desk.shows().contains("changed on disk since it was read"),
        "{}",
        desk.shows()
    );
    desk.press("esc");
    repo.git(&["commit", "-q", "--no-edit"]);
    repo.write("a.txt", THEIRS);
    desk.press("w");
    assert!(
        desk.message().contains("no longer in progress"),
        "{}",
        desk.message()
    );
    assert_eq!(repo.read("a.txt"), THEIRS);
}

/// Settles what is open by ours, wherever the cursor is.
fn all_ours(desk: &mut Desk) -> &mut Desk {
    while desk.state.totals().0.open > 0 {
        desk.press("n o");
    }
    desk
}

#[test]
fn what_stands_on_disk_can_be_taken_into_the_draft_by_whose_lines_they_are() {
    let base = "one\na\nb\nc\ntwo\nd\ne\nf\nthree\n";
    let side = |name: &str| {
        base.replace("one", &format!("one {name}"))
            .replace("two", &format!("two {name}"))
            .replace("three", &format!("three {name}"))
    };
    let repo = Repo::conflict("a.txt", base, &side("ours"), &side("theirs"));
    let mut desk = repo.desk();
    desk.open("a.txt");
    // Settled in another window: by ours, by theirs, by hand; and a line of its own.
    let outside = base
        .replace("one", "one ours")
        .replace("two", "two theirs")
        .replace("three", "three by hand\nmore");
    repo.write("a.txt", &outside);
    desk.press("ctrl-r");
    assert!(
        desk.message().contains("1 file changed on disk: a.txt"),
        "{}",
        desk.message()
    );
    all_ours(&mut desk).press("w");
    assert!(
        desk.shows().contains("t read it into the draft"),
        "{}",
        desk.shows()
    );
    assert_eq!(repo.read("a.txt"), outside);
    desk.press("esc u u u");
    assert_eq!(desk.state.totals().0.open, 3);
    all_ours(&mut desk).press("w t");
    let file = desk.state.open_file().unwrap();
    assert_eq!(String::from_utf8(file.draft().bytes()).unwrap(), outside);
    desk.press("u");
    assert_eq!(
        desk.state.totals().0.open,
        0,
        "its own decisions are back: {}",
        desk.message()
    );
    desk.press("u u u");
    all_ours(&mut desk).press("w t w");
    assert!(
        desk.message().contains("wrote and staged"),
        "{}",
        desk.message()
    );
    assert_eq!(repo.git(&["show", ":a.txt"]), outside);
    assert_eq!(repo.read("a.txt"), outside);
}

#[test]
fn open_conflicts_are_settled_by_the_side_whose_lines_stand_there() {
    let base = "one\na\nb\nc\ntwo\n";
    let side = |name: &str| {
        base.replace("one", &format!("one {name}"))
            .replace("two", &format!("two {name}"))
    };
    let repo = Repo::conflict("a.txt", base, &side("ours"), &side("theirs"));
    let mut desk = repo.desk();
    desk.open("a.txt");
    let outside = base.replace("one", "one ours").replace("two", "two theirs");
    repo.write("a.txt", &outside);
    let at = desk.state.file;
    desk.act(Action::Done(
        desk.state.generation,
        Box::new(WorkResult::WorkFileRead(
            at,
            Ok((Seen::Missing, outside.clone().into_bytes())),
        )),
    ));
    let file = desk.state.open_file().unwrap();
    let standing: Vec<_> = file
        .plan()
        .conflicts()
        .iter()
        .map(|id| file.draft().standing(*id).clone())
        .collect();
    assert_eq!(
        standing,
        [Version::Ours, Version::Theirs].map(|v| RegionState::Settled(Resolution::Take(v)))
    );
    assert_eq!(String::from_utf8(file.draft().bytes()).unwrap(), outside);
    // Markers are no answer.
    let marked = "<<<<<<< a\n1\n=======\n2\n>>>>>>> b\n";
    desk.act(Action::Done(
        desk.state.generation,
        Box::new(WorkResult::WorkFileRead(
            at,
            Ok((Seen::Missing, marked.into())),
        )),
    ));
    assert!(
        desk.message().contains("still contains conflict markers"),
        "{}",
        desk.message()
    );
}
