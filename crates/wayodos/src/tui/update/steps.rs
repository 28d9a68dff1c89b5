//! Changes of whole steps and exits, each one edit of the text and one point of history.

use std::ops::Range;

use wayodos_core::ids::{StepId, TextStep};
use wayodos_core::mission::LineKind;
use wayodos_core::mission::amend::{toggle_comment, toggle_comments};
use wayodos_core::mission::edit::{self, Edit};
use wayodos_core::mission::exits::{exit_at, move_exit, remove_exit};
use wayodos_core::mission::restructure::{
    self, Change, Note, Refusal, Text, duplicate, move_steps,
};

use super::super::document::{Document, Marked};
use super::super::model::{Cursor, Model, Question};
use super::super::theme::Role;
use super::change::{change, changed, laid_anew, put_text};
use super::effect::Effect;
use super::{ask, places};

/// The step under the cursor, or a word about there being none.
fn here(model: &mut Model) -> Option<TextStep> {
    let step = model.doc.written_step(model.doc.cursor.line);
    if step.is_none() {
        model.say(
            Role::Quiet,
            "the cursor is not in a step; Tab goes to the next one",
        );
    }
    step
}

/// Applies a change of a whole step; a text that was laid out stays so, even when lines come and
/// go.
pub(super) fn reshape(model: &mut Model, text: String, effects: &mut Vec<Effect>) {
    let text = laid_anew(model, text);
    if *text != *model.doc.text {
        model.write(text);
        changed(model, effects);
    }
}

/// Puts the cursor on the name of a step.
fn to_step(model: &mut Model, name: &str) {
    let steps = &model.doc.prepared.parsed.mission.steps;
    if let Some(step) = steps.iter().find(|step| step.name.node == name) {
        model.doc.cursor = Cursor {
            line: step.line,
            nth: 0,
        };
    }
}

