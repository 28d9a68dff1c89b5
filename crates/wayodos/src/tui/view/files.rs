//! The project screen: the files on the left, the marked one as a picture on the right.

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Modifier;
use wayodos_core::field::{Field, Pose};
use wayodos_core::robot::Robot;
use wayodos_report::{Item, Placement, ground_items, leg_items, robot_items};

use super::drawing;
use super::pen::{put, put_right};
use crate::shelf::{Entry, Kind};
use crate::survey::{Card, End, MissionCard};
use crate::tui::cells::Cells;
use crate::tui::files::FileRow;
use crate::tui::layout::{Areas, files_beside};
use crate::tui::measure::{columns, wrapped};
use crate::tui::model::Model;
use crate::tui::theme::{Role, Theme};

/// The picture as last painted: it changes only with the marked file, what is known of it, and the
/// pane.
#[derive(Default)]
pub struct Kept {
    key: Option<(String, u64, Rect)>,
    cells: Option<Buffer>,
}

/// Draws the screen between its bars.
pub fn draw(
    model: &Model,
    look: (Theme, Cells),
    kept: &mut Kept,
    areas: &Areas,
    buffer: &mut Buffer,
) {
    let (theme, cells) = look;
    let (list, beside) = files_beside(areas.whole());
    let files = &model.files;
    if files.entries.is_empty() {
        put(
            buffer,
            list.x + 2,
            list.y + 1,
            list.width - 3,
            "looking through the project",
            theme.role(Role::Quiet),
        );
        return;
    }
    for (row, y) in files
        .rows()
        .iter()
        .skip(files.scroll)
        .zip(list.y..list.bottom())
    {
        let line = Rect {
            y,
            height: 1,
            ..list
        };
        match row {
            FileRow::Gap => {}
            FileRow::Heading(kind) => heading(model, *kind, theme, line, buffer),
            FileRow::File(index) => file(model, *index, theme, line, buffer),
        }
    }
    let below = files
        .rows()
        .len()
        .saturating_sub(files.scroll + usize::from(list.height));
    if below > 0 {
        let words = format!(" {below} more below ");
        put_right(
            buffer,
            list.right() - 1,
            list.bottom() - 1,
            list.width,
            &words,
            theme.role(Role::Quiet),
        );
    }
    if let (Some(entry), true) = (files.marked(), beside.width > 0) {
        preview(model, entry, (theme, cells), kept, beside, buffer);
    }
}

/// Where the columns of a mission's row stand: its robot, its field, its end.
fn stops(line: Rect) -> [u16; 3] {
    let wide = line.width;
    if wide >= 115 {
        [line.x + 28, line.x + 44, line.x + 60]
    } else {
        [line.x + 22, line.x + 34, line.x + 46]
    }
}

fn heading(model: &Model, kind: Kind, theme: Theme, line: Rect, buffer: &mut Buffer) {
    let style = theme.role(Role::Accent).add_modifier(Modifier::BOLD);
    let count = model
        .files
        .entries
        .iter()
        .filter(|entry| entry.kind == kind)
        .count();
    let x = put(
        buffer,
        line.x + 1,
        line.y,
        line.width - 1,
        kind.title(),
        style,
    ) + 1;
    if kind == Kind::Mission {
        for (x, words) in stops(line)
            .into_iter()
            .zip(["robot", "field", "how it ends"])
        {
            put(
                buffer,
                x,
                line.y,
                line.right().saturating_sub(x),
                words,
                theme.role(Role::Quiet),
            );
        }
    } else {
        put(
            buffer,
            x,
            line.y,
            line.right().saturating_sub(x),
            &count.to_string(),
            theme.role(Role::Quiet),
        );
    }
}

