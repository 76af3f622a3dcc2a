//! Moving about in Parley: rows, views, the mouse, what the keys say.

use crate::kit::{Desk, Repo};
use armistice::base::commands::{Command, Tab};
use armistice::base::keymap::KEYMAP;
use armistice::case::card_lines::Tone;
use armistice::case::choices::choices;
use armistice::case::evidence::{Lens, cards, pickable};
use armistice::case::load::CaseLoad;
use armistice::state::action::{Action, WorkResult};
use armistice::state::effect::FileId;
use armistice::state::file::FileLoad;
use armistice::view::areas::Screen;
use armistice::view::draft_rows::{DraftRow, DraftRows};
use armistice::view::hit::Hit;
use armistice_core::Version;
use ratatui::crossterm::event::{KeyModifiers, MouseEvent, MouseEventKind};
use ratatui::layout::Position;
use std::sync::LazyLock;

static DEMO: LazyLock<Repo> = LazyLock::new(|| Repo::demo("merge"));

fn desk(size: (u16, u16)) -> Desk {
    Desk::new(&DEMO.top, size)
}

/// Every row belongs to its region, and regions follow each other without gaps.
fn check_rows(desk: &Desk) {
    let file = desk.state.open_file().unwrap();
    let rows = DraftRows::new(file);
    let mut expected = 0;
    for (id, _) in file.plan().ids() {
        let (start, height) = rows.of(id);
        assert_eq!(start, expected);
        for row in start..start + height {
            assert_eq!(rows.at(row).unwrap().0, id);
        }
        if file.draft().is_open(id) {
            assert_eq!(rows.at(start).unwrap().1, DraftRow::Top);
            assert_eq!(rows.at(start + height - 1).unwrap().1, DraftRow::Bottom);
        }
        expected += height;
    }
    assert_eq!((rows.height(), rows.at(expected)), (expected, None));
    for line in 0..file.draft().len() as u32 {
        let line = armistice_core::LineIdx(line);
        let at = rows.at(rows.row_of(line));
        let previewed = rows.preview.as_ref().map(|p| p.region) == file.draft().region_at(line);
        assert!(previewed || at.unwrap().1 == DraftRow::Line(line));
    }
    assert!(rows.cursor() < rows.height());
}

#[test]
fn rows_cover_the_draft_whatever_is_decided() {
    for path in ["src/quay.rs", "tools/report.py", "config/prices.toml"] {
        let mut desk = desk((100, 30));
        desk.open(path);
        check_rows(&desk);
        for keys in [
            "right", "right", "right", "esc", "d", "N", "x", "u", "u", "n", "A", "l", "space",
            "esc", "R", "u",
        ] {
            desk.press(keys);
            check_rows(&desk);
        }
        while desk
            .state
            .open_file()
            .unwrap()
            .opened
            .session()
            .undoable()
            .is_some()
        {
            desk.press("u");
        }
    }
}

#[test]
fn the_cursor_stays_in_the_window() {
    for size in [(160, 47), (80, 24), (60, 16)] {
        let mut desk = desk(size);
        desk.open("web/timetable.html");
        for keys in [
            "G", "g", "n", "N", "P", "z", "G", "p", "z", "down", "up", "right", "right", "left",
            "esc",
        ] {
            desk.press(keys);
            let height = Screen::new(&desk.state).draft_area().height as usize;
            let file = desk.state.open_file().unwrap();
            let cursor = DraftRows::new(file).cursor();
            let window = file.view.top..file.view.top + height;
            assert!(
                window.contains(&cursor),
                "{size:?} {keys}: {cursor} in {window:?}"
            );
        }
    }
}

#[test]
fn next_and_previous_never_miss_a_conflict() {
    let mut desk = desk((100, 30));
    desk.open("tools/report.py");
    let all = desk.state.open_file().unwrap().plan().conflicts().to_vec();
    let here = |desk: &Desk| desk.state.open_file().unwrap().view.region;
    assert_eq!(here(&desk), all[0]);
    for id in &all[1..] {
        desk.press("n");
        assert_eq!(here(&desk), *id);
    }
    desk.press("n");
    assert_eq!(
        (here(&desk), desk.message()),
        (all[0], "from the top again")
    );
    desk.press("p");
    assert_eq!(
        (here(&desk), desk.message()),
        (all[all.len() - 1], "from the end again")
    );
}

