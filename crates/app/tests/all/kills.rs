//! kill -9 at any moment: nothing torn, nothing lost, nothing left behind.
//!
//! `ARMISTICE_KILLS=1000 cargo test kills` kills more often.

use crate::kit::{Repo, Tmux, armistice, plain_environment};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

fn kills() -> u32 {
    std::env::var("ARMISTICE_KILLS").map_or(25, |n| n.parse().unwrap())
}

/// Six files in conflict, one of them in a folder, one with a name that is not plain.
const FILES: [&str; 6] = ["a.txt", "b.txt", "c.txt", "dir/d.txt", "e f.txt", "g.txt"];

fn repo() -> Repo {
    let repo = Repo::new();
    let each = |text: &str| FILES.map(|f| (f, format!("{f}\n{text}\nend\n")));
    for (file, text) in each("base") {
        repo.write(file, &text);
    }
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    for (file, text) in each("theirs") {
        repo.write(file, &text);
    }
    repo.commit("theirs");
    repo.git(&["checkout", "-q", "main"]);
    for (file, text) in each("ours") {
        repo.write(file, &text);
    }
    repo.commit("ours");
    // git's own housekeeping goes on in the background, with locks of its own.
    repo.git(&["config", "maintenance.auto", "false"]);
    repo.try_git(&["merge", "-q", "side"]);
    repo
}

fn start(repo: &Repo, args: &[&str]) -> Child {
    let mut command = Command::new(env!("CARGO_BIN_EXE_armistice"));
    plain_environment(&mut command);
    command.current_dir(&repo.top).args(args);
    command.stdout(Stdio::null()).stderr(Stdio::null());
    command.spawn().unwrap()
}

/// Every file below a folder.
fn walk(folder: &Path, out: &mut Vec<PathBuf>) {
    for file in std::fs::read_dir(folder).unwrap() {
        let path = file.unwrap().path();
        match path.is_dir() {
            true => walk(&path, out),
            false => out.push(path),
        }
    }
}

/// A git that was started before the kill ends by itself.
fn wait_for_git(repo: &Repo) {
    let started = Instant::now();
    while repo.path(".git/index.lock").exists() {
        assert!(
            started.elapsed() < Duration::from_secs(10),
            "the index is locked for good"
        );
        std::thread::sleep(Duration::from_millis(2));
    }
}

/// What must hold however the program ended, once it was opened again.
fn assert_whole(repo: &Repo, left_by_git: &BTreeMap<&str, String>, at: &str) {
    wait_for_git(repo);
    let mut files = Vec::new();
    walk(&repo.top, &mut files);
    let left = files.iter().filter(|f| {
        let name = f.file_name().unwrap().to_string_lossy();
        name.starts_with(".armistice-") || name.ends_with(".lock")
    });
    let left: Vec<_> = left.collect();
    assert!(left.is_empty(), "left behind {at}: {left:?}");
    let unmerged = repo.unmerged();
    for file in FILES {
        let now = repo.read(file);
        let decided = ["ours", "theirs"].map(|side| format!("{file}\n{side}\nend\n"));
        if unmerged.contains(&format!("\t{file}\n")) {
            assert_eq!(now, left_by_git[file], "{file} is unmerged {at}");
        } else {
            assert!(
                decided.contains(&now),
                "{file} is staged and holds {now:?} {at}"
            );
            assert_eq!(repo.git(&["show", &format!(":{file}")]), now, "{file} {at}");
        }
    }
    repo.git(&["fsck", "--strict"]);
    repo.git(&["status", "--porcelain"]);
}

