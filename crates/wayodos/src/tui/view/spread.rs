//! The spread tab: how often the mission holds, what the other runs died of, what goes with that.

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Modifier;
use wayodos_core::lab::causes::Cause;

use super::pen::{mark_row, more_mark, put, put_right};
use crate::tui::layout::Pane;
use crate::tui::measure::{columns, wrapped};
use crate::tui::model::Model;
use crate::tui::sight::side::SPREAD_MORE;
use crate::tui::sight::spread::{SpreadRow, below, headline, marked_cause, rows};
use crate::tui::theme::{Role, Theme};

/// Draws the tab.
pub fn draw(model: &Model, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let (x, room) = (area.x + 1, area.width.saturating_sub(2));
    let (words, role) = headline(model);
    let style = theme.role(role).add_modifier(Modifier::BOLD);
    put(buffer, x, area.y, room, &words, style);
    let Some(result) = &model.many.result else {
        return;
    };
    let wanted = result.spread.wanted;
    if !result.spread.is_complete() {
        let words = format!("{} of {wanted} made", result.summary.held.of);
        put_right(
            buffer,
            area.right() - 1,
            area.y,
            room / 2,
            &words,
            theme.role(Role::Quiet),
        );
    }
    let sure = format!(
        "95 % sure: it holds {} of the time",
        result.summary.held.interval_words()
    );
    put(buffer, x, area.y + 1, room, &sure, theme.role(Role::Quiet));
    let rows = rows(model);
    let kept_below = below(model, area.height, SPREAD_MORE);
    let list = Rect {
        y: area.y + 2,
        height: area.height.saturating_sub(kept_below + 2),
        ..area
    };
    let cause = marked_cause(model);
    let focused = model.focus == Pane::Side;
    let marked: Vec<&SpreadRow> = rows.iter().filter(|row| row.opens.is_some()).collect();
    let mut y = list.y;
    for (index, row) in marked.iter().enumerate().skip(model.side.scroll) {
        if y >= list.bottom() {
            break;
        }
        if index == model.side.row {
            mark_row(theme, list, y, focused, buffer);
        }
        row_line(row, theme, list, y, buffer);
        y += 1;
    }
    more_mark(model.side.scroll, marked.len(), list, theme, buffer);
    // Sentences below the list, as far as there is room; a gap only where all of them have.
    let said: Vec<&SpreadRow> = rows
        .iter()
        .filter(|row| row.wraps && cause.is_none())
        .collect();
    let lines = said.iter().map(|row| wrapped(&row.words, room).count());
    if usize::from(list.bottom().saturating_sub(y)) > lines.sum() {
        y += 1;
    }
    for row in said {
        let style = theme.role(row.role.unwrap_or(Role::Text));
        for line in wrapped(&row.words, room) {
            if y < list.bottom() {
                put(buffer, x, y, room, line, style);
                y += 1;
            }
        }
    }
    let y = list.bottom();
    let hair = "┈".repeat(usize::from(area.width));
    put(buffer, area.x, y, area.width, &hair, theme.role(Role::Hair));
    let Some(marked) = marked.get(model.side.row) else {
        return;
    };
    let mut y = y + 1;
    for line in wrapped(&marked.more, room).take(usize::from(SPREAD_MORE)) {
        put(buffer, x, y, room, line, theme.role(Role::Text));
        y += 1;
    }
    if let Some(cause) = cause {
        let chart = Rect {
            y,
            height: area.bottom().saturating_sub(y),
            ..area
        };
        cause_chart(cause, theme, chart, buffer);
    }
}

/// Columns left of a chart: its shares.
const LEFT: u16 = 7;

/// How many runs failed over the value of a cause: a bar for each bin, and where the limit is.
fn cause_chart(cause: &Cause, theme: Theme, area: Rect, buffer: &mut Buffer) {
    const EIGHTHS: [&str; 8] = ["▁", "▂", "▃", "▄", "▅", "▆", "▇", "█"];
    // A row for the values below the bars.
    let rows = area.height.saturating_sub(1);
    let (from, to) = (area.x + LEFT, area.right().saturating_sub(2));
    if rows < 2 || to < from + 10 {
        return;
    }
    let quiet = theme.role(Role::Quiet);
    let [least, most] = cause.span();
    let column = |off: f64| {
        let share = (off - least) / (most - least).max(1e-12);
        from + (share * f64::from(to - from)).round() as u16
    };
    put_right(buffer, from - 1, area.y, LEFT, "100 %", quiet);
    put_right(buffer, from - 1, area.y + rows - 1, LEFT, "0 %", quiet);
    for x in from..=to {
        put(buffer, x, area.y + rows - 1, 1, "▁", theme.role(Role::Hair));
    }
    let mut next = from;
    for bin in cause.bins() {
        // Beside each other, however narrow they are.
        let start = column(bin.from).max(next);
        let end = column(bin.to).max(start);
        next = end + 1;
        let share = bin.failed.value().unwrap_or(0.0);
        let eighths = (share * f64::from(rows) * 8.0).round() as u16;
        let bar = theme.role(Role::Wrong);
        for row in 0..rows {
            let full = eighths.saturating_sub(row * 8).min(8);
            if full > 0 {
                let sign = EIGHTHS[usize::from(full) - 1];
                for x in start..=end.min(to) {
                    put(buffer, x, area.y + rows - 1 - row, 1, sign, bar);
                }
            }
        }
    }
    let y = area.y + rows;
    let mut label = |x: u16, words: &str, role: Role| {
        let wide = columns(words);
        let last = area.right().saturating_sub(wide + 1);
        let x = x.saturating_sub(wide / 2).clamp(area.x + 1, last);
        put(buffer, x, y, wide, words, theme.role(role));
    };
    label(from, &cause.amount(least), Role::Quiet);
    label(to, &cause.amount(most), Role::Quiet);
    for limit in cause.limits() {
        label(column(limit), &cause.amount(limit), Role::Accent);
    }
    for limit in cause.limits() {
        let x = column(limit);
        for row in 0..rows {
            put(buffer, x, area.y + row, 1, "┊", theme.role(Role::Accent));
        }
    }
}

/// Columns of an interval: `98 to 100 %`.
const INTERVAL: u16 = 11;

/// One row: its step, what, and how often.
fn row_line(row: &SpreadRow, theme: Theme, area: Rect, y: u16, buffer: &mut Buffer) {
    let right = area.right().saturating_sub(2);
    let mut x = area.x + 1;
    if let Some(step) = row.step {
        let number = format!(" {} ", step.number());
        x = put(buffer, x, y, 4, &number, theme.step_patch(step)) + 1;
    }
    let end = match row.share {
        Some(share) => {
            let quiet = theme.role(Role::Quiet);
            let end = put_right(
                buffer,
                right,
                y,
                area.width / 3,
                &share.interval_words(),
                quiet,
            );
            let style = theme
                .role(row.role.unwrap_or(Role::Text))
                .add_modifier(Modifier::BOLD);
            // Below each other, however wide the interval is.
            let end = end.min(right.saturating_sub(INTERVAL)).saturating_sub(2);
            put_right(buffer, end, y, area.width / 3, &share.words(), style)
        }
        None => put_right(
            buffer,
            right,
            y,
            area.width / 2,
            &row.note,
            theme.role(Role::Quiet),
        ),
    };
    put(
        buffer,
        x,
        y,
        end.saturating_sub(x + 1),
        &row.words,
        theme.role(Role::Text),
    );
}
