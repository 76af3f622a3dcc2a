//! Proof over what is staged, however it got there: broken results are named with file and line.

use crate::kit::{Desk, Repo};

const BASE: &str = "fn moor(ship: Ship) -> Berth {\n    check(&ship);\n    log(&ship, tide());\n    berth()\n}\n\nfn fill() {\n    one();\n    two();\n    three();\n}\n\nfn pay(fee: Fee) {\n    book(fee);\n}\n";

/// Two branches that conflict in `a.rs` and each change `b.rs` in another place; merged.
fn merged() -> Repo {
    let repo = Repo::new();
    let with = |check: &str, book: &str, conflict: &str| {
        let text = BASE
            .replace("check(&ship);", check)
            .replace("book(fee);", book);
        repo.write("b.rs", &text);
        repo.write("a.rs", format!("const NAME: &str = \"{conflict}\";\n"));
    };
    with("check(&ship);", "book(fee);", "base");
    repo.write("c.toml", "[a]\nx = 1\n");
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    with(
        "check(&ship);",
        "book(fee);\n    stamp(fee, today());",
        "theirs",
    );
    repo.commit("theirs");
    repo.git(&["checkout", "-q", "main"]);
    with("check(&ship, draught());", "book(fee);", "ours");
    repo.commit("ours");
    repo.try_git(&["merge", "-q", "side"]);
    repo
}

/// What is printed for a result that was put in place and staged by somebody else.
fn found(repo: &Repo, files: &[(&str, String)]) -> String {
    for (file, text) in files {
        repo.write(file, text);
        repo.git(&["add", file]);
    }
    repo.output(&["proof"]).1
}

fn a_rs() -> (&'static str, String) {
    (
        "a.rs",
        "const NAME: &str = \"ours and theirs\";\n".to_owned(),
    )
}

#[test]
fn a_right_result_staged_by_hand_has_no_finding() {
    let repo = merged();
    let said = found(&repo, &[a_rs()]);
    assert_eq!(said, "2 files checked, no findings\n");
    // What is staged by hand as git would have merged it is right as well.
    let right = repo.read("b.rs");
    assert!(
        right.contains("draught()") && right.contains("stamp("),
        "{right}"
    );
    repo.git(&["rm", "-q", "--cached", "b.rs"]);
    assert!(found(&repo, &[]).contains("b.rs: the file is gone, and neither side removed it"));
    assert_eq!(found(&repo, &[("b.rs", right)]), said);
}

#[test]
fn broken_results_of_another_program_are_named_where_they_are() {
    let repo = merged();
    let right = repo.read("b.rs");
    for (text, says) in [
        (
            right.replace("    stamp(fee, today());\n", ""),
            "b.rs:15: a line that theirs added is missing: stamp(fee, today());",
        ),
        (
            right.replace("check(&ship, draught());", "check(&ship);"),
            "b.rs:2: an edit of ours is lost: the line is check(&ship); again, not check(&ship, draught());",
        ),
        (
            right.replace("    log(&ship, tide());\n", ""),
            "b.rs:3: a line that all versions have is missing: log(&ship, tide());",
        ),
        (right.replace("book(fee);", "book(fee;"), "b.rs:14: "),
        (
            format!("{right}\nfn pay(fee: Fee) {{}}\n"),
            "b.rs:18: function 'pay' is defined twice: lines 13 and 18",
        ),
        (
            right.replace("berth()\n", "berth()\n=======\n"),
            "b.rs:5: marker line: =======",
        ),
    ] {
        let said = found(&repo, &[a_rs(), ("b.rs", text.clone())]);
        assert!(said.contains(says), "no '{says}' in\n{said}\nof\n{text}");
    }
    // The side of one party in whole: the other's edits are given up, and nobody has seen it.
    let ours = repo.git(&["show", "HEAD:b.rs"]);
    let said = found(&repo, &[a_rs(), ("b.rs", ours)]);
    assert!(
        said.contains("a line that theirs added is missing: stamp("),
        "{said}"
    );
    assert_eq!(repo.run(&["conclude"]).status.code(), Some(1));
    assert!(repo.path(".git/MERGE_HEAD").exists());
}

#[test]
fn a_conflict_settled_by_hand_without_one_sides_edit_is_named_and_one_decided_here_is_not() {
    let repo = merged();
    let said = found(
        &repo,
        &[("a.rs", "const NAME: &str = \"ours\";\n".to_owned())],
    );
    assert!(
        said.contains("a.rs:1: a line that theirs added is not in the resolution"),
        "{said}"
    );
    let repo = merged();
    repo.run(&["settle", "a.rs", "--by", "ours"]);
    let (code, said) = repo.output(&["proof"]);
    assert_eq!((code, said.as_str()), (0, "2 files checked, no findings\n"));
}

