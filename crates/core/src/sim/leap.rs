//! Many steps at once: while nothing touches, nothing slips and no wheel stands, a robot is a
//! smooth system of two wheel speeds, which a method of third order (Bogacki and Shampine, "A 3(2)
//! pair of Runge-Kutta formulas", 1989) follows over a whole control period.
//!
//! The equations are those of the single step, written for the rims' speeds u of the left and right
//! wheel (projected on the motions that rolling allows; the constraint forces do no work): M u' =
//! Q(u), with the motors' forces, Coulomb friction of gears and caster, and the term of the centre
//! of mass that does not lie over the axle.

use super::drive::Body;
use super::{GRAVITY, STEP};
use crate::controller::{Command, WheelCommand};
use crate::robot::{Motor, Robot};
use crate::units::math;

/// Slower than this (m/s) a rim or the caster may stop or turn back: then single steps are made.
const SLOW: f64 = 0.003;
/// Slower than this (m/s, rad/s) everything stands.
const STILL: f64 = 1e-9;
/// The tyres must hold with this much to spare at both ends of a leap.
const SURE: f64 = 0.97;
/// A leap turns by no more than this, rad: as far as the series of its direction holds.
const MOST_TURN: f64 = 0.3;
/// The velocities must fit rolling without slip this well, m/s, but for what a single step that
/// turns leaves behind.
const FITS: f64 = 1e-6;

/// A robot's constants for leaps.
#[derive(Clone, Copy, Debug)]
pub struct Reduced {
    radii: [f64; 2],
    /// Force in N at full duty, in N for each m/s, and in N of the gears' friction, at each rim.
    motors: [(f64, f64, f64); 2],
    /// Velocity ahead of the centre of mass, and turn rate, for each m/s of each rim.
    ahead: [f64; 2],
    spin: [f64; 2],
    /// Centre of mass ahead of the axle.
    com: f64,
    mass: f64,
    /// The inverse of M.
    inverse: [[f64; 2]; 2],
    /// Inertia of each wheel as a mass at its rim.
    rims: [f64; 2],
    caster: (f64, f64),
    /// Force of the caster's drag, N.
    drag: f64,
    /// What each tyre holds, N, and its share of what is held sideways.
    grip: [f64; 2],
    share: [f64; 2],
    steered: bool,
}

/// Force in N at each rim and what it loses for each m/s.
type Drives = [(f64, f64); 2];

impl Reduced {
    /// `offsets`: the wheels left of the centre of mass; `com`: ahead and left of the middle of the
    /// axle; `caster`: ahead and left of the centre of mass.
    pub fn new(robot: &Robot, offsets: [f64; 2], com: (f64, f64), caster: (f64, f64)) -> Self {
        let radii = robot.true_diameters.map(|diameter| diameter / 2.0);
        let motor = |motor: &Motor, r: f64| {
            let stall = motor.stall_torque * robot.battery / motor.rated_voltage;
            (
                stall / r,
                motor.stall_torque / motor.no_load_speed / (r * r),
                motor.friction / r,
            )
        };
        let [a, b] = offsets;
        let (spin, ahead) = ([-1.0 / (a - b), 1.0 / (a - b)], [-b / (a - b), a / (a - b)]);
        let rims = [
            robot.left.inertia / (radii[0] * radii[0]),
            robot.right.inertia / (radii[1] * radii[1]),
        ];
        let turning = robot.yaw_inertia + robot.mass * com.0 * com.0;
        let m = |i: usize, j: usize| {
            robot.mass * ahead[i] * ahead[j]
                + turning * spin[i] * spin[j]
                + if i == j { rims[i] } else { 0.0 }
        };
        let scale = 1.0 / (m(0, 0) * m(1, 1) - m(0, 1) * m(0, 1));
        let on_wheels = robot.mass * GRAVITY * robot.wheel_share();
        let left = (0.5 + com.1 / robot.track_width).clamp(0.0, 1.0);
        Self {
            radii,
            motors: [motor(&robot.left, radii[0]), motor(&robot.right, radii[1])],
            ahead,
            spin,
            com: com.0,
            mass: robot.mass,
            inverse: [
                [m(1, 1) * scale, -m(0, 1) * scale],
                [-m(0, 1) * scale, m(0, 0) * scale],
            ],
            rims,
            caster,
            drag: robot.caster_drag * (robot.mass * GRAVITY - on_wheels),
            grip: [left, 1.0 - left].map(|share| robot.grip * on_wheels * share * SURE),
            share: [left, 1.0 - left],
            steered: robot.steering.is_some(),
        }
    }

