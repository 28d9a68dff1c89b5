//! The field pane: the mat drawn solid, the path over it in dots, the robot where the time cursor
//! is.
//!
//! Long because cells and pixels show the same things, side by side.

use std::sync::Arc;
use wayodos_core::ids::{ActuatorId, RangerId, StepId};

use ratatui::buffer::Buffer;
use ratatui::layout::{Position, Rect};
use ratatui::style::{Color, Modifier};
use wayodos_core::field::{Field, Point, Pose};
use wayodos_core::finding::line_column;
use wayodos_core::lab::spread::{Brief, SAMPLED};
use wayodos_core::lab::sweep::Point as Tried;
use wayodos_core::record::{Leg, PropKind, Trace};
use wayodos_core::sim::Chance;
use wayodos_report::ink::{BODY, PAPER, Rgb, TEXT, WRONG, tint};
use wayodos_report::words::signal_words;
use wayodos_report::{
    Anchor, Canvas as PixelCanvas, Fan, Item as SceneItem, Layer, MarkKind, Placement, Scene,
    arm_items, ghost_items, gone_items, ground_items, leg_items, prop_items, rasterise, rectangle,
    robot_items, tick_step,
};

use super::pen::put;
use crate::tui::cells::{Cell, Cells, Dots, Grid, quantise};
use crate::tui::layout::Pane;
use crate::tui::measure::{columns, wrapped};
use crate::tui::model::{Model, Side};
use crate::tui::picture::Picture;
use crate::tui::sight::field::{View, pose_at, rest, robot_pose, view};
use crate::tui::theme::{Depth, Role, Theme};
use crate::work::{RunId, RunReport};

/// The former path.
const GHOST: Rgb = Rgb(128, 92, 84);
/// What a ranging sensor looks at, and how far braking takes.
const BEAM: Rgb = Rgb(150, 96, 0);

/// The mat and the robot as last painted: they change only with the pane, the field and the moment.
#[derive(Default)]
pub struct Kept {
    key: Option<Key>,
    cells: Vec<Cell>,
    /// The newest picture, what it was made of, and whether the last frame shows it.
    picture: Option<(Picture, PictureKey)>,
    /// The part of it that stays.
    stays: Option<(PixelCanvas, StaysKey)>,
    pictured: bool,
}

impl Kept {
    /// The picture below the last frame.
    pub const fn picture(&self) -> Option<&Picture> {
        match &self.picture {
            Some((picture, _)) if self.pictured => Some(picture),
            _ => None,
        }
    }

    /// The next frame shows no picture unless it is drawn.
    pub const fn no_picture(&mut self) {
        self.pictured = false;
    }
}

/// What a picture is made of: what moves, what stays, what is written on it.
type PictureKey = (Key, StaysKey, Vec<Written>);

/// The very same thing, kept for as long as something else is compared with it.
struct Same<T>(Arc<T>);

impl<T> Clone for Same<T> {
    fn clone(&self) -> Self {
        Self(Arc::clone(&self.0))
    }
}

impl<T> PartialEq for Same<T> {
    fn eq(&self, other: &Self) -> bool {
        Arc::ptr_eq(&self.0, &other.0)
    }
}

/// What the part of a picture depends on that stays while time goes on: the field, both runs, and
/// where the shown one ends.
#[derive(Clone, PartialEq)]
struct StaysKey {
    area: Rect,
    field: Same<Field>,
    place: [u64; 3],
    runs: [Option<RunId>; 2],
    end: u64,
    pixels: (usize, usize),
    many: Option<u64>,
}

/// Which paths are drawn as a fan.
fn fan_key(model: &Model) -> Option<u64> {
    let looked_at = model.side.shown == Side::Sweep && model.focus == Pane::Side;
    let sweep = looked_at && (model.sweep.is_some() || model.grid.is_some());
    let starts = model.proof.as_ref().filter(|proof| !proof.ranked);
    let shown = sweep || starts.is_some() || model.many.drawn().is_some();
    let which = u64::from(sweep) + 2 * u64::from(starts.is_some());
    shown.then(|| model.many.stamp * 4 + which)
}

/// What a picture is painted on.
struct Canvas {
    ground: Rgb,
    /// Pixels of a cell.
    pixels: (usize, usize),
    /// What is written on it.
    written: Vec<Written>,
}

/// A sign in a cell of the pane.
#[derive(Clone, Debug, PartialEq)]
struct Written {
    x: u16,
    y: u16,
    sign: String,
    ink: Option<Rgb>,
    ground: Option<Rgb>,
}

