//! Boxes against boxes: where the robot's body meets walls.

use super::footing::sides;
use crate::field::{Field, Point};
use crate::robot::RangeSensor;
use crate::units::math;

/// Contacts are made this many metres ahead of touching, so that nothing is entered within a step.
const AHEAD: f64 = 0.004;
/// Candidates are looked up again when the robot may have moved this far.
const REACH: f64 = 0.01;
/// At most this many contacts are solved at once.
const MOST_CONTACTS: usize = 8;

/// Half the thickness of a platform's side, metres.
const SIDE: f64 = 0.001;

/// A rectangle on the field.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Box2 {
    /// Its middle.
    pub centre: Point,
    /// Direction of its length, a unit vector.
    pub axis: (f64, f64),
    /// Half its length and half its width.
    pub half: (f64, f64),
}

/// A place where the robot is about to touch something.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Contact {
    /// Where on the field.
    pub at: Point,
    /// Unit vector out of the obstacle, towards the robot.
    pub normal: (f64, f64),
    /// Metres between them; negative when they overlap.
    pub gap: f64,
}

/// Neighbouring boxes with a circle around them, so that most are left out together.
#[derive(Clone, Debug)]
struct Group {
    centre: Point,
    radius: f64,
    members: std::ops::Range<usize>,
}

impl Group {
    fn around(boxes: &[Box2], members: std::ops::Range<usize>) -> Self {
        let count = members.len().max(1) as f64;
        let sum = |of: fn(&Box2) -> f64| boxes[members.clone()].iter().map(of).sum::<f64>() / count;
        let centre = Point::new(sum(|one| one.centre.x), sum(|one| one.centre.y));
        let reach = |one: &Box2| one.centre.distance(centre) + one.half.0 + one.half.1;
        let radius = boxes[members.clone()].iter().map(reach).fold(0.0, f64::max);
        Self { centre, radius, members }
    }
}

/// What stands on the field, and which of it is near.
#[derive(Clone, Debug, Default)]
pub struct Obstacles {
    boxes: Vec<Box2>,
    /// The boxes of one wall or platform each, with a circle around them.
    groups: Vec<Group>,
    near: Vec<usize>,
    looked_from: Point,
    /// What is near does not change while the body is within this of there, squared; negative before the first look.
    valid: f64,
    contacts: Vec<Contact>,
}

impl Obstacles {
    /// The walls of a field, and for who stands on the mat the sides of its platforms.
    pub fn new(field: &Field, platform: Option<usize>) -> Self {
        let mut boxes = Vec::new();
        let mut groups = Vec::new();
        for wall in &field.walls {
            let first = boxes.len();
            let half_width = wall.thickness / 2.0;
            // Each piece reaches half a thickness further, so that corners have no notch.
            boxes.extend(
                wall.points.windows(2).filter_map(|pair| Box2::along(pair[0], pair[1], half_width, half_width)),
            );
            groups.push(Group::around(&boxes, first..boxes.len()));
        }
        for platform in field.platforms.iter().filter(|_| platform.is_none()) {
            let first = boxes.len();
            boxes.extend(sides(&platform.shape).into_iter().filter_map(|(from, to)| Box2::along(from, to, SIDE, 0.0)));
            groups.push(Group::around(&boxes, first..boxes.len()));
        }
        let near = Vec::with_capacity(boxes.len());
        Self {
            boxes,
            groups,
            near,
            looked_from: Point::default(),
            valid: -1.0,
            contacts: Vec::with_capacity(MOST_CONTACTS),
        }
    }

    /// The contacts of a body with whatever is near it.
    ///
    /// - `centre`: any fixed point of the body; `reach`: how far its outline goes from there, metres
    /// - `body`: the outline, worked out only when something is near
    pub fn contacts(&mut self, centre: Point, reach: f64, body: impl FnOnce() -> Box2) -> &[Contact] {
        self.contacts.clear();
        if self.boxes.is_empty() {
            return &self.contacts;
        }
        let (dx, dy) = (centre.x - self.looked_from.x, centre.y - self.looked_from.y);
        if dx * dx + dy * dy > self.valid {
            self.look(centre, reach);
        }
        if self.near.is_empty() {
            return &self.contacts;
        }
        let body = body();
        for &index in &self.near {
            touch(&body, &self.boxes[index], &mut self.contacts);
        }
        self.contacts.truncate(MOST_CONTACTS);
        &self.contacts
    }

