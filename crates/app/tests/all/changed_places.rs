//! Similar functions that changed places on one side, with edits on both: an edit arrives in the function
//! that its author changed, or a person is asked.

use crate::certainty::settled;
use crate::kit::Dice;
use armistice_core::Certainty;
use std::collections::{BTreeMap, BTreeSet};

/// How a language writes a function: what comes before its name, after it, before a statement and at the
/// end.
struct Language {
    path: &'static str,
    frame: [&'static str; 2],
    function: [&'static str; 4],
}

const LANGUAGES: [Language; 9] = [
    Language {
        path: "a.rs",
        frame: ["", ""],
        function: ["fn ", "(data: &str) {", "    ", "}"],
    },
    Language {
        path: "a.py",
        frame: ["", ""],
        function: ["def ", "(data):", "    ", ""],
    },
    Language {
        path: "a.js",
        frame: ["", ""],
        function: ["function ", "(data) {", "  ", "}"],
    },
    Language {
        path: "a.go",
        frame: ["package quay\n\n", ""],
        function: ["func ", "(data string) {", "\t", "}"],
    },
    Language {
        path: "Quay.java",
        frame: ["class Quay {\n", "}\n"],
        function: ["    void ", "(String data) {", "        ", "    }"],
    },
    Language {
        path: "a.c",
        frame: ["", ""],
        function: ["int ", "(const char *data)\n{", "    ", "}"],
    },
    Language {
        path: "a.rb",
        frame: ["", ""],
        function: ["def ", "(data)", "  ", "end"],
    },
    Language {
        path: "a.kt",
        frame: ["", ""],
        function: ["fun ", "(data: String) {", "    ", "}"],
    },
    Language {
        path: "a.lua",
        frame: ["", ""],
        function: ["function ", "(data)", "  ", "end"],
    },
];

type Functions = BTreeMap<&'static str, Vec<String>>;

fn text(language: &Language, order: &[&str], functions: &Functions) -> String {
    let [before, after, indentation, end] = language.function;
    let of = |name: &&str| {
        let stop = match end {
            "}" | "    }" => ";",
            _ => "",
        };
        let rows = functions[*name].iter();
        let rows = rows.map(|row| format!("{indentation}{row}{stop}\n"));
        let rows: String = rows.collect();
        let end = match end {
            "" => String::new(),
            end => format!("{end}\n"),
        };
        format!("{before}{name}{after}\n{rows}{end}")
    };
    let all: Vec<String> = order.iter().map(of).collect();
    let [first, last] = language.frame;
    format!("{first}{}{last}", all.join("\n"))
}

/// What one side does to a row of a function.
#[derive(Clone)]
enum Edit {
    Put(String),
    Change(String),
    Remove,
}

fn edited(rows: &[String], edits: &BTreeMap<usize, Edit>) -> Vec<String> {
    let row = |(at, row): (usize, &String)| match edits.get(&at) {
        None => vec![row.clone()],
        Some(Edit::Put(new)) => vec![new.clone(), row.clone()],
        Some(Edit::Change(new)) => vec![new.clone()],
        Some(Edit::Remove) => Vec::new(),
    };
    rows.iter().enumerate().flat_map(row).collect()
}

/// Base, ours and theirs, and what comes of them.
fn merge(language: &Language, dice: &mut Dice) -> ([String; 3], String) {
    let mut names = vec!["load", "loads", "dump", "dumps", "read_one", "read_all"];
    let mut order: Vec<&'static str> = Vec::new();
    for _ in 0..2 + dice.roll(3) {
        order.push(names.swap_remove(dice.roll(names.len())));
    }
    let alike = dice.roll(3) > 0;
    let functions: Functions = order
        .iter()
        .map(|name| {
            let mut rows: Vec<String> = ["check", "trace", "send", "close"]
                .map(|call| format!("{call}(data)"))
                .to_vec();
            if !alike {
                rows[1] = format!("{name}_step(data)");
            }
            (*name, rows)
        })
        .collect();
    let mut moved = order.clone();
    moved.rotate_left(1 + dice.roll(order.len() - 1));
    let mut edits = [Functions::new(), functions.clone(), functions.clone()];
    edits[0] = functions.clone();
    let mut taken: BTreeSet<(&str, usize)> = BTreeSet::new();
    let mut of_both: BTreeMap<&str, BTreeMap<usize, Edit>> = BTreeMap::new();
    for side in [1, 2] {
        let mut own: BTreeMap<&str, BTreeMap<usize, Edit>> = BTreeMap::new();
        for nth in 0..1 + dice.roll(3) {
            let (name, at) = (order[dice.roll(order.len())], dice.roll(4));
            let around = at.saturating_sub(1)..=at + 1;
            if around.clone().any(|at| taken.contains(&(name, at))) {
                continue;
            }
            taken.insert((name, at));
            let call = format!("side_{side}_edit_{nth}(data)");
            let edit = match dice.roll(3) {
                0 => Edit::Put(call),
                1 => Edit::Change(call),
                _ => Edit::Remove,
            };
            own.entry(name).or_default().insert(at, edit.clone());
            of_both.entry(name).or_default().insert(at, edit);
        }
        for (name, own) in own {
            edits[side].insert(name, edited(&functions[name], &own));
        }
    }
    let both = functions.iter().map(|(name, rows)| {
        let none = BTreeMap::new();
        (*name, edited(rows, of_both.get(name).unwrap_or(&none)))
    });
    let both: Functions = both.collect();
    let mover = 1 + dice.roll(2);
    let texts = [0, 1, 2].map(|side| {
        let order = if side == mover { &moved } else { &order };
        text(language, order, &edits[side])
    });
    (texts, text(language, &moved, &both))
}

/// How many merges in each language; more are made with `ARMISTICE_MERGES=200`.
fn rounds() -> usize {
    let set = std::env::var("ARMISTICE_MERGES").ok();
    set.and_then(|n| n.parse().ok()).unwrap_or(40)
}

#[test]
fn an_edit_never_lands_in_another_function() {
    let mut dice = Dice(7);
    let (mut right, mut wrong) = (0, Vec::new());
    for _ in 0..rounds() {
        for language in &LANGUAGES {
            let (texts, expected) = merge(language, &mut dice);
            let [base, ours, theirs] = &texts;
            let (certainty, text) = settled(language.path, [base, ours, theirs]);
            match certainty {
                Some(_) if text == expected => right += 1,
                Some(Certainty::Hint) | None => {}
                Some(certainty) => wrong.push(format!(
                    "{} {certainty:?}\n{base}\n── ours\n{ours}\n── theirs\n{theirs}\n── result\n{text}",
                    language.path
                )),
            }
        }
    }
    assert!(wrong.is_empty(), "{}: {}", wrong.len(), wrong.join("\n\n"));
    assert!(right * 2 > rounds() * LANGUAGES.len(), "{right} settled");
}
