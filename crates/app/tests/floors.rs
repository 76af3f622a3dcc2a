//! The floors of the house: which folder of a crate may use which other.
//!
//! A folder is a floor and uses only the floors above it in its list; no two
//! files use each other in a circle. Every `use`, `super::` and `crate::` path
//! outside of tests is looked at. `lib.rs` and `main.rs` stand outside: they
//! declare what there is, and what they hand on is for other crates only.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::fs;
use std::path::{Path, PathBuf};

/// The floors of each crate, uppermost first: each may use itself and those before it.
const HOUSE: &[(&str, &[&str])] = &[
    (
        "core",
        &[
            "limits", "text", "model", "diff", "outline", "merge", "plan", "decide", "witness",
            "rules", "draft", "verify", "tree", "record",
        ],
    ),
    (
        "syntax",
        &[
            "language",
            "comments",
            "kinds",
            "node_kinds",
            "names",
            "trees",
            "facts",
            "shades",
            "outline",
            "scopes",
            "order",
            "proving",
        ],
    ),
    (
        "git",
        &[
            "path",
            "parallel",
            "process",
            "file",
            "repo",
            "case",
            "store",
            "worktree",
            "situation",
            "scout",
            "review",
            "loose",
        ],
    ),
    (
        "draw",
        &[
            "font", "scene", "svg_file", "pdf_file", "moves", "history", "record",
        ],
    ),
    (
        "app",
        &[
            "base", "case", "state", "view", "update", "render", "run", "commands",
        ],
    ),
];

/// Files that belong to no floor.
const ROOTS: [&str; 2] = ["lib.rs", "main.rs"];

#[test]
fn nothing_points_up_and_nothing_runs_in_a_circle() {
    let crates = Path::new(env!("CARGO_MANIFEST_DIR")).join("..");
    let mut faults = String::new();
    for (name, floors) in HOUSE {
        let files = read(&crates.join(name).join("src"));
        assert!(files.len() >= floors.len(), "{name}: no files were read");
        for floor in *floors {
            let here = |file: &String| file.split(['/', '.']).next() == Some(floor);
            assert!(
                files.keys().any(here),
                "{name}: no floor '{floor}' is there"
            );
        }
        for fault in faults_of(&files, floors) {
            let _ = writeln!(faults, "{name}: {fault}");
        }
    }
    assert!(faults.is_empty(), "\n{faults}");
}

/// The files below a folder, by their path from it.
fn read(top: &Path) -> BTreeMap<String, String> {
    let mut files = BTreeMap::new();
    let mut folders = vec![PathBuf::new()];
    while let Some(folder) = folders.pop() {
        let entries = fs::read_dir(top.join(&folder)).expect("the sources can be read");
        for entry in entries.flatten() {
            let path = folder.join(entry.file_name());
            if entry.path().is_dir() {
                folders.push(path);
            } else if path.extension().is_some_and(|end| end == "rs") {
                let text = fs::read_to_string(entry.path()).expect("sources are text");
                files.insert(path.to_string_lossy().into_owned(), text);
            }
        }
    }
    files
}

/// All that is wrong with the files of a crate.
fn faults_of(files: &BTreeMap<String, String>, floors: &[&str]) -> Vec<String> {
    let modules: BTreeMap<Vec<&str>, &str> = files
        .keys()
        .map(|file| (module_of(file), file.as_str()))
        .collect();
    let mut faults = Vec::new();
    let mut arrows: BTreeMap<&str, BTreeSet<&str>> = BTreeMap::new();
    for (file, text) in files {
        if ROOTS.contains(&file.as_str()) || file.ends_with("tests.rs") {
            continue;
        }
        let module = module_of(file);
        let Some(floor) = floors.iter().position(|f| *f == module[0]) else {
            faults.push(format!("{file} stands on no floor of the table"));
            continue;
        };
        for path in paths(text, &module) {
            let Some(target) = target(&path, &modules) else {
                faults.push(format!(
                    "{file} takes crate::{} from the root",
                    path.join("::")
                ));
                continue;
            };
            let above = floors.iter().position(|f| *f == module_of(target)[0]);
            match above {
                _ if target == file => {}
                Some(above) if above <= floor => {
                    arrows.entry(file).or_default().insert(target);
                }
                Some(_) => faults.push(format!("{file} points up to {target}")),
                None => faults.push(format!("{file} uses {target}, which stands on no floor")),
            }
        }
    }
    faults.extend(circles(&arrows));
    faults
}

/// `rules/engine.rs` is `["rules", "engine"]`.
fn module_of(file: &str) -> Vec<&str> {
    let path = file.strip_suffix(".rs").unwrap_or(file);
    path.split('/').collect()
}

/// The file that a path from the root leads into; `None` if its first name is none of the modules.
fn target<'a>(path: &[String], modules: &BTreeMap<Vec<&str>, &'a str>) -> Option<&'a str> {
    let names: Vec<&str> = path.iter().map(String::as_str).collect();
    (1..=names.len())
        .rev()
        .find_map(|n| modules.get(&names[..n]).copied())
}

