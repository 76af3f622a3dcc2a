//! `review`: merge commits and rebased commits that exist already, as text, JSON, SARIF or Markdown.

use crate::base::json::json_text;
use crate::base::safe_text::{ago, count, visible};
use crate::commands::exit::Exit;
use crate::commands::output::{raw, say};
use anyhow::{Result, bail};
use armistice_core::{Finding, NewLine, ResolvedBy, Side, Weight};
use armistice_git::{
    Before, Cancel, Commit, Decisions, RepoPath, Repository, Reviewed, ReviewedFile, Reviewer,
    ToReview, WholeFileResult, merge_commit, merge_commits, rebased_commits, tip_before_rebase,
};
use clap::Args;
use serde::Serialize;
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::time::{SystemTime, UNIX_EPOCH};

/// Which merges to review, and how to print them.
#[derive(Clone, Debug, Args)]
pub struct ReviewArgs {
    /// Merge commit, or a range of which every merge is reviewed; by default the last merge of HEAD
    #[arg(value_name = "COMMIT|A..B")]
    revisions: Option<String>,
    /// Review every merge since this date, in any form that git reads
    #[arg(long, value_name = "DATE")]
    since: Option<String>,
    /// Review the commits of a rebased branch against what they were before; without a value, the last
    /// rebase of the current branch
    #[arg(
        long,
        value_name = "OLD..NEW",
        num_args = 0..=1,
        default_missing_value = "",
        conflicts_with_all = ["revisions", "since"]
    )]
    rebased: Option<String>,
    /// Print text; the default
    #[arg(long, group = "format")]
    text: bool,
    /// Print JSON
    #[arg(long, group = "format")]
    json: bool,
    /// Print SARIF, which code hosts show beside the lines
    #[arg(long, group = "format")]
    sarif: bool,
    /// Print Markdown, for a comment or an issue
    #[arg(long, group = "format")]
    markdown: bool,
}

/// How a review is printed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Format {
    Text,
    Json,
    Sarif,
    Markdown,
}

impl ReviewArgs {
    fn format(&self) -> Format {
        if self.json {
            Format::Json
        } else if self.sarif {
            Format::Sarif
        } else if self.markdown {
            Format::Markdown
        } else {
            Format::Text
        }
    }
}

/// Reviews merges, and prints what it finds as soon as each is done.
pub(crate) fn review(repo: &Repository, args: &ReviewArgs) -> Result<Exit> {
    let format = args.format();
    let Wanted {
        commits: merges,
        dropped,
        added,
        new,
    } = wanted(repo, args)?;
    let decisions = Decisions::new(repo.git_dir());
    let is_single = merges.len() == 1;
    let mut tally = Tally {
        is_rebase: args.rebased.is_some(),
        ..Tally::default()
    };
    let mut kept: Vec<Reviewed> = Vec::new();
    let reviewer = Reviewer::new(repo, &Cancel::default())?;
    reviewer.review(&merges, &mut |merge| {
        tally.add(&merge);
        match format {
            Format::Text => {
                let is_recorded = decisions.of(&merge.commit.oid).is_some();
                tell(&merge, is_recorded, is_single);
            }
            Format::Json | Format::Sarif | Format::Markdown => kept.push(merge),
        }
    })?;
    let mut lost = Vec::new();
    for before in dropped {
        let is_there = reviewer.has_change(&new, &before)?;
        lost.push(Dropped { before, is_there });
    }
    reviewer.leave_untouched();
    tally.lost = lost.iter().filter(|dropped| !dropped.is_there).count();
    match format {
        Format::Text => {
            for dropped in &lost {
                say!("{}", dropped.words());
            }
            for commit in &added {
                say!(
                    "{}  {} · new in the rebased branch",
                    commit.short,
                    commit.subject
                );
            }
            say!("{}", tally.words());
        }
        Format::Json => {
            let all = json!({
                "reviewed": tally.reviewed,
                "with_findings": tally.with_findings,
                "not_reviewed": tally.not_reviewed,
                "merges": kept,
                "dropped": lost,
                "added": added,
            });
            raw((json_text(&all)? + "\n").as_bytes());
        }
        Format::Sarif => raw((json_text(&sarif(&kept, &lost))? + "\n").as_bytes()),
        Format::Markdown => raw(markdown(&kept, &lost, &tally).as_bytes()),
    }
    // What could not be reviewed may be wrong.
    Ok(
        match tally.with_findings + tally.lost + tally.not_reviewed {
            0 => Exit::Done,
            _ => Exit::Open,
        },
    )
}

