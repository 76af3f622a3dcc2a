//! `merge`: merge three files.

use crate::base::json::json_text;
use crate::base::project_checks::REPOSITORY_SETTINGS;
use crate::base::safe_text::visible;
use crate::base::settings::Settings;
use crate::case::planning::{LayOut, planned};
use crate::case::trust::settings_of;
use crate::commands::cli::{MergeArgs, Style};
use crate::commands::exit::Exit;
use crate::commands::output::{complain, raw};
use crate::commands::registered_driver::DRIVER_CHECK;
use anyhow::{Context as _, Result, anyhow, bail};
use armistice_core::{
    AutoSettle, Certainty, Draft, Labels, LineRange, MARKER_SIZE, MarkerStyle, Markers, Options,
    Origin, Region, RegionId, RegionKind, RegionState, RuleContext, Ruling, Session, Source,
    Version, Versions, WhitespacePolicy, describe, plan, render_with_markers,
};
use armistice_git::{DrivenConflict, OutputFile, Repository, merge_as_git_does, note_driven};
use serde::Serialize;
use std::collections::BTreeMap;
use std::ffi::OsString;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::mpsc::{self, RecvTimeoutError};
use std::thread;
use std::time::Duration;

pub(crate) fn merge(args: &MergeArgs) -> Result<Exit> {
    match is_driver(args) {
        true => drive(args),
        false => merge_texts(args),
    }
}

/// Whether git runs it; what earlier versions set up says so only by what it asks for.
fn is_driver(args: &MergeArgs) -> bool {
    args.driver || args.name.is_some() && args.output.as_ref() == Some(&args.ours)
}

/// How long the program works on one file for git before it leaves the file to git.
const DRIVER_LIMIT: Duration = Duration::from_secs(20);

/// As a merge driver: whatever goes wrong, git gets its own conflict, and nobody a half-merged file.
fn drive(args: &MergeArgs) -> Result<Exit> {
    // A review compares merge commits with what git alone leaves.
    if std::env::var_os("ARMISTICE_WITHOUT_RULES").is_some() {
        return as_git(args);
    }
    let (sender, receiver) = mpsc::channel();
    let work = args.clone();
    // The thread is left behind if it takes too long; it writes nothing.
    let spawned = thread::Builder::new().spawn(move || sender.send(merged(&work)));
    let merged = match spawned {
        Ok(_) => receiver.recv_timeout(DRIVER_LIMIT),
        Err(_) => Err(RecvTimeoutError::Disconnected),
    };
    let delivered = match merged {
        Ok(Ok(merged)) => merged.deliver(args),
        Ok(Err(error)) => Err(error),
        Err(RecvTimeoutError::Timeout) => Err(anyhow!(
            "no result within {} seconds",
            DRIVER_LIMIT.as_secs()
        )),
        Err(RecvTimeoutError::Disconnected) => Err(anyhow!("it ended unexpectedly")),
    };
    let why = match delivered {
        Ok(exit) => return Ok(exit),
        Err(error) => format!("{error:#}"),
    };
    complain!(
        "armistice: {}: {why}; git merges this file without rules",
        named(args)
    );
    as_git(args)
}

fn as_git(args: &MergeArgs) -> Result<Exit> {
    let files = [&args.ours, &args.base, &args.theirs].map(PathBuf::as_path);
    let Labels { ours, base, theirs } = markers(args).labels;
    let size = args.marker_size as usize;
    Ok(
        match merge_as_git_does(files, &[ours, base, theirs], size)? {
            true => Exit::Done,
            false => Exit::Open,
        },
    )
}

/// What git gets if the command line itself makes no sense to this program, of another version say:
/// its own conflict. Nothing if it was not called as a merge driver.
pub fn rescue(args: &[OsString]) -> Option<Exit> {
    let value = |name: &str| {
        let at = args.iter().position(|arg| arg == name)?;
        args.get(at + 1)
    };
    if !args.iter().any(|arg| arg == "--driver") {
        return None;
    }
    let files = [value("--ours")?, value("--base")?, value("--theirs")?].map(Path::new);
    let name = value("--name")
        .unwrap_or(value("--ours")?)
        .to_string_lossy();
    let labels = ["ours", "base", "theirs"].map(|party| format!("{party}:{name}"));
    let size = value("--marker-size").and_then(|size| size.to_str()?.parse().ok());
    let size = size.filter(|size| *size > 0).unwrap_or(MARKER_SIZE);
    match merge_as_git_does(files, &labels, size) {
        Ok(true) => Some(Exit::Done),
        Ok(false) => Some(Exit::Open),
        Err(_) => None,
    }
}

fn named(args: &MergeArgs) -> String {
    let name = || args.ours.display().to_string();
    visible(&args.name.clone().unwrap_or_else(name))
}

