//! Parley: spine, draft with origins, frames of open conflicts, the editor.

use crate::base::editor::Editor;
use crate::base::safe_text::{Pen, count, fit, fit_path, width_of};
use crate::base::theme::{Role, Theme};
use crate::case::card_lines::Tone;
use crate::render::canvas::Canvas;
use crate::state::file::{Mode, OpenFile};
use crate::view::draft_rows::{DraftRow, DraftRows, draft_parts};
use crate::view::overview::{OverviewCell, overview};
use crate::view::terrain::declaration_at_hand;
use crate::view::whole_line::whole_line_rows;
use crate::view::wrapping::laid_out;
use armistice_core::limits::LINE_BYTES;
use armistice_core::{
    LineEnd, LineIdx, RegionId, RegionKind, RegionState, WhitespacePolicy, rule_title,
};
use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};

impl Canvas<'_> {
    pub(crate) fn parley(&mut self) {
        let state = self.state;
        let Some(file) = state.open_file() else {
            let theme = *self.theme;
            self.rule(self.screen.title(), 0, "no file is open");
            let body = self.screen.body;
            self.pen(body, 2)
                .write("  2 Docket lists the files; enter opens one.", theme.text());
            return;
        };
        self.file_title(file);
        self.spine(file);
        match &file.view.mode {
            Mode::Edit(editing) => {
                self.editing(&editing.editor);
                self.prompt(editing.prompt.as_deref());
            }
            _ => self.draft(file),
        }
        self.evidence(file);
    }

    fn file_title(&mut self, file: &OpenFile) {
        let counts = file.draft().counts();
        let state = &self.state[self.state.file];
        let tail = match (state.finished(), &file.view.mode) {
            (_, Mode::Edit(_)) => " · editing by hand".to_owned(),
            (true, _) if state.case.as_merged => " · as git merges it".to_owned(),
            (true, _) => " · written and staged".to_owned(),
            _ => String::new(),
        };
        let by_rule = match counts.by_rule {
            0 => String::new(),
            n => format!(" · {} {n} by rule", self.theme.rule_mark()),
        };
        let trouble = file.view.syntax.trouble().map_or(String::new(), |found| {
            let line = found
                .line
                .map_or(String::new(), |line| format!(" at line {line}"));
            format!(" · ! does not parse{line}")
        });
        let counted = format!(
            "{trouble} · {} open · {} settled{by_rule}{tail}",
            counts.open,
            counts.conflicts - counts.open
        );
        let policy = format!(" · white space: {}", self.state.settings.whitespace.name());
        let area = self.screen.title();
        let path = state.case.path.to_string();
        let room = |tail: &str| (area.width as usize).saturating_sub(width_of(tail) + 8);
        let whole = format!("{counted}{policy}");
        // What everyone has goes first where there is no room for all.
        let usual = self.state.settings.whitespace == WhitespacePolicy::Exact;
        let tail = match usual && room(&whole) < width_of(&path) {
            true => counted,
            false => whole,
        };
        let path = fit_path(&path, room(&tail));
        let declaration = declaration_at_hand(self.state);
        let declaration = declaration.map_or(String::new(), |title| format!(" · in {title}"));
        let fits = width_of(&declaration) + width_of(&path) < room(&tail);
        let declaration = if fits { &declaration } else { "" };
        self.rule(area, 0, &format!("{path}{tail}{declaration}"));
    }

    fn spine(&mut self, file: &OpenFile) {
        let (area, theme) = (self.screen.spine(), *self.theme);
        let height = area.height as usize;
        let rows = DraftRows::new(file).height().max(1);
        let shown =
            file.view.top * height / rows..=(file.view.top + height).min(rows) * height / rows;
        for (y, cell) in overview(file, height).into_iter().enumerate() {
            let (sign, style) = self.spine_cell(cell);
            let here = shown.contains(&y) && rows > height;
            self.pen(area, y as u16)
                .write(sign, style)
                .write(if here { "│" } else { " " }, theme.faint());
        }
    }

    /// A block in the winner's colour, or its mark where there is no colour.
    fn spine_cell(&self, cell: Option<OverviewCell>) -> (&'static str, Style) {
        let theme = self.theme;
        match cell {
            None => ("·", theme.fg(Role::Rule)),
            Some(OverviewCell::Open) => (if theme.plain_marks() { "o" } else { "○" }, theme.bold()),
            Some(OverviewCell::By(role)) if theme.has_colour() => {
                (" ", Style::new().bg(theme.colour(role)))
            }
            Some(OverviewCell::By(role)) => (theme.mark(role), theme.fg(role)),
        }
    }

    fn draft(&mut self, file: &OpenFile) {
        let rows = DraftRows::new(file);
        let area = self.screen.left();
        let cursor = rows.cursor();
        for y in 0..area.height {
            let nth = file.view.top + y as usize;
            if let Some((id, row)) = rows.at(nth) {
                self.draft_row(file, &rows, id, row, y, nth == cursor);
            }
        }
        self.whole_line(file, &rows);
    }

    /// The line at the cursor in full, where the window cuts it, in the rows farthest from it.
    fn whole_line(&mut self, file: &OpenFile, rows: &DraftRows<'_>) {
        let (area, theme) = (self.screen.left(), *self.theme);
        let Some(strip) = whole_line_rows(self.screen, file, rows) else {
            return;
        };
        let tall = strip.len() as u16;
        let low = rows.cursor().saturating_sub(file.view.top) * 2 > area.height as usize;
        let area = Rect {
            y: if low {
                area.y
            } else {
                area.y + area.height - tall
            },
            height: tall,
            x: area.x + 2,
            width: area.width.saturating_sub(2),
        };
        for (y, text) in (0..tall).zip(strip) {
            let row = Rect {
                y: area.y + y,
                height: 1,
                ..area
            };
            self.buffer.set_style(row, theme.ground(Role::Raised));
            let mut pen = self.pen(area, y);
            let sign = if y == 0 { "whole: " } else { "" };
            pen.write(sign, theme.faint()).to(7);
            pen.write_line(&text, theme.text()).fill(" ", theme.text());
        }
    }

    fn draft_row(
        &mut self,
        file: &OpenFile,
        rows: &DraftRows<'_>,
        id: RegionId,
        row: DraftRow,
        y: u16,
        cursor: bool,
    ) {
        let (area, theme) = (self.screen.left(), *self.theme);
        let line = Rect {
            y: area.y + y,
            height: 1,
            x: area.x + 2,
            width: area.width.saturating_sub(2),
        };
        let nth = file.view.top + y as usize;
        if cursor || file.view.selected.is_some_and(|rows| rows.contains(nth)) {
            self.buffer.set_style(line, theme.chosen(Style::new()));
        }
        let cursor = cursor || file.view.selected.is_some_and(|rows| rows.contains(nth));
        match row {
            DraftRow::Top => self.frame_top(file, rows, id, y),
            DraftRow::Bottom => self.frame_bottom(file, id, y),
            DraftRow::Line(at) => self.draft_line(file, at, 0, y, cursor),
            DraftRow::More(at, row) => self.draft_line(file, at, row, y, cursor),
            DraftRow::Preview(nth) => self.preview_line(file, rows, nth, y, cursor),
            DraftRow::Empty => self.empty_row(file, rows, id, y),
        }
        if file.draft().is_open(id) && !matches!(row, DraftRow::Top | DraftRow::Bottom) {
            self.frame_sides(y);
        }
    }

    /// Mark and number in front of a line; then a pen at the text.
    fn gutter(&mut self, y: u16, role: Role, number: Option<usize>, cursor: bool) -> Pen<'_> {
        let (area, theme) = (self.screen.left(), *self.theme);
        let gutter = self.screen.gutter() as usize;
        let on = |style: Style| if cursor { theme.chosen(style) } else { style };
        let style = match role {
            Role::Text => theme.faint(),
            role => theme.fg(role),
        };
        let area = Rect {
            width: area.width.saturating_sub(1),
            ..area
        };
        let mut pen = Pen::new(self.buffer, area, y);
        pen.to(2).write(theme.mark(role), on(style)).to(4);
        if let Some(number) = number {
            let digits = gutter - 7;
            pen.write(&format!("{number:>digits$}"), on(style));
        }
        pen.to(gutter);
        pen
    }

    fn draft_line(&mut self, file: &OpenFile, at: LineIdx, row: usize, y: u16, cursor: bool) {
        let theme = *self.theme;
        let Some(line) = file.draft().line(at) else {
            return;
        };
        let open = file.draft().is_open(line.region);
        let role = if open { Role::Base } else { line.origin.into() };
        let style = if open { theme.faint() } else { theme.text() };
        let style = if cursor { theme.chosen(style) } else { style };
        let (left, blanks) = (file.view.left, self.state.blanks_shown);
        let ruled = matches!(file.draft().standing(line.region), RegionState::Ruled(_));
        let number = (row == 0).then(|| at.number());
        let mut pen = self.gutter(y, role, number, cursor);
        let left = if file.view.wrap.is_some() { 0 } else { left };
        pen = pen.scrolled(left).with_blanks(blanks);
        let parts = draft_parts(file, &line);
        let parts = match file.view.wrap {
            None => parts,
            Some(_) if line.line.content().len() > LINE_BYTES => parts,
            Some(width) => {
                let mut rows = laid_out(&parts, width as usize).into_iter();
                rows.nth(row).unwrap_or_default()
            }
        };
        for (tone, text) in parts {
            let style = match tone {
                Tone::Shaded(shade, _) => theme.shaded(style, shade),
                _ => style,
            };
            pen.write_line(&text, style);
        }
        if blanks {
            pen.write(end_sign(line.line.end()), theme.faint());
        }
        pen.mark_cut(theme.bold());
        if ruled {
            let area = self.screen.left();
            let on = |style: Style| if cursor { theme.chosen(style) } else { style };
            let mut pen = self.pen(area, y);
            pen.to(3).write(theme.rule_mark(), on(theme.faint()));
        }
    }

    fn preview_line(
        &mut self,
        file: &OpenFile,
        rows: &DraftRows<'_>,
        nth: usize,
        y: u16,
        cursor: bool,
    ) {
        let theme = *self.theme;
        let Some(preview) = &rows.preview else {
            return;
        };
        let role = preview.origin(nth).into();
        let text = file
            .opened
            .encoding
            .decode(preview.text.line(LineIdx(nth as u32)).content());
        let left = file.view.left;
        let style = theme.text().add_modifier(Modifier::ITALIC);
        let style = if cursor { theme.chosen(style) } else { style };
        self.gutter(y, role, None, cursor)
            .scrolled(left)
            .write_line(&text, style)
            .mark_cut(theme.bold());
    }

    fn empty_row(&mut self, file: &OpenFile, rows: &DraftRows<'_>, id: RegionId, y: u16) {
        let theme = *self.theme;
        let region = file.plan().region(id);
        let previewed = rows.preview.as_ref().is_some_and(|p| p.region == id);
        let (role, text) = match (file.draft().standing(id), region.kind) {
            _ if previewed => (Role::Text, "no lines".to_owned()),
            (RegionState::Open, _) => (Role::Base, "base has no lines here".to_owned()),
            (RegionState::Merged, RegionKind::Ours) => (
                Role::Ours,
                format!("ours removed {}", count(region.base.len(), "line")),
            ),
            (RegionState::Merged, RegionKind::Theirs) => (
                Role::Theirs,
                format!("theirs removed {}", count(region.base.len(), "line")),
            ),
            (RegionState::Merged, _) => (
                Role::Text,
                format!("both removed {}", count(region.base.len(), "line")),
            ),
            (RegionState::ByHand, _) => (Role::Hand, "no lines, by hand".to_owned()),
            (RegionState::Ruled(ruling), _) => (
                Role::Base,
                format!("no lines, by rule: {}", rule_title(&ruling.rule)),
            ),
            (RegionState::Settled(_), _) => (Role::Base, "no lines, by decision".to_owned()),
        };
        self.gutter(y, role, None, false)
            .write(&text, theme.faint().add_modifier(Modifier::ITALIC));
    }

    fn frame_top(&mut self, file: &OpenFile, rows: &DraftRows<'_>, id: RegionId, y: u16) {
        let conflict = file.plan().conflict_of(id);
        let number = conflict.map_or(0, |c| c.number());
        let all = file.plan().conflicts().len();
        let why = conflict
            .and_then(|c| file.opened.causes.get(c.0 as usize))
            .map_or("", String::as_str);
        let title = match &rows.preview {
            Some(preview) if preview.region == id => {
                let label = &preview.label;
                format!(" conflict {number} of {all} · preview: {label} ")
            }
            _ => format!(" conflict {number} of {all} · {} ", self.state.named(why)),
        };
        self.frame_line(y, ("┌", "┐"), &title);
    }

    fn frame_bottom(&mut self, file: &OpenFile, id: RegionId, y: u16) {
        let here = file.view.region == id;
        let title = match (here, file.view.choice) {
            (true, Some(_)) => " enter takes it · esc keeps it open ",
            (true, None) if matches!(file.view.mode, Mode::Pick(_)) => {
                " enter accepts the picked lines "
            }
            _ => "",
        };
        let title = match file.proposal(id).filter(|_| title.is_empty()) {
            Some(ruling) => {
                let mark = self.theme.rule_mark();
                let key = if here { " · space takes it" } else { "" };
                format!(" {mark} {}{key} ", rule_title(&ruling.rule))
            }
            None => title.to_owned(),
        };
        self.frame_line(y, ("└", "┘"), &title);
    }

    /// A line of the frame, half in one party's colour and half in the other's.
    fn frame_line(&mut self, y: u16, (left, right): (&str, &str), title: &str) {
        let theme = *self.theme;
        let (area, gutter) = (self.screen.left(), self.screen.gutter());
        let x = gutter - 2;
        let width = area.width.saturating_sub(x) as usize;
        if width < 4 {
            return;
        }
        let title = fit(title, width - 4);
        let half = width / 2;
        let frame = Rect {
            x: area.x + x,
            width: width as u16,
            ..area
        };
        let mut pen = self.pen(frame, y);
        pen.write(left, theme.fg(Role::Ours))
            .write("─", theme.fg(Role::Ours));
        pen.write(&title, theme.bold());
        let ours = half.saturating_sub(pen.column());
        pen.write(&"─".repeat(ours), theme.fg(Role::Ours));
        let theirs = (width - 1).saturating_sub(pen.column());
        pen.write(&"─".repeat(theirs), theme.fg(Role::Theirs));
        pen.write(right, theme.fg(Role::Theirs));
    }

    fn frame_sides(&mut self, y: u16) {
        let theme = *self.theme;
        let (area, gutter) = (self.screen.left(), self.screen.gutter());
        let left = Rect {
            x: area.x + gutter - 2,
            width: 1,
            ..area
        };
        let right = Rect {
            x: area.x + area.width.saturating_sub(1),
            width: 1,
            ..area
        };
        self.pen(left, y).write("│", theme.fg(Role::Ours));
        self.pen(right, y).write("│", theme.fg(Role::Theirs));
    }

    fn editing(&mut self, editor: &Editor) {
        let (area, theme) = (self.screen.draft_area(), *self.theme);
        let (line, byte) = editor.position();
        for y in 0..area.height {
            let at = editor.top + y as usize;
            if at >= editor.len_lines() {
                break;
            }
            let role: Role = match editor.mark(at) {
                armistice_core::Origin::Open => Role::Base,
                origin => origin.into(),
            };
            self.gutter(y, role, Some(at + 1), false);
            self.edited_line(editor, area, at, y);
        }
        let column = width_of(&editor.line(line)[..byte]);
        if line >= editor.top && line < editor.top + area.height as usize && column >= editor.left {
            let x = (column - editor.left) as u16;
            if x < area.width {
                self.cursor = Some((area.x + x, area.y + (line - editor.top) as u16));
            }
        }
        self.partner(editor);
        self.frame_of_editor(editor, theme);
    }

    /// The bracket that goes with the one at the cursor.
    fn partner(&mut self, editor: &Editor) {
        let (area, theme) = (self.screen.draft_area(), *self.theme);
        let Some((line, byte)) = editor.partner() else {
            return;
        };
        let column = width_of(&editor.line(line)[..byte]);
        let rows = editor.top..editor.top + area.height as usize;
        let columns = editor.left..editor.left + area.width as usize;
        if rows.contains(&line) && columns.contains(&column) {
            let at = Rect {
                x: area.x + (column - editor.left) as u16,
                y: area.y + (line - editor.top) as u16,
                width: 1,
                height: 1,
            };
            let style = theme
                .bold()
                .add_modifier(Modifier::UNDERLINED | Modifier::REVERSED);
            self.buffer.set_style(at, style);
        }
    }

    /// The editor's left edge says that typing goes there.
    fn frame_of_editor(&mut self, editor: &Editor, theme: Theme) {
        let (area, gutter) = (self.screen.left(), self.screen.gutter());
        let edge = Rect {
            x: area.x + gutter - 2,
            width: 1,
            ..area
        };
        for y in 0..area.height {
            self.pen(edge, y).write("│", theme.fg(Role::Hand));
            // A conflict that is still open keeps its frame.
            let at = editor.top + y as usize;
            if at < editor.len_lines() && editor.mark(at) == armistice_core::Origin::Open {
                self.frame_sides(y);
            }
        }
    }

    pub(crate) fn edited_line(&mut self, editor: &Editor, area: Rect, at: usize, y: u16) {
        let theme = *self.theme;
        let text = editor.line(at);
        let selected = editor.selected_on(at).unwrap_or(0..0);
        let mut pen = self.pen(area, y).scrolled(editor.left);
        pen.write_line(&text[..selected.start], theme.text());
        pen.write_line(
            &text[selected.clone()],
            theme.text().add_modifier(Modifier::REVERSED),
        );
        pen.write_line(&text[selected.end..], theme.text());
        pen.mark_cut(theme.bold());
    }

    fn prompt(&mut self, typed: Option<&str>) {
        let Some(typed) = typed else {
            return;
        };
        let (area, theme) = (self.screen.message, *self.theme);
        self.buffer.set_style(area, theme.ground(Role::Raised));
        let mut pen = self.pen(area, 0);
        pen.write(" find: ", theme.bold())
            .write(typed, theme.text());
        let x = pen.column() as u16;
        pen.fill(" ", theme.text());
        self.cursor = Some((area.x + x.min(area.width.saturating_sub(1)), area.y));
    }
}

/// What shows how a line ends, where blanks are shown.
fn end_sign(end: LineEnd) -> &'static str {
    match end {
        LineEnd::Lf => "¶",
        LineEnd::CrLf => "¤¶",
        LineEnd::Cr => "¤",
        LineEnd::None => "",
    }
}
