//! What the proofs know of the texts of a merge beside their lines.

use crate::outline::declaration::Outline;
use crate::text::source::Source;
use crate::verify::order::Position;
use crate::verify::scopes::Scopes;
use std::ops::Range;

/// Whether two edits of base, as ranges of bytes, are in parts that do not depend on each other.
pub type Independent<'a> = dyn Fn([Range<usize>; 2]) -> bool + 'a;

/// What is known of the texts of a merge; lines are counted in the texts as they are, not as a plan lays
/// them out.
#[derive(Clone, Copy)]
pub struct MergeTexts<'a> {
    /// The merged text.
    pub text: &'a Source,
    /// Of base, ours and theirs.
    pub versions: [&'a Scopes; 3],
    /// Of the merged text.
    pub result: &'a Scopes,
    /// What base, ours, theirs and the merged text declare, if a parser knows.
    pub outlines: Option<[&'a Outline; 4]>,
    /// Whether the places of lines of base, ours and theirs have a meaning, if a parser knows; else nobody
    /// can tell.
    pub positions: Option<[&'a [Position]; 3]>,
    /// Whether two edits of base are in independent parts, if a parser knows.
    pub independent: Option<&'a Independent<'a>>,
}

/// What kind of text a merged file is, as far as the proofs go.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TextKind {
    /// A programming or style language: lines use names that others declare.
    Code,
    /// Keys and values, with names for values: `&name`, used as `*name`.
    Yaml,
    /// Rows of fields, parted by this byte.
    Table(u8),
    /// Anything else.
    Other,
}

impl TextKind {
    /// The kind of a file; `is_code` says whether it is in a language with names.
    pub fn of(path: &str, is_code: bool) -> Self {
        let end = path.rsplit('.').next().unwrap_or_default();
        match end {
            "yaml" | "yml" => TextKind::Yaml,
            "csv" => TextKind::Table(b','),
            "tsv" | "tab" => TextKind::Table(b'\t'),
            "psv" | "md" | "markdown" => TextKind::Table(b'|'),
            "sql" | "hs" | "kt" | "kts" | "scala" | "swift" | "dart" | "ex" | "erl" | "lua"
            | "r" | "jl" | "ml" | "fs" | "vb" | "zig" | "nim" | "pl" | "pm" => TextKind::Code,
            _ if is_code => TextKind::Code,
            _ => TextKind::Other,
        }
    }
}