/// How the field is drawn.
#[derive(Clone, Copy)]
pub struct Manner {
    /// Colours.
    pub theme: Theme,
    /// What is around the field in a picture.
    pub ground: Rgb,
    /// Which block characters there are.
    pub cells: Cells,
    /// Pixels of a cell, when it is to be a picture.
    pub pixels: Option<(usize, usize)>,
}

#[derive(Clone, PartialEq)]
struct Key {
    area: Rect,
    field: Same<Field>,
    place: [u64; 3],
    pose: Option<[u64; 3]>,
    /// Where everything else is, and how the robot's arms stand.
    others: Vec<u64>,
    /// Which of the many runs are drawn.
    many: Option<u64>,
}

/// Draws the pane.
pub fn draw(model: &Model, how: Manner, kept: &mut Kept, area: Rect, buffer: &mut Buffer) {
    let Manner {
        theme,
        ground,
        cells,
        pixels,
    } = how;
    let Some(setup) = &model.setup else {
        return not_drawn(model, theme, area, buffer);
    };
    let field = &setup.field;
    let view = view(model, field, area);
    let place = view.place;
    let report = model.report.as_deref();
    let pose = robot_pose(model);
    let few = matches!(theme.depth, Depth::Mono | Depth::Sixteen);
    let cells = if few && cells != Cells::Ascii {
        Cells::Half
    } else {
        cells
    };
    let key = Key {
        area,
        field: Same(Arc::clone(field)),
        place: [place.left, place.top, place.scale].map(f64::to_bits),
        pose: pose.map(|pose| [pose.x, pose.y, pose.heading].map(f64::to_bits)),
        others: report.map_or_else(Vec::new, |report| {
            others(&report.run.trace, model.player.time)
        }),
        many: fan_key(model),
    };
    if let Some((across, down)) = pixels {
        for y in area.y..area.bottom() {
            for x in area.x..area.right() {
                buffer[(x, y)].reset();
            }
        }
        // Pixels have all colours, whatever letters can have.
        labels(model, &view, theme.in_full(), area, buffer);
        // The picture lies over the cells: what is written there is painted into it.
        let cells =
            (area.y..area.bottom()).flat_map(|y| (area.x..area.right()).map(move |x| (x, y)));
        let rgb = |colour: Color| {
            if let Color::Rgb(r, g, b) = colour {
                Some(Rgb(r, g, b))
            } else {
                None
            }
        };
        let written = cells.filter_map(|(x, y)| {
            let cell = &buffer[(x, y)];
            let blank = cell.symbol() == " " && rgb(cell.bg).is_none();
            (!blank).then(|| Written {
                x: x - area.x,
                y: y - area.y,
                sign: cell.symbol().to_owned(),
                ink: rgb(cell.fg),
                ground: rgb(cell.bg),
            })
        });
        let canvas = Canvas {
            ground,
            pixels: (across, down),
            written: written.collect(),
        };
        let written = canvas
            .written
            .iter()
            .map(|one| (one.x + area.x, one.y + area.y));
        for place in written.collect::<Vec<_>>() {
            buffer[place].reset();
        }
        return paint_picture(model, &view, canvas, key, kept, area);
    }
    if kept.key.as_ref() != Some(&key) {
        let (across, down) = cells.grid();
        let size = (
            usize::from(area.width) * across,
            usize::from(area.height) * down,
        );
        let ground = ground_items(field, &place);
        let robot = standing_items(model, &place);
        let scale = [across as f64, down as f64 / 2.0];
        // Without colours, density stands for darkness: what is not mat stays empty.
        let around = if theme.depth == Depth::Mono {
            PAPER
        } else {
            theme.ground()
        };
        let mut raster = rasterise(ground.iter(), [0.0, 0.0], scale, size, around);
        if let Some(fan) = fan(model, &place, scale, size, 1) {
            raster.fan(&fan);
        }
        let raster = raster.with(robot.iter(), scale);
        let all = (0..usize::from(area.height))
            .flat_map(|row| (0..usize::from(area.width)).map(move |at| (at, row)));
        kept.cells = all
            .map(|(column, row)| quantise(&raster, cells, column, row))
            .collect();
        kept.key = Some(key);
    }
    let width = usize::from(area.width);
    let beams = beams(
        model,
        &place,
        area,
        if cells == Cells::Ascii {
            Grid::Blocks(cells)
        } else {
            Grid::Fine
        },
    );
    let dots = paths(model, &place, area, Grid::Blocks(cells));
    let ghost = ghost(
        model,
        &place,
        area,
        if cells == Cells::Ascii {
            Grid::Blocks(cells)
        } else {
            Grid::Fine
        },
    );
    for row in 0..area.height {
        for column in 0..area.width {
            let cell = kept.cells[usize::from(row) * width + usize::from(column)];
            let on_screen = &mut buffer[(area.x + column, area.y + row)];
            let (at, down) = (usize::from(column), usize::from(row));
            let thin = || {
                let of = |dots: &Dots, ink: Rgb| {
                    dots.at(at, down)
                        .map(|(glyph, _)| (glyph, ink, cell.mean(cells)))
                };
                of(&ghost, GHOST).or_else(|| of(&beams, BEAM))
            };
            let path =
                dots.mask(at, down)
                    .zip(dots.at(at, down))
                    .map(|((mask, step), (glyph, _))| {
                        let (ink, ground) = path_cell(step, cell, cells, mask);
                        // Of an older text, while the new one cannot be run.
                        let ink = if model.stale() {
                            ink.towards(ground, 0.6)
                        } else {
                            ink
                        };
                        (glyph, ink, ground)
                    });
            let (glyph, ink, ground) = match path.or_else(thin) {
                Some(drawn) => drawn,
                None if theme.depth == Depth::Mono => {
                    (shade(cell.mean(cells)), cell.ink, cell.ground)
                }
                None => (cells.glyph(cell.mask), cell.ink, cell.ground),
            };
            on_screen.set_char(glyph);
            if theme.depth != Depth::Mono {
                on_screen
                    .set_fg(theme.colour(ink))
                    .set_bg(theme.colour(ground));
            }
        }
    }
    labels(model, &view, theme, area, buffer);
}

