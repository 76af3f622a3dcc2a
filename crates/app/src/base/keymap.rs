//! One table of keys; the key bar, the help and Ask are read off it.

use crate::base::commands::{Command, Tab};
use crate::base::editor::Motion;
use armistice_core::{Side, Version};
use armistice_git::FileOutcome;
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use std::collections::BTreeMap;
use std::sync::OnceLock;

/// Where a key means something.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum KeyContext {
    /// On every screen, unless something is being typed.
    Everywhere,
    Scout,
    Docket,
    Parley,
    /// Picking lines in the evidence.
    Picking,
    /// Editing the draft.
    Editing,
    Terrain,
    Proof,
    Accord,
    /// Looking through what is staged, from Proof or Accord.
    Staged,
    /// Editing the message of the commit.
    Message,
}

impl KeyContext {
    /// All of them, in the order of the screens.
    pub const ALL: [KeyContext; 11] = [
        KeyContext::Everywhere,
        KeyContext::Scout,
        KeyContext::Docket,
        KeyContext::Parley,
        KeyContext::Picking,
        KeyContext::Editing,
        KeyContext::Terrain,
        KeyContext::Proof,
        KeyContext::Accord,
        KeyContext::Staged,
        KeyContext::Message,
    ];

    /// Its name in settings and in help.
    pub fn name(self) -> &'static str {
        match self {
            KeyContext::Everywhere => "everywhere",
            KeyContext::Scout => "scout",
            KeyContext::Docket => "docket",
            KeyContext::Parley => "parley",
            KeyContext::Picking => "picking",
            KeyContext::Editing => "editing",
            KeyContext::Terrain => "terrain",
            KeyContext::Proof => "proof",
            KeyContext::Accord => "accord",
            KeyContext::Staged => "staged",
            KeyContext::Message => "message",
        }
    }
}

/// One row of the table.
#[derive(Clone, Copy)]
pub struct Binding {
    pub context: KeyContext,
    /// Names of the keys; the first is the one that is shown.
    pub keys: &'static [&'static str],
    pub command: Command,
    /// One or two words for the key bar; empty to leave it out.
    pub label: &'static str,
    /// What it does, for help and Ask.
    pub help: &'static str,
}

const fn key(
    context: KeyContext,
    keys: &'static [&'static str],
    command: Command,
    label: &'static str,
    help: &'static str,
) -> Binding {
    Binding {
        context,
        keys,
        command,
        label,
        help,
    }
}

use Command as C;
use KeyContext as X;

