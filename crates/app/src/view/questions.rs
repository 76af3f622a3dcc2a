//! Where a question and its answers are.

use crate::base::safe_text::{visible, wrap};
use crate::state::overlay::{Other, Question};
use crate::view::areas::Screen;
use ratatui::layout::Rect;

/// The box of a question, and where its answers are.
pub struct QuestionAreas {
    pub all: Rect,
    pub yes: Rect,
    pub other: Option<Rect>,
    pub no: Rect,
    /// Its lines, wrapped.
    pub lines: Vec<String>,
    /// How many of them are shown at once.
    pub rows: usize,
}

pub fn question_areas(screen: &Screen<'_>, question: &Question) -> QuestionAreas {
    let width = 76;
    let inner = screen.middle(width, 99).width.saturating_sub(4) as usize;
    let lines = question.lines.iter().flat_map(|l| wrap(&visible(l), inner));
    let lines: Vec<String> = lines.collect();
    let more = u16::from(question.other.is_some());
    let all = screen.middle(width, (lines.len().min(9999)) as u16 + 6 + more);
    // A blank row above, the answers below; where not all lines fit, a row says so.
    let room = usize::from(all.height.saturating_sub(4 + more));
    let rows = match lines.len() <= room {
        true => room,
        false => room.saturating_sub(1),
    };
    let y = all.y + all.height.saturating_sub(2);
    let yes_width = (question.yes.chars().count() + 6) as u16;
    let row = |other: &Other| {
        let width = (other.label.chars().count() + other.key.len() + 1) as u16;
        Rect::new(all.x + 2, y, width, 1)
    };
    QuestionAreas {
        yes: Rect::new(all.x + 2, y.saturating_sub(more), yes_width, 1),
        no: Rect::new(all.x + 4 + yes_width, y.saturating_sub(more), 14, 1),
        other: question.other.as_ref().map(row),
        rows,
        lines,
        all,
    }
}
