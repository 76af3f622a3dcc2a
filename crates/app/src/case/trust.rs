//! A repository's own settings, and by whom they are trusted.

use crate::base::path_settings::RepositoryPaths;
use crate::base::project_checks::{REPOSITORY_SETTINGS, RepositorySettings};
use crate::base::settings::{Settings, state_folder};
use anyhow::Result;
use armistice_git::{Error, RepoPath, Repository, file_name_hash, write_atomically};
use serde::{Deserialize, Serialize};
use std::io::Read as _;
use std::os::unix::ffi::OsStrExt as _;
use std::path::PathBuf;

/// The person's settings, and what the repository's say of paths.
///
/// # Errors
/// If the person's own make no sense. What makes no sense in the repository's is reported by Proof.
pub fn settings_of(repo: &Repository) -> Result<Settings> {
    Ok(Settings {
        of_repository: repository_paths(repo),
        ..Settings::read()?
    })
}

/// What the repository's settings say of paths; nothing if they make no sense.
pub fn repository_paths(repo: &Repository) -> RepositoryPaths {
    let Ok(Some(settings)) = repository_settings(repo) else {
        return RepositoryPaths::default();
    };
    let text = settings.trusted_text();
    RepositoryPaths {
        trusted: is_trusted(repo, &text),
        told: settings.told(),
        to_trust: Some(text),
        paths: settings.paths,
    }
}

pub(crate) fn repository_settings(repo: &Repository) -> Result<Option<RepositorySettings>, String> {
    let file = repo.work_tree().join(REPOSITORY_SETTINGS);
    match std::fs::symlink_metadata(&file) {
        Err(_) => return Ok(None),
        Ok(meta) if !meta.is_file() => return Err("it is no plain file".to_owned()),
        Ok(_) => {}
    }
    let mut bytes = Vec::new();
    let most = armistice_core::limits::REPOSITORY_SETTINGS_BYTES as u64 + 1;
    let read = std::fs::File::open(&file).and_then(|file| file.take(most).read_to_end(&mut bytes));
    read.map_err(|why| why.to_string())?;
    RepositorySettings::parse(&bytes).map(Some)
}

/// What one repository's settings were trusted as; kept outside of the repository, which could
/// trust itself otherwise.
#[derive(Serialize, Deserialize)]
struct Trust {
    /// The git folder that all its work trees share, as hexadecimal bytes.
    repository: String,
    /// Each text that a person saw and trusted, the newest last.
    texts: Vec<String>,
}

/// Texts of one repository that stay trusted: one a branch that is worked on.
const TRUSTED_TEXTS: usize = 20;

fn trust_file(repo: &Repository) -> Option<(PathBuf, String)> {
    // As a merge driver in a forecast it runs with a private git folder.
    let foreseen = std::env::var_os("ARMISTICE_FORESEEN").map(PathBuf::from);
    let folder = foreseen.unwrap_or_else(|| repo.common_dir().to_owned());
    let whole = std::fs::canonicalize(folder).ok()?;
    let bytes = whole.as_os_str().as_bytes();
    // The whole name is in the file: two repositories of one file name do not trust each other.
    let repository = RepoPath::new(bytes).hex();
    let folder = state_folder().ok()?.join("trusted");
    let name = format!("{}.json", file_name_hash(bytes));
    Some((folder.join(name), repository))
}

fn trusted_texts(repo: &Repository) -> Vec<String> {
    let Some((file, repository)) = trust_file(repo) else {
        return Vec::new();
    };
    let read = std::fs::read(file).ok();
    let trust: Option<Trust> = read.and_then(|bytes| serde_json::from_slice(&bytes).ok());
    let trust = trust.filter(|trust| trust.repository == repository);
    trust.map_or_else(Vec::new, |trust| trust.texts)
}

pub(crate) fn is_trusted(repo: &Repository, text: &str) -> bool {
    trusted_texts(repo).iter().any(|trusted| trusted == text)
}

/// Trusts the repository's settings as a person has seen them.
///
/// # Errors
/// If it cannot be noted outside of the repository.
pub fn trust(repo: &Repository, text: &str) -> Result<(), Error> {
    let nowhere = || Error::Failed {
        command: "trust".to_owned(),
        status: "nowhere to note it".to_owned(),
        message: "there is no home folder".to_owned(),
    };
    let (file, repository) = trust_file(repo).ok_or_else(nowhere)?;
    let mut texts = trusted_texts(repo);
    texts.retain(|other| other != text);
    texts.push(text.to_owned());
    let excess = texts.len().saturating_sub(TRUSTED_TEXTS);
    texts.drain(..excess);
    if let Some(folder) = file.parent() {
        std::fs::create_dir_all(folder).map_err(|cause| Error::File {
            action: "create",
            path: folder.to_owned(),
            cause,
        })?;
    }
    let trust = Trust { repository, texts };
    let bytes = serde_json::to_vec(&trust).unwrap_or_default();
    write_atomically(&file, &bytes, None)
}