/// Most useful first within a context: the key bar shows as many as fit.
#[rustfmt::skip]
pub static KEYMAP: &[Binding] = &[
    key(X::Scout, &["enter"], C::Accept, "look inside", "on a branch, show its forecast; on a file, open its draft in Parley to try it out"),
    key(X::Scout, &["tab"], C::SwitchList, "other list", "go from the branches to the forecast, or back"),
    key(X::Scout, &["o"], C::NextUndertaking, "merge, rebase, …", "choose the operation: merge, rebase, cherry-pick, revert"),
    key(X::Scout, &["S"], C::Begin, "begin", "begin the operation, after showing the exact git command"),
    key(X::Scout, &["/"], C::Narrow, "find", "find a branch, tag or commit; any revision that git accepts works"),
    key(X::Scout, &["m"], C::ShowMerged, "merged by git", "list the files that git would merge without a conflict, or fold the list"),
    key(X::Scout, &["e"], C::NextAssumption, "estimate by", "side that the estimates after an open step assume for open conflicts: ours or theirs"),
    key(X::Scout, &["c"], C::ShowWho, "who and why", "show the newest commits on both sides: message, author, date, files"),
    key(X::Scout, &["D"], C::Draw, "draw", "draw the commits of both sides as SVG and PDF, and show the path"),
    key(X::Docket, &["enter"], C::Accept, "open", "open the file in Parley, or list its possible outcomes"),
    key(X::Docket, &["n"], C::NextOpen, "next open", "go to the next file with an open conflict"),
    key(X::Docket, &["p"], C::PrevOpen, "previous", "go to the previous file with an open conflict"),
    key(X::Docket, &["J"], C::TakeAlong, "take along", "move this file's edits to the files where the other side moved the code; if that side removed this file, ask whether to remove it"),
    key(X::Docket, &["L"], C::SettleLikely, "all likely", "accept every suggestion in all files, as one step"),
    key(X::Docket, &["w"], C::WriteFile, "finish file", "write and stage the file, once it has no open conflict"),
    key(X::Docket, &["u"], C::TakeBack, "take back", "put a finished file back into conflict, as before it was written"),
    key(X::Docket, &["W"], C::WriteAll, "write all", "write and stage every file without an open conflict, or only the marked ones"),
    key(X::Docket, &["space"], C::Mark, "mark", "mark or unmark the file; o t b x O T L W u R then act on all marked files"),
    key(X::Docket, &["o"], C::Whole(FileOutcome::Ours), "whole ours", "keep the whole file from ours, after showing what that discards"),
    key(X::Docket, &["t"], C::Whole(FileOutcome::Theirs), "whole theirs", "keep the whole file from theirs, after showing what that discards"),
    key(X::Docket, &["v"], C::ShowGivenUp, "discards", "list the lines that each whole-file outcome would discard"),
    key(X::Docket, &["f"], C::NextFilter, "filter", "show all files, or only open, settled, suggested, ruled or marked files"),
    key(X::Docket, &["/"], C::Narrow, "path", "show only paths that contain what you type"),
    key(X::Docket, &["s"], C::NextSort, "sort", "sort by path, by open conflicts, by state"),
    key(X::Docket, &["O"], C::TakeClashes(Version::Ours), "ours at clashes", "take ours in every open conflict of the file or the marked files; changes without a conflict stay"),
    key(X::Docket, &["T"], C::TakeClashes(Version::Theirs), "", "take theirs in every open conflict of the file or the marked files; changes without a conflict stay"),
    key(X::Docket, &["b"], C::Whole(FileOutcome::Base), "whole base", "keep the whole file from base"),
    key(X::Docket, &["x"], C::Whole(FileOutcome::Remove), "remove", "remove the file"),
    key(X::Docket, &["a"], C::Whole(FileOutcome::Both), "both names", "keep ours and theirs, each under its own name"),
    key(X::Docket, &["K"], C::Whole(FileOutcome::OwnName), "own name", "keep the file at its own path, not in the folder that git suggests"),
    key(X::Docket, &["R"], C::StartOver, "start over", "restore the original conflict in the file or the marked files, after showing what that discards"),
    key(X::Docket, &["m"], C::ShowMerged, "merged by git", "list the files that git merged without a conflict, with what each side did"),
    key(X::Docket, &["M"], C::Regenerate, "make again", "run the command that the settings give for this path, and stage its result"),
    key(X::Docket, &["E"], C::HandOver, "hand over", "edit the file in your editor, or in the program from the settings, and read the result into the draft"),
    key(X::Docket, &["c"], C::ShowWho, "who and why", "show the commits of both sides that changed this file"),
    key(X::Docket, &["*"], C::MarkAll, "", "mark all listed files, or unmark them"),
    key(X::Docket, &["B"], C::NextPolicy, "", "next white-space policy: exact, line-ends, trailing, amount, all"),
    key(X::Parley, &["n"], C::NextOpen, "next open", "go to the next open conflict"),
    key(X::Parley, &["p"], C::PrevOpen, "previous", "go to the previous open conflict"),
    key(X::Parley, &[">"], C::Move(Motion::Right), "scroll", "scroll long lines to the right; < scrolls back"),
    key(X::Parley, &["space"], C::TakeProposal, "take ★", "accept the suggestion, or the previewed choice"),
    key(X::Parley, &["o"], C::Take(Version::Ours), "ours", "take ours"),
    key(X::Parley, &["t"], C::Take(Version::Theirs), "theirs", "take theirs"),
    key(X::Parley, &["b"], C::Take(Version::Base), "base", "take base: discard both changes"),
    key(X::Parley, &["O"], C::TakeAll(Side::Ours), "", "take all of ours here, also over changes that only theirs made; those are counted"),
    key(X::Parley, &["T"], C::TakeAll(Side::Theirs), "", "take all of theirs here, also over changes that only ours made; those are counted"),
    key(X::Parley, &["a"], C::Both(Side::Ours), "both", "take both: ours, then theirs"),
    key(X::Parley, &["A"], C::Both(Side::Theirs), "", "take both: theirs, then ours"),
    key(X::Parley, &["i"], C::Reindent(Side::Ours), "", "take ours at the indentation of theirs"),
    key(X::Parley, &["I"], C::Reindent(Side::Theirs), "", "take theirs at the indentation of ours"),
    key(X::Parley, &["C"], C::Comment(Side::Ours), "", "take ours, and keep theirs as a comment"),
    key(X::Parley, &["D"], C::Comment(Side::Theirs), "", "take theirs, and keep ours as a comment"),
    key(X::Parley, &["d"], C::Drop, "drop", "take neither side nor base: no lines"),
    key(X::Parley, &["J"], C::TakeAlong, "take along", "move the edit to the file where the other side moved this code, as one step in both files"),
    key(X::Parley, &["l"], C::Pick, "pick lines", "pick single lines, in any order"),
    key(X::Parley, &["e"], C::Edit, "edit", "edit the draft here, starting from the previewed choice"),
    key(X::Parley, &["w"], C::WriteFile, "finish file", "write the file and stage it"),
    key(X::Parley, &["u"], C::Undo, "undo", "take back the last decision"),
    key(X::Parley, &["."], C::SameAgain, "same again", "find conflicts like this one in all files, and settle them the same way"),
    key(X::Parley, &["L"], C::SettleLikely, "all likely", "accept every suggestion in this file, as one step"),
    key(X::Parley, &["s"], C::NextRuled, "by rule", "go to the next conflict that a rule settled, and show the reason"),
    key(X::Parley, &["U"], C::Redo, "redo", "redo the decision"),
    key(X::Parley, &["tab"], C::Lens, "lens", "switch the lens: deltas, face, texts"),
    key(X::Parley, &["z"], C::Wide, "side by side", "show the three versions side by side over the whole width"),
    key(X::Parley, &["c"], C::ShowWho, "who and why", "show the commits behind this conflict: message, author, date, other files"),
    key(X::Parley, &["/"], C::Find, "find", "search the draft and the versions"),
    key(X::Parley, &[","], C::FindNext, "", "go to the next match"),
    key(X::Parley, &["="], C::GoToLine, "", "go to a line of the draft by its number"),
    key(X::Parley, &[";"], C::JumpList, "declarations", "list the declarations in this file with what each side did, and go to one"),
    key(X::Parley, &["'"], C::JumpBack, "", "go back to where you were before the last jump"),
    key(X::Parley, &["y"], C::Copy, "", "copy the selected rows, or the line at the cursor"),
    key(X::Parley, &["Z"], C::WrapLines, "", "wrap long lines of the draft, or cut them at the edge"),
    key(X::Parley, &[")"], C::ScrollCard(Version::Ours, true), "", "scroll the card of ours down"),
    key(X::Parley, &["("], C::ScrollCard(Version::Ours, false), "", "scroll the card of ours up"),
    key(X::Parley, &["}"], C::ScrollCard(Version::Theirs, true), "", "scroll the card of theirs down"),
    key(X::Parley, &["{"], C::ScrollCard(Version::Theirs, false), "", "scroll the card of theirs up"),
    key(X::Parley, &["f"], C::Unfold, "unfold", "unfold the lines in the cards, or fold them again"),
    key(X::Parley, &["right"], C::NextChoice, "preview", "preview the next choice in the draft"),
    key(X::Parley, &["left"], C::PrevChoice, "", "preview the previous choice"),
    key(X::Parley, &["enter"], C::Accept, "", "take the previewed choice"),
    key(X::Parley, &["S"], C::PrevRuled, "", "go to the previous conflict that a rule settled"),
    key(X::Parley, &["X"], C::SwitchRule, "", "switch this rule off for the session and reopen what it settled"),
    key(X::Parley, &["Y"], C::SwitchOn, "", "switch the last disabled rule on again"),
    key(X::Parley, &["E"], C::HandOver, "hand over", "edit the file at this conflict in your editor, or in the program from the settings, and read the result into the draft"),
    key(X::Parley, &["W"], C::WriteAll, "", "write and stage every file without an open conflict"),
    key(X::Parley, &["B"], C::NextPolicy, "", "next white-space policy: exact, line-ends, trailing, amount, all"),
    key(X::Parley, &["v"], C::ShowBlanks, "", "show or hide white space and line ends"),
    key(X::Parley, &["F"], C::Forget, "", "forget the earlier resolution of this conflict"),
    key(X::Parley, &["N"], C::NextChange, "next change", "go to the next change, made by one side or both"),
    key(X::Parley, &["P"], C::PrevChange, "", "go to the previous change"),
    key(X::Parley, &["x"], C::Decline, "reject", "reject a change that merged without a conflict; press again to restore it"),
    key(X::Parley, &["r"], C::Reopen, "reopen", "reopen a settled conflict"),
    key(X::Parley, &["R"], C::StartOver, "", "restore the original conflicts in this file; undo brings the decisions back"),
    key(X::Parley, &["]"], C::NextFile, "next file", "go to the next file"),
    key(X::Parley, &["["], C::PrevFile, "", "go to the previous file"),
    key(X::Picking, &["space"], C::PickLine, "pick line", "pick the line as the next one, or unpick it"),
    key(X::Picking, &["enter"], C::Accept, "accept", "settle the conflict with the picked lines, in the order of their numbers"),
    key(X::Picking, &["esc"], C::Back, "leave", "leave without a decision"),
    key(X::Picking, &["c"], C::CommentLine, "as a comment", "pick the line as a comment"),
    key(X::Picking, &["y"], C::Copy, "copy", "copy the picked lines, or the line at the cursor; ctrl-v in the editor pastes them"),
    key(X::Editing, &["esc"], C::LeaveEditor, "keep and leave", "keep the text and leave the editor"),
    key(X::Editing, &["ctrl-g"], C::DiscardEdit, "discard", "leave the editor and discard the text"),
    key(X::Editing, &["ctrl-z"], C::EditUndo, "undo", "undo"),
    key(X::Editing, &["ctrl-y"], C::EditRedo, "redo", "redo"),
    key(X::Editing, &["ctrl-f"], C::Find, "find", "search"),
    key(X::Editing, &["ctrl-n"], C::FindNext, "next match", "go to the next match"),
    key(X::Editing, &["ctrl-c"], C::Copy, "copy", "copy the selection"),
    key(X::Editing, &["ctrl-x"], C::Cut, "cut", "cut the selection"),
    key(X::Editing, &["ctrl-v"], C::Paste, "paste", "paste what was copied or cut here"),
    key(X::Editing, &["ctrl-k"], C::DeleteLine, "delete line", "delete the line"),
    key(X::Editing, &["ctrl-a"], C::SelectAll, "select all", "select the whole text"),
    key(X::Terrain, &["enter"], C::Accept, "go there", "go to the declaration in Parley, if its file has a conflict"),
    key(X::Terrain, &["n"], C::NextChange, "next moved", "go to the next moved declaration"),
    key(X::Terrain, &["p"], C::PrevChange, "previous", "go to the previous moved declaration"),
    key(X::Terrain, &["a"], C::ShowAll, "hide, all", "show changes only, everything, or changes with the code between the old and the new place"),
    key(X::Terrain, &["D"], C::Draw, "draw", "draw this view as SVG and PDF, and show the path"),
    key(X::Proof, &["enter"], C::Accept, "go there", "go to the file and line of the finding"),
    key(X::Proof, &["a"], C::StageAgain, "stage again", "stage the file as it is on disk, if it changed after it was staged"),
    key(X::Proof, &["R"], C::ReplaceName, "use new name", "replace the old name with the new one in the draft of that file"),
    key(X::Proof, &["r"], C::RunChecks, "run", "run the project check at the cursor, or all of them"),
    key(X::Proof, &["o"], C::CheckOutput, "output", "show the output of the project check"),
    key(X::Proof, &["d"], C::ShowStaged, "staged diff", "show the staged changes against each parent"),
    key(X::Proof, &["v"], C::ShowGivenUp, "discarded", "list every line that a decision discarded"),
    key(X::Proof, &["n"], C::ShowNewText, "new text", "list every line that no version has, riskiest first"),
    key(X::Proof, &["x"], C::StopChecks, "stop", "stop the running command"),
    key(X::Accord, &["c"], C::Conclude, "conclude", "make the commit, or continue with the next step"),
    key(X::Accord, &["e"], C::EditMessage, "edit message", "edit the message of the commit"),
    key(X::Accord, &["s"], C::Skip, "skip step", "skip this step, after showing what that discards"),
    key(X::Accord, &["B"], C::BackOut, "abort", "abort the operation and restore the state before it, after showing what that discards"),
    key(X::Accord, &["d"], C::ShowStaged, "staged diff", "show the staged changes against each parent"),
    key(X::Accord, &["D"], C::Draw, "", "draw the decisions and the commits of both sides as SVG and PDF, and show the path"),
    key(X::Accord, &["t"], C::DropStash, "drop the stash", "drop the stash that caused the conflicts, after a question"),
    key(X::Accord, &["x"], C::RemoveBackups, "", "remove the backup files of git mergetool, and keep copies"),
    key(X::Accord, &["ctrl-c"], C::Cancel, "", "stop the running git command, or quit"),
    key(X::Staged, &["down", "j"], C::Move(Motion::Down), "next file", "the next file"),
    key(X::Staged, &["up", "k"], C::Move(Motion::Up), "", "the previous file"),
    key(X::Staged, &["n"], C::NextChange, "next change", "the next change; after the last one, the next file"),
    key(X::Staged, &["p"], C::PrevChange, "previous", "the previous change in the file"),
    key(X::Staged, &["tab"], C::NextParent, "other parent", "compare with the other parent"),
    key(X::Staged, &["space", "pagedown"], C::Move(Motion::PageDown), "scroll", "scroll the diff"),
    key(X::Staged, &["pageup"], C::Move(Motion::PageUp), "", "scroll the diff back"),
    key(X::Staged, &["enter"], C::Accept, "to Parley", "go to the file in Parley, if it has a conflict"),
    key(X::Staged, &["esc", "d"], C::Back, "back", "go back to Proof or Accord"),
    key(X::Message, &["ctrl-c"], C::Copy, "", "copy the selection"),
    key(X::Message, &["ctrl-x"], C::Cut, "", "cut the selection"),
    key(X::Message, &["ctrl-v"], C::Paste, "", "paste what was copied or cut here"),
    key(X::Message, &["ctrl-k"], C::DeleteLine, "", "delete the line"),
    key(X::Message, &["ctrl-a"], C::SelectAll, "", "select the whole message"),
    key(X::Message, &["esc"], C::LeaveEditor, "done", "keep the message and leave the editor"),
    key(X::Message, &["ctrl-g"], C::DiscardEdit, "git's own", "restore the message that git prepared"),
    key(X::Message, &["ctrl-z"], C::EditUndo, "undo", "undo"),
    key(X::Message, &["ctrl-y"], C::EditRedo, "redo", "redo"),
    key(X::Everywhere, &["?"], C::Help, "help", "explain this screen"),
    key(X::Everywhere, &[":"], C::Ask, "ask", "list every action and run one"),
    key(X::Everywhere, &["esc"], C::Back, "", "close what is open; from a file, go back to Docket"),
    key(X::Everywhere, &["1"], C::Go(Tab::Scout), "", "go to Scout: what would a merge or rebase do?"),
    key(X::Everywhere, &["2"], C::Go(Tab::Docket), "", "go to Docket: which files have conflicts?"),
    key(X::Everywhere, &["3"], C::Go(Tab::Parley), "", "go to Parley: settle the conflicts of the open file"),
    key(X::Everywhere, &["4"], C::Go(Tab::Terrain), "", "go to Terrain: what was moved or renamed?"),
    key(X::Everywhere, &["5"], C::Go(Tab::Proof), "", "go to Proof: is the result right?"),
    key(X::Everywhere, &["6"], C::Go(Tab::Accord), "", "go to Accord: conclude, continue or abort"),
    key(X::Everywhere, &["ctrl-r"], C::Reload, "", "reload everything from git"),
    key(X::Everywhere, &["!"], C::ShowMessage, "", "show the full message from the bottom line"),
    key(X::Everywhere, &["ctrl-z"], C::Suspend, "", "suspend to the shell; fg returns"),
    key(X::Everywhere, &["q", "ctrl-q", "ctrl-c"], C::Quit, "quit", "quit; all decisions are saved"),
    key(X::Everywhere, &["up", "k"], C::Move(Motion::Up), "", "move up"),
    key(X::Everywhere, &["down", "j"], C::Move(Motion::Down), "", "move down"),
    key(X::Everywhere, &["pageup"], C::Move(Motion::PageUp), "", "move a page up"),
    key(X::Everywhere, &["pagedown"], C::Move(Motion::PageDown), "", "move a page down"),
    key(X::Everywhere, &["home", "g"], C::Move(Motion::Start), "", "move to the start"),
    key(X::Everywhere, &["end", "G"], C::Move(Motion::End), "", "move to the end"),
    key(X::Everywhere, &["<"], C::Move(Motion::Left), "", "scroll long lines to the left"),
    key(X::Everywhere, &[">"], C::Move(Motion::Right), "", "scroll long lines to the right"),
];

