//! The actions that match what was typed into Ask, or into the search of help.

use crate::base::commands::{Command, Tab};
use crate::base::editor::Motion;
use crate::base::keymap::{Binding, rows_for};
use crate::state::app::State;
use armistice_core::Version;
use armistice_git::FileOutcome;

/// Words by which people ask for actions that are called otherwise here.
fn also_called(command: Command) -> &'static str {
    match command {
        Command::ShowWho => "blame author annotate history reason commit message",
        Command::Undo | Command::TakeBack => "undo revert back unstage",
        Command::Redo => "redo repeat",
        Command::BackOut => "abort cancel quit stop give up",
        Command::RunChecks => "test tests build compile lint check make",
        Command::StopChecks => "kill cancel abort",
        Command::NextOpen => "next jump forward down",
        Command::PrevOpen => "previous back up",
        Command::WriteFile | Command::WriteAll => "save write store stage add resolve mark done",
        Command::Quit => "exit close leave",
        Command::Conclude => "commit continue finish complete go on",
        Command::Skip => "leave out drop",
        Command::ShowStaged => "diff difference review compare parent",
        Command::Wide => "compare columns three way split",
        Command::Lens => "diff view compare",
        Command::TakeProposal | Command::Accept => "accept apply suggestion automatic",
        Command::SettleLikely => "accept all automatic auto bulk suggestions",
        Command::Take(Version::Ours) => "left mine local head accept keep choose",
        Command::Take(Version::Theirs) => "right remote incoming accept keep choose other",
        Command::Take(Version::Base) => "original ancestor neither",
        Command::Both(_) => "union together accept keep",
        Command::TakeAll(_) => "whole everything",
        Command::Drop => "delete remove nothing discard",
        Command::Comment(_) => "disable keep for later",
        Command::Pick => "choose lines select cherry",
        Command::Edit => "type write by hand change text manual",
        Command::Decline => "reject refuse ignore",
        Command::Reopen => "unresolve open",
        Command::StartOver => "reset restart discard begin anew",
        Command::Find | Command::FindNext => "search look for grep",
        Command::HandOver => "editor external program tool",
        Command::Regenerate => "generate lock file rebuild",
        Command::ShowMerged => "clean automatic files list",
        Command::Mark | Command::MarkAll => "select choose check",
        Command::NextFilter | Command::Narrow => "search find show only hide",
        Command::NextSort => "order",
        Command::Whole(FileOutcome::Ours) => "left mine local head checkout",
        Command::Whole(FileOutcome::Theirs) => "right remote incoming other checkout",
        Command::Whole(FileOutcome::Remove) => "delete rm",
        Command::NextPolicy | Command::ShowBlanks => "whitespace spaces tabs indentation blank",
        Command::Reload => "refresh reread update status",
        Command::Unfold => "expand collapse all show lines fold context",
        Command::ScrollCard(..) => "page more scroll",
        Command::SameAgain => "repeat everywhere again replay similar",
        Command::SwitchRule | Command::SwitchOn => "disable enable rule off on",
        Command::ShowGivenUp => "lost lose dropped discarded",
        Command::ShowNewText => "written by hand blended added review",
        Command::Help => "keys shortcuts manual",
        Command::EditMessage => "commit message description",
        Command::DropStash => "stash pop delete clear",
        Command::RemoveBackups => "orig clean tidy delete",
        Command::Go(Tab::Docket) => "files list overview",
        Command::Go(Tab::Terrain) | Command::JumpList => {
            "outline structure functions symbols moved"
        }
        Command::Go(Tab::Scout) => "predict forecast foresee preview before compare branch",
        Command::Begin => "start run merge rebase cherry-pick revert",
        Command::NextAssumption => "estimate assume ours theirs rebase",
        Command::NextUndertaking => "merge rebase cherry-pick revert operation mode",
        Command::SwitchList => "focus pane switch",
        Command::TakeAlong => "move follow moved carry another file",
        Command::ReplaceName => "rename renamed name gone replace fix",
        Command::Draw => "picture image export svg pdf",
        Command::ShowAll => "unfold everything unchanged",
        Command::Go(Tab::Proof) => "verify check",
        Command::Move(Motion::Right | Motion::Left) => "horizontal pan",
        _ => "",
    }
}

