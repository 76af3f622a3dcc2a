//! Accord: what will be concluded, the message, the result, and the log afterwards.

use crate::base::safe_text::{Pen, ago, count, fit, visible, width_of};
use crate::base::theme::Role;
use crate::render::canvas::Canvas;
use crate::state::app::State;
use crate::state::file::{FileLoad, FileState};
use crate::view::gate::{droppable_stash, gate, is_loose};
use armistice_core::{RegionState, Resolution, Side, Version};
use armistice_git::{Ending, FileOutcome, MarkerFile, Operation, StepState, Upstream, Verdict};
use ratatui::layout::Rect;
use ratatui::style::Style;

impl Canvas<'_> {
    pub(crate) fn accord(&mut self) {
        self.rule(self.screen.title(), 0, &self.headline());
        let body = self.screen.body;
        let wide = self.screen.is_wide();
        let idle = self.state.situation.is_idle();
        self.summary(body);
        let message = self.screen.message_area();
        if idle {
            let area = Rect {
                x: 2,
                width: body.width - 4,
                ..message
            };
            let height = body.height.saturating_sub(message.y - body.y);
            return self.log(Rect { height, ..area });
        }
        self.message_box(message);
        let log = match wide {
            true => Rect {
                x: body.width / 2 + 1,
                width: body.width / 2 - 2,
                y: message.y - 1,
                height: message.height + 1,
            },
            false => {
                let y = message.y + message.height;
                Rect {
                    x: 2,
                    width: body.width - 4,
                    y,
                    height: (body.y + body.height).saturating_sub(y),
                }
            }
        };
        self.decided(log);
    }

    fn headline(&self) -> String {
        let situation = &self.state.situation;
        let proof = self.state.proof.proof.as_ref();
        let empty = proof.is_some_and(|proof| proof.empty);
        match (self.state.accord.running, self.state.accord.verdict) {
            (Some(Ending::Conclude | Ending::KeepEmpty), _) => "git is concluding …".to_owned(),
            (Some(Ending::Skip), _) => "git is skipping the step …".to_owned(),
            (Some(Ending::BackOut), _) => "git is aborting …".to_owned(),
            (None, Some(Verdict::Concluded)) if situation.is_idle() => "concluded".to_owned(),
            (None, Some(Verdict::BackedOut)) if situation.is_idle() => "aborted".to_owned(),
            _ if situation.is_idle() => "no operation in progress".to_owned(),
            _ => match gate(self.state) {
                None if empty => "this step became empty: c skips or keeps it".to_owned(),
                None if asked_stop(self.state).is_some() => {
                    "stopped at a step that asks for it".to_owned()
                }
                None => "all settled, not yet concluded".to_owned(),
                Some(why) if is_loose(self.state) => why,
                Some(why) => format!("not ready: {why}"),
            },
        }
    }

    fn summary(&mut self, body: Rect) {
        let theme = *self.theme;
        let state = self.state;
        let ready = gate(state).is_none();
        let mut lines = vec![what_comes(state)];
        // More parents than two are looked through by d.
        for against in state
            .accord
            .against
            .iter()
            .take(2)
            .filter(|_| worth_telling(state))
        {
            let (added, removed) = against.lines();
            lines.push(format!(
                "staged against {}: {}, {} added, {} removed",
                against.parent.label,
                count(against.files.len(), "file"),
                count(added, "line"),
                count(removed, "line")
            ));
        }
        let roles = [Role::Text, Role::Ours, Role::Theirs];
        for (y, (text, role)) in (2..).zip(lines.into_iter().zip(roles)) {
            let mut pen = self.pen(body, y);
            pen.to(2).write(theme.mark(role), theme.fg(role)).to(4);
            let text = fit(&visible(&text), pen.room().saturating_sub(2));
            pen.write(&text, theme.text());
        }
        let way = match (state.situation.is_idle(), ready) {
            (true, _) => backups(state).or(kept(state)).unwrap_or_default(),
            (false, true) => {
                "c concludes · d shows staged changes · D draws the decisions · B aborts".to_owned()
            }
            (false, false) => "2 shows what is left · B aborts".to_owned(),
        };
        let mut pen = self.pen(body, 5);
        let way = fit(&way, pen.to(4).room());
        pen.write(&way, theme.faint());
    }

    fn message_box(&mut self, area: Rect) {
        let theme = *self.theme;
        let state = self.state;
        let editor = &state.accord.editor;
        let title = match (
            state.accord.editing,
            state.situation.operation.takes_message(),
        ) {
            (true, _) => "message · editing, esc keeps it",
            (false, true) => "message · e edits it",
            (false, false) => "message · git uses its own",
        };
        let rule = Rect {
            x: area.x - 1,
            width: area.width + 1,
            y: area.y - 1,
            height: 1,
        };
        self.rule(rule, 0, title);
        self.buffer.set_style(area, theme.ground(Role::Panel));
        for y in 0..area.height {
            let at = editor.top + y as usize;
            if at < editor.len_lines() {
                self.edited_line(editor, area, at, y);
            }
        }
        if state.accord.editing {
            let (line, byte) = editor.position();
            let column = width_of(&editor.line(line)[..byte]).saturating_sub(editor.left);
            let y = line.saturating_sub(editor.top) as u16;
            if y < area.height {
                self.cursor = Some((area.x + (column as u16).min(area.width - 1), area.y + y));
            }
        }
    }

    /// How it was decided: a small chart.
    fn decided(&mut self, area: Rect) {
        let theme = *self.theme;
        self.rule(area, 0, "decisions");
        let rows = tally(self.state);
        let most = rows.iter().map(|r| r.2).max().unwrap_or(0).max(1);
        let room = (area.width as usize).saturating_sub(30).min(40);
        let shown = rows.into_iter().filter(|(_, _, n)| *n > 0);
        let mut y = 1;
        for (role, name, n) in shown {
            let name = fit(&self.state.named(name), 17);
            let mut pen = self.pen(area, y);
            pen.to(1)
                .write(theme.mark(role), theme.fg(role))
                .to(3)
                .write(&name, theme.text());
            pen.to(20).write(&format!("{n:>4} "), theme.text());
            let bar = (n * room).div_ceil(most);
            pen.write(&"━".repeat(bar), theme.fg(role));
            y += 1;
        }
        self.ledger(area, y + 1);
        let ledger = match self.state.proof.reports.is_empty() {
            true => 0,
            false => 3,
        };
        self.steps(area, y + 1 + ledger);
    }

    /// The steps of a rebase or a range: done, this one, to come, with those that change files in
    /// conflict now.
    fn steps(&mut self, area: Rect, y: u16) {
        let theme = *self.theme;
        let steps = &self.state.situation.steps;
        let height = area.height.saturating_sub(y + 1) as usize;
        if steps.is_empty() || height == 0 {
            return;
        }
        let this = steps.iter().position(|step| step.state == StepState::This);
        let title = match this {
            Some(this) => format!("steps · {} of {}", this + 1, steps.len()),
            None => format!("steps · {}", steps.len()),
        };
        self.rule(area, y, &title);
        let most = steps.len().saturating_sub(height);
        let from = this.unwrap_or(0).saturating_sub(height / 3).min(most);
        for (y, step) in (y + 1..).zip(steps.iter().skip(from).take(height)) {
            let proof = self.state.proof.proof.as_ref();
            let has_findings = |commit: &String| proof.is_some_and(|p| p.steps.contains(commit));
            let (mark, style) = match step.state {
                StepState::Done if step.commit.as_ref().is_some_and(has_findings) => {
                    ("!", theme.fg(Role::Finding))
                }
                StepState::Done => ("+", theme.faint()),
                StepState::This => (">", theme.bold()),
                StepState::ToCome => (" ", theme.text()),
            };
            let command = match step.command.as_str() {
                "pick" | "apply" => String::new(),
                other => format!("{other} "),
            };
            let short: String = step.commit.iter().flat_map(|c| c.chars().take(7)).collect();
            let touches = match &step.touches[..] {
                [] => String::new(),
                [path] => format!(" · changes {path} too"),
                [path, rest @ ..] => format!(" · changes {path} and {} too", rest.len()),
            };
            let mut pen = self.pen(area, y);
            pen.to(1).write(mark, style).to(3);
            pen.write(&visible(&command), style)
                .write(&short, theme.faint());
            pen.write(if short.is_empty() { "" } else { " " }, style);
            let room = pen.room().saturating_sub(touches.chars().count());
            pen.write(&fit(&visible(&step.subject), room), style);
            pen.write(&touches, theme.faint());
        }
    }

    /// What became of the lines that each side added and removed.
    pub(crate) fn ledger(&mut self, area: Rect, y: u16) {
        let theme = *self.theme;
        if self.state.proof.reports.is_empty() {
            return;
        }
        let ledger = self.state.ledger();
        for (y, (role, side)) in
            (y..).zip([(Role::Ours, ledger.ours), (Role::Theirs, ledger.theirs)])
        {
            let fates = [("added", side.added), ("removed", side.removed)].map(|(verb, fates)| {
                let parts = [
                    (fates.kept, "kept"),
                    (fates.blended, "blended"),
                    (fates.given_up, "discarded"),
                    (fates.rewritten, "rewritten by hand"),
                    (fates.waiting, "waiting"),
                    (fates.missing, "MISSING"),
                ];
                let parts = parts.iter().filter(|(n, _)| *n > 0);
                let parts: Vec<_> = parts.map(|(n, word)| format!("{n} {word}")).collect();
                match fates.all() {
                    0 => format!("{verb} nothing"),
                    n => format!("{verb} {}: {}", count(n, "line"), parts.join(", ")),
                }
            });
            let mut pen = self.pen(area, y);
            pen.to(1).write(theme.mark(role), theme.fg(role)).to(3);
            let room = pen.room();
            pen.write(&fit(&fates.join(" · "), room), theme.text());
        }
    }

    fn log(&mut self, area: Rect) {
        let theme = *self.theme;
        let now = self.state.now;
        self.rule(
            Rect {
                x: area.x - 1,
                ..area
            },
            0,
            "log",
        );
        let lines = self.state.accord.log.iter().skip(self.state.accord.top);
        for (y, line) in (1..area.height).zip(lines) {
            let mut pen = Pen::new(self.buffer, area, y);
            pen.write(&line.graph, theme.faint());
            let Some(commit) = &line.commit else {
                continue;
            };
            pen.write(&commit.short, theme.faint())
                .write(" ", theme.text());
            pen.write(&commit.subject, theme.text());
            if !line.names.is_empty() {
                pen.write(&format!("  ({})", line.names), theme.bold());
            }
            let tail = format!("{} · {}", visible(&commit.author), ago(now, commit.time));
            pen.write("  ", Style::new()).right(&tail, theme.faint());
        }
    }
}

