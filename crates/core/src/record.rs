//! What was decided in a merge, and why: for the review, and for the next person.

use crate::decide::resolution::Resolution;
use crate::draft::merged_text::Draft;
use crate::draft::region_draft::RegionState;
use crate::model::region::{RegionId, RegionKind};
use crate::model::segment::Origin;
use crate::model::versions::Version;
use crate::plan::cause::describe;
use crate::rules::engine::rule_title;
use serde::{Deserialize, Serialize};
use std::fmt::Write as _;

/// Who or what settled a conflict.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum DecidedBy {
    /// A rule.
    Rule,
    /// A person took ours.
    Ours,
    /// A person took theirs.
    Theirs,
    /// A person took base, or nothing.
    Base,
    /// A person took both sides.
    Both,
    /// A person took a blend, or picked lines.
    Blend,
    /// A person wrote it.
    Hand,
    /// Nobody yet.
    Open,
}

impl DecidedBy {
    /// All of them, in the order of the chart.
    pub const ALL: [DecidedBy; 8] = [
        DecidedBy::Rule,
        DecidedBy::Ours,
        DecidedBy::Theirs,
        DecidedBy::Base,
        DecidedBy::Both,
        DecidedBy::Blend,
        DecidedBy::Hand,
        DecidedBy::Open,
    ];

    /// In a word or two.
    pub fn name(self) -> &'static str {
        match self {
            DecidedBy::Rule => "by rule",
            DecidedBy::Ours => "ours",
            DecidedBy::Theirs => "theirs",
            DecidedBy::Base => "base",
            DecidedBy::Both => "both",
            DecidedBy::Blend => "blended",
            DecidedBy::Hand => "by hand",
            DecidedBy::Open => "open",
        }
    }

    /// With its mark, for a legend.
    pub fn legend(self) -> &'static str {
        match self {
            DecidedBy::Rule => "★ by rule",
            DecidedBy::Ours => "▲ ours",
            DecidedBy::Theirs => "▼ theirs",
            DecidedBy::Base => "◆ base",
            DecidedBy::Both => "◈ both",
            DecidedBy::Blend => "◈ blended",
            DecidedBy::Hand => "✎ by hand",
            DecidedBy::Open => "○ open",
        }
    }
}

/// One conflict and what became of it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Decision {
    /// Its number in its file, from 1; 0 for the file as a whole.
    pub conflict: usize,
    /// The line of the merged text in which it stands, from 1; 0 for the file as a whole.
    pub line: usize,
    /// Why it is one.
    pub cause: String,
    /// Who settled it.
    pub by: DecidedBy,
    /// The rule, if one did.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rule: Option<String>,
    /// Why, where a rule says so, or what was taken.
    pub reason: String,
}

/// One file and what was decided in it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct FileRecord {
    /// Where it stands.
    pub path: String,
    /// Its conflicts in order.
    pub decisions: Vec<Decision>,
    /// The whole file in equal parts: who stands there; `None` where nobody changed anything.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub strip: Vec<Option<DecidedBy>>,
}

/// What was decided in a merge.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct MergeRecord {
    /// "merge", "rebase", …
    pub operation: String,
    /// What ours is called.
    pub ours: String,
    /// What theirs is called.
    pub theirs: String,
    /// Who decided.
    pub who: String,
    /// The commit that it was concluded with.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub commit: Option<String>,
    /// The files in order.
    pub files: Vec<FileRecord>,
}

/// Parts of a strip.
const CELLS: usize = 60;

impl FileRecord {
    /// What was decided in a draft.
    pub fn of(path: &str, draft: &Draft) -> Self {
        let plan = draft.plan();
        let decisions = plan.conflicts().iter().map(|id| decision(draft, *id));
        FileRecord {
            path: path.to_owned(),
            decisions: decisions.collect(),
            strip: strip(draft),
        }
    }
}

fn decided_by(state: &RegionState) -> DecidedBy {
    match state {
        RegionState::Merged | RegionState::Open => DecidedBy::Open,
        RegionState::Ruled(_) => DecidedBy::Rule,
        RegionState::ByHand => DecidedBy::Hand,
        RegionState::Settled(resolution) => match resolution {
            Resolution::Take(Version::Ours) => DecidedBy::Ours,
            Resolution::Take(Version::Theirs) => DecidedBy::Theirs,
            Resolution::Take(Version::Base) | Resolution::Drop => DecidedBy::Base,
            Resolution::Both(_) => DecidedBy::Both,
            Resolution::Lines(_) | Resolution::Segments(_) => DecidedBy::Blend,
        },
    }
}

