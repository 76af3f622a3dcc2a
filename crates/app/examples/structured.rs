//! Merges with structure, made out of real sources, with a known answer.
//!
//! `cargo run --release -p armistice --example structured FOLDER [KIND]` walks the files of a folder
//! whose language has a parser, makes merges of each kind out of them, and prints by kind and by
//! language how many come out right with what is certain alone, with what is likely too, how many stay
//! open, how many are wrong, and in how many lines alone make no conflict. With a KIND it prints the wrong ones and those that stay open; `lines`
//! first lays nothing out by declarations.

use armistice::case::planning::{LayOut, outlines, planned};
use armistice_core::*;
use armistice_syntax::{Language, outline};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

/// Files of each language that are used, and merges of each kind made of a file.
const FILES: usize = 12;
const EACH: usize = 2;
/// Lines of a file that is used.
const LINES: std::ops::Range<usize> = 20..1500;

const KINDS: [&str; 11] = [
    "moved-edited",
    "swapped-edited",
    "moved-both-edited",
    "both-added",
    "entries-added",
    "same-name",
    "removed-edited",
    "beside",
    "moved-edited-elsewhere",
    "moved-twice",
    "moved-in-text",
];

fn main() {
    let mut args: Vec<String> = std::env::args().skip(1).collect();
    let by_lines = args.first().is_some_and(|arg| arg == "lines");
    if by_lines {
        args.remove(0);
    }
    let Some(folder) = args.first() else {
        eprintln!("usage: structured [lines] FOLDER [KIND]");
        std::process::exit(2);
    };
    let lay_out = match by_lines {
        true => LayOut::Lines,
        false => LayOut::Best,
    };
    let mut tallies: BTreeMap<(String, String), [usize; 5]> = BTreeMap::new();
    for (language, path, text) in sources(Path::new(folder)) {
        let mut dice = Dice(text.len() as u64 * 7919 + 1);
        for kind in KINDS {
            for _ in 0..EACH {
                let Some(merge) = Merge::make(kind, language, &text, &mut dice) else {
                    continue;
                };
                let name = path.display().to_string();
                let verdict = merge.judge(&name, &lay_out);
                for key in [kind.to_owned(), format!("{language:?}")] {
                    let group = if KINDS.contains(&key.as_str()) {
                        "kind"
                    } else {
                        "language"
                    };
                    tallies.entry((group.to_owned(), key)).or_default()[verdict] += 1;
                }
                let wanted = args.get(1).is_some_and(|only| only == kind);
                if wanted && (2..4).contains(&verdict) {
                    merge.print(&name, verdict);
                }
            }
        }
    }
    println!("certain  likely  open  wrong  no conflict by lines");
    for ((_, key), n) in tallies {
        println!(
            "{:7} {:7} {:5} {:6} {:5}  {key}",
            n[0], n[1], n[2], n[3], n[4]
        );
    }
}

/// Files by language, a few of each, always the same.
fn sources(folder: &Path) -> Vec<(Language, PathBuf, String)> {
    let mut files = Vec::new();
    let mut folders = vec![folder.to_owned()];
    while let Some(folder) = folders.pop() {
        let Ok(entries) = std::fs::read_dir(folder) else {
            continue;
        };
        for path in entries.flatten().map(|entry| entry.path()) {
            match path.is_dir() {
                true => folders.push(path),
                false => files.push(path),
            }
        }
    }
    // Spread over the folder, not all out of one package.
    files.sort_by_key(|path| {
        let name = path.display().to_string();
        name.bytes()
            .fold(5381u64, |sum, b| sum.wrapping_mul(33) ^ u64::from(b))
    });
    let mut counts: BTreeMap<String, usize> = BTreeMap::new();
    let mut out = Vec::new();
    for path in files {
        let Some(language) = Language::of(&path.display().to_string()) else {
            continue;
        };
        let count = counts.entry(format!("{language:?}")).or_default();
        if *count >= FILES {
            continue;
        }
        let Ok(text) = std::fs::read_to_string(&path) else {
            continue;
        };
        let lines = text.lines().count();
        if !LINES.contains(&lines) || text.len() > lines * 120 || !text.ends_with('\n') {
            continue;
        }
        let found = outline(language, &text.as_str().into());
        if found.is_some_and(|outline| levels(outline.declarations()).is_empty()) {
            continue;
        }
        *count += 1;
        out.push((language, path, text));
    }
    out
}

