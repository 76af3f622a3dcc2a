//! Every screen, whole, at three sizes and smaller.

use crate::kit::{Desk, NOW, Repo};
use armistice::base::project_checks::CheckSetting;
use armistice::base::theme::{Theme, ThemeOptions};
use armistice::case::checks::OutputLines;
use armistice::state::action::{Action, WorkResult};
use armistice_git::PathFinding;
use std::sync::LazyLock;

const SIZES: [(u16, u16); 3] = [(160, 47), (100, 30), (80, 24)];

/// One demo for all: nothing here writes to it but journals, each test to other files.
static DEMO: LazyLock<Repo> = LazyLock::new(|| Repo::demo("merge"));

/// Compares what `prepare` brings to the screen with a snapshot, at each size; whatever the
/// snapshot says, the screen is full and the `essentials` are on it.
fn check(name: &str, repo: &Repo, essentials: &[&str], prepare: impl Fn(&mut Desk)) {
    for (width, height) in SIZES {
        let mut desk = Desk::ruled(&repo.top, (width, height));
        prepare(&mut desk);
        let shown = desk.shows();
        assert_eq!(shown.lines().count(), height as usize);
        for essential in essentials {
            assert!(shown.contains(essential), "no {essential:?} in\n{shown}");
        }
        insta::assert_snapshot!(format!("{name} {width}x{height}"), shown);
    }
}

#[test]
fn docket() {
    check(
        "docket",
        &DEMO,
        &[
            "14 files",
            "17 open",
            ">  open     db/schema.sql",
            "o ours",
            "enter open",
        ],
        |_| {},
    );
}

#[test]
fn docket_with_a_question() {
    check(
        "question",
        &DEMO,
        &[
            "take the whole file from theirs",
            "discards from ours: 1 line added, 1 removed",
            "esc do nothing",
        ],
        |desk| {
            desk.press("down t");
        },
    );
}

#[test]
fn parley_with_an_open_conflict() {
    check(
        "parley",
        &DEMO,
        &[
            "1 open · 0 settled",
            "conflict 1 of 1",
            "word-by-word blend",
            "▲ ours  re-worded",
            "▼ theirs  re-worded",
        ],
        |desk| {
            desk.open("tools/pilotage.py");
        },
    );
}

#[test]
fn parley_settled_by_rule() {
    check(
        "ruled",
        &DEMO,
        &["4 open · 6 settled", "settled by rule: "],
        |desk| {
            desk.open("src/moorings.rs").press("s s s");
        },
    );
}

#[test]
fn all_likely_is_asked_with_a_list() {
    check(
        "likely",
        &DEMO,
        &[
            "accept 10 suggestions?",
            "docs/handbook.md · conflict 1 · word-by-word blend",
            "│ The tide table is read",
            "u undoes all of them in one step",
            "esc do nothing",
        ],
        |desk| {
            desk.press("L");
        },
    );
}

#[test]
fn parley_with_a_preview() {
    check(
        "preview",
        &DEMO,
        &[
            "preview: ours",
            "enter takes it · esc keeps it open",
            "amount = BASE_FEE",
        ],
        |desk| {
            desk.open("tools/pilotage.py").press("right right");
        },
    );
}

#[test]
fn parley_side_by_side() {
    check(
        "side by side",
        &DEMO,
        &["─ side by side ─", "▲ ours", "◆ base", "▼ theirs"],
        |desk| {
            desk.open("tools/pilotage.py").press("z");
        },
    );
}

#[test]
fn parley_picking_lines() {
    check(
        "picking",
        &DEMO,
        &["preview: picked so far", "enter accept"],
        |desk| {
            desk.open("tools/pilotage.py")
                .press("l space down down space");
        },
    );
}

#[test]
fn parley_editing() {
    check(
        "editing",
        &DEMO,
        &["editing by ha", "✎  30", "esc keep and leave"],
        |desk| {
            desk.open("web/timetable.js")
                .press("right e end")
                .type_text(" // by hand");
        },
    );
}

#[test]
fn proof() {
    check(
        "proof",
        &DEMO,
        &[
            "! no conflict is open",
            "nothing to check yet",
            "> ! config/prices.toml",
            "Not ready: 14 files not finished yet",
        ],
        |desk| {
            desk.press("5 down");
        },
    );
}

/// The demo in which another program staged a file without a brace and without an edit of theirs.
fn broken_demo() -> Repo {
    let repo = Repo::demo("merge");
    let ours = repo.git(&["show", "HEAD:src/quay.rs"]);
    let at = ours.find("\n    }\n").unwrap();
    repo.write("src/quay.rs", ours[..at].to_owned() + &ours[at + 6..]);
    repo.git(&["add", "src/quay.rs"]);
    repo
}

