//! What lies over the panes for a moment: the keys, a list of words, the question before leaving.

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::widgets::{Block, BorderType, Clear, Widget as _};

use super::{columns, put};
use crate::tui::keymap::{GROUPS, Group};
use crate::tui::model::{Model, Row};
use crate::tui::theme::{Role, Theme};

/// An empty box in the middle of an area; its inside.
fn boxed(theme: Theme, area: Rect, size: (u16, u16), title: &str, buffer: &mut Buffer) -> Rect {
    let (width, height) = (size.0.min(area.width), size.1.min(area.height));
    let place = Rect::new(area.x + (area.width - width) / 2, area.y + (area.height - height) / 2, width, height);
    boxed_at(theme, place, title, buffer)
}

fn boxed_at(theme: Theme, place: Rect, title: &str, buffer: &mut Buffer) -> Rect {
    Clear.render(place, buffer);
    let block = Block::bordered()
        .border_type(BorderType::Rounded)
        .border_style(theme.role(Role::Accent))
        .title_style(theme.role(Role::Word))
        .style(theme.on(theme.role(Role::Text), theme.raised()));
    let block = if title.is_empty() { block } else { block.title(format!(" {title} ")) };
    let inside = block.inner(place);
    block.render(place, buffer);
    inside
}

/// All keys, in two columns.
pub fn help(theme: Theme, whole: Rect, buffer: &mut Buffer) {
    let half = GROUPS.len().div_ceil(2);
    let rows = |groups: &[Group]| groups.iter().map(|group| group.rows.len() as u16 + 2).sum::<u16>() - 1;
    let height = rows(&GROUPS[..half]).max(rows(&GROUPS[half..])) + 2;
    let inside = boxed(theme, whole, (86, height), "Keys", buffer);
    let width = inside.width / 2;
    for (column, groups) in [&GROUPS[..half], &GROUPS[half..]].into_iter().enumerate() {
        let (x, mut y) = (inside.x + 1 + column as u16 * width, inside.y);
        for group in groups {
            let mut line = |text: &str, at: u16, role: Role| {
                if y < inside.bottom() {
                    put(buffer, x + at, y, width.saturating_sub(at + 1), text, theme.role(role));
                }
            };
            line(group.title, 0, Role::Accent);
            y += 1;
            for row in group.rows {
                let mut line = |text: &str, at: u16, role: Role| {
                    if y < inside.bottom() {
                        put(buffer, x + at, y, width.saturating_sub(at + 1), text, theme.role(role));
                    }
                };
                line(row.label, 1, Role::Word);
                line(row.what, 11, Role::Text);
                y += 1;
            }
            y += 1;
        }
    }
}

/// The mission in words: names of steps bright, failures red, the rest as it is.
pub fn reading(theme: Theme, whole: Rect, lines: &[(String, bool)], scroll: usize, buffer: &mut Buffer) {
    let widest = lines.iter().map(|(line, _)| columns(line)).max().unwrap_or(0).max(60);
    // The hint line stays free.
    let area = Rect { height: whole.height.saturating_sub(1), ..whole };
    let inside = boxed(theme, area, (widest + 4, area.height.saturating_sub(2)), "In words", buffer);
    let shown = usize::from(inside.height);
    let first = scroll.min(lines.len().saturating_sub(shown.min(lines.len())));
    for (row, (line, opens)) in (inside.y..inside.bottom()).zip(lines.iter().skip(first)) {
        let role = match line {
            _ if *opens => Role::Accent,
            line if line.contains("─> fail") => Role::Wrong,
            line if line.contains("─> ") => Role::Word,
            _ => Role::Text,
        };
        put(buffer, inside.x + 1, row, inside.width.saturating_sub(2), line, theme.role(role));
    }
    let more = lines.len().saturating_sub(first + shown);
    if more > 0 {
        let words = format!(" {more} more ");
        let x = inside.right().saturating_sub(columns(&words) + 1);
        put(buffer, x, inside.bottom(), inside.width, &words, theme.role(Role::Quiet));
    }
}

/// The words that may stand in the slot, below it where there is room.
pub fn choices(model: &Model, theme: Theme, area: Rect, choices: &[String], at: usize, buffer: &mut Buffer) {
    let widest = choices.iter().map(|choice| columns(choice)).max().unwrap_or(0);
    let width = (widest + 4).min(area.width);
    let rows = model.rows();
    let row = rows.iter().position(|row| *row == Row::Line(model.cursor.line)).unwrap_or(0);
    let y = area.y + row.saturating_sub(model.scroll) as u16;
    let below = area.bottom().saturating_sub(y + 1);
    let above = y - area.y;
    let wanted = choices.len() as u16 + 2;
    let (top, height) = if below >= wanted.min(6) || below >= above {
        (y + 1, wanted.min(below))
    } else {
        let height = wanted.min(above);
        (y - height, height)
    };
    let slot = model.slot().map(|slot| &model.prepared.parsed.slots[slot]);
    let column = slot.map_or(0, |slot| columns(&model.text[model.lines()[slot.line].span.start..slot.span.start]));
    let x = (area.x + 4 + column).min(area.right().saturating_sub(width + 1));
    let inside = boxed_at(theme, Rect::new(x, top, width, height), "", buffer);
    let shown = usize::from(inside.height);
    let first = (at + 1).saturating_sub(shown);
    for (row, (index, choice)) in (inside.y..inside.bottom()).zip(choices.iter().enumerate().skip(first)) {
        let style = if index == at { theme.patch(Role::Accent) } else { theme.role(Role::Text) };
        buffer.set_style(Rect::new(inside.x, row, inside.width, 1), style);
        put(buffer, inside.x + 1, row, inside.width.saturating_sub(1), choice, style);
    }
}

/// What to do with unsaved edits.
pub fn leaving(model: &Model, theme: Theme, whole: Rect, buffer: &mut Buffer) {
    let name = model.prepared.parsed.mission.name.as_ref().map_or("The mission", |name| name.node.as_str());
    let question = format!("\"{name}\" is not saved.");
    let keys =
        [("s", "save and leave"), ("k", "leave, and keep the edits for next time"), ("d", "drop the edits and leave")];
    let inside = boxed(theme, whole, (columns(&question).max(46) + 6, 9), "", buffer);
    let room = inside.width.saturating_sub(3);
    put(buffer, inside.x + 2, inside.y + 1, room, &question, theme.role(Role::Word));
    for (row, (key, what)) in (inside.y + 3..).zip(keys.into_iter().chain([("Esc", "stay")])) {
        put(buffer, inside.x + 2, row, 4, key, theme.role(Role::Accent));
        put(buffer, inside.x + 6, row, room.saturating_sub(4), what, theme.role(Role::Text));
    }
}