/// Levels with at least four declarations.
fn levels(declarations: &[Declaration]) -> Vec<&[Declaration]> {
    let mut out = Vec::new();
    if declarations.len() >= 4 {
        out.push(declarations);
    }
    for declaration in declarations {
        out.extend(levels(&declaration.inner));
    }
    out
}

struct Merge {
    kind: String,
    base: String,
    ours: String,
    theirs: String,
    /// All right answers; none if it must stay open.
    answers: Vec<String>,
}

/// The text of a level cut into its declarations, each with what stands behind it.
struct Cut {
    head: Vec<String>,
    parts: Vec<(Vec<String>, Vec<String>)>,
    rest: Vec<String>,
}

impl Cut {
    fn new(text: &str, level: &[Declaration]) -> Self {
        let lines: Vec<String> = text.split_inclusive('\n').map(str::to_owned).collect();
        let at = |line: LineIdx| line.0 as usize;
        let parts = level.iter().enumerate().map(|(n, d)| {
            let end = level
                .get(n + 1)
                .map_or(at(d.lines.end), |next| at(next.lines.start));
            let (start, own) = (at(d.lines.start), at(d.lines.end));
            (lines[start..own].to_vec(), lines[own..end].to_vec())
        });
        let (first, last) = (&level[0], &level[level.len() - 1]);
        Cut {
            parts: parts.collect(),
            head: lines[..at(first.lines.start)].to_vec(),
            rest: lines[at(last.lines.end)..].to_vec(),
        }
    }

    fn text(&self) -> String {
        let mut out = self.head.concat();
        for (own, between) in &self.parts {
            out += &own.concat();
            out += &between.concat();
        }
        out + &self.rest.concat()
    }

    /// Puts the declarations into another order; what stands between them stays where it is.
    fn ordered(&self, order: &[usize]) -> Self {
        let parts = order.iter().zip(&self.parts);
        Cut {
            head: self.head.clone(),
            parts: parts
                .map(|(n, place)| (self.parts[*n].0.clone(), place.1.clone()))
                .collect(),
            rest: self.rest.clone(),
        }
    }

    fn with(&self, at: usize, own: Vec<String>) -> Self {
        let mut parts = self.parts.clone();
        parts[at].0 = own;
        Cut {
            head: self.head.clone(),
            parts,
            rest: self.rest.clone(),
        }
    }

    /// Adds declarations behind one, parted as those there are.
    fn added(&self, at: usize, new: &[Vec<String>]) -> Self {
        let mut parts = self.parts.clone();
        let between = match at + 1 < parts.len() {
            true => parts[at].1.clone(),
            false => parts[at - 1].1.clone(),
        };
        for (n, own) in new.iter().enumerate() {
            parts.insert(at + 1 + n, (own.clone(), between.clone()));
        }
        Cut {
            head: self.head.clone(),
            parts,
            rest: self.rest.clone(),
        }
    }
}