/// Keys that every editor has and no list needs to explain.
const TYPING: &[(&str, Command)] = &[
    ("up", C::Move(Motion::Up)),
    ("down", C::Move(Motion::Down)),
    ("left", C::Move(Motion::Left)),
    ("right", C::Move(Motion::Right)),
    ("home", C::Move(Motion::LineStart)),
    ("end", C::Move(Motion::LineEnd)),
    ("pageup", C::Move(Motion::PageUp)),
    ("pagedown", C::Move(Motion::PageDown)),
    ("ctrl-left", C::Move(Motion::WordLeft)),
    ("ctrl-right", C::Move(Motion::WordRight)),
    ("ctrl-home", C::Move(Motion::Start)),
    ("ctrl-end", C::Move(Motion::End)),
    ("shift-up", C::Select(Motion::Up)),
    ("shift-down", C::Select(Motion::Down)),
    ("shift-left", C::Select(Motion::Left)),
    ("shift-right", C::Select(Motion::Right)),
    ("shift-home", C::Select(Motion::LineStart)),
    ("shift-end", C::Select(Motion::LineEnd)),
    ("shift-pageup", C::Select(Motion::PageUp)),
    ("shift-pagedown", C::Select(Motion::PageDown)),
    ("enter", C::Newline),
    ("tab", C::TabStop),
    ("backspace", C::Backspace),
    ("delete", C::Delete),
];

