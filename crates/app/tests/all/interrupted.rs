//! A merge that is interrupted while git begins it: git goes on when the program is killed; if git dies
//! too, the next start names what is left and goes back to exactly the state before.

use crate::kit::{Repo, Tmux, armistice_as};
use std::fs;
use std::os::unix::fs::PermissionsExt;

/// A repository with changes of the person's own, and a line that clashes and adds files.
fn apart() -> Repo {
    let repo = Repo::new();
    for n in 0..6 {
        repo.write(&format!("file {n}.txt"), "one\ntwo\nthree\n");
    }
    repo.write("mine.txt", "mine\n");
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    for n in 0..6 {
        repo.write(&format!("file {n}.txt"), "one\ntheirs\nthree\n");
    }
    repo.write("folder/new.txt", "new\n");
    repo.commit("theirs");
    repo.git(&["checkout", "-q", "main"]);
    for n in 0..3 {
        repo.write(&format!("file {n}.txt"), "one\nours\nthree\n");
    }
    repo.commit("ours");
    repo.write("mine.txt", "changed\n");
    repo.write("untracked.txt", "untracked\n");
    repo
}

/// A folder with a git in it that does `script` when it is to merge.
fn git_that(repo: &Repo, script: &str) -> String {
    git_that_at(repo, "merge --no-edit*", script)
}

/// A folder with a git in it that does `script` when its arguments are like `call`.
fn git_that_at(repo: &Repo, call: &str, script: &str) -> String {
    let folder = repo.dir.path().join("bin");
    fs::create_dir_all(&folder).unwrap();
    let real = String::from_utf8(
        std::process::Command::new("which")
            .arg("git")
            .output()
            .unwrap()
            .stdout,
    )
    .unwrap();
    let text = format!(
        "#!/bin/sh\ngit={}\ncase \"$*\" in {}) {script};; esac\nexec \"$git\" \"$@\"\n",
        real.trim(),
        call.replace(' ', "\\ ")
    );
    let file = folder.join("git");
    fs::write(&file, text).unwrap();
    fs::set_permissions(&file, fs::Permissions::from_mode(0o755)).unwrap();
    format!("{}:{}", folder.display(), std::env::var("PATH").unwrap())
}

/// Contents of the working tree and what git says of it.
fn state(repo: &Repo) -> (Vec<(String, String)>, String) {
    let flags = repo.git(&["ls-files", "-v"]);
    let listed = repo.git(&["ls-files", "--cached", "--others"]);
    let mut files: Vec<String> = listed
        .lines()
        .map(|line| line.trim_matches('"').to_owned())
        .collect();
    files.sort();
    let read = |name: String| {
        let text = fs::read_to_string(repo.path(&name)).unwrap_or_else(|_| "gone".to_owned());
        (name, text)
    };
    (
        files.into_iter().map(read).collect(),
        flags + &repo.git(&["status", "--porcelain=v2", "--branch"]),
    )
}

fn begin(repo: &Repo, path: &str) -> Tmux {
    let tmux = Tmux::start(
        &repo.top,
        (120, 40),
        "scout side",
        &[("PATH", &format!("'{path}'"))],
    );
    tmux.wait("S begin");
    tmux.wait("3 conflicts in 3 files");
    tmux.keys("S").wait("merge side?");
    tmux.keys("Enter");
    tmux
}

#[test]
fn git_goes_on_when_the_program_is_killed_and_the_next_start_says_so() {
    let repo = apart();
    // The program dies while git has not begun to write, and git prints into what nobody reads.
    let path = git_that(&repo, "kill -9 $PPID; sleep 0.3; yes | head -c 200000");
    begin(&repo, &path).wait("EXIT 137");
    let (code, said) = repo.output(&["mend"]);
    assert_eq!(code, 0, "{said}");
    assert!(
        said.contains("'git merge --no-edit side' has begun"),
        "{said}"
    );
    assert!(repo.path(".git/MERGE_HEAD").exists());
    assert_eq!(repo.unmerged().lines().count(), 9);
    assert_eq!(repo.output(&["mend"]).1, "nothing was interrupted\n");
}