/// Before every file is staged, the numbers would only count what is missing.
fn worth_telling(state: &State) -> bool {
    let staged = |f: &FileState| f.case.standing == armistice_git::IndexState::Staged;
    !state.situation.is_idle() && state.files.iter().all(staged)
}

/// The backup files that may be removed, by name.
fn backups(state: &State) -> Option<String> {
    let left = &state.accord.leftovers;
    let names: Vec<String> = left.iter().map(|left| left.path.to_string()).collect();
    (!left.is_empty()).then(|| {
        let files = count(left.len(), "backup file");
        format!(
            "x removes {files} of git mergetool and keeps copies: {}",
            names.join(", ")
        )
    })
}

/// What concluding will do, in words.
fn what_comes(state: &State) -> String {
    let situation = &state.situation;
    let (ours, theirs) = (&situation.ours.label, &situation.theirs.label);
    if let Some(why) = asked_stop(state) {
        return why;
    }
    match situation.operation {
        Operation::Merge => match situation.merged_before.len() {
            0 => format!("Makes the merge commit of {theirs} into {ours}."),
            n => format!("Makes one merge commit of {} parents: {ours} and {theirs}.", n + 2),
        },
        Operation::Rebase { step, total, backend } if step < total => {
            format!("Commits step {step} of {total}, then continues with step {} ({backend}).", step + 1)
        }
        Operation::Rebase { step, total, backend } => {
            format!("Commits step {step} of {total}, the last one, and ends the rebase ({backend}).")
        }
        Operation::CherryPick => "Commits the picked commit and continues with the next one, if any.".to_owned(),
        Operation::Revert => "Commits the revert and continues with the next one, if any.".to_owned(),
        Operation::Mailbox => "Commits the mailed patch and continues with the next one, if any.".to_owned(),
        Operation::Loose if situation.cases.is_empty() => match &situation.upstream {
            None => "Nothing to conclude here.".to_owned(),
            Some(upstream) => pushing(upstream, state.accord.markers.as_deref()),
        },
        Operation::Loose if droppable_stash(state).is_some() => {
            "Nothing to conclude: leave it staged, or commit as usual. t drops the stash, which git keeps.".to_owned()
        }
        Operation::Loose => "Nothing to conclude: leave it staged, or commit as usual. A stash stays until you drop it.".to_owned(),
    }
}

