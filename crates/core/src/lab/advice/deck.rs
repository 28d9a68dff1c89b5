//! What the robot stands on, and what tells it that its edge or a border is near.

use crate::field::{Edge, Field, Point, Shape};
use crate::mission::Mission;
use crate::units::math;

/// So many places along an edge are looked at.
const AROUND: usize = 32;
/// From an edge inwards it is looked at every so many metres.
const STRIDE: f64 = 0.002;
/// What begins further inside than this says nothing about the edge, metres.
const NEAR_EDGE: f64 = 0.08;
/// A rim is at most this wide, metres.
const WIDEST: f64 = 0.25;
/// So many places in each direction tell what most of the ground is made of.
const GRID: usize = 15;

/// What the robot stands on.
#[derive(Debug)]
pub(super) struct Deck<'a> {
    /// The surface that most of it is made of.
    pub ground: &'a str,
    /// What a floor sensor sees when a drop is near: its rim, or what lies beyond where it has none.
    /// Empty where nothing drops.
    pub rim: Vec<&'a str>,
    /// Between where that begins and the drop, the least, metres.
    pub rim_width: f64,
    /// How far it is across, metres; none where nothing drops.
    pub across: Option<f64>,
    /// Surfaces that are not to be touched.
    pub keep_off: Vec<&'a str>,
}

impl<'a> Deck<'a> {
    /// What a mission's robot stands on when it starts.
    pub(super) fn of(field: &'a Field, mission: &Mission) -> Self {
        let named = mission.start.as_ref().map(|start| start.node.as_str());
        let start = named.and_then(|name| field.start(name));
        let place = start.or(field.starts.first()).map(|start| start.pose);
        let place = place.map_or(Point::default(), |pose| Point::new(pose.x, pose.y));
        let keep_off = field.marks.iter().filter(|mark| mark.keep_off);
        let keep_off = keep_off.map(|mark| field.surface(mark.surface).name.as_str());
        let keep_off = keep_off.collect();
        let mat = || {
            let corners = [(0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)];
            let corner = |(x, y): (f64, f64)| Point::new(x * field.width, y * field.height);
            Shape::Polygon(corners.map(corner).to_vec())
        };
        let floor = match field.platform_at(place) {
            Some(platform) => Some(field.platforms[platform].shape.clone()),
            None => (field.edge == Edge::Drop).then(mat),
        };
        let Some(floor) = floor else {
            let ground = field.surfaces.first();
            return Self {
                ground: ground.map_or("", |surface| surface.name.as_str()),
                rim: Vec::new(),
                rim_width: 0.0,
                across: None,
                keep_off,
            };
        };
        let ground = most(field, &floor);
        let (rim, rim_width) = rim(field, &floor, ground);
        Self {
            ground,
            rim,
            rim_width,
            across: Some(super::width(&floor)),
            keep_off,
        }
    }
}

/// The name of what lies on top at a place.
fn top(field: &Field, at: Point) -> &str {
    let mark = field.marks.iter().rev();
    let mark = mark.into_iter().find(|mark| mark.shape.depth(at) > 0.0);
    let on_mat = (0.0..=field.width).contains(&at.x) && (0.0..=field.height).contains(&at.y);
    let surface = match mark {
        Some(mark) => Some(field.surface(mark.surface)),
        None if on_mat => field.surfaces.first(),
        None => Some(field.surface(field.surround)),
    };
    surface.map_or("", |surface| surface.name.as_str())
}

/// What most of a shape is made of.
fn most<'a>(field: &'a Field, floor: &Shape) -> &'a str {
    let (low, high) = floor.bounds();
    let at =
        |nth: usize, low: f64, high: f64| low + (high - low) * (nth as f64 + 0.5) / GRID as f64;
    let places = (0..GRID * GRID).map(|nth| {
        let (column, row) = (nth % GRID, nth / GRID);
        Point::new(at(column, low.x, high.x), at(row, low.y, high.y))
    });
    let mut count: Vec<(&str, usize)> = Vec::new();
    for place in places.filter(|place| floor.depth(*place) > 0.0) {
        let name = top(field, place);
        match count.iter_mut().find(|(known, _)| *known == name) {
            Some((_, times)) => *times += 1,
            None => count.push((name, 1)),
        }
    }
    let most = count.into_iter().max_by_key(|(_, times)| *times);
    most.map_or("", |(name, _)| name)
}

/// What lies along the edge of a shape of this ground, however it is drawn, and how far it is from
/// its inner side to the edge. Where nothing does: what lies beyond, at no distance.
fn rim<'a>(field: &'a Field, floor: &Shape, ground: &str) -> (Vec<&'a str>, f64) {
    let edges = edges(floor);
    let mut seen: Vec<(&str, f64)> = Vec::new();
    for (at, inwards) in &edges {
        let inside = |depth: f64| at.ahead(*inwards, depth);
        let depths = (0..).map(|nth| 5e-4 + f64::from(nth) * STRIDE);
        let depths = depths.take_while(|depth| *depth < WIDEST);
        let mut strip = depths
            .map(|depth| (depth, top(field, inside(depth))))
            .skip_while(|(depth, name)| *name == ground && *depth < NEAR_EDGE)
            .take_while(|(_, name)| *name != ground);
        if let Some((first, name)) = strip.next() {
            let last = strip.last().map_or(first, |(depth, _)| depth);
            seen.push((name, last + STRIDE / 2.0));
        }
    }
    if seen.len() * 2 > edges.len() {
        let mut names: Vec<&str> = seen.iter().map(|(name, _)| *name).collect();
        names.sort_unstable();
        names.dedup();
        let least = seen.iter().map(|(_, depth)| *depth);
        return (names, least.fold(f64::INFINITY, f64::min));
    }
    let beyond = edges
        .iter()
        .map(|(at, inwards)| top(field, at.ahead(*inwards, -0.005)));
    let mut names: Vec<&str> = beyond.filter(|name| *name != ground).collect();
    names.sort_unstable();
    names.dedup();
    (names, 0.0)
}

/// Places along the edge of a shape, with the heading that leads inwards from there.
fn edges(floor: &Shape) -> Vec<(Point, f64)> {
    match floor {
        Shape::Disc { centre, radius } => {
            let heading = |nth: usize| nth as f64 / AROUND as f64 * std::f64::consts::TAU;
            let place = |heading| {
                (
                    centre.ahead(heading, *radius),
                    heading + std::f64::consts::PI,
                )
            };
            (0..AROUND).map(heading).map(place).collect()
        }
        Shape::Polygon(corners) => {
            let each = (AROUND / corners.len().max(1)).max(1);
            let sides = corners.iter().zip(corners.iter().cycle().skip(1));
            // Of a shape with many corners not every side is needed.
            let sides = sides
                .take(corners.len())
                .step_by(corners.len().div_ceil(AROUND).max(1));
            let places = sides.flat_map(|(from, to)| {
                let along = math::atan2(to.y - from.y, to.x - from.x);
                let length = from.distance(*to);
                let inwards = move |at: Point| {
                    let left = along + std::f64::consts::FRAC_PI_2;
                    let is_left = floor.depth(at.ahead(left, 1e-3)) > 0.0;
                    let other = left + std::f64::consts::PI;
                    (at, if is_left { left } else { other })
                };
                let share = move |nth: usize| (nth as f64 + 0.5) / each as f64;
                (0..each).map(move |nth| inwards(from.ahead(along, length * share(nth))))
            });
            places.collect()
        }
        Shape::Band { .. } | Shape::Rings(_) => Vec::new(),
    }
}
