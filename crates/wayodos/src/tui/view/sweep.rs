//! The sweep tab: how often it holds over the values of a number, with how sure that is.

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};
use wayodos_core::lab::sweep::{HOLDS, Point, window};

use super::pen::{put, put_right};
use crate::tui::measure::{columns, wrapped};
use crate::tui::model::{Model, Sweeping};
use crate::tui::sight::spread::share_role;
use crate::tui::sight::sweep::{LEFT, about, column, is_old, verdict};
use crate::tui::theme::{Role, Theme};

/// Rows below the plot: the values, the signs, a line, what is said.
const BELOW: u16 = 6;

/// Draws the tab.
pub fn draw(model: &Model, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let (x, room) = (area.x + 1, area.width.saturating_sub(2));
    if let Some(grid) = &model.grid {
        return super::grid::draw(model, grid, theme, area, buffer);
    }
    let Some(sweep) = &model.sweep else {
        let words = "~ on a number of the mission tries it over a span: how often each value holds, and the widest stretch that does.";
        for (row, line) in wrapped(words, room)
            .take(usize::from(area.height))
            .enumerate()
        {
            let y = area.y + row as u16;
            put(buffer, x, y, room, line, theme.role(Role::Quiet));
        }
        return;
    };
    let (words, role) = verdict(sweep);
    let bold = theme.role(role).add_modifier(Modifier::BOLD);
    let name = format!("{}: ", sweep.job.swept.name);
    let behind = put(buffer, x, area.y, room, &name, theme.role(Role::Word));
    put(
        buffer,
        behind,
        area.y,
        (x + room).saturating_sub(behind),
        &words,
        bold,
    );
    note(model, sweep, theme, area, buffer);
    let plot = Rect {
        y: area.y + 1,
        height: area.height.saturating_sub(1 + BELOW),
        ..area
    };
    if plot.height >= 3 {
        plotted(sweep, theme, plot, buffer);
    }
    let y = plot.bottom();
    labels(sweep, theme, area, y, buffer);
    let hair = "┈".repeat(usize::from(area.width));
    put(
        buffer,
        area.x,
        y + 2,
        area.width,
        &hair,
        theme.role(Role::Hair),
    );
    let Some(result) = &sweep.result else { return };
    let point = &result.points[sweep.at()];
    let style = theme.role(Role::Text);
    for (row, line) in wrapped(&about(point), room).take(3).enumerate() {
        put(buffer, x, y + 3 + row as u16, room, line, style);
    }
}

/// At the right of the first line: how far it is, or that it is old.
fn note(model: &Model, sweep: &Sweeping, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let (words, role) = match &sweep.result {
        _ if is_old(model, &sweep.job.text) => ("of an older text".to_owned(), Role::Thin),
        Some(result) if result.complete => (
            format!("{} x {} runs", result.points.len(), sweep.job.runs),
            Role::Quiet,
        ),
        result => {
            let least = result.as_ref().and_then(|result| {
                let counts = result.points.iter().filter(|point| !point.refused);
                counts.map(|point| point.briefs.len()).min()
            });
            let made = least.unwrap_or(0);
            (
                format!("{made} of {} runs each", sweep.job.runs),
                Role::Quiet,
            )
        }
    };
    put_right(
        buffer,
        area.right().saturating_sub(1),
        area.y,
        area.width / 3,
        &words,
        theme.role(role),
    );
}

/// The shares: a point for each value, a line for how sure it is, the stretch that holds raised.
fn plotted(sweep: &Sweeping, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let count = sweep.job.swept.values.len();
    let rows = f64::from(area.height - 1);
    let row = |share: f64| area.y + ((1.0 - share) * rows).round() as u16;
    let quiet = theme.role(Role::Quiet);
    for (share, words) in [(1.0, "100 %"), (0.5, "50 %"), (0.0, "0 %")] {
        put_right(buffer, area.x + LEFT - 1, row(share), LEFT, words, quiet);
    }
    let hair = theme.role(Role::Hair);
    let (from, to) = (column(area, count, 0), column(area, count, count - 1));
    for x in from..=to {
        put(buffer, x, row(HOLDS), 1, "┈", hair);
        put(buffer, x, row(0.0), 1, "┈", hair);
    }
    let Some(result) = &sweep.result else { return };
    if let Some(part) = window(&result.points) {
        let ground = theme.on(Style::new(), theme.raised());
        let (from, to) = (
            column(area, count, part.start),
            column(area, count, part.end - 1),
        );
        buffer.set_style(Rect::new(from, area.y, to - from + 1, area.height), ground);
    }
    let marked = sweep.at();
    for (at, point) in result.points.iter().enumerate() {
        let x = column(area, count, at);
        one(point, at == marked, theme, (x, &row), buffer);
    }
}

fn one(
    point: &Point,
    marked: bool,
    theme: Theme,
    (x, row): (u16, &dyn Fn(f64) -> u16),
    buffer: &mut Buffer,
) {
    if point.refused {
        put(buffer, x, row(0.0), 1, "✗", theme.role(Role::Wrong));
        return;
    }
    let share = point.held();
    let Some(value) = share.value() else { return };
    let (low, high) = share.interval();
    let line = theme.role(if marked { Role::Accent } else { Role::Quiet });
    for y in row(high)..=row(low) {
        put(buffer, x, y, 1, "│", line);
    }
    let sign = if marked { "◆" } else { "●" };
    let role = if marked {
        Role::Accent
    } else {
        share_role(share)
    };
    let style = theme.role(role).add_modifier(Modifier::BOLD);
    put(buffer, x, row(value), 1, sign, style);
}

/// Below the plot: the values at its ends, the one that stands in the text, the marked one.
fn labels(sweep: &Sweeping, theme: Theme, area: Rect, y: u16, buffer: &mut Buffer) {
    let swept = &sweep.job.swept;
    let count = swept.values.len();
    let marked = sweep.at();
    let now = swept.values.iter().position(|value| *value == swept.now);
    let mut label = |at: usize, y: u16, words: &str, role: Role| {
        let wide = columns(words);
        let least = area.x + 1;
        let most = area.right().saturating_sub(wide + 1).max(least);
        let x = column(area, count, at)
            .saturating_sub(wide / 2)
            .clamp(least, most);
        put(buffer, x, y, wide, words, theme.role(role));
    };
    label(0, y, &swept.values[0].to_string(), Role::Quiet);
    label(
        count - 1,
        y,
        &swept.values[count - 1].to_string(),
        Role::Quiet,
    );
    label(marked, y, &swept.values[marked].to_string(), Role::Accent);
    if let Some(now) = now {
        // The sign stands right below its value, the words on the side where there is room.
        let (x, words) = (column(area, count, now), format!("now {}", swept.now));
        let wide = columns(&words);
        put(buffer, x, y + 1, 1, "▴", theme.role(Role::Text));
        let left = x + 2 + wide >= area.right();
        let at = if left {
            x.saturating_sub(wide + 1)
        } else {
            x + 2
        };
        put(buffer, at, y + 1, wide, &words, theme.role(Role::Text));
    }
}
