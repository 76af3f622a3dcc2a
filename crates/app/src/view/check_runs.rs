//! What Proof says of the project's own commands: a verdict, and what it rests on.

use crate::base::project_checks::{CheckOrigin, ProjectCheck};
use crate::base::safe_text::ago;
use crate::case::checks::is_fresh;
use crate::state::app::State;
use armistice_git::CheckRun;

/// What is said of one command.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CheckWords {
    pub kind: CheckKind,
    /// In one or two words.
    pub verdict: String,
    /// What it rests on, and the command itself.
    pub rest: String,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum CheckKind {
    Passed,
    Failed,
    Running,
    /// It says nothing about what stands there now.
    Unknown,
}

pub fn words_for(state: &State, check: &ProjectCheck, run: Option<&CheckRun>) -> CheckWords {
    let line = &check.run;
    let required = if check.required { "required · " } else { "" };
    let say = |kind, verdict: &str, rest: String| CheckWords {
        kind,
        verdict: verdict.to_owned(),
        rest: format!("{required}{rest}"),
    };
    if let Some((at_work, since)) = &state.proof.at_work
        && at_work == line
    {
        let seconds = state.now.saturating_sub(*since).max(0);
        return say(
            CheckKind::Running,
            "running",
            format!("{seconds} s · {line}"),
        );
    }
    let Some(run) = run else {
        let verdict = match check.origin {
            CheckOrigin::Guessed => "offered",
            CheckOrigin::Untrusted => "not trusted",
            CheckOrigin::User | CheckOrigin::Trusted => "not run yet",
        };
        let rest = match check.origin == CheckOrigin::Guessed {
            true => "suggested by files here; r runs it".to_owned(),
            false => line.clone(),
        };
        return say(CheckKind::Unknown, verdict, rest);
    };
    let how = match run.code {
        Some(0) => "passed".to_owned(),
        Some(code) => format!("exit code {code}"),
        None => "stopped".to_owned(),
    };
    let took = took(run.ms);
    if !is_fresh(run, state.proof.stands()) {
        let when = ago(state.now, run.ended);
        let rest = format!("{how} {when}, files changed since · {line}");
        return say(CheckKind::Unknown, "stale", rest);
    }
    match run.code {
        Some(0) => say(CheckKind::Passed, "passed", format!("in {took} · {line}")),
        Some(_) => say(
            CheckKind::Failed,
            "failed",
            format!("{how} after {took} · {line}"),
        ),
        None => say(
            CheckKind::Unknown,
            "stopped",
            format!("after {took} · {line}"),
        ),
    }
}

fn took(ms: u64) -> String {
    match ms {
        0..1000 => format!("{ms} ms"),
        1000..60_000 => format!("{}.{} s", ms / 1000, ms % 1000 / 100),
        _ => format!("{} min {} s", ms / 60_000, ms % 60_000 / 1000),
    }
}
