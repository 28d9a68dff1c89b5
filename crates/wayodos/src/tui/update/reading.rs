//! The mission in words, with its author's notes beside it.

use wayodos_core::mission::LineKind;
use wayodos_report::Flow;

use super::super::model::{Mode, Model};
use super::super::sight::overlay::NOTES_BESIDE;

/// Opens the mission in words, at the step under the cursor, with its author's notes beside it.
pub(super) fn read_back(model: &mut Model) {
    let flow = Flow::of(
        &model.doc.text,
        &model.doc.prepared.parsed,
        model.doc.prepared.program.as_deref(),
    );
    let here = box_of(&flow, model.doc.cursor.line);
    let rows = flow.rows();
    let scroll = here
        .and_then(|here| rows.iter().position(|(of, _)| *of == Some(here)))
        .unwrap_or(0);
    let notes = notes(model, &flow);
    let mut before = None;
    let (mut lines, mut beside) = (Vec::new(), Vec::new());
    for (of, line) in rows {
        let opens = std::mem::replace(&mut before, of) != of || of.is_none();
        let note = if opens {
            notes[of.map_or(0, |of| of + 1)].clone()
        } else {
            String::new()
        };
        lines.push((line, opens));
        // Without room beside the words, notes stand among them.
        let among = model.size.0 < NOTES_BESIDE && !note.is_empty() && of.is_some();
        if among {
            lines.push((format!("   # {note}"), false));
            beside.push(String::new());
        }
        beside.push(if among { String::new() } else { note });
    }
    model.mode = Mode::Reading {
        lines,
        notes: beside,
        scroll,
    };
}

/// The comments of the text: those before the first box, then those of each.
pub(super) fn notes(model: &Model, flow: &Flow) -> Vec<String> {
    let mut notes = vec![String::new(); flow.boxes.len() + 1];
    let mut above: Vec<&str> = Vec::new();
    for (line, about) in model.doc.lines().iter().enumerate() {
        let comment = about
            .comment
            .clone()
            .map(|span| model.doc.text[span].trim_start_matches('#').trim());
        let own = about.kind == LineKind::Blank;
        // A comment on a line of its own belongs to what stands below it, also with an empty line
        // between.
        if own {
            above.extend(comment);
            continue;
        }
        add(
            &mut notes,
            box_of(flow, line),
            above.drain(..).chain(comment),
        );
    }
    // Below it stands nothing any more: it belongs to what it comes after.
    add(
        &mut notes,
        box_of(flow, model.doc.lines().len()),
        above.into_iter(),
    );
    notes
}

fn add<'a>(notes: &mut [String], of: Option<usize>, more: impl Iterator<Item = &'a str>) {
    let all = &mut notes[of.map_or(0, |of| of + 1)];
    for note in more.filter(|note| !note.is_empty()) {
        if !all.is_empty() {
            all.push(' ');
        }
        all.push_str(note);
    }
}

/// The box that a line of the text belongs to: the nearest that begins on it or above. Boxes do not
/// stand in the order of the lines: routines come behind the steps that do them.
fn box_of(flow: &Flow, line: usize) -> Option<usize> {
    let begun = flow
        .boxes
        .iter()
        .enumerate()
        .filter(|(_, one)| one.line <= line);
    begun.max_by_key(|(_, one)| one.line).map(|(at, _)| at)
}
