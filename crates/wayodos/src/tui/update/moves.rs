//! Moving through the mission, and changing what stands in its slots.

use std::sync::Arc;

use wayodos_core::ids::SlotId;
use wayodos_core::mission::SlotKind;
use wayodos_core::mission::about;
use wayodos_core::mission::amend::{
    convert as other_unit, linkable, name_amount as name_or, write_out as written_out,
};
use wayodos_core::mission::edit::Stride;

use super::super::finder::{Finder, Item, Pick};
use super::super::layout::Pane;
use super::super::model::{Cursor, Model, Question};
use super::super::theme::Role;
use super::change::{change, laid_out};
use super::effect::Effect;
use super::places::go_to_line;
use super::{ask, lists, offers};
use crate::shelf::Kind;

pub(super) fn move_slot(model: &mut Model, right: bool) {
    let Cursor { line, nth } = model.doc.cursor;
    let here = model.doc.slots_on(line).count();
    let target = if right && nth + 1 < here {
        Some(Cursor { line, nth: nth + 1 })
    } else if !right && nth > 0 {
        Some(Cursor { line, nth: nth - 1 })
    } else {
        // Lines are what Up and Down are for.
        None
    };
    if let Some(target) = target {
        model.doc.cursor = target;
    }
}

/// Empty lines are passed over: there is nothing to do on them.
pub(super) fn move_line(model: &mut Model, down: bool) {
    let stands = |line: &usize| !model.doc.line_text(*line).trim().is_empty();
    let from = model.doc.cursor.line;
    let line = if down {
        (from + 1..model.doc.lines().len()).find(stands)
    } else {
        (0..from).rev().find(stands)
    };
    if let Some(line) = line {
        go_to_line(model, line);
    }
}

pub(super) fn move_step(model: &mut Model, down: bool) {
    let line = model.doc.cursor.line;
    let mut steps = model
        .doc
        .prepared
        .parsed
        .mission
        .steps
        .iter()
        .map(|step| step.line);
    let target = match &model.doc.values {
        Some(values) => values.next_header(line, down),
        None if down => steps.find(|step| *step > line),
        None => steps.rfind(|step| *step < line),
    };
    if let Some(line) = target {
        model.doc.cursor = Cursor { line, nth: 0 };
    }
}

pub(super) fn next_finding(model: &mut Model) {
    let lines: Vec<usize> = model
        .doc
        .findings
        .iter()
        .map(|finding| model.doc.line_at(finding.span.start))
        .collect();
    let next = lines
        .iter()
        .find(|line| **line > model.doc.cursor.line)
        .or(lines.first())
        .copied();
    match next {
        Some(line) => model.doc.cursor = Cursor { line, nth: 0 },
        None => model.say(Role::Good, "no findings in this text"),
    }
}

pub(super) fn next_pane(model: &mut Model) {
    const ROUND: [Pane; 4] = [Pane::Text, Pane::Field, Pane::Chart, Pane::Side];
    let at = ROUND
        .iter()
        .position(|pane| *pane == model.focus)
        .unwrap_or(0);
    let next = ROUND[(at + 1) % ROUND.len()];
    // Where there is no room for both, the chart makes way for the side pane and comes back.
    match next {
        Pane::Side => model.side.open = true,
        Pane::Text => model.side.open = false,
        _ => {}
    }
    if model.zoom.is_some() {
        model.zoom = Some(next);
    }
    model.focus = next;
}

pub(super) fn nudge(model: &mut Model, up: bool, stride: Stride, effects: &mut Vec<Effect>) {
    let Some(slot) = model.doc.slot() else {
        return model.say(
            Role::Quiet,
            "nothing to nudge on this line; e types into it",
        );
    };
    match model.doc.nudge(model.setup.as_deref(), slot, up, stride) {
        Some(edit) => change(model, &edit, effects),
        None => {
            let typed = matches!(
                model.doc.prepared.parsed.slots[slot].kind,
                SlotKind::Text | SlotKind::Target
            );
            model.say(
                Role::Quiet,
                if typed {
                    "Enter types here"
                } else {
                    "that is as far as it goes"
                },
            );
        }
    }
}

