//! What became of every line that each side added or removed: linear in what was changed.
//!
//! Each side's changes against base are traced region by region into the draft,
//! and from there into the text that is to be committed. Lines are compared
//! without their indentation and trailing whitespace: laying out again loses nothing.

use crate::draft::merged_text::Draft;
use crate::draft::region_draft::RegionState;
use crate::limits::{GIVEN_UP_LINES, SURROUNDING_CHARS};
use crate::model::region::{RegionId, RegionKind};
use crate::model::segment::Origin;
use crate::model::side::Side;
use crate::model::versions::Version;
use crate::text::lines::LineIdx;
use crate::text::source::Source;
use crate::verify::bag::Bag;
use crate::verify::blocks::Blocks;
use crate::verify::fates::{Fate, Fates, GivenUp, GivenUpLine, LineChange, Report, SideReport};
use crate::verify::resolved::resolved_in;
use crate::verify::trace::traced;

/// Accounts for every line that a side added to base or removed from it.
///
/// `result` is the text that is to be committed, where that is known: what it lost, has again or
/// has twice is found by [`trace`](crate::trace), and lines that no version has by
/// [`resolved`](crate::resolved). Without it there are neither.
///
/// ```
/// use armistice_core::{Options, Session, Side, audit, plan};
/// use std::sync::Arc;
///
/// let plan = plan(&"a\n".into(), &"a\nmoor the ship\n".into(), &"a\n".into(), &Options::default());
/// let session = Session::new(Arc::new(plan));
/// let report = audit(session.draft(), Some(&"a\n".into()));
/// assert_eq!(report.sides[Side::Ours].added.missing, 1);
/// ```
pub fn audit(draft: &Draft, result: Option<&Source>) -> Report {
    let mut audit = Audit {
        draft,
        listed: 0,
        report: Report::default(),
    };
    for (id, region) in draft.plan().ids() {
        if region.kind != RegionKind::Unchanged {
            for side in Side::BOTH {
                audit.side(id, side);
            }
        }
    }
    if let Some(result) = result {
        let mut blocks = Blocks::new(draft.plan(), result);
        audit.report.new_lines = resolved_in(draft.plan(), result, &mut blocks).new_lines;
        let traced = traced(draft.plan(), result, Some(draft), blocks);
        for side in Side::BOTH {
            let added = &mut audit.report.sides[side].added;
            added.missing = traced.missing[side].min(added.kept);
            added.kept -= added.missing;
        }
        audit.report.findings = traced.findings;
    }
    audit.report
}

struct Audit<'a> {
    draft: &'a Draft,
    /// How many lines are listed as given up.
    listed: usize,
    report: Report,
}

