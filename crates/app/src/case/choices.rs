//! The possible resolutions of a conflict: the rows of the settle box.

use crate::case::opened::OpenedFile;
use armistice_core::{
    LineRange, Pick, Plan, RegionId, Resolution, Segment, Side, Version, joined, rule_title,
};

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
        ("a", joined(file.plan(), id, Side::Ours)),
        ("A", joined(file.plan(), id, Side::Theirs)),
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
    let is_new = |key: &str| match key {
        "b" => base != ours && base != theirs,
        "a" | "A" => !one_is_empty,
        "d" => !one_is_empty && !base.is_empty(),
        _ => true,
    };
    let possible = all.into_iter().filter(|(key, _)| is_new(key));
    let plain = possible.map(|(key, resolution)| Choice {
        key,
        label: match key {
            "a" => Resolution::Both(Side::Ours).name().to_owned(),
            "A" => Resolution::Both(Side::Theirs).name().to_owned(),
            _ => resolution.name().to_owned(),
        },
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
    let commented = Side::BOTH.into_iter().filter(|_| !one_is_empty);
    let commented = commented.filter_map(|kept| {
        let resolution = with_comment(file, id, kept)?;
        Some(Choice {
            key: if kept == Side::Ours { "C" } else { "D" },
            label: commented_name(kept).to_owned(),
            lines: resolution.len(region),
            resolution,
        })
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
        .chain(commented)
        .collect()
}

/// Picked lines in their order, some of them as comments.
pub fn picked(file: &OpenedFile, picks: &[Pick], commented: &[Pick]) -> Resolution {
    let Some(comments) = file.comments.filter(|_| !commented.is_empty()) else {
        return Resolution::Lines(picks.to_vec());
    };
    let versions = file.plan().versions();
    let segment = |pick: &Pick| {
        let lines = LineRange::new(pick.line.0, pick.line.0 + 1);
        match commented.contains(pick) {
            true => {
                let line = versions.get(pick.version).slice(lines);
                Segment::Text(comments.comment_out(line))
            }
            false => Segment::Lines(pick.version, lines),
        }
    };
    Resolution::Segments(picks.iter().map(segment).collect())
}

/// One side with the other behind it as a comment, as the screens say it.
pub fn commented_name(kept: Side) -> &'static str {
    match kept {
        Side::Ours => "ours, theirs as a comment",
        Side::Theirs => "theirs, ours as a comment",
    }
}

/// One side's lines with those of the other behind them as a comment; nothing where the file's
/// language has no comments, or none is known, or there is nothing to be left as one.
pub fn with_comment(file: &OpenedFile, id: RegionId, kept: Side) -> Option<Resolution> {
    let comments = file.comments?;
    let region = file.plan().region(id);
    let other = Version::from(kept.other());
    let lines = file.plan().versions().get(other).slice(region.lines(other));
    if lines.trim_ascii().is_empty() {
        return None;
    }
    let kept = Version::from(kept);
    Some(Resolution::Segments(vec![
        Segment::Lines(kept, region.lines(kept)),
        Segment::Text(comments.comment_out(lines)),
    ]))
}

/// A version where both clash; what one side alone changed stands whichever is taken.
pub fn clashing(plan: &Plan, id: RegionId, version: Version) -> Resolution {
    let side = match version {
        Version::Base => None,
        Version::Ours | Version::Theirs => plan.undisputed(id),
    };
    Resolution::Take(side.map_or(version, Version::from))
}
