//! Closing and killing at any time, and coming back.

use crate::kit::{Desk, Repo, Tmux, merged};

#[test]
fn every_decision_survives_kill_9() {
    let repo = Repo::demo("merge");
    let t = Tmux::start(&repo.top, (120, 40), "", &[]);
    t.wait(">  open     db/schema.sql");
    t.keys("End Up Up Enter").wait("conflict 1 of 3");
    t.keys("o").wait("2 open · 1 settled");
    t.keys("n o").wait("1 open · 2 settled");
    t.keys("u").wait("2 open · 1 settled");
    t.signal("-KILL").wait("EXIT 137");
    let again = Tmux::start(&repo.top, (120, 40), "", &[]);
    // The place comes back with the decisions.
    again.wait("tools/report.py: resumed where you left off");
    again.wait("tools/report.py · 2 open · 1 settled");
    again.keys("2").wait("1 by you · 16 open");
    again.keys("3");
    again.keys("U").wait("1 open · 2 settled");
    again.keys("u u").wait("3 open · 0 settled");
    again.keys("q").wait("EXIT 0");
}

#[test]
fn text_being_typed_survives_kill_9() {
    let repo = Repo::conflict("a.txt", "one\ntwo\n", "one\nours\n", "one\ntheirs\n");
    let t = Tmux::start(&repo.top, (120, 40), "", &[]);
    t.wait("1 open");
    t.keys("Enter e").wait("editing by hand");
    t.type_text("half a thought ").wait("half a thought two");
    // The unsaved is saved within the second; its file is the proof.
    let sketches = repo.path(".git/armistice/sketch");
    t.wait_until("a unsaved on disk", |_| {
        std::fs::read_dir(&sketches).is_ok_and(|mut d| {
            d.any(|f| {
                std::fs::read_to_string(f.unwrap().path())
                    .is_ok_and(|s| s.contains("half a thought"))
            })
        })
    });
    t.signal("-KILL").wait("EXIT 137");
    let again = Tmux::start(&repo.top, (120, 40), "", &[]);
    again.wait("an edit of this file was interrupted");
    again.keys("e").wait("half a thought two");
    again.keys("Escape").wait("0 open · 1 settled");
    again.keys("w").wait("written and staged");
    again.keys("q").wait("EXIT 0");
    assert_eq!(repo.read("a.txt"), "one\nhalf a thought two\n");
}

#[test]
fn what_could_not_be_recorded_is_taken_back_on_the_screen_too() {
    let base = "one\n2\n3\n4\n5\n6\n7\neight\n";
    let (ours, theirs) = (
        base.replace("one", "ours 1").replace("eight", "ours 8"),
        base.replace("one", "theirs 1").replace("eight", "theirs 8"),
    );
    let repo = Repo::conflict("a.txt", base, &ours, &theirs);
    let t = Tmux::start(&repo.top, (120, 40), "", &[]);
    t.wait("2 open");
    t.keys("Enter o").wait("1 open · 1 settled");
    let journal = std::fs::read_dir(repo.path(".git/armistice/journal")).unwrap();
    let journal = journal.map(|f| f.unwrap().path()).next().unwrap();
    let recorded = std::fs::read(&journal).unwrap();
    // The disk is full after three bytes more: a decision, undo and an edit all fail.
    t.limit_files(Some(recorded.len() as u64 + 3));
    t.keys("n t").wait("NOT saved");
    t.wait("1 open · 1 settled");
    t.keys("u").wait("NOT saved");
    t.wait("1 open · 1 settled");
    t.keys("n e").wait("editing by hand");
    t.type_text("by hand ")
        .keys("Escape")
        .wait("NOT saved, so the editor is open again");
    assert_eq!(
        std::fs::read(&journal).unwrap(),
        recorded,
        "a torn line is cut off"
    );
    t.limit_files(None);
    t.type_text("now ")
        .keys("Escape")
        .wait("0 open · 2 settled");
    t.signal("-KILL").wait("EXIT 137");
    let again = Tmux::start(&repo.top, (120, 40), "", &[]);
    again.wait("0 open · 2 settled");
    again.keys("Enter").wait("0 open · 2 settled");
    again.keys("w").wait("written and staged");
    again.keys("q").wait("EXIT 0");
    assert_eq!(
        repo.read("a.txt"),
        base.replace("one", "ours 1")
            .replace("eight", "by hand now eight")
    );
}

