//! Cases that are no text alone, many files at once, starting over, handing over, and the names of
//! the parties in a rebase.

use crate::kit::{Desk, Repo, Tmux};
use armistice_git::CaseKind;
use std::fs;
use std::os::unix::fs::PermissionsExt;

fn staged(repo: &Repo) -> Vec<String> {
    let listed = repo.git(&["ls-files"]);
    listed.lines().map(str::to_owned).collect()
}

/// Goes to a row of Docket by a part of its path, and waits until what is in it has been read.
fn go_to(t: &Tmux, path: &str) {
    t.keys("2 /").wait("path contains");
    t.type_text(path).keys("Enter");
    let found = format!("with '{path}'");
    t.wait_until(&found, |screen| {
        screen.contains(&found) && !screen.contains(" reading ")
    });
}

#[test]
fn every_kind_of_case_of_the_demo_is_brought_to_an_end() {
    for size in [(160, 47), (80, 24)] {
        let repo = Repo::demo("moves");
        let t = Tmux::start(&repo.top, size, "", &[]);
        t.wait("Docket 0/11");
        // A newcomer begins with text.
        t.wait(">  open");
        for (path, key, done) in [
            ("crest", "o", 1),
            ("charts", "t", 2),
            ("depths", "t", 3),
            ("lights", "t", 4),
            ("hoists", "K", 5),
            ("signals", "o", 6),
            ("tariff", "o", 7),
        ] {
            go_to(&t, path);
            t.keys(key).wait("esc do nothing");
            t.keys("Enter").wait(&format!("Docket {done}/11"));
        }
        go_to(&t, "rota");
        t.keys("Enter").wait("conflict 1 of 1");
        t.keys("a").wait("0 open");
        t.keys("w").wait("Docket 8/11");
        go_to(&t, "watch");
        t.keys("Enter").wait("conflict 1 of 1");
        t.keys("o").wait("0 open");
        t.keys("w").wait("Docket 9/11");
        // Two names, and two modes: w asks.
        go_to(&t, "new-basin");
        t.keys("Enter").wait("conflict 1 of 1");
        t.keys("o").wait("0 open");
        t.keys("w").wait("which name should the file get?");
        t.keys("t").wait("Docket 10/11");
        go_to(&t, "bell");
        t.keys("w").wait("which mode?");
        t.keys("t").wait("Docket 11/11");
        t.keys("6").wait("all settled, not yet concluded");
        t.keys("c").wait("── concluded");
        t.keys("q").wait("EXIT 0");
        // What the submodule has checked out is not ours to change.
        let status = ["status", "--porcelain", "--ignore-submodules"];
        assert_eq!(repo.git(&status), "");
        let files = staged(&repo);
        for there in [
            "plans/new-basin.md",
            "yard/hoists.rs",
            "signals",
            "tools/watch.py",
            "plans/lights.md",
        ] {
            assert!(files.contains(&there.to_owned()), "{there} in {files:?}");
        }
        for gone in [
            "plans/inner-basin.md",
            "plans/basin.md",
            "signals/mole.md",
            "quayside/hoists.rs",
        ] {
            assert!(!files.contains(&gone.to_owned()), "{gone} in {files:?}");
        }
        assert!(!files.iter().any(|path| path.contains('~')), "{files:?}");
        let mode = fs::metadata(repo.path("scripts/bell.sh"))
            .unwrap()
            .permissions()
            .mode();
        assert_eq!(mode & 0o111, 0o111);
        assert_eq!(
            fs::read_link(repo.path("charts")).unwrap().to_str(),
            Some("surveys/2026")
        );
    }
}

