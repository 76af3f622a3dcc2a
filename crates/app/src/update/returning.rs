//! Noting where a person is, and going back there when the program is opened again.

use crate::base::commands::Tab;
use crate::case::place::Place;
use crate::state::app::State;
use crate::state::effect::{Effect, FileId};
use crate::update::files::show_file;
use crate::update::moving::show;
use armistice_core::RegionId;

/// Where the repository stands, as a place knows it.
fn standing(state: &State) -> String {
    let mark = &state.situation.mark;
    let name = |oid: &Option<String>| oid.clone().unwrap_or_default();
    format!("{} {}", name(&mark.head), name(&mark.incoming))
}

/// Where the person is now, if that is in a file.
fn place(state: &State) -> Option<Place> {
    let at = match state.tab {
        Tab::Parley => state.file,
        _ => state.chosen(),
    };
    let file = state.file(at)?;
    let view = file.open().map(|open| &open.view);
    Some(Place {
        of: standing(state),
        tab: state.tab,
        path: file.case.path.hex(),
        region: view.map_or(RegionId(0), |view| view.region),
        lens: view.map(|view| view.lens).unwrap_or_default(),
        wide: view.is_some_and(|view| view.wide),
    })
}

/// Notes where the person is, if they went anywhere since it was noted. Who only looked in has
/// nothing written for them.
pub(crate) fn note(state: &mut State) -> Vec<Effect> {
    let Some(now) = place(state).filter(|_| state.returning.is_none()) else {
        return Vec::new();
    };
    let at_start = state.noted.is_none() && now.tab == Tab::Docket && !state.docket.moved;
    if at_start || state.noted.as_ref() == Some(&now) {
        return Vec::new();
    }
    state.noted = Some(now.clone());
    vec![Effect::SavePlace(now)]
}

/// Goes back to where the person was, as far as it is read by now.
pub fn return_to(state: &mut State, place: Option<Place>) {
    let Some(place) = place.filter(|place| place.of == standing(state)) else {
        return;
    };
    let at = state
        .ids()
        .find(|(_, file)| file.case.path.hex() == place.path);
    let Some(at) = at.map(|(at, _)| at) else {
        return;
    };
    state.docket.chosen = at.0;
    state.docket.moved = true;
    state.file = at;
    match place.tab {
        Tab::Parley => {}
        tab => state.tab = tab,
    }
    state.noted = Some(place.clone());
    state.returning = Some(place);
}

/// A file was read: if it is the one that the person was in, its place in it comes back.
pub(crate) fn arrived(state: &mut State, at: FileId) {
    let Some(place) = state.returning.take_if(|_| state.file == at) else {
        return;
    };
    let Some(open) = state.file_mut(at).and_then(|file| file.open_mut()) else {
        return;
    };
    (open.view.lens, open.view.wide) = (place.lens, place.wide);
    if (place.region.0 as usize) < open.plan().regions().len() {
        show(open, place.region);
    }
    // Whoever has gone elsewhere meanwhile stays there.
    if place.tab == Tab::Parley && state.tab == Tab::Docket {
        let effects = show_file(state, at);
        debug_assert!(effects.is_empty(), "it is read");
        let path = state[at].case.path.to_string();
        if state.message.text.is_empty() {
            state.say(format!(
                "{path}: resumed where you left off; 2 lists all files"
            ));
        }
    }
}
