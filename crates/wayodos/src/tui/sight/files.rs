//! Where the rows of the project screen stand.

use ratatui::layout::Position;

use crate::tui::layout::{Areas, files_beside};

/// The row of the list at a place of the screen.
pub fn row_at(areas: &Areas, at: Position) -> Option<usize> {
    let (list, _) = files_beside(areas.whole());
    list.contains(at).then(|| usize::from(at.y - list.y))
}