/// Where to find what was decided in what was just concluded.
fn kept(state: &State) -> Option<String> {
    let told = "D draws the decisions and the history; 'armistice record' prints them";
    (state.accord.verdict == Some(Verdict::Concluded)).then(|| told.to_owned())
}

/// Why a rebase stopped without a conflict, because its list of steps asks for it.
fn asked_stop(state: &State) -> Option<String> {
    let situation = &state.situation;
    let mut steps = situation.steps.iter();
    let this = steps.find(|step| step.state == StepState::This)?;
    let rebase = matches!(situation.operation, Operation::Rebase { .. });
    if !rebase || !situation.cases.is_empty() {
        return None;
    }
    match this.command.as_str() {
        "exec" => Some(format!(
            "'{}' failed as a rebase step; c continues with the next step.",
            this.subject
        )),
        "break" => Some("The rebase stops here for a break; c continues.".to_owned()),
        "edit" => Some(
            "The rebase stops here to edit this commit: amend it, then c continues.".to_owned(),
        ),
        _ => None,
    }
}

/// How the branch stands against the remote branch that it follows, as far as that was fetched.
fn pushing(upstream: &Upstream, markers: Option<&[MarkerFile]>) -> String {
    let Upstream {
        name,
        ahead,
        behind,
    } = upstream;
    match (ahead, behind) {
        (0, 0) => {
            format!(
                "Nothing to conclude here. {name} already has all commits, as of the last fetch."
            )
        }
        (n, 0) => {
            let commits = count(*n, "commit");
            let new = |markers: &[MarkerFile]| markers.iter().filter(|file| file.is_new()).count();
            match markers.map(new) {
                Some(0) => format!("{commits} ahead of {name}: ready to push."),
                Some(1) => format!(
                    "{commits} ahead of {name}: not ready to push, 1 file holds conflict markers."
                ),
                Some(n) => format!(
                    "{commits} ahead of {name}: not ready to push, {n} files hold conflict markers."
                ),
                None => format!("{commits} ahead of {name}; not checked for conflict markers."),
            }
        }
        (0, n) => format!("{} behind {name}: nothing to push.", count(*n, "commit")),
        (ahead, behind) => format!(
            "{} ahead of {name} and {behind} behind: a push would be refused.",
            count(*ahead, "commit")
        ),
    }
}

