//! Two numbers at once: the one that was swept, and the one under the cursor.

use std::sync::Arc;

use wayodos_core::ids::SlotId;
use wayodos_core::mission::Parsed;
use wayodos_core::mission::span::{Swept, sweep};

use super::super::layout::Pane;
use super::super::model::{Gridding, Model, Side};
use super::super::theme::Role;
use super::effect::Effect;
use super::{batch, panes};
use crate::grids::{GridJob, RUNS, VALUES};

/// Tries the number under the cursor together with the one that was swept last.
pub(super) fn begin(model: &mut Model, effects: &mut Vec<Effect>) {
    let in_tab = model.focus == Pane::Side && model.side.shown == Side::Sweep;
    if in_tab && model.grid.is_some() {
        return panes::to_side(model, Side::Sweep);
    }
    let slot = model.doc.slot().filter(|_| model.doc.is_mission());
    let Some(slot) = slot.filter(|_| model.doc.is_amount()) else {
        let words =
            "put the cursor on a number: it is then tried together with the one swept before";
        return model.say(Role::Quiet, words);
    };
    let Some(before) = before(model) else {
        let words = "~ on one number first; then : on another tries both together";
        return model.say(Role::Quiet, words);
    };
    let Some((report, setup)) = batch::whole_run(model) else {
        return;
    };
    let mission = model.mission();
    let (parsed, text) = (&mission.prepared.parsed, &mission.text);
    let Some(first) = again(parsed, text, &before) else {
        let words = format!("{before} is not in the mission any more: ~ on another number first");
        return model.say(Role::Thin, words);
    };
    let second = match sweep(parsed, text, slot, None, VALUES) {
        Ok(swept) => swept,
        Err(why) => return model.say(Role::Thin, why.to_string()),
    };
    if second.slot == first.slot {
        let words = format!("{before} is the number swept before: put the cursor on another one");
        return model.say(Role::Quiet, words);
    }
    let text = Arc::clone(text);
    let job = GridJob {
        id: model.next_job(),
        axes: [first, second],
        text,
        setup,
        attempt: report.attempt.clone(),
        runs: RUNS,
    };
    effects.push(Effect::Grid(Box::new(job.clone())));
    (model.sweep, model.many.stamp) = (None, model.many.stamp + 1);
    model.grid = Some(Gridding {
        job,
        result: None,
        marked: None,
    });
    batch::show(model, Side::Sweep);
}

/// What the number is called that was swept last, alone or with another.
fn before(model: &Model) -> Option<String> {
    let alone = model.sweep.as_ref().map(|sweep| &sweep.job.swept);
    let last = || model.grid.as_ref().map(|grid| &grid.job.axes[0]);
    alone.or_else(last).map(|swept| swept.name.clone())
}

/// The number of that name in the text as it stands.
fn again(parsed: &Parsed, text: &str, name: &str) -> Option<Swept> {
    SlotId::all(parsed.slots.len())
        .filter_map(|slot| sweep(parsed, text, slot, None, VALUES).ok())
        .find(|swept| swept.name == name)
}