fn file(model: &Model, index: usize, theme: Theme, line: Rect, buffer: &mut Buffer) {
    let entry = &model.files.entries[index];
    let here = index == model.files.at;
    if here {
        buffer.set_style(line, theme.patch(Role::Accent));
    }
    let style = |role: Role| {
        if here {
            theme.patch(Role::Accent)
        } else {
            theme.role(role)
        }
    };
    let right = line.right().saturating_sub(1);
    let open = entry.path == model.project.config.mission;
    if open {
        put(buffer, line.x + 1, line.y, 1, "▸", style(Role::Accent));
    }
    let x = line.x + 3;
    let [robot, field, end] = stops(line);
    match model.files.card(entry) {
        Some(Card::Mission(card)) => {
            let unsaved = if open {
                model.doc.unsaved()
            } else {
                card.draft
            };
            let name = if unsaved {
                format!("{} •", entry.name)
            } else {
                entry.name.clone()
            };
            put(buffer, x, line.y, robot - x - 1, &name, style(Role::Word));
            put(
                buffer,
                robot,
                line.y,
                field - robot - 1,
                stem(&card.robot),
                style(Role::Text),
            );
            put(
                buffer,
                field,
                line.y,
                end - field - 1,
                stem(&card.field),
                style(Role::Text),
            );
            let (words, role) = end_words(&card.end);
            put(
                buffer,
                end,
                line.y,
                right.saturating_sub(end),
                &words,
                style(role),
            );
        }
        card => {
            let (words, role) = card.map_or(("looking".to_owned(), Role::Quiet), |card| {
                facts(model, entry, card)
            });
            let x = put(
                buffer,
                x,
                line.y,
                (robot - x - 1).max(20),
                &entry.name,
                style(Role::Word),
            )
            .max(robot - 1)
                + 1;
            put(
                buffer,
                x,
                line.y,
                right.saturating_sub(x),
                &words,
                style(role),
            );
        }
    }
}

fn stem(path: &str) -> &str {
    let file = path.rsplit('/').next().unwrap_or(path);
    file.rsplit_once('.').map_or(file, |(stem, _)| stem)
}

fn end_words(end: &End) -> (String, Role) {
    match end {
        End::Well(words) => (format!("✓ {words}"), Role::Good),
        End::Badly(words) => (format!("✗ {words}"), Role::Wrong),
        End::Errors(1) => ("✗ cannot run: 1 error".to_owned(), Role::Wrong),
        End::Errors(count) => (format!("✗ cannot run: {count} errors"), Role::Wrong),
        End::Empty => ("no steps yet".to_owned(), Role::Quiet),
    }
}

/// What is said of a file beside its name.
fn facts(model: &Model, entry: &Entry, card: &Card) -> (String, Role) {
    let (missions, fields) = model.files.used(&entry.path);
    let rival = counted(fields, "field", "s").map(|fields| format!("rival on {fields}"));
    let used: Vec<String> = counted(missions, "mission", "s")
        .into_iter()
        .chain(rival)
        .collect();
    let counts = matches!(entry.kind, Kind::Robot | Kind::Field | Kind::Calibration);
    let used = if used.is_empty() && counts {
        "no mission plays with it".to_owned()
    } else {
        used.join(", ")
    };
    let facts = facts_of(card);
    let dot = if facts.is_empty() || used.is_empty() {
        ""
    } else {
        " · "
    };
    (format!("{facts}{dot}{used}"), role_of(card))
}

const fn role_of(card: &Card) -> Role {
    match card {
        Card::Robot(None, _) | Card::Field(None, _) | Card::Unreadable(_) => Role::Wrong,
        _ => Role::Quiet,
    }
}

fn facts_of(card: &Card) -> String {
    match card {
        Card::Robot(Some(robot), _) => robot.name.clone(),
        Card::Field(Some(field), _) => {
            format!("{:.0} x {:.0} mm", field.width * 1e3, field.height * 1e3)
        }
        Card::Robot(None, count) | Card::Field(None, count) => {
            format!("✗ {count} error{}", if *count == 1 { "" } else { "s" })
        }
        Card::Unreadable(why) => format!("✗ {why}"),
        Card::Text(_) | Card::Mission(_) => String::new(),
    }
}

// ---- the marked file

