//! What git's settings make of the command that begins a merge or a rebase.

use crate::process::error::Error;
use crate::repo::repository::Repository;

/// Whether a merge may fast-forward.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum FastForward {
    /// Where it can be.
    #[default]
    Allowed,
    /// Nothing else is done.
    Only,
    /// A merge commit is made in any case.
    Never,
}

/// The settings that count for `git merge` and `git rebase` on one branch.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct CommandSettings {
    /// `-X` options of a merge, without the letter.
    pub strategy_options: Vec<String>,
    /// `-s` of a merge, if it is set.
    pub strategy: Option<String>,
    /// Whether a merge may fast-forward.
    pub fast_forward: FastForward,
    /// Whether git stops before it commits a merge.
    pub no_commit: bool,
    /// Whether a merge only stages its result, without the other line as parent.
    pub squash: bool,
    /// Whether a merge puts local changes aside first.
    pub merge_autostash: bool,
    /// Whether a rebase does.
    pub rebase_autostash: bool,
    /// Whether a rebase makes merge commits again.
    pub rebase_merges: bool,
    /// Whether a rebase applies patches instead of merging.
    pub rebase_by_patches: bool,
    /// Whether other branches move with the commits that a rebase makes again.
    pub update_refs: bool,
    /// Whether git stages by itself what it has seen resolved before.
    pub rerere_autoupdate: bool,
}

/// Whether a value means yes; a name without a value does.
fn is_true(value: Option<&str>) -> bool {
    let Some(value) = value else { return true };
    let number = value.parse::<i64>().is_ok_and(|n| n != 0);
    number
        || ["true", "yes", "on"]
            .iter()
            .any(|yes| value.eq_ignore_ascii_case(yes))
}

impl CommandSettings {
    /// Reads them, for the branch that is checked out if there is one.
    ///
    /// # Errors
    /// If git fails.
    pub fn read(repo: &Repository, branch: Option<&str>) -> Result<Self, Error> {
        let all = repo.settings()?;
        let mut settings = CommandSettings::default();
        let own = branch.map(|branch| format!("branch.{branch}.mergeoptions"));
        let mut options = None;
        for (key, value) in all.iter() {
            let value = value.as_deref();
            match key.as_str() {
                "merge.ff" => settings.fast_forward = fast_forward(value),
                "merge.autostash" => settings.merge_autostash = is_true(value),
                "rebase.autostash" => settings.rebase_autostash = is_true(value),
                "rebase.rebasemerges" => {
                    let mode = value.unwrap_or("true");
                    let named = ["rebase-cousins", "no-rebase-cousins"].contains(&mode);
                    settings.rebase_merges = named || is_true(value);
                }
                "rebase.backend" => settings.rebase_by_patches = value == Some("apply"),
                "rebase.updaterefs" => settings.update_refs = is_true(value),
                "rerere.autoupdate" => settings.rerere_autoupdate = is_true(value),
                key if Some(key) == own.as_deref() => options = value,
                _ => {}
            }
        }
        // They count after all other settings, as if they had been typed.
        settings.take_options(options.unwrap_or_default());
        Ok(settings)
    }

    fn take_options(&mut self, options: &str) {
        let mut words = words_of(options).into_iter();
        while let Some(word) = words.next() {
            let mut value = |short: &str, long: &str| -> Option<String> {
                if word == short || word == long {
                    return words.next();
                }
                let joined = word.strip_prefix(&format!("{long}="));
                let joined =
                    joined.or_else(|| word.strip_prefix(short).filter(|_| !word.starts_with("--")));
                joined.map(str::to_owned)
            };
            if let Some(option) = value("-X", "--strategy-option") {
                self.strategy_options.push(option);
            } else if let Some(strategy) = value("-s", "--strategy") {
                self.strategy = Some(strategy);
            } else {
                match word.as_str() {
                    "--ff" => self.fast_forward = FastForward::Allowed,
                    "--ff-only" => self.fast_forward = FastForward::Only,
                    "--no-ff" => self.fast_forward = FastForward::Never,
                    "--no-commit" => self.no_commit = true,
                    "--commit" => self.no_commit = false,
                    "--squash" => self.squash = true,
                    "--no-squash" => self.squash = false,
                    "--autostash" => self.merge_autostash = true,
                    "--no-autostash" => self.merge_autostash = false,
                    _ => {}
                }
            }
        }
    }
}

fn fast_forward(value: Option<&str>) -> FastForward {
    match value {
        Some("only") => FastForward::Only,
        value if is_true(value) => FastForward::Allowed,
        _ => FastForward::Never,
    }
}

/// The words of a line, as git parts them: by blanks, with quotes and backslashes.
fn words_of(line: &str) -> Vec<String> {
    let (mut words, mut word, mut quote) = (Vec::new(), None::<String>, None);
    let mut chars = line.chars();
    while let Some(c) = chars.next() {
        match (c, quote) {
            ('\'' | '"', None) => {
                quote = Some(c);
                word.get_or_insert_default();
            }
            (c, Some(open)) if c == open => quote = None,
            ('\\', open) if open != Some('\'') => {
                word.get_or_insert_default().extend(chars.next());
            }
            (c, None) if c.is_whitespace() => words.extend(word.take()),
            (c, _) => word.get_or_insert_default().push(c),
        }
    }
    words.extend(word);
    words
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn options_of_a_branch_are_read_as_git_reads_them() {
        let of = |line: &str| {
            let mut settings = CommandSettings::default();
            settings.take_options(line);
            settings
        };
        let found =
            of("-Xtheirs -X ignore-space-change --strategy-option=patience -s 'ort' --no-ff");
        assert_eq!(
            found.strategy_options,
            ["theirs", "ignore-space-change", "patience"]
        );
        assert_eq!(found.strategy.as_deref(), Some("ort"));
        assert_eq!(found.fast_forward, FastForward::Never);
        assert!(of("--squash --no-commit").squash && of("--no-commit").no_commit);
        assert!(!of("--squash --no-squash").squash);
        assert_eq!(of("-sours").strategy.as_deref(), Some("ours"));
        assert_eq!(
            words_of("a 'b c' \"d\\\"e\" f\\ g"),
            ["a", "b c", "d\"e", "f g"]
        );
        assert_eq!(fast_forward(Some("only")), FastForward::Only);
        assert_eq!(fast_forward(Some("false")), FastForward::Never);
        assert_eq!(fast_forward(None), FastForward::Allowed);
    }
}
