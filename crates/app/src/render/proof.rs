//! Proof: the checks with their verdicts, the findings, the gate.

use crate::base::safe_text::{count, fit, fit_path, visible};
use crate::base::theme::Role;
use crate::case::findings::settled_while_merging;
use crate::render::canvas::Canvas;
use crate::state::app::ProofRow;
use crate::view::check_rows::{CHECK_ROWS, CheckRow, Verdict};
use crate::view::check_runs::{CheckKind, words_for};
use crate::view::gate::{gate, is_loose};
use crate::view::new_text::new_text_count;
use armistice_core::Weight;
use ratatui::layout::Rect;
use ratatui::style::Style;

impl Canvas<'_> {
    pub(crate) fn proof(&mut self) {
        let state = self.state;
        let theme = *self.theme;
        let title = match (&state.proof.proof, state.proof.running) {
            (_, true) => "checking the commit …".to_owned(),
            (Some(proof), _) => format!(
                "{} checked · {}{}{}{}",
                count(proof.files, "file"),
                count(proof.findings.len(), "finding"),
                match new_text_count(state) {
                    0 => String::new(),
                    n => format!(" · {} (n)", count(n, "new line")),
                },
                match proof.steps_not_reviewed {
                    0 => String::new(),
                    n => format!(" · {} not reviewed", count(n, "rebase step")),
                },
                match proof.traceable || self.state.situation.is_idle() {
                    true => "",
                    false => " · other files: markers only",
                }
            ),
            (None, _) => "not checked yet".to_owned(),
        };
        let title = match settled_while_merging(&self.state.situation) {
            Some(said) => format!("{title} · {said}"),
            None => title,
        };
        self.rule(self.screen.title(), 0, &title);
        let title = self.screen.title();
        for (y, row) in (1..).zip(&CHECK_ROWS) {
            let area = Rect {
                y: title.y + y,
                ..title
            };
            self.check(area, row);
        }
        self.findings();
        self.surroundings();
        let trouble = state.proof.checks.trouble.as_ref();
        if let Some(error) = state.proof.error.as_ref().or(trouble) {
            let list = self.screen.list();
            self.pen(list, 0).to(2).write(
                &fit(error, list.width as usize - 4),
                theme.fg(Role::Finding),
            );
        }
        self.gate();
    }

    fn check(&mut self, area: Rect, row: &CheckRow) {
        let theme = *self.theme;
        let is_current = !self.state.proof.running;
        let proof = self.state.proof.proof.as_ref().filter(|_| is_current);
        let (mark, role, verdict, looked) = match proof.map(|proof| row.verdict(proof)) {
            None => (" ", Role::Faint, "…".to_owned(), String::new()),
            Some(Verdict::Nothing) => (
                " ",
                Role::Faint,
                "nothing to check yet".to_owned(),
                String::new(),
            ),
            Some(Verdict::Holds(looked)) => ("+", Role::Text, "holds".to_owned(), looked),
            Some(Verdict::Found(n)) => ("!", Role::Finding, count(n, "finding"), String::new()),
            Some(Verdict::ToConfirm(n)) => (
                "?",
                Role::Text,
                count(n, "finding"),
                "needs a look, does not block".to_owned(),
            ),
        };
        let mut pen = self.pen(area, 0);
        pen.to(2)
            .write(mark, theme.fg(role))
            .to(4)
            .write(row.name, theme.text());
        pen.to(44).write(&verdict, theme.fg(role));
        let room = pen.to(57).room();
        pen.write(&fit(&looked, room), theme.faint());
    }

    /// The text around the chosen finding.
    fn surroundings(&mut self) {
        let (list, theme) = (self.screen.list(), *self.theme);
        let height = self.screen.finding_height();
        let area = Rect {
            y: list.y + list.height,
            height,
            ..list
        };
        if height < 2 {
            return;
        }
        if let Some((check, _)) = self.state.proof.chosen_check() {
            return self.output_tail(area, &check.run);
        }
        let Some(item) = self.state.proof.chosen_finding() else {
            return;
        };
        let finding = &item.finding;
        let place = finding.line.map_or(String::new(), |l| format!(":{l}"));
        self.rule(area, 0, &format!("{}{place}", item.path));
        let what = visible(&finding.what);
        self.pen(area, 1)
            .to(2)
            .write(&fit(&what, area.width as usize - 4), theme.text());
        let rows = (height - 2) as usize;
        let own = finding
            .around
            .iter()
            .position(|(at, _)| Some(*at) == finding.line);
        let from = own.unwrap_or(0).saturating_sub((rows - 1) / 2);
        for (y, (at, text)) in (2..height).zip(finding.around.iter().skip(from)) {
            let here = Some(*at) == finding.line;
            let style = if here { theme.bold() } else { theme.faint() };
            let mut pen = self.pen(area, y);
            pen.write(if here { " > " } else { "   " }, style);
            pen.write(&format!("{:>5}  ", at.number()), theme.faint());
            pen.scrolled(0)
                .write_line(text, style)
                .mark_cut(theme.bold());
        }
    }

    /// The last lines that one of the project's own commands printed.
    fn output_tail(&mut self, area: Rect, run: &str) {
        let theme = *self.theme;
        self.rule(area, 0, &fit(&visible(run), area.width as usize - 8));
        let rows = area.height as usize - 1;
        let Some(output) = self.state.proof.outputs.get(run) else {
            return;
        };
        let from = output.lines.len().saturating_sub(rows);
        for (y, line) in (1..area.height).zip(output.lines.iter().skip(from)) {
            let text = fit(&visible(line), area.width as usize - 4);
            self.pen(area, y).to(2).write(&text, theme.faint());
        }
    }

    /// One of the project's own commands.
    fn project_check(&mut self, y: u16, nth: usize, on: bool) {
        let (list, theme) = (self.screen.list(), *self.theme);
        let state = self.state;
        let Some((check, run)) = state.proof.checks.all.get(nth) else {
            return;
        };
        let words = words_for(state, check, run.as_ref());
        let (mark, role) = match words.kind {
            CheckKind::Passed => ("+", Role::Text),
            CheckKind::Failed => ("!", Role::Finding),
            CheckKind::Running => ("…", Role::Text),
            CheckKind::Unknown => (" ", Role::Faint),
        };
        let shade = |style: Style| if on { theme.chosen(style) } else { style };
        let mut pen = self.pen(list, y);
        pen.write(if on { ">" } else { " " }, shade(theme.text()));
        pen.to(2).write(mark, shade(theme.fg(role)));
        pen.to(4).write(&check.name, shade(theme.text()));
        pen.to(44).write(&words.verdict, shade(theme.fg(role)));
        let room = pen.to(57).room();
        pen.write(&fit(&visible(&words.rest), room), shade(theme.faint()));
    }

    fn findings(&mut self) {
        let (list, theme) = (self.screen.list(), *self.theme);
        let view = &self.state.proof.list;
        let path_width = (list.width as usize / 3).clamp(16, 60);
        for y in 0..list.height {
            let nth = view.top + y as usize;
            let on = nth == view.chosen;
            let row = self.state.proof.row(nth);
            if let Some(ProofRow::Check(check)) = row {
                if on {
                    self.choose_row(list, y);
                }
                self.project_check(y, check, on);
                continue;
            }
            let Some(ProofRow::Finding(finding)) = row else {
                break;
            };
            let found = self.state.proof.proof.as_ref();
            let Some(item) = found.and_then(|proof| proof.findings.get(finding)) else {
                break;
            };
            if on {
                self.choose_row(list, y);
            }
            let shade = |style: Style| if on { theme.chosen(style) } else { style };
            let line = item.finding.line.map_or(String::new(), |l| format!(":{l}"));
            let place = fit_path(&format!("{}{line}", item.path), path_width);
            let role = match item.finding.weight {
                Weight::Stops => Role::Finding,
                Weight::Look => Role::Faint,
            };
            let mut pen = self.pen(list, y);
            pen.write(if on { " > " } else { "   " }, shade(theme.text()));
            pen.write(
                if role == Role::Finding { "! " } else { "  " },
                shade(theme.fg(role)),
            );
            pen.write(&place, shade(theme.text())).to(path_width + 7);
            let room = pen.room();
            pen.write(
                &fit(&visible(&item.finding.what), room),
                shade(theme.faint()),
            );
        }
    }

    fn gate(&mut self) {
        let (list, theme) = (self.screen.list(), *self.theme);
        let foot = Rect {
            y: list.y + list.height + self.screen.finding_height(),
            height: 4,
            ..list
        };
        let (text, style) = match gate(self.state) {
            None => (
                "Ready to conclude: 6 goes to Accord.".to_owned(),
                theme.bold(),
            ),
            Some(_) if is_loose(self.state) => (
                "Nothing to conclude: leave it staged, or commit.".to_owned(),
                theme.text(),
            ),
            Some(why) => (format!("Not ready: {why}."), theme.fg(Role::Finding)),
        };
        self.rule(foot, 0, "gate");
        self.pen(foot, 1).to(2).write(&text, style);
        self.ledger(foot, 2);
    }
}
