//! Files on disk: what was seen there, and replacing them in one step.

pub(crate) mod folders;
pub(crate) mod output;
pub(crate) mod owner;
pub(crate) mod times;
pub(crate) mod work_file;
