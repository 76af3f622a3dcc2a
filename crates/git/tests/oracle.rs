//! What git settles cleanly, we settle to the same bytes.
//!
//! Where a folder of the corpus holds `why.md`, hunks may honestly be placed
//! otherwise; then we may leave open what git settled, never settle it otherwise.

use armistice_core::{
    AutoSettle, Draft, Markers, Options, Plan, RuleContext, Session, Source, Version, plan,
    propose_all, render_with_markers,
};
use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::Arc;

fn corpus() -> Vec<PathBuf> {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../corpus");
    let mut folders: Vec<_> = fs::read_dir(root)
        .unwrap()
        .map(|f| f.unwrap().path())
        .collect();
    folders.sort();
    folders
}

/// What git makes of a folder, if it settles it cleanly.
fn by_git(folder: &Path) -> Option<Vec<u8>> {
    let output = Command::new("git")
        .current_dir(folder)
        .env("GIT_CONFIG_GLOBAL", "/dev/null")
        .env("GIT_CONFIG_NOSYSTEM", "1")
        .args(["merge-file", "-p", "--diff3", "ours", "base", "theirs"])
        .output()
        .unwrap();
    assert_ne!(output.status.code(), Some(255), "{folder:?}");
    output.status.success().then_some(output.stdout)
}

fn plan_of(folder: &Path) -> Plan {
    let read = |name| Source::new(fs::read(folder.join(name)).unwrap());
    plan(
        &read("base"),
        &read("ours"),
        &read("theirs"),
        &Options::default(),
    )
}

fn by_us(folder: &Path) -> (usize, Vec<u8>) {
    let plan = plan_of(folder);
    let draft = Draft::new(Arc::new(plan));
    (
        draft.counts().open,
        render_with_markers(&draft, &Markers::default()),
    )
}

/// Panics unless we agree with git; says whether git settled it.
fn agree(folder: &Path) -> bool {
    let Some(expected) = by_git(folder) else {
        return false;
    };
    let (open, bytes) = by_us(folder);
    let excused = folder.join("why.md").exists();
    if open == 0 || !excused {
        assert_eq!(open, 0, "we left open what git settled: {folder:?}");
        assert!(bytes == expected, "other bytes than git's: {folder:?}");
    }
    true
}

#[test]
fn the_corpus_agrees_with_git() {
    let folders = corpus();
    assert!(folders.len() >= 25, "{}", folders.len());
    let clean = folders.iter().filter(|f| agree(f)).count();
    assert!(clean >= 10, "{clean} folders are settled by git");
}

#[test]
fn an_excuse_is_kept_only_where_it_is_needed() {
    for folder in corpus().iter().filter(|f| f.join("why.md").exists()) {
        let git = by_git(folder).expect("git settles it");
        let (open, bytes) = by_us(folder);
        assert!(
            open > 0 || bytes != git,
            "{folder:?} agrees with git; remove its why.md"
        );
    }
}

/// A small generator, so that every run sees the same texts.
struct Numbers(u64);

impl Numbers {
    fn below(&mut self, n: usize) -> usize {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0 % n as u64) as usize
    }
}

fn edited(base: &[String], edits: usize, numbers: &mut Numbers) -> String {
    let mut lines = base.to_vec();
    for n in 0..edits {
        let at = numbers.below(lines.len());
        match numbers.below(4) {
            0 => lines.insert(
                at,
                format!("    let extra_{n} = tide({});\n", numbers.below(900)),
            ),
            1 => drop(lines.remove(at)),
            _ => lines[at] = lines[at].replace('\n', &format!(" // note {}\n", numbers.below(900))),
        }
    }
    lines.concat()
}

