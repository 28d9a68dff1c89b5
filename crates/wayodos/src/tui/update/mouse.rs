//! The mouse: pointing at slots, times, places, rows of lists.

use std::ops::Range;

use ratatui::crossterm::event::{MouseButton, MouseEvent, MouseEventKind};
use ratatui::layout::{Position, Rect};
use wayodos_core::field::Point;

use super::super::layout::Pane;
use super::super::model::{Cursor, Mode, Model, ScreenName};
use super::super::sight;
use super::effect::Effect;
use super::panes::{open_side, show_side, side_row, zoom_field};
use super::{files, find, moves, time};

/// Whether the event was one that anything may follow from.
pub(super) fn on_mouse(model: &mut Model, mouse: MouseEvent, effects: &mut Vec<Effect>) -> bool {
    let Some(areas) = model.areas() else {
        return false;
    };
    let at = Position::new(mouse.column, mouse.row);
    if mouse.kind == MouseEventKind::Moved && model.screen != ScreenName::Mission {
        return false;
    }
    if mouse.kind == MouseEventKind::Moved {
        let over = [areas.field, areas.chart]
            .iter()
            .any(|area| area.contains(at));
        let new = over.then_some(at);
        let moved = model.field.hover != new;
        model.field.hover = new;
        return moved;
    }
    if let Mode::Finding(finder) = &mut model.mode {
        match mouse.kind {
            MouseEventKind::Down(MouseButton::Left) => {
                if let Some(row) = sight::overlay::row_at(finder, areas.lists(), at) {
                    find::click(model, row, effects);
                }
            }
            MouseEventKind::ScrollDown => finder.step(1),
            MouseEventKind::ScrollUp => finder.step(-1),
            _ => {}
        }
        return true;
    }
    if let Mode::Reading { lines, scroll, .. } = &mut model.mode {
        match mouse.kind {
            MouseEventKind::ScrollDown => {
                *scroll = (*scroll + 3).min(lines.len().saturating_sub(1));
            }
            MouseEventKind::ScrollUp => *scroll = scroll.saturating_sub(3),
            _ => {}
        }
        return true;
    }
    if let Mode::Free(free) = &mut model.mode {
        if matches!(mouse.kind, MouseEventKind::Down(MouseButton::Left)) && areas.text.contains(at)
        {
            let mut moved = free.clone();
            (moved.offers, moved.wants) = (Vec::new(), None);
            if let Some((line, byte)) = sight::text::place(model, areas.text, at) {
                moved.at = model.doc.lines()[line].span.start + byte;
                model.doc.cursor = Cursor { line, nth: 0 };
                model.mode = Mode::Free(moved);
                model.doc.stop_typing();
            }
        }
        return true;
    }
    if !matches!(model.mode, Mode::Browse) {
        return false;
    }
    browse(model, mouse, at, effects);
    true
}