/// Settled conflicts by what settled them.
fn tally(state: &State) -> Vec<(Role, &'static str, usize)> {
    let mut rows = vec![
        (Role::Ours, "ours", 0),
        (Role::Theirs, "theirs", 0),
        (Role::Blend, "both", 0),
        (Role::Base, "base or nothing", 0),
        (Role::Hand, "picked or by hand", 0),
        (Role::Text, "open", 0),
        (Role::Text, "other program", 0),
        (Role::Blend, "by rule", 0),
    ];
    for (finished, open) in (state.files.iter()).filter_map(|f| Some((f.finished(), f.open()?))) {
        for id in open.plan().conflicts() {
            let at = match open.draft().standing(*id) {
                RegionState::Settled(Resolution::Take(Version::Ours)) => 0,
                RegionState::Settled(Resolution::Take(Version::Theirs)) => 1,
                RegionState::Settled(Resolution::Both(Side::Ours | Side::Theirs)) => 2,
                RegionState::Settled(Resolution::Take(Version::Base) | Resolution::Drop) => 3,
                RegionState::Settled(Resolution::Lines(_) | Resolution::Segments(_))
                | RegionState::ByHand => 4,
                RegionState::Ruled(_) => 7,
                // Somebody staged it as they made it.
                RegionState::Open if finished => 6,
                RegionState::Open | RegionState::Merged => 5,
            };
            rows[at].2 += 1;
        }
    }
    for file in &state.files {
        let FileLoad::Whole(whole) = &file.load else {
            continue;
        };
        let at = match whole.decided {
            Some(FileOutcome::Ours) => 0,
            Some(FileOutcome::Theirs) => 1,
            Some(FileOutcome::Both) => 2,
            Some(FileOutcome::Base | FileOutcome::Remove | FileOutcome::OwnName) => 3,
            None if file.finished() => 6,
            None => 5,
        };
        rows[at].2 += 1;
    }
    rows
}
