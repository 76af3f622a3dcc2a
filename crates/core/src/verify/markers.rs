//! Conflict markers: printing what stays open, reading what others printed.

use crate::draft::merged_text::Draft;
use crate::draft::region_draft::RegionState;
use crate::limits::{LEAST_MARKER, TRIED_MARKERS};
use crate::model::region::{ConflictId, Region, RegionId, RegionKind};
use crate::model::segment::end_line;
use crate::text::lines::{LineIdx, LineRange};
use crate::text::source::{Line, LineEnd, Source};
use std::collections::BTreeSet;

/// How many signs a marker has unless another number is given.
pub const MARKER_SIZE: usize = 7;

/// The four kinds of marker line.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum MarkerKind {
    /// `<<<<<<<`, before ours.
    Ours,
    /// `|||||||`, before base.
    Base,
    /// `=======`, before theirs.
    Theirs,
    /// `>>>>>>>`, after theirs.
    End,
}

impl MarkerKind {
    const ALL: [(MarkerKind, u8); 4] = [
        (MarkerKind::Ours, b'<'),
        (MarkerKind::Base, b'|'),
        (MarkerKind::Theirs, b'='),
        (MarkerKind::End, b'>'),
    ];

    fn sign(self) -> u8 {
        Self::ALL[self as usize].1
    }
}

/// What is printed between markers.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum MarkerStyle {
    /// Ours and theirs.
    Sides,
    /// Ours, base and theirs; lines that both sides have in common stand outside.
    #[default]
    WithBase,
    /// Ours, base and theirs in full: what both did alike stands inside too.
    Whole,
}

/// The names printed behind the markers.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Labels {
    /// Behind `<<<<<<<`.
    pub ours: String,
    /// Behind `|||||||`.
    pub base: String,
    /// Behind `>>>>>>>`.
    pub theirs: String,
}

impl Default for Labels {
    fn default() -> Self {
        Labels {
            ours: "ours".to_owned(),
            base: "base".to_owned(),
            theirs: "theirs".to_owned(),
        }
    }
}

/// How to print markers.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Markers {
    /// Signs a marker.
    pub size: usize,
    /// With base or without.
    pub style: MarkerStyle,
    /// Names of the parties.
    pub labels: Labels,
}

impl Default for Markers {
    fn default() -> Self {
        Markers {
            size: MARKER_SIZE,
            style: MarkerStyle::default(),
            labels: Labels::default(),
        }
    }
}

/// The merged bytes, with markers around what is still open.
///
/// A text in which no conflict is open comes out as [`Draft::bytes`] gives it.
///
/// ```
/// use armistice_core::{MarkerStyle, Markers, Options, Session, plan, render_with_markers};
/// use std::sync::Arc;
///
/// let plan = plan(&"a\n".into(), &"b\n".into(), &"c\n".into(), &Options::default());
/// let session = Session::new(Arc::new(plan));
/// let markers = Markers { style: MarkerStyle::Sides, ..Markers::default() };
/// let bytes = render_with_markers(session.draft(), &markers);
/// assert_eq!(bytes, b"<<<<<<< ours\nb\n=======\nc\n>>>>>>> theirs\n");
/// ```
pub fn render_with_markers(draft: &Draft, markers: &Markers) -> Vec<u8> {
    let versions = draft.plan().versions();
    let mut out = Vec::with_capacity(
        versions
            .ours
            .bytes()
            .len()
            .max(versions.theirs.bytes().len()),
    );
    let end = versions.ours.usual_end();
    let mut printed: Option<RegionId> = None;
    for (id, region) in draft.plan().ids() {
        if printed.is_some_and(|last| id <= last) {
            continue;
        }
        if markers.style == MarkerStyle::Whole
            && let Some(last) = untouched_stretch(draft, id)
        {
            let whole = joined(region, draft.plan().region(last));
            print(draft, &whole, markers, end, &mut out);
            printed = Some(last);
            continue;
        }
        if draft.is_open(id) {
            print(draft, region, markers, end, &mut out);
            continue;
        }
        for segment in draft.segments(id) {
            segment.write(versions, end, &mut out);
        }
    }
    out
}

