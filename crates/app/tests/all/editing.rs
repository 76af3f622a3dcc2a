//! Deciding and editing in Parley, down to the bytes that are written.

use crate::kit::{Desk, Repo};
use armistice::state::action::Action;
use armistice_core::{LineIdx, Origin};
use ratatui::crossterm::event::{KeyModifiers, MouseButton, MouseEvent, MouseEventKind};

const BASE: &str = "head\none\nmiddle\ntwo\ntail\n";
const OURS: &str = "head\none ours\nmiddle\ntwo\ntail\nonly ours\n";
const THEIRS: &str = "only theirs\nhead\none theirs\nmiddle\ntwo\ntail\n";

fn repo() -> Repo {
    Repo::conflict("a.txt", BASE, OURS, THEIRS)
}

fn draft(desk: &Desk) -> String {
    String::from_utf8(desk.state.open_file().unwrap().draft().bytes()).unwrap()
}

fn click(desk: &mut Desk, text: &str) {
    let screen = desk.shows();
    let (row, line) = screen
        .lines()
        .enumerate()
        .find(|(_, l)| l.contains(text))
        .unwrap_or_else(|| panic!("{text} on\n{screen}"));
    let column = line[..line.find(text).unwrap()].chars().count() as u16;
    desk.act(Action::Mouse(MouseEvent {
        kind: MouseEventKind::Down(MouseButton::Left),
        column: column + 1,
        row: row as u16,
        modifiers: KeyModifiers::NONE,
    }));
}

#[test]
fn every_way_to_settle_gives_its_lines() {
    let table = [
        ("o", "one ours\n"),
        ("t", "one theirs\n"),
        ("b", "one\n"),
        ("a", "one ours\none theirs\n"),
        ("A", "one theirs\none ours\n"),
        ("d", ""),
        ("right right enter", "one theirs\n"),
        ("l down space up up space enter", "one theirs\none ours\n"),
        ("l down down space enter", "one\n"),
    ];
    for (keys, expected) in table {
        let repo = repo();
        let mut desk = repo.desk();
        desk.open("a.txt").press(keys);
        assert_eq!(
            draft(&desk),
            format!("only theirs\nhead\n{expected}middle\ntwo\ntail\nonly ours\n"),
            "{keys}"
        );
        desk.press("w");
        assert_eq!(repo.read("a.txt"), draft(&desk), "{keys}");
        assert_eq!(repo.unmerged(), "", "{keys}");
        assert_eq!(repo.git(&["show", ":a.txt"]), draft(&desk));
    }
}

#[test]
fn changes_of_one_side_can_be_declined_and_restored() {
    let repo = repo();
    let mut desk = repo.desk();
    desk.open("a.txt").press("P x");
    assert_eq!(draft(&desk), "head\none\nmiddle\ntwo\ntail\nonly ours\n");
    assert!(desk.shows().contains("no lines, by decision"));
    desk.press("x");
    assert!(draft(&desk).starts_with("only theirs\n"));
    desk.press("N N x");
    assert!(!draft(&desk).contains("only ours"));
    desk.press("u");
    assert!(draft(&desk).contains("only ours"));
}

#[test]
fn undo_redo_reopen_and_starting_over() {
    let mut desk = repo().desk();
    desk.open("a.txt").press("o u");
    assert!(draft(&desk).contains("one\nmiddle"));
    desk.press("U");
    assert!(draft(&desk).contains("one ours"));
    desk.press("r");
    assert_eq!(desk.state.totals().0.open, 1);
    desk.press("t P x R");
    assert_eq!(desk.state.totals().0.open, 1);
    assert!(draft(&desk).starts_with("only theirs\n"));
    desk.press("u");
    assert_eq!(
        draft(&desk),
        "head\none theirs\nmiddle\ntwo\ntail\nonly ours\n"
    );
}

#[test]
fn an_edit_by_hand_settles_the_conflict_and_keeps_the_other_origins() {
    let repo = repo();
    let mut desk = repo.desk();
    desk.open("a.txt")
        .press("right e end")
        .type_text(" and more")
        .press("enter")
        .type_text("new")
        .press("esc");
    assert_eq!(
        draft(&desk),
        "only theirs\nhead\none ours and more\nnew\nmiddle\ntwo\ntail\nonly ours\n"
    );
    let draft = desk.state.open_file().unwrap().draft();
    let origin = |n| draft.line(LineIdx(n)).unwrap().origin;
    assert_eq!(
        (0..8).map(origin).collect::<Vec<_>>(),
        [
            Origin::Theirs,
            Origin::Unchanged,
            Origin::Hand,
            Origin::Hand,
            Origin::Unchanged,
            Origin::Unchanged,
            Origin::Unchanged,
            Origin::Ours
        ]
    );
    assert_eq!(draft.counts().open, 0);
    desk.press("u");
    assert_eq!(desk.state.totals().0.open, 1);
}

