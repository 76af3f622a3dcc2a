//! What becomes of files of certain paths: a side that is taken, or a command that makes them again.

use armistice_core::Side;
use glob::{MatchOptions, Pattern};
use serde::{Deserialize, Serialize};

/// What becomes of files of such paths.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
pub struct PathSetting {
    /// A glob over the path; without a slash, over its last part.
    pub pattern: String,
    /// The side that is taken.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub take: Option<TakenSide>,
    /// A line for the shell, at the top of the work tree, that makes the file again.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub regenerate: Option<String>,
}

/// One side, as settings name it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum TakenSide {
    Ours,
    Theirs,
}

impl TakenSide {
    pub(crate) fn side(self) -> Side {
        match self {
            TakenSide::Ours => Side::Ours,
            TakenSide::Theirs => Side::Theirs,
        }
    }
}

impl PathSetting {
    pub(crate) fn fits(&self, path: &str) -> bool {
        let over = match self.pattern.contains('/') {
            true => path,
            false => path.rsplit('/').next().unwrap_or(path),
        };
        let options = MatchOptions {
            require_literal_separator: true,
            ..MatchOptions::default()
        };
        let pattern = Pattern::new(&self.pattern);
        pattern.is_ok_and(|pattern| pattern.matches_with(over, options))
    }

    /// Why it makes no sense, if it does not.
    pub(crate) fn trouble(&self) -> Option<String> {
        if let Err(error) = Pattern::new(&self.pattern) {
            return Some(format!("the pattern '{}' is none: {error}", self.pattern));
        }
        let odd = |text: &str| text.chars().any(char::is_control) || text.chars().count() > 1000;
        if odd(&self.pattern) || self.regenerate.as_deref().is_some_and(odd) {
            return Some(
                "a pattern and a command have at most 1,000 characters, in one line each"
                    .to_owned(),
            );
        }
        let both = self.take.is_some() == self.regenerate.is_some();
        both.then(|| {
            format!(
                "'{}' must say take or regenerate, one of them",
                self.pattern
            )
        })
    }

    /// What it does, in words.
    pub fn told(&self) -> String {
        match (&self.take, &self.regenerate) {
            (_, Some(line)) => format!("{} is regenerated with: {line}", self.pattern),
            (Some(TakenSide::Ours), None) => format!("{} is taken from ours", self.pattern),
            (Some(TakenSide::Theirs), None) => format!("{} is taken from theirs", self.pattern),
            (None, None) => self.pattern.clone(),
        }
    }
}

/// What a repository's own settings say of paths.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct RepositoryPaths {
    pub paths: Vec<PathSetting>,
    /// Whether a person has seen and trusted them as they stand; nothing of them counts before.
    pub trusted: bool,
    /// All that would be trusted with them, a line each.
    pub told: Vec<String>,
    /// What is noted once it is trusted.
    pub to_trust: Option<String>,
}

/// Commands that usually make a file again that a tool writes, by its name.
const USUAL: [(&str, &str); 12] = [
    (
        "Cargo.lock",
        "cargo metadata --format-version 1 > /dev/null",
    ),
    ("package-lock.json", "npm install --package-lock-only"),
    ("npm-shrinkwrap.json", "npm install --package-lock-only"),
    ("yarn.lock", "yarn install"),
    ("pnpm-lock.yaml", "pnpm install --lockfile-only"),
    ("go.sum", "go mod tidy"),
    ("poetry.lock", "poetry lock"),
    ("uv.lock", "uv lock"),
    ("Pipfile.lock", "pipenv lock"),
    ("Gemfile.lock", "bundle lock"),
    ("composer.lock", "composer update --lock"),
    ("flake.lock", "nix flake lock"),
];

/// The command that usually makes such a file again, in the file's folder.
pub fn usual_command(path: &str) -> Option<String> {
    let (folder, name) = path.rsplit_once('/').unwrap_or(("", path));
    let (_, line) = USUAL.iter().find(|(usual, _)| *usual == name)?;
    Some(match folder {
        "" => (*line).to_owned(),
        folder => format!("cd '{}' && {line}", folder.replace('\'', r"'\''")),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_usual_command_runs_in_the_folder_of_its_file() {
        assert_eq!(usual_command("go.sum").as_deref(), Some("go mod tidy"));
        assert_eq!(
            usual_command("it's/web/yarn.lock").as_deref(),
            Some(r"cd 'it'\''s/web' && yarn install")
        );
        assert_eq!(usual_command("web/yarn.lock.txt"), None);
    }
}
