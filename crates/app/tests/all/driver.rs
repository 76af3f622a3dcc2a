//! The program as git's merge driver: what rules settle there is noted and shown afterwards, and on
//! any failure git gets its own conflict.

use crate::kit::{Desk, Repo};
use std::process::Command;

const BASE: &str = "let berth = first(free);\nlet tide = table.low();\n";
const OURS: &str = "let berth = last(free);\nlet tide = table.low();\n";
const THEIRS: &str = "let berth = first(free);\nlet tide = table.high();\n";
const BOTH: &str = "let berth = last(free);\nlet tide = table.high();\n";

/// Runs git where it finds the program.
fn git(repo: &Repo, args: &[&str]) -> (i32, String) {
    let program = std::path::Path::new(env!("CARGO_BIN_EXE_armistice"));
    let path = std::env::var("PATH").unwrap();
    let mut command = Command::new("git");
    crate::kit::plain_environment(&mut command);
    command.current_dir(&repo.top).args(args);
    command.env(
        "PATH",
        format!("{}:{path}", program.parent().unwrap().display()),
    );
    let output = command.output().unwrap();
    let text = [output.stdout, output.stderr].concat();
    (
        output.status.code().unwrap(),
        String::from_utf8_lossy(&text).into_owned(),
    )
}

/// Two branches that both changed these files, with the driver set up.
fn diverged(files: &[(&str, [&[u8]; 3])]) -> Repo {
    let repo = Repo::new();
    let put = |version: usize| {
        for (path, versions) in files {
            repo.write(path, versions[version]);
        }
    };
    put(0);
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    put(2);
    repo.commit("theirs");
    repo.git(&["checkout", "-q", "main"]);
    put(1);
    repo.commit("ours");
    assert_eq!(repo.output(&["setup", "--driver", "--yes"]).0, 0);
    repo
}

const RULED: [&[u8]; 3] = [BASE.as_bytes(), OURS.as_bytes(), THEIRS.as_bytes()];
const CLASH: [&[u8]; 3] = [b"one\n", b"ours\n", b"theirs\n"];

#[test]
fn what_rules_settled_while_merging_is_shown_with_reasons_and_can_be_opened_again() {
    let repo = diverged(&[("a b.rs", RULED), ("b.txt", CLASH)]);
    let (code, text) = git(&repo, &["merge", "-q", "side"]);
    assert_eq!(code, 1, "{text}");
    assert_eq!(repo.read("a b.rs"), BOTH);
    let docket = || -> serde_json::Value {
        serde_json::from_slice(&repo.run(&["docket", "--json"]).stdout).unwrap()
    };
    let json = docket();
    let noted = &json["settled_while_merging"][0];
    assert_eq!(noted["path"], "a b.rs");
    let conflict = &noted["conflicts"][0];
    assert_eq!(
        (&conflict["rule"], &conflict["line"]),
        (&"adjacent".into(), &1.into())
    );
    assert!(
        conflict["reason"]
            .as_str()
            .unwrap()
            .contains("different lines"),
        "{conflict}"
    );
    assert_eq!(json["cases"][0]["standing"], "staged");
    assert!(
        repo.output(&["docket"])
            .1
            .contains("1 conflict settled by rule while merging")
    );

    let mut desk = Desk::ruled(&repo.top, (140, 40));
    let screen = desk.shows();
    assert!(
        screen.contains("1 conflict settled by rule while merging"),
        "{screen}"
    );
    assert!(
        desk.press("5")
            .shows()
            .contains("1 conflict settled by rule while merging")
    );
    // Opened again, decided otherwise, written again: what is staged follows.
    desk.open("a b.rs").press("s r o w");
    assert_eq!(repo.read("a b.rs"), OURS, "{}", desk.message());
    assert_eq!(repo.git(&["show", ":a b.rs"]), OURS);
    desk.open("b.txt").press("t w 6 c enter");
    assert_eq!(
        repo.git(&["show", "HEAD:a b.rs"]),
        OURS,
        "{}",
        desk.message()
    );
}

#[test]
fn a_file_that_rules_settled_can_be_put_back_into_conflict() {
    let repo = diverged(&[("a.rs", RULED), ("b.txt", CLASH)]);
    git(&repo, &["merge", "-q", "side"]);
    let mut desk = Desk::ruled(&repo.top, (140, 40));
    desk.press("g u");
    assert!(
        desk.message().contains("a.rs: in conflict again"),
        "{}",
        desk.message()
    );
    assert!(repo.unmerged().contains("a.rs"), "{}", repo.unmerged());
    assert!(repo.read("a.rs").contains("<<<<<<<"));
    desk.open("a.rs").press("w");
    assert_eq!(
        (repo.read("a.rs").as_str(), repo.unmerged().contains("a.rs")),
        (BOTH, false)
    );
    // Who staged something else has settled it: it is no case any more.
    let repo = diverged(&[("a.rs", RULED), ("b.txt", CLASH)]);
    git(&repo, &["merge", "-q", "side"]);
    repo.write("a.rs", OURS);
    repo.git(&["add", "a.rs"]);
    assert!(!repo.output(&["docket"]).1.contains("a.rs"));
    // And another merge is about other notes.
    repo.git(&["merge", "--abort"]);
    repo.git(&["commit", "-q", "--allow-empty", "-m", "more"]);
    assert!(!repo.output(&["docket"]).1.contains("settled by rule"));
}

