//! What rules settle and propose, as a person meets it.

use crate::kit::{Desk, Repo, Tmux, armistice_as};
use armistice_core::{Certainty, RegionId, RegionState};
use std::fs;

const BASE: &str = "let berth = first(free);\nlet tide = table.low();\n";
const OURS: &str = "let berth = last(free);\nlet tide = table.low();\n";
const THEIRS: &str = "let berth = first(free);\nlet tide = table.high();\n";
const BOTH: &str = "let berth = last(free);\nlet tide = table.high();\n";

/// Words that touch: offered, not settled.
const TOUCHING: [&str; 3] = ["moor(ship)\n", "moor(ship, tide)\n", "moor(&ship)\n"];

fn ruled(repo: &Repo) -> Desk {
    Desk::ruled(&repo.top, (120, 40))
}

fn counts(desk: &Desk) -> (usize, usize, usize) {
    let counts = desk.state.totals().0;
    (counts.by_rule, counts.by_person(), counts.open)
}

#[test]
fn what_is_certain_is_settled_on_opening_shown_and_undone() {
    let repo = Repo::conflict("a.rs", BASE, OURS, THEIRS);
    let mut desk = ruled(&repo);
    assert_eq!(counts(&desk), (1, 0, 0));
    assert!(
        desk.shows().contains("★ 1 by rule · 0 by you · 0 open"),
        "{}",
        desk.shows()
    );
    assert!(
        !repo.path(".git/armistice").exists(),
        "looking writes nothing"
    );
    desk.open("a.rs").press("s");
    assert_eq!(
        desk.message(),
        "adjacent edits: main and side changed different lines next to each other · r reopens it"
    );
    // Undo takes back what a person did; what rules did on opening is opened again on purpose.
    desk.press("u");
    assert_eq!(counts(&desk), (1, 0, 0));
    assert!(desk.message().contains("nothing of yours to undo"));
    desk.press("r");
    assert_eq!(counts(&desk), (0, 0, 1));
    desk.press("u u");
    assert_eq!(counts(&desk), (1, 0, 0));
    desk.press("U");
    // What was opened again stays open.
    let mut again = ruled(&repo);
    assert_eq!(counts(&again), (0, 0, 1));
    again.open("a.rs").press("u w");
    assert_eq!(repo.read("a.rs"), BOTH);
}

#[test]
fn a_proposal_is_previewed_and_taken_by_one_key() {
    let [base, ours, theirs] = TOUCHING;
    let repo = Repo::conflict("a.rs", base, ours, theirs);
    let mut desk = ruled(&repo);
    assert_eq!(counts(&desk), (0, 0, 1));
    desk.open("a.rs");
    let shown = desk.shows();
    assert!(
        shown.contains("└─ ★ word-by-word blend · space takes it"),
        "{shown}"
    );
    assert!(
        shown.contains("likely: main and side changed neighbouring"),
        "{shown}"
    );
    desk.press("right");
    assert!(
        desk.shows().contains("moor(&ship, tide)"),
        "{}",
        desk.shows()
    );
    desk.press("esc space");
    assert_eq!(counts(&desk), (1, 0, 0));
    desk.press("w");
    assert_eq!(repo.read("a.rs"), "moor(&ship, tide)\n");
}

fn two_files() -> Repo {
    let repo = Repo::new();
    let write = |n: usize| {
        for name in ["a.rs", "b.rs"] {
            repo.write(name, format!("// {name}\n{}", TOUCHING[n]));
        }
    };
    write(0);
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    write(2);
    repo.commit("theirs");
    repo.git(&["checkout", "-q", "main"]);
    write(1);
    repo.commit("ours");
    repo.try_git(&["merge", "side"]);
    repo
}