/// The last region of the stretch that begins here, if nothing in it is decided.
fn untouched_stretch(draft: &Draft, first: RegionId) -> Option<RegionId> {
    let plan = draft.plan();
    // A stretch may begin with what both did alike: the next conflict tells.
    let next = plan.conflicts().partition_point(|id| *id < first);
    let (from, last) = plan.span_of(ConflictId(next as u32))?;
    let untouched = |id: u32| {
        matches!(
            draft.standing(RegionId(id)),
            RegionState::Open | RegionState::Merged
        )
    };
    (from == first && (first.0..=last.0).all(untouched)).then_some(last)
}

/// One region from the start of one to the end of another.
fn joined(first: &Region, last: &Region) -> Region {
    let lines = |a: LineRange, b: LineRange| LineRange::new(a.start.0, b.end.0);
    Region {
        kind: RegionKind::Conflict,
        base: lines(first.base, last.base),
        ours: lines(first.ours, last.ours),
        theirs: lines(first.theirs, last.theirs),
    }
}

fn print(draft: &Draft, region: &Region, markers: &Markers, end: LineEnd, out: &mut Vec<u8>) {
    let versions = draft.plan().versions();
    let mut block = |kind: MarkerKind, label: &str, text: &[u8]| {
        end_line(out, end);
        out.extend(std::iter::repeat_n(kind.sign(), markers.size));
        if !label.is_empty() {
            out.push(b' ');
            out.extend_from_slice(label.as_bytes());
        }
        out.extend_from_slice(end.bytes());
        out.extend_from_slice(text);
    };
    let labels = &markers.labels;
    block(
        MarkerKind::Ours,
        &labels.ours,
        versions.ours.slice(region.ours),
    );
    if markers.style != MarkerStyle::Sides {
        block(
            MarkerKind::Base,
            &labels.base,
            versions.base.slice(region.base),
        );
    }
    block(MarkerKind::Theirs, "", versions.theirs.slice(region.theirs));
    block(MarkerKind::End, &labels.theirs, b"");
}

/// The kind of marker a line is: exactly `size` signs, then a blank or nothing.
fn kind_of(line: &[u8], size: usize) -> Option<MarkerKind> {
    let first = *line.first()?;
    let (kind, sign) = MarkerKind::ALL.into_iter().find(|(_, s)| *s == first)?;
    let signs = line.iter().take_while(|b| **b == sign).count();
    (signs == size && matches!(line.get(size), None | Some(b' '))).then_some(kind)
}

/// The marker lines of a text, of seven signs or more, nested ones included; linear in the text.
///
/// A row of `=` counts only after an opening marker that nothing has closed:
/// by itself it is an underline.
///
/// ```
/// use armistice_core::{MarkerKind, find_markers};
/// let found = find_markers(&"title\n=======\n<<<<<<< ours\n".into());
/// assert_eq!(found.len(), 1);
/// assert_eq!((found[0].0.number(), found[0].1), (3, MarkerKind::Ours));
/// ```
pub fn find_markers(text: &Source) -> Vec<(LineIdx, MarkerKind)> {
    let mut found = Vec::new();
    let mut inside: Vec<usize> = Vec::new();
    for (at, line) in text.all().iter().zip(text.lines(text.all())) {
        let content = line.content();
        let Some(&first @ (b'<' | b'|' | b'=' | b'>')) = content.first() else {
            continue;
        };
        let size = content.iter().take_while(|b| **b == first).count();
        let Some(kind) = kind_of(content, size).filter(|_| size >= MARKER_SIZE) else {
            continue;
        };
        match kind {
            MarkerKind::Ours => inside.push(size),
            MarkerKind::Theirs | MarkerKind::Base if !inside.contains(&size) => continue,
            MarkerKind::End => inside.retain(|open| *open != size),
            _ => {}
        }
        found.push((at, kind));
    }
    found
}

