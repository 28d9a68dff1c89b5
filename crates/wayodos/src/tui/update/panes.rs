//! The panes beside the text: what part of the field is seen, and which row of which tab is marked.

use super::super::layout::Pane;
use super::super::model::{Camera, Cursor, Model, Side};
use super::super::sight;
use super::super::sight::side::score_of;
use super::super::theme::Role;
use super::effect::Effect;
use super::{gridded, lists, offers, spread, swept, texts, time, tuned};

pub(super) fn pan(model: &mut Model, right: f64, up: f64) {
    let Some((setup, areas)) = model.setup.clone().zip(model.areas()) else {
        return;
    };
    let view = sight::field::view(model, &setup.field, areas.field);
    let (width, height) = view.seen();
    let centre = view.centre();
    let at = |value: f64, most: f64| value.clamp(0.0, most);
    model.field.camera.follow = false;
    model.field.camera.centre = Some(wayodos_core::field::Point::new(
        at(centre.x + right * width / 6.0, setup.field.width),
        at(centre.y + up * height / 6.0, setup.field.height),
    ));
}

pub(super) fn zoom_field(model: &mut Model, by: f64) {
    let zoom = (model.field.camera.zoom * by).clamp(1.0, 40.0);
    if model.field.camera.centre.is_none()
        && !model.field.camera.follow
        && let Some((setup, areas)) = model.setup.clone().zip(model.areas())
    {
        // Nearer to where the robot is: that is what one wants to see better.
        let robot = sight::field::robot_place(model);
        model.field.camera.centre =
            robot.or_else(|| Some(sight::field::view(model, &setup.field, areas.field).centre()));
    }
    model.field.camera.zoom = zoom;
    if zoom <= 1.0 {
        model.field.camera = Camera::FIT;
    }
}

pub(super) fn fit(model: &mut Model) {
    match model.focus {
        Pane::Field => model.field.camera = Camera::FIT,
        _ => model.chart.span = None,
    }
}

pub(super) fn side_row(model: &mut Model, by: isize) {
    let count = sight::side::count(model);
    if count > 0 {
        model.side.row = model
            .side
            .row
            .min(count - 1)
            .saturating_add_signed(by)
            .min(count - 1);
    }
}

pub(super) fn turn_side(model: &mut Model, by: usize) {
    let at = Side::ALL
        .iter()
        .position(|side| *side == model.side.shown)
        .unwrap_or(0);
    show_side(model, Side::ALL[(at + by) % Side::ALL.len()]);
}

pub(super) fn turn_track(model: &mut Model, right: bool) {
    let count = model
        .setup
        .as_ref()
        .map_or(0, |setup| setup.robot.sensors.len());
    if count > 0 {
        model.chart.track.0 = (model.chart.track.0 + if right { 1 } else { count - 1 }) % count;
    }
}

/// Opens the marked row of the map, or closes it.
pub(super) fn fold(model: &mut Model, open: bool) {
    let key = sight::side::map_rows(model)
        .get(model.side.row)
        .and_then(|row| row.key.clone());
    let Some((name, holds)) = key else { return };
    // Steps are closed to begin with, what holds steps is open.
    if open == holds {
        model.side.folded.remove(&name);
    } else {
        model.side.folded.insert(name);
    }
}

/// Shows a tab of the side pane, with its first row marked.
pub(super) fn show_side(model: &mut Model, side: Side) {
    model.open_tab(side);
    if side == Side::Map {
        model.side.row = sight::side::row_of_line(model, model.doc.cursor.line);
    }
}

/// A key for a tab: there with the arrows, or back to the text when they are there already.
pub(super) fn to_side(model: &mut Model, side: Side) {
    let there = model.focus == Pane::Side && model.side.shown == side;
    if there {
        (model.focus, model.side.open) = (Pane::Text, false);
        if model.zoom == Some(Pane::Side) {
            model.zoom = None;
        }
        return;
    }
    show_side(model, side);
    (model.focus, model.side.open) = (Pane::Side, true);
    if model.zoom.is_some() {
        model.zoom = Some(Pane::Side);
    }
}

pub(super) fn open_side(model: &mut Model, effects: &mut Vec<Effect>) {
    match model.side.shown {
        Side::Why => {
            texts::to_mission(model);
            offers::remedies(model);
            lists::attempt_first(model, effects);
        }
        Side::Spread => spread::open(model, effects),
        Side::Sweep if model.grid.is_some() => gridded::take(model, effects),
        Side::Sweep => swept::take(model, effects),
        Side::Tune => tuned::take(model, effects),
        Side::Track => time::pin(model),
        Side::Map => {
            if let Some(line) = sight::side::map_line(model) {
                texts::to_mission(model);
                model.doc.cursor = Cursor { line, nth: 0 };
                time::time_to_step(model);
            }
        }
        Side::Score => {
            let first = score_of(model).and_then(|(report, lines)| {
                lines
                    .get(model.side.row)?
                    .first
                    .map(|tick| report.run.trace.seconds(tick))
            });
            match first {
                Some(at) => time::set(model, at),
                None => model.say(Role::Quiet, "nothing has earned this line"),
            }
        }
        Side::Robot => texts::to_robot_key(model, effects),
        Side::Findings => {
            offers::fixes(model, effects);
            lists::attempt_first(model, effects);
        }
    }
}
