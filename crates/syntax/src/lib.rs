//! What parsers know of a text, behind core's own types.
//!
//! A [`Language`] is known by a file's name; [`facts`] parses a text once and says where it makes no
//! sense and what stands in one place more than once. Nothing here merges or decides, and no type of
//! the parsing library leaves this crate.
#![deny(missing_docs)]

mod comments;
mod facts;
mod kinds;
mod language;
mod names;
mod node_kinds;
mod order;
mod outline;
mod proving;
mod scopes;
mod shades;
mod trees;

pub use facts::{declared, facts};
pub use language::{Comments, Language};
pub use names::Declared;
pub use order::{are_independent, positions};
pub use outline::outline;
pub use proving::{ParsedProofs, is_checked};
pub use scopes::scopes;
pub use shades::{Shade, ShadedRange, shades};
pub use trees::{PARSE_STEPS, PARSED_BYTES, parse_like};