/// Everything that stands on the field at the time cursor.
fn standing_items(model: &Model, place: &Placement) -> Vec<SceneItem> {
    let Some(setup) = &model.setup else {
        return Vec::new();
    };
    let mut robot =
        robot_pose(model).map_or_else(Vec::new, |pose| robot_items(&setup.robot, pose, place));
    let Some(trace) = model.report.as_ref().map(|report| &report.run.trace) else {
        return robot;
    };
    let tick = trace.tick_at(model.player.time + 1e-9);
    let mut things = gone_items(&setup.field, trace, tick, place);
    things.extend(prop_items(&setup.field, trace, tick, place));
    things.append(&mut robot);
    things.extend(arm_items(&setup.robot, trace, tick, place));
    things
}

/// Paints the picture again when anything in it has changed: what stays once, what moves and what
/// is written over it.
fn paint_picture(
    model: &Model,
    view: &View,
    canvas: Canvas,
    key: Key,
    kept: &mut Kept,
    area: Rect,
) {
    let Canvas {
        ground,
        pixels: (across, down),
        written,
    } = canvas;
    let Some(setup) = &model.setup else { return };
    let runs = [&model.report, &model.ghost].map(|report| report.as_ref().map(|report| report.id));
    let stays = StaysKey {
        area,
        field: key.field.clone(),
        place: key.place,
        runs,
        end: model.end().to_bits(),
        pixels: (across, down),
        many: key.many,
    };
    let key = (key, stays.clone(), written);
    if kept.picture.as_ref().is_none_or(|(_, known)| *known != key) {
        let place = &view.place;
        if kept.stays.as_ref().is_none_or(|(_, known)| *known != stays) {
            let size = (
                usize::from(area.width) * across,
                usize::from(area.height) * down,
            );
            let scale = [across as f64, down as f64 / 2.0];
            let Some(mut painted) = PixelCanvas::new(size, scale, ground) else {
                return;
            };
            let ground = ground_items(&setup.field, place);
            painted.paint_many(&ground.iter().collect::<Vec<_>>());
            if let Some(fan) = fan(model, place, scale, size, 2) {
                painted.fan(&fan);
            }
            let mut items = Vec::new();
            if let Some(ghost) = &model.ghost {
                items.extend(ghost_items(&ghost.run.trace, place, GHOST, 0.18));
            }
            if let Some(report) = &model.report {
                let end = report.run.trace.tick_at(model.end() + 1e-9);
                items.extend(leg_items(
                    &report.run.trace,
                    legs_to(report, end),
                    place,
                    0.4,
                ));
            }
            let scene = Scene {
                items,
                ..Scene::default()
            };
            painted.paint_many(&scene.ordered());
            kept.stays = Some((painted, stays));
        }
        let Some((ground, _)) = &kept.stays else {
            return;
        };
        let mut painted = ground.clone();
        let mut items = standing_items(model, place);
        for one in &key.2 {
            let (x, y) = (f64::from(one.x), 2.0 * f64::from(one.y));
            // A mere dot needs no ground, which would hide the path.
            let ground = one
                .ground
                .filter(|_| !matches!(one.sign.as_str(), "•" | "·" | "│" | "|"));
            items.extend(
                ground.map(|ground| {
                    SceneItem::filled(Layer::Note, rectangle(x, y, 1.0, 2.0), ground)
                }),
            );
            if one.sign != " " {
                let ink = one.ink.unwrap_or(BODY);
                items.push(
                    SceneItem::words([x + 0.5, y + 1.5], 1.6, Anchor::Middle, ink, &*one.sign)
                        .bold(),
                );
            }
        }
        let scene = Scene {
            items,
            ..Scene::default()
        };
        painted.paint(scene.ordered().into_iter());
        kept.picture = Some((
            Picture {
                area,
                canvas: Arc::new(painted),
            },
            key,
        ));
    }
    kept.pictured = kept.picture.is_some();
}

