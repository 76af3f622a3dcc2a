//! `files` and `open`: settling without a repository.

use crate::base::settings::state_folder;
use crate::base::theme::Ground;
use crate::case::service::CaseService;
use crate::commands::cli::FilesArgs;
use crate::commands::exit::Exit;
use crate::commands::screens::show;
use anyhow::{Context as _, Result, anyhow, bail};
use armistice_core::{Part, Source, Versions, marker_size, parse_markers};
use armistice_git::{Loose, OutputFile, RepoPath, Repository, Situation};
use std::os::unix::ffi::OsStrExt as _;
use std::path::Path;

pub(crate) fn files(args: &FilesArgs, ground: Ground, ascii: bool) -> Result<Exit> {
    let versions = Versions {
        base: args
            .base
            .as_deref()
            .map_or_else(|| Ok(Source::new("")), read)?,
        ours: read(&args.ours)?,
        theirs: read(&args.theirs)?,
    };
    let name = |path: &Path| path.display().to_string();
    let labels = parties(&args.output).unwrap_or([name(&args.ours), name(&args.theirs)]);
    settle(&versions, &args.output, labels, ground, ascii)
}

/// What the parties are called if the output is in conflict in a repository: git hands over temporary
/// files, whose names say nothing.
fn parties(output: &Path) -> Option<[String; 2]> {
    let file = std::path::absolute(output).ok()?;
    let repo = Repository::discover(file.parent()?).ok()?;
    let top = repo.work_tree().canonicalize().ok()?;
    let file = file.parent()?.canonicalize().ok()?.join(file.file_name()?);
    let path = RepoPath::new(file.strip_prefix(top).ok()?.as_os_str().as_bytes());
    let situation = Situation::read(&repo).ok()?;
    let is_case = situation.cases.iter().any(|case| case.has_path(&path));
    is_case.then_some([situation.ours.label, situation.theirs.label])
}

pub(crate) fn open(file: &Path, ground: Ground, ascii: bool) -> Result<Exit> {
    // What cannot be written must not be waited for to be read either.
    OutputFile::at(file)?;
    let text = read(file)?;
    let size = marker_size(&text);
    let parts = parse_markers(&text, size).map_err(|why| anyhow!("'{}', {why}", file.display()))?;
    let is_conflict = |part: &Part| matches!(part, Part::Conflict { .. });
    if !parts.iter().any(is_conflict) {
        bail!(
            "'{}' has no conflict markers; to resolve the conflicts of a repository, start armistice inside it",
            file.display()
        );
    }
    let (mut base, mut ours, mut theirs) = (Vec::new(), Vec::new(), Vec::new());
    let mut labels = ["ours".to_owned(), "theirs".to_owned()];
    for part in parts {
        match part {
            Part::Clean(lines) => {
                for version in [&mut base, &mut ours, &mut theirs] {
                    version.extend_from_slice(text.slice(lines));
                }
            }
            Part::Conflict {
                ours: o,
                base: b,
                theirs: t,
                ..
            } => {
                // Without base nobody knows what was there: nothing, as far as this file tells.
                base.extend_from_slice(b.map_or(b"", |b| text.slice(b)));
                ours.extend_from_slice(text.slice(o));
                theirs.extend_from_slice(text.slice(t));
                let label = |line: u32| {
                    let line = text.line(armistice_core::LineIdx(line)).content();
                    let name = String::from_utf8_lossy(line.get(size..).unwrap_or_default());
                    name.trim().to_owned()
                };
                for (at, line) in [(0, o.start.0.saturating_sub(1)), (1, t.end.0)] {
                    let label = label(line);
                    if !label.is_empty() {
                        labels[at] = label;
                    }
                }
            }
        }
    }
    let versions = Versions {
        base: Source::new(base),
        ours: Source::new(ours),
        theirs: Source::new(theirs),
    };
    settle(&versions, file, labels, ground, ascii)
}

fn settle(
    versions: &Versions,
    output: &Path,
    labels: [String; 2],
    ground: Ground,
    ascii: bool,
) -> Result<Exit> {
    for text in [&versions.base, &versions.ours, &versions.theirs] {
        if text.is_binary() {
            bail!("one of the versions is binary; binary files are not merged line by line");
        }
    }
    let loose = Loose::make(&state_folder()?, versions, output, labels)?;
    let opened = loose.clone();
    show(move || Ok(CaseService::on(opened)), None, ground, ascii)?;
    Ok(match loose.close() {
        true => Exit::Done,
        false => Exit::Open,
    })
}

fn read(file: &Path) -> Result<Source> {
    let bytes = std::fs::read(file).with_context(|| format!("cannot read '{}'", file.display()))?;
    Ok(Source::new(bytes))
}