/// All paths into its own crate that a file uses outside of tests, from the root on.
fn paths(text: &str, module: &[&str]) -> Vec<Vec<String>> {
    let words = words(text);
    let mut out = Vec::new();
    // Inline modules that are open, each with the depth of braces at which it ends.
    let mut inline: Vec<(String, usize)> = Vec::new();
    let (mut depth, mut at) = (0usize, 0);
    while at < words.len() {
        let word = words[at].as_str();
        let next = |n: usize| words.get(at + n).map_or("", String::as_str);
        if word == "#"
            && words[at..]
                .iter()
                .take(7)
                .eq(&["#", "[", "cfg", "(", "test", ")", "]"])
        {
            at = skip_item(&words, at + 7);
            continue;
        }
        match word {
            "mod" if next(2) == "{" => inline.push((next(1).to_owned(), depth)),
            "{" => depth += 1,
            "}" => {
                depth = depth.saturating_sub(1);
                inline.retain(|(_, from)| *from < depth);
            }
            _ => {}
        }
        let is_use = word == "use";
        let starts = matches!(word, "crate" | "super" | "self") && next(1) == "::";
        let inside =
            at > 0 && matches!(words[at - 1].as_str(), "::" | "." | "(") && words[at - 1] == "::";
        if is_use || (starts && !inside) {
            let from = at + usize::from(is_use);
            let mut tree = Vec::new();
            let end = expand(&words, from, Vec::new(), &mut tree);
            let home: Vec<String> = module.iter().map(|m| (*m).to_owned()).collect();
            let home = home
                .into_iter()
                .chain(inline.iter().map(|(name, _)| name.clone()));
            let home: Vec<String> = home.collect();
            out.extend(tree.into_iter().filter_map(|path| from_root(path, &home)));
            at = end.max(at + 1);
            continue;
        }
        at += 1;
    }
    out
}

/// The path from the root; `None` if it names nothing.
fn from_root(path: Vec<String>, home: &[String]) -> Option<Vec<String>> {
    let first = path.first()?.as_str();
    match first {
        "crate" => Some(path[1..].to_vec()),
        "self" | "super" => {
            let mut at = home.to_vec();
            let mut rest = path.as_slice();
            while let Some(word) = rest
                .first()
                .filter(|w| matches!(w.as_str(), "self" | "super"))
            {
                if word == "super" {
                    at.pop();
                }
                rest = &rest[1..];
            }
            Some(at.into_iter().chain(rest.iter().cloned()).collect())
        }
        // A module of its own, or a crate: whatever it is not leads back to this file.
        _ => Some([home, path.as_slice()].concat()),
    }
    .filter(|path| !path.is_empty())
}

/// Follows a path, or a tree of paths in braces; where it ends.
fn expand(
    words: &[String],
    mut at: usize,
    mut path: Vec<String>,
    out: &mut Vec<Vec<String>>,
) -> usize {
    loop {
        match words.get(at).map_or("", String::as_str) {
            "{" => {
                at += 1;
                while words.get(at).is_some_and(|w| w != "}") {
                    at = expand(words, at, path.clone(), out);
                    at += usize::from(words.get(at).is_some_and(|w| w == ","));
                }
                return at + 1;
            }
            word if word.starts_with(|c: char| c.is_alphanumeric() || c == '_') || word == "*" => {
                path.push(word.to_owned());
                at += 1;
            }
            _ => return at + 1,
        }
        match words.get(at).map_or("", String::as_str) {
            "::" => at += 1,
            "as" => {
                out.push(path);
                return at + 2;
            }
            _ => {
                out.push(path);
                return at;
            }
        }
    }
}

/// Behind an item: its body in braces, or the semicolon that ends it.
fn skip_item(words: &[String], mut at: usize) -> usize {
    let mut depth = 0;
    while at < words.len() {
        match words[at].as_str() {
            ";" if depth == 0 => return at + 1,
            "{" => depth += 1,
            "}" if depth == 1 => return at + 1,
            "}" => depth -= 1,
            _ => {}
        }
        at += 1;
    }
    at
}

/// The words of a source: names, `::` and signs; comments, strings and characters are left out.
fn words(text: &str) -> Vec<String> {
    let chars: Vec<char> = text.chars().collect();
    let starts = |at: usize, what: &str| {
        what.chars()
            .enumerate()
            .all(|(n, c)| chars.get(at + n) == Some(&c))
    };
    let mut out = Vec::new();
    let mut at = 0;
    while at < chars.len() {
        let c = chars[at];
        if starts(at, "//") {
            at += chars[at..].iter().take_while(|c| **c != '\n').count();
        } else if c == '"' || starts(at, "r\"") || starts(at, "r#\"") || starts(at, "br\"") {
            at = behind_string(&chars, at);
        } else if c == '\'' {
            // A character, or the mark of a lifetime.
            let escaped = chars.get(at + 1) == Some(&'\\');
            let end = (at + 2..at + 14).find(|n| chars.get(*n) == Some(&'\''));
            match end {
                Some(end) if escaped || end == at + 2 => at = end + 1,
                _ => at += 1,
            }
        } else if c.is_alphanumeric() || c == '_' {
            let n = chars[at..]
                .iter()
                .take_while(|c| c.is_alphanumeric() || **c == '_')
                .count();
            out.push(chars[at..at + n].iter().collect());
            at += n;
        } else if starts(at, "::") {
            out.push("::".to_owned());
            at += 2;
        } else {
            if !c.is_whitespace() {
                out.push(c.to_string());
            }
            at += 1;
        }
    }
    out
}

