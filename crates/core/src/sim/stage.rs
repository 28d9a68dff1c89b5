//! What stands on the field and never moves, and what a ranging sensor sees of it.

use super::footing::sides;
use super::form::Form;
use crate::field::{Field, Point, Shape};
use crate::robot::RangeSensor;
use crate::units::math;

/// Half the thickness of a platform's side, metres.
const SIDE: f64 = 0.001;

/// Neighbouring forms with a circle around them, so that most are left out together.
#[derive(Clone, Debug)]
struct Group {
    centre: Point,
    radius: f64,
    members: std::ops::Range<usize>,
}

impl Group {
    fn around(forms: &[Form], members: std::ops::Range<usize>) -> Self {
        let count = members.len().max(1) as f64;
        let mine = &forms[members.clone()];
        let sum =
            |of: fn(Point) -> f64| mine.iter().map(|form| of(form.middle())).sum::<f64>() / count;
        let centre = Point::new(sum(|middle| middle.x), sum(|middle| middle.y));
        let radius = mine
            .iter()
            .map(|form| form.reach(centre))
            .fold(0.0, f64::max);
        Self {
            centre,
            radius,
            members,
        }
    }
}

/// Walls and sides of platforms, as they are for who stands on one level.
#[derive(Clone, Debug, Default)]
pub struct Stage {
    /// Its pieces.
    pub forms: Vec<Form>,
    /// A circle around each of them.
    circles: Vec<(Point, f64)>,
    /// The pieces of one wall or platform each, with a circle around them.
    groups: Vec<Group>,
}

/// What one ranging sensor sees at a moment.
#[derive(Clone, Debug)]
pub struct Look {
    from: Point,
    rays: [(f64, f64); RAYS],
    middle: (f64, f64),
    cone: Cone,
    /// What stands nearest in a ray hides what is behind it, even when it sends nothing back
    /// itself.
    first: [Option<(f64, f64)>; RAYS],
}

/// A cone is this many rays.
const RAYS: usize = 5;

/// The cone of a ranging sensor, as its body carries it.
#[derive(Clone, Copy, Debug)]
pub struct Cone {
    rays: [(f64, f64); RAYS],
    opening: (f64, f64),
    greatest: f64,
    squarely: f64,
}

impl Cone {
    /// The cone of a sensor.
    pub fn new(sensor: &RangeSensor) -> Self {
        let half = sensor.cone / 2.0;
        let direction = |angle: f64| (math::cos(angle), math::sin(angle));
        Self {
            rays: std::array::from_fn(|ray| {
                direction(sensor.facing + (ray as f64 / 2.0 - 1.0) * half)
            }),
            opening: direction(half),
            greatest: sensor.greatest,
            squarely: math::cos(sensor.slant),
        }
    }
}

impl Look {
    /// A look from a place, by a sensor on a body that looks along `ahead`.
    pub fn new(from: Point, ahead: (f64, f64), cone: &Cone) -> Self {
        let turned = |(x, y): (f64, f64)| (ahead.0 * x - ahead.1 * y, ahead.1 * x + ahead.0 * y);
        let rays = cone.rays.map(turned);
        Self {
            from,
            rays,
            middle: rays[RAYS / 2],
            cone: *cone,
            first: [None; RAYS],
        }
    }

    /// Whether a circle may reach into the cone: most things are nowhere near it.
    fn near(&self, centre: Point, radius: f64) -> bool {
        let (dx, dy) = (centre.x - self.from.x, centre.y - self.from.y);
        let along = dx * self.middle.0 + dy * self.middle.1;
        let across = (dy * self.middle.0 - dx * self.middle.1).abs();
        along > -radius
            && along < self.cone.greatest + radius
            && across * self.cone.opening.0 < along.max(0.0) * self.cone.opening.1 + radius
    }

    /// Looks at one more thing, which reaches this far from a centre.
    pub fn at(&mut self, form: &Form, centre: Point, radius: f64) {
        if !self.near(centre, radius) {
            return;
        }
        for (hit, first) in form
            .meet(self.from, &self.rays)
            .into_iter()
            .zip(&mut self.first)
        {
            let Some(hit) = hit else { continue };
            if first.is_none_or(|(far, _)| hit.0 < far) {
                *first = Some(hit);
            }
        }
    }

