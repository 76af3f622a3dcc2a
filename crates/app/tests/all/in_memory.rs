//! Choices, the geometry of the screens, and `update`, on files that exist in memory only.

use armistice::base::commands::{Command, Tab};
use armistice::case::choices::{PROPOSAL, choices};
use armistice::case::load::CaseLoad;
use armistice::case::opened::OpenedFile;
use armistice::state::action::{Action, WorkResult};
use armistice::state::app::State;
use armistice::state::effect::{Effect, FileId};
use armistice::state::file::Mode;
use armistice::state::overlay::Overlay;
use armistice::update::dispatch::{start, update};
use armistice::view::areas::Screen;
use armistice::view::draft_rows::DraftRows;
use armistice::view::hit::Hit;
use armistice_core::{
    AutoSettle, Event, RegionState, Resolution, RuleContext, Source, Version, Versions,
};
use armistice_git::{
    Case, IndexState, Loaded, Mark, Mode as FileMode, Oid, Operation, Party, Proof, RepoPath, Seen,
    Situation, Stage, Stages,
};
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use ratatui::layout::{Position, Rect};

const SIZES: [(u16, u16); 6] = [
    (160, 47),
    (120, 35),
    (100, 30),
    (80, 24),
    (60, 16),
    (300, 80),
];

