//! The commits of both sides down to what they started from.

use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::parties::{Parties, common_ancestors};
use crate::repo::repository::Repository;
use crate::situation::read::{Commit, Situation, commit, parse_commit};
use armistice_core::{PerSide, Side};
use serde::Serialize;

/// Commits of one side that are listed; more are counted.
const LISTED: usize = 200;

/// Two lines of commits and where they meet.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct TwoLines {
    /// Commits that each side alone has, newest first.
    pub commits: PerSide<Vec<Commit>>,
    /// How many more of each there are.
    pub left_out: PerSide<usize>,
    /// What both started from; `None` if they have nothing in common, or it is not known.
    pub base: Option<Commit>,
}

/// Reads both sides' own commits; `None` if it is not known which they are.
///
/// # Errors
/// If git fails.
pub fn two_lines(repo: &Repository, situation: &Situation) -> Result<Option<TwoLines>, Error> {
    let parties = Parties::read(repo, situation.operation)?;
    let (Some(ours), Some(theirs)) = (&parties.ours, &parties.theirs) else {
        return Ok(None);
    };
    lines_between(repo, ours, theirs, &parties.bases).map(Some)
}

/// The two lines of commits that met in a merge; `None` if the commit is none of two parents.
///
/// # Errors
/// If git fails.
pub fn merged_lines(repo: &Repository, merge: &str) -> Result<Option<TwoLines>, Error> {
    let parent = |n: u8| repo.resolve(&format!("{merge}^{n}"));
    let (Some(ours), Some(theirs), None) = (parent(1)?, parent(2)?, parent(3)?) else {
        return Ok(None);
    };
    let base = match common_ancestors(repo, &ours, &theirs)?.first() {
        Some(base) => commit(repo, base)?,
        None => None,
    };
    lines_since_merge_base(repo, &ours, &theirs, base).map(Some)
}

/// Returns the commits that only one of two tips has; `base` is one of their merge bases.
///
/// # Errors
/// If git fails.
pub(crate) fn lines_since_merge_base(
    repo: &Repository,
    ours: &str,
    theirs: &str,
    base: Option<Commit>,
) -> Result<TwoLines, Error> {
    let format = "--format=%m%x00%H%x00%h%x00%s%x00%an%x00%at";
    let call = Invocation::read(["log", "-z", "--left-right", format]);
    let output = repo.must(&call.arg(format!("{ours}...{theirs}")).arg("--"))?;
    let mut lines = TwoLines {
        base,
        ..TwoLines::default()
    };
    let fields: Vec<&[u8]> = output.stdout.split(|b| *b == 0).collect();
    for fields in fields.chunks_exact(6) {
        let side = if fields[0] == b"<" {
            Side::Ours
        } else {
            Side::Theirs
        };
        if lines.commits[side].len() == LISTED {
            lines.left_out[side] += 1;
        } else {
            lines.commits[side].extend(parse_commit(&fields[1..].join(&0)));
        }
    }
    Ok(lines)
}

/// Returns the commits that two tips have and their bases have not.
fn lines_between(
    repo: &Repository,
    ours: &str,
    theirs: &str,
    bases: &[String],
) -> Result<TwoLines, Error> {
    let base = match bases.first() {
        Some(base) => commit(repo, base)?,
        None => None,
    };
    let mut lines = TwoLines {
        base,
        ..TwoLines::default()
    };
    for (side, tip) in [(Side::Ours, ours), (Side::Theirs, theirs)] {
        let mut range = vec![tip.to_owned()];
        let bases = bases.iter().filter(|_| lines.base.is_some());
        range.extend(bases.map(|base| format!("^{base}")));
        let all = own(repo, &range)?;
        lines.left_out[side] = all.len().saturating_sub(LISTED);
        lines.commits[side] = all.into_iter().take(LISTED).collect();
    }
    Ok(lines)
}

fn own(repo: &Repository, range: &[String]) -> Result<Vec<Commit>, Error> {
    let format = "--format=%H%x00%h%x00%s%x00%an%x00%at";
    let mut call = Invocation::read(["log", "-z", format]);
    for name in range {
        call = call.arg(name);
    }
    let output = repo.must(&call.arg("--"))?;
    let fields: Vec<&[u8]> = output.stdout.split(|b| *b == 0).collect();
    let one = |fields: &[&[u8]]| parse_commit(&fields.join(&0));
    Ok(fields.chunks_exact(5).filter_map(one).collect())
}
