//! Changes of whole steps and exits, each one edit of the text and one point of history.

use wayodos_core::ids::{StepId, TextStep};
use wayodos_core::mission::LineKind;
use wayodos_core::mission::amend::toggle_comment;
use wayodos_core::mission::edit::{self, Edit};
use wayodos_core::mission::exits::{exit_at, move_exit, remove_exit};
use wayodos_core::mission::offer::insert_reflex;
use wayodos_core::mission::restructure::{self, Change, Note, Refusal, Text, duplicate, move_steps};

use super::super::model::{Cursor, Model, Question};
use super::super::theme::Role;
use super::change::{change, changed, laid_anew, put_text};
use super::effect::Effect;
use super::{ask, places};

/// The step under the cursor, or a word about there being none.
fn here(model: &mut Model) -> Option<TextStep> {
    let step = model.doc.written_step(model.doc.cursor.line);
    if step.is_none() {
        model.say(Role::Quiet, "the cursor is not in a step; Tab goes to the next one");
    }
    step
}

/// Applies a change of a whole step; a text that was laid out stays so, even when lines come and go.
fn reshape(model: &mut Model, text: String, effects: &mut Vec<Effect>) {
    let text = laid_anew(model, text);
    if *text != *model.doc.text {
        model.write(text);
        changed(model, effects);
    }
}