#[test]
fn a_signal_puts_the_terminal_back() {
    let repo = Repo::demo("merge");
    let t = Tmux::start(&repo.top, (120, 40), "", &[]);
    t.wait("17 open");
    t.signal("-TERM").wait("EXIT 0");
    assert!(
        !t.screen().contains("Docket"),
        "the alternate screen was left"
    );
}

#[test]
fn decisions_about_other_versions_are_put_aside_and_told() {
    let repo = Repo::conflict("a.txt", "one\ntwo\n", "one\nours\n", "one\ntheirs\n");
    let mut desk = repo.desk();
    desk.open("a.txt").press("o");
    assert_eq!(desk.state.totals().0.open, 0);
    repo.git(&["merge", "--abort"]);
    repo.write("a.txt", "one\nours again\n");
    repo.commit("ours changed once more");
    repo.try_git(&["merge", "side"]);
    let mut desk = repo.desk();
    assert_eq!(desk.state.totals().0.open, 1);
    desk.open("a.txt");
    assert!(
        desk.message().contains("the versions changed"),
        "{}",
        desk.message()
    );
}

#[test]
fn decisions_come_back_when_the_same_merge_is_done_again() {
    let repo = Repo::conflict("a.txt", "one\ntwo\n", "one\nours\n", "one\ntheirs\n");
    repo.desk().open("a.txt").press("t");
    let mut desk = repo.desk();
    desk.press("6 B enter");
    assert!(
        desk.message().contains("aborted the merge"),
        "{}",
        desk.message()
    );
    assert_eq!(repo.read("a.txt"), "one\nours\n");
    repo.try_git(&["merge", "side"]);
    assert_eq!(repo.desk().state.totals().0.open, 0);
}

#[test]
fn a_damaged_journal_is_kept_aside_and_told() {
    let repo = Repo::conflict("a.txt", "one\ntwo\n", "one\nours\n", "one\ntheirs\n");
    repo.desk().open("a.txt").press("t");
    let journal = std::fs::read_dir(repo.path(".git/armistice/journal"))
        .unwrap()
        .next()
        .unwrap()
        .unwrap()
        .path();
    let mut bytes = std::fs::read(&journal).unwrap();
    bytes.extend_from_slice(b"{\"do\":{\"label\":\"torn");
    std::fs::write(&journal, &bytes).unwrap();
    let mut desk = repo.desk();
    assert_eq!(desk.state.totals().0.open, 0, "what could be read counts");
    desk.open("a.txt");
    assert!(
        desk.message().contains("damaged from line 3 on"),
        "{}",
        desk.message()
    );
    desk.press("u");
    assert_eq!(
        repo.desk().state.totals().0.open,
        1,
        "the mended journal goes on"
    );
}

#[test]
fn decisions_about_another_split_of_the_same_versions_are_put_aside() {
    let repo = merged();
    let mut desk = Desk::new(&repo.top, (120, 40));
    desk.open("a.txt").press("o");
    let folder = repo.path(".git/armistice/journal");
    let file = std::fs::read_dir(folder).unwrap().next().unwrap();
    let file = file.unwrap().path();
    let stored = std::fs::read_to_string(&file).unwrap();
    assert!(stored.contains("\"fingerprint\":\""), "{stored}");
    // The same is applied, and so is what an older version stored, which had no fingerprint.
    let (head, tail) = stored.split_once(",\"fingerprint\":\"").unwrap();
    let older = format!("{head}{}", &tail[tail.find('"').unwrap() + 1..]);
    for text in [&stored, &older] {
        std::fs::write(&file, text).unwrap();
        let mut again = Desk::new(&repo.top, (120, 40));
        assert!(again.open("a.txt").shows().contains("0 open · 1 settled"));
    }
    // The parser or the rules split the file otherwise now.
    let other = format!("{head},\"fingerprint\":\"0000{}", &tail[4..]);
    std::fs::write(&file, &other).unwrap();
    let mut again = Desk::new(&repo.top, (120, 40));
    let shown = again.open("a.txt").shows();
    assert!(shown.contains("1 open"), "{shown}");
    assert!(
        again.message().contains("put aside as"),
        "{}",
        again.message()
    );
    let kept = std::fs::read_dir(repo.path(".git/armistice/kept")).unwrap();
    let kept: Vec<_> = kept
        .map(|file| std::fs::read_to_string(file.unwrap().path()))
        .collect();
    assert!(
        kept.iter()
            .any(|text| text.as_ref().is_ok_and(|text| *text == other))
    );
    // What is decided now is about the split of now.
    again.press("t");
    let mut last = Desk::new(&repo.top, (120, 40));
    assert!(last.open("a.txt").shows().contains("0 open · 1 settled"));
}

