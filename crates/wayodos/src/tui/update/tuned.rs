//! A search that was begun: gone on with batch by batch, taken or left.

use std::sync::Arc;

use super::super::model::Model;
use super::super::theme::Role;
use super::change::{laid_anew, put_text};
use super::effect::Effect;
use super::texts;
use crate::tunes::BatchResult;

/// More runs of the search are there.
pub(super) fn on_tuned(model: &mut Model, id: u64, result: BatchResult, effects: &mut Vec<Effect>) {
    let Some(tune) = model.tune.as_mut().filter(|tune| tune.job.id == id) else {
        return;
    };
    match result {
        BatchResult::Made(runs) => tune.made = runs,
        BatchResult::Whole(_) if tune.search.is_over() => {}
        BatchResult::Whole(runs) => {
            tune.learn(runs);
            if !tune.search.is_over() {
                effects.push(Effect::Tune(Box::new(tune.job.batch(&tune.search))));
            }
        }
    }
}

/// A search for another text than the one that stands there is of no use.
pub(super) fn keep_up(model: &mut Model, effects: &mut Vec<Effect>) {
    if model.trial.is_some() {
        return;
    }
    let text = Arc::clone(&model.mission().text);
    if let Some(tune) = &mut model.tune
        && !tune.search.is_over()
        && *tune.job.text != *text
    {
        tune.learn(Vec::new());
        effects.push(Effect::StopTune);
    }
}

/// Puts what was found in place.
pub(super) fn take(model: &mut Model, effects: &mut Vec<Effect>) {
    let Some(tune) = &model.tune else {
        return model.say(Role::Quiet, "^ searches the amounts that have a safe span");
    };
    if *tune.job.text != *model.mission().text {
        let words = "the mission is another one since it was tuned: ^ searches again";
        return model.say(Role::Thin, words);
    }
    if !tune.search.is_over() {
        return model.say(Role::Quiet, "wait until the search is over");
    }
    let best = tune.search.best();
    if best == 0 {
        return model.say(Role::Quiet, "nothing better was found: all stays as it is");
    }
    let values = &tune.search.candidates[best].value;
    let new = tune.job.text_with(&tune.search, values);
    let names: Vec<String> = tune
        .search
        .amounts
        .iter()
        .zip(values)
        .filter(|(amount, value)| amount.now != **value)
        .map(|(amount, value)| format!("{} {value}", amount.name))
        .collect();
    let proven = tune
        .proof
        .as_ref()
        .is_some_and(|proof| proof.better.is_some());
    texts::to_mission(model);
    let new = laid_anew(model, new);
    put_text(model, new, effects);
    let (role, not) = if proven {
        (Role::Good, "")
    } else {
        (Role::Thin, ", though it is not clearly better")
    };
    model.say(role, format!("{}{not}; u takes it back", names.join(", ")));
}