fn browse(model: &mut Model, mouse: MouseEvent, at: Position, effects: &mut Vec<Effect>) {
    let Some(areas) = model.areas() else { return };
    let over = |area: Rect| area.contains(at);
    if matches!(mouse.kind, MouseEventKind::Down(MouseButton::Left))
        && let Some(action) = sight::bars::action_at(model, &areas, at)
    {
        model.todo = Some(action);
        return;
    }
    if model.screen == ScreenName::Project {
        match mouse.kind {
            MouseEventKind::Down(MouseButton::Left) => {
                if let Some(row) = sight::files::row_at(&areas, at) {
                    files::click(model, row, effects);
                }
            }
            MouseEventKind::ScrollDown => model.files.step(1),
            MouseEventKind::ScrollUp => model.files.step(-1),
            _ => {}
        }
        return;
    }
    if model.screen == ScreenName::League {
        let row = sight::league::row_at(model, &areas, at);
        let Some(league) = &mut model.league else {
            return;
        };
        match mouse.kind {
            MouseEventKind::Down(MouseButton::Left) => {
                if let Some(row) = row {
                    (league.at, league.against) = (row, 0);
                }
            }
            MouseEventKind::ScrollDown => league.step(1),
            MouseEventKind::ScrollUp => league.step(-1),
            _ => {}
        }
        return;
    }
    if model.screen == ScreenName::Logbook {
        match mouse.kind {
            MouseEventKind::Down(MouseButton::Left) => {
                if let Some(row) = sight::logbook::row_at(model, &areas, at) {
                    model.logbook.at = row;
                }
            }
            MouseEventKind::ScrollDown => model.logbook.step(1),
            MouseEventKind::ScrollUp => model.logbook.step(-1),
            _ => {}
        }
        return;
    }
    let pressed = matches!(mouse.kind, MouseEventKind::Down(MouseButton::Left));
    let dragged = matches!(mouse.kind, MouseEventKind::Drag(MouseButton::Left));
    match mouse.kind {
        _ if pressed && over(areas.text) => {
            model.focus = Pane::Text;
            model.doc.mark = None;
            if let Some((line, column)) = sight::text::place(model, areas.text, at) {
                click_line(model, line, column);
            }
        }
        // Drawn over several lines, it marks them.
        _ if dragged && over(areas.text) && model.focus == Pane::Text => {
            if let Some((line, _)) = sight::text::place(model, areas.text, at)
                && (model.doc.mark.is_some() || line != model.doc.cursor.line)
            {
                model.doc.mark.get_or_insert(model.doc.cursor.line);
                model.doc.cursor = Cursor { line, nth: 0 };
            }
        }
        _ if (pressed || dragged) && over(areas.chart) => {
            model.player.playing = false;
            if let Some(seconds) = sight::chart::time_at(model, areas.chart, mouse.column) {
                time::set(model, seconds);
            }
        }
        _ if (pressed || dragged) && over(areas.field) => {
            model.player.playing = false;
            if let Some(seconds) = sight::field::time_at(model, areas.field, at) {
                time::set(model, seconds);
            }
        }
        _ if pressed && over(areas.side) => {
            model.focus = Pane::Side;
            if let Some(tab) = sight::side::tab_at(areas.side, at) {
                show_side(model, tab);
            } else if let Some(row) = sight::side::row_at(model, areas.side, at) {
                let again = model.side.row == row;
                model.side.row = row;
                if again {
                    open_side(model, effects);
                }
            }
        }
        // The right or middle button drags the field about; over the chart the right one pins a
        // time.
        MouseEventKind::Down(MouseButton::Right | MouseButton::Middle) if over(areas.field) => {
            model.field.held = Some(at);
        }
        MouseEventKind::Drag(MouseButton::Right | MouseButton::Middle)
            if model.field.held.is_some() =>
        {
            drag(model, areas.field, at);
        }
        MouseEventKind::Up(_) => model.field.held = None,
        MouseEventKind::Down(MouseButton::Right) if over(areas.chart) => {
            model.chart.pin = sight::chart::time_at(model, areas.chart, mouse.column);
        }
        MouseEventKind::ScrollDown if over(areas.text) => moves::move_line(model, true),
        MouseEventKind::ScrollUp if over(areas.text) => moves::move_line(model, false),
        MouseEventKind::ScrollDown if over(areas.field) => {
            zoom_at(model, areas.field, at, 1.0 / 1.25);
        }
        MouseEventKind::ScrollUp if over(areas.field) => zoom_at(model, areas.field, at, 1.25),
        MouseEventKind::ScrollDown if over(areas.side) => side_row(model, 1),
        MouseEventKind::ScrollUp if over(areas.side) => side_row(model, -1),
        MouseEventKind::ScrollDown => time::shift(model, 0.1),
        MouseEventKind::ScrollUp => time::shift(model, -0.1),
        _ => {}
    }
}

/// Moves the field along with the pointer.
fn drag(model: &mut Model, area: Rect, to: Position) {
    let Some((setup, from)) = model.setup.clone().zip(model.field.held) else {
        return;
    };
    let view = sight::field::view(model, &setup.field, area);
    if view.zoom() > 1.0 {
        let (a, b, centre) = (
            view.place_at(from, area),
            view.place_at(to, area),
            view.centre(),
        );
        model.field.camera.follow = false;
        model.field.camera.centre = Some(Point::new(centre.x + a.x - b.x, centre.y + a.y - b.y));
    }
    model.field.held = Some(to);
}

/// Zooms so that what is under the pointer stays there.
fn zoom_at(model: &mut Model, area: Rect, at: Position, by: f64) {
    let Some(setup) = model.setup.clone() else {
        return;
    };
    let before = sight::field::view(model, &setup.field, area);
    let under = before.place_at(at, area);
    let centre = before.centre();
    model.field.camera.centre = Some(centre);
    model.field.camera.follow = false;
    zoom_field(model, by);
    if model.field.camera.zoom > 1.0 {
        let factor = 1.0 - before.zoom() / model.field.camera.zoom;
        let towards = |from: f64, to: f64| from + (to - from) * factor;
        model.field.camera.centre = Some(Point::new(
            towards(centre.x, under.x),
            towards(centre.y, under.y),
        ));
    }
}

/// Puts the cursor on the slot at a byte of a line, or on the nearest one.
fn click_line(model: &mut Model, line: usize, byte: usize) {
    let at = model.doc.lines()[line].span.start + byte;
    let gap = |span: &Range<usize>| {
        if span.contains(&at) {
            0
        } else {
            span.start.abs_diff(at).min(span.end.abs_diff(at))
        }
    };
    let nearest = model
        .doc
        .slots_on(line)
        .enumerate()
        .min_by_key(|(_, (_, slot))| gap(&slot.span));
    model.doc.cursor = Cursor {
        line,
        nth: nearest.map_or(0, |(nth, _)| nth),
    };
}
