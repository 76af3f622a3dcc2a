//! What a forecast says of a command before any step is foreseen: why git refuses it, and what settings make
//! of it.

use armistice_git::{
    CommandSettings, Commit, FastForward, Meeting, Relation, Repository, Undertaking,
};

/// What git calls the other side of one commit that is made again or undone.
pub(super) fn step_label(undertaking: Undertaking, commit: &Commit) -> String {
    match undertaking {
        Undertaking::Revert => format!("parent of {} ({})", commit.short, commit.subject),
        _ => format!("{} ({})", commit.short, commit.subject),
    }
}

/// Why git would not begin at all.
pub(super) fn refusal(
    repo: &Repository,
    undertaking: Undertaking,
    meeting: &Meeting,
    settings: &CommandSettings,
) -> Option<String> {
    match (undertaking, meeting.relation) {
        (Undertaking::Merge, Relation::Unrelated) if repo.common_dir().join("shallow").exists() => Some(
            "the two sides share no commit in this shallow clone; git fetch --unshallow may find one"
                .to_owned(),
        ),
        (Undertaking::Merge, Relation::Unrelated) => Some(
            "the two sides share no commit: git merges them only with --allow-unrelated-histories"
                .to_owned(),
        ),
        (Undertaking::Merge, Relation::Parted(_))
            if settings.fast_forward == FastForward::Only =>
        {
            Some("the settings allow only a fast-forward (--ff-only), but both sides have commits of their own".to_owned())
        }
        _ => None,
    }
}

/// What settings make of the command, a sentence each.
pub(super) fn notes(
    undertaking: Undertaking,
    meeting: &Meeting,
    settings: &CommandSettings,
) -> Vec<String> {
    let mut notes = Vec::new();
    let mut say = |holds: bool, text: &str| {
        if holds {
            notes.push(text.to_owned());
        }
    };
    match undertaking {
        Undertaking::Merge => {
            let is_forward = meeting.relation == Relation::FastForward;
            say(
                settings.fast_forward == FastForward::Never && is_forward,
                "--no-ff: git makes a merge commit instead of a fast-forward",
            );
            say(
                settings.squash,
                "--squash: git stages the result and makes no merge commit",
            );
            say(
                settings.no_commit && !settings.squash,
                "--no-commit: git stops before it commits the merge",
            );
            let strategy = settings.strategy.as_deref().unwrap_or("ort");
            let options = settings.strategy_options.iter();
            let options: Vec<String> = options.map(|option| format!("-X{option}")).collect();
            say(
                !options.is_empty(),
                &format!("{}: foreseen with it", options.join(" ")),
            );
            say(
                strategy == "ours",
                "-s ours: git keeps your files and takes nothing from the other side",
            );
            say(
                !["ort", "recursive", "ours"].contains(&strategy),
                &format!(
                    "-s {strategy}: the forecast uses git's default strategy; this one may leave other conflicts"
                ),
            );
            say(
                settings.merge_autostash,
                "merge.autoStash: git stashes local changes first; restoring them may conflict",
            );
        }
        Undertaking::Rebase => {
            say(
                settings.rebase_autostash,
                "rebase.autoStash: git stashes local changes first; restoring them may conflict",
            );
            say(
                settings.rebase_merges,
                "rebase.rebaseMerges: git also recreates merge commits; the forecast covers only the other commits",
            );
            say(
                settings.rebase_by_patches,
                "rebase.backend=apply: git applies patches; the forecast uses merges, so conflicts may differ",
            );
            say(
                settings.update_refs,
                "rebase.updateRefs: other branches that point at these commits move with them",
            );
        }
        Undertaking::Pick | Undertaking::Revert => {}
    }
    say(
        settings.rerere_autoupdate,
        "rerere.autoUpdate: git stages recorded resolutions automatically",
    );
    notes
}