#[test]
fn two_programs_on_one_journal_are_told_apart() {
    let repo = Repo::conflict("a.txt", "one\ntwo\n", "one\nours\n", "one\ntheirs\n");
    let (mut first, mut second) = (repo.desk(), repo.desk());
    first.open("a.txt").press("o");
    second.open("a.txt").press("t");
    let message = second.message();
    assert!(message.contains("NOT saved, so it was undone"), "{message}");
    assert!(message.contains("another Armistice"), "{message}");
    assert!(second.state.message.is_trouble);
    assert_eq!(second.state.totals().0.open, 1);
}

#[test]
fn a_file_decided_anew_after_it_was_staged_says_so_after_a_restart() {
    let repo = Repo::conflict("a.txt", "one\ntwo\n", "one\nours\n", "one\ntheirs\n");
    repo.desk().open("a.txt").press("t w");
    assert!(repo.desk().state.files[0].finished());
    repo.desk().open("a.txt").press("o");
    let mut desk = repo.desk();
    assert!(!desk.state.files[0].finished());
    assert!(desk.shows().contains("changed"));
    desk.press("6 c");
    assert!(
        desk.shows().contains("1 file changed after it was written"),
        "{}",
        desk.shows()
    );
    desk.press("esc 2 w");
    assert_eq!(repo.read("a.txt"), "one\nours\n");
    assert!(repo.desk().state.files[0].finished());
}

#[test]
fn decisions_after_a_refused_conclusion_are_recorded_too() {
    let repo = Repo::conflict("a.txt", "one\ntwo\n", "one\nours\n", "one\ntheirs\n");
    let hook = repo.path(".git/hooks/commit-msg");
    repo.write(".git/hooks/commit-msg", "#!/bin/sh\nexit 1\n");
    std::fs::set_permissions(hook, std::os::unix::fs::PermissionsExt::from_mode(0o755)).unwrap();
    let mut desk = repo.desk();
    desk.open("a.txt").press("t w 6 c esc 3 u o");
    assert!(!desk.state.message.is_trouble, "{}", desk.message());
    let again = repo.desk();
    let bytes = again.state.files[0].open().unwrap().draft().bytes();
    assert_eq!(bytes, b"one\nours\n");
}

