//! What became of every line that each side added or removed: linear in what was changed.
//!
//! Each side's changes against base are traced region by region into the draft,
//! and from there into the text that is to be committed. Lines are compared
//! without their indentation and trailing blanks: laying out anew loses nothing.

use crate::draft::merged_text::Draft;
use crate::draft::region_draft::RegionState;
use crate::limits::AUDITED_LINE_BYTES;
use crate::model::region::{RegionId, RegionKind};
use crate::model::segment::Origin;
use crate::model::side::{PerSide, Side};
use crate::model::versions::Version;
use crate::text::lines::LineIdx;
use crate::text::source::Source;
use crate::text::tokens::{is_name, solid_tokens};
use crate::verify::bag::Bag;
use crate::verify::checks::{Check, Finding};
use crate::verify::fates::{Fate, GivenUp, Report, SideReport};
use crate::verify::shared::Shared;

/// Accounts for every line that a side added to base or removed from it.
///
/// `result` is the text that is to be committed, where that is known: a line that
/// the draft has and `result` lacks is missing. Without it the draft is the result.
/// Lines longer than [`AUDITED_LINE_BYTES`](crate::limits) are traced, but never reported.
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
    let own = Source::new(draft.bytes());
    account(draft, &Shared::new(draft, &own, result.unwrap_or(&own)))
}

