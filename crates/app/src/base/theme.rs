//! Colours and marks by role. Each party has a colour of its own, which nothing else is drawn in.

use armistice_core::{Origin, Side, Version};
use armistice_syntax::Shade;
use ratatui::style::{Color, Modifier, Style};

/// How many colours the terminal can show.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Depth {
    /// 16 million.
    True,
    /// The table of 256.
    Table,
    /// The sixteen that the user chose.
    Sixteen,
    /// None at all.
    Plain,
}

/// Dark or light ground.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, clap::ValueEnum)]
pub enum Ground {
    /// What the terminal says of itself (COLORFGBG), else dark.
    #[default]
    Auto,
    /// Light text on dark.
    Dark,
    /// Dark text on light.
    Light,
}

/// A thing that has a colour.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Role {
    Ours,
    Theirs,
    Base,
    Blend,
    Hand,
    Finding,
    Text,
    Faint,
    Ground,
    Panel,
    Raised,
    Rule,
}

/// Role, dark, light, and the nearest of the sixteen.
const COLOURS: [(Role, u32, u32, Color); 12] = [
    (Role::Ours, 0xE8A33D, 0x9A5B00, Color::Yellow),
    (Role::Theirs, 0xA98BFA, 0x5B35C4, Color::Magenta),
    (Role::Base, 0x8C9BAB, 0x55626F, Color::Cyan),
    (Role::Blend, 0x58B99D, 0x0B7A5C, Color::Green),
    (Role::Hand, 0xF2EAD3, 0x3A3427, Color::Reset),
    (Role::Finding, 0xF26B4E, 0xB3311A, Color::Red),
    (Role::Text, 0xD7DBE2, 0x20252C, Color::Reset),
    (Role::Faint, 0x78818F, 0x6B7480, Color::DarkGray),
    (Role::Ground, 0x12151B, 0xFBFAF7, Color::Reset),
    (Role::Panel, 0x181C24, 0xF3F1EC, Color::Reset),
    (Role::Raised, 0x222834, 0xE4E1D9, Color::Reset),
    (Role::Rule, 0x313846, 0xC9C5BA, Color::DarkGray),
];

/// What is drawn where a terminal knows no more than ASCII. Each takes one column.
const ASCII: [(&str, &str); 36] = [
    ("─", "-"),
    ("━", "="),
    ("│", "|"),
    ("┌", "+"),
    ("┐", "+"),
    ("└", "+"),
    ("┘", "+"),
    ("├", "+"),
    ("┤", "+"),
    ("·", "."),
    ("…", "~"),
    ("→", ">"),
    ("←", "<"),
    ("↑", "^"),
    ("↓", "v"),
    ("★", "#"),
    ("✓", "+"),
    ("○", "o"),
    ("●", "*"),
    ("┊", ":"),
    ("▲", "^"),
    ("▼", "v"),
    ("◆", "="),
    ("◈", "%"),
    ("✎", "*"),
    ("¶", "$"),
    ("¤", "@"),
    ("›", ">"),
    ("‹", "<"),
    ("┄", "-"),
    ("▏", "|"),
    ("×", "x"),
    ("–", "-"),
    ("—", "-"),
    ("≥", ">"),
    ("≤", "<"),
];

/// Colours and marks as this terminal can show them.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Theme {
    depth: Depth,
    light: bool,
    plain_marks: bool,
}

/// What a theme is chosen from: the environment and the command line.
#[derive(Clone, Debug, Default)]
pub struct ThemeOptions<'a> {
    pub ground: Ground,
    pub plain_marks: bool,
    pub no_color: bool,
    pub colorterm: &'a str,
    pub term: &'a str,
    pub colorfgbg: &'a str,
}

impl Theme {
    pub fn new(options: &ThemeOptions<'_>) -> Self {
        let depth = match options {
            w if w.no_color || w.term == "dumb" => Depth::Plain,
            w if matches!(w.colorterm, "truecolor" | "24bit") => Depth::True,
            w if w.term.contains("256") => Depth::Table,
            _ => Depth::Sixteen,
        };
        let light = match options.ground {
            Ground::Light => true,
            Ground::Dark => false,
            // "foreground;background", 7 and 15 are the light ones of the sixteen.
            Ground::Auto => matches!(options.colorfgbg.rsplit(';').next(), Some("7" | "15")),
        };
        Theme {
            depth,
            light,
            plain_marks: options.plain_marks,
        }
    }

    pub fn colour(&self, role: Role) -> Color {
        let row = COLOURS.iter().find(|c| c.0 == role).unwrap_or(&COLOURS[6]);
        let rgb = if self.light { row.2 } else { row.1 };
        let [_, r, g, b] = rgb.to_be_bytes();
        match self.depth {
            Depth::True => Color::Rgb(r, g, b),
            Depth::Table => Color::Indexed(nearest(r, g, b)),
            Depth::Sixteen => row.3,
            Depth::Plain => Color::Reset,
        }
    }

    pub fn fg(&self, role: Role) -> Style {
        let style = Style::new().fg(self.colour(role));
        let dim = role == Role::Faint && self.depth == Depth::Plain;
        if dim {
            style.add_modifier(Modifier::DIM)
        } else {
            style
        }
    }

    pub fn text(&self) -> Style {
        self.fg(Role::Text)
    }

    /// A style as comments, strings and keywords have it: by weight and slant, for colours are whose
    /// a line is.
    pub fn shaded(&self, style: Style, shade: Shade) -> Style {
        match shade {
            Shade::Comment => style.patch(self.faint()).add_modifier(Modifier::ITALIC),
            Shade::Text => style.add_modifier(Modifier::ITALIC),
            Shade::Keyword => style.add_modifier(Modifier::BOLD),
        }
    }

