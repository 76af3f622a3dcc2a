//! What was decided, file by file: a strip with who stands where, and how many conflicts were settled how.

use crate::scene::{Colour, LINE, MARGIN, Painter, SIZE, Scene, Shape};
use armistice_core::{DecidedBy, MergeRecord};

const WIDTH: f32 = 595.0;
const HEIGHT: f32 = 842.0;

/// Draws a record; pages break between files.
pub fn record_scene(record: &MergeRecord) -> Scene {
    let subtitle = format!(
        "{} · ▲ {} · ▼ {} · by {}",
        record.operation, record.ours, record.theirs, record.who
    );
    let mut painter = Painter::new("What was decided", &subtitle, WIDTH, HEIGHT);
    for file in &record.files {
        painter.room(LINE * 4.0);
        let open = file
            .decisions
            .iter()
            .filter(|d| d.by == DecidedBy::Open)
            .count();
        let tail = match (file.decisions.len(), open) {
            (1, 0) => "1 conflict".to_owned(),
            (1, _) => "1 conflict, open".to_owned(),
            (n, 0) => format!("{n} conflicts"),
            (n, open) => format!("{n} conflicts, {open} open"),
        };
        let room = painter.measure(&tail, SIZE) + 12.0;
        painter.fitted(
            [MARGIN, painter.y],
            WIDTH - 2.0 * MARGIN - room,
            Colour::Text,
            &file.path,
        );
        painter.text(
            [WIDTH - MARGIN - room + 12.0, painter.y],
            SIZE,
            Colour::Faint,
            &tail,
        );
        painter.y += 6.0;
        strip(&mut painter, &file.strip);
        painter.y += LINE;
        let mut x = MARGIN;
        for by in DecidedBy::ALL {
            let n = file.decisions.iter().filter(|d| d.by == by).count();
            if n > 0 {
                let text = format!("{} {} {n}", mark(by), by.name());
                painter.text([x, painter.y], SIZE, colour(by), &text);
                x += painter.measure(&text, SIZE) + 16.0;
            }
        }
        painter.y += LINE * 1.5;
    }
    painter.legend(&DecidedBy::ALL.map(|by| (colour(by), by.legend())));
    painter.finish()
}

fn strip(painter: &mut Painter, cells: &[Option<DecidedBy>]) {
    let width = (WIDTH - 2.0 * MARGIN) / cells.len().max(1) as f32;
    let y = painter.y;
    painter.put(Shape::Box {
        at: [MARGIN, y, WIDTH - 2.0 * MARGIN, 7.0],
        colour: Colour::Panel,
        hollow: false,
    });
    for (nth, cell) in cells.iter().enumerate() {
        if let Some(by) = cell {
            painter.put(Shape::Box {
                at: [MARGIN + nth as f32 * width, y, width, 7.0],
                colour: colour(*by),
                hollow: *by == DecidedBy::Open,
            });
        }
    }
    painter.y += 7.0;
}

fn colour(by: DecidedBy) -> Colour {
    match by {
        DecidedBy::Rule | DecidedBy::Both | DecidedBy::Blend => Colour::Blend,
        DecidedBy::Ours => Colour::Ours,
        DecidedBy::Theirs => Colour::Theirs,
        DecidedBy::Base => Colour::Base,
        DecidedBy::Hand => Colour::Hand,
        DecidedBy::Open => Colour::Finding,
    }
}

fn mark(by: DecidedBy) -> &'static str {
    match by {
        DecidedBy::Rule => "★",
        DecidedBy::Both | DecidedBy::Blend => "◈",
        DecidedBy::Ours => "▲",
        DecidedBy::Theirs => "▼",
        DecidedBy::Base => "◆",
        DecidedBy::Hand => "✎",
        DecidedBy::Open => "○",
    }
}
