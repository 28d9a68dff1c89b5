//! Where the cursor goes, and what is in sight of a list.

use ratatui::crossterm::event::{KeyCode, KeyEvent};
use wayodos_core::ids::SlotId;
use wayodos_core::mission::{LineKind, SlotKind};

use super::super::model::{Cursor, Model};

/// Puts the cursor on a line, on the slot nearest to the column where it was.
pub(super) fn go_to_line(model: &mut Model, line: usize) {
    let columns = |slot: SlotId| {
        let slot = &model.doc.prepared.parsed.slots[slot];
        let start = model.doc.lines()[slot.line].span.start;
        (slot.span.start - start, slot.span.end - start)
    };
    // Going on up or down keeps to the column in which that began, whatever short lines lie
    // between.
    let kept = model
        .doc
        .column
        .filter(|(cursor, _)| *cursor == model.doc.cursor)
        .map(|(_, column)| column);
    let wanted = kept
        .or_else(|| model.doc.slot().map(|slot| columns(slot).0))
        .unwrap_or(0);
    let far = |(start, end): (usize, usize)| {
        start
            .saturating_sub(wanted)
            .max((wanted + 1).saturating_sub(end))
    };
    let nearest = model
        .doc
        .slots_on(line)
        .enumerate()
        .min_by_key(|(_, (slot, _))| far(columns(*slot)));
    model.doc.cursor = Cursor {
        line,
        nth: nearest.map_or(0, |(nth, _)| nth),
    };
    model.doc.column = Some((model.doc.cursor, wanted));
}

/// Puts the cursor on the slot of a line that one would change first: an amount, or else the first.
pub(super) fn go_to_amount(model: &mut Model, line: usize) {
    let amount = model
        .doc
        .slots_on(line)
        .position(|(_, slot)| matches!(slot.kind, SlotKind::Amount { .. }));
    model.doc.cursor = Cursor {
        line,
        nth: amount.unwrap_or(0),
    };
}

/// The line that a new or changed piece of text is about: the first that differs, from there on the
/// first sentence.
pub(super) fn first_changed(old: &str, new: &str) -> usize {
    old.split('\n')
        .zip(new.split('\n'))
        .take_while(|(a, b)| a == b)
        .count()
}

/// Puts the cursor where one would go on after a change: the first amount of the first changed
/// sentence.
pub(super) fn to_change(model: &mut Model, old: &str) {
    let first = first_changed(old, &model.doc.text);
    let of = |line: &usize| {
        let amount = |(_, slot): (SlotId, &wayodos_core::mission::Slot)| {
            matches!(slot.kind, SlotKind::Amount { .. })
        };
        matches!(
            model.doc.lines()[*line].kind,
            LineKind::Behaviour | LineKind::Exit | LineKind::Row | LineKind::Watch
        ) && model.doc.slots_on(*line).any(amount)
    };
    let last = model.doc.lines().len();
    let line = (first.min(last)..last.min(first + 6))
        .find(of)
        .unwrap_or(first.min(last.saturating_sub(1)));
    go_to_amount(model, line);
}

/// Where a list so long is scrolled to by a key; none when the key ends the reading.
pub(super) fn scrolled(model: &Model, key: KeyEvent, count: usize, scroll: usize) -> Option<usize> {
    let page = usize::from(model.size.1).saturating_sub(8).max(1);
    let scroll = match key.code {
        KeyCode::Up => scroll.saturating_sub(1),
        KeyCode::Down => scroll + 1,
        KeyCode::PageUp => scroll.saturating_sub(page),
        KeyCode::PageDown | KeyCode::Char(' ') => scroll + page,
        KeyCode::Home => 0,
        KeyCode::End => count,
        _ => return None,
    };
    Some(scroll.min(count.saturating_sub(1)))
}
