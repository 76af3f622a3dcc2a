//! What Scout knows: the branches to compare with, and the forecast.

use crate::base::commands::Tab;
use crate::case::foresee::{Forecast, Question};
use crate::state::overlay::ListView;
use armistice_core::Side;
use armistice_git::{Counterpart, CounterpartKind, NAMED, Party, RepoPath, Undertaking, party};
use std::sync::Arc;

/// How far reading the counterparts has come.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum ScoutReading {
    #[default]
    Unread,
    Reading,
    Known,
    Failed(String),
}

/// Which of the two lists the keys are about.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum ScoutFocus {
    #[default]
    Counterparts,
    Forecast,
}

#[derive(Clone, Debug, Default)]
pub struct ScoutState {
    pub reading: ScoutReading,
    /// All counterparts, the most likely first.
    pub all: Vec<Counterpart>,
    /// What their names and subjects must have.
    pub typed: String,
    /// Whether that is being typed.
    pub typing: bool,
    /// The counterpart at the cursor, among those that are shown.
    pub list: ListView,
    /// The row of the forecast at the cursor.
    pub rows: ListView,
    pub focus: ScoutFocus,
    pub undertaking: Undertaking,
    /// The side that estimates take for what stays open.
    pub assumed: Side,
    /// The counterpart that was named on the command line, until the list is read.
    pub wanted: Option<String>,
    /// What is being looked at, or was.
    pub asked: Option<Question>,
    /// Whether it is still looked at.
    pub looking: bool,
    pub failed: Option<String>,
    pub forecast: Option<Arc<Forecast>>,
    /// Whether files that git would merge by itself are listed.
    pub clean_shown: bool,
    /// Which step of the forecast the other screens show.
    pub shown: Option<(Question, usize)>,
    /// The file that is to be shown in Parley once it is read.
    pub opening: Option<RepoPath>,
    /// Where to go, and what to say there, once everything is read after something was begun.
    pub landing: Option<(Tab, String)>,
}

impl ScoutState {
    /// The counterparts that are shown: those that have all that is typed, letter by letter.
    pub fn shown_counterparts(&self) -> Vec<&Counterpart> {
        let typed = self.typed.to_lowercase();
        let words: Vec<&str> = typed.split_whitespace().collect();
        // Most of the time nothing is typed, and there may be thousands of tags.
        let has_all = |counterpart: &&Counterpart| {
            words.is_empty() || {
                let text = format!("{} {}", counterpart.name, counterpart.commit.subject);
                let text = text.to_lowercase();
                words.iter().all(|word| is_in(&text, word))
            }
        };
        let all = self.all.iter().filter(|one| self.makes_sense(one));
        all.filter(has_all).collect()
    }

    /// Whether a counterpart is one for what is to be done: lines of work are merged, own commits undone.
    fn makes_sense(&self, one: &Counterpart) -> bool {
        let is_commit = one.kind == CounterpartKind::Commit;
        match self.undertaking {
            _ if one.why == NAMED => true,
            Undertaking::Merge | Undertaking::Rebase | Undertaking::Pick => !is_commit,
            Undertaking::Revert => is_commit,
        }
    }

    /// The counterpart at the cursor.
    pub fn chosen(&self) -> Option<&Counterpart> {
        self.shown_counterparts().get(self.list.chosen).copied()
    }

    /// The parties of what is foreseen, as they would be called: in a rebase the own commits come to the
    /// other line.
    pub fn met(&self, branch: &str) -> Option<[Party; 2]> {
        let forecast = self.forecast.as_ref()?;
        let (ours, theirs) = (&forecast.meeting.ours, &forecast.meeting.theirs);
        let name = &forecast.question.name;
        Some(match forecast.question.undertaking {
            Undertaking::Rebase => [
                party(&format!("onto {name}"), theirs),
                party(&format!("your commits on {branch}"), ours),
            ],
            _ => [party(branch, ours), party(name, theirs)],
        })
    }

    /// What is asked about the counterpart at the cursor.
    pub fn question(&self) -> Option<Question> {
        let chosen = self.chosen()?;
        Some(Question {
            undertaking: self.undertaking,
            name: chosen.name.clone(),
            assumed: self.assumed,
        })
    }
}

/// Whether the letters of a word stand in a text in their order.
fn is_in(text: &str, word: &str) -> bool {
    let mut left = text.chars();
    word.chars().all(|c| left.any(|other| other == c))
}
