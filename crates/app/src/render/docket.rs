//! Docket: one row a case, and what is known of the chosen one.

use crate::base::commands::Command;
use crate::base::keymap::keymap;
use crate::base::project_checks::REPOSITORY_SETTINGS;
use crate::base::safe_text::{count, fit, fit_path, visible, wrap};
use crate::base::settings::MadeBy;
use crate::base::theme::{Role, Theme};
use crate::case::findings::{settled_while_merging, several_at_once};
use crate::case::opened::Unfinished;
use crate::render::canvas::Canvas;
use crate::state::app::State;
use crate::state::effect::FileId;
use crate::state::file::{FileLoad, FileState, OpenFile, Who};
use crate::view::given_up::{given_up, outcome_name};
use crate::view::overview::{OverviewCell, overview};
use crate::view::who::commit_line;
use armistice_core::{GENERATED_FILE, RegionKind, Side, Version, describe, rule_title};
use armistice_git::{CaseKind, IndexState};
use ratatui::layout::Rect;
use ratatui::style::Style;
use unicode_width::UnicodeWidthStr;

const STRIP: usize = 16;
/// Lines of each side of a conflict that is shown in small.
const CONFLICT_LINES: u16 = 3;

impl Canvas<'_> {
    pub(crate) fn docket(&mut self) {
        self.header();
        let list = self.screen.list();
        let theme = *self.theme;
        if self.state.files.is_empty() {
            self.pen(list, 0)
                .write("  No file is in conflict.", theme.text());
            self.pen(list, 1).write(
                "  6 Accord concludes the operation, or shows the log.",
                theme.faint(),
            );
            return;
        }
        let wide = list.width >= 96;
        let head = Rect {
            y: list.y - 1,
            height: 1,
            ..list
        };
        let rows = self.state.docket_rows();
        let longest = rows
            .iter()
            .skip(self.state.docket.top)
            .take(list.height as usize);
        let longest = longest.map(|at| self.state[*at].case.title().width()).max();
        let columns = Columns::new(list.width as usize, wide, longest.unwrap_or(0));
        let mut pen = self.pen(head, 0);
        pen.write("   state", theme.faint())
            .to(columns.path)
            .write("file", theme.faint());
        if wide {
            pen.to(columns.what).write("what happened", theme.faint());
            pen.to(columns.strip)
                .write("who changed what", theme.faint());
        }
        pen.to(columns.count).write(" open", theme.faint());
        let top = self.state.docket.top;
        for y in 0..list.height {
            if let Some(at) = rows.get(top + y as usize) {
                self.docket_row(list, y, *at, &columns);
            }
        }
        if rows.is_empty() {
            let text = "  No file matches: f changes the filter, / the path.";
            self.pen(list, 0).write(text, theme.text());
        }
        self.details();
    }

    fn header(&mut self) {
        let (counts, waiting) = self.state.totals();
        let (done, all) = self.state.files_done();
        let mut text = count(all, "file");
        // What hides files is reported before what may be cut off.
        let view = &self.state.docket;
        if !view.is_plain() {
            let path = match view.path.is_empty() {
                true => String::new(),
                false => format!(" with '{}'", visible(&view.path)),
            };
            let shown = self.state.docket_rows().len();
            text += &format!(
                ", showing {shown}: {}{path}, {}",
                view.filter.name(),
                view.sort.name()
            );
        }
        match self.state.marked().len() {
            0 => {}
            n => text += &format!(" · {n} marked"),
        }
        text += &format!(
            " · {} · {} {} by rule · {} by you · {} open",
            count(counts.conflicts, "conflict"),
            self.theme.rule_mark(),
            counts.by_rule,
            counts.by_person(),
            counts.open
        );
        let offered = self.state.files.iter().map(|f| f.proposals().count());
        if counts.elsewhere > 0 {
            text += &format!(", {} staged by another program", counts.elsewhere);
        }
        match offered.sum::<usize>() {
            0 => {}
            n => text += &format!(", {n} suggested"),
        }
        text += &format!(" · {done} finished");
        if let Some(said) = several_at_once(&self.state.situation) {
            text += &format!(" · {said}");
        }
        if let Some(said) = settled_while_merging(&self.state.situation) {
            text += &format!(" · {said}");
        }
        match (waiting, self.state.docket.stopped) {
            (0, _) => {}
            (n, false) => text += &format!(" · reading {n} more … esc stops"),
            (n, true) => text += &format!(" · {n} not read, ctrl-r reads them"),
        }
        self.rule(self.screen.title(), 0, &text);
    }

    fn docket_row(&mut self, list: Rect, y: u16, at: FileId, columns: &Columns) {
        let (theme, file) = (*self.theme, &self.state[at]);
        let chosen = at == self.state.chosen();
        let marked = self.state.docket.marked.contains(&file.case.path);
        let line = Rect {
            y: list.y + y,
            height: 1,
            ..list
        };
        if chosen {
            self.buffer.set_style(line, theme.chosen(Style::new()));
        }
        let on = |style: Style| if chosen { theme.chosen(style) } else { style };
        let (word, role) = state_word(file);
        let path = fit_path(
            &file.case.title(),
            columns.what.saturating_sub(columns.path + 1),
        );
        let what = self.state.named(&what_happened(file));
        let mut pen = self.pen(list, y);
        pen.write(if chosen { ">" } else { " " }, on(theme.text()));
        pen.write(if marked { "✓ " } else { "  " }, on(theme.bold()));
        pen.write(word, on(theme.fg(role))).to(columns.path);
        pen.write(&path, on(theme.text()));
        if columns.wide {
            // What has no lines has no strip either.
            let end = match file.open() {
                Some(_) => columns.strip,
                None => columns.count,
            };
            let what = fit(&what, end - columns.what - 1);
            pen.to(columns.what).write(&what, on(theme.faint()));
        }
        let strip = file
            .open()
            .filter(|_| columns.wide)
            .map(|open| strip(open, &theme));
        if let Some(strip) = strip {
            let mut pen = self.pen(list, y);
            pen.to(columns.strip);
            for (sign, style) in strip {
                pen.write(sign, on(style));
            }
        }
        let text = match file.counts() {
            Some(counts) => format!("{:>3}/{}", counts.open, counts.conflicts),
            None => "  …".to_owned(),
        };
        let mut pen = self.pen(list, y);
        pen.to(columns.count).write(&text, on(theme.text()));
    }

    fn details(&mut self) {
        let area = self.screen.details();
        let theme = *self.theme;
        self.buffer.set_style(area, theme.ground(Role::Panel));
        let Some(file) = self.state.files.get(self.state.docket.chosen) else {
            return;
        };
        let inner = Rect {
            x: area.x + 2,
            width: area.width.saturating_sub(3),
            ..area
        };
        let mut y = 0;
        for part in wrap(&file.case.title(), inner.width as usize) {
            let part = fit_path(&part, inner.width as usize);
            self.pen(inner, y).write(&part, theme.bold());
            y += 1;
        }
        for (role, text) in story(self.state, file) {
            let text = self.state.named(&text);
            let mark = theme.mark(role);
            for (nth, part) in wrap(&text, (inner.width as usize).saturating_sub(3))
                .iter()
                .enumerate()
            {
                let mut pen = self.pen(inner, y);
                pen.write(if nth == 0 { mark } else { "" }, theme.fg(role))
                    .to(2);
                pen.write(
                    part,
                    if role == Role::Faint {
                        theme.faint()
                    } else {
                        theme.text()
                    },
                );
                y += 1;
            }
        }
        y += 1;
        if file.case.standing == IndexState::Unmerged {
            y = self.outcomes(inner, y, file);
            self.edits(inner, y, file);
        }
    }

    /// The open conflicts of a file in small: the first lines that ours and theirs have there.
    fn conflicts(&mut self, area: Rect, mut y: u16, open: &OpenFile) {
        let theme = *self.theme;
        let (plan, draft) = (open.plan(), open.draft());
        for id in draft.open() {
            if y + 4 > area.height {
                return;
            }
            let number = plan.conflict_of(id).map_or(0, |c| c.number());
            let offered = match open.proposal(id) {
                Some(_) => format!(" · {}", theme.rule_mark()),
                None => String::new(),
            };
            let why = self.state.named(&describe(plan, id));
            let title = format!("conflict {number} · {why}{offered}");
            let rule = Rect {
                x: area.x.saturating_sub(1),
                ..area
            };
            self.rule(rule, y, &fit(&title, area.width as usize - 6));
            y += 1;
            for side in Side::BOTH {
                let (role, version) = (Role::from(side), Version::from(side));
                let source = plan.versions().get(version);
                let lines = plan.region(id).lines(version);
                let room = (area.height - y).min(CONFLICT_LINES) as usize;
                for (nth, at) in lines.iter().take(room).enumerate() {
                    let text = String::from_utf8_lossy(source.line(at).content()).into_owned();
                    let more = lines.len() - nth - 1;
                    let rest = match nth + 1 == room && more > 0 {
                        true => format!(" (and {})", count(more, "line")),
                        false => String::new(),
                    };
                    let mut pen = self.pen(area, y);
                    pen.write(theme.mark(role), theme.fg(role)).to(2);
                    let room = pen.room().saturating_sub(rest.len());
                    pen.write(&fit(&visible(&text), room), theme.text());
                    pen.write(&rest, theme.faint());
                    y += 1;
                }
                if lines.is_empty() && y < area.height {
                    let mut pen = self.pen(area, y);
                    pen.write(theme.mark(role), theme.fg(role)).to(2);
                    pen.write("nothing here", theme.faint());
                    y += 1;
                }
            }
        }
    }

    /// What each side did to a file without lines to merge, as far as there is room; else its open
    /// conflicts.
    fn edits(&mut self, area: Rect, mut y: u16, file: &FileState) {
        let whole = match &file.load {
            FileLoad::Lines(open) => return self.conflicts(area, y, open),
            FileLoad::Whole(whole) => whole,
            FileLoad::Waiting | FileLoad::Failed(_) => return,
        };
        let theme = *self.theme;
        for side in Side::BOTH {
            let lines = &whole.edits[side];
            let room = area.height.saturating_sub(y + 2) as usize;
            if lines.is_empty() || room < 2 {
                continue;
            }
            let role = Role::from(side);
            let more = lines.len().saturating_sub(room);
            let title = match more {
                0 => format!("what {} did", Version::from(side).name()),
                n => format!("what {} did · v lists {n} more", Version::from(side).name()),
            };
            let title = self.state.named(&title);
            self.rule(
                Rect {
                    x: area.x.saturating_sub(1),
                    ..area
                },
                y,
                &title,
            );
            y += 1;
            for line in lines.iter().take(room) {
                let mut pen = self.pen(area, y);
                pen.write(theme.mark(role), theme.fg(role)).to(2);
                let room = pen.room();
                pen.write(&fit(line, room), theme.text());
                y += 1;
            }
        }
    }

    /// The outcomes that are possible, and what each would give up; the row behind them.
    fn outcomes(&mut self, area: Rect, mut y: u16, file: &FileState) -> u16 {
        let theme = *self.theme;
        let outcomes = file.case.outcomes();
        if outcomes.is_empty() || matches!(file.load, FileLoad::Waiting) {
            return y;
        }
        self.rule(
            Rect {
                x: area.x.saturating_sub(1),
                ..area
            },
            y,
            "as a whole",
        );
        y += 1;
        for outcome in outcomes {
            let key = keymap()
                .iter()
                .find(|b| b.command == Command::Whole(outcome))
                .map_or("", |b| b.keys[0]);
            let losses = given_up(self.state, self.state.chosen(), outcome);
            let losses: Vec<String> = losses.iter().map(|l| self.state.named(l)).collect();
            let name = self.state.named(outcome_name(&file.case, outcome));
            let wide = self.screen.is_wide();
            let mut pen = self.pen(area, y);
            pen.write(key, theme.bold())
                .to(2)
                .write(&name, theme.text());
            if !wide {
                // A long name keeps its distance from what it gives up.
                pen.write("  ", theme.text()).to(18);
                let text = fit(&losses.join("; "), pen.room());
                pen.write(&text, theme.faint());
                y += 1;
                continue;
            }
            y += 1;
            for text in losses {
                let text = fit(&text, (area.width as usize).saturating_sub(4));
                self.pen(area, y).to(4).write(&text, theme.faint());
                y += 1;
            }
        }
        y + 1
    }
}