/// Kills the program at a moment that moves through its whole run, again and again.
fn kill_at_any_moment(args: &[&str], before: impl Fn(&Repo)) {
    let template = repo();
    before(&template);
    // The quickest of three: a slow one would put most kills behind the end.
    let probes = (0..3).map(|_| {
        let probe = template.copy();
        let started = Instant::now();
        assert!(start(&probe, args).wait().unwrap().success());
        started.elapsed()
    });
    let whole = probes.min().unwrap() + Duration::from_millis(3);
    let (mut cut_short, mut mended) = (0, 0);
    for n in 0..kills() {
        let repo = template.copy();
        let left_by_git = FILES.map(|f| (f, repo.read(f))).into_iter().collect();
        let mut child = start(&repo, args);
        std::thread::sleep(whole * n / kills());
        cut_short += u32::from(child.try_wait().unwrap().is_none());
        child.kill().unwrap();
        child.wait().unwrap();
        let opened = armistice(&repo.top, &["docket", "--json"]);
        let said = String::from_utf8_lossy(&opened.stderr);
        mended += u32::from(said.contains("cut short"));
        let at = format!("after a kill at {n}/{} of {args:?}: {opened:?}", kills());
        assert!(opened.status.code().is_some_and(|code| code < 2), "{at}");
        assert_whole(&repo, &left_by_git, &at);
        // And the work goes on from there.
        let unmerged = repo.unmerged();
        let rest = FILES
            .iter()
            .filter(|f| unmerged.contains(&format!("\t{f}\n")));
        let rest: Vec<&str> = ["settle", "--overwrite", "--by", "ours"]
            .into_iter()
            .chain(rest.copied())
            .collect();
        if rest.len() > 4 {
            let done = armistice(&repo.top, &rest);
            assert!(done.status.success(), "{done:?} {at}");
        }
        assert_eq!(repo.unmerged(), "", "{at}");
    }
    println!(
        "{} kills, {cut_short} before the end, {mended} left something to mend",
        kills()
    );
    assert!(
        cut_short > kills() / 3,
        "only {cut_short} runs were cut short"
    );
}

#[test]
fn settling_six_files_by_lines() {
    let args = [&["settle", "--by", "ours"], &FILES[..]].concat();
    kill_at_any_moment(&args, |_| {});
}

#[test]
fn settling_files_that_were_settled_before() {
    let args = [&["settle", "--by", "ours", "--overwrite"], &FILES[..]].concat();
    kill_at_any_moment(&args, |repo| {
        let theirs = [&["settle", "--by", "theirs"], &FILES[..]].concat();
        assert!(armistice(&repo.top, &theirs).status.success());
        // Put back into conflict by hand: there is an earlier record of each.
        repo.git(&[&["checkout", "-q", "-m", "--"], &FILES[..]].concat());
    });
}

/// Kills the program in a terminal some milliseconds after a key.
fn kill_after_a_key(key: &str, prepare: impl Fn(&Repo), bring: impl Fn(&Tmux)) {
    let template = repo();
    prepare(&template);
    let left_by_git = |repo: &Repo| FILES.map(|f| (f, repo.read(f))).into_iter().collect();
    let unmerged_text: BTreeMap<&str, String> = left_by_git(&repo());
    for n in 0..kills().div_ceil(2) {
        let repo = template.copy();
        let t = Tmux::start(&repo.top, (100, 30), "", &[]);
        t.wait("6 files");
        bring(&t);
        let pid = t.pid();
        t.keys(key);
        std::thread::sleep(Duration::from_millis(2) * n);
        let killed = Command::new("kill").args(["-KILL", &pid]).status().unwrap();
        assert!(killed.success());
        t.wait("EXIT 137");
        let opened = armistice(&repo.top, &["docket"]);
        let at = format!("after a kill {} ms after {key}: {opened:?}", 2 * n);
        assert!(opened.status.code().is_some_and(|code| code < 2), "{at}");
        assert_whole(&repo, &unmerged_text, &at);
    }
}

#[test]
fn writing_a_file_on_the_screen() {
    kill_after_a_key(
        "w",
        |_| {},
        |t| {
            t.wait("6 open");
            t.keys("Enter t").wait("0 open · 1 settled");
        },
    );
}

#[test]
fn taking_a_whole_file_on_the_screen() {
    kill_after_a_key(
        "Enter",
        |_| {},
        |t| {
            t.wait("6 open");
            t.keys("t").wait("take the whole file from theirs");
        },
    );
}

/// Kills the program in a terminal at a moment that `drive` leads up to, and gives what the terminal
/// showed last.
fn shown_last(repo: &Repo, drive: impl Fn(&Tmux)) -> String {
    let t = Tmux::start(&repo.top, (100, 30), "", &[]);
    t.wait("6 open");
    let pid = t.pid();
    drive(&t);
    let killed = Command::new("kill").args(["-KILL", &pid]).status().unwrap();
    assert!(killed.success());
    t.wait("EXIT 137")
}

