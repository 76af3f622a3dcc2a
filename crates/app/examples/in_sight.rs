//! How often the question of a real conflict is on the screen without a key.
//!
//!     cargo run --release -p armistice --example in_sight FOLDER [WIDTHxHEIGHT ...]
//!
//! FOLDER holds cases as `scripts/real-corpus` makes them. Each is opened at its first open conflict,
//! drawn, and read from the cells: of the rows that both sides changed, are all words that each side
//! put there to be seen? Where they are more than the screen has rows, the first screenful of them is
//! asked for. Rows that end in the middle of a text without a sign are counted too.

use armistice::base::theme::{Theme, ThemeOptions};
use armistice::case::opened::OpenedFile;
use armistice::render::frame::draw;
use armistice::state::action::Action;
use armistice::state::app::State;
use armistice::state::file::{FileLoad, OpenFile};
use armistice::update::dispatch::update;
use armistice::view::areas::Screen;
use armistice_core::{
    AutoSettle, DeltaRow, LineIdx, RuleContext, Side, Source, Span, Version, Versions, delta, spans,
};
use armistice_git::{
    Case, Loaded, Mark, Mode, Oid, Operation, Party, RepoPath, Seen, Situation, Stage, Stages,
};
use ratatui::Terminal;
use ratatui::backend::TestBackend;
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use std::collections::{BTreeMap, HashSet};
use std::path::Path;

fn main() {
    let mut words = std::env::args().skip(1);
    let folder = words.next().expect("a folder of cases");
    let mut sizes: Vec<(u16, u16)> = words.filter_map(|word| size(&word)).collect();
    if sizes.is_empty() {
        sizes = vec![(160, 47), (100, 30), (80, 24)];
    }
    let mut cases: Vec<_> = std::fs::read_dir(folder)
        .expect("a folder of cases")
        .flatten()
        .map(|entry| entry.path())
        .collect();
    cases.sort();
    for size in sizes {
        let (mut seen, mut all, mut cut) = (0, 0, 0);
        let mut missed = Vec::new();
        for case in &cases {
            let Some(found) = look(case, size) else {
                continue;
            };
            all += 1;
            seen += usize::from(found.missing.is_empty());
            cut += usize::from(found.cut > 0);
            if !found.missing.is_empty() {
                missed.push((case.display().to_string(), found.missing));
            }
        }
        println!(
            "{}x{}: {seen} of {all} in sight, {cut} with rows cut without a sign",
            size.0, size.1
        );
        for (case, missing) in missed.iter().take(if sizes_are_few() { 40 } else { 0 }) {
            println!("  {case}: {missing:?}");
        }
    }
}

fn sizes_are_few() -> bool {
    std::env::var_os("IN_SIGHT_LIST").is_some()
}

fn size(word: &str) -> Option<(u16, u16)> {
    let (width, height) = word.split_once('x')?;
    Some((width.parse().ok()?, height.parse().ok()?))
}

struct Found {
    /// Words that are not to be seen.
    missing: Vec<String>,
    cut: usize,
}

fn look(folder: &Path, size: (u16, u16)) -> Option<Found> {
    let read = |name: &str| Some(Source::new(std::fs::read(folder.join(name)).ok()?));
    let versions = Versions {
        base: read("base")?,
        ours: read("ours")?,
        theirs: read("theirs")?,
    };
    let name = std::fs::read_to_string(folder.join("name")).unwrap_or_default();
    let mut state = state(versions.clone(), name.trim(), size)?;
    press(&mut state, KeyCode::Char('3'));
    let file = state.open_file()?;
    let region = *file.plan().region(file.view.region);
    file.draft().open().next()?;
    let theme = Theme::new(&ThemeOptions::default());
    let mut terminal = Terminal::new(TestBackend::new(size.0, size.1)).ok()?;
    terminal
        .draw(|frame| draw(&state, &Screen::new(&state), &theme, frame))
        .ok()?;
    let cells = terminal.backend().buffer().clone();
    let row = |y: u16| -> String { (0..size.0).map(|x| cells[(x, y)].symbol()).collect() };
    let rows: Vec<String> = (0..size.1).map(row).collect();
    if std::env::var_os("IN_SIGHT_SHOW").is_some() {
        rows.iter().for_each(|row| println!("{row}"));
    }
    let there: HashSet<String> = rows.iter().flat_map(|row| words(row)).collect();

    // What each side did to each row of base, and put in before it.
    let mut edits: [BTreeMap<(u32, bool), Vec<String>>; 2] = Default::default();
    for side in Side::BOTH {
        let version = Version::from(side);
        let text = versions.get(version);
        let lines = region.lines(version);
        let mut next = region.base.end.0;
        let delta = delta(&versions.base, region.base, text, lines);
        for row in delta.rows.iter().rev() {
            let (key, new) = match *row {
                DeltaRow::Kept(a, _) | DeltaRow::Reindented(a, _) | DeltaRow::Respaced(a, _) => {
                    next = a.0;
                    continue;
                }
                DeltaRow::Removed(a) => {
                    next = a.0;
                    ((a.0, false), Vec::new())
                }
                DeltaRow::Added(b) => ((next, true), line_words(text, b)),
                DeltaRow::Reworded(a, b) => {
                    next = a.0;
                    ((a.0, false), changed_words(&versions.base, a, text, b))
                }
            };
            edits[side as usize].entry(key).or_default().extend(new);
        }
    }
    let [ours, theirs] = &edits;
    let both: Vec<_> = ours
        .keys()
        .filter(|key| theirs.contains_key(key))
        .copied()
        .collect();
    let keys: Vec<_> = match both.is_empty() {
        true => ours.keys().chain(theirs.keys()).copied().collect(),
        false => both,
    };
    let mut missing = Vec::new();
    // A screenful: each side's rows, its head and what is around them.
    let screenful = (size.1 as usize).saturating_sub(24).max(4) / 2;
    for side in [ours, theirs] {
        for key in keys.iter().take(screenful) {
            let wanted = side.get(key).into_iter().flatten().take(screenful * 8);
            missing.extend(wanted.filter(|word| !there.contains(*word)).cloned());
        }
    }
    missing.truncate(6);
    let cut = cut_rows(&cells, size, &versions);
    Some(Found { missing, cut })
}

