//! What each side did to declarations, drawn in three columns joined by lines.

use crate::scene::{Colour, LINE, MARGIN, Painter, SIZE, Scene};
use armistice_core::{Columns, DeclarationChange, Side, Version, changed_with_surroundings};

/// One file of the picture.
#[derive(Clone, Debug)]
pub struct MovedFile<'a> {
    /// Where it stands.
    pub path: String,
    /// What each side did to its declarations.
    pub changes: &'a [DeclarationChange],
    /// For each declaration, in words, where ours and theirs have it in another file.
    pub elsewhere: Vec<[Option<String>; 2]>,
}

/// What is to be drawn.
#[derive(Clone, Debug)]
pub struct MovesPicture<'a> {
    /// What ours is called.
    pub ours: String,
    /// What theirs is called.
    pub theirs: String,
    /// The files, in order.
    pub files: Vec<MovedFile<'a>>,
}

const WIDTH: f32 = 842.0;
const HEIGHT: f32 = 595.0;
const GUTTER: f32 = 70.0;

/// Draws it; pages break between files where that can be.
pub fn moves_scene(picture: &MovesPicture<'_>) -> Scene {
    let subtitle = format!(
        "▲ {} · ▼ {} · in the middle what both started from",
        picture.ours, picture.theirs
    );
    let mut painter = Painter::new("What moved", &subtitle, WIDTH, HEIGHT);
    for file in &picture.files {
        draw_file(&mut painter, file);
    }
    if picture.files.is_empty() {
        painter.text(
            [MARGIN, painter.y],
            SIZE,
            Colour::Text,
            "Neither side changed a declaration.",
        );
        painter.y += LINE;
    }
    painter.legend(&[
        (Colour::Ours, "▲ ours"),
        (Colour::Theirs, "▼ theirs"),
        (Colour::Base, "◆ base"),
        (
            Colour::Faint,
            "thick lines: moved; names in grey: left alone",
        ),
    ]);
    painter.finish()
}

/// Left edges of ours, base and theirs, and the width of each column.
fn columns(width: f32) -> ([f32; 3], f32) {
    let column = (width - 2.0 * MARGIN - 2.0 * GUTTER) / 3.0;
    let at = |n: f32| MARGIN + n * (column + GUTTER);
    ([at(0.0), at(1.0), at(2.0)], column)
}

fn draw_file(painter: &mut Painter, file: &MovedFile<'_>) {
    let shown = changed_with_surroundings(file.changes);
    let columns_of = Columns::new(file.changes, |n| shown[n]);
    if columns_of.rows() == 0 {
        return;
    }
    painter.room(LINE * (columns_of.rows() as f32 + 2.0));
    painter.fitted(
        [MARGIN, painter.y],
        WIDTH - 2.0 * MARGIN,
        Colour::Text,
        &file.path,
    );
    painter.y += LINE;
    let (left, width) = columns(painter.width());
    let top = painter.y;
    for (x, version) in [
        (left[0], Version::Ours),
        (left[1], Version::Base),
        (left[2], Version::Theirs),
    ] {
        for (row, cell) in columns_of.cells(version).iter().enumerate() {
            let Some(cell) = cell else {
                continue;
            };
            let change = &file.changes[cell.declaration];
            let (colour, mark, words) = told(file, cell.declaration, version);
            let indent = 8.0 * cell.depth as f32;
            let text = format!("{mark}{} {}{words}", change.kind, change.name_in(version));
            let at = [x + indent, top + LINE * row as f32];
            painter.fitted(at, width - indent, colour, &text);
        }
    }
    for side in Side::BOTH {
        let (from, to) = match side {
            Side::Ours => (left[1] - 5.0, left[0] + width + 5.0),
            Side::Theirs => (left[1] + width + 5.0, left[2] - 5.0),
        };
        let mut lane = 0.0;
        for join in &columns_of.joins[side] {
            let y = |row: usize| top + LINE * row as f32 - 3.0;
            let Some(cell) = columns_of.cells(Version::Base)[join.base] else {
                continue;
            };
            let did = file.changes[cell.declaration].did[side];
            let colour = match (did.anything(), side) {
                (false, _) => Colour::Rule,
                (_, Side::Ours) => Colour::Ours,
                (_, Side::Theirs) => Colour::Theirs,
            };
            let thick = if join.moved { 1.6 } else { 0.8 };
            let turn = from + (to - from) * (0.2 + lane % 0.6);
            lane += if join.moved { 0.13 } else { 0.0 };
            let points = match join.base == join.side {
                true => vec![[from, y(join.base)], [to, y(join.side)]],
                false => vec![
                    [from, y(join.base)],
                    [turn, y(join.base)],
                    [turn, y(join.side)],
                    [to, y(join.side)],
                ],
            };
            painter.line(points, colour, thick);
        }
    }
    painter.y = top + LINE * (columns_of.rows() as f32 + 0.6);
}

/// The colour, the mark and the words of a declaration in a column.
fn told(
    file: &MovedFile<'_>,
    declaration: usize,
    version: Version,
) -> (Colour, &'static str, String) {
    let change = &file.changes[declaration];
    let side = match version {
        Version::Ours => Side::Ours,
        Version::Theirs => Side::Theirs,
        Version::Base => {
            let gone = Side::BOTH
                .into_iter()
                .filter(|s| change.lines_in((*s).into()).is_none());
            let words: Vec<String> = gone
                .map(|side| {
                    let mark = if side == Side::Ours { "▲" } else { "▼" };
                    let to = &file.elsewhere[declaration][side as usize];
                    match to {
                        Some(path) => format!("{mark} moved to {path}"),
                        None => format!("{mark} {}", change.did[side].words()),
                    }
                })
                .collect();
            let words = if words.is_empty() {
                String::new()
            } else {
                format!("  {}", words.join(" · "))
            };
            let colour = if change.is_changed() {
                Colour::Text
            } else {
                Colour::Faint
            };
            return (colour, "", words);
        }
    };
    let did = change.did[side];
    if !did.anything() {
        return (Colour::Faint, "", String::new());
    }
    match side {
        Side::Ours => (Colour::Ours, "▲ ", format!("  {}", did.words())),
        Side::Theirs => (Colour::Theirs, "▼ ", format!("  {}", did.words())),
    }
}