#[test]
fn typing() {
    let template = repo();
    let left_by_git = FILES.map(|f| (f, template.read(f))).into_iter().collect();
    let mut kept_more = 0;
    for n in 0..kills().div_ceil(2) {
        let repo = template.copy();
        let (first, second) = (format!("first {n}"), format!("second {n}"));
        let last = shown_last(&repo, |t| {
            t.keys("Enter").wait("conflict 1 of 1");
            t.keys("e").wait("editing the draft");
            t.type_text(&first)
                .keys("Escape")
                .wait("0 open · 1 settled");
            t.keys("e").wait("editing the draft");
            let typed: String = second.chars().take(n as usize % 12).collect();
            t.type_text(&typed);
            match n % 12 {
                // Once in a while the kill comes only when the screen has confirmed the edit.
                9 => drop(
                    t.keys("Escape")
                        .wait_until("the draft", |screen| !screen.contains("editing the draft")),
                ),
                0 | 3 | 6 => drop(t.keys("Escape")),
                _ => {}
            }
            std::thread::sleep(Duration::from_millis(u64::from(n % 10)));
        });
        let at = format!("killed in round {n} at:\n{last}");
        // A file that was half made in the store goes when the program is opened again.
        let opened = armistice(&repo.top, &["docket"]);
        assert!(opened.status.code().is_some_and(|code| code < 2), "{at}");
        assert_whole(&repo, &left_by_git, &at);
        let t = Tmux::start(&repo.top, (100, 30), "", &[]);
        let again = t.wait("settled by hand");
        assert!(again.contains(&first), "{at}\nthen:\n{again}");
        // What the screen had shown as kept is there letter for letter; what was being typed is
        // offered in the editor.
        let draft = |screen: &str| {
            let line = screen.lines().find(|l| l.contains("✎   2   "))?;
            Some(line.trim().to_owned())
        };
        if let Some(kept) = draft(&last) {
            let there = draft(&again).unwrap_or_default();
            // An edit is on the disk before it is on the screen: more may be there, never less.
            let typed: String = second.chars().take(n as usize % 12).collect();
            let more = there.contains(&format!("{typed}{first}"));
            assert!(kept == there || more, "{kept} {there} {at}\nthen:\n{again}");
            kept_more += u32::from(kept.contains("secon"));
        }
    }
    assert!(kept_more > 0, "no second edit was ever kept");
}

#[test]
fn settling_all_that_is_likely_over_six_files() {
    let template = repo();
    template.git(&["merge", "--abort"]);
    // Both sides lengthened the same call, each in another place.
    let texts = |call: &str| format!("fn main() {{\n    {call};\n}}\n");
    let versions = ["moor(berth, 1)", "moor(berth, 1, ours)", "moor(quay, 1)"].map(texts);
    template.git(&["checkout", "-q", "-b", "base-of-l"]);
    let write = |n: usize| {
        for file in FILES {
            template.write(file, &versions[n]);
        }
        template.commit("versions");
    };
    write(0);
    template.git(&["checkout", "-q", "-b", "side-of-l"]);
    write(2);
    template.git(&["checkout", "-q", "base-of-l"]);
    write(1);
    template.try_git(&["merge", "-q", "side-of-l"]);
    let left_by_git = FILES.map(|f| (f, template.read(f))).into_iter().collect();
    let (rounds, mut shown, mut whole) = (kills().div_ceil(2), 0, Duration::ZERO);
    for n in 0..rounds {
        let repo = template.copy();
        // The first round lets it end, and tells how long that takes on this machine.
        let taken = std::cell::Cell::new(whole);
        let last = shown_last(&repo, |t| {
            t.keys("L").wait("likely");
            let started = Instant::now();
            t.keys("Enter");
            match n {
                0 => drop(t.wait("0 open")),
                _ => std::thread::sleep(whole * n / rounds),
            }
            taken.set(started.elapsed());
        });
        if n == 0 {
            whole = taken.get();
        }
        let at = format!("killed in round {n} at:\n{last}");
        // A file that was half made in the store goes when the program is opened again.
        let opened = armistice(&repo.top, &["docket"]);
        assert!(opened.status.code().is_some_and(|code| code < 2), "{at}");
        assert_whole(&repo, &left_by_git, &at);
        let t = Tmux::start(&repo.top, (100, 30), "", &[]);
        t.wait("6 conflicts");
        let settled = last.contains("0 open");
        shown += u32::from(settled);
        if settled {
            t.wait("0 open");
        }
        // Whether all or some: the files open, and the rest is settled by the same key.
        let all = t.wait_until("the counts", |s| s.contains(" open"));
        if !all.contains("0 open") {
            t.keys("L").wait("likely");
            t.keys("Enter").wait("0 open");
        }
    }
    assert!(shown > 0, "L was never seen to have settled");
}