/// The name of a key as the table has it: "ctrl-x", "A", "shift-up", "space".
pub fn name_of(event: &KeyEvent) -> String {
    let name = match event.code {
        KeyCode::Char(' ') => "space".to_owned(),
        KeyCode::Char(c) => c.to_string(),
        KeyCode::Enter => "enter".to_owned(),
        KeyCode::Esc => "esc".to_owned(),
        KeyCode::Tab => "tab".to_owned(),
        KeyCode::BackTab => "shift-tab".to_owned(),
        KeyCode::Backspace => "backspace".to_owned(),
        KeyCode::Delete => "delete".to_owned(),
        KeyCode::Up => "up".to_owned(),
        KeyCode::Down => "down".to_owned(),
        KeyCode::Left => "left".to_owned(),
        KeyCode::Right => "right".to_owned(),
        KeyCode::Home => "home".to_owned(),
        KeyCode::End => "end".to_owned(),
        KeyCode::PageUp => "pageup".to_owned(),
        KeyCode::PageDown => "pagedown".to_owned(),
        KeyCode::F(n) => format!("f{n}"),
        _ => String::new(),
    };
    let modifiers = event.modifiers;
    let is_char = matches!(event.code, KeyCode::Char(_));
    if modifiers.contains(KeyModifiers::CONTROL) {
        format!("ctrl-{}", name.to_lowercase())
    } else if modifiers.contains(KeyModifiers::ALT) {
        format!("alt-{name}")
    } else if modifiers.contains(KeyModifiers::SHIFT) && !is_char && event.code != KeyCode::BackTab
    {
        format!("shift-{name}")
    } else {
        name
    }
}

