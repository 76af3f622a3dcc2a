//! The demo of files that moved: the harbour gets a new basin, and both branches rename, move,
//! remove and replace what the other works on. Every kind of case that is no text alone.

use anyhow::{Context, Result};
use armistice_git::{Git, Invocation, Runner};
use std::fs;
use std::os::unix::fs::{PermissionsExt, symlink};
use std::path::Path;

/// One commit: who makes it, when, and its message.
pub(crate) struct By {
    pub(crate) name: &'static str,
    pub(crate) email: &'static str,
    pub(crate) date: &'static str,
    pub(crate) message: &'static str,
}

const BASE: By = By {
    name: "Ines Brandt",
    email: "ines@harbour.example",
    date: "2026-10-05T08:00:00+0200",
    message: "Plan the basin, its yard and its rota",
};

const OURS: By = By {
    name: "Ines Brandt",
    email: "ines@harbour.example",
    date: "2026-11-12T10:20:00+0100",
    message: "Call the yard the quayside, and its plans by their place",
};

const THEIRS: By = By {
    name: "Okko Harms",
    email: "okko@harbour.example",
    date: "2026-11-13T16:05:00+0100",
    message: "Open the new basin",
};

/// The yard of the harbour as a folder of small files.
const YARD: [(&str, &str); 3] = [("cranes", "crane"), ("rails", "rail"), ("sheds", "shed")];

/// Makes both branches in an empty repository that has the base files written; `harbour/main` is
/// checked out then, and `new-basin` can be merged.
///
/// # Errors
/// If git or the disk refuses.
pub fn make(git: &Runner, folder: &Path) -> Result<()> {
    let world = World { git, folder };
    world.base()?;
    world.commit(&BASE)?;
    world.git(&["checkout", "-q", "-b", "new-basin"])?;
    world.theirs()?;
    world.commit(&THEIRS)?;
    world.git(&["checkout", "-q", "-f", "harbour/main"])?;
    world.ours()?;
    world.commit(&OURS)
}

/// A repository that a demo is made in.
pub(crate) struct World<'a> {
    pub(crate) git: &'a Runner,
    pub(crate) folder: &'a Path,
}

