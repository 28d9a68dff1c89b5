//! A sweep that was begun: it grows, is looked at value by value, and one of them is put in place.

use std::sync::Arc;

use wayodos_core::lab::sweep::window;
use wayodos_core::mission::parse;
use wayodos_core::mission::span::put_with_span;

use super::super::model::Model;
use super::super::sight::sweep::is_old;
use super::super::theme::Role;
use super::change::{laid_anew, put_text};
use super::effect::Effect;
use super::texts;
use crate::sweeps::TextsResult;

/// More of it is there.
pub(super) fn on_swept(model: &mut Model, id: u64, result: Arc<TextsResult>) {
    if let Some(sweep) = model.sweep.as_mut().filter(|sweep| sweep.job.id == id) {
        sweep.result = Some(result);
        model.many.stamp += 1;
    }
}

/// Marks the next value, or the one before.
pub(super) fn turn(model: &mut Model, right: bool) {
    if let Some(sweep) = &mut model.sweep {
        let last = sweep.job.swept.values.len() - 1;
        let at = sweep.at();
        sweep.marked = Some(if right {
            (at + 1).min(last)
        } else {
            at.saturating_sub(1)
        });
        model.many.stamp += 1;
    }
}

/// Puts the marked value in place, and notes where it holds.
pub(super) fn take(model: &mut Model, effects: &mut Vec<Effect>) {
    let Some(sweep) = model.sweep.clone() else {
        return model.say(Role::Quiet, "~ on a number of the mission sweeps it");
    };
    if is_old(model, &sweep.job.text) {
        let words =
            "the mission is another one since it was swept: ~ on the number sweeps it again";
        return model.say(Role::Thin, words);
    }
    let Some(result) = sweep.result.as_ref().filter(|result| result.complete) else {
        return model.say(Role::Quiet, "wait until all of its runs are there");
    };
    texts::to_mission(model);
    let (swept, at) = (&sweep.job.swept, sweep.at());
    let value = swept.values[at];
    let held = window(&result.points)
        .filter(|part| part.contains(&at))
        .map(|part| [swept.values[part.start], swept.values[part.end - 1]]);
    let text = &sweep.job.text;
    let new = put_with_span(&parse(text), text, swept.slot, value, held);
    let new = laid_anew(model, new);
    put_text(model, new, effects);
    let words = match held {
        Some([low, high]) => format!("{} is {value}; it holds from {low} to {high}", swept.name),
        None => format!(
            "{} is {value}, which does not hold 19 times in 20",
            swept.name
        ),
    };
    let role = if held.is_some() {
        Role::Good
    } else {
        Role::Thin
    };
    model.say(role, words);
}
