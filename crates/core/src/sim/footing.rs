//! What the robot stands on: a wheel without floor has no grip, a body whose centre of mass has none falls.

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
        let mat = || corners().map(|(x, y)| Point::new(x * field.width, y * field.height)).to_vec();
        let floor = match platform.and_then(|index| field.platforms.get(index)) {
            Some(platform) => Some(platform.shape.clone()),
            None if field.edge == Edge::Drop => Some(Shape::Polygon(mat())),
            None => None,
        };
        Self { floor, safe: None, wheels: [true; 2] }
    }

    /// Looks at where the centre of mass and the wheels are now.
    pub fn look(&mut self, centre: Point, wheels: [Point; 2]) -> Stance {
        let Some(floor) = &self.floor else { return Stance::Stands };
        if self.safe.is_some_and(|(from, reach)| from.distance(centre) < reach) {
            return Stance::Stands;
        }
        let depth = floor.depth(centre);
        let reach = wheels.iter().map(|wheel| wheel.distance(centre)).fold(0.0, f64::max);
        self.safe = (depth > reach).then_some((centre, depth - reach));
        if depth > reach {
            self.wheels = [true; 2];
            return Stance::Stands;
        }
        self.wheels = wheels.map(|wheel| floor.depth(wheel) > 0.0);
        if depth > 0.0 { Stance::Stands } else { Stance::Falls }
    }
}

/// Pieces along the outline of a platform, for who runs against its side: pairs of points.
pub fn sides(shape: &Shape) -> Vec<(Point, Point)> {
    /// A disc has so many sides; the outermost point of one is half a millimetre off for a disc of a metre.
    const SIDES: usize = 64;
    let points: Vec<Point> = match shape {
        Shape::Polygon(points) | Shape::Band { points, .. } => points.clone(),
        Shape::Disc { centre, radius } => {
            (0..SIDES).map(|side| centre.ahead(side as f64 * math::TAU / SIDES as f64, *radius)).collect()
        }
    };
    let next = points.iter().copied().cycle().skip(1);
    points.iter().copied().zip(next).collect()
}