struct Columns {
    wide: bool,
    path: usize,
    what: usize,
    strip: usize,
    count: usize,
}

impl Columns {
    /// The columns for a list of this width, whose longest path has this many.
    fn new(width: usize, wide: bool, longest: usize) -> Self {
        let count = width.saturating_sub(8);
        let room = width.saturating_sub(40);
        match wide {
            true => Columns {
                wide,
                path: 12,
                what: 12 + (longest + 2).clamp(room / 4, room * 6 / 11),
                strip: count - STRIP - 2,
                count,
            },
            false => Columns {
                wide,
                path: 12,
                what: count,
                strip: count,
                count,
            },
        }
    }
}

/// How a case stands, in one word.
fn state_word(file: &FileState) -> (&'static str, Role) {
    let open = file.counts().map(|c| c.open);
    match (&file.load, file.case.standing, open) {
        _ if file.writing => ("writing", Role::Text),
        (FileLoad::Failed(_), ..) => ("trouble", Role::Finding),
        (_, IndexState::Staged, _) if file.case.as_merged && file.finished() => {
            ("by git", Role::Faint)
        }
        (_, IndexState::Staged, _) if file.finished() => ("staged", Role::Faint),
        (_, IndexState::Staged, _) if file.unfinished == Some(Unfinished::Markers) => {
            ("markers", Role::Finding)
        }
        (_, IndexState::Staged, Some(0)) => ("changed", Role::Hand),
        (FileLoad::Waiting, ..) => ("reading", Role::Faint),
        (_, _, Some(0)) => ("settled", Role::Text),
        _ => ("open", Role::Text),
    }
}

