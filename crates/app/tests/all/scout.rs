//! Scout: what is foreseen is what comes, nothing changes by looking, what was tried out is there when
//! it is begun.

use crate::kit::{Desk, Dice, Repo, Tmux};
use serde_json::Value;
use std::collections::BTreeMap;
use std::path::PathBuf;
use std::time::SystemTime;

/// A demo before anything was begun.
fn idle(kind: &str) -> Repo {
    let repo = Repo::demo(kind);
    let verb = if kind == "rebase" { "rebase" } else { "merge" };
    repo.git(&[verb, "--abort"]);
    repo
}

fn foreseen(repo: &Repo, args: &[&str]) -> (i32, Value) {
    let args = [&["scout", "--json"], args].concat();
    let (code, said) = repo.output(&args);
    let json = serde_json::from_str(&said).unwrap_or_else(|why| panic!("{why}: {said}"));
    (code, json)
}

/// The paths of the files in conflict of a step.
fn files(json: &Value, step: usize) -> Vec<String> {
    let files = json["steps"][step]["files"].as_array().unwrap();
    let mut paths: Vec<String> = files
        .iter()
        .map(|file| file["path"].as_str().unwrap().to_owned())
        .collect();
    paths.sort();
    paths
}

/// The paths of the cases that git left.
fn left(repo: &Repo) -> Vec<String> {
    let (_, said) = repo.output(&["docket", "--json"]);
    let json: Value = serde_json::from_str(&said).unwrap();
    let cases = json["cases"].as_array().unwrap();
    let mut paths: Vec<String> = cases
        .iter()
        .map(|case| case["path"].as_str().unwrap().to_owned())
        .collect();
    paths.sort();
    paths
}

/// Every file below a folder: when it was changed, and what it holds.
fn everything(repo: &Repo) -> BTreeMap<PathBuf, (SystemTime, Vec<u8>)> {
    let mut all = BTreeMap::new();
    let mut folders = vec![repo.top.clone()];
    while let Some(folder) = folders.pop() {
        for entry in std::fs::read_dir(&folder).unwrap().flatten() {
            let meta = entry.metadata().unwrap();
            let bytes = match meta.is_file() {
                true => std::fs::read(entry.path()).unwrap(),
                false => Vec::new(),
            };
            all.insert(entry.path(), (meta.modified().unwrap(), bytes));
            if meta.is_dir() {
                folders.push(entry.path());
            }
        }
    }
    all
}

#[test]
fn the_demos_come_as_foreseen_and_nothing_changes_by_looking() {
    for (kind, other) in [
        ("merge", "night-pilotage"),
        ("moves", ""),
        ("structure", "lock-keeping"),
    ] {
        let repo = idle(kind);
        let other = match other {
            "" => repo.git(&["for-each-ref", "--format=%(refname:short)", "refs/heads"]),
            name => name.to_owned(),
        };
        let at_hand = repo.git(&["branch", "--show-current"]);
        let other = other.lines().find(|name| *name != at_hand.trim()).unwrap();
        let before = everything(&repo);
        let (code, json) = foreseen(&repo, &[other]);
        assert_eq!(everything(&repo), before, "{kind}");
        assert_eq!(code, 1, "{kind}: something would be open");
        repo.try_git(&["merge", other]);
        assert_eq!(files(&json, 0), left(&repo), "{kind}");
        // Nobody has decided anything: what is open there is open here.
        let (_, said) = repo.output(&["docket", "--json"]);
        let docket: Value = serde_json::from_str(&said).unwrap();
        let open = |case: &Value| case["open"].as_u64().unwrap_or(1);
        let all: u64 = docket["cases"].as_array().unwrap().iter().map(open).sum();
        // A mode that is asked about when the file is written is a question here.
        let asked = u64::from(kind == "moves");
        assert_eq!(
            json["open"].as_u64().unwrap(),
            all + asked,
            "{kind}: {json:#}"
        );
    }
}

