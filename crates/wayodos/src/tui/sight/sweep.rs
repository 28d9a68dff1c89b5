//! What the sweep tab says, and which columns its values have.

use ratatui::layout::Rect;
use wayodos_core::lab::sweep::{Point, window};

use crate::tui::model::{Model, Sweeping};
use crate::tui::theme::Role;

/// Columns left of the plot: the shares.
pub(in crate::tui) const LEFT: u16 = 7;

/// Whether the text is another one than the one that was swept.
pub fn is_old(model: &Model, text: &str) -> bool {
    *model.mission().text != *text
}

/// The column of a value in the plot.
pub(in crate::tui) fn column(area: Rect, count: usize, at: usize) -> u16 {
    let room = f64::from(area.width.saturating_sub(LEFT + 3));
    let share = at as f64 / (count.max(2) - 1) as f64;
    area.x + LEFT + (share * room).round() as u16
}

/// What is found out so far, in a sentence.
pub fn verdict(sweep: &Sweeping) -> (String, Role) {
    let Some(result) = &sweep.result else {
        return ("the runs are being made".into(), Role::Quiet);
    };
    let values = &sweep.job.swept.values;
    let so_far = if result.complete { "" } else { " so far" };
    match window(&result.points) {
        Some(part) if part.len() == values.len() => (
            format!(
                "holds over the whole span{so_far}, {} to {}",
                values[0],
                values[values.len() - 1]
            ),
            Role::Good,
        ),
        Some(part) if part.len() == 1 => (
            format!("holds only at {}{so_far}", values[part.start]),
            Role::Thin,
        ),
        Some(part) => (
            format!(
                "holds from {} to {}{so_far}",
                values[part.start],
                values[part.end - 1]
            ),
            Role::Good,
        ),
        None if result.points.iter().all(|point| point.held().times == 0) => {
            (format!("no run held at any value{so_far}"), Role::Wrong)
        }
        None => (
            format!("no value holds 19 times in 20{so_far}"),
            Role::Wrong,
        ),
    }
}

/// What came of one value, in a sentence.
pub fn about(point: &Point) -> String {
    came_of(&point.value.to_string(), point)
}

/// What came of one of several texts, in a sentence.
///
/// - `name`: what tells it from the others
pub fn came_of<V>(name: &str, point: &Point<V>) -> String {
    if point.refused {
        return format!("{name}: the mission cannot be run so");
    }
    let held = point.held();
    if held.of == 0 {
        return format!("{name}: nothing known yet");
    }
    let time = point
        .seconds()
        .map_or_else(String::new, |seconds| format!(", {seconds:.1} s"));
    let score = point.score().map_or_else(String::new, |score| {
        format!(", {} points", (score * 10.0).round() / 10.0)
    });
    let margin = point.margin.map_or_else(String::new, |margin| {
        format!(", thinnest decision {margin:.0}")
    });
    format!(
        "{name}: held {} ({}){time}{score}{margin}",
        held.words(),
        held.interval_words()
    )
}
