//! "Ours" and "theirs" by their names: in a rebase nobody knows at once whose "ours" is.

/// What the two sides are called, where their plain names would mislead.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct PartyWords(Option<[String; 2]>);

impl PartyWords {
    /// These names stand for "ours" and "theirs".
    pub fn new(ours: impl Into<String>, theirs: impl Into<String>) -> Self {
        PartyWords(Some([ours.into(), theirs.into()]))
    }

    /// Puts the names into a text of the program: wherever "ours" or "theirs" stands as a word of
    /// its own, also before an apostrophe. Paths and quoted words stay.
    ///
    /// ```
    /// use armistice::base::party_words::PartyWords;
    /// let words = PartyWords::new("main", "your commit 2");
    /// assert_eq!(words.put_into("ours then theirs' words"), "main then your commit 2's words");
    /// assert_eq!(words.put_into("src/ours.rs"), "src/ours.rs");
    /// assert_eq!(PartyWords::default().put_into("ours"), "ours");
    /// ```
    pub fn put_into(&self, text: &str) -> String {
        let Some([ours, theirs]) = &self.0 else {
            return text.to_owned();
        };
        let mut out = String::with_capacity(text.len());
        let mut rest = text;
        while !rest.is_empty() {
            let end = rest.find(' ').map_or(rest.len(), |at| at + 1);
            let (piece, behind) = rest.split_at(end);
            out += &one(piece, ours, theirs);
            rest = behind;
        }
        out
    }
}

/// One word with what stands around it.
fn one(piece: &str, ours: &str, theirs: &str) -> String {
    for (plain, name) in [
        ("ours", ours),
        ("theirs", theirs),
        ("Ours", ours),
        ("Theirs", theirs),
    ] {
        let core = piece.trim_start_matches('(');
        let Some(behind) = core.strip_prefix(plain) else {
            continue;
        };
        let before = &piece[..piece.len() - core.len()];
        if let Some(behind) = behind.strip_prefix('\'')
            && is_end(behind)
        {
            return format!("{before}{name}'s{behind}");
        }
        if is_end(behind) {
            return format!("{before}{name}{behind}");
        }
    }
    piece.to_owned()
}

/// Whether a word ends before these signs.
fn is_end(behind: &str) -> bool {
    let signs = behind.trim_end_matches(' ');
    signs
        .chars()
        .all(|c| matches!(c, ',' | ';' | ':' | '.' | ')' | '?'))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_words_of_their_own_are_replaced() {
        let words = PartyWords::new("main", "your commit 2");
        for (text, named) in [
            (
                "gives up what ours did: 2 lines",
                "gives up what main did: 2 lines",
            ),
            (
                "Ours is ahead: it contains theirs.",
                "main is ahead: it contains your commit 2.",
            ),
            ("take ours", "take main"),
            ("ours+theirs", "ours+theirs"),
            ("'ours' stays", "'ours' stays"),
            ("yours and hours", "yours and hours"),
            ("(theirs)", "(your commit 2)"),
            ("a  ours  b", "a  main  b"),
        ] {
            assert_eq!(words.put_into(text), named);
        }
    }
}
