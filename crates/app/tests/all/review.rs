//! `review` over merge commits that plain git made, right and wrong ones.

use crate::kit::{Repo, armistice};
use serde_json::Value;
use std::process::Output;

const FILES: [&str; 3] = ["src/quay.rs", "src/tariff.py", "docs/a b é.md"];

/// Functions with lines that differ from each other.
fn text(seed: usize) -> String {
    let function = |n: usize| {
        let line = |k: usize| format!("    berth_{n}_{k} = moor({}, {k})\n", seed + n * 10 + k);
        let body: String = (0..6).map(line).collect();
        format!("def quay_{n}(ship):\n{body}\n\n")
    };
    (0..5).map(function).collect()
}

/// A repository in which each file differs from the others.
fn harbour() -> Repo {
    let repo = Repo::new();
    for (nth, name) in FILES.iter().enumerate() {
        repo.write(name, text(nth * 100));
    }
    repo.commit("base");
    repo
}

fn change(repo: &Repo, name: &str, from: &str, to: &str) {
    let text = repo.read(name);
    assert!(text.contains(from), "{name}: {from}");
    repo.write(name, text.replacen(from, to, 1));
}

/// Commits changes on a new branch `side` and on main, and merges without committing.
fn begin(repo: &Repo, ours: &[(&str, &str, &str)], theirs: &[(&str, &str, &str)]) {
    repo.git(&["checkout", "-q", "-B", "side"]);
    for (name, from, to) in theirs {
        change(repo, name, from, to);
    }
    repo.commit("theirs");
    repo.git(&["checkout", "-q", "main"]);
    for (name, from, to) in ours {
        change(repo, name, from, to);
    }
    repo.commit("ours");
    repo.try_git(&["merge", "-q", "--no-ff", "--no-commit", "side"]);
}

/// Replaces the first conflict between markers of a file.
fn resolve(repo: &Repo, name: &str, own: &str) {
    let text = repo.read(name);
    let (from, end) = (text.find("<<<<<<<").unwrap(), text.find(">>>>>>>").unwrap());
    let end = end + text[end..].find('\n').unwrap() + 1;
    repo.write(name, format!("{}{own}{}", &text[..from], &text[end..]));
}

fn review(repo: &Repo, args: &[&str]) -> (Option<i32>, String) {
    let all: Vec<&str> = ["review"].into_iter().chain(args.iter().copied()).collect();
    let Output { status, stdout, .. } = armistice(&repo.top, &all);
    (status.code(), String::from_utf8_lossy(&stdout).into_owned())
}

fn json(repo: &Repo, args: &[&str]) -> Value {
    let args: Vec<&str> = args.iter().copied().chain(["--json"]).collect();
    serde_json::from_str(&review(repo, &args).1).unwrap()
}

/// A merge whose sides changed other lines, so that git sees no conflict.
fn clean(repo: &Repo) {
    begin(
        repo,
        &[(FILES[0], "moor(11, 1)", "moor(11, 1, early)")],
        &[
            (FILES[0], "moor(43, 3)", "moor(43, 3, late)"),
            (FILES[1], "    berth_2_4 = moor(124, 4)\n", ""),
        ],
    );
}

#[test]
fn a_merge_that_git_made_has_no_findings() {
    let repo = harbour();
    clean(&repo);
    repo.commit("Merge side");
    let (code, said) = review(&repo, &[]);
    assert_eq!(code, Some(0), "{said}");
    assert!(
        said.contains("no conflict: the commit is what git merges"),
        "{said}"
    );
    assert!(
        said.contains("1 merge reviewed: 0 with findings, 0 with conflicts"),
        "{said}"
    );
}