/// Lines that look like a marker of the usual size, whatever stands around them.
pub(crate) fn lone_markers(text: &Source) -> Vec<LineIdx> {
    let lines = text.all().iter().zip(text.lines(text.all()));
    let marked = lines.filter(|(_, line)| kind_of(line.content(), MARKER_SIZE).is_some());
    marked.map(|(at, _)| at).collect()
}

/// The number of signs of a text's own markers: the smallest for which the whole can be read and
/// holds a conflict; [`MARKER_SIZE`] if there is none. Markers inside of others are longer.
///
/// Sizes from three on are tried, the sixteen smallest that occur; linear in the text for each.
///
/// ```
/// use armistice_core::marker_size;
/// assert_eq!(marker_size(&"<<<<<<<<< a\n1\n=========\n2\n>>>>>>>>> b\n".into()), 9);
/// assert_eq!(marker_size(&"no conflict\n".into()), 7);
/// ```
pub fn marker_size(text: &Source) -> usize {
    let opening = |line: Line<'_>| {
        let content = line.content();
        let size = content.iter().take_while(|b| **b == b'<').count();
        (size >= LEAST_MARKER && kind_of(content, size).is_some()).then_some(size)
    };
    let sizes: BTreeSet<usize> = text.lines(text.all()).filter_map(opening).collect();
    let is_conflict = |part: &Part| matches!(part, Part::Conflict { .. });
    let reads = |size: &usize| {
        let parts = parse_markers(text, *size);
        parts.is_ok_and(|parts| parts.iter().any(is_conflict))
    };
    let mut tried = sizes.into_iter().take(TRIED_MARKERS);
    tried.find(reads).unwrap_or(MARKER_SIZE)
}

/// A stretch of a text with markers.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Part {
    /// Lines outside of markers.
    Clean(LineRange),
    /// What stood between markers.
    Conflict {
        /// Which one, in order.
        id: ConflictId,
        /// Lines of ours.
        ours: LineRange,
        /// Lines of base, if it was printed.
        base: Option<LineRange>,
        /// Lines of theirs.
        theirs: LineRange,
    },
}

/// Why the markers of a text cannot be read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum MarkerError {
    /// A marker where none of its kind can stand.
    Unexpected(LineIdx, MarkerKind),
    /// The text ends inside a conflict that begins at this line.
    Unclosed(LineIdx),
}

impl std::fmt::Display for MarkerError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            MarkerError::Unexpected(line, kind) => {
                let sign = char::from(kind.sign());
                write!(f, "line {line}: unexpected '{sign}' marker")
            }
            MarkerError::Unclosed(line) => {
                write!(f, "line {line}: a conflict begins here and never ends")
            }
        }
    }
}

impl std::error::Error for MarkerError {}

/// Cuts a text at markers of exactly `size` signs; longer ones are nested and stay text.
///
/// # Errors
/// If markers are missing or out of order; the error says at which line.
///
/// ```
/// use armistice_core::{LineRange, Part, parse_markers};
/// let text = "<<<<<<< ours\na\n=======\nb\n>>>>>>> theirs\n".into();
/// let parts = parse_markers(&text, 7)?;
/// let Part::Conflict { ours, base, .. } = &parts[0] else { panic!("{parts:?}") };
/// assert_eq!((*ours, *base), (LineRange::new(1, 2), None));
/// # Ok::<(), armistice_core::MarkerError>(())
/// ```
pub fn parse_markers(text: &Source, size: usize) -> Result<Vec<Part>, MarkerError> {
    let mut parser = Parser {
        parts: Vec::new(),
        conflicts: 0,
        at: State::Clean(0),
    };
    for (at, line) in text.all().iter().zip(text.lines(text.all())) {
        if let Some(kind) = kind_of(line.content(), size) {
            parser.marker(at, kind)?;
        }
    }
    parser.finish(text.len() as u32)
}

#[derive(Clone, Copy)]
enum State {
    Clean(u32),
    Ours(u32),
    Base(LineRange, u32),
    Theirs(LineRange, Option<LineRange>, u32),
}