impl Audit<'_> {
    fn side(&mut self, id: RegionId, side: Side) {
        let plan = self.draft.plan();
        let (region, versions) = (plan.region(id), plan.versions());
        let version = Version::from(side);
        let of_base = || versions.base.lines(region.base).map(|l| l.trimmed());
        let mut base: Bag<'_> = of_base().collect();
        let stands = self.draft.lines_of(id).iter();
        let stands = stands.filter_map(|at| Some(self.draft.line(at)?.line.trimmed()));
        let mut stands: Bag<'_> = stands.collect();
        let mut counted = SideReport::default();
        let mut lines = Vec::new();
        let own = region.lines(version);
        for (at, line) in own.iter().zip(versions.get(version).lines(own)) {
            let line = line.trimmed();
            let was_there = base.take(line);
            let stands_there = stands.take(line);
            if was_there {
                continue;
            }
            let fate = self.fate(id, stands_there);
            counted.added.count(fate);
            self.list(&mut lines, fate, LineChange::Added, at, line);
        }
        // What is left of base is what the side removed; what is left of the draft must not be it.
        for (at, line) in region.base.iter().zip(of_base()) {
            if base.take(line) {
                let back = stands.take(line);
                let fate = self.fate(id, !back);
                counted.removed.count(fate);
                self.list(&mut lines, fate, LineChange::Removed, at, line);
            }
        }
        self.given_up(id, side, &counted, lines);
        self.report.sides[side] += counted;
    }

    fn fate(&self, id: RegionId, as_wanted: bool) -> Fate {
        let state = self.draft.standing(id);
        let blends = || {
            let segments = self.draft.segments(id);
            segments.iter().any(|s| s.origin() == Origin::Blend)
        };
        match state {
            RegionState::Open => Fate::Waiting,
            _ if as_wanted => Fate::Kept,
            RegionState::ByHand => Fate::Rewritten,
            _ if blends() => Fate::Blended,
            _ => Fate::GivenUp,
        }
    }

    /// Lists a line that does not stand as its side wanted it, because somebody decided so.
    fn list(
        &mut self,
        lines: &mut Vec<GivenUpLine>,
        fate: Fate,
        change: LineChange,
        line: LineIdx,
        text: &[u8],
    ) {
        let decided = matches!(fate, Fate::GivenUp | Fate::Rewritten);
        // Nobody misses a blank line.
        if !decided || text.is_empty() || self.listed == GIVEN_UP_LINES {
            return;
        }
        self.listed += 1;
        let text = String::from_utf8_lossy(text);
        lines.push(GivenUpLine {
            change,
            line,
            text: text.chars().take(SURROUNDING_CHARS).collect(),
        });
    }

    fn given_up(
        &mut self,
        id: RegionId,
        side: Side,
        counted: &SideReport,
        lines: Vec<GivenUpLine>,
    ) {
        let of = |fates: &Fates| fates.given_up + fates.rewritten;
        let (added, removed) = (of(&counted.added), of(&counted.removed));
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
            lines,
        });
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Check, Entry, Event, LineIdx, Options, Resolution, Session, Step, plan};
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
        assert_eq!(
            (open.sides.ours.added.kept, open.sides.ours.added.waiting),
            (1, 2)
        );
        assert_eq!(
            (
                open.sides.theirs.added.kept,
                open.sides.theirs.removed.waiting
            ),
            (1, 1)
        );
        let done = session(BASE, OURS, THEIRS, Some(Resolution::Take(Version::Ours)));
        let done = audit(done.draft(), None);
        assert_eq!(
            (done.sides.ours.added.kept, done.sides.ours.removed.kept),
            (3, 1)
        );
        assert_eq!(
            (
                done.sides.theirs.added.kept,
                done.sides.theirs.added.given_up
            ),
            (1, 1)
        );
        let given_up = &done.given_up[0];
        assert_eq!(
            (given_up.side, given_up.conflict, given_up.by.as_str()),
            (Side::Theirs, Some(1), "ours")
        );
        let lines = given_up.lines.iter();
        let lines: Vec<_> = lines
            .map(|l| (l.change, l.line.number(), &*l.text))
            .collect();
        assert_eq!(lines, [(LineChange::Added, 3, "T1")]);
        assert_eq!(done.findings, []);
    }

    #[test]
    fn what_somebody_took_out_of_the_result_is_missing() {
        let session = session("a\n", "a\nmoor the ship\n", "a\n", None);
        assert_eq!(audit(session.draft(), None).findings, []);
        let report = audit(session.draft(), Some(&"a\n".into()));
        assert_eq!(
            (
                report.sides.ours.added.kept,
                report.sides.ours.added.missing
            ),
            (0, 1)
        );
        assert_eq!(report.findings[0].check, Check::Lost);
        assert_eq!(report.findings[0].line, Some(LineIdx(0)));
    }

    #[test]
    fn laying_out_anew_loses_nothing() {
        let session = session("a\n", "a\n    moor the ship\n", "a\n", None);
        let report = audit(session.draft(), Some(&"a\n\tmoor the ship\n".into()));
        assert_eq!(
            (report.sides.ours.added.kept, report.findings.len()),
            (1, 0)
        );
    }
}
