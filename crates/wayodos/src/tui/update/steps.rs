//! Changes of whole steps and exits, each one edit of the text and one point of history.

use wayodos_core::mission::LineKind;
use wayodos_core::mission::amend::{apply_all, join_steps, mirror_step, split_step, toggle_comment};
use wayodos_core::mission::edit::{self, Edit};
use wayodos_core::mission::exits::{exit_at, move_exit, remove_exit};
use wayodos_core::mission::offer::insert_reflex;
use wayodos_core::mission::steps::{delete_step, duplicate_step, link_step, move_step, wrap_step};

use super::super::model::{Cursor, Model, Question};
use super::super::theme::Role;
use super::{Effect, change, changed, moves, typing};

/// The step under the cursor, or a word about there being none.
fn here(model: &mut Model) -> Option<usize> {
    let step = model.written_step(model.cursor.line);
    if step.is_none() {
        model.say(Role::Quiet, "the cursor stands in no step; Tab goes to the next one");
    }
    step
}

/// Applies a change of a whole step; a text that was laid out stays so, even when lines come and go.
fn reshape(model: &mut Model, text: String, effects: &mut Vec<Effect>) {
    let text = super::laid_anew(model, text);
    if *text != *model.text {
        model.write(text);
        changed(model, effects);
    }
}

fn apply(model: &mut Model, edit: Option<Edit>, cannot: &str, effects: &mut Vec<Effect>) -> bool {
    match edit {
        Some(edit) => {
            let text = edit.apply(&model.text);
            reshape(model, text, effects);
            true
        }
        None => {
            model.say(Role::Thin, cannot);
            false
        }
    }
}

/// Puts the cursor on the name of a step.
fn to_step(model: &mut Model, name: &str) {
    let steps = &model.prepared.parsed.mission.steps;
    if let Some(step) = steps.iter().find(|step| step.name.node == name) {
        model.cursor = Cursor { line: step.line, nth: 0 };
    }
}

/// The name of the step that a change brings into the text.
fn new_name(model: &Model, before: &[String]) -> Option<String> {
    let steps = model.prepared.parsed.mission.steps.iter();
    steps.map(|step| &step.name.node).find(|name| !before.contains(name)).cloned()
}

fn names(model: &Model) -> Vec<String> {
    model.prepared.parsed.mission.steps.iter().map(|step| step.name.node.clone()).collect()
}

pub(super) fn add_reflex(model: &mut Model, effects: &mut Vec<Effect>) {
    let Some(setup) = model.setup.clone() else { return };
    let old = model.text.clone();
    let edit = insert_reflex(&model.prepared.parsed, &model.text, &setup.names);
    if apply(model, edit, "this robot has no sensor that a reflex could watch", effects) {
        moves::to_change(model, &old);
        model.say(Role::Quiet, "a reflex watches all the time, whatever step is active");
    }
}

pub(super) fn copy(model: &mut Model, effects: &mut Vec<Effect>) {
    let Some(step) = here(model) else { return };
    let before = names(model);
    let edit = duplicate_step(&model.prepared.parsed, &model.text, step);
    if apply(model, edit, "what a reflex does cannot be copied; copy the reflex as text", effects)
        && let Some(name) = new_name(model, &before)
    {
        to_step(model, &name);
    }
}

pub(super) fn link(model: &mut Model, effects: &mut Vec<Effect>) {
    let Some(step) = here(model) else { return };
    let before = names(model);
    let edit = link_step(&model.prepared.parsed, &model.text, step);
    let cannot = "only a step of its own text, without steps or rows within it, can be followed by a copy";
    if apply(model, edit, cannot, effects)
        && let Some(name) = new_name(model, &before)
    {
        to_step(model, &name);
        model.say(Role::Quiet, "it does as its original does; `but` lines say what is different");
    }
}

pub(super) fn delete(model: &mut Model, effects: &mut Vec<Effect>) {
    if model.lines().is_empty() {
        return;
    }
    let line = model.cursor.line;
    let parsed = &model.prepared.parsed;
    let (edit, what) = match parsed.lines[line].kind {
        LineKind::Step => {
            let step = parsed.mission.steps.iter().position(|step| step.line == line);
            let edit = step.and_then(|step| delete_step(parsed, &model.text, step));
            if edit.is_none() {
                let told = "it is the only step here: take out what it stands in, or change it";
                return model.say(Role::Thin, told);
            }
            (edit, "step")
        }
        LineKind::Exit => (remove_exit(parsed, &model.text, line), "exit"),
        _ => (None, "line"),
    };
    let edit = edit.unwrap_or_else(|| edit::delete_line(parsed, &model.text, line));
    let text = edit.apply(&model.text);
    reshape(model, text, effects);
    model.hold_cursor();
    model.say(Role::Quiet, format!("{what} taken out; u brings it back"));
}

