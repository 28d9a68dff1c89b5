//! The many runs of the text: begun behind its nominal run, given up when the text is another one,
//! known again when it is undone.

use std::sync::Arc;

use super::super::model::Model;
use super::super::sight::spread::{Opens, rows};
use super::super::theme::Role;
use super::change::run_again;
use super::effect::Effect;
use crate::logbook::Reason;
use crate::spreads::{SpreadJob, SpreadResult};

/// Sees to it that the many runs are those of the text as it stands, whatever was done to it: others
/// are given up, what is known is shown at once, and the rest is made once the run that is waited
/// for is there.
pub(super) fn keep_up(model: &mut Model, effects: &mut Vec<Effect>) {
    // What is only tried is not the mission as it stands.
    if model.trial.is_some() {
        return;
    }
    let of = model.spread_of();
    if model.many.of != of {
        if model.many.under_way.take().is_some() {
            // Before the run that is asked for now, so that it makes room.
            effects.insert(0, Effect::StopSpread);
        }
        model.many.turn_to(of);
        model.gather();
    }
    // Of a text that was undone to, the runs are there before its nominal run is.
    if model.many.borne.is_none() {
        model.bear_out();
    }
    let wanted = model.project.config.spread;
    let complete = |result: &Arc<SpreadResult>| result.spread.briefs.len() >= wanted as usize;
    if model.many.under_way.is_some()
        || model.pending.is_some()
        || wanted == 0
        || model.many.result.as_ref().is_some_and(complete)
    {
        return;
    }
    let (Some(of), Some(report)) = (&model.many.of, model.own_report().cloned()) else {
        return;
    };
    // What begins in the middle says nothing about the whole.
    if report.piece.is_some() || report.text != of.text {
        return;
    }
    let mut job = SpreadJob::of(model.next_job(), &report, wanted);
    if let Some(known) = &model.many.result {
        job.known.briefs.clone_from(&known.spread.briefs);
    }
    model.many.under_way = Some(job.id);
    effects.push(Effect::Spread(job));
}

/// More runs are there.
pub(super) fn on_spread(model: &mut Model, id: u64, result: Arc<SpreadResult>) {
    if model.many.under_way != Some(id) {
        return;
    }
    let complete = result.spread.is_complete();
    model.many.learn(result);
    model.bear_out();
    if complete {
        model.many.under_way = None;
        if let Some(of) = &model.many.of {
            let text = Arc::clone(&of.text);
            model.logbook.owe(Reason::Spread, text, String::new());
        }
    }
}

/// Shows the run that the marked row of the spread is about.
pub(super) fn open(model: &mut Model, effects: &mut Vec<Effect>) {
    let all = rows(model);
    let Some(row) = all
        .iter()
        .filter(|row| row.opens.is_some())
        .nth(model.side.row)
    else {
        return;
    };
    let number = match &row.opens {
        Some(Opens::Run(number)) => *number,
        // One after another: the next of them each time.
        Some(Opens::OneOf(numbers)) => {
            let at = numbers.iter().position(|number| *number == model.number);
            let next = at.map_or(0, |at| (at + 1) % numbers.len());
            match numbers.get(next) {
                Some(number) => *number,
                None => return,
            }
        }
        None => return,
    };
    show(model, number, effects);
}

/// Shows one of the many runs in all panes; 0 is the nominal one.
pub(super) fn show(model: &mut Model, number: u32, effects: &mut Vec<Effect>) {
    if model.number == number && model.opponent.is_none() {
        let words = if number == 0 {
            "the nominal run is shown".to_owned()
        } else {
            format!("run {number} is shown; Esc leads back to the nominal one")
        };
        return model.say(Role::Quiet, words);
    }
    model.number = number;
    model.opponent = None;
    // A piece began in the middle of another run.
    model.from = None;
    run_again(model, effects);
}

/// Whether another run than the nominal one is shown: then the nominal one is again.
pub(super) fn back_to_nominal(model: &mut Model, effects: &mut Vec<Effect>) -> bool {
    let away = model.number != 0;
    if away {
        show(model, 0, effects);
    }
    away
}
