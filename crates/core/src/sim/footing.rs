//! What the robot stands on: a wheel without floor has no grip, a body whose centre of mass has
//! none falls.

use crate::field::{Edge, Field, Point, Shape};
use crate::units::math;

/// The floor under one robot during a run.
#[derive(Clone, Debug)]
pub struct Footing {
    floor: Option<Shape>,
    /// Nothing can hang over an edge before the robot has come this far from there.
    safe: Option<(Point, f64)>,
    /// Whether each wheel has floor under it: left, right.
    pub wheels: [bool; 2],
}

/// Whether the robot still stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Stance {
    /// Its centre of mass has floor under it.
    Stands,
    /// It has not.
    Falls,
}

impl Footing {
    /// The floor of who stands on one of a field's platforms, or on the mat itself.
    pub fn new(field: &Field, platform: Option<usize>) -> Self {
        let corners = || [(0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)];
        let mat = || {
            corners()
                .map(|(x, y)| Point::new(x * field.width, y * field.height))
                .to_vec()
        };
        let floor = match platform.and_then(|index| field.platforms.get(index)) {
            Some(platform) => Some(platform.shape.clone()),
            None if field.edge == Edge::Drop => Some(Shape::Polygon(mat())),
            None => None,
        };
        Self {
            floor,
            safe: None,
            wheels: [true; 2],
        }
    }

    /// Whether there is no edge to fall off.
    pub const fn is_endless(&self) -> bool {
        self.floor.is_none()
    }

    /// The floor, where it ends somewhere.
    pub const fn floor(&self) -> Option<&Shape> {
        self.floor.as_ref()
    }

    /// Whether everything stays on the floor wherever the robot goes within this many metres.
    pub fn is_sure(&mut self, centre: Point, wheels: [Point; 2], way: f64) -> bool {
        let far = |safe: Option<(Point, f64)>| {
            safe.is_some_and(|(from, reach)| from.distance(centre) + way < reach)
        };
        if self.floor.is_none() || far(self.safe) {
            return true;
        }
        self.safe = None;
        self.look(centre, wheels);
        far(self.safe)
    }

    /// Looks at where the centre of mass and the wheels are now.
    pub fn look(&mut self, centre: Point, wheels: [Point; 2]) -> Stance {
        let Some(floor) = &self.floor else {
            return Stance::Stands;
        };
        if self
            .safe
            .is_some_and(|(from, reach)| from.distance(centre) < reach)
        {
            return Stance::Stands;
        }
        let depth = floor.depth(centre);
        let reach = wheels
            .iter()
            .map(|wheel| wheel.distance(centre))
            .fold(0.0, f64::max);
        self.safe = (depth > reach).then_some((centre, depth - reach));
        if depth > reach {
            self.wheels = [true; 2];
            return Stance::Stands;
        }
        self.wheels = wheels.map(|wheel| floor.depth(wheel) > 0.0);
        if depth > 0.0 {
            Stance::Stands
        } else {
            Stance::Falls
        }
    }
}

/// Pieces along the outline of a platform, for who runs against its side: pairs of points.
pub fn sides(shape: &Shape) -> Vec<(Point, Point)> {
    /// A disc has this many sides; the outermost point of one is half a millimetre off for a disc
    /// of a metre.
    const SIDES: usize = 64;
    let points: Vec<Point> = match shape {
        Shape::Polygon(points) | Shape::Band { points, .. } => points.clone(),
        Shape::Rings(rings) => rings.iter().flatten().copied().collect(),
        Shape::Disc { centre, radius } => (0..SIDES)
            .map(|side| centre.ahead(side as f64 * math::TAU / SIDES as f64, *radius))
            .collect(),
    };
    let next = points.iter().copied().cycle().skip(1);
    points.iter().copied().zip(next).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::field::Platform;

    fn field(shape: Shape) -> Field {
        let platform = Platform {
            name: String::new(),
            shape,
        };
        Field {
            width: 2.0,
            height: 1.0,
            platforms: vec![platform],
            ..Field::default()
        }
    }

    #[test]
    fn what_is_remembered_says_the_same_as_looking_anew() {
        let corners = [(0.2, 0.2), (0.9, 0.1), (1.1, 0.8), (0.5, 0.6), (0.1, 0.9)];
        let shapes = [
            Shape::Disc {
                centre: Point::new(0.5, 0.5),
                radius: 0.3,
            },
            Shape::Polygon(corners.map(|(x, y)| Point::new(x, y)).to_vec()),
        ];
        for shape in shapes {
            let field = field(shape);
            let mut remembers = Footing::new(&field, Some(0));
            // A walk of millimetres that goes all over the platform and off it.
            let (mut hung, mut fell) = (0, 0);
            for step in 0..6000 {
                let t = f64::from(step) * 0.001;
                let centre = Point::new(
                    0.5 + 0.45 * math::cos(2.3 * t),
                    0.5 + 0.45 * math::sin(1.7 * t),
                );
                let wheels = [-0.06, 0.06].map(|side| centre.ahead(5.0 * t, side));
                let stance = remembers.look(centre, wheels);
                let mut fresh = Footing::new(&field, Some(0));
                assert_eq!(
                    (stance, remembers.wheels),
                    (fresh.look(centre, wheels), fresh.wheels),
                    "{t}"
                );
                hung += u32::from(fresh.wheels != [true; 2]);
                fell += u32::from(stance == Stance::Falls);
            }
            assert!(
                hung > 100 && fell > 100,
                "the walk meets the edge: {hung} {fell}"
            );
        }
    }

    #[test]
    fn on_the_mat_only_a_tables_edge_matters() {
        let mut field = field(Shape::Disc {
            centre: Point::new(0.5, 0.5),
            radius: 0.3,
        });
        let beyond = [Point::new(2.1, 0.5); 2];
        assert_eq!(
            Footing::new(&field, None).look(beyond[0], beyond),
            Stance::Stands
        );
        field.edge = Edge::Drop;
        assert_eq!(
            Footing::new(&field, None).look(beyond[0], beyond),
            Stance::Falls
        );
        let mut half = Footing::new(&field, None);
        assert_eq!(
            half.look(
                Point::new(1.98, 0.5),
                [Point::new(1.94, 0.5), Point::new(2.01, 0.5)]
            ),
            Stance::Stands
        );
        assert_eq!(half.wheels, [true, false]);
    }

    #[test]
    fn the_sides_of_a_shape_close_it() {
        let disc = sides(&Shape::Disc {
            centre: Point::new(1.0, 1.0),
            radius: 0.5,
        });
        assert!(
            disc.windows(2).all(|pair| pair[0].1 == pair[1].0)
                && disc.last().unwrap().1 == disc[0].0
        );
        let around: f64 = disc.iter().map(|(a, b)| a.distance(*b)).sum();
        assert!((around / (math::TAU * 0.5) - 1.0).abs() < 0.001, "{around}");
    }
}
