//! What became of every line that each side added or removed: linear in the texts.
//!
//! Each side's changes against base are traced region by region into the draft,
//! and from there into the text that is to be committed. Lines are compared
//! without their indentation and trailing blanks: laying out anew loses nothing.

use crate::draft::merged_text::{Draft, RegionState};
use crate::limits::AUDITED_LINE_BYTES;
use crate::model::region::{RegionId, RegionKind};
use crate::model::segment::Origin;
use crate::model::side::Side;
use crate::model::versions::Version;
use crate::text::source::Source;
use crate::text::tokens::{is_name, solid_tokens};
use crate::verify::checks::{Check, Finding};
use serde::Serialize;
use std::collections::HashMap;

/// Lines counted by what became of them.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Fates {
    /// As the side wanted it.
    pub kept: usize,
    /// Blended with the other side's words.
    pub blended: usize,
    /// Not so, by a decision or a rule.
    pub given_up: usize,
    /// Rewritten by hand.
    pub rewritten: usize,
    /// In a conflict that is still open.
    pub waiting: usize,
    /// Not so, and nothing accounts for it.
    pub missing: usize,
}

impl Fates {
    /// How many lines it is about.
    pub fn all(&self) -> usize {
        self.kept + self.blended + self.given_up + self.rewritten + self.waiting + self.missing
    }

    fn count(&mut self, fate: Fate) {
        *match fate {
            Fate::Kept => &mut self.kept,
            Fate::Blended => &mut self.blended,
            Fate::GivenUp => &mut self.given_up,
            Fate::Rewritten => &mut self.rewritten,
            Fate::Waiting => &mut self.waiting,
        } += 1;
    }
}

impl std::ops::AddAssign for Fates {
    fn add_assign(&mut self, other: Self) {
        self.kept += other.kept;
        self.blended += other.blended;
        self.given_up += other.given_up;
        self.rewritten += other.rewritten;
        self.waiting += other.waiting;
        self.missing += other.missing;
    }
}

/// What became of one side's work.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize)]
pub struct SideReport {
    /// Lines it added; kept if they stand.
    pub added: Fates,
    /// Lines of base it removed; kept if they are gone.
    pub removed: Fates,
}

impl std::ops::AddAssign for SideReport {
    fn add_assign(&mut self, other: Self) {
        self.added += other.added;
        self.removed += other.removed;
    }
}

/// Work of a side that a decision gave up.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct GivenUp {
    /// Whose work.
    pub side: Side,
    /// The conflict it was given up in; `None` for a change that was declined.
    pub conflict: Option<usize>,
    /// The decision.
    pub by: String,
    /// Lines that the side had added.
    pub added: usize,
    /// Lines that the side had removed.
    pub removed: usize,
}

/// What became of both sides' work in one file.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Report {
    /// Ours.
    pub ours: SideReport,
    /// Theirs.
    pub theirs: SideReport,
    /// What was given up, and by which decision.
    pub given_up: Vec<GivenUp>,
    /// Lines that are missing or stand there twice, with no decision behind it.
    pub findings: Vec<Finding>,
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Fate {
    Kept,
    Blended,
    GivenUp,
    Rewritten,
    Waiting,
}

type Bag<'a> = HashMap<&'a [u8], usize>;

fn put<'a>(bag: &mut Bag<'a>, line: &'a [u8]) {
    *bag.entry(line).or_default() += 1;
}

fn take(bag: &mut Bag<'_>, line: &[u8]) -> bool {
    match bag.get_mut(line) {
        Some(n) if *n > 0 => {
            *n -= 1;
            true
        }
        _ => false,
    }
}

fn bag(text: &Source) -> Bag<'_> {
    let mut out = Bag::new();
    for line in text.lines(text.all()) {
        put(&mut out, line.trimmed());
    }
    out
}

/// Accounts for every line that a side added to base or removed from it.
///
/// `result` is the text that is to be committed, where that is known: a line that
/// the draft has and `result` lacks is missing.
pub fn audit(draft: &Draft, result: Option<&Source>) -> Report {
    let mut audit = Audit {
        draft,
        report: Report::default(),
        kept: Vec::new(),
    };
    for (id, region) in draft.plan().ids() {
        if region.kind != RegionKind::Unchanged {
            for side in [Side::Ours, Side::Theirs] {
                audit.side(id, side);
            }
        }
    }
    let own;
    let result = match result {
        Some(result) => result,
        None => {
            own = Source::new(draft.bytes());
            &own
        }
    };
    audit.missing(result);
    if draft.open().next().is_none() {
        audit.twice(result);
    }
    audit.report.findings.sort_by_key(|f| (f.check, f.line));
    audit.report
}

