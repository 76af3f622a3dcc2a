//! The whole computation of Armistice, as pure functions from bytes to values.
//!
//! Three versions of a text go in ([`Source`]), a [`Plan`] comes out: regions
//! that say what each side did to base. A [`Draft`] is the merged text, every
//! line of it with its origin; a [`Session`] is a draft plus the journal of
//! decisions that made it. This crate opens no file, starts no process, asks no
//! clock and draws nothing; the git crate and the application do that.
#![deny(missing_docs)]

mod decide;
mod diff;
mod draft;
pub mod limits;
mod merge;
mod model;
mod outline;
mod plan;
mod record;
mod rules;
mod text;
mod tree;
mod verify;
mod witness;

pub use decide::joined::joined;
pub use decide::past::{Around, Learned, PastOutcome, PastResolution, PastResolutions};
pub use decide::policy::WhitespacePolicy;
pub use decide::resolution::Resolution;
pub use decide::ruling::{AutoSettle, Certainty, Ruling};
pub use diff::display::{Delta, DeltaRow, Span, delta, spans};
pub use diff::hunk::Algorithm;
pub use diff::lines::changed_lines;
pub use diff::options::Options;
pub use draft::entry::{Entry, LineEdit, Refused, Step};
pub use draft::journal::{Event, Header, ReadJournal, read_journal};
pub use draft::merged_text::{Counts, Draft, DraftLine};
pub use draft::region_draft::RegionState;
pub use draft::session::Session;
pub use merge::formula::Formula;
pub use model::region::{ConflictId, Region, RegionId, RegionKind};
pub use model::segment::{DraftSegment, Origin, Pick, Segment};
pub use model::side::{PerSide, Side};
pub use model::versions::{Version, Versions};
pub use outline::change::{DeclarationChange, Did};
pub use outline::changes::{declaration_changes, renamed_declarations};
pub use outline::columns::{Cell, Columns, Join, changed_alone, changed_with_surroundings};
pub use outline::declaration::{Declaration, Outline};
pub use outline::indented::outline_by_indentation;
pub use outline::likeness::text_likeness;
pub use plan::build::{LineCounts, Plan, plan};
pub use plan::by_declarations::{plan_along_moves, plan_by_declarations};
pub use plan::cause::{Cause, cause, describe};
pub use plan::recipe::{Matching, PlanRecipe};
pub use plan::structure::{Added, Apart};
pub use record::{DecidedBy, Decision, FileRecord, MergeRecord};
pub use rules::choice::prefers_declarations;
pub use rules::conflict::Conflict;
pub use rules::engine::{Proposer, RULES, propose, propose_all, rule_title};
pub use rules::generated::GENERATED_FILE;
pub use rules::risks::Risk;
pub use rules::rule::{Example, Proposal, Rule, RuleContext};
pub use text::encoding::{Encoding, is_hidden};
pub use text::lines::{LineIdx, LineRange};
pub use text::source::{Line, LineEnd, Source};
pub use text::tokens::token_ranges;
pub use tree::renames::{Rename, TreeFile, renames};
pub use verify::audit::audit;
pub use verify::checks::{Check, Finding, Inputs, Weight, check};
pub use verify::fates::{Fates, GivenUp, GivenUpLine, LineChange, Report, SideReport};
pub use verify::markers::{
    Labels, MARKER_SIZE, MarkerError, MarkerKind, MarkerStyle, Markers, Part, find_markers,
    marker_size, parse_markers, render_with_markers,
};
pub use verify::merge_texts::{Independent, MergeTexts, TextKind};
pub use verify::misdirected::may_be_misdirected;
pub use verify::misplaced::misplaced;
pub use verify::order::Position;
pub use verify::proofs::Proofs;
pub use verify::resolved::{MayChange, NewLine, Resolved, ResolvedBy, ResolvedConflict, resolved};
pub use verify::result_lines::{Objection, ProofKind};
pub use verify::scopes::Scopes;
pub use verify::syntax::{
    Parsed, Repeated, SyntaxError, SyntaxFacts, bracket_findings, syntax_findings,
};
pub use verify::trace::trace;