struct Parser {
    parts: Vec<Part>,
    conflicts: u32,
    at: State,
}

impl Parser {
    fn marker(&mut self, line: LineIdx, kind: MarkerKind) -> Result<(), MarkerError> {
        let (at, next) = (line.0, line.0 + 1);
        self.at = match (self.at, kind) {
            (State::Clean(from), MarkerKind::Ours) => {
                self.clean(from, at);
                State::Ours(next)
            }
            (State::Ours(from), MarkerKind::Base) => State::Base(LineRange::new(from, at), next),
            (State::Ours(from), MarkerKind::Theirs) => {
                State::Theirs(LineRange::new(from, at), None, next)
            }
            (State::Base(ours, from), MarkerKind::Theirs) => {
                State::Theirs(ours, Some(LineRange::new(from, at)), next)
            }
            (State::Theirs(ours, base, from), MarkerKind::End) => {
                self.conflict(ours, base, LineRange::new(from, at));
                State::Clean(next)
            }
            // Outside of a conflict a row of signs may be an underline or a table.
            (State::Clean(from), MarkerKind::Theirs | MarkerKind::Base) => State::Clean(from),
            (_, kind) => return Err(MarkerError::Unexpected(line, kind)),
        };
        Ok(())
    }

    fn clean(&mut self, from: u32, to: u32) {
        if from < to {
            self.parts.push(Part::Clean(LineRange::new(from, to)));
        }
    }

    fn conflict(&mut self, ours: LineRange, base: Option<LineRange>, theirs: LineRange) {
        let id = ConflictId(self.conflicts);
        self.conflicts += 1;
        self.parts.push(Part::Conflict {
            id,
            ours,
            base,
            theirs,
        });
    }