    /// Goes on by this many seconds at once; false, and nothing done, when only single steps show
    /// the truth.
    pub fn leap(&self, body: &mut Body, command: Command, seconds: f64) -> bool {
        let (c, s) = body.cos_sin;
        let now = (
            c * body.velocity.0 + s * body.velocity.1,
            c * body.velocity.1 - s * body.velocity.0,
        );
        let (Some(left), Some(right)) = (
            self.drive(0, command.left, body.supply),
            self.drive(1, command.right, body.supply),
        ) else {
            return false;
        };
        let drives = [left, right];
        let u = [
            body.wheels[0] * self.radii[0],
            body.wheels[1] * self.radii[1],
        ];
        if drives[0].0 == 0.0 && drives[1].0 == 0.0 {
            let fastest = [u[0], u[1], now.0, now.1, body.spin]
                .iter()
                .fold(0.0f64, |most, v| most.max(v.abs()));
            if fastest < STILL {
                (body.velocity, body.spin, body.wheels) = ((0.0, 0.0), 0.0, [0.0; 2]);
                return true;
            }
        }
        if self.steered || u[0].abs() < SLOW || u[1].abs() < SLOW {
            return false;
        }
        let fits = (now.0 - self.along(u)).abs() + (now.1 - self.com * self.turn(u)).abs();
        // A single step solves for rolling and then turns: by then its velocity points to where
        // ahead was before.
        let behind = 1.1 * STEP * (now.0.abs() + now.1.abs()) * body.spin.abs();
        if fits + self.com.abs() * (body.spin - self.turn(u)).abs() > FITS + behind {
            return false;
        }
        let signs = u.map(f64::signum);
        let h = seconds;
        let Some((k1, first_drag)) = self.rate(u, drives, signs) else {
            return false;
        };
        let at = |k: [f64; 2], by: f64| [u[0] + k[0] * by, u[1] + k[1] * by];
        let Some((k2, _)) = self.rate(at(k1, h / 2.0), drives, signs) else {
            return false;
        };
        let Some((k3, _)) = self.rate(at(k2, 0.75 * h), drives, signs) else {
            return false;
        };
        let after = |i: usize| u[i] + h / 9.0 * (2.0 * k1[i] + 3.0 * k2[i] + 4.0 * k3[i]);
        let end = [after(0), after(1)];
        let Some((k4, last_drag)) = self.rate(end, drives, signs) else {
            return false;
        };
        if (0..2).any(|i| end[i] * signs[i] < SLOW)
            || !self.holds(u, k1, first_drag, drives, signs)
            || !self.holds(end, k4, last_drag, drives, signs)
        {
            return false;
        }
        // The cubic through both ends gives the middle; what is a sum over time follows by
        // Simpson's rule.
        let between = |i: usize| 0.5 * (u[i] + end[i]) + h / 8.0 * (k1[i] - k4[i]);
        let middle = [between(0), between(1)];
        let (from, half, to) = (self.turn(u), self.turn(middle), self.turn(end));
        if half.abs() * h > MOST_TURN {
            return false;
        }
        let (turned_half, turned) = (
            h / 24.0 * (5.0 * from + 8.0 * half - to),
            h / 6.0 * (from + 4.0 * half + to),
        );
        let velocity = |u: [f64; 2], turned: f64| {
            let (dc, ds) = small(turned);
            let (ahead, left) = (self.along(u), self.com * self.turn(u));
            (dc * ahead - ds * left, ds * ahead + dc * left)
        };
        let (v0, v1, v2) = (
            velocity(u, 0.0),
            velocity(middle, turned_half),
            velocity(end, turned),
        );
        let moved = (
            h / 6.0 * (v0.0 + 4.0 * v1.0 + v2.0),
            h / 6.0 * (v0.1 + 4.0 * v1.1 + v2.1),
        );
        body.x += c * moved.0 - s * moved.1;
        body.y += s * moved.0 + c * moved.1;
        body.velocity = (c * v2.0 - s * v2.1, s * v2.0 + c * v2.1);
        body.spin = to;
        body.heading += turned;
        let (dc, ds) = small(turned);
        body.cos_sin = (c * dc - s * ds, s * dc + c * ds);
        for i in 0..2 {
            body.angles[i] += h / 6.0 * (u[i] + 4.0 * middle[i] + end[i]) / self.radii[i];
            body.wheels[i] = end[i] / self.radii[i];
        }
        true
    }

