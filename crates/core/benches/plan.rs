//! How long planning and replaying take on long files.

use armistice_core::{
    Draft, Entry, Event, Options, Resolution, RuleContext, Session, Source, Step, Version, audit,
    plan, propose_all,
};
use divan::Bencher;
use std::sync::Arc;

fn main() {
    divan::main();
}

/// A small generator, so that every run sees the same text.
struct Numbers(u64);

impl Numbers {
    fn below(&mut self, n: usize) -> usize {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0 % n as u64) as usize
    }
}

fn text(lines: usize, distinct: usize) -> Vec<String> {
    let mut numbers = Numbers(7);
    (0..lines)
        .map(|_| {
            format!(
                "    berth {} is free at low water\n",
                numbers.below(distinct)
            )
        })
        .collect()
}

fn edited(base: &[String], edits: usize, seed: u64) -> Source {
    let mut numbers = Numbers(seed);
    let mut lines = base.to_vec();
    for n in 0..edits {
        let at = numbers.below(lines.len());
        match n % 3 {
            0 => lines[at] = format!("    ship {n} has left\n"),
            1 => lines.insert(at, format!("    ship {n} has come\n")),
            _ => drop(lines.remove(at)),
        }
    }
    Source::new(lines.concat())
}

fn versions(lines: usize, distinct: usize, edits: usize) -> (Source, Source, Source) {
    let base = text(lines, distinct);
    let (ours, theirs) = (edited(&base, edits, 11), edited(&base, edits, 13));
    (Source::new(base.concat()), ours, theirs)
}

#[divan::bench]
fn ordinary_100_000_lines_2_000_edits_a_side(bencher: Bencher<'_, '_>) {
    let (b, o, t) = versions(100_000, 1_000_000, 2_000);
    bencher.bench(|| plan(&b, &o, &t, &Options::default()));
}

#[divan::bench]
fn repetitive_100_000_lines_2_000_edits_a_side(bencher: Bencher<'_, '_>) {
    let (b, o, t) = versions(100_000, 6, 2_000);
    bencher.bench(|| plan(&b, &o, &t, &Options::default()));
}

#[divan::bench]
fn rules_on_100_000_lines_2_000_edits_a_side(bencher: Bencher<'_, '_>) {
    let (b, o, t) = versions(100_000, 1_000_000, 2_000);
    let plan = plan(&b, &o, &t, &Options::default());
    bencher.bench(|| propose_all(&plan, &RuleContext::default()));
}

#[divan::bench]
fn rules_on_2_000_conflicts(bencher: Bencher<'_, '_>) {
    let side = |word: &str| -> String {
        let line = |n: usize| match n % 5 {
            0 => format!("    let slot_{n} = quay.{word}(ship, tide_{n});\n"),
            _ => format!("    moor(ship, berth_{n});\n"),
        };
        (0..10_000).map(line).collect()
    };
    let [b, o, t] = ["find", "reserve", "take"].map(|w| Source::new(side(w)));
    let plan = plan(&b, &o, &t, &Options::default());
    bencher.bench(|| propose_all(&plan, &RuleContext::default()));
}

#[divan::bench]
fn accounting_for_100_000_lines(bencher: Bencher<'_, '_>) {
    let (b, o, t) = versions(100_000, 1_000_000, 2_000);
    let draft = Draft::new(Arc::new(plan(&b, &o, &t, &Options::default())));
    bencher.bench(|| audit(&draft, None));
}

#[divan::bench]
fn replaying_500_decisions_of_100_000_lines(bencher: Bencher<'_, '_>) {
    let (b, o, t) = versions(100_000, 1_000_000, 2_000);
    let plan = Arc::new(plan(&b, &o, &t, &Options::default()));
    let regions: Vec<_> = plan.ids().map(|(id, _)| id).collect();
    let settle = |n: usize| Entry::Settle(regions[n * 3], Resolution::Take(Version::Base));
    let step = |n| Event::Do(Step::new("", vec![settle(n)]));
    let events: Vec<_> = (0..500).map(step).collect();
    bencher.bench(|| Session::replay(plan.clone(), &events));
}
