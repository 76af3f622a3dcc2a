//! Hit testing: what a click or a turn of the wheel at some place of the screen means.

use crate::base::commands::{Command, Tab};
use crate::base::editor::Editor;
use crate::base::keymap::KeyContext;
use crate::base::safe_text::byte_at;
use crate::case::evidence::Card;
use crate::state::app::State;
use crate::state::file::{Mode, OpenFile};
use crate::state::overlay::Answer;
use crate::state::overlay::Overlay;
use crate::view::areas::Screen;
use crate::view::bars::{key_bar, rail_tabs};
use crate::view::cards::CardRow;
use crate::view::draft_rows::DraftRows;
use crate::view::evidence::{columns, is_low, low_cells, parts, per_row, rows_above};
use crate::view::questions::question_areas;
use crate::view::scout::ScoutAreas;
use crate::view::staged::StagedAreas;
use crate::view::terrain::{TerrainAreas, terrain_columns};
use armistice_core::Version;
use ratatui::layout::{Position, Rect};

/// What a click means.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Hit {
    Command(Command),
    DocketRow(usize),
    ProofRow(usize),
    /// A row of Terrain, and in which column.
    TerrainRow(usize, Option<Version>),
    /// A file of what is staged.
    /// A row of Scout's lists, by its number.
    Counterpart(usize),
    ForecastRow(usize),
    StagedRow(usize),
    /// A row of the draft.
    DraftRow(usize),
    /// A place on the spine, as a row of the draft.
    Spine(usize),
    Choice(usize),
    /// A line that can be picked.
    Pick(usize),
    /// A place in the text being edited.
    Text {
        line: usize,
        byte: usize,
    },
    /// Yes or no to a question.
    Answer(Answer),
}

/// The cards as they are laid out on the screen, and their area; nothing where they are not shown.
pub(crate) fn shown_cards<'a>(
    file: &'a OpenFile,
    screen: &Screen<'_>,
) -> Option<(&'a [Card], Rect)> {
    let area = screen.evidence();
    let is_shown = !file.view.wide || !matches!(file.view.mode, Mode::Look);
    (is_shown && area.height > 0).then(|| (&file.shown().cards[..], parts(file, area).cards))
}

