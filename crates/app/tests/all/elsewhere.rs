//! Another window that changes the repository between any two keys or commands: whatever comes of
//! it, nothing that was written elsewhere is lost, no marker is committed, no merge gets the message
//! of another.
//!
//! `ARMISTICE_STORM=5000 cargo test elsewhere` makes it longer.

use crate::kit::{Desk, Dice, Repo};
use armistice::state::overlay::Overlay;
use std::collections::BTreeMap;

const FILES: [&str; 3] = ["a.txt", "b.txt", "c d.txt"];

/// Two branches that conflict with `main` in every file, one of them merged.
fn repo() -> Repo {
    let repo = Repo::new();
    let write = |text: &str| {
        for file in FILES {
            repo.write(file, format!("{file}\n{text}\nend\nmore\n{text}\nlast\n"));
        }
        repo.commit(text);
    };
    repo.git(&["config", "maintenance.auto", "false"]);
    write("base");
    for side in ["side", "third"] {
        repo.git(&["checkout", "-q", "-b", side, "main"]);
        write(side);
    }
    repo.git(&["checkout", "-q", "main"]);
    write("ours");
    repo.try_git(&["merge", "-q", "side"]);
    repo
}

/// What somebody does in another window; git may refuse.
fn elsewhere(repo: &Repo, dice: &mut Dice, n: usize) -> String {
    let file = dice.one_of(&FILES);
    let marked = "a\n<<<<<<< ours\nx\n=======\ny\n>>>>>>> side\n";
    let token = format!("elsewhere {n}\n");
    let does: &[&[&str]] = match dice.roll(18) {
        0 => &[&["merge", "--abort"]],
        1 => &[&["commit", "-q", "--no-edit"]],
        2 => &[&["commit", "-q", "-a", "-m", "elsewhere"]],
        3 => &[&["merge", "--abort"], &["merge", "-q", "third"]],
        4 => &[&["merge", "-q", "side"]],
        5 => &[&["branch", "-q", "-D", "side"]],
        6 => &[&["reset", "-q", "--hard", "HEAD"]],
        7 => &[&["checkout", "-q", "-m", "--", file]],
        8 => &[&["rm", "-q", "--cached", "--", file]],
        9 => &[&["reset", "-q", "HEAD~1"]],
        10 => {
            repo.write(file, marked);
            &[&["add", "--", file]]
        }
        11 => {
            let _ = std::fs::remove_file(repo.path(file));
            &[]
        }
        12 | 13 => {
            repo.write(file, token);
            &[&["add", "--", file]]
        }
        14 => {
            repo.write("stray.txt", token);
            &[&["add", "stray.txt"]]
        }
        15 | 16 => {
            repo.write(file, token);
            &[]
        }
        _ => &[],
    };
    let ran = does.iter().map(|args| {
        let done = repo.try_git(args);
        format!("git {} -> {:?}; ", args.join(" "), done.status.code())
    });
    format!("{file} {}", ran.collect::<String>())
}

/// What somebody else would not forgive to be changed.
struct Before {
    head: String,
    merging: Option<String>,
    /// Working files and staged ones with text from elsewhere.
    files: BTreeMap<&'static str, String>,
    staged: BTreeMap<&'static str, String>,
}

fn is_from_elsewhere(text: &str) -> bool {
    text.starts_with("elsewhere")
}

fn staged(repo: &Repo, file: &str) -> String {
    let shown = repo.try_git(&["show", &format!(":0:{file}")]);
    String::from_utf8_lossy(&shown.stdout).into_owned()
}

impl Before {
    fn new(repo: &Repo) -> Self {
        let on_disk = |file: &str| {
            let bytes = std::fs::read(repo.path(file)).unwrap_or_default();
            String::from_utf8_lossy(&bytes).into_owned()
        };
        let merging = std::fs::read_to_string(repo.path(".git/MERGE_HEAD")).ok();
        let all = |read: &dyn Fn(&str) -> String| {
            let all = FILES.into_iter().map(|file| (file, read(file)));
            all.filter(|(_, text)| is_from_elsewhere(text)).collect()
        };
        Before {
            head: repo.git(&["rev-parse", "HEAD"]),
            merging: merging.map(|text| text.trim().to_owned()),
            files: all(&on_disk),
            staged: all(&|file| staged(repo, file)),
        }
    }

