//! Typing: into a slot, into the answer to a question, and freely into the text.

use std::ops::Range;
use std::sync::Arc;

use ratatui::crossterm::event::{Event, KeyCode, KeyEvent, KeyModifiers};
use tui_input::InputRequest;
use tui_input::backend::crossterm::EventHandler as _;
use wayodos_core::field::Pose;
use wayodos_core::finding::{Severity, Source, apply_all};
use wayodos_core::mission::LineKind;
use wayodos_core::mission::amend;
use wayodos_core::mission::complete::{Completion, completions};
use wayodos_core::mission::edit;
use wayodos_core::mission::refs::{Way, references, rename};
use wayodos_core::units::{Dimension, Quantity};

use super::super::free::Free;
use super::super::model::{Cursor, Entry, Mode, Model, Question, ScreenName};
use super::change::{change, changed, laid_anew, laid_out, put_text};
use super::effect::Effect;
use super::{hands, logbook, time};

pub(super) fn type_value(
    model: &mut Model,
    key: KeyEvent,
    mut entry: Entry,
    effects: &mut Vec<Effect>,
) {
    match key.code {
        KeyCode::Esc => return,
        KeyCode::Enter => {
            let Some(slot) = model.doc.slot() else { return };
            let typed = entry.input.value();
            let parsed = &model.doc.prepared.parsed;
            let span = &parsed.slots[slot].span;
            let defines = model.doc.values.is_none()
                && references(parsed, &model.doc.text)
                    .iter()
                    .any(|one| one.span == *span && one.way == Way::Defines);
            let named = if defines {
                rename(parsed, &model.doc.text, span, typed)
            } else {
                None
            };
            match named {
                Some(Ok(edits)) => {
                    let text = apply_all(&model.doc.text, edits);
                    return put_text(model, laid_out(model, text), effects);
                }
                Some(Err(why)) => entry.error = Some(why.to_string()),
                None => match model.doc.set(model.setup.as_deref(), slot, typed) {
                    Ok(edit) => return change(model, &edit, effects),
                    Err(error) => entry.error = Some(error.to_string()),
                },
            }
        }
        _ => {
            entry.error = None;
            entry.input.handle_event(&Event::Key(key));
        }
    }
    model.mode = Mode::Typing(entry);
}

pub(super) fn answer(
    model: &mut Model,
    key: KeyEvent,
    question: Question,
    mut entry: Entry,
    effects: &mut Vec<Effect>,
) {
    match key.code {
        KeyCode::Esc => return,
        KeyCode::Enter => match take_answer(
            model,
            question,
            entry.input.value().trim().to_owned(),
            effects,
        ) {
            Ok(()) => return,
            Err(error) => entry.error = Some(error),
        },
        _ => {
            entry.error = None;
            entry.input.handle_event(&Event::Key(key));
        }
    }
    model.mode = Mode::Asking(question, entry);
}

fn take_answer(
    model: &mut Model,
    question: Question,
    typed: String,
    effects: &mut Vec<Effect>,
) -> Result<(), String> {
    match question {
        Question::Amount => {
            let (slot, setup) = model
                .doc
                .slot()
                .zip(model.setup.clone())
                .ok_or("there is no amount here any more")?;
            let old = model.doc.lines().len();
            let text = amend::name_amount(
                &model.doc.prepared.parsed,
                &model.doc.text,
                &setup.names,
                slot,
                &typed,
            )
            .map_err(|why| why.to_string())?;
            let laid = laid_anew(model, text);
            let Cursor { line, nth } = model.doc.cursor;
            put_text(model, laid, effects);
            // The new line stands above.
            model.doc.cursor = Cursor {
                line: line + model.doc.lines().len().saturating_sub(old),
                nth,
            };
            model.doc.hold_cursor();
            Ok(())
        }
        Question::Routine => super::steps::to_routine(model, &typed, effects),
        Question::Pose => {
            let pose = read_pose(&typed)?;
            time::from_here(model, Some(pose), effects);
            Ok(())
        }
        Question::Run => time::another_run(model, &typed, effects),
        Question::Box => hands::box_at(model, &typed, effects),
        Question::Mission => {
            let fits =
                !typed.is_empty() && typed.len() <= 60 && !typed.contains(['"', '/', '\\', '\n']);
            if !fits {
                return Err(
                    "give it a name without quotes and slashes, such as Morning round".into(),
                );
            }
            model.screen = ScreenName::Mission;
            effects.push(Effect::Open(typed));
            Ok(())
        }
        Question::Search | Question::Note | Question::Mark => {
            logbook::answered(model, question, typed, effects);
            Ok(())
        }
        Question::CopyName | Question::NewName | Question::Begin(_) => {
            super::files::named(model, question, typed, effects)
        }
    }
}

