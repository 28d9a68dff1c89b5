//! The field with a run on it, as scene items.

use std::sync::Arc;
use wayodos_core::ids::ActuatorId;

use wayodos_core::controller::Program;
use wayodos_core::field::{Edge, Field, Mark, Picture, Point, Pose, Shape as Outline};
use wayodos_core::record::{Happening, Leg, PropKind, Run, Trace};
use wayodos_core::robot::Robot;
use wayodos_core::units::math;

use crate::ink::{self, Rgb, tint};
use crate::scene::{Item, Layer, Shape, Stroke, rectangle};

/// Points of a path closer together than this (metres) are left out.
const STRIDE: f64 = 0.002;

/// Where on the scene a field lies: y turns over, since paper counts downwards.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Placement {
    /// Left edge of the mat, scene millimetres.
    pub left: f64,
    /// Top edge of the mat, scene millimetres.
    pub top: f64,
    /// Scene millimetres of one metre.
    pub scale: f64,
    /// Height of the field in metres.
    pub height: f64,
}

impl Placement {
    /// The field at its own size: a scene millimetre is a millimetre of the mat.
    pub const fn life_size(field: &Field) -> Self {
        Self {
            left: 0.0,
            top: 0.0,
            scale: 1000.0,
            height: field.height,
        }
    }

    /// The largest field that fits into a box of the scene, centred.
    pub fn within(field: &Field, left: f64, top: f64, width: f64, height: f64) -> Self {
        let scale = (width / field.width).min(height / field.height);
        let (spare_x, spare_y) = (width - field.width * scale, height - field.height * scale);
        Self {
            left: left + spare_x / 2.0,
            top: top + spare_y / 2.0,
            scale,
            height: field.height,
        }
    }

    /// The scene's place of a place on the field.
    pub fn at(&self, p: Point) -> [f64; 2] {
        [
            self.left + p.x * self.scale,
            self.top + (self.height - p.y) * self.scale,
        ]
    }

    /// The corners of the field with so many millimetres of the scene around it: least and most of
    /// each axis.
    pub fn frame(&self, field: &Field, beside: f64) -> [[f64; 2]; 2] {
        let [left, bottom] = self.at(Point::new(0.0, 0.0));
        let [right, top] = self.at(Point::new(field.width, field.height));
        [
            [left - beside, top - beside],
            [right + beside, bottom + beside],
        ]
    }

    fn all(&self, points: &[Point]) -> Vec<[f64; 2]> {
        points.iter().map(|&p| self.at(p)).collect()
    }
}

/// A run with all that is needed to describe it.
#[derive(Clone, Copy)]
pub struct Story<'a> {
    /// The field it took place on.
    pub field: &'a Field,
    /// The robot that drove.
    pub robot: &'a Robot,
    /// The program it followed.
    pub program: &'a Arc<Program>,
    /// What happened.
    pub run: &'a Run,
}

/// The mat, what lies on it, the walls, and the start poses.
pub fn ground_items(field: &Field, placement: &Placement) -> Vec<Item> {
    let ground = Rgb::from(
        field
            .surfaces
            .first()
            .map_or([230; 3], |surface| surface.rgb),
    );
    let [x, y] = placement.at(Point::new(0.0, field.height));
    let mat = rectangle(
        x,
        y,
        field.width * placement.scale,
        field.height * placement.scale,
    );
    let mut items = vec![Item::filled(Layer::Ground, mat, ground)];
    for picture in &field.pictures {
        items.extend(picture_items(picture, ground, placement));
    }
    items.extend(
        field
            .marks
            .iter()
            .map(|mark| mark_item(field, mark, placement)),
    );
    for mark in field.marks.iter().filter(|mark| mark.keep_off) {
        let stroke = Stroke {
            ink: ink::WRONG,
            width: (0.003 * placement.scale).max(0.2),
            dash: 0.012 * placement.scale,
        };
        items.push(Item::drawn(
            Layer::Ground,
            outline(&mark.shape, placement),
            stroke,
        ));
    }
    for zone in &field.zones {
        let stroke = Stroke {
            ink: ink::ZONE,
            width: (0.004 * placement.scale).max(0.2),
            dash: 0.02 * placement.scale,
        };
        items.push(Item::drawn(
            Layer::Ground,
            ring(&zone.shape, placement),
            stroke,
        ));
    }
    // An edge that one can fall off is drawn as an edge.
    let drop = Stroke::full(ink::WALL, 0.006 * placement.scale);
    items.extend(
        field
            .platforms
            .iter()
            .map(|platform| Item::drawn(Layer::Ground, outline(&platform.shape, placement), drop)),
    );
    if field.edge == Edge::Drop {
        let mat = rectangle(
            x,
            y,
            field.width * placement.scale,
            field.height * placement.scale,
        );
        items.push(Item::drawn(Layer::Ground, mat, drop));
    }
    for wall in &field.walls {
        let stroke = Stroke::full(ink::WALL, wall.thickness * placement.scale);
        items.push(Item::drawn(
            Layer::Standing,
            Shape::Line(placement.all(&wall.points)),
            stroke,
        ));
    }
    items
}

