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
///
/// The nearest place in its cone that sends something back is found exactly, face by face. Only
/// when something nearer sends nothing back, and so may hide it, everything is looked at once more:
/// whether it is hidden, and what is seen past it along some rays.
#[derive(Clone, Debug)]
pub struct Look {
    from: Point,
    rays: [(f64, f64); RAYS],
    middle: (f64, f64),
    cone: Cone,
    /// How far away the nearest thing of all is.
    nearest: f64,
    /// The nearest places that send something back, nearest first: how far, and in which direction.
    backs: [(f64, (f64, f64)); BACKS],
    /// What stands nearest in each ray, and how squarely it meets that; worked out when something
    /// may be hidden.
    first: Option<[Option<(f64, f64)>; RAYS]>,
}

/// A cone is this many rays where something hides something else.
const RAYS: usize = 5;
/// As many of the nearest places are kept: behind a hidden one, the next may be seen.
const BACKS: usize = 4;
/// Places of one thing that are no further apart than this do not hide each other, metres.
const SAME: f64 = 1e-6;

/// The cone of a ranging sensor, as its body carries it.
#[derive(Clone, Copy, Debug)]
pub struct Cone {
    /// From its right edge to its left one.
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
            nearest: f64::INFINITY,
            backs: [(f64::INFINITY, (0.0, 0.0)); BACKS],
            first: None,
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
        if let Some(first) = &mut self.first {
            for (hit, first) in form.meet(self.from, &self.rays).into_iter().zip(first) {
                let Some(hit) = hit else { continue };
                if first.is_none_or(|(far, _)| hit.0 < far) {
                    *first = Some(hit);
                }
            }
            let hidden = form.meet(self.from, &self.backs.map(|(_, ray)| ray));
            for (hit, back) in hidden.into_iter().zip(&mut self.backs) {
                if hit.is_some_and(|(far, _)| far < back.0 - SAME) {
                    back.0 = f64::INFINITY;
                }
            }
            return;
        }
        let edges = [self.rays[0], self.rays[RAYS - 1]];
        let (from, middle) = (self.from, self.middle);
        form.nearest_within(
            from,
            middle,
            edges,
            self.cone.opening.0,
            |far, facing, ray| {
                self.nearest = self.nearest.min(far);
                if far > self.cone.greatest || facing < self.cone.squarely {
                    return;
                }
                let at = self.backs.partition_point(|(other, _)| *other <= far);
                if at < BACKS {
                    self.backs[at..].rotate_right(1);
                    self.backs[at] = (far, ray);
                }
            },
        );
    }

    /// Whether everything must be looked at once more; from now on it is for that.
    pub fn again(&mut self) -> bool {
        let sure = self.backs[0].0 <= self.nearest + SAME || self.nearest > self.cone.greatest;
        if !sure {
            self.first = Some([None; RAYS]);
        }
        !sure
    }

    /// How far away the nearest thing is that sends something back, metres; none within reach. A
    /// face counts only where the beam meets it squarely enough.
    pub fn echo(&self) -> Option<f64> {
        let back = |(far, facing): &&(f64, f64)| {
            *far <= self.cone.greatest && *facing >= self.cone.squarely
        };
        let rays = self.first.iter().flatten().flatten();
        let seen = rays.filter(back).map(|(far, _)| *far);
        seen.chain(self.backs.map(|(far, _)| far))
            .filter(|far| far.is_finite())
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
    use crate::robot::Clock;

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
            clock: Clock::with_rate(1000.0),
            latency_ms: 0,
            noise: 0.0,
            dropouts: 0.0,
            outliers: 0.0,
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
            if look.again() {
                stage.show(&mut look);
            }
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
    #[test]
    fn a_thin_thing_never_falls_between_rays() {
        // A post of 30 mm and a plate of 4 mm, anywhere in a cone of 16 deg: as far as the closed
        // form says.
        let cone = Cone::new(&sensor(16f64.to_radians()));
        for nth in -48..=48 {
            let angle = f64::from(nth) * 0.25f64.to_radians();
            let (ahead, away) = ((math::cos(angle), math::sin(angle)), 0.9);
            let centre = Point::new(away * ahead.0, away * ahead.1);
            let post = Form::Disc {
                centre,
                radius: 0.015,
            };
            let mut look = Look::new(Point::default(), (1.0, 0.0), &cone);
            look.at(&post, centre, 0.015);
            let beside = angle.abs() - 8f64.to_radians();
            let expected = if beside <= 0.0 {
                Some(away - 0.015)
            } else {
                // Along the edge of the cone.
                let (along, off) = (away * math::cos(beside), away * math::sin(beside));
                (off <= 0.015).then(|| along - (0.015 * 0.015 - off * off).sqrt())
            };
            assert!(!look.again());
            let seen = look.echo();
            assert_eq!(seen.is_some(), expected.is_some(), "{angle}");
            let off = seen.unwrap_or_default() - expected.unwrap_or_default();
            assert!(off.abs() < 1e-9, "{seen:?} {expected:?} at {angle}");
        }
    }

    #[test]
    fn the_nearest_place_in_the_cone_is_that_of_many_rays() {
        // Against 4,001 rays over the cone, for plates of any size, place and turn.
        let mut seed = 1u64;
        let mut any = || {
            seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
            (seed >> 11) as f64 / (1u64 << 53) as f64
        };
        let mut seen = 0;
        for _ in 0..400 {
            let sensor = RangeSensor {
                slant: 0.3 + any() * 1.2,
                ..sensor(0.02 + any() * 1.5)
            };
            let (far, angle) = (0.2 + any(), (any() - 0.5) * 1.6);
            let (c, s) = (math::cos(angle), math::sin(angle));
            let (turn, half) = (any() * 6.3, 0.002 + any() * 0.3);
            let (ux, uy) = (math::cos(turn) * half, math::sin(turn) * half);
            let at = |by: f64| Point::new(far * c + by * ux, far * s + by * uy);
            let plate = Form::along(at(-1.0), at(1.0), 0.01, 0.0).unwrap();
            let (middle, reach) = (plate.middle(), plate.reach(plate.middle()));
            if plate.apart(Point::default()) < 0.01 {
                continue;
            }
            let mut look = Look::new(Point::default(), (1.0, 0.0), &Cone::new(&sensor));
            look.at(&plate, middle, reach);
            if look.again() {
                look.at(&plate, middle, reach);
            }
            let ray = |nth: u32| {
                let angle = (f64::from(nth) / 4000.0 - 0.5) * sensor.cone;
                let hit = plate.meet(Point::default(), &[(math::cos(angle), math::sin(angle))])[0];
                hit.filter(|(_, facing)| *facing >= math::cos(sensor.slant))
            };
            let by_rays = (0..=4000)
                .filter_map(ray)
                .map(|(far, _)| far)
                .min_by(f64::total_cmp);
            match (look.echo(), by_rays) {
                (Some(exact), Some(rays)) => {
                    assert!(
                        exact <= rays + 1e-9 && rays - exact < 0.01,
                        "{exact} {rays}"
                    );
                    seen += 1;
                }
                // Between two rays, or just square enough at the very end of a face.
                (Some(_), None) => {}
                (exact, rays) => assert_eq!(exact, rays, "{plate:?}"),
            }
        }
        assert!(seen > 100, "{seen}");
    }

    #[test]
    fn what_sends_nothing_back_hides_what_is_behind_it() {
        // A plate that is met at 60 deg before a wall that is met squarely.
        let plate = Form::along(Point::new(0.3, -0.2), Point::new(0.7, 0.5), 0.01, 0.0).unwrap();
        let wall = Form::along(Point::new(1.0, -1.0), Point::new(1.0, 1.0), 0.01, 0.0).unwrap();
        let see = |forms: &[&Form], cone: f64| {
            let sensor = RangeSensor {
                slant: 0.2,
                ..sensor(cone)
            };
            let mut look = Look::new(Point::default(), (1.0, 0.0), &Cone::new(&sensor));
            let all = |look: &mut Look| {
                for form in forms {
                    look.at(form, form.middle(), form.reach(form.middle()));
                }
            };
            all(&mut look);
            if look.again() {
                all(&mut look);
            }
            look.echo()
        };
        assert!((see(&[&wall], 0.1).unwrap() - 0.99).abs() < 1e-9);
        assert_eq!(see(&[&plate], 0.1), None);
        assert_eq!(see(&[&plate, &wall], 0.1), None);
        assert_eq!(see(&[&wall, &plate], 0.1), None);
    }
}
