//! Where everything on Terrain is: three columns with what joins them, or a list where there is no room.

use crate::base::safe_text::visible;
use crate::state::app::State;
use crate::state::file::OpenFile;
use crate::state::terrain::{Block, Item};
use crate::view::areas::Screen;
use armistice_core::{DeclarationChange, RegionId, Side, Version};
use armistice_git::FileTerrain;
use ratatui::layout::Rect;

/// Columns between two columns of declarations, for what joins them.
pub const GUTTER: u16 = 12;
/// Rows at the foot that tell of the chosen declaration.
const FOOT: u16 = 3;

/// A row of Terrain.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TerrainRow {
    /// The name of a file, by its block.
    File(usize),
    /// A row of the three columns of a block.
    Cells(usize, usize),
    /// One declaration, where there are no columns.
    Item(Item),
}

/// All rows, from the top.
pub fn terrain_rows(state: &State, wide: bool) -> Vec<TerrainRow> {
    let mut out = Vec::new();
    for (nth, block) in state.terrain.blocks.iter().enumerate() {
        out.push(TerrainRow::File(nth));
        match wide {
            true => out.extend((0..block.columns.rows()).map(|row| TerrainRow::Cells(nth, row))),
            false => out.extend(block.shown.iter().map(|declaration| {
                TerrainRow::Item(Item {
                    file: block.file,
                    declaration: *declaration,
                })
            })),
        }
    }
    out
}

/// The row in which a declaration stands: that of base, else that of a side.
pub fn row_of(state: &State, item: Item, wide: bool) -> usize {
    let rows = terrain_rows(state, wide);
    let blocks = &state.terrain.blocks;
    let holds = |row: &TerrainRow| match row {
        TerrainRow::Item(other) => *other == item,
        TerrainRow::Cells(nth, at) => {
            let block = &blocks[*nth];
            block.file == item.file && place(block, item.declaration) == Some(*at)
        }
        TerrainRow::File(_) => false,
    };
    rows.iter().position(holds).unwrap_or(0)
}

/// The row of a block in which a declaration stands first, base before ours before theirs.
fn place(block: &Block, declaration: usize) -> Option<usize> {
    let versions = [Version::Base, Version::Ours, Version::Theirs].into_iter();
    let mut places = versions.filter_map(|version| {
        let cells = block.columns.cells(version).iter();
        cells
            .clone()
            .position(|cell| cell.is_some_and(|cell| cell.declaration == declaration))
    });
    places.next()
}

/// The areas of Terrain.
pub struct TerrainAreas {
    pub heads: Rect,
    pub rows: Rect,
    pub foot: Rect,
}

impl TerrainAreas {
    pub fn new(state: &State) -> Self {
        let screen = Screen::new(state);
        let body = screen.body;
        let under = Rect {
            y: body.y + 1,
            height: body.height.saturating_sub(1),
            ..body
        };
        let heads = u16::from(screen.is_wide()).min(under.height);
        let foot = FOOT.min(under.height.saturating_sub(heads + 2));
        TerrainAreas {
            heads: Rect {
                height: heads,
                ..under
            },
            rows: Rect {
                y: under.y + heads,
                height: under.height - heads - foot,
                ..under
            },
            foot: Rect {
                y: under.y + under.height - foot,
                height: foot,
                ..under
            },
        }
    }
}

/// The columns of ours, base and theirs.
pub fn terrain_columns(area: Rect) -> [Rect; 3] {
    let width = (area.width.saturating_sub(2 * GUTTER + 2)) / 3;
    let column = |nth: u16| Rect {
        x: area.x + 1 + nth * (width + GUTTER),
        width,
        ..area
    };
    [column(0), column(1), column(2)]
}