    /// How far away the nearest thing is that sends something back, metres; none within reach. Each
    /// of the rays counts only if it meets its face squarely enough.
    pub fn echo(&self) -> Option<f64> {
        let back = |(far, facing): &(f64, f64)| {
            *far <= self.cone.greatest && *facing >= self.cone.squarely
        };
        self.first
            .iter()
            .flatten()
            .filter(|hit| back(hit))
            .map(|(far, _)| *far)
            .min_by(f64::total_cmp)
    }
}

impl Stage {
    /// The walls of a field, and for who stands on the mat the sides of its platforms.
    pub fn new(field: &Field, platform: Option<usize>) -> Self {
        let mut stage = Self::default();
        let mut add = |pieces: Vec<Form>| {
            let first = stage.forms.len();
            stage.circles.extend(
                pieces
                    .iter()
                    .map(|form| (form.middle(), form.reach(form.middle()))),
            );
            stage.forms.extend(pieces);
            stage
                .groups
                .push(Group::around(&stage.forms, first..stage.forms.len()));
        };
        for wall in &field.walls {
            let half = wall.thickness / 2.0;
            // Each piece reaches half a thickness further, so that corners have no notch.
            add(wall
                .points
                .windows(2)
                .filter_map(|pair| Form::along(pair[0], pair[1], half, half))
                .collect());
        }
        for platform in field.platforms.iter().filter(|_| platform.is_none()) {
            // A round one is a disc, all round and without corners.
            if let Shape::Disc { centre, radius } = platform.shape {
                add(vec![Form::Disc { centre, radius }]);
                continue;
            }
            add(sides(&platform.shape)
                .into_iter()
                .filter_map(|(from, to)| Form::along(from, to, SIDE, 0.0))
                .collect());
        }
        stage
    }

    /// Shows all of it to a ranging sensor.
    pub fn show(&self, look: &mut Look) {
        for group in &self.groups {
            if look.near(group.centre, group.radius) {
                for index in group.members.clone() {
                    let (middle, reach) = self.circles[index];
                    look.at(&self.forms[index], middle, reach);
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::field::Wall;

    fn sensor(cone: f64) -> RangeSensor {
        RangeSensor {
            name: String::new(),
            port: String::new(),
            ahead: 0.0,
            left: 0.0,
            facing: 0.0,
            cone,
            least: 0.0,
            greatest: 3.0,
            period_ms: 1,
            latency_ms: 0,
            noise: 0.0,
            dropouts: 0.0,
            outliers: 0.0,
            phase_ms: 0,
            scale: 1.0,
            step: 0.0,
            slant: 1.57,
            blind_above: f64::INFINITY,
        }
    }

    #[test]
    fn an_echo_comes_from_the_nearest_face_in_the_cone() {
        let wall = |x: f64, y: f64| Wall {
            name: String::new(),
            points: vec![Point::new(x, y - 0.1), Point::new(x, y + 0.1)],
            thickness: 0.02,
        };
        let field = Field {
            walls: vec![wall(1.0, 0.0), wall(0.5, 0.4)],
            ..Field::default()
        };
        let stage = Stage::new(&field, None);
        let see = |heading: f64, sensor: &RangeSensor| {
            let ahead = (math::cos(heading), math::sin(heading));
            let mut look = Look::new(Point::default(), ahead, &Cone::new(sensor));
            stage.show(&mut look);
            look.echo()
        };
        let echo = |heading: f64, cone: f64| see(heading, &sensor(cone));
        assert!(
            (echo(0.0, 0.1).unwrap() - 0.99).abs() < 1e-9,
            "straight ahead"
        );
        assert_eq!(echo(3.0, 0.1), None, "nothing behind");
        let aside = math::atan2(0.4, 0.5);
        assert!((echo(aside, 0.0).unwrap() - 0.49 / math::cos(aside)).abs() < 1e-6);
        assert!(
            echo(aside / 2.0, 1.2).unwrap() < 0.7,
            "a wide cone sees both and reports the nearer"
        );
        assert_eq!(
            see(
                0.0,
                &RangeSensor {
                    greatest: 0.9,
                    ..sensor(0.1)
                }
            ),
            None,
            "out of reach"
        );
        assert!(
            see(
                0.0,
                &RangeSensor {
                    slant: 1e-3,
                    ..sensor(0.0)
                }
            )
            .is_some(),
            "square on"
        );
        let flat = RangeSensor {
            slant: 0.5,
            ..sensor(0.0)
        };
        assert_eq!(see(aside, &flat), None, "39 deg off the normal");
    }
}