/// While a sweep, or every start, is looked at, the nominal run of each instead of the many runs.
fn swept_paths(model: &Model) -> Option<Vec<&Brief>> {
    if let Some(result) = model.proof.as_ref().filter(|proof| !proof.ranked) {
        return Some(nominal_of(&result.result.as_ref()?.points));
    }
    let looked_at = model.side.shown == Side::Sweep && model.focus == Pane::Side;
    if !looked_at {
        return None;
    }
    if let Some(grid) = &model.grid {
        return Some(nominal_of(&grid.result.as_ref()?.points));
    }
    Some(nominal_of(&model.sweep.as_ref()?.result.as_ref()?.points))
}

fn nominal_of<V>(points: &[Tried<V>]) -> Vec<&Brief> {
    let nominal = points.iter().filter_map(|point| point.nominal.as_deref());
    nominal.collect()
}

/// What the mission is compared with is drawn with.
const OTHER: Rgb = Rgb(205, 150, 20);

/// The paths of the many runs, tinted by step, and where they ended; the end of the way of those
/// that died stands out.
///
/// - `scale`: pixels a scene millimetre
/// - `wide`: pixels across of a path
fn fan(
    model: &Model,
    place: &Placement,
    scale: [f64; 2],
    size: (usize, usize),
    wide: u8,
) -> Option<Fan> {
    /// Seconds of its way by which a run that died is told from the others.
    const LAST: f64 = 1.0;
    let swept = swept_paths(model);
    let result = model.many.drawn();
    let briefs: Vec<&Brief> = match (&swept, result) {
        (Some(swept), _) => swept.clone(),
        (None, Some(result)) => result.spread.briefs.iter().map(Arc::as_ref).collect(),
        (None, None) => return None,
    };
    let mut fan = Fan::new(size);
    let dot = |[x, y]: [f32; 2]| {
        let [x, y] = place.at(Point::new(f64::from(x), f64::from(y)));
        [(x * scale[0]) as f32, (y * scale[1]) as f32]
    };
    // What the mission is compared with lies below, in one tint.
    let other = model.many.drawn_against().filter(|_| swept.is_none());
    for brief in other.iter().flat_map(|result| &result.spread.briefs) {
        fan.path(brief.path.iter().map(|(at, _)| (dot(*at), OTHER)), wide);
    }
    for brief in &briefs {
        let path = brief.path.iter().map(|(at, step)| {
            let ink = tint(StepId(usize::from(*step)));
            (dot(*at), ink)
        });
        fan.path(path, wide);
    }
    for brief in &briefs {
        let rest = dot([brief.rest.x as f32, brief.rest.y as f32]);
        if brief.held() {
            fan.mark(rest, TEXT, wide, 0.6);
            continue;
        }
        let last = brief.path.len().saturating_sub((LAST / SAMPLED) as usize);
        for (at, _) in &brief.path[last..] {
            fan.mark(dot(*at), WRONG, wide, 0.85);
        }
        fan.mark(rest, WRONG, 2 * wide, 1.0);
    }
    Some(fan)
}

