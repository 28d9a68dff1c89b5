//! Outlines on the field: discs and convex polygons, where they touch, and where a ray meets them.

use crate::field::{MOST_CORNERS, Outline, Point, Pose};
use crate::units::math;

/// Contacts are made this many metres ahead of touching, so that nothing is entered within a step.
pub const AHEAD: f64 = 0.004;

/// A convex polygon, counter-clockwise, with the outward normal of the edge that starts at each
/// corner.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Convex {
    count: usize,
    corners: [Point; MOST_CORNERS],
    normals: [(f64, f64); MOST_CORNERS],
}

/// Something solid, seen from above.
#[derive(Clone, Copy, Debug, PartialEq)]
#[expect(
    clippy::large_enum_variant,
    reason = "kept where it is used: a step must not allocate"
)]
pub enum Form {
    /// A disc.
    Disc {
        /// Its middle.
        centre: Point,
        /// Its radius in metres.
        radius: f64,
    },
    /// A convex polygon.
    Polygon(Convex),
}

/// A place where two things are about to touch.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Spot {
    /// Where on the field.
    pub at: Point,
    /// Unit vector out of the second thing, towards the first.
    pub normal: (f64, f64),
    /// Metres between them; negative when they overlap.
    pub gap: f64,
}

impl Convex {
    /// From corners in counter-clockwise order; corners beyond [`MOST_CORNERS`] are left out.
    pub fn new(points: &[Point]) -> Self {
        let count = points.len().min(MOST_CORNERS);
        let mut corners = [Point::default(); MOST_CORNERS];
        corners[..count].copy_from_slice(&points[..count]);
        let mut normals = [(0.0, 0.0); MOST_CORNERS];
        for edge in 0..count {
            let (from, to) = (corners[edge], corners[(edge + 1) % count]);
            let length = from.distance(to).max(1e-12);
            normals[edge] = ((to.y - from.y) / length, (from.x - to.x) / length);
        }
        Self {
            count,
            corners,
            normals,
        }
    }

    fn corners(&self) -> &[Point] {
        &self.corners[..self.count]
    }

    /// The edge that keeps `other` furthest away: its index and that distance.
    fn separation(&self, other: &Self) -> (usize, f64) {
        let mut best = (0, f64::NEG_INFINITY);
        for edge in 0..self.count {
            let ((nx, ny), from) = (self.normals[edge], self.corners[edge]);
            let gap = |p: &Point| (p.x - from.x) * nx + (p.y - from.y) * ny;
            let depth = other
                .corners()
                .iter()
                .map(gap)
                .fold(f64::INFINITY, f64::min);
            if depth > best.1 {
                best = (edge, depth);
            }
        }
        best
    }

    /// The edge that a point is furthest outside of (or least inside), and by how much.
    fn outermost(&self, p: Point) -> (usize, f64) {
        let mut best = (0, f64::NEG_INFINITY);
        for edge in 0..self.count {
            let ((nx, ny), from) = (self.normals[edge], self.corners[edge]);
            let gap = (p.x - from.x) * nx + (p.y - from.y) * ny;
            if gap > best.1 {
                best = (edge, gap);
            }
        }
        best
    }

    fn clip(&self, ray: (f64, f64), outside: &[f64; MOST_CORNERS]) -> Option<(f64, f64)> {
        let (mut enter, mut leave, mut facing) = (f64::NEG_INFINITY, f64::INFINITY, 1.0);
        for ((nx, ny), outside) in self.normals.iter().zip(outside).take(self.count) {
            let speed = ray.0 * nx + ray.1 * ny;
            if speed.abs() < 1e-12 {
                if *outside > 0.0 {
                    return None;
                }
            } else if speed < 0.0 {
                let at = -outside / speed;
                if at > enter {
                    (enter, facing) = (at, -speed);
                }
            } else if *outside > 0.0 {
                return None;
            } else {
                leave = leave.min(-outside / speed);
            }
        }
        (enter <= leave && leave >= 0.0).then_some(if enter < 0.0 {
            (0.0, 1.0)
        } else {
            (enter, facing)
        })
    }

