//! Where everything stands on the screen: a pure function of its size, used by drawing and by the mouse alike.

use ratatui::layout::Rect;

/// The smallest screen that is drawn.
pub const LEAST: (u16, u16) = (80, 24);

/// A part of the screen that can be made as large as it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Pane {
    /// The mission.
    Text,
    /// The field.
    Field,
    /// The strip chart.
    Chart,
}

/// The parts of the screen. A pane that is not shown has no area.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Default)]
pub struct Areas {
    /// The line on top: what is open, and how it came out.
    pub title: Rect,
    /// The mission.
    pub text: Rect,
    /// The field.
    pub field: Rect,
    /// The line that says what the last edit changed.
    pub change: Rect,
    /// The strip chart.
    pub chart: Rect,
    /// The line about the moment under the cursor.
    pub status: Rect,
    /// The line of keys.
    pub hints: Rect,
}

/// The areas of a screen; none when it is too small. `aspect`: width of the field over its height.
pub fn layout(screen: Rect, zoom: Option<Pane>, aspect: f64) -> Option<Areas> {
    let (w, h) = (screen.width, screen.height);
    if w < LEAST.0 || h < LEAST.1 {
        return None;
    }
    let row = |y: u16| Rect::new(0, y, w, 1);
    let bars = Areas { title: row(0), change: row(h - 3), status: row(h - 2), hints: row(h - 1), ..Areas::default() };
    let (top, room) = (1, h - 4);
    let whole = Rect::new(0, top, w, room);
    Some(match zoom {
        Some(Pane::Text) => Areas { text: whole, ..bars },
        Some(Pane::Field) => Areas { field: whole, ..bars },
        Some(Pane::Chart) => Areas { chart: whole, ..bars },
        None if w >= 120 && h >= 30 => side_by_side(bars, w, top, room, aspect),
        None => stacked(bars, w, top, room, aspect),
    })
}

/// Mission beside field, chart below both.
fn side_by_side(bars: Areas, w: u16, top: u16, room: u16, aspect: f64) -> Areas {
    let chart = (room * 7 / 20).clamp(9, 20);
    let upper = room - chart;
    // A sentence with its evidence needs about 84 columns; the field takes what its shape can use of the rest.
    let wanted = (f64::from(upper) * 2.0 * aspect) as u16 + 2;
    let field = wanted.min(w - w * 56 / 100).min(w.saturating_sub(84)).max(36);
    Areas {
        text: Rect::new(0, top, w - field, upper),
        field: Rect::new(w - field, top, field, upper),
        chart: Rect::new(0, top + upper, w, chart),
        ..bars
    }
}

/// Mission on top; below it the field beside the chart.
fn stacked(bars: Areas, w: u16, top: u16, room: u16, aspect: f64) -> Areas {
    let lower = (room * 9 / 20).max(8);
    let upper = room - lower;
    let field = ((f64::from(lower) * 2.0 * aspect) as u16 + 1).clamp(16, w / 2);
    Areas {
        text: Rect::new(0, top, w, upper),
        field: Rect::new(0, top + upper, field, lower),
        chart: Rect::new(field, top + upper, w - field, lower),
        ..bars
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn panes_fill_the_screen_and_never_overlap() {
        for w in [80u16, 100, 119, 120, 160, 200, 300] {
            for h in [24u16, 29, 30, 40, 50, 90] {
                for aspect in [0.5, 1.33, 3.0] {
                    let areas = layout(Rect::new(0, 0, w, h), None, aspect).unwrap();
                    let panes =
                        [areas.title, areas.text, areas.field, areas.chart, areas.change, areas.status, areas.hints];
                    let total: u32 = panes.iter().map(|pane| u32::from(pane.width) * u32::from(pane.height)).sum();
                    assert_eq!(total, u32::from(w) * u32::from(h), "{w} x {h}, {aspect}");
                    for (index, pane) in panes.iter().enumerate() {
                        assert!(panes[..index].iter().all(|other| !other.intersects(*pane)), "{w} x {h}: {panes:?}");
                    }
                    assert!(areas.text.width >= 75 && areas.text.height >= 10, "{w} x {h}: {:?}", areas.text);
                }
            }
        }
        assert_eq!(layout(Rect::new(0, 0, 79, 24), None, 1.0), None);
    }
}