impl World<'_> {
    pub(crate) fn git(&self, args: &[&str]) -> Result<String> {
        Ok(self.git.must(&Invocation::write(args))?.text())
    }

    pub(crate) fn commit(&self, by: &By) -> Result<()> {
        self.git(&["add", "-A"])?;
        let call = Invocation::write(["commit", "-q", "-m", by.message])
            .env("GIT_AUTHOR_NAME", by.name)
            .env("GIT_AUTHOR_EMAIL", by.email)
            .env("GIT_AUTHOR_DATE", by.date)
            .env("GIT_COMMITTER_DATE", by.date);
        self.git.must(&call)?;
        Ok(())
    }

    pub(crate) fn write(&self, path: &str, text: &str) -> Result<()> {
        let file = self.folder.join(path);
        if let Some(parent) = file.parent() {
            fs::create_dir_all(parent)?;
        }
        fs::write(&file, text).with_context(|| format!("cannot write '{}'", file.display()))
    }

    /// Replaces words of a file, once.
    pub(crate) fn edit(&self, path: &str, from: &str, to: &str) -> Result<()> {
        let text = fs::read_to_string(self.folder.join(path))?;
        self.write(path, &text.replacen(from, to, 1))
    }

    fn link(&self, path: &str, target: &str) -> Result<()> {
        let file = self.folder.join(path);
        if fs::symlink_metadata(&file).is_ok() {
            fs::remove_file(&file)?;
        }
        Ok(symlink(target, file)?)
    }

    fn executable(&self, path: &str) -> Result<()> {
        Ok(fs::set_permissions(
            self.folder.join(path),
            fs::Permissions::from_mode(0o755),
        )?)
    }

    /// The soundings are a repository of their own; it stands at the commit of this message.
    fn sound(&self, message: &str, depths: &str) -> Result<()> {
        let folder = self.folder.join("depths");
        fs::create_dir_all(&folder)?;
        let git = self.git.at(&folder);
        let run = |args: &[&str]| git.must(&Invocation::write(args));
        if !folder.join(".git").exists() {
            run(&["init", "-q", "-b", "soundings"])?;
            run(&["config", "user.name", "Harbour Office"])?;
            run(&["config", "user.email", "office@harbour.example"])?;
            run(&["config", "commit.gpgSign", "false"])?;
        }
        fs::write(folder.join("soundings.csv"), depths)?;
        run(&["add", "-A"])?;
        let call = Invocation::write(["commit", "-q", "-m", message])
            .env("GIT_AUTHOR_DATE", BASE.date)
            .env("GIT_COMMITTER_DATE", BASE.date);
        git.must(&call)?;
        Ok(())
    }

    fn base(&self) -> Result<()> {
        for (name, thing) in YARD {
            let rows: String = (1..=8)
                .map(|n| {
                    format!(
                        "pub const {}_{n}: u32 = {};\n",
                        thing.to_uppercase(),
                        n * 12
                    )
                })
                .collect();
            self.write(
                &format!("yard/{name}.rs"),
                &format!("//! Every {thing} of the yard.\n\n{rows}"),
            )?;
        }
        self.write(
            "plans/basin.md",
            "# The basin\n\nDepth at low tide: 6 m.\nBerths: 12.\nOpened by the bridge master.\nLocked at night.\nThe gate takes four minutes.\nShips wait at the outer mole.\n",
        )?;
        self.write(
            "plans/lights.md",
            "# Lights\n\nGreen to starboard.\nRed to port.\nWhite on the mole, every five seconds.\n",
        )?;
        self.write(
            "tools/roster.py",
            "\"\"\"Who stands watch, and when.\"\"\"\n\nHOURS = 6\n\n\ndef watch(day, crew):\n    \"\"\"The watch of a day, longest at sea first.\"\"\"\n    rested = [one for one in crew if one.rested]\n    return rested[:HOURS]\n",
        )?;
        self.write("notes/day.md", "# By day\n\nPilots meet at six.\nTugs at seven.\nLines at half past.\nThe launch leaves at eight.\n")?;
        self.write("notes/night.md", "# By night\n\nOne pilot sleeps on board.\nThe tug keeps steam.\nLamps are lit by nine.\nThe gate stays shut.\n")?;
        self.write("tariff", "basin 12.00\nmole 8.50\nquay 9.75\n")?;
        self.link("charts", "surveys/2024")?;
        self.sound("Sound the old basin", "6.0\n5.8\n6.1\n")
    }

    fn theirs(&self) -> Result<()> {
        self.git(&["mv", "plans/basin.md", "plans/new-basin.md"])?;
        self.edit(
            "plans/new-basin.md",
            "Berths: 12.",
            "Berths: 20, of which 8 are new.",
        )?;
        self.edit(
            "plans/lights.md",
            "every five seconds",
            "every three seconds",
        )?;
        self.edit("tools/roster.py", "HOURS = 6", "HOURS = 4")?;
        self.edit(
            "tools/roster.py",
            "longest at sea first",
            "the rested ones first",
        )?;
        self.write(
            "yard/hoists.rs",
            "//! Every hoist of the new basin.\n\npub const HOIST_1: u32 = 40;\n",
        )?;
        self.git(&["mv", "notes/night.md", "notes/rota.md"])?;
        self.write(
            "signals/mole.md",
            "# On the mole\n\nTwo balls: the basin is full.\n",
        )?;
        self.write("signals/gate.md", "# At the gate\n\nOne cone: wait.\n")?;
        self.link("charts", "surveys/2026")?;
        fs::remove_file(self.folder.join("tariff"))?;
        self.link("tariff", "config/prices.toml")?;
        self.write("scripts/bell.sh", "#!/bin/sh\nprintf '\\a'\n")?;
        self.executable("scripts/bell.sh")?;
        self.crest(0x7f)?;
        self.sound("Sound the new basin", "6.0\n5.8\n6.1\n9.4\n9.2\n")
    }

    fn ours(&self) -> Result<()> {
        let depths = self.git.at(self.folder.join("depths"));
        depths.must(&Invocation::write(["checkout", "-q", "soundings~1"]))?;
        self.git(&["mv", "plans/basin.md", "plans/inner-basin.md"])?;
        self.edit(
            "plans/inner-basin.md",
            "Berths: 12.",
            "Berths: 11; the last one is the pilots'.",
        )?;
        self.git(&["rm", "-q", "plans/lights.md"])?;
        self.git(&["mv", "tools/roster.py", "tools/watch.py"])?;
        self.edit("tools/watch.py", "HOURS = 6", "HOURS = 5")?;
        self.git(&["mv", "yard", "quayside"])?;
        self.git(&["mv", "notes/day.md", "notes/rota.md"])?;
        self.write("signals", "Two balls on the mast: the basin is full.\n")?;
        self.link("charts", "surveys/2025")?;
        self.edit("tariff", "quay 9.75", "quay 10.25")?;
        self.write("scripts/bell.sh", "#!/bin/sh\nprintf '\\a'\n")?;
        self.crest(0x01)?;
        self.sound("Sound the old basin again", "6.1\n5.7\n6.0\n")
    }

    /// Another picture of the crest.
    fn crest(&self, sign: u8) -> Result<()> {
        let file = self.folder.join("assets/crest.png");
        let mut bytes = fs::read(&file)?;
        bytes.push(sign);
        Ok(fs::write(file, bytes)?)
    }
}