#[test]
fn what_a_git_that_died_left_is_named_and_goes_back_to_exactly_the_state_before() {
    for script in [
        // Files with markers, a new file, the old index; then an index that is half changed as well.
        "printf '<<<<<<< HEAD\\nours\\n=======\\ntheirs\\n>>>>>>> side\\n' > 'file 0.txt'; mkdir folder; echo new > folder/new.txt; kill -9 $PPID $$",
        "echo theirs > 'file 4.txt'; \"$git\" add 'file 4.txt'; mkdir folder; echo new > folder/new.txt; \"$git\" add folder; kill -9 $PPID $$",
    ] {
        let repo = apart();
        // Flags of entries come back too, and an index that git keeps in two parts.
        repo.git(&["update-index", "--assume-unchanged", "file 5.txt"]);
        repo.git(&["config", "core.splitIndex", "true"]);
        repo.git(&["config", "splitIndex.sharedIndexExpire", "now"]);
        repo.git(&["update-index", "--split-index"]);
        let before = state(&repo);
        let path = git_that(&repo, script);
        begin(&repo, &path).wait("EXIT 137");
        assert_ne!(state(&repo), before);
        // Every command and the screens say so; nothing is done to it unasked.
        let (_, said) = repo.output(&["docket"]);
        assert!(
            said.contains("'git merge --no-edit side' was interrupted: 2 files changed"),
            "{said}"
        );
        let torn = state(&repo);
        let tmux = Tmux::start(&repo.top, (120, 40), "", &[]);
        tmux.wait("restore the state before it");
        tmux.keys("Escape")
            .wait_until("no question", |s| !s.contains("do nothing"));
        tmux.keys("q").wait("EXIT 0");
        assert_eq!(state(&repo), torn);
        let copy = repo.copy();
        assert_eq!(copy.output(&["mend"]).0, 1);
        let (code, said) = copy.output(&["mend", "--undo"]);
        assert!(
            code == 0 && said.contains("undone: 2 files restored"),
            "{said}"
        );
        assert_eq!(state(&copy), before);
        // What was there is kept, and nothing is left to mend.
        assert_eq!(
            fs::read_dir(copy.path(".git/armistice/kept"))
                .unwrap()
                .count(),
            2
        );
        assert_eq!(copy.output(&["mend"]).1, "nothing was interrupted\n");
        // The same on the screens.
        let tmux = Tmux::start(&repo.top, (120, 40), "", &[]);
        tmux.wait("restore the state before it");
        tmux.keys("Enter").wait("2 files restored");
        tmux.keys("q").wait("EXIT 0");
        assert_eq!(state(&repo), before);
    }
}

#[test]
fn a_git_that_refuses_and_leaves_changes_is_not_said_to_have_changed_nothing() {
    let repo = apart();
    let path = git_that(&repo, "echo half > 'file 5.txt'; echo refused >&2; exit 1");
    let tmux = begin(&repo, &path);
    tmux.wait_until("the question with the words of git", |screen| {
        let asked = screen.contains("Undo the interrupted command?");
        asked && screen.contains("git said:") && screen.contains("refused")
    });
    // Together with the next key it would be another key.
    tmux.keys("Escape")
        .wait_until("no question", |screen| !screen.contains("do nothing"));
    tmux.keys("q").wait("EXIT 0");
    assert_eq!(repo.output(&["mend", "--undo"]).0, 0);
    assert_eq!(
        repo.read("file 5.txt"),
        "one\ntheirs\nthree\n".replace("theirs", "two")
    );
}

/// git's notes: their names and contents.
type Notes = Vec<(String, Vec<u8>)>;

/// All that `state` tells, and git's notes on the operation.
fn state_and_notes(repo: &Repo) -> (Vec<(String, String)>, String, Notes) {
    let (files, status) = state(repo);
    let mut notes = Vec::new();
    for folder in ["", "rebase-merge", "sequencer"] {
        let listed = fs::read_dir(repo.path(".git").join(folder)).into_iter();
        for entry in listed.flatten().flatten() {
            let name = format!("{folder}/{}", entry.file_name().to_string_lossy());
            let is_note = !folder.is_empty() || name.contains("_HEAD") || name.contains("MERGE_");
            if is_note && entry.file_type().unwrap().is_file() {
                notes.push((name, fs::read(entry.path()).unwrap()));
            }
        }
    }
    notes.sort();
    (files, status, notes)
}