/// What is reviewed.
struct Wanted {
    commits: Vec<ToReview>,
    /// Commits that a rebased branch had before, and has not any more.
    dropped: Vec<Before>,
    /// Commits that it has now, and had not.
    added: Vec<Commit>,
    /// The tip of the rebased branch.
    new: String,
}

/// A commit that a rebased branch has not any more.
#[derive(Serialize)]
struct Dropped {
    #[serde(flatten)]
    before: Before,
    /// Whether the branch contains its changes all the same.
    is_there: bool,
}

impl Dropped {
    fn words(&self) -> String {
        let commit = &self.before.commit;
        let what = match self.is_there {
            true => "dropped, the branch contains its changes",
            false => "dropped, and its changes are missing",
        };
        format!("{}  {} · {what}", commit.short, commit.subject)
    }
}

fn wanted(repo: &Repository, args: &ReviewArgs) -> Result<Wanted> {
    let Some(rebased) = &args.rebased else {
        return Ok(Wanted {
            commits: merges(repo, args)?,
            dropped: Vec::new(),
            added: Vec::new(),
            new: String::new(),
        });
    };
    let (old, new) = match rebased.split_once("..") {
        _ if rebased.is_empty() => match tip_before_rebase(repo)? {
            Some(old) => (old, "HEAD".to_owned()),
            None => bail!(
                "the reflog of this branch has no rebase; name the old and new tip: --rebased OLD..NEW"
            ),
        },
        Some((old, new)) => {
            let new = if new.is_empty() { "HEAD" } else { new };
            (old.to_owned(), new.to_owned())
        }
        None => bail!("--rebased takes two commits: OLD..NEW"),
    };
    for name in [&old, &new] {
        check_commit(repo, name)?;
    }
    let found = rebased_commits(repo, &old, &new)?;
    Ok(Wanted {
        commits: found.matched,
        dropped: found.dropped,
        added: found.added,
        new,
    })
}

fn check_commit(repo: &Repository, name: &str) -> Result<()> {
    if name.starts_with('-') || repo.resolve(&format!("{name}^{{commit}}"))?.is_none() {
        bail!("'{name}' is not a commit");
    }
    Ok(())
}

/// The merges that the arguments name.
fn merges(repo: &Repository, args: &ReviewArgs) -> Result<Vec<ToReview>> {
    if repo.resolve("HEAD")?.is_none() && args.revisions.is_none() {
        bail!("this repository has no commits yet");
    }
    let named = args.revisions.as_deref();
    let is_range = named.is_some_and(|name| name.contains(".."));
    let mut revisions: Vec<String> = Vec::new();
    if let Some(date) = &args.since {
        revisions.push(format!("--since={date}"));
    }
    if let Some(name) = named {
        let parts = name.split("..").map(|part| part.trim_start_matches('.'));
        for part in parts.filter(|part| !part.is_empty()) {
            check_commit(repo, part)?;
        }
    }
    if is_range || args.since.is_some() {
        revisions.push(named.unwrap_or("HEAD").to_owned());
        return Ok(merge_commits(repo, &revisions)?);
    }
    if let Some(name) = named {
        return match merge_commit(repo, name)? {
            Some(found) => Ok(vec![found]),
            None => {
                bail!("'{name}' is not a merge commit; 'A..B' reviews every merge of a range")
            }
        };
    }
    let last = ["--max-count=1".to_owned(), "HEAD".to_owned()];
    let found = merge_commits(repo, &last)?;
    if found.is_empty() {
        bail!("the history of HEAD has no merge commit");
    }
    Ok(found)
}

/// How many merges were reviewed.
#[derive(Default)]
struct Tally {
    reviewed: usize,
    with_findings: usize,
    with_conflicts: usize,
    not_reviewed: usize,
    /// Commits that a rebased branch lost.
    lost: usize,
    is_rebase: bool,
}