#[test]
fn choices_that_would_give_the_same_lines_are_offered_once() {
    let repo = Repo::conflict("a.txt", "h\nt\n", "h\nours\nt\n", "h\ntheirs\nt\n");
    let mut desk = repo.desk();
    let file = desk.open("a.txt").state.open_file().unwrap();
    let keys: Vec<_> = choices(&file.opened, file.view.region)
        .iter()
        .map(|c| c.key)
        .collect();
    assert_eq!(
        keys,
        ["o", "t", "b", "a", "A"],
        "base and drop are the same here"
    );
}

#[test]
fn the_cards_follow_the_lens() {
    let mut desk = desk((160, 47));
    // The first one is a function that theirs alone added beside it.
    desk.open("src/quay.rs").press("n");
    let of = |desk: &Desk| {
        let file = desk.state.open_file().unwrap();
        let cards = cards(
            &file.opened,
            file.view.region,
            file.lens(),
            file.view.policy,
        );
        cards
            .iter()
            .map(|c| (c.party, c.summary.clone()))
            .collect::<Vec<_>>()
    };
    let deltas = of(&desk);
    assert_eq!(
        deltas[0],
        (Version::Ours, "re-worded 2 lines, added 1".to_owned())
    );
    assert_eq!(
        deltas[1],
        (
            Version::Theirs,
            "re-worded 3 lines · 2 of 3 clash".to_owned()
        )
    );
    desk.press("tab");
    assert_eq!(desk.state.open_file().unwrap().view.lens, Lens::Face);
    assert!(of(&desk)[0].1.starts_with("against ours: "));
    desk.press("tab");
    assert_eq!(of(&desk)[0], (Version::Ours, "4 lines".to_owned()));
    desk.press("tab");
    assert_eq!(of(&desk), deltas);
}

#[test]
fn words_that_changed_are_marked_in_the_line() {
    let mut desk = desk((160, 47));
    desk.open("src/quay.rs").press("n");
    let file = desk.state.open_file().unwrap();
    let cards = cards(
        &file.opened,
        file.view.region,
        file.lens(),
        file.view.policy,
    );
    let line = cards[0]
        .lines
        .iter()
        .find(|l| l.parts.iter().any(|(_, t)| t == "pop_first"))
        .unwrap();
    let text: String = line.parts.iter().map(|(_, text)| text.as_str()).collect();
    assert_eq!(text, "        let slot = self.free.[pop→pop_first]()?;");
    assert!(line.parts.contains(&(Tone::Removed, "pop".to_owned())));
    assert!(line.parts.contains(&(Tone::Added, "pop_first".to_owned())));
}

#[test]
fn lines_to_pick_come_from_all_three_versions_in_order() {
    let mut desk = desk((160, 47));
    let file = desk.open("config/prices.toml").state.open_file().unwrap();
    let picks = pickable(&file.opened, file.view.region);
    let of = |version| picks.iter().filter(|p| p.version == version).count();
    assert_eq!(
        (of(Version::Ours), of(Version::Theirs), of(Version::Base)),
        (1, 1, 1)
    );
    assert_eq!(picks[0].version, Version::Ours);
}

#[test]
fn every_tab_and_every_key_on_the_bar_can_be_clicked() {
    for size in [(160, 47), (100, 30), (80, 24)] {
        let mut desk = desk(size);
        desk.open("src/quay.rs");
        let shown = desk.shows();
        let rows: Vec<_> = shown.lines().collect();
        let screen = Screen::new(&desk.state);
        for tab in Tab::ALL {
            let text = format!("{} {}", tab.key(), tab.name());
            let x = rows[0][..rows[0].find(&text).unwrap()].chars().count() as u16;
            let hit = screen.hit(Position::new(x, 0));
            assert_eq!(hit, Some(Hit::Command(Command::Go(tab))), "{size:?}");
        }
        let bar = armistice::view::bars::key_bar(&desk.state, size.0);
        assert!(bar.len() >= 6, "{size:?}");
        let last = rows.last().unwrap();
        for key in bar {
            let label: String = last
                .chars()
                .skip(key.from as usize)
                .take((key.to - key.from) as usize)
                .collect();
            assert_eq!(
                label.trim_end(),
                format!("{} {}", key.key, key.label).trim_end(),
                "{size:?}"
            );
            let hit = screen.hit(Position::new(key.from, size.1 - 1));
            assert_eq!(hit, Some(Hit::Command(key.command)));
        }
    }
}

