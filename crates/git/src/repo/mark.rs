//! Where the repository stands: which operation is in progress, at which step, over which commits.

use crate::process::error::Error;
use crate::repo::operation::Operation;
use crate::repo::repository::Repository;

/// Where the repository stood when it was looked at. It differs whenever a step was completed,
/// another commit was checked out, or another operation was begun.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Mark {
    /// What is in progress.
    pub operation: Operation,
    /// The commit that is checked out.
    pub head: Option<String>,
    /// The commit that comes in.
    pub incoming: Option<String>,
}

impl Mark {
    /// Looks where the repository stands.
    ///
    /// # Errors
    /// If git fails.
    pub fn read(repo: &Repository) -> Result<Self, Error> {
        let operation = Operation::detect(repo)?;
        let incoming = match operation.incoming() {
            Some(name) => repo.resolve(name)?,
            None => None,
        };
        Ok(Mark {
            operation,
            head: repo.resolve("HEAD")?,
            incoming,
        })
    }

    /// Refuses what was decided on another picture of the repository than the present one.
    ///
    /// # Errors
    /// [`Error::MovedOn`] if the repository stands elsewhere by now; or if git fails.
    pub fn must_hold(&self, repo: &Repository) -> Result<(), Error> {
        let now = Mark::read(repo)?;
        let name = self.operation.name();
        let what = match now.operation {
            _ if now == *self => return Ok(()),
            Operation::Loose => format!("the {name} is no longer in progress"),
            other if other.name() != name => format!("a {} is in progress now", other.name()),
            _ if now.incoming != self.incoming => format!("this is another {name} now"),
            _ => "another commit is checked out now".to_owned(),
        };
        Err(Error::MovedOn { what })
    }
}
