//! Where the rows of lists and of the help stand.

use ratatui::layout::{Position, Rect};

use crate::tui::finder::Finder;
use crate::tui::keymap::{Group, groups};
use crate::tui::model::ScreenName;

pub(in crate::tui) fn tall(groups: &[&Group]) -> u16 {
    groups.iter().map(|group| group.rows.len() as u16 + 2).sum()
}

/// The columns of the keys in an area, and how wide each is: as few as will do, and no wider than
/// they must be.
pub(in crate::tui) fn help_columns(
    screen: ScreenName,
    (width, height): (u16, u16),
) -> (Vec<Vec<&'static Group>>, u16) {
    const WIDE: u16 = 48;
    const NARROW: u16 = 36;
    let most = (width.saturating_sub(4) / NARROW).max(2);
    let fits = |columns: &Vec<Vec<&Group>>| columns.iter().all(|groups| tall(groups) < height);
    let columns = (1..=most)
        .map(|count| spread(screen, count))
        .find(fits)
        .unwrap_or_else(|| spread(screen, most));
    let wide = (width.saturating_sub(4) / columns.len() as u16).min(WIDE);
    (columns, wide)
}

/// How many rows of keys there are on a screen of a size.
pub fn help_rows(screen: ScreenName, (width, height): (u16, u16)) -> usize {
    let (columns, _) = help_columns(screen, (width, height.saturating_sub(1)));
    let rows = columns.iter().map(|groups| tall(groups)).max().unwrap_or(0);
    usize::from(rows.saturating_sub(height.saturating_sub(4)))
}

/// The groups of keys in this many columns, those of one group together.
pub(in crate::tui) fn spread(screen: ScreenName, count: u16) -> Vec<Vec<&'static Group>> {
    let rows: usize = groups(screen)
        .iter()
        .map(|group| group.rows.len() + 2)
        .sum();
    let share = rows.div_ceil(usize::from(count));
    let mut columns: Vec<Vec<&Group>> = vec![Vec::new()];
    let mut used = 0;
    for group in groups(screen) {
        let wants = group.rows.len() + 2;
        if used > 0 && used + wants / 2 > share && columns.len() < usize::from(count) {
            columns.push(Vec::new());
            used = 0;
        }
        used += wants;
        if let Some(column) = columns.last_mut() {
            column.push(group);
        }
    }
    columns
}

/// Where the rows of a list stand within its area, and the first that is shown.
pub(in crate::tui) fn list_rows(finder: &Finder, area: Rect) -> (Rect, usize) {
    let inside = Rect {
        x: area.x + 1,
        y: area.y + 2,
        width: area.width.saturating_sub(2),
        height: area
            .height
            .saturating_sub(if area.width >= WIDE { 3 } else { 4 }),
    };
    let first = (finder.at + 1).saturating_sub(usize::from(inside.height));
    (inside, first)
}

/// From here on there is room for what a row does beside what it says.
pub(in crate::tui) const WIDE: u16 = 110;

/// The row of a list at a place of the screen.
pub fn row_at(finder: &Finder, area: Rect, at: Position) -> Option<usize> {
    let (rows, first) = list_rows(finder, area);
    rows.contains(at)
        .then(|| first + usize::from(at.y - rows.y))
}

/// From this many columns on, notes stand beside the mission in words.
pub const NOTES_BESIDE: u16 = 136;
