//! What the sweep tab says of two numbers at once, and where each pair stands.

use ratatui::layout::Rect;
use wayodos_core::lab::grid::Pair;
use wayodos_core::lab::sweep::Point;

use crate::grids::words;
use crate::tui::measure::columns;
use crate::tui::model::Gridding;
use crate::tui::sight::sweep::came_of;
use crate::tui::theme::Role;

/// Rows above the cells: the names, the verdict.
const ABOVE: u16 = 2;
/// Rows below them: the first number's values, a line, what came of the marked pair.
const BELOW: u16 = 4;

/// Where the cells stand.
#[derive(Clone, Copy, Debug)]
pub struct Cells {
    /// Left end of the first column.
    pub x: u16,
    /// Behind the last row, which is the first of the values.
    pub bottom: u16,
    /// Columns of a cell.
    pub wide: u16,
    /// Rows of a cell.
    pub tall: u16,
    /// How many columns of cells have room.
    pub columns: usize,
    /// How many rows of cells have room.
    pub rows: usize,
    /// The first column and row that are seen: the marked pair is among them.
    pub first: [usize; 2],
}

/// Where the cells stand in the tab.
pub fn cells(grid: &Gridding, area: Rect) -> Cells {
    let [first, second] = &grid.job.axes;
    let widest = |values: &[wayodos_core::units::Quantity]| {
        let wide = values.iter().map(|value| columns(&value.to_string()));
        wide.max().unwrap_or(0)
    };
    let left = widest(&second.values) + 2;
    let room = area.width.saturating_sub(left + 1);
    let wide = (room / first.values.len().max(1) as u16).clamp(4, 9);
    let height = area.height.saturating_sub(ABOVE + BELOW);
    let tall = (height / second.values.len().max(1) as u16).clamp(1, 2);
    let rows = usize::from(height / tall).min(second.values.len());
    let columns = usize::from(room / wide).min(first.values.len());
    let per_row = first.values.len();
    let marked = [grid.at() % per_row, grid.at() / per_row];
    Cells {
        first: [
            (marked[0] + 1).saturating_sub(columns),
            (marked[1] + 1).saturating_sub(rows),
        ],
        x: area.x + left,
        bottom: area.y + ABOVE + rows as u16 * tall,
        wide,
        tall,
        columns,
        rows,
    }
}

/// What is found out so far, in a sentence.
pub fn verdict(grid: &Gridding) -> (String, Role) {
    let Some(result) = &grid.result else {
        return ("the runs are being made".into(), Role::Quiet);
    };
    let block = grid.holds();
    let any = result.points.iter().any(|point| point.held().times > 0);
    let so_far = if result.complete { "" } else { ", so far" };
    let role = if block.is_some() {
        Role::Good
    } else {
        Role::Wrong
    };
    (
        format!("{}{so_far}", words(&grid.job, block.as_ref(), any)),
        role,
    )
}

/// What came of one pair, in a sentence.
pub fn about(grid: &Gridding, point: &Point<Pair>) -> String {
    let [first, second] = &grid.job.axes;
    let [a, b] = point.value;
    let name = format!("{} {a}, {} {b}", first.name, second.name);
    came_of(&name, point)
}