fn apply(model: &mut Model, edit: Option<Edit>, cannot: &str, effects: &mut Vec<Effect>) -> bool {
    match edit {
        Some(edit) => {
            let text = edit.apply(&model.doc.text);
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
    let steps = &model.doc.prepared.parsed.mission.steps;
    if let Some(step) = steps.iter().find(|step| step.name.node == name) {
        model.doc.cursor = Cursor { line: step.line, nth: 0 };
    }
}

pub(super) fn add_reflex(model: &mut Model, effects: &mut Vec<Effect>) {
    let Some(setup) = model.setup.clone() else { return };
    let old = model.doc.text.clone();
    let edit = insert_reflex(&model.doc.prepared.parsed, &model.doc.text, &setup.names);
    if apply(model, edit, "this robot has no sensor that a reflex could watch", effects) {
        places::to_change(model, &old);
        model.say(Role::Quiet, "a reflex watches all the time, whatever step is active");
    }
}

/// Applies a change of the structure, or says why it cannot be done. Whether it was done.
fn restructured(model: &mut Model, change: Result<Change, Refusal>, effects: &mut Vec<Effect>) -> bool {
    match change {
        Ok(change) => {
            let text = change.apply(&model.doc.text);
            reshape(model, text, effects);
            to_step(model, &change.step);
            true
        }
        Err(why) => {
            model.say(Role::Thin, why.to_string());
            false
        }
    }
}

/// What the structure of the text is changed by, for the step under the cursor.
fn on_step(
    model: &mut Model,
    effects: &mut Vec<Effect>,
    change: impl FnOnce(Text<'_>, TextStep) -> Result<Change, Refusal>,
) -> bool {
    let Some((step, setup)) = here(model).zip(model.setup.clone()) else { return false };
    let of = Text { parsed: &model.doc.prepared.parsed, text: &model.doc.text, names: &setup.names };
    let change = change(of, step);
    restructured(model, change, effects)
}

pub(super) fn copy(model: &mut Model, effects: &mut Vec<Effect>) {
    on_step(model, effects, |of, step| duplicate(of, step.alone()));
}

pub(super) fn link(model: &mut Model, effects: &mut Vec<Effect>) {
    if on_step(model, effects, restructure::link) {
        model.say(Role::Quiet, "a linked copy does what its original does; `but` lines say what is different");
    }
}

pub(super) fn delete(model: &mut Model, effects: &mut Vec<Effect>) {
    if model.doc.lines().is_empty() {
        return;
    }
    let line = model.doc.cursor.line;
    let parsed = &model.doc.prepared.parsed;
    let (edit, what) = match parsed.lines[line].kind {
        // A step without what it does is none.
        LineKind::Step | LineKind::Behaviour if model.doc.values.is_none() => {
            let line = model.doc.written_step(line).map_or(line, |step| parsed.mission.steps[step].line);
            if on_step(model, effects, |of, step| restructure::delete(of, step.alone())) {
                model.doc.cursor = Cursor { line, nth: 0 };
                model.doc.hold_cursor();
                model.say(Role::Quiet, "step deleted; u brings it back");
            }
            return;
        }
        LineKind::Exit => (remove_exit(parsed, &model.doc.text, line), "exit"),
        LineKind::Header if model.doc.values.is_some() => {
            // With all that stands in it.
            let below = model.doc.values.as_ref().and_then(|values| values.next_header(line, true));
            let end = below.map_or(model.doc.text.len(), |below| parsed.lines[below].span.start);
            (Some(Edit { span: parsed.lines[line].span.start..end, text: String::new() }), "section")
        }
        LineKind::Blank
        | LineKind::Mission
        | LineKind::Step
        | LineKind::Header
        | LineKind::Let
        | LineKind::Routine
        | LineKind::Reflex
        | LineKind::Watch
        | LineKind::Behaviour
        | LineKind::Row
        | LineKind::End
        | LineKind::Broken => (None, "line"),
    };
    let edit = edit.unwrap_or_else(|| edit::delete_line(parsed, &model.doc.text, line));
    let text = edit.apply(&model.doc.text);
    reshape(model, text, effects);
    model.doc.hold_cursor();
    model.say(Role::Quiet, format!("{what} deleted; u brings it back"));
}

pub(super) fn shift(model: &mut Model, up: bool, effects: &mut Vec<Effect>) {
    let line = model.doc.cursor.line;
    let parsed = &model.doc.prepared.parsed;
    if let Some((_, nth)) = exit_at(parsed, line) {
        let Some(edit) = move_exit(parsed, &model.doc.text, line, up) else {
            return model.say(Role::Quiet, if nth == 0 { "it is the first exit" } else { "it is the last exit" });
        };
        change(model, &edit, effects);
        model.doc.cursor.line = if up { line - 1 } else { line + 1 };
        return model.doc.hold_cursor();
    }
    let Some(step) = here(model) else { return };
    let about = &model.doc.prepared.parsed.mission.steps[step];
    let (name, within, nth) = (about.name.node.clone(), line - about.line, model.doc.cursor.nth);
    if on_step(model, effects, |of, step| move_steps(of, step.alone(), up)) {
        to_step(model, &name);
        model.doc.cursor = Cursor { line: model.doc.cursor.line + within, nth };
        model.doc.hold_cursor();
    }
}

pub(super) fn wrap(model: &mut Model, effects: &mut Vec<Effect>) {
    if on_step(model, effects, |of, step| restructure::wrap(of, step.alone())) {
        // How often: the amount of the line below.
        places::go_to_amount(model, model.doc.cursor.line + 1);
    }
}

pub(super) fn extract(model: &mut Model) {
    if here(model).is_some() {
        ask::ask(model, Question::Routine, "");
    }
}

/// Makes a routine of the step under the cursor.
///
/// # Errors
/// Why it cannot be one.
pub(super) fn to_routine(model: &mut Model, name: &str, effects: &mut Vec<Effect>) -> Result<(), String> {
    let Some((step, setup)) = here(model).zip(model.setup.clone()) else {
        return Err("the cursor is not in a step".into());
    };
    let of = Text { parsed: &model.doc.prepared.parsed, text: &model.doc.text, names: &setup.names };
    let change = restructure::extract(of, step.alone(), name).map_err(|why| why.to_string())?;
    restructured(model, Ok(change), effects);
    model.doc.cursor.line += 1;
    model.say(Role::Good, format!("the steps are now the routine `{name}`; write `do {name}` wherever you need it"));
    Ok(())
}

pub(super) fn mirror(model: &mut Model, effects: &mut Vec<Effect>) {
    let cursor = model.doc.cursor;
    let done = "left and right are swapped in this step";
    if noted(model, effects, done, |of, step| restructure::mirror(of, step.alone())) {
        model.doc.cursor = cursor;
        model.doc.hold_cursor();
    }
}

/// The same with what a person should know about the change, after a word about what was done.
fn noted(
    model: &mut Model,
    effects: &mut Vec<Effect>,
    done: &str,
    change: impl FnOnce(Text<'_>, TextStep) -> Result<Change, Refusal>,
) -> bool {
    let mut note = None;
    let is_done = on_step(model, effects, |of, step| {
        let change = change(of, step)?;
        note = change.note.as_ref().map(Note::words);
        Ok(change)
    });
    match note.filter(|_| is_done) {
        Some(note) => model.say(Role::Thin, format!("{done}; {note} (u undoes)")),
        None if is_done => model.say(Role::Quiet, done),
        None => {}
    }
    is_done
}

pub(super) fn comment(model: &mut Model, effects: &mut Vec<Effect>) {
    let edit = toggle_comment(&model.doc.prepared.parsed, &model.doc.text, model.doc.cursor.line);
    if let Some(edit) = edit {
        // Not laid out again: a comment keeps the shape it was given.
        let text = edit.apply(&model.doc.text);
        put_text(model, text, effects);
        model.doc.hold_cursor();
    }
}

/// Cuts the step that is active at the time cursor, or the one under the cursor, where the robot is then.
pub(super) fn split(model: &mut Model, effects: &mut Vec<Effect>) {
    let Some(step) = here(model) else { return };
    let about = &model.doc.prepared.parsed.mission.steps[step];
    let Some(report) = model.report.clone().filter(|_| !model.stale()) else { return };
    let in_run =
        report.program.steps[..report.program.written].iter().position(|known| known.line == about.line).map(StepId);
    let tick = report.run.trace.tick_at(model.time + 1e-9);
    let visit = report.run.visits.iter().find(|v| Some(v.step) == in_run && v.entered < tick && tick < v.left);
    let Some(visit) = visit else {
        return model.say(Role::Thin, "move the time cursor into this step first (t, then ]): it is split there");
    };
    let ticks = &report.run.trace.ticks;
    let rolled = |wheel: usize| ticks[tick].wheels[wheel] - ticks[visit.entered].wheels[wheel];
    let (left, right) = (rolled(0), rolled(1));
    let radius = report.program.wheel_radius;
    let way = f64::midpoint(left, right) * radius * 1e3;
    let turn = ((right - left) * radius / report.program.track_width).to_degrees();
    let condition = if way.abs() >= 5.0 {
        format!("travelled {:.0} mm", way.abs())
    } else if turn.abs() >= 3.0 {
        format!("turned {:.0} deg", turn.abs())
    } else {
        format!("{:.1} s pass", report.run.trace.seconds(tick - visit.entered))
    };
    if on_step(model, effects, |of, step| restructure::split(of, step, &condition)) {
        model.say(Role::Quiet, format!("split where it had {condition}"));
    }
}

pub(super) fn join(model: &mut Model, effects: &mut Vec<Effect>) {
    noted(model, effects, "joined", restructure::join);
}