struct Audit<'a> {
    draft: &'a Draft,
    report: Report,
    /// Added lines that the draft has: whose, its text, and the region.
    kept: Vec<(Side, &'a [u8], RegionId)>,
}

impl<'a> Audit<'a> {
    fn side(&mut self, id: RegionId, side: Side) {
        let plan = self.draft.plan();
        let (region, versions) = (plan.region(id), plan.versions());
        let version = Version::from(side);
        let mut base = Bag::new();
        for line in versions.base.lines(region.base) {
            put(&mut base, line.trimmed());
        }
        let mut stands = Bag::new();
        for at in self.draft.lines_of(id).iter() {
            if let Some(line) = self.draft.line(at) {
                put(&mut stands, line.line.trimmed());
            }
        }
        let mut told = SideReport::default();
        for line in versions.get(version).lines(region.lines(version)) {
            let line = line.trimmed();
            let was_there = take(&mut base, line);
            let stands_there = take(&mut stands, line);
            if was_there {
                continue;
            }
            let fate = self.fate(id, stands_there);
            if fate == Fate::Kept {
                self.kept.push((side, line, id));
            }
            told.added.count(fate);
        }
        // What is left of base is what the side removed; what is left of the draft must not be it.
        for (line, n) in base {
            for _ in 0..n {
                let back = take(&mut stands, line);
                told.removed.count(self.fate(id, !back));
            }
        }
        self.given_up(id, side, &told);
        match side {
            Side::Ours => self.report.ours += told,
            Side::Theirs => self.report.theirs += told,
        }
    }

    fn fate(&self, id: RegionId, as_wanted: bool) -> Fate {
        let standing = self.draft.standing(id);
        let blends = || {
            self.draft
                .segments(id)
                .iter()
                .any(|p| p.origin() == Origin::Blend)
        };
        match standing {
            RegionState::Open => Fate::Waiting,
            _ if as_wanted => Fate::Kept,
            RegionState::ByHand => Fate::Rewritten,
            _ if blends() => Fate::Blended,
            _ => Fate::GivenUp,
        }
    }

    fn given_up(&mut self, id: RegionId, side: Side, told: &SideReport) {
        let (added, removed) = (told.added.given_up, told.removed.given_up);
        if added + removed == 0 {
            return;
        }
        let by = match self.draft.standing(id) {
            RegionState::Settled(resolution) => resolution.name().to_owned(),
            RegionState::Ruled(ruling) => format!("rule {}", ruling.rule),
            RegionState::ByHand => "hand".to_owned(),
            RegionState::Merged | RegionState::Open => "merging".to_owned(),
        };
        let conflict = self.draft.plan().conflict_of(id).map(|c| c.number());
        self.report.given_up.push(GivenUp {
            side,
            conflict,
            by,
            added,
            removed,
        });
    }

    /// Lines that the draft has and the result lacks.
    fn missing(&mut self, result: &'a Source) {
        // What both added alike stands there once for both.
        let all = bag(result);
        let (mut ours, mut theirs) = (all.clone(), all);
        let mut lost = Vec::new();
        for (side, line, id) in std::mem::take(&mut self.kept) {
            let there = match side {
                Side::Ours => &mut ours,
                Side::Theirs => &mut theirs,
            };
            if !take(there, line) && is_telling(line) {
                lost.push((side, line, id));
            }
        }
        for (side, line, id) in lost {
            let report = match side {
                Side::Ours => &mut self.report.ours,
                Side::Theirs => &mut self.report.theirs,
            };
            report.added.kept -= 1;
            report.added.missing += 1;
            let at = self.draft.lines_of(id).start;
            let what = format!(
                "a line that {} added is missing, and no decision gave it up: {}",
                Version::from(side).name(),
                shown(line)
            );
            self.report
                .findings
                .push(Finding::new(Check::Lost, Some(at), what));
        }
    }