/// What a side did, in words with where it went; empty if it left it alone.
pub fn did_words(state: &State, item: Item, side: Side) -> String {
    let Some((file, change)) = state.terrain.change(item) else {
        return String::new();
    };
    let did = change.did[side];
    if !did.anything() {
        return String::new();
    }
    if let Some(other) = change.parted[side].and_then(|of| file.changes.get(of)) {
        let words = match did.added {
            true => format!("split off {}", title_in(other, Version::Base)),
            false => format!("joined to {}", title_in(other, side.into())),
        };
        return words;
    }
    let mut words = did.words();
    if did.renamed {
        words += &format!(" to {}", visible(change.name_in(side.into())));
    }
    if let Some(path) = &file.went_to_file[item.declaration][side] {
        words += &format!(" to {path}");
    }
    if let Some(to) = change.went_to[side].and_then(|to| file.changes.get(to)) {
        let line = to
            .lines_in(side.into())
            .map_or(0, |lines| lines.start.number());
        words += &format!(" to line {line}");
    }
    words
}

/// What a declaration is called in a version, with its kind.
pub fn title_in(change: &DeclarationChange, version: Version) -> String {
    let name = visible(change.name_in(version));
    match name.is_empty() {
        true => change.kind.to_owned(),
        false => format!("{} {name}", change.kind),
    }
}

/// A declaration of the file in Parley: which, and how many open conflicts are in it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Jump {
    pub item: Item,
    pub open: usize,
}

/// The declarations of the file in Parley whose names have all that was typed, in order, letter by letter.
pub fn jumps(state: &State, typed: &str) -> Vec<Jump> {
    let Some((at, file)) = terrain_of_file(state) else {
        return Vec::new();
    };
    let has_all = |name: &str| {
        let mut left = name.chars().flat_map(char::to_lowercase);
        let mut typed = typed.chars().filter(|c| !c.is_whitespace());
        typed.all(|c| left.any(|other| c.to_lowercase().eq([other])))
    };
    let change = |declaration: usize| &file.changes[declaration];
    (0..file.changes.len())
        .filter(|n| has_all(&title_in(change(*n), Version::Ours)))
        .map(|declaration| Jump {
            item: Item {
                file: at,
                declaration,
            },
            open: open_in(state, change(declaration)),
        })
        .collect()
}

/// What is known of the declarations of the file in Parley.
fn terrain_of_file(state: &State) -> Option<(usize, &FileTerrain)> {
    let case = &state.file(state.file)?.case;
    let files = state.terrain.known()?.files.iter().enumerate();
    files.clone().find(|(_, file)| case.has_path(&file.path))
}

/// How many open conflicts of the file in Parley are in a declaration.
fn open_in(state: &State, change: &DeclarationChange) -> usize {
    let Some(file) = state.open_file() else {
        return 0;
    };
    let inside = conflicts_in(file, change);
    inside
        .iter()
        .filter(|id| file.draft().is_open(**id))
        .count()
}

/// The conflicts of a file that are in a declaration, settled ones too.
pub fn conflicts_in(file: &OpenFile, change: &DeclarationChange) -> Vec<RegionId> {
    let inside = |id: &RegionId| {
        let region = file.plan().region(*id);
        [Version::Ours, Version::Theirs, Version::Base]
            .into_iter()
            .any(|version| {
                let lines = change.lines_in(version).unwrap_or_default();
                let at = file.plan().real_line(version, region.lines(version).start);
                !region.lines(version).is_empty() && lines.contains(at)
            })
    };
    file.plan()
        .conflicts()
        .iter()
        .copied()
        .filter(inside)
        .collect()
}

/// The innermost declaration at the cursor of Parley, with its kind; nothing as long as it is not known.
pub fn declaration_at_hand(state: &State) -> Option<String> {
    let open = state.open_file()?;
    let (_, file) = terrain_of_file(state)?;
    let region = open.plan().region(open.view.region);
    let versions = [Version::Ours, Version::Theirs, Version::Base].into_iter();
    let mut places = versions.filter(|version| !region.lines(*version).is_empty());
    let version = places.next()?;
    let at = open.plan().real_line(version, region.lines(version).start);
    let holds = |change: &&DeclarationChange| {
        change
            .lines_in(version)
            .is_some_and(|lines| lines.contains(at))
    };
    let innermost = file
        .changes
        .iter()
        .filter(holds)
        .max_by_key(|change| change.depth);
    innermost.map(|change| title_in(change, version))
}

/// Signs of a gutter by the directions in which a line leaves a cell: up, down, left, right.
pub const UP: u8 = 1;
pub const DOWN: u8 = 2;
pub const LEFT: u8 = 4;
pub const RIGHT: u8 = 8;

