//! The checks over all that is to be committed, before concluding.

use crate::case::contents::{load_all, staged_contents};
use crate::case::one::Case;
use crate::case::place::IndexState;
use crate::file::folders::file_name_hash;
use crate::path::RepoPath;
use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use crate::repo::index::staged_diff;
use crate::repo::objects::Oid;
use crate::repo::parties::empty_tree;
use crate::repo::repository::Repository;
use crate::situation::looked::Looked;
use crate::situation::names::names;
use crate::situation::numbered_files::numbers_used_twice;
use crate::situation::parsing::Look;
use crate::situation::paths_gone::paths_gone;
use crate::situation::read::Situation;
use crate::situation::staged::{ChangedOnDisk, changed_on_disk, is_empty_step, print_of};
use crate::situation::touched::{Touched, touched};
use crate::store::records::Store;
use crate::store::remade::outdated;
use armistice_core::{Check, Finding, Inputs, Source, Versions, Weight, check};
use serde::Serialize;
use std::collections::{BTreeSet, HashSet};
use std::sync::mpsc::sync_channel;

/// A finding and where it is.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct PathFinding {
    /// In which file.
    pub path: RepoPath,
    /// What.
    #[serde(flatten)]
    pub finding: Finding,
}

/// The verdict over all that is to be committed.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Proof {
    /// All findings, by path.
    pub findings: Vec<PathFinding>,
    /// How many files were looked at.
    pub files: usize,
    /// In how many of them there was a merged text to look into.
    pub texts: usize,
    /// How many of those have a parser.
    pub parsed: usize,
    /// Whether it is known what all files were merged from; if not, what was in no conflict was
    /// looked through for markers alone.
    pub traceable: bool,
    /// In how many files of code names that went were looked for; `None` if in none.
    pub named: Option<usize>,
    /// The commits of the rebase, as they were before, in which steps so far have findings.
    pub steps: Vec<String>,
    /// How many steps of the rebase were not reviewed.
    pub steps_not_reviewed: usize,
    /// Whether the step in progress would commit nothing.
    pub empty: bool,
    /// What was staged then, as a hash; equal values mean that nothing else is staged since.
    #[serde(skip)]
    pub staged: String,
    /// What stood in the work tree then: [`tree_print`](crate::tree_print).
    #[serde(skip)]
    pub stands: String,
}

impl Proof {
    /// Whether what is staged for a path has marker lines that came with the merge.
    pub fn has_markers(&self, path: &RepoPath) -> bool {
        let stops = |f: &PathFinding| {
            f.path == *path
                && f.finding.check == Check::Markers
                && f.finding.weight == Weight::Stops
        };
        self.findings.iter().any(stops)
    }

    /// Findings that stand in the way.
    pub fn stops(&self) -> usize {
        let stops = |f: &&PathFinding| f.finding.weight == Weight::Stops;
        self.findings.iter().filter(stops).count()
    }
}

/// Checks everything in the index that the commit would bring.
///
/// Files in which what is staged follows from one side alone need no look. What became of both
/// sides' work in files that were in conflict is reported by the account of their drafts.
///
/// # Errors
/// If git fails.
pub fn prove(repo: &Repository, situation: &Situation) -> Result<Proof, Error> {
    Prover::default().prove(repo, situation)
}

/// Proves again and again, and looks only at what is another text than the last time.
#[derive(Debug, Default)]
pub struct Prover(Looked);

impl Prover {
    /// As [`prove`].
    ///
    /// # Errors
    /// If git fails.
    pub fn prove(&self, repo: &Repository, situation: &Situation) -> Result<Proof, Error> {
        prove_with(&self.0, repo, situation)
    }
}

