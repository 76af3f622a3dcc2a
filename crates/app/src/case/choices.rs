//! The possible resolutions of a conflict: the rows of the settle box.

use crate::case::opened::OpenedFile;
use armistice_core::{RegionId, Resolution, Side, Version, rule_title};

/// The key of the choice that a rule proposes.
pub const PROPOSAL: &str = "space";

/// One line of the settle box.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Choice {
    pub key: &'static str,
    pub label: String,
    pub lines: usize,
    pub resolution: Resolution,
}

/// The words of one side at the indentation of the other, as the screens say it.
pub fn reindented_name(words: Side) -> &'static str {
    match words {
        Side::Ours => "ours re-indented",
        Side::Theirs => "theirs re-indented",
    }
}

/// What is possible for a region, and how many lines each choice would give.
///
/// Choices that would give the same lines as one before them are left out.
pub fn choices(file: &OpenedFile, id: RegionId) -> Vec<Choice> {
    let region = file.plan().region(id);
    if file.plan().conflict_of(id).is_none() {
        return Vec::new();
    }
    let all = [
        ("o", Resolution::Take(Version::Ours)),
        ("t", Resolution::Take(Version::Theirs)),
        ("b", Resolution::Take(Version::Base)),
        ("a", Resolution::Both(Side::Ours)),
        ("A", Resolution::Both(Side::Theirs)),
        ("d", Resolution::Drop),
    ];
    let versions = file.plan().versions();
    let text = |version| versions.get(version).slice(region.lines(version));
    let (ours, theirs, base) = (
        text(Version::Ours),
        text(Version::Theirs),
        text(Version::Base),
    );
    let one_is_empty = ours.is_empty() || theirs.is_empty();
    let is_new = |resolution: &Resolution| match resolution {
        Resolution::Take(Version::Base) => base != ours && base != theirs,
        Resolution::Both(_) => !one_is_empty,
        Resolution::Drop => !one_is_empty && !base.is_empty(),
        Resolution::Take(_) | Resolution::Lines(_) | Resolution::Segments(_) => true,
    };
    let possible = all.into_iter().filter(|(_, resolution)| is_new(resolution));
    let plain = possible.map(|(key, resolution)| Choice {
        key,
        label: resolution.name().to_owned(),
        lines: resolution.len(region),
        resolution,
    });
    let reindented = file.reindented.get(&id).into_iter().flatten();
    let reindented = reindented.map(|(words, resolution)| Choice {
        key: if *words == Side::Ours { "i" } else { "I" },
        label: reindented_name(*words).to_owned(),
        lines: resolution.len(region),
        resolution: resolution.clone(),
    });
    let proposed = file.proposal(id).and_then(|ruling| {
        let resolution = ruling.resolution.clone()?;
        Some(Choice {
            key: PROPOSAL,
            label: rule_title(&ruling.rule).to_owned(),
            lines: resolution.len(region),
            resolution,
        })
    });
    proposed
        .into_iter()
        .chain(plain)
        .chain(reindented)
        .collect()
}
