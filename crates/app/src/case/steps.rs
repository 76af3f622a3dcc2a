//! The steps of a rebase as Proof lists them, and after the rebase.

use crate::base::party_words::PartyWords;
use crate::base::safe_text::{count, fit};
use armistice_core::Finding;
use armistice_git::{Error, PathFinding, Proof, ReviewedSteps, Situation, StepFinding, StepState};

/// Columns of a commit's subject.
const SUBJECT_COLUMNS: usize = 40;

/// What the steps of a rebase have that has ended.
#[derive(Clone, Debug, Default)]
pub struct FinishedSteps {
    pub findings: Vec<PathFinding>,
    /// Which steps were not reviewed, and why, in words.
    pub not_reviewed: Option<String>,
}

impl FinishedSteps {
    /// What a review of the last rebase came to.
    pub fn new(reviewed: Result<ReviewedSteps, Error>) -> Self {
        match reviewed {
            Ok(steps) => FinishedSteps {
                findings: steps.findings.iter().map(path_finding).collect(),
                not_reviewed: (steps.not_reviewed > 0)
                    .then(|| format!("{} not reviewed", count(steps.not_reviewed, "step"))),
            },
            Err(error) => FinishedSteps {
                findings: Vec::new(),
                not_reviewed: Some(format!("the steps were not reviewed: {error}")),
            },
        }
    }
}

/// Adds what a review of the steps so far came to.
pub fn add_steps(proof: &mut Proof, reviewed: Result<ReviewedSteps, Error>, situation: &Situation) {
    let steps = reviewed.unwrap_or_else(|error| {
        tracing::warn!(%error, "the steps of the rebase were not reviewed");
        let done = situation.steps.iter();
        ReviewedSteps {
            not_reviewed: done.filter(|step| step.state == StepState::Done).count(),
            ..ReviewedSteps::default()
        }
    });
    proof
        .findings
        .extend(steps.findings.iter().map(path_finding));
    proof.steps = steps
        .findings
        .into_iter()
        .map(|found| found.before)
        .collect();
    proof.steps.dedup();
    proof.steps_not_reviewed = steps.not_reviewed;
}

/// What is wrong in a step of a rebase, for Proof.
fn path_finding(found: &StepFinding) -> PathFinding {
    let StepFinding {
        commit,
        path,
        finding,
        ..
    } = found;
    let names = PartyWords::new("its new parent", "this commit");
    let line = finding
        .line
        .map_or(String::new(), |line| format!(", line {line}"));
    let what = names.put_into(&finding.what);
    let subject = fit(&commit.subject, SUBJECT_COLUMNS);
    PathFinding {
        path: path.clone(),
        finding: Finding::new(
            finding.check,
            None,
            format!("step {} '{subject}'{line}: {what}", commit.short),
        ),
    }
}