fn account(draft: &Draft, shared: &Shared<'_>) -> Report {
    let mut audit = Audit {
        draft,
        report: Report::default(),
        kept: Vec::new(),
    };
    for (id, region) in draft.plan().ids() {
        if region.kind != RegionKind::Unchanged {
            for side in Side::BOTH {
                audit.side(id, side);
            }
        }
    }
    audit.missing(shared);
    if draft.open().next().is_none() {
        audit.twice(shared);
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
        let mut base: Bag<'_> = versions
            .base
            .lines(region.base)
            .map(|l| l.trimmed())
            .collect();
        let stands = self.draft.lines_of(id).iter();
        let stands = stands.filter_map(|at| Some(self.draft.line(at)?.line.trimmed()));
        let mut stands: Bag<'_> = stands.collect();
        let mut counted = SideReport::default();
        for line in versions.get(version).lines(region.lines(version)) {
            let line = line.trimmed();
            let was_there = base.take(line);
            let stands_there = stands.take(line);
            if was_there {
                continue;
            }
            let fate = self.fate(id, stands_there);
            if fate == Fate::Kept {
                self.kept.push((side, line, id));
            }
            counted.added.count(fate);
        }
        // What is left of base is what the side removed; what is left of the draft must not be it.
        for (line, n) in base.iter() {
            for _ in 0..n {
                let back = stands.take(line);
                counted.removed.count(self.fate(id, !back));
            }
        }
        self.given_up(id, side, &counted);
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

    fn given_up(&mut self, id: RegionId, side: Side, counted: &SideReport) {
        let (added, removed) = (counted.added.given_up, counted.removed.given_up);
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
    fn missing(&mut self, shared: &Shared<'_>) {
        let kept = std::mem::take(&mut self.kept);
        let of = |side| kept.iter().filter(move |(of, ..)| *of == side);
        let wanted =
            PerSide::from_fn(|side| of(side).map(|(_, line, _)| *line).collect::<Bag<'_>>());
        let own = shared.own_lines();
        let mut there: Bag<'_> = own.collect();
        // Only for lines that what is not shared has too few of does the rest have to be looked at.
        let scarce = |line: &&[u8]| {
            Side::BOTH
                .iter()
                .any(|s| wanted[*s].get(line) > there.get(line))
        };
        let scarce: Bag<'_> = kept
            .iter()
            .map(|(_, line, _)| *line)
            .filter(scarce)
            .collect();
        if scarce.is_empty() {
            return;
        }
        shared
            .common_lines()
            .filter(|line| scarce.get(line) > 0)
            .for_each(|line| there.put(line));
        // What both added alike stands there once for both.
        let mut there = PerSide::new(there.clone(), there);
        for (side, line, id) in kept {
            if there[side].take(line) || !is_telling(line) {
                continue;
            }
            let added = &mut self.report.sides[side].added;
            added.kept -= 1;
            added.missing += 1;
            let at = self.draft.lines_of(id).start;
            let what = format!(
                "a line that {} added is missing, and no decision gave it up: {}",
                Version::from(side).name(),
                excerpt(line)
            );
            self.find(Check::Lost, at, what);
        }
    }

    /// Lines that stand there more often than in any version.
    fn twice(&mut self, shared: &Shared<'_>) {
        let own: Bag<'_> = shared.own_lines().collect();
        let versions = Version::ALL.map(|version| shared.lines_of(version).collect::<Bag<'_>>());
        let most = |line: &[u8]| versions.iter().map(|bag| bag.get(line)).max().unwrap_or(0);
        let more = |(line, n): &(&[u8], usize)| *n > most(line) && is_telling(line);
        let more: Bag<'_> = own.iter().filter(more).map(|(line, _)| line).collect();
        if more.is_empty() {
            return;
        }
        let common: Bag<'_> = shared
            .common_lines()
            .filter(|line| more.get(line) > 0)
            .collect();
        let mut seen = Bag::default();
        for (at, line) in shared.result_lines().filter(|(_, line)| more.get(line) > 0) {
            seen.put(line);
            let (n, before) = (seen.get(line), common.get(line) + most(line));
            if n > 1 && n > before && before > 0 {
                let what = format!(
                    "this line stands here more often than on either side: {}",
                    excerpt(line)
                );
                self.find(Check::Twice, at, what);
            }
        }
    }

    fn find(&mut self, check: Check, at: LineIdx, what: String) {
        self.report
            .findings
            .push(Finding::new(check, Some(at), what));
    }
}

/// Whether a line says enough to be missed: brackets and the like recur everywhere.
fn is_telling(line: &[u8]) -> bool {
    line.len() < AUDITED_LINE_BYTES && solid_tokens(line).filter(|word| is_name(word)).count() > 1
}

fn excerpt(line: &[u8]) -> String {
    let text = String::from_utf8_lossy(line);
    text.chars().take(60).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Entry, Event, LineIdx, Options, Resolution, Session, Step, plan};
    use proptest::prelude::*;
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

    /// Lines out of few, so that many stand more than once.
    fn lines(most: usize) -> impl Strategy<Value = Vec<u8>> {
        prop::collection::vec(0..6u8, 0..most)
    }

    fn text(lines: &[u8]) -> String {
        let line = |n: &u8| format!("moor the ship at berth_{n}\n");
        lines.iter().map(line).collect()
    }

    proptest! {
        /// Passing over what is shared changes nothing in the account.
        #[test]
        fn what_is_shared_needs_no_account(
            [base, ours, theirs, result] in [lines(12), lines(12), lines(12), lines(4)],
            (from, to) in (0..20usize, 0..20usize),
            take in 0..3usize,
        ) {
            let head = [9, 7, 8].repeat(3);
            let [base, ours, theirs] = [base, ours, theirs].map(|l| text(&[&head[..], &l, &head[..]].concat()));
            let taken = Resolution::Take(Version::ALL[take]);
            let session = session(&base, &ours, &theirs, Some(taken));
            let draft = session.draft();
            let own = Source::new(draft.bytes());
            // The result is the draft with a part cut out and other lines put in.
            let of_draft: Vec<&[u8]> = own.lines(own.all()).map(|line| line.bytes()).collect();
            let from = from.min(of_draft.len());
            let to = to.clamp(from, of_draft.len());
            let put_in = text(&result);
            let bytes = [&of_draft[..from].concat(), put_in.as_bytes(), &of_draft[to..].concat()].concat();
            let result = Source::new(bytes);
            let whole = account(draft, &Shared::nothing(draft, &own, &result));
            prop_assert_eq!(audit(draft, Some(&result)), whole);
        }
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
