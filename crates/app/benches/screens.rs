//! From a key to its frame, and from nothing to the first frame.

use armistice::base::theme::{Theme, ThemeOptions};
use armistice::case::opened::OpenedFile;
use armistice::render::frame::draw;
use armistice::state::action::Action;
use armistice::state::app::State;
use armistice::state::file::{FileLoad, OpenFile};
use armistice::update::dispatch::update;
use armistice::view::areas::Screen;
use armistice_core::{AutoSettle, RuleContext, Source, Versions};
use armistice_git::{
    Case, Loaded, Mark, Mode, Oid, Operation, Party, RepoPath, Repository, Seen, Situation, Stage,
    Stages,
};
use divan::Bencher;
use ratatui::Terminal;
use ratatui::backend::TestBackend;
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use std::fmt::Write;
use std::process::{Command, Stdio};

fn main() {
    divan::main();
}

fn case(path: &str) -> Case {
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
    Case::new(RepoPath::new(path), stages)
}

/// A state over one file of 100,000 lines with a conflict every fifty.
fn long_draft() -> State {
    let text = |side: &str| {
        let line = |n: usize| match n % 50 {
            0 => format!("    let berth_{n} = {side}(tide, {n});\n"),
            _ => format!("    let berth_{n} = quay.at({n});\n"),
        };
        Source::new((0..100_000).map(line).collect::<String>())
    };
    let versions = Versions {
        base: text("base"),
        ours: text("ours"),
        theirs: text("theirs"),
    };
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
        cases: vec![case("src/quay.rs")],
        message: Default::default(),
    };
    let mut state = State::new(situation, (160, 47), 0);
    let opened = OpenedFile::open(
        &loaded,
        &[],
        &RuleContext::default(),
        AutoSettle::None,
        armistice::case::planning::LayOut::Best,
    );
    state.files[0].load = FileLoad::Lines(Box::new(OpenFile::new(opened)));
    press(&mut state, KeyCode::Enter);
    state
}

fn press(state: &mut State, code: KeyCode) {
    drop(update(
        state,
        Action::Key(KeyEvent::new(code, KeyModifiers::NONE)),
    ));
}

fn bench_keys(bencher: Bencher<'_, '_>, prepare: &[KeyCode], keys: &[KeyCode]) {
    let mut state = long_draft();
    for code in prepare {
        press(&mut state, *code);
    }
    let theme = Theme::new(&ThemeOptions::default());
    let mut terminal = Terminal::new(TestBackend::new(160, 47)).expect("a terminal in memory");
    let mut keys = keys.iter().cycle();
    bencher.bench_local(|| {
        press(&mut state, *keys.next().expect("it goes round"));
        terminal
            .draw(|f| draw(&state, &Screen::new(&state), &theme, f))
            .expect("it draws");
    });
}

#[divan::bench]
fn key_to_frame_next_open_conflict(bencher: Bencher<'_, '_>) {
    bench_keys(bencher, &[], &[KeyCode::Char('n')]);
}

#[divan::bench]
fn key_to_frame_settle_and_undo(bencher: Bencher<'_, '_>) {
    bench_keys(bencher, &[], &[KeyCode::Char('o'), KeyCode::Char('u')]);
}

#[divan::bench]
fn key_to_frame_page_down(bencher: Bencher<'_, '_>) {
    bench_keys(
        bencher,
        &[],
        &[KeyCode::PageDown, KeyCode::PageDown, KeyCode::PageUp],
    );
}

#[divan::bench]
fn key_to_frame_typing_in_the_editor(bencher: Bencher<'_, '_>) {
    bench_keys(bencher, &[KeyCode::Char('e')], &[KeyCode::Char('x')]);
}

/// From discovering the repository to a drawn Docket; contents follow later.
#[divan::bench(sample_count = 20)]
fn first_frame_with_1_000_conflicted_files(bencher: Bencher<'_, '_>) {
    let dir = tempfile::tempdir().expect("a folder");
    let git = |args: &[&str], stdin: &str| {
        let mut child = Command::new("git")
            .current_dir(dir.path())
            .args(args)
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .spawn()
            .expect("git runs");
        std::io::Write::write_all(&mut child.stdin.take().expect("a pipe"), stdin.as_bytes())
            .expect("git reads");
        let output = child.wait_with_output().expect("git ends");
        String::from_utf8_lossy(&output.stdout).trim().to_owned()
    };
    git(&["init", "-q"], "");
    let blobs =
        ["base\n", "ours\n", "theirs\n"].map(|text| git(&["hash-object", "-w", "--stdin"], text));
    let mut index = String::new();
    for n in 0..1000 {
        for (stage, oid) in (1..).zip(&blobs) {
            writeln!(index, "100644 {oid} {stage}\tsrc/berth_{n}.rs").expect("a string grows");
        }
    }
    git(&["update-index", "--index-info"], &index);
    let theme = Theme::new(&ThemeOptions::default());
    bencher.bench_local(|| {
        let repo = Repository::discover(dir.path()).expect("a repository");
        let situation = Situation::read(&repo).expect("a situation");
        assert_eq!(situation.cases.len(), 1000);
        let state = State::new(situation, (160, 47), 0);
        let mut terminal = Terminal::new(TestBackend::new(160, 47)).expect("a terminal in memory");
        terminal
            .draw(|f| draw(&state, &Screen::new(&state), &theme, f))
            .expect("it draws");
    });
}