    fn finish(mut self, len: u32) -> Result<Vec<Part>, MarkerError> {
        let start = match self.at {
            State::Clean(from) => {
                self.clean(from, len);
                return Ok(self.parts);
            }
            State::Ours(from) => from,
            State::Base(ours, _) | State::Theirs(ours, _, _) => ours.start.0,
        };
        Err(MarkerError::Unclosed(LineIdx(start - 1)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Options, plan};
    use proptest::prelude::*;
    use std::sync::Arc;

    fn merged(base: &str, ours: &str, theirs: &str) -> String {
        let plan = plan(
            &base.into(),
            &ours.into(),
            &theirs.into(),
            &Options::default(),
        );
        let bytes = render_with_markers(&Draft::new(Arc::new(plan)), &Markers::default());
        String::from_utf8(bytes).unwrap()
    }

    #[test]
    fn an_open_conflict_is_printed_with_base() {
        assert_eq!(
            merged("a\nb\nc\n", "a\nB\nc\n", "a\nbb\nc\n"),
            "a\n<<<<<<< ours\nB\n||||||| base\nb\n=======\nbb\n>>>>>>> theirs\nc\n"
        );
    }

    #[test]
    fn markers_stand_on_lines_of_their_own_and_end_like_the_file() {
        assert_eq!(
            merged("a\r\nb", "a\r\nB", "a\r\nbb"),
            "a\r\n<<<<<<< ours\r\nB\r\n||||||| base\r\nb\r\n=======\r\nbb\r\n>>>>>>> theirs\r\n"
        );
    }

    #[test]
    fn each_style_prints_what_it_says() {
        let plan = plan(
            &"a\nb\nc\n".into(),
            &"a\nh\nB\nt\nc\n".into(),
            &"a\nh\nbb\nt\nc\n".into(),
            &Options::default(),
        );
        let draft = Draft::new(Arc::new(plan));
        let merged = |style| {
            let markers = Markers {
                style,
                ..Markers::default()
            };
            String::from_utf8(render_with_markers(&draft, &markers)).unwrap()
        };
        assert_eq!(
            merged(MarkerStyle::Sides),
            "a\nh\n<<<<<<< ours\nB\n=======\nbb\n>>>>>>> theirs\nt\nc\n"
        );
        assert_eq!(
            merged(MarkerStyle::WithBase),
            "a\nh\n<<<<<<< ours\nB\n||||||| base\nb\n=======\nbb\n>>>>>>> theirs\nt\nc\n"
        );
        assert_eq!(
            merged(MarkerStyle::Whole),
            "a\n<<<<<<< ours\nh\nB\nt\n||||||| base\nb\n=======\nh\nbb\nt\n>>>>>>> theirs\nc\n"
        );
    }

    #[test]
    fn an_underline_is_no_marker() {
        let text = Source::from("Title\n=======\n<<<<<<< a\n=======\n>>>>>>> b\n");
        let lines: Vec<_> = find_markers(&text)
            .iter()
            .map(|(l, _)| l.number())
            .collect();
        assert_eq!(lines, [3, 4, 5]);
        assert_eq!(find_markers(&"<<<<<<<<<<\n".into()).len(), 1);
        assert_eq!(find_markers(&"<<<<<< a\n<<<<<<<x\n".into()), []);
    }

    #[test]
    fn the_size_of_markers_is_that_of_the_outermost_that_can_be_read() {
        for (size, text) in [
            (9, "<<<<<<<<< a\n1\n=========\n2\n>>>>>>>>> b\n"),
            (4, "<<<< a\n1\n====\n2\n>>>> b\n"),
            // Longer ones inside belong to the text.
            (
                7,
                "<<<<<<< a\n1\n||||||| b\n<<<<<<<<< x\n=========\n>>>>>>>>> y\n=======\n2\n>>>>>>> b\n",
            ),
            // What cannot be read at all is read as seven, which says what is wrong.
            (7, "<<<<<<< a\n1\n"),
            (7, "if a <<< b\n"),
        ] {
            assert_eq!(marker_size(&text.into()), size, "{text}");
        }
    }

    #[test]
    fn bad_markers_are_told_with_their_line() {
        let parse = |text: &str| parse_markers(&text.into(), 7).unwrap_err().to_string();
        assert_eq!(
            parse("a\n<<<<<<< x\nb\n"),
            "line 2: a conflict begins here and never ends"
        );
        assert_eq!(parse(">>>>>>> x\n"), "line 1: unexpected '>' marker");
    }

    proptest! {
        #[test]
        fn what_is_printed_can_be_read(b in "([abc]\n){0,6}", o in "([abc]\n){0,6}", t in "([abc]\n){0,6}") {
            let plan = plan(&b.as_str().into(), &o.as_str().into(), &t.as_str().into(), &Options::default());
            let conflicts = plan.conflicts().len();
            let text = Source::new(render_with_markers(&Draft::new(Arc::new(plan)), &Markers::default()));
            let parts = parse_markers(&text, MARKER_SIZE).unwrap();
            let mut ours = Vec::new();
            let mut met = 0;
            for part in parts {
                match part {
                    Part::Clean(lines) => ours.extend_from_slice(text.slice(lines)),
                    Part::Conflict { ours: lines, .. } => {
                        met += 1;
                        ours.extend_from_slice(text.slice(lines));
                    }
                }
            }
            prop_assert_eq!(met, conflicts);
            // Taking ours everywhere loses nothing that ours wrote.
            let all: Vec<_> = o.lines().collect();
            let got = String::from_utf8(ours).unwrap();
            let mut it = got.lines();
            prop_assert!(conflicts == 0 || all.iter().all(|l| it.any(|x| x == *l)) || t != b);
        }

        #[test]
        fn no_bytes_upset_the_reader(bytes in "(<{6,8}|={7}|>{7}|\\|{7}|a| |\n){0,40}") {
            let text = Source::new(bytes.into_bytes());
            if let Ok(parts) = parse_markers(&text, MARKER_SIZE) {
                for part in parts {
                    if let Part::Clean(lines) = part {
                        prop_assert!(!lines.is_empty());
                    }
                }
            }
            prop_assert!(find_markers(&text).len() <= text.len());
        }
    }
}
