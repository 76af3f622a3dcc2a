//! How many broken results Proof names, and how many right ones it leaves alone.
//!
//! `cargo run --release -p armistice-git --example broken_results -- FOLDER` where every folder
//! below FOLDER holds `base.*`, `ours.*`, `theirs.*` and `right.*`, a result with the changes of both
//! sides. Each right result is broken in several ways, one at a time.

use armistice_core::{
    Check, Finding, LineIdx, Options, Plan, RegionKind, Source, Version, plan, trace,
};
use std::collections::{BTreeMap, HashMap};
use std::path::Path;

/// A broken result: its kind, its text, and the lines that a finding should point to.
struct Broken {
    kind: &'static str,
    text: String,
    line: usize,
    check: &'static [Check],
}

struct Dice(u64);

impl Dice {
    fn roll(&mut self, sides: usize) -> usize {
        self.0 = self
            .0
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add(1);
        (self.0 >> 33) as usize % sides.max(1)
    }
}

fn read(folder: &Path, name: &str) -> Option<String> {
    let entries = std::fs::read_dir(folder).ok()?;
    let named = |f: &std::path::PathBuf| f.file_stem().is_some_and(|s| s == name);
    let file = entries.filter_map(|e| Some(e.ok()?.path())).find(named)?;
    std::fs::read_to_string(file).ok()
}

fn lines(text: &str) -> Vec<&str> {
    text.split_inclusive('\n').collect()
}

fn is_telling(line: &str) -> bool {
    line.split(|c: char| !c.is_alphanumeric())
        .filter(|w| w.len() > 1)
        .count()
        > 1
}

/// The only line of `all` that is `line`.
fn only(all: &[&str], line: &str) -> Option<usize> {
    let mut found = all
        .iter()
        .enumerate()
        .filter(|(_, l)| l.trim() == line.trim());
    let (at, _) = found.next()?;
    found.next().is_none().then_some(at)
}

fn texts(plan: &Plan, version: Version, range: armistice_core::LineRange) -> Vec<String> {
    let source = plan.versions().get(version);
    let text = |l: armistice_core::Line<'_>| String::from_utf8_lossy(l.bytes()).into_owned();
    source.lines(range).map(text).collect()
}

fn without(all: &[&str], from: usize, n: usize) -> String {
    [&all[..from], &all[from + n..]].concat().concat()
}

fn with(all: &[&str], at: usize, new: &[String]) -> String {
    all[..at].concat() + &new.concat() + &all[at..].concat()
}