#[test]
fn ordinary_text_agrees_with_git() {
    let words = ["tide", "berth", "quay", "pilot", "crane", "}", "", "return"];
    let folder = tempfile::tempdir().unwrap();
    let mut clean = 0;
    for seed in 1..=150 {
        let mut numbers = Numbers(seed * 7919);
        let base: Vec<_> = (0..120)
            .map(|i| match words[numbers.below(words.len())] {
                word @ ("}" | "") => format!("{word}\n"),
                word => format!("{}{word} {}\n", "    ".repeat(numbers.below(3)), i % 40),
            })
            .collect();
        let edits = 1 + numbers.below(9);
        let (ours, theirs) = (
            edited(&base, edits, &mut numbers),
            edited(&base, edits, &mut numbers),
        );
        for (name, text) in [("base", base.concat()), ("ours", ours), ("theirs", theirs)] {
            fs::write(folder.path().join(name), text).unwrap();
        }
        clean += usize::from(agree(folder.path()));
    }
    assert!(clean > 30, "git settled {clean} of 150");
}

/// All of one side, everywhere, is what git makes of it too.
#[test]
fn taking_one_side_everywhere_agrees_with_git() {
    for folder in corpus().iter().filter(|f| !f.join("why.md").exists()) {
        for (flag, version) in [("--ours", Version::Ours), ("--theirs", Version::Theirs)] {
            let output = Command::new("git")
                .current_dir(folder)
                .args(["merge-file", "-p", flag, "ours", "base", "theirs"])
                .output()
                .unwrap();
            let read = |name| Source::new(fs::read(folder.join(name)).unwrap());
            let plan = Arc::new(plan(
                &read("base"),
                &read("ours"),
                &read("theirs"),
                &Options::default(),
            ));
            let draft = Draft::new(plan.clone());
            let mut bytes = Vec::new();
            for (id, region) in plan.ids() {
                match draft.is_open(id) {
                    true => bytes.extend_from_slice(
                        plan.versions().get(version).slice(region.lines(version)),
                    ),
                    false => {
                        let lines = draft.lines_of(id).iter().filter_map(|at| draft.line(at));
                        bytes.extend(lines.flat_map(|l| l.line.bytes().to_vec()));
                    }
                }
            }
            assert!(bytes == output.stdout, "{flag} {folder:?}");
        }
    }
}

/// What rules settle in a folder, and how much they leave open.
fn by_rule(folder: &Path, settle: AutoSettle) -> (usize, Vec<u8>) {
    let plan = plan_of(folder);
    let name = fs::read_to_string(folder.join("name")).unwrap_or_default();
    let context = RuleContext {
        path: name.trim().to_owned(),
        ..RuleContext::default()
    };
    let rulings = settle.pick(&propose_all(&plan, &context));
    let session = Session::with_rulings(Arc::new(plan), rulings);
    let draft = session.draft();
    (
        draft.counts().open,
        render_with_markers(draft, &Markers::default()),
    )
}

#[test]
fn what_git_settles_no_rule_touches() {
    for folder in corpus() {
        if let (Some(expected), false) = (by_git(&folder), folder.join("why.md").exists()) {
            assert_eq!(
                by_rule(&folder, AutoSettle::Likely),
                (0, expected),
                "{folder:?}"
            );
        }
    }
}

#[test]
fn rules_settle_the_corpus_as_it_says() {
    let mut met = 0;
    for folder in corpus() {
        for (level, settle) in [
            ("certain", AutoSettle::Certain),
            ("likely", AutoSettle::Likely),
        ] {
            let file = folder.join(level);
            if !file.exists() {
                continue;
            }
            met += 1;
            let (_, bytes) = by_rule(&folder, settle);
            if std::env::var_os("CORPUS_WRITE").is_some() {
                fs::write(&file, &bytes).unwrap();
            }
            let expected = fs::read(&file).unwrap();
            let text = String::from_utf8_lossy(&bytes);
            assert!(bytes == expected, "{folder:?} by what is {level}:\n{text}");
        }
    }
    assert!(met >= 6, "the corpus says what rules give in {met} places");
}
