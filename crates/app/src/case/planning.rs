//! The plan a file is settled by: by lines, or by its declarations where those tell more.

use crate::case::propose::propose_judged;
use armistice_core::{
    Certainty, Options, Outline, Plan, RegionId, RuleContext, Ruling, Versions, plan,
    plan_by_declarations, prefers_declarations,
};
use armistice_syntax::{Language, outline};
use std::sync::Arc;

/// Bytes of each version up to which its declarations are asked for: a whole merge of three texts of
/// 380 kB takes half a second with them.
const OUTLINED_BYTES: usize = 400_000;

/// How the texts of a plan are laid out.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum LayOut {
    /// As rules make more of it.
    #[default]
    Best,
    /// As they are.
    Lines,
    /// By declarations, where that can be.
    Declarations,
}

/// A plan and what rules make of its conflicts.
pub type Planned = (Arc<Plan>, Vec<(RegionId, Ruling)>);

/// The plan of a file and what rules make of its conflicts.
pub fn planned(versions: &Versions, context: &RuleContext, lay_out: LayOut) -> Planned {
    let (options, v) = (Options::default(), versions);
    let by_lines = Arc::new(plan(&v.base, &v.ours, &v.theirs, &options));
    let by_declarations = match lay_out {
        LayOut::Lines => None,
        _ => declarations_of(&by_lines, context, &options),
    };
    let Some(by_declarations) = by_declarations.map(Arc::new) else {
        let rulings = propose_judged(&by_lines, context);
        return (by_lines, rulings);
    };
    if lay_out == LayOut::Declarations || by_declarations.insists() {
        let rulings = propose_judged(&by_declarations, context);
        return (by_declarations, rulings);
    }
    let rulings = propose_judged(&by_lines, context);
    let certain = |(_, ruling): &(RegionId, Ruling)| ruling.certainty == Certainty::Certain;
    if rulings.len() == by_lines.conflicts().len() && rulings.iter().all(certain) {
        return (by_lines, rulings);
    }
    let others = propose_judged(&by_declarations, context);
    match prefers_declarations((&by_lines, &rulings), (&by_declarations, &others)) {
        true => (by_declarations, others),
        false => (by_lines, rulings),
    }
}

fn declarations_of(plain: &Plan, context: &RuleContext, options: &Options) -> Option<Plan> {
    if plain.conflicts().is_empty() {
        return None;
    }
    let [base, ours, theirs] = outlines(&context.path, plain.versions())?;
    plan_by_declarations(plain, [&base, &ours, &theirs], options)
}

/// The declarations of base, ours and theirs; `None` if no parser is known or one is too long.
pub fn outlines(path: &str, versions: &Versions) -> Option<[Outline; 3]> {
    let language = Language::of(path)?;
    let of = |text| outline(language, text);
    let texts = [&versions.base, &versions.ours, &versions.theirs];
    if texts.iter().any(|text| text.bytes().len() > OUTLINED_BYTES) {
        return None;
    }
    let [base, ours, theirs] = texts.map(of);
    Some([base?, ours?, theirs?])
}
