//! The settings: read from a file once, changed for the session by keys.

use crate::base::keymap::{KeyChanges, with_other_keys};
use crate::base::path_settings::{PathSetting, RepositoryPaths, usual_command};
use crate::base::project_checks::{CheckSetting, well_formed};
use anyhow::{Context as _, Result, bail};
use armistice_core::{AutoSettle, RULES, RuleContext, Side, WhitespacePolicy};
use armistice_git::{CheckSteps, ConflictList};
use etcetera::BaseStrategy;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

/// Settings; each has a default.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
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
    /// Whether a decision goes on to the next open conflict.
    pub go_on: bool,
    /// Whether the message of a merge lists the files that were in conflict.
    pub conflict_list: ConflictList,
    /// Which steps of a rebase Proof reviews.
    pub check_steps: CheckSteps,
    /// Whether files are laid out by their declarations where those tell more than lines.
    pub declarations: bool,
    /// What becomes of files of such paths; the first that fits counts.
    pub paths: Vec<PathSetting>,
    /// Other keys for actions: by screen, by the key that an action has of itself.
    pub keys: KeyChanges,
    /// What the repository's own settings say of paths.
    #[serde(skip)]
    pub of_repository: RepositoryPaths,
}

impl Default for Settings {
    fn default() -> Self {
        Settings {
            whitespace: WhitespacePolicy::default(),
            settle: AutoSettle::default(),
            rules_off: BTreeSet::new(),
            checks: Vec::new(),
            hand_over: None,
            go_on: true,
            conflict_list: ConflictList::default(),
            check_steps: CheckSteps::default(),
            declarations: true,
            paths: Vec::new(),
            keys: KeyChanges::new(),
            of_repository: RepositoryPaths::default(),
        }
    }
}

/// Where a command comes from that makes a file again.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum MadeBy {
    /// Settings name it: the person's own, or trusted ones of the repository.
    Settings(String),
    /// The repository's settings say something of the path, and nobody has trusted them.
    Untrusted(PathSetting),
    /// Nobody named it: it is usual for a file of that name.
    Usual(String),
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
        if let Some(why) = settings.paths.iter().find_map(PathSetting::trouble) {
            bail!("'{name}' makes no sense: {why}");
        }
        if let Err(why) = with_other_keys(&settings.keys) {
            bail!("'{name}' makes no sense: {why}");
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

    /// What is set for a path, if anything is: the person's own settings first.
    pub fn for_path(&self, path: &str) -> Option<&PathSetting> {
        let trusted = Some(&self.of_repository).filter(|paths| paths.trusted);
        let theirs = trusted.into_iter().flat_map(|paths| &paths.paths);
        let mut all = self.paths.iter().chain(theirs);
        all.find(|setting| setting.fits(path))
    }

    /// How a file of this path is made again, if anything can be said of that.
    pub fn made_by(&self, path: &str) -> Option<MadeBy> {
        if let Some(set) = self.for_path(path) {
            return set.regenerate.clone().map(MadeBy::Settings);
        }
        let said = self.of_repository.paths.iter().find(|s| s.fits(path));
        said.cloned()
            .map(MadeBy::Untrusted)
            .or_else(|| usual_command(path).map(MadeBy::Usual))
    }

    /// The side that is taken for a path, and the pattern that says so.
    pub fn taken_side(&self, path: &str) -> Option<(Side, String)> {
        let setting = self.for_path(path)?;
        Some((setting.take?.side(), setting.pattern.clone()))
    }

    /// What rules know of a file.
    pub fn context(&self, path: String, ours: &str, theirs: &str) -> RuleContext {
        RuleContext {
            by_path: self.taken_side(&path),
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
    fn paths_are_matched_by_their_last_part_or_as_a_whole() {
        let text = "[[paths]]\npattern = \"*.lock\"\ntake = \"theirs\"\n\n[[paths]]\npattern = \"db/**/*.sql\"\nregenerate = \"make schema\"\n";
        let settings = read(text).unwrap();
        let side = |path: &str| settings.taken_side(path).map(|(side, _)| side);
        assert_eq!(side("web/deep/yarn.lock"), Some(Side::Theirs));
        assert_eq!(side("lock.txt"), None);
        let line = |path: &str| settings.for_path(path)?.regenerate.as_deref();
        assert_eq!(line("db/a/b/schema.sql"), Some("make schema"));
        assert_eq!(line("schema.sql"), None);
        for (nonsense, why) in [
            ("pattern = \"a**b\"\ntake = \"ours\"", "is none"),
            ("pattern = \"*\"", "take or regenerate"),
            (
                "pattern = \"*\"\ntake = \"ours\"\nregenerate = \"make\"",
                "one of them",
            ),
        ] {
            let error = read(&format!("[[paths]]\n{nonsense}\n"))
                .unwrap_err()
                .to_string();
            assert!(error.contains(why), "{nonsense}: {error}");
        }
    }

    #[test]
    fn what_a_repository_says_of_paths_counts_once_it_is_trusted() {
        let mut settings = read("[[paths]]\npattern = \"a.lock\"\ntake = \"ours\"\n").unwrap();
        settings.of_repository.paths = vec![PathSetting {
            pattern: "*.lock".to_owned(),
            regenerate: Some("make lock".to_owned()),
            take: None,
        }];
        let made = settings.made_by("b.lock");
        assert!(matches!(made, Some(MadeBy::Untrusted(_))), "{made:?}");
        assert!(settings.for_path("b.lock").is_none());
        assert!(matches!(
            settings.made_by("Cargo.lock"),
            Some(MadeBy::Untrusted(_))
        ));
        settings.of_repository.trusted = true;
        let line = MadeBy::Settings("make lock".to_owned());
        assert_eq!(settings.made_by("b.lock"), Some(line));
        // The person's own come first.
        assert_eq!(settings.made_by("a.lock"), None);
        assert!(matches!(settings.made_by("go.sum"), Some(MadeBy::Usual(_))));
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
