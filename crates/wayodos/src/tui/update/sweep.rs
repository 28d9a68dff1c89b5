//! One number over a span, begun on the slot under the cursor.

use std::sync::Arc;

use wayodos_core::mission::span::sweep;

use super::super::layout::Pane;
use super::super::model::{Model, Side, Sweeping};
use super::super::sight::sweep::is_old;
use super::super::theme::Role;
use super::effect::Effect;
use super::{batch, panes};
use crate::sweeps::{RUNS, SweepJob, VALUES};

/// Sweeps the number under the cursor.
pub(super) fn begin(model: &mut Model, effects: &mut Vec<Effect>) {
    let in_tab = model.focus == Pane::Side && model.side.shown == Side::Sweep;
    let old = |sweep: &Sweeping| is_old(model, &sweep.job.text);
    if in_tab && !model.sweep.as_ref().is_some_and(old) {
        return panes::to_side(model, Side::Sweep);
    }
    let slot = model.doc.slot().filter(|_| model.doc.is_mission());
    let Some(slot) = slot.filter(|_| model.doc.is_amount()) else {
        if model.sweep.is_some() {
            return panes::to_side(model, Side::Sweep);
        }
        return model.say(
            Role::Quiet,
            "put the cursor on a number: it is then tried over a span",
        );
    };
    let Some((report, setup)) = batch::whole_run(model) else {
        return;
    };
    let swept = match sweep(
        &model.doc.prepared.parsed,
        &model.doc.text,
        slot,
        None,
        VALUES,
    ) {
        Ok(swept) => swept,
        Err(why) => return model.say(Role::Thin, why.to_string()),
    };
    let job = SweepJob {
        id: model.next_job(),
        swept,
        text: Arc::clone(&model.doc.text),
        setup,
        attempt: report.attempt.clone(),
        runs: RUNS,
    };
    model.sweep = Some(Sweeping {
        job: job.clone(),
        result: None,
        marked: None,
    });
    model.many.stamp += 1;
    effects.push(Effect::Sweep(Box::new(job)));
    model.grid = None;
    batch::show(model, Side::Sweep);
}
