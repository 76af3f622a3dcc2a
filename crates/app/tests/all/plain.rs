//! The same work without a screen.

use crate::kit::{Repo, armistice, armistice_as, git_in, plain_environment};
use serde_json::Value;
use std::fs;
use std::process::{Command, Stdio};
use tempfile::TempDir;

fn json(repo: &Repo, args: &[&str]) -> Value {
    let output = repo.run(args);
    serde_json::from_slice(&output.stdout).unwrap_or_else(|e| panic!("{e}: {output:?}"))
}

#[test]
fn the_docket_as_json_names_cases_versions_and_counts() {
    let repo = Repo::demo("merge");
    let docket = json(&repo, &["docket", "--json"]);
    assert_eq!(docket["operation"]["name"], "merge");
    assert_eq!(docket["ours"]["label"], "harbour/main");
    assert_eq!(docket["theirs"]["label"], "night-pilotage");
    let cases = docket["cases"].as_array().unwrap();
    assert_eq!(cases.len(), 14);
    let of = |path: &str| cases.iter().find(|c| c["path"] == path).unwrap();
    assert_eq!(of("config/prices.toml")["conflicts"], 5);
    assert_eq!(of("config/prices.toml")["open"], 0);
    let moorings = of("src/moorings.rs");
    let counts = ["conflicts", "by_rule", "by_you", "open", "proposed"];
    assert_eq!(
        counts.map(|c| moorings[c].as_u64().unwrap()),
        [10, 6, 0, 4, 3]
    );
    assert_eq!(of("assets/crest.png")["mergeable"], false);
    assert_eq!(of("scripts/backup.sh")["kind"], "removed-by-ours");
    assert_eq!(
        of("scripts/backup.sh")["outcomes"],
        serde_json::json!(["theirs", "remove"])
    );
    assert_eq!(of("docs/current")["kind"], "link");
    assert_eq!(of("tools/report.py")["kind"], "both-added");
    let oid = of("src/quay.rs")["versions"]["ours"]["oid"]
        .as_str()
        .unwrap();
    assert_eq!(repo.git(&["rev-parse", ":2:src/quay.rs"]).trim(), oid);
}

#[test]
fn settle_proof_and_conclude_do_the_whole_job() {
    let repo = Repo::demo("merge");
    let (code, output) = repo.output(&["conclude"]);
    assert_eq!(code, 1, "thirteen files are open");
    assert!(
        output.contains("tools/pilotage.py:39: conflict 1 of 1 is open: both sides changed"),
        "{output}"
    );
    let (code, output) = repo.output(&[
        "settle",
        "tools/report.py",
        "--by",
        "theirs",
        "--conflict",
        "2",
    ]);
    assert_eq!(
        (code, output.as_str()),
        (1, "tools/report.py: 2 conflicts still open\n")
    );
    let (code, _) = repo.output(&["settle", "config/prices.toml", "--by", "ours"]);
    assert_eq!(code, 0);
    let prices = repo.read("config/prices.toml");
    assert!(
        prices.contains("base = 195.00") && prices.contains("night_hour = 560.00"),
        "{prices}"
    );
    for case in json(&repo, &["docket", "--json"])["cases"]
        .as_array()
        .unwrap()
    {
        if case["standing"] == "unmerged" {
            let path = case["path"].as_str().unwrap();
            // Ours moved a function there: by theirs it would stand twice, and proof would say so.
            let by = if path == "tools/lamps.py" {
                "ours"
            } else {
                "theirs"
            };
            let (code, output) = repo.output(&["settle", path, "--by", by]);
            assert_eq!(code, 0, "{output}");
        }
    }
    let (code, output) = repo.output(&["proof"]);
    assert_eq!(code, 0, "{output}");
    assert_eq!(
        json(&repo, &["proof", "--json"])["findings"],
        serde_json::json!([])
    );
    repo.write("../message", "Settle the night\n\n# not a comment\n");
    let (code, output) = repo.output(&["conclude", "--message", "../message"]);
    assert_eq!((code, output.as_str()), (0, "the merge is concluded\n"));
    assert_eq!(
        repo.git(&["log", "-1", "--format=%B"]).trim(),
        "Settle the night\n\n# not a comment"
    );
    let (code, _) = repo.output(&["conclude"]);
    assert_eq!(code, 2, "nothing left to conclude");
}