/// Applies a change of the structure, or says why it cannot be done. Whether it was done.
pub(super) fn restructured(
    model: &mut Model,
    change: Result<Change, Refusal>,
    effects: &mut Vec<Effect>,
) -> bool {
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

/// The steps that are marked, or else the one under the cursor; a word about there being none.
fn these(model: &mut Model) -> Option<Range<TextStep>> {
    match model.doc.marked() {
        Some(Marked::Steps(steps)) => Some(steps),
        Some(Marked::Lines(_)) => {
            model.say(
                Role::Quiet,
                "this is for whole steps: mark from the first line of a step on",
            );
            None
        }
        None => here(model).map(TextStep::alone),
    }
}

/// Changes the structure of the text, for some steps. Whether it was done; if not, why is said.
fn on_range(
    model: &mut Model,
    effects: &mut Vec<Effect>,
    steps: Option<Range<TextStep>>,
    change: impl FnOnce(Text<'_>, Range<TextStep>) -> Result<Change, Refusal>,
) -> bool {
    let Some((steps, setup)) = steps.zip(model.setup.clone()) else {
        return false;
    };
    let change = change(model.doc.structure(&setup), steps);
    restructured(model, change, effects)
}

/// The same for the steps that are marked.
fn on_steps(
    model: &mut Model,
    effects: &mut Vec<Effect>,
    change: impl FnOnce(Text<'_>, Range<TextStep>) -> Result<Change, Refusal>,
) -> bool {
    let steps = these(model);
    on_range(model, effects, steps, change)
}

/// The same for the one step under the cursor.
fn on_step(
    model: &mut Model,
    effects: &mut Vec<Effect>,
    change: impl FnOnce(Text<'_>, TextStep) -> Result<Change, Refusal>,
) -> bool {
    let step = here(model).map(TextStep::alone);
    on_range(model, effects, step, |of, steps| change(of, steps.start))
}

pub(super) fn copy(model: &mut Model, effects: &mut Vec<Effect>) {
    on_steps(model, effects, duplicate);
}

pub(super) fn link(model: &mut Model, effects: &mut Vec<Effect>) {
    if on_step(model, effects, restructure::link) {
        model.say(
            Role::Quiet,
            "a linked copy does what its original does; `but` lines say what is different",
        );
    }
}

pub(super) fn delete(model: &mut Model, effects: &mut Vec<Effect>) {
    if model.doc.lines().is_empty() {
        return;
    }
    match model.doc.marked() {
        Some(Marked::Lines(lines)) => return delete_lines(model, lines, effects),
        Some(Marked::Steps(steps)) => {
            let line = model.doc.prepared.parsed.mission.steps[steps.start].line;
            return delete_steps(model, steps, line, effects);
        }
        None => {}
    }
    let line = model.doc.cursor.line;
    let parsed = &model.doc.prepared.parsed;
    // A step without what it does is none.
    if matches!(
        parsed.lines[line].kind,
        LineKind::Step | LineKind::Behaviour
    ) && model.doc.values.is_none()
    {
        if let Some(step) = here(model) {
            let first = model.doc.prepared.parsed.mission.steps[step].line;
            delete_steps(model, step.alone(), first, effects);
        }
        return;
    }
    let (edit, what) = deletion(&model.doc, line);
    let text = edit.apply(&model.doc.text);
    reshape(model, text, effects);
    model.doc.hold_cursor();
    model.say(Role::Quiet, format!("{what} deleted; u brings it back"));
}

fn delete_steps(model: &mut Model, steps: Range<TextStep>, line: usize, effects: &mut Vec<Effect>) {
    let words = if steps.end.0 - steps.start.0 == 1 {
        "step deleted; u brings it back"
    } else {
        "steps deleted; u brings them back"
    };
    if on_range(model, effects, Some(steps), restructure::delete) {
        model.doc.cursor = Cursor { line, nth: 0 };
        model.doc.hold_cursor();
        model.say(Role::Quiet, words);
    }
}

/// Deletes lines that are no whole steps.
fn delete_lines(model: &mut Model, lines: Range<usize>, effects: &mut Vec<Effect>) {
    let (first, count) = (lines.start, lines.len());
    let mut doc = model.doc.clone();
    for line in lines.rev() {
        let (edit, _) = deletion(&doc, line);
        let text = edit.apply(&doc.text);
        doc.write(text);
        doc.read(model.setup.as_deref());
    }
    reshape(model, doc.text.to_string(), effects);
    model.doc.cursor = Cursor {
        line: first,
        nth: 0,
    };
    model.doc.hold_cursor();
    let words = if count == 1 {
        "line deleted; u brings it back".to_owned()
    } else {
        format!("{count} lines deleted; u brings them back")
    };
    model.say(Role::Quiet, words);
}

/// What deletes a line that is no step, and what it is.
fn deletion(doc: &Document, line: usize) -> (Edit, &'static str) {
    let parsed = &doc.prepared.parsed;
    let (edit, what) = match parsed.lines[line].kind {
        LineKind::Exit => (remove_exit(parsed, &doc.text, line), "exit"),
        LineKind::Header if doc.values.is_some() => {
            // With all that stands in it.
            let below = doc
                .values
                .as_ref()
                .and_then(|values| values.next_header(line, true));
            let end = below.map_or(doc.text.len(), |below| parsed.lines[below].span.start);
            (
                Some(Edit {
                    span: parsed.lines[line].span.start..end,
                    text: String::new(),
                }),
                "section",
            )
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
    (
        edit.unwrap_or_else(|| edit::delete_line(parsed, &doc.text, line)),
        what,
    )
}

pub(super) fn shift(model: &mut Model, up: bool, effects: &mut Vec<Effect>) {
    let line = model.doc.cursor.line;
    let parsed = &model.doc.prepared.parsed;
    if model.doc.mark.is_some() {
        return shift_marked(model, up, effects);
    }
    if let Some((_, nth)) = exit_at(parsed, line) {
        let Some(edit) = move_exit(parsed, &model.doc.text, line, up) else {
            return model.say(
                Role::Quiet,
                if nth == 0 {
                    "it is the first exit"
                } else {
                    "it is the last exit"
                },
            );
        };
        change(model, &edit, effects);
        model.doc.cursor.line = if up { line - 1 } else { line + 1 };
        return model.doc.hold_cursor();
    }
    let Some(step) = here(model) else { return };
    let about = &model.doc.prepared.parsed.mission.steps[step];
    let (name, within, nth) = (
        about.name.node.clone(),
        line - about.line,
        model.doc.cursor.nth,
    );
    if on_step(model, effects, |of, step| move_steps(of, step.alone(), up)) {
        to_step(model, &name);
        model.doc.cursor = Cursor {
            line: model.doc.cursor.line + within,
            nth,
        };
        model.doc.hold_cursor();
    }
}

/// Moves the marked steps; they stay marked.
fn shift_marked(model: &mut Model, up: bool, effects: &mut Vec<Effect>) {
    let Some(steps) = these(model) else { return };
    let (name, lines) = {
        let (all, lines) = (
            &model.doc.prepared.parsed.mission.steps,
            model.doc.marked_lines(),
        );
        (all[steps.start].name.node.clone(), lines.len() - 1)
    };
    if on_steps(model, effects, |of, steps| move_steps(of, steps, up)) {
        mark_moved(model, &name, lines);
    }
}

/// Puts the mark and the cursor around steps that have been moved: the first has this name, and
/// they are so many lines.
fn mark_moved(model: &mut Model, name: &str, lines: usize) {
    let first = model
        .doc
        .prepared
        .parsed
        .mission
        .steps
        .iter()
        .find(|step| step.name.node == name);
    if let Some(first) = first.map(|step| step.line) {
        model.doc.mark = Some(first);
        model.doc.cursor = Cursor {
            line: first + lines,
            nth: 0,
        };
        model.doc.hold_cursor();
    }
}

pub(super) fn wrap(model: &mut Model, effects: &mut Vec<Effect>) {
    if on_steps(model, effects, restructure::wrap) {
        // How often: the amount of the line below.
        places::go_to_amount(model, model.doc.cursor.line + 1);
    }
}

pub(super) fn extract(model: &mut Model) {
    if these(model).is_some() {
        ask::ask(model, Question::Routine, "");
    }
}

/// Makes a routine of the step under the cursor.
///
/// # Errors
/// Why it cannot be one.
pub(super) fn to_routine(
    model: &mut Model,
    name: &str,
    effects: &mut Vec<Effect>,
) -> Result<(), String> {
    let Some((steps, setup)) = these(model).zip(model.setup.clone()) else {
        return Err("the cursor is not in a step".into());
    };
    let of = model.doc.structure(&setup);
    let change = restructure::extract(of, steps, name).map_err(|why| why.to_string())?;
    restructured(model, Ok(change), effects);
    model.doc.cursor.line += 1;
    model.say(
        Role::Good,
        format!("the steps are now the routine `{name}`; write `do {name}` wherever you need it"),
    );
    Ok(())
}

pub(super) fn mirror(model: &mut Model, effects: &mut Vec<Effect>) {
    let cursor = model.doc.cursor;
    let done = if model.doc.mark.is_some() {
        "left and right are swapped in these steps"
    } else {
        "left and right are swapped in this step"
    };
    if noted(model, effects, done, restructure::mirror) {
        model.doc.cursor = cursor;
        model.doc.hold_cursor();
    }
}

/// The same with what a person should know about the change, after a word about what was done.
fn noted(
    model: &mut Model,
    effects: &mut Vec<Effect>,
    done: &str,
    change: impl FnOnce(Text<'_>, Range<TextStep>) -> Result<Change, Refusal>,
) -> bool {
    let mut note = None;
    let is_done = on_steps(model, effects, |of, steps| {
        let change = change(of, steps)?;
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
    // Not laid out again: a comment keeps the shape it was given.
    let text = match model.doc.marked() {
        Some(Marked::Steps(steps)) => {
            let Some(setup) = model.setup.clone() else {
                return;
            };
            let of = model.doc.structure(&setup);
            match restructure::comment(of, steps) {
                Ok(change) => change.apply(&model.doc.text),
                Err(why) => return model.say(Role::Thin, why.to_string()),
            }
        }
        Some(Marked::Lines(lines)) => toggle_comments(&model.doc.text, lines),
        None => match toggle_comment(
            &model.doc.prepared.parsed,
            &model.doc.text,
            model.doc.cursor.line,
        ) {
            Some(edit) => edit.apply(&model.doc.text),
            None => return,
        },
    };
    put_text(model, text, effects);
    model.doc.hold_cursor();
}

/// Cuts the step that is active at the time cursor, or the one under the cursor, where the robot is
/// then.
pub(super) fn split(model: &mut Model, effects: &mut Vec<Effect>) {
    let Some(step) = here(model) else { return };
    let about = &model.doc.prepared.parsed.mission.steps[step];
    let Some(report) = model.report.clone().filter(|_| !model.stale()) else {
        return;
    };
    let in_run = report.program.steps[..report.program.written]
        .iter()
        .position(|known| known.line == about.line)
        .map(StepId);
    let tick = report.run.trace.tick_at(model.player.time + 1e-9);
    let visit = report
        .run
        .visits
        .iter()
        .find(|v| Some(v.step) == in_run && v.entered < tick && tick < v.left);
    let Some(visit) = visit else {
        return model.say(
            Role::Thin,
            "move the time cursor into this step first (t, then ]): it is split there",
        );
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
        format!(
            "{:.1} s pass",
            report.run.trace.seconds(tick - visit.entered)
        )
    };
    if on_step(model, effects, |of, step| {
        restructure::split(of, step, &condition)
    }) {
        model.say(Role::Quiet, format!("split where it had {condition}"));
    }
}

pub(super) fn join(model: &mut Model, effects: &mut Vec<Effect>) {
    model.doc.mark = None;
    noted(model, effects, "joined", |of, steps| {
        restructure::join(of, steps.start)
    });
}