#[test]
fn the_wheel_scrolls_and_a_click_on_the_draft_goes_there() {
    let mut desk = desk((160, 47));
    desk.open("src/quay.rs").press("g");
    let mouse = |kind, row| {
        Action::Mouse(MouseEvent {
            kind,
            column: 20,
            row,
            modifiers: KeyModifiers::NONE,
        })
    };
    desk.act(mouse(MouseEventKind::ScrollDown, 10));
    let cursor = |desk: &Desk| DraftRows::new(desk.state.open_file().unwrap()).cursor();
    assert_eq!(cursor(&desk), 3);
    desk.act(mouse(
        MouseEventKind::Down(ratatui::crossterm::event::MouseButton::Left),
        13,
    ));
    assert_eq!(cursor(&desk), desk.state.open_file().unwrap().view.top + 10);
}

#[test]
fn dragging_selects_in_the_editor() {
    let repo = Repo::conflict("a.txt", "one\ntwo\n", "one\nours\n", "one\ntheirs\n");
    let mut desk = repo.desk();
    desk.open("a.txt").press("right e");
    let area = Screen::new(&desk.state).draft_area();
    let left = ratatui::crossterm::event::MouseButton::Left;
    for (kind, x) in [
        (MouseEventKind::Down(left), 0),
        (MouseEventKind::Drag(left), 2),
    ] {
        let (column, row) = (area.x + x, area.y + 1);
        desk.act(Action::Mouse(MouseEvent {
            kind,
            column,
            row,
            modifiers: KeyModifiers::NONE,
        }));
    }
    desk.type_text("Y").press("esc w");
    assert_eq!(repo.read("a.txt"), "one\nYrs\n");
}

#[test]
fn results_of_an_earlier_reading_are_dropped() {
    let mut desk = desk((100, 30));
    let before = desk.state.generation;
    desk.press("ctrl-r");
    assert_eq!(desk.state.generation, before + 1);
    let late = WorkResult::Loaded(vec![(FileId(0), CaseLoad::Failed("too late".to_owned()))]);
    desk.act(Action::Done(before, Box::new(late)));
    assert!(!matches!(desk.state.files[0].load, FileLoad::Failed(_)));
}

#[test]
fn every_key_does_no_harm_on_every_screen() {
    let repo = Repo::conflict("a.txt", "one\ntwo\n", "one\nours\n", "one\ntheirs\n");
    let before = (repo.unmerged(), repo.git(&["rev-parse", "HEAD"]));
    for start in ["2", "3", "5", "6"] {
        let mut desk = repo.desk();
        for binding in KEYMAP {
            // Those that write are tried elsewhere, each by itself.
            let writes = [
                Command::WriteFile,
                Command::WriteAll,
                Command::Conclude,
                Command::Quit,
            ];
            if writes.contains(&binding.command) {
                continue;
            }
            desk.press(start).press(binding.keys[0]).shows();
            desk.press("esc").shows();
            desk.press("esc esc");
        }
    }
    assert_eq!((repo.unmerged(), repo.git(&["rev-parse", "HEAD"])), before);
}

#[test]
fn help_lists_every_key_of_the_screen() {
    let mut desk = desk((160, 100));
    desk.open("src/quay.rs").press("?");
    let shown = desk.shows();
    for binding in armistice::base::keymap::rows_for(desk.state.context()) {
        // Long ones are wrapped.
        let head = &binding.help[..binding.help.len().min(60)];
        assert!(shown.contains(head), "{}", binding.help);
    }
}

#[test]
fn long_lines_scroll_and_come_back() {
    let long = "x".repeat(100);
    let repo = Repo::conflict("a.txt", "b\n", &format!("{long}END\n"), "t\n");
    let mut desk = repo.desk();
    desk.open("a.txt").press("right");
    let window = |desk: &Desk| -> String {
        let shown = desk.shows();
        shown.split("what each side did").next().unwrap().to_owned()
    };
    let cut = window(&desk);
    assert!(cut.contains("x›") && !cut.contains("xEND"), "{cut}");
    assert!(desk.shows().contains("> scroll"), "{}", desk.shows());
    // The card wraps it.
    assert!(desk.shows().contains("END"));
    desk.press("> > > >");
    let scrolled = window(&desk);
    assert!(
        scrolled.contains("xEND") && scrolled.contains("‹x"),
        "{scrolled}"
    );
    desk.press("< < < <");
    assert!(!window(&desk).contains("xEND"));
}