#[test]
fn a_finding_has_file_and_line_and_stops_concluding() {
    let repo = Repo::conflict("a.txt", "one\ntwo\n", "one\nours\n", "one\ntheirs\n");
    repo.git(&["add", "a.txt"]);
    let proof = json(&repo, &["proof", "--json"]);
    let first = &proof["findings"][0];
    assert_eq!(
        (&first["path"], &first["check"]),
        (&"a.txt".into(), &"markers".into())
    );
    assert_eq!(first["line"], 2, "lines count from one, as people count");
    let (code, output) = repo.output(&["conclude"]);
    assert_eq!(code, 1);
    assert!(
        output.starts_with("a.txt:2: marker line: <<<<<<< HEAD"),
        "{output}"
    );
    let (code, _) = repo.output(&["conclude", "--despite-findings"]);
    assert_eq!(code, 0, "there is a deliberate way round");
}

#[test]
fn markers_in_a_file_that_git_merged_by_itself_are_found() {
    let repo = Repo::new();
    repo.write("b.txt", "b1\nb2\nb3\nb4\nb5\n");
    repo.diverge("a.txt", "one\ntwo\n", "one\nours\n", "one\ntheirs\n");
    repo.git(&["checkout", "-q", "side"]);
    repo.write("b.txt", "b1\nb2\nb3\nb4\ntheirs\n");
    repo.commit("theirs too");
    repo.git(&["checkout", "-q", "main"]);
    repo.write("b.txt", "ours\nb2\nb3\nb4\nb5\n");
    repo.commit("ours too");
    repo.try_git(&["merge", "side"]);
    repo.output(&["settle", "a.txt", "--by", "ours"]);
    assert_eq!(repo.output(&["proof"]).0, 0);
    repo.write("b.txt", "ours\n>>>>>>> left here\nb5\n");
    repo.git(&["add", "b.txt"]);
    let (code, output) = repo.output(&["proof"]);
    assert_eq!(code, 1);
    assert!(output.contains("b.txt:2: marker line"), "{output}");
}

#[test]
fn errors_say_what_and_what_next_and_change_nothing() {
    let repo = Repo::conflict("a.txt", "one\ntwo\n", "one\nours\n", "one\ntheirs\n");
    let before = (repo.unmerged(), repo.read("a.txt"));
    let table: [(&[&str], &str); 5] = [
        (
            &["settle", "b.txt", "--by", "ours"],
            "'b.txt' is not in conflict; 'armistice docket' lists the conflicts",
        ),
        (
            &["settle", "a.txt", "--by", "ours", "--conflict", "7"],
            "has no conflict 7; they are numbered 1 to 1",
        ),
        (
            &["settle", "../x", "--by", "ours"],
            "is outside the working tree",
        ),
        (&["settle", "a.txt", "--by", "mine"], "invalid value 'mine'"),
        (
            &[
                "merge", "--base", "nope", "--ours", "a.txt", "--theirs", "a.txt",
            ],
            "cannot read 'nope'",
        ),
    ];
    for (args, expected) in table {
        let (code, output) = repo.output(args);
        assert_eq!(code, 2, "{output}");
        assert!(output.contains(expected), "{output}");
    }
    assert_eq!((repo.unmerged(), repo.read("a.txt")), before);
    let nowhere = TempDir::new().unwrap();
    let output = armistice(nowhere.path(), &["docket"]);
    assert_eq!(output.status.code(), Some(2));
    assert!(String::from_utf8_lossy(&output.stderr).contains("is not inside a git work tree"));
}