#[test]
fn a_merge_that_rules_settled_whole_tells_so_afterwards() {
    let repo = diverged(&[("a.rs", RULED)]);
    assert_eq!(git(&repo, &["merge", "-q", "--no-edit", "side"]).0, 0);
    assert_eq!(repo.read("a.rs"), BOTH);
    let (code, text) = repo.output(&["docket"]);
    assert!(
        code == 0 && text.contains("1 conflict settled by rule while git made this commit"),
        "{text}"
    );
    assert!(text.contains("a.rs:1: "), "{text}");
    let desk = Desk::ruled(&repo.top, (140, 40));
    assert!(
        desk.message().contains("while git made this commit"),
        "{}",
        desk.message()
    );
    repo.git(&["commit", "-q", "--allow-empty", "-m", "more"]);
    assert!(!repo.output(&["docket"]).1.contains("settled by rule"));
}

#[test]
fn any_marker_size_of_attributes_gives_a_whole_conflict() {
    for (size, signs) in [(300, 300), (2, 2), (70_000, 10_000)] {
        let repo = diverged(&[("b.txt", CLASH)]);
        let attributes = repo.read(".git/info/attributes");
        repo.write(
            ".git/info/attributes",
            format!("{attributes}b.txt conflict-marker-size={size}\n"),
        );
        let (code, text) = git(&repo, &["merge", "-q", "side"]);
        assert_eq!(code, 1, "{text}");
        let merged = repo.read("b.txt");
        let lines: Vec<&str> = merged.lines().collect();
        assert_eq!(
            lines[0],
            format!("{} ours:b.txt", "<".repeat(signs)),
            "{size}"
        );
        assert!(
            lines.contains(&"ours") && lines.contains(&"theirs"),
            "{size}"
        );
        assert!(repo.unmerged().contains("b.txt"));
    }
}

#[test]
fn whatever_fails_leaves_gits_own_conflict() {
    // The notes cannot be written.
    let repo = diverged(&[
        ("a.rs", RULED),
        ("crest.bin", [b"\0base", b"\0ours", b"\0theirs"]),
    ]);
    std::fs::remove_dir_all(repo.path(".git/armistice")).unwrap();
    std::os::unix::fs::symlink("/nowhere", repo.path(".git/armistice")).unwrap();
    let (code, text) = git(&repo, &["merge", "-q", "side"]);
    assert_eq!(code, 1, "{text}");
    assert!(text.contains("git merges this file by itself"), "{text}");
    let merged = repo.read("a.rs");
    assert!(
        merged.contains("<<<<<<< ours:a.rs") && merged.contains("last(free)"),
        "{merged}"
    );
    assert!(
        merged.contains("high()") && merged.ends_with(">>>>>>> theirs:a.rs\n"),
        "{merged}"
    );
    // What is no text stays ours and is a conflict.
    assert_eq!(repo.read("crest.bin"), "\0ours");
    assert!(repo.unmerged().contains("crest.bin") && repo.unmerged().contains("a.rs"));
}

#[test]
fn a_driver_of_another_version_is_rescued() {
    let dir = tempfile::TempDir::new().unwrap();
    for (name, text) in [("b", "one\n"), ("o", "ours\n"), ("t", "theirs\n")] {
        std::fs::write(dir.path().join(name), text).unwrap();
    }
    let call_for = |name: &str, more: &[&str]| {
        let mut args = vec![
            "merge", "--base", "b", "--ours", "o", "--theirs", "t", "--output", "o", "--name", name,
        ];
        args.extend(more);
        crate::kit::armistice(dir.path(), &args).status.code()
    };
    let call = |more: &[&str]| call_for("x.txt", more);
    assert_eq!(
        call(&["--driver", "--not-known-yet", "--marker-size", "9"]),
        Some(1)
    );
    let merged = std::fs::read_to_string(dir.path().join("o")).unwrap();
    assert!(
        merged.starts_with("<<<<<<<<< ours:x.txt\nours\n"),
        "{merged}"
    );
    assert_eq!(
        call(&["--not-known-yet"]),
        Some(2),
        "by hand it is a mistake"
    );
    assert_eq!(call(&["--marker-size", "0"]), Some(2));
    // Outside of any repository what rules settle is noted nowhere, and done all the same.
    for (name, text) in [("b", BASE), ("o", OURS), ("t", THEIRS)] {
        std::fs::write(dir.path().join(name), text).unwrap();
    }
    assert_eq!(call_for("x.rs", &[]), Some(0));
    assert_eq!(std::fs::read_to_string(dir.path().join("o")).unwrap(), BOTH);
}
