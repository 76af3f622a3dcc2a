//! In which order files are read.

use crate::state::effect::{Effect, FileId};

/// Files that are read before all others, in two goes.
const FIRST: usize = 16;
/// Files that are read together after that.
const CHUNK: usize = 32;

/// Files are read by few calls, but the first ones soon.
pub(crate) fn loads(files: Vec<FileId>) -> Vec<Effect> {
    let (first, rest) = files.split_at(files.len().min(FIRST));
    let chunks = first.chunks(FIRST / 2).chain(rest.chunks(CHUNK));
    chunks.map(|chunk| Effect::Load(chunk.to_vec())).collect()
}
