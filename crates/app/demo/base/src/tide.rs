//! Tide tables: heights over chart datum, a row an hour.

/// A height in centimetres.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Height(pub i32);

impl Height {
    pub fn from_metres(metres: f32) -> Self {
        Height((metres * 100.0).round() as i32)
    }

    pub fn metres(self) -> f32 {
        self.0 as f32 / 100.0
    }
}

/// One day's heights.
pub struct TideTable {
    hours: [Height; 24],
}

impl TideTable {
    pub fn new(hours: [Height; 24]) -> Self {
        TideTable { hours }
    }

    /// The height at a full hour.
    pub fn at(&self, hour: usize) -> Height {
        self.hours[hour % 24]
    }

    pub fn lowest_today(&self) -> Height {
        self.hours.iter().copied().min().unwrap_or(Height(0))
    }

    pub fn highest_today(&self) -> Height {
        self.hours.iter().copied().max().unwrap_or(Height(0))
    }

    /// Hours in which the water is at least this high.
    pub fn window(&self, needed: Height) -> Vec<usize> {
        (0..24).filter(|h| self.at(*h) >= needed).collect()
    }

    /// Whether the water rises between two hours.
    pub fn rises(&self, hour: usize) -> bool {
        self.at(hour + 1) > self.at(hour)
    }
}
