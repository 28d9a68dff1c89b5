//! What is on a field besides its mat: things to push, things that come and go, other robots, zones
//! and rules.

use serde::{Deserialize, Serialize};

use super::{Point, Pose, Shape, SurfaceId};

/// An outline has at most this many corners.
pub const MOST_CORNERS: usize = 8;

/// The outline of a thing in its own frame: its centre of mass is the origin.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub enum Outline {
    /// A disc of this many metres of radius.
    Disc(f64),
    /// A convex polygon, counter-clockwise.
    Polygon(Vec<Point>),
}

impl Outline {
    /// Area in square metres.
    pub fn area(&self) -> f64 {
        match self {
            Self::Disc(radius) => crate::units::math::PI * radius * radius,
            Self::Polygon(points) => triangles(points).map(|(a, b)| cross(a, b) / 2.0).sum(),
        }
    }

    /// Moment of inertia about the origin for each kg, square metres, of a plate of even thickness:
    /// r^2 / 2 for a disc; for a polygon the sum over its triangles with the origin.
    pub fn inertia(&self) -> f64 {
        match self {
            Self::Disc(radius) => radius * radius / 2.0,
            Self::Polygon(points) => {
                let dot = |a: Point, b: Point| a.x * b.x + a.y * b.y;
                let of = |(a, b): (Point, Point)| {
                    cross(a, b) * (dot(a, a) + dot(a, b) + dot(b, b)) / 12.0
                };
                triangles(points).map(of).sum::<f64>() / self.area()
            }
        }
    }

    /// The mean distance of its area from the origin, metres: torque over force of friction when it
    /// turns on the spot. 2 r / 3 for a disc; a polygon is taken as triangles with the origin, each
    /// by its three middles of sides.
    pub fn lever(&self) -> f64 {
        match self {
            Self::Disc(radius) => radius * 2.0 / 3.0,
            Self::Polygon(points) => {
                let middle = |a: Point, b: Point| {
                    Point::new(f64::midpoint(a.x, b.x), f64::midpoint(a.y, b.y))
                };
                let far = |p: Point| p.distance(Point::default());
                let o = Point::default();
                let mean = |a, b| (far(middle(a, b)) + far(middle(o, a)) + far(middle(o, b))) / 3.0;
                triangles(points)
                    .map(|(a, b)| cross(a, b) / 2.0 * mean(a, b))
                    .sum::<f64>()
                    / self.area()
            }
        }
    }

    /// It at a pose: the corners of a polygon; a disc as one of this many sides.
    pub fn placed(&self, pose: Pose, sides: usize) -> Vec<Point> {
        match self {
            Self::Disc(radius) => {
                let turn = |side| {
                    pose.heading + f64::from(side as u32) * crate::units::math::TAU / sides as f64
                };
                (0..sides)
                    .map(|side| Point::new(pose.x, pose.y).ahead(turn(side), *radius))
                    .collect()
            }
            Self::Polygon(points) => points.iter().map(|p| pose.place(p.x, p.y)).collect(),
        }
    }
}

fn triangles(points: &[Point]) -> impl Iterator<Item = (Point, Point)> {
    points
        .iter()
        .copied()
        .zip(points.iter().copied().cycle().skip(1))
}

fn cross(a: Point, b: Point) -> f64 {
    a.x * b.y - a.y * b.x
}

/// A thing that can be pushed.
#[derive(Clone, Debug, PartialEq)]
pub struct Object {
    /// Its name.
    pub name: String,
    /// What it looks like.
    pub surface: SurfaceId,
    /// Its outline.
    pub outline: Outline,
    /// Where it stands at the start.
    pub pose: Pose,
    /// kg.
    pub mass: f64,
    /// Coefficient of friction on the floor.
    pub friction: f64,
    /// Share of the speed of meeting that is given back.
    pub bounce: f64,
    /// Where it stands in the field file.
    pub span: std::ops::Range<usize>,
}

