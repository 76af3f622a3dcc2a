//! The question in sight, choices that lose nothing, who and why.

use crate::kit::{Desk, Repo, Tmux};

/// Forty rows that ours re-indented, of which theirs and ours both re-worded one.
fn laid_out_anew() -> Repo {
    let rows = |indent: &str, named: &str| -> String {
        let row = |n: usize| {
            let ship = if n == 30 { named } else { "ship" };
            format!("{indent}moor({ship}, berth_{n});\n")
        };
        (0..40).map(row).collect()
    };
    let wrap = |rows: String| format!("if tide {{\n{rows}}}\n");
    Repo::conflict(
        "quay.js",
        &rows("", "ship"),
        &wrap(rows("    ", "tug")),
        &rows("", "pilot"),
    )
}

#[test]
fn the_clash_is_in_sight_and_what_was_laid_out_anew_is_folded() {
    let repo = laid_out_anew();
    for size in [(160, 47), (100, 30), (80, 24)] {
        let mut desk = Desk::new(&repo.top, size);
        desk.open("quay.js");
        let open = desk.state.open_file().unwrap();
        assert!(open.draft().open().next().is_some());
        let shown = desk.shows();
        assert!(shown.contains("[ship→tug]"), "{shown}");
        assert!(shown.contains("[ship→pilot]"), "{shown}");
    }
}

#[test]
fn what_is_folded_opens_on_a_key_and_long_cards_scroll() {
    let text = |word: &str| -> String { (0..60).map(|n| format!("{word} {n}\n")).collect() };
    let repo = Repo::conflict("a.txt", &text("base"), &text("ours"), &text("theirs"));
    let mut desk = Desk::new(&repo.top, (160, 47));
    desk.open("a.txt");
    let shown = desk.shows();
    assert!(
        shown.contains("[base→ours] 0") && shown.contains("[base→theirs] 0"),
        "{shown}"
    );
    assert!(shown.contains("lines below · ( ) scroll"), "{shown}");
    assert!(!shown.contains("[base→ours] 40"));
    // Every row comes into sight by one key alone, each card for itself.
    let mut seen = vec![false; 60];
    for _ in 0..12 {
        let shown = desk.shows();
        for (n, seen) in seen.iter_mut().enumerate() {
            *seen |= shown.lines().any(|row| {
                row.contains(&format!("[base→ours] {n}  "))
                    || row.trim_end().ends_with(&format!("[base→ours] {n}"))
            });
        }
        assert!(shown.contains("[base→theirs] 0"), "{shown}");
        desk.press(")");
    }
    assert!(seen.iter().all(|seen| *seen), "{seen:?}");
    assert!(
        desk.message().contains("the whole card"),
        "{}",
        desk.message()
    );
    desk.press("(");
    assert!(desk.shows().contains("above"));
    desk.press("}");
    assert!(!desk.shows().contains("[base→theirs] 0"));

    let repo = laid_out_anew();
    let mut desk = Desk::new(&repo.top, (160, 47));
    desk.open("quay.js");
    let folded = desk.shows();
    let rows = |shown: &str| shown.lines().filter(|row| row.contains("deeper")).count();
    let before = rows(&folded);
    desk.press("f");
    assert!(desk.message().contains("all lines are shown"));
    assert!(rows(&desk.shows()) <= before);
    assert!(
        !desk.shows().contains("re-indented, 4 deeper"),
        "{}",
        desk.shows()
    );
}

#[test]
fn a_side_taken_leaves_what_nobody_disputes_and_all_of_it_says_what_goes() {
    let base = "name = quay\nlimit = 1\nretries = 3\nwait = 5\n";
    let ours = base.replace("limit = 1", "limit = 10");
    let theirs = base
        .replace("limit = 1", "limit = 20")
        .replace("retries = 3", "retries = 5");
    let repo = Repo::conflict("a.toml", base, &ours, &theirs);
    let mut desk = repo.desk();
    desk.open("a.toml").press("o");
    let text = |desk: &Desk| {
        let open = desk.state.open_file().unwrap();
        String::from_utf8(open.draft().bytes()).unwrap()
    };
    assert_eq!(
        text(&desk),
        "name = quay\nlimit = 10\nretries = 5\nwait = 5\n"
    );
    // The line that theirs alone changed wears its mark and can be declined.
    let marked = desk.shows();
    assert!(
        marked
            .lines()
            .any(|row| row.contains("▼") && row.contains("retries = 5")),
        "{marked}"
    );
    desk.press("u O");
    assert_eq!(text(&desk), ours);
    assert!(
        desk.message()
            .contains("discarding 1 change that only theirs made"),
        "{}",
        desk.message()
    );
    desk.press("u T");
    assert_eq!(text(&desk), theirs);
    // A change of theirs that was declined before is part of all of theirs.
    desk.press("u N x");
    assert_eq!(text(&desk), base);
    desk.press("n T");
    assert_eq!(text(&desk), theirs, "{}", desk.message());
    desk.press("u u");
    desk.press("u");
    assert!(
        desk.state
            .open_file()
            .unwrap()
            .draft()
            .open()
            .next()
            .is_some()
    );
}

