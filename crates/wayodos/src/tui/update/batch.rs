//! What every question that needs many runs begins with: a whole run of the text as it stands, and a
//! tab that shows the answer as it grows.

use std::sync::Arc;

use wayodos_core::project::Setup;

use super::super::layout::Pane;
use super::super::model::{Model, Side};
use super::super::theme::Role;
use super::panes;
use crate::work::RunReport;

/// The whole run of the mission as it stands, and what it was made with; none, and it says so, while
/// there is none.
pub(super) fn whole_run(model: &mut Model) -> Option<(Arc<RunReport>, Arc<Setup>)> {
    let text = &model.mission().text;
    let report = model
        .own_report()
        .filter(|report| model.pending.is_none() && report.piece.is_none() && report.text == *text);
    let ready = report.cloned().zip(model.setup.clone());
    if ready.is_none() {
        model.say(Role::Thin, "there must be a whole run of the mission first");
    }
    ready
}

/// Shows the tab in which the answer grows.
pub(super) fn show(model: &mut Model, side: Side) {
    panes::show_side(model, side);
    (model.focus, model.side.open) = (Pane::Side, true);
    if model.zoom.is_some() {
        model.zoom = Some(Pane::Side);
    }
}