#[test]
fn each_way_to_spoil_a_clean_merge_is_named() {
    type Spoil = fn(&Repo);
    let ways: [(Spoil, &str); 11] = [
        (
            |repo| change(repo, FILES[0], "moor(43, 3, late)", "moor(43, 3)"),
            "an edit of theirs is lost",
        ),
        (
            |repo| change(repo, FILES[0], "    berth_1_1 = moor(11, 1, early)\n", ""),
            "a line that ours added is missing",
        ),
        (
            |repo| {
                let line = "    berth_2_3 = moor(123, 3)\n";
                let back = format!("{line}    berth_2_4 = moor(124, 4)\n");
                change(repo, FILES[1], line, &back);
            },
            "a line that theirs removed is back: berth_2_4",
        ),
        (
            |repo| {
                let line = "def quay_3(ship):\n";
                change(
                    repo,
                    FILES[2],
                    line,
                    &format!("{line}    if ship.tug: refuse()\n"),
                );
            },
            "a b é.md:29  neither side added this line, and git saw no conflict here: if ship.tug",
        ),
        (
            |repo| change(repo, FILES[1], "moor(131, 1)", "moor(931, 1)"),
            "neither side added this line",
        ),
        (
            |repo| change(repo, FILES[2], "    berth_2_2 = moor(222, 2)\n", ""),
            "a line that all versions have is missing",
        ),
        (
            |repo| {
                let line = "    berth_2_2 = moor(222, 2)\n";
                change(repo, FILES[2], line, &format!("{line}{line}"));
            },
            "neither side added this line, and git saw no conflict here: berth_2_2",
        ),
        (
            |repo| change(repo, FILES[2], "\n\n\n", "\n\n"),
            "git merges this file differently, without a conflict",
        ),
        (
            |repo| drop(repo.git(&["update-index", "--chmod=+x", FILES[2]])),
            "git merges this file with another mode",
        ),
        (
            |repo| drop(repo.git(&["rm", "-q", "-f", FILES[2]])),
            "the file is gone, although neither side removed it",
        ),
        (
            |repo| {
                repo.git(&["checkout", "-q", "main", "--", "."]);
            },
            "the commit contains nothing of theirs: it is the same as ours",
        ),
    ];
    for (spoil, wanted) in ways {
        let repo = harbour();
        clean(&repo);
        repo.git(&["add", "-A"]);
        spoil(&repo);
        if !wanted.contains("mode") {
            repo.git(&["add", "-A"]);
        }
        repo.git(&["commit", "-q", "-m", "Merge side"]);
        let (code, said) = review(&repo, &["HEAD"]);
        assert_eq!(code, Some(1), "{wanted}: {said}");
        assert!(said.contains(wanted), "{wanted}: {said}");
    }
}

#[test]
fn conflicts_are_told_by_how_they_were_resolved() {
    let repo = harbour();
    begin(
        &repo,
        &[
            (FILES[0], "moor(11, 1)", "moor(11, day)"),
            (FILES[1], "moor(143, 3)", "moor(143, day)"),
        ],
        &[
            (FILES[0], "moor(11, 1)", "moor(11, night)"),
            (FILES[1], "moor(143, 3)", "moor(143, night)"),
            (FILES[1], "moor(101, 1)", "moor(101, tide)"),
        ],
    );
    resolve(&repo, FILES[0], "    berth_1_1 = moor(11, night)\n");
    resolve(&repo, FILES[1], "    berth_4_3 = moor(143, any_time)\n");
    repo.commit("Merge side");
    let found = json(&repo, &["HEAD"]);
    assert_eq!(found["with_findings"], 0, "{found:#}");
    let files = &found["merges"][0]["files"];
    assert_eq!(files[0]["conflicts"][0]["by"], "theirs");
    assert_eq!(files[0]["conflicts"][0]["line"], 12);
    assert_eq!(files[1]["conflicts"][0]["by"], "new-text");
    assert_eq!(files[1]["new_lines"][0]["in_conflict"], true);
    let (code, said) = review(&repo, &[]);
    assert_eq!(code, Some(0), "{said}");
    assert!(
        said.contains("2 conflicts in 2 files: 1 new text, 1 theirs"),
        "{said}"
    );
    assert!(
        said.contains("conflict 1, both sides changed the same line: theirs"),
        "{said}"
    );
    // The same resolution, and an edit beside it that got lost.
    change(&repo, FILES[1], "moor(101, tide)", "moor(101, 1)");
    repo.git(&["commit", "-q", "-a", "--amend", "--no-edit"]);
    let (code, said) = review(&repo, &[]);
    assert_eq!(code, Some(1), "{said}");
    assert!(
        said.contains("src/tariff.py:3  an edit of theirs is lost"),
        "{said}"
    );
}