fn behind_string(chars: &[char], from: usize) -> usize {
    let raw = chars[from] != '"';
    let open = from + chars[from..].iter().take_while(|c| **c != '"').count();
    let signs = chars[from..open].iter().filter(|c| **c == '#').count();
    let mut at = open + 1;
    while at < chars.len() {
        match chars[at] {
            '\\' if !raw => at += 2,
            '"' if chars[at + 1..]
                .iter()
                .take(signs)
                .filter(|c| **c == '#')
                .count()
                == signs =>
            {
                return at + 1 + signs;
            }
            _ => at += 1,
        }
    }
    at
}

/// Files that use each other in a circle, each circle once.
fn circles(arrows: &BTreeMap<&str, BTreeSet<&str>>) -> Vec<String> {
    let reach = |from: &str| {
        let mut seen = BTreeSet::new();
        let mut next: Vec<&str> = arrows.get(from).into_iter().flatten().copied().collect();
        while let Some(file) = next.pop() {
            if seen.insert(file) {
                next.extend(arrows.get(file).into_iter().flatten());
            }
        }
        seen
    };
    let reached: BTreeMap<&str, _> = arrows.keys().map(|file| (*file, reach(file))).collect();
    let mut circles = BTreeSet::new();
    for (file, seen) in &reached {
        let back = |other: &&&str| reached.get(**other).is_some_and(|r| r.contains(file));
        let circle: BTreeSet<&str> = seen.iter().filter(back).copied().collect();
        if circle.contains(file) {
            circles.insert(circle);
        }
    }
    let tell = |circle: BTreeSet<&str>| {
        let inner = |file: &&str| {
            let to = arrows[file].iter().filter(|to| circle.contains(*to));
            format!(
                "    {file} -> {}",
                to.copied().collect::<Vec<_>>().join(", ")
            )
        };
        let rows: Vec<String> = circle.iter().map(inner).collect();
        format!("a circle of {} files:\n{}", circle.len(), rows.join("\n"))
    };
    circles.into_iter().map(tell).collect()
}

/// Faults of made-up files on the floors `low` (upper) and `high`.
fn faults_among(files: &[(&str, &str)]) -> Vec<String> {
    let files = files
        .iter()
        .map(|(file, text)| ((*file).to_owned(), (*text).to_owned()));
    faults_of(&files.collect(), &["low", "high"])
}

#[test]
fn what_is_in_order_has_no_fault() {
    let high = "use crate::low::a::{A, B};\nfn f(b: crate::low::b::C) { \"crate::nowhere\"; }\n#[cfg(test)]\nmod tests { use crate::A; }\n";
    let files = [
        ("low.rs", "mod a;\nmod b;\n"),
        (
            "low/a.rs",
            "// use crate::high;\nuse super::b::C;\nuse std::fmt;\n",
        ),
        ("low/b.rs", "use self::c::D;\nmod c { pub struct D; }\n"),
        ("high.rs", high),
    ];
    assert_eq!(faults_among(&files), [""; 0]);
}

#[test]
fn every_kind_of_fault_is_found() {
    let up = [("low.rs", "fn f() { crate::high::g() }"), ("high.rs", "")];
    assert_eq!(faults_among(&up), ["low.rs points up to high.rs"]);
    let by_super = [
        ("low/a.rs", "use super::super::high::{x::{Y}, Z};"),
        ("low.rs", ""),
        ("high.rs", ""),
    ];
    assert_eq!(faults_among(&by_super).len(), 2);
    let missing = [("low.rs", ""), ("cellar/a.rs", "")];
    assert_eq!(
        faults_among(&missing),
        ["cellar/a.rs stands on no floor of the table"]
    );
    let root = [
        ("low.rs", "use crate::{Side, low::x};"),
        ("lib.rs", "pub use low::Side;"),
    ];
    assert_eq!(
        faults_among(&root),
        ["low.rs takes crate::Side from the root"]
    );
    let circle = [
        ("low/a.rs", "use crate::low::b::B;"),
        ("low/b.rs", "use super::a::A;"),
        ("low.rs", ""),
    ];
    let found = faults_among(&circle);
    assert_eq!(found.len(), 1);
    assert!(found[0].contains("low/b.rs -> low/a.rs"), "{}", found[0]);
}
