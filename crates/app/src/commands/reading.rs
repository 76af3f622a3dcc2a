//! Cases read for commands without a screen.

use crate::case::load::CaseLoad;
use crate::case::propose::RuleSettings;
use crate::case::service::CaseService;
use crate::case::trust::settings_of;
use anyhow::Result;
use armistice_git::{Case, Repository, Situation};

/// A case and what could be read of it, with the decisions recorded about it.
pub(crate) struct Read {
    pub(crate) case: Case,
    pub(crate) load: CaseLoad,
}

pub(crate) fn read_all(service: &CaseService, cases: &[Case], rules: &RuleSettings) -> Vec<Read> {
    let loads = cases
        .chunks(256)
        .flat_map(|chunk| service.load(chunk, rules));
    let cases = cases.iter().cloned();
    cases
        .zip(loads)
        .map(|(case, load)| Read { case, load })
        .collect()
}

pub(crate) fn rule_settings(repo: &Repository, situation: &Situation) -> Result<RuleSettings> {
    Ok(RuleSettings::new(situation, &settings_of(repo)?))
}
