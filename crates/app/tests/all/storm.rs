//! Five hundred random sizes, keys, drags and turns of the wheel, on every screen.
//!
//! `ARMISTICE_STORM=5000 cargo test storm` makes the storm longer.

use crate::kit::{Desk, Dice, Repo};
use armistice::base::theme::{Theme, ThemeOptions};
use armistice::state::action::Action;
use ratatui::crossterm::event::{KeyModifiers, MouseButton, MouseEvent, MouseEventKind};

fn size(dice: &mut Dice) -> (u16, u16) {
    (dice.roll(190) as u16 + 1, dice.roll(60) as u16 + 1)
}

fn mouse(dice: &mut Dice) -> MouseEvent {
    let button = MouseButton::Left;
    MouseEvent {
        kind: dice.one_of(&[
            MouseEventKind::Down(button),
            MouseEventKind::Drag(button),
            MouseEventKind::Up(button),
            MouseEventKind::ScrollDown,
            MouseEventKind::ScrollUp,
        ]),
        column: dice.roll(200) as u16,
        row: dice.roll(64) as u16,
        modifiers: KeyModifiers::NONE,
    }
}

/// Whatever neither writes files nor concludes nor closes the program.
const KEYS: &str = "2 3 5 6 ? : esc enter space o t b a A d u R z tab n p l e down up pageup pagedown left \
                    right home end L s i I r x W B O T K f * X v g G ctrl-r ctrl-f ctrl-y ctrl-z backspace";

#[test]
fn a_terminal_of_any_size_is_drawn_whole_whatever_the_state_knows_of_it() {
    let rounds = std::env::var("ARMISTICE_STORM").map_or(125, |n| n.parse().unwrap());
    let repo = Repo::demo("merge");
    let theme = Theme::new(&ThemeOptions::default());
    let mut desk = Desk::ruled(&repo.top, (160, 47));
    let files = desk.state.files.len();
    let keys: Vec<&str> = KEYS.split_whitespace().collect();
    let mut dice = Dice(20_261_125);
    for round in 0..rounds {
        if round % 40 == 0 {
            // Out of whatever stands in front, into another file.
            desk.press("esc esc 2");
            desk.state.docket.chosen = dice.roll(files);
            desk.press("enter");
        }
        for _ in 0..3 {
            match dice.roll(4) {
                0 => {
                    let mouse = mouse(&mut dice);
                    desk.act(Action::Mouse(mouse));
                }
                _ => drop(desk.press(dice.one_of(&keys))),
            }
            // The terminal has shrunk or grown already; the event that says so comes later.
            let size = size(&mut dice);
            let shown = desk.shows_on(size, &theme);
            assert_eq!(shown.lines().count(), size.1 as usize);
        }
        let (width, height) = size(&mut dice);
        desk.act(Action::Resize(width, height));
        assert_eq!(desk.shows().lines().count(), height as usize);
    }
}
