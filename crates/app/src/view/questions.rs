//! Where a question and its answers are.

use crate::base::safe_text::wrap;
use crate::state::overlay::Question;
use crate::view::areas::Screen;
use ratatui::layout::Rect;

/// The box of a question, and where its two answers are.
pub fn question_areas(screen: &Screen<'_>, question: &Question) -> (Rect, Rect, Rect) {
    let width = 76;
    let inner = screen.middle(width, 99).width.saturating_sub(4) as usize;
    let lines: usize = question.lines.iter().map(|l| wrap(l, inner).len()).sum();
    let area = screen.middle(width, lines as u16 + 6);
    let y = area.y + area.height.saturating_sub(2);
    let yes_width = (question.yes.chars().count() + 6) as u16;
    let yes = Rect::new(area.x + 2, y, yes_width, 1);
    let no = Rect::new(area.x + 4 + yes_width, y, 14, 1);
    (area, yes, no)
}
