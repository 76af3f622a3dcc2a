//! Scrolling and unfolding the cards of the evidence.

use crate::state::app::State;
use crate::update::moving::with_view;
use crate::view::areas::Screen;
use crate::view::evidence::longest;
use crate::view::hit::shown_cards;

/// Scrolls a card by about a page.
pub(crate) fn page(state: &mut State, card: usize, down: bool) {
    let screen = Screen::new(state);
    let shown = state
        .open_file()
        .and_then(|file| shown_cards(file, &screen));
    let Some((cards, area)) = shown else {
        return state.say("side by side shows no cards; z leaves it");
    };
    let page = (area.height as usize / cards.len().clamp(1, 2)).saturating_sub(4);
    if !scroll(state, card, down, page.max(1)) {
        state.say("the whole card is visible");
    }
}

/// Scrolls a card by rows; whether it moved.
pub(crate) fn scroll(state: &mut State, card: usize, down: bool, rows: usize) -> bool {
    let screen = Screen::new(state);
    let Some(file) = state.open_file() else {
        return false;
    };
    let Some((_, area)) = shown_cards(file, &screen) else {
        return false;
    };
    let most = longest(state, file, card, area);
    let from = file.view.cards.down[card];
    let to = match down {
        true => (from + rows).min(most),
        false => from.saturating_sub(rows),
    };
    with_view(state, |file| file.view.cards.down[card] = to);
    from != to
}

/// Shows what is folded, or folds it.
pub(crate) fn unfold(state: &mut State) {
    with_view(state, |file| {
        file.view.cards.unfolded = !file.view.cards.unfolded;
        file.view.cards.down = [0; 3];
    });
    let unfolded = state.open_file().is_some_and(|f| f.view.cards.unfolded);
    state.say(match unfolded {
        true => "all lines are shown; f folds lines outside the conflict",
        false => "lines outside the conflict are folded",
    });
}