fn broken(plan: &Plan, right: &str, dice: &mut Dice) -> Vec<Broken> {
    let all = lines(right);
    let mut out = Vec::new();
    let clean: Vec<_> = (plan.regions().iter())
        .filter(|r| matches!(r.kind, RegionKind::Ours | RegionKind::Theirs))
        .collect();
    let side = |r: &armistice_core::Region| match r.kind {
        RegionKind::Ours => Version::Ours,
        _ => Version::Theirs,
    };
    let mut added = Vec::new();
    let mut edits = Vec::new();
    let mut removed = Vec::new();
    for r in &clean {
        let new = texts(plan, side(r), r.lines(side(r)));
        let old = texts(plan, Version::Base, r.base);
        for line in &new {
            let at = only(&all, line).filter(|_| is_telling(line));
            if let Some(at) = at.filter(|_| !old.iter().any(|l| l.trim() == line.trim())) {
                added.push(at);
            }
        }
        let start = new.first().and_then(|l| only(&all, l));
        if let Some(at) =
            start.filter(|_| !old.is_empty() && new.len() < 12 && old.iter().any(|l| is_telling(l)))
        {
            let there = all.get(at..at + new.len()).unwrap_or_default();
            let whitespace = old
                .iter()
                .map(|l| l.trim())
                .eq(new.iter().map(|l| l.trim()));
            if there.iter().map(|l| l.to_string()).eq(new.iter().cloned()) && !whitespace {
                edits.push((at, new.len(), old.clone()));
            }
        }
        let before = r.base.start.0.checked_sub(1).map(|n| {
            let line = plan.versions().base.line(LineIdx(n));
            String::from_utf8_lossy(line.bytes()).into_owned()
        });
        if let Some(at) = before.and_then(|l| only(&all, &l)) {
            for line in old.iter().filter(|l| is_telling(l)) {
                if !all.iter().any(|l| l.trim() == line.trim()) {
                    removed.push((at + 1, line.clone()));
                }
            }
        }
    }
    if !added.is_empty() {
        let at = added[dice.roll(added.len())];
        out.push(Broken {
            kind: "lost line",
            text: without(&all, at, 1),
            line: at,
            check: &[Check::Lost],
        });
    }
    if !edits.is_empty() {
        let (at, n, old) = &edits[dice.roll(edits.len())];
        let rest = lines(right);
        let text = rest[..*at].concat() + &old.concat() + &rest[at + n..].concat();
        out.push(Broken {
            kind: "lost edit",
            text,
            line: *at,
            check: &[Check::Lost, Check::Back],
        });
    }
    if !removed.is_empty() {
        let (at, line) = removed[dice.roll(removed.len())].clone();
        out.push(Broken {
            kind: "back",
            text: with(&all, at, &[line]),
            line: at,
            check: &[Check::Back, Check::Lost],
        });
    }
    if all.len() > 30 {
        let (from, n) = (dice.roll(all.len() - 12), 4 + dice.roll(6));
        let block: Vec<String> = all[from..from + n].iter().map(|l| l.to_string()).collect();
        if block.iter().filter(|l| is_telling(l)).count() > 1 {
            out.push(Broken {
                kind: "doubled block",
                text: with(&all, from + n, &block),
                line: from,
                check: &[Check::Twice],
            });
        }
    }
    let unchanged: Vec<usize> = (0..all.len())
        .filter(|at| is_telling(all[*at]) && only(&all, all[*at]).is_some())
        .filter(|at| {
            [Version::Base, Version::Ours, Version::Theirs]
                .iter()
                .all(|v| {
                    let text =
                        String::from_utf8_lossy(plan.versions().get(*v).bytes()).into_owned();
                    only(&lines(&text), all[*at]).is_some()
                })
        })
        .take(400)
        .collect();
    if !unchanged.is_empty() {
        let at = unchanged[dice.roll(unchanged.len())];
        out.push(Broken {
            kind: "deleted by hand",
            text: without(&all, at, 1),
            line: at,
            check: &[Check::Lost],
        });
    }
    // One side alone in a conflict that the result settles by both.
    for r in plan
        .regions()
        .iter()
        .filter(|r| r.kind == RegionKind::Conflict)
    {
        let [ours, theirs] = [(Version::Ours, r.ours), (Version::Theirs, r.theirs)]
            .map(|(v, lines)| texts(plan, v, lines));
        let both = [ours.clone(), theirs.clone()].concat().concat();
        let at = right
            .find(&both)
            .filter(|_| !ours.is_empty() && !theirs.is_empty());
        if let Some(at) = at.filter(|_| right.matches(&both).count() == 1) {
            let line = right[..at].matches('\n').count();
            let (keep, gone) = if dice.roll(2) == 0 {
                (&ours, &theirs)
            } else {
                (&theirs, &ours)
            };
            let base = texts(plan, Version::Base, r.base);
            let new = gone
                .iter()
                .any(|l| is_telling(l) && !base.iter().chain(keep).any(|o| o.trim() == l.trim()));
            if new {
                let text = right[..at].to_owned() + &keep.concat() + &right[at + both.len()..];
                out.push(Broken {
                    kind: "given up unseen",
                    text,
                    line,
                    check: &[Check::Lost],
                });
                break;
            }
        }
    }
    out
}

/// A block that ours moved and in which theirs changed a word: the three versions, the right result,
/// and the one without the change.
fn moved(base: &str, dice: &mut Dice) -> Option<([String; 3], String, Broken)> {
    let all = lines(base);
    if all.len() < 60 {
        return None;
    }
    let (from, n) = (5 + dice.roll(all.len() - 40), 6 + dice.roll(8));
    let rest = [&all[..from], &all[from + n..]].concat();
    let to = (from + 15 + dice.roll(10)) % rest.len();
    let block = &all[from..from + n];
    let edited = (0..n)
        .map(|k| (k + dice.roll(n)) % n)
        .find(|k| is_telling(block[*k]) && only(&all, block[*k]).is_some())?;
    let word = block[edited]
        .split(|c: char| !c.is_alphanumeric())
        .find(|w| w.len() > 3)?;
    let line = block[edited].replacen(word, "anchorage", 1);
    let mut theirs = all.clone();
    theirs[from + edited] = &line;
    let ours = [&rest[..to], block, &rest[to..]].concat().concat();
    let right = ours.replacen(block[edited], &line, 1);
    let broken = Broken {
        kind: "edit of moved code",
        text: ours.clone(),
        line: to + edited,
        check: &[Check::Lost, Check::Back],
    };
    Some(([base.to_owned(), ours, theirs.concat()], right, broken))
}