#[test]
fn merge_merges_three_files() {
    let dir = TempDir::new().unwrap();
    let put = |name: &str, text: &str| fs::write(dir.path().join(name), text).unwrap();
    put("base", "a\nb\nc\n");
    put("ours", "A\nb\nc\n");
    put("theirs", "a\nb\nC\n");
    put("clash", "aa\nb\nc\n");
    let run = |theirs: &str, more: &[&str]| {
        let mut args = vec![
            "merge", "--base", "base", "--ours", "ours", "--theirs", theirs,
        ];
        args.extend(more);
        let output = armistice(dir.path(), &args);
        (
            output.status.code().unwrap(),
            String::from_utf8(output.stdout).unwrap(),
        )
    };
    assert_eq!(run("theirs", &[]), (0, "A\nb\nC\n".to_owned()));
    let marked = "<<<<<<<<< ours:q.rs\nA\n||||||||| base:q.rs\na\n=========\naa\n>>>>>>>>> theirs:q.rs\nb\nc\n";
    assert_eq!(
        run("clash", &["--marker-size", "9", "--name", "q.rs"]),
        (1, marked.to_owned())
    );
    assert_eq!(run("theirs", &["--output", "merged"]), (0, String::new()));
    assert_eq!(
        fs::read_to_string(dir.path().join("merged")).unwrap(),
        "A\nb\nC\n"
    );
    put("binary", "a\0b");
    assert_eq!(run("binary", &[]).0, 2);
}

#[test]
fn the_demo_refuses_a_folder_with_something_in_it() {
    let dir = TempDir::new().unwrap();
    fs::write(dir.path().join("mine"), "").unwrap();
    let output = armistice(dir.path(), &["demo", "--into", ".", "--no-open"]);
    assert_eq!(output.status.code(), Some(2));
    assert!(String::from_utf8_lossy(&output.stderr).contains("is not empty"));
    assert_eq!(fs::read_dir(dir.path()).unwrap().count(), 1);
}

#[test]
fn help_has_examples_exit_codes_and_completions_exist() {
    let dir = TempDir::new().unwrap();
    let help = String::from_utf8(armistice(dir.path(), &["--help"]).stdout).unwrap();
    assert!(help.contains("Examples:") && help.contains("Exit codes:"));
    let script = armistice(dir.path(), &["completions", "bash"]);
    assert!(String::from_utf8_lossy(&script.stdout).contains("_armistice"));
}

#[test]
fn a_missing_git_is_told_with_what_to_do() {
    let dir = TempDir::new().unwrap();
    let output = Command::new(env!("CARGO_BIN_EXE_armistice"))
        .current_dir(dir.path())
        .env("PATH", dir.path())
        .arg("docket")
        .output()
        .unwrap();
    assert_eq!(output.status.code(), Some(2));
    assert!(String::from_utf8_lossy(&output.stderr).contains("install git or put it on PATH"));
}

#[test]
fn proof_accounts_for_every_line_of_both_sides() {
    let repo = Repo::conflict(
        "a.txt",
        "one\ntwo\n",
        "one\nours here\n",
        "one\ntheirs here\n",
    );
    let audit = |repo: &Repo| json(repo, &["proof", "--json"])["audit"].clone();
    assert_eq!(audit(&repo)["theirs"]["added"]["waiting"], 1);
    repo.output(&["settle", "a.txt", "--by", "ours"]);
    let output = audit(&repo);
    assert_eq!(output["ours"]["added"]["kept"], 1);
    assert_eq!(output["theirs"]["added"]["given_up"], 1);
    let given_up = &output["files"][0]["given_up"][0];
    assert_eq!(
        (&given_up["side"], &given_up["conflict"], &given_up["by"]),
        (&"theirs".into(), &1.into(), &"ours".into())
    );
    // Somebody takes the line out again behind our back.
    repo.write("a.txt", "one\n");
    repo.git(&["add", "a.txt"]);
    assert_eq!(audit(&repo)["ours"]["added"]["missing"], 1);
    let (code, output) = repo.output(&["proof"]);
    assert_eq!(code, 1);
    assert!(
        output.contains("a.txt:1: a line that ours added is not in the resolution: ours here"),
        "{output}"
    );
}

