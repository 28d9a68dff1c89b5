//! What the robot can do, row by row, and which of its devices is marked.

use wayodos_core::finding::Source;
use wayodos_report::{AbilityRow, ability_rows, device_of_line};

use crate::tui::document::Language;
use crate::tui::layout::Pane;
use crate::tui::model::{Model, Side};

/// The rows of the tab; none before they are worked out.
pub fn rows(model: &Model) -> Vec<AbilityRow> {
    let known = model.able.known.as_ref();
    known.map_or_else(Vec::new, |(robot, ability)| ability_rows(robot, ability))
}

/// Whether the rows are about the robot as its file now stands.
pub fn is_newest(model: &Model) -> bool {
    let known = model.able.known.as_ref().map(|(robot, _)| robot);
    known == model.setup.as_ref().map(|setup| &setup.robot)
}

/// The device that is spoken of: by the marked row, or by the line of the robot's file on which the
/// cursor stands.
pub fn device(model: &Model) -> Option<String> {
    if model.focus == Pane::Side && model.side.shown == Side::Robot {
        return rows(model).into_iter().nth(model.side.row)?.device;
    }
    if model.doc.language != Language::Settings(Source::Robot) {
        return None;
    }
    device_of_line(&model.doc.text, model.doc.cursor.line).map(str::to_owned)
}
