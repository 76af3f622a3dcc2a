//! The blocks that each line of a text is in.

use crate::text::source::Source;
use crate::verify::result_lines::width;
use std::collections::HashMap;
use std::sync::Arc;

/// For each line of a text, the first lines of the blocks that it is in. A copy costs nothing.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Scopes(Arc<Table>);

#[derive(Debug, Default, PartialEq, Eq)]
struct Table {
    /// The headers of each block, outermost first; no two are the same.
    blocks: Vec<Vec<u32>>,
    /// By line, the number of its block; `None` for lines that are not compared: blank ones and comments.
    of_lines: Vec<Option<u32>>,
}

impl Scopes {
    /// Scopes that a parser found: `headers` has an entry for each line, with the first lines of the blocks
    /// that it is in, outermost first, each before the line itself.
    pub fn new(headers: Vec<Option<Vec<u32>>>) -> Self {
        let mut table = Table::default();
        let mut numbers: HashMap<Vec<u32>, u32> = HashMap::new();
        let mut last: Option<u32> = None;
        for chain in headers {
            let Some(chain) = chain else {
                table.of_lines.push(None);
                continue;
            };
            let is_same = |number: &u32| table.blocks[*number as usize] == chain;
            let number = last.filter(is_same).unwrap_or_else(|| {
                let next = table.blocks.len() as u32;
                let number = *numbers.entry(chain.clone()).or_insert(next);
                if number == next {
                    table.blocks.push(chain);
                }
                number
            });
            table.of_lines.push(Some(number));
            last = Some(number);
        }
        Scopes(Arc::new(table))
    }

    /// Scopes by indentation and by the headings of sections, where no parser is known.
    ///
    /// ```
    /// use armistice_core::Scopes;
    /// let scopes = Scopes::by_layout(&"a:\n  b:\n    c\n  d\n".into());
    /// assert_eq!(scopes.of(2), Some(&[0, 1][..]));
    /// assert_eq!(scopes.of(3), Some(&[0][..]));
    /// ```
    pub fn by_layout(text: &Source) -> Self {
        Self::by_indentation(text, |_| true)
    }

    /// The same for a programming language, in which the first line of a block ends with a sign or a word
    /// that opens it.
    pub fn by_layout_of_code(text: &Source) -> Self {
        Self::by_indentation(text, opens_block)
    }

    fn by_indentation(text: &Source, opens: impl Fn(&[u8]) -> bool) -> Self {
        let mut open: Vec<(usize, u32)> = Vec::new();
        let mut section: Option<u32> = None;
        let mut headers = Vec::with_capacity(text.len());
        for (row, line) in (0..).zip(text.lines(text.all())) {
            let trimmed = line.trimmed();
            if trimmed.is_empty() {
                headers.push(None);
                continue;
            }
            let indentation = width(line.bytes());
            if indentation == 0 && trimmed.starts_with(b"[") && trimmed.ends_with(b"]") {
                (section, open) = (Some(row), Vec::new());
                headers.push(Some(Vec::new()));
                continue;
            }
            open.retain(|(outer, _)| *outer < indentation);
            let chain = section
                .iter()
                .copied()
                .chain(open.iter().map(|(_, row)| *row));
            headers.push(Some(chain.collect()));
            if opens(trimmed) {
                open.push((indentation, row));
            }
        }
        Scopes::new(headers)
    }

    /// The headers of a line, counted from zero; `None` if it is not compared.
    pub fn of(&self, row: u32) -> Option<&[u32]> {
        Some(self.block(self.number(row)?))
    }

    /// The number of the block that a line is in.
    pub(crate) fn number(&self, row: u32) -> Option<u32> {
        self.0.of_lines.get(row as usize).copied().flatten()
    }

    /// The headers of the block with a number.
    pub(crate) fn block(&self, number: u32) -> &[u32] {
        &self.0.blocks[number as usize]
    }

    /// How many blocks there are.
    pub(crate) fn blocks(&self) -> usize {
        self.0.blocks.len()
    }
}

/// Whether a line ends with what opens a block, or what continues below; or begins like a function that
/// ends with a word of its own.
pub(crate) fn opens_block(line: &[u8]) -> bool {
    const FUNCTIONS: [&[u8]; 6] = [
        b"function ",
        b"local function ",
        b"def ",
        b"sub ",
        b"proc ",
        b"procedure ",
    ];
    if line.ends_with(b")") && FUNCTIONS.iter().any(|word| line.starts_with(word)) {
        return true;
    }
    const WORDS: [&[u8]; 3] = [b"do", b"then", b"else"];
    line.ends_with(b"->")
        || matches!(line.last(), Some(b':' | b'{' | b'(' | b'[' | b'='))
        || WORDS.iter().any(|word| line.ends_with(word))
}
