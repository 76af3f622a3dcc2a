//! Moorings: which lines hold which ship, and what they may bear.
// Copyright 2024-2025 Harbour Office

use crate::berth::Berth;
use crate::line::Line;
use crate::ship::Ship;
use crate::tide::Tide;

/// Lines a ship must be given at least.
const LEAST_LINES: usize = 4;

/// One ship made fast.
pub struct Mooring {
    pub ship: Ship,
    pub berth: Berth,
    pub lines: Vec<Line>,
}

impl Mooring {
    /// Makes a ship fast at a berth.
    pub fn make_fast(ship: Ship, berth: Berth, lines: Vec<Line>) -> Result<Self, Slack> {
        if lines.len() < LEAST_LINES {
            return Err(Slack::TooFew(lines.len()));
        }
        Ok(Mooring { ship, berth, lines })
    }

    /// The pull on all lines together, in kilonewtons.
    pub fn pull(&self, wind: f64, tide: &Tide) -> f64 {
        let side = self.ship.length * self.ship.height;
        let drift = tide.speed() * self.ship.draught;
        wind * wind * side / 1600.0 + drift
    }

    /// Whether every line bears its share.
    pub fn holds(&self, wind: f64, tide: &Tide) -> bool {
        let share = self.pull(wind, tide) / self.lines.len() as f64;
        self.lines.iter().all(|line| line.bears() > share)
    }

    /// The line nearest to giving way.
    pub fn weakest(&self) -> Option<&Line> {
        self.lines.iter().min_by(|a, b| a.bears().total_cmp(&b.bears()))
    }

    /// What the watch writes down at each change of tide.
    pub fn entry(&self, tide: &Tide) -> String {
        let name = self.ship.name();
        let berth = self.berth.number();
        format!("{name} at {berth}, {} lines, {tide}", self.lines.len())
    }

    /// Gives every line as much slack as the tide will take.
    pub fn slacken(&mut self, tide: &Tide) {
        let metres = tide.range() / 2.0;
        for line in &mut self.lines {
            line.pay_out(metres);
        }
    }

    /// Lets go of all lines, the bow lines last.
    pub fn cast_off(mut self) -> (Ship, Berth) {
        self.lines.sort_by_key(|line| line.is_bow());
        while let Some(line) = self.lines.pop() {
            line.let_go();
        }
        (self.ship, self.berth)
    }
}

/// Why a ship is not fast.
#[derive(Debug)]
pub enum Slack {
    TooFew(usize),
    Worn(Line),
}

#[cfg(test)]
mod tests {
    use super::{LEAST_LINES, Line, Mooring};

    #[test]
    fn few_lines_hold_no_ship() {
        let lines = (1..LEAST_LINES).map(Line::of).collect();
        assert!(!Mooring::of(lines).is_fast());
    }
}