#[test]
fn the_other_side_can_be_left_there_as_a_comment() {
    let repo = Repo::conflict("a.rs", "old();\n", "moor();\n", "dock();\npay();\n");
    let mut desk = repo.desk();
    desk.open("a.rs").press("C w");
    assert_eq!(repo.read("a.rs"), "moor();\n// dock();\n// pay();\n");
    let repo = Repo::conflict("a.html", "<p>old</p>\n", "<p>moor</p>\n", "<p>a -- b</p>\n");
    let mut desk = repo.desk();
    desk.open("a.html").press("D w");
    assert_eq!(repo.read("a.html"), "<p>a -- b</p>\n<!-- <p>moor</p> -->\n");
    let repo = Repo::conflict("a.json", "[1]\n", "[2]\n", "[3]\n");
    let mut desk = repo.desk();
    desk.open("a.json").press("C");
    assert!(
        desk.message().contains("knows no comment syntax"),
        "{}",
        desk.message()
    );
    assert!(repo.read("a.json").contains("<<<<<<<"));
}

#[test]
fn picked_lines_can_stand_as_comments() {
    let repo = Repo::conflict("a.py", "old()\n", "moor()\n", "dock()\n");
    let mut desk = repo.desk();
    // Ours as it is, theirs as a comment.
    desk.open("a.py").press("l space c enter w");
    assert_eq!(
        repo.read("a.py"),
        "moor()\n# dock()\n",
        "{}",
        desk.message()
    );
}

#[test]
fn both_stand_as_one_text_would_have_them() {
    let base = "{\n  \"a\": 1\n}\n";
    let ours = "{\n  \"a\": 1,\n  \"b\": 2\n}\n";
    let theirs = "{\n  \"a\": 1,\n  \"c\": 3\n}\n";
    let repo = Repo::conflict("a.json", base, ours, theirs);
    let mut desk = repo.desk();
    desk.open("a.json");
    let n = desk.state.open_file().unwrap().plan().conflicts().len();
    for _ in 0..n {
        desk.press("a");
    }
    desk.press("w");
    assert_eq!(
        repo.read("a.json"),
        "{\n  \"a\": 1,\n  \"b\": 2,\n  \"c\": 3\n}\n"
    );
}

#[test]
fn a_decision_goes_on_to_the_next_and_says_when_none_is_left() {
    let text = |word: &str| format!("{word} 1\na\nb\nc\nd\n{word} 2\ne\nf\ng\nh\n{word} 3\n");
    let repo = Repo::conflict("a.txt", &text("base"), &text("ours"), &text("theirs"));
    let mut desk = repo.desk();
    desk.open("a.txt").press("o");
    let number = |desk: &Desk| {
        let open = desk.state.open_file().unwrap();
        open.plan().conflict_of(open.view.region).unwrap().number()
    };
    assert_eq!(number(&desk), 2);
    assert!(desk.message().contains("next: 2"), "{}", desk.message());
    desk.press("u");
    assert_eq!(number(&desk), 1);
    desk.press("o t o");
    assert!(
        desk.message()
            .contains("no conflict is open here: w writes"),
        "{}",
        desk.message()
    );
    desk.press("u u u");
    desk.state.settings.go_on = false;
    desk.press("g n");
    let here = number(&desk);
    desk.press("o");
    assert_eq!(number(&desk), here);
}

