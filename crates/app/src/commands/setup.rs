//! `setup`: telling git to call Armistice, and taking that back.

use crate::base::settings::Settings;
use crate::commands::cli::SetupArgs;
use crate::commands::exit::Exit;
use crate::commands::help::SAMPLE;
use crate::commands::output::{end, raw, say};
use crate::commands::registered_driver::{
    DriverCheck, check_driver, driver_line, is_driver_line, shell_word,
};
use anyhow::{Context as _, Result, bail};
use armistice_git::{Git, Invocation, Repository, Runner, write_atomically};
use etcetera::BaseStrategy;
use serde::{Deserialize, Serialize};
use std::io::IsTerminal;
use std::path::{Path, PathBuf};

/// A setting of git's and its value.
type Wanted = (&'static str, String);

/// Calls the program by its absolute path: git may be started where PATH does not lead to it.
fn tool(program: &Path) -> Vec<Wanted> {
    let line = format!(
        "{} files --base \"$BASE\" --ours \"$LOCAL\" --theirs \"$REMOTE\" --output \"$MERGED\"",
        shell_word(program)
    );
    vec![
        ("merge.tool", "armistice".to_owned()),
        (TOOL_LINE, line),
        ("mergetool.armistice.trustExitCode", "true".to_owned()),
    ]
}

fn driver(program: &Path) -> Vec<Wanted> {
    let name = "Armistice: settles by rule what is certain";
    vec![
        ("merge.armistice.name", name.to_owned()),
        (DRIVER_LINE, driver_line(program)),
    ]
}

const TOOL_LINE: &str = "mergetool.armistice.cmd";
const DRIVER_LINE: &str = "merge.armistice.driver";

/// Whether setup of this or an earlier version wrote a value: then it is nobody's own setting.
fn is_ours(key: &str, value: &str) -> bool {
    match key {
        DRIVER_LINE => is_driver_line(value),
        TOOL_LINE => value.contains(" files --base \"$BASE\" --ours \"$LOCAL\""),
        _ => false,
    }
}

/// The line that sends every file to the driver; git leaves binary files alone.
const ATTRIBUTE: &str = "* merge=armistice";

/// What was set, and what stood there before.
#[derive(Debug, Default, Serialize, Deserialize)]
struct Record {
    settings: Vec<Setting>,
    /// The attributes file that got a line.
    attributes: Option<PathBuf>,
    /// Whether setup made that file.
    #[serde(default)]
    attributes_made: bool,
    /// Whether setup made its folder.
    #[serde(default)]
    folder_made: bool,
}

#[derive(Clone, Debug, Serialize, Deserialize)]
struct Setting {
    key: String,
    value: String,
    before: Option<String>,
}

impl Record {
    /// Remembers a setting; set twice, what stood there at first is what counts.
    fn put(&mut self, setting: Setting) {
        match self.settings.iter_mut().find(|s| s.key == setting.key) {
            Some(known) => known.value = setting.value,
            None => self.settings.push(setting),
        }
    }
}

impl Setting {
    fn new(key: &str, value: &str, before: Option<String>) -> Self {
        Setting {
            key: key.to_owned(),
            value: value.to_owned(),
            before: before.filter(|text| !is_ours(key, text)),
        }
    }
}

struct Place {
    git: Runner,
    /// `--local` or `--global`.
    scope: &'static str,
    record: PathBuf,
    attributes: PathBuf,
    name: &'static str,
}

/// Writes a file of settings to begin with, where there is none.
fn write_config(dry_run: bool) -> Result<Exit> {
    let Some(file) = Settings::file() else {
        bail!("cannot find your home folder");
    };
    if dry_run {
        raw(SAMPLE.as_bytes());
        return Ok(Exit::Done);
    }
    if file.symlink_metadata().is_ok() {
        bail!(
            "'{}' already exists and was not changed; 'armistice help configuration' prints every setting",
            file.display()
        );
    }
    if let Some(folder) = file.parent() {
        std::fs::create_dir_all(folder)
            .with_context(|| format!("cannot make the folder '{}'", folder.display()))?;
    }
    write_atomically(&file, SAMPLE.as_bytes(), None)?;
    say!("wrote '{}' with every setting as a comment", file.display());
    Ok(Exit::Done)
}

pub(crate) fn setup(args: &SetupArgs) -> Result<Exit> {
    if args.config {
        return write_config(args.dry_run);
    }
    let place = if args.user { user()? } else { repository()? };
    match args.remove {
        true => remove(&place, args),
        false => add(&place, args),
    }
}

fn repository() -> Result<Place> {
    let repo =
        Repository::discover(Path::new(".")).context("setup without --user is for a repository")?;
    Ok(Place {
        git: Runner::new(repo.work_tree()),
        scope: "--local",
        record: repo.common_dir().join("armistice").join("setup.json"),
        attributes: repo.common_dir().join("info").join("attributes"),
        name: "this repository",
    })
}

fn user() -> Result<Place> {
    let folders = etcetera::choose_base_strategy().context("cannot find your home folder")?;
    let git = Runner::new(Path::new("."));
    let call = Invocation::read([
        "config",
        "--global",
        "--type=path",
        "--get",
        "core.attributesFile",
    ]);
    let set = git.run(&call)?;
    let attributes = match set.ok() && !set.text().is_empty() {
        true => PathBuf::from(set.text()),
        false => folders.config_dir().join("git").join("attributes"),
    };
    Ok(Place {
        git,
        scope: "--global",
        record: folders.config_dir().join("armistice").join("setup.json"),
        attributes,
        name: "you, in all repositories",
    })
}

impl Place {
    fn get(&self, key: &str) -> Result<Option<String>> {
        let output = self
            .git
            .run(&Invocation::read(["config", self.scope, "--get", key]))?;
        Ok(output.ok().then(|| output.text()))
    }

    fn set(&self, key: &str, value: &str) -> Result<()> {
        self.git
            .must(&Invocation::write(["config", self.scope, key, value]))?;
        Ok(())
    }

    fn unset(&self, key: &str) -> Result<()> {
        self.git.must(&Invocation::write([
            "config",
            self.scope,
            "--unset-all",
            key,
        ]))?;
        Ok(())
    }

    fn recorded(&self) -> Result<Record> {
        if !self.record.exists() {
            return Ok(Record::default());
        }
        let bytes = std::fs::read(&self.record)?;
        let name = self.record.display();
        serde_json::from_slice(&bytes).with_context(|| format!("'{name}' makes no sense"))
    }

    fn keep(&self, record: &Record) -> Result<()> {
        if let Some(folder) = self.record.parent() {
            std::fs::create_dir_all(folder)?;
        }
        write_atomically(&self.record, &serde_json::to_vec_pretty(record)?, None)?;
        Ok(())
    }

    fn attribute_lines(&self) -> Result<String> {
        match std::fs::read_to_string(&self.attributes) {
            Ok(text) => Ok(text),
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => Ok(String::new()),
            Err(e) => {
                Err(e).with_context(|| format!("cannot read '{}'", self.attributes.display()))
            }
        }
    }

    fn has_attribute(&self) -> Result<bool> {
        Ok(self
            .attribute_lines()?
            .lines()
            .any(|line| line.trim() == ATTRIBUTE))
    }
}

fn add(place: &Place, args: &SetupArgs) -> Result<Exit> {
    let program = std::env::current_exe().context("cannot find the path of this program")?;
    let mut wanted = tool(&program);
    if args.driver {
        must_run(&driver_line(&program))?;
        wanted.extend(driver(&program));
    }
    let mut record = place.recorded()?;
    let mut todo = Vec::new();
    for (key, value) in wanted {
        let before = place.get(key)?;
        if before.as_deref() != Some(value.as_str()) {
            todo.push(Setting::new(key, &value, before));
        }
    }
    let attribute = args.driver && !place.has_attribute()?;
    if todo.is_empty() && !attribute {
        say!("everything is already set for {}", place.name);
        return Ok(Exit::Done);
    }
    say!("git config {}, for {}:", place.scope, place.name);
    for setting in &todo {
        say!("  {} = {}", setting.key, setting.value);
        if let Some(before) = &setting.before {
            say!("    instead of: {before}");
        }
    }
    if attribute {
        say!(
            "and a line in {}:\n  {ATTRIBUTE}",
            place.attributes.display()
        );
    }
    if !go_on(args)? {
        return Ok(not_written(args));
    }
    for setting in todo {
        record.put(setting.clone());
        place.keep(&record)?;
        place.set(&setting.key, &setting.value)?;
    }
    if attribute {
        record.attributes_made = !place.attributes.exists();
        record.folder_made = place.attributes.parent().is_some_and(|f| !f.exists());
        record.attributes = Some(place.attributes.clone());
        place.keep(&record)?;
        let mut text = place.attribute_lines()?;
        if !text.is_empty() && !text.ends_with('\n') {
            text.push('\n');
        }
        write_attributes(&place.attributes, &format!("{text}{ATTRIBUTE}\n"))?;
    }
    say!("done; 'armistice setup --remove' undoes it");
    Ok(Exit::Done)
}

/// Lets git merge a conflict with the driver, in a repository of its own, before anything is set.
fn must_run(line: &str) -> Result<()> {
    match check_driver(line).context("the merge driver was tried and does not work here")? {
        DriverCheck::Runs => Ok(()),
        DriverCheck::Fallback => bail!(
            "the merge driver was tried and git could not run this program; nothing was written"
        ),
    }
}

fn write_attributes(file: &Path, text: &str) -> Result<()> {
    if let Some(folder) = file.parent() {
        std::fs::create_dir_all(folder)?;
    }
    write_atomically(file, text.as_bytes(), None)?;
    Ok(())
}

fn remove(place: &Place, args: &SetupArgs) -> Result<Exit> {
    let record = place.recorded()?;
    if record.settings.is_empty() && record.attributes.is_none() {
        say!("setup has set nothing for {}", place.name);
        return Ok(Exit::Done);
    }
    say!("git config {}, for {}:", place.scope, place.name);
    let mut todo = Vec::new();
    for setting in &record.settings {
        let now = place.get(&setting.key)?;
        match (&setting.before, now.as_deref() == Some(&setting.value)) {
            (_, false) => say!("  {} stays: it was changed since", setting.key),
            (Some(before), true) => {
                say!("  {} = {before}, as before", setting.key);
                todo.push(setting);
            }
            (None, true) => {
                say!("  {} goes", setting.key);
                todo.push(setting);
            }
        }
    }
    if let Some(file) = &record.attributes {
        say!("and the line '{ATTRIBUTE}' of {} goes", file.display());
    }
    if !go_on(args)? {
        return Ok(not_written(args));
    }
    for setting in todo {
        match &setting.before {
            Some(before) => place.set(&setting.key, before)?,
            None => place.unset(&setting.key)?,
        }
    }
    if let Some(file) = &record.attributes {
        let text = std::fs::read_to_string(file).unwrap_or_default();
        let kept = text
            .split_inclusive('\n')
            .filter(|line| line.trim() != ATTRIBUTE);
        match kept.collect::<String>() {
            kept if kept.is_empty() && record.attributes_made => {
                std::fs::remove_file(file)?;
                if let (true, Some(folder)) = (record.folder_made, file.parent()) {
                    // It stays if something else is in it by now.
                    let _ = std::fs::remove_dir(folder);
                }
            }
            kept => write_attributes(file, &kept)?,
        }
    }
    std::fs::remove_file(&place.record)?;
    // The folder goes if nothing else is in it.
    if let Some(folder) = place.record.parent() {
        let _ = std::fs::remove_dir(folder);
    }
    say!("done");
    Ok(Exit::Done)
}

/// Looking was all that was asked for, or somebody said no.
fn not_written(args: &SetupArgs) -> Exit {
    if args.dry_run { Exit::Done } else { Exit::Open }
}

/// Whether to write what was shown.
fn go_on(args: &SetupArgs) -> Result<bool> {
    if args.dry_run {
        say!("nothing was written");
        return Ok(false);
    }
    if args.yes {
        return Ok(true);
    }
    if !std::io::stdin().is_terminal() {
        bail!("nothing was written: no terminal to ask at; --yes does it without asking");
    }
    raw(b"Write this? [y/N] ");
    end()?;
    let mut answer = String::new();
    std::io::stdin().read_line(&mut answer)?;
    let yes = matches!(answer.trim(), "y" | "Y" | "yes");
    if !yes {
        say!("nothing was written");
    }
    Ok(yes)
}
