//! `record` and `draw`: what was decided as a text, and pictures of what is in progress.

use crate::base::json::json_text;
use crate::base::safe_text::count;
use crate::case::drawings::{Drawing, scene_of, write_scene};
use crate::case::load::CaseLoad;
use crate::case::records::{file_record, kept_record, merge_record, signed};
use crate::case::service::CaseService;
use crate::commands::exit::Exit;
use crate::commands::output::{raw, say};
use crate::commands::reading::{read_all, rule_settings};
use anyhow::{Result, anyhow, bail};
use armistice_core::{DecidedBy, MergeRecord};
use armistice_git::{OutputFile, Repository, Situation, meeting};
use clap::ValueEnum;
use std::path::Path;
use std::time::{SystemTime, UNIX_EPOCH};

/// What `draw` draws.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum Picture {
    /// What each side did to declarations, moves joined by lines
    Moves,
    /// The commits of both sides and where they meet
    History,
    /// What was decided, file by file
    Record,
}

/// What was decided in what is in progress, or in what became a commit.
fn record_of(repo: &Repository, commit: Option<&str>) -> Result<MergeRecord> {
    let situation = Situation::read(repo)?;
    let commit = commit.or(situation.is_idle().then_some("HEAD"));
    match commit {
        Some(commit) => kept_record(repo, commit).map_err(|why| anyhow!(why)),
        None => read_record(repo, &situation),
    }
}

/// What was decided so far in what is in progress.
pub(crate) fn read_record(repo: &Repository, situation: &Situation) -> Result<MergeRecord> {
    let service = CaseService::new(repo.clone());
    let rules = rule_settings(repo, situation)?;
    let files = read_all(&service, &situation.cases, &rules);
    let files = files.iter().map(|file| {
        let whole = match &file.load {
            CaseLoad::Whole(whole) => whole.decided,
            _ => None,
        };
        file_record(&file.case, file.load.open(), whole)
    });
    Ok(signed(repo, merge_record(situation, files.collect())))
}

/// Prints or writes what was decided.
pub(crate) fn record(
    repo: &Repository,
    commit: Option<&str>,
    json: bool,
    output: Option<&Path>,
) -> Result<Exit> {
    let record = record_of(repo, commit)?.without_strips();
    let text = match json {
        true => json_text(&record)? + "\n",
        false => record.to_markdown(),
    };
    match output {
        Some(file) => OutputFile::at(file)?.write(text.as_bytes(), false)?,
        None => raw(text.as_bytes()),
    }
    let all = record.files.iter().flat_map(|file| &file.decisions);
    Ok(
        match all
            .filter(|decision| decision.by == DecidedBy::Open)
            .count()
        {
            0 => Exit::Done,
            _ => Exit::Open,
        },
    )
}

/// Writes a picture.
pub(crate) fn draw(
    repo: &Repository,
    picture: Picture,
    with: Option<&str>,
    output: &Path,
) -> Result<Exit> {
    let drawing = match picture {
        Picture::History if with.is_some() => {
            let other = with.unwrap_or_default();
            let met = meeting(repo, other)?;
            let met = met.ok_or_else(|| anyhow!("'{other}' names no commit here"))?;
            let here = Situation::read(repo)?.ours.label;
            Drawing::Lines(Box::new(met.lines), [here, other.to_owned()])
        }
        _ if with.is_some() => bail!("--with is for the history of two lines"),
        Picture::Moves => Drawing::Moves,
        Picture::History => Drawing::History,
        Picture::Record => {
            let situation = Situation::read(repo)?;
            let record = (!situation.is_idle()).then(|| read_record(repo, &situation));
            Drawing::Record(record.transpose()?.map(Box::new))
        }
    };
    let service = CaseService::new(repo.clone());
    let now = SystemTime::now().duration_since(UNIX_EPOCH);
    let now = now.map_or(0, |now| now.as_secs() as i64);
    let scene = scene_of(&service, &drawing, now).map_err(|why| anyhow!(why))?;
    write_scene(&scene, output).map_err(|why| anyhow!(why))?;
    say!("{}: {}", output.display(), count(scene.pages.len(), "page"));
    Ok(Exit::Done)
}
