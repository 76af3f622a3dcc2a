//! What the commit that is checked out could meet: branches, tags and commits, the most likely first.

use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::repository::Repository;
use crate::situation::read::{Commit, commit};
use serde::Serialize;

/// What kind of name a counterpart has.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum CounterpartKind {
    /// A branch of this repository.
    Branch,
    /// A branch of another one, as far as it was fetched.
    Remote,
    /// A tag.
    Tag,
    /// A commit by itself.
    Commit,
}

/// Something that the commit that is checked out could meet.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Counterpart {
    /// Its name, as git takes it.
    pub name: String,
    /// What it is.
    pub kind: CounterpartKind,
    /// The commit that it names.
    pub commit: Commit,
    /// Why it stands where it stands: "upstream", "main line", "named"; empty for the others.
    pub why: &'static str,
}

/// Why something stands in the list that somebody named.
pub const NAMED: &str = "named";

/// Own commits that are listed to be undone or picked.
const OWN: usize = 30;

/// Names of main lines, the most likely first, where no remote tells which it is.
const MAIN: [&str; 4] = ["main", "master", "trunk", "develop"];

/// All counterparts: the branch that is followed, the main line, then branches, branches of others, tags,
/// the last commits; each the newest first.
///
/// # Errors
/// If git fails.
pub fn counterparts(repo: &Repository) -> Result<Vec<Counterpart>, Error> {
    let format = "--format=%(refname)%00%(symref)%00%(objectname)%00%(*objectname)%00%(objectname:short)%00%(*objectname:short)%00%(contents:subject)%00%(*contents:subject)%00%(authorname)%00%(*authorname)%00%(creatordate:unix)%00%(objecttype)%00%(*objecttype)";
    let call = [
        "for-each-ref",
        "--sort=-creatordate",
        format,
        "refs/heads",
        "refs/remotes",
        "refs/tags",
    ];
    let listed = repo.must(&Invocation::read(call))?.stdout;
    let at_hand = symbolic(repo, "HEAD")?;
    let upstream = symbolic(repo, "@{upstream}")?;
    let mut main = None;
    let mut all = Vec::new();
    for line in listed
        .split(|b| *b == b'\n')
        .filter(|line| !line.is_empty())
    {
        let text = String::from_utf8_lossy(line).into_owned();
        let fields: Vec<&str> = text.split('\0').collect();
        let [reference, target, rest @ ..] = &fields[..] else {
            continue;
        };
        if !target.is_empty() {
            // What a remote calls its own line of work.
            main = main.or_else(|| Some((*target).to_owned()));
            continue;
        }
        if Some((*reference).to_owned()) != at_hand {
            all.extend(counterpart(reference, rest));
        }
    }
    let has = |name: &str| all.iter().any(|c: &(String, Counterpart)| c.1.name == name);
    let usual = MAIN.iter().find(|name| has(name));
    let main = main.or_else(|| usual.map(|name| format!("refs/heads/{name}")));
    for (reference, found) in &mut all {
        if Some(&*reference) == upstream.as_ref() {
            found.why = "upstream";
        } else if Some(&*reference) == main.as_ref() {
            found.why = "main line";
        }
    }
    let rank = |found: &Counterpart| match (found.why, found.kind) {
        ("upstream", _) => 0,
        ("main line", _) => 1,
        (_, CounterpartKind::Branch) => 2,
        (_, CounterpartKind::Remote) => 3,
        (_, CounterpartKind::Tag) => 4,
        (_, CounterpartKind::Commit) => 5,
    };
    let mut all: Vec<Counterpart> = all.into_iter().map(|(_, found)| found).collect();
    all.extend(own_commits(repo)?);
    // Within a rank the newest stays first.
    all.sort_by_key(rank);
    Ok(all)
}

/// A revision that somebody typed, if it names a commit.
///
/// # Errors
/// If git fails.
pub fn counterpart_named(repo: &Repository, name: &str) -> Result<Option<Counterpart>, Error> {
    if name.is_empty() || name.starts_with('-') {
        return Ok(None);
    }
    let Some(oid) = repo.resolve(&format!("{name}^{{commit}}"))? else {
        return Ok(None);
    };
    let found = commit(repo, &oid)?;
    Ok(found.map(|commit| Counterpart {
        name: name.to_owned(),
        kind: CounterpartKind::Commit,
        commit,
        why: NAMED,
    }))
}

fn symbolic(repo: &Repository, name: &str) -> Result<Option<String>, Error> {
    let call = ["rev-parse", "--symbolic-full-name", name];
    let output = repo.run(&Invocation::read(call))?;
    Ok(output
        .ok()
        .then(|| output.text())
        .filter(|name| !name.is_empty()))
}

/// One line of the list; nothing for what names no commit.
fn counterpart(reference: &str, fields: &[&str]) -> Option<(String, Counterpart)> {
    let [
        oid,
        peeled,
        short,
        peeled_short,
        subject,
        peeled_subject,
        author,
        peeled_author,
        time,
        kind,
        peeled_kind,
    ] = fields
    else {
        return None;
    };
    let is_peeled = !peeled.is_empty();
    if (*if is_peeled { peeled_kind } else { kind }) != "commit" {
        return None;
    }
    let either = |own: &str, peeled: &str| if is_peeled { peeled } else { own }.to_owned();
    let (name, kind) = if let Some(name) = reference.strip_prefix("refs/heads/") {
        (name, CounterpartKind::Branch)
    } else if let Some(name) = reference.strip_prefix("refs/remotes/") {
        (name, CounterpartKind::Remote)
    } else {
        (reference.strip_prefix("refs/tags/")?, CounterpartKind::Tag)
    };
    let found = Counterpart {
        name: name.to_owned(),
        kind,
        commit: Commit {
            oid: either(oid, peeled),
            short: either(short, peeled_short),
            subject: either(subject, peeled_subject),
            author: either(author, peeled_author),
            time: time.trim().parse().unwrap_or(0),
        },
        why: "",
    };
    Some((reference.to_owned(), found))
}

/// The last own commits, for who wants to undo one.
fn own_commits(repo: &Repository) -> Result<Vec<Counterpart>, Error> {
    let format = "--format=%H%x00%h%x00%s%x00%an%x00%at";
    let limit = format!("-{OWN}");
    let call = Invocation::read(["log", "-z", &limit, format, "HEAD", "--"]);
    let output = repo.run(&call)?;
    let fields: Vec<&[u8]> = output.stdout.split(|b| *b == 0).collect();
    let one = |fields: &[&[u8]]| {
        let commit = crate::situation::read::parse_commit(&fields.join(&0))?;
        Some(Counterpart {
            name: commit.short.clone(),
            kind: CounterpartKind::Commit,
            commit,
            why: "",
        })
    };
    Ok(fields.chunks_exact(5).filter_map(one).collect())
}
