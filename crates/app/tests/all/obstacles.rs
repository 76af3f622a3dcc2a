//! What hooks, locks, folders and other programs put in the way of finishing a file; and taking back.

use crate::kit::{BASE, OURS, Repo, THEIRS, assert_concluded, merged, plain_environment};
use armistice_git::{IndexState, Verdict};
use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::process::Command;

#[test]
fn a_failing_hook_is_shown_and_nothing_is_lost() {
    let repo = merged();
    let hook = repo.path(".git/hooks/pre-commit");
    fs::create_dir_all(hook.parent().unwrap()).unwrap();
    fs::write(
        &hook,
        "#!/bin/sh\necho 'the price list must be posted first' >&2\nexit 1\n",
    )
    .unwrap();
    fs::set_permissions(&hook, fs::Permissions::from_mode(0o755)).unwrap();
    let mut desk = repo.desk();
    desk.open("a.txt")
        .press("t w 6 e")
        .type_text("My words. ")
        .press("esc c");
    assert_eq!(desk.state.accord.verdict, Some(Verdict::Refused));
    let shown = desk.shows();
    assert!(
        shown.contains("the price list must be posted first"),
        "{shown}"
    );
    assert_eq!(repo.read("a.txt"), THEIRS);
    assert!(repo.path(".git/MERGE_HEAD").exists());
    desk.press("esc");
    assert!(
        desk.shows().contains("My words. Merge branch"),
        "the edited message is still there"
    );
    fs::remove_file(hook).unwrap();
    desk.press("c");
    assert_concluded(&desk);
    assert!(
        repo.git(&["log", "-1", "--format=%s"])
            .starts_with("My words. Merge")
    );
}

#[test]
fn a_held_index_lock_changes_nothing() {
    let repo = merged();
    let before = repo.read("a.txt");
    fs::write(repo.path(".git/index.lock"), "").unwrap();
    let mut desk = repo.desk();
    desk.open("a.txt").press("o w");
    assert!(
        desk.message().contains("another git process holds"),
        "{}",
        desk.message()
    );
    assert_eq!(repo.read("a.txt"), before);
    fs::remove_file(repo.path(".git/index.lock")).unwrap();
    assert_eq!(repo.unmerged().lines().count(), 3);
    assert_eq!(
        fs::read_dir(&repo.top).unwrap().count(),
        2,
        "no temporary file is left"
    );
    desk.press("w");
    assert_eq!(repo.read("a.txt"), OURS);
}

#[test]
fn a_working_file_changed_outside_is_never_overwritten_unasked() {
    let repo = merged();
    let mut desk = repo.desk();
    desk.open("a.txt").press("o");
    repo.write("a.txt", "my own merge\n");
    desk.press("w");
    assert!(desk.shows().contains("changed on disk since it was read"));
    assert_eq!(repo.read("a.txt"), "my own merge\n");
    desk.press("esc");
    assert_eq!(repo.read("a.txt"), "my own merge\n");
    desk.press("w enter");
    assert_eq!(repo.read("a.txt"), OURS);
    let kept: Vec<_> = fs::read_dir(repo.path(".git/armistice/kept"))
        .unwrap()
        .map(|f| fs::read_to_string(f.unwrap().path()).unwrap())
        .collect();
    assert_eq!(kept, ["my own merge\n"]);
}

#[test]
fn a_working_file_edited_before_opening_is_asked_about_too() {
    let repo = merged();
    repo.write("a.txt", "half done by hand\n");
    let (code, output) = repo.output(&["settle", "a.txt", "--by", "ours"]);
    assert_eq!(code, 2);
    assert!(output.contains("changed on disk"), "{output}");
    assert_eq!(repo.read("a.txt"), "half done by hand\n");
    let (code, _) = repo.output(&["settle", "a.txt", "--by", "ours", "--overwrite"]);
    assert_eq!(code, 0);
    assert_eq!(repo.read("a.txt"), OURS);
}

