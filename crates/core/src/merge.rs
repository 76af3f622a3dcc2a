//! Three-way merging finer than lines: row by row and token by token. It counts what a merge did; whether
//! that is safe is for the rules to judge.

pub(crate) mod adjacency;
pub(crate) mod dependence;
pub(crate) mod format_noise;
pub(crate) mod formula;
pub(crate) mod import_list;
pub(crate) mod indentation;
pub(crate) mod list_items;
pub(crate) mod row;
pub(crate) mod row_edits;
pub(crate) mod rows;
pub(crate) mod side_layout;
pub(crate) mod stats;
pub(crate) mod substitutions;
pub(crate) mod tokens;
