//! One line that brings names in, changed by both: a set, not a text.

use super::Certainty::{Certain, Likely};
use super::{Conflict, Context, Example, Proposal, Rule};
use crate::names::{merge_names, merge_new_names};
use crate::resolution::{Strand, Version};
use crate::text::Line;

pub(super) struct Names;

impl Rule for Names {
    fn id(&self) -> &'static str {
        "names"
    }

    fn title(&self) -> &'static str {
        "both changed the names of one line"
    }

    fn propose(&self, conflict: &Conflict<'_>, context: &Context) -> Option<Proposal> {
        let line = |version: Version| -> Option<Line<'_>> {
            let lines = conflict.region().lines(version);
            let at = (lines.len() == 1).then_some(lines.start)?;
            Some(conflict.versions().get(version).line(at))
        };
        let (ours, theirs) = (line(Version::Ours)?, line(Version::Theirs)?);
        let merged = match line(Version::Base) {
            Some(base) => merge_names(base, ours, theirs)?,
            None if conflict.text(Version::Base).is_empty() => merge_new_names(ours, theirs)?,
            None => return None,
        };
        let certainty = if merged.sure { Certain } else { Likely };
        let reason = format!(
            "{} and {} each changed the names in one line; what one took out is gone, what one put in is there",
            context.ours, context.theirs
        );
        let text = [
            ours.indent(),
            &merged.words,
            ours.trailing(),
            ours.end().bytes(),
        ];
        let resolution = conflict.resolution(vec![Strand::Text(text.concat())]);
        Some(Proposal::new(certainty, resolution, reason))
    }

    fn examples(&self) -> &'static [Example] {
        &[
            Example {
                path: "a.py",
                base: "from harbour import berth, quay\n",
                ours: "from harbour import berth\n",
                theirs: "from harbour import berth, quay, tide\n",
                gives: Some((Certain, "from harbour import berth, tide\n")),
            },
            Example {
                path: "a.js",
                base: "import { quay, berth } from './harbour';\n",
                ours: "import { quay, berth, crane } from './harbour';\n",
                theirs: "import { pilot, quay, berth } from './harbour';\n",
                gives: Some((
                    Likely,
                    "import { pilot, quay, berth, crane } from './harbour';\n",
                )),
            },
            Example {
                path: "a.rs",
                base: "use harbour::{quay, berth};\n",
                ours: "use harbour::{quay, berth, crane};\n",
                theirs: "use harbour::{quay, berth, ferry};\n",
                gives: None,
            },
            Example {
                path: "a.js",
                base: "const harbour = { quay, berth };\n",
                ours: "const harbour = { quay };\n",
                theirs: "const harbour = { quay, berth, tide };\n",
                gives: None,
            },
            Example {
                path: "a.py",
                base: "moor(berth, quay)\n",
                ours: "moor(berth)\n",
                theirs: "moor(berth, quay, tide)\n",
                gives: None,
            },
        ]
    }
}
