//! A text becomes another one: it is put in place, kept against a crash, and what is seen of it is
//! made again.

use std::sync::Arc;

use wayodos_core::mission::edit::Edit;
use wayodos_core::mission::format;
use wayodos_core::units::Quantity;

use super::super::document::Document;
use super::super::model::Model;
use super::effect::Effect;

/// Applies an edit. A text that was laid out in the one way stays so.
pub(super) fn change(model: &mut Model, edit: &Edit, effects: &mut Vec<Effect>) {
    let text = edit.apply(&model.doc.text);
    let text = laid_out(model, text);
    let edited = edit_words(model, &text);
    put_text(model, text, effects);
    model.edited = edited;
}

/// What is another word or amount in a new text, and where: `20 s -> 21 s in step 3`; nothing when
/// it is more than that.
pub(super) fn edit_words(model: &Model, text: &str) -> String {
    let old = &*model.doc.text;
    let same = |a: &mut dyn Iterator<Item = u8>, b: &mut dyn Iterator<Item = u8>| {
        a.zip(b).take_while(|(a, b)| a == b).count()
    };
    let before = same(&mut old.bytes(), &mut text.bytes());
    let most = old.len().min(text.len()) - before;
    let after = same(&mut old.bytes().rev(), &mut text.bytes().rev()).min(most);
    let changed = |text: &str| {
        let apart = |byte: &u8| {
            byte.is_ascii_whitespace() || matches!(byte, b',' | b'(' | b')' | b'"' | b'\'')
        };
        let bytes = text.as_bytes();
        let from = bytes[..before]
            .iter()
            .rposition(apart)
            .map_or(0, |at| at + 1);
        let word = |at: usize| {
            bytes[at..]
                .iter()
                .position(apart)
                .map_or(bytes.len(), |length| at + length)
        };
        let mut to = word(text.len() - after);
        // An amount is a number and its unit.
        let unit = word((to + 1).min(bytes.len()));
        if text
            .get(from..unit)
            .is_some_and(|amount| Quantity::parse(amount).is_ok())
        {
            to = unit;
        }
        text.get(from..to)
            .filter(|words| !words.is_empty() && words.len() <= 24 && !words.contains('\n'))
            .map(str::to_owned)
    };
    let (Some(was), Some(is)) = (changed(old), changed(text)) else {
        return String::new();
    };
    let line = model.doc.line_at(before);
    if model.doc.values.is_some() {
        let name = model
            .doc
            .line_text(line)
            .split('=')
            .next()
            .unwrap_or_default()
            .trim();
        return format!("{name} {was} -> {is}");
    }
    let place = match model.doc.written_step(line) {
        Some(step) => format!("step {}", step.number()),
        None => format!("line {}", line + 1),
    };
    format!("{was} -> {is} in {place}")
}

/// Whether the text is laid out in the one way.
pub(super) fn is_laid_out(model: &Model) -> bool {
    model.doc.values.is_none() && format(&model.doc.text) == *model.doc.text
}

/// A text with other lines than before, laid out in the one way if the one that it comes from was.
pub(super) fn laid_anew(model: &Model, text: String) -> String {
    if is_laid_out(model) {
        format(&text)
    } else {
        text
    }
}

/// The same for one that has the same lines: they keep their places.
pub(super) fn laid_out(model: &Model, text: String) -> String {
    if is_laid_out(model) {
        let laid = format(&text);
        if laid.lines().count() == text.lines().count() {
            return laid;
        }
    }
    text
}

/// Puts a whole text in place, unless it is what stands there.
pub(super) fn put_text(model: &mut Model, text: String, effects: &mut Vec<Effect>) {
    if *text == *model.doc.text {
        return;
    }
    model.write(text);
    changed(model, effects);
}

/// The text is another one: run it, and keep it against a crash.
pub(super) fn changed(model: &mut Model, effects: &mut Vec<Effect>) {
    rework(model, effects);
    effects.push(draft(&model.doc));
}

/// What becomes of the draft of a text.
pub(super) fn draft(document: &Document) -> Effect {
    if document.unsaved() {
        Effect::Draft(document.path.clone(), Arc::clone(&document.text))
    } else {
        Effect::ClearDraft(document.path.clone())
    }
}

/// What is seen of the text in front is made again: the run of a mission, or all that a robot or
/// field is needed for.
pub(super) fn rework(model: &mut Model, effects: &mut Vec<Effect>) {
    if model.doc.is_mission() {
        return run_again(model, effects);
    }
    model.change.clear();
    model.edited.clear();
    model.pending = Some(Model::REFIT);
    effects.push(refit(model));
}

/// Runs the text as it stands, if it can be run.
pub(super) fn run_again(model: &mut Model, effects: &mut Vec<Effect>) {
    model.change.clear();
    model.edited.clear();
    match model.job() {
        Some(job) => effects.push(Effect::Run(job)),
        None => model.pending = None,
    }
}

/// Asks for the project as it is with all texts that are open.
pub(super) fn refit(model: &Model) -> Effect {
    Effect::Refit(
        model
            .documents()
            .map(|document| (document.path.clone(), Arc::clone(&document.text)))
            .collect(),
    )
}