/// What is written on the field: numbers, names, signs, the legend.
fn labels(model: &Model, view: &View, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let Some(setup) = &model.setup else { return };
    let (field, place) = (&setup.field, view.place);
    let (report, pose) = (model.report.as_deref(), robot_pose(model));
    if let Some(report) = report {
        // On a small field the numbers would hide the path: only that of the moment is shown.
        let only = if area.width < 40 {
            model.active_step()
        } else {
            None
        };
        if area.width >= 40 {
            time_ticks(report, view, theme, area, buffer);
        }
        step_patches(report, only, view, theme, area, buffer);
        happenings(report, &place, theme, area, buffer);
    }
    if let Some(report) = report {
        prop_names(report, model.player.time, &place, theme, area, buffer);
    }
    if let Some(pose) = pose {
        heading_sign(pose, &place, theme, area, buffer);
        if let Some(report) = report {
            let tick = report.run.trace.tick_at(model.player.time + 1e-9);
            signals(
                &signal_words(report.story(), tick),
                pose,
                &place,
                theme,
                area,
                buffer,
            );
        }
    }
    legend(model, view, field, theme, area, buffer);
    if model.stale() {
        let words = " path of the previous version ";
        put(
            buffer,
            area.x + 1,
            area.bottom() - 1,
            area.width - 1,
            words,
            theme.patch(Role::Thin),
        );
    }
}

/// What changes the picture besides our robot's pose.
fn others(trace: &Trace, time: f64) -> Vec<u64> {
    let tick = trace.tick_at(time + 1e-9);
    // What is gone is drawn where it was last.
    let places = (0..trace.props.len()).flat_map(|prop| match trace.last_place(tick, prop) {
        Some(pose) => {
            let there = u64::from(trace.place(tick, prop).is_some());
            [
                pose.x.to_bits(),
                pose.y.to_bits(),
                pose.heading.to_bits(),
                there,
            ]
        }
        None => [0; 4],
    });
    let angles = ActuatorId::all(trace.actuators)
        .filter(|_| !trace.angles.is_empty())
        .map(|arm| trace.angle(tick, arm).to_bits());
    places.chain(angles).collect()
}

/// The names of everything else that moves, where there is room for them.
fn prop_names(
    report: &RunReport,
    time: f64,
    place: &Placement,
    theme: Theme,
    area: Rect,
    buffer: &mut Buffer,
) {
    let trace = &report.run.trace;
    let tick = trace.tick_at(time + 1e-9);
    for (index, prop) in trace.props.iter().enumerate() {
        let Some(pose) = trace.place(tick, index) else {
            continue;
        };
        // A basket among many has no name of its own worth the room.
        if prop.kind == PropKind::Object && trace.props.len() > 4 {
            continue;
        }
        let [x, y] = place.at(Point::new(pose.x, pose.y));
        let wide = columns(&prop.name);
        let (x, y) = ((x - f64::from(wide) / 2.0).round(), (y / 2.0).floor());
        if x >= 0.0
            && y >= 0.0
            && x + f64::from(wide) <= f64::from(area.width)
            && y < f64::from(area.height)
        {
            put(
                buffer,
                area.x + x as u16,
                area.y + y as u16,
                wide,
                &prop.name,
                theme.patch(Role::Text),
            );
        }
    }
}

/// What the robot's signals say, above it or, at the upper edge, below.
fn signals(
    words: &[String],
    pose: Pose,
    place: &Placement,
    theme: Theme,
    area: Rect,
    buffer: &mut Buffer,
) {
    let [x, y] = place.at(Point::new(pose.x, pose.y));
    let row = (y / 2.0).floor();
    let away = (0.11 * place.scale / 2.0).ceil() + 1.0;
    for (index, words) in words.iter().enumerate() {
        let wide = columns(words);
        let gap = away + index as f64;
        let y = if row - gap >= 0.0 {
            row - gap
        } else {
            row + gap
        };
        let x = (x - f64::from(wide) / 2.0)
            .round()
            .clamp(0.0, f64::from(area.width.saturating_sub(wide)));
        if wide <= area.width && y >= 0.0 && y < f64::from(area.height) {
            put(
                buffer,
                area.x + x as u16,
                area.y + y as u16,
                wide,
                words,
                theme.patch(Role::Accent),
            );
        }
    }
}

/// Which way the robot looks, on its middle.
fn heading_sign(pose: Pose, place: &Placement, theme: Theme, area: Rect, buffer: &mut Buffer) {
    const SIGNS: [&str; 8] = ["→", "↗", "↑", "↖", "←", "↙", "↓", "↘"];
    let eighth = (pose.heading.to_degrees().rem_euclid(360.0) / 45.0).round() as usize % 8;
    let [x, y] = place.at(Point::new(pose.x, pose.y));
    let (x, y) = (x.floor(), (y / 2.0).floor());
    if x < 0.0 || y < 0.0 || x >= f64::from(area.width) || y >= f64::from(area.height) {
        return;
    }
    let style = theme.on_patch(BODY).add_modifier(Modifier::BOLD);
    put(
        buffer,
        area.x + x as u16,
        area.y + y as u16,
        1,
        SIGNS[eighth],
        style,
    );
}