fn with_checks(desk: &mut Desk) {
    let check = |name: &str, run: &str, required| CheckSetting {
        name: name.to_owned(),
        run: run.to_owned(),
        required,
        ..CheckSetting::default()
    };
    desk.state.settings.checks = vec![
        check("berths", "seq -f 'berth %g: free at low water' 30", true),
        check("prices", "echo 'no price for 3 berths'; exit 3", false),
    ];
}

#[test]
fn proof_with_findings_and_a_running_check() {
    let repo = broken_demo();
    check(
        "proof running",
        &repo,
        &[
            "! no edit is lost",
            "! the syntax is valid",
            "running      required · 12 s",
            "o shows all it prints",
        ],
        |desk| {
            with_checks(desk);
            desk.press("5");
            let run = desk.state.proof.checks.all[0].0.run.clone();
            let worker = WorkResult::CheckBegan(run.clone());
            desk.act(Action::Done(0, Box::new(worker)));
            let mut lines = OutputLines::default();
            lines.take("berth 1: free at low water\nberth 2: free at low water\n".as_bytes());
            desk.act(Action::Done(0, Box::new(WorkResult::CheckSaid(run, lines))));
            desk.act(Action::Tick(NOW + 12));
            desk.press("g");
        },
    );
}

#[test]
fn proof_with_a_lost_edit_and_a_check_that_failed() {
    let repo = broken_demo();
    check(
        "proof failed",
        &repo,
        &["an edit of theirs is lost", "! prices", "failed"],
        |desk| {
            with_checks(desk);
            desk.press("5 g down r G");
            // How long it took is another number in every run.
            for (_, run) in &mut desk.state.proof.checks.all {
                if let Some(run) = run {
                    run.ms = 1200;
                }
            }
            let lost = |f: &PathFinding| f.finding.what.starts_with("an edit of theirs is lost");
            let proof = desk.state.proof.proof.as_ref().unwrap();
            let at = proof.findings.iter().position(lost).unwrap();
            desk.state.proof.list.chosen = desk.state.proof.checks.all.len() + at;
            desk.press("up down");
        },
    );
}

#[test]
fn accord_with_what_is_staged() {
    let repo = broken_demo();
    check(
        "staged",
        &repo,
        &["staged against", "parent 1 of 2", "src/quay.rs"],
        |desk| {
            desk.press("6 d n");
        },
    );
}

#[test]
fn accord() {
    check(
        "accord",
        &DEMO,
        &[
            "not ready: 14 files not finished yet",
            "Makes the merge commit of night-pilotage into harbour/main",
            "B abort",
        ],
        |desk| {
            desk.press("6");
        },
    );
}

#[test]
fn accord_in_a_rebase() {
    let repo = Repo::demo("rebase");
    check(
        "accord rebase",
        &repo,
        &[
            "not ready: 3 files not finished yet",
            "Commits step 2 of 5, then continues with step 3",
            "Keep a lit berth for ships at night",
        ],
        |desk| {
            desk.press("6");
        },
    );
}

#[test]
fn ask_and_help() {
    check(
        "ask",
        &DEMO,
        &[
            "Ask · type a few letters",
            ": undo",
            "take back the last decision",
        ],
        |desk| {
            desk.open("src/quay.rs").press(":").type_text("undo");
        },
    );
    check(
        "help",
        &DEMO,
        &[
            "Parley · what did each side want here",
            "go to the next open conflict",
            "take ours",
        ],
        |desk| {
            desk.open("src/quay.rs").press("?");
        },
    );
}