#[test]
fn what_changed_after_it_was_staged_is_named_and_mere_touching_is_not() {
    let repo = merged();
    assert!(found(&repo, &[a_rs()]).contains("no findings"));
    repo.write("c.toml", "[a]\nx = 2\n");
    let untouched = repo.output(&["proof"]).1;
    assert!(
        untouched.contains("no findings"),
        "not part of the commit: {untouched}"
    );
    let same = repo.read("a.rs");
    repo.write("a.rs", &same);
    assert!(repo.output(&["proof"]).1.contains("no findings"));
    repo.write("a.rs", "const NAME: &str = \"changed\";\n");
    let said = repo.output(&["proof"]).1;
    assert!(said.contains("a.rs: changed after it was staged"), "{said}");
}

#[test]
fn keys_that_stand_twice_are_found_in_data() {
    let repo = Repo::conflict(
        "a.json",
        "{\n  \"a\": 1\n}\n",
        "{\n  \"b\": 2,\n  \"a\": 1\n}\n",
        "{\n  \"c\": 3,\n  \"b\": 4,\n  \"a\": 1\n}\n",
    );
    let both = "{\n  \"b\": 2,\n  \"c\": 3,\n  \"b\": 4,\n  \"a\": 1\n}\n";
    let said = found(&repo, &[("a.json", both.to_owned())]);
    assert!(
        said.contains("a.json:4: key '\"b\"' is defined twice: lines 2 and 4"),
        "{said}"
    );
}

#[test]
fn a_rebase_and_a_revert_are_traced_against_what_they_started_from() {
    let repo = Repo::new();
    repo.write("a.txt", BASE);
    repo.commit("base");
    repo.write("a.txt", BASE.replace("two();", "two(2);"));
    repo.commit("two");
    repo.write(
        "a.txt",
        BASE.replace("two();", "two(2);")
            .replace("three();", "three(3);"),
    );
    repo.commit("three");
    repo.try_git(&["revert", "--no-edit", "HEAD~1"]);
    let right = BASE.replace("three();", "three(3);");
    let said = found(&repo, &[("a.txt", right)]);
    assert_eq!(said, "1 file checked, no findings\n");
    let said = found(&repo, &[("a.txt", BASE.replace("two();", "two(2);"))]);
    assert!(said.contains("a.txt:9: "), "{said}");
}

#[test]
fn a_file_that_changed_after_it_was_staged_is_staged_again_by_one_key() {
    let repo = merged();
    let _ = found(&repo, &[a_rs()]);
    repo.write("a.rs", "const NAME: &str = \"ours and theirs, changed\";\n");
    let mut desk = repo.desk();
    desk.press("5");
    let shown = desk.shows();
    assert!(shown.contains("! no file changed after staging"), "{shown}");
    assert!(shown.contains("Not ready: 1 finding blocks it."), "{shown}");
    desk.press("a");
    assert!(
        desk.shows().contains("Ready to conclude"),
        "{}",
        desk.shows()
    );
    let staged = repo.git(&["show", ":a.rs"]);
    assert_eq!(staged, "const NAME: &str = \"ours and theirs, changed\";\n");
}

#[test]
fn the_text_around_a_finding_is_shown() {
    let repo = merged();
    let broken = repo.read("b.rs").replace("book(fee);", "book(fee;");
    let _ = found(&repo, &[a_rs(), ("b.rs", broken)]);
    let mut desk = repo.desk();
    let shown = desk.press("5 down").shows();
    assert!(shown.contains("── b.rs:14"), "{shown}");
    assert!(shown.contains(" >    14      book(fee;"), "{shown}");
    assert!(shown.contains("! the syntax is valid"), "{shown}");
    assert!(
        shown.contains("holds        2 merged texts traced"),
        "{shown}"
    );
}

#[test]
fn every_line_that_a_decision_gave_up_is_listed_on_request() {
    let repo = merged();
    assert_eq!(
        repo.run(&["settle", "a.rs", "--by", "ours"]).status.code(),
        Some(0)
    );
    let (code, said) = repo.output(&["proof", "--given-up"]);
    let listed = "a.rs · conflict 1, decided by ours\n  ▼ theirs added     1  const NAME: &str = \"theirs\";\n";
    assert!(code == 0 && said.starts_with(listed), "{said}");
    let json: serde_json::Value =
        serde_json::from_slice(&repo.run(&["proof", "--json"]).stdout).unwrap();
    let line = &json["audit"]["files"][0]["given_up"][0]["lines"][0];
    assert_eq!(
        (&line["change"], &line["line"]),
        (&"added".into(), &1.into())
    );
    let mut desk = repo.desk();
    let screen = desk.press("5 v").shows();
    assert!(
        screen.contains("▼ theirs added     1  const NAME"),
        "{screen}"
    );
    desk.press("esc 3 e");
    desk.type_text("// ").press("esc");
    let screen = desk.press("5 v").shows();
    assert!(screen.contains("decided by hand"), "{screen}");
    let mut other = merged().desk();
    other.press("5 v");
    assert_eq!(other.message(), "no decision discarded a line");
}