#[test]
fn settling_by_rule_takes_what_is_proposed_and_leaves_the_rest() {
    let repo = Repo::conflict(
        "a.rs",
        "moor(ship)\n",
        "moor(ship, tide)\n",
        "moor(&ship)\n",
    );
    let (code, output) = repo.output(&["settle", "a.rs", "--by", "rule"]);
    assert_eq!((code, output.as_str()), (0, "a.rs: wrote and staged\n"));
    assert_eq!(repo.read("a.rs"), "moor(&ship, tide)\n");
    let other = Repo::conflict("a.rs", "moor(ship)\n", "moor(tug)\n", "moor(ferry)\n");
    let (code, output) = other.output(&["settle", "a.rs", "--by", "rule"]);
    assert_eq!(
        (code, output.as_str()),
        (1, "a.rs: 1 conflict still open\n")
    );
    let (_, listed) = other.output(&["docket"]);
    assert!(listed.contains("1 of 1 open"), "{listed}");
}

#[test]
fn setup_for_a_user_goes_to_the_users_own_files() {
    let home = TempDir::new().unwrap();
    let at = home.path().display().to_string();
    let config = home.path().join("gitconfig").display().to_string();
    let env = [
        ("HOME", at.as_str()),
        ("XDG_CONFIG_HOME", at.as_str()),
        ("GIT_CONFIG_GLOBAL", config.as_str()),
    ];
    let run = |args: &[&str]| armistice_as(home.path(), args, &env);
    let (code, output) = run(&["setup", "--user", "--driver", "--yes"]);
    assert_eq!(code, 0, "{output}");
    let read = |name: &str| fs::read_to_string(home.path().join(name)).unwrap();
    assert!(
        read("gitconfig").contains("[mergetool \"armistice\"]"),
        "{}",
        read("gitconfig")
    );
    assert_eq!(read("git/attributes"), "* merge=armistice\n");
    let (code, output) = run(&["setup", "--user", "--remove", "--yes"]);
    assert_eq!(
        (code, output.contains("merge.tool goes")),
        (0, true),
        "{output}"
    );
    assert!(
        !read("gitconfig").contains("armistice = "),
        "{}",
        read("gitconfig")
    );
    assert!(!home.path().join("git").exists());
    let (code, output) = run(&["setup"]);
    assert_eq!(code, 2, "{output}");
    assert!(
        output.contains("setup without --user is for a repository"),
        "{output}"
    );
}

#[test]
fn a_configuration_that_makes_no_sense_is_told() {
    let repo = Repo::conflict("a.txt", "one\n", "two\n", "three\n");
    let home = repo.dir.path().display().to_string();
    let env = [("XDG_CONFIG_HOME", home.as_str()), ("HOME", home.as_str())];
    fs::create_dir_all(repo.dir.path().join("armistice")).unwrap();
    let file = repo.dir.path().join("armistice/config.toml");
    fs::write(&file, "rules-off = [\"magic\"]\n").unwrap();
    let (code, output) = armistice_as(&repo.top, &["docket"], &env);
    assert_eq!(code, 2);
    assert!(
        output.contains("'magic', which is no rule; there are: path, memory, echo"),
        "{output}"
    );
    fs::write(&file, "settle = \"none\"\nwhitespace = \"all\"\n").unwrap();
    let (code, output) = armistice_as(&repo.top, &["docket"], &env);
    assert_eq!(code, 1, "{output}");
}

/// Runs the program with its output on a device, closed or full.
fn with_output(repo: &Repo, args: &[&str], output: Stdio) -> (Option<i32>, String) {
    let mut command = Command::new(env!("CARGO_BIN_EXE_armistice"));
    plain_environment(&mut command);
    command.current_dir(&repo.top).args(args).stdout(output);
    let done = command.output().unwrap();
    (
        done.status.code(),
        String::from_utf8_lossy(&done.stderr).into_owned(),
    )
}

fn full() -> Stdio {
    Stdio::from(fs::File::create("/dev/full").unwrap())
}

/// A pipe whose reader is gone.
fn closed() -> Stdio {
    let (reader, writer) = std::io::pipe().unwrap();
    drop(reader);
    Stdio::from(writer)
}