#[test]
fn a_range_is_reviewed_whole_and_prints_each_format() {
    let repo = harbour();
    clean(&repo);
    repo.commit("Merge <side> one");
    repo.git(&["tag", "first"]);
    begin(
        &repo,
        &[(FILES[0], "moor(21, 1)", "moor(21, 1, early)")],
        &[(FILES[1], "moor(121, 1)", "moor(121, 1, late)")],
    );
    change(&repo, FILES[2], "moor(211, 1)", "moor(211, `1`)");
    repo.commit("Merge <side> two");
    let found = json(&repo, &["first..HEAD"]);
    assert_eq!(
        (&found["reviewed"], &found["with_findings"]),
        (&1.into(), &1.into())
    );
    let found = json(&repo, &["--since", "2000-01-01"]);
    assert_eq!(
        (&found["reviewed"], &found["with_findings"]),
        (&2.into(), &1.into())
    );
    let (code, sarif) = review(&repo, &["first..", "--sarif"]);
    let sarif: Value = serde_json::from_str(&sarif).unwrap();
    assert_eq!(code, Some(1));
    let result = &sarif["runs"][0]["results"][0];
    assert_eq!(
        (&result["ruleId"], &result["level"]),
        (&"new-text".into(), &"warning".into())
    );
    let place = &result["locations"][0]["physicalLocation"];
    assert_eq!(place["artifactLocation"]["uri"], "docs/a%20b%20%C3%A9.md");
    assert_eq!(place["region"]["startLine"], 12);
    let (_, markdown) = review(&repo, &["first..", "--markdown"]);
    assert!(markdown.contains("Merge \\<side\\> two"), "{markdown}");
    assert!(markdown.contains("moor(211, \\`1\\`)"), "{markdown}");
}

#[test]
fn what_cannot_be_reviewed_is_said() {
    let repo = harbour();
    let of = |args: &[&str]| {
        let all: Vec<&str> = ["review"].into_iter().chain(args.iter().copied()).collect();
        let output = armistice(&repo.top, &all);
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        (output.status.code(), said)
    };
    let (code, said) = of(&[]);
    assert_eq!(code, Some(2));
    assert!(
        said.contains("the history of HEAD has no merge commit"),
        "{said}"
    );
    let (code, said) = of(&["HEAD"]);
    assert_eq!(code, Some(2));
    assert!(said.contains("'HEAD' is not a merge commit"), "{said}");
    for name in ["nowhere", "--output=x..HEAD", "HEAD..nowhere"] {
        let (code, said) = of(&["--", name]);
        assert_eq!(code, Some(2));
        assert!(said.contains("is not a commit"), "{name}: {said}");
    }
    for branch in ["one", "two"] {
        repo.git(&["checkout", "-q", "-b", branch, "main"]);
        repo.write(branch, "moor\n");
        repo.commit(branch);
    }
    repo.git(&["checkout", "-q", "main"]);
    repo.write("three", "moor\n");
    repo.commit("three");
    repo.git(&["merge", "-q", "-m", "Merge both", "one", "two"]);
    let (code, said) = review(&repo, &[]);
    assert_eq!(code, Some(1));
    assert!(said.contains("not reviewed: merges of 3 parents"), "{said}");
    assert!(said.contains("0 merges reviewed"), "{said}");
}

#[test]
fn reviewing_changes_nothing_of_the_repository() {
    let repo = harbour();
    clean(&repo);
    repo.commit("Merge side");
    let state = || {
        let mut find = std::process::Command::new("find");
        let listed = find
            .args([".", "-type", "f", "-printf", "%p %T@ %i %s\n"])
            .current_dir(&repo.top)
            .output()
            .unwrap();
        let mut lines: Vec<String> = String::from_utf8_lossy(&listed.stdout)
            .lines()
            .map(str::to_owned)
            .collect();
        lines.sort();
        lines
    };
    let before = state();
    assert!(before.len() > 20);
    review(&repo, &["--since", "2000-01-01"]);
    assert_eq!(state(), before);
}