/// What happened to the file on each side, in a few words.
fn what_happened(file: &FileState) -> String {
    let [ours, theirs] = file.case.words();
    let renamed = |name: usize| {
        let [base, ..] = &file.case.names;
        base.is_some() && file.case.names[name].is_some() && file.case.names[name] != *base
    };
    match file.open() {
        Some(_) if file.case.kind == CaseKind::TwoOntoOne => {
            format!("ours {ours} · theirs {theirs}")
        }
        Some(open) => {
            let regions = open.plan().regions();
            let places = |kind| {
                regions
                    .iter()
                    .filter(|r| r.kind == kind || r.kind == RegionKind::Conflict)
                    .count()
            };
            let verb = if file.case.kind == CaseKind::BothAdded {
                "added it"
            } else {
                "edited"
            };
            let (ours, theirs) = (places(RegionKind::Ours), places(RegionKind::Theirs));
            match file.case.kind {
                CaseKind::BothAdded => format!("both {verb}"),
                _ => {
                    let also = |renamed| if renamed { "renamed it, " } else { "" };
                    format!(
                        "ours {}{verb} {} · theirs {}{theirs}",
                        also(renamed(1)),
                        count(ours, "place"),
                        also(renamed(2)),
                    )
                }
            }
        }
        None => format!("ours {ours} · theirs {theirs}"),
    }
}