fn prove_with(looked: &Looked, repo: &Repository, situation: &Situation) -> Result<Proof, Error> {
    // Taken first: what is staged while the checks run is not what they looked at.
    let staged = staged_diff(repo)?;
    let outdated = outdated(repo, &staged)?;
    let changed = changed_on_disk(repo)?;
    let mut proof = Proof {
        staged: file_name_hash(&staged),
        stands: print_of(repo, &staged, &changed),
        empty: is_empty_step(repo, situation.operation, !situation.cases.is_empty())?
            && situation
                .cases
                .iter()
                .all(|case| case.standing == IndexState::Staged),
        ..Proof::default()
    };
    let seen = of_cases(repo, &situation.cases);
    let staged: Vec<Case> = (situation.cases.iter())
        .filter(|case| case.standing == IndexState::Staged)
        .cloned()
        .collect();
    for case in &situation.cases {
        if case.standing == IndexState::Unmerged {
            proof.add(&case.path, vec![open_finding(case)]);
        }
    }
    let results = staged_contents(repo, &staged)?;
    let loaded = load_all(repo, &staged)?;
    let mut looks = Vec::new();
    for ((case, result), loaded) in staged.iter().zip(results).zip(loaded) {
        match result {
            Some(staged) if !loaded.binary => looks.push(Look {
                path: case.path.clone(),
                result: staged.text,
                versions: loaded.versions,
                there: case.stages.all().map(|stage| stage.is_some()),
                traced: false,
            }),
            // Removed by decision, a submodule, or no text.
            _ => proof.add(&case.path, Vec::new()),
        }
    }
    match touched(repo, situation)? {
        Some(all) => {
            proof.traceable = true;
            let every: Vec<Touched> = (all.to_look_at.iter())
                .chain(&all.followed)
                .cloned()
                .collect();
            if let Some(named) = names(repo, &every, None)? {
                proof.named = Some(named.files);
                for (path, finding) in named.findings {
                    proof.add_findings(&path, &[finding]);
                }
            }
            for (path, finding) in numbers_used_twice(&every) {
                proof.add_findings(&path, &[finding]);
            }
            for (path, finding) in paths_gone(repo, &all)? {
                proof.add_findings(&path, &[finding]);
            }
            let to_look_at = all.to_look_at.into_iter();
            let to_look_at = to_look_at.filter(|t| !seen.contains(&t.path));
            look_at_others(looked, repo, to_look_at.collect(), &mut proof)?;
            let followed: Vec<_> = (all.followed.into_iter())
                .filter(|t| !seen.contains(&t.path))
                .collect();
            for (touched, found) in looked.committed_markers(repo, &followed)? {
                proof.add(&touched.path, found);
            }
        }
        None => without_versions(repo, situation, &seen, &mut proof)?,
    }
    proof.add_looks(looked, &looks);
    for path in outdated {
        let what =
            "a command made this file before other files were staged: M on Docket makes it again";
        let found = Finding::new(Check::Unstaged, None, what);
        proof.add_findings(&path, &[found]);
    }
    for path in changed_since_staged(repo, &changed)? {
        let what = "changed after it was staged: the commit will not contain the change";
        let found = Finding::new(Check::Unstaged, None, what);
        proof.add_findings(&path, &[found]);
    }
    proof.drop_repeated();
    proof
        .findings
        .sort_by(|a, b| (&a.path, a.finding.line).cmp(&(&b.path, b.finding.line)));
    Ok(proof)
}

/// Every path that a case is about: where each side has it, and what went or came with a decision.
fn of_cases(repo: &Repository, cases: &[Case]) -> HashSet<RepoPath> {
    let records = Store::new(repo.git_dir()).records();
    let mut paths = HashSet::new();
    for case in cases {
        paths.extend(case.paths().cloned());
        paths.extend(case.targets.iter().cloned());
        paths.extend(case.names.iter().chain(&case.sources).flatten().cloned());
        let beside = records.beside(&case.path).into_iter();
        paths.extend(beside.map(|place| place.path));
    }
    paths
}

/// Files that are read at once while those before them are looked at.
const PORTION: usize = 200;

/// Looks at files that were in no conflict: git reads the next ones meanwhile.
fn look_at_others(
    looked: &Looked,
    repo: &Repository,
    all: Vec<Touched>,
    proof: &mut Proof,
) -> Result<(), Error> {
    let (send, portions) = sync_channel(1);
    std::thread::scope(|scope| {
        scope.spawn(move || {
            for portion in all.chunks(PORTION) {
                let wanted = portion.iter().flat_map(oids_of).flatten();
                let contents = repo.contents(&wanted.collect::<Vec<Oid>>());
                // Whoever listens may have given up on an error.
                if send.send((portion.to_vec(), contents)).is_err() {
                    return;
                }
            }
        });
        for (portion, contents) in portions {
            let mut looks = Vec::new();
            other_looks(portion, contents?, &mut looks, proof);
            proof.add_looks(looked, &looks);
        }
        Ok(())
    })
}