fn decision(draft: &Draft, id: RegionId) -> Decision {
    let plan = draft.plan();
    let state = draft.standing(id);
    let (rule, reason) = match state {
        RegionState::Ruled(ruling) => (
            Some(rule_title(&ruling.rule).to_owned()),
            ruling.reason.clone(),
        ),
        RegionState::Settled(resolution) => (None, format!("took {}", resolution.name())),
        RegionState::ByHand => (None, "written by hand".to_owned()),
        RegionState::Open | RegionState::Merged => (None, "not decided".to_owned()),
    };
    Decision {
        conflict: plan.conflict_of(id).map_or(0, |conflict| conflict.number()),
        line: draft.lines_of(id).start.number(),
        cause: describe(plan, id),
        by: decided_by(state),
        rule,
        reason,
    }
}

/// Who stands where, in equal parts of the file.
fn strip(draft: &Draft) -> Vec<Option<DecidedBy>> {
    let mut cells = vec![None; CELLS];
    let all = draft.len().max(1);
    for (id, region) in draft.plan().ids() {
        let by = match (draft.standing(id), region.kind) {
            (RegionState::Merged, RegionKind::Unchanged | RegionKind::Same) => continue,
            (RegionState::Merged, RegionKind::Ours) => DecidedBy::Ours,
            (RegionState::Merged, RegionKind::Theirs) => DecidedBy::Theirs,
            (RegionState::Ruled(_), _) => stands(draft, id),
            (state, _) => decided_by(state),
        };
        let lines = draft.lines_of(id);
        let cell = |line: u32| (line as usize * CELLS / all).min(CELLS - 1);
        let last = lines.end.0.max(lines.start.0 + 1) - 1;
        for place in &mut cells[cell(lines.start.0)..=cell(last)] {
            if *place != Some(DecidedBy::Open) {
                *place = Some(by);
            }
        }
    }
    cells
}

/// Whose lines stand where a rule settled something.
fn stands(draft: &Draft, id: RegionId) -> DecidedBy {
    let segments = draft.segments(id);
    let has = |origin: Origin| segments.iter().any(|segment| segment.origin() == origin);
    match (has(Origin::Ours), has(Origin::Theirs), has(Origin::Blend)) {
        (true, false, false) => DecidedBy::Ours,
        (false, true, false) => DecidedBy::Theirs,
        (false, false, false) => DecidedBy::Base,
        _ => DecidedBy::Blend,
    }
}

impl MergeRecord {
    /// The same without what only a drawing shows.
    pub fn without_strips(mut self) -> Self {
        for file in &mut self.files {
            file.strip.clear();
        }
        self
    }

    /// How many conflicts were settled in each way.
    pub fn tally(&self) -> Vec<(DecidedBy, usize)> {
        let all = || self.files.iter().flat_map(|file| &file.decisions);
        let count = |by| (by, all().filter(|decision| decision.by == by).count());
        let counts = DecidedBy::ALL.into_iter().map(count);
        counts.filter(|(_, n)| *n > 0).collect()
    }

    /// The record as Markdown.
    ///
    /// ```
    /// use armistice_core::MergeRecord;
    /// let record = MergeRecord {
    ///     operation: "merge".to_owned(),
    ///     ours: "main".to_owned(),
    ///     theirs: "night".to_owned(),
    ///     who: "Ines Brandt".to_owned(),
    ///     commit: None,
    ///     files: Vec::new(),
    /// };
    /// assert!(record.to_markdown().starts_with("# What was decided: merge of night into main\n"));
    /// ```
    pub fn to_markdown(&self) -> String {
        let mut out = format!(
            "# What was decided: {} of {} into {}\n\nBy {}.\n",
            self.operation, self.theirs, self.ours, self.who
        );
        if let Some(commit) = &self.commit {
            let _ = write!(out, "\nConcluded as {commit}.\n");
        }
        let tally: Vec<String> = self
            .tally()
            .iter()
            .map(|(by, n)| format!("{n} {}", by.name()))
            .collect();
        if !tally.is_empty() {
            let _ = write!(out, "\n{}.\n", tally.join(", "));
        }
        for file in &self.files {
            let _ = write!(out, "\n## {}\n\n", plain(&file.path));
            if file.decisions.is_empty() {
                out += "Nothing to decide.\n";
            }
            for decision in &file.decisions {
                let place = match decision.conflict {
                    0 => "the whole file".to_owned(),
                    n => format!("conflict {n}, line {}", decision.line),
                };
                let rule = decision.rule.as_ref();
                let rule = rule.map_or(String::new(), |rule| format!(" ({rule})"));
                let _ = writeln!(
                    out,
                    "- **{}**{rule}: {place}. {}; {}.",
                    decision.by.name(),
                    plain(&decision.cause),
                    plain(&decision.reason)
                );
            }
        }
        out
    }
}

/// A text in which nothing is taken for Markdown.
fn plain(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        if matches!(
            c,
            '*' | '_' | '`' | '[' | ']' | '<' | '>' | '#' | '\\' | '|'
        ) {
            out.push('\\');
        }
        out.push(if c.is_control() { ' ' } else { c });
    }
    out
}