#[test]
fn a_finished_file_can_be_taken_back_to_the_byte() {
    let repo = merged();
    let (stages, markers) = (repo.unmerged(), repo.read("a.txt"));
    let mut desk = repo.desk();
    desk.open("a.txt").press("t w 2 u");
    assert_eq!(
        (repo.unmerged(), repo.read("a.txt")),
        (stages.clone(), markers.clone())
    );
    desk.press("t enter");
    assert_eq!(
        (repo.unmerged().as_str(), repo.read("a.txt").as_str()),
        ("", THEIRS)
    );
    desk.press("u");
    assert_eq!((repo.unmerged(), repo.read("a.txt")), (stages, markers));
}

#[test]
fn a_file_written_twice_goes_back_to_what_git_left() {
    let repo = merged();
    let (stages, markers) = (repo.unmerged(), repo.read("a.txt"));
    let mut desk = repo.desk();
    desk.open("a.txt").press("t w o w");
    assert_eq!(repo.read("a.txt"), OURS);
    desk.press("2 u");
    assert_eq!(
        (repo.unmerged(), repo.read("a.txt")),
        (stages.clone(), markers)
    );
    // Even if the copy was lost, the markers come back.
    desk.press("w");
    fs::remove_dir_all(repo.path(".git/armistice/kept")).unwrap();
    desk.press("u");
    assert_eq!(repo.unmerged(), stages);
    assert!(repo.read("a.txt").contains("<<<<<<< "));
}