#[test]
fn the_steps_of_a_rebase_come_as_foreseen() {
    let repo = idle("rebase");
    let before = everything(&repo);
    let (code, json) = foreseen(&repo, &["harbour/main", "--as", "rebase"]);
    assert_eq!(everything(&repo), before);
    assert_eq!(code, 1);
    let steps = json["steps"].as_array().unwrap();
    assert_eq!(steps.len(), 5, "{json:#}");
    let stops = |step: &&Value| matches!(step["end"].as_str(), Some("open" | "settled"));
    let first = steps.iter().position(|step| stops(&step)).unwrap();
    assert!(
        steps[first]["is_estimate"] == false && steps[4]["is_estimate"] == true,
        "{json:#}"
    );
    assert!(
        json["weighed"]["rebase"]["stops"].as_u64() > Some(1),
        "{json:#}"
    );
    repo.try_git(&["rebase", "harbour/main"]);
    assert_eq!(files(&json, first), left(&repo));
}

#[test]
fn exit_codes_tell_a_script_whether_it_will_still_merge() {
    let repo = Repo::new();
    // One re-indented what the other re-worded.
    let [base, ours, theirs] = [
        "if a:\n  moor(ship)\n",
        "if a:\n    moor(ship)\n",
        "if a:\n  moor(boat)\n",
    ];
    repo.diverge("a.txt", base, ours, theirs);
    let (code, json) = foreseen(&repo, &["side"]);
    assert_eq!((code, json["open"].as_u64()), (0, Some(0)), "{json:#}");
    let (code, json) = foreseen(&repo, &["side", "--settle", "none"]);
    assert_eq!((code, json["conflicts"].as_u64()), (1, Some(1)), "{json:#}");
    let (code, said) = repo.output(&["scout", "nothing", "--json"]);
    assert!(
        code == 2 && said.contains("'nothing' names no commit"),
        "{said}"
    );
    let (code, said) = repo.output(&["scout", "HEAD", "--text"]);
    assert!(code == 0 && said.contains("already up to date"), "{said}");
    repo.try_git(&["merge", "side"]);
    let (code, said) = repo.output(&["scout", "side", "--text"]);
    assert!(
        code == 2 && said.contains("a merge is in progress"),
        "{said}"
    );
}

#[test]
fn a_tree_with_changes_says_what_is_in_the_way() {
    let repo = Repo::new();
    repo.diverge("a.txt", "one\n", "ours\n", "theirs\n");
    repo.write("a.txt", "changed\n");
    let (code, said) = repo.output(&["scout", "side", "--text"]);
    assert_eq!(code, 1);
    assert!(
        said.contains("in the way") && said.contains("  a.txt\n"),
        "{said}"
    );
    let mut desk = Desk::ruled(&repo.top, (160, 47));
    assert!(
        desk.shows().contains("1 file in the way"),
        "{}",
        desk.shows()
    );
    // Beginning it all the same is git's to refuse, and that is explained.
    desk.press("S");
    assert!(
        desk.shows().contains("git refuses to begin: a.txt"),
        "{}",
        desk.shows()
    );
    desk.press("enter");
    assert!(
        desk.shows().contains("git refused; nothing has changed"),
        "{}",
        desk.shows()
    );
    assert_eq!(repo.read("a.txt"), "changed\n");
}

#[test]
fn a_file_is_tried_out_and_its_decisions_are_there_when_it_is_begun() {
    let repo = Repo::new();
    repo.diverge(
        "a.txt",
        "one\ntwo\nthree\n",
        "one\nours\nthree\n",
        "one\ntheirs\nthree\n",
    );
    let head = repo.git(&["rev-parse", "HEAD"]);
    let mut desk = Desk::ruled(&repo.top, (160, 47));
    let shown = desk.shows();
    for told in [
        "merge with",
        "> side",
        "1 commit ahead, 1 behind",
        "1 of 1 open",
        "git merge --no-edit side",
    ] {
        assert!(shown.contains(told), "{told}:\n{shown}");
    }
    desk.press("enter enter");
    assert!(desk.shows().contains("conflict 1 of 1"), "{}", desk.shows());
    assert!(
        desk.shows().contains("forecast: side into main"),
        "{}",
        desk.shows()
    );
    desk.press("t");
    assert!(desk.shows().contains("0 open"), "{}", desk.shows());
    // Nothing of it is written, staged or concluded.
    desk.press("w");
    assert!(
        desk.message().contains("this is a forecast"),
        "{}",
        desk.message()
    );
    desk.press("6 c esc 2 W");
    assert_eq!(repo.git(&["status", "--porcelain"]), "");
    assert_eq!(repo.git(&["rev-parse", "HEAD"]), head);
    assert_eq!(repo.read("a.txt"), "one\nours\nthree\n");
    desk.press("1 S");
    assert!(
        desk.shows().contains("Runs: git merge --no-edit side"),
        "{}",
        desk.shows()
    );
    desk.press("enter");
    assert!(desk.shows().contains("1 by you"), "{}", desk.shows());
    desk.press("W");
    assert_eq!(repo.read("a.txt"), "one\ntheirs\nthree\n");
    // And back to exactly what it was.
    desk.press("6 B enter");
    assert_eq!(repo.git(&["status", "--porcelain"]), "");
    assert_eq!(repo.git(&["rev-parse", "HEAD"]), head);
}