    /// Lines that stand there more often than in any version.
    fn twice(&mut self, result: &'a Source) {
        let versions = self.draft.plan().versions();
        let known = [&versions.base, &versions.ours, &versions.theirs].map(bag);
        let mut seen = Bag::new();
        for at in result.all().iter() {
            let line = result.line(at).trimmed();
            put(&mut seen, line);
            let before = known
                .iter()
                .map(|b| b.get(line).copied().unwrap_or(0))
                .max();
            let n = seen.get(line).copied().unwrap_or(0);
            if n > 1 && Some(n) > before && before > Some(0) && is_telling(line) {
                let what = format!(
                    "this line stands here more often than on either side: {}",
                    shown(line)
                );
                self.report
                    .findings
                    .push(Finding::new(Check::Twice, Some(at), what));
            }
        }
    }
}

/// Whether a line says enough to be missed: brackets and the like recur everywhere.
fn is_telling(line: &[u8]) -> bool {
    line.len() < AUDITED_LINE_BYTES && solid_tokens(line).filter(|word| is_name(word)).count() > 1
}

fn shown(line: &[u8]) -> String {
    let text = String::from_utf8_lossy(line);
    text.chars().take(60).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Entry, Event, LineIdx, Options, Resolution, Session, Step, plan};
    use std::sync::Arc;

    fn session(base: &str, ours: &str, theirs: &str, entry: Option<Resolution>) -> Session {
        let plan = plan(
            &base.into(),
            &ours.into(),
            &theirs.into(),
            &Options::default(),
        );
        let conflict = plan.conflicts().first().copied();
        let mut session = Session::new(Arc::new(plan));
        if let (Some(id), Some(resolution)) = (conflict, entry) {
            let step = Step::new("", vec![Entry::Settle(id, resolution)]);
            session.apply(&Event::Do(step)).unwrap();
        }
        session
    }

    const BASE: &str = "a\nb\nc\nd\n";
    const OURS: &str = "a\nO1\nO2\nc\nd\no3\n";
    const THEIRS: &str = "t0\na\nT1\nc\nd\n";

    #[test]
    fn every_line_is_accounted_for() {
        let open = session(BASE, OURS, THEIRS, None);
        let open = audit(open.draft(), None);
        assert_eq!((open.ours.added.kept, open.ours.added.waiting), (1, 2));
        assert_eq!(
            (open.theirs.added.kept, open.theirs.removed.waiting),
            (1, 1)
        );
        let done = session(BASE, OURS, THEIRS, Some(Resolution::Take(Version::Ours)));
        let done = audit(done.draft(), None);
        assert_eq!((done.ours.added.kept, done.ours.removed.kept), (3, 1));
        assert_eq!((done.theirs.added.kept, done.theirs.added.given_up), (1, 1));
        let told = &done.given_up[0];
        assert_eq!(
            (told.side, told.conflict, told.by.as_str()),
            (Side::Theirs, Some(1), "ours")
        );
        assert_eq!(done.findings, []);
    }

    #[test]
    fn what_somebody_took_out_of_the_result_is_missing() {
        let session = session("a\n", "a\nmoor the ship\n", "a\n", None);
        assert_eq!(audit(session.draft(), None).findings, []);
        let report = audit(session.draft(), Some(&"a\n".into()));
        assert_eq!((report.ours.added.kept, report.ours.added.missing), (0, 1));
        assert_eq!(report.findings[0].check, Check::Lost);
        assert_eq!(report.findings[0].line, Some(LineIdx(1)));
    }

    #[test]
    fn a_line_that_both_brought_stands_twice() {
        let both = Some(Resolution::Both(Side::Ours));
        let ours = "use tide::Low;\nmoor the ship\n";
        let theirs = "log the ship\nuse tide::Low;\npay the fee\n";
        let session = session("", ours, theirs, both);
        let report = audit(session.draft(), None);
        assert_eq!(report.findings.len(), 1, "{report:?}");
        let finding = &report.findings[0];
        assert_eq!(
            (finding.check, finding.line),
            (Check::Twice, Some(LineIdx(3)))
        );
    }

    #[test]
    fn laying_out_anew_loses_nothing() {
        let session = session("a\n", "a\n    moor the ship\n", "a\n", None);
        let report = audit(session.draft(), Some(&"a\n\tmoor the ship\n".into()));
        assert_eq!((report.ours.added.kept, report.findings.len()), (1, 0));
    }
}