#[test]
fn everything_likely_is_one_step_over_all_files() {
    let repo = two_files();
    let mut desk = ruled(&repo);
    desk.press("L");
    assert!(
        desk.shows()
            .contains("b.rs · conflict 1 · word-by-word blend"),
        "{}",
        desk.shows()
    );
    desk.press("esc");
    assert_eq!(counts(&desk), (0, 0, 2), "asking settles nothing");
    desk.press("L enter");
    assert_eq!(counts(&desk), (2, 0, 0));
    // The journals of both files know of it.
    assert_eq!(counts(&ruled(&repo)), (2, 0, 0));
    desk.open("b.rs").press("u");
    assert_eq!(counts(&desk), (0, 0, 2), "one undo takes back all of it");
    desk.press("U");
    assert_eq!(counts(&desk), (2, 0, 0));
    assert_eq!(counts(&ruled(&repo)), (2, 0, 0));
}

/// A text of the corpus.
fn corpus(case: &str, part: &str) -> String {
    let root = concat!(env!("CARGO_MANIFEST_DIR"), "/../../corpus");
    fs::read_to_string(format!("{root}/{case}/{part}")).unwrap()
}

#[test]
fn only_the_rows_that_clash_wait_for_a_person() {
    let [base, ours, theirs] =
        ["base", "ours", "theirs"].map(|part| corpus("one-clash-in-a-block", part));
    let repo = Repo::conflict("watch.py", &base, &ours, &theirs);
    let mut desk = ruled(&repo);
    assert_eq!(counts(&desk), (0, 0, 3));
    desk.press("L enter");
    assert_eq!(counts(&desk), (2, 0, 1));
    desk.open("watch.py").press("n");
    let shown = desk.shows();
    assert!(
        shown.contains("conflict 2 of 3 · both sides changed the same"),
        "{shown}"
    );
    assert!(
        shown.contains("o ours  1 line") && shown.contains("t theirs  1 line"),
        "{shown}"
    );
    desk.press("t w");
    let merged = repo.read("watch.py");
    assert_eq!(merged.matches("        log.note(").count(), 2, "{merged}");
    assert!(
        merged.contains("log.write(watch_12, berths[12].horn())"),
        "{merged}"
    );
    assert!(!merged.contains("berths[12].bell()"), "{merged}");
}

#[test]
fn words_of_one_side_can_stand_at_the_indentation_of_the_other() {
    let base = "fn dock() {\n    moor(ship, low);\n}\n";
    let ours = "fn dock() {\n    if tide {\n        moor(ship, slack);\n    }\n}\n";
    let theirs = "fn dock() {\n    moor(ship, high);\n    log(ship);\n}\n";
    let repo = Repo::conflict("a.rs", base, ours, theirs);
    let mut desk = ruled(&repo);
    desk.open("a.rs");
    let offered = desk.shows();
    assert!(offered.contains("I theirs re-indented  2"), "{offered}");
    desk.press("I");
    assert_eq!(
        desk.message(),
        "settled 1 by theirs re-indented (2 lines) · u undoes it · no conflict is open here: w writes the file"
    );
    desk.press("w");
    let stands = "fn dock() {\n        moor(ship, high);\n        log(ship);\n}\n";
    assert_eq!(repo.read("a.rs"), stands);
    // Where both indent alike there is nothing to choose, and it says so.
    let [base, ours, theirs] = TOUCHING;
    let repo = Repo::conflict("a.rs", base, ours, theirs);
    let mut desk = ruled(&repo);
    desk.open("a.rs").press("i");
    assert!(desk.message().starts_with("not possible here"));
    assert_eq!(counts(&desk), (0, 0, 1));
}