#[test]
fn what_cannot_conflict_is_said_and_done() {
    let repo = Repo::new();
    repo.write("a.txt", "one\n");
    repo.commit("first");
    repo.git(&["checkout", "-q", "-b", "side"]);
    repo.write("b.txt", "two\n");
    repo.commit("second");
    repo.git(&["checkout", "-q", "main"]);
    let mut desk = Desk::ruled(&repo.top, (160, 47));
    assert!(
        desk.shows().contains("nothing can conflict"),
        "{}",
        desk.shows()
    );
    assert!(
        desk.shows().contains("1 file merged by git"),
        "{}",
        desk.shows()
    );
    desk.press("m tab");
    assert!(desk.shows().contains("b.txt"), "{}", desk.shows());
    desk.press("1 S enter");
    assert!(
        desk.message().contains("done without a conflict"),
        "{}",
        desk.message()
    );
    assert_eq!(repo.read("b.txt"), "two\n");
    assert!(
        desk.press("1").shows().contains("already up to date"),
        "{}",
        desk.shows()
    );
}

#[test]
fn a_counterpart_is_found_by_letters_or_by_whatever_git_knows() {
    let repo = Repo::new();
    repo.diverge("a.txt", "one\n", "ours\n", "theirs\n");
    repo.git(&["branch", "-q", "pilotage/night", "side"]);
    let mut desk = Desk::ruled(&repo.top, (100, 30));
    desk.press("/").type_text("plng");
    assert!(desk.shows().contains("1 of"), "{}", desk.shows());
    desk.press("enter");
    assert!(
        desk.shows().contains("> pilotage/night"),
        "{}",
        desk.shows()
    );
    desk.press("/");
    for _ in 0..4 {
        desk.press("backspace");
    }
    desk.type_text("side~1").press("enter");
    assert!(desk.shows().contains("> side~1"), "{}", desk.shows());
    assert!(
        desk.shows().contains("already up to date"),
        "{}",
        desk.shows()
    );
    desk.press("/").type_text("nowhere at all").press("enter");
    assert!(
        desk.message().contains("is not a branch"),
        "{}",
        desk.message()
    );
}

#[test]
fn other_things_that_can_be_done_are_foreseen_too() {
    let repo = Repo::new();
    repo.diverge("a.txt", "one\n", "ours\n", "theirs\n");
    let mut desk = Desk::ruled(&repo.top, (160, 47));
    desk.press("o");
    assert!(desk.shows().contains("rebase onto"), "{}", desk.shows());
    assert!(
        desk.shows().contains("as a rebase: 1 question at 1 stop"),
        "{}",
        desk.shows()
    );
    assert!(desk.shows().contains("git rebase side"), "{}", desk.shows());
    // Looked into, the parties are called as they would be called in it.
    desk.press("tab enter");
    let shown = desk.shows();
    assert!(
        shown.contains("▲ onto side  re-worded") && shown.contains("▼ your commit 1 of 1"),
        "{shown}"
    );
    desk.press("1 tab");
    desk.press("o");
    assert!(
        desk.shows().contains("git cherry-pick side"),
        "{}",
        desk.shows()
    );
    desk.press("o");
    let shown = desk.shows();
    assert!(
        shown.contains("git revert --no-edit") && shown.contains("undo one commit here"),
        "{shown}"
    );
    assert!(!shown.contains("> side"), "own commits are undone: {shown}");
}

