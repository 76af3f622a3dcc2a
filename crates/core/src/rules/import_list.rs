//! Rule: both sides changed one import line; its names are merged as a set.

use crate::decide::ruling::Certainty::{Certain, Likely};
use crate::merge::import_list::{merge_import_list, merge_new_import_list};
use crate::model::segment::Segment;
use crate::model::versions::Version;
use crate::rules::conflict::Conflict;
use crate::rules::rule::{Example, Proposal, Rule, RuleContext};
use crate::text::source::Line;

pub(crate) struct Names;

impl Rule for Names {
    fn id(&self) -> &'static str {
        "names"
    }

    fn title(&self) -> &'static str {
        "both sides changed the names of one line"
    }

    fn propose(&self, conflict: &Conflict<'_>, context: &RuleContext) -> Option<Proposal> {
        let lines = |version: Version| conflict.region().lines(version);
        let line = |version: Version| -> Option<Line<'_>> {
            let at = (lines(version).len() == 1).then_some(lines(version).start)?;
            Some(conflict.versions().get(version).line(at))
        };
        let found = match Version::ALL.map(line) {
            [Some(ours), Some(theirs), Some(base)] => {
                Some((ours, merge_import_list(base, ours, theirs)?))
            }
            [Some(ours), Some(theirs), None] if lines(Version::Base).is_empty() => {
                Some((ours, merge_new_import_list(ours, theirs)?))
            }
            _ => None,
        };
        let (certainty, resolution) = match found {
            Some((line, merged)) => {
                let certainty = if merged.sure { Certain } else { Likely };
                let (trailing, end) = (line.trailing(), line.end().bytes());
                let text = [line.indent(), &merged.words, trailing, end].concat();
                (certainty, conflict.resolution(vec![Segment::Text(text)]))
            }
            // One row of several.
            None => {
                conflict.stats().filter(|stats| stats.import_lists > 0)?;
                (conflict.certainty(context), conflict.merged_resolution()?)
            }
        };
        let reason = format!(
            "{} and {} each changed the names in one line; the result has all additions and removals",
            context.ours, context.theirs
        );
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
                path: "a.py",
                base: "from office import desk\nfrom harbour import berth, quay\n",
                ours: "from office import desk\nfrom harbour import anchor, berth, quay\n",
                theirs: "from harbour import quay\n",
                gives: Some((Likely, "from harbour import anchor, quay\n")),
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
