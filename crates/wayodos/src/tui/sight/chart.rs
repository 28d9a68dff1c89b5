//! Where the time runs in the strip chart.

use ratatui::layout::Rect;
use wayodos_report::Ribbon;

use crate::tui::model::Model;

/// Columns for the names of the tracks and their values at the cursor.
pub(in crate::tui) fn names(area: Rect) -> u16 {
    match area.width {
        100.. => 24,
        // The name of a tone and its sensor's beside each other.
        76..100 => 20,
        _ => 15,
    }
}

/// Where the time axis runs: first column, and how many.
pub(in crate::tui) fn plot_columns(area: Rect) -> (u16, u16) {
    let names = names(area);
    (area.x + names, area.width.saturating_sub(names + 1).max(1))
}

/// The time at a column of the chart; the names stand for its beginning.
pub fn time_at(model: &Model, area: Rect, column: u16) -> Option<f64> {
    let chart = &model.report.as_ref()?.chart;
    let (left, width) = plot_columns(area);
    let (from, to) = model.chart.span.unwrap_or((0.0, chart.end));
    (column < area.right()).then(|| {
        let share =
            f64::from(column.saturating_sub(left)) / f64::from(width.saturating_sub(1).max(1));
        from + share.min(1.0) * (to - from)
    })
}

/// Columns and times of the pane.
pub struct Axis {
    pub(in crate::tui) left: u16,
    pub(in crate::tui) width: u16,
    /// Seconds at its left end.
    pub from: f64,
    /// Seconds at its right end.
    pub to: f64,
}

impl Axis {
    /// How far along a time is, 0 to 1.
    pub fn share(&self, seconds: f64) -> f64 {
        ((seconds - self.from) / (self.to - self.from)).clamp(0.0, 1.0)
    }

    pub(in crate::tui) fn column(&self, seconds: f64) -> u16 {
        self.left + (self.share(seconds) * f64::from(self.width.saturating_sub(1))).round() as u16
    }

    /// The dot of a time, two in a column.
    pub(in crate::tui) fn dot(&self, seconds: f64) -> i32 {
        (self.share(seconds) * f64::from(2 * self.width.saturating_sub(1))).round() as i32
    }

    /// Whether any of a time is in sight.
    pub fn shows(&self, from: f64, to: f64) -> bool {
        to >= self.from - 1e-9 && from <= self.to + 1e-9
    }
}

/// The ribbons in sight in the order of drawing: what is seen for a moment only must not vanish
/// under what is seen for long.
pub fn in_order<'a>(ribbons: &'a [Ribbon], axis: &Axis) -> Vec<&'a Ribbon> {
    let mut order: Vec<&Ribbon> = ribbons
        .iter()
        .filter(|ribbon| axis.shows(ribbon.from, ribbon.to))
        .collect();
    order.sort_by(|a, b| (b.to - b.from).total_cmp(&(a.to - a.from)));
    order
}
