//! Draws Scout: whom the current branch could meet, both lines of commits, what would come of it.

use crate::base::safe_text::{ago, count, fit, fit_path, visible, width_of};
use crate::base::theme::Role;
use crate::case::foresee::{Forecast, ForeseenFile, StepEnd};
use crate::render::canvas::Canvas;
use crate::state::scout::{ScoutFocus, ScoutReading};
use crate::view::scout::{
    ForecastRow, MeetingRow, ScoutAreas, forecast_rows, is_under_way, meeting_rows, relation_words,
    step_words,
};
use armistice_core::Side;
use armistice_git::{Commit, Counterpart, CounterpartKind, Meeting, Relation, Undertaking};
use ratatui::layout::Rect;
use ratatui::style::Style;

impl Canvas<'_> {
    pub(crate) fn scout(&mut self) {
        let areas = ScoutAreas::new(self.state);
        if is_under_way(self.state) {
            self.rule(self.screen.title(), 0, "operation in progress");
            let theme = *self.theme;
            let text = "Scout is available again after you conclude or abort it (6 Accord).";
            self.pen(self.screen.body, 2)
                .to(2)
                .write(text, theme.text());
            return;
        }
        self.counterparts(areas.counterparts);
        self.tree_state(areas.state);
        self.meeting(areas.meeting);
        self.forecast(areas.forecast);
    }

    /// A part's heading; bold where the keys are about it.
    fn head(&mut self, area: Rect, title: &str, on: bool) {
        let theme = *self.theme;
        let title = fit(title, (area.width as usize).saturating_sub(5));
        let mut pen = self.pen(area, 0);
        let style = if on { theme.bold() } else { theme.text() };
        pen.write("── ", theme.fg(Role::Rule))
            .write(&title, style)
            .write(" ", theme.text());
        pen.fill("─", theme.fg(Role::Rule));
    }

    fn counterparts(&mut self, area: Rect) {
        let (state, theme) = (self.state, *self.theme);
        let scout = &state.scout;
        let on = scout.focus == ScoutFocus::Counterparts;
        let what = match scout.undertaking {
            Undertaking::Merge => "merge with",
            Undertaking::Rebase => "rebase onto",
            Undertaking::Pick => "pick",
            Undertaking::Revert => "revert",
        };
        let shown = scout.shown_counterparts();
        let title = match (&scout.reading, scout.typed.is_empty()) {
            (ScoutReading::Failed(why), _) => visible(why),
            (ScoutReading::Known, true) => format!("{what} · {} to choose from", shown.len()),
            (ScoutReading::Known, false) => {
                format!("{what} · {} with '{}'", shown.len(), visible(&scout.typed))
            }
            _ => "reading branches …".to_owned(),
        };
        self.head(area, &title, on);
        let from = scout.list.top;
        for (y, (nth, one)) in (1..area.height).zip(shown.iter().enumerate().skip(from)) {
            let here = nth == scout.list.chosen;
            self.counterpart(area, y, one, here, here && on);
        }
        if shown.is_empty() && scout.reading == ScoutReading::Known && area.height > 1 {
            let text = match scout.typed.is_empty() {
                true => "no other branch exists",
                false => "enter asks git for this revision",
            };
            self.pen(area, 1).to(2).write(text, theme.faint());
        }
    }

    fn counterpart(&mut self, area: Rect, y: u16, one: &Counterpart, here: bool, on: bool) {
        let theme = *self.theme;
        if here {
            self.choose_row(area, y);
        }
        let shade = |style: Style| if here { theme.chosen(style) } else { style };
        let age = ago(self.state.now, one.commit.time);
        let tail = match (one.why, one.kind) {
            ("", CounterpartKind::Tag) => format!("tag · {age}"),
            ("", CounterpartKind::Commit) => age,
            ("", _) => age,
            (why, _) => format!("{why} · {age}"),
        };
        let mut pen = self.pen(area, y);
        pen.write(if on { "> " } else { "  " }, shade(theme.bold()));
        let room = pen.room().saturating_sub(width_of(&tail) + 3);
        let name = visible(&one.name);
        let name = match one.kind {
            CounterpartKind::Commit => format!("{name} {}", visible(&one.commit.subject)),
            _ => name,
        };
        let style = if here { theme.bold() } else { theme.text() };
        pen.write(&fit(&name, room), shade(style));
        pen.right(&format!("{tail} "), shade(theme.faint()));
    }

    fn tree_state(&mut self, area: Rect) {
        if area.height == 0 {
            return;
        }
        let (state, theme) = (self.state, *self.theme);
        self.head(area, "here", false);
        let branch = state.situation.branch.as_deref().unwrap_or("detached HEAD");
        let mut lines = vec![(Role::Text, format!("on {}", visible(branch)))];
        if let Some(forecast) = &state.scout.forecast {
            let tree = &forecast.tree;
            let changed = match (tree.changed.len(), tree.staged.len()) {
                (0, 0) if tree.submodules > 0 => {
                    "no tracked file is changed (submodules not checked)".to_owned()
                }
                (0, 0) => "clean: no tracked file is changed".to_owned(),
                (changed, 0) => format!("{} changed", count(changed, "file")),
                (0, staged) => format!("{} staged", count(staged, "file")),
                (changed, staged) => format!("{} changed, {staged} staged", count(changed, "file")),
            };
            lines.push((Role::Text, changed));
            if !forecast.obstacles.refused.is_empty() {
                let files = count(forecast.obstacles.refused.len(), "file");
                lines.push((
                    Role::Finding,
                    format!("{files} in the way: git stash, then S"),
                ));
            }
            if tree.stashes > 0 {
                let stashes = count(tree.stashes, "stash").replace("stashs", "stashes");
                lines.push((Role::Faint, format!("{stashes} put aside")));
            }
            if tree.submodules > 0 {
                lines.push((Role::Faint, count(tree.submodules, "submodule")));
            }
            if tree.sparse {
                lines.push((Role::Faint, "sparse checkout".to_owned()));
            }
        }
        if let Some(question) = state.scout.question() {
            lines.push((Role::Text, String::new()));
            lines.push((Role::Faint, "S begins:".to_owned()));
            lines.push((Role::Text, question.command()));
        }
        for (y, (role, text)) in (1..area.height).zip(lines) {
            let text = fit(&visible(&text), (area.width as usize).saturating_sub(3));
            let style = match y {
                1 => theme.bold(),
                _ => theme.fg(role),
            };
            self.pen(area, y).to(2).write(&text, style);
        }
    }

    fn meeting(&mut self, area: Rect) {
        if area.height == 0 {
            return;
        }
        let theme = *self.theme;
        let Some(forecast) = self.state.scout.forecast.clone() else {
            self.head(area, "both lines", false);
            return;
        };
        let meeting = &forecast.meeting;
        let title = match forecast.question.undertaking {
            Undertaking::Pick => "apply one commit here".to_owned(),
            Undertaking::Revert => "undo one commit here".to_owned(),
            _ => relation_words(meeting),
        };
        self.head(area, &title, false);
        if area.height < 6 {
            return self.meeting_in_short(area, meeting);
        }
        let since = meeting
            .lines
            .base
            .as_ref()
            .map(|base| ago(self.state.now, base.time));
        if let (Some(since), Relation::Parted(_)) = (since, meeting.relation) {
            let text = format!("parted {since}");
            self.pen(area, 1).to(2).write(&text, theme.faint());
        }
        let room = area.height.saturating_sub(2) as usize;
        let rows = meeting_rows(meeting, forecast.question.undertaking, room);
        let has_theirs = rows.iter().any(|row| is_of(row, Side::Theirs));
        let has_ours = rows.iter().any(|row| is_of(row, Side::Ours));
        let first_theirs = rows.iter().position(|row| is_of(row, Side::Theirs));
        for (nth, row) in rows.iter().enumerate() {
            let y = nth as u16 + 2;
            // The lane of theirs runs from its first commit down to where both part.
            let lane = match (row, first_theirs) {
                (MeetingRow::Base(_), _) if has_theirs && has_ours => "◆─┘ ",
                (MeetingRow::Base(_), _) => "◆   ",
                (_, Some(first)) if nth > first && is_of(row, Side::Ours) => "● │ ",
                (MeetingRow::Commit(Side::Ours, _), _) => "●   ",
                (MeetingRow::Folded(Side::Ours, _), _) => "┊   ",
                (MeetingRow::Commit(Side::Theirs, _), _) if has_ours => "│ ● ",
                (MeetingRow::Folded(Side::Theirs, _), _) if has_ours => "│ ┊ ",
                (MeetingRow::Commit(Side::Theirs, _), _) => "  ● ",
                (MeetingRow::Folded(Side::Theirs, _), _) => "  ┊ ",
            };
            self.meeting_row(area, y, lane, row);
        }
    }

    /// Where there is no room for a drawing: both tips.
    fn meeting_in_short(&mut self, area: Rect, meeting: &Meeting) {
        for (y, (side, commit)) in
            (1..area.height).zip([(Side::Ours, &meeting.ours), (Side::Theirs, &meeting.theirs)])
        {
            let role = Role::from(side);
            let theme = *self.theme;
            let mut pen = self.pen(area, y);
            pen.to(1)
                .write(theme.mark(role), theme.fg(role))
                .write(" ", theme.text());
            let text = format!("{} {}", commit.short, visible(&commit.subject));
            let room = pen.room();
            pen.write(&fit(&text, room), theme.text());
        }
    }

    fn meeting_row(&mut self, area: Rect, y: u16, lane: &str, row: &MeetingRow) {
        let theme = *self.theme;
        let now = self.state.now;
        let colour = |c: char, nth: usize| match (c, nth) {
            ('◆', _) => theme.fg(Role::Base),
            (_, 0) => theme.fg(Role::Ours),
            _ => theme.fg(Role::Theirs),
        };
        let mut pen = self.pen(area, y);
        pen.to(2);
        for (nth, c) in lane.chars().enumerate() {
            pen.write(&c.to_string(), colour(c, nth));
        }
        let words = |commit: &Commit| {
            (
                format!("{} {}", commit.short, visible(&commit.subject)),
                format!(" {}, {} ", visible(&commit.author), ago(now, commit.time)),
            )
        };
        let (text, tail, style) = match row {
            MeetingRow::Commit(_, commit) => {
                let (text, tail) = words(commit);
                (text, tail, theme.text())
            }
            MeetingRow::Folded(side, n) => (
                format!("{} more of {}", count(*n, "commit"), side_name(*side)),
                String::new(),
                theme.faint(),
            ),
            MeetingRow::Base(Some(commit)) => {
                let (text, tail) = words(commit);
                (text, tail, theme.text())
            }
            MeetingRow::Base(None) => (
                "no common ancestor".to_owned(),
                String::new(),
                theme.faint(),
            ),
        };
        let room = pen.room();
        // The subject comes first; who and when as far as there is room beside it.
        let age = tail.rsplit(", ").next().unwrap_or_default().to_owned();
        let fits = |tail: &String, least: usize| room > width_of(tail) + least;
        let tail = match (fits(&tail, 44), fits(&age, 26)) {
            (true, _) => tail,
            (false, true) => age,
            (false, false) => String::new(),
        };
        pen.write(&fit(&text, room.saturating_sub(width_of(&tail) + 2)), style);
        pen.right(&tail, theme.faint());
    }

    fn forecast(&mut self, area: Rect) {
        if area.height == 0 {
            return;
        }
        let state = self.state;
        let scout = &state.scout;
        let on = scout.focus == ScoutFocus::Forecast;
        let title = match (&scout.forecast, &scout.failed, scout.looking) {
            (_, Some(why), _) => visible(why),
            (Some(forecast), None, true) if forecast.steps_to_come > 0 => format!(
                "step {} of {} …",
                forecast.steps.len(),
                forecast.steps_to_come
            ),
            (Some(_), None, true) => "forecast · reading …".to_owned(),
            (None, None, true) => "reading the forecast …".to_owned(),
            (Some(_), None, false) => "forecast".to_owned(),
            (None, None, false) => "no forecast yet".to_owned(),
        };
        self.head(area, &title, on);
        let Some(forecast) = scout.forecast.clone() else {
            return;
        };
        let rows = forecast_rows(state);
        let from = scout.rows.top;
        for (y, (nth, row)) in (1..area.height).zip(rows.iter().enumerate().skip(from)) {
            let here = on && nth == scout.rows.chosen;
            if here {
                self.choose_row(area, y);
            }
            self.forecast_row(area, y, &forecast, row, here);
        }
    }

    fn forecast_row(
        &mut self,
        area: Rect,
        y: u16,
        forecast: &Forecast,
        row: &ForecastRow,
        here: bool,
    ) {
        let theme = *self.theme;
        let shade = |style: Style| if here { theme.chosen(style) } else { style };
        let width = area.width as usize;
        match row {
            ForecastRow::Words(text) => {
                let text = fit(&visible(text), width.saturating_sub(3));
                self.pen(area, y).to(2).write(&text, theme.faint());
            }
            ForecastRow::Finding(text) => {
                let text = fit(&visible(text), width.saturating_sub(5));
                let mut pen = self.pen(area, y);
                pen.to(2)
                    .write("! ", theme.fg(Role::Finding))
                    .write(&text, theme.text());
            }
            ForecastRow::Step(nth) => {
                let step = &forecast.steps[*nth];
                let words = step_words(step);
                let role = match step.end {
                    StepEnd::Open => Role::Text,
                    _ => Role::Faint,
                };
                let subject = step.commit.as_ref().map_or(String::new(), |commit| {
                    format!("{} {}", commit.short, visible(&commit.subject))
                });
                let mut pen = self.pen(area, y);
                pen.write(if here { "> " } else { "  " }, shade(theme.bold()))
                    .write(&format!("{:>3} ", nth + 1), shade(theme.faint()));
                let room = pen.room().saturating_sub(width_of(&words) + 3);
                pen.write(&fit(&subject, room), shade(theme.fg(Role::Theirs)));
                pen.right(&format!("{words} "), shade(theme.fg(role)));
            }
            ForecastRow::File(step, file) => {
                let file = &forecast.steps[*step].files[*file];
                self.foreseen_file(area, y, file, here);
            }
            ForecastRow::Clean(step, nth) => {
                let file = &forecast.steps[*step].clean.files[*nth];
                let mut pen = self.pen(area, y);
                pen.write(if here { "> " } else { "  " }, shade(theme.bold()));
                for (side, did) in [(Side::Ours, file.by.ours), (Side::Theirs, file.by.theirs)] {
                    let role = Role::from(side);
                    let mark = if did { theme.mark(role) } else { " " };
                    pen.write(mark, shade(theme.fg(role)));
                }
                pen.write(" ", shade(theme.text()));
                let room = pen.room().saturating_sub(1);
                let path = fit_path(&file.case.path.to_string(), room);
                pen.write(&path, shade(theme.faint()));
            }
        }
    }

    fn foreseen_file(&mut self, area: Rect, y: u16, file: &ForeseenFile, here: bool) {
        let theme = *self.theme;
        let shade = |style: Style| if here { theme.chosen(style) } else { style };
        let [ours, theirs] = &file.did;
        let words = match (file.has_lines, file.open) {
            _ if file.pending => "…".to_owned(),
            (false, 0) => "decided".to_owned(),
            (false, _) => format!("ours {ours} · theirs {theirs}"),
            (true, 0) => format!("{} settled", file.conflicts),
            (true, open) if file.offered > 0 => {
                format!(
                    "{open} of {} open, {} suggested",
                    file.conflicts, file.offered
                )
            }
            (true, open) => format!("{open} of {} open", file.conflicts),
        };
        let words = self.state.named(&words);
        let width = area.width as usize;
        let words = fit(&words, width / 2);
        let mut pen = self.pen(area, y);
        pen.write(if here { "> " } else { "  " }, shade(theme.bold()));
        let mark = match file.open {
            _ if file.pending => ("·", Role::Text),
            0 => (theme.rule_mark(), Role::Blend),
            _ => ("○", Role::Text),
        };
        pen.write(mark.0, shade(theme.fg(mark.1)))
            .write(" ", shade(theme.text()));
        let room = pen.room().saturating_sub(width_of(&words) + 3);
        let style = if file.open > 0 && !file.pending {
            theme.bold()
        } else {
            theme.text()
        };
        let path = fit_path(&file.path.to_string(), room);
        pen.write(&path, shade(style));
        pen.right(&format!("{words} "), shade(theme.faint()));
    }
}

fn is_of(row: &MeetingRow, side: Side) -> bool {
    match row {
        MeetingRow::Commit(of, _) | MeetingRow::Folded(of, _) => *of == side,
        MeetingRow::Base(_) => false,
    }
}

fn side_name(side: Side) -> &'static str {
    match side {
        Side::Ours => "ours",
        Side::Theirs => "theirs",
    }
}
