//! Pictures and records of what is under way: what moved, the two lines of commits, what was decided.

use crate::base::safe_text::{ago, visible};
use crate::case::opened::OpenedFile;
use crate::case::service::CaseService;
use armistice_core::{
    DecidedBy, Decision, DeclarationChange, FileRecord, MergeRecord, Side, Version,
};
use armistice_draw::{
    CommitDot, HistoryPicture, MovedFile, MovesPicture, Scene, history_scene, moves_scene,
    record_scene, write_pdf, write_svg,
};
use armistice_git::{
    Case, Commit, Error, FileOutcome, FileTerrain, IndexState, OutputFile, Repository, Situation,
    Store, Terrain, two_lines,
};
use std::path::{Path, PathBuf};

/// What is drawn.
#[derive(Clone, Debug)]
pub enum Drawing {
    /// What each side did to declarations.
    Moves,
    /// The commits of both sides.
    History,
    /// What was decided.
    Record(Box<MergeRecord>),
}

impl Drawing {
    /// Its name, as the command line and file names have it.
    pub fn name(&self) -> &'static str {
        match self {
            Drawing::Moves => "moves",
            Drawing::History => "history",
            Drawing::Record(_) => "record",
        }
    }
}

/// The picture of it.
///
/// # Errors
/// If git fails, or it cannot be told what there is to be drawn.
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
        Drawing::Record(record) => record_scene(&signed(service.repo(), (**record).clone())),
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
    ["svg", "pdf"].into_iter().map(draw).collect()
}

/// A picture as what the name of a file says.
fn bytes_of(scene: &Scene, file: &Path) -> Result<Vec<u8>, String> {
    let mut bytes = Vec::new();
    let ending = file.extension().map(|e| e.to_string_lossy().to_lowercase());
    let written = match ending.as_deref() {
        Some("svg") => write_svg(scene, &mut bytes),
        Some("pdf") => write_pdf(scene, &mut bytes),
        _ => {
            return Err(format!(
                "'{}' ends neither in .svg nor in .pdf",
                file.display()
            ));
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
    let lines = two_lines(repo, situation).map_err(|error| error.to_string())?;
    let Some(lines) = lines else {
        return Err("it cannot be told which commits are whose here".to_owned());
    };
    let dot = |commit: &Commit| CommitDot {
        short: commit.short.clone(),
        subject: visible(&commit.subject),
        who: format!("{}, {}", visible(&commit.author), ago(now, commit.time)),
    };
    let dots = |side: Side| lines.commits[side].iter().map(dot).collect();
    Ok(history_scene(&HistoryPicture {
        ours: visible(&situation.ours.label),
        theirs: visible(&situation.theirs.label),
        of_ours: dots(Side::Ours),
        of_theirs: dots(Side::Theirs),
        left_out: [lines.left_out.ours, lines.left_out.theirs],
        base: lines.base.as_ref().map(dot),
    }))
}

/// Why something counts as settled by hand that nobody settled here.
const STAGED_ELSEWHERE: &str = "staged without Armistice";

/// What was decided in a file: in its lines, or as a whole.
pub fn file_record(
    case: &Case,
    open: Option<&OpenedFile>,
    whole: Option<FileOutcome>,
) -> FileRecord {
    let path = visible(&case.path.to_string());
    let elsewhere = case.standing == IndexState::Staged;
    if let Some(open) = open {
        let mut record = FileRecord::of(&path, open.draft());
        for decision in &mut record.decisions {
            if elsewhere && decision.by == DecidedBy::Open {
                decision.by = DecidedBy::Hand;
                decision.reason = STAGED_ELSEWHERE.to_owned();
            }
        }
        return record;
    }
    let without = |side: Side| case.stages.all()[Version::from(side) as usize].is_none();
    let (by, reason) = match whole {
        None if elsewhere => (DecidedBy::Hand, STAGED_ELSEWHERE.to_owned()),
        None => (DecidedBy::Open, "not decided".to_owned()),
        Some(outcome) => (
            match outcome {
                FileOutcome::Ours => DecidedBy::Ours,
                FileOutcome::Theirs => DecidedBy::Theirs,
                FileOutcome::Both => DecidedBy::Both,
                FileOutcome::Base => DecidedBy::Base,
                // As the side has it that removed it.
                FileOutcome::Remove if without(Side::Ours) => DecidedBy::Ours,
                FileOutcome::Remove if without(Side::Theirs) => DecidedBy::Theirs,
                FileOutcome::Remove | FileOutcome::OwnName => DecidedBy::Hand,
            },
            format!("settled as a whole: {}", outcome.name()),
        ),
    };
    let [ours, theirs] = case.words();
    FileRecord {
        path,
        decisions: vec![Decision {
            conflict: 0,
            line: 0,
            cause: format!("ours {ours}, theirs {theirs}"),
            by,
            rule: None,
            reason,
        }],
        strip: vec![Some(by); 1],
    }
}

/// The record of what is under way, of files that were read; who decides is filled in by [`signed`].
pub fn merge_record(situation: &Situation, files: Vec<FileRecord>) -> MergeRecord {
    MergeRecord {
        operation: situation.operation.name().to_owned(),
        ours: visible(&situation.ours.label),
        theirs: visible(&situation.theirs.label),
        who: String::new(),
        files,
    }
}

/// A record with the name of whom git takes the user for.
pub fn signed(repo: &Repository, record: MergeRecord) -> MergeRecord {
    let name = repo.user_name();
    MergeRecord {
        who: visible(&name.unwrap_or_else(|| "somebody without a name in git".to_owned())),
        ..record
    }
}