#[test]
fn each_card_says_who_did_it_and_a_key_says_why() {
    let repo = Repo::new();
    repo.write("a.txt", "one\ntwo\nthree\n");
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    repo.write("a.txt", "one\nTWO of theirs\nthree\n");
    repo.git(&[
        "commit",
        "--author=Mila Okafor <mila@harbour.example>",
        "-qam",
        "Name the second berth\n\nThe pilots asked for it.",
    ]);
    repo.write("b.txt", "other\n");
    repo.commit("Something else");
    repo.git(&["checkout", "-q", "main"]);
    repo.write("a.txt", "one\nthree\n");
    repo.write("c.txt", "beside\n");
    repo.commit("Close the second berth");
    repo.try_git(&["merge", "-q", "side"]);
    let mut desk = repo.desk();
    let shown = desk.open("a.txt").shows();
    // Whoever took a line out is named as well.
    assert!(
        shown.contains("Close the second berth · Ines Brandt"),
        "{shown}"
    );
    assert!(
        shown.contains("Name the second berth · Mila Okafor"),
        "{shown}"
    );
    assert!(!shown.contains("Something else · Ines"), "{shown}");
    let said = desk.press("c").shows();
    for line in [
        "The pilots asked for it.",
        "Mila Okafor <mila@harbour.example>",
        "ask Mila Okafor",
        "changed 2 files:",
        "c.txt",
    ] {
        assert!(said.contains(line), "no {line:?} in\n{said}");
    }
    desk.press("esc");
    let (_, json) = repo.output(&["docket", "--json", "--who"]);
    let json: serde_json::Value = serde_json::from_str(&json).unwrap();
    let who = &json["cases"][0]["who"];
    assert_eq!(who["theirs"][0]["author"], "Mila Okafor");
    assert_eq!(who["ours"][0]["subject"], "Close the second berth");
    let (_, plain) = repo.output(&["docket", "--who"]);
    assert!(
        plain.contains("theirs  ") && plain.contains("Name the second berth"),
        "{plain}"
    );
}

#[test]
fn in_a_rebase_and_of_files_without_lines_who_is_told_too() {
    let repo = Repo::new();
    repo.write("a.txt", "one\n");
    repo.write("gone.txt", "one\n");
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    repo.write("a.txt", "theirs\n");
    repo.write("gone.txt", "edited\n");
    repo.commit("Reword it");
    repo.git(&["checkout", "-q", "main"]);
    repo.write("a.txt", "ours\n");
    repo.git(&["rm", "-q", "gone.txt"]);
    repo.commit("Remove and reword");
    repo.git(&["checkout", "-q", "side"]);
    repo.try_git(&["rebase", "-q", "main"]);
    let mut desk = repo.desk();
    let shown = desk.open("a.txt").shows();
    assert!(shown.contains("Remove and reword · Ines Brandt"), "{shown}");
    assert!(shown.contains("Reword it · Ines Brandt"), "{shown}");
    desk.press("2 down");
    desk.press("c");
    desk.press("c");
    let said = desk.shows();
    assert!(
        said.contains("who and why") && said.contains("gone.txt"),
        "{said}"
    );
}

#[test]
fn on_a_very_wide_screen_the_cards_stand_side_by_side() {
    let repo = Repo::conflict("a.txt", "x\nold\ny\n", "x\nours\ny\n", "x\ntheirs\ny\n");
    let mut desk = Desk::new(&repo.top, (220, 50));
    let shown = desk.open("a.txt").shows();
    let heads = shown
        .lines()
        .any(|row| row.contains("▲ ours") && row.contains("▼ theirs"));
    assert!(heads, "{shown}");
    assert!(
        shown.contains("context in ours") && shown.contains("context in theirs"),
        "{shown}"
    );
    let t = Tmux::start(&repo.top, (220, 50), "", &[]);
    t.wait("1 open");
    t.keys("Enter").wait("context in theirs");
    t.keys("t").wait("0 open");
}