    pub fn faint(&self) -> Style {
        self.fg(Role::Faint)
    }

    pub fn bold(&self) -> Style {
        self.text().add_modifier(Modifier::BOLD)
    }

    /// The ground of a whole area.
    pub fn ground(&self, role: Role) -> Style {
        Style::new()
            .fg(self.colour(Role::Text))
            .bg(self.colour(role))
    }

    /// A chosen row: raised ground, or reversed where there is no colour for it.
    pub fn chosen(&self, style: Style) -> Style {
        match self.depth {
            Depth::Plain | Depth::Sixteen => style.add_modifier(Modifier::REVERSED),
            _ => style.bg(self.colour(Role::Raised)),
        }
    }

    /// Words that a party added.
    pub fn added(&self, role: Role) -> Style {
        self.fg(role)
            .add_modifier(Modifier::UNDERLINED | Modifier::BOLD)
    }

    /// Words that a party removed.
    pub fn removed(&self, role: Role) -> Style {
        self.fg(role)
            .add_modifier(Modifier::CROSSED_OUT | Modifier::DIM)
    }

    /// The mark of a role; empty where it has none.
    pub fn mark(&self, role: Role) -> &'static str {
        match (role, self.plain_marks) {
            (Role::Ours, false) => "▲",
            (Role::Ours, true) => "^",
            (Role::Theirs, false) => "▼",
            (Role::Theirs, true) => "v",
            (Role::Base, false) => "◆",
            (Role::Base, true) => "=",
            (Role::Blend, false) => "◈",
            (Role::Blend, true) => "%",
            (Role::Hand, false) => "✎",
            (Role::Hand, true) => "*",
            (Role::Finding, _) => "!",
            _ => "",
        }
    }

    /// Whether anything but the terminal's own colours can be shown.
    pub fn has_colour(&self) -> bool {
        self.depth != Depth::Plain
    }

    /// Whether marks must be plain ASCII.
    /// The mark of what a rule settled or proposes.
    pub fn rule_mark(&self) -> &'static str {
        if self.plain_marks { "#" } else { "★" }
    }

    /// A sign as plain ASCII, if it is one of those that the screens draw with.
    pub fn ascii(sign: &str) -> Option<&'static str> {
        ASCII
            .iter()
            .find(|(drawn, _)| *drawn == sign)
            .map(|(_, plain)| *plain)
    }

    pub fn plain_marks(&self) -> bool {
        self.plain_marks
    }
}

impl From<Version> for Role {
    fn from(version: Version) -> Self {
        match version {
            Version::Ours => Role::Ours,
            Version::Theirs => Role::Theirs,
            Version::Base => Role::Base,
        }
    }
}

impl From<Side> for Role {
    fn from(side: Side) -> Self {
        Version::from(side).into()
    }
}

impl From<Origin> for Role {
    fn from(origin: Origin) -> Self {
        match origin {
            Origin::Unchanged | Origin::Same | Origin::Open => Role::Text,
            Origin::Ours => Role::Ours,
            Origin::Theirs => Role::Theirs,
            Origin::Base => Role::Base,
            Origin::Blend => Role::Blend,
            Origin::Hand => Role::Hand,
        }
    }
}

/// The nearest colour of the table's cube and greys.
fn nearest(r: u8, g: u8, b: u8) -> u8 {
    const STEPS: [u8; 6] = [0, 95, 135, 175, 215, 255];
    let gap = |x: u8, y: u8| u32::from(x.abs_diff(y)).pow(2);
    let step = |v: u8| (0..6).min_by_key(|i| gap(STEPS[*i], v)).unwrap_or(0);
    let (x, y, z) = (step(r), step(g), step(b));
    let cube = gap(STEPS[x], r) + gap(STEPS[y], g) + gap(STEPS[z], b);
    let mean = ((u16::from(r) + u16::from(g) + u16::from(b)) / 3) as u8;
    let level = ((mean.saturating_sub(8)) / 10).min(23);
    let grey = 8 + 10 * level;
    match gap(grey, r) + gap(grey, g) + gap(grey, b) < cube {
        true => 232 + level,
        false => (16 + 36 * x + 6 * y + z) as u8,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn theme(options: ThemeOptions<'_>) -> Theme {
        Theme::new(&options)
    }

    #[test]
    fn the_environment_decides_the_depth() {
        let of = |colorterm, term, no_color| {
            theme(ThemeOptions {
                colorterm,
                term,
                no_color,
                ..ThemeOptions::default()
            })
            .colour(Role::Ours)
        };
        assert_eq!(
            of("truecolor", "xterm", false),
            Color::Rgb(0xE8, 0xA3, 0x3D)
        );
        assert_eq!(of("", "tmux-256color", false), Color::Indexed(179));
        assert_eq!(of("", "xterm", false), Color::Yellow);
        assert_eq!(of("truecolor", "xterm", true), Color::Reset);
    }

    #[test]
    fn parties_never_share_a_colour_or_a_mark() {
        for depth in [Depth::True, Depth::Table, Depth::Sixteen] {
            for light in [false, true] {
                let theme = Theme {
                    depth,
                    light,
                    plain_marks: true,
                };
                let roles = [
                    Role::Ours,
                    Role::Theirs,
                    Role::Base,
                    Role::Blend,
                    Role::Finding,
                ];
                for (i, a) in roles.iter().enumerate() {
                    for b in &roles[i + 1..] {
                        assert_ne!(theme.colour(*a), theme.colour(*b), "{a:?} {b:?} {depth:?}");
                        assert_ne!(theme.mark(*a), theme.mark(*b));
                    }
                }
            }
        }
    }
}
