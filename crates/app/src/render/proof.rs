//! Proof: the checks with their verdicts, the findings, the gate.

use crate::base::safe_text::{count, fit, fit_path, visible};
use crate::base::theme::Role;
use crate::render::canvas::Canvas;
use crate::view::gate::gate;
use armistice_core::{Check, Weight};
use ratatui::layout::Rect;
use ratatui::style::Style;

impl Canvas<'_> {
    pub(crate) fn proof(&mut self) {
        let state = self.state;
        let theme = *self.theme;
        let title = match (&state.proof.proof, state.proof.running) {
            (_, true) => "checking what is to be committed …".to_owned(),
            (Some(proof), _) => format!(
                "{} checked · {}",
                count(proof.files, "file"),
                count(proof.findings.len(), "finding")
            ),
            (None, _) => "not checked yet".to_owned(),
        };
        self.rule(self.screen.title(), 0, &title);
        let title = self.screen.title();
        for (y, check) in (1..).zip(Check::ALL) {
            let area = Rect {
                y: title.y + y,
                ..title
            };
            self.check(area, check);
        }
        self.findings();
        if let Some(error) = &state.proof.error {
            let list = self.screen.list();
            self.pen(list, 0).to(2).write(
                &fit(error, list.width as usize - 4),
                theme.fg(Role::Finding),
            );
        }
        self.gate();
    }

    fn check(&mut self, area: Rect, check: Check) {
        let theme = *self.theme;
        let proof = self.state.proof.proof.as_ref();
        let n = proof.map(|p| {
            p.findings
                .iter()
                .filter(|f| f.finding.check == check)
                .count()
        });
        let (mark, role, verdict) = match n {
            None => (" ", Role::Faint, "…".to_owned()),
            Some(0) => ("+", Role::Text, "holds".to_owned()),
            Some(n) => ("!", Role::Finding, count(n, "finding")),
        };
        let mut pen = self.pen(area, 0);
        pen.to(2)
            .write(mark, theme.fg(role))
            .to(4)
            .write(check.name(), theme.text());
        pen.to(40).write(&verdict, theme.fg(role));
        if check.weight() == Weight::Look {
            pen.to(56)
                .write("worth a look, stops nothing", theme.faint());
        }
    }

    fn findings(&mut self) {
        let (list, theme) = (self.screen.list(), *self.theme);
        let view = &self.state.proof.list;
        let findings = self
            .state
            .proof
            .proof
            .as_ref()
            .map_or(&[][..], |p| &p.findings);
        let path_width = (list.width as usize / 3).clamp(16, 60);
        for y in 0..list.height {
            let nth = view.top + y as usize;
            let Some(item) = findings.get(nth) else {
                break;
            };
            let on = nth == view.chosen;
            if on {
                let row = Rect {
                    y: list.y + y,
                    height: 1,
                    ..list
                };
                self.buffer.set_style(row, theme.chosen(Style::new()));
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
            y: list.y + list.height,
            height: 4,
            ..list
        };
        let (text, style) = match gate(self.state) {
            None => (
                "Ready to conclude: 6 goes to Accord.".to_owned(),
                theme.bold(),
            ),
            Some(why) => (format!("Not ready: {why}."), theme.fg(Role::Finding)),
        };
        self.rule(foot, 0, "gate");
        self.pen(foot, 1).to(2).write(&text, style);
        self.ledger(foot, 2);
    }
}
