//! Lists that are open: what the marked row comes to is tried at once.

use wayodos_core::mission::format;

use super::super::finder::{Finder, Pick};
use super::super::model::{Mode, Model};
use super::super::theme::Role;
use super::change::{refit, rework};
use super::effect::Effect;
use super::places;

/// Opens a list. What its marked row comes to is tried at once.
pub(super) fn open(model: &mut Model, finder: Finder, effects: &mut Vec<Effect>) {
    if finder.items.is_empty() {
        return model.say(Role::Quiet, "there is nothing to choose here");
    }
    attempt(model, &finder, effects);
    model.mode = Mode::Finding(Box::new(finder));
}

/// Tries the marked row of a list that has just been opened.
pub(super) fn attempt_first(model: &mut Model, effects: &mut Vec<Effect>) {
    if !matches!(model.mode, Mode::Finding(_)) {
        return;
    }
    let Mode::Finding(finder) = std::mem::take(&mut model.mode) else {
        return;
    };
    if model.trial.is_none() {
        attempt(model, &finder, effects);
    }
    model.mode = Mode::Finding(finder);
}

/// The text of the marked row is tried, so that the field shows what it would come to.
pub(super) fn attempt(model: &mut Model, finder: &Finder, effects: &mut Vec<Effect>) {
    let base = model
        .trial
        .as_ref()
        .map_or(&model.doc.text, |trial| &trial.base)
        .clone();
    let text = match finder.item().map(|item| &item.pick) {
        Some(Pick::Text(text) | Pick::Look(text)) => text.clone(),
        Some(Pick::Edit(edit)) => edit.apply(&base),
        _ => return drop_trial(model, effects),
    };
    let text = if finder.lays_out { format(&text) } else { text };
    if *text == *model.doc.text {
        return;
    }
    model.try_text(text);
    places::to_change(model, &base);
    rework(model, effects);
}

/// Everything is as it was before the trial. The run of before is put back: nothing needs to run
/// again, but what a robot or field was tried with must be read again.
pub(super) fn drop_trial(model: &mut Model, effects: &mut Vec<Effect>) {
    if model.trial.is_some() {
        model.drop_trial();
        if !model.doc.is_mission() {
            effects.push(refit(model));
        }
    }
}

pub(super) fn show(model: &mut Model, finder: Finder) {
    if finder.items.is_empty() {
        return model.say(Role::Quiet, "there is nothing to choose here");
    }
    model.mode = Mode::Finding(Box::new(finder));
}
