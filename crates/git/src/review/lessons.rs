//! What the merges of a history teach about resolving the same conflicts again.

use crate::review::merge::Reviewed;
use armistice_core::PastResolution;

/// Resolutions of merges, each conflict once.
#[derive(Clone, Debug, Default)]
pub struct Lessons {
    /// Newest first.
    all: Vec<PastResolution>,
}

impl Lessons {
    /// Takes what a merge teaches; merges come newest first. What an older one resolved otherwise is left
    /// out.
    pub fn add(&mut self, merge: &Reviewed) {
        let conflicts = merge.files.iter().flat_map(|file| &file.conflicts);
        for lesson in conflicts.filter_map(|conflict| conflict.lesson.as_ref()) {
            match self.all.iter_mut().find(|known| known.is_about(lesson)) {
                None => self.all.push(lesson.clone()),
                Some(known) if known.outcome == lesson.outcome && known.ours == lesson.ours => {
                    if let Some(learned) = &mut known.learned {
                        learned.times += 1;
                    }
                }
                Some(_) => {}
            }
        }
    }

    /// All of them, oldest first.
    pub fn into_all(mut self) -> Vec<PastResolution> {
        self.all.reverse();
        self.all
    }
}
