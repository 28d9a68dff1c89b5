//! Several amounts searched for what holds most often, begun by a key.

use std::sync::Arc;

use wayodos_core::lab::tune::Search;
use wayodos_core::mission::span::{Unswept, sweep, with_safe_span};

use super::super::model::{Model, Side, Tuning};
use super::super::theme::Role;
use super::effect::Effect;
use super::{batch, panes};
use crate::tunes::{TuneJob, VALUES};

/// Begins a search over all amounts with a safe span, or shows the one that is there.
pub(super) fn begin(model: &mut Model, effects: &mut Vec<Effect>) {
    let fits = |tune: &Tuning| *tune.job.text == *model.mission().text;
    if model.tune.as_ref().is_some_and(fits) {
        return panes::to_side(model, Side::Tune);
    }
    let Some((report, setup)) = batch::whole_run(model) else {
        return;
    };
    let mission = model.mission();
    let (parsed, text) = (&mission.prepared.parsed, &mission.text);
    let amounts: Result<Vec<_>, Unswept> = with_safe_span(parsed)
        .into_iter()
        .map(|slot| sweep(parsed, text, slot, None, VALUES))
        .collect();
    let amounts = match amounts {
        Ok(amounts) => amounts,
        Err(why) => return model.say(Role::Thin, why.to_string()),
    };
    if amounts.is_empty() {
        let words = "no amount of this mission has a safe span: ~ on a number finds one, or write `let pace = 30 %, safe from 20 % to 40 %, guessed`";
        return model.say(Role::Thin, words);
    }
    let job = TuneJob {
        id: model.next_job(),
        text: Arc::clone(&model.mission().text),
        setup,
        attempt: report.attempt.clone(),
    };
    let search = Search::new(amounts, model.seed);
    effects.push(Effect::Tune(Box::new(job.batch(&search))));
    model.tune = Some(Tuning::new(job, search));
    batch::show(model, Side::Tune);
}