/// Whether letters are text here.
pub fn is_typing(context: KeyContext) -> bool {
    matches!(context, KeyContext::Editing | KeyContext::Message)
}

/// What a key means in a context.
pub fn command_for(context: KeyContext, key: &str) -> Option<Command> {
    let rows = |wanted| move |b: &&Binding| b.context == wanted && b.keys.contains(&key);
    let own = keymap().iter().find(rows(context)).map(|b| b.command);
    if is_typing(context) {
        return own.or_else(|| TYPING.iter().find(|(k, _)| *k == key).map(|(_, c)| *c));
    }
    own.or_else(|| {
        keymap()
            .iter()
            .find(rows(KeyContext::Everywhere))
            .map(|b| b.command)
    })
}

/// The rows that matter in a context, its own first.
pub fn rows_for(context: KeyContext) -> impl Iterator<Item = &'static Binding> {
    let own = keymap().iter().filter(move |b| b.context == context);
    let all = keymap()
        .iter()
        .filter(move |b| b.context == KeyContext::Everywhere);
    own.chain(all.filter(move |_| !is_typing(context)))
}

/// The table as settings changed it.
static CHANGED: OnceLock<Vec<Binding>> = OnceLock::new();

/// The table that counts: the one above, or what settings made of it.
pub fn keymap() -> &'static [Binding] {
    CHANGED.get().map_or(KEYMAP, Vec::as_slice)
}

