//! What rules settled and propose: taking it, stepping through it, switching it off.

use crate::base::commands::Tab;
use crate::base::safe_text::{count, visible};
use crate::case::finish::lesson;
use crate::state::app::State;
use crate::state::effect::{Effect, FileId, Rulings};
use crate::state::file::{FileState, OpenFile};
use crate::state::overlay::{Overlay, Question, Settles};
use crate::update::deciding::{decide, do_together};
use crate::update::files::show_file;
use crate::update::moving::show;
use crate::update::settling::go_on;
use armistice_core::limits::LISTED_CONFLICTS;
use armistice_core::{
    Certainty, Entry, Event, Line, PastResolution, RegionId, RegionState, Ruling, Step, rule_title,
};

/// The proposal for the current conflict, while it is open.
pub(crate) fn proposal(state: &State) -> Option<(RegionId, Ruling)> {
    let file = state.open_file()?;
    let id = file.view.region;
    let ruling = file.proposal(id)?;
    Some((id, ruling.clone()))
}

pub(crate) fn take_proposal(state: &mut State) -> Vec<Effect> {
    let Some((id, ruling)) = proposal(state) else {
        state.say(
            "no suggestion here; ← and → preview the choices; o, t, b, a, d take one directly",
        );
        return Vec::new();
    };
    let conflict = state.open_file().and_then(|f| f.plan().conflict_of(id));
    let number = conflict.map_or(0, |c| c.number());
    let label = format!("settled {number} by {}", rule_title(&ruling.rule));
    let message = format!("{label} · u undoes it · . finds similar conflicts");
    let step = Step::new(label, vec![Entry::Rule(id, ruling)]);
    let effects = decide(state, Event::Do(step), message);
    go_on(state, id);
    effects
}

/// Takes every likely proposal, of one file or of all, as one step.
pub(crate) fn settle_likely(state: &mut State, only: Option<&[FileId]>) -> Vec<Effect> {
    let mut found: Rulings = Vec::new();
    for (at, file) in state.ids() {
        if only.is_some_and(|only| !only.contains(&at)) {
            continue;
        }
        let Some(open) = file.open() else { continue };
        let likely = open.draft().open().filter_map(|id| {
            let ruling = open.proposal(id)?;
            (ruling.certainty >= Certainty::Likely).then(|| (at, id, ruling.clone()))
        });
        found.extend(likely);
    }
    if found.is_empty() {
        let place = match only {
            Some([_]) => "in this file",
            Some(_) => "in the marked files",
            None => "anywhere",
        };
        state.say(format!(
            "no rule has a suggestion {place}; n goes to the next open conflict"
        ));
        return Vec::new();
    }
    let n = found.len();
    let settles = Settles {
        label: format!("settled {} by rule", count(n, "conflict")),
        entries: found
            .iter()
            .map(|(at, id, ruling)| (*at, Entry::Rule(*id, ruling.clone())))
            .collect(),
    };
    let title = format!("accept {}?", count(n, "suggestion"));
    ask(state, title, "accept them all", &found, settles)
}

/// Lists what would be settled, and asks.
fn ask(
    state: &mut State,
    title: String,
    yes: &str,
    rulings: &Rulings,
    settles: Settles,
) -> Vec<Effect> {
    // What would stand there says more than the name of a rule.
    let most = (state.size.1 as usize).saturating_sub(12).max(4);
    let mut lines = Vec::new();
    let mut listed = 0;
    for (at, id, ruling) in rulings.iter().take(LISTED_CONFLICTS) {
        let block = would_stand(&state[*at], *id, ruling);
        if listed > 0 && lines.len() + block.len() > most {
            break;
        }
        lines.extend(block);
        listed += 1;
    }
    if rulings.len() > listed {
        lines.push(format!("and {} more", rulings.len() - listed));
    }
    lines.push("u undoes all of them in one step.".to_owned());
    state.overlay = Some(Overlay::Question(Box::new(Question {
        title,
        lines,
        yes: yes.to_owned(),
        effects: Vec::new(),
        settles: Some(settles),
        ..Question::default()
    })));
    Vec::new()
}

/// The lines that a ruling would let stand, under the place that it is about.
fn would_stand(file: &FileState, id: RegionId, ruling: &Ruling) -> Vec<String> {
    let path = &file.case.path;
    let Some(open) = file.open() else {
        return vec![path.to_string()];
    };
    let plan = open.plan();
    let number = plan.conflict_of(id).map_or(0, |c| c.number());
    let mut out = vec![format!(
        "{path} · conflict {number} · {}",
        rule_title(&ruling.rule)
    )];
    let Some(resolution) = &ruling.resolution else {
        return out;
    };
    let text = resolution.text(plan, plan.region(id));
    let all = text.len();
    let line = |line: Line<'_>| {
        let text = open.opened.encoding.decode(line.content());
        format!("│ {}", visible(text.trim_end()))
    };
    out.extend(text.lines(text.all()).take(LISTED_LINES).map(line));
    match all {
        0 => out.push("│ no lines".to_owned()),
        n if n > LISTED_LINES => {
            out.push(format!("│ and {} more", count(n - LISTED_LINES, "line")))
        }
        _ => {}
    }
    out
}