/// A picture in cells of a few millimetres, those of one colour in a row together.
fn picture_items(picture: &Picture, ground: Rgb, placement: &Placement) -> Vec<Item> {
    /// Cells along the longer side, at most.
    const MOST: f64 = 300.0;
    let (width, height) = picture.size;
    let cell = (width.max(height) / MOST).max(width / picture.cells.0 as f64);
    let (across, up) = (
        (width / cell).round().max(1.0) as usize,
        (height / cell).round().max(1.0) as usize,
    );
    let (dx, dy) = (width / across as f64, height / up as f64);
    let colour = |column: usize, row: usize| {
        let place = Point::new(
            picture.at.x + (column as f64 + 0.5) * dx,
            picture.at.y + (row as f64 + 0.5) * dy,
        );
        let [r, g, b, cover] = picture.cell(place)?;
        let own = Rgb::from([r, g, b].map(byte));
        (cover > 6_000).then(|| ground.towards(own, f64::from(cover) / 65535.0))
    };
    let mut items = Vec::new();
    for row in 0..up {
        let mut column = 0;
        while column < across {
            let first = colour(column, row);
            let run = (column..across)
                .take_while(|&next| colour(next, row) == first)
                .count();
            if let Some(fill) = first {
                let corner = Point::new(
                    picture.at.x + column as f64 * dx,
                    picture.at.y + (row + 1) as f64 * dy,
                );
                let [x, y] = placement.at(corner);
                // A hair more, so that no seam shows between rows.
                let size = (
                    run as f64 * dx * placement.scale,
                    1.02 * dy * placement.scale,
                );
                items.push(Item::filled(
                    Layer::Ground,
                    rectangle(x, y, size.0, size.1),
                    fill,
                ));
            }
            column += run;
        }
    }
    items
}

/// The sRGB byte of linear light, 0 to 65535. Source: IEC 61966-2-1.
fn byte(light: u16) -> u8 {
    let c = f64::from(light) / 65535.0;
    let s = if c <= 0.003_130_8 {
        12.92 * c
    } else {
        1.055 * c.powf(1.0 / 2.4) - 0.055
    };
    (s * 255.0).round() as u8
}

/// An outline as a closed line, for dashes.
fn ring(shape: &Outline, placement: &Placement) -> Shape {
    match shape {
        Outline::Polygon(points) => Shape::Line(
            placement.all(
                &points
                    .iter()
                    .chain(points.first())
                    .copied()
                    .collect::<Vec<_>>(),
            ),
        ),
        Outline::Disc { centre, radius } => {
            let turn = |side: u32| f64::from(side) / 64.0 * math::TAU;
            Shape::Line(
                placement.all(
                    &(0..=64)
                        .map(|side| centre.ahead(turn(side), *radius))
                        .collect::<Vec<_>>(),
                ),
            )
        }
        other @ (Outline::Band { .. } | Outline::Rings(_)) => outline(other, placement),
    }
}

/// Everything else that moves on the field, where it is at a tick.
pub fn prop_items(field: &Field, trace: &Trace, tick: usize, placement: &Placement) -> Vec<Item> {
    let mut items = Vec::new();
    for (index, prop) in trace.props.iter().enumerate() {
        let Some(pose) = trace.place(tick, index) else {
            continue;
        };
        let fill = prop
            .surface
            .map_or(ink::RIVAL, |surface| Rgb::from(field.surface(surface).rgb));
        let line = match prop.kind {
            PropKind::Robot => Stroke::full(ink::TEXT, (0.004 * placement.scale).max(0.15)),
            PropKind::Object => Stroke::full(ink::WALL, (0.004 * placement.scale).max(0.15)),
            // It gives way to nobody: drawn as firmly as a wall.
            PropKind::Obstacle => Stroke::full(ink::WALL, (0.009 * placement.scale).max(0.3)),
        };
        let shape = shape_at(&prop.outline, pose, placement);
        items.push(Item {
            stroke: Some(line),
            ..Item::filled(Layer::Standing, shape, fill)
        });
        if prop.kind == PropKind::Robot {
            let front = prop
                .outline
                .placed(Pose::default(), 0)
                .iter()
                .fold(0.0f64, |most, p| most.max(p.x));
            let tip = [
                (0.5 * front, 0.3 * front),
                (front, 0.0),
                (0.5 * front, -0.3 * front),
            ];
            let tip = tip
                .map(|(ahead, left)| placement.at(pose.place(ahead, left)))
                .to_vec();
            items.push(Item::drawn(Layer::Standing, Shape::Line(tip), line));
        }
    }
    items
}

