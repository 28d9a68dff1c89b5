//! Several steps or lines at once: marked, cut, copied, and put elsewhere, into another mission
//! too.

use std::ops::Range;

use wayodos_core::ids::TextStep;
use wayodos_core::mission::exits::{first_words, lines_below};
use wayodos_core::mission::restructure::{self, Carried, Note};
use wayodos_core::mission::{LineKind, parse};

use super::super::document::{Document, Marked};
use super::super::model::{Clip, Model};
use super::super::theme::Role;
use super::change::laid_anew;
use super::effect::Effect;
use super::{places, steps};

/// Marks from the cursor's line on, or marks nothing any more.
pub(super) fn mark(model: &mut Model) {
    if model.doc.mark.take().is_none() && !model.doc.lines().is_empty() {
        model.doc.mark = Some(model.doc.cursor.line);
        model.say(
            Role::Quiet,
            "marking: Up, Down and Tab mark more, Esc ends it",
        );
    }
}

/// What a key is for: what is marked, or else the step or line under the cursor.
fn chosen(doc: &Document) -> Marked {
    let line = doc.cursor.line;
    let whole = matches!(
        doc.lines().get(line).map(|line| line.kind),
        Some(LineKind::Step | LineKind::Behaviour)
    );
    let step = doc
        .written_step(line)
        .filter(|_| whole && doc.values.is_none());
    // The name of a section stands for all of it.
    let header = doc
        .lines()
        .get(line)
        .is_some_and(|line| line.kind == LineKind::Header);
    let below = doc
        .values
        .as_ref()
        .filter(|_| header)
        .map(|values| values.next_header(line, true));
    let end = below.map_or(line + 1, |below| below.unwrap_or(doc.lines().len()));
    doc.marked().unwrap_or_else(|| {
        step.map_or(Marked::Lines(line..end), |step| Marked::Steps(step.alone()))
    })
}

/// Keeps what is chosen, to be put elsewhere; whether that could be done.
pub(super) fn take_copy(model: &mut Model) -> bool {
    let clip = match chosen(&model.doc) {
        Marked::Steps(range) => match carried(model, range) {
            Some(carried) => Clip::Steps(carried),
            None => return false,
        },
        Marked::Lines(range) => {
            let lines: Vec<String> = range
                .map(|line| model.doc.line_text(line).trim_end().to_owned())
                .collect();
            if lines.iter().all(String::is_empty) {
                model.say(Role::Quiet, "there is nothing on this line");
                return false;
            }
            Clip::Lines(lines)
        }
    };
    model.doc.mark = None;
    model.say(
        Role::Quiet,
        format!(
            "{} to be put elsewhere: Ctrl v puts it below the cursor",
            clip.words()
        ),
    );
    model.clip = Some(clip);
    true
}

fn carried(model: &mut Model, range: Range<TextStep>) -> Option<Carried> {
    let setup = model.setup.clone()?;
    let of = model.doc.structure(&setup);
    match restructure::carry(of, range) {
        Ok(carried) => Some(carried),
        Err(why) => {
            model.say(Role::Thin, why.to_string());
            None
        }
    }
}

/// The same, and takes it out of the text.
pub(super) fn cut(model: &mut Model, effects: &mut Vec<Effect>) {
    let (mark, text, before) = (model.doc.mark, model.doc.text.clone(), model.clip.clone());
    if !take_copy(model) {
        return;
    }
    model.doc.mark = mark;
    steps::delete(model, effects);
    if model.doc.text == text {
        // Why it stays has been said: then nothing is on its way either.
        model.clip = before;
        return;
    }
    let words = model.clip.as_ref().map_or_else(String::new, Clip::words);
    model.say(
        Role::Quiet,
        format!("{words} cut: Ctrl v puts it below the cursor, u brings it back"),
    );
}

/// Puts what was cut or copied below the cursor.
pub(super) fn paste(model: &mut Model, effects: &mut Vec<Effect>) {
    let Some(clip) = model.clip.clone() else {
        return model.say(
            Role::Quiet,
            "nothing was cut or copied yet: Ctrl x cuts, Ctrl k copies",
        );
    };
    model.doc.mark = None;
    match clip {
        Clip::Steps(_) if model.doc.values.is_some() => {
            model.say(
                Role::Quiet,
                "steps belong into a mission; Esc leads back to yours",
            );
        }
        Clip::Steps(carried) => put_steps(model, &carried, effects),
        Clip::Lines(lines) => put_lines(model, &lines, effects),
    }
}

fn put_steps(model: &mut Model, carried: &Carried, effects: &mut Vec<Effect>) {
    let Some(setup) = model.setup.clone() else {
        return;
    };
    let doc = &model.doc;
    // Above the first step there is no place for steps: they come below it.
    let below = doc.written_step(doc.cursor.line).or_else(|| {
        let above = doc
            .prepared
            .parsed
            .mission
            .steps
            .iter()
            .rposition(|step| step.line < doc.cursor.line);
        above
            .or(if doc.prepared.parsed.mission.steps.is_empty() {
                None
            } else {
                Some(0)
            })
            .map(TextStep)
    });
    let of = doc.structure(&setup);
    let put = restructure::put(of, below, carried);
    let note = put
        .as_ref()
        .ok()
        .and_then(|change| change.note.as_ref())
        .map(Note::words);
    if steps::restructured(model, put, effects) {
        let words = if carried.count == 1 {
            "1 step".to_owned()
        } else {
            format!("{} steps", carried.count)
        };
        match note {
            Some(note) => model.say(Role::Thin, format!("put {words} here; {note} (u undoes)")),
            None => model.say(Role::Quiet, format!("put {words} here; u takes it back")),
        }
    }
}

fn put_lines(model: &mut Model, lines: &[String], effects: &mut Vec<Effect>) {
    let old = model.doc.text.clone();
    let line = model.doc.cursor.line;
    let edit = lines_below(&model.doc.prepared.parsed, &old, line, lines);
    let mut text = edit.apply(&old);
    if model.doc.values.is_none() {
        // The first exit of a step is `until`, wherever it was before.
        let parsed = parse(&text);
        if let Some(step) = parsed
            .mission
            .position(|step| (step.line..=step.last).contains(&(line + 1)))
        {
            text =
                wayodos_core::mission::amend::apply_all(&text, first_words(&parsed, &text, step));
        }
    }
    let text = laid_anew(model, text);
    steps::reshape(model, text, effects);
    places::to_change(model, &old);
    model.say(
        Role::Quiet,
        if lines.len() == 1 {
            "put 1 line here; u takes it back"
        } else {
            "put the lines here; u takes them back"
        },
    );
}