impl Merge {
    fn make(kind: &str, language: Language, text: &str, dice: &mut Dice) -> Option<Self> {
        let outline = outline(language, &text.into())?;
        let all = levels(outline.declarations());
        let level = all.get(dice.roll(all.len()))?;
        let cut = Cut::new(text, level);
        let n = cut.parts.len();
        // What is only parted by blank lines can be moved without moving anything else.
        let loose =
            |at: usize| at + 1 < n && cut.parts[at].1.iter().all(|line| line.trim().is_empty());
        let comma = |own: &[String]| {
            own.last()
                .is_some_and(|line| line.trim_end().ends_with(','))
        };
        let at = dice.roll(n - 1);
        let edited = |own: &[String], dice: &mut Dice, from: usize, to: usize, word: &str| {
            let start = level[at].starts.0 - level[at].lines.start.0;
            edit(
                own,
                start as usize,
                from,
                to,
                (plain_name(&level[at].name), word),
                dice,
            )
        };
        let own = &cut.parts[at].0;
        let len = own.len();
        let movable = || {
            (0..n - 1).all(loose)
                && cut
                    .parts
                    .iter()
                    .take(n - 1)
                    .all(|p| comma(&p.0) == comma(own))
        };
        let base = cut.text();
        let (ours, theirs, answers) = match kind {
            "moved-edited" | "swapped-edited" | "moved-edited-elsewhere" | "moved-twice" => {
                if !movable() || n < 5 {
                    return None;
                }
                let to = match kind {
                    "swapped-edited" => (at + 1) % (n - 1),
                    _ => (at + 2 + dice.roll(n - 3)) % (n - 1),
                };
                if to == at {
                    return None;
                }
                let order = moved(n, at, to);
                let ours = cut.ordered(&order);
                match kind {
                    "moved-twice" => {
                        let other = (to + 1) % (n - 1);
                        if other == at || to.abs_diff(other) < 1 {
                            return None;
                        }
                        let own = edited(own, dice, 0, len, "tide")?;
                        let theirs = cut.with(at, own).ordered(&moved(n, at, other));
                        (ours.text(), theirs.text(), Vec::new())
                    }
                    "moved-edited-elsewhere" => {
                        let other = (at + 1) % (n - 1);
                        let start = level[other].starts.0 - level[other].lines.start.0;
                        let len = cut.parts[other].0.len();
                        let own = edit(
                            &cut.parts[other].0,
                            start as usize,
                            0,
                            len,
                            (plain_name(&level[other].name), "tide"),
                            dice,
                        )?;
                        let theirs = cut.with(other, own);
                        let answer = theirs.ordered(&order).text();
                        (ours.text(), theirs.text(), vec![answer])
                    }
                    _ => {
                        let theirs = cut.with(at, edited(own, dice, 0, len, "tide")?);
                        let answer = theirs.ordered(&order).text();
                        (ours.text(), theirs.text(), vec![answer])
                    }
                }
            }
            "moved-both-edited" => {
                if !movable() || n < 5 || len < 8 {
                    return None;
                }
                let to = (at + 2 + dice.roll(n - 3)) % (n - 1);
                if to == at {
                    return None;
                }
                let order = moved(n, at, to);
                let first = edited(own, dice, 0, len / 2 - 1, "tide")?;
                let second = edited(own, dice, len / 2 + 1, len, "moon")?;
                let both = edited_by_both(own, &first, &second);
                (
                    cut.with(at, first).ordered(&order).text(),
                    cut.with(at, second).text(),
                    vec![cut.with(at, both).ordered(&order).text()],
                )
            }
            "both-added" | "entries-added" | "same-name" => {
                let single = kind == "entries-added";
                if !loose(at) || single != (len <= 1) && kind != "same-name" {
                    return None;
                }
                let name = &level[at].name;
                let (one, two) = (renamed(own, name, "Tide")?, renamed(own, name, "Moon")?);
                if kind == "same-name" {
                    let start = level[at].starts.0 - level[at].lines.start.0;
                    let name = format!("{}Tide", plain_name(name));
                    let two = edit(&one, start as usize, 0, len, (&name, "tide"), dice)?;
                    let three = edit(&one, start as usize, 0, len, (&name, "moon"), dice)?;
                    return Some(Merge {
                        kind: kind.to_owned(),
                        ours: cut.added(at, &[two]).text(),
                        theirs: cut.added(at, &[three]).text(),
                        base,
                        answers: Vec::new(),
                    });
                }
                let two = match len {
                    1 => two,
                    _ => edited(&two, dice, 0, len, "moon")?,
                };
                let both = [[one.clone(), two.clone()], [two.clone(), one.clone()]];
                (
                    cut.added(at, &[one]).text(),
                    cut.added(at, &[two]).text(),
                    both.map(|both| cut.added(at, &both).text()).to_vec(),
                )
            }
            "removed-edited" => {
                let mut without = Cut::new(text, level);
                without.parts.remove(at);
                let theirs = cut.with(at, edited(own, dice, 0, len, "tide")?);
                (without.text(), theirs.text(), Vec::new())
            }
            "beside" => {
                if !loose(at) || len < 2 {
                    return None;
                }
                let other = cut.parts.get(at + 1)?.0.clone();
                let start = level[at + 1].starts.0 - level[at + 1].lines.start.0;
                let first = edited(own, dice, len - 2, len, "tide")?;
                let second = edit(
                    &other,
                    start as usize,
                    0,
                    other.len().min(2),
                    (plain_name(&level[at + 1].name), "moon"),
                    dice,
                )?;
                let theirs = cut.with(at + 1, second.clone());
                let both = cut.with(at, first.clone()).with(at + 1, second);
                (cut.with(at, first).text(), theirs.text(), vec![both.text()])
            }
            // Moved past what is no declaration.
            "moved-in-text" => {
                let place = (0..n - 1).find(|p| !loose(*p))?;
                if !loose(at) || at == place || n < 5 || !movable_pair(&cut, at, place) {
                    return None;
                }
                let theirs = cut.with(at, edited(own, dice, 0, len, "tide")?);
                let carry = |cut: &Cut| {
                    let mut parts = cut.parts.clone();
                    let part = parts.remove(at);
                    let to = if place < at { place + 1 } else { place };
                    parts.insert(to, part);
                    Cut {
                        head: cut.head.clone(),
                        parts,
                        rest: cut.rest.clone(),
                    }
                };
                (
                    carry(&cut).text(),
                    theirs.text(),
                    vec![carry(&theirs).text()],
                )
            }
            _ => return None,
        };
        let swap = dice.roll(2) == 0;
        let (ours, theirs) = if swap { (theirs, ours) } else { (ours, theirs) };
        let differ = base != ours && base != theirs && ours != theirs;
        differ.then_some(Merge {
            kind: kind.to_owned(),
            base,
            ours,
            theirs,
            answers,
        })
    }

