//! The program as git's merge driver: what rules settle there is noted and shown afterwards, and on
//! any failure git gets its own conflict.

use crate::kit::{Desk, Repo, Tmux};
use std::process::Command;

const BASE: &str = "let berth = first(free);\nlet tide = table.low();\n";
const OURS: &str = "let berth = last(free);\nlet tide = table.low();\n";
const THEIRS: &str = "let berth = first(free);\nlet tide = table.high();\n";
const BOTH: &str = "let berth = last(free);\nlet tide = table.high();\n";

/// Runs git, which does not find the program on PATH.
fn git(repo: &Repo, args: &[&str]) -> (i32, String) {
    git_as(repo, args, &[])
}

/// The same with more variables.
fn git_as(repo: &Repo, args: &[&str], env: &[(&str, &str)]) -> (i32, String) {
    let mut command = Command::new("git");
    crate::kit::plain_environment(&mut command);
    command.current_dir(&repo.top).args(args);
    let output = command.envs(env.iter().copied()).output().unwrap();
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
fn what_rules_settled_in_a_merge_that_was_aborted_is_not_counted_in_the_next() {
    // The rule keeps all of ours there: the merged text is what HEAD has anyway.
    let more: [&[u8]; 3] = [b"x\na\ny\n", b"x\na\nb\nc\ny\n", b"x\na\nb\ny\n"];
    let repo = diverged(&[("a.rs", more), ("b.txt", CLASH)]);
    repo.git(&["checkout", "-q", "-b", "other", "main~1"]);
    repo.write("b.txt", "other\n");
    repo.commit("other");
    repo.git(&["checkout", "-q", "main"]);
    let settled = || {
        let json: serde_json::Value =
            serde_json::from_slice(&repo.run(&["docket", "--json"]).stdout).unwrap();
        json["settled_while_merging"].as_array().unwrap().len()
    };
    assert_eq!(git(&repo, &["merge", "-q", "side"]).0, 1);
    let first = settled();
    repo.git(&["merge", "--abort"]);
    assert_eq!(git(&repo, &["merge", "-q", "other"]).0, 1);
    assert_eq!((first, settled()), (1, 0));
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
        assert_eq!(lines[0], format!("{} HEAD", "<".repeat(signs)), "{size}");
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
    assert!(
        text.contains("git merges this file without rules"),
        "{text}"
    );
    let merged = repo.read("a.rs");
    assert!(
        merged.contains("<<<<<<< HEAD") && merged.contains("last(free)"),
        "{merged}"
    );
    assert!(
        merged.contains("high()") && merged.ends_with(">>>>>>> side\n"),
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

/// A shell script in the place of the program.
fn stand_in(repo: &Repo, script: &str) -> std::path::PathBuf {
    use std::os::unix::fs::PermissionsExt;
    let file = repo.dir.path().join("it's 100% a program");
    std::fs::write(&file, format!("#!/bin/sh\n{script}\n")).unwrap();
    std::fs::set_permissions(&file, std::fs::Permissions::from_mode(0o755)).unwrap();
    file
}

/// The driver line as setup wrote it, for another program, with another time limit.
fn line_for(repo: &Repo, program: &std::path::Path, seconds: u32) -> String {
    let line = repo.git(&["config", "merge.armistice.driver"]);
    let quoted = |text: &str| format!("'{}'", text.replace('\'', r"'\''").replace('%', "%%"));
    let ours = quoted(env!("CARGO_BIN_EXE_armistice"));
    assert!(line.contains(&ours), "{line}");
    let line = line.replace(&ours, &quoted(program.to_str().unwrap()));
    let line = line.replace("timeout -k 1 60", &format!("timeout -k 1 {seconds}"));
    line.trim().to_owned()
}

#[test]
fn a_program_that_is_gone_fails_hangs_or_is_killed_leaves_gits_own_conflict() {
    for (script, seconds) in [
        ("", 60),
        ("exit 2", 60),
        ("exit 101", 60),
        ("kill -9 $$", 60),
        ("kill -STOP $$", 1),
        ("sleep 50", 1),
    ] {
        let repo = diverged(&[("it's a.rs", RULED), ("b.txt", CLASH)]);
        let program = stand_in(&repo, script);
        let line = line_for(&repo, &program, seconds);
        if script.is_empty() {
            std::fs::remove_file(&program).unwrap();
        }
        repo.git(&["config", "merge.armistice.driver", &line]);
        repo.write(
            ".git/info/attributes",
            "* merge=armistice conflict-marker-size=9\n",
        );
        let (code, text) = git(&repo, &["merge", "-q", "side"]);
        assert_eq!(code, 1, "{script}: {text}");
        assert_eq!(
            repo.read("b.txt"),
            "<<<<<<<<< HEAD\nours\n=========\ntheirs\n>>>>>>>>> side\n",
            "{script}: {text}"
        );
        assert!(repo.read("it's a.rs").starts_with("<<<<<<<<< HEAD\n"));
        let unmerged = repo.unmerged();
        assert!(unmerged.contains("a.rs") && unmerged.contains("b.txt"));
    }
}

#[test]
fn a_driver_that_has_no_result_in_time_leaves_gits_own_conflict() {
    let repo = diverged(&[("a.rs", RULED), ("b.txt", CLASH)]);
    repo.write(".git/info/attributes", "b.txt merge=armistice\n");
    // Settings that can never be read hold it up.
    let home = tempfile::tempdir().unwrap();
    let folder = home.path().join("armistice");
    std::fs::create_dir(&folder).unwrap();
    let fifo = folder.join("config.toml");
    let made = Command::new("mkfifo").arg(&fifo).status();
    assert!(made.unwrap().success());
    let started = std::time::Instant::now();
    let home = home.path().to_str().unwrap();
    let (code, said) = git_as(
        &repo,
        &["merge", "-q", "side"],
        &[("XDG_CONFIG_HOME", home)],
    );
    assert_eq!(code, 1, "{said}");
    println!("{:?} {said}", started.elapsed());
    assert!(repo.read("b.txt").starts_with("<<<<<<< HEAD\nours\n"));
}

#[test]
fn doctor_and_setup_try_the_driver_on_a_real_conflict() {
    let repo = diverged(&[("b.txt", CLASH)]);
    let (_, said) = repo.output(&["doctor"]);
    assert!(said.contains("tried on a conflict: rules settle"), "{said}");
    let program = repo.dir.path().join("gone");
    let line = line_for(&repo, &program, 60);
    repo.git(&["config", "merge.armistice.driver", &line]);
    let (code, said) = repo.output(&["doctor"]);
    assert!(
        code == 1 && said.contains("! merge.armistice.driver: git could not run"),
        "{said}"
    );
    // As earlier versions registered it: git finds no program, and ours stays without markers.
    let bare = "armistice merge --driver --base %O --ours %A --theirs %B --output %A --name %P --marker-size %L";
    repo.git(&["config", "merge.armistice.driver", bare]);
    let (code, said) = repo.output(&["doctor"]);
    assert!(code == 1 && said.contains("left without markers"), "{said}");
    assert!(
        said.contains("run 'armistice setup --driver' again"),
        "{said}"
    );
    assert_eq!(repo.output(&["setup", "--driver", "--yes"]).0, 0);
    assert_eq!(repo.output(&["doctor"]).0, 0);
    // Taken back, nothing is left of it.
    assert_eq!(repo.output(&["setup", "--remove", "--yes"]).0, 0);
    assert!(!repo.path(".git/info/attributes").exists());
    assert!(!repo.path(".git/armistice").exists());
    assert!(!repo.read(".git/config").contains("armistice"));
}

/// A folder with a person's settings.
fn home_with(settings: &str) -> tempfile::TempDir {
    let home = tempfile::TempDir::new().unwrap();
    let folder = home.path().join("armistice");
    std::fs::create_dir(&folder).unwrap();
    std::fs::write(folder.join("config.toml"), settings).unwrap();
    home
}

#[test]
fn settings_bind_merge_and_the_driver_as_they_bind_the_screens() {
    const MOVED: [&[u8]; 3] = [
        b"fn low() {\n    one();\n}\n\nfn high() {\n    two();\n}\n",
        b"fn high() {\n    two();\n}\n\nfn low() {\n    one();\n}\n",
        b"fn low() {\n    one(1);\n}\n\nfn high() {\n    two();\n}\n",
    ];
    for (settings, path, versions, text) in [
        ("", "a.rs", RULED, Some(BOTH)),
        ("settle = \"none\"\n", "a.rs", RULED, None),
        (
            "rules-off = [\"adjacent\", \"blend\", \"more\"]\n",
            "a.rs",
            RULED,
            None,
        ),
        (
            "",
            "m.rs",
            MOVED,
            Some("fn high() {\n    two();\n}\n\nfn low() {\n    one(1);\n}\n"),
        ),
        ("declarations = false\n", "m.rs", MOVED, None),
        (
            "[[paths]]\npattern = \"*.lock\"\ntake = \"theirs\"\n",
            "x.lock",
            CLASH,
            Some("theirs\n"),
        ),
        (
            "settle = \"none\"\n[[paths]]\npattern = \"*.lock\"\ntake = \"theirs\"\n",
            "x.lock",
            CLASH,
            None,
        ),
    ] {
        let home = home_with(settings);
        let env = [("XDG_CONFIG_HOME", home.path().to_str().unwrap())];
        let repo = diverged(&[(path, versions)]);
        let (code, said) = git_as(&repo, &["merge", "-q", "--no-edit", "side"], &env);
        let merged = repo.read(path);
        assert_eq!(
            code,
            i32::from(text.is_none()),
            "{settings}: {said}{merged}"
        );
        match text {
            Some(text) => assert_eq!(merged, text, "{settings}"),
            None => assert!(merged.contains("<<<<<<< HEAD"), "{settings}: {merged}"),
        }
        for (name, text) in ["b", "o", "t"].iter().zip(versions) {
            std::fs::write(repo.dir.path().join(name), text).unwrap();
        }
        let call = [
            "merge", "--base", "b", "--ours", "o", "--theirs", "t", "--name", path,
        ];
        let (code, by_hand) = crate::kit::armistice_as(repo.dir.path(), &call, &env);
        assert_eq!(code, i32::from(text.is_none()), "{settings}: {by_hand}");
        if let Some(text) = text {
            assert_eq!(by_hand, text, "{settings}");
        }
        // What is asked for on the command line comes first.
        let call = [&call[..], &["--settle", "none"]].concat();
        assert_eq!(crate::kit::armistice_as(repo.dir.path(), &call, &env).0, 1);
    }
    // Settings that make no sense must not lose a conflict either.
    let home = home_with("settel = 1\n");
    let env = [("XDG_CONFIG_HOME", home.path().to_str().unwrap())];
    let repo = diverged(&[("a.rs", RULED)]);
    let (code, said) = git_as(&repo, &["merge", "-q", "side"], &env);
    assert!(code == 1 && said.contains("makes no sense"), "{said}");
    assert!(repo.read("a.rs").contains("<<<<<<< HEAD"));
}

#[test]
fn a_forecast_knows_the_paths_that_are_trusted_in_the_repository() {
    let lock: [&[u8]; 3] = [b"one\n", b"ours\n", b"theirs\n"];
    let repo = diverged(&[("x.lock", lock)]);
    repo.write(
        ".armistice.toml",
        "[[paths]]\npattern = \"*.lock\"\ntake = \"theirs\"\n",
    );
    repo.commit("paths");
    let (home, state) = (home_with(""), tempfile::TempDir::new().unwrap());
    let env = [
        ("XDG_CONFIG_HOME", home.path().to_str().unwrap()),
        ("XDG_STATE_HOME", state.path().to_str().unwrap()),
    ];
    let scout = || {
        let args = ["scout", "side", "--as", "merge", "--text"];
        crate::kit::armistice_as(&repo.top, &args, &env).1
    };
    assert!(scout().contains("x.lock: 1 of 1 open"), "{}", scout());
    let t = Tmux::start(&repo.top, (120, 40), "proof --trust", &env);
    t.wait("Type yes:");
    t.type_text("yes").keys("Enter").wait("EXIT 0");
    assert!(!scout().contains("x.lock: 1 of 1 open"), "{}", scout());
    let (code, said) = git_as(&repo, &["merge", "-q", "--no-edit", "side"], &env);
    assert_eq!((code, &*repo.read("x.lock")), (0, "theirs\n"), "{said}");
}