/// `320, 178 mm, 90 deg`
fn read_pose(typed: &str) -> Result<Pose, String> {
    const HOW: &str = "write a place and a heading, such as 320, 178 mm, 90 deg";
    let parts: Vec<&str> = typed.split(',').map(str::trim).collect();
    let [x, y, heading] = parts.as_slice() else {
        return Err(HOW.into());
    };
    let read = |part: &str, dimension: Dimension| {
        let quantity = Quantity::parse(part).ok()?;
        (quantity.unit.dimension() == dimension).then(|| quantity.si())
    };
    let y = read(y, Dimension::Length);
    // A unit behind the second goes for both.
    let unit = parts[1].split_whitespace().nth(1).unwrap_or("mm");
    let x = read(x, Dimension::Length).or_else(|| read(&format!("{x} {unit}"), Dimension::Length));
    match (x, y, read(heading, Dimension::Angle)) {
        (Some(x), Some(y), Some(heading)) if x.abs() < 100.0 && y.abs() < 100.0 => {
            Ok(Pose { x, y, heading })
        }
        _ => Err(HOW.into()),
    }
}

// ---- freely

pub(super) fn free(model: &mut Model, key: KeyEvent, mut free: Free, effects: &mut Vec<Effect>) {
    let text = Arc::clone(&model.doc.text);
    free.at = free.at.min(text.len());
    let control = key
        .modifiers
        .intersects(KeyModifiers::CONTROL | KeyModifiers::ALT);
    let (start, end) = free.line(&text);
    let old_line = model.doc.line_at(free.at);
    let offers = std::mem::take(&mut free.offers);
    let marked = std::mem::take(&mut free.marked);
    let wants = free.wants.take();
    let here = free.at..free.at;
    match key.code {
        KeyCode::Esc => {
            model.doc.stop_typing();
            model.doc.cursor.line = model.doc.line_at(free.at);
            model.doc.hold_cursor();
            return;
        }
        KeyCode::Left if control => free.at = free.word_before(&text),
        KeyCode::Right if control => free.at = free.word_after(&text),
        KeyCode::Left => free.at = free.before(&text).unwrap_or(0),
        KeyCode::Right => free.at = free.after(&text).unwrap_or(free.at),
        KeyCode::Home => free.at = start,
        KeyCode::End => free.at = end,
        KeyCode::Up | KeyCode::Down => {
            free.wants = wants;
            free.at = free
                .beside(&text, key.code == KeyCode::Down)
                .unwrap_or(free.at);
        }
        KeyCode::Tab if !offers.is_empty() => {
            let offer = offers[marked.min(offers.len() - 1)].clone();
            let start = offer.span.start;
            free.at = put(model, offer.span, &offer.text, effects);
            // Of several lines the first one is gone on with.
            if let Some(line) = offer.text.find('\n') {
                free.at = start + line;
            }
            // Between quotes that stand empty there is something to be written.
            if offer.text.ends_with("\"\"") {
                free.at -= 1;
            }
        }
        KeyCode::BackTab if !offers.is_empty() => {
            free.marked = (marked + 1) % offers.len();
            free.offers = offers;
            model.mode = Mode::Free(free);
            return;
        }
        KeyCode::Tab => free.at = put(model, here, "  ", effects),
        KeyCode::Enter => {
            let line = &text[start..free.at];
            let mut indent = line[..line.len() - line.trim_start().len()].to_owned();
            let opens = matches!(
                model.doc.lines().get(old_line).map(|line| line.kind),
                Some(LineKind::Step | LineKind::Reflex | LineKind::Routine | LineKind::Mission)
            );
            if opens && free.at == end {
                indent.push_str("  ");
            }
            model.doc.stop_typing();
            free.at = put(model, here, &format!("\n{indent}"), effects);
            model.doc.stop_typing();
        }
        KeyCode::Char('u') if control => free.at = put(model, start..free.at, "", effects),
        KeyCode::Char('k') if control => free.at = put(model, free.at..end, "", effects),
        KeyCode::Char('w') if control => {
            free.at = put(model, free.word_before(&text)..free.at, "", effects);
        }
        KeyCode::Char('a') if control => free.at = start,
        KeyCode::Char('e') if control => free.at = end,
        KeyCode::Char('z' | 'y') if control => {
            let travelled = model.travel(key.code == KeyCode::Char('z'));
            if travelled {
                changed(model, effects);
                let (old, new) = (text.as_bytes(), model.doc.text.as_bytes());
                // The cursor goes to the end of what came back.
                let same = old
                    .iter()
                    .rev()
                    .zip(new.iter().rev())
                    .take_while(|(a, b)| a == b)
                    .count();
                free.at = new.len() - same.min(new.len());
                while !model.doc.text.is_char_boundary(free.at) {
                    free.at += 1;
                }
            }
        }
        KeyCode::Char('s') if control => super::keep::save(model, effects),
        KeyCode::Char(letter) if !control => {
            let mut bytes = [0; 4];
            free.at = put(model, here, letter.encode_utf8(&mut bytes), effects);
        }
        KeyCode::Backspace => {
            if let Some(before) = free.before(&text) {
                free.at = put(model, before..free.at, "", effects);
            }
        }
        KeyCode::Delete => {
            if let Some(after) = free.after(&text) {
                free.at = put(model, free.at..after, "", effects);
            }
        }
        _ => {}
    }
    let typed = !Arc::ptr_eq(&text, &model.doc.text);
    let line = model.doc.line_at(free.at);
    if line != old_line {
        model.doc.stop_typing();
    }
    model.doc.cursor = Cursor { line, nth: 0 };
    model.doc.hold_cursor();
    model.doc.cursor.line = line;
    if typed
        && model.doc.values.is_none()
        && let Some(setup) = &model.setup
    {
        let (_, end) = free.line(&model.doc.text);
        // Within a line only its end is worth going on from.
        if model.doc.text[free.at..end].trim().is_empty() {
            free.offers = completions(
                &model.doc.prepared.parsed,
                &model.doc.text,
                &setup.names,
                free.at,
            );
            if free.offers.is_empty() {
                free.offers = meant(model, free.at);
            }
        }
    }
    model.mode = Mode::Free(free);
}