/// From now on this table counts; only the first call does anything.
pub fn use_keymap(table: Vec<Binding>) {
    let _ = CHANGED.set(table);
}

/// Other keys for actions: by context, by the key that an action has of itself.
pub type KeyChanges = BTreeMap<String, BTreeMap<String, Vec<String>>>;

/// The table with other keys for some actions.
///
/// # Errors
/// If there is no such context, action or key, or one key would mean two things in one context: which.
pub fn with_other_keys(changes: &KeyChanges) -> Result<Vec<Binding>, String> {
    let mut table = KEYMAP.to_vec();
    for (name, changes) in changes {
        let contexts = || KeyContext::ALL.map(KeyContext::name).join(", ");
        let context = KeyContext::ALL.into_iter().find(|c| c.name() == name);
        let context = context.ok_or_else(|| {
            format!(
                "[keys.{name}]: no screen has this name; the screens are: {}",
                contexts()
            )
        })?;
        for (own, keys) in changes {
            let of = |b: &Binding| b.context == context && b.keys.contains(&own.as_str());
            let at = KEYMAP.iter().position(of).ok_or_else(|| {
                format!("[keys.{name}]: no action has the default key '{own}' ('armistice help keys' lists them)")
            })?;
            if let Some(odd) = keys.iter().find(|key| !is_key(key)) {
                return Err(format!(
                    "[keys.{name}]: '{odd}' is not a key; key names are x, X, ctrl-x, alt-x, f5, space, enter, tab, esc, up, pagedown, …"
                ));
            }
            if keys.is_empty() {
                return Err(format!("[keys.{name}]: '{own}' would have no key"));
            }
            // The table lives as long as the program.
            let keys: Vec<&'static str> = keys
                .iter()
                .map(|key| &*Box::leak(key.clone().into_boxed_str()))
                .collect();
            table[at].keys = Box::leak(keys.into_boxed_slice());
        }
    }
    for (nth, one) in table.iter().enumerate() {
        let later = table[nth + 1..].iter().filter(|b| b.context == one.context);
        for other in later {
            if let Some(key) = one.keys.iter().find(|key| other.keys.contains(key)) {
                return Err(format!(
                    "[keys.{}]: '{key}' would mean two things: \"{}\" and \"{}\"",
                    one.context.name(),
                    one.help,
                    other.help
                ));
            }
        }
    }
    Ok(table)
}