/// The sign of a cell by the directions in which lines leave it.
pub fn line_sign(directions: u8) -> &'static str {
    match directions {
        0 => " ",
        d if d == UP | DOWN => "│",
        d if d == LEFT | RIGHT || d == LEFT || d == RIGHT => "─",
        d if d == DOWN | RIGHT => "┌",
        d if d == DOWN | LEFT => "┐",
        d if d == UP | RIGHT => "└",
        d if d == UP | LEFT => "┘",
        d if d == UP | DOWN | RIGHT => "├",
        d if d == UP | DOWN | LEFT => "┤",
        d if d == UP || d == DOWN => "│",
        _ => "┼",
    }
}

/// One cell of a gutter.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Wire {
    pub directions: u8,
    /// Whether something moved goes along it.
    pub moved: bool,
    /// The declaration of base that it belongs to, last drawn.
    pub declaration: usize,
}

/// What joins base with a side in a block, row by row: cells from the column on the left to the one on
/// the right. Straight where both stand in one row; else along a lane of its own.
pub fn wires(block: &Block, side: Side) -> Vec<[Wire; GUTTER as usize]> {
    const WIDTH: usize = GUTTER as usize;
    let mut grid = vec![[Wire::default(); WIDTH]; block.columns.rows()];
    let base = block.columns.cells(Version::Base);
    let mut lane = 0;
    for join in &block.columns.joins[side] {
        // Ours stands to the left of base, theirs to the right.
        let (left, right) = match side {
            Side::Ours => (join.side, join.base),
            Side::Theirs => (join.base, join.side),
        };
        let Some(declaration) = base[join.base].map(|cell| cell.declaration) else {
            continue;
        };
        let mut put = |row: usize, x: usize, directions: u8| {
            let wire = &mut grid[row][x];
            wire.directions |= directions;
            if join.moved || !wire.moved {
                wire.declaration = declaration;
            }
            wire.moved |= join.moved;
        };
        if left == right {
            (1..WIDTH - 1).for_each(|x| put(left, x, LEFT | RIGHT));
            continue;
        }
        let turn = 2 + lane % (WIDTH - 4);
        lane += 2;
        (1..turn).for_each(|x| put(left, x, LEFT | RIGHT));
        (turn + 1..WIDTH - 1).for_each(|x| put(right, x, LEFT | RIGHT));
        let (from, to) = if left < right { (DOWN, UP) } else { (UP, DOWN) };
        put(left, turn, LEFT | from);
        put(right, turn, RIGHT | to);
        for row in left.min(right) + 1..left.max(right) {
            put(row, turn, UP | DOWN);
        }
    }
    grid
}

#[cfg(test)]
mod tests {
    use super::*;
    use armistice_core::{Columns, Source, Versions, declaration_changes, outline_by_indentation};

    #[test]
    fn what_moved_is_joined_along_a_lane() {
        let base: Source = "moor:\n  a\n\npay:\n  b\n".into();
        let ours: Source = "pay:\n  b\n\nmoor:\n  a\n".into();
        let outlines = [&base, &ours, &base].map(outline_by_indentation);
        let [b, o, t] = &outlines;
        let theirs = base.clone();
        let all = declaration_changes(&Versions { base, ours, theirs }, [b, o, t]);
        let block = Block {
            file: 0,
            columns: Columns::new(&all, |_| true),
            shown: vec![0, 1],
        };
        let shown = |side| -> Vec<String> {
            let rows = wires(&block, side).into_iter();
            rows.map(|row| row.map(|wire| line_sign(wire.directions)).concat())
                .collect()
        };
        let straight = " ────────── ";
        assert_eq!(
            shown(Side::Theirs)
                .iter()
                .filter(|row| **row == straight)
                .count(),
            2
        );
        let ours = shown(Side::Ours);
        assert!(ours.iter().any(|row| row.contains(['┌', '┐'])), "{ours:?}");
        assert!(ours.iter().any(|row| row.contains(['└', '┘'])), "{ours:?}");
        let moved = wires(&block, Side::Ours).into_iter().flatten();
        assert!(moved.filter(|wire| wire.moved).count() > 4);
    }
}