#[test]
fn docket_tells_of_each_kind_what_each_side_did_and_what_is_given_up() {
    let repo = Repo::demo("moves");
    let mut desk = Desk::new(&repo.top, (160, 47));
    let mut told = |path: &str| {
        let at = desk
            .state
            .files
            .iter()
            .position(|f| f.case.title().contains(path));
        desk.press("2");
        desk.state.docket.chosen = at.unwrap_or_else(|| panic!("{path}"));
        desk.press("v");
        let lines = desk.shows();
        desk.press("esc");
        desk.shows() + &lines
    };
    for (path, words) in [
        (
            "new-basin",
            &[
                "plans/basin.md → inner-basin.md or new-basin.md",
                "discards the name plans/new-basin.md",
                "a both, under two names",
            ][..],
        ),
        (
            "rota",
            &["renamed notes/day.md to it", "renamed notes/night.md to it"],
        ),
        (
            "lights",
            &[
                "harbour/main removed it",
                "White on the mole, every three seconds.",
                "its removal of the file",
            ],
        ),
        (
            "hoists",
            &[
                "renamed the folder yard to quayside",
                "added it as yard/hoists.rs",
                "K its own name",
            ],
        ),
        (
            "signals",
            &[
                "signals (file or folder)",
                "removes the folder with that name: 2 files",
                "signals/mole.md",
            ],
        ),
        (
            "depths",
            &[
                "Sound the new basin",
                "Neither contains the other",
                "discards from ours: commit ",
            ],
        ),
        (
            "charts",
            &["changed the target of the link", "surveys/2026"],
        ),
        ("tariff", &["made it a link"]),
        (
            "watch",
            &[
                "tools/roster.py → watch.py",
                "conflict 1 · both sides changed the same line",
                "HOURS = 5",
            ],
        ),
    ] {
        let shown = told(path);
        for words in words {
            assert!(shown.contains(words), "{path}: no {words:?} in\n{shown}");
        }
    }
}

#[test]
fn docket_as_json_has_each_unmerged_path_in_one_case_and_what_it_is_called() {
    let repo = Repo::demo("moves");
    let (_, text) = repo.output(&["docket", "--json"]);
    let docket: serde_json::Value = serde_json::from_str(&text).unwrap();
    let mut paths: Vec<&str> = docket["cases"]
        .as_array()
        .unwrap()
        .iter()
        .flat_map(|case| case["paths"].as_array().unwrap())
        .map(|path| path.as_str().unwrap())
        .collect();
    paths.sort_unstable();
    let unmerged = repo.unmerged();
    let mut listed: Vec<&str> = unmerged
        .lines()
        .filter_map(|l| l.split('\t').nth(1))
        .collect();
    listed.sort_unstable();
    listed.dedup();
    assert_eq!(paths, listed);
    let basin = docket["cases"]
        .as_array()
        .unwrap()
        .iter()
        .find(|c| c["kind"] == "renamed-two-ways");
    let names = &basin.unwrap()["names"];
    assert_eq!(
        *names,
        serde_json::json!([
            "plans/basin.md",
            "plans/inner-basin.md",
            "plans/new-basin.md"
        ])
    );
}

#[test]
fn names_are_asked_for_and_given_on_the_command_line() {
    let repo = Repo::demo("moves");
    let settle = |args: &[&str]| repo.output(&[&["settle"], args].concat());
    let (code, said) = settle(&["--by", "rule", "plans/inner-basin.md"]);
    assert_eq!(code, 2, "{said}");
    assert!(said.contains("has two names: choose"), "{said}");
    let (code, said) = settle(&["--by", "both", "plans/new-basin.md"]);
    assert_eq!(code, 0, "{said}");
    let (code, said) = settle(&["--by", "own-name", "quayside/hoists.rs"]);
    assert_eq!(code, 0, "{said}");
    let (code, said) = settle(&["--by", "both", "--name", "notes/night.md", "notes/rota.md"]);
    assert_eq!(code, 0, "{said}");
    let (code, said) = settle(&["--by", "ours", "--name", "signals.md", "signals~HEAD"]);
    assert_eq!(code, 0, "{said}");
    let (code, said) = settle(&["--by", "own-name", "charts"]);
    assert!(code == 2 && said.contains("is not possible here"), "{said}");
    let (code, said) = settle(&["--by", "remove", "assets/crest.png"]);
    assert!(code == 2 && said.contains("is not possible here"), "{said}");
    let files = staged(&repo);
    for there in [
        "plans/inner-basin.md",
        "plans/new-basin.md",
        "yard/hoists.rs",
        "notes/rota.md",
        "notes/night.md",
        "signals.md",
        "signals/mole.md",
    ] {
        assert!(files.contains(&there.to_owned()), "{there} in {files:?}");
    }
}

