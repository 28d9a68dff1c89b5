//! The field: a flat mat with lines and patches of known surfaces, walls on it, and named start
//! poses.
//!
//! Coordinates are in metres, x right, y up, the origin at the mat's lower left corner; headings
//! are counter-clockwise from +x. Loading is pure: text in, field and findings out.

mod drawing;
mod errors;
mod legs;
mod load;
mod mat;
mod outline;
mod picture;
mod play;

pub use errors::{BadDrawing, BadLeg, BadPicture, Unreadable};
pub use load::{FILE, Files, load, load_with};
pub use mat::{Blurred, Mat, seen};
pub use picture::Picture;
pub use play::{
    Conduct, Decider, Feat, MOST_CORNERS, Object, Obstacle, Opponent, Outline, Rules, Scoring,
    Unlock, Zone,
};

use serde::{Deserialize, Serialize};

use crate::scatter::{FieldSpread, Spreads};
use crate::units::math;

/// A place on the field, in metres.
#[derive(Clone, Copy, Debug, PartialEq, Default, Serialize, Deserialize)]
pub struct Point {
    /// Rightwards.
    pub x: f64,
    /// Upwards.
    pub y: f64,
}

impl Point {
    /// A point from its coordinates in metres.
    pub const fn new(x: f64, y: f64) -> Self {
        Self { x, y }
    }

    /// The point `distance` metres further along `heading` (rad).
    #[must_use]
    pub fn ahead(self, heading: f64, distance: f64) -> Self {
        Self {
            x: self.x + distance * math::cos(heading),
            y: self.y + distance * math::sin(heading),
        }
    }

    /// Distance to another point in metres.
    pub fn distance(self, other: Self) -> f64 {
        math::length(self.x - other.x, self.y - other.y)
    }
}

/// A place and a heading.
#[derive(Clone, Copy, Debug, PartialEq, Default, Serialize, Deserialize)]
pub struct Pose {
    /// Rightwards, in metres.
    pub x: f64,
    /// Upwards, in metres.
    pub y: f64,
    /// Counter-clockwise from +x, in radians.
    pub heading: f64,
}

impl Pose {
    /// Where a point of the robot frame (x ahead, y left, metres) lies on the field.
    pub fn place(self, ahead: f64, left: f64) -> Point {
        let (c, s) = (math::cos(self.heading), math::sin(self.heading));
        Point {
            x: self.x + c * ahead - s * left,
            y: self.y + s * ahead + c * left,
        }
    }
}

/// What a surface does to light.
#[derive(Clone, Debug, PartialEq)]
pub struct Surface {
    /// Its name: what missions call the tone of it.
    pub name: String,
    /// Its colour as sRGB bytes.
    pub rgb: [u8; 3],
    /// Share of light mirrored into a sensor that looks straight down, 0 to 1.
    pub gloss: f64,
    /// Share of infrared light that it sends back; none where it is as bright as its colour.
    pub infrared: Option<f64>,
}

/// Index of a surface in [`Field::surfaces`].
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct SurfaceId(pub u8);

/// The outline of something flat on the mat.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub enum Shape {
    /// A band of constant width along a polyline; square ends, round joints.
    Band {
        /// The middle line.
        points: Vec<Point>,
        /// Whole width in metres.
        width: f64,
    },
    /// A filled circle.
    Disc {
        /// Its middle.
        centre: Point,
        /// Its radius in metres.
        radius: f64,
    },
    /// A filled polygon.
    Polygon(Vec<Point>),
    /// Several polygons together: what lies in an odd number of them is filled.
    Rings(Vec<Vec<Point>>),
}

/// A shape of one surface; later marks cover earlier ones.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Mark {
    /// Its name, empty when it has none.
    pub name: String,
    /// Whether it was written as a line (and not as a patch).
    pub is_line: bool,
    /// Whether it is not to be touched.
    pub keep_off: bool,
    /// What it is made of.
    pub surface: SurfaceId,
    /// Where it lies.
    pub shape: Shape,
}

