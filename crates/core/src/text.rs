//! Bytes, lines, tokens: what a text is made of, and how it is shown.

pub(crate) mod encoding;
pub(crate) mod language;
pub(crate) mod lines;
pub(crate) mod numbers;
pub(crate) mod source;
pub(crate) mod tokens;
