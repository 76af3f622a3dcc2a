//! The frame, the theme and the state that all drawing functions use, and the helpers they share.

use crate::base::safe_text::Pen;
use crate::base::theme::{Role, Theme};
use crate::state::app::State;
use crate::view::areas::Screen;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Style;

/// What every drawing function needs.
pub(crate) struct Canvas<'a> {
    pub(crate) state: &'a State,
    pub(crate) screen: &'a Screen<'a>,
    pub(crate) theme: &'a Theme,
    pub(crate) buffer: &'a mut Buffer,
    pub(crate) cursor: Option<(u16, u16)>,
}

impl Canvas<'_> {
    pub(crate) fn pen(&mut self, area: Rect, y: u16) -> Pen<'_> {
        Pen::new(self.buffer, area, y)
    }

    /// Lays the ground of a chosen row under what is written there next.
    pub(crate) fn choose_row(&mut self, area: Rect, y: u16) {
        let row = Rect {
            y: area.y + y,
            height: 1,
            ..area
        };
        self.buffer.set_style(row, self.theme.chosen(Style::new()));
    }

    /// A horizontal rule with a title in it.
    pub(crate) fn rule(&mut self, area: Rect, y: u16, title: &str) {
        let theme = *self.theme;
        let mut pen = self.pen(area, y);
        pen.write("── ", theme.fg(Role::Rule))
            .write(title, theme.bold())
            .write(" ", theme.text());
        pen.fill("─", theme.fg(Role::Rule));
    }
}