#[test]
fn an_edit_elsewhere_leaves_the_conflict_open() {
    let repo = Repo::conflict(
        "a.txt",
        "head\ntail\n",
        "head\nours\ntail\n",
        "head\ntheirs\ntail\n",
    );
    let mut desk = repo.desk();
    // Base has nothing here, so the editor starts from both sides; only the tail is touched.
    desk.open("a.txt")
        .press("e ctrl-f")
        .type_text("tail")
        .press("enter end")
        .type_text("!")
        .press("esc");
    assert_eq!(desk.state.totals().0.open, 1);
    assert_eq!(draft(&desk), "head\ntail!\n");
    desk.press("n o");
    assert_eq!(draft(&desk), "head\nours\ntail!\n");
}

#[test]
fn leaving_without_a_change_decides_nothing() {
    let mut desk = repo().desk();
    desk.open("a.txt").press("e esc");
    assert_eq!(desk.message(), "nothing was changed");
    desk.press("e").type_text("scrap").press("ctrl-g");
    assert_eq!(desk.state.totals().0.open, 1);
    assert!(
        desk.state
            .open_file()
            .unwrap()
            .opened
            .session()
            .steps()
            .is_empty()
    );
}

#[test]
fn a_file_in_latin_1_keeps_its_bytes() {
    let line = |word: &[u8]| {
        [
            b"Gro\xdfe H\xf6he \xfcber Null, K\xe4ne\n".as_slice(),
            word,
            b"\n\xc4nderung\n",
        ]
        .concat()
    };
    let repo = Repo::new();
    repo.write("a.txt", line(b"base"));
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    repo.write("a.txt", line(b"theirs"));
    repo.commit("theirs");
    repo.git(&["checkout", "-q", "main"]);
    repo.write("a.txt", line(b"ours"));
    repo.commit("ours");
    repo.try_git(&["merge", "side"]);
    let mut desk = repo.desk();
    desk.open("a.txt")
        .press("right e home")
        .type_text("ü")
        .press("esc w");
    let bytes = std::fs::read(repo.path("a.txt")).unwrap();
    assert_eq!(bytes, line(b"\xfcours"));
    desk.press("e").type_text("⚓").press("esc");
    assert!(
        desk.message().contains("cannot encode"),
        "{}",
        desk.message()
    );
}

#[test]
fn crlf_and_a_missing_last_newline_stay_as_they_are() {
    let repo = Repo::conflict("a.txt", "a\r\nb\r\nc", "a\r\nours\r\nc", "a\r\ntheirs\r\nc");
    let mut desk = repo.desk();
    desk.open("a.txt")
        .press("right e end")
        .type_text("!")
        .press("esc w");
    assert_eq!(repo.read("a.txt"), "a\r\nours!\r\nc");
    assert_eq!(repo.git(&["show", ":a.txt"]), "a\r\nours!\r\nc");
}

#[test]
fn the_mouse_opens_previews_and_takes() {
    let repo = repo();
    let mut desk = Desk::new(&repo.top, (160, 47));
    click(&mut desk, "open     a.txt");
    assert!(desk.shows().contains("── a.txt · 1 open"));
    click(&mut desk, "t theirs");
    assert!(desk.shows().contains("preview: theirs"));
    click(&mut desk, "t theirs");
    assert!(draft(&desk).contains("one theirs"));
    click(&mut desk, "5 Proof");
    assert!(desk.shows().contains("gate"));
}

#[test]
fn ask_runs_what_was_asked_for() {
    let mut desk = repo().desk();
    desk.open("a.txt")
        .press(":")
        .type_text("take theirs")
        .press("enter");
    assert!(draft(&desk).contains("one theirs"));
}

#[test]
fn pasted_text_goes_into_the_editor() {
    let mut desk = repo().desk();
    desk.open("a.txt").press("right e");
    desk.act(Action::Paste("pasted\r\ntwice\r\n".to_owned()));
    desk.press("esc");
    assert!(draft(&desk).contains("head\npasted\ntwice\none ours\nmiddle"));
}