/// Below the field, where there is room: what it is, and what the dotted path is.
fn legend(
    model: &Model,
    view: &View,
    field: &Field,
    theme: Theme,
    area: Rect,
    buffer: &mut Buffer,
) {
    if view.zoom > 1.0 {
        let (width, _) = view.seen();
        let follows = if model.field.camera.follow {
            ", follows the robot"
        } else {
            ""
        };
        let words = format!(" {:.1}x: {:.0} mm across{follows} ", view.zoom, width * 1e3);
        put(
            buffer,
            area.x + 1,
            area.bottom() - 1,
            area.width - 1,
            &words,
            theme.patch(Role::Text),
        );
        return;
    }
    let below = (field.height * view.place.scale / 2.0).ceil() as u16;
    if below >= area.height {
        return;
    }
    let (x, y, room) = (area.x + 1, area.y + below, area.width - 1);
    let size = format!(
        "{}, {:.0} x {:.0} mm",
        field.name,
        field.width * 1e3,
        field.height * 1e3
    );
    let off = model
        .report
        .as_ref()
        .and_then(|report| furthest_off(&report.chance, room));
    let words = off.as_ref().unwrap_or(&size);
    let behind = put(buffer, x, y, room, words, theme.role(Role::Quiet));
    if model.ghost.is_some() && !model.stale() {
        let words = "   dotted: the run before";
        put(
            buffer,
            behind,
            y,
            area.right().saturating_sub(behind),
            words,
            theme.role(Role::Quiet),
        );
    }
}

/// What differs most in a varied run from what the files say, as much of it as there is room for.
fn furthest_off(chance: &Chance, room: u16) -> Option<String> {
    (1..=3).rev().find_map(|count| {
        let off: Vec<String> = chance
            .furthest(count)
            .iter()
            .map(|one| format!("{} {}", one.what, one.words()))
            .collect();
        let words = format!("off most: {}", off.join(", "));
        (!off.is_empty() && columns(&words) <= room).then_some(words)
    })
}

/// Without colours, brightness becomes density.
pub(super) fn shade(mean: Rgb) -> char {
    [' ', '░', '▒', '▓'][((1.0 - mean.luminance().sqrt()) * 3.99).clamp(0.0, 3.0) as usize]
}

/// Ink and ground of a cell that a path runs through: the tint stays what it is, the ground makes
/// room for it.
fn path_cell(ink: u16, cell: Cell, cells: Cells, mask: u8) -> (Rgb, Rgb) {
    let wanted = tint(StepId(usize::from(ink)));
    let beside = cell.beside(cells, mask);
    let contrast = |ground: Rgb| {
        let (a, b) = (wanted.luminance(), ground.luminance());
        (a.max(b) + 0.05) / (a.min(b) + 0.05)
    };
    let grounds = [beside, cell.ink, cell.ground];
    let enough = grounds.into_iter().find(|ground| contrast(*ground) >= 1.9);
    (wanted, enough.unwrap_or(beside))
}

/// Who had the wheels when, up to a tick.
fn legs_to(report: &RunReport, end: usize) -> impl Iterator<Item = Leg> {
    report
        .run
        .legs
        .iter()
        .filter(move |leg| leg.from <= end)
        .map(move |leg| Leg {
            to: leg.to.min(end),
            ..*leg
        })
}

/// The path, each step in an ink of its own.
fn paths(model: &Model, place: &Placement, area: Rect, grid: Grid) -> Dots {
    let mut dots = Dots::new(usize::from(area.width), usize::from(area.height), grid);
    if let Some(report) = &model.report {
        let end = report.run.trace.tick_at(model.end() + 1e-9);
        for leg in legs_to(report, end) {
            trail(
                &mut dots,
                &report.run.trace,
                leg.from,
                leg.to,
                leg.step.0 as u16,
                place,
                grid,
            );
        }
    }
    dots
}