/// Opens the slot under the cursor: a list of words with the run that each would give, or a line to
/// type into.
pub(super) fn open(model: &mut Model, effects: &mut Vec<Effect>) {
    let Some(slot) = model.doc.slot() else {
        return ask::begin(model);
    };
    let setup = model.setup.clone();
    let here = model.doc.written_step(model.doc.cursor.line);
    let copy = here.filter(|step| {
        let like = model.doc.prepared.parsed.mission.steps[*step].like.as_ref();
        like.is_some_and(|like| model.doc.line_at(like.span.start) == model.doc.cursor.line)
    });
    if let Some(step) = copy {
        return offers::differences(model, step);
    }
    let prepared = Arc::clone(&model.doc.prepared);
    let parsed = &prepared.parsed;
    let current = model.doc.text[parsed.slots[slot].span.clone()].to_owned();
    let mut choices = model.doc.choices(setup.as_deref(), slot);
    if choices.is_empty() {
        choices = files_for(model, slot);
    }
    if choices.is_empty() {
        match parsed.slots[slot].kind {
            SlotKind::Target => return ask::begin(model),
            SlotKind::Text | SlotKind::Amount { .. } => {}
            SlotKind::Name if model.doc.values.is_some() => {}
            SlotKind::Choice(_)
            | SlotKind::Device(_)
            | SlotKind::Tone { .. }
            | SlotKind::Start
            | SlotKind::Zone
            | SlotKind::Routine
            | SlotKind::Name => return model.say(Role::Quiet, "there is nothing else to choose"),
        }
        return ask::type_into(model);
    }
    let at = choices
        .iter()
        .position(|choice| *choice == current)
        .unwrap_or(0);
    let items = choices.into_iter().filter_map(|choice| {
        let new = model
            .doc
            .set(setup.as_deref(), slot, &choice)
            .ok()?
            .apply(&model.doc.text);
        let what = match (&model.doc.values, &setup) {
            (None, Some(setup)) => about::choice(
                parsed,
                &model.doc.text,
                &setup.names,
                &parsed.slots[slot].kind,
                &choice,
            ),
            _ => String::new(),
        };
        let title = if choice.is_empty() {
            "as written".to_owned()
        } else {
            choice
        };
        Some(Item::new(title, "", what, Pick::Text(laid_out(model, new))))
    });
    let question = match model
        .doc
        .values
        .as_ref()
        .and_then(|values| values.key(slot))
    {
        Some(key) => key.what.trim_end_matches('.').to_owned(),
        None => about::question(&parsed.slots[slot].kind).to_owned(),
    };
    let finder = Finder::new(question, items.collect(), at);
    lists::open(model, finder, effects);
}

/// The files of the project that a slot for a path may name; empty for any other slot, and before
/// the project was looked through.
fn files_for(model: &Model, slot: SlotId) -> Vec<String> {
    let key = model
        .doc
        .values
        .as_ref()
        .and_then(|values| values.key(slot));
    let kinds: &[Kind] = match key.map(|key| key.name) {
        Some("robot") => &[Kind::Robot],
        Some("field") => &[Kind::Field],
        Some("calibration") => &[Kind::Calibration],
        Some("hands") => &[Kind::Hands],
        Some("mission") => &[Kind::Mission, Kind::Rival],
        _ => &[],
    };
    let entries = model.files.entries.iter();
    entries
        .filter(|entry| kinds.contains(&entry.kind))
        .map(|entry| entry.path.clone())
        .collect()
}

/// Names that the amount under the cursor may have: those that there are, or a new one.
pub(super) fn name_amount(model: &mut Model) {
    let Some((slot, setup)) = model
        .doc
        .slot()
        .filter(|_| model.doc.is_amount())
        .zip(model.setup.clone())
    else {
        return model.say(Role::Quiet, "there is no amount under the cursor to name");
    };
    let parsed = &model.doc.prepared.parsed;
    let known = linkable(parsed, slot)
        .into_iter()
        .filter_map(|(name, worth)| {
            let text = name_or(parsed, &model.doc.text, &setup.names, slot, &name).ok()?;
            Some(Item::new(
                name,
                worth,
                "It then changes with every place that says so.",
                Pick::Text(text),
            ))
        });
    let own = Item::new(
        "a new name",
        "",
        "The amount stands in a `let` of its own then.",
        Pick::Ask(Question::Amount),
    );
    let items: Vec<Item> = known.chain([own]).collect();
    if items.len() == 1 {
        return ask::ask(model, Question::Amount, "");
    }
    lists::show(model, Finder::new("Which name", items, 0));
}

pub(super) fn write_out(model: &mut Model, effects: &mut Vec<Effect>) {
    let edit = model
        .doc
        .slot()
        .and_then(|slot| written_out(&model.doc.prepared.parsed, &model.doc.text, slot));
    match edit {
        Some(edit) => change(model, &edit, effects),
        None => model.say(Role::Quiet, "there is no named amount under the cursor"),
    }
}

pub(super) fn convert(model: &mut Model, effects: &mut Vec<Effect>) {
    let edit = model.doc.slot().filter(|_| model.doc.is_amount());
    let edit = edit.and_then(|slot| match &model.doc.values {
        Some(values) => values.convert(&model.doc.text, slot),
        None => other_unit(&model.doc.prepared.parsed, &model.doc.text, slot),
    });
    match edit {
        Some(edit) => change(model, &edit, effects),
        None => model.say(
            Role::Quiet,
            "there is no other unit in which this stays exactly what it is",
        ),
    }
}