    /// Finds what is near, and how far the body may go before that must be done again.
    fn look(&mut self, centre: Point, reach: f64) {
        let radius = reach + REACH + AHEAD;
        self.near.clear();
        let mut nearest = f64::INFINITY;
        for (index, other) in self.boxes.iter().enumerate() {
            let far = distance(other, centre);
            nearest = nearest.min(far);
            if far < radius {
                self.near.push(index);
            }
        }
        self.looked_from = centre;
        let free = if self.near.is_empty() { nearest - reach - AHEAD } else { REACH };
        self.valid = free * free;
    }

    /// How far away the nearest thing is that sends something back into a ranging sensor's cone, metres; none within
    /// its reach. The cone is five rays; each counts only if it meets its face squarely enough.
    pub fn echo(&self, from: Point, heading: f64, sensor: &RangeSensor) -> Option<f64> {
        const RAYS: usize = 5;
        let half = sensor.cone / 2.0;
        let direction = |angle: f64| (math::cos(angle), math::sin(angle));
        let rays: [(f64, f64); RAYS] = std::array::from_fn(|ray| direction(heading + (ray as f64 / 2.0 - 1.0) * half));
        let (middle, opening) = (direction(heading), direction(half));
        // What stands nearest in a ray hides what is behind it, even when it sends nothing back itself.
        let mut first: [Option<(f64, f64)>; RAYS] = [None; RAYS];
        // Most things are nowhere near the cone: by the circles around them.
        let near = |centre: Point, radius: f64| {
            let (dx, dy) = (centre.x - from.x, centre.y - from.y);
            let along = dx * middle.0 + dy * middle.1;
            let across = (dy * middle.0 - dx * middle.1).abs();
            along > -radius
                && along < sensor.greatest + radius
                && across * opening.0 < along.max(0.0) * opening.1 + radius
        };
        let groups = self.groups.iter().filter(|group| near(group.centre, group.radius));
        let boxes = groups.flat_map(|group| &self.boxes[group.members.clone()]);
        for other in boxes.filter(|other| near(other.centre, other.half.0 + other.half.1)) {
            for (ray, first) in rays.iter().zip(&mut first) {
                let Some(hit) = meet(from, *ray, other) else { continue };
                if first.is_none_or(|(far, _)| hit.0 < far) {
                    *first = Some(hit);
                }
            }
        }
        let squarely = math::cos(sensor.slant);
        let echoes = first.into_iter().flatten().filter(|(far, facing)| *far <= sensor.greatest && *facing >= squarely);
        echoes.map(|(far, _)| far).min_by(f64::total_cmp)
    }
}

/// Where a ray enters a box: how far away, and the cosine of its angle to the face's normal.
///
/// Slabs: Kay and Kajiya, "Ray Tracing Complex Scenes" (1986).
fn meet(from: Point, ray: (f64, f64), other: &Box2) -> Option<(f64, f64)> {
    let (along, across) = local(other, from);
    let turned = (ray.0 * other.axis.0 + ray.1 * other.axis.1, ray.1 * other.axis.0 - ray.0 * other.axis.1);
    let (mut enter, mut leave, mut facing) = (f64::NEG_INFINITY, f64::INFINITY, 0.0);
    for (at, speed, half) in [(along, turned.0, other.half.0), (across, turned.1, other.half.1)] {
        if speed.abs() < 1e-12 {
            if at.abs() > half {
                return None;
            }
            continue;
        }
        let (a, b) = ((-half - at) / speed, (half - at) / speed);
        if a.min(b) > enter {
            (enter, facing) = (a.min(b), speed.abs());
        }
        leave = leave.min(a.max(b));
    }
    (enter <= leave && leave >= 0.0).then_some((enter.max(0.0), if enter < 0.0 { 1.0 } else { facing }))
}

/// Distance of a point to a box, 0 inside.
fn distance(b: &Box2, p: Point) -> f64 {
    let (along, across) = local(b, p);
    math::length((along.abs() - b.half.0).max(0.0), (across.abs() - b.half.1).max(0.0))
}

fn local(b: &Box2, p: Point) -> (f64, f64) {
    let (dx, dy) = (p.x - b.centre.x, p.y - b.centre.y);
    (dx * b.axis.0 + dy * b.axis.1, dy * b.axis.0 - dx * b.axis.1)
}

impl Box2 {
    /// A box from one point to another and `further` beyond both; none when they are the same point.
    fn along(from: Point, to: Point, half_width: f64, further: f64) -> Option<Self> {
        let length = from.distance(to);
        (length > 0.0).then(|| Self {
            centre: Point::new(f64::midpoint(from.x, to.x), f64::midpoint(from.y, to.y)),
            axis: ((to.x - from.x) / length, (to.y - from.y) / length),
            half: (length / 2.0 + further, half_width),
        })
    }

