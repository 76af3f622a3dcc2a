//! The record of a session: events as lines of JSON. Where they are stored is not decided here.

use crate::draft::entry::Step;
use crate::plan::recipe::PlanRecipe;
use serde::{Deserialize, Serialize};

/// One event of a session, as the journal stores it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Event {
    /// A step was taken; steps undone before it are forgotten.
    Do(Step),
    /// The last step was taken back.
    Undo,
    /// The step taken back last was taken again.
    Redo,
}

/// The first line of a stored journal: its format, and the versions it is about.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Header {
    /// Version of the format.
    pub armistice: u32,
    /// The path it is about, for people who read the file.
    pub path: String,
    /// Names of the contents of base, ours and theirs that the decisions are about.
    pub versions: [String; 3],
    /// How the plan was made that the decisions are about.
    #[serde(flatten)]
    pub plan: PlanRecipe,
}

/// A stored journal, read.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct ReadJournal {
    /// Its first line, if that could be read.
    pub header: Option<Header>,
    /// Its events in order.
    pub events: Vec<Event>,
    /// Lines that could not be read, counted from one. A torn last line is one of them.
    pub unreadable: Vec<usize>,
}

impl Header {
    /// The format this build writes. It counts up whenever plans cut texts into other regions than
    /// before: decisions name regions, and would be about others.
    pub const FORMAT: u32 = 2;

    /// Its line in a stored journal.
    pub fn to_line(&self) -> Vec<u8> {
        to_line(self)
    }
}

impl Event {
    /// Its line in a stored journal.
    pub fn to_line(&self) -> Vec<u8> {
        to_line(self)
    }
}

fn to_line(value: &impl Serialize) -> Vec<u8> {
    // Serialising these types cannot fail: no map keys but strings, no I/O.
    let mut line = serde_json::to_vec(value).unwrap_or_default();
    line.push(b'\n');
    line
}

/// Reads a stored journal: a header, then one event a line.
///
/// Never fails: it stops at the first event that cannot be read, since later ones may build on it,
/// and says which line that was. A last line without its newline counts as torn.
///
/// ```
/// use armistice_core::{Event, Header, PlanRecipe, read_journal};
/// let header = Header {
///     armistice: Header::FORMAT,
///     path: "quay.rs".to_owned(),
///     versions: ["b0".to_owned(), "01".to_owned(), "7e".to_owned()],
///     plan: PlanRecipe::default(),
/// };
/// let bytes = [header.to_line(), Event::Undo.to_line(), b"{\"torn".to_vec()].concat();
/// let read = read_journal(&bytes);
/// assert_eq!((read.header, read.events), (Some(header), vec![Event::Undo]));
/// assert_eq!(read.unreadable, [3]);
/// ```
pub fn read_journal(bytes: &[u8]) -> ReadJournal {
    let mut lines = bytes.split_inclusive(|b| *b == b'\n').zip(1..);
    let mut out = ReadJournal::default();
    match lines.next() {
        Some((line, _)) => out.header = serde_json::from_slice(line).ok(),
        None => return out,
    }
    for (line, number) in lines {
        // A line without its newline was torn off while it was being written.
        let whole = line.ends_with(b"\n");
        match serde_json::from_slice(line) {
            Ok(event) if whole => out.events.push(event),
            _ => {
                out.unreadable.push(number);
                break;
            }
        }
    }
    out
}