/// The key that an action has now which has another one of itself.
pub fn key_now(context: KeyContext, own: &'static str) -> &'static str {
    let at = KEYMAP
        .iter()
        .position(|b| b.context == context && b.keys.contains(&own));
    at.and_then(|at| keymap().get(at))
        .map_or(own, |b| b.keys[0])
}

/// Whether a key can be called so.
fn is_key(name: &str) -> bool {
    const NAMED: [&str; 14] = [
        "space",
        "enter",
        "esc",
        "tab",
        "backspace",
        "delete",
        "up",
        "down",
        "left",
        "right",
        "home",
        "end",
        "pageup",
        "pagedown",
    ];
    let plain = ["ctrl-", "alt-", "shift-"]
        .iter()
        .find_map(|modifier| name.strip_prefix(modifier))
        .unwrap_or(name);
    let is_function = plain
        .strip_prefix('f')
        .and_then(|n| n.parse::<u8>().ok())
        .is_some_and(|n| (1..=12).contains(&n));
    NAMED.contains(&plain)
        || is_function
        || (plain.chars().count() == 1 && !plain.starts_with(char::is_whitespace))
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::HashSet;

    #[test]
    fn no_key_means_two_things_in_one_context() {
        let mut seen = HashSet::new();
        for binding in KEYMAP {
            for key in binding.keys {
                assert!(
                    seen.insert((binding.context, *key)),
                    "{key} twice in {:?}",
                    binding.context
                );
            }
        }
        let typing: HashSet<_> = TYPING.iter().map(|(key, _)| key).collect();
        assert_eq!(typing.len(), TYPING.len());
    }

    #[test]
    fn every_action_has_a_key_and_a_line_of_help() {
        for binding in KEYMAP {
            assert!(!binding.keys.is_empty() && !binding.help.is_empty());
            let shown = binding.keys[0];
            assert_eq!(
                command_for(binding.context, shown),
                Some(binding.command),
                "{shown}"
            );
        }
    }

    #[test]
    fn other_keys_are_taken_and_clashes_are_told() {
        let change = |context: &str, own: &str, key: &str| -> KeyChanges {
            let keys = BTreeMap::from([(own.to_owned(), vec![key.to_owned()])]);
            BTreeMap::from([(context.to_owned(), keys)])
        };
        let told = |changes: &KeyChanges| with_other_keys(changes).map(|_| ()).unwrap_err();
        let table = with_other_keys(&change("docket", "w", "ctrl-w")).unwrap();
        let writes = |b: &&Binding| b.context == KeyContext::Docket && b.command == C::WriteFile;
        assert_eq!(table.iter().find(writes).unwrap().keys, ["ctrl-w"]);
        assert_eq!(table.len(), KEYMAP.len());
        // Two actions may change places.
        let mut both = change("parley", "o", "t");
        both.get_mut("parley")
            .unwrap()
            .insert("t".to_owned(), vec!["o".to_owned()]);
        assert!(with_other_keys(&both).is_ok());
        let clash = told(&change("parley", "o", "t"));
        assert!(
            clash.contains("'t' would mean two things: \"take ours\""),
            "{clash}"
        );
        assert!(told(&change("nowhere", "o", "x")).contains("no screen has this name"));
        assert!(told(&change("docket", "§", "x")).contains("no action has the default key '§'"));
        assert!(told(&change("docket", "w", "hyper-w")).contains("'hyper-w' is not a key"));
    }

    #[test]
    fn keys_have_the_names_of_the_table() {
        let name = |code, modifiers| name_of(&KeyEvent::new(code, modifiers));
        assert_eq!(name(KeyCode::Char('A'), KeyModifiers::SHIFT), "A");
        assert_eq!(name(KeyCode::Char('r'), KeyModifiers::CONTROL), "ctrl-r");
        assert_eq!(name(KeyCode::Up, KeyModifiers::SHIFT), "shift-up");
        assert_eq!(name(KeyCode::Char(' '), KeyModifiers::NONE), "space");
    }
}
