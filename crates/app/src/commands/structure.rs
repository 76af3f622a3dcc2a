//! The demo of code that moved: two branches put the lock's gates in another order, edit them, move a
//! table to another file, rename what the other newly calls.

use crate::commands::moves::{By, World};
use anyhow::Result;
use armistice_git::Runner;
use std::path::Path;

const BASE: By = By {
    name: "Ines Brandt",
    email: "ines@harbour.example",
    date: "2026-10-05T08:00:00+0200",
    message: "Work the lock from the office",
};

const OURS: By = By {
    name: "Jorun Aas",
    email: "jorun@harbour.example",
    date: "2026-11-12T10:20:00+0100",
    message: "Put the gates in the order in which a ship meets them",
};

const THEIRS: By = By {
    name: "Mila Okafor",
    email: "mila@harbour.example",
    date: "2026-11-13T16:05:00+0100",
    message: "Wait for the tug, and report what passes",
};

/// The methods of the lock, in an order, each with what it does.
fn lock(methods: &[&str], edited: &[(&str, &str, &str)]) -> String {
    let body = |name: &str| {
        let mut text = match name {
            "enter" => "    /// Lets a ship in at low water.\n    pub fn enter(&mut self, ship: &Ship) {\n        self.outer.open();\n        self.log(\"in\", ship);\n        self.outer.close();\n    }\n",
            "fill" => "    /// Lets water in until the basin's level is reached.\n    pub fn fill(&mut self) {\n        while self.level < self.basin {\n            self.sluice.open();\n            self.level += 1;\n        }\n        self.sluice.close();\n    }\n",
            "leave" => "    /// Lets a ship out into the basin.\n    pub fn leave(&mut self, ship: &Ship) {\n        self.inner.open();\n        self.log(\"out\", ship);\n        self.inner.close();\n    }\n",
            "drain" => "    /// Lets water out until low water is reached.\n    pub fn drain(&mut self) {\n        while self.level > self.low {\n            self.drain.open();\n            self.level -= 1;\n        }\n        self.drain.close();\n    }\n",
            "hail" => "    /// Calls the ship that waits longest.\n    pub fn hail(&self) -> Option<&Ship> {\n        self.waiting.first()\n    }\n",
            _ => "    /// Says what the lock does now.\n    pub fn report(&self) -> String {\n        format!(\"level {} of {}\", self.level, self.basin)\n    }\n",
        }
        .to_owned();
        for (of, from, to) in edited {
            if *of == name {
                text = text.replacen(from, to, 1);
            }
        }
        text
    };
    let methods: Vec<String> = methods.iter().map(|name| body(name)).collect();
    format!(
        "//! The lock between the tide and the basin.\n\nuse crate::ship::Ship;\n\n/// Levels are in decimetres above chart datum.\nimpl Lock {{\n{}}}\n",
        methods.join("\n")
    )
}

const TABLE: &str = "\n\ndef rates(hour):\n    \"\"\"What a passage costs at an hour, in euros.\"\"\"\n    if hour < 6 or hour > 21:\n        return 180\n    return 120\n";

const TOLLS: &str = "\"\"\"Tolls of the lock.\"\"\"\n\n\ndef toll(ship, hour):\n    \"\"\"What a ship pays for a passage.\"\"\"\n    return rates(hour) + ship.length\n";

const WATCH: &str = "\"\"\"Who works the lock, and when.\"\"\"\n\n\ndef on_watch(hour):\n    \"\"\"The keeper at an hour.\"\"\"\n    return KEEPERS[hour // 8]\n\n\nKEEPERS = [\"Okko\", \"Jorun\", \"Mila\"]\n";

const DAYBOOK: &str = "\"\"\"What passed the lock.\"\"\"\n\nfrom lock import tolls\n\n\ndef line(ship, hour):\n    \"\"\"One line of the daybook.\"\"\"\n    return f\"{hour:02} {ship.name}\"\n";

/// Makes both branches in an empty repository that has the base files written; `harbour/main` is
/// checked out then, and `lock-keeping` can be merged.
///
/// # Errors
/// If git or the disk refuses.
pub fn make(git: &Runner, folder: &Path) -> Result<()> {
    let world = World { git, folder };
    let all = ["enter", "fill", "leave", "drain", "report"];
    world.write("lock/lock.rs", &lock(&all, &[]))?;
    world.write("lock/tolls.py", &format!("{TOLLS}{TABLE}"))?;
    world.write("lock/watch.py", WATCH)?;
    world.write("lock/daybook.py", DAYBOOK)?;
    world.commit(&BASE)?;
    world.git(&["checkout", "-q", "-b", "lock-keeping"])?;
    let waits = [
        (
            "enter",
            "        self.outer.open();\n",
            "        self.tug.wait();\n        self.outer.open();\n",
        ),
        ("drain", "self.level -= 1;", "self.level -= self.sluices();"),
        ("report", "level {} of {}", "level {} dm of {} dm"),
    ];
    world.write(
        "lock/lock.rs",
        &lock(
            &["enter", "fill", "leave", "drain", "report", "hail"],
            &waits,
        ),
    )?;
    world.edit(
        "lock/tolls.py",
        "return rates(hour) + ship.length",
        "return rates(hour) + 2 * ship.length",
    )?;
    world.edit(
        "lock/tolls.py",
        "        return 180\n",
        "        return 195\n",
    )?;
    world.edit(
        "lock/daybook.py",
        "    return f\"{hour:02} {ship.name}\"\n",
        "    keeper = watch.on_watch(hour)\n    return f\"{hour:02} {ship.name} ({keeper})\"\n",
    )?;
    world.edit(
        "lock/daybook.py",
        "from lock import tolls\n",
        "from lock import tolls\nfrom lock import watch\n",
    )?;
    world.commit(&THEIRS)?;
    world.git(&["checkout", "-q", "-f", "harbour/main"])?;
    let order = ["report", "drain", "enter", "fill", "leave"];
    let ours = [("report", "level {} of {}", "water at {} of {}")];
    world.write("lock/lock.rs", &lock(&order, &ours))?;
    world.write("lock/tolls.py", &TOLLS.replace("rates(", "tables.rates("))?;
    world.write(
        "lock/tables.py",
        &format!("\"\"\"What the office charges.\"\"\"\n{TABLE}"),
    )?;
    world.edit(
        "lock/watch.py",
        "def on_watch(hour):",
        "def keeper_at(hour):",
    )?;
    world.commit(&OURS)
}