/// Lines of a result that are listed before it is taken.
const LISTED_LINES: usize = 3;

/// Settles conflicts of several files as one step.
pub(crate) fn settle_all(state: &mut State, settles: Settles) -> Vec<Effect> {
    let Settles { label, entries } = settles;
    state.say(format!("{label} · u undoes all of it"));
    do_together(state, &label, entries)
}

/// Goes to the next conflict that a rule settled, in this file or another.
pub(crate) fn next_ruled(state: &mut State, forward: bool) -> Vec<Effect> {
    let Some(file) = state.open_file() else {
        return Vec::new();
    };
    let here = file.view.region;
    let ruled: Vec<_> = file.draft().ruled().map(|(id, _)| id).collect();
    let next = match forward {
        true => ruled.iter().copied().find(|id| *id > here),
        false => ruled.iter().copied().rev().find(|id| *id < here),
    };
    if let Some(id) = next {
        return go_to_ruled(state, id);
    }
    let ruled_there = |at: &FileId| {
        let open = state[*at].open();
        open.is_some_and(|f| f.draft().ruled().next().is_some())
    };
    let other = state.others(state.file, forward).find(ruled_there);
    match (other, ruled.is_empty()) {
        (Some(at), _) => {
            let effects = show_file(state, at);
            let found = state.open_file().and_then(|f| {
                let mut ids = f.draft().ruled().map(|(id, _)| id);
                if forward { ids.next() } else { ids.next_back() }
            });
            if let Some(id) = found {
                go_to_ruled(state, id);
            }
            effects
        }
        (None, false) => {
            let id = if forward {
                ruled[0]
            } else {
                ruled[ruled.len() - 1]
            };
            go_to_ruled(state, id)
        }
        (None, true) => {
            state.say("no rule settled a conflict");
            Vec::new()
        }
    }
}

fn go_to_ruled(state: &mut State, id: RegionId) -> Vec<Effect> {
    let Some(file) = state.open_file_mut() else {
        return Vec::new();
    };
    show(file, id);
    let reason = match file.draft().standing(id) {
        RegionState::Ruled(ruling) => format!(
            "{}: {} · r reopens it",
            rule_title(&ruling.rule),
            ruling.reason
        ),
        _ => String::new(),
    };
    state.say(reason);
    Vec::new()
}

/// Switches the rule that was switched off last on again.
pub(crate) fn switch_on(state: &mut State) -> Vec<Effect> {
    match state.switched_off.pop() {
        Some(rule) => {
            state.settings.rules_off.remove(&rule);
            rule_again(state, format!("'{}' is on again", rule_title(&rule)))
        }
        None => {
            state.say("no rule was disabled in this session");
            Vec::new()
        }
    }
}

/// Switches the current rule off.
pub(crate) fn switch_rule(state: &mut State) -> Vec<Effect> {
    let Some(file) = state.open_file() else {
        return Vec::new();
    };
    let id = file.view.region;
    let rule = match file.draft().standing(id) {
        RegionState::Ruled(ruling) => Some(ruling.rule.clone()),
        _ => file.opened.rulings().get(&id).map(|r| r.rule.clone()),
    };
    let Some(rule) = rule else {
        state.say("no rule applies here");
        return Vec::new();
    };
    let title = rule_title(&rule).to_owned();
    state.settings.rules_off.insert(rule.clone());
    state.switched_off.push(rule);
    rule_again(
        state,
        format!("'{title}' is off for this session; Y switches it on"),
    )
}

/// The next policy about white space.
pub(crate) fn next_policy(state: &mut State) -> Vec<Effect> {
    state.settings.whitespace = state.settings.whitespace.next();
    let name = state.settings.whitespace.name();
    rule_again(state, format!("white space: {name}"))
}

/// Asks the rules again about every file that is read.
pub(crate) fn rule_again(state: &mut State, message: String) -> Vec<Effect> {
    state.say(message);
    let plans: Vec<_> = state
        .ids()
        .filter_map(|(at, f)| Some((at, f.open()?.draft().plan().clone())))
        .collect();
    vec![Effect::Propose(plans)]
}