#[test]
fn the_record_names_the_name_that_was_chosen() {
    let repo = Repo::demo("moves");
    let args = [
        "settle",
        "--by",
        "ours",
        "--name",
        "plans/new-basin.md",
        "plans/inner-basin.md",
    ];
    let (code, said) = repo.output(&args);
    assert_eq!(code, 0, "{said}");
    let (_, record) = repo.output(&["record"]);
    assert!(
        record.contains("## plans/new-basin.md") && !record.contains("## plans/inner-basin.md"),
        "{record}"
    );
}

/// Five files in conflict, one of them removed by ours; rules settle nothing.
fn five() -> Repo {
    let repo = Repo::new();
    let text = |word: &str| format!("{word} one\n2\n3\n4\n5\n{word} end\n");
    for name in ["a.txt", "b.txt", "c.txt", "d.txt", "gone.txt"] {
        repo.write(name, text("base"));
    }
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    for name in ["a.txt", "b.txt", "c.txt", "d.txt", "gone.txt"] {
        repo.write(name, text("theirs"));
    }
    repo.commit("theirs");
    repo.git(&["checkout", "-q", "main"]);
    for name in ["a.txt", "b.txt", "c.txt", "d.txt"] {
        // The end of the file theirs alone changed.
        repo.write(name, "ours one\n2\n3\n4\n5\nbase end\n");
    }
    repo.git(&["rm", "-q", "gone.txt"]);
    repo.commit("ours");
    repo.try_git(&["merge", "-q", "side"]);
    repo
}

#[test]
fn marked_files_are_settled_together_either_way_and_written_by_one_key() {
    let repo = five();
    let mut desk = Desk::new(&repo.top, (160, 47));
    desk.press("g space space");
    assert!(desk.shows().contains(" · 2 marked"), "{}", desk.shows());
    // Ours where they clash: what theirs alone changed stays.
    desk.press("O");
    let asked = desk.shows();
    assert!(
        asked.contains("take ours in 2 open conflicts?") && asked.contains("a.txt · 1 conflict"),
        "{asked}"
    );
    desk.press("enter");
    assert_eq!(desk.state.totals().0.open, 3);
    assert_eq!(
        repo.unmerged().lines().count(),
        14,
        "nothing is written yet"
    );
    desk.press("W");
    assert_eq!(repo.read("a.txt"), "ours one\n2\n3\n4\n5\ntheirs end\n");
    assert_eq!(repo.read("b.txt"), repo.read("a.txt"));
    assert!(
        repo.read("c.txt").contains("<<<<<<<"),
        "what is open is not written"
    );
    assert!(
        desk.message().contains("3 files left"),
        "{}",
        desk.message()
    );
}

#[test]
fn whole_files_of_one_side_are_taken_for_all_marked_and_taken_back_together() {
    let repo = five();
    let before = repo.unmerged();
    let mut desk = Desk::new(&repo.top, (160, 47));
    desk.press("* o");
    let asked = desk.shows();
    assert!(
        asked.contains("5 files: take the whole file from ours?"),
        "{asked}"
    );
    assert!(asked.contains("gone.txt · goes"), "{asked}");
    desk.press("esc");
    assert_eq!(repo.unmerged(), before);
    desk.press("o enter");
    assert_eq!(repo.unmerged(), "", "{}", desk.message());
    assert_eq!(repo.read("a.txt"), "ours one\n2\n3\n4\n5\nbase end\n");
    assert!(!repo.path("gone.txt").exists());
    assert!(
        desk.message().contains("5 of 5 files written and staged"),
        "{}",
        desk.message()
    );
    desk.press("u");
    assert_eq!(repo.unmerged(), before);
    assert!(repo.read("a.txt").contains("<<<<<<<"));
    assert!(repo.path("gone.txt").exists());
}

