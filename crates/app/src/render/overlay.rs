//! Draws help, Ask, questions and the output of git in front of a screen.

use crate::base::keymap::{Binding, KeyContext, is_typing, rows_for};
use crate::base::safe_text::{count, fit, visible, width_of, wrap};
use crate::base::theme::{Role, Theme};
use crate::render::canvas::Canvas;
use crate::state::overlay::{Overlay, Question};
use crate::view::areas::output_rows;
use crate::view::ask::{answers, matches, typed_words};
use crate::view::check_runs::words_for;
use crate::view::questions::question_areas;
use crate::view::terrain::{did_words, jumps, title_in};
use armistice_core::{Side, Version};
use ratatui::layout::Rect;
use ratatui::style::Style;

/// Columns of the help, at most.
const HELP: u16 = 100;

impl Canvas<'_> {
    pub(crate) fn overlay(&mut self) {
        match &self.state.overlay {
            Some(Overlay::Help { top, find }) => self.help(*top, find.as_deref()),
            Some(Overlay::Ask { typed, chosen }) => self.ask(typed, *chosen),
            Some(Overlay::Jump { typed, chosen }) => self.jump_list(typed, *chosen),
            Some(Overlay::Question(question)) => self.question(question),
            Some(Overlay::Output { title, lines, top }) => self.output_box(title, lines, *top),
            Some(Overlay::CheckOutput { run, top }) => self.check_output(run, *top),
            // What is typed stands in the line of the message.
            Some(Overlay::Narrow | Overlay::Seek { .. }) | None => {}
        }
    }

    /// All that one of the project's own commands prints, the end of it as long as nobody scrolls.
    fn check_output(&mut self, run: &str, top: Option<usize>) {
        let (state, theme) = (self.state, *self.theme);
        let Some(output) = state.proof.outputs.get(run) else {
            return;
        };
        let known = state.proof.checks.all.iter().find(|(c, _)| c.run == run);
        let title = match known {
            Some((check, last)) => {
                let words = words_for(state, check, last.as_ref());
                format!("{} · {} · {}", check.name, words.verdict, words.rest)
            }
            None => run.to_owned(),
        };
        let area = self.screen.middle(u16::MAX, u16::MAX);
        let inner = self.panel(area, &visible(&title));
        let rows = output_rows(self.screen);
        let last = output.lines.len().saturating_sub(rows);
        let from = top.unwrap_or(last).min(last);
        for (y, line) in (0..rows as u16).zip(output.lines.iter().skip(from)) {
            let text = fit(&visible(line), inner.width as usize);
            self.pen(inner, y).write(&text, theme.text());
        }
        let left_out = match output.left_out {
            0 => String::new(),
            n => format!(" · {} left out before them", count(n, "line")),
        };
        let place = match output.lines.len() {
            0 => "nothing printed yet".to_owned(),
            n => format!(
                "lines {} to {} of {n}{left_out}",
                from + 1,
                (from + rows).min(n)
            ),
        };
        let foot = format!("{place} · arrows scroll, end follows, x stops it, esc closes");
        let y = inner.height.saturating_sub(1);
        let foot = fit(&foot, inner.width as usize);
        self.pen(inner, y).write(&foot, theme.faint());
    }

    /// A cleared box with a title; returns what is inside.
    fn panel(&mut self, area: Rect, title: &str) -> Rect {
        let theme = *self.theme;
        for y in 0..area.height {
            self.pen(area, y).fill(" ", Style::reset());
        }
        self.buffer.set_style(area, theme.ground(Role::Raised));
        let edge = theme.fg(Role::Rule).bg(theme.colour(Role::Raised));
        let line = |left: &str, right: &str| {
            format!("{left}{}{right}", "─".repeat(area.width as usize - 2))
        };
        self.pen(area, 0).write(&line("┌", "┐"), edge);
        self.pen(area, area.height - 1).write(&line("└", "┘"), edge);
        for y in 1..area.height - 1 {
            self.pen(area, y).write("│", edge);
            self.pen(area, y)
                .to(area.width as usize - 1)
                .write("│", edge);
        }
        let title = fit(&format!(" {title} "), area.width as usize - 4);
        self.pen(area, 0)
            .to(2)
            .write(&title, theme.bold().bg(theme.colour(Role::Raised)));
        Rect {
            x: area.x + 2,
            y: area.y + 1,
            width: area.width - 4,
            height: area.height - 2,
        }
    }

    fn question(&mut self, question: &Question) {
        let theme = *self.theme;
        let areas = question_areas(self.screen, question);
        let inner = self.panel(areas.all, &visible(&question.title));
        let last = areas.lines.len().saturating_sub(areas.rows);
        let top = question.top.min(last);
        let shown = areas.lines.iter().skip(top).take(areas.rows.max(1));
        for (y, line) in (1..).zip(shown) {
            self.pen(inner, y).write(line, theme.text());
        }
        if top < last {
            let left = count(last - top, "more line");
            let y = areas.rows as u16 + 1;
            let text = format!("↓ {left}: arrows scroll");
            self.pen(inner, y).write(&text, theme.faint());
        }
        self.pen(areas.yes, 0)
            .write("enter ", theme.bold())
            .write(&question.yes, theme.text());
        self.pen(areas.no, 0)
            .write("esc ", theme.bold())
            .write("do nothing", theme.text());
        if let Some((area, other)) = areas.other.zip(question.other.as_ref()) {
            self.pen(area, 0)
                .write(other.key, theme.bold())
                .write(" ", theme.text())
                .write(&other.label, theme.text());
        }
    }

    fn output_box(&mut self, title: &str, lines: &[String], top: usize) {
        let theme = *self.theme;
        let width = self.screen.middle(110, 99).width.saturating_sub(4).max(1);
        let wrapped = lines.iter().flat_map(|line| {
            let line = visible(line);
            match width_of(&line) <= width.into() {
                // What stands in columns stays in them.
                true => vec![line],
                false => wrap(&line, width.into()),
            }
        });
        let lines: Vec<String> = wrapped.collect();
        let area = self.screen.middle(110, lines.len() as u16 + 4);
        let inner = self.panel(area, title);
        let top = top.min(lines.len().saturating_sub(1));
        let rows = inner.height.saturating_sub(1) as usize;
        for (y, line) in (1..inner.height).zip(lines.iter().skip(top)) {
            self.pen(inner, y).write(line, theme.text());
        }
        if lines.len() > top + rows && rows > 0 {
            let mut pen = self.pen(inner, inner.height - 1);
            pen.write("↓ more", theme.faint()).fill(" ", theme.text());
        }
    }

    fn help(&mut self, top: usize, find: Option<&str>) {
        let theme = *self.theme;
        let context = self.state.context();
        let tab = self.state.tab;
        let mut lines = vec![(String::new(), marks_line(&theme))];
        lines.push((String::new(), String::new()));
        let width = self.screen.middle(HELP, 99).width.saturating_sub(4 + 14);
        let wanted = typed_words(find.unwrap_or_default());
        let is_wanted = |binding: &&Binding| answers(binding, &wanted).is_some();
        let rows: Vec<&Binding> = rows_for(context).filter(is_wanted).collect();
        if rows.is_empty() {
            lines.push((String::new(), "no such action".to_owned()));
        }
        for binding in rows {
            let mut keys = binding.keys.join(" ");
            for part in wrap(binding.help, width as usize) {
                // A line that goes on stands behind a blank, so that it is indented too.
                lines.push((std::mem::replace(&mut keys, " ".to_owned()), part));
            }
        }
        if is_typing(context) {
            let typing = "arrows, ctrl-arrows, shift to select, home, end and pages work as usual";
            lines.push((String::new(), typing.to_owned()));
        }
        if context == KeyContext::Parley {
            lines.push((
                String::new(),
                "mouse: click a row, a choice, a tab, a key; the wheel scrolls".to_owned(),
            ));
        }
        let area = self.screen.middle(HELP, lines.len() as u16 + 4);
        let inner = self.panel(area, &format!("{} · {}", tab.name(), tab.question()));
        let room = inner.height.saturating_sub(1);
        let top = top.min(lines.len().saturating_sub(room as usize));
        for (y, (keys, text)) in (0..room).zip(lines.iter().skip(top)) {
            let mut pen = self.pen(inner, y);
            pen.write(keys, theme.bold())
                .to(if keys.is_empty() { 0 } else { 14 });
            pen.write(text, theme.text());
        }
        let foot = Rect {
            y: inner.y + inner.height.saturating_sub(1),
            height: 1,
            ..inner
        };
        let more = if top + (room as usize) < lines.len() {
            "↓ more · "
        } else {
            ""
        };
        let said = match find {
            None => format!("{more}/ searches · any other key closes this"),
            Some(typed) => format!("{more}find: {typed}"),
        };
        let mut pen = self.pen(foot, 0);
        pen.write(&said, theme.faint());
        if find.is_some() {
            let x = pen.column() as u16;
            self.cursor = Some((foot.x + x.min(foot.width.saturating_sub(1)), foot.y));
        }
    }

    fn ask(&mut self, typed: &str, chosen: usize) {
        let theme = *self.theme;
        let found = matches(self.state, typed);
        let area = self.screen.middle(92, 22);
        let inner = self.panel(area, "Ask · type a few letters, enter runs it");
        let mut pen = self.pen(inner, 0);
        pen.write(": ", theme.bold()).write(typed, theme.text());
        let x = pen.column() as u16;
        self.cursor = Some((inner.x + x.min(inner.width - 1), inner.y));
        let room = inner.height.saturating_sub(2) as usize;
        let top = (chosen + 1).saturating_sub(room);
        for (y, binding) in (2..inner.height).zip(found.iter().skip(top)) {
            let on = top + y as usize - 2 == chosen;
            let raised = theme.colour(Role::Raised);
            let style = if on {
                theme
                    .text()
                    .add_modifier(ratatui::style::Modifier::REVERSED)
            } else {
                theme.text().bg(raised)
            };
            let mut pen = self.pen(inner, y);
            pen.write(
                &format!("{:<10}", binding.keys[0]),
                style.add_modifier(ratatui::style::Modifier::BOLD),
            );
            pen.write(binding.help, style);
        }
        if found.is_empty() {
            self.pen(inner, 2)
                .write("no such action; ? lists all actions", theme.faint());
        }
    }
}