pub(super) fn shift(model: &mut Model, up: bool, effects: &mut Vec<Effect>) {
    let line = model.cursor.line;
    let parsed = &model.prepared.parsed;
    if let Some((_, nth)) = exit_at(parsed, line) {
        let Some(edit) = move_exit(parsed, &model.text, line, up) else {
            return model.say(Role::Quiet, if nth == 0 { "it is the first exit" } else { "it is the last exit" });
        };
        change(model, &edit, effects);
        model.cursor.line = if up { line - 1 } else { line + 1 };
        return model.hold_cursor();
    }
    let Some(step) = here(model) else { return };
    let about = &model.prepared.parsed.mission.steps[step];
    let (name, within, nth) = (about.name.node.clone(), line - about.line, model.cursor.nth);
    let edit = move_step(&model.prepared.parsed, &model.text, step, up);
    let cannot = if up { "nothing stands above it here" } else { "nothing stands below it here" };
    if apply(model, edit, cannot, effects) {
        to_step(model, &name);
        model.cursor = Cursor { line: model.cursor.line + within, nth };
        model.hold_cursor();
    }
}

pub(super) fn wrap(model: &mut Model, effects: &mut Vec<Effect>) {
    let Some(step) = here(model) else { return };
    let name = model.prepared.parsed.mission.steps[step].name.node.clone();
    let edit = wrap_step(&model.prepared.parsed, &model.text, step);
    if apply(model, edit, "what a reflex does cannot be repeated", effects) {
        to_step(model, &name);
        // How often: the amount of the line below.
        moves::go_to_amount(model, model.cursor.line + 1);
    }
}

pub(super) fn extract(model: &mut Model) {
    if here(model).is_some() {
        typing::ask(model, Question::Routine, "");
    }
}

pub(super) fn mirror(model: &mut Model, effects: &mut Vec<Effect>) {
    let Some((step, setup)) = here(model).zip(model.setup.clone()) else { return };
    match mirror_step(&model.prepared.parsed, &model.text, &setup.names, step) {
        Some(edits) => {
            let text = apply_all(&model.text, edits);
            reshape(model, text, effects);
            model.say(Role::Quiet, "left and right have changed places in this step");
        }
        None => model.say(Role::Quiet, "nothing in this step has a side"),
    }
}

pub(super) fn comment(model: &mut Model, effects: &mut Vec<Effect>) {
    let edit = toggle_comment(&model.prepared.parsed, &model.text, model.cursor.line);
    if let Some(edit) = edit {
        // Not laid out anew: a comment keeps the shape it was given.
        let text = edit.apply(&model.text);
        super::put_text(model, text, effects);
        model.hold_cursor();
    }
}

/// Cuts the step that is active at the time cursor, or the one under the cursor, where the robot is then.
pub(super) fn split(model: &mut Model, effects: &mut Vec<Effect>) {
    let Some(step) = here(model) else { return };
    let about = &model.prepared.parsed.mission.steps[step];
    let Some(told) = model.told.clone().filter(|_| !model.stale()) else { return };
    let in_run = told.program.steps[..told.program.written].iter().position(|known| known.line == about.line);
    let tick = told.run.trace.tick_at(model.time + 1e-9);
    let visit = told.run.visits.iter().find(|v| Some(v.step) == in_run && v.entered < tick && tick < v.left);
    let Some(visit) = visit else {
        return model
            .say(Role::Thin, "put the time into this step first (t, then ]): it is cut where the robot is then");
    };
    let ticks = &told.run.trace.ticks;
    let rolled = |wheel: usize| ticks[tick].wheels[wheel] - ticks[visit.entered].wheels[wheel];
    let (left, right) = (rolled(0), rolled(1));
    let radius = told.program.wheel_radius;
    let way = f64::midpoint(left, right) * radius * 1e3;
    let turn = ((right - left) * radius / told.program.track_width).to_degrees();
    let condition = if way.abs() >= 5.0 {
        format!("travelled {:.0} mm", way.abs())
    } else if turn.abs() >= 3.0 {
        format!("turned {:.0} deg", turn.abs())
    } else {
        format!("{:.1} s pass", told.run.trace.seconds(tick - visit.entered))
    };
    let name = about.name.node.clone();
    let edit = split_step(&model.prepared.parsed, &model.text, step, &condition);
    if apply(model, edit, "this step cannot be cut: others stand in it, or a reflex does it", effects) {
        to_step(model, &name);
        model.say(Role::Quiet, format!("cut where it had {condition}"));
    }
}

pub(super) fn join(model: &mut Model, effects: &mut Vec<Effect>) {
    let Some(step) = here(model) else { return };
    let name = model.prepared.parsed.mission.steps[step].name.node.clone();
    match join_steps(&model.prepared.parsed, &model.text, step) {
        Some((edits, differs)) => {
            let text = apply_all(&model.text, edits);
            reshape(model, text, effects);
            to_step(model, &name);
            let told = "joined; what the second one did is gone, since it was something else: u brings it back";
            model.say(if differs { Role::Thin } else { Role::Quiet }, if differs { told } else { "joined" });
        }
        None => model.say(Role::Thin, "there is no step below it that it could be joined with"),
    }
}