#[test]
fn scout_in_a_terminal_from_looking_to_the_log() {
    for size in [(160, 50), (80, 24)] {
        let repo = Repo::new();
        repo.diverge("a.txt", "one\n", "ours\n", "theirs\n");
        let t = Tmux::start(&repo.top, size, "scout side --as merge", &[]);
        t.wait("★ 0 by rule · 1 open");
        t.keys("Enter Enter").wait("conflict 1 of 1");
        t.keys("t").wait("0 open");
        t.keys("1 S").wait("Runs: git merge --no-edit side");
        t.keys("Enter").wait("1 by you");
        t.keys("W").wait("Docket 1/1");
        t.keys("6 c").wait("── concluded");
        t.keys("q").wait("EXIT 0");
        assert_eq!(repo.read("a.txt"), "theirs\n");
        let left = std::fs::read_dir(std::env::temp_dir()).unwrap().flatten();
        let pid = |name: String| name.strip_prefix("armistice-scout-").map(str::to_owned);
        let own: Vec<String> = left
            .filter_map(|e| pid(e.file_name().into_string().ok()?))
            .collect();
        // Other tests look at the same time; what is left of programs that are gone is swept.
        assert!(own.len() < 40, "{own:?}");
    }
}

#[test]
fn commits_of_both_lines_are_opened_with_author_message_and_files() {
    let repo = Repo::new();
    repo.diverge("a.txt", "one\n", "ours\n", "theirs\n");
    repo.git(&["checkout", "-q", "side"]);
    repo.write("tide table.txt", "low\n");
    repo.git(&["add", "."]);
    let message = "Print the tide table\n\nThe pilots ask for it each morning.";
    repo.git(&[
        "commit",
        "-q",
        "--author=Tomke Harms <t@example.org>",
        "-m",
        message,
    ]);
    repo.git(&["checkout", "-q", "main"]);
    let mut desk = Desk::new(&repo.top, (160, 47));
    let shown = desk.press("1 enter c").shows();
    for text in [
        "Print the tide table",
        "The pilots ask for it each morning.",
        "Tomke Harms",
        "tide table.txt",
    ] {
        assert!(shown.contains(text), "{text}: {shown}");
    }
    let shown = desk.press("esc").shows();
    assert!(!shown.contains("The pilots ask"), "{shown}");
}

#[test]
fn a_whole_file_is_tried_out_too() {
    let repo = Repo::new();
    repo.diverge("logo.png", "one\0\n", "ours\0\n", "theirs\0\n");
    let mut desk = Desk::ruled(&repo.top, (160, 47));
    desk.press("enter enter");
    assert!(
        desk.shows().contains("forecast: side into main"),
        "{}",
        desk.shows()
    );
    desk.press("t enter");
    assert!(
        desk.message()
            .contains("tried out with theirs for the whole file"),
        "{}",
        desk.message()
    );
    assert_eq!(repo.git(&["status", "--porcelain"]), "");
    let (code, json) = foreseen(&repo, &["side"]);
    assert_eq!((code, json["open"].as_u64()), (0, Some(0)), "{json:#}");
    desk.press("1 S enter W");
    assert_eq!(repo.read("logo.png"), "theirs\0\n");
}

#[test]
fn both_lines_are_drawn_before_they_meet() {
    let repo = Repo::new();
    repo.diverge("a.txt", "one\n", "ours\n", "theirs\n");
    let (code, said) = repo.output(&[
        "draw",
        "history",
        "--with",
        "side",
        "--output",
        "../lines.svg",
    ]);
    assert_eq!(code, 0, "{said}");
    let svg = repo.read("../lines.svg");
    for told in ["main", "side", "theirs", "base"] {
        assert!(svg.contains(told), "{told}");
    }
    let mut desk = Desk::ruled(&repo.top, (160, 47));
    desk.press("D");
    assert!(desk.message().starts_with("drawn: "), "{}", desk.message());
    assert!(repo.path(".git/armistice/drawings/history.pdf").exists());
}