fn preview(
    model: &Model,
    entry: &Entry,
    look: (Theme, Cells),
    kept: &mut Kept,
    area: Rect,
    buffer: &mut Buffer,
) {
    let (theme, cells) = look;
    let card = model.files.card(entry);
    let lines = about(model, entry, card);
    let words = area.width.saturating_sub(2);
    let rows: Vec<(&str, Role)> = lines
        .iter()
        .flat_map(|(line, role)| wrapped(line, words).map(|row| (row, *role)))
        .collect();
    let room = area.height.saturating_sub(rows.len() as u16 + 2);
    let pane = Rect {
        x: area.x + 1,
        width: words,
        y: area.y + 1,
        height: room,
    };
    let key = (entry.path.clone(), model.files.looks, pane);
    if kept.key.as_ref() != Some(&key) {
        kept.cells = picture(card, pane).map(|items| {
            let mut picture = Buffer::empty(pane);
            drawing::draw(&items, theme, cells, pane, &mut picture);
            picture
        });
        kept.key = Some(key);
    }
    let mut y = area.y + 1;
    if let Some(picture) = kept.cells.as_ref().filter(|_| pane.height >= 4) {
        for place in pane.positions() {
            buffer[place] = picture[place].clone();
        }
        y = drawn_to(card, pane) + 1;
    }
    for ((row, role), y) in rows.into_iter().zip(y..area.bottom()) {
        put(buffer, area.x + 1, y, words, row, theme.role(role));
    }
    if let Some(Card::Text(text)) = card {
        for (line, y) in text.lines().zip(y + 3..area.bottom()) {
            put(buffer, area.x + 1, y, words, line, theme.role(Role::Quiet));
        }
    }
}

/// The last row that the picture needs.
fn drawn_to(card: Option<&Card>, pane: Rect) -> u16 {
    if let Some(Card::Robot(Some(robot), _)) = card {
        return pane.y + (robot_place(robot, pane).2 / 2.0) as u16;
    }
    let Some(field) = card.and_then(field_of) else {
        return pane.bottom();
    };
    let place = placed(field, pane);
    pane.y + (field.height * place.scale / 2.0).ceil() as u16
}

fn field_of(card: &Card) -> Option<&Field> {
    match card {
        Card::Mission(card) => card.report.as_ref().map(|report| &*report.world.field),
        Card::Field(field, _) => field.as_deref(),
        _ => None,
    }
}

/// The field at the top of a pane.
fn placed(field: &Field, pane: Rect) -> Placement {
    let (width, height) = (f64::from(pane.width), 2.0 * f64::from(pane.height));
    let fits = Placement::within(field, 0.0, 0.0, width, height);
    Placement { top: 0.0, ..fits }
}

/// What the marked file looks like.
fn picture(card: Option<&Card>, pane: Rect) -> Option<Vec<Item>> {
    if pane.width < 8 || pane.height < 4 {
        return None;
    }
    match card? {
        Card::Mission(card) => run_picture(card, pane),
        Card::Field(Some(field), _) => Some(ground_items(field, &placed(field, pane))),
        Card::Robot(Some(robot), _) => Some(robot_picture(robot, pane)),
        _ => None,
    }
}

fn run_picture(card: &MissionCard, pane: Rect) -> Option<Vec<Item>> {
    let report = card.report.as_ref()?;
    let place = placed(&report.world.field, pane);
    let mut items = ground_items(&report.world.field, &place);
    items.extend(leg_items(
        &report.run.trace,
        report.run.legs.iter().copied(),
        &place,
        0.7,
    ));
    if let Some(tick) = report.run.trace.ticks.last() {
        items.extend(robot_items(&report.world.robot, tick.pose, &place));
    }
    Some(items)
}

/// The robot in the middle of the upper part of a pane, as large as it goes; and the scene
/// millimetres that it takes down.
fn robot_place(robot: &Robot, pane: Rect) -> (Placement, Pose, f64) {
    let (width, height) = (f64::from(pane.width), 2.0 * f64::from(pane.height));
    let [back, ahead, right, left] = drawing::reach(robot);
    let (long, wide) = ((ahead - back) * 1.2, (left - right) * 1.3);
    let scale = (width / long).min(height / wide).max(1.0);
    // Whole rows.
    let down = (wide * scale / 2.0).ceil() * 2.0;
    // A field just as large as what is shown.
    let place = Placement {
        left: 0.0,
        top: 0.0,
        scale,
        height: down / scale,
    };
    let pose = Pose {
        x: width / scale / 2.0 - f64::midpoint(back, ahead),
        y: place.height / 2.0 - f64::midpoint(right, left),
        heading: 0.0,
    };
    (place, pose, down)
}

/// A robot from above, looking to the right.
fn robot_picture(robot: &Robot, pane: Rect) -> Vec<Item> {
    let (place, pose, down) = robot_place(robot, pane);
    // Lines a hundred millimetres apart give the size.
    let mut items = drawing::lined_ground(f64::from(pane.width), down, 0.1 * place.scale);
    items.extend(robot_items(robot, pose, &place));
    items
}

