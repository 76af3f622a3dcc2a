//! The steps of a rebase that were carried out so far, those that git applied without a conflict too.

use crate::path::RepoPath;
use crate::process::cancel::Cancel;
use crate::process::error::Error;
use crate::repo::operation::Operation;
use crate::repo::repository::Repository;
use crate::review::merge::{Reviewed, ReviewedFile, Reviewer, ToReview};
use crate::review::rebased::{matched_between, tip_before_rebase};
use crate::situation::read::{Commit, Situation};
use armistice_core::{Finding, Weight};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::sync::{Mutex, MutexGuard};

/// Which steps of a rebase are reviewed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum CheckSteps {
    /// All.
    #[default]
    All,
    /// Those in which git leaves a conflict.
    Conflicts,
    /// None.
    None,
}

/// What is wrong in one step.
#[derive(Clone, Debug)]
pub struct StepFinding {
    /// The commit that it made.
    pub commit: Commit,
    /// The commit before, by its full name.
    pub before: String,
    /// In which file.
    pub path: RepoPath,
    /// What; its line is one of the commit, and "theirs" is the commit before it was rebased.
    pub finding: Finding,
}

/// What the steps of a rebase have.
#[derive(Clone, Debug, Default)]
pub struct ReviewedSteps {
    /// In the order of the steps.
    pub findings: Vec<StepFinding>,
    /// How many steps were not reviewed, because they could not be or there are too many.
    pub not_reviewed: usize,
}

/// How many steps are reviewed, the last ones: each takes some calls of git.
const STEPS: usize = 400;

/// Reviews the steps of rebases, each once.
#[derive(Debug, Default)]
pub struct StepReview {
    /// By the name of the commit.
    known: Mutex<HashMap<String, Reviewed>>,
}

impl StepReview {
    /// What is wrong in the steps so far of the rebase in progress, if one is.
    ///
    /// # Errors
    /// If git fails or is stopped.
    pub fn so_far(
        &self,
        repo: &Repository,
        situation: &Situation,
        which: CheckSteps,
        cancel: &Cancel,
    ) -> Result<ReviewedSteps, Error> {
        let is_rebase = matches!(situation.operation, Operation::Rebase { .. });
        let read = |name: &str| {
            let files = ["rebase-merge", "rebase-apply"].map(|folder| format!("{folder}/{name}"));
            let text = files.iter().find_map(|file| repo.state_file(file))?;
            Some(text.trim().to_owned())
        };
        match (read("onto"), read("orig-head")) {
            (Some(onto), Some(old)) if is_rebase && which != CheckSteps::None => {
                let steps = matched_between(repo, [&onto, &old], [&onto, "HEAD"])?;
                self.findings(repo, steps, which, cancel)
            }
            _ => Ok(ReviewedSteps::default()),
        }
    }

    /// What is wrong in the steps of the last rebase of the current branch.
    ///
    /// # Errors
    /// If git fails or is stopped.
    pub fn of_last_rebase(
        &self,
        repo: &Repository,
        which: CheckSteps,
        cancel: &Cancel,
    ) -> Result<ReviewedSteps, Error> {
        match tip_before_rebase(repo)? {
            Some(old) if which != CheckSteps::None => {
                let steps = matched_between(repo, ["HEAD", &old], [&old, "HEAD"])?;
                self.findings(repo, steps, which, cancel)
            }
            _ => Ok(ReviewedSteps::default()),
        }
    }

    fn findings(
        &self,
        repo: &Repository,
        steps: Vec<ToReview>,
        which: CheckSteps,
        cancel: &Cancel,
    ) -> Result<ReviewedSteps, Error> {
        let left_out = steps.len().saturating_sub(STEPS);
        let steps = &steps[left_out..];
        let is_new = |step: &&ToReview| !self.known().contains_key(&step.commit.oid);
        let new: Vec<ToReview> = steps.iter().filter(is_new).cloned().collect();
        if !new.is_empty() {
            let reviewer = Reviewer::new(repo, cancel)?;
            let done = reviewer.review(&new, &mut |reviewed| {
                if reviewed.not_reviewed.is_none() {
                    self.known().insert(reviewed.commit.oid.clone(), reviewed);
                }
            });
            reviewer.leave_untouched();
            done?;
        }
        let known = self.known();
        let mut all = ReviewedSteps {
            not_reviewed: left_out,
            ..ReviewedSteps::default()
        };
        for step in steps {
            match known.get(&step.commit.oid) {
                None => all.not_reviewed += 1,
                Some(reviewed) if which == CheckSteps::All || reviewed.conflicts() > 0 => {
                    let files = reviewed.files.iter();
                    all.findings
                        .extend(files.flat_map(|file| of_step(file, step)));
                }
                Some(_) => {}
            }
        }
        Ok(all)
    }

    fn known(&self) -> MutexGuard<'_, HashMap<String, Reviewed>> {
        match self.known.lock() {
            Ok(known) => known,
            // A thread that panicked while it held the lock left whole entries behind.
            Err(poisoned) => poisoned.into_inner(),
        }
    }
}

fn of_step(file: &ReviewedFile, step: &ToReview) -> Vec<StepFinding> {
    let stops = file.findings.iter().filter(|f| f.weight == Weight::Stops);
    let of = |finding: &Finding| StepFinding {
        commit: step.commit.clone(),
        before: (step.before.as_ref()).map_or(String::new(), |before| before.commit.oid.clone()),
        path: file.path.clone(),
        finding: finding.clone(),
    };
    stops.map(of).collect()
}