fn shape_at(outline: &wayodos_core::field::Outline, pose: Pose, placement: &Placement) -> Shape {
    match outline {
        wayodos_core::field::Outline::Disc(radius) => Shape::Disc {
            at: placement.at(Point::new(pose.x, pose.y)),
            radius: radius * placement.scale,
        },
        polygon @ wayodos_core::field::Outline::Polygon(_) => {
            Shape::Polygon(placement.all(&polygon.placed(pose, 0)))
        }
    }
}

/// What stood on the field before a tick and is gone at it: pale, where it was last.
pub fn gone_items(field: &Field, trace: &Trace, tick: usize, placement: &Placement) -> Vec<Item> {
    let gone = trace
        .props
        .iter()
        .enumerate()
        .filter(|(index, _)| trace.place(tick, *index).is_none());
    let items = gone.filter_map(|(index, prop)| {
        let last = trace.last_place(tick, index)?;
        let own = prop
            .surface
            .map_or(ink::RIVAL, |surface| Rgb::from(field.surface(surface).rgb));
        let pale = own.towards(ink::PAPER, 0.75);
        let edge = Stroke::full(
            own.towards(ink::PAPER, 0.4),
            (0.006 * placement.scale).max(0.2),
        );
        let shape = shape_at(&prop.outline, last, placement);
        Some(Item {
            stroke: Some(edge),
            ..Item::filled(Layer::Standing, shape, pale)
        })
    });
    items.collect()
}

/// The ways that things were moved, from where they stood at the start, as dashed lines.
pub fn moved_items(trace: &Trace, placement: &Placement, width: f64) -> Vec<Item> {
    let mut items = Vec::new();
    for prop in 0..trace.props.len() {
        let mut way: Vec<Point> = Vec::new();
        for tick in 0..trace.ticks.len() {
            let Some(pose) = trace.place(tick, prop) else {
                continue;
            };
            let point = Point::new(pose.x, pose.y);
            // Who walks to and fro is shown walking once.
            if way
                .iter()
                .rev()
                .skip(2)
                .any(|place| place.distance(point) < 2.0 * STRIDE)
            {
                break;
            }
            if way
                .last()
                .is_none_or(|last| last.distance(point) >= 4.0 * STRIDE)
            {
                way.push(point);
            }
        }
        if way.len() > 1 {
            let stroke = Stroke {
                ink: ink::QUIET,
                width,
                dash: 3.0 * width,
            };
            items.push(Item::drawn(
                Layer::Ghost,
                Shape::Line(placement.all(&way)),
                stroke,
            ));
        }
    }
    items
}

/// Where something went wrong in the world: crosses where something fell, rings where tape was
/// touched.
pub fn happened_items(run: &Run, placement: &Placement, width: f64) -> Vec<Item> {
    let trace = &run.trace;
    let mut items = Vec::new();
    for happened in &trace.happened {
        let tick = happened.tick as usize;
        let Some(at) = trace.ticks.get(tick) else {
            continue;
        };
        let ours = Point::new(at.pose.x, at.pose.y);
        let (place, cross) = match happened.what {
            Happening::Fell => (ours, true),
            Happening::Gone(prop) => {
                let last = (0..tick).rev().find_map(|tick| trace.place(tick, prop));
                (last.map_or(ours, |pose| Point::new(pose.x, pose.y)), true)
            }
            Happening::Tape(_)
            | Happening::EarlyStart
            | Happening::LeftMat
            | Happening::Hung
            | Happening::Locked(_) => (ours, false),
            Happening::Came(_)
            | Happening::Touched(_)
            | Happening::Parted(_)
            | Happening::Left(_)
            | Happening::ByHand(_)
            | Happening::Signal(..)
            | Happening::Arrived(_)
            | Happening::Blocked(_) => continue,
        };
        let [x, y] = placement.at(place);
        let (r, stroke) = (3.0 * width, Stroke::full(ink::WRONG, width));
        if cross {
            for sign in [1.0, -1.0] {
                let line = Shape::Line(vec![[x - r, y - sign * r], [x + r, y + sign * r]]);
                items.push(Item::drawn(Layer::Event, line, stroke));
            }
        } else {
            items.push(Item::drawn(
                Layer::Event,
                Shape::Disc {
                    at: [x, y],
                    radius: r,
                },
                stroke,
            ));
        }
    }
    items
}

