//! Parse trees, each made once: the last ones are kept by the contents of their texts.

use crate::language::Language;
use armistice_core::{Outline, Scopes, SyntaxFacts};
use std::cell::RefCell;
use std::collections::VecDeque;
use std::collections::hash_map::RandomState;
use std::hash::BuildHasher;
use std::ops::ControlFlow;
use std::sync::{Arc, LazyLock, Mutex, MutexGuard, OnceLock};
use tree_sitter::{ParseOptions, ParseState, Parser, Tree};

/// Work after which a text counts as one that the parser does not cope with, in steps that the parser
/// itself counts: two megabytes of code take 27,000 to 40,000, at 13 to 18 steps a millisecond. The
/// limit is work, not time, so that a busy machine gives the same answers.
pub const PARSE_STEPS: usize = 50_000;

/// Bytes of the texts whose trees are kept: the versions and results of a few files.
const KEPT_BYTES: usize = 8_000_000;
/// Trees that are kept at most.
const KEPT_TREES: usize = 64;

thread_local! {
    /// One for all texts that a thread parses: what it needs for its work is made ready once.
    static PARSER: RefCell<Parser> = RefCell::new(Parser::new());
}

/// What is kept of a text: its language, its length, and two hashes with random keys.
type Key = (Language, usize, [u64; 2]);

/// A text that was parsed, and what was read from its tree so far.
pub(crate) struct ParsedText {
    pub(crate) tree: Tree,
    pub(crate) outline: OnceLock<Outline>,
    pub(crate) scopes: OnceLock<Option<Scopes>>,
    pub(crate) facts: OnceLock<SyntaxFacts>,
}

#[derive(Default)]
struct Kept {
    /// The last one used is at the end. No tree where parsing took too much work.
    trees: VecDeque<(Key, Option<Arc<ParsedText>>)>,
    bytes: usize,
}

static KEPT: LazyLock<Mutex<Kept>> = LazyLock::new(Mutex::default);
static HASHERS: LazyLock<[RandomState; 2]> = LazyLock::new(Default::default);

/// Parses a text; `None` if that takes more than [`PARSE_STEPS`].
pub(crate) fn parsed(language: Language, bytes: &[u8]) -> Option<Arc<ParsedText>> {
    let key = key(language, bytes);
    {
        let mut kept = kept();
        if let Some(at) = kept.trees.iter().rposition(|(known, _)| *known == key) {
            let found = kept.trees.remove(at)?;
            let text = found.1.clone();
            kept.trees.push_back(found);
            return text;
        }
    }
    let tree = PARSER.with_borrow_mut(|parser| parse(parser, language, bytes));
    let text = tree.map(|tree| {
        Arc::new(ParsedText {
            tree,
            outline: OnceLock::new(),
            scopes: OnceLock::new(),
            facts: OnceLock::new(),
        })
    });
    let mut kept = kept();
    kept.bytes += bytes.len();
    kept.trees.push_back((key, text.clone()));
    while kept.trees.len() > KEPT_TREES || kept.bytes > KEPT_BYTES && kept.trees.len() > 1 {
        let dropped = kept.trees.pop_front();
        kept.bytes -= dropped.map_or(0, |((_, length, _), _)| length);
    }
    text
}

fn key(language: Language, bytes: &[u8]) -> Key {
    let hashes = [0, 1].map(|nth: usize| HASHERS[nth].hash_one(bytes));
    (language, bytes.len(), hashes)
}

fn kept() -> MutexGuard<'static, Kept> {
    match KEPT.lock() {
        Ok(kept) => kept,
        // A thread that panicked while it held the lock left whole entries behind.
        Err(poisoned) => poisoned.into_inner(),
    }
}

fn parse(parser: &mut Parser, language: Language, bytes: &[u8]) -> Option<Tree> {
    // After a text that took too much work, the parser would go on with that one.
    parser.reset();
    parser.set_language(&language.grammar()).ok()?;
    let mut steps = 0;
    let mut in_budget = |_: &ParseState| {
        steps += 1;
        if steps > PARSE_STEPS {
            ControlFlow::Break(())
        } else {
            ControlFlow::Continue(())
        }
    };
    let options = ParseOptions::new().progress_callback(&mut in_budget);
    let mut read = |at: usize, _| bytes.get(at..).unwrap_or_default();
    parser.parse_with_options(&mut read, None, Some(options))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_text_is_parsed_once_and_equal_lengths_are_told_apart() {
        let text = b"fn only_in_this_test() { moor(); }\n";
        let same = |text: &[u8]| {
            let text = parsed(Language::Rust, text).unwrap();
            text.tree.root_node().to_sexp()
        };
        let first = same(text);
        let copy = text.to_vec();
        assert_eq!(same(&copy), first);
        let times_kept = |text: &[u8]| {
            let key = key(Language::Rust, text);
            let kept = kept();
            kept.trees.iter().filter(|(known, _)| *known == key).count()
        };
        assert_eq!(times_kept(text), 1);
        let other = b"fn only_in_this_test() { moor() ;}\n";
        assert_eq!(other.len(), text.len());
        assert_ne!(key(Language::Rust, other), key(Language::Rust, text));
        same(other);
        assert_eq!((times_kept(text), times_kept(other)), (1, 1));
    }
}
