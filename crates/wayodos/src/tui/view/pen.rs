//! Text and grounds in cells.

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Style;

use crate::tui::measure::{columns, pieces};
use crate::tui::theme::{Role, Theme};

/// Writes text from a column on, at most `width` columns of it; the column behind it. What does not
/// fit ends in "…".
pub(super) fn put(
    buffer: &mut Buffer,
    x: u16,
    y: u16,
    width: u16,
    text: &str,
    style: Style,
) -> u16 {
    let fits = columns(text) <= width;
    let room = if fits { width } else { width.saturating_sub(1) };
    let mut at = x;
    for (_, piece, wide) in pieces(text) {
        if at + wide > x + room {
            break;
        }
        if wide > 0 {
            buffer[(at, y)].set_symbol(piece).set_style(style);
            for behind in 1..wide {
                buffer[(at + behind, y)].set_symbol(" ").set_style(style);
            }
        }
        at += wide;
    }
    if !fits && width > 0 {
        buffer[(at, y)].set_symbol("…").set_style(style);
        at += 1;
    }
    at
}

/// Draws a line over the first row of an area.
pub(super) fn rule(buffer: &mut Buffer, area: Rect, style: Style) {
    let hair = "─".repeat(usize::from(area.width));
    put(buffer, area.x, area.y, area.width, &hair, style);
}

/// Writes text so that it ends at a column (which it does not fill); the column it starts at.
pub(super) fn put_right(
    buffer: &mut Buffer,
    end: u16,
    y: u16,
    width: u16,
    text: &str,
    style: Style,
) -> u16 {
    let wide = columns(text).min(width);
    let x = end.saturating_sub(wide);
    put(buffer, x, y, wide, text, style);
    x
}

/// Gives a row of cells one ground.
pub(super) fn paint_row(buffer: &mut Buffer, area: Rect, y: u16, style: Style) {
    buffer.set_style(Rect::new(area.x, y, area.width, 1), style);
}

/// Says at the edge that there is more above or below.
pub(super) fn more_mark(scroll: usize, rows: usize, area: Rect, theme: Theme, buffer: &mut Buffer) {
    if area.height == 0 {
        return;
    }
    let x = area.right() - 1;
    if scroll > 0 {
        put(buffer, x, area.y, 1, "↑", theme.role(Role::Quiet));
    }
    if scroll + usize::from(area.height) < rows {
        put(
            buffer,
            x,
            area.bottom() - 1,
            1,
            "↓",
            theme.role(Role::Quiet),
        );
    }
}

/// Draws the ground and the sign of a marked row.
pub(super) fn mark_row(theme: Theme, list: Rect, y: u16, focused: bool, buffer: &mut Buffer) {
    let row = Rect {
        y,
        height: 1,
        ..list
    };
    paint_row(
        buffer,
        row,
        y,
        theme.on(theme.role(Role::Text), theme.raised()),
    );
    let role = if focused { Role::Accent } else { Role::Quiet };
    put(buffer, list.x, y, 1, "›", theme.role(role));
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_does_not_fit_ends_in_a_sign() {
        let mut buffer = Buffer::empty(Rect::new(0, 0, 8, 1));
        let behind = put(&mut buffer, 1, 0, 4, "a\u{7}bcdef", Style::new());
        let row: String = (0..8).map(|x| buffer[(x, 0)].symbol().to_owned()).collect();
        assert_eq!((row.as_str(), behind), (" a·b…   ", 5));
    }
}