    /// What must hold after Armistice has done something.
    fn check(&self, repo: &Repo, at: &str) {
        for (file, text) in &self.files {
            let now = std::fs::read(repo.path(file)).unwrap_or_default();
            assert_eq!(String::from_utf8_lossy(&now), *text, "{file} on disk {at}");
        }
        for (file, text) in &self.staged {
            assert_eq!(staged(repo, file), *text, "{file} in the index {at}");
        }
        let head = repo.git(&["rev-parse", "HEAD"]);
        if head != self.head {
            let parents = repo.git(&["show", "-s", "--format=%P", "HEAD"]);
            let merged = self.merging.clone().unwrap_or_default();
            let expected = format!("{} {merged}", self.head.trim());
            assert_eq!(parents.trim(), expected, "{at}");
            let subject = repo.git(&["show", "-s", "--format=%s", "HEAD"]);
            let merged = repo.git(&["show", "-s", "--format=%s", &merged]);
            assert!(
                subject.contains(merged.trim()),
                "{subject} of {merged} {at}"
            );
            for file in FILES {
                let text = repo.try_git(&["show", &format!("HEAD:{file}")]).stdout;
                let text = String::from_utf8_lossy(&text).into_owned();
                assert!(
                    !text.contains("<<<<<<<"),
                    "{file} committed with markers {at}"
                );
            }
        }
        let names = std::fs::read_dir(&repo.top).unwrap();
        let names = names.map(|f| f.unwrap().file_name().to_string_lossy().into_owned());
        let left: Vec<String> = names.filter(|n| n.starts_with(".armistice")).collect();
        assert!(left.is_empty(), "{left:?} {at}");
        assert!(!repo.path(".git/index.lock").exists(), "{at}");
    }
}

fn rounds(few: usize) -> usize {
    std::env::var("ARMISTICE_STORM").map_or(few, |n| n.parse().unwrap())
}

/// The way to the end, which is gone most of the time.
const WAY: &str = "2 enter n o n t w n o n o w n t n t w 6 c c 2 u 6 c B";
const KEYS: &str = "2 3 5 6 enter o t b o t w w w W W B space O T a K f c c u u U B s n p esc ctrl-r x X i I L down up";

#[test]
fn between_any_two_keys() {
    let template = repo();
    let keys: Vec<&str> = KEYS.split_whitespace().collect();
    let mut dice = Dice(20_261_126);
    let (mut written, mut concluded) = (0, 0);
    let mut done = 0;
    while done < rounds(240) {
        let repo = template.copy();
        let mut desk = Desk::ruled(&repo.top, (100, 30));
        let mut story = Vec::new();
        let mut way = WAY.split_whitespace();
        for _ in 0..40 {
            // Often something is done here for a while, sometimes there.
            if dice.roll(8) == 0 {
                story.push(elsewhere(&repo, &mut dice, done));
            }
            let asked = matches!(desk.state.overlay, Some(Overlay::Question(_)));
            // A question is answered by no: a yes may lose what it says.
            let key = match dice.roll(6) {
                _ if asked => "esc",
                0 => dice.one_of(&keys),
                _ => way.next().unwrap_or("esc"),
            };
            let before = Before::new(&repo);
            desk.press(key);
            story.push(format!("{key}: {}", desk.message()));
            before.check(&repo, &format!("after\n{}", story.join("\n")));
            written += usize::from(desk.message().contains("wrote and staged"));
            concluded += usize::from(repo.git(&["rev-parse", "HEAD"]) != before.head);
            done += 1;
        }
        repo.git(&["fsck", "--strict"]);
    }
    println!("{done} keys, {written} files written, {concluded} merges concluded");
    assert!(written > 0, "no file was ever written");
}

#[test]
fn between_any_two_commands() {
    let template = repo();
    let mut dice = Dice(20_261_127);
    let (mut settled, mut concluded) = (0, 0);
    let mut done = 0;
    while done < rounds(60) {
        let repo = template.copy();
        let mut story = Vec::new();
        for _ in 0..15 {
            if dice.roll(4) == 0 {
                story.push(elsewhere(&repo, &mut dice, done));
            }
            let file = dice.one_of(&FILES);
            let args: Vec<&str> = match dice.roll(6) {
                0 => vec!["settle", "--by", "ours", file],
                1 => [&["settle", "--by", "theirs"], &FILES[..]].concat(),
                2 => vec!["settle", "--by", "base", "--conflict", "1", file],
                3 => vec!["conclude"],
                4 => vec!["proof"],
                _ => vec!["docket", "--json"],
            };
            let before = Before::new(&repo);
            let (code, said) = repo.output(&args);
            let short: String = said.chars().take(300).collect();
            story.push(format!("{args:?}: {code} {short}"));
            let at = format!("after\n{}", story.join("\n"));
            assert!((0..=2).contains(&code), "{at}");
            before.check(&repo, &at);
            settled += usize::from(args[0] == "settle" && code == 0);
            concluded += usize::from(repo.git(&["rev-parse", "HEAD"]) != before.head);
            done += 1;
        }
        repo.git(&["fsck", "--strict"]);
    }
    println!("{done} commands, {settled} settled, {concluded} concluded");
    assert!(settled > 0, "no file was ever settled");
}
