//! The robot from above beside its text, nose up, and what it can do.

use std::sync::Arc;

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Modifier;
use wayodos_core::field::Pose;
use wayodos_core::robot::Robot;
use wayodos_core::units::math::FRAC_PI_2;
use wayodos_report::ink;
use wayodos_report::{Item, Layer, Placement, Shape, Stroke, built_items};

use super::drawing;
use super::pen::{mark_row, more_mark, put, rule};
use crate::tui::cells::Cells;
use crate::tui::layout::Pane;
use crate::tui::measure::{columns, wrapped};
use crate::tui::model::Model;
use crate::tui::sight::robot::{device, is_newest, rows};
use crate::tui::sight::side::MORE;
use crate::tui::theme::{Role, Theme};

/// The drawing as last painted: it changes with the robot, the marked device and the pane.
#[derive(Default)]
pub struct Kept {
    key: Option<(Arc<Robot>, Option<String>, Rect)>,
    cells: Option<Buffer>,
}

/// A device that has a place on the robot: its name, and the row that its name stands in.
struct Named<'a> {
    name: &'a str,
    /// Ahead of the axle and left of the middle, metres.
    at: (f64, f64),
    row: u16,
}

/// Metres between the lines of the ground.
const LINES: f64 = 0.05;

/// Draws the pane.
pub fn draw(model: &Model, look: (Theme, Cells), kept: &mut Kept, area: Rect, buffer: &mut Buffer) {
    let (theme, cells) = look;
    let quiet = theme.role(Role::Quiet);
    rule(buffer, area, theme.role(Role::Hair));
    let Some(setup) = &model.setup else {
        let words = "the robot, as soon as its file can be read";
        put(buffer, area.x + 1, area.y + 1, area.width - 2, words, quiet);
        return;
    };
    let robot = &setup.robot;
    let title = format!(" {} ", robot.name);
    put(
        buffer,
        area.x + 1,
        area.y,
        area.width - 2,
        &title,
        theme.role(Role::Word),
    );
    let pane = Rect {
        x: area.x + 1,
        y: area.y + 1,
        width: area.width - 1,
        height: area.height - 1,
    };
    let marked = device(model);
    let (place, pose) = placed(robot, pane);
    let named = named(robot, pane, &place, pose);
    let key = (Arc::clone(robot), marked.clone(), pane);
    if kept.key.as_ref() != Some(&key) {
        let items = items(robot, (&place, pose), pane, &named, marked.as_deref());
        let mut picture = Buffer::empty(pane);
        drawing::draw(&items, theme, cells, pane, &mut picture);
        (kept.key, kept.cells) = (Some(key), Some(picture));
    }
    let Some(picture) = &kept.cells else { return };
    for at in pane.positions() {
        buffer[at] = picture[at].clone();
    }
    let style = |name: &str| {
        if marked.as_deref() == Some(name) {
            theme.role(Role::Accent).add_modifier(Modifier::BOLD)
        } else {
            theme.role(Role::Text)
        }
    };
    let most = names_width(robot, pane);
    let x = pane.right() - most;
    for one in &named {
        put(buffer, x, one.row, most, one.name, style(one.name));
    }
    let size = format!(
        "{:.0} x {:.0} mm, lines {:.0} mm apart",
        robot.length * 1e3,
        robot.width * 1e3,
        LINES * 1e3
    );
    put(buffer, pane.x, pane.bottom() - 1, pane.width, &size, quiet);
}

/// Columns for the names to the right of the robot.
fn names_width(robot: &Robot, pane: Rect) -> u16 {
    let longest = robot
        .devices()
        .filter(|device| device.place.is_some())
        .map(|device| columns(device.name))
        .max();
    longest.unwrap_or(0).min(pane.width / 3)
}

/// The robot beside the names, nose up; a scene millimetre is a cell across and half a cell down.
fn placed(robot: &Robot, pane: Rect) -> (Placement, Pose) {
    let width = f64::from(pane.width - names_width(robot, pane)) - 1.0;
    let height = 2.0 * f64::from(pane.height) - 2.0;
    let [back, ahead, right, left] = drawing::reach(robot);
    let scale = ((width - 3.0) / (left - right)).min((height - 3.0) / (ahead - back));
    let scale = scale.max(1.0);
    let place = Placement {
        left: 0.0,
        top: 0.0,
        scale,
        height: height / scale,
    };
    let pose = Pose {
        x: width / scale / 2.0 + f64::midpoint(right, left),
        y: place.height / 2.0 - f64::midpoint(back, ahead),
        heading: FRAC_PI_2,
    };
    (place, pose)
}