#[test]
fn words_are_found_in_the_draft_and_the_versions_and_one_goes_back() {
    let text = |middle: &str| -> String {
        let rows = |from: usize| {
            (from..from + 30)
                .map(|n| format!("row {n}\n"))
                .collect::<String>()
        };
        format!("{}{middle}{}pilot here\n", rows(0), rows(30))
    };
    let repo = Repo::conflict(
        "a.txt",
        &text("old\n"),
        &text("ours\n"),
        &text("only theirs\n"),
    );
    let mut desk = Desk::new(&repo.top, (160, 47));
    let line = |desk: &Desk| {
        let open = desk.state.open_file().unwrap();
        (open.view.region, open.view.offset)
    };
    desk.open("a.txt");
    let start = line(&desk);
    desk.press("/").type_text("pilot").press("enter");
    assert_ne!(line(&desk), start);
    assert!(
        desk.message().contains("'pilot': 1 of 1"),
        "{}",
        desk.message()
    );
    desk.press("'");
    assert_eq!(line(&desk), start);
    desk.press("/").type_text("only theirs").press("enter");
    assert!(
        desk.message().contains("theirs has it on line 31"),
        "{}",
        desk.message()
    );
    assert_eq!(line(&desk).0, start.0);
    desk.press("/").type_text("frobnicate").press("enter");
    assert!(
        desk.message().contains("in no version"),
        "{}",
        desk.message()
    );
    desk.press("=").type_text("5").press("enter");
    assert_eq!(line(&desk).1, 4);
    desk.press("=").type_text("9999").press("enter");
    assert!(
        desk.message().contains("lines 1 to 62"),
        "{}",
        desk.message()
    );
}

#[test]
fn lines_are_copied_out_of_the_versions_into_the_editor() {
    let repo = Repo::conflict("a.txt", "old\n", "moor\n", "dock\n");
    let mut desk = repo.desk();
    // The line of theirs, put in above the one at the cursor.
    desk.open("a.txt").press("l down y");
    assert!(
        desk.message().contains("copied 1 line"),
        "{}",
        desk.message()
    );
    desk.press("esc o g e ctrl-v esc w");
    assert_eq!(repo.read("a.txt"), "dock\nmoor\n", "{}", desk.message());
}

#[test]
fn the_editor_indents_and_takes_whole_lines() {
    let repo = Repo::conflict(
        "a.rs",
        "old();\n",
        "if tide {\n    moor();\n}\n",
        "dock();\n",
    );
    let mut desk = repo.desk();
    desk.open("a.rs").press("o g e end enter");
    desk.type_text("log();").press("esc");
    let text = |desk: &Desk| {
        let open = desk.state.open_file().unwrap();
        String::from_utf8(open.draft().bytes()).unwrap()
    };
    assert_eq!(text(&desk), "if tide {\n    log();\n    moor();\n}\n");
    // Without a selection the whole line goes, and comes back above the one at the cursor.
    desk.press("e ctrl-home down ctrl-x down ctrl-v esc");
    assert_eq!(text(&desk), "if tide {\n    moor();\n    log();\n}\n");
}

#[test]
fn the_same_edit_is_offered_wherever_both_sides_made_the_same_changes() {
    let text = |extra: &str| -> String {
        let method = |(name, with): (&str, &str)| {
            format!("    def {name}(self{with}{extra}):\n        return self.get('{name}')\n\n")
        };
        let methods = [
            ("ships", ""),
            ("berths", ", quay"),
            ("tides", ", day, place"),
        ];
        let methods = methods.map(method).concat();
        format!("class Api:\n{methods}")
    };
    let repo = Repo::conflict(
        "api.py",
        &text(""),
        &text(", timeout=10"),
        &text(", per_page=50"),
    );
    let mut desk = Desk::new(&repo.top, (160, 47));
    desk.open("api.py").press("right e end left left");
    desk.type_text(", per_page=50").press("esc");
    let asked = desk.press(".").shows();
    for line in [
        "settle 2 conflicts like this one?",
        "def berths(self, quay, timeout=10, per_page=50):",
        "def tides(self, day, place, timeout=10, per_page=50):",
    ] {
        assert!(asked.contains(line), "no {line:?} in\n{asked}");
    }
    desk.press("enter w");
    assert_eq!(
        repo.read("api.py"),
        text(", timeout=10, per_page=50"),
        "{}",
        desk.message()
    );
}

#[test]
fn long_lines_of_the_draft_wrap_when_asked() {
    let long = (0..40).map(|n| format!("berth_{n} ")).collect::<String>();
    let repo = Repo::conflict(
        "a.txt",
        &format!("{long}\nold\nend\n"),
        &format!("{long}\nours\nend\n"),
        &format!("{long}\ntheirs\nend\n"),
    );
    let mut desk = Desk::new(&repo.top, (160, 47));
    let window = |desk: &Desk| -> String {
        let shown = desk.shows();
        let rows = shown
            .lines()
            .map(|row| row.chars().take(79).collect::<String>() + "\n");
        rows.collect()
    };
    desk.open("a.txt");
    assert!(!window(&desk).contains("berth_39"), "{}", window(&desk));
    desk.press("g");
    // The line at the cursor is shown whole.
    assert!(window(&desk).contains("whole: ") && window(&desk).contains("berth_39"));
    desk.press("Z");
    let wrapped = window(&desk);
    assert!(
        wrapped.contains("berth_39") && !wrapped.contains("whole: "),
        "{wrapped}"
    );
    // The cursor passes each row, and what follows stays in place.
    desk.press("n t");
    assert!(window(&desk).contains("▼   2") || window(&desk).contains("theirs"));
    desk.press("Z g down");
    assert!(!window(&desk).contains("berth_39"), "{}", window(&desk));
}

