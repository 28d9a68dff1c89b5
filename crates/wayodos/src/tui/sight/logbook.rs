//! What the logbook screen says of its entries.

use ratatui::layout::{Position, Rect};

use crate::logbook::{Entry, differences};
use crate::tui::layout::{Areas, files_beside};
use crate::tui::model::Model;

/// Rows above the list: what is shown, and what the columns are.
pub(in crate::tui) const HEAD: u16 = 2;

/// The list, and what is beside it; below it where there is no room beside.
pub(in crate::tui) fn parts(areas: &Areas) -> (Rect, Rect) {
    /// Rows of a list that has something below it, at least.
    const LEAST: u16 = 8;
    let whole = areas.whole();
    let (list, beside) = files_beside(whole);
    if beside.width > 0 || whole.height < 2 * LEAST {
        return (list, beside);
    }
    let height = whole.height / 2;
    let list = Rect { height, ..whole };
    let below = Rect {
        y: whole.y + height,
        height: whole.height - height,
        ..whole
    };
    (list, below)
}

/// The entry of the list at a place of the screen.
pub fn row_at(model: &Model, areas: &Areas, at: Position) -> Option<usize> {
    let (list, _) = parts(areas);
    let row = usize::from(at.y.checked_sub(list.y + HEAD)?) + model.logbook.scroll;
    (list.contains(at) && row < model.logbook.shown().len()).then_some(row)
}

/// What became of the mission from one entry to another, in a sentence.
pub(in crate::tui) fn effect(old: &Entry, new: &Entry) -> String {
    let nominal = if old.outcome == new.outcome {
        format!("{}, both", new.outcome)
    } else {
        format!("{} → {}", old.outcome, new.outcome)
    };
    let held = |entry: &Entry| {
        entry.held.map_or_else(
            || "not spread".to_owned(),
            |held| format!("held {} ({})", held.words(), held.interval_words()),
        )
    };
    if old.held.is_none() && new.held.is_none() {
        return nominal;
    }
    format!("{} → {}. {nominal}", held(old), held(new))
}

/// What differs between the texts of two entries; none while they are being read.
pub(in crate::tui) fn changed(model: &Model, old: &Entry, new: &Entry) -> Option<Vec<String>> {
    let files = &model.logbook.files;
    Some(differences(files.get(&old.id)?, files.get(&new.id)?))
}

/// The entries of a mission that were spread to the end, the oldest first.
pub(in crate::tui) fn curve<'a>(model: &'a Model, mission: &str) -> Vec<&'a Entry> {
    let spread = |entry: &&Entry| entry.mission == mission && entry.held.is_some();
    let mut all: Vec<&Entry> = model.logbook.entries.iter().filter(spread).collect();
    all.reverse();
    all
}
