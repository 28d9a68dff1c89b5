//! The mission in words, with its author's notes beside it.

use wayodos_report::Flow;

use super::super::model::{Mode, Model};
use super::super::sight::overlay::NOTES_BESIDE;

/// Opens the mission in words, at the step under the cursor, with its author's notes beside it.
pub(super) fn read_back(model: &mut Model) {
    let flow = Flow::of(
        &model.doc.text,
        &model.doc.prepared.parsed,
        model.doc.prepared.program.as_deref(),
        model.setup.as_ref().map(|setup| &*setup.field),
    );
    let here = flow.box_of(model.doc.cursor.line);
    let rows = flow.rows();
    let scroll = here
        .and_then(|here| rows.iter().position(|(of, _)| *of == Some(here)))
        .unwrap_or(0);
    let mut before = None;
    let (mut lines, mut beside) = (Vec::new(), Vec::new());
    for (nth, (of, line)) in rows.into_iter().enumerate() {
        // The title comes first, and is of no box.
        let opens = std::mem::replace(&mut before, of) != of || nth == 0;
        let note = if opens {
            of.map_or(&flow.notes, |of| &flow.boxes[of].notes).join(" ")
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