#[test]
fn taking_a_finished_file_back_on_the_screen() {
    let staged = |repo: &Repo| {
        let all = [&["settle", "--by", "ours"], &FILES[..]].concat();
        assert!(armistice(&repo.top, &all).status.success());
    };
    kill_after_a_key("u", staged, |t| {
        t.wait("6 finished");
    });
}

#[test]
fn concluding_a_merge() {
    let template = repo();
    let all = [&["settle", "--by", "ours"], &FILES[..]].concat();
    assert!(armistice(&template.top, &all).status.success());
    let started = Instant::now();
    assert!(
        start(&template.copy(), &["conclude"])
            .wait()
            .unwrap()
            .success()
    );
    let whole = started.elapsed();
    for n in 0..kills() {
        let repo = template.copy();
        let before = repo.git(&["rev-parse", "HEAD"]);
        let mut child = start(&repo, &["conclude"]);
        std::thread::sleep(whole * n / kills());
        child.kill().unwrap();
        child.wait().unwrap();
        // git goes on without the program, and ends what it had begun or not.
        let at = format!("after a kill at {n}/{}", kills());
        let started = Instant::now();
        while repo.path(".git/MERGE_HEAD").exists() && started.elapsed() < whole {
            std::thread::sleep(Duration::from_millis(5));
        }
        if repo.path(".git/MERGE_HEAD").exists() {
            assert_eq!(repo.git(&["rev-parse", "HEAD"]), before, "{at}");
            let again = armistice(&repo.top, &["conclude"]);
            assert!(again.status.success(), "{again:?} {at}");
        }
        let parents = repo.git(&["show", "-s", "--format=%p", "HEAD"]);
        assert_eq!(parents.split_whitespace().count(), 2, "{at}");
        // Opening removes what a write that was cut short had left in the store.
        assert!(armistice(&repo.top, &["docket"]).status.success(), "{at}");
        assert_whole(&repo, &BTreeMap::new(), &at);
        assert_eq!(repo.git(&["status", "--porcelain"]), "", "{at}");
    }
}

#[test]
fn concluding_the_steps_of_a_rebase() {
    let template = Repo::new();
    template.git(&["config", "maintenance.auto", "false"]);
    template.diverge("a.txt", "one\n", "ours\n", "theirs\n");
    template.git(&["checkout", "-q", "side"]);
    template.write("a.txt", "theirs again\n");
    template.commit("theirs again");
    template.try_git(&["rebase", "-q", "main"]);
    let settle = ["settle", "--overwrite", "--by", "theirs", "a.txt"];
    assert!(armistice(&template.top, &settle).status.success());
    let is_under_way = |repo: &Repo| repo.path(".git/rebase-merge").exists();
    let started = Instant::now();
    start(&template.copy(), &["conclude"]).wait().unwrap();
    let whole = started.elapsed();
    for n in 0..kills() {
        let repo = template.copy();
        let mut child = start(&repo, &["conclude"]);
        std::thread::sleep(whole * n / kills());
        child.kill().unwrap();
        child.wait().unwrap();
        let at = format!("after a kill at {n}/{}", kills());
        // git goes on without the program; then the work goes on from wherever it stands.
        std::thread::sleep(whole * 2);
        wait_for_git(&repo);
        for _ in 0..4 {
            if !is_under_way(&repo) {
                break;
            }
            if !repo.unmerged().is_empty() {
                let settled = armistice(&repo.top, &settle);
                assert!(settled.status.success(), "{settled:?} {at}");
            }
            let concluded = armistice(&repo.top, &["conclude"]);
            assert!(concluded.status.code() < Some(2), "{concluded:?} {at}");
        }
        assert!(!is_under_way(&repo), "{at}");
        assert_eq!(repo.read("a.txt"), "theirs again\n", "{at}");
        let log = repo.git(&["log", "--format=%s", "main..side"]);
        assert_eq!(log, "theirs again\ntheirs\n", "{at}");
        assert_eq!(repo.git(&["status", "--porcelain"]), "", "{at}");
        repo.git(&["fsck", "--strict"]);
        // What a kill left behind while the record was kept is swept with the next command.
        assert!(armistice(&repo.top, &["docket"]).status.success(), "{at}");
        let mut files = Vec::new();
        walk(&repo.top, &mut files);
        let left = files
            .iter()
            .filter(|f| f.to_string_lossy().contains(".armistice-"));
        assert_eq!(left.count(), 0, "{at}");
    }
}