/// Presses a key on Accord with a git that dies on the way, together with the program.
fn press_with(repo: &Repo, path: &str, key: &str) -> Tmux {
    let path = format!("'{path}'");
    let tmux = Tmux::start(&repo.top, (120, 40), "", &[("PATH", &path)]);
    tmux.keys("6").wait("abort");
    tmux.keys(key);
    if key == "B" {
        tmux.wait("Abort the");
        tmux.keys("Enter");
    }
    tmux
}

/// A merge whose conflicts are settled and staged.
fn settled_merge() -> Repo {
    let repo = apart();
    repo.try_git(&["merge", "-q", "side"]);
    let all = [
        "settle",
        "--by",
        "theirs",
        "file 0.txt",
        "file 1.txt",
        "file 2.txt",
    ];
    assert_eq!(repo.output(&all).0, 0);
    repo
}

/// A rebase of three commits that stands at the first, settled and staged.
fn settled_rebase() -> Repo {
    let repo = Repo::new();
    repo.diverge("a.txt", "one\n", "ours\n", "theirs\n");
    repo.git(&["checkout", "-q", "side"]);
    for (name, text) in [("b.txt", "second\n"), ("c.txt", "third\n")] {
        repo.write(name, text);
        repo.commit(text.trim());
    }
    repo.try_git(&["rebase", "-q", "main"]);
    assert_eq!(repo.output(&["settle", "--by", "theirs", "a.txt"]).0, 0);
    repo
}

#[test]
fn a_conclusion_that_git_died_in_goes_back_to_exactly_the_state_before() {
    const DIE: &str = "kill -9 $PPID $$";
    type Start = fn() -> Repo;
    let cases: [(&str, Start, &str, &str, &str); 4] = [
        (
            "a rebase that had begun to apply the next commit",
            settled_rebase,
            "*rebase --continue*",
            "\"$git\" commit -q -m step; echo 2 > .git/rebase-merge/msgnum; rm .git/rebase-merge/stopped-sha; echo half > b.txt; echo changed > a.txt",
            "c",
        ),
        (
            "a rebase that had staged the next commit",
            settled_rebase,
            "*rebase --continue*",
            "\"$git\" commit -q -m step; rm .git/rebase-merge/stopped-sha; echo second > b.txt; \"$git\" add b.txt",
            "c",
        ),
        (
            "an abort that had put some files back",
            || {
                let repo = apart();
                repo.try_git(&["merge", "-q", "side"]);
                repo.write("file 1.txt", "half merged by hand\n");
                repo
            },
            "merge --abort*",
            "echo one > 'file 0.txt'; rm folder/new.txt; rmdir folder; \"$git\" checkout -q HEAD -- 'file 1.txt'",
            "B",
        ),
        (
            "an abort that had reset the index",
            || {
                let repo = apart();
                repo.try_git(&["merge", "-q", "side"]);
                repo
            },
            "merge --abort*",
            "\"$git\" read-tree HEAD; rm .git/MERGE_MSG",
            "B",
        ),
    ];
    for (name, start, call, script, key) in cases {
        let repo = start();
        let before = state_and_notes(&repo);
        let path = git_that_at(&repo, call, &format!("{script}; {DIE}"));
        press_with(&repo, &path, key).wait("EXIT 137");
        assert_ne!(state_and_notes(&repo), before, "{name}");
        let (_, said) = repo.output(&["docket"]);
        assert!(said.contains("was interrupted"), "{name}: {said}");
        let (code, said) = repo.output(&["mend", "--undo"]);
        assert!(code == 0 && said.contains("undone"), "{name}: {said}");
        assert_eq!(state_and_notes(&repo), before, "{name}");
        assert_eq!(repo.output(&["mend"]).1, "nothing was interrupted\n");
        // The same command does what it was to do.
        let real = std::env::var("PATH").unwrap();
        let tmux = press_with(&repo, &real, key);
        let done = ["── concluded", "── aborted"];
        tmux.wait_until("the end", |s| done.iter().any(|text| s.contains(text)));
        repo.git(&["fsck", "--strict"]);
    }
}

