//! Judges the rules on real merges with a known answer.
//!
//! `cargo run --release -p armistice --example judge FOLDER [RULE/LETTERS]`
//! where FOLDER has one folder a merge with base, ours, theirs, answer and name
//! in it, as `scripts/real-corpus` makes them. Prints for each rule and
//! certainty how many proposals are
//!
//! - right: they stand in the answer, between the same lines;
//! - kept: the answer has theirs as it was, so the change was never carried over;
//! - wrong;
//! - unknowable: the answer has words that none of the versions has.
//!
//! With `JUDGE_LINES` in the environment no file is laid out by its declarations.
//!
//! With RULE/LETTERS (as `blend/wk`) it prints those proposals too; with `list`
//! a line for each conflict; with `would` such a line also where rules only hint, judged by
//! the merged rows (`"would hint beside/w"` prints them).

use armistice::case::planning::{LayOut, planned};
use armistice_core::*;
use std::collections::{BTreeMap, HashSet};
use std::hash::{DefaultHasher, Hash, Hasher};
use std::path::Path;
use std::process::{Command, ExitCode};

#[derive(Default)]
struct Tally {
    /// By rule and certainty: right, kept, wrong, unknowable.
    rules: BTreeMap<(Option<Certainty>, String), [usize; 4]>,
    /// Whole stretches by their least certain part.
    stretches: BTreeMap<Option<Certainty>, [usize; 4]>,
    /// What happens to the conflicts of git.
    git: usize,
    by_declarations: usize,
    conflicts: usize,
    left: [usize; 2],
}

const LETTERS: [char; 4] = ['r', 'k', 'w', 'u'];

fn main() -> ExitCode {
    let mut args = std::env::args().skip(1);
    let Some(folder) = args.next() else {
        eprintln!("usage: judge FOLDER [RULE/LETTERS | list | would]");
        return ExitCode::from(2);
    };
    let show = args.next();
    let show = show
        .as_deref()
        .map(|s| s.split_once('/').unwrap_or((s, "rkwu")));
    let mut cases: Vec<_> = match std::fs::read_dir(&folder) {
        Ok(entries) => entries.flatten().map(|e| e.path()).collect(),
        Err(error) => {
            eprintln!("{folder}: {error}");
            return ExitCode::from(2);
        }
    };
    cases.sort();
    let mut tally = Tally::default();
    for case in &cases {
        judge(case, &mut tally, show);
    }
    println!(
        "{} files, {} conflicts of git, {} of the plan; left: {} with certain, {} with likely too",
        cases.len(),
        tally.git,
        tally.conflicts,
        tally.left[0],
        tally.left[1]
    );
    println!("{} files by declarations", tally.by_declarations);
    println!("right kept wrong unknowable");
    for (certainty, n) in tally.stretches.iter().rev() {
        let certainty = certainty.map_or("open", Certainty::name);
        println!(
            "{:5} {:4} {:5} {:5}  stretches {certainty}",
            n[0], n[1], n[2], n[3]
        );
    }
    for ((certainty, rule), n) in tally.rules.iter().rev() {
        let certainty = certainty.map_or("open", Certainty::name);
        println!(
            "{:5} {:4} {:5} {:5}  {certainty} {rule}",
            n[0], n[1], n[2], n[3]
        );
    }
    ExitCode::SUCCESS
}

fn judge(case: &Path, tally: &mut Tally, show: Option<(&str, &str)>) {
    let read = |n: &str| Source::new(std::fs::read(case.join(n)).unwrap_or_default());
    let (base, ours, theirs, answer) = (read("base"), read("ours"), read("theirs"), read("answer"));
    let merged = Command::new("git")
        .args(["merge-file", "-p", "ours", "base", "theirs"])
        .current_dir(case)
        .output();
    tally.git += merged.ok().and_then(|o| o.status.code()).unwrap_or(0) as usize;
    let context = RuleContext {
        path: std::fs::read_to_string(case.join("name")).unwrap_or_default(),
        ..RuleContext::default()
    };
    let lay_out = match std::env::var_os("JUDGE_LINES") {
        Some(_) => LayOut::Lines,
        None => LayOut::Best,
    };
    let versions = Versions { base, ours, theirs };
    let (plan, rulings) = planned(&versions, &context, &lay_out);
    tally.by_declarations += usize::from(plan.is_by_declarations());
    let theirs = plan.versions().theirs.clone();
    let mut session = Session::new(plan.clone());
    let would = show.is_some_and(|(what, _)| what.starts_with("would"));
    let show = show.map(|(what, letters)| (what.strip_prefix("would ").unwrap_or(what), letters));
    let mut found: BTreeMap<_, _> = rulings.into_iter().collect();
    let rulings: Vec<_> = plan
        .conflicts()
        .iter()
        .map(|id| (*id, found.remove(id)))
        .collect();
    let entries = rulings.iter().map(|(id, ruling)| {
        let proposed = ruling.as_ref().and_then(|r| r.resolution.clone());
        let merged = || Conflict::new(&plan, *id).merged_resolution();
        let proposed = proposed.or_else(|| would.then(merged).flatten());
        Entry::Settle(*id, proposed.unwrap_or(Resolution::Take(Version::Theirs)))
    });
    let step = Step::new("judged", entries.collect());
    session
        .apply(&Event::Do(step))
        .expect("proposals fit the plan");
    let draft = session.draft();
    let mut verdicts = BTreeMap::new();
    for (id, ruling) in &rulings {
        let certainty = ruling.as_ref().map(|r| r.certainty);
        verdicts.insert(*id, (certainty, verdict(draft, *id, &theirs, &answer).0));
    }
    for stretch in plan.stretches() {
        let parts = stretch.iter().map(|id| verdicts[id]);
        let least = parts.clone().map(|(c, _)| c).min().flatten();
        let worst = parts.map(|(_, v)| v).max().unwrap_or(0);
        let worst = if least >= Some(Certainty::Likely) {
            worst
        } else {
            worst.max(1)
        };
        tally.stretches.entry(least).or_default()[worst] += 1;
    }
    for (id, ruling) in rulings {
        tally.conflicts += 1;
        let certainty = ruling.as_ref().map(|r| r.certainty);
        tally.left[0] += usize::from(certainty != Some(Certainty::Certain));
        tally.left[1] += usize::from(certainty < Some(Certainty::Likely));
        let verdict = verdict(draft, id, &theirs, &answer);
        let rule = ruling.as_ref().map_or("", |r| r.rule.as_str());
        let settled = certainty >= Some(Certainty::Likely) || would;
        let column = if settled { verdict.0 } else { verdict.0.max(1) };
        let conflict = Conflict::new(&plan, id);
        let risks = match conflict.clash() {
            Some(clash) => format!("{clash:?}"),
            None => format!("{:?}", conflict.risks(&context)),
        };
        let row = if rule.is_empty() {
            String::new()
        } else {
            format!("{rule} {risks}")
        };
        if show.is_some_and(|(what, _)| what == "list" || what == "would") {
            let certainty = certainty.map_or("open", Certainty::name);
            let name = case.file_name().unwrap_or_default().to_string_lossy();
            println!(
                "{}\t{certainty}\t{rule}\t{risks}\t{}\t{name}\t{:x}",
                LETTERS[column],
                id.0,
                print_of(&plan, id)
            );
        }
        tally.rules.entry((certainty, row)).or_default()[column] += 1;
        let name = format!("{} {rule}", certainty.map_or("open", Certainty::name));
        if show.is_some_and(|(wanted, letters)| {
            (wanted == rule || wanted == name.trim()) && letters.contains(LETTERS[column])
        }) {
            print(case, draft, id, &name, &verdict.1);
        }
    }
}