#[test]
fn names_of_one_line_are_merged_as_a_set() {
    let [base, ours, theirs, merged] =
        ["base", "ours", "theirs", "certain"].map(|part| corpus("names-of-one-line", part));
    let repo = Repo::conflict("quay.py", &base, &ours, &theirs);
    let mut desk = ruled(&repo);
    assert_eq!(counts(&desk), (1, 0, 0));
    desk.open("quay.py").press("s");
    assert!(
        desk.message().starts_with(
            "both sides changed the names of one line: main and side each changed the names in one line"
        ),
        "{}",
        desk.message()
    );
    // Switched off, it asks again.
    desk.press("X");
    assert_eq!(counts(&desk), (0, 0, 1));
    desk.press("Y");
    assert_eq!(counts(&desk), (1, 0, 0));
    desk.press("w");
    assert_eq!(repo.read("quay.py"), merged);
}

#[test]
fn new_lines_that_hang_on_what_is_gone_are_not_offered() {
    let base = "let berth = free.pop();\nmoor(ship);\n";
    let ours = "let berth = free.pop();\npay(berth);\nmoor(ship);\n";
    let repo = Repo::conflict("a.rs", base, ours, "moor(ship);\n");
    let mut desk = ruled(&repo);
    desk.open("a.rs").press("space");
    assert_eq!(counts(&desk), (0, 0, 1));
    assert!(
        desk.shows()
            .contains("hint: main added 1 line next to lines that side"),
        "{}",
        desk.shows()
    );
    // Nothing of it gone, it is.
    let theirs = "moor(ship);\nlog(berth);\n";
    let base = "moor(ship);\nlog(berth);\nlog(ship);\n";
    let ours = "moor(ship);\nlog(berth);\nlog(ship);\npay(tide);\n";
    let repo = Repo::conflict("a.rs", base, ours, theirs);
    let mut desk = ruled(&repo);
    desk.open("a.rs").press("space w");
    assert_eq!(repo.read("a.rs"), "moor(ship);\nlog(berth);\npay(tide);\n");
}

#[test]
fn the_same_again_is_found_in_other_files() {
    let repo = two_files();
    let mut desk = ruled(&repo);
    desk.open("a.rs").press(".");
    assert!(
        desk.message().contains("settle this conflict first"),
        "{}",
        desk.message()
    );
    desk.press("t .");
    assert!(
        desk.shows().contains("settle 1 conflict like this one?"),
        "{}",
        desk.shows()
    );
    desk.press("enter");
    // What a person repeats is the person's decision.
    assert_eq!(counts(&desk), (0, 2, 0));
    desk.press("w").open("b.rs").press("w");
    assert_eq!(repo.read("b.rs"), "// b.rs\nmoor(&ship)\n");
}

#[test]
fn a_text_written_by_hand_is_repeated_with_its_origin_but_not_with_lines_that_it_swallowed() {
    let [base, ours, theirs] = [
        "moor(ship)\nend\n",
        "moor(pier)\nend\n",
        "moor(mole)\nend\n",
    ];
    let two = || {
        let repo = Repo::new();
        for file in ["b.txt", "c.txt"] {
            repo.write(file, format!("head of {file}\n{base}"));
        }
        repo.diverge(
            "a.txt",
            &format!("head\n{base}"),
            &format!("head\n{ours}"),
            &format!("head\n{theirs}"),
        );
        for (branch, text) in [("side", theirs), ("main", ours)] {
            repo.git(&["checkout", "-q", branch]);
            for file in ["b.txt", "c.txt"] {
                repo.write(file, format!("head of {file}\n{text}"));
            }
            repo.commit("more");
        }
        repo.try_git(&["merge", "-q", "side"]);
        repo
    };
    // The edit takes the next line in: repeated elsewhere it would stand there twice.
    let repo = two();
    let mut desk = ruled(&repo);
    desk.open("a.txt").press("e ctrl-a");
    desk.type_text("head\nmoor(quay) and end").press("esc .");
    assert!(
        desk.message().contains("goes beyond its conflict"),
        "{}",
        desk.message()
    );
    desk.press("w");
    assert!(
        !repo.output(&["memory"]).1.contains("by hand"),
        "{}",
        repo.output(&["memory"]).1
    );

    let repo = two();
    let mut desk = ruled(&repo);
    desk.open("a.txt").press("o e shift-end");
    desk.type_text("moor(quay)").press("esc .");
    assert!(
        desk.shows().contains("settle 2 conflicts like this one?"),
        "{}",
        desk.shows()
    );
    desk.press("enter");
    assert_eq!(counts(&desk), (0, 3, 0));
    desk.open("b.txt");
    assert!(
        desk.shows().contains("✎   2   moor(quay)"),
        "{}",
        desk.shows()
    );
    desk.press("w").open("a.txt").press("w");
    assert_eq!(repo.read("b.txt"), "head of b.txt\nmoor(quay)\nend\n");
    assert!(
        repo.output(&["memory"])
            .1
            .contains("settled by lines written by hand")
    );
    // Remembered it fits only where the same lines stand around it.
    repo.git(&["merge", "--abort"]);
    repo.try_git(&["merge", "-q", "side"]);
    let mut again = ruled(&repo);
    for file in &again.state.files {
        let open = file.open().unwrap();
        let known = open
            .opened
            .rulings()
            .values()
            .any(|ruling| ruling.rule == "memory");
        // The last one remembered of these three texts is the one of a.txt.
        assert_eq!(
            known,
            file.case.path.to_string() == "a.txt",
            "{}",
            file.case.path
        );
    }
    again.open("a.txt").press("space");
    assert!(
        again.shows().contains("✎   2   moor(quay)"),
        "{}",
        again.shows()
    );
}