#[test]
fn parley_says_at_once_what_does_not_parse_and_asks_before_it_is_written() {
    let repo = Repo::conflict(
        "a.rs",
        "fn moor() {\n    check();\n}\n",
        "fn moor() {\n    check(1);\n}\n",
        "fn moor() {\n    check(2);\n}\n",
    );
    let mut desk = repo.desk();
    desk.press("3 o");
    assert!(!desk.shows().contains("does not parse"), "{}", desk.shows());
    desk.press("e");
    desk.type_text("if (");
    desk.act(armistice::state::action::Action::Tick(crate::kit::NOW));
    let screen = desk.shows();
    assert!(
        screen.contains("a.rs · ! does not parse at line 2"),
        "{screen}"
    );
    desk.press("esc");
    let screen = desk.shows();
    assert!(screen.contains("does not parse"), "{screen}");
    desk.press("w");
    let screen = desk.shows();
    assert!(
        screen.contains("The draft does not parse. Write it anyway?"),
        "{screen}"
    );
    assert!(screen.contains("a.rs, line 2:"), "{screen}");
    desk.press("esc");
    assert!(repo.unmerged().contains("a.rs"));
    // Mended, nothing is asked.
    desk.press("u");
    assert!(!desk.shows().contains("does not parse"), "{}", desk.shows());
    desk.press("U w enter");
    assert_eq!(repo.unmerged(), "", "{}", desk.message());
    assert!(
        desk.press("5").shows().contains("! the syntax is valid"),
        "{}",
        desk.shows()
    );
}

#[test]
fn markers_that_a_side_had_committed_are_found() {
    let marked = "one\n<<<<<<< here\ntwo\n=======\nzwei\n>>>>>>> there\nthree\n";
    let repo = Repo::new();
    repo.write("b.txt", "b\n");
    repo.write("c.txt", "c\n");
    repo.write("d.txt", marked);
    repo.diverge("a.txt", "one\n", "ours\n", "theirs\n");
    repo.git(&["checkout", "-q", "side"]);
    repo.write("b.txt", marked);
    repo.commit("markers of theirs");
    repo.git(&["checkout", "-q", "main"]);
    repo.write("c.txt", marked);
    repo.commit("markers of ours");
    repo.try_git(&["merge", "-q", "side"]);
    let said = repo.output(&["proof"]).1;
    for text in [
        "b.txt:2: a conflict with markers that theirs committed",
        "c.txt:2: a conflict with markers that ours committed",
    ] {
        assert!(said.contains(text), "no '{text}' in\n{said}");
    }
    assert!(
        !said.contains("d.txt"),
        "the merge did not touch it\n{said}"
    );
}

/// What Proof says of a merge that git made without a conflict, or of a result in its place.
fn proof_of_clean(path: &str, texts: [&str; 3], result: Option<&str>) -> (i32, String) {
    let repo = Repo::new();
    let [base, ours, theirs] = texts;
    repo.write(path, base);
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    repo.write(path, theirs);
    repo.commit("theirs");
    repo.git(&["checkout", "-q", "main"]);
    repo.write(path, ours);
    repo.commit("ours");
    repo.git(&["merge", "-q", "--no-commit", "--no-ff", "side"]);
    if let Some(result) = result {
        repo.write(path, result);
        repo.git(&["add", path]);
    }
    repo.output(&["proof"])
}

