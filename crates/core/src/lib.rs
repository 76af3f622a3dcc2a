//! The whole computation of Armistice, as pure functions from bytes to values.
//!
//! Three versions of a text go in ([`Source`]), a [`Plan`] comes out: regions
//! that say what each side did to base. A [`Draft`] is the merged text, every
//! line of it with its origin; a [`Session`] is a draft plus the journal of
//! decisions that made it. This crate opens no file, starts no process, asks no
//! clock and draws nothing; the git crate and the application do that.
#![deny(missing_docs)]

mod audit;
mod cause;
mod check;
mod diff;
mod draft;
mod encoding;
mod facts;
mod indents;
mod journal;
mod layout;
mod lines;
mod loom;
mod markers;
mod names;
mod plan;
mod precedent;
mod refine;
mod reindent;
mod repetitive;
mod resolution;
mod rows;
mod rules;
mod split;
mod stitch;
mod swaps;
mod text;
mod units;
mod word_diff;
mod words;

pub use audit::{Fates, GivenUp, Report, SideReport, audit};
pub use cause::{Cause, cause, describe};
pub use check::{Check, Finding, Inputs, Weight, check};
pub use diff::changed_lines;
pub use draft::{Counts, Draft, DraftLine, LineEdit, Origin, Piece, Refused, Standing};
pub use encoding::Encoding;
pub use journal::{Entry, Event, Header, ReadJournal, Session, Step, read_journal};
pub use lines::{LineIdx, LineRange};
pub use markers::{
    Labels, MARKER_SIZE, MarkerError, MarkerKind, MarkerStyle, Markers, Part, find_markers,
    parse_markers, weave,
};
pub use plan::{Algorithm, ConflictId, Kind, Options, Plan, Region, RegionId, Versions, plan};
pub use precedent::{Outcome, Precedent, Precedents};
pub use resolution::{Pick, Resolution, Side, Strand, Version};
pub use rows::{Delta, Row, Span, delta, spans};
pub use rules::{
    Blanks, Certainty, Conflict, Context, Doubt, Example, Formula, Proposal, RULES, Rule, Ruling,
    Settle, propose, propose_all, rule_title,
};
pub use text::{Line, LineEnd, Source};
pub use words::words;