/// The cones of the ranging sensors up to what they read, and the way that braking now would take.
fn beams(model: &Model, place: &Placement, area: Rect, grid: Grid) -> Dots {
    let mut dots = Dots::new(usize::from(area.width), usize::from(area.height), grid);
    let (Some(setup), Some(report)) = (&model.setup, &model.report) else {
        return dots;
    };
    let trace = &report.run.trace;
    let tick = trace.tick_at(model.player.time + 1e-9);
    let Some(now) = trace.ticks.get(tick) else {
        return dots;
    };
    let (across, down) = grid.size();
    let dot = |p: Point| {
        let [x, y] = place.at(p);
        (x * across as f64, y / 2.0 * down as f64)
    };
    for (index, ranger) in RangerId::all(trace.rangers).zip(&setup.robot.rangers) {
        let read = trace.range(tick, index);
        let met = read < ranger.greatest - 1e-6;
        // With nothing in it, the beginning of the beam says which way it looks.
        let reach = if met { read } else { 0.12 };
        let from = now.pose.place(ranger.ahead, ranger.left);
        let end = |side: f64| {
            let angle = ranger.facing + side * ranger.cone / 2.0;
            now.pose.place(
                ranger.ahead + reach * angle.cos(),
                ranger.left + reach * angle.sin(),
            )
        };
        let parts = 8;
        let rim: Vec<Point> = (0..=parts)
            .map(|part| end(f64::from(part) / f64::from(parts) * 2.0 - 1.0))
            .collect();
        dots.line(dot(from), dot(rim[0]), 0);
        dots.line(dot(from), dot(rim[rim.len() - 1]), 0);
        if met {
            rim.windows(2)
                .for_each(|pair| dots.line(dot(pair[0]), dot(pair[1]), 0));
        }
    }
    if let Some(rest) = rest(model) {
        let nose = setup.robot.nose;
        dots.line(
            dot(now.pose.place(nose, 0.0)),
            dot(rest.place(nose, 0.0)),
            0,
        );
    }
    dots
}

/// A dot on the path every few seconds, with the seconds where there is room.
fn time_ticks(report: &RunReport, view: &View, theme: Theme, area: Rect, buffer: &mut Buffer) {
    /// Cells between two of them, at least.
    const APART: u16 = 6;
    let trace = &report.run.trace;
    let step = tick_step(report.chart.end, 16.0 * view.zoom).max(0.1);
    let mut nth = 1;
    let mut last: Option<(u16, u16)> = None;
    loop {
        let at = f64::from(nth) * step;
        nth += 1;
        if at > trace.seconds(report.run.ended) {
            return;
        }
        let Some(pose) = pose_at(trace, at) else {
            return;
        };
        let Some((x, y)) = on_screen(Point::new(pose.x, pose.y), &view.place, area) else {
            continue;
        };
        if last.is_some_and(|last| last.0.abs_diff(x) + 2 * last.1.abs_diff(y) < APART) {
            continue;
        }
        last = Some((x, y));
        let cell = &mut buffer[(x, y)];
        let style = cell.style();
        cell.set_symbol("•");
        if theme.depth != Depth::Mono {
            // On the path's own ground, in whatever can be read there.
            cell.set_style(style.fg(theme.colour(Rgb(16, 20, 24))))
                .set_bg(theme.colour(Rgb(250, 246, 232)));
        }
        if view.zoom >= 2.0 {
            let label = format!("{} s", (at * 10.0).round() / 10.0);
            if x + 1 + columns(&label) < area.right() {
                put(buffer, x + 1, y, 8, &label, theme.patch(Role::Text));
            }
        }
    }
}

/// The cell of a place of the field; none when it is out of sight.
fn on_screen(p: Point, place: &Placement, area: Rect) -> Option<(u16, u16)> {
    let [x, y] = place.at(p);
    let (x, y) = (x.floor(), (y / 2.0).floor());
    let inside = x >= 0.0 && y >= 0.0 && x < f64::from(area.width) && y < f64::from(area.height);
    inside.then(|| (area.x + x as u16, area.y + y as u16))
}

/// Where something happened: bumps, falls, touched tape, things met, and the end.
fn happenings(
    report: &RunReport,
    place: &Placement,
    theme: Theme,
    area: Rect,
    buffer: &mut Buffer,
) {
    for mark in &report.chart.marks {
        let Some(tick) = report.run.trace.ticks.get(mark.tick) else {
            continue;
        };
        let (sign, role) = match mark.kind {
            MarkKind::Wrong => ("✗", Role::Wrong),
            MarkKind::End => ("✓", Role::Good),
            MarkKind::World => ("◆", Role::Accent),
            MarkKind::Line => ("|", Role::Text),
            MarkKind::Step => continue,
        };
        if let Some((x, y)) = on_screen(Point::new(tick.pose.x, tick.pose.y), place, area) {
            put(
                buffer,
                x,
                y,
                1,
                sign,
                theme.patch(role).add_modifier(Modifier::BOLD),
            );
        }
    }
}