#[test]
fn a_conflict_settled_before_is_proposed_when_it_returns_and_can_be_forgotten() {
    let [base, ours, theirs] = ["quay\n", "pier\n", "mole\n"];
    let repo = Repo::conflict("a.txt", base, ours, theirs);
    ruled(&repo).open("a.txt").press("A w");
    assert_eq!(repo.read("a.txt"), "mole\npier\n");
    repo.git(&["commit", "-q", "-m", "merged"]);
    // The same three texts elsewhere, with the sides the other way round.
    repo.git(&["branch", "-D", "side"]);
    repo.diverge("b.txt", base, theirs, ours);
    repo.try_git(&["merge", "side"]);
    let (_, output) = repo.output(&["memory"]);
    assert!(
        output.contains("settled by both, theirs first")
            && output.contains("1 conflict remembered"),
        "{output}"
    );
    let mut desk = ruled(&repo);
    desk.open("b.txt").press("space");
    assert!(
        desk.message().contains("settled before"),
        "{}",
        desk.message()
    );
    desk.press("w");
    assert_eq!(repo.read("b.txt"), "mole\npier\n");
    desk.press("F");
    assert!(desk.message().contains("forgotten"), "{}", desk.message());
    assert_eq!(
        repo.output(&["memory", "--forget-all"]),
        (0, "forgot 0 conflicts\n".to_owned())
    );
}

#[test]
fn a_rule_can_be_switched_off_and_on() {
    let repo = Repo::conflict("a.rs", BASE, OURS, THEIRS);
    let mut desk = ruled(&repo);
    desk.open("a.rs").press("s X");
    assert_eq!(counts(&desk), (0, 0, 1));
    assert!(
        desk.message().contains("'adjacent edits' is off"),
        "{}",
        desk.message()
    );
    desk.press("Y");
    assert_eq!(counts(&desk), (1, 0, 0), "{}", desk.message());
}

#[test]
fn the_policy_about_white_space_decides_what_is_asked() {
    let repo = Repo::conflict("a.txt", "quay\n", "quay \n", "quay\t\n");
    let mut desk = ruled(&repo);
    desk.open("a.txt");
    assert_eq!(counts(&desk), (0, 0, 1));
    desk.press("v");
    assert!(
        desk.shows().contains("quay¶") && desk.shows().contains("[→·]"),
        "{}",
        desk.shows()
    );
    desk.press("B");
    assert_eq!(counts(&desk), (0, 0, 1), "{}", desk.message());
    desk.press("B");
    assert!(
        desk.message()
            .starts_with("white space: trailing · 1 conflict settled"),
        "{}",
        desk.message()
    );
    desk.press("u w");
    assert!(desk.message().contains("still open"), "{}", desk.message());
}