/// Rows in which a text of the file touches an edge of its area without a sign that it goes on.
fn cut_rows(cells: &ratatui::buffer::Buffer, size: (u16, u16), versions: &Versions) -> usize {
    let edges: Vec<u16> = match size.0 >= 120 {
        true => vec![size.0 / 2 - 2, size.0 - 1],
        false => vec![size.0 - 2, size.0 - 1],
    };
    let whole: String = Version::ALL
        .map(|version| String::from_utf8_lossy(versions.get(version).bytes()).into_owned())
        .concat();
    let mut cut = 0;
    for y in 3..size.1.saturating_sub(2) {
        for edge in &edges {
            let text: String = (edge.saturating_sub(24)..=*edge)
                .map(|x| cells[(x, y)].symbol())
                .collect();
            let text = text.trim_start();
            let full = !text.ends_with([' ', '›', '…', '─', '│', '┐', '┘', '·']);
            if full
                && text.len() > 16
                && whole.contains(text)
                && !whole.contains(&format!("{text}\n"))
            {
                cut += 1;
            }
        }
    }
    cut
}

fn words(text: &str) -> Vec<String> {
    let word = |c: char| c.is_alphanumeric() || c == '_';
    let all = text.split(|c| !word(c)).filter(|word| !word.is_empty());
    all.map(str::to_owned).collect()
}

fn line_words(text: &Source, at: LineIdx) -> Vec<String> {
    words(&String::from_utf8_lossy(text.line(at).content()))
}

fn changed_words(old: &Source, a: LineIdx, new: &Source, b: LineIdx) -> Vec<String> {
    let (old, new) = (old.line(a).content(), new.line(b).content());
    let changed = spans(old, new).into_iter().filter_map(|span| match span {
        Span::Changed(_, is) => Some(words(&String::from_utf8_lossy(&new[is]))),
        Span::Kept(_) => None,
    });
    changed.flatten().collect()
}

fn state(versions: Versions, name: &str, size: (u16, u16)) -> Option<State> {
    let loaded = Loaded {
        versions,
        binary: false,
        too_large: false,
        seen: Seen::Missing,
        commits: Vec::new(),
        folder: Vec::new(),
    };
    let party = |label: &str| Party {
        label: label.to_owned(),
        commit: None,
    };
    let stage = |n: usize| {
        Some(Stage {
            mode: Mode::File,
            oid: Oid(format!("{n:040}")),
        })
    };
    let stages = Stages {
        base: stage(1),
        ours: stage(2),
        theirs: stage(3),
    };
    let situation = Situation {
        driven: Vec::new(),
        steps: Vec::new(),
        upstream: None,
        driven_is_committed: false,
        foreseen: None,
        stash: None,
        operation: Operation::Merge,
        mark: Mark {
            operation: Operation::Merge,
            head: None,
            incoming: None,
        },
        branch: None,
        merged_before: Vec::new(),
        ours: party("harbour/main"),
        theirs: party("night-pilotage"),
        cases: vec![Case::new(RepoPath::new(name), stages)],
        message: Default::default(),
    };
    let mut state = State::new(situation, size, 0);
    let context = RuleContext {
        path: name.to_owned(),
        ..RuleContext::default()
    };
    let opened = OpenedFile::open(
        &loaded,
        &[],
        &context,
        AutoSettle::Certain,
        armistice::case::planning::LayOut::Best,
    );
    state.files[0].load = FileLoad::Lines(Box::new(OpenFile::new(opened)));
    Some(state)
}

fn press(state: &mut State, code: KeyCode) {
    let key = KeyEvent::new(code, KeyModifiers::NONE);
    drop(update(state, Action::Key(key)));
}
