//! Things on a field that are no robots: what is pushed about, and what comes, walks and leaves by
//! itself.

use super::drive::rotated;
use super::footing::Footing;
use super::form::Form;
use super::solve::{Moving, Rub};
use super::{GRAVITY, STEP};
use crate::field::{Field, Object, Obstacle, Point, Pose, Shape};
use crate::units::math;

/// Slower than this (m/s, rad/s) a pushed thing lies still.
const AT_REST: f64 = 1e-7;

/// A thing that is pushed about.
#[derive(Clone, Debug)]
pub struct Loose {
    pub(super) form: Form,
    pub(super) reach: f64,
    /// Its centre, metres.
    pub at: Point,
    /// Not wrapped, rad.
    pub heading: f64,
    pub(super) cos_sin: (f64, f64),
    /// m/s in the field frame.
    pub velocity: (f64, f64),
    /// rad/s.
    pub spin: f64,
    pub(super) mass: f64,
    pub(super) inertia: f64,
    pub(super) bounce: f64,
    pub(super) rub: Rub,
    pub(super) floor: Option<Shape>,
    pub(super) level: usize,
    /// It fell, or was taken away.
    pub gone: bool,
}

impl Loose {
    pub(super) fn new(field: &Field, object: &Object) -> Self {
        let mut loose = Self {
            form: Form::from(&object.outline),
            reach: Form::from(&object.outline).reach(Point::default()),
            at: Point::default(),
            heading: 0.0,
            cos_sin: (1.0, 0.0),
            velocity: (0.0, 0.0),
            spin: 0.0,
            mass: object.mass,
            inertia: object.mass * object.outline.inertia(),
            bounce: object.bounce,
            rub: Rub {
                body: 0,
                most: object.friction * object.mass * GRAVITY * STEP,
                lever: object.outline.lever(),
                held: [0.0; 3],
            },
            floor: None,
            level: 0,
            gone: false,
        };
        loose.place(field, object.pose);
        loose
    }

    /// Puts it down at a pose, at rest.
    pub(super) fn place(&mut self, field: &Field, pose: Pose) {
        self.at = Point::new(pose.x, pose.y);
        self.heading = pose.heading;
        self.cos_sin = (math::cos(pose.heading), math::sin(pose.heading));
        (self.velocity, self.spin, self.rub.held, self.gone) = ((0.0, 0.0), 0.0, [0.0; 3], false);
        let platform = field.platform_at(self.at);
        self.level = platform.map_or(0, |index| index + 1);
        self.floor = Footing::new(field, platform).floor().cloned();
    }

    pub(super) fn rests(&self) -> bool {
        self.velocity == (0.0, 0.0) && self.spin == 0.0
    }

    /// Where it is.
    pub const fn pose(&self) -> Pose {
        Pose {
            x: self.at.x,
            y: self.at.y,
            heading: self.heading,
        }
    }

    pub(super) fn outline(&self) -> Form {
        self.form.moved(self.at, self.cos_sin)
    }

    /// Takes over its velocity; returns whether it fell.
    pub(super) fn move_on(&mut self, moving: &Moving) -> bool {
        let quick = |speed: f64| speed.abs() > AT_REST;
        (self.velocity, self.spin) = (moving.velocity, moving.spin);
        if !quick(self.velocity.0) && !quick(self.velocity.1) && !quick(self.spin * self.reach) {
            (self.velocity, self.spin) = ((0.0, 0.0), 0.0);
            return false;
        }
        self.at = Point::new(
            self.at.x + self.velocity.0 * STEP,
            self.at.y + self.velocity.1 * STEP,
        );
        self.heading += self.spin * STEP;
        self.cos_sin = rotated(self.cos_sin, self.spin * STEP);
        self.gone = self
            .floor
            .as_ref()
            .is_some_and(|floor| floor.depth(self.at) <= 0.0);
        self.gone
    }
}