#[test]
fn decisions_of_a_person_are_not_overruled() {
    let repo = Repo::conflict("a.rs", BASE, OURS, THEIRS);
    let mut desk = ruled(&repo);
    desk.open("a.rs").press("s o");
    assert_eq!(counts(&desk), (0, 1, 0));
    desk.press("B B B B B X");
    assert_eq!(counts(&desk), (0, 1, 0), "{}", desk.message());
    let file = desk.state.open_file().unwrap();
    let id = file.plan().conflicts()[0];
    assert!(matches!(file.draft().standing(id), RegionState::Settled(_)));
    assert_eq!(file.opened.rulings().get(&RegionId(99)), None);
}

#[test]
fn hints_explain_and_settle_nothing() {
    let repo = Repo::conflict(
        "a.toml",
        "at = \"1.4.2\"\n",
        "at = \"1.5.2\"\n",
        "at = \"1.4.3\"\n",
    );
    let mut desk = ruled(&repo);
    desk.open("a.toml").press("space");
    assert_eq!(counts(&desk), (0, 0, 1));
    let file = desk.state.open_file().unwrap();
    assert_eq!(
        file.opened.rulings().values().next().unwrap().certainty,
        Certainty::Hint
    );
    assert!(
        desk.shows()
            .contains("hint: main and side differ only in numbers"),
        "{}",
        desk.shows()
    );
}

#[test]
fn merge_settles_as_much_as_it_is_told_and_says_why() {
    let repo = Repo::new();
    for (name, n) in [("base", 0), ("ours", 1), ("theirs", 2)] {
        let text = [BASE, OURS, THEIRS][n];
        repo.write(
            name,
            format!("{text}\n// {}\n{}", "-".repeat(9), TOUCHING[n]),
        );
    }
    let merge = |more: &[&str]| {
        let args = [
            "merge", "--base", "base", "--ours", "ours", "--theirs", "theirs",
        ];
        repo.output(&[&args, more].concat())
    };
    let markers = |text: &str| text.matches("<<<<<<<").count();
    let (code, none) = merge(&["--settle", "none"]);
    assert_eq!((code, markers(&none)), (1, 2));
    let (code, certain) = merge(&[]);
    assert_eq!((code, markers(&certain)), (1, 1));
    assert!(certain.starts_with(BOTH), "{certain}");
    let (code, likely) = merge(&["--settle", "likely"]);
    assert_eq!(
        (code, likely.ends_with("moor(&ship, tide)\n")),
        (0, true),
        "{likely}"
    );
    let (_, sides) = merge(&["--style", "sides"]);
    assert!(!sides.contains("|||||||") && sides.contains("======="));
    let (_, output) = merge(&["--json"]);
    let output: serde_json::Value = serde_json::from_str(&output).unwrap();
    assert_eq!(
        (&output["conflicts"], &output["by_rule"]),
        (&2.into(), &1.into())
    );
    let first = &output["regions"][0];
    assert_eq!(first["conflict"]["rule"]["id"], "adjacent");
    assert_eq!(first["conflict"]["rule"]["settled"], true);
    assert_eq!(first["draft"], serde_json::json!([1, 2]));
    let (code, output) = merge(&["--json", "--output", "x"]);
    assert_eq!(code, 2, "{output}");
}