/// What the line before byte `at` may have been meant to say, when it is no sentence.
fn meant(model: &Model, at: usize) -> Vec<Completion> {
    let text = &model.doc.text;
    let findings = model.doc.prepared.findings.iter();
    let hints = findings
        .filter(|finding| finding.severity == Severity::Error && finding.source == Source::Mission)
        .flat_map(|finding| &finding.hints);
    let here = hints.filter_map(|hint| {
        let first = hint.edits.first().filter(|edit| edit.span.end == at)?;
        let last = hint.edits.last()?;
        let whole = apply_all(text, hint.edits.clone());
        let grown = whole.len() - (text.len() - last.span.end);
        Some(Completion {
            span: first.span.start..last.span.end,
            text: whole.get(first.span.start..grown)?.to_owned(),
            what: "is that meant?".to_owned(),
        })
    });
    here.collect()
}

/// Puts something typed in place of a span; where the cursor is then.
fn put(model: &mut Model, span: Range<usize>, new: &str, effects: &mut Vec<Effect>) -> usize {
    let at = span.start + new.len();
    let line = model.doc.line_at(span.start);
    let whole = edit::Edit {
        span,
        text: new.to_owned(),
    }
    .apply(&model.doc.text);
    if *whole != *model.doc.text {
        model.write_typed(whole, line);
        changed(model, effects);
    }
    at
}

pub(super) fn on_paste(model: &mut Model, text: &str, effects: &mut Vec<Effect>) {
    match &mut model.mode {
        Mode::Typing(entry) | Mode::Asking(_, entry) => {
            // A slot is one line.
            for letter in text
                .lines()
                .next()
                .unwrap_or("")
                .chars()
                .filter(|letter| !letter.is_control())
            {
                entry.input.handle(InputRequest::InsertChar(letter));
            }
        }
        Mode::Free(free) => {
            let clean: String = text
                .replace("\r\n", "\n")
                .replace('\r', "\n")
                .chars()
                .filter(|c| *c == '\n' || *c == '\t' || !c.is_control())
                .collect();
            let at = free.at.min(model.doc.text.len());
            let whole = edit::Edit {
                span: at..at,
                text: clean.clone(),
            }
            .apply(&model.doc.text);
            let next = Free::new(at + clean.len());
            model.doc.stop_typing();
            put_text(model, whole, effects);
            model.doc.cursor.line = model.doc.line_at(next.at);
            model.mode = Mode::Free(next);
        }
        _ => {}
    }
}
