//! `help TOPIC`: what is worth knowing beyond the commands, readable in the terminal; and the pages for
//! `man`.

use crate::base::keymap::{KeyContext, keymap, use_keymap, with_other_keys};
use crate::base::settings::Settings;
use crate::base::theme::{Role, Theme, ThemeOptions};
use crate::commands::cli::Cli;
use crate::commands::exit::Exit;
use crate::commands::output::{raw, say};
use anyhow::{Context as _, Result, anyhow, bail};
use armistice_core::RULES;
use clap::CommandFactory;
use std::path::Path;

/// Every setting with what it does, as a file to begin with.
pub const SAMPLE: &str = include_str!("sample_config.toml");

/// What there is to read, with what it is about.
const TOPICS: [(&str, &str); 5] = [
    (
        "rules",
        "what rules settle without asking, and what they prove",
    ),
    ("marks", "the marks beside lines, and their plain forms"),
    ("keys", "every key of every screen"),
    (
        "cases",
        "kinds of conflict, and the possible outcomes of each",
    ),
    ("configuration", "every setting, as a starting file"),
];

/// Prints a topic, or the help of a command.
pub(crate) fn help(topic: Option<&str>) -> Result<Exit> {
    let text = match topic {
        None => {
            Cli::command().print_long_help().context("cannot print")?;
            say!("");
            for (name, about) in TOPICS {
                say!("  armistice help {name:<14} {about}");
            }
            return Ok(Exit::Done);
        }
        Some("rules") => rules(),
        Some("marks") => marks(),
        Some("keys") => keys()?,
        Some("cases") => CASES.to_owned(),
        Some("configuration") => SAMPLE.to_owned(),
        Some(other) => return of_command(other),
    };
    raw(text.as_bytes());
    Ok(Exit::Done)
}

fn of_command(name: &str) -> Result<Exit> {
    let mut all = Cli::command();
    match all.find_subcommand_mut(name) {
        Some(command) => {
            let text = command.render_long_help().to_string();
            raw(text.as_bytes());
            Ok(Exit::Done)
        }
        None => {
            let topics = TOPICS.map(|(name, _)| name).join(", ");
            bail!("'{name}' is not a command or topic; the topics are {topics}")
        }
    }
}

fn rules() -> String {
    let mut out = String::from(
        "Rules settle conflicts when a file is opened. A certain ruling is applied and marked with a star; r\n\
         reopens it. A likely ruling is a suggestion; space accepts it. A hint only explains the conflict.\n\n\
         Every certain ruling passes the same proofs, whichever rule made it:\n\
         \x20 scope         every line of code is in the block, class or section in which its author wrote it\n\
         \x20 names         every name in an edited line exists in the file, is declared before it, and is imported once\n\
         \x20 order         lines that both sides added at one place may be in any order there\n\
         \x20 independence  two edits of one line are in parts that do not depend on each other, such as\n\
         \x20               members by key, arguments by keyword, attributes and imported names\n\
         \x20 words         no word is lost, doubled or out of order\n\
         \x20 syntax        the parser finds no new error and no new duplicate declaration\n\n\
         A likely ruling passes the same proofs, but another result is possible, or a proof could not run:\n\
         no parser, a file that is too large, or an open conflict that matters. A hint failed a proof; its\n\
         reason names the proof and the line. Names are compared as words within one file.\n\n\
         A change of one side alone needs no ruling. It becomes a conflict only where lines moved or the start\n\
         of a block is gone, and the change would end up in another block.\n\n\
         Use these ids for rules-off in the settings.\n\n",
    );
    for rule in RULES {
        out += &format!("  {:<18} {}\n", rule.id(), rule.title());
    }
    out
}