/// Notes what rules settled, for the next time that somebody looks.
fn note(args: &MergeArgs, draft: &Draft, merged: &[u8]) -> Result<()> {
    let conflict = |(id, ruling): (RegionId, &Arc<Ruling>)| DrivenConflict {
        conflict: draft.plan().conflict_of(id).map_or(0, |c| c.number()),
        line: draft.lines_of(id).start.number(),
        rule: ruling.rule.clone(),
        certainty: ruling.certainty.name().to_owned(),
        reason: ruling.reason.clone(),
    };
    // A merge that is only foreseen leaves nothing behind.
    if std::env::var_os("ARMISTICE_FORESEEN").is_some() {
        return Ok(());
    }
    let settled: Vec<_> = draft.ruled().map(conflict).collect();
    let (false, Some(name)) = (settled.is_empty(), &args.name) else {
        return Ok(());
    };
    let repo = match Repository::discover(Path::new(".")) {
        Ok(repo) => repo,
        // Three files outside of any repository: no result is left to report afterwards.
        Err(_) if !args.driver => return Ok(()),
        Err(error) => return Err(error.into()),
    };
    let versions = [&args.base, &args.ours, &args.theirs].map(PathBuf::as_path);
    note_driven(&repo, Path::new(name), versions, merged, settled)?;
    Ok(())
}

fn merge_texts(args: &MergeArgs) -> Result<Exit> {
    merged(args)?.deliver(args)
}

/// What came of a merge, before anything is written.
struct MergedFile {
    draft: Draft,
    /// What goes to the output.
    bytes: Vec<u8>,
}

impl MergedFile {
    fn deliver(&self, args: &MergeArgs) -> Result<Exit> {
        if is_driver(args) {
            // Before the file is replaced that holds ours.
            note(args, &self.draft, &self.bytes)?;
        }
        match &args.output {
            Some(file) => OutputFile::at(file)?.write(&self.bytes, false)?,
            None => raw(&self.bytes),
        }
        Ok(match self.draft.counts().open {
            0 => Exit::Done,
            _ => Exit::Open,
        })
    }
}

/// The settings that count for these files: the person's own, and what the repository's trusted ones
/// say of paths.
fn settings(args: &MergeArgs) -> Result<Settings> {
    // A repository's settings lie at its top, where git starts a driver.
    let may_be_there = match is_driver(args) {
        true => Path::new(REPOSITORY_SETTINGS).symlink_metadata().is_ok(),
        false => args.name.is_some(),
    };
    let repo = may_be_there.then(|| Repository::discover(Path::new(".")).ok());
    let mut settings = match repo.flatten() {
        Some(repo) => settings_of(&repo)?,
        None => Settings::read()?,
    };
    if std::env::var_os(DRIVER_CHECK).is_some() {
        settings = Settings::default();
    }
    settings.settle = args.settle.map_or(settings.settle, AutoSettle::from);
    settings.whitespace = (args.whitespace).map_or(settings.whitespace, WhitespacePolicy::from);
    Ok(settings)
}

fn merged(args: &MergeArgs) -> Result<MergedFile> {
    let (base, ours, theirs) = (read(&args.base)?, read(&args.ours)?, read(&args.theirs)?);
    for (file, text) in [
        (&args.base, &base),
        (&args.ours, &ours),
        (&args.theirs, &theirs),
    ] {
        if text.is_binary() {
            bail!(
                "'{}' is binary; binary files are not merged line by line",
                file.display()
            );
        }
    }
    let settings = settings(args)?;
    let (plan, rulings) = match (settings.settle, args.json) {
        // Nobody asked for them: the merge is then as quick as it can be.
        (AutoSettle::None, false) => {
            let plan = plan(&base, &ours, &theirs, &Options::default());
            (Arc::new(plan), Vec::new())
        }
        _ => {
            let versions = Versions { base, ours, theirs };
            let lay_out = match settings.declarations {
                true => LayOut::Best,
                false => LayOut::Lines,
            };
            planned(&versions, &context(args, &settings), &lay_out)
        }
    };
    let session = Session::with_rulings(plan, settings.settle.pick(&rulings));
    let draft = session.draft().clone();
    let bytes = match args.json {
        true => {
            let report = report(&draft, rulings.into_iter().collect());
            let mut bytes = json_text(&report)?.into_bytes();
            bytes.push(b'\n');
            bytes
        }
        false => render_with_markers(&draft, &markers(args)),
    };
    Ok(MergedFile { draft, bytes })
}

