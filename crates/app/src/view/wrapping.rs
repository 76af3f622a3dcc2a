//! Lines in rows of a given width, words whole.

use crate::base::safe_text::width_of;
use crate::case::card_lines::{CardLine, Tone};
use unicode_segmentation::UnicodeSegmentation;

/// A line of a card in rows of at most `width` columns. Long stretches that did not change are cut
/// short, with a sign, where the line would take many rows.
pub(crate) fn wrapped(line: &CardLine, width: usize) -> Vec<Vec<(Tone, String)>> {
    let width = width.max(8);
    let total: usize = line.parts.iter().map(|(_, text)| width_of(text)).sum();
    if total <= width {
        return vec![line.parts.clone()];
    }
    let parts = match total > 3 * width {
        true => condensed(&line.parts, width),
        false => line.parts.clone(),
    };
    laid_out(&parts, width)
}

/// Parts of a line in rows of at most `width` columns; a word is broken only where it is longer.
pub(crate) fn laid_out(parts: &[(Tone, String)], width: usize) -> Vec<Vec<(Tone, String)>> {
    let mut rows = vec![Vec::new()];
    let mut column = 0;
    for (tone, text) in parts {
        let tone = *tone;
        let mut piece = String::new();
        for word in text.split_word_bounds() {
            let whole = width_of(word);
            // A word is broken only where it is longer than a row.
            if column > 0 && column + whole > width && whole <= width {
                push(&mut rows, tone, &mut piece);
                rows.push(Vec::new());
                column = 0;
            }
            for grapheme in word.graphemes(true) {
                let wide = width_of(grapheme).max(1);
                if column + wide > width {
                    push(&mut rows, tone, &mut piece);
                    rows.push(Vec::new());
                    column = 0;
                }
                piece += grapheme;
                column += wide;
            }
        }
        push(&mut rows, tone, &mut piece);
    }
    rows
}

fn push(rows: &mut [Vec<(Tone, String)>], tone: Tone, piece: &mut String) {
    let text = std::mem::take(piece);
    if let Some(row) = rows.last_mut().filter(|_| !text.is_empty()) {
        row.push((tone, text));
    }
}

/// The parts of a line with the middle of long unchanged stretches left out.
fn condensed(parts: &[(Tone, String)], width: usize) -> Vec<(Tone, String)> {
    let changed = |tone: &Tone| matches!(tone, Tone::Removed | Tone::Added);
    if !parts.iter().any(|(tone, _)| changed(tone)) {
        return parts.to_vec();
    }
    let keep = width / 3;
    let last = parts.len() - 1;
    let mut out = Vec::new();
    for (nth, (tone, text)) in parts.iter().enumerate() {
        let clusters: Vec<&str> = text.graphemes(true).collect();
        if changed(tone) || *tone == Tone::Sign || clusters.len() <= 2 * keep + 1 {
            out.push((*tone, text.clone()));
            continue;
        }
        if nth > 0 {
            out.push((*tone, clusters[..keep].concat()));
        }
        out.push((Tone::Sign, "…".to_owned()));
        if nth < last {
            out.push((*tone, clusters[clusters.len() - keep..].concat()));
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::case::stakes::Stake;

    #[test]
    fn long_lines_wrap_and_what_changed_stays() {
        let line = |parts: &[(Tone, &str)]| CardLine {
            parts: parts
                .iter()
                .map(|(tone, text)| (*tone, (*text).to_owned()))
                .collect(),
            ..CardLine {
                number: Some(1),
                sign: " ",
                parts: Vec::new(),
                pick: None,
                stake: Stake::Clash,
            }
        };
        let text = |rows: Vec<Vec<(Tone, String)>>| -> Vec<String> {
            let join = |row: Vec<(Tone, String)>| row.into_iter().map(|(_, text)| text).collect();
            rows.into_iter().map(join).collect()
        };
        let short = line(&[(Tone::Plain, "moor the "), (Tone::Added, "tug at once")]);
        assert_eq!(text(wrapped(&short, 12)), ["moor the tug", " at once"]);
        let long = "quay ".repeat(60);
        let far = line(&[
            (Tone::Plain, &long),
            (Tone::Added, "tug"),
            (Tone::Plain, &long),
        ]);
        let rows = text(wrapped(&far, 30));
        assert_eq!(rows, ["…quay quay tugquay quay …"]);
    }
}