/// The devices with a place, each name in a row of its own: those ahead of the axle from the left
/// one down, those behind it from the right one down, so that their lines do not cross.
fn named<'a>(robot: &'a Robot, pane: Rect, place: &Placement, pose: Pose) -> Vec<Named<'a>> {
    let all: Vec<(&str, (f64, f64))> = robot
        .devices()
        .filter_map(|device| Some((device.name, device.place?)))
        .collect();
    let (mut front, mut back): (Vec<_>, Vec<_>) = all.into_iter().partition(|(_, at)| at.0 >= 0.0);
    front.sort_by(|a, b| b.1.1.total_cmp(&a.1.1));
    back.sort_by(|a, b| a.1.1.total_cmp(&b.1.1));
    let row_of = |at: (f64, f64)| {
        let [_, down] = place.at(pose.place(at.0, at.1));
        pane.y + ((down / 2.0).max(0.0) as u16).min(pane.height.saturating_sub(2))
    };
    let mut named = Vec::new();
    let mut free = pane.y;
    for group in [front, back] {
        let rows: Vec<u16> = group.iter().map(|(_, at)| row_of(*at)).collect();
        let Some(first) = rows.iter().min() else {
            continue;
        };
        // Around the rows of their places, a row apart where there is room for it.
        let mut row = first.saturating_sub(group.len() as u16).max(free);
        for (name, at) in group {
            if row + 1 < pane.bottom() {
                named.push(Named { name, at, row });
            }
            row += 2;
        }
        free = row;
    }
    named
}

fn items(
    robot: &Robot,
    (place, pose): (&Placement, Pose),
    pane: Rect,
    named: &[Named<'_>],
    marked: Option<&str>,
) -> Vec<Item> {
    let width = f64::from(pane.width - names_width(robot, pane)) - 1.0;
    let height = 2.0 * f64::from(pane.height) - 2.0;
    let mut items = drawing::lined_ground(width, height, LINES * place.scale);
    items.extend(built_items(robot, pose, place));
    for one in named {
        let [x, y] = place.at(pose.place(one.at.0, one.at.1));
        let is_marked = marked == Some(one.name);
        let (colour, thick) = if is_marked {
            (ink::WRONG, 0.7)
        } else {
            (ink::QUIET, 0.3)
        };
        let row = 2.0 * f64::from(one.row - pane.y) + 1.0;
        items.push(Item::drawn(
            Layer::Robot,
            Shape::Line(vec![[width, row], [x, y]]),
            Stroke::full(colour, thick),
        ));
        if is_marked {
            let ring = Shape::Disc {
                at: [x, y],
                radius: (0.009 * place.scale).max(1.6),
            };
            items.push(Item::drawn(
                Layer::Robot,
                ring,
                Stroke::full(ink::WRONG, 0.8),
            ));
        }
    }
    items
}

/// The tab of what the robot can do.
pub fn list(model: &Model, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let rows = rows(model);
    let quiet = theme.role(Role::Quiet);
    if rows.is_empty() {
        let words = "what the robot can do is being worked out";
        put(buffer, area.x + 1, area.y, area.width - 1, words, quiet);
        return;
    }
    let list = Rect {
        height: area.height.saturating_sub(MORE + 1),
        ..area
    };
    let focused = model.focus == Pane::Side;
    let about = rows
        .iter()
        .map(|row| columns(&row.about))
        .max()
        .unwrap_or(0)
        .min(16);
    let spoken = device(model);
    // Of a robot that has changed since: the next answer is on its way.
    let said = if is_newest(model) {
        Role::Text
    } else {
        Role::Quiet
    };
    for ((index, row), y) in rows
        .iter()
        .enumerate()
        .skip(model.side.scroll)
        .zip(list.y..list.bottom())
    {
        if index == model.side.row {
            mark_row(theme, list, y, focused, buffer);
        }
        let accent = row.device.is_some() && row.device == spoken;
        let role = if accent { Role::Accent } else { Role::Word };
        put(buffer, list.x + 1, y, about, &row.about, theme.role(role));
        let x = list.x + about + 3;
        put(
            buffer,
            x,
            y,
            list.right().saturating_sub(x),
            &row.words,
            theme.role(said),
        );
    }
    more_mark(model.side.scroll, rows.len(), list, theme, buffer);
    let room = area.width.saturating_sub(2);
    let dots = "┈".repeat(usize::from(area.width));
    put(
        buffer,
        area.x,
        list.bottom(),
        area.width,
        &dots,
        theme.role(Role::Hair),
    );
    let Some(row) = rows.get(model.side.row) else {
        return;
    };
    let keys: Vec<&str> = row
        .from
        .iter()
        .map(|key| key.trim_start_matches("motor.left."))
        .collect();
    let more = [
        format!("{}: {}", row.about, row.words),
        format!("follows from {}", keys.join(", ")),
    ];
    let lines = more
        .iter()
        .zip([Role::Text, Role::Quiet])
        .flat_map(|(words, role)| wrapped(words, room).map(move |line| (line, role)));
    for ((line, role), y) in lines.zip(list.bottom() + 1..area.bottom()) {
        put(buffer, area.x + 1, y, room, line, theme.role(role));
    }
}
