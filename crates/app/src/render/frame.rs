//! One whole frame: the bars at the top and the bottom, and the screen between them.

use crate::base::commands::Tab;
use crate::base::safe_text::{Pen, ago, count, fit, plain_signs, visible};
use crate::base::theme::{Role, Theme};
use crate::render::canvas::Canvas;
use crate::state::app::State;
use crate::state::file::OpenFile;
use crate::state::overlay::{Overlay, Sought};
use crate::view::areas::{LEAST, Screen};
use crate::view::bars::{BEHIND_NAME, key_bar, rail_tabs};
use armistice_core::Side;
use armistice_git::{Operation, Party};
use ratatui::Frame;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Modifier;
use unicode_width::UnicodeWidthStr;

/// What stands behind a message that is cut.
const WHOLE: &str = " ! shows all";

/// Draws the whole screen.
pub fn draw(state: &State, screen: &Screen<'_>, theme: &Theme, frame: &mut Frame<'_>) {
    let area = frame.area();
    frame
        .buffer_mut()
        .set_style(area, theme.ground(Role::Ground));
    if screen.too_small() {
        return too_small(theme, frame.buffer_mut(), area);
    }
    let mut canvas = Canvas {
        state,
        screen,
        theme,
        buffer: frame.buffer_mut(),
        cursor: None,
    };
    canvas.rail();
    canvas.parties();
    match (state.tab, &state.staged) {
        (Tab::Proof | Tab::Accord, Some(view)) => canvas.staged(view),
        (Tab::Scout, _) => canvas.scout(),
        (Tab::Docket, _) => canvas.docket(),
        (Tab::Parley, _) => canvas.parley(),
        (Tab::Terrain, _) => canvas.terrain(),
        (Tab::Proof, _) => canvas.proof(),
        (Tab::Accord, _) => canvas.accord(),
    }
    canvas.message();
    canvas.keys();
    canvas.overlay();
    let plain = theme.plain_marks();
    plain_signs(canvas.buffer, |sign| plain.then(|| Theme::ascii(sign))?);
    if let Some((x, y)) = canvas.cursor {
        frame.set_cursor_position((x, y));
    }
}

/// Draws what there is to see while the repository is read, if that takes longer than usual.
pub fn draw_opening(seconds: u64, theme: &Theme, frame: &mut Frame<'_>) {
    let area = frame.area();
    let buffer = frame.buffer_mut();
    buffer.set_style(area, theme.ground(Role::Ground));
    let lines = [
        " Armistice".to_owned(),
        format!(
            " reading the repository: waiting for git for {}",
            count(seconds as usize, "second")
        ),
        " q leaves; nothing was changed".to_owned(),
    ];
    for (y, line) in (0..).zip(lines) {
        let style = if y == 0 { theme.bold() } else { theme.text() };
        Pen::new(buffer, area, y).write(&line, style);
    }
}

fn too_small(theme: &Theme, buffer: &mut Buffer, area: Rect) {
    let (width, height) = LEAST;
    let lines = [
        "Armistice needs more room.".to_owned(),
        format!("At least {width} columns and {height} rows;"),
        format!("this terminal has {} and {}.", area.width, area.height),
        "Make the window larger; nothing is lost.".to_owned(),
    ];
    for (y, line) in (0..).zip(lines) {
        Pen::new(buffer, area, y).write(&line, theme.text());
    }
}

