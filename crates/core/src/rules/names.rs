//! One line that brings names in, changed by both: a set, not a text.

use super::Certainty::{Certain, Likely};
use super::{Conflict, Context, Example, Proposal, Rule};
use crate::resolution::{Strand, Version};
use crate::text::Line;

pub(super) struct Names;

/// Columns beyond which a longer line may be laid out otherwise.
const WIDE: usize = 79;

impl Rule for Names {
    fn id(&self) -> &'static str {
        "names"
    }

    fn title(&self) -> &'static str {
        "both changed the names of one line"
    }

    fn propose(&self, conflict: &Conflict<'_>, context: &Context) -> Option<Proposal> {
        let lists = Version::ALL.map(|v| List::of(conflict, v));
        let [Some(ours), Some(theirs), base] = &lists else {
            return None;
        };
        let none = List {
            names: Vec::new(),
            ..ours.clone()
        };
        let base = match base {
            Some(base) => base,
            None if conflict.text(Version::Base).is_empty() => &none,
            None => return None,
        };
        let frame = |l: &List<'_>| (l.head.to_vec(), l.tail.to_vec());
        if frame(ours) != frame(theirs) || frame(ours) != frame(base) {
            return None;
        }
        let (names, sorted) = merge(base, ours, theirs)?;
        let line = ours.with(&names);
        let longest = [ours, theirs]
            .map(|l| l.line.content().len())
            .into_iter()
            .max();
        let fits = line.trim_ascii_end().len() <= WIDE.max(longest.unwrap_or_default());
        let certainty = match sorted && fits && !base.names.is_empty() {
            true => Certain,
            false => Likely,
        };
        let reason = format!(
            "{} and {} each changed the names in one line; what one took out is gone, what one put in is there",
            context.ours, context.theirs
        );
        let resolution = conflict.resolution(vec![Strand::Text(line)]);
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

/// A line that brings names in.
#[derive(Clone)]
struct List<'a> {
    line: Line<'a>,
    /// From the first word to the first name.
    head: &'a [u8],
    names: Vec<&'a [u8]>,
    /// From behind the last name.
    tail: &'a [u8],
}

impl<'a> List<'a> {
    fn of(conflict: &Conflict<'a>, version: Version) -> Option<Self> {
        let lines = conflict.region().lines(version);
        let [at] = lines.iter().collect::<Vec<_>>()[..] else {
            return None;
        };
        let line = conflict.versions().get(version).line(at);
        let text = line.trimmed();
        let find = |wanted: &[u8]| text.windows(wanted.len()).position(|w| w == wanted);
        let (from, to) = match text {
            _ if text.starts_with(b"from ") => (find(b" import ")? + 8, text.len()),
            _ if [
                &b"import "[..],
                b"export {",
                b"const {",
                b"use ",
                b"pub use ",
            ]
            .iter()
            .any(|word| text.starts_with(word)) =>
            {
                (find(b"{")? + 1, find(b"}")?)
            }
            _ => return None,
        };
        let inner = text.get(from..to)?;
        let (inner, before) = (
            inner.trim_ascii(),
            inner.len() - inner.trim_ascii_start().len(),
        );
        let start = from + before;
        let names: Vec<&[u8]> = inner
            .split(|b| *b == b',')
            .map(<[u8]>::trim_ascii)
            .collect();
        let name = |name: &&[u8]| {
            !name.is_empty()
                && name
                    .iter()
                    .all(|b| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'$' | b' ' | b':'))
        };
        names.iter().all(name).then(|| List {
            line,
            head: &text[..start],
            names,
            tail: &text[start + inner.len()..],
        })
    }

    /// The line with other names.
    fn with(&self, names: &[&[u8]]) -> Vec<u8> {
        [
            self.line.indent(),
            self.head,
            &names.join(&b", "[..]),
            self.tail,
            self.line.trailing(),
            self.line.end().bytes(),
        ]
        .concat()
    }

    fn has(&self, name: &[u8]) -> bool {
        self.names.contains(&name)
    }

    /// Names that base has not, each with the one before it.
    fn added(&self, base: &List<'_>) -> Vec<(Option<&'a [u8]>, &'a [u8])> {
        let before = std::iter::once(None).chain(self.names.iter().copied().map(Some));
        let all = before.zip(self.names.iter().copied());
        all.filter(|(_, name)| !base.has(name)).collect()
    }
}

/// The names that stand in the end, and whether an order that all keep placed them.
fn merge<'a>(base: &List<'a>, ours: &List<'a>, theirs: &List<'a>) -> Option<(Vec<&'a [u8]>, bool)> {
    let stays = |name: &&[u8]| !base.has(name) || theirs.has(name);
    let mut names: Vec<&[u8]> = ours.names.iter().copied().filter(stays).collect();
    let new = theirs.added(base);
    let new: Vec<_> = new
        .into_iter()
        .filter(|(_, name)| !ours.has(name))
        .collect();
    let letters = |name: &&[u8]| name.to_ascii_lowercase();
    let by_bytes = [base, ours, theirs].iter().all(|l| l.names.is_sorted());
    let by_letters = [base, ours, theirs]
        .iter()
        .all(|l| l.names.is_sorted_by_key(letters));
    if by_bytes || by_letters {
        names.extend(new.iter().map(|(_, name)| *name));
        let mut other = names.clone();
        names.sort_unstable();
        other.sort_by_key(letters);
        let sure = !(by_bytes && by_letters) || names == other;
        return Some((if by_bytes { names } else { other }, sure));
    }
    let mine = ours.added(base);
    for (before, name) in new {
        // Two names put in at one place: which comes first only a person knows.
        if mine.iter().any(|(other, _)| *other == before) {
            return None;
        }
        let at = match before {
            None => 0,
            Some(before) => names.iter().position(|n| *n == before)? + 1,
        };
        names.insert(at, name);
    }
    (!names.is_empty()).then_some((names, false))
}