fn context(args: &MergeArgs, settings: &Settings) -> RuleContext {
    let path = match &args.name {
        Some(name) => name.clone(),
        None => args.ours.display().to_string(),
    };
    let name = |label: &Option<String>, party: &str| match label {
        Some(label) if !label.is_empty() => label.clone(),
        _ => party.to_owned(),
    };
    let ours = name(&args.label_ours, "ours");
    let theirs = name(&args.label_theirs, "theirs");
    settings.context(path, &ours, &theirs)
}

fn markers(args: &MergeArgs) -> Markers {
    let label = |given: &Option<String>, party: &str| match (given, &args.name) {
        // A newline would break the marker over two lines.
        (Some(label), _) => label.replace(['\n', '\r'], " "),
        (None, Some(name)) => format!("{party}:{name}"),
        (None, None) => party.to_owned(),
    };
    Markers {
        size: args.marker_size as usize,
        style: match args.style {
            Style::Sides => MarkerStyle::Sides,
            Style::Base => MarkerStyle::WithBase,
            Style::Whole => MarkerStyle::Whole,
        },
        labels: Labels {
            ours: label(&args.label_ours, "ours"),
            base: label(&args.label_base, "base"),
            theirs: label(&args.label_theirs, "theirs"),
        },
    }
}

fn read(file: &Path) -> Result<Source> {
    let bytes = std::fs::read(file).with_context(|| format!("cannot read '{}'", file.display()))?;
    Ok(Source::new(bytes))
}

#[derive(Serialize)]
struct MergeReport {
    conflicts: usize,
    by_rule: usize,
    open: usize,
    regions: Vec<RegionReport>,
}

/// A region; lines are counted from 1, both ends included, `null` where there are none.
#[derive(Serialize)]
struct RegionReport {
    /// `unchanged`, `ours`, `theirs`, `same`, `conflict`.
    kind: &'static str,
    base: Option<[usize; 2]>,
    ours: Option<[usize; 2]>,
    theirs: Option<[usize; 2]>,
    /// Lines of the merged text, and where each run of them comes from.
    draft: Option<[usize; 2]>,
    origins: Vec<(&'static str, usize)>,
    #[serde(skip_serializing_if = "Option::is_none")]
    conflict: Option<ConflictReport>,
}

#[derive(Serialize)]
struct ConflictReport {
    number: usize,
    cause: String,
    open: bool,
    /// What a rule settled, proposes or hints at.
    #[serde(skip_serializing_if = "Option::is_none")]
    rule: Option<RuleReport>,
}

#[derive(Serialize)]
struct RuleReport {
    id: String,
    certainty: Certainty,
    reason: String,
    /// Whether it was filled in.
    settled: bool,
}

fn report(draft: &Draft, rulings: BTreeMap<RegionId, Ruling>) -> MergeReport {
    let counts = draft.counts();
    let regions = draft.plan().ids();
    MergeReport {
        conflicts: counts.conflicts,
        by_rule: counts.by_rule,
        open: counts.open,
        regions: regions
            .map(|(id, region)| region_report(draft, id, region, &rulings))
            .collect(),
    }
}

fn region_report(
    draft: &Draft,
    id: RegionId,
    region: &Region,
    rulings: &BTreeMap<RegionId, Ruling>,
) -> RegionReport {
    let range = |lines: LineRange| {
        (!lines.is_empty()).then(|| [lines.start.number(), lines.end.number() - 1])
    };
    let conflict = draft.plan().conflict_of(id).map(|conflict| ConflictReport {
        number: conflict.number(),
        cause: describe(draft.plan(), id),
        open: draft.is_open(id),
        rule: rulings.get(&id).map(|ruling| RuleReport {
            id: ruling.rule.clone(),
            certainty: ruling.certainty,
            reason: ruling.reason.clone(),
            settled: matches!(draft.standing(id), RegionState::Ruled(_)),
        }),
    });
    RegionReport {
        kind: match region.kind {
            RegionKind::Unchanged => "unchanged",
            RegionKind::Ours => "ours",
            RegionKind::Theirs => "theirs",
            RegionKind::Same => "same",
            RegionKind::Conflict => "conflict",
        },
        base: range(region.lines(Version::Base)),
        ours: range(region.lines(Version::Ours)),
        theirs: range(region.lines(Version::Theirs)),
        draft: range(draft.lines_of(id)),
        origins: draft
            .segments(id)
            .iter()
            .map(|p| (origin(p.origin()), p.len()))
            .collect(),
        conflict,
    }
}

fn origin(origin: Origin) -> &'static str {
    match origin {
        Origin::Unchanged => "unchanged",
        Origin::Same => "same",
        Origin::Ours => "ours",
        Origin::Theirs => "theirs",
        Origin::Base => "base",
        Origin::Blend => "blend",
        Origin::Hand => "hand",
        Origin::Open => "open",
    }
}