    /// The nearest place of one edge between two directions, if the edge faces their origin.
    fn face_within(
        &self,
        edge: usize,
        from: Point,
        [right, left]: [(f64, f64); 2],
        found: &mut impl FnMut(f64, f64, (f64, f64)),
    ) {
        let (n, (a, b)) = (self.normals[edge], self.edge(edge));
        let height = (from.x - a.x) * n.0 + (from.y - a.y) * n.1;
        if height <= 0.0 {
            return;
        }
        // Along the edge, counted from the foot of the perpendicular, to the left of the way there.
        let t = (n.1, -n.0);
        let along = |p: Point| (p.x - from.x) * t.0 + (p.y - from.y) * t.1;
        let (toward_right, toward_left) =
            (right.0 * n.0 + right.1 * n.1, left.0 * n.0 + left.1 * n.1);
        if toward_right >= 0.0 && toward_left >= 0.0 {
            return;
        }
        let meets = |ray: (f64, f64), toward: f64, never: f64| {
            if toward < 0.0 {
                height * (ray.0 * t.0 + ray.1 * t.1) / -toward
            } else {
                never
            }
        };
        let least = meets(right, toward_right, f64::NEG_INFINITY).max(along(a).min(along(b)));
        let most = meets(left, toward_left, f64::INFINITY).min(along(a).max(along(b)));
        if least > most {
            return;
        }
        let at = 0f64.clamp(least, most);
        let far = math::length(height, at);
        let ray = (
            (at * t.0 - height * n.0) / far,
            (at * t.1 - height * n.1) / far,
        );
        found(far, height / far, ray);
    }

    fn edge(&self, edge: usize) -> (Point, Point) {
        (self.corners[edge], self.corners[(edge + 1) % self.count])
    }
}

impl From<&Outline> for Form {
    /// About the origin.
    fn from(outline: &Outline) -> Self {
        match outline {
            Outline::Disc(radius) => Self::Disc {
                centre: Point::default(),
                radius: *radius,
            },
            Outline::Polygon(points) => Self::Polygon(Convex::new(points)),
        }
    }
}

impl Form {
    /// A box from one point to another and `further` beyond both; none when they are the same
    /// point.
    pub fn along(from: Point, to: Point, half_width: f64, further: f64) -> Option<Self> {
        let length = from.distance(to);
        let heading = math::atan2(to.y - from.y, to.x - from.x);
        let middle = Pose {
            x: f64::midpoint(from.x, to.x),
            y: f64::midpoint(from.y, to.y),
            heading,
        };
        let (l, w) = (length / 2.0 + further, half_width);
        let corners =
            [(-l, -w), (l, -w), (l, w), (-l, w)].map(|(ahead, left)| middle.place(ahead, left));
        (length > 0.0).then(|| Self::Polygon(Convex::new(&corners)))
    }

    /// The same thing moved: turned about the origin, then shifted.
    #[must_use]
    pub fn moved(&self, to: Point, (c, s): (f64, f64)) -> Self {
        let turned = |(x, y): (f64, f64)| (c * x - s * y, s * x + c * y);
        let placed = |p: Point| {
            let (x, y) = turned((p.x, p.y));
            Point::new(to.x + x, to.y + y)
        };
        match self {
            Self::Disc { centre, radius } => Self::Disc {
                centre: placed(*centre),
                radius: *radius,
            },
            Self::Polygon(own) => {
                let mut moved = *own;
                for corner in &mut moved.corners[..own.count] {
                    *corner = placed(*corner);
                }
                for normal in &mut moved.normals[..own.count] {
                    *normal = turned(*normal);
                }
                Self::Polygon(moved)
            }
        }
    }

    /// The furthest that it goes from a point, metres.
    pub fn reach(&self, from: Point) -> f64 {
        match self {
            Self::Disc { centre, radius } => centre.distance(from) + radius,
            Self::Polygon(own) => own
                .corners()
                .iter()
                .map(|corner| corner.distance(from))
                .fold(0.0, f64::max),
        }
    }

