//! Berths of the harbour and who lies where.

use crate::tide::{Height, TideTable};
use std::collections::BTreeMap;

/// A berth, by the number painted on its bollard.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct BerthId(pub u16);

/// A ship that asks for a place.
#[derive(Clone, Debug)]
pub struct Ship {
    pub name: String,
    pub length_m: f32,
    pub draught_m: f32,
    pub cargo: Cargo,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Cargo {
    Grain,
    Timber,
    Containers,
    Passengers,
}

/// One stretch of quay wall with its berths.
pub struct Quay {
    free: Vec<BerthId>,
    taken: BTreeMap<BerthId, Ship>,
    depth_m: BTreeMap<BerthId, f32>,
    tides: TideTable,
}

impl Quay {
    pub fn new(depths: &[(u16, f32)], tides: TideTable) -> Self {
        let depth_m: BTreeMap<_, _> = depths
            .iter()
            .map(|(number, depth)| (BerthId(*number), *depth))
            .collect();
        let free = depth_m.keys().copied().collect();
        Quay {
            free,
            taken: BTreeMap::new(),
            depth_m,
            tides,
        }
    }

    /// Gives the ship a berth, if one is free.
    pub fn assign(&mut self, ship: &Ship) -> Option<BerthId> {
        let slot = self.free.pop()?;
        self.taken.insert(slot, ship.clone());
        Some(slot)
    }

    /// The ship leaves; its berth is free again.
    pub fn release(&mut self, berth: BerthId) -> Option<Ship> {
        let ship = self.taken.remove(&berth)?;
        self.free.push(berth);
        Some(ship)
    }

    /// Water under the keel at low tide.
    pub fn clearance(&self, berth: BerthId, ship: &Ship) -> Option<f32> {
        let depth = self.depth_m.get(&berth)?;
        let low = self.tides.lowest_today();
        Some(depth + low.metres() - ship.draught_m)
    }

    /// Ships that would touch ground today.
    pub fn aground(&self) -> Vec<&Ship> {
        self.taken
            .iter()
            .filter(|(berth, ship)| {
                self.clearance(**berth, ship).is_some_and(|c| c < 0.5)
            })
            .map(|(_, ship)| ship)
            .collect()
    }

    pub fn free_berths(&self) -> usize {
        self.free.len()
    }

    /// A line for the notice board.
    pub fn notice(&self) -> String {
        let names: Vec<_> = self.taken.values().map(|s| s.name.as_str()).collect();
        match names.len() {
            0 => "The quay is empty.".to_string(),
            1 => format!("At the quay: {}.", names[0]),
            _ => format!("At the quay: {}.", names.join(", ")),
        }
    }
}

/// Lowest water that still floats a ship.
pub fn needed(ship: &Ship) -> Height {
    let reserve = match ship.cargo {
        Cargo::Passengers => 1.0,
        Cargo::Containers => 0.8,
        Cargo::Grain | Cargo::Timber => 0.5,
    };
    Height::from_metres(ship.draught_m + reserve)
}
