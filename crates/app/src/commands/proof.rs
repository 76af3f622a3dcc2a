//! `proof`: what is to be committed, checked; and the project's own commands run.

use crate::base::json::json_text;
use crate::base::project_checks::{CheckOrigin, ProjectCheck, REPOSITORY_SETTINGS};
use crate::base::safe_text::{count, visible};
use crate::base::settings::Settings;
use crate::case::checks::{
    OutputLines, ProjectChecks, failed, is_fresh, outstanding, project_checks, run_check,
};
use crate::case::findings::{detail, settled_while_merging};
use crate::case::load::CaseLoad;
use crate::case::opened::Unfinished;
use crate::case::service::CaseService;
use crate::case::trust::trust;
use crate::commands::exit::Exit;
use crate::commands::output::{complain, raw, say};
use crate::commands::reading::{read_all, rule_settings};
use crate::view::given_up::block;
use crate::view::new_text::listed;
use anyhow::{Context as _, Result, bail};
use armistice_core::{Draft, PerSide, Report, Side, SideReport};
use armistice_git::{Cancel, Case, CheckRun, Proof, RepoPath, Repository, Situation};
use serde::Serialize;
use std::io::IsTerminal as _;

/// The proof, and what became of every line.
#[derive(Serialize)]
pub(crate) struct Detailed {
    #[serde(flatten)]
    pub(crate) proof: Proof,
    audit: AuditJson,
}

#[derive(Default, Serialize)]
struct AuditJson {
    #[serde(flatten)]
    sides: PerSide<SideReport>,
    files: Vec<FileAudit>,
}

#[derive(Serialize)]
struct FileAudit {
    path: RepoPath,
    #[serde(flatten)]
    report: Report,
}

pub(crate) fn detailed(repo: &Repository, situation: &Situation) -> Result<Detailed> {
    let service = CaseService::new(repo.clone());
    let rules = rule_settings(repo, situation)?;
    let files = read_all(&service, &situation.cases, &rules);
    let open = |path: &RepoPath| {
        let file = files.iter().find(|f| f.case.path == *path);
        file.and_then(|f| f.load.open())
    };
    let decided = |path: &RepoPath| {
        let file = files.iter().find(|f| f.case.path == *path);
        matches!(file.map(|f| &f.load), Some(CaseLoad::Whole(w)) if w.decided.is_some())
    };
    let changed = files
        .iter()
        .filter(|f| f.load.unfinished() == Some(Unfinished::Decided));
    let changed = changed.map(|file| &file.case.path);
    let proven = service.prove_at(situation, rules.settings.check_steps)?;
    let mut proof = detail(proven, open, decided, changed);
    let drafts: Vec<(&Case, &Draft)> = (files.iter())
        .filter_map(|file| Some((&file.case, file.load.open()?.draft())))
        .collect();
    let mut audit = AuditJson::default();
    for ((case, _), report) in drafts.iter().zip(service.audit(&drafts)) {
        for side in Side::BOTH {
            audit.sides[side] += report.sides[side];
        }
        proof.add_findings(&case.path, &report.findings);
        audit.files.push(FileAudit {
            path: case.path.clone(),
            report,
        });
    }
    Ok(Detailed { proof, audit })
}

/// What `proof` was asked for.
pub(crate) struct ProofOrder<'a> {
    pub(crate) json: bool,
    /// Whether to list what decisions gave up.
    pub(crate) given_up: bool,
    /// Whether to list lines that no version has.
    pub(crate) new_text: bool,
    /// The project's own commands to run first; all of them if none is named.
    pub(crate) run: Option<&'a [String]>,
}

/// The project's own commands as JSON.
#[derive(Serialize)]
struct CheckJson<'a> {
    #[serde(flatten)]
    check: &'a ProjectCheck,
    /// Whether its last run says something about what stands there now, and what.
    verdict: &'static str,
    #[serde(skip_serializing_if = "Option::is_none")]
    last: Option<&'a CheckRun>,
}