/// What base, ours, theirs and the index have there.
fn oids_of(touched: &Touched) -> [Option<Oid>; 4] {
    let Touched {
        path: _,
        base,
        ours,
        theirs,
        staged,
    } = touched;
    [base, ours, theirs, staged].map(Option::clone)
}

/// What there is to look at in files that were in no conflict; `contents` are theirs, in order.
fn other_looks(all: Vec<Touched>, contents: Vec<Source>, looks: &mut Vec<Look>, proof: &mut Proof) {
    let mut contents = contents.into_iter();
    for touched in all {
        let mut next = |oid: &Option<Oid>| oid.as_ref().and_then(|_| contents.next());
        let [base, ours, theirs, result] = oids_of(&touched).map(|oid| next(&oid));
        let there = [&base, &ours, &theirs].map(|text| text.is_some());
        let texts = [&base, &ours, &theirs, &result];
        if texts.into_iter().flatten().any(Source::is_binary) {
            proof.add(&touched.path, Vec::new());
            continue;
        }
        let whole = whole_file(&touched).map(|(check, what)| Finding::new(check, None, what));
        let Some(result) = result else {
            proof.add(&touched.path, whole.into_iter().collect());
            continue;
        };
        if let Some(found) = whole {
            proof.add_findings(&touched.path, &[found]);
        }
        let text = |text: Option<Source>| text.unwrap_or_else(|| Source::new(Vec::new()));
        looks.push(Look {
            path: touched.path,
            result,
            versions: Versions {
                base: text(base),
                ours: text(ours),
                theirs: text(theirs),
            },
            there,
            traced: there[1] && there[2],
        });
    }
}

/// What became of a file as a whole that neither side asked for.
fn whole_file(touched: &Touched) -> Option<(Check, String)> {
    let Touched {
        base,
        ours,
        theirs,
        staged,
        ..
    } = touched;
    match (ours, theirs, staged) {
        (Some(_), Some(_), None) => Some((
            Check::Lost,
            "the file is gone, and neither side removed it".to_owned(),
        )),
        (Some(_), None, None) if ours != base && base.is_none() => {
            Some((Check::Lost, "the file that ours added is gone".to_owned()))
        }
        (None, Some(_), None) if theirs != base && base.is_none() => {
            Some((Check::Lost, "the file that theirs added is gone".to_owned()))
        }
        (None, _, Some(_)) if theirs == base && base.is_some() => {
            Some((Check::Back, "the file is back; ours removed it".to_owned()))
        }
        (_, None, Some(_)) if ours == base && base.is_some() => Some((
            Check::Back,
            "the file is back; theirs removed it".to_owned(),
        )),
        _ => None,
    }
}

/// Markers in files of which it is not known what they were merged from.
fn without_versions(
    repo: &Repository,
    situation: &Situation,
    seen: &HashSet<RepoPath>,
    proof: &mut Proof,
) -> Result<(), Error> {
    let merged = merged_entries(repo, situation)?;
    let merged: Vec<_> = merged
        .into_iter()
        .filter(|(path, _)| !seen.contains(path))
        .collect();
    let oids: Vec<Oid> = merged.iter().map(|(_, oid)| oid.clone()).collect();
    for ((path, _), result) in merged.iter().zip(repo.contents(&oids)?) {
        if !result.is_binary() {
            let inputs = Inputs {
                result: &result,
                versions: None,
            };
            proof.add(path, check(&inputs));
        }
    }
    Ok(())
}

/// Files that the commit would bring and that stand otherwise on disk by now.
fn changed_since_staged(
    repo: &Repository,
    changed: &ChangedOnDisk,
) -> Result<Vec<RepoPath>, Error> {
    if changed.since_staged.is_empty() {
        return Ok(Vec::new());
    }
    let head = match repo.resolve("HEAD")? {
        Some(head) => head,
        None => empty_tree(repo)?,
    };
    let call = [
        "diff-index",
        "--cached",
        "--name-only",
        "-z",
        "--diff-filter=AMT",
        &head,
        "--",
    ];
    let staged = repo.must(&Invocation::read(call))?.stdout;
    let staged = staged.split(|b| *b == 0).filter(|path| !path.is_empty());
    let staged: BTreeSet<RepoPath> = staged.map(RepoPath::new).collect();
    Ok(changed
        .since_staged
        .intersection(&staged)
        .cloned()
        .collect())
}