#[test]
fn a_conflict_that_returns_in_a_later_step_is_told() {
    let repo = Repo::new();
    repo.diverge(
        "a.txt",
        "first line\ntwo\n",
        "their line\ntwo\n",
        "own line\ntwo\n",
    );
    repo.git(&["checkout", "-q", "side"]);
    repo.write("b.txt", "beside\n");
    repo.commit("clean");
    repo.write("a.txt", "own line again\ntwo\n");
    repo.commit("own again");
    let (_, json) = foreseen(&repo, &["main", "--as", "rebase"]);
    let told = |nth: usize| {
        let step = &json["steps"][nth];
        (
            step["end"].as_str().unwrap().to_owned(),
            step["repeats"].as_u64(),
        )
    };
    assert_eq!(told(0), ("open".to_owned(), None), "{json:#}");
    assert_eq!(told(1), ("clean".to_owned(), None), "{json:#}");
    assert_eq!(json["steps"][2]["is_estimate"], true);
    assert_eq!(told(2), ("open".to_owned(), Some(1)), "{json:#}");
    assert_eq!(json["weighed"]["rebase"]["repeats"], 1, "{json:#}");
    assert!(!repo.path(".git/rebase-merge").exists());
}

/// Runs git and says whether it began or did anything: its exit code, and whether all is as before.
fn began(repo: &Repo, command: &str) -> (i32, bool) {
    let before = repo.git(&["rev-parse", "HEAD"]);
    let words: Vec<&str> = command.split(' ').skip(1).collect();
    let output = repo.try_git(&words);
    let idle = ![
        "MERGE_HEAD",
        "CHERRY_PICK_HEAD",
        "REVERT_HEAD",
        "rebase-merge",
        "rebase-apply",
        "sequencer",
    ]
    .iter()
    .any(|name| repo.path(".git").join(name).exists());
    let same = idle && repo.git(&["rev-parse", "HEAD"]) == before && !output.status.success();
    (output.status.code().unwrap(), same)
}

fn forecast(repo: &Repo, args: &[&str]) -> Value {
    let args = [&["scout"][..], args, &["--json"]].concat();
    let output = repo.run(&args);
    serde_json::from_slice(&output.stdout).unwrap_or_else(|why| {
        panic!(
            "{args:?}: {why}: {}",
            String::from_utf8_lossy(&output.stderr)
        )
    })
}

fn names(value: &Value) -> Vec<String> {
    let all = value.as_array().unwrap().iter();
    let mut all: Vec<String> = all.map(|one| one.as_str().unwrap().to_owned()).collect();
    all.sort();
    all
}

/// A repository in which `side` adds, changes and removes files, with something in the way on `main`.
fn with_obstacle(obstacle: &str) -> Repo {
    let repo = Repo::new();
    for name in ["a.txt", "b.txt", "gone.txt"] {
        repo.write(name, "1\n2\n3\n4\n5\n6\n7\n8\n");
    }
    repo.write(".gitignore", "*.log\n");
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    repo.write("a.txt", "1\n2\n3\n4\n5\n6\n7\ntheirs\n");
    repo.write("new.txt", "new\n");
    repo.write("new.log", "new\n");
    repo.write("folder/inner.txt", "new\n");
    repo.git(&["rm", "-q", "gone.txt"]);
    repo.git(&["add", "-f", "new.log"]);
    repo.commit("theirs");
    repo.git(&["checkout", "-q", "main"]);
    repo.write("b.txt", "ours\n2\n3\n4\n5\n6\n7\n8\n");
    repo.commit("ours");
    let changed = "other\n2\n3\n4\n5\n6\n7\n8\n";
    match obstacle {
        "nothing" | "stash" => {}
        "changed" => repo.write("a.txt", changed),
        "changed elsewhere" => repo.write("b.txt", changed),
        "staged by another program" => {
            repo.write("b.txt", changed);
            repo.git(&["add", "b.txt"]);
        }
        "removed file" => std::fs::remove_file(repo.path("a.txt")).unwrap(),
        "untracked" => repo.write("new.txt", "mine\n"),
        "ignored" => repo.write("new.log", "mine\n"),
        "file where a folder comes" => repo.write("folder", "mine\n"),
        "ignored file where a folder comes" => {
            repo.write(".git/info/exclude", "folder\n");
            repo.write("folder", "mine\n");
        }
        "folder where a file comes" => repo.write("new.txt/mine.txt", "mine\n"),
        "folder of ignored files" => repo.write("new.txt/mine.log", "mine\n"),
        "empty folder" => std::fs::create_dir(repo.path("new.txt")).unwrap(),
        "assumed unchanged" => {
            repo.git(&["update-index", "--assume-unchanged", "a.txt"]);
            repo.write("a.txt", changed);
        }
        "skipped" => {
            repo.git(&["update-index", "--skip-worktree", "a.txt"]);
            repo.write("a.txt", changed);
        }
        "autostash" => {
            repo.git(&["config", "merge.autoStash", "true"]);
            repo.git(&["config", "rebase.autoStash", "true"]);
            repo.write("a.txt", "mine\n2\n3\n4\n5\n6\n7\n8\n");
        }
        other => panic!("{other}"),
    }
    repo
}

