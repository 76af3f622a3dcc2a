//! Files of code in all their versions, as names in them are looked for.

use crate::path::RepoPath;
use crate::process::error::Error;
use crate::repo::repository::Repository;
use crate::situation::touched::{Touched, texts_of};
use armistice_core::{Outline, Source};
use armistice_syntax::{Language, outline};
use std::collections::{HashMap, HashSet};

/// Names shorter than that stand for too much.
const NAME_BYTES: usize = 3;

/// The language of a file of code; `None` for data and documents.
pub(crate) fn language(path: &RepoPath) -> Option<Language> {
    let language = Language::of(&String::from_utf8_lossy(path.bytes()))?;
    let is_data = matches!(
        language,
        Language::Css
            | Language::Html
            | Language::Json
            | Language::Markdown
            | Language::Toml
            | Language::Yaml
    );
    (!is_data).then_some(language)
}

/// A file in all its versions.
pub(crate) struct File {
    pub(crate) path: RepoPath,
    pub(crate) language: Language,
    pub(crate) base: Source,
    pub(crate) sides: [Source; 2],
    pub(crate) staged: Source,
    /// Words of each side that stand there more often than in base, and less often.
    pub(crate) risen: [HashSet<Vec<u8>>; 2],
    pub(crate) dropped: [HashSet<Vec<u8>>; 2],
}

pub(crate) fn read(repo: &Repository, files: &[&Touched]) -> Result<Vec<File>, Error> {
    let texts = texts_of(repo, files)?;
    let mut out = Vec::with_capacity(files.len());
    for (touched, [base, ours, theirs, staged]) in files.iter().zip(texts) {
        let Some(language) = language(&touched.path) else {
            continue;
        };
        let before = counts(base.bytes());
        let sides = [ours, theirs];
        let after = [0, 1].map(|n: usize| counts(sides[n].bytes()));
        let compared = |risen: bool| {
            [0, 1].map(|n: usize| {
                let more = |a: &HashMap<&[u8], u32>, b: &HashMap<&[u8], u32>| {
                    let words = a
                        .iter()
                        .filter(|(word, n)| **n > b.get(*word).copied().unwrap_or(0));
                    words.map(|(word, _)| word.to_vec()).collect::<HashSet<_>>()
                };
                match risen {
                    true => more(&after[n], &before),
                    false => more(&before, &after[n]),
                }
            })
        };
        let (risen, dropped) = (compared(true), compared(false));
        out.push(File {
            path: touched.path.clone(),
            language,
            base,
            sides,
            staged,
            risen,
            dropped,
        });
    }
    Ok(out)
}

pub(crate) fn words(bytes: &[u8]) -> impl Iterator<Item = &[u8]> {
    let words = bytes.split(|b| !(b.is_ascii_alphanumeric() || *b == b'_' || *b >= 0x80));
    words.filter(|word| word.len() >= NAME_BYTES && !word[0].is_ascii_digit())
}

pub(crate) fn counts(bytes: &[u8]) -> HashMap<&[u8], u32> {
    let mut counts = HashMap::new();
    for word in words(bytes) {
        *counts.entry(word).or_default() += 1;
    }
    counts
}

/// The last part of a name: what it is called by.
pub(crate) fn called(name: &str) -> &str {
    let name = name.rsplit([':', '.', ' ']).next().unwrap_or(name);
    name.trim_matches(|c: char| !c.is_alphanumeric() && c != '_')
}

pub(crate) fn outlined(language: Language, text: &Source) -> Outline {
    outline(language, text).unwrap_or_default()
}

/// Whether a text declares a name.
pub(crate) fn declares(language: Language, text: &Source, name: &str) -> bool {
    !declared_of(language, text, &HashSet::from([name])).is_empty()
}

/// Those of some names that a text declares. Only a text with the word is parsed.
pub(crate) fn declared_of(language: Language, text: &Source, names: &HashSet<&str>) -> Vec<String> {
    let is_one = |word: &[u8]| std::str::from_utf8(word).is_ok_and(|word| names.contains(word));
    if !words(text.bytes()).any(is_one) {
        return Vec::new();
    }
    let outline = outlined(language, text);
    let all = outline.flat();
    let declared = all.iter().map(|(_, d)| called(&d.name));
    let found = declared.filter(|name| names.contains(name));
    found.map(str::to_owned).collect()
}

/// Where a whole word stands in a row.
pub(crate) fn places<'a>(row: &'a [u8], word: &'a [u8]) -> impl Iterator<Item = usize> + 'a {
    let is_part =
        |b: Option<&u8>| b.is_some_and(|b| b.is_ascii_alphanumeric() || *b == b'_' || *b >= 0x80);
    let windows = row.windows(word.len().max(1)).enumerate();
    windows.filter_map(move |(at, window)| {
        let before = at.checked_sub(1).and_then(|n| row.get(n));
        (window == word && !is_part(before) && !is_part(row.get(at + word.len()))).then_some(at)
    })
}