/// What is said about one case: who did what, and how it was opened.
fn story(state: &State, file: &FileState) -> Vec<(Role, String)> {
    let [ours, theirs] = file.case.words();
    let mut out = vec![
        (Role::Ours, format!("{} {ours}", state.situation.ours.label)),
        (
            Role::Theirs,
            format!("{} {theirs}", state.situation.theirs.label),
        ),
    ];
    // Where there is little room, what can be done comes first; c tells who.
    if let Who::Known(known) = &file.who
        && state.size.1 >= 28
    {
        for side in Side::BOTH {
            // Under what each side did, who did it.
            let at = 1 + out
                .iter()
                .position(|(role, _)| *role == Role::from(side))
                .unwrap_or(0);
            let commits = &known[side].commits;
            if let Some(first) = commits.first() {
                let more = match commits.len() {
                    1 => String::new(),
                    n => format!(" and {}", count(n - 1, "more commit")),
                };
                let text = format!("{}{more}", commit_line(first, state.now));
                out.insert(at, (Role::Faint, text));
            }
        }
    }
    match &file.load {
        FileLoad::Waiting => out.push((Role::Faint, "still reading …".to_owned())),
        FileLoad::Failed(why) => out.push((Role::Finding, why.clone())),
        FileLoad::Whole(whole) => {
            out.push((Role::Faint, format!("{}.", whole.why)));
            out.extend(whole.notes.iter().map(|note| (Role::Faint, visible(note))));
            if let Some(outcome) = whole.decided.filter(|_| !file.finished()) {
                let name = outcome.name();
                let text = format!("Decided earlier: {name}. w writes it, u reopens it.");
                out.push((Role::Hand, text));
            }
        }
        FileLoad::Lines(open) => {
            let counts = open.draft().counts();
            let own = |kind| {
                open.plan()
                    .regions()
                    .iter()
                    .filter(|r| r.kind == kind)
                    .count()
            };
            if counts.by_rule > 0 {
                let mut rules: Vec<&str> = Vec::new();
                for (_, ruling) in open.draft().ruled() {
                    let title = rule_title(&ruling.rule);
                    if !rules.contains(&title) {
                        rules.push(title);
                    }
                }
                let settled = count(counts.by_rule, "conflict");
                out.push((
                    Role::Blend,
                    format!("{settled} settled by rule: {}.", rules.join(", ")),
                ));
            }
            let proposed = file.proposals().count();
            if proposed > 0 {
                out.push((
                    Role::Text,
                    format!(
                        "{} with a suggestion; L accepts all of them.",
                        count(proposed, "conflict")
                    ),
                ));
            }
            out.push((
                Role::Faint,
                format!(
                    "{}, {} open. Merged without a conflict: {} from ours, {} from theirs.",
                    count(counts.conflicts, "conflict"),
                    counts.open,
                    count(own(RegionKind::Ours), "change"),
                    count(own(RegionKind::Theirs), "change"),
                ),
            ));
            if open.opened.encoding.name() != "UTF-8" {
                out.push((
                    Role::Faint,
                    format!("Read as {}.", open.opened.encoding.name()),
                ));
            }
            out.extend(open.opened.note.iter().map(|n| (Role::Finding, n.clone())));
        }
    }
    if let Some(said) = made_by_a_tool(state, file) {
        out.push((Role::Text, visible(&said)));
    }
    match (file.case.standing, file.unfinished) {
        (IndexState::Staged, None) if file.case.as_merged => {
            let text = "As git merges it; w writes your changes.";
            out.push((Role::Faint, text.to_owned()));
        }
        (IndexState::Staged, None) => out.push((
            Role::Faint,
            "Written and staged; u puts it back into conflict.".to_owned(),
        )),
        (IndexState::Staged, Some(Unfinished::Decided)) => out.push((
            Role::Finding,
            "A decision changed after this file was written; w writes it again.".to_owned(),
        )),
        (IndexState::Staged, Some(Unfinished::Markers)) => out.push((
            Role::Finding,
            "It is staged with conflict markers: settle and write it here, or press u to put it back into conflict."
                .to_owned(),
        )),
        _ => {}
    }
    out
}

