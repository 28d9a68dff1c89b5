//! Which letter of the text stands where in its pane.

use std::ops::Range;

use ratatui::layout::{Position, Rect};
use wayodos_core::finding::Severity;

use crate::tui::measure::{columns, pieces};
use crate::tui::model::{Mode, Model, Row};
use crate::tui::theme::Role;

/// Columns left of the text: the step's number, its bar, a space.
pub(in crate::tui) const GUTTER: u16 = 5;

/// The line of the mission at a place of the screen, and the byte within the line.
pub fn place(model: &Model, area: Rect, at: Position) -> Option<(usize, usize)> {
    let rows = model.rows();
    let Row::Line(line) = *rows.get(model.doc.scroll + usize::from(at.y - area.y))? else {
        return None;
    };
    let text = model.doc.line_text(line);
    let (shift, from) = (
        shift(model, area, line),
        at.x.saturating_sub(area.x + GUTTER),
    );
    // What a long line begins with stays in sight.
    let wanted = if shift > 0 && from < head(area, text) {
        from
    } else {
        from + shift
    };
    let mut column = 0;
    for (byte, _, wide) in pieces(text) {
        column += wide;
        if column > wanted {
            return Some((line, byte));
        }
    }
    Some((line, text.len()))
}

/// Columns of what a line begins with, its indent and its first word, and 1 for the sign after it;
/// none when that would leave no room for the rest.
pub(in crate::tui) fn head(area: Rect, text: &str) -> u16 {
    let indent = text.len() - text.trim_start().len();
    let word = text[indent..]
        .find(' ')
        .map_or(text.len(), |end| indent + end);
    let wide = columns(&text[..word]) + 1;
    if wide <= area.width / 3 { wide } else { 0 }
}

/// Columns by which a line is shifted to the left so that the slot under the cursor is in sight.
pub(in crate::tui) fn shift(model: &Model, area: Rect, line: usize) -> u16 {
    let room = area.width.saturating_sub(GUTTER + 2);
    let start = model.doc.lines()[line].span.start;
    if let Mode::Free(free) = &model.mode {
        let here = line == model.doc.cursor.line && free.at >= start;
        return if here {
            columns(&model.doc.text[start..free.at]).saturating_sub(room)
        } else {
            0
        };
    }
    let Some(slot) = model.doc.slot().filter(|_| line == model.doc.cursor.line) else {
        return 0;
    };
    let span = &model.doc.prepared.parsed.slots[slot].span;
    let before = columns(&model.doc.text[start..span.end]);
    before.saturating_sub(room)
}

/// What is wrong with the line that is being typed, in one line.
pub(in crate::tui) fn wrong_here(model: &Model) -> Option<(String, Role)> {
    let here = |span: &Range<usize>| model.doc.line_at(span.start) == model.doc.cursor.line;
    let finding = model
        .doc
        .findings
        .iter()
        .find(|finding| here(&finding.span))?;
    let hint = finding
        .hints
        .first()
        .map_or_else(String::new, |hint| format!(": {}", hint.words));
    let role = if finding.severity == Severity::Error {
        Role::Wrong
    } else {
        Role::Thin
    };
    Some((format!("{}{hint}", finding.message), role))
}