#[test]
fn what_git_merged_without_a_conflict_must_pass_the_proofs_too() {
    for (path, texts, result, said) in [
        (
            "quay.py",
            [
                "import os\nimport re\n\n\ndef one(x):\n    return re.sub('a', 'b', x)\n\n\ndef two(x):\n    return x\n",
                "import re\n\n\ndef one(x):\n    return re.sub('a', 'b', x)\n\n\ndef two(x):\n    return x\n",
                "import os\nimport re\n\n\ndef one(x):\n    return re.sub('a', 'b', x)\n\n\ndef two(x):\n    return os.path.join(x)\n",
            ],
            None,
            "quay.py:9: this line uses 'os', which the other side removed or renamed everywhere",
        ),
        (
            "quay.css",
            [
                ":root { --tide: blue; --wind: red; }\n\n.a { color: red; }\n",
                ":root { --wind: red; }\n\n.a { color: red; }\n",
                ":root { --tide: blue; --wind: red; }\n\n.a { color: var(--tide); }\n",
            ],
            None,
            "uses 'tide'",
        ),
        (
            "quay.css",
            [
                ".a { top: 0 }\n\n.m { top: 0 }\n\n.z { top: 0 }\n",
                ".a { top: 0 }\n.k { top: 1 }\n\n.m { top: 0 }\n\n.z { top: 0 }\n",
                ".a { top: 0 }\n\n.m { top: 0 }\n\n.k { top: 2 }\n.z { top: 0 }\n",
            ],
            None,
            "rule '.k' is defined twice: lines 2 and 6",
        ),
        (
            "quay.rs",
            [
                "const KINDS: [&str; 2] = [\n    \"tug\",\n\n    \"ferry\",\n];\n",
                "const KINDS: [&str; 3] = [\n    \"tug\",\n    \"barge\",\n\n    \"ferry\",\n];\n",
                "const KINDS: [&str; 3] = [\n    \"tug\",\n\n    \"ferry\",\n    \"yacht\",\n];\n",
            ],
            None,
            "quay.rs:1: this line has a number that both sides raised alike",
        ),
        (
            "quay.py",
            [
                "class Base:\n    a = 1\n\n\nclass Other:\n    b = 2\n\n\nclass Third:\n    c = 3\n",
                "class Other:\n    b = 2\n\n\nclass Third:\n    c = 3\n\n\nclass Base:\n    a = 1\n",
                "class Base:\n    a = 1\n\n\nclass Other:\n    b = 2\n\n\nclass Third(Base):\n    c = 3\n",
            ],
            None,
            "uses 'Base' before the line that declares it",
        ),
        (
            "quay.py",
            [
                "def f(x):\n    if x:\n        a()\n        b()\n    c()\n",
                "def f(x):\n    if x:\n        a(1)\n        b()\n    c()\n",
                "def f(x):\n    if x:\n        a()\n        b()\n    c()\n    d()\n",
            ],
            Some("def f(x):\n    if x:\n        a(1)\n    b()\n    c()\n    d()\n"),
            "quay.py:4: this line is in 'def f(x):'; the side that wrote it has it in 'if x:'",
        ),
    ] {
        let (code, found) = proof_of_clean(path, texts, result);
        assert!(code == 1 && found.contains(said), "{texts:#?}\n{found}");
    }
    // Two edits that do not meet are right.
    let base = "const N: u32 = 2;\n\nfn a() {\n    b();\n}\n";
    let right = proof_of_clean(
        "quay.rs",
        [base, &base.replace("2", "3"), &base.replace("b()", "b(1)")],
        None,
    );
    assert_eq!(right, (0, "1 file checked, no findings\n".to_owned()));
}

#[test]
fn two_new_files_with_one_number_are_reported() {
    let repo = Repo::new();
    repo.write("db/001_quay.sql", "create table quay (id int);\n");
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    repo.write("db/002_tide.sql", "create table tide (id int);\n");
    repo.commit("theirs");
    repo.git(&["checkout", "-q", "main"]);
    repo.write("db/002_berth.sql", "create table berth (id int);\n");
    repo.commit("ours");
    repo.git(&["merge", "-q", "--no-commit", "side"]);
    let (code, said) = repo.output(&["proof"]);
    assert_eq!(code, 1, "{said}");
    assert!(
        said.contains("db/002_tide.sql: has the number 002, which ours gave to db/002_berth.sql"),
        "{said}"
    );
}

#[test]
fn lines_that_no_version_has_are_listed_by_what_they_may_change() {
    let repo = Repo::conflict(
        "quay.rs",
        "fn moor() {\n    check();\n}\n",
        "fn moor() {\n    check(ours);\n}\n",
        "fn moor() {\n    check(theirs);\n}\n",
    );
    repo.write(
        "quay.rs",
        "fn moor() {\n    audit(ship);\n    if tide > 3 {\n        check(ours);\n    }\n}\n",
    );
    repo.git(&["add", "quay.rs"]);
    let (_, said) = repo.output(&["proof", "--new-text"]);
    let at = |words: &str| {
        said.find(words)
            .unwrap_or_else(|| panic!("{words}: {said}"))
    };
    assert!(at("conditions: 1 line") < at("everything else: 1 line"));
    assert!(at("quay.rs:3  if tide > 3 {") < at("quay.rs:2  audit(ship);"));
    let json: serde_json::Value =
        serde_json::from_str(&repo.output(&["proof", "--json"]).1).unwrap();
    let new = &json["audit"]["files"][0]["new_lines"];
    assert_eq!(
        (&new[0]["line"], &new[0]["may_change"]),
        (&2.into(), &"other".into()),
        "{json:#}"
    );
    let mut desk = Desk::new(&repo.top, (140, 40));
    let shown = desk.press("5").shows();
    assert!(shown.contains("2 new lines (n)"), "{shown}");
    let shown = desk.press("n").shows();
    assert!(shown.contains("lines that no version has"), "{shown}");
    assert!(shown.contains("quay.rs:3  if tide > 3 {"), "{shown}");
}