fn main() {
    let folder = std::env::args().nth(1).expect("a folder of merges");
    let show = std::env::args().nth(2);
    let mut named: BTreeMap<&str, (usize, usize)> = BTreeMap::new();
    let (mut silent, mut right_ones) = (0, 0);
    let mut moved_right = (0, 0);
    let mut words: HashMap<Check, usize> = HashMap::new();
    let mut folders: Vec<_> = std::fs::read_dir(folder)
        .unwrap()
        .map(|e| e.unwrap().path())
        .collect();
    folders.sort();
    for (nth, folder) in folders.iter().enumerate() {
        let version = |name| read(folder, name);
        let (Some(base), Some(ours), Some(theirs), Some(right)) = (
            version("base"),
            version("ours"),
            version("theirs"),
            version("right"),
        ) else {
            continue;
        };
        if let Some((texts, right, broken)) = moved(&base, &mut Dice(nth as u64 + 5)) {
            let [base, ours, theirs]: [Source; 3] = texts.map(|t| t.as_str().into());
            let plan = plan(&base, &ours, &theirs, &Options::default());
            let found = trace(&plan, &right.as_str().into(), None);
            moved_right.1 += 1;
            moved_right.0 += usize::from(found.is_empty());
            if show.as_deref() == Some("moved") {
                found
                    .iter()
                    .for_each(|f| println!("{} {f:?}", folder.display()));
            }
            let told = trace(&plan, &broken.text.as_str().into(), None);
            let near = |f: &Finding| {
                f.line
                    .is_some_and(|l| (broken.line + 1).abs_diff(l.number()) < 3)
            };
            let count = named.entry(broken.kind).or_default();
            count.1 += 1;
            count.0 += usize::from(told.iter().any(near));
        }
        let [base, ours, theirs]: [Source; 3] = [base, ours, theirs].map(|t| t.as_str().into());
        let plan = plan(&base, &ours, &theirs, &Options::default());
        right_ones += 1;
        let found = trace(&plan, &right.as_str().into(), None);
        silent += usize::from(found.is_empty());
        for f in &found {
            *words.entry(f.check).or_default() += 1;
        }
        if show.as_deref() == Some("right") {
            found.iter().for_each(|f| {
                println!(
                    "{} {:?} {:?} {}",
                    folder.display(),
                    f.check,
                    f.line.map(LineIdx::number),
                    f.what
                )
            });
        }
        let mut dice = Dice(nth as u64 * 7919 + 13);
        for broken in broken(&plan, &right, &mut dice) {
            let near = |f: &&Finding| {
                f.line.is_some_and(|l| {
                    (0..12).any(|n| {
                        (broken.line
                            + 1
                            + if broken.kind == "doubled block" {
                                n
                            } else {
                                n.min(3)
                            })
                        .abs_diff(l.number())
                            < 4
                    })
                }) && broken.check.contains(&f.check)
                    && !found.contains(f)
            };
            let told = trace(&plan, &broken.text.as_str().into(), None);
            let hit = told.iter().find(near).is_some();
            let count = named.entry(broken.kind).or_default();
            count.1 += 1;
            count.0 += usize::from(hit);
            if !hit && show.as_deref() == Some(broken.kind) {
                println!("{} line {}: {told:?}", folder.display(), broken.line + 1);
            }
        }
    }
    println!("right: {silent} of {right_ones} without a word; {words:?}");
    println!(
        "right, with moved and edited code: {} of {} without a word",
        moved_right.0, moved_right.1
    );
    for (kind, (hit, all)) in named {
        println!("{kind}: {hit} of {all} named");
    }
}