/// A thing that nothing moves and that comes, walks and leaves by itself.
#[derive(Clone, Debug, PartialEq)]
pub struct Obstacle {
    /// Its name.
    pub name: String,
    /// What it looks like.
    pub surface: SurfaceId,
    /// Its outline.
    pub outline: Outline,
    /// Where it stands, or sets out.
    pub pose: Pose,
    /// Seconds after the start at which it comes.
    pub comes: f64,
    /// Seconds after the start at which it leaves; infinite when it stays.
    pub leaves: f64,
    /// It comes again after this many seconds.
    pub every: Option<f64>,
    /// Where it walks to, in order.
    pub path: Vec<Point>,
    /// m/s.
    pub speed: f64,
    /// It walks back to where it came from, and on.
    pub paces: bool,
}

/// What another robot does.
#[derive(Clone, Debug, PartialEq)]
pub enum Conduct {
    /// Its motors are off.
    Stands,
    /// Constant duties of its left and right motor.
    Drifts([f64; 2]),
    /// From place to place at a duty, over and over.
    Patrols(Vec<Point>, f64),
    /// The mission in this file of the project.
    Mission(String),
}

/// Another robot on the field.
#[derive(Clone, Debug, PartialEq)]
pub struct Opponent {
    /// Its name.
    pub name: String,
    /// Path of its robot file in the project.
    pub robot: String,
    /// Where the field file names that.
    pub robot_span: std::ops::Range<usize>,
    /// Where the middle of its axle stands, and where it looks.
    pub pose: Pose,
    /// It looks anywhere, by lot.
    pub turned_by_lot: bool,
    /// What it does.
    pub conduct: Conduct,
    /// Where the field file names its mission; the whole section without one.
    pub conduct_span: std::ops::Range<usize>,
    /// Where it stands in the field file.
    pub span: std::ops::Range<usize>,
}

/// A named area that rules speak of.
#[derive(Clone, Debug, PartialEq)]
pub struct Zone {
    /// Its name.
    pub name: String,
    /// Where it is.
    pub shape: Shape,
}

/// What a line of the score sheet is given for.
#[derive(Clone, Debug, PartialEq)]
pub enum Feat {
    /// Each object whose centre is in the zone at the end.
    ObjectInZone(usize),
    /// Each object that fell off a platform or the table.
    ObjectOff,
    /// Every object has fallen off.
    AllObjectsOff,
    /// The whole robot is in the zone at the end.
    RobotInZone(usize),
    /// Each other robot that fell.
    OpponentOff,
    /// The robot fell.
    Fell,
    /// Each time a wheel comes onto a line that is to be kept off.
    TapeTouched,
    /// It moved before the start delay was over.
    EarlyStart,
    /// The mission came to its planned end.
    Done,
    /// Each whole second left on the clock at the planned end.
    SecondLeft,
}

/// A line of the score sheet.
#[derive(Clone, Debug, PartialEq)]
pub struct Scoring {
    /// What for.
    pub feat: Feat,
    /// Points, each time.
    pub points: f64,
    /// The words of the sheet.
    pub words: String,
}

/// What decides a match before its clock does.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Decider {
    /// Who is the last one on the platform has won.
    LastOnTheRing,
    /// Won when every object has fallen off.
    AllObjectsOff,
    /// Lost by who moves before the start delay is over.
    EarlyStart,
    /// Won by who is still there when the match clock runs out.
    ClockRunsOut,
}

/// The rules of a match.
#[derive(Clone, Debug, PartialEq, Default)]
pub struct Rules {
    /// Seconds after which it is over.
    pub clock: Option<f64>,
    /// Seconds during which nobody may move.
    pub start_delay: f64,
    /// What decides it earlier.
    pub deciders: Vec<Decider>,
    /// What becomes of robots that are locked, and after how many seconds.
    pub locked: Option<(Unlock, f64)>,
    /// The score sheet.
    pub scoring: Vec<Scoring>,
}

/// What a referee does about robots that push each other without moving.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub enum Unlock {
    /// Puts both back to where they began; the match goes on.
    Part,
    /// Calls a draw.
    Draw,
}

impl Rules {
    /// Whether there is anything to judge.
    pub fn is_empty(&self) -> bool {
        *self == Self::default()
    }
}