    /// The middle: of a disc, or of a polygon's corners.
    pub fn middle(&self) -> Point {
        match self {
            Self::Disc { centre, .. } => *centre,
            Self::Polygon(own) => {
                let count = own.count.max(1) as f64;
                let sum = |of: fn(&Point) -> f64| own.corners().iter().map(of).sum::<f64>() / count;
                Point::new(sum(|corner| corner.x), sum(|corner| corner.y))
            }
        }
    }

    /// How far a point is outside it at least, metres; negative inside.
    pub fn apart(&self, p: Point) -> f64 {
        match self {
            Self::Disc { centre, radius } => p.distance(*centre) - radius,
            Self::Polygon(own) => own.outermost(p).1,
        }
    }

    /// The nearest place of each of its faces within a cone: how far it is, the cosine of the angle
    /// between the way there and the face's normal, and the direction there. From within it is at
    /// once there, squarely.
    ///
    /// - `middle`, `edges`: directions of the cone's middle, and of its right and left edge
    /// - `opening`: cosine of half its opening, which is less than a quarter turn
    pub fn nearest_within(
        &self,
        from: Point,
        middle: (f64, f64),
        edges: [(f64, f64); 2],
        opening: f64,
        mut found: impl FnMut(f64, f64, (f64, f64)),
    ) {
        match self {
            Self::Disc { centre, radius } => {
                let (dx, dy) = (centre.x - from.x, centre.y - from.y);
                let far = math::length(dx, dy);
                if far <= *radius {
                    return found(0.0, 1.0, middle);
                }
                if dx * middle.0 + dy * middle.1 >= far * opening {
                    return found(far - radius, 1.0, (dx / far, dy / far));
                }
                // It is nearest along the edge of the cone on its side.
                let edge = edges[usize::from(middle.0 * dy - middle.1 * dx > 0.0)];
                if let [Some((far, facing))] = self.meet(from, &[edge]) {
                    found(far, facing, edge);
                }
            }
            Self::Polygon(own) => {
                if own.outermost(from).1 <= 0.0 {
                    return found(0.0, 1.0, middle);
                }
                for edge in 0..own.count {
                    own.face_within(edge, from, edges, &mut found);
                }
            }
        }
    }

    /// Where rays from one place enter it: for each how far away, and the cosine of its angle to
    /// the face's normal. From within they enter at once, squarely.
    ///
    /// Cyrus and Beck, "Generalized two- and three-dimensional clipping" (1978).
    pub fn meet<const RAYS: usize>(
        &self,
        from: Point,
        rays: &[(f64, f64); RAYS],
    ) -> [Option<(f64, f64)>; RAYS] {
        match self {
            Self::Disc { centre, radius } => rays.map(|ray| {
                let (dx, dy) = (centre.x - from.x, centre.y - from.y);
                let along = dx * ray.0 + dy * ray.1;
                let square = radius * radius - (dx * dx + dy * dy - along * along);
                if square < 0.0 {
                    return None;
                }
                let half = square.sqrt();
                (along + half >= 0.0).then(|| {
                    if along < half {
                        (0.0, 1.0)
                    } else {
                        (along - half, half / radius)
                    }
                })
            }),
            Self::Polygon(own) => {
                // How far outside each edge the place is, is the same for all rays.
                let mut outside = [0.0; MOST_CORNERS];
                for ((outside, (nx, ny)), corner) in
                    outside.iter_mut().zip(own.normals).zip(own.corners())
                {
                    *outside = (from.x - corner.x) * nx + (from.y - corner.y) * ny;
                }
                rays.map(|ray| own.clip(ray, &outside))
            }
        }
    }
}

/// The place on a segment that is nearest to a point.
fn nearest_on(from: Point, to: Point, p: Point) -> Point {
    let (dx, dy) = (to.x - from.x, to.y - from.y);
    let t = (((p.x - from.x) * dx + (p.y - from.y) * dy) / (dx * dx + dy * dy).max(1e-24))
        .clamp(0.0, 1.0);
    Point::new(from.x + t * dx, from.y + t * dy)
}