    fn corners(&self) -> [Point; 4] {
        let (ux, uy) = self.axis;
        let (l, w) = self.half;
        [(-l, -w), (l, -w), (l, w), (-l, w)]
            .map(|(a, b)| Point::new(self.centre.x + ux * a - uy * b, self.centre.y + uy * a + ux * b))
    }

    /// The outward normals, in the order of the edges that start at each corner.
    fn normals(&self) -> [(f64, f64); 4] {
        let (ux, uy) = self.axis;
        [(uy, -ux), (ux, uy), (-uy, ux), (-ux, -uy)]
    }
}

/// The edge of `a` that keeps `b` furthest away: its index and that distance.
fn separation(a: &Box2, b: &Box2) -> (usize, f64) {
    let (corners, normals, others) = (a.corners(), a.normals(), b.corners());
    let mut best = (0, f64::NEG_INFINITY);
    for edge in 0..4 {
        let (nx, ny) = normals[edge];
        let depth = others
            .iter()
            .map(|p| (p.x - corners[edge].x) * nx + (p.y - corners[edge].y) * ny)
            .fold(f64::INFINITY, f64::min);
        if depth > best.1 {
            best = (edge, depth);
        }
    }
    best
}

/// Adds up to two contacts between the robot's body and an obstacle.
///
/// Separating axes over the edges of both, then the other's nearest edge cut to the sides of the chosen one.
/// Source: Ericson, *Real-Time Collision Detection* (2005), sec. 5.4 and 5.5.
fn touch(body: &Box2, obstacle: &Box2, contacts: &mut Vec<Contact>) {
    let (edge_o, gap_o) = separation(obstacle, body);
    if gap_o > AHEAD {
        return;
    }
    let (edge_b, gap_b) = separation(body, obstacle);
    if gap_b > AHEAD {
        return;
    }
    // Preferring the obstacle's edge keeps the choice from flickering when both are equally good.
    let of_obstacle = gap_o >= gap_b - 1e-6;
    let (reference, edge, other) = if of_obstacle { (obstacle, edge_o, body) } else { (body, edge_b, obstacle) };
    let normal = reference.normals()[edge];
    let corners = reference.corners();
    let (from, to) = (corners[edge], corners[(edge + 1) % 4]);
    let facing = other.normals();
    let against = |n: (f64, f64)| n.0 * normal.0 + n.1 * normal.1;
    let incident = (0..4).min_by(|&a, &b| against(facing[a]).total_cmp(&against(facing[b]))).expect("four edges");
    let others = other.corners();
    let (mut p, mut q) = (others[incident], others[(incident + 1) % 4]);
    let length = from.distance(to);
    let along = ((to.x - from.x) / length, (to.y - from.y) / length);
    let at = |point: Point| (point.x - from.x) * along.0 + (point.y - from.y) * along.1;
    // Cut the segment p q to 0 <= at <= length.
    let (start, end) = (at(p), at(q));
    let cut = |target: f64| {
        let t = (target - start) / (end - start);
        Point::new(p.x + t * (q.x - p.x), p.y + t * (q.y - p.y))
    };
    let (low, high) = (start.min(end), start.max(end));
    if low > length || high < 0.0 {
        return;
    }
    let (new_p, new_q) = (
        if (0.0..=length).contains(&start) { p } else { cut(start.clamp(0.0, length)) },
        if (0.0..=length).contains(&end) { q } else { cut(end.clamp(0.0, length)) },
    );
    (p, q) = (new_p, new_q);
    let sign = if of_obstacle { 1.0 } else { -1.0 };
    for point in [p, q] {
        let gap = (point.x - from.x) * normal.0 + (point.y - from.y) * normal.1;
        if gap < AHEAD && contacts.len() < MOST_CONTACTS {
            contacts.push(Contact { at: point, normal: (sign * normal.0, sign * normal.1), gap });
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::field::Wall;

    fn square(x: f64, y: f64, angle: f64) -> Box2 {
        Box2 { centre: Point::new(x, y), axis: (math::cos(angle), math::sin(angle)), half: (0.1, 0.1) }
    }

    fn contacts(body: &Box2, obstacle: &Box2) -> Vec<Contact> {
        let mut found = Vec::new();
        touch(body, obstacle, &mut found);
        found
    }

    #[test]
    fn flat_sides_touch_in_two_places() {
        let found = contacts(&square(0.201, 0.0, 0.0), &square(0.0, 0.0, 0.0));
        assert_eq!(found.len(), 2);
        for contact in &found {
            assert!((contact.gap - 0.001).abs() < 1e-12);
            assert!((contact.normal.0 - 1.0).abs() < 1e-12, "out of the obstacle");
        }
    }

    #[test]
    fn a_corner_touches_in_one_place_whichever_box_it_belongs_to() {
        let reach = 0.1 * 2f64.sqrt();
        for (body, obstacle) in [
            (square(0.1 + reach, 0.0, math::PI / 4.0), square(0.0, 0.0, 0.0)),
            (square(0.1 + reach, 0.0, 0.0), square(0.0, 0.0, math::PI / 4.0)),
        ] {
            let found = contacts(&body, &obstacle);
            assert_eq!(found.len(), 1, "{found:?}");
            assert!(found[0].gap.abs() < 1e-9 && found[0].normal.0 > 0.999);
        }
    }

    #[test]
    fn what_is_apart_does_not_touch() {
        assert_eq!(contacts(&square(0.21, 0.0, 0.0), &square(0.0, 0.0, 0.0)), []);
        assert_eq!(contacts(&square(0.205, 0.205, 0.0), &square(0.0, 0.0, 0.0)), []);
    }

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
            step: 0.0,
            slant: 1.57,
            blind_above: f64::INFINITY,
        }
    }

    fn slab(centre: (f64, f64), turn: f64, half: (f64, f64)) -> Box2 {
        Box2 { centre: Point::new(centre.0, centre.1), axis: (math::cos(turn), math::sin(turn)), half }
    }

    #[test]
    fn a_ray_enters_a_box_where_walking_along_it_does() {
        // Against steps of half a millimetre along the ray, for boxes all around and turned any way.
        let mut entered = 0;
        for index in 0..400 {
            let spread = |step: f64| (f64::from(index) * step).fract();
            let other = slab(
                (0.3 + spread(0.618), 0.6 * spread(0.754) - 0.3),
                6.3 * spread(0.569),
                (0.02 + 0.2 * spread(0.831), 0.02 + 0.2 * spread(0.437)),
            );
            let angle = 0.6 * spread(0.297) - 0.3;
            let ray = (math::cos(angle), math::sin(angle));
            let inside = |far: f64| distance(&other, Point::new(ray.0 * far, ray.1 * far)) <= 0.0;
            let walked = (0..4000).map(|step| f64::from(step) * 0.0005).find(|far| inside(*far));
            match (meet(Point::default(), ray, &other), walked) {
                (Some((far, facing)), Some(walked)) => {
                    assert!((far - walked).abs() < 0.0011, "{index}: {far} against {walked}");
                    assert!((0.0..=1.0 + 1e-12).contains(&facing));
                    entered += 1;
                }
                (None, None) => {}
                // A corner may be cut by less than a step: the place found must still be on the box.
                (Some((far, _)), None) => {
                    assert!(
                        distance(&other, Point::new(ray.0 * far, ray.1 * far)) < 1e-9,
                        "{index}: not there at {far}"
                    );
                }
                (None, Some(walked)) => panic!("{index}: walked into it at {walked}"),
            }
        }
        assert!(entered > 100, "{entered}");
    }

    #[test]
    fn an_echo_comes_from_the_nearest_face_in_the_cone() {
        let wall = |x: f64, y: f64| Wall {
            name: String::new(),
            points: vec![Point::new(x, y - 0.1), Point::new(x, y + 0.1)],
            thickness: 0.02,
        };
        let field = Field { walls: vec![wall(1.0, 0.0), wall(0.5, 0.4)], ..Field::default() };
        let obstacles = Obstacles::new(&field, None);
        let echo = |heading: f64, cone: f64| obstacles.echo(Point::default(), heading, &sensor(cone));
        assert!((echo(0.0, 0.1).unwrap() - 0.99).abs() < 1e-9, "straight ahead");
        assert_eq!(echo(3.0, 0.1), None, "nothing behind");
        let aside = math::atan2(0.4, 0.5);
        assert!((echo(aside, 0.0).unwrap() - 0.49 / math::cos(aside)).abs() < 1e-6);
        assert!(echo(aside / 2.0, 1.2).unwrap() < 0.7, "a wide cone sees both and tells the nearer");
        assert_eq!(
            obstacles.echo(Point::default(), 0.0, &RangeSensor { greatest: 0.9, ..sensor(0.1) }),
            None,
            "out of reach"
        );
        assert!(
            obstacles.echo(Point::default(), 0.0, &RangeSensor { slant: 1e-3, ..sensor(0.0) }).is_some(),
            "square on"
        );
        let flat = RangeSensor { slant: 0.5, ..sensor(0.0) };
        assert_eq!(obstacles.echo(Point::default(), aside, &flat), None, "39 deg off the normal");
    }
}