impl Tally {
    fn add(&mut self, merge: &Reviewed) {
        if merge.not_reviewed.is_some() {
            self.not_reviewed += 1;
            return;
        }
        self.reviewed += 1;
        self.with_findings += usize::from(merge.has_findings());
        self.with_conflicts += usize::from(merge.conflicts() > 0);
    }

    fn words(&self) -> String {
        let mut words = format!(
            "{} reviewed: {} with findings, {} with conflicts",
            count(
                self.reviewed,
                if self.is_rebase { "commit" } else { "merge" }
            ),
            self.with_findings,
            self.with_conflicts,
        );
        if self.lost > 0 {
            words += &format!(" · {} lost", count(self.lost, "commit"));
        }
        if self.not_reviewed > 0 {
            words += &format!(" · {} not reviewed", self.not_reviewed);
        }
        words
    }
}

/// How much a remark weighs, in SARIF's words.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Level {
    Error,
    Warning,
    Note,
}

impl Level {
    fn name(self) -> &'static str {
        match self {
            Level::Error => "error",
            Level::Warning => "warning",
            Level::Note => "note",
        }
    }

    fn mark(self) -> &'static str {
        match self {
            Level::Error | Level::Warning => "!",
            Level::Note => "?",
        }
    }
}

/// One thing to look at.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Remark<'a> {
    /// In which file, and on which line of the commit, counted from 1.
    path: Option<&'a RepoPath>,
    line: Option<usize>,
    level: Level,
    rule: String,
    what: String,
}

impl Remark<'_> {
    fn place(&self) -> String {
        match (self.path, self.line) {
            (Some(path), Some(line)) => format!("{path}:{line}  "),
            (Some(path), None) => format!("{path}  "),
            (None, _) => String::new(),
        }
    }
}

/// What there is to look at in a merge, worst first.
fn remarks(merge: &Reviewed) -> Vec<Remark<'_>> {
    let mut found = Vec::new();
    if let Some(side) = merge.nothing_of {
        found.push(Remark {
            path: None,
            line: None,
            level: Level::Error,
            rule: "nothing-of-one-side".to_owned(),
            what: format!(
                "the commit contains nothing of {}: it is the same as {}",
                side_name(side),
                side_name(side.other())
            ),
        });
    }
    for file in &merge.files {
        let of_findings = file
            .findings
            .iter()
            .map(|finding| of_finding(file, finding));
        found.extend(of_findings);
        found.extend(of_new_lines(file));
    }
    found.sort_by_key(|remark| remark.level as usize);
    found
}

fn of_finding<'a>(file: &'a ReviewedFile, finding: &Finding) -> Remark<'a> {
    let rule = serde_json::to_value(finding.check).ok();
    let rule = rule.and_then(|name| name.as_str().map(str::to_owned));
    Remark {
        path: Some(&file.path),
        line: finding.line.map(|line| line.number()),
        level: match finding.weight {
            Weight::Stops => Level::Error,
            Weight::Look => Level::Note,
        },
        rule: rule.unwrap_or_default(),
        what: finding.what.clone(),
    }
}

/// Lines that neither side has, outside of conflicts: lines below each other are one remark.
fn of_new_lines(file: &ReviewedFile) -> Vec<Remark<'_>> {
    let written: Vec<&NewLine> = file.written().collect();
    let runs = written.chunk_by(|one, next| one.line.0 + 1 == next.line.0);
    let remark = |run: &[&NewLine]| {
        let first = run
            .iter()
            .min_by_key(|new| new.may_change)
            .unwrap_or(&run[0]);
        let what = match run.len() {
            1 => format!(
                "neither side added this line, and git saw no conflict here: {}",
                first.text
            ),
            n => format!(
                "neither side added these {n} lines, and git saw no conflict here: {}",
                first.text
            ),
        };
        Remark {
            path: Some(&file.path),
            line: Some(run[0].line.number()),
            level: Level::Warning,
            rule: "new-text".to_owned(),
            what,
        }
    };
    runs.map(remark).collect()
}

fn side_name(side: Side) -> &'static str {
    match side {
        Side::Ours => "ours",
        Side::Theirs => "theirs",
    }
}

