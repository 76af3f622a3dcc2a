//! Texts: bytes cut into lines and tokens, decoding for display, and the table of languages.

pub(crate) mod encoding;
pub(crate) mod language;
pub(crate) mod lines;
pub(crate) mod numbers;
pub(crate) mod source;
pub(crate) mod tokens;
