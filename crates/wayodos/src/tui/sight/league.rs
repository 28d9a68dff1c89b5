//! What the league screen says, and where its rows stand.

use ratatui::layout::Position;

use super::logbook::parts;
use crate::leagues::{League, Match};
use crate::tui::layout::Areas;
use crate::tui::model::Model;
use wayodos_core::lab::league::Tally;

/// Rows above the table: what is played, and what the columns are.
pub(in crate::tui) const HEAD: u16 = 2;

/// The row of the table at a place of the screen.
pub fn row_at(model: &Model, areas: &Areas, at: Position) -> Option<usize> {
    let (table, _) = parts(areas);
    let row = usize::from(at.y.checked_sub(table.y + HEAD)?);
    let count = model.league.as_ref()?.job.who.len();
    (table.contains(at) && row < count).then_some(row)
}

/// How the matches of two came out, in a sentence as the first sees them.
///
/// - `here`: with the first on our side, or with the second
pub(in crate::tui) fn side(all: &League, first: usize, second: usize, here: bool) -> String {
    let matches = if here {
        all.between(first, second)
    } else {
        all.between(second, first)
    };
    let seen = |one: &Match| {
        if here {
            one.tally()
        } else {
            one.tally().seen_from_there()
        }
    };
    if matches.is_empty() {
        return "no match yet".to_owned();
    }
    let Tally { won, drawn, lost } = matches.iter().map(seen).fold(Tally::default(), Tally::and);
    let some: Vec<String> = matches
        .iter()
        .filter(|one| seen(one).lost > 0)
        .take(8)
        .map(|one| one.number.to_string())
        .collect();
    let which = match (lost, some.as_slice()) {
        (0, _) => String::new(),
        (1, [one]) => format!(": match {one}"),
        (more, some) if more as usize > some.len() => format!(": matches {} ...", some.join(", ")),
        (_, some) => format!(": matches {}", some.join(", ")),
    };
    format!("won {won}, drawn {drawn}, lost {lost}{which}")
}