impl Canvas<'_> {
    /// The declarations of the file, with what each side did and how many open conflicts they have.
    fn jump_list(&mut self, typed: &str, chosen: usize) {
        let (state, theme) = (self.state, *self.theme);
        let found = jumps(state, typed);
        let chosen = chosen.min(found.len().saturating_sub(1));
        let area = self.screen.middle(92, 26);
        let inner = self.panel(
            area,
            "Declarations · type letters of a name, enter goes there",
        );
        let mut pen = self.pen(inner, 0);
        pen.write("; ", theme.bold())
            .write(&visible(typed), theme.text());
        let x = pen.column() as u16;
        self.cursor = Some((inner.x + x.min(inner.width - 1), inner.y));
        let room = inner.height.saturating_sub(2) as usize;
        let top = (chosen + 1).saturating_sub(room);
        for (y, jump) in (2..inner.height).zip(found.iter().skip(top)) {
            let Some((_, change)) = state.terrain.change(jump.item) else {
                continue;
            };
            let on = top + y as usize - 2 == chosen;
            let raised = theme.colour(Role::Raised);
            let shade = |style: Style| match on {
                true => style.add_modifier(ratatui::style::Modifier::REVERSED),
                false => style.bg(raised),
            };
            let mut pen = self.pen(inner, y);
            pen.write(&"  ".repeat(change.depth.min(6)), shade(theme.text()))
                .write(&title_in(change, Version::Ours), shade(theme.text()));
            if jump.open > 0 {
                pen.write(&format!("  {} open", jump.open), shade(theme.bold()));
            }
            for side in Side::BOTH {
                let words = did_words(state, jump.item, side);
                if !words.is_empty() {
                    let role = Role::from(side);
                    let text = format!("  {} {words}", theme.mark(role));
                    pen.write(&text, shade(theme.fg(role)));
                }
            }
        }
        if found.is_empty() {
            let text = match state.terrain.known() {
                None => "reading declarations …",
                Some(_) => "no declaration in this file matches",
            };
            self.pen(inner, 2).write(text, theme.faint());
        }
    }
}

fn marks_line(theme: &Theme) -> String {
    let mark = |role, name: &str| format!("{} {name}", theme.mark(role));
    [
        mark(Role::Ours, "ours"),
        mark(Role::Theirs, "theirs"),
        mark(Role::Base, "base"),
        mark(Role::Blend, "from both"),
        mark(Role::Hand, "by hand"),
        mark(Role::Finding, "needs a look"),
    ]
    .join("   ")
}
