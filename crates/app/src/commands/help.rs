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
        "what is settled without asking, and why that can be trusted",
    ),
    ("marks", "the marks beside lines, and their plain forms"),
    ("keys", "every key of every screen"),
    (
        "cases",
        "how files can be in conflict, and what can come of each",
    ),
    ("configuration", "every setting, as a file to begin with"),
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
            bail!("'{name}' is neither a command nor a topic; topics are {topics}")
        }
    }
}

fn rules() -> String {
    let mut out = String::from(
        "Rules settle conflicts when a file is opened. A certain ruling is filled in and marked with a star;\n\
         r opens it again. A likely ruling is offered; space takes it. A hint is only explained.\n\n\
         A certain ruling is proven, whichever rule made it:\n\
         \x20 scope         every line of code is in the block, class or section in which its author wrote it\n\
         \x20 names         what an edited line uses is in the file, declared before it and imported once\n\
         \x20 order         lines that both sides added at one place may stand in any order there\n\
         \x20 independence  two edits of one line are in parts that do not depend on each other, such as\n\
         \x20               members by key, arguments by keyword, attributes and imported names\n\
         \x20 words         nothing is lost, doubled or out of order\n\
         \x20 syntax        a parser finds no error and no second declaration that no version has\n\n\
         A likely ruling passes the same proofs, but is not the only reading, or something could not be\n\
         checked: there is no parser, the file is too large, or it depends on an open conflict. A hint failed\n\
         a proof; its reason says which, and in which line. Names are compared as words within the file.\n\n\
         Ids are for rules-off in the settings.\n\n",
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
        "Marks stand beside lines and say who put them there. Plain ones are shown with --ascii.\n\n",
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
        "  {}  {}   settled by a rule, next to the mark of who\n",
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
A case is everything that belongs to one conflict, whatever paths it has in git's index.

  both edited            lines are merged; what clashes is settled in Parley
  both added             the same name with other lines; merged against the likest text that base has
  edited and removed     the edit is shown before anything is chosen: keep the file, or remove it
  renamed and edited     the edits follow to the new name
  renamed two ways       one name, or both files under their names
  two files, one name    each can get a name of its own
  into a renamed folder  where git suggests, or where its side has it
  file against folder    one of them, or both under two names
  executable or not      whose mode counts is asked when the file is written
  link, other kind       one side as a whole; targets are shown
  submodule              which commit; its checkout is left alone
  not text, too large    one side as a whole

For every outcome it is said first what would be given up, line by line (v on Docket). u takes it back.
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