#[test]
fn what_is_in_the_way_is_what_git_stops_for_and_what_it_replaces() {
    for obstacle in [
        "nothing",
        "changed",
        "changed elsewhere",
        "staged by another program",
        "removed file",
        "untracked",
        "ignored",
        "file where a folder comes",
        "ignored file where a folder comes",
        "folder where a file comes",
        "folder of ignored files",
        "empty folder",
        "assumed unchanged",
        "skipped",
        "autostash",
    ] {
        for how in ["merge", "rebase"] {
            let repo = with_obstacle(obstacle);
            let told = forecast(&repo, &["side", "--as", how]);
            let refused = !names(&told["in_the_way"]).is_empty();
            let lost = names(&told["overwritten"]);
            let kept: Vec<bool> = lost
                .iter()
                .map(|path| repo.read(path).starts_with("mine"))
                .collect();
            assert!(kept.iter().all(|kept| *kept), "{obstacle}, {how}: {lost:?}");
            let (code, same) = began(&repo, told["command"].as_str().unwrap());
            assert_eq!(
                same, refused,
                "{obstacle}, {how}: exit {code}, told {told:#}"
            );
            if !refused {
                // What was told to be replaced is gone, and nothing else of the person's own is.
                for path in &lost {
                    let now = std::fs::read_to_string(repo.path(path)).unwrap_or_default();
                    assert!(
                        !now.starts_with("mine"),
                        "{obstacle}, {how}: {path} is still there"
                    );
                }
                let is_ignored =
                    obstacle.contains("ignored") && !obstacle.starts_with("folder where");
                assert_eq!(!lost.is_empty(), is_ignored, "{obstacle}, {how}: {lost:?}");
            }
        }
    }
}

#[test]
fn ignored_files_are_copied_before_git_replaces_them() {
    let repo = with_obstacle("ignored");
    let mut desk = Desk::new(&repo.top, (140, 40));
    let asked = desk.press("S").shows();
    assert!(
        asked.contains("git overwrites 1 ignored file without asking"),
        "{asked}"
    );
    assert!(
        asked.contains("keep 1 copy in the git folder, then begin"),
        "{asked}"
    );
    desk.press("enter");
    assert_eq!(repo.read("new.log"), "new\n");
    let copies = std::fs::read_dir(repo.path(".git/armistice/kept"))
        .unwrap()
        .flatten();
    let copies: Vec<String> = copies
        .map(|copy| std::fs::read_to_string(copy.path()).unwrap())
        .collect();
    assert_eq!(copies, ["mine\n"]);
}