/// A thing that comes, walks and leaves by itself, and that nothing moves.
#[derive(Clone, Debug)]
pub struct Mover {
    pub(super) form: Form,
    pub(super) reach: f64,
    pub(super) about: Obstacle,
    /// Metres walked along its path.
    pub(super) walked: f64,
    /// The length of its path.
    pub(super) whole: f64,
    /// Something is in its way: it tries again at this step.
    pub(super) waits: u64,
    /// Where it is.
    pub at: Point,
    pub(super) velocity: (f64, f64),
    pub(super) level: usize,
    /// It is on the field.
    pub present: bool,
    /// It was put down or taken away by hand: its own timetable is over.
    pub(super) by_hand: bool,
}

impl Mover {
    pub(super) fn new(field: &Field, about: &Obstacle) -> Self {
        let at = Point::new(about.pose.x, about.pose.y);
        let turned = Form::from(&about.outline).moved(
            Point::default(),
            (math::cos(about.pose.heading), math::sin(about.pose.heading)),
        );
        Self {
            reach: turned.reach(Point::default()),
            form: turned,
            whole: stations(about)
                .zip(stations(about).skip(1))
                .map(|(a, b)| a.distance(b))
                .sum(),
            about: about.clone(),
            walked: 0.0,
            waits: 0,
            at,
            velocity: (0.0, 0.0),
            level: field.platform_at(at).map_or(0, |index| index + 1),
            present: false,
            by_hand: false,
        }
    }

    pub(super) fn outline(&self) -> Form {
        self.form.moved(self.at, (1.0, 0.0))
    }

    /// Where it looks: as it was set up.
    pub const fn heading(&self) -> f64 {
        self.about.pose.heading
    }

    /// Whether it is to be there at a step, and the step at which that changes.
    pub(super) fn timetable(&self, step: u64) -> (bool, u64) {
        let steps = |seconds: f64| {
            if seconds.is_finite() {
                (seconds / STEP).round() as u64
            } else {
                u64::MAX
            }
        };
        let (comes, leaves) = (steps(self.about.comes), steps(self.about.leaves));
        if step < comes {
            return (false, comes);
        }
        let (since, stay) = (step - comes, leaves.saturating_sub(comes));
        match self.about.every.map(steps) {
            Some(every) if since >= every => {
                let since_then = since % every;
                if since_then < stay {
                    (true, step + (stay - since_then))
                } else {
                    (false, step + (every - since_then))
                }
            }
            every if since < stay => (
                true,
                if every.is_none() {
                    leaves
                } else {
                    comes + stay
                },
            ),
            Some(every) => (false, comes + every),
            None => (false, u64::MAX),
        }
    }

    pub(super) fn walks(&self) -> bool {
        self.present && !self.by_hand && self.about.speed > 0.0 && !self.about.path.is_empty()
    }

    /// Where it is after this many metres of its path.
    pub(super) fn along(&self, walked: f64) -> Point {
        let from = Point::new(self.about.pose.x, self.about.pose.y);
        let (about, whole) = (&self.about, self.whole);
        if whole <= 0.0 {
            return from;
        }
        let mut left = if !about.paces {
            walked.min(whole)
        } else if walked <= whole {
            walked
        } else {
            let round = walked % (2.0 * whole);
            if round > whole {
                2.0 * whole - round
            } else {
                round
            }
        };
        let legs = || stations(about).zip(stations(about).skip(1));
        for (a, b) in legs() {
            let length = a.distance(b);
            if left <= length && length > 0.0 {
                let t = left / length;
                return Point::new(a.x + t * (b.x - a.x), a.y + t * (b.y - a.y));
            }
            left -= length;
        }
        stations(about).last().unwrap_or(from)
    }
}

/// The places of an obstacle's path, from where it sets out.
fn stations(about: &Obstacle) -> impl Iterator<Item = Point> + '_ {
    std::iter::once(Point::new(about.pose.x, about.pose.y)).chain(about.path.iter().copied())
}
