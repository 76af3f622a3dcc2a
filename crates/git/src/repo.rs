//! The repository: where it is, what is in progress, its objects.

pub(crate) mod index;
pub(crate) mod mark;
pub(crate) mod objects;
pub(crate) mod operation;
pub(crate) mod parties;
pub(crate) mod private_folder;
pub(crate) mod repository;
pub(crate) mod stages;
pub(crate) mod trees;