/// A wall: a band that stands up from the mat and that nothing passes.
#[derive(Clone, Debug, PartialEq)]
pub struct Wall {
    /// Its name, empty when it has none.
    pub name: String,
    /// Its middle line.
    pub points: Vec<Point>,
    /// Whole width in metres.
    pub thickness: f64,
}

/// A raised area: who stands on it can fall off, and who stands beside it runs against its side.
#[derive(Clone, Debug, PartialEq)]
pub struct Platform {
    /// Its name, empty when it has none.
    pub name: String,
    /// Its outline: a disc or a polygon.
    pub shape: Shape,
}

/// What is beyond the edges of the mat.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Default)]
pub enum Edge {
    /// Floor of the same height.
    #[default]
    Floor,
    /// Nothing: the mat covers a table.
    Drop,
}

/// A named place to start from.
#[derive(Clone, Debug, PartialEq)]
pub struct Start {
    /// Its name, as in `start slipway`.
    pub name: String,
    /// Where the middle of the axle stands, and where the robot looks.
    pub pose: Pose,
    /// The robot looks anywhere, by lot.
    pub turned_by_lot: bool,
    /// Where it stands in the field file.
    pub span: std::ops::Range<usize>,
}

/// A whole field.
#[derive(Clone, Debug, PartialEq, Default)]
pub struct Field {
    /// What people call it.
    pub name: String,
    /// Extent to the right, in metres.
    pub width: f64,
    /// Extent upwards, in metres.
    pub height: f64,
    /// The surfaces by id; the first is the mat's ground.
    pub surfaces: Vec<Surface>,
    /// What lies around the mat.
    pub surround: SurfaceId,
    /// Pictures on the mat, beneath all lines and patches.
    pub pictures: Vec<Picture>,
    /// Lines and patches, in the order of the file.
    pub marks: Vec<Mark>,
    /// Walls.
    pub walls: Vec<Wall>,
    /// Raised areas.
    pub platforms: Vec<Platform>,
    /// What is beyond the mat.
    pub edge: Edge,
    /// Light of the room on the mat, as a share of a floor sensor's own.
    pub ambient: f64,
    /// How much that flickers, as a share of it, and how often a second.
    pub flicker: (f64, f64),
    /// How much the brightness of the mat differs from place to place: a standard deviation, as a
    /// share of it.
    pub unevenness: f64,
    /// Start poses; never empty in a field without findings.
    pub starts: Vec<Start>,
    /// Things to push.
    pub objects: Vec<Object>,
    /// Things that come, walk and leave by themselves.
    pub obstacles: Vec<Obstacle>,
    /// Other robots.
    pub opponents: Vec<Opponent>,
    /// Areas that the rules speak of.
    pub zones: Vec<Zone>,
    /// What decides and what counts.
    pub rules: Rules,
    /// How much it differs from run to run.
    pub scatter: Spreads<FieldSpread>,
}

impl Field {
    /// A surface by its id.
    pub fn surface(&self, id: SurfaceId) -> &Surface {
        &self.surfaces[usize::from(id.0)]
    }

    /// The platform that a place is on: its index.
    pub fn platform_at(&self, place: Point) -> Option<usize> {
        self.platforms
            .iter()
            .position(|platform| platform.shape.depth(place) > 0.0)
    }

    /// What lies or stands nearest to a place and has a name, when that is within this many metres.
    pub fn named_near(&self, at: Point, within: f64) -> Option<&str> {
        let marks = self
            .marks
            .iter()
            .map(|mark| (mark.name.as_str(), -mark.shape.depth(at)));
        let walls = self.walls.iter().map(|wall| {
            let band = Shape::Band {
                points: wall.points.clone(),
                width: wall.thickness,
            };
            (wall.name.as_str(), -band.depth(at))
        });
        let named = marks
            .chain(walls)
            .filter(|(name, away)| !name.is_empty() && *away <= within);
        named
            .min_by(|a, b| a.1.total_cmp(&b.1))
            .map(|(name, _)| name)
    }

    /// The start pose of that name.
    pub fn start(&self, name: &str) -> Option<&Start> {
        self.starts.iter().find(|start| start.name == name)
    }
}