/// A branch of three commits, and a main that went on; the branch is checked out.
fn branch(repo: &Repo) {
    repo.git(&["checkout", "-q", "-b", "work"]);
    for (subject, name, from, to) in [
        ("One", FILES[0], "moor(11, 1)", "moor(11, one)"),
        ("Two", FILES[1], "moor(121, 1)", "moor(121, two)"),
        ("Three", FILES[2], "moor(231, 1)", "moor(231, three)"),
    ] {
        change(repo, name, from, to);
        repo.commit(subject);
    }
    repo.git(&["checkout", "-q", "main"]);
    change(repo, FILES[0], "moor(43, 3)", "moor(43, main)");
    change(repo, FILES[1], "moor(121, 1)", "moor(121, main)");
    repo.commit("Main goes on");
    repo.git(&["checkout", "-q", "work"]);
}

#[test]
fn a_rebase_is_reviewed_commit_by_commit() {
    let repo = harbour();
    branch(&repo);
    let old = repo.git(&["rev-parse", "HEAD"]).trim().to_owned();
    repo.try_git(&["rebase", "main"]);
    resolve(&repo, FILES[1], "    berth_2_1 = moor(121, main, two)\n");
    repo.git(&["add", "-A"]);
    repo.git(&["-c", "core.editor=true", "rebase", "--continue"]);
    let (code, said) = review(&repo, &["--rebased"]);
    assert_eq!(code, Some(0), "{said}");
    assert!(said.contains("1 conflict in 1 file: 1 combined"), "{said}");
    assert!(
        said.contains("3 commits reviewed: 0 with findings, 1 with conflicts"),
        "{said}"
    );
    // The last commit loses its line, and gets one that nobody had.
    change(&repo, FILES[2], "moor(231, three)", "moor(231, 1)");
    change(&repo, FILES[0], "moor(33, 3)", "moor(33, 9)");
    repo.git(&["commit", "-q", "-a", "--amend", "--no-edit"]);
    let named = format!("{old}..work");
    let (code, said) = review(&repo, &["--rebased", &named]);
    assert_eq!(code, Some(1), "{said}");
    assert!(
        said.contains("a b é.md:30  an edit of theirs is lost"),
        "{said}"
    );
    assert!(said.contains("neither side added this line"), "{said}");
}

#[test]
fn a_commit_that_a_rebase_dropped_is_named_unless_its_change_is_there() {
    let repo = harbour();
    branch(&repo);
    let old = repo.git(&["rev-parse", "HEAD"]).trim().to_owned();
    repo.git(&["reset", "-q", "--hard", "main"]);
    repo.git(&["cherry-pick", &format!("{old}~2")]);
    let named = format!("{old}..HEAD");
    let found = json(&repo, &["--rebased", &named]);
    assert_eq!(found["reviewed"], 1, "{found:#}");
    let dropped: Vec<_> = found["dropped"].as_array().unwrap().iter().collect();
    assert_eq!(dropped.len(), 2);
    assert!(dropped.iter().all(|one| one["is_there"] == false));
    let (code, said) = review(&repo, &["--rebased", &named]);
    assert_eq!(code, Some(1), "{said}");
    assert!(
        said.contains("Three · dropped, and its changes are missing"),
        "{said}"
    );
    // The same change under another name.
    change(&repo, FILES[2], "moor(231, 1)", "moor(231, three)");
    repo.commit("The third, said otherwise");
    let (_, said) = review(&repo, &["--rebased", &named]);
    assert!(
        said.contains("Three · dropped, the branch contains its changes"),
        "{said}"
    );
    assert!(
        said.contains("The third, said otherwise · new in the rebased branch"),
        "{said}"
    );
}

/// The folder of the example scripts.
fn example(name: &str) -> std::path::PathBuf {
    std::path::Path::new(env!("CARGO_MANIFEST_DIR"))
        .join("../../docs/examples")
        .join(name)
}

/// The search path of the examples: the program first.
fn search_path() -> String {
    let program = std::path::Path::new(env!("CARGO_BIN_EXE_armistice"));
    let own = program.parent().unwrap().display().to_string();
    format!("{own}:{}", std::env::var("PATH").unwrap())
}