#[test]
fn settings_of_git_count_in_a_forecast() {
    let clash = |settings: &[(&str, &str)]| {
        let repo = Repo::new();
        repo.diverge("a.txt", "1\n", "ours\n", "theirs\n");
        for (key, value) in settings {
            repo.git(&["config", key, value]);
        }
        repo
    };
    // How git answers, and what was reported: open conflicts and whether it refuses.
    for (settings, open, refused) in [
        (&[][..], 1, false),
        (&[("branch.main.mergeoptions", "-Xtheirs")], 0, false),
        (&[("branch.main.mergeoptions", "-s ours")], 0, false),
        (&[("branch.main.mergeoptions", "--ff-only")], 1, true),
        (&[("merge.ff", "only")], 1, true),
        (
            &[
                ("merge.ff", "only"),
                ("branch.main.mergeoptions", "--no-ff -X ours"),
            ],
            0,
            false,
        ),
        (&[("branch.main.mergeoptions", "--squash")], 1, false),
        (&[("branch.other.mergeoptions", "-Xtheirs")], 1, false),
    ] {
        let repo = clash(settings);
        let told = forecast(&repo, &["side"]);
        assert_eq!(
            told["refused"].is_string(),
            refused,
            "{settings:?}: {told:#}"
        );
        let (_, same) = began(&repo, told["command"].as_str().unwrap());
        let unmerged = usize::from(!repo.unmerged().is_empty());
        if refused {
            assert!(same, "{settings:?}");
        } else {
            assert_eq!(
                (told["open"].as_u64().unwrap() as usize, unmerged),
                (open, open),
                "{settings:?}"
            );
            if open == 0 {
                let tree = repo.git(&["rev-parse", "HEAD^{tree}"]);
                assert_eq!(told["result_tree"], tree.trim(), "{settings:?}");
            }
        }
    }
    for (key, value, how, note) in [
        (
            "branch.main.mergeoptions",
            "--squash",
            "merge",
            "makes no merge commit",
        ),
        (
            "branch.main.mergeoptions",
            "--no-commit",
            "merge",
            "stops before it commits",
        ),
        (
            "branch.main.mergeoptions",
            "-s resolve",
            "merge",
            "may leave other conflicts",
        ),
        (
            "rebase.rebaseMerges",
            "true",
            "rebase",
            "recreates merge commits",
        ),
        ("rebase.backend", "apply", "rebase", "applies patches"),
        ("rebase.updateRefs", "true", "rebase", "move with them"),
        (
            "rerere.autoUpdate",
            "true",
            "merge",
            "stages recorded resolutions",
        ),
    ] {
        let repo = clash(&[(key, value)]);
        let told = forecast(&repo, &["side", "--as", how]);
        assert!(
            names(&told["notes"]).iter().any(|said| said.contains(note)),
            "{key}: {told:#}"
        );
        assert!(
            repo.output(&["scout", "side", "--as", how, "--text"])
                .1
                .contains(note)
        );
    }
}

/// A line of commits that change, add, undo and do nothing; one is a copy of what `main` did.
fn line(dice: &mut Dice) -> Repo {
    let repo = Repo::new();
    let text = |at: usize, with: &str| -> String {
        (0..8)
            .map(|n| {
                if n == at {
                    format!("{with}\n")
                } else {
                    format!("line {n}\n")
                }
            })
            .collect()
    };
    repo.write("a.txt", text(9, ""));
    repo.write("b.txt", text(9, ""));
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    for n in 0..3 + dice.roll(3) {
        match dice.roll(5) {
            0 => {
                repo.git(&["commit", "-q", "--allow-empty", "-m", "nothing"]);
            }
            1 => {
                repo.write(&format!("new{n}.txt"), "new\n");
                repo.commit("new file");
            }
            2 => {
                repo.write("b.txt", text(3, "shared"));
                repo.git(&["add", "-A"]);
                repo.try_git(&["commit", "-q", "-m", "shared"]);
            }
            _ => {
                repo.write("a.txt", text(dice.roll(8), &format!("theirs {n}")));
                repo.commit("change");
            }
        }
    }
    repo.git(&["checkout", "-q", "main"]);
    repo.write("b.txt", text(3, "shared"));
    repo.write("a.txt", text(dice.roll(8), "ours"));
    repo.commit("ours");
    repo
}

#[test]
fn the_first_stop_of_ranges_and_rebases_is_the_one_foreseen() {
    let mut stops = [0; 2];
    for seed in 0..24 {
        let mut dice = Dice(seed * 77 + 5);
        let repo = line(&mut dice);
        let (range, how) = dice.one_of(&[
            ("main..side", "pick"),
            ("side~2..side", "pick"),
            ("main~1..main", "revert"),
            ("side~2..side", "revert"),
            ("side", "pick"),
            ("main", "rebase"),
        ]);
        if how == "revert" || how == "rebase" {
            repo.git(&["checkout", "-q", "side"]);
        }
        let range = if how == "revert" {
            "side~2..side"
        } else {
            range
        };
        let told = forecast(&repo, &[range, "--as", how]);
        let steps = told["steps"].as_array().unwrap();
        let ends: Vec<&str> = steps
            .iter()
            .map(|step| step["end"].as_str().unwrap())
            .collect();
        let stop = ends
            .iter()
            .position(|end| ["open", "settled", "empty-stop"].contains(end));
        let before = repo.git(&["rev-parse", "HEAD"]);
        let command = told["command"].as_str().unwrap().to_owned();
        let (code, _) = began(&repo, &command);
        assert_eq!(
            code != 0,
            stop.is_some(),
            "seed {seed}: {command}: {ends:?}"
        );
        stops[usize::from(stop.is_some())] += 1;
        // As many commits were made before the stop as were told to be made.
        let from = match how {
            "rebase" => "main".to_owned(),
            _ => before.trim().to_owned(),
        };
        let made = repo.git(&["rev-list", "--count", &format!("{from}..HEAD")]);
        let told_made = ends
            .iter()
            .take(stop.unwrap_or(ends.len()))
            .filter(|end| **end == "clean");
        assert_eq!(
            made.trim(),
            told_made.count().to_string(),
            "seed {seed}: {command}: {ends:?}"
        );
        if let Some(stop) = stop {
            let files: Vec<&str> = steps[stop]["files"]
                .as_array()
                .unwrap()
                .iter()
                .map(|file| file["path"].as_str().unwrap())
                .collect();
            let unmerged = repo.git(&["diff", "--name-only", "--diff-filter=U"]);
            assert_eq!(
                files,
                unmerged.lines().collect::<Vec<_>>(),
                "seed {seed}: {command}"
            );
        }
    }
    assert!(stops[0] > 2 && stops[1] > 5, "{stops:?}");
}