/// New rulings have come: what rules had settled follows them, as one step.
pub(crate) fn ruled(state: &mut State, all: Vec<(FileId, Vec<(RegionId, Ruling)>)>) -> Vec<Effect> {
    let mut entries = Vec::new();
    for (at, rulings) in all {
        let settle = state.settings.settle;
        let Some(open) = state.file_mut(at).and_then(|f| f.open_mut()) else {
            continue;
        };
        let sure: std::collections::BTreeMap<_, _> = settle.pick(&rulings).into_iter().collect();
        let draft = open.opened.session().draft();
        for (id, standing) in draft.ruled() {
            // What a person took stays; what was filled in by itself follows the rules.
            let by_itself = standing.certainty == Certainty::Certain;
            if by_itself && !sure.contains_key(&id) {
                entries.push((at, Entry::Reopen(id)));
            }
        }
        let newly = draft.open().filter_map(|id| {
            let before = open.opened.rulings().get(&id);
            let now = sure.get(&id).filter(|now| before != Some(now))?;
            Some((at, Entry::Rule(id, now.clone())))
        });
        entries.extend(newly);
        open.opened.set_rulings(rulings);
    }
    if entries.is_empty() {
        return Vec::new();
    }
    let opened = entries
        .iter()
        .filter(|(_, e)| matches!(e, Entry::Reopen(_)))
        .count();
    let summary = match (opened, entries.len() - opened) {
        (0, n) => format!("{} settled by it", count(n, "conflict")),
        (n, 0) => format!("{} reopened", count(n, "conflict")),
        (o, s) => format!("{} reopened, {s} settled", count(o, "conflict")),
    };
    let message = format!("{} · {summary} · u undoes it", state.message.text);
    state.say(message);
    do_together(state, &summary, entries)
}

/// The conflict at the cursor if it is decided; else the one that was decided last.
fn decided_at_hand(file: &OpenFile) -> RegionId {
    let here = file.view.region;
    if !file.draft().is_open(here) && file.plan().conflict_of(here).is_some() {
        return here;
    }
    let last = file.opened.session().undoable();
    let entry = last.and_then(|step| step.entries.last());
    match entry {
        Some(Entry::Settle(id, _) | Entry::Rule(id, _)) => *id,
        _ => here,
    }
}

/// Looks for conflicts like the settled one at hand, or the last, in all files.
pub(crate) fn same_again(state: &mut State) -> Vec<Effect> {
    let Some(file) = state.open_file() else {
        return Vec::new();
    };
    let id = decided_at_hand(file);
    let Some(past_resolution) = lesson(&file.opened, id) else {
        let by_hand = *file.draft().standing(id) == RegionState::ByHand;
        state.say(match by_hand && file.plan().conflict_of(id).is_some() {
            true => "this edit goes beyond its conflict, so it is not repeated in other files",
            false => "settle this conflict first; . then finds similar ones in all files",
        });
        return Vec::new();
    };
    let by = match file.draft().standing(id) {
        RegionState::Settled(resolution) => resolution.name().to_owned(),
        RegionState::Ruled(ruling) => rule_title(&ruling.rule).to_owned(),
        _ => "hand".to_owned(),
    };
    let plans = state.ids().filter_map(|(at, file)| {
        let open = file.open()?;
        let ids: Vec<_> = open.draft().open().collect();
        (!ids.is_empty()).then(|| (at, open.draft().plan().clone(), ids))
    });
    let plans = plans.collect();
    state.say("looking for similar conflicts in all files …");
    vec![Effect::FindLike {
        past_resolution: Box::new(past_resolution),
        by,
        plans,
    }]
}

pub(crate) fn likes(state: &mut State, found: Rulings) -> Vec<Effect> {
    // Only what is still open counts: a person may have gone on meanwhile.
    let open = |(at, id, _): &(FileId, RegionId, Ruling)| {
        state
            .file(*at)
            .and_then(|f| f.open())
            .is_some_and(|f| f.draft().is_open(*id))
    };
    let found: Rulings = found.into_iter().filter(open).collect();
    if found.is_empty() {
        state.say("no other open conflict is like this one");
        return Vec::new();
    }
    state.say("");
    let n = found.len();
    // It is the person's own decision, made once more.
    let again = |(at, id, ruling): &(FileId, RegionId, Ruling)| {
        let resolution = ruling.resolution.clone()?;
        Some((*at, Entry::Settle(*id, resolution)))
    };
    let settles = Settles {
        label: format!("settled {} the same way", count(n, "conflict")),
        entries: found.iter().filter_map(again).collect(),
    };
    let title = format!("settle {} like this one?", count(n, "conflict"));
    ask(state, title, "settle them the same way", &found, settles)
}

/// Forgets what is remembered of the current conflict.
pub(crate) fn forget(state: &mut State) -> Vec<Effect> {
    let file = state.open_file();
    let found = file.and_then(|f| {
        let id = f.view.region;
        f.plan().conflict_of(id)?;
        Some(PastResolution::of(f.plan(), id, None, &[]))
    });
    match (state.tab, found) {
        (Tab::Parley, Some(past_resolution)) => vec![Effect::Forget(Box::new(past_resolution))],
        _ => {
            state.say("n goes to a conflict; 'armistice memory' lists every stored resolution");
            Vec::new()
        }
    }
}
