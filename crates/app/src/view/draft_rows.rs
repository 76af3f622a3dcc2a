//! The rows of the draft as Parley shows them: lines, frames of open conflicts,
//! and a row for what was removed.

use crate::base::safe_text::width_of;
use crate::case::card_lines::{Tone, shaded};
use crate::case::choices::picked;
use crate::state::file::{Mode, OpenFile};
use crate::view::wrapping::laid_out;
use armistice_core::limits::LINE_BYTES;
use armistice_core::{DraftLine, LineIdx, LineRange, Origin, RegionId, RegionKind, Source};

/// One row.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum DraftRow {
    /// A line of the draft, or the first row of one that wraps.
    Line(LineIdx),
    /// A further row of a line that wraps, counted from one.
    More(LineIdx, usize),
    /// A line of the previewed choice.
    Preview(usize),
    /// Upper edge of an open conflict.
    Top,
    /// Lower edge of an open conflict.
    Bottom,
    /// Nothing stands in this region.
    Empty,
}

/// Where each region's rows are, for one state of one file.
pub struct DraftRows<'a> {
    file: &'a OpenFile,
    /// First row of each region and the number of all rows; never falls.
    starts: Vec<usize>,
    /// The text previewed in the current region.
    pub preview: Option<Preview>,
}

/// What would stand in a region.
pub struct Preview {
    pub region: RegionId,
    pub text: Source,
    pub label: String,
    /// Where its lines come from, and how many.
    origins: Vec<(Origin, usize)>,
}

impl Preview {
    /// Where a line of it comes from.
    pub fn origin(&self, nth: usize) -> Origin {
        let mut left = nth;
        for (origin, len) in &self.origins {
            match left.checked_sub(*len) {
                Some(rest) => left = rest,
                None => return *origin,
            }
        }
        Origin::Base
    }
}

impl<'a> DraftRows<'a> {
    pub fn new(file: &'a OpenFile) -> Self {
        let preview = preview(file);
        let mut starts = vec![0];
        let mut at = 0;
        for (id, region) in file.plan().ids() {
            let lines = match &preview {
                Some(preview) if preview.region == id => preview.text.len(),
                _ => rows_of_lines(file, file.draft().lines_of(id)),
            };
            at += match region.kind {
                RegionKind::Unchanged => lines,
                _ if file.draft().is_open(id) => lines.max(1) + 2,
                _ => lines.max(1),
            };
            starts.push(at);
        }
        DraftRows {
            file,
            starts,
            preview,
        }
    }

    /// How many rows there are.
    pub fn height(&self) -> usize {
        self.starts.last().copied().unwrap_or(0)
    }

    /// The first row of a region and the number of its rows.
    pub fn of(&self, region: RegionId) -> (usize, usize) {
        let i = (region.0 as usize).min(self.starts.len().saturating_sub(2));
        let start = self.starts[i];
        (start, self.starts.get(i + 1).map_or(0, |end| end - start))
    }

    /// The region and its row at a place.
    pub fn at(&self, row: usize) -> Option<(RegionId, DraftRow)> {
        let after = self.starts.partition_point(|start| *start <= row);
        if row >= self.height() || after == 0 {
            return None;
        }
        let id = RegionId(after as u32 - 1);
        let nth = row - self.starts[after - 1];
        let framed = self.file.draft().is_open(id);
        let height = self.of(id).1;
        let row = match nth {
            0 if framed => DraftRow::Top,
            n if framed && n + 1 == height => DraftRow::Bottom,
            n => self.content(id, n - usize::from(framed)),
        };
        Some((id, row))
    }

    fn content(&self, id: RegionId, nth: usize) -> DraftRow {
        if let Some(preview) = &self.preview
            && preview.region == id
        {
            return if nth < preview.text.len() {
                DraftRow::Preview(nth)
            } else {
                DraftRow::Empty
            };
        }
        let lines = self.file.draft().lines_of(id);
        if self.file.view.wrap.is_some() {
            let mut left = nth;
            for line in lines.iter() {
                let tall = rows_of_line(self.file, line);
                if left < tall {
                    return match left {
                        0 => DraftRow::Line(line),
                        row => DraftRow::More(line, row),
                    };
                }
                left -= tall;
            }
            return DraftRow::Empty;
        }
        match nth < lines.len() {
            true => DraftRow::Line(LineIdx(lines.start.0 + nth as u32)),
            false => DraftRow::Empty,
        }
    }

    /// The row that the cursor is on.
    pub fn cursor(&self) -> usize {
        let (start, height) = self.of(self.file.view.region);
        start + self.file.view.offset.min(height.saturating_sub(1))
    }

    /// The row that shows a draft line.
    pub fn row_of(&self, line: LineIdx) -> usize {
        let Some(id) = self.file.draft().region_at(line) else {
            return 0;
        };
        let start = self.file.draft().lines_of(id).start;
        let before = LineRange::new(start.0, line.0);
        let above = rows_of_lines(self.file, before);
        self.of(id).0 + above + usize::from(self.file.draft().is_open(id))
    }
}

/// Rows that lines of the draft take.
fn rows_of_lines(file: &OpenFile, lines: LineRange) -> usize {
    match file.view.wrap {
        None => lines.len(),
        Some(_) => lines.iter().map(|line| rows_of_line(file, line)).sum(),
    }
}

fn rows_of_line(file: &OpenFile, at: LineIdx) -> usize {
    let (Some(width), Some(line)) = (file.view.wrap, file.draft().line(at)) else {
        return 1;
    };
    if line.line.content().len() > LINE_BYTES {
        return 1;
    }
    let parts = draft_parts(file, &line);
    let wide: usize = parts.iter().map(|(_, text)| width_of(text)).sum();
    match wide <= width as usize {
        true => 1,
        false => laid_out(&parts, width as usize).len(),
    }
}

/// A line of the draft, cut where it is a comment, a string or a keyword.
pub fn draft_parts(file: &OpenFile, line: &DraftLine<'_>) -> Vec<(Tone, String)> {
    let shades = match line.source {
        Some(pick) => file.opened.shades_of(pick.version, pick.line),
        None => Vec::new(),
    };
    // What is far beyond the edge of the window is not looked at.
    let content = line.line.content();
    let most = LINE_BYTES + 4 * file.view.left;
    let content = &content[..content.len().min(most)];
    let all = 0..content.len();
    shaded(Tone::Plain, file.opened.encoding, content, all, &shades)
}

fn preview(file: &OpenFile) -> Option<Preview> {
    let id = file.view.region;
    let (resolution, label) = match &file.view.mode {
        Mode::Pick(picking) => {
            let picked = picked(&file.opened, &picking.picks, &picking.commented);
            (picked, "picked so far".to_owned())
        }
        _ => {
            let choice = file.previewed()?;
            (choice.resolution.clone(), choice.label.clone())
        }
    };
    let region = file.plan().region(id);
    let text = resolution.text(file.plan(), region);
    let segments = resolution.segments(region).into_iter();
    let origins = segments.map(|segment| (segment.origin(), segment.len()));
    Some(Preview {
        region: id,
        text,
        label,
        origins: origins.collect(),
    })
}