#[test]
fn output_that_is_full_or_closed_makes_no_panic_and_no_half_done_work() {
    let repo = Repo::demo("merge");
    let (base, ours) = ("config/prices.toml", "db/schema.sql");
    let merge = ["merge", "--base", base, "--ours", ours, "--theirs", base];
    for args in [
        &["docket"][..],
        &["docket", "--json"],
        &["proof"],
        &["proof", "--json"],
        &["memory"],
        &["completions", "bash"],
        &["setup", "--dry-run"],
        &merge,
    ] {
        let (code, said) = with_output(&repo, args, full());
        assert_eq!(code, Some(2), "{args:?}: {said}");
        assert_eq!(said.lines().count(), 1, "{args:?}: {said}");
        assert!(said.contains("cannot write what there is to say"), "{said}");
        let (code, said) = with_output(&repo, args, closed());
        assert!(
            code.is_some_and(|code| code < 2),
            "{args:?}: {code:?} {said}"
        );
        assert_eq!(said, "", "{args:?}");
    }
    // All of the work is done, whether it can be said or not.
    let settle = ["settle", base, ours, "--by", "ours"];
    let (code, said) = with_output(&repo, &settle, full());
    assert_eq!((code, said.lines().count()), (Some(2), 1), "{said}");
    let unmerged = repo.unmerged();
    assert!(
        !unmerged.contains(base) && !unmerged.contains(ours),
        "{unmerged}"
    );
    let (code, said) = with_output(&repo, &["settle", "src/quay.rs", "--by", "ours"], closed());
    assert_eq!((code, said.as_str()), (Some(0), ""));
    assert!(!repo.unmerged().contains("src/quay.rs"));
}

#[test]
fn a_number_too_large_for_any_conflict_settles_none_and_a_path_twice_is_one() {
    let repo = Repo::conflict("a.txt", "one\n", "ours\n", "theirs\n");
    for number in ["4294967297", "18446744073709551615", "0", "2"] {
        let (code, output) =
            repo.output(&["settle", "a.txt", "--by", "ours", "--conflict", number]);
        assert_eq!(code, 2, "{output}");
        assert!(
            output.contains(&format!("has no conflict {number}")),
            "{output}"
        );
        assert_eq!(repo.unmerged().lines().count(), 3);
    }
    let (code, output) = repo.output(&["settle", "a.txt", "./a.txt", "--by", "ours"]);
    assert_eq!((code, output.as_str()), (0, "a.txt: wrote and staged\n"));
}

#[test]
fn a_repository_that_git_does_not_use_has_words_of_its_own() {
    let dir = TempDir::new().unwrap();
    let docket = |folder: &str, env: &[(&str, &str)]| {
        let (code, said) = armistice_as(&dir.path().join(folder), &["docket"], env);
        assert_eq!((code, said.lines().count()), (2, 1), "{said}");
        said
    };
    git_in(dir.path(), &["init", "-q", "--bare", "bare"]);
    assert!(docket("bare", &[]).contains("is in a bare repository"));
    git_in(dir.path(), &["init", "-q", "broken"]);
    fs::write(dir.path().join("broken/.git/HEAD"), "garbage").unwrap();
    let said = docket("broken", &[]);
    assert!(
        said.contains("broken/.git' is there and git cannot use it"),
        "{said}"
    );
    git_in(dir.path(), &["init", "-q", "others"]);
    let said = docket("others", &[("GIT_TEST_ASSUME_DIFFERENT_OWNER", "1")]);
    assert!(
        said.contains("belongs to another user") && said.contains("safe.directory"),
        "{said}"
    );
    fs::create_dir(dir.path().join("nothing")).unwrap();
    assert!(docket("nothing", &[]).contains("is not inside a git work tree"));
}

#[test]
fn what_could_garble_a_terminal_is_made_visible_on_both_outputs() {
    let repo = Repo::new();
    repo.diverge("a.txt", "one\n", "ours\n", "theirs\n");
    repo.git(&["branch", "-m", "side", "si\u{202e}\u{ad}\u{3164}de"]);
    repo.try_git(&["merge", "si\u{202e}\u{ad}\u{3164}de"]);
    let (_, said) = repo.output(&["docket"]);
    assert!(said.contains("si<202e><ad><3164>de"), "{said}");
    let (_, said) = repo.output(&["settle", "no\u{1b}[31m\u{e0041}pe", "--by", "ours"]);
    assert!(!said.contains(['\u{1b}', '\u{e0041}']), "{said:?}");
}
