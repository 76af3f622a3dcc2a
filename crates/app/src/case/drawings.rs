//! Pictures and records of what is in progress: what moved, the two lines of commits, what was decided.

use crate::base::safe_text::{ago, visible};
use crate::case::records::{decided, kept_record};
use crate::case::service::CaseService;
use armistice_core::{DeclarationChange, MergeRecord, Side};
use armistice_draw::{
    CommitDot, HistoryPicture, MovedFile, MovesPicture, Scene, history_scene, moves_scene,
    record_scene, write_pdf, write_svg,
};
use armistice_git::{
    Commit, Error, FileTerrain, OutputFile, Repository, Situation, Store, Terrain, TwoLines,
    merged_lines, two_lines,
};
use std::path::{Path, PathBuf};

/// What is drawn.
#[derive(Clone, Debug)]
pub enum Drawing {
    /// What each side did to declarations.
    Moves,
    /// The commits of both sides.
    History,
    /// Two lines of commits, and what they are called.
    Lines(Box<TwoLines>, [String; 2]),
    /// What was decided; in what is concluded already if it is not given.
    Record(Option<Box<MergeRecord>>),
}

impl Drawing {
    /// Its name, as the command line and file names have it.
    pub fn name(&self) -> &'static str {
        match self {
            Drawing::Moves => "moves",
            Drawing::History | Drawing::Lines(..) => "history",
            Drawing::Record(_) => "record",
        }
    }
}

/// The picture of it.
///
/// # Errors
/// If git fails, or it is not known what there is to be drawn.
pub fn scene_of(service: &CaseService, drawing: &Drawing, now: i64) -> Result<Scene, String> {
    let text = |error: Error| error.to_string();
    Ok(match drawing {
        Drawing::Moves => {
            let situation = Situation::read(service.repo()).map_err(text)?;
            moves(&situation, &service.terrain().map_err(text)?)
        }
        Drawing::History => {
            let situation = Situation::read(service.repo()).map_err(text)?;
            history(service.repo(), &situation, now)?
        }
        Drawing::Lines(lines, names) => lines_scene(lines, names.clone(), now),
        Drawing::Record(record) => record_scene(&decided(service.repo(), record.as_deref())?),
    })
}

/// Draws it as SVG and as PDF into the store, and says where.
///
/// # Errors
/// As [`scene_of`], and if the files cannot be written.
pub fn draw_into_store(
    service: &CaseService,
    drawing: &Drawing,
    now: i64,
) -> Result<Vec<PathBuf>, String> {
    let scene = scene_of(service, drawing, now)?;
    let store = Store::new(service.repo().git_dir());
    let draw = |ending: &str| {
        let name = format!("{}.{ending}", drawing.name());
        let bytes = bytes_of(&scene, Path::new(&name))?;
        store.draw(&name, &bytes).map_err(|error| error.to_string())
    };
    let mut files: Vec<PathBuf> = ["svg", "pdf"]
        .into_iter()
        .map(draw)
        .collect::<Result<_, _>>()?;
    if let Drawing::Record(record) = drawing {
        let text = decided(service.repo(), record.as_deref())?.to_markdown();
        let file = store.draw("record.md", text.as_bytes());
        files.push(file.map_err(|error| error.to_string())?);
    }
    Ok(files)
}

/// A picture as what the name of a file says.
fn bytes_of(scene: &Scene, file: &Path) -> Result<Vec<u8>, String> {
    let mut bytes = Vec::new();
    let ending = file.extension().map(|e| e.to_string_lossy().to_lowercase());
    let written = match ending.as_deref() {
        Some("svg") => write_svg(scene, &mut bytes),
        Some("pdf") => write_pdf(scene, &mut bytes),
        _ => {
            return Err(format!("'{}' must end in .svg or .pdf", file.display()));
        }
    };
    written.map_err(|error| error.to_string())?;
    Ok(bytes)
}

/// Writes a picture as what the name of the file says.
///
/// # Errors
/// If the name ends otherwise than in `.svg` or `.pdf`, or the file cannot be written.
pub fn write_scene(scene: &Scene, file: &Path) -> Result<(), String> {
    let bytes = bytes_of(scene, file)?;
    let output = OutputFile::at(file).map_err(|error| error.to_string())?;
    output
        .write(&bytes, false)
        .map_err(|error| error.to_string())
}

fn moves(situation: &Situation, terrain: &Terrain) -> Scene {
    let file = |file: &FileTerrain| {
        let to = |nth: usize, side: Side| {
            let path = file.went_to_file[nth][side].as_ref();
            path.map(|path| visible(&path.to_string()))
        };
        (
            visible(&file.path.to_string()),
            (0..file.changes.len())
                .map(|nth| [to(nth, Side::Ours), to(nth, Side::Theirs)])
                .collect::<Vec<_>>(),
        )
    };
    let files = terrain.files.iter().map(|of| {
        let (path, elsewhere) = file(of);
        let changes: &[DeclarationChange] = &of.changes;
        MovedFile {
            path,
            changes,
            elsewhere,
        }
    });
    moves_scene(&MovesPicture {
        ours: visible(&situation.ours.label),
        theirs: visible(&situation.theirs.label),
        files: files.collect(),
    })
}

fn history(repo: &Repository, situation: &Situation, now: i64) -> Result<Scene, String> {
    let lines = match situation.is_idle() {
        true => merged_lines(repo, "HEAD"),
        false => two_lines(repo, situation),
    };
    let Some(lines) = lines.map_err(|error| error.to_string())? else {
        return Err("the commits of each side are not known here".to_owned());
    };
    let [ours, theirs] = match (situation.is_idle(), kept_record(repo, "HEAD")) {
        (true, Ok(record)) => [record.ours, record.theirs],
        (true, Err(_)) => [
            "the first parent".to_owned(),
            "the second parent".to_owned(),
        ],
        (false, _) => [&situation.ours, &situation.theirs].map(|party| visible(&party.label)),
    };
    Ok(lines_scene(&lines, [ours, theirs], now))
}

fn lines_scene(lines: &TwoLines, names: [String; 2], now: i64) -> Scene {
    let [ours, theirs] = names.map(|name| visible(&name));
    let dot = |commit: &Commit| CommitDot {
        short: commit.short.clone(),
        subject: visible(&commit.subject),
        who: format!("{}, {}", visible(&commit.author), ago(now, commit.time)),
    };
    let dots = |side: Side| lines.commits[side].iter().map(dot).collect();
    history_scene(&HistoryPicture {
        ours,
        theirs,
        of_ours: dots(Side::Ours),
        of_theirs: dots(Side::Theirs),
        left_out: [lines.left_out.ours, lines.left_out.theirs],
        base: lines.base.as_ref().map(dot),
    })
}
