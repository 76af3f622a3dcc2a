//! What is staged against each parent: the files, and the difference of one of them.

use crate::base::safe_text::{count, fit, fit_path, visible};
use crate::base::theme::{Role, Theme};
use crate::case::card_lines::{CardLine, Tone};
use crate::case::staged_diff::{DiffRow, From};
use crate::render::canvas::Canvas;
use crate::state::app::StagedView;
use crate::view::staged::StagedAreas;
use armistice_core::Side;
use armistice_git::AgainstParent;
use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};

/// The colour of a parent; the third and further ones have none.
fn role_of(side: Option<Side>) -> Role {
    side.map_or(Role::Text, Role::from)
}

impl Canvas<'_> {
    pub(crate) fn staged(&mut self, view: &StagedView) {
        let areas = StagedAreas::new(self.state);
        let Some(against) = self.state.accord.against.get(view.parent) else {
            return self.rule(areas.title, 0, "nothing is staged");
        };
        self.staged_title(&areas, view, against);
        self.staged_files(areas.files, view, against);
        self.staged_file(&areas, view, against);
    }

    fn staged_title(&mut self, areas: &StagedAreas, view: &StagedView, against: &AgainstParent) {
        let theme = *self.theme;
        let role = role_of(against.parent.side);
        let (added, removed) = against.lines();
        let all = self.state.accord.against.len();
        let nth = match all {
            0 | 1 => String::new(),
            _ => format!(" (parent {} of {all})", view.parent + 1),
        };
        let counts = format!(
            "{nth} · {}, {} added, {} removed ",
            count(against.files.len(), "file"),
            count(added, "line"),
            count(removed, "line"),
        );
        let room = areas.title.width as usize;
        let label = fit(
            &visible(&against.parent.label),
            room.saturating_sub(60).max(12),
        );
        let mut pen = self.pen(areas.title, 0);
        pen.write("── ", theme.fg(Role::Rule))
            .write("staged against ", theme.bold());
        pen.write(theme.mark(role), theme.fg(role))
            .write(" ", theme.text());
        pen.write(&label, theme.fg(role).add_modifier(Modifier::BOLD));
        pen.write(&counts, theme.text())
            .fill("─", theme.fg(Role::Rule));
    }

    fn staged_files(&mut self, area: Rect, view: &StagedView, against: &AgainstParent) {
        let theme = *self.theme;
        for y in 0..area.height {
            let nth = view.files.top + y as usize;
            let Some(file) = against.files.get(nth) else {
                break;
            };
            let on = nth == view.files.chosen;
            if on {
                self.choose_row(area, y);
            }
            let shade = |style: Style| if on { theme.chosen(style) } else { style };
            let counts = match file.lines {
                Some((added, removed)) if file.what == "changed" => format!("+{added} −{removed}"),
                Some((added, _)) if file.what == "added" => format!("added, {added}"),
                Some((_, removed)) if file.what == "removed" => format!("removed, {removed}"),
                _ => file.what.to_owned(),
            };
            let room = (area.width as usize).saturating_sub(counts.chars().count() + 6);
            let path = fit_path(&file.path.to_string(), room);
            let mut pen = self.pen(area, y);
            pen.write(if on { " > " } else { "   " }, shade(theme.text()));
            pen.write(&path, shade(theme.text()));
            pen.right(&format!("{counts} "), shade(theme.faint()));
        }
    }

    fn staged_file(&mut self, areas: &StagedAreas, view: &StagedView, against: &AgainstParent) {
        let theme = *self.theme;
        let Some(file) = against.files.get(view.files.chosen) else {
            return;
        };
        let read = view.read.get(&(view.parent, file.path.clone()));
        let note = match read {
            None => Some("reading …".to_owned()),
            Some(Err(why)) => Some(why.clone()),
            Some(Ok(None)) => Some(format!("{}: no text to show", file.what)),
            Some(Ok(Some(diff))) if diff.rows.is_empty() => Some(file.what.to_owned()),
            Some(Ok(Some(_))) => None,
        };
        let diff = match read {
            Some(Ok(Some(diff))) => Some(diff),
            _ => None,
        };
        let head = match diff {
            Some(diff) => format!("{} · {}", file.path, count(diff.changes.len(), "change")),
            None => file.path.to_string(),
        };
        self.rule(areas.head, 0, &fit(&head, areas.head.width as usize - 8));
        if let Some(note) = note {
            self.pen(areas.diff, 1)
                .to(3)
                .write(&visible(&note), theme.faint());
        }
        let Some(diff) = diff else {
            return;
        };
        let shown = diff.rows.iter().skip(view.top);
        for (y, row) in (0..areas.diff.height).zip(shown) {
            self.diff_row(areas.diff, y, row, against.parent.side, view.left);
        }
        let below = diff.rows.len().saturating_sub(view.top);
        if diff.hidden > 0 && below < areas.diff.height as usize {
            let text = format!("{} more are not shown", count(diff.hidden, "row"));
            self.pen(areas.diff, below as u16)
                .to(3)
                .write(&text, theme.faint());
        }
    }

    fn diff_row(&mut self, area: Rect, y: u16, row: &DiffRow, side: Option<Side>, left: usize) {
        let theme = *self.theme;
        let parent = role_of(side);
        let (line, added, mark) = match row {
            DiffRow::Folded(n) => {
                let text = format!("… {} the same", count(*n, "line"));
                self.pen(area, y).to(10).write(&text, theme.faint());
                return;
            }
            DiffRow::Same(line) => (line, Role::Text, " "),
            DiffRow::Changed(line, _) if line.sign == "−" => {
                (line, Role::Text, theme.mark(parent))
            }
            DiffRow::Changed(line, From::OtherParent) => {
                let other = side.map_or(Role::Text, |side| Role::from(side.other()));
                (line, other, theme.mark(other))
            }
            // Blended or written by hand; which of them is reported in Parley.
            DiffRow::Changed(line, From::Nobody) => (line, Role::Hand, " "),
        };
        let number = line.number.map_or(String::new(), |n| n.to_string());
        let removed = line.sign == "−";
        let sign = theme.fg(if removed { parent } else { added });
        let mut pen = self.pen(area, y);
        pen.to(1).write(mark, sign);
        pen.to(3).write(&format!("{number:>5} "), theme.faint());
        pen.write(line.sign, sign).write(" ", theme.text());
        let mut pen = pen.scrolled(left);
        for (tone, text) in &line.parts {
            let style = diff_style(&theme, line, *tone, parent, added);
            match tone {
                Tone::Sign => pen.write(text, style),
                _ => pen.write_line(text, style),
            };
        }
        pen.mark_cut(theme.bold());
    }
}

fn diff_style(theme: &Theme, line: &CardLine, tone: Tone, parent: Role, added: Role) -> Style {
    match tone {
        Tone::Plain => theme.text(),
        Tone::Faint | Tone::Sign => theme.faint(),
        Tone::Shaded(shade, faint) => {
            let style = if faint { theme.faint() } else { theme.text() };
            theme.shaded(style, shade)
        }
        Tone::Removed => theme.removed(parent),
        // A whole new line is bright; underlining all of it would say no more.
        Tone::Added if line.sign == "+" => theme.fg(added).add_modifier(Modifier::BOLD),
        Tone::Added => theme.added(added),
    }
}