/// That a file is better made again than merged, and how, if anything says so.
fn made_by_a_tool(state: &State, file: &FileState) -> Option<String> {
    if file.case.standing == IndexState::Staged {
        return None;
    }
    match state.settings.made_by(&file.case.path.to_string()) {
        Some(MadeBy::Settings(line)) => Some(format!("M regenerates it: {line}")),
        Some(MadeBy::Usual(line)) => Some(format!(
            "Generated file. Suggestion: M takes one side, runs '{line}' and stages the result."
        )),
        Some(MadeBy::Untrusted(set)) => Some(format!(
            "{REPOSITORY_SETTINGS} has a command: {}. It is not trusted yet; M shows it and asks.",
            set.told()
        )),
        None => {
            let open = file.open()?;
            let generated = open
                .opened
                .rulings()
                .values()
                .any(|r| r.rule == GENERATED_FILE);
            // Where there is little room, what can be done comes first.
            let room = state.size.1 >= 28;
            (generated && room).then(|| {
                "Generated file: take one side (o, t), then run the generator ([[paths]], M)."
                    .to_owned()
            })
        }
    }
}

/// The whole file in a few cells: whose change is where; open conflicts hollow.
fn strip(open: &OpenFile, theme: &Theme) -> Vec<(&'static str, Style)> {
    overview(open, STRIP)
        .into_iter()
        .map(|cell| match cell {
            None => ("·", theme.fg(Role::Rule)),
            Some(OverviewCell::Open) => (if theme.plain_marks() { "o" } else { "○" }, theme.bold()),
            Some(OverviewCell::By(role)) => (theme.mark(role), theme.fg(role)),
        })
        .collect()
}
