//! The proofs of core over drafts of one plan, with what the parsers know of the texts.

use crate::language::Language;
use crate::order::{are_independent, positions};
use crate::outline::outline;
use crate::scopes::scopes;
use crate::trees::parse_like;
use armistice_core::{
    Draft, MergeTexts, Objection, Outline, Plan, Position, Proofs, Scopes, Source, TextKind,
};
use std::cell::OnceCell;
use std::ops::Range;

/// Bytes of each version up to which results are checked where the texts are parsed: half a second for
/// each text, versions once and each result.
const CHECKED_PARSED_BYTES: usize = 400_000;
/// The same where they are read by their layout.
const CHECKED_LAYOUT_BYTES: usize = 4_000_000;

/// Checks drafts of one plan. The versions are parsed once.
pub struct ParsedProofs<'a> {
    plan: &'a Plan,
    proofs: Proofs<'a>,
    path: &'a str,
    language: Option<Language>,
    scopes: [Scopes; 3],
    outlines: Option<[Outline; 3]>,
    positions: Option<[Vec<Position>; 3]>,
    kind: TextKind,
    /// How scopes are read where a text has errors, or there is no parser.
    layout: fn(&Source) -> Scopes,
    /// Those of the versions, read so although they are parsed.
    by_layout: OnceCell<[Scopes; 3]>,
}

/// Whether lines of a language use names that other lines declare.
fn has_names(language: Language) -> bool {
    is_code(language) && language != Language::Json || language == Language::Css
}

/// Whether a language has blocks that begin with a sign or a word.
fn is_code(language: Language) -> bool {
    !matches!(
        language,
        Language::Yaml | Language::Html | Language::Css | Language::Markdown | Language::Toml
    )
}

/// Whether a text of this length is checked; `path` tells whether it is parsed for that.
pub fn is_checked(path: &str, bytes: usize) -> bool {
    bytes
        <= match Language::of(path) {
            Some(_) => CHECKED_PARSED_BYTES,
            None => CHECKED_LAYOUT_BYTES,
        }
}

impl<'a> ParsedProofs<'a> {
    /// The proofs of a plan; `None` if a version is too long, see [`is_checked`].
    pub fn new(plan: &'a Plan, path: &'a str) -> Option<Self> {
        let versions = plan.real_versions();
        let all = [&versions.base, &versions.ours, &versions.theirs];
        if all.iter().any(|text| !is_checked(path, text.bytes().len())) {
            return None;
        }
        // Of a text with errors a parser tells no blocks: then all are read by their layout.
        let parsed = Language::of(path).and_then(|language| {
            let [base, ours, theirs] = all.map(|text| scopes(language, text));
            Some((language, [base?, ours?, theirs?]))
        });
        let outlines = parsed.as_ref().and_then(|(language, _)| {
            let [base, ours, theirs] = all.map(|text| outline(*language, text));
            Some([base?, ours?, theirs?])
        });
        let positions = Language::of(path).and_then(|language| {
            let [base, ours, theirs] = all.map(|text| positions(language, text));
            Some([base?, ours?, theirs?])
        });
        let layout: fn(&Source) -> Scopes = match Language::of(path).is_some_and(is_code) {
            true => Scopes::by_layout_of_code,
            false => Scopes::by_layout,
        };
        let (language, scopes) = match parsed {
            Some((language, scopes)) => (Some(language), scopes),
            None => (None, all.map(layout)),
        };
        Some(ParsedProofs {
            plan,
            proofs: Proofs::new(plan),
            language,
            scopes,
            outlines,
            positions,
            path,
            kind: TextKind::of(path, Language::of(path).is_some_and(has_names)),
            layout,
            by_layout: OnceCell::new(),
        })
    }

    /// Returns what is wrong with a draft of the plan; `None` if its lines are not those of its text.
    pub fn objections(&self, draft: &Draft) -> Option<Vec<Objection>> {
        let text = Source::new(draft.bytes());
        if text.len() != draft.len() {
            return None;
        }
        if let Some(language) = self.language {
            let ours = &self.plan.real_versions().ours;
            parse_like(language, text.bytes(), ours.bytes());
        }
        let parsed = self.language.and_then(|language| scopes(language, &text));
        let (versions, result) = match (self.language, parsed) {
            (Some(_), Some(result)) => (&self.scopes, result),
            (Some(_), None) => {
                let all = self.plan.real_versions();
                let read = || [&all.base, &all.ours, &all.theirs].map(self.layout);
                (self.by_layout.get_or_init(read), (self.layout)(&text))
            }
            (None, _) => (&self.scopes, (self.layout)(&text)),
        };
        let of_result = self.language.and_then(|language| outline(language, &text));
        let outlines = self.outlines.as_ref().zip(of_result.as_ref());
        let base = &self.plan.real_versions().base;
        let language = Language::of(self.path);
        let independent = |edits: [Range<usize>; 2]| {
            language.and_then(|language| are_independent(language, base, edits)) == Some(true)
        };
        let texts = MergeTexts {
            text: &text,
            positions: self
                .positions
                .as_ref()
                .map(|all| [&*all[0], &*all[1], &*all[2]]),
            independent: Some(&independent),
            versions: [&versions[0], &versions[1], &versions[2]],
            result: &result,
            outlines: outlines.map(|([base, ours, theirs], result)| [base, ours, theirs, result]),
        };
        Some(self.proofs.objections(draft, &texts, self.kind))
    }
}