#[test]
fn filters_orders_and_parts_of_paths_choose_what_is_shown() {
    let repo = five();
    let mut desk = Desk::new(&repo.top, (160, 47));
    let shown = |desk: &Desk| -> Vec<String> {
        let rows = desk.state.docket_rows().into_iter();
        rows.map(|at| desk.state[at].case.title()).collect()
    };
    desk.open("c.txt").press("o 2");
    // Open ones, then settled ones.
    desk.press("f");
    assert_eq!(shown(&desk), ["a.txt", "b.txt", "d.txt", "gone.txt"]);
    desk.press("f");
    assert_eq!(shown(&desk), ["c.txt"]);
    assert_eq!(desk.state.chosen().0, 2, "the cursor is on what is shown");
    desk.press("f f f");
    assert!(desk.shows().contains("No file matches"), "{}", desk.shows());
    desk.press("f s s");
    assert_eq!(
        shown(&desk),
        ["a.txt", "b.txt", "d.txt", "gone.txt", "c.txt"]
    );
    desk.press("s /").type_text("one.");
    assert_eq!(shown(&desk), ["gone.txt"]);
    assert!(
        desk.shows().contains("path contains: one."),
        "{}",
        desk.shows()
    );
    desk.press("enter down down");
    assert_eq!(desk.state.chosen().0, 4);
    desk.press("/ esc");
    assert_eq!(shown(&desk).len(), 5);
    // What is open comes before what is only to be written.
    desk.press("g down n");
    assert_eq!(desk.state.chosen().0, 3);
}

#[test]
fn starting_over_says_what_it_discards_and_undo_brings_it_back() {
    let repo = five();
    let mut desk = Desk::new(&repo.top, (160, 47));
    desk.open("a.txt").press("o w 2");
    desk.open("b.txt").press("t 2");
    let before = repo.unmerged();
    desk.press("* R");
    let asked = desk.shows();
    assert!(
        asked.contains("start over in 2 files? This discards:"),
        "{asked}"
    );
    assert!(
        asked.contains("a.txt · the staged result, 1 decision by you and 0 by rule"),
        "{asked}"
    );
    desk.press("esc");
    assert_eq!(repo.unmerged(), before);
    desk.press("R enter");
    assert_eq!(repo.unmerged().lines().count(), 14);
    assert_eq!(desk.state.totals().0.open, 5);
    assert!(repo.read("a.txt").contains("<<<<<<<"));
    desk.open("b.txt").press("u");
    assert_eq!(
        desk.state.totals().0.open,
        3,
        "both files have their decisions again"
    );
    desk.press("2 * R esc");
}

#[test]
fn files_that_git_merged_by_itself_can_be_listed() {
    let repo = Repo::demo("merge");
    let mut desk = Desk::new(&repo.top, (160, 47));
    desk.press("m");
    let shown = desk.shows();
    assert!(
        shown.contains("merged by git without a conflict:"),
        "{shown}"
    );
    assert!(
        shown.contains("src/tide.rs · ours edited it · theirs unchanged"),
        "{shown}"
    );
}

/// A program to hand files to: it gets the line and the file, and runs these commands on it.
fn editor(repo: &Repo, commands: &str) -> String {
    let script = repo.path(".git/editor.sh");
    fs::write(&script, format!("#!/bin/sh\nline=$1 file=$2\n{commands}\n")).unwrap();
    fs::set_permissions(&script, fs::Permissions::from_mode(0o755)).unwrap();
    // Whoever runs it stands in the work tree.
    ".git/editor.sh".to_owned()
}