fn resolution_words(by: ResolvedBy) -> &'static str {
    match by {
        ResolvedBy::Ours => "ours",
        ResolvedBy::Theirs => "theirs",
        ResolvedBy::Base => "base",
        ResolvedBy::OursThenTheirs => "ours then theirs",
        ResolvedBy::TheirsThenOurs => "theirs then ours",
        ResolvedBy::Nothing => "removed",
        ResolvedBy::Combined => "combined",
        ResolvedBy::NewText => "new text",
    }
}

fn whole_words(whole: WholeFileResult) -> &'static str {
    match whole {
        WholeFileResult::Ours => "ours",
        WholeFileResult::Theirs => "theirs",
        WholeFileResult::Base => "base",
        WholeFileResult::Removed => "removed",
        WholeFileResult::Other => "other contents",
    }
}

/// "2 conflicts in 1 file: 1 ours, 1 new text".
fn resolutions(merge: &Reviewed) -> Option<String> {
    if merge.conflicts() == 0 {
        return None;
    }
    let mut by: BTreeMap<&str, usize> = BTreeMap::new();
    let mut files = 0;
    for file in &merge.files {
        for conflict in &file.conflicts {
            *by.entry(resolution_words(conflict.by)).or_default() += 1;
        }
        let whole = file.whole.filter(|_| file.in_conflict);
        if let Some(whole) = whole {
            *by.entry(whole_words(whole)).or_default() += 1;
        }
        files += usize::from(file.in_conflict);
    }
    let by: Vec<String> = by.iter().map(|(words, n)| format!("{n} {words}")).collect();
    Some(format!(
        "{} in {}: {}",
        count(merge.conflicts(), "conflict"),
        count(files, "file"),
        by.join(", ")
    ))
}

fn now() -> i64 {
    let now = SystemTime::now().duration_since(UNIX_EPOCH);
    now.map_or(0, |now| now.as_secs() as i64)
}

/// Prints one merge; of several only those with conflicts or findings.
fn tell(merge: &Reviewed, is_recorded: bool, is_single: bool) {
    let commit = &merge.commit;
    let resolutions = resolutions(merge);
    let remarks = remarks(merge);
    let has_words = resolutions.is_some() || !remarks.is_empty() || merge.not_reviewed.is_some();
    if !has_words && !is_single {
        return;
    }
    say!(
        "{}  {} · {} · {}",
        commit.short,
        commit.subject,
        commit.author,
        ago(now(), commit.time)
    );
    let short = |oid: &String| oid.chars().take(7).collect::<String>();
    match (&merge.before, &merge.parents[..]) {
        (Some(before), [parent, ..]) => {
            let before = &before.commit.short;
            say!(
                "  ours: its parent {} · theirs: the commit before, {before}",
                short(parent)
            );
        }
        (None, [ours, theirs]) => say!("  ours {} · theirs {}", short(ours), short(theirs)),
        _ => {}
    }
    if let Some(why) = &merge.not_reviewed {
        say!("  not reviewed: {why}");
    }
    if let Some(resolutions) = resolutions {
        say!("  {resolutions}");
    } else if !has_words {
        say!("  no conflict: the commit is what git merges");
    }
    if is_recorded {
        say!(
            "  decided with Armistice: 'armistice record {}' lists the decisions",
            commit.short
        );
    }
    for file in &merge.files {
        for (nth, conflict) in (1..).zip(&file.conflicts) {
            say!(
                "    {}:{}  conflict {nth}, {}: {}",
                file.path,
                conflict.line,
                conflict.cause,
                resolution_words(conflict.by)
            );
        }
        if let Some(whole) = file.whole.filter(|_| file.in_conflict) {
            say!("    {}  whole file: {}", file.path, whole_words(whole));
        }
    }
    for remark in &remarks {
        say!(
            "  {} {}{}",
            remark.level.mark(),
            remark.place(),
            remark.what
        );
    }
    say!("");
}