    /// 0: right with what is certain, 1: with what is likely, 2: open, 3: wrong.
    fn judge(&self, path: &str, lay_out: &LayOut) -> usize {
        let versions = Versions {
            base: self.base.as_str().into(),
            ours: self.ours.as_str().into(),
            theirs: self.theirs.as_str().into(),
        };
        let context = RuleContext {
            path: path.to_owned(),
            ..RuleContext::default()
        };
        let v = &versions;
        if plan(&v.base, &v.ours, &v.theirs, &Options::default())
            .conflicts()
            .is_empty()
        {
            return 4;
        }
        let (plan, rulings) = planned(&versions, &context, lay_out);
        let mut verdict = 2;
        for (level, settle) in [AutoSettle::Certain, AutoSettle::Likely]
            .into_iter()
            .enumerate()
        {
            let session = Session::with_rulings(plan.clone(), settle.pick(&rulings));
            if session.draft().counts().open > 0 {
                continue;
            }
            let bytes = session.draft().bytes();
            // Where a place was in question, whoever settles it must have everything once.
            let merged = String::from_utf8_lossy(&bytes).into_owned();
            let has_all = |side: &String| sorted(side) == sorted(&merged);
            let whole =
                self.kind == "moved-twice" && [&self.ours, &self.theirs].into_iter().any(has_all);
            let is_right = whole || self.answers.contains(&merged);
            match (is_right, verdict) {
                (true, 2) => verdict = level,
                (false, 2) => return 3,
                _ => {}
            }
        }
        // What must stay open is right that way.
        match (self.answers.is_empty(), verdict) {
            (true, 2) => 0,
            (_, verdict) => verdict,
        }
    }

    fn print(&self, path: &str, verdict: usize) {
        println!("=== {path} {}", ["", "", "open", "wrong"][verdict]);
        let context = RuleContext {
            path: path.to_owned(),
            ..RuleContext::default()
        };
        let versions = Versions {
            base: self.base.as_str().into(),
            ours: self.ours.as_str().into(),
            theirs: self.theirs.as_str().into(),
        };
        let parsed = outlines(path, &versions).is_some();
        let (plan, rulings) = planned(&versions, &context, &LayOut::Best);
        println!(
            "parsed {parsed}, by declarations {}",
            plan.is_by_declarations()
        );
        for id in plan.conflicts() {
            let region = plan.region(*id);
            for version in [Version::Base, Version::Ours, Version::Theirs] {
                let text = plan.versions().get(version).slice(region.lines(version));
                println!("--- {}\n{}", version.name(), String::from_utf8_lossy(text));
            }
            let ruling = rulings.iter().find(|(of, _)| of == id);
            println!("--- {ruling:?}");
        }
        if std::env::var_os("WHOLE").is_some() {
            let folder = std::env::temp_dir().join("structured");
            let _ = std::fs::create_dir_all(&folder);
            let session = Session::with_rulings(plan, AutoSettle::Likely.pick(&rulings));
            let merged = String::from_utf8_lossy(&session.draft().bytes()).into_owned();
            let answer = self.answers.first().cloned().unwrap_or_default();
            for (name, text) in [
                ("base", &self.base),
                ("ours", &self.ours),
                ("theirs", &self.theirs),
                ("answer", &answer),
                ("merged", &merged),
            ] {
                let _ = std::fs::write(folder.join(name), text);
            }
        }
    }
}

fn movable_pair(cut: &Cut, a: usize, b: usize) -> bool {
    let comma = |at: usize| {
        cut.parts[at]
            .0
            .last()
            .is_some_and(|l| l.trim_end().ends_with(','))
    };
    comma(a) == comma(b)
}

/// The lines of a text, in order.
fn sorted(text: &str) -> Vec<&str> {
    let mut lines: Vec<&str> = text
        .lines()
        .filter(|line| !line.trim().is_empty())
        .collect();
    lines.sort_unstable();
    lines
}

