//! `memory`: what is remembered of settled conflicts.

use crate::base::json::json_text;
use crate::base::safe_text::{count, visible};
use crate::commands::exit::Exit;
use crate::commands::output::{raw, say};
use anyhow::{Result, bail};
use armistice_core::{PastOutcome, Segment};
use armistice_git::{Memory, Repository};

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
        say!("{number:>4}  settled by {by}");
        say!("      ours    {}", line(&past_resolution.ours));
        say!("      theirs  {}", line(&past_resolution.theirs));
    }
    say!("{} remembered", count(all.len(), "conflict"));
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
