//! The stash whose changes are in conflict: git keeps it until somebody drops it.

use crate::case::grouping::made_on;
use crate::case::place::Place;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::parties::Parties;
use crate::repo::repository::Repository;

/// The commit of the last stash, if it is what conflicts without an operation come from.
pub(crate) fn applied_stash(
    repo: &Repository,
    parties: &Parties,
    places: &[Place],
) -> Result<Option<String>, Error> {
    match &parties.stash {
        Some([stash, on]) if made_on(repo, on, places)? => Ok(Some(stash.clone())),
        _ => Ok(None),
    }
}

/// Drops the last stash, if it is still this one.
///
/// # Errors
/// If another stash is the last one by now, or git fails.
pub fn drop_stash(repo: &Repository, oid: &str) -> Result<(), Error> {
    if repo.resolve("refs/stash")?.as_deref() != Some(oid) {
        return Err(Error::MovedOn {
            what: "another stash is the last one by now".to_owned(),
        });
    }
    repo.must(&Invocation::write(["stash", "drop", "-q"]))?;
    Ok(())
}