/// A review as SARIF 2.1.0: one result for each remark, with the commit among its properties.
fn sarif(merges: &[Reviewed], lost: &[Dropped]) -> Value {
    let mut rules: BTreeMap<String, ()> = BTreeMap::new();
    let mut results = Vec::new();
    for merge in merges {
        for remark in remarks(merge) {
            rules.insert(remark.rule.clone(), ());
            let place = remark.path.map(|path| {
                let mut place = json!({ "artifactLocation": { "uri": uri(path.bytes()) } });
                if let Some(line) = remark.line {
                    place["region"] = json!({ "startLine": line });
                }
                json!({ "physicalLocation": place })
            });
            results.push(json!({
                "ruleId": remark.rule,
                "level": remark.level.name(),
                "message": { "text": visible(&remark.what) },
                "locations": place.into_iter().collect::<Vec<_>>(),
                "properties": { "commit": merge.commit.oid, "subject": merge.commit.subject },
            }));
        }
    }
    for dropped in lost.iter().filter(|dropped| !dropped.is_there) {
        rules.insert("dropped-commit".to_owned(), ());
        results.push(json!({
            "ruleId": "dropped-commit",
            "level": Level::Error.name(),
            "message": { "text": visible(&dropped.words()) },
            "locations": [],
            "properties": { "commit": dropped.before.commit.oid },
        }));
    }
    let rules: Vec<Value> = rules.keys().map(|id| json!({ "id": id })).collect();
    json!({
        "version": "2.1.0",
        "runs": [{
            "tool": { "driver": {
                "name": "armistice",
                "version": env!("CARGO_PKG_VERSION"),
                "rules": rules,
            } },
            "results": results,
        }],
    })
}

/// A path as a relative URI: every byte but letters, digits and a few signs is escaped.
fn uri(path: &[u8]) -> String {
    let mut out = String::with_capacity(path.len());
    for byte in path {
        match byte {
            b'a'..=b'z' | b'A'..=b'Z' | b'0'..=b'9' | b'/' | b'.' | b'-' | b'_' | b'~' => {
                out.push(char::from(*byte));
            }
            byte => out.push_str(&format!("%{byte:02X}")),
        }
    }
    out
}

/// A review as Markdown.
fn markdown(merges: &[Reviewed], lost: &[Dropped], tally: &Tally) -> String {
    let mut out = format!("# Merge review\n\n{}\n", tally.words());
    for merge in merges {
        let remarks = remarks(merge);
        let resolutions = resolutions(merge);
        if remarks.is_empty() && resolutions.is_none() && merge.not_reviewed.is_none() {
            continue;
        }
        let commit = &merge.commit;
        out += &format!("\n## {} {}\n\n", commit.short, escaped(&commit.subject));
        if let Some(why) = &merge.not_reviewed {
            out += &format!("Not reviewed: {why}.\n");
        }
        if let Some(resolutions) = resolutions {
            out += &format!("{resolutions}.\n\n");
        }
        for file in &merge.files {
            for (nth, conflict) in (1..).zip(&file.conflicts) {
                out += &format!(
                    "- `{}:{}` conflict {nth}, {}: **{}**\n",
                    file.path,
                    conflict.line,
                    conflict.cause,
                    resolution_words(conflict.by)
                );
            }
            if let Some(whole) = file.whole.filter(|_| file.in_conflict) {
                out += &format!("- `{}` whole file: **{}**\n", file.path, whole_words(whole));
            }
        }
        if !remarks.is_empty() {
            out += "\nFindings:\n\n";
        }
        for remark in &remarks {
            let place = remark.place();
            let place = match place.trim_end() {
                "" => String::new(),
                place => format!("`{place}` "),
            };
            out += &format!(
                "- {}: {place}{}\n",
                remark.level.name(),
                escaped(&remark.what)
            );
        }
    }
    for dropped in lost {
        out += &format!("\n- {}\n", escaped(&dropped.words()));
    }
    out
}

/// Text in which nothing is taken for Markdown or HTML.
fn escaped(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for c in visible(text).chars() {
        if matches!(
            c,
            '\\' | '`' | '*' | '_' | '[' | ']' | '<' | '>' | '#' | '|'
        ) {
            out.push('\\');
        }
        out.push(c);
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn paths_are_uris_that_read_back() {
        assert_eq!(
            uri("docs/a b\u{e9}#.md".as_bytes()),
            "docs/a%20b%C3%A9%23.md"
        );
    }

    #[test]
    fn lines_of_code_do_not_format_a_comment() {
        assert_eq!(escaped("a_b <script> `x`"), "a\\_b \\<script\\> \\`x\\`");
    }
}
