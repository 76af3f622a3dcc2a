//! The evidence: cards of what each side did, and the settle box.

use crate::base::keymap::{KeyContext, key_now};
use crate::base::party_words::PartyWords;
use crate::base::safe_text::{count, fit, visible};
use crate::base::theme::{Role, Theme};
use crate::case::card_lines::{CardLine, Tone};
use crate::case::choices::{Choice, PROPOSAL};
use crate::case::evidence::{Card, Lens};
use crate::render::canvas::Canvas;
use crate::state::file::{Mode, OpenFile};
use crate::view::cards::CardRow;
use crate::view::evidence::{
    Aligned, aligned, card_width, columns, gives_up, is_low, low_cells, parts, per_row, reason,
};
use crate::view::following::moved_edit;
use crate::view::wrapping::wrapped;
use armistice_core::limits::LINE_BYTES;
use armistice_core::{RegionKind, RegionState, Version};
use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};

/// Where a line of a card is drawn, and which of its rows.
struct Place {
    y: u16,
    line: usize,
    row: usize,
    /// Its place among the lines of all cards.
    nth: usize,
}

impl Canvas<'_> {
    pub(crate) fn evidence(&mut self, file: &OpenFile) {
        let area = self.screen.evidence();
        if area.height == 0 {
            return;
        }
        self.buffer.set_style(area, self.theme.ground(Role::Panel));
        let parts = parts(file, area);
        self.lenses(file, parts.head);
        let side_by_side = file.view.wide && matches!(file.view.mode, Mode::Look);
        match side_by_side {
            true => self.three_columns(file, parts.cards),
            false => self.cards(file, parts.cards),
        }
        if parts.settle.height > 0 {
            self.settle_box(file, parts.settle);
        }
    }

    fn lenses(&mut self, file: &OpenFile, area: Rect) {
        let theme = *self.theme;
        let picking = matches!(file.view.mode, Mode::Pick(_));
        let side_by_side = file.view.wide && matches!(file.view.mode, Mode::Look);
        let title = match (picking, side_by_side) {
            (true, _) => "─ lines of each version ",
            (_, true) => "─ side by side ",
            _ => match file.view.lens {
                Lens::Deltas => "─ what each side did to base ",
                Lens::Face => "─ what makes ours into theirs ",
                Lens::Texts => "─ the versions as they are ",
            },
        };
        let mut pen = self.pen(area, 0);
        pen.write(title, theme.bold());
        if side_by_side {
            pen.fill("─", theme.fg(Role::Rule));
            return;
        }
        let names: usize = Lens::ALL.iter().map(|l| l.name().len() + 3).sum();
        let dashes = pen.room().saturating_sub(names + 1);
        pen.write(&"─".repeat(dashes), theme.fg(Role::Rule));
        for lens in Lens::ALL {
            let on = lens == file.view.lens && !picking;
            let style = if on {
                theme.bold().add_modifier(Modifier::UNDERLINED)
            } else {
                theme.faint()
            };
            pen.write(" ", theme.text()).write(lens.name(), style);
            if lens != Lens::Texts {
                pen.write(" │", theme.fg(Role::Rule));
            }
        }
    }

    fn cards(&mut self, file: &OpenFile, area: Rect) {
        let cards = &file.shown().cards;
        if cards.is_empty() {
            return self.nothing_here(file, area);
        }
        for column in columns(self.state, file, cards, area) {
            for (y, row) in (0..column.area.height).zip(column.rows) {
                self.card_row(file, column.area, y, row);
            }
        }
    }

    fn card_row(&mut self, file: &OpenFile, area: Rect, y: u16, row: CardRow) {
        let cards = &file.shown().cards;
        match row {
            CardRow::Head(card) => self.card_head(file, area, y, &cards[card]),
            CardRow::Line { card, line, row } => {
                let before: usize = cards[..card].iter().map(|c| c.lines.len()).sum();
                let at = Place {
                    y,
                    line,
                    row,
                    nth: before + line,
                };
                self.card_line(file, area, &cards[card], &at);
            }
            CardRow::Fold { says, .. } => {
                let theme = *self.theme;
                let style = theme.faint().add_modifier(Modifier::ITALIC);
                let text = format!("         ┄ {says}");
                let mut pen = self.pen(area, y);
                let text = fit(&text, pen.room().saturating_sub(1));
                pen.write(&text, style);
            }
            CardRow::Cut { card, below, above } => self.cut_row(area, y, card, below, above),
            CardRow::Who { card, says } => {
                let (theme, role) = (*self.theme, Role::from(cards[card].party));
                let mut pen = self.pen(area, y);
                pen.to(3).write("└ ", theme.fg(role));
                let room = pen.room().saturating_sub(1);
                pen.write(&fit(&says, room), theme.faint());
            }
            CardRow::Gap => {}
            CardRow::AroundHead(version) => {
                let theme = *self.theme;
                let role = Role::from(version);
                let name = self.state.named(version.name());
                let title = format!("context in {}", visible(&name));
                self.rule(
                    Rect {
                        width: area.width - 1,
                        ..area
                    },
                    y,
                    &title,
                );
                let mut pen = self.pen(area, y);
                pen.write(theme.mark(role), theme.fg(role));
            }
            CardRow::Around(version, at) => {
                let theme = *self.theme;
                let line = file.plan().versions().get(version).line(at);
                let content = line.content();
                let most = LINE_BYTES + 4 * file.view.left;
                let text = file
                    .opened
                    .encoding
                    .decode(&content[..content.len().min(most)]);
                let number = file.plan().real_line(version, at).number();
                let mut pen = self.pen(area, y);
                pen.write(&format!("{number:>8}   "), theme.faint());
                pen.scrolled(file.view.left)
                    .write_line(&text, theme.faint())
                    .mark_cut(theme.faint());
            }
            CardRow::Here(lines) => {
                let theme = *self.theme;
                let text = match lines {
                    0 => "         ┄ no lines here".to_owned(),
                    n => format!("         ┄ {} in the conflict", count(n, "line")),
                };
                let style = theme.faint().add_modifier(Modifier::ITALIC);
                self.pen(area, y).write(&text, style);
            }
        }
    }

    /// What there is no room for, and the keys that bring it into sight.
    fn cut_row(&mut self, area: Rect, y: u16, card: usize, below: usize, above: usize) {
        let theme = *self.theme;
        let mut parts = Vec::new();
        if above > 0 {
            parts.push(format!("{} above", count(above, "line")));
        }
        if below > 0 {
            parts.push(format!("{} below", count(below, "line")));
        }
        let keys = match card {
            0 => " · ( ) scroll",
            1 => " · { } scroll",
            _ => " · the wheel scrolls",
        };
        let text = format!("         › {}{keys}", parts.join(", "));
        self.pen(area, y).write(&text, theme.faint());
    }

    fn nothing_here(&mut self, file: &OpenFile, area: Rect) {
        let theme = *self.theme;
        let changes = |kind| {
            file.plan()
                .regions()
                .iter()
                .filter(|r| r.kind == kind)
                .count()
        };
        let counts = file.draft().counts();
        let lines = [
            (Role::Text, "Neither side changed this.".to_owned()),
            (Role::Text, String::new()),
            (
                Role::Ours,
                format!(
                    "ours alone changed {}",
                    count(changes(RegionKind::Ours), "place")
                ),
            ),
            (
                Role::Theirs,
                format!(
                    "theirs alone changed {}",
                    count(changes(RegionKind::Theirs), "place")
                ),
            ),
            (
                Role::Text,
                format!(
                    "{} open of {}",
                    counts.open,
                    count(counts.conflicts, "conflict")
                ),
            ),
            (Role::Text, String::new()),
            (
                Role::Faint,
                "n goes to the next open conflict, N to the next change".to_owned(),
            ),
        ];
        for (y, (role, text)) in (1..).zip(lines) {
            let mut pen = self.pen(area, y);
            pen.to(1).write(theme.mark(role), theme.fg(role)).to(3);
            pen.write(
                &text,
                if role == Role::Faint {
                    theme.faint()
                } else {
                    theme.text()
                },
            );
        }
    }

    fn card_head(&mut self, file: &OpenFile, area: Rect, y: u16, card: &Card) {
        let (theme, role) = (*self.theme, Role::from(card.party));
        let situation = &self.state.situation;
        let party = match card.party {
            Version::Ours => Some(&situation.ours),
            Version::Theirs => Some(&situation.theirs),
            Version::Base => None,
        };
        // Only where a side is one single commit is that the one that did this.
        let single = situation.operation.theirs_is_one_commit() && card.party == Version::Theirs;
        let commit = party.and_then(|p| p.commit.as_ref()).filter(|_| single);
        let subject = commit.map_or(String::new(), |c| visible(&c.subject));
        let kind = file.plan().region(file.view.region).kind;
        let name = if kind == RegionKind::Same && card.party == Version::Ours {
            ""
        } else {
            party.map_or("base", |party| party.label.as_str())
        };
        // In a merge everybody knows whose side is whose.
        let named = self.state.party_words() != PartyWords::default();
        let name = match name.is_empty() || named {
            true => name,
            false => card.party.name(),
        };
        let name = visible(name);
        let mut pen = self.pen(area, y);
        pen.to(1).write(theme.mark(role), theme.fg(role)).to(3);
        pen.write(&name, theme.fg(role).add_modifier(Modifier::BOLD))
            .write("  ", theme.text());
        pen.write(&card.summary, theme.text());
        let room = pen.room().saturating_sub(2);
        let subject = fit(&subject, room);
        pen.right(&format!("{subject} "), theme.faint());
    }

    fn card_line(&mut self, file: &OpenFile, area: Rect, card: &Card, at: &Place) {
        let (theme, role) = (*self.theme, Role::from(card.party));
        let line = &card.lines[at.line];
        let mut on = false;
        let mut order = None;
        if let Mode::Pick(picking) = &file.view.mode {
            on = picking.cursor == at.nth;
            order = line
                .pick
                .and_then(|pick| picking.picks.iter().position(|p| *p == pick));
        }
        if on {
            self.choose_row(area, at.y);
        }
        let shade = |style: Style| if on { theme.chosen(style) } else { style };
        let first = at.row == 0;
        let number = line.number.filter(|_| first);
        let number = number.map_or(String::new(), |n| n.to_string());
        let picked = order.filter(|_| first);
        let as_comment = match (&file.view.mode, line.pick) {
            (Mode::Pick(picking), Some(pick)) => picking.commented.contains(&pick),
            _ => false,
        };
        let sign = if as_comment { "c" } else { "." };
        let picked = picked.map_or(String::new(), |n| format!("{}{sign}", n + 1));
        let blanks = self.state.blanks_shown;
        let mut pen = self.pen(area, at.y);
        pen.write(
            &format!("{picked:>3}"),
            shade(theme.fg(role).add_modifier(Modifier::BOLD)),
        );
        pen.write(&format!("{number:>5} "), shade(theme.faint()));
        let sign = if line.sign == "−" {
            Role::from(card.removed)
        } else {
            role
        };
        // A line goes on in the rows below it.
        let mark = if first { line.sign } else { "·" };
        pen.write(mark, shade(theme.fg(sign)))
            .write(" ", shade(theme.text()));
        let mut pen = pen.with_blanks(blanks);
        let rows = wrapped(line, card_width(area));
        for (tone, text) in rows.get(at.row).into_iter().flatten() {
            let style = shade(tone_style(&theme, card, line, *tone));
            match tone {
                Tone::Sign => pen.write(text, style),
                _ => pen.write_line(text, style),
            };
        }
    }

    fn settle_box(&mut self, file: &OpenFile, area: Rect) {
        let theme = *self.theme;
        let id = file.view.region;
        let title = match file.draft().standing(id) {
            RegionState::Open => "settle".to_owned(),
            RegionState::Settled(resolution) => format!("settled by {}", resolution.name()),
            RegionState::Ruled(ruling) => format!(
                "settled by rule: {}",
                armistice_core::rule_title(&ruling.rule)
            ),
            RegionState::ByHand => "settled by hand".to_owned(),
            RegionState::Merged => "merged".to_owned(),
        };
        let title = match gives_up(file).filter(|_| is_low(self.screen.evidence())) {
            Some(said) => format!("{title} · {said}"),
            None => title,
        };
        let title = fit(
            &self.state.named(&title),
            (area.width as usize).saturating_sub(6),
        );
        self.rule(area, 0, &title);
        let choices = &file.shown().choices;
        let whole = self.screen.evidence();
        let mut reason = if choices.is_empty() {
            Vec::new()
        } else {
            reason(file, whole)
        };
        reason.extend(gives_up(file).filter(|_| !is_low(whole)));
        for (y, line) in (1..).zip(&reason) {
            let line = fit(&self.state.named(line), area.width as usize - 3);
            let last = y as usize == reason.len() && file.draft().is_open(id);
            let style = if last { theme.faint() } else { theme.text() };
            self.pen(area, y).to(2).write(&line, style);
        }
        if is_low(self.screen.evidence()) && !choices.is_empty() {
            let y = area.height - 1;
            let cells = low_cells(choices, area.width as usize, file.view.choice, |text| {
                self.state.named(text)
            });
            let more = |nth: usize| cells.iter().all(|(n, ..)| *n != nth);
            for (nth, at) in [(0, 0), (choices.len() - 1, area.width.saturating_sub(1))] {
                if more(nth) {
                    self.pen(area, y).to(at as usize).write("…", theme.faint());
                }
            }
            for (nth, from, text) in cells {
                let on = file.view.choice == Some(nth);
                let style = if on {
                    theme.chosen(theme.bold())
                } else {
                    theme.text()
                };
                self.pen(area, y).to(from).write(&text, style);
            }
            return;
        }
        let above = reason.len() as u16;
        let columns = per_row(area.width);
        let width = area.width / columns;
        for (nth, choice) in choices.iter().enumerate() {
            let (x, y) = (nth as u16 % columns, nth as u16 / columns);
            let cell = Rect {
                x: area.x + x * width,
                width,
                ..area
            };
            self.choice(cell, 1 + above + y, choice, file.view.choice == Some(nth));
        }
        let along = moved_edit(self.state).filter(|_| file.draft().is_open(id));
        let along = along.map(|edit| {
            let edited = self.state.named(Version::from(edit.mover.other()).name());
            format!(
                "move the edit of {edited} to {}",
                visible(&edit.to.to_string())
            )
        });
        let rest: &[(&str, &str)] = match (choices.is_empty(), file.draft().standing(id)) {
            (false, RegionState::Open) if along.is_some() => &[
                ("J", along.as_deref().unwrap_or_default()),
                ("l", "pick lines"),
                ("e", "edit"),
            ],
            (false, RegionState::Open) => &[("l", "pick lines"), ("e", "edit"), ("← →", "preview")],
            (false, _) => &[("r", "reopen"), ("l", "pick lines"), ("e", "edit")],
            (true, RegionState::Merged) if !file.shown().cards.is_empty() => {
                &[("x", "decline"), ("e", "edit")]
            }
            (true, RegionState::Merged) => &[("e", "edit")],
            (true, _) => &[("x", "restore"), ("e", "edit")],
        };
        let mut pen = self.pen(area, area.height - 1);
        pen.write("  ", theme.text());
        for (key, label) in rest {
            pen.write(key_now(KeyContext::Parley, key), theme.bold())
                .write(" ", theme.text())
                .write(label, theme.faint())
                .write("    ", theme.text());
        }
    }

    fn choice(&mut self, area: Rect, y: u16, choice: &Choice, on: bool) {
        let theme = *self.theme;
        let shade = |style: Style| if on { theme.chosen(style) } else { style };
        let lines = match choice.lines {
            0 => "no line".to_owned(),
            n => count(n, "line"),
        };
        let label = self.state.named(&choice.label);
        let mut pen = self.pen(area, y);
        pen.write(if on { "> " } else { "  " }, shade(theme.text()));
        pen.write(key_now(KeyContext::Parley, choice.key), shade(theme.bold()))
            .write(" ", shade(theme.text()));
        if choice.key == PROPOSAL {
            pen.write(theme.rule_mark(), shade(theme.fg(Role::Blend)))
                .write(" ", shade(theme.text()));
        }
        let room = pen.room().saturating_sub(3);
        pen.write(&fit(&label, room), shade(theme.text()))
            .write("  ", shade(theme.text()));
        // In a narrow cell the bare number.
        let lines = match pen.room() < lines.len() {
            true => choice.lines.to_string(),
            false => lines,
        };
        pen.write(&lines, shade(theme.faint()));
    }

    /// Ours, base and theirs at the same height, scrolling as one with the draft.
    fn three_columns(&mut self, file: &OpenFile, area: Rect) {
        let theme = *self.theme;
        let width = area.width / 3;
        let order = [Version::Ours, Version::Base, Version::Theirs];
        let rows = aligned(file, area.height.saturating_sub(1) as usize);
        for (nth, version) in (0..).zip(order) {
            let column = Rect {
                x: area.x + nth * width,
                width: width.saturating_sub(1),
                ..area
            };
            let role = Role::from(version);
            let name = visible(&self.state.named(version.name()));
            let mut pen = self.pen(column, 0);
            pen.to(1).write(theme.mark(role), theme.fg(role)).to(3);
            pen.write(&name, theme.fg(role).add_modifier(Modifier::BOLD));
            for (y, row) in (1..).zip(&rows) {
                self.column_line(file, column, y, version, row);
            }
        }
    }

    fn column_line(
        &mut self,
        file: &OpenFile,
        area: Rect,
        y: u16,
        version: Version,
        row: &Aligned,
    ) {
        let (theme, role) = (*self.theme, Role::from(version));
        let at = row.lines[version as usize];
        let style = match (row.kind, version) {
            (RegionKind::Unchanged, _) => theme.faint(),
            (RegionKind::Same, _) => theme.text(),
            (RegionKind::Ours, Version::Theirs) | (RegionKind::Theirs, Version::Ours) => {
                theme.text()
            }
            (_, _) => theme.fg(role),
        };
        if row.here {
            let line = Rect {
                y: area.y + y,
                height: 1,
                width: area.width + 1,
                ..area
            };
            self.buffer.set_style(line, theme.chosen(Style::new()));
        }
        let shade = |style: Style| if row.here { theme.chosen(style) } else { style };
        let Some(at) = at else {
            return;
        };
        let text = file.plan().versions().get(version).line(at);
        let text = file.opened.encoding.decode(text.content());
        let left = file.view.left;
        let mut pen = self.pen(area, y);
        let number = file.plan().real_line(version, at).number();
        pen.write(&format!("{number:>5} "), shade(theme.faint()));
        pen.scrolled(left)
            .write_line(&text, shade(style))
            .mark_cut(shade(theme.bold()));
    }
}

fn tone_style(theme: &Theme, card: &Card, line: &CardLine, tone: Tone) -> Style {
    let role = Role::from(card.party);
    match tone {
        Tone::Plain => theme.text(),
        Tone::Faint | Tone::Sign => theme.faint(),
        Tone::Shaded(shade, faint) => {
            let style = if faint { theme.faint() } else { theme.text() };
            theme.shaded(style, shade)
        }
        Tone::Removed => theme.removed(card.removed.into()),
        // A whole new line is bright; underlining all of it would say no more.
        Tone::Added if line.sign == "+" => theme.fg(role).add_modifier(Modifier::BOLD),
        Tone::Added => theme.added(role),
    }
}
