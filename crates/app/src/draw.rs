//! From state to cells. Reads only; every size comes from `Screen`.

mod accord;
mod docket;
mod evidence;
mod overlay;
mod parley;
mod proof;

pub use evidence::hit as evidence_hit;
pub use overlay::question_areas;

use crate::action::{Command, Tab};
use crate::keymap::rows_for;
use crate::screen::{LEAST, Screen};
use crate::state::State;
use crate::text::{Pen, ago, fit};
use crate::theme::{Role, Theme};
use armistice_core::Side;
use armistice_git::{Operation, Party};
use ratatui::Frame;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Modifier;
use unicode_width::UnicodeWidthStr;

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
    match state.tab {
        Tab::Docket => canvas.docket(),
        Tab::Parley => canvas.parley(),
        Tab::Proof => canvas.proof(),
        Tab::Accord => canvas.accord(),
    }
    canvas.message();
    canvas.keys();
    canvas.overlay();
    if let Some((x, y)) = canvas.cursor {
        frame.set_cursor_position((x, y));
    }
}

fn too_small(theme: &Theme, buffer: &mut Buffer, area: Rect) {
    let (width, height) = LEAST;
    let lines = [
        "Armistice needs more room.".to_owned(),
        format!("At least {width} columns and {height} rows;"),
        format!("here are {} and {}.", area.width, area.height),
        "Nothing is lost: make the window larger.".to_owned(),
    ];
    for (y, line) in (0..).zip(lines) {
        Pen::new(buffer, area, y).write(&line, theme.text());
    }
}

/// What the parts of the drawing share.
struct Canvas<'a> {
    state: &'a State,
    screen: &'a Screen<'a>,
    theme: &'a Theme,
    buffer: &'a mut Buffer,
    cursor: Option<(u16, u16)>,
}

/// The tabs of the rail: which, its text, and the columns it covers.
pub fn rail_tabs(state: &State) -> Vec<(Tab, String, u16, u16)> {
    let mut x = 12;
    let tab = |tab: Tab| {
        let count = tab_count(state, tab);
        let gap = if count.is_empty() { "" } else { " " };
        let text = format!(" {} {}{gap}{count} ", tab.key(), tab.name());
        let from = x;
        x += text.width() as u16 + 1;
        (tab, text, from, x - 1)
    };
    Tab::ALL.into_iter().map(tab).collect()
}

fn tab_count(state: &State, tab: Tab) -> String {
    match tab {
        Tab::Docket if state.files.is_empty() => String::new(),
        Tab::Docket => {
            let (done, all) = state.files_done();
            format!("{done}/{all}")
        }
        Tab::Parley => match state.open_file() {
            Some(file) => {
                let counts = file.draft().counts();
                format!("{}/{}", counts.conflicts - counts.open, counts.conflicts)
            }
            None => String::new(),
        },
        Tab::Proof => match &state.proof.proof {
            Some(proof) if proof.findings.is_empty() => "clean".to_owned(),
            Some(proof) => proof.findings.len().to_string(),
            None => String::new(),
        },
        Tab::Accord => match crate::update::gate(state) {
            None => "ready".to_owned(),
            Some(_) => String::new(),
        },
    }
}

/// A key on the bar at the foot.
pub struct BarKey {
    pub key: &'static str,
    pub label: &'static str,
    pub from: u16,
    pub to: u16,
    pub command: Command,
}

/// As many keys of the context as fit, most useful first; help and Ask always.
pub fn key_bar(state: &State, width: u16) -> Vec<BarKey> {
    let rows: Vec<_> = rows_for(state.context())
        .filter(|b| !b.label.is_empty())
        .collect();
    let is_last = |c: Command| matches!(c, Command::Help | Command::Ask | Command::Quit);
    let size = |b: &crate::keymap::Binding| (b.keys[0].width() + b.label.width() + 3) as u16;
    let (last, first): (Vec<_>, Vec<_>) = rows.into_iter().partition(|b| is_last(b.command));
    let mut room = (width - 1).saturating_sub(last.iter().map(|b| size(b)).sum());
    let mut shown = Vec::new();
    for row in first {
        if size(row) > room {
            break;
        }
        room -= size(row);
        shown.push(row);
    }
    let mut x = 1;
    let bar = |b: &crate::keymap::Binding| {
        let from = x;
        x += size(b);
        BarKey {
            key: b.keys[0],
            label: b.label,
            from,
            to: x - 2,
            command: b.command,
        }
    };
    shown.into_iter().chain(last).map(bar).collect()
}

impl Canvas<'_> {
    fn pen(&mut self, area: Rect, y: u16) -> Pen<'_> {
        Pen::new(self.buffer, area, y)
    }

    fn rail(&mut self) {
        let (area, theme) = (self.screen.rail, *self.theme);
        self.buffer.set_style(area, theme.ground(Role::Panel));
        let tabs = rail_tabs(self.state);
        let what = operation_line(self.state);
        let mut pen = self.pen(area, 0);
        pen.write(" Armistice", theme.bold());
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
        let label = fit(&crate::text::visible(&party.label), room.saturating_sub(1));
        pen.write(&label, theme.fg(role).add_modifier(Modifier::BOLD));
        if let Some(commit) = &party.commit {
            let age = format!(" · {}", ago(now, commit.time));
            let told = format!(
                " · {} {}",
                commit.short,
                crate::text::visible(&commit.subject)
            );
            let room = width.saturating_sub(pen.column() + age.width() + 1);
            pen.write(&fit(&told, room), theme.text());
            if pen.room() > age.width() {
                pen.write(&age, theme.faint());
            }
        }
    }

    fn message(&mut self) {
        let (theme, message) = (*self.theme, &self.state.message);
        let style = match message.is_trouble {
            true => theme.fg(Role::Finding),
            false => theme.text(),
        };
        let mark = if message.is_trouble { "! " } else { "" };
        let text = format!(" {mark}{}", message.text);
        let area = self.screen.message;
        let text = fit(&crate::text::visible(&text), area.width as usize);
        self.pen(area, 0).write(&text, style);
    }

    fn keys(&mut self) {
        let (area, theme) = (self.screen.keys, *self.theme);
        self.buffer.set_style(area, theme.ground(Role::Panel));
        for key in key_bar(self.state, area.width) {
            let mut pen = self.pen(area, 0);
            pen.to(key.from as usize).write(key.key, theme.bold());
            pen.write(" ", theme.text()).write(key.label, theme.faint());
        }
    }

    /// A line across with words in it.
    fn rule(&mut self, area: Rect, y: u16, title: &str) {
        let theme = *self.theme;
        let mut pen = self.pen(area, y);
        pen.write("── ", theme.fg(Role::Rule))
            .write(title, theme.bold())
            .write(" ", theme.text());
        pen.fill("─", theme.fg(Role::Rule));
    }
}

/// What is under way, for the right end of the rail.
fn operation_line(state: &State) -> String {
    let situation = &state.situation;
    let branch = situation.branch.as_deref().unwrap_or("detached HEAD");
    match situation.operation {
        Operation::Merge => format!("merge of {} into {branch}", situation.theirs.label),
        Operation::Rebase { step, total, .. } => {
            format!("rebase {step}/{total} of {branch} {}", situation.ours.label)
        }
        Operation::Loose if state.files.is_empty() => format!("{branch} · nothing under way"),
        Operation::Loose => format!("conflicts on {branch}"),
        operation => format!("{} on {branch}", operation.name()),
    }
}
