//! Looks at results one by one, on as many threads as there are processors: their syntax, and, where
//! no draft of Armistice tells of them, what became of both sides' work.

use crate::parallel::{in_parallel, processors};
use crate::path::RepoPath;
use armistice_core::{
    Check, Finding, Inputs, Objection, Options, Parsed, Plan, ProofKind, Session, Source,
    SyntaxFacts, Version, Versions, Weight, bracket_findings, check, misplaced, plan,
    plan_along_moves, syntax_findings, trace,
};
use armistice_syntax::{
    Language, PARSED_BYTES, ParsedProofs, facts, is_checked, outline, parse_like,
};
use std::sync::Arc;

/// A result and what it was made from.
#[derive(Clone, Debug)]
pub(crate) struct Look {
    pub(crate) path: RepoPath,
    pub(crate) result: Source,
    pub(crate) versions: Versions,
    /// Which versions there are at all: base, ours, theirs.
    pub(crate) there: [bool; 3],
    /// Whether what became of both sides' work is found out here.
    pub(crate) traced: bool,
}

impl Look {
    /// The language that its name tells of.
    pub(crate) fn language(&self) -> Option<Language> {
        Language::of(&String::from_utf8_lossy(self.path.bytes()))
    }

    /// Whether it is the same look at the same texts.
    pub(crate) fn is(&self, other: &Look) -> bool {
        let texts = |look: &Look| {
            let Versions { base, ours, theirs } = look.versions.clone();
            [base, ours, theirs, look.result.clone()]
        };
        let same = |(a, b): (Source, Source)| a.bytes() == b.bytes();
        self.there == other.there
            && self.traced == other.traced
            && texts(self).into_iter().zip(texts(other)).all(same)
    }
}

/// What is found in each, in their order.
pub(crate) fn look_at_all(looks: &[Look]) -> Vec<Vec<Finding>> {
    in_parallel(looks.iter(), processors(), look_at)
}

fn look_at(look: &Look) -> Vec<Finding> {
    let mut found = check(&Inputs {
        result: &look.result,
        versions: Some(&look.versions),
    });
    let syntax = syntax_of(look);
    // Around an error blocks are guesses.
    let has_blocks = !syntax.iter().any(|found| found.check == Check::Syntax);
    let Versions { base, ours, theirs } = &look.versions;
    if look.there == [true; 3] || look.traced {
        let plan = plan(base, ours, theirs, &Options::default());
        let along_moves = plan.may_have_moves().then(|| along_moves(look)).flatten();
        let (plan, misplaced) = along_moves.unwrap_or((plan, Vec::new()));
        let plan = Arc::new(plan);
        let mut proven = proven(look, &plan);
        let is_known = |found: &Finding| {
            let same = |known: &Finding| known.check == found.check && known.line == found.line;
            misplaced.iter().any(same)
        };
        proven.retain(|found| !is_known(found));
        if !has_blocks {
            let all = proven.len();
            proven.retain(|found| found.check != Check::Misplaced);
            if proven.len() < all {
                let what = "blocks cannot be checked because of the syntax error";
                let mut finding = Finding::new(Check::Misplaced, None, what);
                finding.weight = Weight::Look;
                proven.push(finding);
            }
        }
        found.extend(proven);
        found.extend(misplaced);
        if look.traced {
            found.extend(trace(&plan, &look.result, None));
        }
    }
    found.extend(syntax);
    found
}

/// Lines of a result that fail a proof which every ruling passes too. A person may have meant them so.
fn proven(look: &Look, plan: &Arc<Plan>) -> Vec<Finding> {
    let versions = plan.real_versions();
    let is_version = [&versions.base, &versions.ours, &versions.theirs]
        .iter()
        .any(|text| text.bytes() == look.result.bytes());
    let path = String::from_utf8_lossy(look.path.bytes());
    if is_version {
        return Vec::new();
    }
    let unchecked = |why: &str| vec![Finding::new(Check::Together, None, why)];
    let proofs = ParsedProofs::new(plan, &path);
    let Some(proofs) = proofs.filter(|_| is_checked(&path, look.result.bytes().len())) else {
        return unchecked("the file is too large to check scope, names and numbers");
    };
    let session = Session::with_result(Arc::clone(plan), &look.result);
    let objections = session.and_then(|session| proofs.objections(session.draft()));
    let Some(objections) = objections else {
        return unchecked(
            "its lines cannot be matched, so scope, names and numbers are not checked",
        );
    };
    // Lines below each other with the same fault are one finding.
    let runs =
        objections.chunk_by(|one, next| one.line.0 + 1 == next.line.0 && one.what == next.what);
    let finding = |run: &[Objection]| {
        let found = &run[0];
        let check = match found.proof {
            ProofKind::Scope => Check::Misplaced,
            ProofKind::Names => Check::Names,
            ProofKind::Together => Check::Together,
            // What git or a person has put in order, or into one line, is right until shown wrong.
            ProofKind::Independence | ProofKind::Order => return None,
        };
        let what = match run.len() {
            1 => format!("this line {}", found.what),
            n => format!("this line, like the next {}, {}", n - 1, found.what),
        };
        let mut finding = Finding::new(check, Some(found.line), what).in_text(&look.result);
        finding.weight = Weight::Look;
        Some(finding)
    };
    runs.filter_map(finding).collect()
}