/// Tells conflicts apart that come back in several releases.
fn print_of(plan: &Plan, id: RegionId) -> u64 {
    let mut hasher = DefaultHasher::new();
    let conflict = Conflict::new(plan, id);
    Version::ALL.map(|v| conflict.text(v)).hash(&mut hasher);
    hasher.finish()
}

fn verdict(draft: &Draft, id: RegionId, theirs: &Source, answer: &Source) -> (usize, Vec<u8>) {
    let (plan, region) = (draft.plan(), draft.plan().region(id));
    let lines = draft.lines_of(id);
    let from = lines.start.0.saturating_sub(1);
    let wanted: Vec<&[u8]> = (from..=lines.end.0)
        .filter_map(|n| Some(draft.line(LineIdx(n))?.line.bytes()))
        .collect();
    let all: Vec<&[u8]> = answer.lines(answer.all()).map(Line::bytes).collect();
    let right = all
        .windows(wanted.len().max(1))
        .any(|w| w == wanted.as_slice());
    let truth = stands_for(theirs, region.theirs, answer);
    let versions = plan.versions();
    let mut known: HashSet<&[u8]> = HashSet::new();
    for version in Version::ALL {
        let text = versions.get(version).slice(region.lines(version));
        known.extend(token_ranges(text).into_iter().map(|w| &text[w]));
    }
    let foreign = token_ranges(&truth)
        .into_iter()
        .any(|w| !known.contains(&truth[w]));
    let column = match () {
        () if right => 0,
        () if versions.theirs.slice(region.theirs) == truth => 1,
        () if foreign => 3,
        () => 2,
    };
    (column, truth)
}

/// What became of some lines of theirs in the answer.
fn stands_for(theirs: &Source, lines: LineRange, answer: &Source) -> Vec<u8> {
    let all = |text: &Source| -> Vec<Vec<u8>> {
        text.lines(text.all()).map(|l| l.bytes().to_vec()).collect()
    };
    let (old, new) = (all(theirs), all(answer));
    let old: Vec<&[u8]> = old.iter().map(Vec::as_slice).collect();
    let new: Vec<&[u8]> = new.iter().map(Vec::as_slice).collect();
    let hunks = changed_lines(&old, &new);
    let map = |n: u32, end: bool| -> u32 {
        let mut shift = 0i64;
        for (x, y) in &hunks {
            if x.end.0 < n || (x.end.0 == n && (end || x.start.0 < n)) {
                shift = i64::from(y.end.0) - i64::from(x.end.0);
            } else if x.start.0 < n {
                return if end { y.end.0 } else { y.start.0 };
            }
        }
        (i64::from(n) + shift) as u32
    };
    let (start, end) = (map(lines.start.0, false), map(lines.end.0, true));
    answer.slice(LineRange::new(start.min(end), end)).to_vec()
}

fn print(case: &Path, draft: &Draft, id: RegionId, name: &str, truth: &[u8]) {
    let (versions, region) = (draft.plan().versions(), draft.plan().region(id));
    println!(
        "=== {} region {} {name}",
        case.file_name().unwrap_or_default().to_string_lossy(),
        id.0
    );
    let part = |name: &str, text: &[u8]| println!("--- {name}\n{}", String::from_utf8_lossy(text));
    for version in [Version::Base, Version::Ours, Version::Theirs] {
        part(
            version.name(),
            versions.get(version).slice(region.lines(version)),
        );
    }
    let lines = draft.lines_of(id);
    let stands: Vec<u8> = lines
        .iter()
        .filter_map(|n| draft.line(n))
        .flat_map(|l| l.line.bytes().to_vec())
        .collect();
    part("proposed", &stands);
    part("answer", truth);
}
