//! Every screen, whole, at three sizes and smaller.

use crate::kit::{Desk, Repo};
use armistice::base::theme::{Theme, ThemeOptions};
use armistice::state::action::Action;
use std::sync::LazyLock;

const SIZES: [(u16, u16); 3] = [(160, 47), (100, 30), (80, 24)];

/// One demo for all: nothing here writes to it but journals, each test to other files.
static DEMO: LazyLock<Repo> = LazyLock::new(|| Repo::demo("merge"));

/// Shows what `prepare` makes of the demo, at each size.
fn check(name: &str, repo: &Repo, prepare: impl Fn(&mut Desk)) {
    for (width, height) in SIZES {
        let mut desk = Desk::ruled(&repo.top, (width, height));
        prepare(&mut desk);
        let shown = desk.shows();
        assert!(shown.lines().count() == height as usize);
        insta::assert_snapshot!(format!("{name} {width}x{height}"), shown);
    }
}

#[test]
fn docket() {
    check("docket", &DEMO, |desk| {
        desk.press("down down");
    });
}

#[test]
fn docket_with_a_question() {
    check("question", &DEMO, |desk| {
        desk.press("down down down t");
    });
}

#[test]
fn parley_with_an_open_conflict() {
    check("parley", &DEMO, |desk| {
        desk.open("src/quay.rs");
    });
}

#[test]
fn parley_settled_by_rule() {
    check("ruled", &DEMO, |desk| {
        desk.open("src/moorings.rs").press("s s s");
    });
}

#[test]
fn all_likely_is_asked_with_a_list() {
    check("likely", &DEMO, |desk| {
        desk.press("L");
    });
}

#[test]
fn parley_with_a_preview() {
    check("preview", &DEMO, |desk| {
        desk.open("src/quay.rs").press("right right");
    });
}

#[test]
fn parley_side_by_side() {
    check("side by side", &DEMO, |desk| {
        desk.open("src/quay.rs").press("z");
    });
}

#[test]
fn parley_picking_lines() {
    check("picking", &DEMO, |desk| {
        desk.open("config/prices.toml")
            .press("l space down down space");
    });
}

#[test]
fn parley_editing() {
    check("editing", &DEMO, |desk| {
        desk.open("web/timetable.js")
            .press("right e end")
            .type_text(" // by hand");
    });
}

#[test]
fn proof() {
    check("proof", &DEMO, |desk| {
        desk.press("5 down");
    });
}

#[test]
fn accord() {
    check("accord", &DEMO, |desk| {
        desk.press("6");
    });
}

#[test]
fn accord_in_a_rebase() {
    let repo = Repo::demo("rebase");
    check("accord rebase", &repo, |desk| {
        desk.press("6");
    });
}

#[test]
fn ask_and_help() {
    check("ask", &DEMO, |desk| {
        desk.open("src/quay.rs").press(":").type_text("undo");
    });
    check("help", &DEMO, |desk| {
        desk.open("src/quay.rs").press("?");
    });
}

#[test]
fn no_size_is_too_small_to_draw() {
    let mut desk = Desk::new(&DEMO.top, (160, 47));
    for width in [1, 2, 10, 59, 60, 61, 119, 120, 121] {
        for height in [1, 2, 5, 15, 16, 17, 30] {
            desk.act(Action::Resize(width, height));
            for keys in [
                "2", "?", "esc", ":", "esc", "t", "esc", "5", "6", "e", "esc",
            ] {
                desk.press(keys).shows();
            }
            desk.open("tools/report.py");
            for keys in [
                "z", "z", "tab", "tab", "tab", "l", "down", "esc", "right", "esc", "e", "ctrl-f",
                "esc", "ctrl-g",
            ] {
                desk.press(keys).shows();
            }
        }
    }
}

#[test]
fn plain_marks_need_no_more_than_ascii() {
    let mut desk = Desk::new(&DEMO.top, (160, 47));
    desk.open("src/quay.rs");
    let theme = Theme::new(&ThemeOptions {
        plain_marks: true,
        no_color: true,
        ..ThemeOptions::default()
    });
    let shown = desk.shows_in(&theme);
    for mark in ['▲', '▼', '◆', '◈', '✎'] {
        assert!(!shown.contains(mark), "{mark} in\n{shown}");
    }
    assert!(shown.contains(" ^ ours") && shown.contains(" v theirs"));
}

#[test]
fn what_a_file_holds_never_reaches_the_terminal_raw() {
    let nasty = "a\u{1b}]0;title\u{7}b\u{202e}c\r!\n";
    let repo = Repo::conflict("a.txt", "x\n", nasty, "z\n");
    let mut desk = repo.desk();
    for keys in ["enter", "right", "tab", "z"] {
        let shown = desk.press(keys).shows();
        assert!(
            !shown
                .chars()
                .any(|c| c != '\n' && (c.is_control() || c == '\u{202e}')),
            "{shown:?}"
        );
    }
    assert!(desk.shows().contains("a<1b>]0;title<07>b<202e>c<0d>!"));
}