#[test]
fn the_hook_lets_a_right_merge_pass_and_stops_a_wrong_one() {
    let repo = harbour();
    let remote = repo.dir.path().join("remote.git");
    repo.git(&["init", "-q", "--bare", remote.to_str().unwrap()]);
    repo.git(&["remote", "add", "origin", remote.to_str().unwrap()]);
    repo.git(&["push", "-q", "origin", "main"]);
    let hook = repo.path(".git/hooks/pre-push");
    std::fs::create_dir_all(hook.parent().unwrap()).unwrap();
    std::fs::copy(example("pre-push"), &hook).unwrap();
    let push = || {
        let mut git = std::process::Command::new("git");
        git.args(["push", "-q", "origin", "main"])
            .env("PATH", search_path())
            .current_dir(&repo.top);
        git.output().unwrap()
    };
    clean(&repo);
    repo.commit("Merge side");
    let pushed = push();
    assert!(pushed.status.success(), "{pushed:?}");
    begin(
        &repo,
        &[(FILES[0], "moor(21, 1)", "moor(21, 1, early)")],
        &[(FILES[1], "moor(121, 1)", "moor(121, 1, late)")],
    );
    change(&repo, FILES[1], "moor(121, 1, late)", "moor(121, 1)");
    repo.commit("Merge side again");
    let pushed = push();
    assert!(!pushed.status.success(), "{pushed:?}");
    let said = [pushed.stdout, pushed.stderr].concat();
    let said = String::from_utf8_lossy(&said);
    assert!(said.contains("an edit of theirs is lost"), "{said}");
    let mut step = std::process::Command::new(example("review-in-ci"));
    let ran = step
        .arg("HEAD~1")
        .env("PATH", search_path())
        .current_dir(&repo.top)
        .output()
        .unwrap();
    assert_eq!(ran.status.code(), Some(1), "{ran:?}");
    let sarif: Value = serde_json::from_str(&repo.read("review.sarif")).unwrap();
    assert_eq!(
        sarif["runs"][0]["results"].as_array().unwrap().len(),
        2,
        "{sarif:#}"
    );
    assert!(repo.read("review.md").contains("Merge side again"));
}

#[test]
fn a_merge_that_git_calls_clean_is_told_when_a_name_went() {
    let repo = harbour();
    repo.git(&["checkout", "-q", "-b", "side"]);
    repo.write("src/use.py", "from tariff import quay_3\n\nquay_3(1)\n");
    repo.commit("theirs");
    repo.git(&["checkout", "-q", "main"]);
    change(
        &repo,
        FILES[1],
        "def quay_3(ship):",
        "def mooring_place(ship):",
    );
    repo.commit("ours");
    repo.git(&["merge", "-q", "--no-edit", "side"]);
    let (code, said) = review(&repo, &[]);
    assert_eq!(code, Some(1), "{said}");
    assert!(said.contains("! src/use.py:1  "), "{said}");
    assert!(said.contains("'mooring_place'"), "{said}");
}

/// A rebase of four commits over a renamed class: the second step stops with a conflict, the others
/// merge, and two of them use the old name.
fn rebase_over_a_rename() -> Repo {
    let repo = Repo::new();
    let class = "class DataStore:\n    def fetch(self, key):\n        return self.rows[key]\n";
    repo.write("store.py", class);
    repo.write("notes.md", "one\ntwo\nthree\n");
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "work"]);
    repo.write(
        "first.py",
        "from store import DataStore\n\nfirst = DataStore()\n",
    );
    repo.commit("Use it first");
    repo.write("notes.md", "one\nTWO\nthree\n");
    repo.commit("Say two");
    repo.write("plain.py", "plain = 1\n");
    repo.commit("Use nothing");
    repo.write(
        "last.py",
        "from store import DataStore\n\nlast = DataStore()\n",
    );
    repo.commit("Use it last");
    repo.git(&["checkout", "-q", "main"]);
    repo.write("store.py", class.replace("DataStore", "RowVault"));
    repo.write("notes.md", "one\nzwei\nthree\n");
    repo.commit("Rename it");
    repo.git(&["checkout", "-q", "work"]);
    repo.try_git(&["rebase", "main"]);
    repo
}

