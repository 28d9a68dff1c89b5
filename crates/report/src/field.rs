//! The field with a run on it, as scene items.

use wayodos_core::controller::Program;
use wayodos_core::field::{Edge, Field, Mark, Point, Pose, Shape as Outline};
use wayodos_core::robot::Robot;
use wayodos_core::sim::{Run, Trace, Visit};
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
        Self { left: 0.0, top: 0.0, scale: 1000.0, height: field.height }
    }

    /// The largest field that fits into a box of the scene, centred.
    pub fn within(field: &Field, left: f64, top: f64, width: f64, height: f64) -> Self {
        let scale = (width / field.width).min(height / field.height);
        let (spare_x, spare_y) = (width - field.width * scale, height - field.height * scale);
        Self { left: left + spare_x / 2.0, top: top + spare_y / 2.0, scale, height: field.height }
    }

    /// The scene's place of a place on the field.
    pub fn at(&self, p: Point) -> [f64; 2] {
        [self.left + p.x * self.scale, self.top + (self.height - p.y) * self.scale]
    }

    fn all(&self, points: &[Point]) -> Vec<[f64; 2]> {
        points.iter().map(|&p| self.at(p)).collect()
    }
}

/// A run with all that is needed to tell it.
#[derive(Clone, Copy)]
pub struct Story<'a> {
    /// The field it took place on.
    pub field: &'a Field,
    /// The robot that drove.
    pub robot: &'a Robot,
    /// The program it followed.
    pub program: &'a Program,
    /// What happened.
    pub run: &'a Run,
}

/// The mat, what lies on it, the walls, and the start poses.
pub fn ground_items(field: &Field, placement: &Placement) -> Vec<Item> {
    let ground = Rgb::from(field.surfaces.first().map_or([230; 3], |surface| surface.rgb));
    let [x, y] = placement.at(Point::new(0.0, field.height));
    let mat = rectangle(x, y, field.width * placement.scale, field.height * placement.scale);
    let mut items = vec![Item::filled(Layer::Ground, mat, ground)];
    items.extend(field.marks.iter().map(|mark| mark_item(field, mark, placement)));
    // An edge that one can fall off is drawn as an edge.
    let drop = Stroke::full(ink::WALL, 0.006 * placement.scale);
    items.extend(
        field.platforms.iter().map(|platform| Item::drawn(Layer::Ground, outline(&platform.shape, placement), drop)),
    );
    if field.edge == Edge::Drop {
        let mat = rectangle(x, y, field.width * placement.scale, field.height * placement.scale);
        items.push(Item::drawn(Layer::Ground, mat, drop));
    }
    for wall in &field.walls {
        let stroke = Stroke::full(ink::WALL, wall.thickness * placement.scale);
        items.push(Item::drawn(Layer::Standing, Shape::Line(placement.all(&wall.points)), stroke));
    }
    items
}

fn mark_item(field: &Field, mark: &Mark, placement: &Placement) -> Item {
    let fill = Rgb::from(field.surface(mark.surface).rgb);
    let shape = outline(&mark.shape, placement);
    match &mark.shape {
        Outline::Band { width, .. } => Item::drawn(Layer::Ground, shape, Stroke::full(fill, width * placement.scale)),
        Outline::Disc { .. } | Outline::Polygon(_) | Outline::Rings(_) => Item::filled(Layer::Ground, shape, fill),
    }
}

fn outline(shape: &Outline, placement: &Placement) -> Shape {
    match shape {
        Outline::Band { points, .. } => Shape::Line(placement.all(points)),
        Outline::Disc { centre, radius } => Shape::Disc { at: placement.at(*centre), radius: radius * placement.scale },
        Outline::Polygon(points) => Shape::Polygon(placement.all(points)),
        // One outline that goes from ring to ring and back the same way: the seams have no area.
        Outline::Rings(rings) => {
            let first = rings.first().and_then(|ring| ring.first()).copied().unwrap_or_default();
            let round = |ring: &Vec<Point>| ring.iter().copied().chain(ring.first().copied()).chain([first]).collect();
            Shape::Polygon(
                rings.iter().flat_map(|ring| placement.all(&Vec::from_iter::<Vec<Point>>(round(ring)))).collect(),
            )
        }
    }
}

