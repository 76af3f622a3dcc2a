//! The line at the cursor of the draft, in full, where the window cuts it; and whether any line is cut.

use crate::base::safe_text::{is_wider, visible, width_of};
use crate::state::file::OpenFile;
use crate::view::areas::Screen;
use crate::view::draft_rows::{DraftRow, DraftRows};
use unicode_segmentation::UnicodeSegmentation;

/// Rows that it takes at most; what is longer is scrolled to.
const MOST: usize = 6;
/// Columns in front of it.
const LABEL: usize = 9;

/// The line at the cursor in rows; nothing if the window shows all of it.
pub(crate) fn whole_line_rows(
    screen: &Screen<'_>,
    file: &OpenFile,
    rows: &DraftRows<'_>,
) -> Option<Vec<String>> {
    let (left, window) = (screen.left(), screen.draft_area());
    let text = text_at(file, rows, rows.cursor())?;
    if !is_cut(&text, file.view.left, window.width) {
        return None;
    }
    let width = (left.width as usize).saturating_sub(LABEL + 1).max(8);
    let mut out = vec![String::new()];
    let mut column = 0;
    for grapheme in visible(&text).graphemes(true) {
        let wide = width_of(grapheme);
        if column + wide > width {
            if out.len() == MOST.min(left.height as usize / 3) {
                out.last_mut()?.push('›');
                break;
            }
            out.push(String::new());
            column = 0;
        }
        out.last_mut()?.push_str(grapheme);
        column += wide;
    }
    Some(out)
}

/// Whether the window cuts a line that it shows.
pub(crate) fn any_cut(screen: &Screen<'_>, file: &OpenFile) -> bool {
    let window = screen.draft_area();
    let rows = DraftRows::new(file);
    let shown = file.view.top..file.view.top + window.height as usize;
    file.view.left > 0
        || shown
            .filter_map(|row| text_at(file, &rows, row))
            .any(|text| is_cut(&text, 0, window.width))
}

fn is_cut(text: &str, left: usize, width: u16) -> bool {
    (left > 0 && !text.is_empty()) || is_wider(text, left + width as usize)
}

/// Bytes of a line that are looked at, besides those scrolled out to the left.
const LOOKED_AT: usize = 16_000;

fn text_at(file: &OpenFile, rows: &DraftRows<'_>, row: usize) -> Option<String> {
    let line = match rows.at(row)?.1 {
        DraftRow::Line(_) | DraftRow::More(..) if file.view.wrap.is_some() => return None,
        DraftRow::Line(at) => file.draft().line(at)?.line.content(),
        DraftRow::Preview(nth) => {
            let text = &rows.preview.as_ref()?.text;
            text.line(armistice_core::LineIdx(nth as u32)).content()
        }
        _ => return None,
    };
    // A line that is far longer is cut all the same.
    let most = LOOKED_AT + 4 * file.view.left;
    Some(file.opened.encoding.decode(&line[..line.len().min(most)]))
}