fn case(path: &str) -> Case {
    let stage = |n: usize| {
        Some(Stage {
            mode: FileMode::File,
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

fn opened(base: &str, ours: &str, theirs: &str) -> OpenedFile {
    let loaded = Loaded {
        versions: Versions {
            base: Source::from(base),
            ours: Source::from(ours),
            theirs: Source::from(theirs),
        },
        binary: false,
        too_large: false,
        seen: Seen::Missing,
        commits: Vec::new(),
        folder: Vec::new(),
    };
    OpenedFile::open(
        &loaded,
        &[],
        &RuleContext::default(),
        AutoSettle::None,
        armistice::case::planning::LayOut::Best,
    )
}

fn situation(paths: &[&str]) -> Situation {
    let party = |label: &str| Party {
        label: label.to_owned(),
        commit: None,
    };
    Situation {
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
        cases: paths.iter().map(|path| case(path)).collect(),
        message: Default::default(),
    }
}

/// A merge of files in memory, each with its versions, loaded.
fn state_of(size: (u16, u16), files: &[(&str, [&str; 3])]) -> State {
    let paths: Vec<&str> = files.iter().map(|(path, _)| *path).collect();
    let mut state = State::new(situation(&paths), size, 0);
    start(&mut state);
    let load =
        |[base, ours, theirs]: [&str; 3]| CaseLoad::Lines(Box::new(opened(base, ours, theirs)));
    let loads = files
        .iter()
        .enumerate()
        .map(|(n, (_, texts))| (FileId(n), load(*texts)));
    let loaded = WorkResult::Loaded(loads.collect());
    let generation = state.generation;
    update(&mut state, Action::Done(generation, Box::new(loaded)));
    state
}

const QUAY: [&str; 3] = [
    "head\nmoor(ship);\nlog(ship);\nmiddle\nmiddle two\nmiddle three\nmiddle four\npay(fee);\ntail\n",
    "head\nmoor(tug);\nlog(tug, now);\nmiddle\nmiddle two\nmiddle three\nmiddle four\npay(fee, late);\ntail\n",
    "head\nmoor(ship, low);\nmiddle\nmiddle two\nmiddle three\nmiddle four\npay(toll);\ntail\n",
];

fn in_quay(size: (u16, u16)) -> State {
    let mut state = state_of(size, &[("src/quay.rs", QUAY), ("src/pier.rs", QUAY)]);
    press(&mut state, "enter");
    assert_eq!(state.tab, Tab::Parley);
    state
}

fn press(state: &mut State, key: &str) -> Vec<Effect> {
    let code = match key {
        "enter" => KeyCode::Enter,
        "esc" => KeyCode::Esc,
        "tab" => KeyCode::Tab,
        "left" => KeyCode::Left,
        "right" => KeyCode::Right,
        "space" => KeyCode::Char(' '),
        one => KeyCode::Char(one.chars().next().unwrap()),
    };
    update(state, Action::Key(KeyEvent::new(code, KeyModifiers::NONE)))
}

fn draft(state: &State) -> String {
    String::from_utf8(state.open_file().unwrap().draft().bytes()).unwrap()
}

fn keys_of(file: &OpenedFile) -> Vec<&'static str> {
    let id = file.plan().conflicts()[0];
    choices(file, id).iter().map(|choice| choice.key).collect()
}

mod the_choices {
    use super::*;

    #[test]
    fn are_those_that_give_different_lines() {
        for (texts, expected) in [
            // Each differs.
            (["b\n", "o\n", "t\n"], vec!["o", "t", "b", "a", "A", "d"]),
            // Nothing stood there: base and nothing at all are the same.
            (
                ["h\nt\n", "h\no\nt\n", "h\nu\nt\n"],
                vec!["o", "t", "b", "a", "A"],
            ),
            // Theirs took the lines out: both together are ours alone, nothing is theirs.
            (["h\nb\nt\n", "h\no\nt\n", "h\nt\n"], vec!["o", "t", "b"]),
            // The same the other way round.
            (["h\nb\nt\n", "h\nt\n", "h\no\nt\n"], vec!["o", "t", "b"]),
        ] {
            let [base, ours, theirs] = texts;
            let file = opened(base, ours, theirs);
            let without_rules = keys_of(&file).into_iter().filter(|key| *key != PROPOSAL);
            assert_eq!(without_rules.collect::<Vec<_>>(), expected, "{texts:?}");
        }
    }

    #[test]
    fn begin_with_what_a_rule_proposes() {
        let file = opened(
            "use harbour::tide;\n",
            "use harbour::pilot;\nuse harbour::tide;\n",
            "use harbour::crane;\nuse harbour::tide;\n",
        );
        let id = file.plan().conflicts()[0];
        let all = choices(&file, id);
        assert_eq!((all[0].key, all[0].lines), (PROPOSAL, 2));
        let ruling = file.proposal(id).unwrap();
        assert_eq!(Some(&all[0].resolution), ruling.resolution.as_ref());
    }

    #[test]
    fn say_how_many_lines_they_give_and_give_them() {
        let file = opened("b\nb2\n", "o\n", "t\nt2\nt3\n");
        let id = file.plan().conflicts()[0];
        for choice in choices(&file, id) {
            let mut own = file.clone();
            let entry = armistice_core::Entry::Settle(id, choice.resolution.clone());
            let step = armistice_core::Step::new("", vec![entry]);
            own.apply(&Event::Do(step)).unwrap();
            assert_eq!(
                own.draft().lines_of(id).len(),
                choice.lines,
                "{}",
                choice.label
            );
        }
    }

    #[test]
    fn offer_words_at_the_other_indentation_only_where_that_differs() {
        let base = "    moor(ship);\n    log(ship);\n    pay(fee);\n";
        let shifted = "        moor(ship);\n        log(ship);\n        pay(fee);\n";
        let worded = "    moor(tug);\n    log(tug);\n    pay(toll);\n";
        for [ours, theirs] in [[shifted, worded], [worded, shifted]] {
            let keys = keys_of(&opened(base, ours, theirs));
            assert!(keys.contains(&"i") && keys.contains(&"I"), "{keys:?}");
        }
        let keys = keys_of(&opened(base, worded, "    pay();\n"));
        assert!(!keys.contains(&"i") && !keys.contains(&"I"), "{keys:?}");
    }

    #[test]
    fn are_none_where_there_is_no_conflict() {
        let file = opened("a\nb\nc\nd\ne\n", "A\nb\nc\nd\ne\n", "a\nb\nc\nd\nE\n");
        for (id, _) in file.plan().ids() {
            assert_eq!(choices(&file, id), []);
        }
    }
}

mod the_geometry {
    use super::*;

    fn inside(inner: Rect, outer: Rect) -> bool {
        inner.is_empty() || outer.intersection(inner) == inner
    }

    #[test]
    fn keeps_every_area_on_the_screen_and_apart() {
        for size in SIZES {
            let mut state = in_quay(size);
            for keys in ["", "z", "z", "tab", "e", "esc", "l", "esc"] {
                if !keys.is_empty() {
                    press(&mut state, keys);
                }
                let screen = Screen::new(&state);
                let whole = Rect::new(0, 0, size.0, size.1);
                for area in [
                    screen.title(),
                    screen.left(),
                    screen.spine(),
                    screen.draft_area(),
                    screen.evidence(),
                ] {
                    assert!(inside(area, whole), "{size:?} {keys}: {area:?}");
                }
                let (left, evidence) = (screen.left(), screen.evidence());
                assert!(left.intersection(evidence).is_empty(), "{size:?} {keys}");
                assert!(inside(screen.draft_area(), left), "{size:?} {keys}");
                assert!(inside(screen.spine(), left), "{size:?} {keys}");
                assert!(screen.draft_area().height > 0, "{size:?} {keys}");
            }
        }
    }

    #[test]
    fn puts_evidence_beside_the_draft_where_there_is_room_and_under_it_elsewhere() {
        for size in SIZES {
            let state = in_quay(size);
            let screen = Screen::new(&state);
            let (left, evidence) = (screen.left(), screen.evidence());
            match screen.is_wide() {
                true => assert_eq!((evidence.y, evidence.x), (left.y, left.width), "{size:?}"),
                false => assert_eq!(
                    (evidence.x, evidence.y),
                    (0, left.y + left.height),
                    "{size:?}"
                ),
            }
        }
    }

    #[test]
    fn lists_and_what_they_are_about_never_overlap() {
        for size in SIZES {
            for tab in ["2", "5"] {
                let mut state = in_quay(size);
                press(&mut state, tab);
                let screen = Screen::new(&state);
                let (list, details) = (screen.list(), screen.details());
                // At the least size the checks of Proof leave no room for what they found.
                let room = size.1 >= 24 || state.tab == Tab::Docket;
                assert_eq!(list.height > 0, room, "{size:?} {tab}");
                if state.tab == Tab::Docket {
                    assert!(
                        list.intersection(details).is_empty(),
                        "{size:?}: {list:?} {details:?}"
                    );
                }
            }
        }
    }

    #[test]
    fn a_click_on_a_row_of_the_draft_goes_to_that_row() {
        for size in SIZES {
            let state = in_quay(size);
            let screen = Screen::new(&state);
            let area = screen.draft_area();
            let file = state.open_file().unwrap();
            let rows = DraftRows::new(file).height();
            let shown = (rows - file.view.top).min(area.height as usize);
            assert!(shown > 0, "{size:?}");
            for y in 0..shown {
                let hit = screen.hit(Position::new(area.x + 1, area.y + y as u16));
                assert_eq!(hit, Some(Hit::DraftRow(file.view.top + y)), "{size:?}");
            }
        }
    }

    #[test]
    fn every_choice_can_be_clicked_and_none_twice() {
        for size in [(160, 47), (100, 30), (80, 24)] {
            let state = in_quay(size);
            let screen = Screen::new(&state);
            let area = screen.evidence();
            let places = area.positions();
            let mut hits: Vec<usize> = places
                .filter_map(|at| match screen.hit(at) {
                    Some(Hit::Choice(nth)) => Some(nth),
                    _ => None,
                })
                .collect();
            hits.dedup();
            let n = state.open_file().unwrap().shown().choices.len();
            let mut seen = hits.clone();
            seen.sort_unstable();
            seen.dedup();
            assert_eq!(seen, (0..n).collect::<Vec<_>>(), "{size:?}");
        }
    }

    #[test]
    fn a_terminal_that_is_too_small_has_no_place_to_click() {
        for size in [(1, 1), (10, 3), (59, 40), (200, 10)] {
            let state = in_quay(size);
            let screen = Screen::new(&state);
            assert!(screen.too_small(), "{size:?}");
            for at in Rect::new(0, 0, size.0, size.1).positions() {
                assert_eq!(screen.hit(at), None);
            }
        }
    }
}

mod an_update {
    use super::*;

    #[test]
    fn what_is_staged_is_checked_one_after_the_other_and_concluded_only_then() {
        let mut state = in_quay((160, 47));
        let is_check = |effects: &[Effect]| effects.iter().any(|e| matches!(e, Effect::Prove));
        let is_end = |effects: &[Effect]| effects.iter().any(|e| matches!(e, Effect::End { .. }));
        let proved = |state: &mut State, staged: &str| {
            let proof = Proof {
                staged: staged.to_owned(),
                ..Proof::default()
            };
            let result = WorkResult::Proved(Ok(proof), Box::default());
            update(state, Action::Done(state.generation, Box::new(result)))
        };
        // The first check began with the program.
        assert!(!is_check(&press(&mut state, "5")), "one runs already");
        for file in &mut state.files {
            file.case.standing = IndexState::Staged;
        }
        let effects = [press(&mut state, "6"), press(&mut state, "c")].concat();
        assert!(!is_check(&effects) && !is_end(&effects), "{effects:?}");
        assert!(state.message.text.starts_with("checking what is staged"));
        // What it looked at may have changed since it began: it is checked once more.
        assert!(is_check(&proved(&mut state, "old")));
        let effects = proved(&mut state, "new");
        let Some(Effect::End { staged, .. }) = effects.first() else {
            panic!("{effects:?}");
        };
        assert_eq!(staged.as_deref(), Some("new"));
    }

    #[test]
    fn what_could_not_be_checked_is_not_concluded_unasked() {
        let mut state = in_quay((160, 47));
        for file in &mut state.files {
            file.case.standing = IndexState::Staged;
        }
        press(&mut state, "6");
        press(&mut state, "c");
        let failed = WorkResult::Proved(Err("the disk is gone".to_owned()), Box::default());
        let (generation, mut effects) = (state.generation, Vec::new());
        for _ in 0..2 {
            let failed = Box::new(failed.clone());
            effects = update(&mut state, Action::Done(generation, failed));
        }
        assert!(effects.is_empty(), "{effects:?}");
        let Some(Overlay::Question(question)) = &state.overlay else {
            panic!("nothing was asked: {}", state.message.text);
        };
        assert!(
            question
                .lines
                .iter()
                .any(|line| line.ends_with("the disk is gone"))
        );
    }

    #[test]
    fn records_a_decision_before_anything_else_happens() {
        let mut state = in_quay((160, 47));
        let effects = press(&mut state, "o");
        let recorded = effects.iter().position(|e| matches!(e, Effect::Record(..)));
        assert_eq!(recorded, Some(0), "{effects:?}");
        assert!(draft(&state).contains("log(tug, now);"));
        let file = state.open_file().unwrap();
        let id = file.plan().conflicts()[0];
        let expected = RegionState::Settled(Resolution::Take(Version::Ours));
        assert_eq!(*file.draft().standing(id), expected);
    }

    #[test]
    fn undo_and_redo_are_each_others_opposites() {
        let mut state = in_quay((100, 30));
        let fresh = draft(&state);
        let mut drafts = vec![fresh];
        for key in ["o", "n", "t", "a"] {
            press(&mut state, key);
            drafts.push(draft(&state));
        }
        drafts.dedup();
        assert!(drafts.len() > 3, "{drafts:?}");
        for expected in drafts.iter().rev().skip(1) {
            press(&mut state, "u");
            assert_eq!(draft(&state), *expected);
        }
        for expected in drafts.iter().skip(1) {
            press(&mut state, "U");
            assert_eq!(draft(&state), *expected);
        }
    }

    #[test]
    fn what_is_shown_always_belongs_to_the_region_at_hand() {
        let mut state = in_quay((160, 47));
        for key in [
            "n", "o", "p", "t", "u", "right", "esc", "tab", "N", "P", "r", "b", "R", "l", "esc",
            "z",
        ] {
            press(&mut state, key);
            let file = state.open_file().unwrap();
            let expected = choices(&file.opened, file.view.region);
            assert_eq!(file.shown().choices, expected, "after {key}");
        }
    }

    #[test]
    fn a_preview_changes_nothing_until_it_is_taken() {
        let mut state = in_quay((160, 47));
        let before = draft(&state);
        for _ in 0..3 {
            assert!(press(&mut state, "right").is_empty());
            assert_eq!(draft(&state), before);
        }
        let chosen = state.open_file().unwrap().previewed().unwrap().clone();
        let effects = press(&mut state, "enter");
        assert!(matches!(effects[0], Effect::Record(..)), "{effects:?}");
        let file = state.open_file().unwrap();
        let id = file.plan().conflicts()[0];
        assert_eq!(
            *file.draft().standing(id),
            RegionState::Settled(chosen.resolution)
        );
    }

    #[test]
    fn a_file_with_something_open_is_not_finished() {
        let mut state = in_quay((100, 30));
        press(&mut state, "o");
        let effects = press(&mut state, "w");
        assert!(
            !effects.iter().any(|e| matches!(e, Effect::Finish(..))),
            "{effects:?}"
        );
        while state.open_file().unwrap().draft().counts().open > 0 {
            press(&mut state, "n");
            press(&mut state, "t");
        }
        // A parser is asked first; nothing is written before it has answered.
        let asked = press(&mut state, "w");
        assert!(!asked.iter().any(|e| matches!(e, Effect::Finish(..))));
        let stamp = state.open_file().unwrap().view.syntax.asked.unwrap();
        let answer = WorkResult::SyntaxChecked(FileId(0), stamp, Vec::new());
        let effects = update(&mut state, Action::Done(0, Box::new(answer)));
        let finish = effects.iter().find_map(|effect| match effect {
            Effect::Finish(at, finish) => Some((*at, finish.clone())),
            _ => None,
        });
        let (at, finish) = finish.expect("now it is finished");
        assert_eq!(at, FileId(0));
        assert_eq!(finish.result.bytes(), draft(&state).into_bytes());
        assert_eq!(
            finish.lessons.len(),
            state.open_file().unwrap().plan().conflicts().len()
        );
    }

    #[test]
    fn the_same_again_asks_about_what_is_open_in_all_files() {
        let mut state = in_quay((100, 30));
        press(&mut state, "t");
        let effects = press(&mut state, ".");
        let Some(Effect::FindLike { plans, .. }) = effects.first() else {
            panic!("the rules are asked: {effects:?}");
        };
        let asked: Vec<usize> = plans.iter().map(|(_, _, ids)| ids.len()).collect();
        // One is settled in this file already, none in the other.
        assert_eq!(asked, [1, 2]);
        let other = state.file(FileId(1)).unwrap().open().unwrap();
        assert_eq!(
            other.draft().counts().open,
            2,
            "nothing is settled before they answer"
        );
    }

    #[test]
    fn the_editor_gives_back_what_was_typed_and_marks_it_by_hand() {
        let mut state = in_quay((160, 47));
        press(&mut state, "o");
        press(&mut state, "e");
        assert!(matches!(
            state.open_file().unwrap().view.mode,
            Mode::Edit(_)
        ));
        update(&mut state, Action::Paste("// by hand\n".to_owned()));
        let effects = press(&mut state, "esc");
        assert!(
            effects.iter().any(|e| matches!(e, Effect::Record(..))),
            "{effects:?}"
        );
        assert!(draft(&state).contains("// by hand\n"));
        let file = state.open_file().unwrap();
        let mut states = file.plan().ids().map(|(id, _)| file.draft().standing(id));
        assert!(states.any(|state| *state == RegionState::ByHand));
    }

    #[test]
    fn results_about_files_that_are_gone_do_no_harm() {
        let mut state = in_quay((100, 30));
        let late = CaseLoad::Failed("late".to_owned());
        let done = WorkResult::Loaded(vec![(FileId(99), late)]);
        let generation = state.generation;
        update(&mut state, Action::Done(generation, Box::new(done)));
        assert_eq!(state.files.len(), 2);
        assert!(state.file(FileId(99)).is_none());
    }

    #[test]
    fn no_size_moves_the_cursor_out_of_the_window() {
        let mut state = in_quay((160, 47));
        for size in SIZES.into_iter().chain([(1, 1), (60, 16), (160, 47)]) {
            update(&mut state, Action::Resize(size.0, size.1));
            let height = Screen::new(&state).draft_area().height as usize;
            let file = state.open_file().unwrap();
            let cursor = DraftRows::new(file).cursor();
            let shown = file.view.top..file.view.top + height.max(1);
            assert!(shown.contains(&cursor), "{size:?}: {cursor} in {shown:?}");
        }
    }

    #[test]
    fn each_screen_is_one_key_away_and_changes_nothing() {
        let mut state = in_quay((100, 30));
        let before = draft(&state);
        for tab in Tab::ALL {
            update(&mut state, Action::Command(Command::Go(tab)));
            assert_eq!(state.tab, tab);
        }
        update(&mut state, Action::Command(Command::Go(Tab::Parley)));
        assert_eq!(draft(&state), before);
        assert!(
            state
                .open_file()
                .unwrap()
                .opened
                .session()
                .steps()
                .is_empty()
        );
    }
}

mod the_bars {
    use super::*;
    use armistice::base::keymap::rows_for;
    use armistice::view::ask::matches;
    use armistice::view::bars::{key_bar, rail_tabs};
    use armistice::view::gate::gate;

    #[test]
    fn keys_on_the_bar_never_overlap_and_help_and_ask_are_always_there() {
        for size in SIZES {
            let mut state = in_quay(size);
            for key in ["2", "3", "e", "esc", "5", "6"] {
                press(&mut state, key);
                let bar = key_bar(&state, size.0);
                for pair in bar.windows(2) {
                    assert!(pair[0].to <= pair[1].from, "{size:?} {key}");
                }
                let last = bar.last().expect("there is a key");
                assert!(last.to <= size.0, "{size:?} {key}: {}", last.to);
                if !matches!(state.open_file().map(|f| &f.view.mode), Some(Mode::Edit(_))) {
                    let commands: Vec<_> = bar.iter().map(|key| key.command).collect();
                    assert!(commands.contains(&Command::Help), "{size:?} {key}");
                    assert!(commands.contains(&Command::Ask), "{size:?} {key}");
                }
            }
        }
    }

    #[test]
    fn tabs_stand_side_by_side_and_count_what_is_done() {
        let mut state = in_quay((160, 47));
        let texts = |state: &State| -> Vec<String> {
            let tabs = rail_tabs(state);
            assert!(tabs.windows(2).all(|pair| pair[0].3 <= pair[1].2));
            tabs.into_iter().map(|(_, text, ..)| text).collect()
        };
        assert_eq!(texts(&state)[1].trim(), "2 Docket 0/2");
        assert_eq!(texts(&state)[2].trim(), "3 Parley 0/2");
        press(&mut state, "o");
        assert_eq!(texts(&state)[2].trim(), "3 Parley 1/2");
        // Nothing was checked yet, so neither word that is green stands there.
        let all = texts(&state).concat();
        assert!(!all.contains("clean") && !all.contains("ready"), "{all}");
    }

    #[test]
    fn whatever_can_be_done_is_found_by_its_name() {
        let mut state = in_quay((160, 47));
        for key in ["2", "3", "5", "6"] {
            press(&mut state, key);
            for row in rows_for(state.context()).filter(|row| row.command != Command::Ask) {
                let found = matches(&state, row.label);
                let there = found.iter().any(|found| found.command == row.command);
                assert!(there, "{key}: {}", row.label);
            }
            assert!(matches(&state, "no such thing at all zzz").is_empty());
        }
    }

    #[test]
    fn the_gate_stays_shut_while_anything_is_open_or_only_settled() {
        let mut state = in_quay((160, 47));
        assert!(gate(&state).is_some());
        for file in 0..2 {
            while state.open_file().unwrap().draft().counts().open > 0 {
                press(&mut state, "n");
                press(&mut state, "o");
            }
            if file == 0 {
                press(&mut state, "]");
            }
        }
        assert_eq!(state.totals().0.open, 0);
        let why = gate(&state).expect("settled is not written and staged");
        assert!(why.contains("not finished"), "{why}");
    }
}