#[test]
fn steps_that_git_applies_cleanly_are_reviewed_before_and_after_the_rebase_ends() {
    let repo = rebase_over_a_rename();
    let run = |args: &[&str]| {
        let output = armistice(&repo.top, args);
        let said = String::from_utf8_lossy(&output.stdout).into_owned();
        (output.status.code(), said)
    };
    run(&["settle", "notes.md", "--by", "theirs"]);
    let (code, said) = run(&["proof"]);
    assert_eq!(code, Some(1), "{said}");
    assert!(said.contains("first.py"), "{said}");
    assert!(said.contains("'Use it first', line"), "{said}");
    assert!(!said.contains("last.py"), "{said}");
    let (code, said) = run(&["conclude"]);
    assert_eq!(code, Some(1), "a stop holds it: {said}");
    let (code, said) = run(&["conclude", "--despite-findings"]);
    assert_eq!(code, Some(1), "{said}");
    assert!(said.contains("the rebase is concluded"), "{said}");
    for (path, step) in [
        ("first.py", "'Use it first', line"),
        ("last.py", "'Use it last', line"),
    ] {
        assert!(
            said.lines()
                .any(|line| line.contains(path) && line.contains(step)),
            "{path}: {said}"
        );
    }
    assert!(!said.contains("plain.py"), "{said}");
    assert_eq!(repo.git(&["status", "--porcelain"]), "");
}

#[test]
fn the_settings_say_which_steps_are_reviewed() {
    for (setting, is_named) in [("all", true), ("conflicts", false), ("none", false)] {
        let repo = rebase_over_a_rename();
        let config = repo.dir.path().join("config");
        std::fs::create_dir_all(config.join("armistice")).unwrap();
        let line = format!("check-steps = \"{setting}\"\n");
        std::fs::write(config.join("armistice/config.toml"), line).unwrap();
        let env = [("XDG_CONFIG_HOME", config.to_str().unwrap())];
        let settle = ["settle", "notes.md", "--by", "theirs"];
        crate::kit::armistice_as(&repo.top, &settle, &env);
        let (_, said) = crate::kit::armistice_as(&repo.top, &["proof"], &env);
        assert_eq!(
            said.contains("'Use it first', line"),
            is_named,
            "{setting}: {said}"
        );
    }
}

#[test]
fn the_screens_tell_what_is_wrong_in_steps_before_and_after() {
    let repo = rebase_over_a_rename();
    armistice(&repo.top, &["settle", "notes.md", "--by", "theirs"]);
    let tmux = crate::kit::Tmux::start(&repo.top, (140, 40), "", &[]);
    tmux.wait("5 Proof");
    let shown = tmux.keys("5").wait("Use it first', line");
    assert!(shown.contains("first.py"), "{shown}");
    tmux.wait("Not ready");
    tmux.keys("6").wait("2 of 4");
    tmux.keys("c").wait("Conclude anyway?");
    tmux.keys("Enter").wait("its steps have");
    let shown = tmux.wait("armistice review --rebased");
    assert!(shown.contains("last.py"), "{shown}");
    tmux.keys("Escape").wait_until("the list goes", |shown| {
        !shown.contains("armistice review --rebased")
    });
    tmux.keys("q").wait("EXIT 0");
    assert_eq!(
        repo.git(&["log", "--format=%s", "-1"]).trim(),
        "Use it last"
    );
}

/// Merges the same conflict, resolved by `own`, and goes back behind it.
fn resolved_once(repo: &Repo, name: &str, own: &str) {
    repo.git(&["checkout", "-q", "-B", "main", "start"]);
    begin(
        repo,
        &[
            (FILES[1], "moor(143, 3)", "moor(143, day)"),
            (FILES[0], "moor(11, 1)", &format!("moor(11, {name})")),
        ],
        &[(FILES[1], "moor(143, 3)", "moor(143, night)")],
    );
    resolve(repo, FILES[1], own);
    repo.commit("Merge side");
}