fn check_json<'a>(
    (check, run): &'a (ProjectCheck, Option<CheckRun>),
    stands: &str,
) -> CheckJson<'a> {
    let verdict = match run {
        None if check.origin == CheckOrigin::Guessed => "offered",
        None if check.origin == CheckOrigin::Untrusted => "not-trusted",
        None => "not-run",
        Some(run) if !is_fresh(run, stands) => "stale",
        Some(run) if run.passed() => "passed",
        Some(run) if run.code.is_none() => "stopped",
        Some(_) => "failed",
    };
    CheckJson {
        check,
        verdict,
        last: run.as_ref(),
    }
}

#[derive(Serialize)]
struct ProofJson<'a> {
    #[serde(flatten)]
    detailed: &'a Detailed,
    checks: Vec<CheckJson<'a>>,
}

pub(crate) fn proof(repo: &Repository, order: &ProofOrder<'_>) -> Result<Exit> {
    let own = Settings::read()?.checks;
    if let Some(names) = order.run {
        run_named(repo, &project_checks(repo, &own), names, order.json)?;
    }
    let situation = Situation::read(repo)?;
    let proof = detailed(repo, &situation)?;
    let stands = &proof.proof.stands;
    let checks = project_checks(repo, &own);
    if let Some(trouble) = &checks.trouble {
        complain!("armistice: {trouble}");
    }
    if order.json {
        let out = ProofJson {
            detailed: &proof,
            checks: checks.all.iter().map(|c| check_json(c, stands)).collect(),
        };
        raw(format!("{}\n", json_text(&out)?).as_bytes());
    } else {
        if order.given_up {
            print_given_up(&proof.audit);
        }
        if order.new_text {
            let reports = proof
                .audit
                .files
                .iter()
                .map(|file| (&file.path, &file.report));
            listed(reports)
                .iter()
                .for_each(|line| say!("{}", visible(line)));
        }
        if let Some(said) = settled_while_merging(&situation) {
            say!("{said}");
        }
        print_proof(&proof.proof);
        print_checks(&checks, stands);
    }
    let asked = |check: &ProjectCheck| match order.run {
        Some(names) => is_asked_for(check, names),
        None => false,
    };
    let ran = checks.all.iter().filter(|(check, _)| asked(check));
    let all_passed = ran.fold(true, |all, (_, run)| {
        all && run
            .as_ref()
            .is_some_and(|run| run.passed() && is_fresh(run, stands))
    });
    let clean = proof.proof.findings.is_empty()
        && failed(&checks, stands) == 0
        && outstanding(&checks, stands).is_empty();
    Ok(match clean && all_passed {
        true => Exit::Done,
        false => Exit::Open,
    })
}

/// Without a name all are meant that somebody has named in a settings file.
fn is_asked_for(check: &ProjectCheck, names: &[String]) -> bool {
    match names.is_empty() {
        true => check.origin != CheckOrigin::Guessed,
        false => names.contains(&check.name),
    }
}

fn run_named(repo: &Repository, known: &ProjectChecks, names: &[String], json: bool) -> Result<()> {
    if let Some(trouble) = &known.trouble {
        bail!("{trouble}; nothing was run");
    }
    let all = || known.all.iter().map(|(check, _)| check);
    for name in names {
        if !all().any(|check| check.name == *name) {
            let known: Vec<_> = all().map(|check| format!("'{}'", check.name)).collect();
            bail!(
                "no check is named '{name}'; the checks are: {}",
                known.join(", ")
            );
        }
    }
    let checks: Vec<&ProjectCheck> = all().filter(|check| is_asked_for(check, names)).collect();
    if checks.is_empty() {
        bail!(
            "no check is configured for this repository; add one to {REPOSITORY_SETTINGS}, or name a suggested one"
        );
    }
    if checks
        .iter()
        .any(|check| check.origin == CheckOrigin::Untrusted)
    {
        bail!(
            "the checks of {REPOSITORY_SETTINGS} are not trusted, and none was run; 'armistice proof --trust' shows them and asks"
        );
    }
    for check in checks {
        complain!("{}: {}", check.name, check.run);
        let mut show = |lines: OutputLines| {
            for line in &lines.lines {
                // What is to be read by a program stays by itself.
                match json {
                    true => complain!("{}", visible(line)),
                    false => say!("{}", visible(line)),
                }
            }
        };
        let run = run_check(repo, check, &Cancel::default(), &mut show)?;
        if run.code.is_none() {
            bail!("{}: stopped", check.name);
        }
    }
    Ok(())
}