/// How well a word answers to a typed one.
fn score(typed: &str, word: &str) -> usize {
    match word {
        word if word == typed => 100,
        word if word.starts_with(typed) => 40,
        word if typed.len() > 2 && word.contains(typed) => 10,
        _ => 0,
    }
}

/// How well an action answers to all that was typed; nothing unless each word is found.
pub(crate) fn answers(binding: &Binding, typed: &[String]) -> Option<usize> {
    let [label, help, other] =
        [binding.label, binding.help, also_called(binding.command)].map(|text| text.to_lowercase());
    let words = |text: &str| -> Vec<String> {
        text.split(|c: char| !c.is_alphanumeric())
            .filter(|word| !word.is_empty())
            .map(str::to_owned)
            .collect()
    };
    // What an action is called counts for more than what is said about it.
    let fields = [(words(&label), 3), (words(&other), 2), (words(&help), 2)];
    let mut sum = 0;
    for typed in typed {
        let best = fields.iter().flat_map(|(words, weight)| {
            let scored = words.iter().enumerate();
            // The words that a sentence begins with say what it is about.
            scored.map(move |(nth, word)| score(typed, word) * weight * 10 / (10 + nth.min(10)))
        });
        match best.max() {
            None | Some(0) => return None,
            Some(best) => sum += best,
        }
    }
    Some(sum)
}

/// What was typed, in words.
pub(crate) fn typed_words(typed: &str) -> Vec<String> {
    let words = typed.split(|c: char| !c.is_alphanumeric());
    let words = words.filter(|word| !word.is_empty());
    words.map(str::to_lowercase).collect()
}

/// The actions that match what was typed, best first; a key by itself finds what it does.
pub fn matches(state: &State, typed: &str) -> Vec<&'static Binding> {
    let rows = || rows_for(state.context()).filter(|b| !matches!(b.command, Command::Ask));
    let words = typed_words(typed);
    let by_key = rows().filter(|row| row.keys.contains(&typed.trim()));
    let mut scored: Vec<_> = rows()
        .filter_map(|row| Some((answers(row, &words)?, row)))
        .collect();
    scored.sort_by_key(|(score, _)| std::cmp::Reverse(*score));
    let mut found: Vec<&Binding> = match typed.trim().is_empty() {
        true => Vec::new(),
        false => by_key.collect(),
    };
    for (_, row) in scored {
        if !words.is_empty() || typed.trim().is_empty() {
            let known = found.iter().any(|other| std::ptr::eq(*other, row));
            found.extend((!known).then_some(row));
        }
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::keymap::{KEYMAP, KeyContext};

    fn best(context: KeyContext, typed: &str) -> Option<Command> {
        let words = typed_words(typed);
        let rows = KEYMAP
            .iter()
            .filter(|row| row.context == context || row.context == KeyContext::Everywhere);
        let mut scored: Vec<_> = rows
            .filter_map(|row| Some((answers(row, &words)?, row.command)))
            .collect();
        scored.sort_by_key(|(score, _)| std::cmp::Reverse(*score));
        scored.first().map(|(_, command)| *command)
    }

    #[test]
    fn actions_are_found_by_what_people_call_them() {
        for (typed, command) in [
            ("blame", Command::ShowWho),
            ("author", Command::ShowWho),
            ("undo", Command::Undo),
            ("next", Command::NextOpen),
            ("save", Command::WriteFile),
            ("editor", Command::HandOver),
            ("expand", Command::Unfold),
            ("whitespace", Command::NextPolicy),
        ] {
            assert_eq!(best(KeyContext::Parley, typed), Some(command), "{typed}");
        }
        assert_eq!(best(KeyContext::Accord, "abort"), Some(Command::BackOut));
        assert_eq!(
            best(KeyContext::Accord, "continue"),
            Some(Command::Conclude)
        );
        assert_eq!(best(KeyContext::Proof, "test"), Some(Command::RunChecks));
    }

    #[test]
    fn what_there_is_not_is_not_guessed() {
        for typed in ["zzz", "blmae", "undo frobnicate", "xq"] {
            assert_eq!(best(KeyContext::Parley, typed), None, "{typed}");
        }
    }
}