#[test]
fn a_conclusion_that_only_left_notes_of_git_is_finished() {
    // The merge is committed, and git had not removed its notes.
    let repo = settled_merge();
    let script = "mkdir -p .git/aside; cp .git/MERGE_* .git/aside; \"$git\" \"$@\"; cp .git/aside/* .git; kill -9 $PPID $$";
    let path = git_that_at(&repo, "commit*", script);
    press_with(&repo, &path, "c").wait("EXIT 137");
    assert!(repo.path(".git/MERGE_HEAD").exists());
    let (code, said) = repo.output(&["mend"]);
    assert!(code == 0 && said.contains("is done"), "{said}");
    assert!(!repo.path(".git/MERGE_HEAD").exists());
    let parents = repo.git(&["show", "-s", "--format=%p", "HEAD"]);
    assert_eq!(parents.split_whitespace().count(), 2);

    // The rebase is done, the branch checked out, and the folder of notes is there.
    let repo = settled_rebase();
    let script = "cp -r .git/rebase-merge .git/aside; \"$git\" \"$@\"; cp -r .git/aside .git/rebase-merge; kill -9 $PPID $$";
    let path = git_that_at(&repo, "*rebase --continue*", script);
    press_with(&repo, &path, "c").wait("EXIT 137");
    assert!(repo.path(".git/rebase-merge").exists());
    let (code, said) = repo.output(&["mend"]);
    assert!(code == 0 && said.contains("is done"), "{said}");
    assert!(!repo.path(".git/rebase-merge").exists());
    assert_eq!(
        repo.git(&["log", "--format=%s", "main..side"])
            .lines()
            .count(),
        3
    );
}

#[test]
fn a_half_done_conclusion_is_offered_to_be_undone_on_the_screens() {
    // A signal ends git, or it gives up by itself, as on a full disk.
    for end in ["kill -9 $$", "echo 'fatal: disk full' >&2; exit 128"] {
        let repo = settled_rebase();
        let before = state_and_notes(&repo);
        let script = format!(
            "\"$git\" commit -q -m step; rm .git/rebase-merge/stopped-sha; echo half > b.txt; echo changed > a.txt; {end}"
        );
        let path = git_that_at(&repo, "*rebase --continue*", &script);
        let copy = repo.copy();
        let tmux = press_with(&repo, &path, "c");
        let asked = tmux.wait_until("the question", |screen| {
            screen.contains("git did only part of it, and 2") && screen.contains("esc do nothing")
        });
        assert!(!asked.contains("nothing was lost"), "{asked}");
        tmux.keys("Enter").wait("2 files restored");
        assert_eq!(state_and_notes(&repo), before);
        tmux.keys("q").wait("EXIT 0");
        // The same on the command line.
        let (code, said) = armistice_as(&copy.top, &["conclude"], &[("PATH", &path)]);
        assert!(
            code == 2 && said.contains("git stopped before it was done"),
            "{said}"
        );
        let (code, said) = copy.output(&["mend", "--undo"]);
        assert!(code == 0 && said.contains("2 files restored"), "{said}");
        assert_eq!(state_and_notes(&copy), before);
    }
}

#[test]
fn a_note_without_copies_of_the_state_before_undoes_nothing() {
    // As an older version left it.
    let repo = apart();
    let head = repo.git(&["rev-parse", "HEAD"]);
    fs::create_dir_all(repo.path(".git/armistice")).unwrap();
    let note = format!(
        "{{\"command\":[\"merge\",\"side\"],\"owner\":\"1-1\",\"head\":\"{}\",\"branch\":null,\"index\":null,\"changed\":[],\"untracked\":[]}}",
        head.trim()
    );
    repo.write(".git/armistice/intent.json", note);
    let before = state(&repo);
    let (code, said) = repo.output(&["mend", "--undo"]);
    assert!(
        code == 0 && said.contains("nothing was interrupted"),
        "{said}"
    );
    assert_eq!(state(&repo), before);
}