#[test]
fn a_file_is_handed_over_and_what_comes_back_is_told_apart() {
    let repo = Repo::new();
    repo.diverge(
        "a.txt",
        "one\n2\n3\n4\n5\n6\nseven\nlast\n",
        "ours\n2\n3\n4\n5\n6\nours too\nlast\n",
        "theirs\n2\n3\n4\n5\n6\ntheirs too\nlast\n",
    );
    repo.try_git(&["merge", "-q", "side"]);
    // The first conflict is settled by hand and the last line changed; the second one is left.
    let by_hand = "sed -i -e '1,7d' -e 's/^last$/the end/' \"$file\"; sed -i '1i from both' \"$file\"; echo $line > \"$(dirname $0)/line\"";
    let visual = editor(&repo, by_hand);
    let t = Tmux::start(&repo.top, (120, 40), "", &[("VISUAL", &visual)]);
    t.wait("conflict 2 ·");
    t.keys("Enter").wait("conflict 1 of 2");
    t.keys("n").wait("conflict 2 of 2");
    t.keys("E").wait("1 conflict still open");
    let screen = t.screen();
    assert!(
        screen.contains("from both") && screen.contains("the end"),
        "{screen}"
    );
    assert_eq!(
        repo.read(".git/line").trim(),
        "+13",
        "it was opened at the second conflict"
    );
    t.keys("o").wait("0 open");
    t.keys("w").wait("written and staged");
    assert_eq!(
        repo.read("a.txt"),
        "from both\n2\n3\n4\n5\n6\nours too\nthe end\n"
    );
    t.keys("q").wait("EXIT 0");
}

#[test]
fn a_program_that_fails_or_leaves_half_a_conflict_changes_nothing() {
    for (commands, said) in [
        ("exit 4", "nothing was changed"),
        ("sed -i 2d \"$file\"", "still has markers"),
        ("true", "the program changed nothing"),
    ] {
        let repo = Repo::conflict("a.txt", "one\n2\n", "ours\n2\n", "theirs\n2\n");
        let visual = editor(&repo, commands);
        let t = Tmux::start(&repo.top, (120, 40), "", &[("VISUAL", &visual)]);
        t.wait("conflict 1 ·");
        t.keys("E").wait(said);
        t.wait("1 open");
        // Keys reach this program again.
        t.keys("Enter").wait("conflict 1 of 1");
        t.keys("q").wait("EXIT 0");
    }
}

#[test]
fn in_a_rebase_the_parties_have_their_names_everywhere() {
    let repo = Repo::demo("rebase");
    let mut desk = Desk::new(&repo.top, (160, 47));
    let bare = |shown: &str| -> Vec<String> {
        let lines = shown.lines().filter(|line| {
            line.split(|c: char| !c.is_alphabetic())
                .any(|w| matches!(w, "ours" | "theirs"))
        });
        lines.map(str::to_owned).collect()
    };
    assert_eq!(bare(&desk.shows()), [""; 0]);
    desk.press("t");
    let asked = desk.shows();
    assert!(asked.contains("from your commit 2"), "{asked}");
    assert_eq!(bare(&asked), [""; 0]);
    desk.press("esc enter");
    let parley = desk.shows();
    assert!(
        parley.contains("▲ onto harbour/main") && parley.contains("▼ your commit 2 of 5"),
        "{parley}"
    );
    assert!(
        parley.contains("o harbour/main") && parley.contains("t your commit 2"),
        "{parley}"
    );
    assert_eq!(bare(&parley), [""; 0]);
    // On a small screen too, where the choices share one row.
    for size in [(100, 30), (80, 24)] {
        let mut small = Desk::new(&repo.top, size);
        small.press("2 enter");
        assert_eq!(bare(&small.shows()), [""; 0]);
    }
    desk.press("o");
    assert!(!desk.message().contains("ours"), "{}", desk.message());
}