/// Runs git with the program on its path and a home of its own.
fn git_at_home(repo: &Repo, args: &[&str]) -> (i32, String) {
    let program = std::path::Path::new(env!("CARGO_BIN_EXE_armistice"));
    let path = format!(
        "{}:{}",
        program.parent().unwrap().display(),
        std::env::var("PATH").unwrap()
    );
    let output = std::process::Command::new("git")
        .current_dir(&repo.top)
        .args(args)
        .env("PATH", path)
        .env("HOME", repo.dir.path())
        .env("GIT_CONFIG_NOSYSTEM", "1")
        .output()
        .unwrap();
    let text = [output.stdout, output.stderr].concat();
    (
        output.status.code().unwrap(),
        String::from_utf8_lossy(&text).into_owned(),
    )
}

#[test]
fn setup_shows_what_it_writes_and_takes_it_back() {
    let repo = Repo::new();
    repo.diverge("a.rs", BASE, OURS, THEIRS);
    repo.git(&["config", "merge.tool", "hammer"]);
    let before = repo.read(".git/config");
    let (code, output) = repo.output(&["setup"]);
    assert_eq!(code, 2, "{output}");
    assert!(
        output.contains("mergetool.armistice.cmd = '/")
            && output.contains("armistice' files --base")
            && output.contains("instead of: hammer"),
        "{output}"
    );
    assert!(output.contains("--yes does it without asking"), "{output}");
    let (code, output) = repo.output(&["setup", "--driver", "--dry-run"]);
    assert_eq!(code, 0, "looking was all that was asked for");
    assert!(
        output.contains("* merge=armistice") && output.contains("nothing was written"),
        "{output}"
    );
    assert_eq!(repo.read(".git/config"), before);
    assert_eq!(repo.output(&["setup", "--driver", "--yes"]).0, 0);
    assert_eq!(repo.git(&["config", "merge.tool"]).trim(), "armistice");
    // git now merges by rule what it could not merge by itself.
    let (code, output) = git_at_home(&repo, &["merge", "-q", "--no-edit", "side"]);
    assert_eq!(code, 0, "{output}");
    assert_eq!(repo.read("a.rs"), BOTH);
    assert!(
        repo.output(&["setup", "--driver", "--yes"])
            .1
            .contains("everything is already set")
    );
    repo.git(&["config", "merge.armistice.name", "mine"]);
    let (code, output) = repo.output(&["setup", "--remove", "--yes"]);
    assert_eq!(code, 0, "{output}");
    assert!(
        output.contains("merge.tool = hammer, as before")
            && output.contains("stays: it was changed since"),
        "{output}"
    );
    assert_eq!(repo.git(&["config", "merge.tool"]).trim(), "hammer");
    assert!(!repo.path(".git/info/attributes").exists());
    assert_eq!(
        repo.output(&["setup", "--remove", "--yes"]).1,
        "setup has set nothing for this repository\n"
    );
}

#[test]
fn setup_replaces_what_it_wrote_before_and_still_takes_it_back() {
    let former =
        "armistice weave --base %O --ours %A --theirs %B --output %A --name %P --marker-size %L";
    let repo = Repo::new();
    repo.diverge("a.rs", BASE, OURS, THEIRS);
    repo.output(&["setup", "--driver", "--yes"]);
    // As an earlier version left it: its own command in the configuration and in its record.
    repo.git(&["config", "merge.armistice.driver", former]);
    let record = repo.read(".git/armistice/setup.json");
    let mut record: serde_json::Value = serde_json::from_str(&record).unwrap();
    for setting in record["settings"].as_array_mut().unwrap() {
        if setting["key"] == "merge.armistice.driver" {
            setting["value"] = former.into();
        }
    }
    repo.write(".git/armistice/setup.json", record.to_string());
    // A driver of before works until it is replaced.
    let (code, output) = git_at_home(&repo, &["merge", "-q", "--no-edit", "side"]);
    assert_eq!((code, repo.read("a.rs").as_str()), (0, BOTH), "{output}");
    let (code, output) = repo.output(&["setup", "--driver", "--yes"]);
    assert_eq!(code, 0, "{output}");
    assert!(
        output.contains("armistice' merge --driver --base"),
        "{output}"
    );
    assert!(
        !output.contains("instead of"),
        "what it wrote itself is nobody's: {output}"
    );
    let driver = || repo.try_git(&["config", "merge.armistice.driver"]).stdout;
    assert!(String::from_utf8_lossy(&driver()).contains("armistice' merge --driver --base %O"));
    let (code, output) = repo.output(&["setup", "--remove", "--yes"]);
    assert_eq!((code, driver()), (0, Vec::new()), "{output}");
    // Its record lost, what it wrote is still known as its own.
    repo.git(&["config", "merge.armistice.driver", former]);
    repo.output(&["setup", "--driver", "--yes"]);
    repo.output(&["setup", "--remove", "--yes"]);
    assert_eq!(driver(), b"");
}

