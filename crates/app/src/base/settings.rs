//! The settings: read from a file once, changed for the session by keys.

use crate::base::project_checks::{CheckSetting, well_formed};
use anyhow::{Context as _, Result, bail};
use armistice_core::{AutoSettle, RULES, RuleContext, WhitespacePolicy};
use etcetera::BaseStrategy;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

/// Settings; each has a default.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
pub struct Settings {
    /// White space in which the sides may differ.
    pub whitespace: WhitespacePolicy,
    /// What is settled when a file is opened.
    pub settle: AutoSettle,
    /// Ids of rules that are switched off.
    pub rules_off: BTreeSet<String>,
    /// The user's own checks, run from Proof.
    pub checks: Vec<CheckSetting>,
    /// What a file is handed over to: a line for the shell with `{output}`, and, if it wants them,
    /// `{base}`, `{ours}`, `{theirs}` and `{line}`. The user's editor if it is not set.
    pub hand_over: Option<String>,
}

/// Where programs keep what they must not lose and nobody edits.
///
/// # Errors
/// If there is no home folder.
pub fn state_folder() -> Result<PathBuf> {
    let folders = etcetera::choose_base_strategy().context("cannot find your home folder")?;
    let state = folders.state_dir().unwrap_or_else(|| folders.data_dir());
    Ok(state.join("armistice"))
}

impl Settings {
    /// Where they are read from: the user's folder for configurations.
    pub fn file() -> Option<PathBuf> {
        let folders = etcetera::choose_base_strategy().ok()?;
        Some(folders.config_dir().join("armistice").join("config.toml"))
    }

    /// Reads the user's settings; the defaults if there are none.
    ///
    /// # Errors
    /// If the file cannot be read, is no TOML, or sets something unknown.
    pub fn read() -> Result<Self> {
        match Self::file() {
            Some(file) if file.exists() => Self::read_from(&file),
            _ => Ok(Settings::default()),
        }
    }

    fn read_from(file: &Path) -> Result<Self> {
        let name = file.display();
        let text =
            std::fs::read_to_string(file).with_context(|| format!("cannot read '{name}'"))?;
        let settings: Settings =
            toml::from_str(&text).with_context(|| format!("'{name}' makes no sense"))?;
        if let Err(why) = well_formed(&settings.checks) {
            bail!("'{name}' makes no sense: {why}");
        }
        if settings
            .hand_over
            .as_ref()
            .is_some_and(|line| !line.contains("{output}"))
        {
            bail!("'{name}' makes no sense: hand-over must name {{output}}, the file to edit");
        }
        let unknown = |id: &&String| !RULES.iter().any(|rule| rule.id() == id.as_str());
        if let Some(id) = settings.rules_off.iter().find(unknown) {
            let all: Vec<_> = RULES.iter().map(|rule| rule.id()).collect();
            bail!(
                "'{name}' switches off '{id}', which is no rule; there are: {}",
                all.join(", ")
            );
        }
        Ok(settings)
    }

    /// What rules know of a file.
    pub fn context(&self, path: String, ours: &str, theirs: &str) -> RuleContext {
        RuleContext {
            path,
            ours: ours.to_owned(),
            theirs: theirs.to_owned(),
            blanks: self.whitespace,
            off: self.rules_off.clone(),
            ..RuleContext::default()
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn read(text: &str) -> Result<Settings> {
        let dir = tempfile::TempDir::new()?;
        let file = dir.path().join("config.toml");
        std::fs::write(&file, text)?;
        Settings::read_from(&file)
    }

    #[test]
    fn settings_are_read_and_nonsense_is_told() {
        let all =
            read("whitespace = \"line-ends\"\nsettle = \"likely\"\nrules-off = [\"blend\"]\n");
        let all = all.unwrap();
        assert_eq!(
            (all.whitespace, all.settle),
            (WhitespacePolicy::LineEnds, AutoSettle::Likely)
        );
        assert!(all.rules_off.contains("blend"));
        assert_eq!(read("").unwrap(), Settings::default());
        assert!(
            read("rules-off = [\"magic\"]")
                .unwrap_err()
                .to_string()
                .contains("'magic', which is no rule")
        );
        let checks = "[[checks]]\nname = \"build\"\nrun = \"make\"\nrequired = true\n";
        assert!(read(checks).unwrap().checks[0].required);
        assert!(
            read(&checks.repeat(2))
                .unwrap_err()
                .to_string()
                .contains("'build' twice")
        );
        assert!(format!("{:#}", read("settel = \"none\"").unwrap_err()).contains("settel"));
    }
}