/// The one or two places where `a` is about to touch `b`.
pub fn touch(a: &Form, b: &Form, mut found: impl FnMut(Spot)) {
    let turned = |spot: Spot| Spot {
        normal: (-spot.normal.0, -spot.normal.1),
        ..spot
    };
    match (a, b) {
        (Form::Polygon(a), Form::Polygon(b)) => polygons(a, b, found),
        (Form::Disc { centre, radius }, Form::Polygon(b)) => {
            found_if(disc_polygon(*centre, *radius, b), found);
        }
        (Form::Polygon(a), Form::Disc { centre, radius }) => {
            found_if(disc_polygon(*centre, *radius, a).map(turned), found);
        }
        (
            Form::Disc { centre, radius },
            Form::Disc {
                centre: other,
                radius: its,
            },
        ) => {
            let far = centre.distance(*other);
            let gap = far - radius - its;
            // Two discs in the same place have no direction: any one parts them.
            let normal = if far > 1e-12 {
                ((centre.x - other.x) / far, (centre.y - other.y) / far)
            } else {
                (1.0, 0.0)
            };
            if gap < AHEAD {
                found(Spot {
                    at: Point::new(other.x + normal.0 * its, other.y + normal.1 * its),
                    normal,
                    gap,
                });
            }
        }
    }
}

/// How far two things are apart at least, metres; negative when they overlap.
pub fn gap(a: &Form, b: &Form) -> f64 {
    match (a, b) {
        (
            Form::Disc { centre, radius },
            Form::Disc {
                centre: other,
                radius: its,
            },
        ) => centre.distance(*other) - radius - its,
        (Form::Disc { centre, radius }, Form::Polygon(polygon))
        | (Form::Polygon(polygon), Form::Disc { centre, radius }) => {
            polygon.outermost(*centre).1 - radius
        }
        (Form::Polygon(a), Form::Polygon(b)) => a.separation(b).1.max(b.separation(a).1),
    }
}

fn found_if(spot: Option<Spot>, mut found: impl FnMut(Spot)) {
    if let Some(spot) = spot {
        found(spot);
    }
}

fn disc_polygon(centre: Point, radius: f64, other: &Convex) -> Option<Spot> {
    let (edge, outside) = other.outermost(centre);
    if outside > radius + AHEAD {
        return None;
    }
    let (from, to) = other.edge(edge);
    let at = nearest_on(from, to, centre);
    let far = at.distance(centre);
    // Beside the edge's ends it is a corner that is nearest; within the polygon the edge's own
    // normal leads out.
    let (normal, gap) = if outside > 0.0 && far > 1e-9 {
        (
            ((centre.x - at.x) / far, (centre.y - at.y) / far),
            far - radius,
        )
    } else {
        (other.normals[edge], outside - radius)
    };
    (gap < AHEAD).then_some(Spot { at, normal, gap })
}