/// What lies at a place of the screen: millimetres, and the surface or thing with its name.
pub fn readout(model: &Model, area: Rect, at: Position) -> Option<String> {
    let field = &model.setup.as_ref()?.field;
    let place = view(model, field, area).place_at(at, area);
    let within =
        place.x >= 0.0 && place.y >= 0.0 && place.x <= field.width && place.y <= field.height;
    let what = within.then(|| field.named_near(place, 0.01)).flatten();
    let what = what.map_or_else(String::new, |name| format!("  {name}"));
    within.then(|| format!("{:.0}, {:.0} mm{what}", place.x * 1e3, place.y * 1e3))
}

/// The path before the last edit.
fn ghost(model: &Model, place: &Placement, area: Rect, grid: Grid) -> Dots {
    let mut dots = Dots::new(usize::from(area.width), usize::from(area.height), grid);
    if let Some(ghost) = &model.ghost {
        trail(
            &mut dots,
            &ghost.run.trace,
            0,
            ghost.run.ended,
            0,
            place,
            grid,
        );
    }
    dots
}

fn trail(
    dots: &mut Dots,
    trace: &Trace,
    from: usize,
    to: usize,
    ink: u16,
    place: &Placement,
    grid: Grid,
) {
    let (across, down) = grid.size();
    let dot = |pose: Pose| {
        let [x, y] = place.at(Point::new(pose.x, pose.y));
        (x * across as f64, y / 2.0 * down as f64)
    };
    let Some(first) = trace.ticks.get(from) else {
        return;
    };
    let mut last = dot(first.pose);
    for (index, tick) in trace.ticks.iter().enumerate().take(to + 1).skip(from) {
        let next = dot(tick.pose);
        if index == to || (next.0 - last.0).abs() + (next.1 - last.1).abs() >= 0.7 {
            dots.line(last, next, ink);
            last = next;
        }
    }
}

/// The number of each step, beside the place where it begins.
fn step_patches(
    report: &RunReport,
    only: Option<StepId>,
    view: &View,
    theme: Theme,
    area: Rect,
    buffer: &mut Buffer,
) {
    let place = &view.place;
    let mut taken: Vec<(u16, u16, u16)> = Vec::new();
    for leg in report
        .run
        .legs
        .iter()
        .filter(|leg| only.is_none_or(|step| step == leg.step))
    {
        let Some(tick) = report.run.trace.ticks.get(leg.from) else {
            continue;
        };
        // Of what is out of sight nothing is said at the edge.
        if view.zoom > 1.0 && on_screen(Point::new(tick.pose.x, tick.pose.y), place, area).is_none()
        {
            continue;
        }
        let label = leg.step.number().to_string();
        let wide = label.len() as u16;
        // To the robot's right: what it looks at stays free.
        let at = |gap: f64| {
            let [x, y] = place.at(tick.pose.place(0.0, gap));
            let x = area.x + (x.max(0.0) as u16).min(area.width.saturating_sub(wide));
            let y = area.y + ((y / 2.0).max(0.0) as u16).min(area.height.saturating_sub(1));
            (x, y)
        };
        // A cell apart, so that 1 and 2 are not read as 12.
        let free = |(x, y): &(u16, u16)| {
            !taken
                .iter()
                .any(|(tx, ty, tw)| ty == y && *x <= tx + tw && *tx <= x + wide)
        };
        let gap = 2.4 / place.scale;
        let Some((x, y)) = [-gap, gap, -2.0 * gap, 2.0 * gap]
            .map(at)
            .into_iter()
            .find(|spot| free(spot))
        else {
            continue;
        };
        taken.push((x, y, wide));
        put(buffer, x, y, wide, &label, theme.step_patch(leg.step));
    }
}

/// A robot or field with errors cannot be drawn: what is wrong with them instead.
fn not_drawn(model: &Model, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let (x, room) = (area.x + 1, area.width.saturating_sub(2));
    let mut y = area.y;
    let mut line = |text: &str, role: Role| {
        // Messages are worth reading to their end.
        for row in wrapped(text, room) {
            if y < area.bottom() {
                put(buffer, x, y, room, row, theme.role(role));
                y += 1;
            }
        }
    };
    line(
        "The field cannot be drawn. Mend this; it is drawn as soon as it can be (N lists it, Enter goes there):",
        Role::Accent,
    );
    for finding in &model.project.findings {
        let (path, text) = model.project.source(finding.source, &model.mission().text);
        let (row, column) = line_column(text, finding.span.start);
        line(
            &format!("✗ {path}, line {row}, column {column}"),
            Role::Wrong,
        );
        line(&finding.message, Role::Text);
        for hint in &finding.hints {
            line(&hint.words, Role::Quiet);
        }
    }
}
