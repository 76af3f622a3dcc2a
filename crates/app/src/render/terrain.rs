//! Draws Terrain: declarations in three columns joined by lines, or as a list.

use crate::base::safe_text::{Pen, count, fit, fit_path, visible, width_of};
use crate::base::theme::Role;
use crate::render::canvas::Canvas;
use crate::state::terrain::{Block, Item, Reading};
use crate::view::terrain::{
    GUTTER, TerrainAreas, TerrainRow, did_words, line_sign, terrain_columns, terrain_rows,
    title_in, wires,
};
use armistice_core::{Cell, Check, Did, PerSide, Side, Version};
use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};
use std::collections::HashMap;

/// What joins base with each side, by block.
type AllWires = HashMap<usize, PerSide<Vec<[crate::view::terrain::Wire; GUTTER as usize]>>>;

impl Canvas<'_> {
    pub(crate) fn terrain(&mut self) {
        let state = self.state;
        let theme = *self.theme;
        let title = match &state.terrain.reading {
            Reading::Unread | Reading::Reading => "reading declarations …".to_owned(),
            Reading::Failed(why) => visible(why),
            Reading::Known(terrain) => {
                let all = terrain.files.iter().flat_map(|file| &file.changes);
                let changed = all.filter(|change| change.is_changed()).count();
                let left_out = match terrain.left_out {
                    0 => String::new(),
                    n => format!(" · {} not read", count(n, "file")),
                };
                let names = state.proof.proof.as_ref().map_or(0, |proof| {
                    let names = proof
                        .findings
                        .iter()
                        .filter(|f| f.finding.check == Check::Names);
                    names.count()
                });
                let names = match names {
                    0 => String::new(),
                    n => format!(
                        " · ! {} used that no longer exist; see Proof",
                        count(n, "name")
                    ),
                };
                format!(
                    "{} in {} changed · {} moved{names}{left_out}",
                    count(changed, "declaration"),
                    count(terrain.files.len(), "file"),
                    state.terrain.moved()
                )
            }
        };
        self.rule(self.screen.title(), 0, &title);
        let areas = TerrainAreas::new(state);
        let wide = self.screen.is_wide();
        if wide {
            self.column_heads(areas.heads);
        }
        let rows = terrain_rows(state, wide);
        if rows.is_empty() && state.terrain.known().is_some() {
            let text = "  neither side changed a declaration; a shows all";
            self.pen(areas.rows, 1).write(text, theme.text());
        }
        let mut drawn = AllWires::new();
        let from = state.terrain.list.top;
        for (y, row) in (0..areas.rows.height).zip(rows.iter().skip(from)) {
            let area = Rect {
                y: areas.rows.y + y,
                height: 1,
                ..areas.rows
            };
            match *row {
                TerrainRow::File(nth) => self.terrain_file(area, &state.terrain.blocks[nth]),
                TerrainRow::Item(item) => self.terrain_item(area, item),
                TerrainRow::Cells(nth, at) => {
                    let block = &state.terrain.blocks[nth];
                    let wires = drawn
                        .entry(nth)
                        .or_insert_with(|| PerSide::from_fn(|side| wires(block, side)));
                    self.terrain_cells(area, block, at, wires);
                }
            }
        }
        self.terrain_foot(areas.foot);
    }

    fn column_heads(&mut self, area: Rect) {
        let theme = *self.theme;
        let [ours, base, theirs] = terrain_columns(area);
        let heads = [
            (ours, Role::Ours, self.state.label(Side::Ours).to_owned()),
            (base, Role::Base, "base".to_owned()),
            (
                theirs,
                Role::Theirs,
                self.state.label(Side::Theirs).to_owned(),
            ),
        ];
        for (area, role, label) in heads {
            let mut pen = self.pen(area, 0);
            pen.write(theme.mark(role), theme.fg(role))
                .write(" ", theme.text());
            let room = pen.room();
            pen.write(
                &fit(&visible(&label), room),
                theme.fg(role).add_modifier(Modifier::BOLD),
            );
        }
    }

    fn terrain_file(&mut self, area: Rect, block: &Block) {
        let theme = *self.theme;
        let Some(file) = self
            .state
            .terrain
            .known()
            .and_then(|t| t.files.get(block.file))
        else {
            return;
        };
        let case = self
            .state
            .files
            .iter()
            .find(|f| f.case.has_path(&file.path));
        let as_merged = case.is_some_and(|file| file.case.as_merged && file.finished());
        let standing = match case.map(|file| (file.finished(), file.counts())) {
            _ if as_merged => "merged by git".to_owned(),
            None => "merged by git".to_owned(),
            Some((true, _)) => "staged".to_owned(),
            Some((_, Some(counts))) => format!("{} open", counts.open),
            Some(_) => "in conflict".to_owned(),
        };
        let how = if file.parsed {
            ""
        } else {
            " · read by indentation, without a parser"
        };
        let tail = format!("  {standing}{how}");
        let room = (area.width as usize).saturating_sub(width_of(&tail) + 3);
        let mut pen = self.pen(area, 0);
        pen.to(1)
            .write(&fit_path(&file.path.to_string(), room), theme.bold())
            .write(&tail, theme.faint());
    }

    fn terrain_cells(
        &mut self,
        area: Rect,
        block: &Block,
        at: usize,
        wires: &PerSide<Vec<[crate::view::terrain::Wire; GUTTER as usize]>>,
    ) {
        let theme = *self.theme;
        let [ours, base, theirs] = terrain_columns(area);
        for (column, version) in [
            (ours, Version::Ours),
            (base, Version::Base),
            (theirs, Version::Theirs),
        ] {
            if let Some(Some(cell)) = block.columns.cells(version).get(at) {
                self.terrain_cell(column, block, *cell, version);
            }
        }
        for (side, left) in [(Side::Ours, ours), (Side::Theirs, base)] {
            let x = left.x + left.width;
            let role = Role::from(side);
            for (nth, wire) in wires[side][at].iter().enumerate() {
                if wire.directions == 0 {
                    continue;
                }
                let did = self.did(block.file, wire.declaration, side);
                let style = match (wire.moved, did.anything()) {
                    (true, _) => theme.fg(role).add_modifier(Modifier::BOLD),
                    (_, true) => theme.fg(role),
                    _ => theme.fg(Role::Rule),
                };
                let cell = Rect {
                    x: x + nth as u16,
                    width: 1,
                    ..area
                };
                Pen::new(self.buffer, cell, 0).write(line_sign(wire.directions), style);
            }
        }
    }

    fn did(&self, file: usize, declaration: usize, side: Side) -> Did {
        let item = Item { file, declaration };
        let change = self.state.terrain.change(item);
        change.map_or(Did::default(), |(_, change)| change.did[side])
    }

    fn terrain_cell(&mut self, area: Rect, block: &Block, cell: Cell, version: Version) {
        let (state, theme) = (self.state, *self.theme);
        let item = Item {
            file: block.file,
            declaration: cell.declaration,
        };
        let Some((_, change)) = state.terrain.change(item) else {
            return;
        };
        let here = state.terrain.chosen() == Some(item);
        if here {
            self.choose_row(area, 0);
        }
        let shade = |style: Style| if here { theme.chosen(style) } else { style };
        let side = Side::BOTH
            .into_iter()
            .find(|side| Version::from(*side) == version);
        // Base says what happened to it where a side no longer has it.
        let (mark, role, words) = match side {
            Some(side) if change.did[side].anything() => {
                let role = Role::from(side);
                (theme.mark(role), role, did_words(state, item, side))
            }
            Some(_) => (" ", Role::Faint, String::new()),
            None => {
                let gone: Vec<String> = Side::BOTH
                    .into_iter()
                    .filter(|side| change.lines_in((*side).into()).is_none())
                    .map(|side| {
                        format!(
                            "{} {}",
                            theme.mark(side.into()),
                            did_words(state, item, side)
                        )
                    })
                    .collect();
                (" ", Role::Faint, gone.join(" · "))
            }
        };
        let line = change
            .lines_in(version)
            .map_or(0, |lines| lines.start.number());
        let mut pen = self.pen(area, 0);
        pen.write(&format!("{line:>5} "), shade(theme.faint()))
            .write(mark, shade(theme.fg(role)))
            .write(&"  ".repeat(cell.depth.min(6)), shade(theme.text()))
            .write(" ", shade(theme.text()));
        let words = if words.is_empty() {
            words
        } else {
            format!("  {words}")
        };
        let least = 14;
        let room = pen.room();
        let title = fit(
            &title_in(change, version),
            room.saturating_sub(width_of(&words)).max(least.min(room)),
        );
        let style = match (side, change.is_changed()) {
            (Some(side), _) if change.did[side].anything() => theme.bold(),
            (None, true) => theme.text(),
            _ => theme.faint(),
        };
        pen.write(&title, shade(style));
        let room = pen.room();
        pen.write(&fit(&words, room), shade(theme.fg(role)));
    }

    /// One declaration in a row: marks, what each side did, its name and where it went.
    fn terrain_item(&mut self, area: Rect, item: Item) {
        let (state, theme) = (self.state, *self.theme);
        let Some((_, change)) = state.terrain.change(item) else {
            return;
        };
        let here = state.terrain.chosen() == Some(item);
        if here {
            self.choose_row(area, 0);
        }
        let shade = |style: Style| if here { theme.chosen(style) } else { style };
        let version = match change.lines_in(Version::Base) {
            Some(_) => Version::Base,
            None if change.lines_in(Version::Ours).is_some() => Version::Ours,
            None => Version::Theirs,
        };
        let mut pen = self.pen(area, 0);
        pen.write(&"  ".repeat(change.depth.min(6) + 1), shade(theme.text()));
        let half = (area.width / 2) as usize;
        let title = fit(
            &title_in(change, version),
            half.saturating_sub(pen.column()),
        );
        pen.write(
            &title,
            shade(if change.is_changed() {
                theme.bold()
            } else {
                theme.faint()
            }),
        );
        pen.to(half);
        for side in Side::BOTH {
            let words = did_words(state, item, side);
            if !words.is_empty() {
                let role = Role::from(side);
                pen.write(" ", shade(theme.text()))
                    .write(theme.mark(role), shade(theme.fg(role)));
                let room = pen.room();
                pen.write(&fit(&format!(" {words} "), room), shade(theme.fg(role)));
            }
        }
    }

    /// What is reported of the chosen declaration.
    fn terrain_foot(&mut self, area: Rect) {
        let (state, theme) = (self.state, *self.theme);
        if area.height == 0 {
            return;
        }
        self.rule(area, 0, "at the cursor");
        let Some(item) = state.terrain.chosen() else {
            return;
        };
        let Some((file, change)) = state.terrain.change(item) else {
            return;
        };
        let place = |version: Version| {
            let lines = change.lines_in(version);
            lines.map(|lines| format!("{} line {}", version.name(), lines.start.number()))
        };
        let places: Vec<String> = Version::ALL.into_iter().filter_map(place).collect();
        let said = |side: Side| match change.did[side].anything() {
            true => did_words(state, item, side),
            false => "unchanged".to_owned(),
        };
        let title = title_in(change, Version::Base);
        let text = format!("{title} · {} · {}", file.path, places.join(", "));
        let width = area.width as usize - 2;
        if area.height > 1 {
            self.pen(area, 1)
                .to(1)
                .write(&fit(&visible(&text), width), theme.text());
        }
        if area.height > 2 {
            let mut pen = self.pen(area, 2);
            pen.to(1);
            for side in Side::BOTH {
                let role = Role::from(side);
                let label = visible(state.label(side));
                pen.write(theme.mark(role), theme.fg(role))
                    .write(&format!(" {label} {}   ", said(side)), theme.text());
            }
        }
    }
}