#[test]
fn resolutions_of_the_history_are_learned_and_offered() {
    let repo = harbour();
    repo.git(&["tag", "start"]);
    for nth in ["one", "two"] {
        resolved_once(&repo, nth, "    berth_4_3 = moor(143, day_and_night)\n");
        repo.git(&["tag", nth]);
    }
    // Both merges in one history; the join has a conflict of its own.
    repo.git(&["merge", "-q", "-s", "ours", "-m", "Join", "one"]);
    let run = |args: &[&str]| {
        let output = armistice(&repo.top, args);
        let said = [output.stdout, output.stderr].concat();
        (
            output.status.code(),
            String::from_utf8_lossy(&said).into_owned(),
        )
    };
    let (code, said) = run(&["memory", "learn"]);
    assert_eq!(code, Some(0), "{said}");
    assert!(said.contains("2 resolutions learned, 2 new"), "{said}");
    let (_, said) = run(&["memory", "learn"]);
    assert!(said.contains("2 resolutions learned, 0 new"), "{said}");
    let (_, said) = run(&["memory"]);
    assert!(
        said.contains("settled by lines written by hand in 2 merges, last in "),
        "{said}"
    );
    // The same conflict again.
    repo.git(&["checkout", "-q", "-B", "main", "start"]);
    begin(
        &repo,
        &[(FILES[1], "moor(143, 3)", "moor(143, day)")],
        &[(FILES[1], "moor(143, 3)", "moor(143, night)")],
    );
    let (code, said) = run(&["settle", FILES[1], "--by", "rule"]);
    assert_eq!(code, Some(0), "{said}");
    assert!(repo.read(FILES[1]).contains("moor(143, day_and_night)"));
    // What a person settles here counts more than what was learned.
    run(&["memory", "learn"]);
    let (_, said) = run(&["memory"]);
    assert!(
        said.contains("settled by lines written by hand\n"),
        "{said}"
    );
    assert!(said.contains("2 conflicts remembered"), "{said}");
}

#[test]
fn links_unrelated_histories_and_missing_objects_are_reviewed_or_said() {
    let repo = harbour();
    let link = |to: &str| {
        let path = repo.path("current");
        let _ = std::fs::remove_file(&path);
        std::os::unix::fs::symlink(to, path).unwrap();
    };
    link("one");
    repo.write("crest.bin", "\0base");
    repo.commit("link");
    repo.git(&["checkout", "-q", "-b", "side"]);
    link("two");
    repo.write("crest.bin", "\0theirs");
    repo.commit("theirs");
    repo.git(&["checkout", "-q", "main"]);
    link("three");
    repo.write("crest.bin", "\0ours");
    repo.commit("ours");
    repo.try_git(&["merge", "-q", "side"]);
    link("two");
    repo.write("crest.bin", "\0neither");
    repo.commit("Merge side");
    let (code, said) = review(&repo, &[]);
    assert_eq!(code, Some(0), "{said}");
    assert!(said.contains("current  whole file: theirs"), "{said}");
    assert!(
        said.contains("crest.bin  whole file: other contents"),
        "{said}"
    );
    repo.git(&["checkout", "-q", "--orphan", "other"]);
    repo.git(&["rm", "-rfq", "."]);
    repo.write("notes.txt", "moor\n");
    repo.commit("another beginning");
    repo.git(&["checkout", "-q", "main"]);
    repo.git(&[
        "merge",
        "-q",
        "--allow-unrelated-histories",
        "-m",
        "Join",
        "other",
    ]);
    let (code, said) = review(&repo, &[]);
    assert_eq!(code, Some(0), "{said}");
    assert!(
        said.contains("no conflict: the commit is what git merges"),
        "{said}"
    );
    // One merge that cannot be read does not hide the other.
    let lost = repo.git(&["rev-parse", "HEAD^2^{tree}"]);
    let lost = lost.trim();
    let object = repo.path(&format!(".git/objects/{}/{}", &lost[..2], &lost[2..]));
    std::fs::remove_file(object).unwrap();
    let (code, said) = review(&repo, &["--since", "2000-01-01"]);
    assert_eq!(code, Some(1), "{said}");
    assert!(said.contains("not reviewed: "), "{said}");
    assert!(said.contains("current  whole file: theirs"), "{said}");
    assert!(said.contains("1 merge reviewed"), "{said}");
}

