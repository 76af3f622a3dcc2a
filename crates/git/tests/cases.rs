//! What kinds of conflicted paths there are, what may come of each, and objects in batches.

use armistice_git::{Case, CaseKind, FileOutcome, Mode, Oid, RepoPath, Repository, Stage, Stages};
use std::fs;
use std::io::Write;
use std::path::Path;
use std::process::{Command, Stdio};
use tempfile::TempDir;

fn stage(mode: Mode, oid: &str) -> Option<Stage> {
    let oid = Oid(oid.to_owned());
    Some(Stage { mode, oid })
}

fn file(oid: &str) -> Option<Stage> {
    stage(Mode::File, oid)
}

fn case(base: Option<Stage>, ours: Option<Stage>, theirs: Option<Stage>) -> Case {
    let stages = Stages { base, ours, theirs };
    Case::new(RepoPath::new("quay.rs"), stages)
}

#[test]
fn each_kind_is_read_off_the_stages_and_has_its_outcomes() {
    use FileOutcome::{Base, Ours, Remove, Theirs};
    let link = || stage(Mode::Link, "1");
    let module = || stage(Mode::Submodule, "1");
    for (case, kind, outcomes) in [
        (
            case(file("b"), file("o"), file("t")),
            CaseKind::BothEdited,
            vec![Ours, Theirs, Base],
        ),
        (
            case(None, file("o"), file("t")),
            CaseKind::BothAdded,
            vec![Ours, Theirs],
        ),
        (
            case(file("b"), file("o"), None),
            CaseKind::RemovedByTheirs,
            vec![Ours, Remove],
        ),
        (
            case(file("b"), None, file("t")),
            CaseKind::RemovedByOurs,
            vec![Theirs, Remove],
        ),
        (
            case(file("b"), None, None),
            CaseKind::BothGone,
            vec![Remove],
        ),
        (
            case(None, file("o"), None),
            CaseKind::OnlyOurs,
            vec![Ours, Remove],
        ),
        (
            case(None, None, file("t")),
            CaseKind::OnlyTheirs,
            vec![Theirs, Remove],
        ),
        (
            case(file("b"), stage(Mode::Executable, "b"), file("b")),
            CaseKind::ModeOnly,
            vec![Ours, Theirs, Base],
        ),
        (
            case(file("b"), link(), file("t")),
            CaseKind::Link,
            vec![Ours, Theirs, Base],
        ),
        (
            case(module(), module(), file("t")),
            CaseKind::Submodule,
            vec![Ours, Theirs, Base],
        ),
    ] {
        assert_eq!(case.kind, kind);
        assert_eq!(case.outcomes(), outcomes, "{kind:?}");
        let lines = matches!(kind, CaseKind::BothEdited | CaseKind::BothAdded);
        assert_eq!(case.has_lines(), lines, "{kind:?}");
        let [ours, theirs] = case.words();
        assert!(!ours.is_empty() && !theirs.is_empty(), "{kind:?}");
        for outcome in outcomes {
            let has_stage = case.stage(outcome).is_some();
            assert_eq!(has_stage, outcome != Remove, "{kind:?} {outcome:?}");
        }
    }
}

#[test]
fn a_mode_that_one_side_changed_stays() {
    let run = |oid| stage(Mode::Executable, oid);
    for (case, expected) in [
        (case(file("b"), file("o"), file("t")), Mode::File),
        (case(file("b"), run("o"), file("t")), Mode::Executable),
        (case(file("b"), file("o"), run("t")), Mode::Executable),
        (case(run("b"), file("o"), run("t")), Mode::File),
        (case(run("b"), run("o"), file("t")), Mode::File),
        (case(None, run("o"), file("t")), Mode::Executable),
        (case(file("b"), None, run("t")), Mode::Executable),
        (case(None, None, None), Mode::File),
    ] {
        assert_eq!(case.stages.merged_mode(), expected, "{:?}", case.stages);
    }
}

fn git(folder: &Path, args: &[&str], stdin: &[u8]) -> String {
    let mut child = Command::new("git")
        .current_dir(folder)
        .args(args)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    child.stdin.take().unwrap().write_all(stdin).unwrap();
    let output = child.wait_with_output().unwrap();
    assert!(output.status.success(), "git {args:?}");
    String::from_utf8(output.stdout).unwrap().trim().to_owned()
}

#[test]
fn many_objects_come_back_byte_for_byte_in_the_order_they_were_asked_for() {
    let dir = TempDir::new().unwrap();
    git(dir.path(), &["init", "-q"], b"");
    let contents: [&[u8]; 6] = [
        b"",
        b"\n",
        b"no last newline",
        b"\0\xff\xfe binary \0\n",
        b"0123 blob 4\nlike an answer of git\n",
        b"crlf\r\n\r\n",
    ];
    let write = |bytes: &&[u8]| {
        let oid = git(dir.path(), &["hash-object", "-w", "--stdin"], bytes);
        Oid(oid)
    };
    let oids: Vec<Oid> = contents.iter().map(write).collect();
    let repo = Repository::discover(dir.path()).unwrap();
    assert_eq!(repo.read_blobs(&oids).unwrap(), contents);
    let backwards: Vec<Oid> = oids.iter().rev().cloned().collect();
    let expected: Vec<_> = contents.iter().rev().map(|c| c.to_vec()).collect();
    assert_eq!(repo.read_blobs(&backwards).unwrap(), expected);
    // One asked for twice comes twice; nothing asked for needs no git.
    let twice = [oids[2].clone(), oids[2].clone()];
    assert_eq!(repo.read_blobs(&twice).unwrap(), [contents[2], contents[2]]);
    assert!(repo.read_blobs(&[]).unwrap().is_empty());
    // One that is missing is an error, never an empty file.
    let missing = [oids[0].clone(), Oid("1".repeat(40))];
    assert!(repo.read_blobs(&missing).is_err());
    fs::remove_dir_all(dir.path().join(".git/objects")).unwrap();
    assert!(repo.read_blobs(&oids).is_err());
}
