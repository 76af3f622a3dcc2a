//! Why a region is a conflict, in one sentence.

use crate::merge::row_edits::{RowChange, RowEdit};
use crate::model::region::RegionId;
use crate::model::side::{PerSide, Side};
use crate::model::versions::Version;
use crate::plan::build::Plan;
use crate::plan::finer::FinerMerge;
use crate::plan::structure::Apart;
use crate::text::lines::{LineIdx, LineRange};
use crate::text::tokens::same_tokens;
use std::collections::HashSet;

/// Why a region is a conflict.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Cause {
    /// Base has nothing here; both put something in.
    BothAdded,
    /// This side removed what the other changed.
    RemovedAgainstEdited(Side),
    /// The sides differ in white space alone.
    WhiteSpace,
    /// One side only re-indented or re-spaced what the other changed.
    ReindentedAgainstEdited(Side),
    /// The sides changed different lines that touch each other.
    Touching,
    /// Both changed at least one line that is the same in base.
    SameLine,
    /// It is too long for its rows to be looked at.
    TooLong,
}

/// Names the cause of a conflict, by what each side did to the rows of base.
///
/// # Panics
/// If the plan has no such region.
///
/// ```
/// use armistice_core::{Cause, Options, cause, plan};
/// let plan = plan(&"".into(), &"ours\n".into(), &"theirs\n".into(), &Options::default());
/// assert_eq!(cause(&plan, plan.conflicts()[0]), Cause::BothAdded);
/// ```
pub fn cause(plan: &Plan, id: RegionId) -> Cause {
    let (versions, region) = (plan.versions(), plan.region(id));
    let (ours, theirs) = (
        versions.ours.slice(region.ours),
        versions.theirs.slice(region.theirs),
    );
    if same_tokens(ours, theirs) {
        return Cause::WhiteSpace;
    }
    if region.base.is_empty() {
        return Cause::BothAdded;
    }
    if region.ours.is_empty() {
        return Cause::RemovedAgainstEdited(Side::Ours);
    }
    if region.theirs.is_empty() {
        return Cause::RemovedAgainstEdited(Side::Theirs);
    }
    let Some(edits) = plan.finer(id).and_then(FinerMerge::edits) else {
        return Cause::TooLong;
    };
    let blanks_only = Side::BOTH
        .into_iter()
        .find(|side| only_whitespace(&edits[*side]));
    match blanks_only {
        Some(side) => Cause::ReindentedAgainstEdited(side),
        None if !share_a_row(edits) => Cause::Touching,
        None => Cause::SameLine,
    }
}

fn only_whitespace(edits: &[RowEdit]) -> bool {
    let blank = |edit: &RowEdit| {
        matches!(
            edit,
            RowEdit::Keep(_, _, RowChange::Unchanged | RowChange::Whitespace)
        )
    };
    edits.iter().all(blank)
}

/// Whether both sides changed one and the same row of base.
fn share_a_row(edits: &PerSide<Vec<RowEdit>>) -> bool {
    let rows = |edits: &[RowEdit]| -> HashSet<LineIdx> {
        let changed = edits.iter().filter(|edit| edit.changes());
        changed
            .flat_map(|edit| LineRange::new(edit.start().0, edit.end().0).iter())
            .collect()
    };
    !rows(&edits.ours).is_disjoint(&rows(&edits.theirs))
}

/// The cause of a conflict as a person reads it.
///
/// # Panics
/// If the plan has no such region.
///
/// ```
/// use armistice_core::{Options, describe, plan};
/// let plan = plan(&"a\n".into(), &"b\n".into(), &"c\n".into(), &Options::default());
/// assert_eq!(describe(&plan, plan.conflicts()[0]), "both sides changed the same line");
/// ```
pub fn describe(plan: &Plan, id: RegionId) -> String {
    let (versions, region) = (plan.versions(), plan.region(id));
    let lines = |n: usize| match n {
        1 => "the line".to_owned(),
        n => format!("{n} lines"),
    };
    if plan.is_doubtful(id) {
        let side = match region.lines(Side::Ours.into()) {
            ours if versions.ours.slice(ours) != versions.base.slice(region.base) => Side::Ours,
            _ => Side::Theirs,
        };
        return format!("{} changed this in another block", name(side));
    }
    if let Some(apart) = plan.apart(id) {
        return told_apart(apart);
    }
    match cause(plan, id) {
        Cause::BothAdded => "both sides added lines here".to_owned(),
        Cause::WhiteSpace => "only white space differs".to_owned(),
        Cause::RemovedAgainstEdited(side) => format!(
            "{} removed {} that {} edited",
            name(side),
            lines(region.base.len()),
            name(side.other())
        ),
        Cause::ReindentedAgainstEdited(side) => format!(
            "{} changed white space, {} changed words",
            name(side),
            name(side.other())
        ),
        Cause::Touching => "changes right next to each other".to_owned(),
        Cause::TooLong => "too long to say which lines clash".to_owned(),
        Cause::SameLine => same_lines(plan, id),
    }
}