fn print_given_up(audit: &AuditJson) {
    for file in &audit.files {
        for given_up in &file.report.given_up {
            for line in block(&file.path.to_string(), given_up) {
                say!("{}", visible(&line));
            }
        }
    }
}

fn print_checks(checks: &ProjectChecks, stands: &str) {
    for (check, run) in &checks.all {
        let named = check.origin != CheckOrigin::Guessed;
        match run {
            None if !named => say!(
                "{}: suggested by files here; --run '{}' runs it",
                check.name,
                check.name
            ),
            None if check.origin == CheckOrigin::Untrusted => {
                say!(
                    "{}: not trusted, not run; --trust shows it and asks",
                    check.name
                );
            }
            None => say!("{}: not run yet; --run runs it", check.name),
            Some(run) if !is_fresh(run, stands) => {
                say!("{}: files changed since it ran", check.name)
            }
            Some(run) if run.passed() => say!("{}: passed", check.name),
            Some(run) => match run.code {
                Some(code) => say!("{}: failed with exit code {code}", check.name),
                None => say!("{}: stopped", check.name),
            },
        }
    }
}

/// Shows the checks of the repository and trusts them if a person says so.
///
/// # Errors
/// If there are none, nobody can be asked, or it cannot be noted.
pub(crate) fn trust_checks(repo: &Repository) -> Result<Exit> {
    let checks = project_checks(repo, &Settings::read()?.checks);
    if let Some(trouble) = checks.trouble {
        bail!("{trouble}");
    }
    let Some(text) = checks.to_trust else {
        bail!("this working tree has no {REPOSITORY_SETTINGS} at its top");
    };
    if checks.told.is_empty() {
        bail!("{REPOSITORY_SETTINGS} names no check and no path");
    }
    say!("{REPOSITORY_SETTINGS} came with the repository. Its commands run with your rights:");
    for line in &checks.told {
        say!("  {}", visible(line));
    }
    if checks.trusted {
        say!("They are already trusted in this form.");
        return Ok(Exit::Done);
    }
    if !std::io::stdin().is_terminal() {
        bail!("this needs a person at a terminal; nothing was trusted");
    }
    say!("Trust them in this form? Type yes:");
    let mut answer = String::new();
    std::io::stdin()
        .read_line(&mut answer)
        .context("cannot read the answer")?;
    if answer.trim() != "yes" {
        say!("nothing was trusted");
        return Ok(Exit::Open);
    }
    trust(repo, &text)?;
    say!("trusted; 'armistice proof --run' runs them. If the file changes, Armistice asks again");
    Ok(Exit::Done)
}

pub(crate) fn print_proof(proof: &Proof) {
    for item in &proof.findings {
        let line = item.finding.line.map_or(String::new(), |l| format!(":{l}"));
        say!("{}{line}: {}", item.path, visible(&item.finding.what));
    }
    let files = count(proof.files, "file");
    let found = count(proof.findings.len(), "finding");
    match proof.stops() {
        0 if proof.findings.is_empty() => say!("{files} checked, no findings"),
        n => say!("{files} checked, {found}, {n} blocking"),
    }
    if proof.steps_not_reviewed > 0 {
        say!(
            "{} not reviewed",
            count(proof.steps_not_reviewed, "rebase step")
        );
    }
}