impl Canvas<'_> {
    fn rail(&mut self) {
        let (area, theme) = (self.screen.rail, *self.theme);
        self.buffer.set_style(area, theme.ground(Role::Panel));
        let tabs = rail_tabs(self.state);
        let what = operation_line(self.state);
        let mut pen = self.pen(area, 0);
        if tabs.first().is_some_and(|tab| tab.2 >= BEHIND_NAME) {
            pen.write(" Armistice", theme.bold());
        }
        for (tab, text, from, _) in tabs {
            let on = tab == self.state.tab;
            let style = if on {
                theme.chosen(theme.bold())
            } else {
                theme.faint()
            };
            let mut pen = Pen::new(self.buffer, area, 0);
            pen.to(from as usize).write(&text, style);
        }
        let end = rail_tabs(self.state).last().map_or(0, |t| t.3) as usize;
        let room = (area.width as usize).saturating_sub(end + 2);
        let what = fit(&what, room);
        let mut pen = self.pen(area, 0);
        pen.to(end).right(&format!("{what} "), theme.text());
    }

    fn parties(&mut self) {
        let area = self.screen.parties;
        let half = area.width / 2;
        let left = Rect {
            width: half,
            ..area
        };
        let right = Rect {
            x: half,
            width: area.width - half,
            ..area
        };
        let situation = &self.state.situation;
        let foreseen = self.state.tab == Tab::Scout && !self.state.has_real_parties();
        let branch = situation.branch.as_deref().unwrap_or("detached HEAD");
        let met = self.state.scout.met(branch).filter(|_| foreseen);
        if let Some([ours, theirs]) = met {
            self.party(left, Side::Ours, &ours);
            self.party(right, Side::Theirs, &theirs);
            return;
        }
        self.party(left, Side::Ours, &situation.ours);
        if !situation.is_idle() {
            self.party(right, Side::Theirs, &situation.theirs);
        }
    }

    fn party(&mut self, area: Rect, side: Side, party: &Party) {
        let (theme, role) = (*self.theme, Role::from(side));
        let now = self.state.now;
        let width = area.width as usize;
        let mut pen = self.pen(area, 0);
        pen.write(" ", theme.text())
            .write(theme.mark(role), theme.fg(role))
            .write(" ", theme.text());
        let room = width.saturating_sub(pen.column());
        let label = fit(&visible(&party.label), room.saturating_sub(1));
        pen.write(&label, theme.fg(role).add_modifier(Modifier::BOLD));
        if let Some(commit) = &party.commit {
            let age = format!(" · {}", ago(now, commit.time));
            let commit_text = format!(" · {} {}", commit.short, visible(&commit.subject));
            let room = width.saturating_sub(pen.column() + age.width() + 1);
            pen.write(&fit(&commit_text, room), theme.text());
            if pen.room() > age.width() {
                pen.write(&age, theme.faint());
            }
        }
    }

    fn message(&mut self) {
        // What is searched for is typed here.
        if self.state.open_file().is_some_and(OpenFile::is_prompting) {
            return;
        }
        if let Some(Overlay::Seek { sought, typed }) = &self.state.overlay {
            let theme = *self.theme;
            let asks = match sought {
                Sought::Words => " find: ",
                Sought::Line => " go to line: ",
            };
            let mut pen = self.pen(self.screen.message, 0);
            pen.write(asks, theme.faint());
            pen.write(&visible(typed), theme.bold())
                .write("▏", theme.text());
            pen.write("  enter goes there, esc leaves", theme.faint());
            return;
        }
        if let (Some(Overlay::Narrow), Tab::Scout) = (&self.state.overlay, self.state.tab) {
            let scout = &self.state.scout;
            let theme = *self.theme;
            let shown = scout.shown_counterparts().len();
            let mut pen = self.pen(self.screen.message, 0);
            pen.write(" revision: ", theme.faint());
            pen.write(&visible(&scout.typed), theme.bold())
                .write("▏", theme.text());
            let rest = format!(
                "  {shown} of {} · enter looks, esc shows all",
                scout.all.len()
            );
            pen.write(&rest, theme.faint());
            return;
        }
        if let Some(Overlay::Narrow) = self.state.overlay {
            let shown = count(self.state.docket_rows().len(), "file");
            let typed = visible(&self.state.docket.path);
            let theme = *self.theme;
            let mut pen = self.pen(self.screen.message, 0);
            pen.write(" path contains: ", theme.faint());
            pen.write(&typed, theme.bold()).write("▏", theme.text());
            let rest = format!("  {shown} · enter keeps it, esc shows all");
            pen.write(&rest, theme.faint());
            return;
        }
        let (theme, message) = (*self.theme, &self.state.message);
        let style = match message.is_trouble {
            true => theme.fg(Role::Finding),
            false => theme.text(),
        };
        let mark = if message.is_trouble { "! " } else { "" };
        let text = visible(&format!(" {mark}{}", message.text));
        let area = self.screen.message;
        let room = area.width as usize;
        let mut pen = self.pen(area, 0);
        if text.width() <= room {
            pen.write(&text, style);
            return;
        }
        pen.write(&fit(&text, room.saturating_sub(WHOLE.width())), style);
        pen.write(WHOLE, theme.faint());
    }

    fn keys(&mut self) {
        let (area, theme) = (self.screen.keys, *self.theme);
        self.buffer.set_style(area, theme.ground(Role::Panel));
        for key in key_bar(self.state, area.width) {
            let mut pen = self.pen(area, 0);
            pen.to(key.from as usize).write(key.key, theme.bold());
            pen.write(" ", theme.text())
                .write(&key.label, theme.faint());
        }
    }
}

/// What is in progress, for the right end of the rail.
fn operation_line(state: &State) -> String {
    let situation = &state.situation;
    let branch = situation.branch.as_deref().unwrap_or("detached HEAD");
    match situation.operation {
        Operation::Merge => format!("merge of {} into {branch}", situation.theirs.label),
        Operation::Rebase { step, total, .. } => {
            format!("rebase {step}/{total} of {branch} {}", situation.ours.label)
        }
        _ if situation.foreseen.is_some() && state.tab != Tab::Scout => {
            format!("forecast: {} into {branch}", situation.theirs.label)
        }
        Operation::Loose if state.files.is_empty() || state.tab == Tab::Scout => {
            format!("{branch} · nothing in progress")
        }
        Operation::Loose => format!("conflicts on {branch}"),
        operation => format!("{} on {branch}", operation.name()),
    }
}
