//! The settings: read from a file once, changed for the session by keys.

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
        assert!(format!("{:#}", read("settel = \"none\"").unwrap_err()).contains("settel"));
    }
}
