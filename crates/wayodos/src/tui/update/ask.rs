//! Begins what is typed: an answer, a value, or freely.

use tui_input::Input;

use super::super::free::Free;
use super::super::model::{Entry, Mode, Model, Question};

/// Asks a question in one line.
pub(super) fn ask(model: &mut Model, question: Question, first: &str) {
    model.mode = Mode::Asking(question, Entry { input: Input::new(first.to_owned()), error: None });
}

/// Begins to type freely, at the end of the line under the cursor.
pub(super) fn begin(model: &mut Model) {
    let line = model.doc.lines().get(model.doc.cursor.line).map_or(0, |line| line.span.end);
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
