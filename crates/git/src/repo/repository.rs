//! Where the repository is.

use crate::file::times::IndexTimes;
use crate::path::RepoPath;
use crate::process::batch::{Object, ObjectReader};
use crate::process::cancel::Cancel;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation, Manner, Output};
use crate::process::runner::Runner;
use crate::repo::objects::Oid;
use armistice_core::Source;
use std::collections::HashMap;
use std::ffi::OsString;
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard};

/// A work tree and its git folder; a linked work tree has a git folder of its own.
#[derive(Clone, Debug)]
pub struct Repository {
    git: Runner,
    work_tree: PathBuf,
    git_dir: PathBuf,
    common_dir: PathBuf,
    /// Contents read so far, by name: what was read for one screen is not read again for another.
    contents: Arc<Mutex<HashMap<Oid, Source>>>,
    /// Times that git renews when it reads the index.
    index_times: IndexTimes,
    /// All settings, once they were read.
    settings: Arc<Mutex<Option<Arc<Settings>>>>,
    /// Processes that read objects.
    objects: ObjectReader,
    /// By path, whether attributes forbid merging a file line by line.
    binary: Arc<Mutex<HashMap<RepoPath, bool>>>,
}

/// Settings of git by their keys; none for a key without a value.
pub(crate) type Settings = Vec<(String, Option<String>)>;

/// Names that git keeps in files of their own, unless references are in tables.
const IN_FILES: [&str; 5] = [
    "MERGE_HEAD",
    "CHERRY_PICK_HEAD",
    "REVERT_HEAD",
    "REBASE_HEAD",
    "AUTO_MERGE",
];

impl Repository {
    /// Finds the repository that `folder` is in, as git finds it: `GIT_DIR` and
    /// `GIT_WORK_TREE` count.
    ///
    /// # Errors
    /// If there is none, it has no work tree, or git is missing.
    pub fn discover(folder: &Path) -> Result<Self, Error> {
        let git = Runner::new(folder);
        let asked = ["--show-toplevel", "--absolute-git-dir", "--git-common-dir"];
        let call = Invocation::read(["rev-parse", "--path-format=absolute"]);
        let all = git.run(&asked.iter().fold(call, Invocation::arg))?;
        if !all.ok() || all.line().is_empty() {
            // Asked for more, git may complain of something else than that there is none.
            let top = git.run(&Invocation::read(["rev-parse", "--show-toplevel"]))?;
            if !top.ok() || top.line().is_empty() {
                return Err(why_none(folder, &top.message()));
            }
        }
        let lines: Vec<&[u8]> = all.line().split(|b| *b == b'\n').collect();
        let [work_tree, git_dir, common_dir] = match lines[..] {
            [top, dir, common] if all.ok() => [top, dir, common].map(path_from),
            // A path with a newline in it: each is asked for alone.
            _ => {
                let one = |what: &str| -> Result<PathBuf, Error> {
                    let call = Invocation::read(["rev-parse", "--path-format=absolute", what]);
                    Ok(path_from(git.must(&call)?.line()))
                };
                [one(asked[0])?, one(asked[1])?, one(asked[2])?]
            }
        };
        let mut git = git.at(&work_tree);
        if std::env::var_os("GIT_DIR").is_some() {
            // Both may be relative to where we were started; every call runs at the top.
            git = git.with_env("GIT_DIR", &git_dir);
            git = git.with_env("GIT_WORK_TREE", &work_tree);
        }
        Ok(Repository {
            git,
            work_tree,
            index_times: IndexTimes::of(&git_dir, &common_dir),
            git_dir,
            common_dir,
            contents: Arc::default(),
            settings: Arc::default(),
            objects: ObjectReader::default(),
            binary: Arc::default(),
        })
    }