/// What is said below the picture.
fn about(model: &Model, entry: &Entry, card: Option<&Card>) -> Vec<(String, Role)> {
    let mut lines = vec![(entry.path.clone(), Role::Quiet)];
    match card {
        None => lines.push(("looking".into(), Role::Quiet)),
        Some(Card::Mission(card)) => {
            lines.insert(0, (card.title.clone(), Role::Word));
            lines.push(end_words(&card.end));
            lines.push((
                format!(
                    "robot: {}   field: {}",
                    stem(&card.robot),
                    stem(&card.field)
                ),
                Role::Text,
            ));
            let calibration = card
                .calibration
                .as_deref()
                .unwrap_or("none, so without error");
            lines.push((format!("calibration: {calibration}"), Role::Text));
            if card.first {
                lines.push(("the project opens with it".into(), Role::Quiet));
            }
            if entry.path == model.project.config.mission {
                let words = if model.doc.unsaved() {
                    "open now, with edits that are not saved"
                } else {
                    "open now"
                };
                lines.push((words.into(), Role::Accent));
            } else if card.draft {
                lines.push((
                    "has edits that are not saved: they come back when it is opened".into(),
                    Role::Accent,
                ));
            }
        }
        Some(Card::Robot(Some(robot), _)) => {
            lines.insert(0, (robot.name.clone(), Role::Word));
            lines.push((robot_words(robot), Role::Text));
            lines.push(("the lines are 100 mm apart".into(), Role::Quiet));
        }
        Some(Card::Field(Some(field), _)) => {
            let starts: Vec<&str> = field
                .starts
                .iter()
                .map(|start| start.name.as_str())
                .collect();
            lines.push((
                format!("{:.0} x {:.0} mm", field.width * 1e3, field.height * 1e3),
                Role::Text,
            ));
            lines.push((format!("starts: {}", starts.join(", ")), Role::Text));
        }
        Some(Card::Robot(None, count) | Card::Field(None, count)) => {
            let s = if *count == 1 { "" } else { "s" };
            lines.push((
                format!("✗ {count} error{s}: `wayodos check` lists them, E opens the text"),
                Role::Wrong,
            ));
        }
        Some(Card::Unreadable(why)) => lines.push((format!("✗ {why}"), Role::Wrong)),
        Some(Card::Text(_)) => {}
    }
    lines
}

/// A number of things in words; nothing of none.
fn counted(count: usize, one: &str, s: &str) -> Option<String> {
    match count {
        0 => None,
        1 => Some(format!("1 {one}")),
        more => Some(format!("{more} {one}{s}")),
    }
}

fn robot_words(robot: &Robot) -> String {
    let drives = if robot.steering.is_some() {
        "steers like a car"
    } else {
        "two driven wheels"
    };
    let parts = [
        Some(drives.to_owned()),
        counted(robot.sensors.len(), "floor sensor", "s"),
        counted(robot.rangers.len(), "ranging sensor", "s"),
        counted(robot.touches.len(), "touch switch", "es"),
        counted(robot.actuators.len(), "actuator", "s"),
        counted(robot.signals.len(), "signal", "s"),
        robot.gyro.as_ref().map(|_| "a gyro".to_owned()),
        Some(format!("{:.0} g", robot.mass * 1e3)),
    ];
    parts.into_iter().flatten().collect::<Vec<_>>().join(", ")
}

/// The line about the marked file.
pub fn status(model: &Model, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let files = &model.files;
    let known = files
        .entries
        .iter()
        .filter(|entry| files.card(entry).is_some())
        .count();
    let words = if known < files.entries.len() {
        format!("looked at {known} of {} files", files.entries.len())
    } else {
        let well = files
            .missions()
            .filter(|(_, card)| matches!(card.end, End::Well(_)))
            .count();
        format!(
            "{well} of {} missions end as planned",
            files.missions().count()
        )
    };
    let end = put_right(
        buffer,
        area.right() - 1,
        area.y,
        area.width / 2,
        &words,
        theme.role(Role::Quiet),
    );
    if let Some(entry) = files.marked() {
        let room = end.saturating_sub(area.x + 3);
        let words = format!("{}: {}", entry.kind.one(), entry.path);
        if columns(&words) <= room {
            put(
                buffer,
                area.x + 1,
                area.y,
                room,
                &words,
                theme.role(Role::Text),
            );
        }
    }
}