/// What is in conflict by lines and not by declarations, or the other way round.
fn told_apart(apart: &Apart) -> String {
    match apart {
        Apart::Moved { mover, what, .. } => format!(
            "{} moved {what}, {} changed it",
            name(*mover),
            name(mover.other())
        ),
        Apart::Beside {
            changed_by, what, ..
        } => format!(
            "only {} changed {what}; {} changed its neighbours",
            name(*changed_by),
            name(changed_by.other())
        ),
        Apart::TwoBodies { what } => format!("both sides added {what}, with different bodies"),
        Apart::TwoPlaces { place_of, what } => format!(
            "both sides moved {what} to different places; this is the place of {}",
            name(*place_of)
        ),
        Apart::BothAdded { replaces: true, .. } => {
            "each side replaced these lines differently".to_owned()
        }
        Apart::BothAdded { .. } => "each side added declarations here".to_owned(),
    }
}

/// How many lines both changed, and what each put in besides.
fn same_lines(plan: &Plan, id: RegionId) -> String {
    let all = plan.region(id).base.len();
    let Some(edits) = plan.finer(id).and_then(FinerMerge::edits) else {
        return "both sides changed the same lines".to_owned();
    };
    let rows = |edits: &[RowEdit]| -> HashSet<LineIdx> {
        let changed = edits.iter().filter(|edit| edit.changes());
        changed
            .flat_map(|edit| LineRange::new(edit.start().0, edit.end().0).iter())
            .collect()
    };
    let (ours, theirs) = (rows(&edits.ours), rows(&edits.theirs));
    let both = ours.intersection(&theirs).count();
    let mut said = match (both, all) {
        (1, 1) => "both sides changed the same line".to_owned(),
        (n, all) if n == all => format!("both sides changed the same {n} lines"),
        (1, all) => format!("both sides changed 1 of {all} lines"),
        (n, all) => format!("both sides changed {n} of {all} lines"),
    };
    for side in Side::BOTH {
        let inserted = edits[side].iter().map(|edit| match edit {
            RowEdit::Insert(_, lines) => lines.len(),
            _ => 0,
        });
        match inserted.sum::<usize>() {
            0 => {}
            1 => said += &format!(", {} added 1", name(side)),
            n => said += &format!(", {} added {n}", name(side)),
        }
    }
    said
}

fn name(side: Side) -> &'static str {
    Version::from(side).name()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Options, plan};

    fn check(base: &str, ours: &str, theirs: &str, expected: &str) {
        let plan = plan(
            &base.into(),
            &ours.into(),
            &theirs.into(),
            &Options::default(),
        );
        assert_eq!(describe(&plan, plan.conflicts()[0]), expected);
    }

    #[test]
    fn a_doubtful_conflict_says_who_changed_it() {
        let texts = ["a\nb\nc\n", "A\nb\nc\n", "a\nb\nC\n"].map(Into::into);
        let plain = plan(&texts[0], &texts[1], &texts[2], &Options::default());
        assert!(plain.conflicts().is_empty());
        let doubted = plain.with_doubts(&[RegionId(0), RegionId(1), RegionId(2)].into());
        let said: Vec<String> = doubted
            .conflicts()
            .iter()
            .map(|id| describe(&doubted, *id))
            .collect();
        assert_eq!(
            said,
            [
                "ours changed this in another block",
                "theirs changed this in another block"
            ]
        );
        assert!(doubted.stretches().all(|stretch| stretch.len() == 1));
        assert_eq!(doubted.recipe().doubts, [RegionId(0), RegionId(2)]);
        assert!(doubted.is_made_by(&doubted.recipe()) && !plain.is_made_by(&doubted.recipe()));
        // Nothing is settled by rule there.
        let context = crate::RuleContext::default();
        assert_eq!(crate::propose_all(&doubted, &context), []);
    }

    #[test]
    fn each_cause_has_its_sentence() {
        check("a\n", "a\nb\n", "a\nc\n", "both sides added lines here");
        check("a b\n", "a  b\n", "  a b\n", "only white space differs");
        check(
            "a one\n",
            "",
            "a two\n",
            "ours removed the line that theirs edited",
        );
        check(
            "a one\n",
            "  a one\n",
            "a two\n",
            "ours changed white space, theirs changed words",
        );
        check(
            "a one\nb two\n",
            "a won\nb two\n",
            "a one\nb too\n",
            "changes right next to each other",
        );
        check(
            "a one x\n",
            "a won x\n",
            "a two x\n",
            "both sides changed the same line",
        );
    }
}