impl Proof {
    /// Puts findings about a file among the others.
    pub fn add_findings(&mut self, path: &RepoPath, findings: &[Finding]) {
        let at = |finding: &Finding| PathFinding {
            path: path.clone(),
            finding: finding.clone(),
        };
        self.findings.extend(findings.iter().map(at));
        self.findings
            .sort_by(|a, b| (&a.path, a.finding.line).cmp(&(&b.path, b.finding.line)));
    }

    /// Drops findings of which a finding that stops says more: of the same check on the same line.
    fn drop_repeated(&mut self) {
        let place = |f: &PathFinding| (f.path.clone(), f.finding.check as usize, f.finding.line);
        let stops = |f: &PathFinding| f.finding.weight == Weight::Stops;
        let stopping = self.findings.iter().filter(|f| stops(f));
        let stopping: HashSet<_> = stopping.map(place).collect();
        self.findings
            .retain(|f| stops(f) || f.finding.line.is_none() || !stopping.contains(&place(f)));
    }

    /// Looks at results and adds what is found in them.
    fn add_looks(&mut self, looked: &Looked, looks: &[Look]) {
        self.texts += looks.len();
        self.parsed += looks.iter().filter(|look| look.is_parsed()).count();
        for (look, findings) in looks.iter().zip(looked.at_all(looks)) {
            self.add(&look.path, findings);
        }
    }

    fn add(&mut self, path: &RepoPath, findings: Vec<Finding>) {
        self.files += 1;
        let at = |finding| PathFinding {
            path: path.clone(),
            finding,
        };
        self.findings.extend(findings.into_iter().map(at));
    }
}

fn open_finding(case: &Case) -> Finding {
    let [ours, theirs] = case.words();
    let what = format!("not settled and staged yet: ours {ours}, theirs {theirs}");
    Finding::new(Check::Open, None, what)
}

/// Index entries that differ from HEAD and from the incoming commit.
fn merged_entries(repo: &Repository, situation: &Situation) -> Result<Vec<(RepoPath, Oid)>, Error> {
    let head = match repo.resolve("HEAD")? {
        Some(head) => head,
        None => empty_tree(repo)?,
    };
    let mut entries = differing(repo, &head)?;
    if let Some(theirs) = &situation.theirs.commit {
        let other: HashSet<_> = differing(repo, &theirs.oid)?.into_iter().collect();
        entries.retain(|entry| other.contains(entry));
    }
    Ok(entries)
}

/// Files of the index that differ from a commit, with their contents' names.
fn differing(repo: &Repository, revision: &str) -> Result<Vec<(RepoPath, Oid)>, Error> {
    let call = Invocation::read([
        "diff-index",
        "--cached",
        "--raw",
        "-z",
        "--no-renames",
        "--no-abbrev",
        revision,
        "--",
    ]);
    Ok(parse_raw(&repo.must(&call)?.stdout))
}

/// Parses `:MODE MODE OID OID STATUS<NUL>PATH<NUL>`; removed, unmerged and special entries are left out.
fn parse_raw(bytes: &[u8]) -> Vec<(RepoPath, Oid)> {
    let mut fields = bytes.split(|b| *b == 0);
    let mut out = Vec::new();
    while let (Some(head), Some(path)) = (fields.next(), fields.next()) {
        let head = String::from_utf8_lossy(head);
        let words: Vec<&str> = head.split(' ').collect();
        if let [_, mode, _, oid, status] = words[..]
            && mode.starts_with("100")
            && !matches!(status, "U" | "D")
        {
            out.push((RepoPath::new(path), Oid(oid.to_owned())));
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_files_that_exist_are_looked_at() {
        let raw = b":100644 100644 a b M\0x y\0:100644 000000 a 0 D\0gone\0:160000 160000 a b M\0sub\0:000000 100755 0 c A\0n\nl\0";
        let paths: Vec<_> = parse_raw(raw)
            .into_iter()
            .map(|(p, o)| (p.to_string(), o.0))
            .collect();
        assert_eq!(
            paths,
            [
                ("x y".into(), "b".into()),
                ("n\\nl".to_owned(), "c".to_owned())
            ]
        );
    }
}