/// The places of some ticks of a trace, thinned to what the eye can tell apart.
fn path(trace: &Trace, from: usize, to: usize, placement: &Placement) -> Vec<[f64; 2]> {
    let mut kept: Vec<Point> = Vec::new();
    for (index, tick) in trace.ticks.iter().enumerate().take(to + 1).skip(from) {
        let point = Point::new(tick.pose.x, tick.pose.y);
        if index == from || index == to || kept.last().is_none_or(|last| last.distance(point) >= STRIDE) {
            kept.push(point);
        }
    }
    placement.all(&kept)
}

/// The path of a run in one pale line.
pub fn ghost_items(trace: &Trace, placement: &Placement, ink: Rgb, width: f64) -> Vec<Item> {
    let Some(last) = trace.ticks.len().checked_sub(1) else { return Vec::new() };
    vec![Item::drawn(Layer::Ghost, Shape::Line(path(trace, 0, last, placement)), Stroke::full(ink, width))]
}

/// The path of a run, each step in its tint, and a mark where each step ended.
///
/// `width` is that of the line in scene millimetres.
pub fn path_items(run: &Run, placement: &Placement, width: f64) -> Vec<Item> {
    let mut items = Vec::new();
    for Visit { step, entered, left, .. } in &run.visits {
        let points = path(&run.trace, *entered, *left, placement);
        items.push(Item::drawn(Layer::Path, Shape::Line(points), Stroke::full(tint(*step), width)));
        let Some(tick) = run.trace.ticks.get(*left) else { continue };
        let at = placement.at(Point::new(tick.pose.x, tick.pose.y));
        let mark = Item {
            stroke: Some(Stroke::full(tint(*step), width)),
            ..Item::filled(Layer::Event, Shape::Disc { at, radius: 1.4 * width }, ink::PAPER)
        };
        items.push(mark);
    }
    items
}

/// The robot at a pose: body, wheels, and the spots of its floor sensors.
pub fn robot_items(robot: &Robot, pose: Pose, placement: &Placement) -> Vec<Item> {
    let place = |(ahead, left): (f64, f64)| placement.at(pose.place(ahead, left));
    let line = (0.004 * placement.scale).max(0.1);
    let body = Item {
        stroke: Some(Stroke::full(ink::TEXT, line)),
        ..Item::filled(Layer::Robot, Shape::Polygon(robot.outline.iter().copied().map(place).collect()), ink::BODY)
    };
    let mut items = vec![body.see_through(0.8)];
    let radius = robot.wheel_diameter / 2.0;
    for side in [1.0, -1.0] {
        let middle = side * robot.track_width / 2.0;
        let half = 0.01;
        let corners =
            [(-radius, middle - half), (radius, middle - half), (radius, middle + half), (-radius, middle + half)];
        items.push(Item::filled(Layer::Robot, Shape::Polygon(corners.map(place).to_vec()), ink::TEXT));
    }
    // The nose: which way is ahead.
    let (nose, side) = (robot.nose, robot.width / 4.0);
    let tip = [(nose - 0.6 * side, side), (nose, 0.0), (nose - 0.6 * side, -side)];
    items.push(Item::drawn(Layer::Robot, Shape::Line(tip.map(place).to_vec()), Stroke::full(ink::TEXT, line)));
    for sensor in &robot.rangers {
        // The opening of the beam, a hand's breadth of it.
        let edge = |side: f64| {
            let angle = sensor.facing + side * sensor.cone / 2.0;
            (sensor.ahead + 0.08 * math::cos(angle), sensor.left + 0.08 * math::sin(angle))
        };
        let beam = [edge(1.0), (sensor.ahead, sensor.left), edge(-1.0)].map(place).to_vec();
        items.push(Item::drawn(Layer::Robot, Shape::Line(beam), Stroke::full(ink::QUIET, line / 2.0)));
    }
    for sensor in &robot.sensors {
        let shape = Shape::Disc { at: place((sensor.ahead, sensor.left)), radius: sensor.spot / 2.0 * placement.scale };
        let spot = Item {
            stroke: Some(Stroke::full(ink::PAPER, line / 2.0)),
            ..Item::filled(Layer::Robot, shape, ink::WRONG)
        };
        items.push(spot);
    }
    items
}