#[test]
fn the_place_comes_back_with_file_conflict_and_lens_after_closing_and_after_a_kill() {
    let base = "one\n2\n3\n4\n5\n6\n7\neight\n";
    let of = |word: &str| {
        base.replace("one", &format!("{word} 1"))
            .replace("eight", &format!("{word} 8"))
    };
    let repo = Repo::conflict("a.txt", base, &of("ours"), &of("theirs"));
    let t = Tmux::start(&repo.top, (160, 40), "", &[]);
    t.wait("2 open");
    t.keys("q").wait("EXIT 0");
    assert!(
        !repo.path(".git/armistice/place.json").exists(),
        "looking writes nothing"
    );
    for how in ["q", "-KILL", "-TERM"] {
        let t = Tmux::start(&repo.top, (160, 40), "", &[]);
        t.wait("2 open");
        t.keys("2 3").wait("conflict 1 of 2");
        t.keys("n").wait("conflict 2 of 2");
        t.keys("Tab").wait("against ours");
        t.wait_until("the place on disk", |_| {
            std::fs::read_to_string(repo.path(".git/armistice/place.json"))
                .is_ok_and(|text| text.contains("Face"))
        });
        match how {
            "q" => t.keys("q"),
            signal => t.signal(signal),
        };
        t.wait("EXIT");
        let again = Tmux::start(&repo.top, (160, 40), "", &[]);
        again.wait("a.txt: resumed where you left off");
        let screen = again.wait("conflict 2 of 2");
        assert!(screen.contains("against ours"), "{how}\n{screen}");
        again.keys("Tab Tab p 2 q").wait("EXIT 0");
    }
    // Another step is another place.
    repo.git(&["merge", "--abort"]);
    repo.try_git(&["merge", "side"]);
    repo.git(&["commit", "-q", "--allow-empty", "-am", "by hand"]);
    let t = Tmux::start(&repo.top, (160, 40), "", &[]);
    let screen = t.wait("nothing in progress");
    assert!(!screen.contains("resumed where you left off"), "{screen}");
}

/// What every screen and command says of a written file whose decision was taken back.
fn assert_is_not_finished(desk: &mut Desk, repo: &Repo) {
    let docket = desk.press("2").shows();
    assert!(
        docket.contains("0/1") && !docket.contains("staged "),
        "{docket}"
    );
    let proof = desk.press("5").shows();
    assert!(
        proof.contains("a decision changed after the file was written"),
        "{proof}"
    );
    assert!(!proof.contains("Proof clean"), "{proof}");
    let accord = desk.press("6").shows();
    assert!(!accord.contains("Accord ready"), "{accord}");
    assert!(
        accord.contains("1 file changed after it was written"),
        "{accord}"
    );
    let head = repo.git(&["rev-parse", "HEAD"]);
    desk.press("c");
    assert!(
        desk.shows().contains("Conclude anyway?"),
        "{}",
        desk.shows()
    );
    desk.press("esc");
    assert_eq!(repo.git(&["rev-parse", "HEAD"]), head);
    let (code, said) = repo.output(&["docket"]);
    assert!(code == 1 && said.contains("after it was written"), "{said}");
    let (code, said) = repo.output(&["conclude"]);
    assert!(
        code == 1 && said.contains("a decision changed after"),
        "{said}"
    );
    assert_eq!(repo.git(&["rev-parse", "HEAD"]), head);
}

#[test]
fn a_written_file_with_a_decision_taken_back_is_not_finished_before_and_after_a_restart() {
    // Undone, reopened, decided otherwise.
    for keys in ["u", "r", "t"] {
        let repo = merged();
        let mut desk = Desk::new(&repo.top, (120, 40));
        desk.open("a.txt").press("o w");
        assert!(desk.press("2").shows().contains("1/1"), "{}", desk.shows());
        desk.open("a.txt").press(keys);
        assert_is_not_finished(&mut desk, &repo);
        let mut again = Desk::new(&repo.top, (120, 40));
        assert_is_not_finished(&mut again, &repo);
        // Written again it is finished, and that is what is committed.
        again.open("a.txt").press("t w");
        let again = Desk::new(&repo.top, (120, 40));
        assert!(again.shows().contains("1/1"), "{}", again.shows());
        let mut again = again;
        again.press("6 c");
        assert_eq!(repo.git(&["show", "HEAD:a.txt"]), crate::kit::THEIRS);
    }
}

#[test]
fn what_is_reopened_is_settled_on_the_command_line_too() {
    let repo = merged();
    assert_eq!(repo.output(&["settle", "a.txt", "--by", "ours"]).0, 0);
    let mut desk = Desk::new(&repo.top, (120, 40));
    desk.open("a.txt").press("r");
    let (code, said) = repo.output(&["settle", "a.txt", "--by", "theirs"]);
    assert!(code == 0 && said.contains("wrote and staged"), "{said}");
    assert_eq!(repo.git(&["show", ":a.txt"]), crate::kit::THEIRS);
    assert_eq!(repo.output(&["settle", "a.txt", "--by", "ours"]).0, 2);
}