#[test]
fn rows_of_the_draft_are_dragged_over_and_copied() {
    use armistice::state::action::Action;
    use ratatui::crossterm::event::{KeyModifiers, MouseButton, MouseEvent, MouseEventKind};
    let repo = Repo::conflict(
        "a.txt",
        "one\ntwo\nold\n",
        "one\ntwo\nours\n",
        "one\ntwo\ntheirs\n",
    );
    let mut desk = Desk::new(&repo.top, (160, 47));
    desk.open("a.txt");
    let row_of = |desk: &Desk, text: &str| {
        let shown = desk.shows();
        shown.lines().position(|row| row.contains(text)).unwrap() as u16
    };
    let (from, to) = (row_of(&desk, "1   one"), row_of(&desk, "2   two"));
    let mut mouse = |kind, row| {
        desk.act(Action::Mouse(MouseEvent {
            kind,
            column: 20,
            row,
            modifiers: KeyModifiers::NONE,
        }));
    };
    mouse(MouseEventKind::Down(MouseButton::Left), from);
    mouse(MouseEventKind::Drag(MouseButton::Left), to);
    assert!(
        desk.message().contains("2 rows selected"),
        "{}",
        desk.message()
    );
    desk.press("y");
    assert_eq!(desk.state.clipboard, "one\ntwo\n");
    // The frame of what is open stays while the draft is edited.
    desk.press("e");
    let shown = desk.shows();
    let framed = shown.lines().find(|row| row.contains("old")).unwrap();
    assert!(framed.matches('│').count() >= 2, "{shown}");
}

#[test]
fn a_rebase_of_ten_files_in_three_steps_takes_few_keys() {
    let repo = Repo::new();
    let names: Vec<String> = (0..10).map(|n| format!("berth_{n}.txt")).collect();
    let text = |word: &str| format!("head\n{word}\ntail\n");
    for name in &names {
        repo.write(name, text("base"));
    }
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    for (nth, some) in [&names[..4], &names[4..7], &names[7..]]
        .into_iter()
        .enumerate()
    {
        for name in some {
            repo.write(name, text("side"));
        }
        repo.commit(&format!("step {nth}"));
    }
    repo.git(&["checkout", "-q", "main"]);
    for name in &names {
        repo.write(name, text("main"));
    }
    repo.commit("main goes on");
    repo.git(&["checkout", "-q", "side"]);
    repo.try_git(&["rebase", "-q", "main"]);
    let mut desk = repo.desk();
    let mut keys = 0;
    for files in [4, 3, 3] {
        let settle = vec!["t"; files].join(" n ");
        let all = format!("enter {settle} W 6 c");
        keys += all.split(' ').count();
        desk.press(&all);
    }
    assert!(desk.state.situation.is_idle(), "{}", desk.shows());
    assert!(names.iter().all(|name| repo.read(name) == text("side")));
    assert_eq!(
        repo.git(&["log", "--format=%s", "-n4"]),
        "step 2\nstep 1\nstep 0\nmain goes on\n"
    );
    assert!(keys <= 40, "{keys} keys");
}

#[test]
fn where_all_white_space_may_differ_blanks_are_no_evidence() {
    let repo = Repo::conflict(
        "a.c",
        "a(b);\nc(d);\n",
        "  a(b);\n  c(e);\n",
        "a(b);\nc(f);\n",
    );
    let mut desk = Desk::new(&repo.top, (160, 47));
    let exact = desk.open("a.c").shows();
    assert!(exact.contains("re-indented 1 line"), "{exact}");
    desk.press("B B B B");
    assert_eq!(desk.state.settings.whitespace.name(), "all");
    let all = desk.shows();
    assert!(
        !all.contains("re-indented 1 line") && all.contains("[d→e]"),
        "{all}"
    );
    assert!(!all.contains("[→··]"), "{all}");
}
