//! Help, Ask, questions and output shown in front of a screen; and the one-line message.

use crate::state::effect::{Effect, FileId};
use armistice_core::Entry;

/// A question that must be answered before something is done.
#[derive(Clone, Debug, Default)]
pub struct Question {
    pub title: String,
    pub lines: Vec<String>,
    /// What "yes" does, in a few words.
    pub yes: String,
    pub effects: Vec<Effect>,
    /// What it settles, if it is about that.
    pub settles: Option<Settles>,
    /// A file to be written as its draft stands.
    pub writes: Option<FileId>,
    /// Something else that may be done instead.
    pub other: Option<Other>,
    /// What is asked after a "yes", before anything is done.
    pub then: Option<Box<Question>>,
    /// The first line that is shown, where not all fit.
    pub top: usize,
}

/// Conflicts of several files, settled as one step.
#[derive(Clone, Debug)]
pub struct Settles {
    /// What the step is called.
    pub label: String,
    pub entries: Vec<(FileId, Entry)>,
}

/// How a question is answered.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Answer {
    Yes,
    No,
    /// By what may be done instead.
    Other,
}

/// Another answer than yes or no.
#[derive(Clone, Debug)]
pub struct Other {
    pub key: &'static str,
    /// What it does, in a few words.
    pub label: String,
    pub effect: Effect,
}

/// What is being typed for: words to be found, or the number of a line.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Sought {
    Words,
    Line,
}

/// Something in front of the screen.
#[derive(Clone, Debug)]
pub enum Overlay {
    Help {
        top: usize,
        /// What is looked for in it, once a person looks for something.
        find: Option<String>,
    },
    Ask {
        typed: String,
        chosen: usize,
    },
    Question(Box<Question>),
    /// What is looked for in Parley is being typed.
    Seek {
        sought: Sought,
        typed: String,
    },
    /// The declarations of the file in Parley, those that match what was typed.
    Jump {
        typed: String,
        chosen: usize,
    },
    /// A part of a path is being typed: Docket shows only files that have it.
    Narrow,
    /// What git and its hooks said when they refused.
    Output {
        title: String,
        lines: Vec<String>,
        top: usize,
    },
    /// What one of the project's own commands prints, by its line.
    CheckOutput {
        run: String,
        /// The first line that is shown; the last ones if none is said.
        top: Option<usize>,
    },
}

/// The one-line message.
#[derive(Clone, Debug, Default)]
pub struct Message {
    pub text: String,
    pub is_trouble: bool,
    /// Whether a person has done anything since it came.
    pub seen: bool,
}

#[derive(Clone, Debug, Default)]
pub struct ListView {
    pub chosen: usize,
    pub top: usize,
}