/// The arms of the robot at a tick.
pub fn arm_items(robot: &Robot, trace: &Trace, tick: usize, placement: &Placement) -> Vec<Item> {
    let Some(pose) = trace.ticks.get(tick).map(|tick| tick.pose) else {
        return Vec::new();
    };
    let mut items = Vec::new();
    let all = ActuatorId::all(robot.actuators.len()).zip(&robot.actuators);
    for (index, arm) in all.filter(|(_, arm)| arm.length > 0.0) {
        let angle = trace.angle(tick, index);
        let (ahead, left) = arm.at;
        let end = (
            ahead + arm.length * math::cos(angle),
            left + arm.length * math::sin(angle),
        );
        let line = Shape::Line(
            [(ahead, left), end]
                .map(|(a, l)| placement.at(pose.place(a, l)))
                .to_vec(),
        );
        items.push(Item::drawn(
            Layer::Robot,
            line,
            Stroke::full(ink::ARM, (0.009 * placement.scale).max(0.3)),
        ));
    }
    items
}

fn mark_item(field: &Field, mark: &Mark, placement: &Placement) -> Item {
    let fill = Rgb::from(field.surface(mark.surface).rgb);
    let shape = outline(&mark.shape, placement);
    match &mark.shape {
        Outline::Band { width, .. } => Item::drawn(
            Layer::Ground,
            shape,
            Stroke::full(fill, width * placement.scale),
        ),
        Outline::Disc { .. } | Outline::Polygon(_) | Outline::Rings(_) => {
            Item::filled(Layer::Ground, shape, fill)
        }
    }
}

fn outline(shape: &Outline, placement: &Placement) -> Shape {
    match shape {
        Outline::Band { points, .. } => Shape::Line(placement.all(points)),
        Outline::Disc { centre, radius } => Shape::Disc {
            at: placement.at(*centre),
            radius: radius * placement.scale,
        },
        Outline::Polygon(points) => Shape::Polygon(placement.all(points)),
        // One outline that goes from ring to ring and back the same way: the seams have no area.
        Outline::Rings(rings) => {
            let first = rings
                .first()
                .and_then(|ring| ring.first())
                .copied()
                .unwrap_or_default();
            let round = |ring: &Vec<Point>| {
                ring.iter()
                    .copied()
                    .chain(ring.first().copied())
                    .chain([first])
                    .collect()
            };
            Shape::Polygon(
                rings
                    .iter()
                    .flat_map(|ring| placement.all(&Vec::from_iter::<Vec<Point>>(round(ring))))
                    .collect(),
            )
        }
    }
}

/// The places of some ticks of a trace, thinned to what the eye can tell apart.
fn path(trace: &Trace, from: usize, to: usize, placement: &Placement) -> Vec<[f64; 2]> {
    let mut kept: Vec<Point> = Vec::new();
    for (index, tick) in trace.ticks.iter().enumerate().take(to + 1).skip(from) {
        let point = Point::new(tick.pose.x, tick.pose.y);
        if index == from
            || index == to
            || kept
                .last()
                .is_none_or(|last| last.distance(point) >= STRIDE)
        {
            kept.push(point);
        }
    }
    placement.all(&kept)
}

/// The path of a run in one pale line.
pub fn ghost_items(trace: &Trace, placement: &Placement, ink: Rgb, width: f64) -> Vec<Item> {
    let Some(last) = trace.ticks.len().checked_sub(1) else {
        return Vec::new();
    };
    vec![Item::drawn(
        Layer::Ghost,
        Shape::Line(path(trace, 0, last, placement)),
        Stroke::full(ink, width),
    )]
}

/// The path of a run, each step in its tint, and a mark where each step ended.
///
/// `width` is that of the line in scene millimetres.
pub fn path_items(run: &Run, placement: &Placement, width: f64) -> Vec<Item> {
    leg_items(&run.trace, run.legs.iter().copied(), placement, width)
}