    fn drive(&self, wheel: usize, command: WheelCommand, supply: f64) -> Option<(f64, f64)> {
        let (push, damping, _) = self.motors[wheel];
        match command {
            WheelCommand::Duty(duty) => Some((push * supply * duty, damping)),
            WheelCommand::Brake => Some((0.0, damping)),
            WheelCommand::Coast => Some((0.0, 0.0)),
            WheelCommand::Speed(_) | WheelCommand::Keep => None,
        }
    }

    fn along(&self, u: [f64; 2]) -> f64 {
        self.ahead[0] * u[0] + self.ahead[1] * u[1]
    }

    fn turn(&self, u: [f64; 2]) -> f64 {
        self.spin[0] * u[0] + self.spin[1] * u[1]
    }

    /// Force of motor and gears at a rim.
    fn pull(&self, i: usize, u: [f64; 2], drives: Drives, signs: [f64; 2]) -> f64 {
        drives[i].0 - drives[i].1 * u[i] - self.motors[i].2 * signs[i]
    }

    /// Force of the caster: ahead and to the left. None when it nearly stands.
    fn drag(&self, u: [f64; 2]) -> Option<(f64, f64)> {
        let (ahead, spin) = (self.along(u), self.turn(u));
        let v = (
            ahead - spin * self.caster.1,
            spin * (self.com + self.caster.0),
        );
        let speed = math::length(v.0, v.1);
        let factor = -self.drag / speed;
        (speed > SLOW).then_some((factor * v.0, factor * v.1))
    }

    /// u': what the rims' speeds gain, m/s^2; and the force of the caster in it.
    #[inline]
    fn rate(&self, u: [f64; 2], drives: Drives, signs: [f64; 2]) -> Option<([f64; 2], (f64, f64))> {
        let (ahead, spin) = (self.along(u), self.turn(u));
        let drag = self.drag(u)?;
        // Written out for both rims: as a closure over an array it costs a call each (measured).
        let turning = self.mass * self.com * spin;
        let force = |i: usize| {
            let (a, s) = (self.ahead[i], self.spin[i]);
            let caster = drag.0 * (a - s * self.caster.1) + drag.1 * s * (self.com + self.caster.0);
            self.pull(i, u, drives, signs) + caster + turning * (a * spin - s * ahead)
        };
        let (left, right) = (force(0), force(1));
        let [over, under] = &self.inverse;
        let gains = [
            over[0] * left + over[1] * right,
            under[0] * left + under[1] * right,
        ];
        Some((gains, drag))
    }

    /// Whether the tyres hold what that takes, with this force of the caster.
    #[inline]
    fn holds(
        &self,
        u: [f64; 2],
        k: [f64; 2],
        drag: (f64, f64),
        drives: Drives,
        signs: [f64; 2],
    ) -> bool {
        let across = self.mass * (self.com * self.turn(k) + self.turn(u) * self.along(u)) - drag.1;
        (0..2).all(|i| {
            let along = self.pull(i, u, drives, signs) - self.rims[i] * k[i];
            let side = across * self.share[i];
            along * along + side * side <= self.grip[i] * self.grip[i]
        })
    }
}

/// Cosine and sine of an angle of less than half a radian, by their series.
fn small(x: f64) -> (f64, f64) {
    let q = x * x;
    (
        1.0 - q / 2.0 * (1.0 - q / 12.0 * (1.0 - q / 30.0 * (1.0 - q / 56.0))),
        x * (1.0 - q / 6.0 * (1.0 - q / 20.0 * (1.0 - q / 42.0 * (1.0 - q / 72.0)))),
    )
}