#[test]
fn every_size_is_drawn_whole_and_without_a_panic() {
    let mut desk = Desk::new(&DEMO.top, (160, 47));
    for width in [1, 2, 10, 59, 60, 61, 119, 120, 121] {
        for height in [1, 2, 5, 15, 16, 17, 30] {
            desk.act(Action::Resize(width, height));
            for keys in [
                "2", "?", "esc", ":", "esc", "t", "esc", "5", "6", "e", "esc",
            ] {
                assert_eq!(desk.press(keys).shows().lines().count(), height as usize);
            }
            desk.open("tools/report.py");
            for keys in [
                "z", "z", "tab", "tab", "tab", "l", "down", "esc", "right", "esc", "e", "ctrl-f",
                "esc", "ctrl-g",
            ] {
                assert_eq!(desk.press(keys).shows().lines().count(), height as usize);
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
    for keys in ["right", "z", "?", "esc", ":", "esc", "2", "5", "6", "2"] {
        let shown = desk.press(keys).shows_in(&theme);
        let drawn: Vec<char> = shown.chars().filter(|c| !c.is_ascii()).collect();
        // The demo has no such letters but in two of its files, which are not open.
        assert!(drawn.is_empty(), "{drawn:?} after {keys} in\n{shown}");
    }
    // Folded lines, surroundings, commits, what is typed.
    desk.open("config/prices.toml");
    for keys in ["f", "c", "esc", "/", "esc", "l", "esc", "g", "Z"] {
        let shown = desk.press(keys).shows_in(&theme);
        let drawn: Vec<char> = shown.chars().filter(|c| !c.is_ascii()).collect();
        assert!(drawn.is_empty(), "{drawn:?} after {keys} in\n{shown}");
    }
}

#[test]
fn signs_that_stand_in_a_file_stay_where_the_programs_own_are_plain() {
    let text = |side: &str| format!("→ ▲ same …\n│ {side} ▼\nend\n");
    let repo = Repo::conflict("a.txt", &text("base"), &text("ours"), &text("theirs"));
    let theme = Theme::new(&ThemeOptions {
        plain_marks: true,
        no_color: true,
        ..ThemeOptions::default()
    });
    let mut desk = Desk::new(&repo.top, (100, 30));
    let shown = desk.open("a.txt").shows_in(&theme);
    assert!(shown.contains("→ ▲ same …"), "{shown}");
    assert!(shown.contains("│ [base>ours] ▼"), "{shown}");
    assert!(
        shown.contains(" ^ ours") && !shown.contains("▲ ours"),
        "{shown}"
    );
    let edited = desk.press("e").shows_in(&theme);
    assert!(edited.contains("│ base ▼"), "{edited}");
    // Whatever stands in front of them is the program's own.
    let helped = desk.press("esc ?").shows_in(&theme);
    let drawn: Vec<char> = helped.chars().filter(|c| !c.is_ascii()).collect();
    assert!(drawn.iter().all(|c| "→▲…│▼".contains(*c)), "{helped}");
    assert!(!helped.contains('─'), "{helped}");
}

#[test]
fn a_message_that_is_cut_can_be_read_whole_and_trouble_is_not_covered() {
    let mut desk = Desk::new(&DEMO.top, (80, 24));
    let long = "x".repeat(60);
    desk.state
        .complain(format!("first {long} · second {long} end"));
    desk.state.say("something that came from elsewhere");
    assert!(desk.message().starts_with("first"), "{}", desk.message());
    assert!(desk.shows().contains("! shows all"), "{}", desk.shows());
    let shown = desk.press("!").shows();
    assert!(shown.contains("full message"), "{shown}");
    assert!(
        shown.contains("first x") && shown.contains("x end"),
        "{shown}"
    );
    desk.press("esc");
    desk.state.complain("one");
    desk.state.complain("two");
    assert_eq!(desk.message(), "one · two");
    // A key was pressed: the next message may take its place.
    desk.press("down");
    desk.state.say("said");
    assert_eq!(desk.message(), "said");
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

/// One demo before anything was begun.
static IDLE: LazyLock<Repo> = LazyLock::new(|| {
    let repo = Repo::demo("merge");
    repo.git(&["merge", "--abort"]);
    repo
});

#[test]
fn scout_with_a_merge_and_with_a_rebase() {
    check(
        "scout",
        &IDLE,
        &[
            "> night-pilotage",
            "3 commits ahead, 5 behind",
            "37 conflicts in 14 files",
            "★ 20 by rule · 17 open",
        ],
        |_| {},
    );
    check(
        "scout rebase",
        &IDLE,
        &[
            "rebase onto",
            "16 conflicts, 5 open",
            "▲ onto night-pilotage",
        ],
        |desk| {
            desk.press("o tab");
        },
    );
}

#[test]
fn scout_with_a_tree_that_is_in_the_way() {
    let repo = Repo::demo("merge");
    repo.git(&["merge", "--abort"]);
    repo.write("db/schema.sql", "-- changed\n");
    check(
        "scout dirty",
        &repo,
        &["1 file in the way: git refuses to begin", "db/schema.sql"],
        |_| {},
    );
}

#[test]
fn scout_is_drawn_at_every_size_and_in_plain_ascii() {
    let mut desk = Desk::ruled(&IDLE.top, (160, 47));
    let theme = Theme::new(&ThemeOptions {
        plain_marks: true,
        no_color: true,
        ..ThemeOptions::default()
    });
    for (width, height) in [
        (1, 1),
        (59, 15),
        (60, 16),
        (61, 17),
        (119, 24),
        (120, 16),
        (220, 60),
    ] {
        desk.act(Action::Resize(width, height));
        for keys in [
            "1", "tab", "end", "m", "o", "/", "esc", "?", "esc", "S", "esc", "home",
        ] {
            let shown = desk.press(keys).shows_in(&theme);
            assert_eq!(shown.lines().count(), height as usize);
            let drawn: Vec<char> = shown.chars().filter(|c| !c.is_ascii()).collect();
            assert!(drawn.is_empty(), "{drawn:?} after {keys} in\n{shown}");
        }
    }
}
