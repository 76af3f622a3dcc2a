//! The project's own commands as a settings file names them, and what must be true of them.

use crate::base::path_settings::PathSetting;
use armistice_core::limits::{PROJECT_CHECKS, REPOSITORY_SETTINGS_BYTES};
use serde::{Deserialize, Serialize};
use std::path::{Path, PathBuf};

/// The settings file of a repository, at the top of its work tree.
pub const REPOSITORY_SETTINGS: &str = ".armistice.toml";

/// One check as a settings file names it.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct CheckSetting {
    /// What it is called on Proof.
    pub name: String,
    /// The line that the shell is given, at the top of the work tree.
    pub run: String,
    /// Whether concluding waits until it has passed.
    #[serde(default)]
    pub required: bool,
    /// Only where this file is there, counted from the top of the work tree.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub when: Option<PathBuf>,
    /// Only in work trees below this folder.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub below: Option<PathBuf>,
}

/// A repository's own settings.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct RepositorySettings {
    /// Its checks.
    #[serde(default)]
    pub checks: Vec<CheckSetting>,
    /// What becomes of files of certain paths.
    #[serde(default)]
    pub paths: Vec<PathSetting>,
}

impl RepositorySettings {
    /// Reads the text of a settings file; why not, if it makes no sense.
    pub fn parse(bytes: &[u8]) -> Result<Self, String> {
        if bytes.len() > REPOSITORY_SETTINGS_BYTES {
            return Err(format!(
                "it is larger than {REPOSITORY_SETTINGS_BYTES} bytes"
            ));
        }
        let text = std::str::from_utf8(bytes).map_err(|_| "it is no UTF-8".to_owned())?;
        let read: Self = toml::from_str(text).map_err(|error| {
            let mut said = error.message().replace('\n', " ");
            if let Some(span) = error.span() {
                let line = text[..span.start].matches('\n').count() + 1;
                said = format!("line {line}: {said}");
            }
            said
        })?;
        well_formed(&read.checks)?;
        if read.paths.len() > PROJECT_CHECKS {
            return Err(format!(
                "it names more than {PROJECT_CHECKS} patterns of paths"
            ));
        }
        match read.paths.iter().find_map(PathSetting::trouble) {
            Some(why) => Err(why),
            None => Ok(read),
        }
    }

    /// What a person trusts when they trust it: everything that decides what is run.
    pub fn trusted_text(&self) -> String {
        // A struct of strings and booleans always has a form.
        let text = serde_json::to_string(&self.checks).unwrap_or_default();
        match self.paths.is_empty() {
            true => text,
            false => text + &serde_json::to_string(&self.paths).unwrap_or_default(),
        }
    }

    /// All that a person trusts with it, a line each; what does not hold here as well.
    pub fn told(&self) -> Vec<String> {
        let checks = self.checks.iter().map(|check| {
            let required = if check.required { " (required)" } else { "" };
            format!("{}{required}: {}", check.name.trim(), check.run.trim())
        });
        checks
            .chain(self.paths.iter().map(PathSetting::told))
            .collect()
    }
}

/// Refuses checks that could not be shown whole or distinguished.
pub fn well_formed(checks: &[CheckSetting]) -> Result<(), String> {
    if checks.len() > PROJECT_CHECKS {
        return Err(format!("it names more than {PROJECT_CHECKS} checks"));
    }
    for (nth, check) in checks.iter().enumerate() {
        let (name, run) = (check.name.trim(), check.run.trim());
        let odd = |text: &str| text.chars().any(char::is_control);
        if name.is_empty() || run.is_empty() {
            return Err("a check needs a name and a command to run".to_owned());
        }
        if odd(name) || odd(run) || name.chars().count() > 40 || run.chars().count() > 1000 {
            return Err(format!(
                "check {}: a name has at most 40 characters, a command 1,000, in one line each",
                nth + 1
            ));
        }
        if checks[..nth].iter().any(|other| other.name == check.name) {
            return Err(format!("it names '{name}' twice"));
        }
    }
    Ok(())
}

/// Where a check comes from.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum CheckOrigin {
    /// The user's own settings.
    User,
    /// The repository's settings, which a person has seen and trusted as they stand.
    Trusted,
    /// The repository's settings, which nobody has trusted yet.
    Untrusted,
    /// Nobody named it: it is usual where certain files are.
    Guessed,
}

/// A check that can be run here.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct ProjectCheck {
    pub name: String,
    pub run: String,
    pub required: bool,
    pub origin: CheckOrigin,
}

/// Commands that are usual where a file is, most telling first.
const USUAL: [(&str, &str); 8] = [
    ("Cargo.toml", "cargo check"),
    ("package.json", "npm test"),
    ("go.mod", "go build ./..."),
    ("pyproject.toml", "pytest"),
    ("pytest.ini", "pytest"),
    ("tox.ini", "pytest"),
    ("Makefile", "make"),
    ("makefile", "make"),
];