/// What index and work tree have at the paths of one case.
fn state_of(repo: &Repo, paths: &[&str]) -> String {
    let index = repo.git(&[&["ls-files", "-s", "--"], paths].concat());
    let files = paths.iter().map(|path| {
        let file = repo.path(path);
        let meta = std::fs::symlink_metadata(&file);
        match meta {
            Ok(meta) if meta.is_symlink() => format!("{path} -> {:?}\n", std::fs::read_link(&file)),
            Ok(meta) if meta.is_file() => format!("{path}: {}\n", repo.read(path)),
            _ => format!("{path}: no file\n"),
        }
    });
    index + &files.collect::<String>()
}

/// A case of several paths is settled whole or not at all, whenever the program is killed.
#[test]
fn settling_cases_of_several_paths() {
    const CASES: [(&str, &[&str]); 4] = [
        (
            "signals~HEAD",
            &[
                "signals",
                "signals~HEAD",
                "signals/gate.md",
                "signals/mole.md",
            ],
        ),
        ("tariff~HEAD", &["tariff", "tariff~HEAD"]),
        (
            "plans/inner-basin.md",
            &[
                "plans/basin.md",
                "plans/inner-basin.md",
                "plans/new-basin.md",
            ],
        ),
        (
            "quayside/hoists.rs",
            &["quayside/hoists.rs", "yard/hoists.rs"],
        ),
    ];
    let template = Repo::demo("moves");
    template.git(&["config", "maintenance.auto", "false"]);
    let names = CASES.map(|(name, _)| name);
    let settle = [&["settle", "--by", "ours"], &names[..]].concat();
    let states = |repo: &Repo| CASES.map(|(_, paths)| state_of(repo, paths));
    let (before, probe) = (states(&template), template.copy());
    let started = Instant::now();
    assert!(start(&probe, &settle).wait().unwrap().success());
    let whole = started.elapsed() + Duration::from_millis(3);
    let after = states(&probe);
    let mut mended = 0;
    for n in 0..kills() {
        let repo = template.copy();
        let mut child = start(&repo, &settle);
        std::thread::sleep(whole * n / kills());
        child.kill().unwrap();
        child.wait().unwrap();
        wait_for_git(&repo);
        let opened = armistice(&repo.top, &["docket"]);
        let said = String::from_utf8_lossy(&opened.stderr);
        mended += u32::from(said.contains("cut short"));
        let now = states(&repo);
        for (nth, (name, _)) in CASES.iter().enumerate() {
            assert!(
                now[nth] == before[nth] || now[nth] == after[nth],
                "{name} is half settled after a kill at {n}/{}: {opened:?}\n{}",
                kills(),
                now[nth]
            );
        }
        let rest = (0..CASES.len()).filter(|nth| now[*nth] != after[*nth]);
        let rest: Vec<&str> = rest.map(|nth| CASES[nth].0).collect();
        if !rest.is_empty() {
            let args = [&["settle", "--by", "ours"], &rest[..]].concat();
            let done = armistice(&repo.top, &args);
            assert!(done.status.success(), "{done:?}");
        }
        assert_eq!(states(&repo), after, "after a kill at {n}/{}", kills());
    }
    println!("{} kills, {mended} left something to mend", kills());
}
