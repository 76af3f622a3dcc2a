//! Two lines of commits and where they meet.

use crate::scene::{Colour, LINE, MARGIN, Painter, SIZE, Scene, Shape};

/// One commit.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CommitDot {
    /// Its short name.
    pub short: String,
    /// Its subject.
    pub subject: String,
    /// Who made it, and when, in words.
    pub who: String,
}

/// What is to be drawn.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct HistoryPicture {
    /// What ours is called.
    pub ours: String,
    /// What theirs is called.
    pub theirs: String,
    /// Commits that ours alone has, newest first.
    pub of_ours: Vec<CommitDot>,
    /// Commits that theirs alone has, newest first.
    pub of_theirs: Vec<CommitDot>,
    /// How many more of each there are that are not listed.
    pub left_out: [usize; 2],
    /// What both started from; `None` if they have nothing in common.
    pub base: Option<CommitDot>,
}

const WIDTH: f32 = 842.0;
const HEIGHT: f32 = 595.0;

/// Draws both lines side by side down to what they started from.
pub fn history_scene(picture: &HistoryPicture) -> Scene {
    let counts = [&picture.of_ours, &picture.of_theirs];
    let count = |n: usize| counts[n].len() + picture.left_out[n];
    let subtitle = format!(
        "▲ {}: {} of its own · ▼ {}: {} of its own",
        picture.ours,
        commits(count(0)),
        picture.theirs,
        commits(count(1))
    );
    let mut painter = Painter::new("Two lines of commits", &subtitle, WIDTH, HEIGHT);
    let half = (WIDTH - 2.0 * MARGIN) / 2.0;
    let rows = picture.of_ours.len().max(picture.of_theirs.len());
    let mut from = painter.y;
    for row in 0..rows {
        painter.room(LINE * 2.4);
        if painter.y < from {
            from = painter.y;
        }
        for (n, line) in counts.iter().enumerate() {
            let Some(commit) = line.get(row) else {
                continue;
            };
            let colour = if n == 0 { Colour::Ours } else { Colour::Theirs };
            draw_commit(&mut painter, MARGIN + n as f32 * half, half, colour, commit);
        }
        painter.y += LINE * 2.2;
    }
    for (n, left_out) in picture.left_out.iter().enumerate().filter(|(_, n)| **n > 0) {
        let x = MARGIN + n as f32 * half + 16.0;
        let text = format!("… and {} more", commits(*left_out));
        painter.text([x, painter.y], SIZE, Colour::Faint, &text);
    }
    painter.y += LINE;
    let to = painter.y;
    let (left, right) = (MARGIN + 5.0, MARGIN + half + 5.0);
    painter.line(
        vec![[right, from - 3.0], [right, to], [left, to]],
        Colour::Theirs,
        1.4,
    );
    painter.line(
        vec![[left, from - 3.0], [left, to + LINE]],
        Colour::Ours,
        1.4,
    );
    painter.y += LINE + 3.0;
    match &picture.base {
        Some(base) => draw_commit(&mut painter, MARGIN, half * 2.0, Colour::Base, base),
        None => painter.text(
            [MARGIN + 16.0, painter.y],
            SIZE,
            Colour::Finding,
            "They have nothing in common.",
        ),
    }
    painter.y += LINE * 2.2;
    painter.legend(&[
        (Colour::Ours, "▲ ours"),
        (Colour::Theirs, "▼ theirs"),
        (Colour::Base, "◆ what both started from"),
    ]);
    painter.finish()
}

fn commits(n: usize) -> String {
    match n {
        1 => "1 commit".to_owned(),
        n => format!("{n} commits"),
    }
}

fn draw_commit(painter: &mut Painter, x: f32, room: f32, colour: Colour, commit: &CommitDot) {
    let y = painter.y;
    painter.put(Shape::Disc {
        at: [x + 5.0, y - 3.0],
        radius: 3.6,
        colour,
    });
    let text = format!("{} {}", commit.short, commit.subject);
    painter.fitted([x + 16.0, y], room - 24.0, Colour::Text, &text);
    painter.fitted(
        [x + 16.0, y + LINE * 0.85],
        room - 24.0,
        Colour::Faint,
        &commit.who,
    );
}