#[test]
fn a_registered_driver_does_not_change_what_git_is_said_to_leave() {
    let repo = harbour();
    begin(
        &repo,
        &[(FILES[1], "moor(143, 3)", "moor(143, 3, day)")],
        &[
            (FILES[1], "moor(143, 3)", "moor(143, 3)  # berth"),
            (FILES[1], "moor(144, 4)", "moor(144, 4, night)"),
        ],
    );
    assert!(repo.read(FILES[1]).contains("<<<<<<<"));
    let text = repo.read(FILES[1]);
    let (from, end) = (text.find("<<<<<<<").unwrap(), text.find(">>>>>>>").unwrap());
    let end = end + text[end..].find('\n').unwrap() + 1;
    let own = "    berth_4_3 = moor(143, 3, any)\n    berth_4_4 = moor(144, 4, night)\n";
    repo.write(FILES[1], format!("{}{own}{}", &text[..from], &text[end..]));
    repo.commit("Merge side");
    let before = review(&repo, &[]);
    assert!(before.1.contains("conflict 1"), "{}", before.1);
    let program = env!("CARGO_BIN_EXE_armistice");
    let line = format!(
        "'{program}' merge --driver --settle likely --base %O --ours %A --theirs %B --name %P"
    );
    repo.git(&["config", "merge.armistice.driver", &line]);
    repo.write(".git/info/attributes", "* merge=armistice\n");
    assert_eq!(review(&repo, &[]), before);
}

#[test]
fn what_a_person_wrote_between_gits_markers_is_no_finding() {
    // Two conflicts of git with two lines between them, which git shows as one.
    let repo = harbour();
    begin(
        &repo,
        &[
            (FILES[1], "moor(141, 1)", "moor(141, day)"),
            (FILES[1], "moor(144, 4)", "moor(144, day)"),
        ],
        &[
            (FILES[1], "moor(141, 1)", "moor(141, night)"),
            (FILES[1], "moor(144, 4)", "moor(144, night)"),
            (FILES[1], "moor(143, 3)", "moor(143, tide)"),
        ],
    );
    let text = repo.read(FILES[1]);
    let first = text.find("<<<<<<<").unwrap();
    let last = text.rfind(">>>>>>>").unwrap();
    let end = last + text[last..].find('\n').unwrap() + 1;
    let own = "    berth_4_1 = moor(141, day)\n    own(142)\n    own(143)\n    berth_4_4 = moor(144, night)\n";
    repo.write(FILES[1], format!("{}{own}{}", &text[..first], &text[end..]));
    repo.commit("Merge side");
    let (code, said) = review(&repo, &[]);
    assert_eq!(code, Some(0), "{said}");
    assert!(said.contains("new text"), "{said}");
}

#[test]
fn the_hook_lets_the_first_push_of_a_new_repository_pass() {
    let repo = harbour();
    let remote = repo.dir.path().join("remote.git");
    repo.git(&["init", "-q", "--bare", remote.to_str().unwrap()]);
    repo.git(&["remote", "add", "origin", remote.to_str().unwrap()]);
    let hook = repo.path(".git/hooks/pre-push");
    std::fs::create_dir_all(hook.parent().unwrap()).unwrap();
    std::fs::copy(example("pre-push"), &hook).unwrap();
    let push = |branch: &str| {
        let mut git = std::process::Command::new("git");
        git.args(["push", "-q", "origin", branch])
            .env("PATH", search_path())
            .current_dir(&repo.top);
        git.output().unwrap()
    };
    let pushed = push("main");
    assert!(pushed.status.success(), "{pushed:?}");
    repo.git(&["checkout", "-q", "-b", "other"]);
    begin(
        &repo,
        &[(FILES[0], "moor(21, 1)", "moor(21, 1, early)")],
        &[(FILES[1], "moor(121, 1)", "moor(121, 1, late)")],
    );
    change(&repo, FILES[1], "moor(121, 1, late)", "moor(121, 1)");
    repo.commit("Merge side");
    repo.git(&["branch", "-f", "other", "main"]);
    let pushed = push("other");
    assert!(!pushed.status.success(), "{pushed:?}");
}

#[test]
fn steps_that_cannot_be_reviewed_are_counted() {
    let repo = rebase_over_a_rename();
    let tree = repo.git(&["rev-parse", "ORIG_HEAD~4^{tree}"]);
    let tree = tree.trim();
    let object = repo.path(&format!(".git/objects/{}/{}", &tree[..2], &tree[2..]));
    std::fs::remove_file(object).unwrap();
    armistice(&repo.top, &["settle", "notes.md", "--by", "theirs"]);
    let (_, said) = repo.output(&["proof"]);
    assert!(said.contains("1 rebase step not reviewed"), "{said}");
    let mut desk = crate::kit::Desk::new(&repo.top, (140, 40));
    let shown = desk.press("5").shows();
    assert!(shown.contains("1 rebase step not reviewed"), "{shown}");
}