#[test]
fn the_steps_of_a_rebase_are_listed_with_those_that_change_the_same_files() {
    let repo = Repo::demo("rebase");
    let mut desk = Desk::new(&repo.top, (160, 47));
    let shown = desk.press("6").shows();
    assert!(shown.contains("steps · 2 of 5"), "{shown}");
    let step = |subject: &str| {
        let mut rows = shown.lines().filter(|line| line.contains(subject));
        rows.next_back().unwrap().to_owned()
    };
    assert!(step("Add the night surcharge").contains("+ "), "{shown}");
    assert!(step("Keep a lit berth for ships").contains("> "), "{shown}");
    let last = step("Prefer the lit berth at night");
    assert!(last.contains("changes src/quay.rs too"), "{last}");
    let (_, text) = repo.output(&["docket", "--json"]);
    let docket: serde_json::Value = serde_json::from_str(&text).unwrap();
    let steps = docket["steps"].as_array().unwrap();
    assert_eq!(steps.len(), 5);
    assert_eq!(steps[0]["state"], "done");
    assert_eq!(steps[1]["state"], "this");
    assert_eq!(steps[4]["state"], "to-come");
    // Files that a later step changes too are named.
    let unmerged = repo.unmerged();
    let touched = steps
        .iter()
        .flat_map(|step| step["touches"].as_array().unwrap());
    for path in touched {
        assert!(unmerged.contains(path.as_str().unwrap()), "{path}");
    }
}

#[test]
fn ranges_of_picks_and_mailed_patches_have_steps_too() {
    let repo = Repo::new();
    repo.write("a.txt", "one\n");
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    repo.write("b.txt", "new\n");
    repo.commit("Add b");
    repo.write("a.txt", "theirs\n");
    repo.commit("Change a");
    repo.write("a.txt", "theirs again\n");
    repo.commit("Change a again");
    repo.git(&["checkout", "-q", "main"]);
    repo.write("a.txt", "ours\n");
    repo.commit("ours");
    let steps = || -> Vec<String> {
        let (_, text) = repo.output(&["docket", "--json"]);
        let docket: serde_json::Value = serde_json::from_str(&text).unwrap();
        let word = |v: &serde_json::Value| v.as_str().unwrap().to_owned();
        let steps = docket["steps"].as_array().unwrap().iter();
        steps
            .map(|s| format!("{} {}", word(&s["state"]), word(&s["subject"])))
            .collect()
    };
    let expected = ["done Add b", "this Change a", "to-come Change a again"];
    repo.try_git(&["cherry-pick", "main..side"]);
    assert_eq!(steps(), expected);
    repo.git(&["cherry-pick", "--abort"]);
    let patches = repo.git(&["format-patch", "--stdout", "main..side"]);
    fs::write(repo.path(".git/mail"), patches).unwrap();
    repo.try_git(&["am", "-3", ".git/mail"]);
    assert_eq!(steps(), expected);
}

#[test]
fn a_submodule_and_its_like_are_named_by_kind() {
    let repo = Repo::demo("moves");
    let desk = Desk::new(&repo.top, (160, 47));
    let kind = |path: &str| {
        let file = desk
            .state
            .files
            .iter()
            .find(|f| f.case.title().contains(path));
        file.unwrap().case.kind
    };
    for (path, of) in [
        ("new-basin", CaseKind::RenamedTwoWays),
        ("rota", CaseKind::TwoOntoOne),
        ("hoists", CaseKind::Suggested),
        ("signals", CaseKind::FileAgainstFolder),
        ("depths", CaseKind::Submodule),
        ("charts", CaseKind::Link),
        ("tariff", CaseKind::Link),
        ("lights", CaseKind::RemovedByOurs),
        ("watch", CaseKind::BothEdited),
        ("bell", CaseKind::BothAdded),
    ] {
        assert_eq!(kind(path), of, "{path}");
    }
}