impl Screen<'_> {
    /// The card of the evidence that is at a place.
    pub fn card_at(&self, at: Position) -> Option<usize> {
        let file = self
            .state
            .open_file()
            .filter(|_| self.state.tab == Tab::Parley)?;
        let (cards, area) = shown_cards(file, self).filter(|(_, area)| area.contains(at))?;
        let columns = columns(self.state, file, cards, area);
        let column = columns
            .into_iter()
            .find(|column| column.area.contains(at))?;
        let rows = column.rows;
        let above = rows.get(..=(at.y - area.y) as usize).unwrap_or(&rows);
        let head = |row: &CardRow| match row {
            CardRow::Head(card) => Some(*card),
            _ => None,
        };
        above.iter().rev().find_map(head)
    }

    /// What a click at a place means.
    pub fn hit(&self, at: Position) -> Option<Hit> {
        if self.too_small() {
            return None;
        }
        if let Some(overlay) = &self.state.overlay {
            return self.hit_overlay(overlay, at);
        }
        if self.rail.contains(at) {
            let tabs = rail_tabs(self.state);
            let tab = tabs
                .iter()
                .find(|(_, _, from, to)| (*from..*to).contains(&at.x))?;
            return Some(Hit::Command(Command::Go(tab.0)));
        }
        if self.keys.contains(at) {
            let keys = key_bar(self.state, self.keys.width);
            let key = keys.iter().find(|key| (key.from..key.to).contains(&at.x))?;
            return Some(Hit::Command(key.command));
        }
        if let Some(view) = &self.state.staged
            && self.state.context() == KeyContext::Staged
        {
            let files = StagedAreas::new(self.state).files;
            let row = || view.files.top + (at.y - files.y) as usize;
            return files.contains(at).then(|| Hit::StagedRow(row()));
        }
        match self.state.tab {
            Tab::Scout => {
                let areas = ScoutAreas::new(self.state);
                let row = |area: Rect, top: usize| {
                    let inside = area.contains(at) && at.y > area.y;
                    inside.then(|| top + (at.y - area.y - 1) as usize)
                };
                let scout = &self.state.scout;
                let counterpart = row(areas.counterparts, scout.list.top).map(Hit::Counterpart);
                counterpart.or_else(|| row(areas.forecast, scout.rows.top).map(Hit::ForecastRow))
            }
            Tab::Docket => self.list_row(at, self.state.docket.top).map(Hit::DocketRow),
            Tab::Proof => self
                .list_row(at, self.state.proof.list.top)
                .map(Hit::ProofRow),
            Tab::Terrain => {
                let areas = TerrainAreas::new(self.state);
                let row = || self.state.terrain.list.top + (at.y - areas.rows.y) as usize;
                let versions = [Version::Ours, Version::Base, Version::Theirs].into_iter();
                let mut columns = versions.zip(terrain_columns(areas.rows));
                let column = columns.find(|(_, area)| area.contains(at));
                let hit = || Hit::TerrainRow(row(), column.map(|(version, _)| version));
                areas.rows.contains(at).then(hit)
            }
            Tab::Parley => self.hit_parley(at),
            Tab::Accord => self.hit_message(at),
        }
    }

    fn hit_overlay(&self, overlay: &Overlay, at: Position) -> Option<Hit> {
        let Overlay::Question(question) = overlay else {
            return None;
        };
        let areas = question_areas(self, question);
        if areas.yes.contains(at) {
            Some(Hit::Answer(Answer::Yes))
        } else if areas.no.contains(at) {
            Some(Hit::Answer(Answer::No))
        } else {
            let other = areas.other.is_some_and(|area| area.contains(at));
            other.then_some(Hit::Answer(Answer::Other))
        }
    }

    fn list_row(&self, at: Position, top: usize) -> Option<usize> {
        let list = self.list();
        list.contains(at).then(|| top + (at.y - list.y) as usize)
    }

    fn hit_message(&self, at: Position) -> Option<Hit> {
        let area = self.message_area();
        if !area.contains(at) {
            return None;
        }
        match self.state.accord.editing {
            true => Some(text_hit(&self.state.accord.editor, area, at)),
            false => Some(Hit::Command(Command::EditMessage)),
        }
    }

    fn hit_parley(&self, at: Position) -> Option<Hit> {
        let file = self.state.open_file()?;
        let draft = self.draft_area();
        if let Mode::Edit(editing) = &file.view.mode
            && draft.contains(at)
        {
            return Some(text_hit(&editing.editor, draft, at));
        }
        if self.spine().contains(at) {
            let rows = DraftRows::new(file).height();
            let y = (at.y - draft.y) as usize;
            return Some(Hit::Spine(y * rows / draft.height.max(1) as usize));
        }
        if self.left().contains(at) {
            return Some(Hit::DraftRow(file.view.top + (at.y - draft.y) as usize));
        }
        evidence_hit(self.state, self.evidence(), at)
    }
}

fn text_hit(editor: &Editor, area: Rect, at: Position) -> Hit {
    let line = editor.top + (at.y - area.y) as usize;
    let column = editor.left + (at.x - area.x) as usize;
    Hit::Text {
        line,
        byte: byte_at(&editor.line(line), column),
    }
}

/// What a click in the evidence means.
fn evidence_hit(state: &State, area: Rect, at: Position) -> Option<Hit> {
    let file = state.open_file()?;
    if !area.contains(at) {
        return None;
    }
    let parts = parts(file, area);
    if parts.settle.contains(at) && at.y > parts.settle.y {
        let n = file.shown().choices.len();
        if is_low(area) {
            let x = (at.x - area.x) as usize;
            let all = &file.shown().choices;
            let cells = low_cells(all, area.width as usize, file.view.choice, |text| {
                state.named(text)
            });
            let is_at = |(_, from, text): &&(usize, usize, String)| {
                (*from..from + text.chars().count()).contains(&x)
            };
            let on_them = at.y == parts.settle.y + parts.settle.height - 1;
            let cell = cells.iter().find(is_at).filter(|_| on_them);
            return cell.map(|(nth, ..)| Hit::Choice(*nth));
        }
        let columns = per_row(area.width) as usize;
        let cell = (at.x - area.x) as usize * columns / area.width.max(1) as usize;
        let above = rows_above(file, area);
        let row = ((at.y - parts.settle.y - 1) as usize).checked_sub(above)?;
        let nth = row * columns + cell;
        return (nth < n).then_some(Hit::Choice(nth));
    }
    if parts.cards.contains(at) && matches!(file.view.mode, Mode::Pick(_)) {
        let cards = &file.shown().cards;
        let columns = columns(state, file, cards, parts.cards);
        let column = columns.iter().find(|column| column.area.contains(at))?;
        let row = column.rows.get((at.y - parts.cards.y) as usize);
        if let Some(CardRow::Line { card, line, .. }) = row {
            let before: usize = cards[..*card].iter().map(|c| c.lines.len()).sum();
            return Some(Hit::Pick(before + line));
        }
    }
    None
}