    /// A repository of our own, wherever we were started; nothing is made by asking.
    pub(crate) fn private(work_tree: &Path, git_dir: &Path) -> Self {
        let git = Runner::new(work_tree)
            .with_env("GIT_DIR", git_dir)
            .with_env("GIT_WORK_TREE", work_tree)
            .with_env("GIT_CONFIG_GLOBAL", "/dev/null")
            .with_env("GIT_CONFIG_NOSYSTEM", "1");
        Repository {
            git,
            work_tree: work_tree.to_owned(),
            git_dir: git_dir.to_owned(),
            common_dir: git_dir.to_owned(),
            contents: Arc::default(),
            index_times: IndexTimes::default(),
            settings: Arc::default(),
            objects: ObjectReader::default(),
            binary: Arc::default(),
        }
    }

    /// Top of the work tree.
    pub fn work_tree(&self) -> &Path {
        &self.work_tree
    }

    /// The git folder of this very work tree.
    pub fn git_dir(&self) -> &Path {
        &self.git_dir
    }

    /// The index file.
    pub(crate) fn index_file(&self) -> PathBuf {
        let named = std::env::var_os("GIT_INDEX_FILE").map(PathBuf::from);
        named.unwrap_or_else(|| self.git_dir.join("index"))
    }

    /// The git folder that all work trees share.
    pub fn common_dir(&self) -> &Path {
        &self.common_dir
    }

    /// The same repository; its calls end when `cancel` says so.
    #[must_use]
    pub fn until(&self, cancel: &Cancel) -> Self {
        Repository {
            git: self.git.until(cancel),
            ..self.clone()
        }
    }

    /// The same repository; what a partial clone lacks is not fetched, and is missing instead.
    #[must_use]
    pub(crate) fn without_fetching(&self) -> Self {
        Repository {
            git: self.git.clone().with_env("GIT_NO_LAZY_FETCH", "1"),
            objects: ObjectReader::default(),
            ..self.clone()
        }
    }

    /// The same repository for calls that may write: all that they write goes into `folder`, a git
    /// folder of their own, made by `make_private_folder`.
    #[must_use]
    pub(crate) fn writing_into(&self, folder: &Path) -> Self {
        let variable = std::env::var_os;
        let own = variable("GIT_OBJECT_DIRECTORY").map(PathBuf::from);
        let own = own.unwrap_or_else(|| self.common_dir.join("objects"));
        // What the user set stays readable.
        let also = variable("GIT_ALTERNATE_OBJECT_DIRECTORIES");
        let mut all = quoted(&own);
        if let Some(also) = also {
            all.push(":");
            all.push(also);
        }
        let git = self.git.clone().outside_of_repositories();
        let git = git
            .with_env("GIT_DIR", folder)
            .with_env("GIT_WORK_TREE", &self.work_tree)
            .with_env("GIT_CONFIG_GLOBAL", "/dev/null")
            .with_env("GIT_CONFIG_NOSYSTEM", "1")
            .with_env("GIT_ALTERNATE_OBJECT_DIRECTORIES", all);
        Repository {
            git,
            objects: ObjectReader::default(),
            ..self.clone()
        }
    }

    /// Objects by names or revisions, in order; `None` where there is none.
    ///
    /// # Errors
    /// If git fails.
    pub(crate) fn objects(&self, names: &[impl AsRef<str>]) -> Result<Vec<Option<Object>>, Error> {
        self.objects.read(&self.git, names)
    }

    /// Reads the contents of objects, in order.
    ///
    /// # Errors
    /// If git fails or an object is missing.
    pub fn read_blobs(&self, oids: &[Oid]) -> Result<Vec<Vec<u8>>, Error> {
        let names: Vec<&str> = oids.iter().map(|oid| oid.0.as_str()).collect();
        let objects = self.objects(&names)?.into_iter();
        let contents = objects.zip(oids).map(|(object, oid)| match object {
            Some(object) => Ok(object.bytes),
            None if oid.is_of_nothing() => Ok(Vec::new()),
            None => Err(Error::Unreadable {
                command: "cat-file --batch".to_owned(),
                what: format!("object {} is missing", oid.0),
            }),
        });
        contents.collect()
    }