#[test]
fn stops_that_the_list_of_steps_asks_for_are_told_as_such() {
    for (steps, said) in [
        ("2s/pick/edit/", "stops here to edit this commit"),
        ("1a break", "stops here for a break"),
        (
            "1a exec test -f missing",
            "'test -f missing' failed as a rebase step",
        ),
    ] {
        let repo = Repo::new();
        repo.write("a.txt", "one\n");
        repo.commit("base");
        repo.git(&["checkout", "-q", "-b", "side"]);
        for name in ["b.txt", "c.txt", "d.txt"] {
            repo.write(name, "new\n");
            repo.commit(&format!("Add {name}"));
        }
        let list = format!("sequence.editor=sed -i '{steps}'");
        repo.try_git(&["-c", &list, "rebase", "-q", "-i", "main"]);
        let mut desk = Desk::new(&repo.top, (160, 47));
        let shown = desk.press("6").shows();
        assert!(
            shown.contains("stopped at a step that asks for it") && shown.contains(said),
            "{shown}"
        );
        desk.press("c");
        assert!(
            desk.message().contains("the rebase is concluded"),
            "{}",
            desk.message()
        );
        assert_eq!(repo.git(&["rev-list", "--count", "main..side"]).trim(), "3");
    }
}

#[test]
fn writing_all_leaves_out_what_does_not_parse() {
    let repo = Repo::new();
    let texts = |value: &str| format!("{{\n  \"quay\": 0,\n  \"berth\": {value}\n}}\n");
    for (name, value) in [("a.json", "1"), ("b.txt", "1")] {
        repo.write(name, texts(value));
    }
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    repo.write("a.json", texts("3"));
    repo.write("b.txt", texts("3"));
    repo.commit("theirs");
    repo.git(&["checkout", "-q", "main"]);
    repo.write("a.json", texts("2"));
    repo.write("b.txt", texts("2"));
    repo.commit("ours");
    repo.try_git(&["merge", "-q", "side"]);
    let mut desk = Desk::new(&repo.top, (160, 47));
    // Without its last line the one before ends in a comma too many.
    desk.open("a.json").press("d");
    desk.open("b.txt").press("d W");
    assert!(
        desk.message().contains("a.json does not parse"),
        "{}",
        desk.message()
    );
    let unmerged = repo.unmerged();
    assert!(
        unmerged.contains("a.json") && !unmerged.contains("b.txt"),
        "{unmerged}"
    );
    assert!(repo.read("a.json").contains("<<<<<<<"));
    // By itself it asks.
    desk.open("a.json").press("w");
    assert!(
        desk.shows().contains("The draft does not parse"),
        "{}",
        desk.shows()
    );
}

#[test]
fn writing_many_files_is_stopped_by_esc_and_goes_on_later() {
    let repo = Repo::new();
    let names: Vec<String> = (0..600).map(|n| format!("berth_{n:03}.txt")).collect();
    let all = |word: &str| {
        for name in &names {
            repo.write(name, format!("head\n{word}\n"));
        }
        repo.commit(word);
    };
    all("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    all("theirs");
    repo.git(&["checkout", "-q", "main"]);
    all("ours");
    repo.try_git(&["merge", "-q", "side"]);
    let t = Tmux::start(&repo.top, (160, 47), "", &[]);
    t.wait("Docket 0/600");
    t.wait_until("all read", |s| {
        s.contains("600 conflicts") && !s.contains("reading")
    });
    t.keys("* O").wait("esc do nothing");
    t.keys("Enter").wait("600 by you");
    // Whatever had begun is ended and told, nothing else is touched.
    t.keys("W Escape");
    let said = t.wait("of 600 files written and staged");
    let done = if said.contains("stopped: 500 of") {
        500
    } else {
        0
    };
    assert!(said.contains(&format!("stopped: {done} of 600")), "{said}");
    assert_eq!(repo.unmerged().lines().count(), 3 * (600 - done));
    t.keys("W").wait("every file is finished");
    assert_eq!(repo.unmerged(), "");
    t.keys("q").wait("EXIT 0");
}