/// The order in which one of `n` stands elsewhere.
fn moved(n: usize, at: usize, to: usize) -> Vec<usize> {
    let mut order: Vec<usize> = (0..n).collect();
    let one = order.remove(at);
    order.insert(to, one);
    order
}

/// Changes one word of a line between two, not of the line that the declaration begins in.
fn edit(
    own: &[String],
    start: usize,
    from: usize,
    to: usize,
    (name, word): (&str, &str),
    dice: &mut Dice,
) -> Option<Vec<String>> {
    let places = from..to.min(own.len());
    let single = own.len() == 1;
    let lines: Vec<usize> = places.filter(|n| single || *n != start).collect();
    for _ in 0..20 {
        let at = *lines.get(dice.roll(lines.len().max(1)))?;
        let line = &own[at];
        // In a single line the name comes first.
        let named = line.find(name).filter(|_| single && !name.is_empty());
        let skip = named.map_or(0, |n| n + name.len());
        let words: Vec<(usize, &str)> = line
            .match_indices(|c: char| c.is_ascii_alphanumeric())
            .filter(|(n, _)| *n >= skip)
            .collect();
        // The end of a run of letters.
        let ends: Vec<usize> = words
            .iter()
            .map(|(n, _)| *n)
            .filter(|n| !line[n + 1..].starts_with(|c: char| c.is_ascii_alphanumeric() || c == '_'))
            .collect();
        let Some(end) = ends.get(dice.roll(ends.len().max(1))) else {
            continue;
        };
        // What is changed must still make sense.
        let head = line[..=*end].rfind(|c: char| !c.is_ascii_alphanumeric() && c != '_');
        let changed = &line[head.map_or(0, |n| n + 1)..=*end];
        let marks = line[..head.map_or(0, |n| n + 1)].ends_with(['<', '/', '@', '#', '-']);
        if KEYWORDS.contains(&changed) || marks || changed.len() < 2 {
            continue;
        }
        let mut out = own.to_vec();
        let digit = line[..=*end].ends_with(|c: char| c.is_ascii_digit());
        let put = if digit { "7" } else { word };
        out[at] = format!("{}{put}{}", &line[..=*end], &line[end + 1..]);
        return Some(out);
    }
    None
}

/// Words that are not changed: what stands there would make no sense.
const KEYWORDS: [&str; 66] = [
    "abstract",
    "and",
    "as",
    "assert",
    "async",
    "await",
    "break",
    "case",
    "catch",
    "class",
    "const",
    "continue",
    "crate",
    "def",
    "default",
    "del",
    "elif",
    "else",
    "enum",
    "except",
    "export",
    "extends",
    "extern",
    "false",
    "finally",
    "fn",
    "for",
    "from",
    "function",
    "if",
    "impl",
    "import",
    "in",
    "instanceof",
    "interface",
    "is",
    "lambda",
    "let",
    "match",
    "mod",
    "mut",
    "new",
    "not",
    "null",
    "of",
    "or",
    "pass",
    "private",
    "pub",
    "public",
    "raise",
    "return",
    "self",
    "static",
    "struct",
    "super",
    "switch",
    "this",
    "throw",
    "trait",
    "true",
    "try",
    "typeof",
    "use",
    "where",
    "while",
];

/// Both edits of lines that neither edit shares.
fn edited_by_both(own: &[String], first: &[String], second: &[String]) -> Vec<String> {
    let each = own.iter().zip(first).zip(second);
    each.map(|((own, first), second)| {
        if first != own {
            first.clone()
        } else {
            second.clone()
        }
    })
    .collect()
}

/// A name without what follows or closes it.
fn plain_name(name: &str) -> &str {
    let plain = name.split('(').next().unwrap_or(name);
    plain.trim_end_matches(['"', '\'', ']', ')'])
}

/// A copy under another name.
fn renamed(own: &[String], name: &str, ending: &str) -> Option<Vec<String>> {
    let last = plain_name(name).to_owned();
    if last.is_empty() {
        return None;
    }
    let whole = own.concat();
    let at = whole.find(&last)?;
    let text = format!(
        "{}{last}{ending}{}",
        &whole[..at],
        &whole[at + last.len()..]
    );
    Some(text.split_inclusive('\n').map(str::to_owned).collect())
}

/// Numbers that are the same in every run.
struct Dice(u64);

impl Dice {
    fn roll(&mut self, n: usize) -> usize {
        self.0 = self
            .0
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add(1_442_695_040_888_963_407);
        ((self.0 >> 33) as usize) % n.max(1)
    }
}