    /// Contents of objects, in order; only those that were not read before are asked for.
    pub(crate) fn contents(&self, oids: &[Oid]) -> Result<Vec<Source>, Error> {
        let mut new: Vec<Oid> = {
            let known = self.known_contents();
            let unknown = oids.iter().filter(|oid| !known.contains_key(oid));
            unknown.cloned().collect()
        };
        new.sort_unstable();
        new.dedup();
        let read = self.read_blobs(&new)?.into_iter().map(Source::new);
        let mut known = self.known_contents();
        known.extend(new.into_iter().zip(read));
        let found = oids.iter().filter_map(|oid| known.get(oid).cloned());
        Ok(found.collect())
    }

    fn known_contents(&self) -> MutexGuard<'_, HashMap<Oid, Source>> {
        match self.contents.lock() {
            Ok(known) => known,
            // A thread that panicked while it held the lock left whole entries behind.
            Err(poisoned) => poisoned.into_inner(),
        }
    }

    /// Forgets contents that were read: another step has others.
    pub fn forget_contents(&self) {
        self.known_contents().clear();
    }

    /// What a revision names, if it names anything.
    pub fn resolve(&self, revision: &str) -> Result<Option<String>, Error> {
        // Most of the time these are not there, and git need not be asked.
        let is_file = IN_FILES.contains(&revision) && !self.common_dir.join("reftable").exists();
        if is_file && !self.git_dir.join(revision).exists() {
            return Ok(None);
        }
        let object = self.objects(&[revision])?.pop().flatten();
        Ok(object.map(|object| object.oid))
    }

    /// Whether there may be such a reference: looks for it without asking git.
    pub(crate) fn may_have_ref(&self, name: &str) -> bool {
        let packed = || std::fs::read(self.common_dir.join("packed-refs")).unwrap_or_default();
        let is_packed = || {
            packed()
                .windows(name.len())
                .any(|part| part == name.as_bytes())
        };
        self.common_dir.join("reftable").exists()
            || self.common_dir.join(name).exists()
            || is_packed()
    }

    /// A file in the git folder, if it is there.
    pub(crate) fn state_file(&self, name: &str) -> Option<String> {
        let bytes = std::fs::read(self.git_dir.join(name)).ok()?;
        Some(String::from_utf8_lossy(&bytes).trim_end().to_owned())
    }

    pub(crate) fn has_state(&self, name: &str) -> bool {
        self.git_dir.join(name).exists()
    }

    /// All settings that git sees here, includes resolved, in their order; keys in lower case but for
    /// the middle part. A later value of the same key counts.
    ///
    /// They are read once, and again after [`Repository::forget_settings`].
    pub(crate) fn settings(&self) -> Result<Arc<Settings>, Error> {
        if let Some(known) = &*self.known_settings() {
            return Ok(Arc::clone(known));
        }
        let listed = self.must(&Invocation::read(["config", "--list", "-z"]))?;
        let records = listed.stdout.split(|b| *b == 0).filter(|r| !r.is_empty());
        let setting = |record: &[u8]| {
            let text = String::from_utf8_lossy(record).into_owned();
            match text.split_once('\n') {
                Some((key, value)) => (key.to_owned(), Some(value.to_owned())),
                None => (text, None),
            }
        };
        let read = Arc::new(records.map(setting).collect::<Settings>());
        *self.known_settings() = Some(Arc::clone(&read));
        Ok(read)
    }

    /// Forgets the settings: another program may have changed them since.
    pub(crate) fn forget_settings(&self) {
        *self.known_settings() = None;
        self.objects.close();
        self.known_binary().clear();
    }

    /// Returns for each path whether attributes forbid merging the file line by line.
    ///
    /// They are read once, and again after [`Repository::forget_settings`].
    pub(crate) fn called_binary(&self, paths: &[&RepoPath]) -> Result<Vec<bool>, Error> {
        let is_known = |path: &RepoPath| self.known_binary().contains_key(path);
        let new: Vec<&RepoPath> = paths
            .iter()
            .copied()
            .filter(|path| !is_known(path))
            .collect();
        if !new.is_empty() {
            let listed: Vec<u8> = new
                .iter()
                .flat_map(|p| [p.bytes(), b"\0"].concat())
                .collect();
            let call = Invocation::read(["check-attr", "-z", "--stdin", "merge"]);
            let output = self.must(&call.stdin(listed))?;
            // PATH NUL "merge" NUL VALUE NUL, once for each; "unset" is what -merge and the macro
            // "binary" give.
            let values = output.stdout.split(|b| *b == 0).skip(2).step_by(3);
            let values = values.map(|value| matches!(value, b"unset" | b"binary"));
            let mut known = self.known_binary();
            known.extend(new.into_iter().cloned().zip(values));
        }
        let known = self.known_binary();
        Ok(paths
            .iter()
            .map(|path| known.get(*path) == Some(&true))
            .collect())
    }

    fn known_binary(&self) -> MutexGuard<'_, HashMap<RepoPath, bool>> {
        match self.binary.lock() {
            Ok(known) => known,
            // A thread that panicked while it held the lock left whole entries behind.
            Err(poisoned) => poisoned.into_inner(),
        }
    }

    fn known_settings(&self) -> MutexGuard<'_, Option<Arc<Settings>>> {
        match self.settings.lock() {
            Ok(known) => known,
            // Nothing can panic while it is held.
            Err(poisoned) => poisoned.into_inner(),
        }
    }

    /// The name that git gives the user's commits; `None` if it has none.
    pub fn user_name(&self) -> Option<String> {
        self.config("user.name").ok().flatten()
    }

    /// A configuration value, if it is set. The key is written in lower case.
    pub(crate) fn config(&self, key: &str) -> Result<Option<String>, Error> {
        let all = self.settings()?;
        let found = all.iter().rev().find(|(name, _)| name == key);
        Ok(found.and_then(|(_, value)| value.clone()))
    }
}

