//! Outlines: how deep a place lies within a shape, and the box around it.

use super::{Point, Shape};

impl Shape {
    /// How far a point lies inside, in metres; negative outside. A band is taken as its filled
    /// middle line.
    pub fn depth(&self, p: Point) -> f64 {
        match self {
            Self::Disc { centre, radius } => radius - p.distance(*centre),
            Self::Polygon(points) => inside_by(std::slice::from_ref(points), p),
            Self::Rings(rings) => inside_by(rings, p),
            Self::Band { points, width } => {
                let nearest = points
                    .windows(2)
                    .map(|pair| to_segment(p, pair[0], pair[1]))
                    .fold(f64::INFINITY, f64::min);
                width / 2.0 - nearest
            }
        }
    }

    /// The corners of the box around it: lower left and upper right.
    pub fn bounds(&self) -> (Point, Point) {
        if let Self::Rings(rings) = self {
            return bounds(rings.iter().flatten());
        }
        let (points, more): (&[Point], f64) = match self {
            Self::Disc { centre, radius } => (std::slice::from_ref(centre), *radius),
            Self::Band { points, width } => (points, width / 2.0),
            Self::Polygon(points) => (points, 0.0),
            Self::Rings(_) => unreachable!("answered above"),
        };
        let (low, high) = bounds(points);
        (
            Point::new(low.x - more, low.y - more),
            Point::new(high.x + more, high.y + more),
        )
    }
}

/// The box around points.
pub(super) fn bounds<'a>(points: impl IntoIterator<Item = &'a Point>) -> (Point, Point) {
    let mut low = Point::new(f64::INFINITY, f64::INFINITY);
    let mut high = Point::new(f64::NEG_INFINITY, f64::NEG_INFINITY);
    for p in points {
        low = Point::new(low.x.min(p.x), low.y.min(p.y));
        high = Point::new(high.x.max(p.x), high.y.max(p.y));
    }
    (low, high)
}

/// How far a point lies inside polygons (even-odd), negative outside, in metres.
fn inside_by(rings: &[Vec<Point>], p: Point) -> f64 {
    let mut inside = false;
    let mut nearest = f64::INFINITY;
    for points in rings {
        let Some(&last) = points.last() else { continue };
        let mut previous = last;
        for &corner in points {
            if (corner.y > p.y) != (previous.y > p.y) {
                let x =
                    corner.x + (p.y - corner.y) / (previous.y - corner.y) * (previous.x - corner.x);
                inside ^= p.x < x;
            }
            nearest = nearest.min(to_segment(p, previous, corner));
            previous = corner;
        }
    }
    if inside { nearest } else { -nearest }
}

/// Distance of a point to a segment in metres.
fn to_segment(p: Point, a: Point, b: Point) -> f64 {
    let (dx, dy) = (b.x - a.x, b.y - a.y);
    let square = dx * dx + dy * dy;
    let t = if square > 0.0 {
        (((p.x - a.x) * dx + (p.y - a.y) * dy) / square).clamp(0.0, 1.0)
    } else {
        0.0
    };
    p.distance(Point::new(a.x + t * dx, a.y + t * dy))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn depth_is_the_distance_to_the_edge() {
        let square = Shape::Polygon(
            [(0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)]
                .map(|(x, y)| Point::new(x, y))
                .to_vec(),
        );
        let disc = Shape::Disc {
            centre: Point::new(1.0, 1.0),
            radius: 0.5,
        };
        let band = Shape::Band {
            points: vec![Point::new(0.0, 0.0), Point::new(2.0, 0.0)],
            width: 0.2,
        };
        for (shape, x, y, depth) in [
            (&square, 0.5, 0.5, 0.5),
            (&square, 0.9, 0.5, 0.1),
            (&square, 1.3, 1.4, -0.5),
            (&disc, 1.0, 1.2, 0.3),
            (&disc, 3.0, 1.0, -1.5),
            (&band, 1.0, 0.05, 0.05),
            (&band, 2.3, 0.4, -0.4),
        ] {
            assert!(
                (shape.depth(Point::new(x, y)) - depth).abs() < 1e-12,
                "{shape:?} at {x}, {y}"
            );
        }
        assert_eq!(disc.bounds(), (Point::new(0.5, 0.5), Point::new(1.5, 1.5)));
        assert_eq!(
            Shape::Polygon(Vec::new()).depth(Point::default()),
            f64::NEG_INFINITY
        );
    }
}