/// The same of some legs only.
pub fn leg_items(
    trace: &Trace,
    legs: impl Iterator<Item = Leg>,
    placement: &Placement,
    width: f64,
) -> Vec<Item> {
    let mut items = Vec::new();
    for Leg { step, from, to } in legs {
        let points = path(trace, from, to, placement);
        items.push(Item::drawn(
            Layer::Path,
            Shape::Line(points),
            Stroke::full(tint(step), width),
        ));
        let Some(tick) = trace.ticks.get(to) else {
            continue;
        };
        let at = placement.at(Point::new(tick.pose.x, tick.pose.y));
        let mark = Item {
            stroke: Some(Stroke::full(tint(step), width)),
            ..Item::filled(
                Layer::Event,
                Shape::Disc {
                    at,
                    radius: 1.4 * width,
                },
                ink::PAPER,
            )
        };
        items.push(mark);
    }
    items
}

/// A robot as it is built: the robot at a pose, and what of it a mission never speaks of: its axle,
/// its caster or steered wheels, and where it balances.
pub fn built_items(robot: &Robot, pose: Pose, placement: &Placement) -> Vec<Item> {
    let place = |ahead: f64, left: f64| placement.at(pose.place(ahead, left));
    let line = (0.002 * placement.scale).max(0.1);
    let mut items = robot_items(robot, pose, placement);
    let mut draw = |shape: Shape, colour| {
        items.push(Item::drawn(Layer::Robot, shape, Stroke::full(colour, line)));
    };
    let half = robot.track_width / 2.0;
    draw(
        Shape::Line(vec![place(0.0, half), place(0.0, -half)]),
        ink::TEXT,
    );
    let front = robot.caster_ahead;
    if robot.steering.is_some() {
        let reach = robot.wheel_diameter / 3.0;
        for side in [half, -half] {
            let wheel = vec![place(front - reach, side), place(front + reach, side)];
            draw(Shape::Line(wheel), ink::TEXT);
        }
    } else {
        let ball = Shape::Disc {
            at: place(front, 0.0),
            radius: 0.008 * placement.scale,
        };
        draw(ball, ink::WALL);
    }
    let (ahead, left) = (robot.com_ahead, robot.com_left);
    for (along, across) in [(0.009, 0.0), (0.0, 0.009)] {
        let bar = vec![
            place(ahead - along, left - across),
            place(ahead + along, left + across),
        ];
        draw(Shape::Line(bar), ink::WRONG);
    }
    items
}

/// The robot at a pose: body, wheels, and the spots of its floor sensors.
pub fn robot_items(robot: &Robot, pose: Pose, placement: &Placement) -> Vec<Item> {
    let place = |(ahead, left): (f64, f64)| placement.at(pose.place(ahead, left));
    let line = (0.004 * placement.scale).max(0.1);
    let body = Item {
        stroke: Some(Stroke::full(ink::TEXT, line)),
        ..Item::filled(
            Layer::Robot,
            Shape::Polygon(robot.outline.iter().copied().map(place).collect()),
            ink::BODY,
        )
    };
    let mut items = vec![body.see_through(0.8)];
    let radius = robot.wheel_diameter / 2.0;
    for side in [1.0, -1.0] {
        let middle = side * robot.track_width / 2.0;
        let half = 0.01;
        let corners = [
            (-radius, middle - half),
            (radius, middle - half),
            (radius, middle + half),
            (-radius, middle + half),
        ];
        items.push(Item::filled(
            Layer::Robot,
            Shape::Polygon(corners.map(place).to_vec()),
            ink::TEXT,
        ));
    }
    // The nose: which way is ahead.
    let (nose, side) = (robot.nose, robot.width / 4.0);
    let tip = [
        (nose - 0.6 * side, side),
        (nose, 0.0),
        (nose - 0.6 * side, -side),
    ];
    items.push(Item::drawn(
        Layer::Robot,
        Shape::Line(tip.map(place).to_vec()),
        Stroke::full(ink::TEXT, line),
    ));
    for sensor in &robot.rangers {
        // The opening of the beam, a hand's breadth of it.
        let edge = |side: f64| {
            let angle = sensor.facing + side * sensor.cone / 2.0;
            (
                sensor.ahead + 0.08 * math::cos(angle),
                sensor.left + 0.08 * math::sin(angle),
            )
        };
        let beam = [edge(1.0), (sensor.ahead, sensor.left), edge(-1.0)]
            .map(place)
            .to_vec();
        items.push(Item::drawn(
            Layer::Robot,
            Shape::Line(beam),
            Stroke::full(ink::QUIET, line / 2.0),
        ));
    }
    for sensor in &robot.sensors {
        let shape = Shape::Disc {
            at: place((sensor.ahead, sensor.left)),
            radius: sensor.spot / 2.0 * placement.scale,
        };
        let spot = Item {
            stroke: Some(Stroke::full(ink::PAPER, line / 2.0)),
            ..Item::filled(Layer::Robot, shape, ink::WRONG)
        };
        items.push(spot);
    }
    items
}
