//! `memory`: what is remembered of settled conflicts.

use crate::base::json::json_text;
use crate::base::safe_text::{count, visible};
use crate::commands::exit::Exit;
use crate::commands::output::{complain, raw, say};
use anyhow::{Result, bail};
use armistice_core::{PastOutcome, Segment};
use armistice_git::{Cancel, Lessons, Memory, Repository, Reviewer, merge_commits};
use std::io::IsTerminal as _;

pub(crate) fn memory(
    repo: &Repository,
    json: bool,
    forget: Option<usize>,
    forget_all: bool,
) -> Result<Exit> {
    let memory = Memory::new(repo.common_dir());
    if forget_all {
        say!("forgot {}", count(memory.forget_all()?, "conflict"));
        return Ok(Exit::Done);
    }
    if let Some(number) = forget {
        let Some(nth) = number.checked_sub(1) else {
            bail!("numbers count from 1");
        };
        memory.forget(nth)?;
        say!("forgot number {number}");
        return Ok(Exit::Done);
    }
    let all = memory.read()?;
    if json {
        raw(format!("{}\n", json_text(&all)?).as_bytes());
        return Ok(Exit::Done);
    }
    for (number, past_resolution) in (1..).zip(&all) {
        let by = match &past_resolution.outcome {
            PastOutcome::Take(version) => version.name().to_owned(),
            PastOutcome::Both(side) => format!(
                "both, {} first",
                armistice_core::Version::from(*side).name()
            ),
            PastOutcome::Text(text) if text.is_empty() => "nothing".to_owned(),
            PastOutcome::Text(_) => "a text of its own".to_owned(),
            PastOutcome::Parts(parts) => of_parts(parts),
        };
        let line = |text: &[u8]| {
            let text = String::from_utf8_lossy(text);
            let line = text
                .lines()
                .map(str::trim)
                .find(|l| !l.is_empty())
                .unwrap_or("nothing");
            visible(&line.chars().take(50).collect::<String>())
        };
        let from = match &past_resolution.learned {
            None => String::new(),
            Some(learned) if learned.times == 1 => format!(" in merge {}", learned.commit),
            Some(learned) => format!(" in {} merges, last in {}", learned.times, learned.commit),
        };
        say!("{number:>4}  settled by {by}{from}");
        say!("      ours    {}", line(&past_resolution.ours));
        say!("      theirs  {}", line(&past_resolution.theirs));
    }
    say!("{} remembered", count(all.len(), "conflict"));
    Ok(Exit::Done)
}

/// Merges that are read before what they teach is stored.
const PORTION: usize = 200;

/// Stores how the merges of the current branch's history resolved their conflicts. What was read until the
/// command is stopped is kept.
pub(crate) fn learn(repo: &Repository, since: Option<&str>) -> Result<Exit> {
    if repo.resolve("HEAD")?.is_none() {
        bail!("this repository has no commits yet");
    }
    let since = since.map(|date| format!("--since={date}"));
    let revisions: Vec<String> = since.into_iter().chain(["HEAD".to_owned()]).collect();
    let merges = merge_commits(repo, &revisions)?;
    let memory = Memory::new(repo.common_dir());
    let reviewer = Reviewer::new(repo, &Cancel::default())?;
    let mut lessons = Lessons::default();
    let mut new = 0;
    let is_seen = std::io::stderr().is_terminal();
    for (nth, portion) in merges.chunks(PORTION).enumerate() {
        let read = reviewer.review(portion, &mut |merge| lessons.add(&merge));
        new += memory.learn(lessons.clone().into_all())?;
        reviewer.leave_untouched();
        read?;
        if is_seen {
            let done = (nth + 1) * PORTION;
            complain!("{} of {} merges read", done.min(merges.len()), merges.len());
        }
    }
    say!(
        "{} read: {} learned, {} new",
        count(merges.len(), "merge"),
        count(lessons.into_all().len(), "resolution"),
        new
    );
    Ok(Exit::Done)
}

/// Whose lines stood, in order.
fn of_parts(parts: &[Segment]) -> String {
    let name = |part: &Segment| match part {
        Segment::Lines(version, lines) => {
            format!("{} of {}", count(lines.len(), "line"), version.name())
        }
        Segment::Text(_) => "lines of both blended".to_owned(),
        Segment::Hand(_) => "lines written by hand".to_owned(),
    };
    match parts.is_empty() {
        true => "nothing".to_owned(),
        false => parts.iter().map(name).collect::<Vec<_>>().join(", "),
    }
}