/// Separating axes over the edges of both, then the other's nearest edge cut to the sides of the
/// chosen one.
///
/// Source: Ericson, *Real-Time Collision Detection* (2005), sec. 5.4 and 5.5.
fn polygons(a: &Convex, b: &Convex, mut found: impl FnMut(Spot)) {
    let (edge_b, gap_b) = b.separation(a);
    if gap_b > AHEAD {
        return;
    }
    let (edge_a, gap_a) = a.separation(b);
    if gap_a > AHEAD {
        return;
    }
    // Preferring the second one's edge keeps the choice from flickering when both are equally good.
    let of_b = gap_b >= gap_a - 1e-6;
    let (reference, edge, other) = if of_b { (b, edge_b, a) } else { (a, edge_a, b) };
    let normal = reference.normals[edge];
    let (from, to) = reference.edge(edge);
    let against = |n: (f64, f64)| n.0 * normal.0 + n.1 * normal.1;
    let incident = (0..other.count)
        .min_by(|&p, &q| against(other.normals[p]).total_cmp(&against(other.normals[q])))
        .expect("a polygon has edges");
    let (p, q) = other.edge(incident);
    let length = from.distance(to);
    let along = (-normal.1, normal.0);
    let at = |point: Point| (point.x - from.x) * along.0 + (point.y - from.y) * along.1;
    // Cut the segment p q to 0 <= at <= length.
    let (start, end) = (at(p), at(q));
    if start.min(end) > length || start.max(end) < 0.0 {
        return;
    }
    let cut = |here: f64, point: Point| {
        if (0.0..=length).contains(&here) {
            return point;
        }
        let t = (here.clamp(0.0, length) - start) / (end - start);
        Point::new(p.x + t * (q.x - p.x), p.y + t * (q.y - p.y))
    };
    let sign = if of_b { 1.0 } else { -1.0 };
    for point in [cut(start, p), cut(end, q)] {
        let gap = (point.x - from.x) * normal.0 + (point.y - from.y) * normal.1;
        if gap < AHEAD {
            found(Spot {
                at: point,
                normal: (sign * normal.0, sign * normal.1),
                gap,
            });
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn square(x: f64, y: f64, angle: f64) -> Form {
        slab((x, y), angle, (0.1, 0.1))
    }

    fn slab(centre: (f64, f64), turn: f64, (l, w): (f64, f64)) -> Form {
        let pose = Pose {
            x: centre.0,
            y: centre.1,
            heading: turn,
        };
        let corners =
            [(-l, -w), (l, -w), (l, w), (-l, w)].map(|(ahead, left)| pose.place(ahead, left));
        Form::Polygon(Convex::new(&corners))
    }

    fn disc(x: f64, y: f64, radius: f64) -> Form {
        Form::Disc {
            centre: Point::new(x, y),
            radius,
        }
    }

    fn spots(a: &Form, b: &Form) -> Vec<Spot> {
        let mut found = Vec::new();
        touch(a, b, |spot| found.push(spot));
        found
    }

    #[test]
    fn flat_sides_touch_in_two_places() {
        let found = spots(&square(0.201, 0.0, 0.0), &square(0.0, 0.0, 0.0));
        assert_eq!(found.len(), 2);
        for spot in &found {
            assert!((spot.gap - 0.001).abs() < 1e-12);
            assert!((spot.normal.0 - 1.0).abs() < 1e-12, "out of the second one");
        }
    }

    #[test]
    fn a_corner_touches_in_one_place_whichever_it_belongs_to() {
        let reach = 0.1 * 2f64.sqrt();
        for (a, b) in [
            (
                square(0.1 + reach, 0.0, math::PI / 4.0),
                square(0.0, 0.0, 0.0),
            ),
            (
                square(0.1 + reach, 0.0, 0.0),
                square(0.0, 0.0, math::PI / 4.0),
            ),
            (disc(0.15, 0.0, 0.05), square(0.0, 0.0, 0.0)),
            (
                disc(0.1 + reach, 0.0, 0.1),
                square(0.0, 0.0, math::PI / 4.0),
            ),
            (square(0.15, 0.0, 0.0), disc(0.0, 0.0, 0.05)),
            (disc(0.3, 0.0, 0.1), disc(0.0, 0.0, 0.2)),
        ] {
            let found = spots(&a, &b);
            assert_eq!(found.len(), 1, "{found:?}");
            assert!(
                (found[0].gap).abs() < 0.0501 && found[0].normal.0 > 0.999,
                "{found:?}"
            );
        }
    }

    #[test]
    fn what_is_apart_does_not_touch() {
        for (a, b) in [
            (square(0.21, 0.0, 0.0), square(0.0, 0.0, 0.0)),
            (square(0.205, 0.205, 0.0), square(0.0, 0.0, 0.0)),
            (disc(0.16, 0.16, 0.08), square(0.0, 0.0, 0.0)),
            (disc(0.2, 0.0, 0.09), disc(0.0, 0.0, 0.1)),
        ] {
            assert_eq!(spots(&a, &b), []);
        }
    }

    #[test]
    fn what_lies_within_another_is_led_out_of_it() {
        for (a, b) in [
            (disc(0.08, 0.0, 0.05), square(0.0, 0.0, 0.0)),
            (disc(0.01, 0.0, 0.05), disc(0.0, 0.0, 0.2)),
            (square(0.15, 0.0, 0.0), square(0.0, 0.0, 0.0)),
        ] {
            for spot in spots(&a, &b) {
                assert!(spot.gap < -0.04 && spot.normal.0 > 0.999, "{spot:?}");
            }
        }
        assert!(
            spots(&disc(0.0, 0.0, 0.1), &disc(0.0, 0.0, 0.1))[0].gap <= -0.2,
            "even in the very same place"
        );
    }

    #[test]
    fn a_gap_is_the_distance_walked_until_they_touch() {
        // Two boxes, a box and a disc: moved towards each other along the normal by the gap, they
        // just touch.
        for index in 0..200 {
            let spread = |step: f64| (f64::from(index) * step).fract();
            let turn = 6.3 * spread(0.569);
            let still = slab((0.0, 0.0), turn, (0.05 + 0.1 * spread(0.3), 0.05));
            let angle = 6.3 * spread(0.831);
            let place = (0.17 * math::cos(angle), 0.17 * math::sin(angle));
            let moving = if index % 2 == 0 {
                disc(place.0, place.1, 0.06)
            } else {
                slab(place, 2.0 * turn, (0.07, 0.04))
            };
            for spot in spots(&moving, &still) {
                let by = |far: f64| {
                    moving.moved(
                        Point::new(spot.normal.0 * far, spot.normal.1 * far),
                        (1.0, 0.0),
                    )
                };
                let nearest = |form: &Form| {
                    spots(form, &still)
                        .iter()
                        .map(|spot| spot.gap)
                        .fold(f64::INFINITY, f64::min)
                };
                let least = nearest(&moving);
                assert!(nearest(&by(-least)).abs() < 1e-6, "{index}: {spot:?}");
            }
        }
    }

    #[test]
    fn a_ray_enters_where_walking_along_it_does() {
        // Against steps of half a millimetre along the ray, for things all around and turned any
        // way.
        let mut entered = 0;
        for index in 0..600 {
            let spread = |step: f64| (f64::from(index) * step).fract();
            let place = (0.3 + spread(0.618), 0.6 * spread(0.754) - 0.3);
            let size = (0.02 + 0.2 * spread(0.831), 0.02 + 0.2 * spread(0.437));
            let other = if index % 3 == 0 {
                disc(place.0, place.1, size.0)
            } else {
                slab(place, 6.3 * spread(0.569), size)
            };
            let angle = 0.6 * spread(0.297) - 0.3;
            let ray = (math::cos(angle), math::sin(angle));
            let inside = |far: f64| other.apart(Point::new(ray.0 * far, ray.1 * far)) <= 0.0;
            let walked = (0..4000)
                .map(|step| f64::from(step) * 0.0005)
                .find(|far| inside(*far));
            match (other.meet(Point::default(), &[ray])[0], walked) {
                (Some((far, facing)), Some(walked)) => {
                    assert!(
                        (far - walked).abs() < 0.0011,
                        "{index}: {far} against {walked}"
                    );
                    assert!((0.0..=1.0 + 1e-12).contains(&facing));
                    entered += 1;
                }
                (None, None) => {}
                // A corner may be cut by less than a step: the place found must still be on it.
                (Some((far, _)), None) => {
                    let there = Point::new(ray.0 * far, ray.1 * far);
                    assert!(other.apart(there) < 1e-9, "{index}: not there at {far}");
                }
                (None, Some(walked)) => panic!("{index}: walked into it at {walked}"),
            }
        }
        assert!(entered > 200, "{entered}");
    }

    #[test]
    fn moving_keeps_the_shape() {
        let moved =
            square(0.0, 0.0, 0.3).moved(Point::new(1.0, 2.0), (math::cos(0.4), math::sin(0.4)));
        let fresh = square(1.0, 2.0, 0.7);
        let (Form::Polygon(moved), Form::Polygon(fresh)) = (moved, fresh) else {
            panic!()
        };
        for (one, other) in moved.corners().iter().zip(fresh.corners()) {
            assert!(one.distance(*other) < 1e-12);
        }
        assert!((moved.normals[2].0 - fresh.normals[2].0).abs() < 1e-12);
    }
}