/// Commands that are usual by the files that are there.
pub fn usual(is_there: impl Fn(&str) -> bool) -> Vec<ProjectCheck> {
    let mut found: Vec<ProjectCheck> = Vec::new();
    for (_, run) in USUAL.iter().filter(|(file, _)| is_there(file)) {
        if found.iter().all(|check| check.run != *run) {
            found.push(ProjectCheck {
                name: (*run).to_owned(),
                run: (*run).to_owned(),
                required: false,
                origin: CheckOrigin::Guessed,
            });
        }
    }
    found
}

/// The checks that hold in a work tree: the user's own first, then those of the repository whose
/// names they leave free; where there is none, what is usual.
pub fn checks_of(
    top: &Path,
    own: &[CheckSetting],
    of_repository: Option<(&RepositorySettings, bool)>,
) -> Vec<ProjectCheck> {
    let holds = |check: &&CheckSetting| {
        let there = check
            .when
            .as_ref()
            .is_none_or(|file| top.join(file).exists());
        there
            && check
                .below
                .as_ref()
                .is_none_or(|folder| top.starts_with(folder))
    };
    let as_check = |check: &CheckSetting, origin| ProjectCheck {
        name: check.name.trim().to_owned(),
        run: check.run.trim().to_owned(),
        required: check.required,
        origin,
    };
    let mut all: Vec<ProjectCheck> = own
        .iter()
        .filter(holds)
        .map(|check| as_check(check, CheckOrigin::User))
        .collect();
    if let Some((settings, trusted)) = of_repository {
        let origin = match trusted {
            true => CheckOrigin::Trusted,
            false => CheckOrigin::Untrusted,
        };
        for check in settings.checks.iter().filter(holds) {
            let check = as_check(check, origin);
            if all.iter().all(|other| other.name != check.name) {
                all.push(check);
            }
        }
    }
    if all.is_empty() {
        all = usual(|file| top.join(file).is_file());
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nonsense_is_told_with_its_line() {
        let refused = |text: &str| RepositorySettings::parse(text.as_bytes()).unwrap_err();
        assert!(refused("[[checks]]\nname = \"a\"\nrin = \"b\"\n").contains("line 3"));
        assert!(refused("[[checks]]\nname = \"a\"\nrun = \" \"\n").contains("a command to run"));
        assert!(
            refused("[[checks]]\nname = \"a\"\nrun = \"x\\u001b[2Jy\"\n").contains("in one line")
        );
        let twice = "[[checks]]\nname = \"a\"\nrun = \"b\"\n".repeat(2);
        assert!(refused(&twice).contains("'a' twice"));
        assert!(refused("<<<<<<< ours\n").contains("line 1"));
        assert!(refused("[[paths]]\npattern = \"*\"\n").contains("take or regenerate"));
        let odd = "[[paths]]\npattern = \"*\"\nregenerate = \"a\\nb\"\n";
        assert!(refused(odd).contains("in one line each"));
        let many: String = (0..30)
            .map(|n| format!("[[checks]]\nname = \"{n}\"\nrun = \"b\"\n"))
            .collect();
        assert!(refused(&many).contains("more than 20"));
        assert_eq!(RepositorySettings::parse(b"").unwrap().checks, []);
    }

    #[test]
    fn the_users_checks_come_first_and_guesses_only_where_there_is_none() {
        let folder = tempfile::TempDir::new().unwrap();
        let top = folder.path();
        std::fs::write(top.join("Cargo.toml"), "").unwrap();
        std::fs::write(top.join("Makefile"), "").unwrap();
        let names = |checks: Vec<ProjectCheck>| -> Vec<(String, CheckOrigin)> {
            checks.into_iter().map(|c| (c.name, c.origin)).collect()
        };
        assert_eq!(
            names(checks_of(top, &[], None)),
            [
                ("cargo check".to_owned(), CheckOrigin::Guessed),
                ("make".to_owned(), CheckOrigin::Guessed)
            ]
        );
        let check = |name: &str, when: Option<&str>, below: Option<&Path>| CheckSetting {
            name: name.to_owned(),
            run: "true".to_owned(),
            when: when.map(PathBuf::from),
            below: below.map(Path::to_owned),
            ..CheckSetting::default()
        };
        let own = [
            check("tests", Some("Cargo.toml"), Some(top)),
            check("node", Some("package.json"), None),
            check("elsewhere", None, Some(Path::new("/nowhere"))),
        ];
        let repository = RepositorySettings {
            checks: vec![check("tests", None, None), check("lint", None, None)],
            ..RepositorySettings::default()
        };
        assert_eq!(
            names(checks_of(top, &own, Some((&repository, false)))),
            [
                ("tests".to_owned(), CheckOrigin::User),
                ("lint".to_owned(), CheckOrigin::Untrusted)
            ]
        );
    }
}