fn marks() -> String {
    let [full, plain] = [false, true].map(|plain_marks| {
        Theme::new(&ThemeOptions {
            plain_marks,
            no_color: true,
            ..ThemeOptions::default()
        })
    });
    let mut out = String::from(
        "Marks beside lines show where they come from. --ascii uses the plain form.\n\n",
    );
    for (role, what) in [
        (Role::Ours, "ours"),
        (Role::Theirs, "theirs"),
        (Role::Base, "base"),
        (Role::Blend, "from both"),
        (Role::Hand, "by hand"),
        (Role::Finding, "needs a look"),
    ] {
        out += &format!("  {}  {}   {what}\n", full.mark(role), plain.mark(role));
    }
    out += &format!(
        "  {}  {}   settled by a rule, next to the mark of the version\n",
        full.rule_mark(),
        plain.rule_mark()
    );
    out
}

fn keys() -> Result<String> {
    let settings = Settings::read()?;
    use_keymap(with_other_keys(&settings.keys).map_err(|why| anyhow!(why))?);
    let mut out = String::new();
    for context in KeyContext::ALL {
        out += &format!("{}\n", context.name());
        for row in keymap().iter().filter(|row| row.context == context) {
            out += &format!("  {:<16} {}\n", row.keys.join(", "), row.help);
        }
        out.push('\n');
    }
    Ok(out)
}

const CASES: &str = "\
A case is one conflict with all its paths in git's index.

  both edited            lines are merged; conflicts are settled in Parley
  both added             the same path with different lines; merged with the most similar file of base
  edited and removed     the edit is shown first; keep the file, or remove it
  renamed and edited     the edits follow to the new name
  renamed two ways       one name, or both files under their names
  two files, one name    each can get a name of its own
  into a renamed folder  git's suggested path, or its own path
  file against folder    one of them, or both under two names
  executable or not      the mode is asked when the file is written
  link, other kind       one side as a whole; targets are shown
  submodule              choose a commit; its checkout is not touched
  not text, too large    one side as a whole

v on Docket lists the lines that each outcome would discard. u undoes an outcome.
";

/// Prints the page for `man`, or writes all pages into a folder.
pub(crate) fn man(into: Option<&Path>) -> Result<Exit> {
    let Some(folder) = into else {
        let mut page = Vec::new();
        clap_mangen::Man::new(Cli::command()).render(&mut page)?;
        raw(&page);
        return Ok(Exit::Done);
    };
    std::fs::create_dir_all(folder)
        .with_context(|| format!("cannot make the folder '{}'", folder.display()))?;
    clap_mangen::generate_to(Cli::command(), folder)
        .with_context(|| format!("cannot write into '{}'", folder.display()))?;
    say!("the pages are in '{}'", folder.display());
    Ok(Exit::Done)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_sample_holds_every_setting_and_makes_sense_with_every_sign_taken_away() {
        let bare: Vec<&str> = SAMPLE
            .lines()
            .filter_map(|line| line.strip_prefix('#'))
            .filter(|line| !line.starts_with(' '))
            .collect();
        let settings: Settings = toml::from_str(&bare.join("\n")).unwrap();
        assert!(with_other_keys(&settings.keys).is_ok());
        assert_eq!((settings.paths.len(), settings.checks.len()), (2, 1));
        let all = serde_json::to_value(&settings).unwrap();
        for name in all.as_object().unwrap().keys() {
            let there = [
                format!("#{name} ="),
                format!("#[[{name}]]"),
                format!("#[{name}."),
            ];
            assert!(there.iter().any(|text| SAMPLE.contains(text)), "{name}");
        }
        // What is not changed is as the program has it of itself.
        let plain: Settings = toml::from_str(SAMPLE).unwrap();
        assert_eq!(plain, Settings::default());
        let defaults = Settings::default();
        assert_eq!(
            (
                settings.settle,
                settings.whitespace,
                settings.go_on,
                settings.conflict_list,
                settings.declarations
            ),
            (
                defaults.settle,
                defaults.whitespace,
                defaults.go_on,
                defaults.conflict_list,
                defaults.declarations
            )
        );
    }
}
