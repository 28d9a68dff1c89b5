//! Begins what is typed: an answer, a value, or freely.

use tui_input::Input;

use super::super::free::Free;
use super::super::model::{Cursor, Entry, Mode, Model, Question};

/// Asks a question in one line.
pub(super) fn ask(model: &mut Model, question: Question, first: &str) {
    model.mode = Mode::Asking(
        question,
        Entry {
            input: Input::new(first.to_owned()),
            error: None,
        },
    );
}

/// Begins to type freely, at the end of the line under the cursor.
pub(super) fn begin(model: &mut Model) {
    let empty = model.doc.is_mission() && model.doc.prepared.parsed.mission.steps.is_empty();
    let line = match model.doc.lines().get(model.doc.cursor.line) {
        // Behind the header there is nothing to go on with: below it the first step begins.
        Some(_) if empty && model.doc.text.ends_with('\n') => model.doc.text.len(),
        Some(line) => line.span.end,
        None => 0,
    };
    model.doc.cursor = Cursor {
        line: model.doc.line_at(line),
        nth: 0,
    };
    model.mode = Mode::Free(Free::new(line));
    model.doc.stop_typing();
}

/// Begins to type into the slot under the cursor, with what stands there.
pub(super) fn type_into(model: &mut Model) {
    let Some(slot) = model.doc.slot() else { return };
    let current = &model.doc.text[model.doc.prepared.parsed.slots[slot].span.clone()];
    let input = Input::new(current.trim_matches('"').to_owned());
    model.mode = Mode::Typing(Entry { input, error: None });
}

/// Asks which of the many runs to show: the next one, unless another is typed.
pub(super) fn which_run(model: &mut Model) {
    let next = model.number.saturating_add(1).to_string();
    ask(model, Question::Run, &next);
}