#[test]
fn a_rebase_names_what_went_and_says_what_its_estimates_stand_on() {
    let repo = Repo::new();
    repo.write(
        "lib.rs",
        "pub fn moor() {\n    one();\n}\n\npub fn sail() {}\n",
    );
    repo.write("a.txt", "1\n2\n3\n");
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    repo.write(
        "lib.rs",
        "pub fn berth() {\n    one();\n}\n\npub fn sail() {}\n",
    );
    repo.write("a.txt", "1\ntheirs\n3\n");
    repo.commit("rename");
    repo.git(&["checkout", "-q", "main"]);
    repo.write("use.rs", "fn main() {\n    moor();\n}\n");
    repo.commit("use it");
    for n in 0..3 {
        repo.write("a.txt", format!("1\nours {n}\n3\n"));
        repo.commit("ours");
    }
    let findings = |told: &Value| -> String {
        let steps = told["steps"].as_array().unwrap().iter();
        steps.map(|step| step["findings"].to_string()).collect()
    };
    let merge = forecast(&repo, &["side"]);
    let rebase = forecast(&repo, &["side", "--as", "rebase"]);
    assert!(findings(&merge).contains("moor"), "{merge:#}");
    assert!(findings(&rebase).contains("moor"), "{rebase:#}");
    // The assumed side makes a difference: the forecast gives both numbers.
    assert_eq!(rebase["assumed"], "ours");
    let with_theirs = forecast(&repo, &["side", "--as", "rebase", "--assume", "theirs"]);
    assert_eq!(
        rebase["otherwise"]["questions"], with_theirs["open"],
        "{rebase:#}"
    );
    assert_ne!(rebase["open"], with_theirs["open"]);
    let (code, text) = repo.output(&["scout", "side", "--as", "rebase", "--text"]);
    assert!(
        code == 1 && text.contains("estimates assume side for open conflicts"),
        "{text}"
    );
    // A finding alone is no success either.
    repo.git(&["reset", "-q", "--hard", "HEAD~3"]);
    repo.git(&["rm", "-q", "a.txt"]);
    repo.git(&["checkout", "-q", "HEAD", "--", "a.txt"]);
    let (code, text) = repo.output(&["scout", "side", "--text"]);
    assert!(code == 1 && text.contains("moor"), "{text}");
}

#[test]
fn merge_and_rebase_are_compared_only_up_to_a_number_of_files() {
    let file = |n: usize| format!("berth {n}.txt");
    let names: Vec<String> = (0..101).map(file).collect();
    let texts = || ["base\n", "ours\n", "theirs\n"].map(str::to_owned);
    let files: Vec<(&str, [String; 3])> = names.iter().map(|name| (&**name, texts())).collect();
    let repo = Repo::merge(&files);
    repo.git(&["merge", "--abort"]);
    let told = forecast(&repo, &["side"]);
    assert_eq!(told["conflicts"], 101);
    assert!(told["weighed"].is_null(), "{told:#}");
    assert!(
        told["notes"]
            .to_string()
            .contains("merge and rebase are not compared: more than 100 files"),
        "{told:#}"
    );
}