#[test]
fn a_link_is_taken_back_as_a_link() {
    let repo = Repo::new();
    let link = |target: &str| {
        let _ = fs::remove_file(repo.path("current"));
        std::os::unix::fs::symlink(target, repo.path("current")).unwrap();
        repo.commit(target);
    };
    link("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    link("theirs");
    repo.git(&["checkout", "-q", "main"]);
    link("ours");
    repo.try_git(&["merge", "side"]);
    let target = || fs::read_link(repo.path("current")).unwrap();
    let (stages, before) = (repo.unmerged(), target());
    let mut desk = repo.desk();
    desk.press("t enter");
    assert_eq!((repo.unmerged().as_str(), target()), ("", "theirs".into()));
    desk.press("u");
    assert_eq!((repo.unmerged(), target()), (stages, before));
}

#[test]
fn markers_staged_by_hand_can_be_taken_back() {
    let repo = merged();
    let (stages, markers) = (repo.unmerged(), repo.read("a.txt"));
    repo.git(&["add", "a.txt"]);
    let mut desk = repo.desk();
    assert_eq!(desk.state.files[0].case.standing, IndexState::Staged);
    desk.press("u");
    assert_eq!(
        (repo.unmerged(), repo.read("a.txt")),
        (stages.clone(), markers)
    );
    // Staged by hand without markers: what stood there is kept, the markers come back.
    repo.write("a.txt", "by hand\n");
    repo.git(&["add", "a.txt"]);
    let mut desk = repo.desk();
    desk.press("u");
    assert!(desk.message().contains("kept as"), "{}", desk.message());
    assert_eq!(repo.unmerged(), stages);
    assert!(repo.read("a.txt").contains("<<<<<<< "));
}

#[test]
fn a_read_only_folder_changes_nothing() {
    let repo = Repo::conflict("d/a.txt", BASE, OURS, THEIRS);
    let folder = repo.path("d");
    fs::set_permissions(&folder, fs::Permissions::from_mode(0o555)).unwrap();
    let refused = fs::write(folder.join("probe"), "").is_err();
    let (code, output) = repo.output(&["settle", "d/a.txt", "--by", "ours"]);
    fs::set_permissions(&folder, fs::Permissions::from_mode(0o755)).unwrap();
    // Root may write anywhere; then there is nothing to refuse.
    if refused {
        assert_eq!(code, 2);
        assert!(output.contains("cannot write"), "{output}");
        assert_eq!(repo.unmerged().lines().count(), 3);
    } else {
        assert_eq!(code, 0, "{output}");
    }
}

#[test]
fn a_link_in_the_way_is_not_followed() {
    let repo = Repo::conflict("d/a.txt", BASE, OURS, THEIRS);
    let outside = repo.dir.path().join("outside");
    fs::rename(repo.path("d"), &outside).unwrap();
    std::os::unix::fs::symlink(&outside, repo.path("d")).unwrap();
    let before = fs::read_to_string(outside.join("a.txt")).unwrap();
    let (code, output) = repo.output(&["settle", "d/a.txt", "--by", "ours", "--overwrite"]);
    assert_eq!(code, 2);
    assert!(output.contains("symbolic link"), "{output}");
    assert_eq!(fs::read_to_string(outside.join("a.txt")).unwrap(), before);
}

#[test]
fn a_read_only_file_asks_before_it_is_written() {
    let repo = merged();
    let file = repo.path("a.txt");
    let mode = |mode| fs::set_permissions(&file, fs::Permissions::from_mode(mode)).unwrap();
    mode(0o444);
    let before = repo.read("a.txt");
    let (code, output) = repo.output(&["settle", "a.txt", "--by", "ours"]);
    assert_eq!(code, 2, "{output}");
    assert!(
        output.contains("is read-only, and nothing was written; --overwrite"),
        "{output}"
    );
    assert_eq!(
        (repo.read("a.txt"), repo.unmerged().lines().count()),
        (before.clone(), 3)
    );
    let mut desk = repo.desk();
    desk.open("a.txt").press("w");
    assert!(
        desk.shows().contains("a.txt is read-only"),
        "{}",
        desk.shows()
    );
    assert_eq!(repo.read("a.txt"), before);
    desk.press("enter");
    assert_eq!(repo.read("a.txt"), OURS, "{}", desk.message());
    assert_eq!(
        fs::metadata(&file).unwrap().permissions().mode() & 0o777,
        0o444
    );
    assert_eq!(repo.unmerged(), "");
}

#[test]
fn output_goes_through_links_and_to_files_alone() {
    let repo = Repo::new();
    repo.write("base", BASE);
    repo.write("ours", OURS);
    repo.write("folder/old", "old\n");
    std::os::unix::fs::symlink("folder/old", repo.path("link")).unwrap();
    let merge = |output: &str| {
        repo.output(&[
            "merge", "--base", "base", "--ours", "ours", "--theirs", "base", "--output", output,
        ])
    };
    assert_eq!(merge("link"), (0, String::new()));
    assert_eq!(repo.read("folder/old"), OURS);
    assert!(
        fs::symlink_metadata(repo.path("link"))
            .unwrap()
            .is_symlink()
    );
    for (output, why) in [
        ("folder", "it is a folder"),
        ("/dev/stdout", "it is a"),
        ("no/such", "its folder is not there"),
    ] {
        let (code, said) = merge(output);
        assert_eq!(code, 2, "{said}");
        assert!(said.contains(why), "{said}");
    }
    assert!(!repo.path("no").exists());
    // A pipe that nobody writes to is refused, not waited for.
    assert!(
        Command::new("mkfifo")
            .arg(repo.path("pipe"))
            .status()
            .unwrap()
            .success()
    );
    let (code, said) = repo.output(&["open", "pipe"]);
    assert_eq!(code, 2, "{said}");
    assert!(said.contains("a device or a pipe"), "{said}");
}

#[test]
fn a_disk_that_fills_up_while_files_are_written_changes_nothing() {
    let base: String = (0..400)
        .map(|n| format!("line {n} of the berth, and some more words\n"))
        .collect();
    let side = |name: &str| base.replace("line 200 ", &format!("line 200 {name} "));
    let repo = Repo::conflict("a.txt", &base, &side("ours"), &side("theirs"));
    let before = repo.read("a.txt");
    let program = env!("CARGO_BIN_EXE_armistice");
    // Files may grow to so many KiB: nothing can be recorded, noted or made ready.
    for limit in [0, 1, 4, 12] {
        let limited =
            format!("trap '' XFSZ; ulimit -S -f {limit}; exec '{program}' settle a.txt --by ours");
        let done = Command::new("bash")
            .args(["-c", &limited])
            .current_dir(&repo.top)
            .output()
            .unwrap();
        assert_eq!(done.status.code(), Some(2), "{limit}: {done:?}");
        assert_eq!(repo.read("a.txt"), before, "{limit}");
        assert_eq!(repo.unmerged().lines().count(), 3, "{limit}");
        // Opened again, nothing is left of it.
        assert_eq!(repo.output(&["docket"]).0, 1);
        let names = fs::read_dir(&repo.top)
            .unwrap()
            .map(|f| f.unwrap().file_name());
        let names: Vec<_> = names.filter(|name| name != ".git").collect();
        assert_eq!(names, ["a.txt"], "{limit}");
        assert!(!repo.path(".git/index.lock").exists(), "{limit}");
    }
    assert_eq!(repo.output(&["settle", "a.txt", "--by", "ours"]).0, 0);
    assert_eq!(repo.read("a.txt"), side("ours"));
}

#[test]
fn a_limit_on_the_size_of_files_makes_git_refuse_and_leaves_no_lock() {
    let repo = merged();
    // An index that is larger than the limit, contents that are smaller.
    for n in 0..200 {
        repo.write(&format!("pier/berth-{n}.txt"), "free\n");
    }
    repo.git(&["add", "pier"]);
    let before = (repo.unmerged(), repo.read("a.txt"));
    let program = env!("CARGO_BIN_EXE_armistice");
    let mut command = Command::new("bash");
    plain_environment(&mut command);
    let script = format!("ulimit -f 8; exec '{program}' settle a.txt --by ours");
    let output = command
        .current_dir(&repo.top)
        .args(["-c", &script])
        .output()
        .unwrap();
    let said = String::from_utf8_lossy(&output.stderr).into_owned();
    assert_eq!(output.status.code(), Some(2), "{said}");
    // git itself says why; it was not killed in the middle.
    assert!(said.contains("exit 128"), "{said}");
    assert!(!repo.path(".git/index.lock").exists());
    assert_eq!((repo.unmerged(), repo.read("a.txt")), before);
    assert!(
        repo.run(&["settle", "a.txt", "--by", "ours"])
            .status
            .success()
    );
}

#[test]
fn a_merge_is_concluded_though_the_notes_of_it_cannot_be_put_away() {
    let repo = merged();
    assert_eq!(repo.output(&["settle", "a.txt", "--by", "ours"]).0, 0);
    std::os::unix::fs::symlink("/nowhere", repo.path(".git/armistice/concluded")).unwrap();
    let (code, said) = repo.output(&["conclude"]);
    assert_eq!(code, 0, "{said}");
    assert!(
        said.contains("is concluded") && said.contains("symbolic link"),
        "{said}"
    );
    assert_eq!(
        repo.git(&["rev-list", "--parents", "-n1", "HEAD"])
            .split(' ')
            .count(),
        3
    );
    // Backing out and doing it on the screens ends no worse.
    let repo = merged();
    let mut desk = repo.desk();
    desk.open("a.txt").press("o w");
    std::os::unix::fs::symlink("/nowhere", repo.path(".git/armistice/concluded")).unwrap();
    crate::kit::conclude(&mut desk);
    assert_concluded(&desk);
    assert!(
        desk.message()
            .contains("the stored decisions could not be removed"),
        "{}",
        desk.message()
    );
}

#[test]
fn a_pipe_in_the_place_of_a_file_is_not_replaced() {
    let repo = merged();
    let file = repo.path("a.txt");
    fs::remove_file(&file).unwrap();
    assert!(
        Command::new("mkfifo")
            .arg(&file)
            .status()
            .unwrap()
            .success()
    );
    let (code, said) = repo.output(&["settle", "a.txt", "--by", "ours"]);
    assert!(
        code == 2 && said.contains("a pipe, socket or device is in its place"),
        "{said}"
    );
    let mut desk = repo.desk();
    desk.open("a.txt").press("o w");
    assert!(
        desk.message().contains("a pipe, socket or device"),
        "{}",
        desk.message()
    );
    use std::os::unix::fs::FileTypeExt as _;
    assert!(fs::symlink_metadata(&file).unwrap().file_type().is_fifo());
    assert!(!repo.unmerged().is_empty());
}

#[test]
fn decisions_go_on_when_the_store_is_removed_while_it_is_open() {
    let base = "one\n2\n3\n4\n5\n6\n7\neight\n";
    let with = |who: &str| base.replace("one", who).replace("eight", who);
    let repo = Repo::conflict("a.txt", base, &with("ours"), &with("theirs"));
    let mut desk = repo.desk();
    desk.open("a.txt").press("o");
    fs::remove_dir_all(repo.path(".git/armistice")).unwrap();
    desk.press("n t");
    assert!(!desk.state.message.is_trouble, "{}", desk.message());
    let again = repo.desk();
    assert_eq!(again.state.totals().0.open, 0, "both decisions are there");
}

#[test]
fn a_patch_that_became_empty_is_skipped_or_kept_not_refused() {
    let start = |command: &str| {
        let repo = Repo::new();
        repo.diverge("a.txt", BASE, OURS, THEIRS);
        match command {
            "am" => {
                let patch = repo.git(&["format-patch", "-1", "--stdout", "side"]);
                fs::write(repo.dir.path().join("patch"), patch).unwrap();
                repo.try_git(&["am", "-q", "-3", "../patch"]);
            }
            _ => {
                repo.git(&["checkout", "-q", "side"]);
                repo.try_git(&["rebase", "-q", "--apply", "main"]);
            }
        }
        assert!(!repo.unmerged().is_empty(), "{command}");
        assert_eq!(repo.output(&["settle", "a.txt", "--by", "ours"]).0, 0);
        repo
    };
    for command in ["am", "rebase"] {
        let repo = start(command);
        let (code, said) = repo.output(&["conclude"]);
        assert!(
            code == 1 && said.contains("'--empty skip' leaves it out"),
            "{command}: {said}"
        );
        assert!(!said.contains("did you forget"), "{said}");
        let head = repo.git(&["rev-parse", "HEAD"]);
        let (code, said) = repo.output(&["conclude", "--empty", "skip"]);
        assert_eq!(code, 0, "{command}: {said}");
        assert_eq!(repo.git(&["rev-parse", "HEAD"]), head);
        let repo = start(command);
        let (code, said) = repo.output(&["conclude", "--empty", "keep"]);
        assert_eq!(code, 0, "{command}: {said}");
        assert_eq!(
            repo.git(&["log", "-1", "--format=%s %an"]).trim(),
            "theirs Ines Brandt"
        );
        assert_eq!(
            repo.git(&["rev-parse", "HEAD^{tree}"]),
            repo.git(&["rev-parse", "HEAD^^{tree}"])
        );
        assert!(!repo.path(".git/rebase-apply").exists());
    }
    // A patch that git could not apply at all is no empty one.
    let repo = Repo::new();
    repo.diverge("a.txt", BASE, OURS, THEIRS);
    let patch = repo.git(&["format-patch", "-1", "--stdout", "side"]);
    fs::write(repo.dir.path().join("patch"), patch).unwrap();
    repo.try_git(&["am", "-q", "../patch"]);
    let (code, said) = repo.output(&["conclude"]);
    assert!(code == 2 && !said.contains("leaves it out"), "{said}");
}
