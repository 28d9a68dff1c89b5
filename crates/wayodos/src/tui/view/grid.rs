//! The sweep tab with two numbers at once: a cell for each pair, how many of its runs held in it, and
//! the largest rectangle that holds filled.

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Modifier;

use super::pen::{put, put_right};
use crate::tui::measure::{columns, wrapped};
use crate::tui::model::{Gridding, Model};
use crate::tui::sight::grid::{Cells, about, cells, verdict};
use crate::tui::sight::spread::share_role;
use crate::tui::sight::sweep::is_old;
use crate::tui::theme::{Role, Theme};

/// Draws the tab.
pub fn draw(model: &Model, grid: &Gridding, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let (x, room) = (area.x + 1, area.width.saturating_sub(2));
    let name = grid.job.name();
    put(buffer, x, area.y, room, &name, theme.role(Role::Word));
    note(model, grid, theme, area, buffer);
    let (words, role) = verdict(grid);
    let bold = theme.role(role).add_modifier(Modifier::BOLD);
    put(buffer, x, area.y + 1, room, &words, bold);
    let at = cells(grid, area);
    if at.rows == 0 || at.columns == 0 {
        return;
    }
    labels(grid, theme, at, area, buffer);
    pairs(grid, theme, at, buffer);
    let y = at.bottom + 1;
    let hair = "┈".repeat(usize::from(area.width));
    put(buffer, area.x, y, area.width, &hair, theme.role(Role::Hair));
    let Some(result) = &grid.result else { return };
    let words = about(grid, &result.points[grid.at()]);
    for (row, line) in wrapped(&words, room).take(2).enumerate() {
        let y = y + 1 + row as u16;
        if y < area.bottom() {
            put(buffer, x, y, room, line, theme.role(Role::Text));
        }
    }
}

/// At the right of the first line: how far it is, or that it is old.
fn note(model: &Model, grid: &Gridding, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let runs = grid.job.runs;
    let (words, role) = match &grid.result {
        _ if is_old(model, &grid.job.text) => ("of an older text".to_owned(), Role::Thin),
        Some(result) if result.complete => (format!("held of {runs} runs each"), Role::Quiet),
        result => {
            let least = result.as_ref().and_then(|result| {
                let counts = result.points.iter().filter(|point| !point.refused);
                counts.map(|point| point.briefs.len()).min()
            });
            let made = least.unwrap_or(0);
            (format!("{made} of {runs} runs each"), Role::Quiet)
        }
    };
    let right = area.right().saturating_sub(1);
    let style = theme.role(role);
    put_right(buffer, right, area.y, area.width / 2, &words, style);
}

/// The values of the first number below, those of the second at the left; those of the marked pair
/// stand out, those that stand in the mission have a sign.
fn labels(grid: &Gridding, theme: Theme, at: Cells, area: Rect, buffer: &mut Buffer) {
    let [first, second] = &grid.job.axes;
    let marked = [
        grid.at() % grid.job.columns(),
        grid.at() / grid.job.columns(),
    ];
    let style = |marked: bool, now: bool| {
        theme.role(match (marked, now) {
            (true, _) => Role::Accent,
            (false, true) => Role::Text,
            (false, false) => Role::Quiet,
        })
    };
    let rows = second.values.iter().enumerate();
    for (row, value) in rows.skip(at.first[1]).take(at.rows) {
        let y = at.bottom - at.tall * ((row - at.first[1]) as u16 + 1);
        let (now, wide) = (*value == second.now, at.x.saturating_sub(area.x + 1));
        let style = style(row == marked[1], now);
        put_right(buffer, at.x - 1, y, wide, &value.to_string(), style);
        if now {
            put(buffer, at.x - 1, y, 1, "▸", theme.role(Role::Text));
        }
    }
    // The marked value first; of the others those that have room beside it and beside each other.
    let mut order: Vec<usize> = (at.first[0]..at.first[0] + at.columns).collect();
    order.sort_by_key(|column| (*column != marked[0], *column));
    let mut taken: Vec<(u16, u16)> = Vec::new();
    for column in order {
        let value = first.values[column];
        let now = value == first.now;
        let words = format!("{}{value}", if now { "▴" } else { "" });
        let wide = columns(&words);
        let middle = at.x + at.wide * (column - at.first[0]) as u16 + at.wide / 2;
        let most = area.right().saturating_sub(wide);
        let from = middle.saturating_sub(wide / 2).min(most);
        let (least, most) = (from.saturating_sub(1), from + wide);
        if taken.iter().any(|(a, b)| least < *b && *a <= most) {
            continue;
        }
        taken.push((from, from + wide));
        let style = style(column == marked[0], now);
        put(buffer, from, at.bottom, wide, &words, style);
    }
}

/// A cell for each pair.
fn pairs(grid: &Gridding, theme: Theme, at: Cells, buffer: &mut Buffer) {
    let Some(result) = &grid.result else { return };
    let block = grid.holds();
    let per_row = grid.job.columns();
    for (nth, point) in result.points.iter().enumerate() {
        let (column, row) = (nth % per_row, nth / per_row);
        let seen = [
            column.wrapping_sub(at.first[0]),
            row.wrapping_sub(at.first[1]),
        ];
        if seen[0] >= at.columns || seen[1] >= at.rows {
            continue;
        }
        let held = point.held();
        let words = match held.of {
            _ if point.refused => "✗".to_owned(),
            0 => "·".to_owned(),
            _ => held.times.to_string(),
        };
        let marked = nth == grid.at();
        let words = if marked { format!("[{words}]") } else { words };
        let inside = block
            .as_ref()
            .is_some_and(|block| block.contains([column, row]));
        let role = share_role(held);
        let style = match (marked, inside) {
            (true, _) => theme.patch(Role::Accent).add_modifier(Modifier::BOLD),
            (false, true) => theme.patch(Role::Good),
            (false, false) => theme.role(role),
        };
        let y = at.bottom - at.tall * (seen[1] as u16 + 1);
        let x = at.x + at.wide * seen[0] as u16;
        let whole = format!("{words:^wide$}", wide = usize::from(at.wide));
        put(buffer, x, y, at.wide, &whole, style);
        if at.tall > 1 && (marked || inside) {
            let empty = " ".repeat(usize::from(at.wide));
            put(buffer, x, y + 1, at.wide, &empty, style);
        }
    }
}