#[test]
fn a_driver_that_leaves_something_open_leaves_a_conflict() {
    let repo = Repo::new();
    let [base, ours, theirs] = TOUCHING;
    repo.diverge("a b.rs", base, ours, theirs);
    repo.output(&["setup", "--driver", "--yes"]);
    let (code, _) = git_at_home(&repo, &["merge", "-q", "--no-edit", "side"]);
    assert_eq!(code, 1);
    assert!(
        repo.read("a b.rs").contains("<<<<<<< HEAD"),
        "{}",
        repo.read("a b.rs")
    );
    assert!(!repo.unmerged().is_empty());
}

#[test]
fn a_file_with_markers_is_settled_without_a_repository() {
    let dir = tempfile::TempDir::new().unwrap();
    let file = dir.path().join("to do.txt");
    let text = "one\n<<<<<<< here\ntwo\n=======\nzwei\n>>>>>>> there\nthree\n";
    fs::write(&file, text).unwrap();
    let home = dir.path().display().to_string();
    let env = [("XDG_STATE_HOME", home.as_str()), ("HOME", home.as_str())];
    let t = Tmux::start(dir.path(), (100, 30), "open 'to do.txt'", &env);
    t.wait("1 open");
    t.wait("▲ here");
    t.keys("Enter").wait("conflict 1 of 1");
    t.keys("t").wait("0 open · 1 settled");
    t.signal("-KILL").wait("EXIT 137");
    assert_eq!(fs::read_to_string(&file).unwrap(), text);
    let t = Tmux::start(dir.path(), (100, 30), "open 'to do.txt'", &env);
    t.wait("0 open · 1 settled");
    t.keys("w").wait("wrote and staged");
    t.keys("q").wait("EXIT 0");
    assert_eq!(fs::read_to_string(&file).unwrap(), "one\nzwei\nthree\n");
    let (code, output) = armistice_as(dir.path(), &["open", "to do.txt"], &env);
    assert_eq!(code, 2);
    assert!(output.contains("has no conflict markers"), "{output}");
}

#[test]
fn three_loose_files_are_settled_into_a_fourth() {
    let dir = tempfile::TempDir::new().unwrap();
    for (name, text) in [("b", BASE), ("o", OURS), ("t", THEIRS)] {
        fs::write(dir.path().join(name), text).unwrap();
    }
    let home = dir.path().display().to_string();
    let env = [("XDG_STATE_HOME", home.as_str()), ("HOME", home.as_str())];
    let args = "files --base b --ours o --theirs t --output merged";
    let t = Tmux::start(dir.path(), (100, 30), args, &env);
    t.wait("0 open");
    t.keys("q").wait("EXIT 1");
    assert!(!dir.path().join("merged").exists());
    let t = Tmux::start(dir.path(), (100, 30), args, &env);
    t.wait("settled  merged");
    t.keys("w").wait("wrote and staged");
    t.keys("u").wait("in conflict again");
    assert!(
        !dir.path().join("merged").exists(),
        "taking back takes the output back"
    );
    t.keys("w").wait("wrote and staged");
    t.keys("q").wait("EXIT 0");
    assert_eq!(fs::read_to_string(dir.path().join("merged")).unwrap(), BOTH);
}