/// The plan of a look along what was moved, and edits that stand in another declaration; `None` where
/// nothing moved or no parser knows.
fn along_moves(look: &Look) -> Option<(Plan, Vec<Finding>)> {
    let language = look.language()?;
    let v = &look.versions;
    let texts = [&v.base, &v.ours, &v.theirs, &look.result];
    let [base, ours, theirs, result] = texts.map(|text| outline(language, text));
    let (base, ours, theirs, result) = (base?, ours?, theirs?, result?);
    let outlines = [&base, &ours, &theirs];
    let plan = plan_along_moves(v, outlines)?;
    Some((plan, misplaced(v, outlines, &look.result, &result)))
}

impl Look {
    /// Whether a parser reads it: it has a language and is not too long. One that is the same as a
    /// version was not made by merging, and needs none.
    pub(crate) fn is_parsed(&self) -> bool {
        self.language().is_some() && self.result.bytes().len() <= PARSED_BYTES
    }
}

/// What is wrong with the syntax of a text merged out of versions, of which some may not be there;
/// nothing for one too long to parse. Bounded in time.
pub fn merged_syntax(
    path: &RepoPath,
    result: &Source,
    versions: &Versions,
    there: [bool; 3],
) -> Vec<Finding> {
    let look = Look {
        path: path.clone(),
        result: result.clone(),
        versions: versions.clone(),
        there,
        traced: false,
    };
    match result.bytes().len() <= PARSED_BYTES {
        true => syntax_of(&look),
        false => Vec::new(),
    }
}

/// What is wrong with the syntax of a result that none of its versions has.
fn syntax_of(look: &Look) -> Vec<Finding> {
    let all = [Version::Base, Version::Ours, Version::Theirs];
    let all: Vec<&Source> = (all.into_iter().zip(look.there))
        .filter(|(_, there)| *there)
        .map(|(version, _)| look.versions.get(version))
        .collect();
    match look.language() {
        Some(language) => syntax_against(language, &look.result, &all).unwrap_or_else(|| {
            let what = "the parser gave up on it: its syntax is not checked";
            let mut found = Finding::new(Check::Syntax, None, what);
            found.weight = Weight::Look;
            vec![found]
        }),
        // What a side has as it is was not made by merging.
        None if all.iter().any(|v| v.bytes() == look.result.bytes()) => Vec::new(),
        None => bracket_findings(&look.result, &all),
    }
}

/// What makes no sense or stands twice in a text and not in any of the texts that it was made of;
/// `None` if a parser gave up.
fn syntax_against(language: Language, result: &Source, all: &[&Source]) -> Option<Vec<Finding>> {
    // What a side has as it is was not made by merging.
    if all.iter().any(|text| text.bytes() == result.bytes()) {
        return Some(Vec::new());
    }
    if let Some(like) = all.get(1).or(all.first()) {
        parse_like(language, result.bytes(), like.bytes());
    }
    let own = facts(language, result.bytes())?;
    // The others are parsed only where there is something to hold against them.
    if own.errors.is_empty() && own.repeated.is_empty() {
        return Some(Vec::new());
    }
    let theirs: Option<Vec<SyntaxFacts>> = all.iter().map(|v| facts(language, v.bytes())).collect();
    let theirs = theirs?;
    let parsed = all.iter().zip(&theirs);
    let parsed: Vec<Parsed<'_>> = parsed.map(|(text, facts)| Parsed { text, facts }).collect();
    let own = Parsed {
        text: result,
        facts: &own,
    };
    Some(syntax_findings(own, &parsed))
}

/// What makes no sense to the parser of a path's language in `result`, or stands twice there, and not
/// in any of `others`; nothing where there is no parser or it gave up.
pub fn new_syntax_findings(path: &str, result: &Source, others: &[&Source]) -> Vec<Finding> {
    let Some(language) = Language::of(path).filter(|_| result.bytes().len() <= PARSED_BYTES) else {
        return Vec::new();
    };
    syntax_against(language, result, others).unwrap_or_default()
}

/// Whether a parser is known for a path.
pub fn has_parser(path: &str) -> bool {
    Language::of(path).is_some()
}