impl Git for Repository {
    fn run(&self, call: &Invocation) -> Result<Output, Error> {
        let output = self.git.run(call);
        if call.manner == Manner::Read {
            self.index_times.put_back();
        }
        output
    }
}

/// Why git finds no work tree here, by what it said.
fn why_none(folder: &Path, said: &str) -> Error {
    let folder = std::path::absolute(folder).unwrap_or_else(|_| folder.to_owned());
    if said.contains("dubious ownership") {
        return Error::NotOwned { folder };
    }
    if said.contains("must be run in a work tree") || said.is_empty() {
        return Error::NoWorkTree { folder };
    }
    // git passes a folder over that is no repository and looks further up; to the person it is one.
    let mut above = folder.ancestors().map(|folder| folder.join(".git"));
    match above.find(|git| git.symlink_metadata().is_ok()) {
        Some(git_dir) => Error::Broken {
            git_dir,
            said: said.trim().to_owned(),
        },
        None => Error::NoRepository { folder },
    }
}

/// A path as git reads it in a list of paths: quoted where it holds what parts them.
fn quoted(path: &Path) -> OsString {
    let bytes = path.as_os_str().as_bytes();
    if !bytes.iter().any(|b| matches!(b, b':' | b'"' | b'\\')) {
        return path.as_os_str().to_owned();
    }
    let mut out = vec![b'"'];
    for byte in bytes {
        if matches!(byte, b'"' | b'\\') {
            out.push(b'\\');
        }
        out.push(*byte);
    }
    out.push(b'"');
    OsString::from_vec(out)
}

/// A path that git printed.
fn path_from(bytes: &[u8]) -> PathBuf {
    PathBuf::from(OsString::from_vec(bytes.to_vec()))
}
