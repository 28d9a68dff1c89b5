//! Motors, wheels and body of a differential drive, advanced by one step.
//!
//! A wheel is a contact with a friction circle, solved at velocity level: the traction impulses are
//! those that leave no slip at the end of the step, unless they exceed what the tyre can hold. Back
//! EMF acts implicitly, so no step size makes it ring; friction of the gears is found within the
//! step. A step uses only + - * / and square roots.
//!
//! One step of one body reads best from top to bottom, which is why this file is long.

use super::GRAVITY;
use super::form::{Convex, Form};
use super::leap::Reduced;
use super::solve::{BODY_FRICTION, Moving, Tyre};
use crate::controller::{Command, WheelCommand};
use crate::field::{Point, Pose};
use crate::robot::{Motor, Robot};
use crate::units::math;

/// A wheel that friction holds creeps at less than this, rad/s: as much slower as its motor pulls
/// less than what would break it loose.
const STILL_WHEEL: f64 = 0.005;
/// Friction of the gears is looked for at most so often in a step: turning on, held, turning back.
const LOOKS: usize = 4;
/// Moment of inertia of what turns behind the play of the gears, the wheel itself, kg m^2; at most
/// half of the whole.
const BARE_WHEEL: f64 = 8e-6;
/// A swivelling wheel that is pushed straight back gives way to one side: it is taken as this far
/// (sine) out of line, towards where it leans or, if nowhere, to the left.
const UNSTEADY: f64 = 0.03;
/// Below this speed (m/s) the caster's drag fades out likewise.
const STILL_CASTER: f64 = 0.000_5;
/// A speed regulator gives full duty when the wheel is off by this share of its no-load speed...
const REGULATED_WITHIN: f64 = 0.2;
/// ...and wholly makes up for a lasting error in about this many seconds.
const REGULATED_IN: f64 = 0.1;
/// A wheel that keeps its position goes back to it at this many rad/s for each rad.
const KEPT: f64 = 20.0;

/// What moves: pose and velocities.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Body {
    /// Centre of mass on the field, metres.
    pub x: f64,
    /// Centre of mass on the field, metres.
    pub y: f64,
    /// Heading in rad, counter-clockwise, not wrapped.
    pub heading: f64,
    /// Cosine and sine of the heading, carried along so that a step needs no trigonometry.
    pub cos_sin: (f64, f64),
    /// Velocity of the centre of mass in the field frame, m/s.
    pub velocity: (f64, f64),
    /// Angular velocity, rad/s, counter-clockwise.
    pub spin: f64,
    /// Wheel speeds in rad/s: left, right.
    pub wheels: [f64; 2],
    /// Impulse of the caster's friction for each m/s in the next step, kg.
    pub drag: f64,
    /// Angles the wheels have turned, rad: left, right.
    pub angles: [f64; 2],
    /// What the speed regulators have added up, as a duty: left, right.
    pub added: [f64; 2],
    /// Where wheels that keep their position are to stand, rad: left, right.
    pub kept: [Option<f64>; 2],
    /// Angle of the steered wheels, rad to the left, and its tangent; 0 without steering.
    pub steered: (f64, f64),
    /// Impulses ahead and to the left that the left, right and steered wheels held in the last
    /// step, N s.
    pub held: [(f64, f64); 3],
    /// What there is of the battery's voltage without load, as a share.
    pub supply: f64,
    /// How far each motor is ahead of its wheel within the play of the gears, rad: left, right.
    pub lead: [f64; 2],
    /// The speed of a motor that turns within the play, rad/s; none where it drives its wheel.
    pub idle: [Option<f64>; 2],
    /// Weight that goes from the caster to the driven wheels while the robot speeds up, and from
    /// the right one to the left one while it turns right, as impulses in a step, N s.
    pub shifted: (f64, f64),
    /// Direction in which a swivelling caster rolls, in the body's frame.
    pub swivel: (f64, f64),
}

/// A robot's constants, worked out once.
#[derive(Clone, Debug)]
pub struct Plant {
    dt: f64,
    /// Inverse of the mass: divisions are what a step would otherwise spend most of its time on.
    per_mass: f64,
    /// Inverse of the moment of inertia about the centre of mass.
    per_inertia: f64,
    com: (f64, f64),
    /// Distance of each wheel left of the centre of mass.
    offsets: [f64; 2],
    /// Radius of each wheel.
    radii: [f64; 2],
    /// Radius that the robot reckons with: its encoders know angles, not ways.
    believed: f64,
    motors: [Drive; 2],
    /// Largest traction impulse of each wheel in one step, N s.
    grip: [f64; 2],
    /// Weight on each wheel as an impulse in one step, N s.
    load: [f64; 2],
    /// Lateral load is shared between the wheels as their weight is.
    share: [f64; 2],
    caster: (f64, f64),
    /// Impulse of the caster's drag in a step, N s.
    caster_drag: f64,
    /// The factor of a velocity that would stop the caster at once, kg.
    caster_most: f64,
    swivel: Option<Swivel>,
    /// What of a change of speed becomes a shift of weight, kg: from the caster to the driven
    /// wheels, and between these.
    shifts: Option<(f64, f64)>,
    /// Weight on the caster as an impulse in a step, N s, and its friction coefficient.
    caster_load: f64,
    caster_friction: f64,
    outline: Form,
    /// How far the outline goes from the centre of mass, metres.
    reach: f64,
    matrix: Matrix,
    steering: Option<Steered>,
    reduced: Reduced,
    /// Nothing of it asks for single steps: no play, no weight that shifts, no swivelling caster.
    leaps: bool,
    /// Some duties are too small for a driver to hear.
    deaf: bool,
}

/// Steered front wheels, taken as one in the middle.
#[derive(Clone, Copy, Debug)]
struct Steered {
    /// Metres ahead of the driven axle.
    base: f64,
    /// Furthest angle, rad.
    limit: f64,
    /// Largest change in a step, rad.
    rate: f64,
    /// Largest impulse in a step, N s.
    grip: f64,
    /// Distance of the driven wheels, metres.
    track: f64,
}

/// What of the matrix of the rolling robot does not change: effect of impulses on slips, without
/// the motors.
#[derive(Clone, Copy, Debug)]
struct Matrix {
    k11: f64,
    k12: f64,
    k13: f64,
    k22: f64,
    k23: f64,
    k33: f64,
    /// The entry of the adjugate that no motor changes.
    c12: f64,
}

impl Matrix {
    /// `im`, `ii`: inverse mass and moment of inertia; `a`, `b`: the wheels left of the centre of
    /// mass; `cx`: the centre of mass ahead of the axle.
    fn new(im: f64, ii: f64, [a, b]: [f64; 2], cx: f64) -> Self {
        let (k12, k13, k23, k33) = (im + a * b * ii, a * cx * ii, b * cx * ii, im + cx * cx * ii);
        Self {
            k11: im + a * a * ii,
            k22: im + b * b * ii,
            k12,
            k13,
            k23,
            k33,
            c12: k13 * k23 - k12 * k33,
        }
    }
}

/// A caster that trails behind its pivot.
#[derive(Clone, Copy, Debug)]
struct Swivel {
    /// From the pivot back to where it touches the floor, metres.
    trail: f64,
    /// Its friction coefficient along its wheel and across.
    friction: (f64, f64),
}

impl Swivel {
    /// The direction in which it rolls after `dt` seconds, when the pivot moves at `velocity` (body
    /// frame, m/s) and the body turns at `spin` rad/s.
    ///
    /// It is pulled behind its pivot without slipping sideways: a tractrix.
    fn turned(self, now: (f64, f64), velocity: (f64, f64), spin: f64, dt: f64) -> (f64, f64) {
        let rate = |(c, s): (f64, f64)| {
            let across = c * velocity.1 - s * velocity.0;
            let least = -UNSTEADY * (c * velocity.0 + s * velocity.1);
            let across = if across.abs() < least {
                least.copysign(if across == 0.0 { 1.0 } else { across })
            } else {
                across
            };
            across / self.trail - spin
        };
        // By the rate in the middle of the step: pushed back, what is wrong grows.
        let middle = rotated(now, rate(now) * dt * 0.5);
        rotated(now, rate(middle) * dt)
    }
}

/// Ways in which a motor's driver works: loose, on the battery or shorted, keeping a speed.
#[derive(Clone, Copy, Debug)]
enum Way {
    Loose,
    Fed,
    Kept,
}

/// What friction of the gears does in a step.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Rubs {
    /// The wheel turns in this direction, 1 or -1, and friction is against it, as large as it is.
    Against(f64),
    /// The wheel stands: friction is as large as it needs to be.
    Holds,
    /// There is none.
    Never,
}

/// A motor with its battery.
#[derive(Clone, Copy, Debug)]
struct Drive {
    /// Torque at standstill and full duty, N m.
    stall: f64,
    /// Moment of inertia at the wheel, kg m^2, and of that what turns behind the play.
    inertia: f64,
    bare: f64,
    /// Speed without load at full rated voltage, rad/s: what a regulator reckons with.
    no_load: f64,
    /// Friction impulse of the gears in a step, N m s: while the wheel turns, and at most while it
    /// stands.
    rub: f64,
    hold: f64,
    /// Speed gained for each N m s while the wheel turns, by the way in which its driver works.
    turning: [f64; 3],
    /// The same while friction holds it.
    held: [f64; 3],
    /// Duties below this do nothing.
    least_duty: f64,
    /// Half of the play, rad.
    play: f64,
}

impl Drive {
    fn new(motor: &Motor, battery: f64, dt: f64) -> Self {
        // Torque = stall (u / rated) - (stall / no load) speed: a permanent magnet motor behind its
        // terminals.
        let stall = motor.stall_torque * battery / motor.rated_voltage;
        let damping = motor.stall_torque / motor.no_load_speed;
        let gain = 1.0 / (REGULATED_WITHIN * motor.no_load_speed);
        let resistance =
            [0.0, damping, damping + stall * gain].map(|damping| motor.inertia + dt * damping);
        let hold = motor.stiction.max(motor.friction) * dt;
        Self {
            stall,
            inertia: motor.inertia,
            bare: BARE_WHEEL.min(motor.inertia / 2.0),
            no_load: motor.no_load_speed,
            rub: motor.friction * dt,
            hold,
            turning: resistance.map(|all| 1.0 / all),
            held: resistance.map(|all| 1.0 / (all + hold / STILL_WHEEL)),
            least_duty: motor.least_duty,
            play: motor.play / 2.0,
        }
    }

    /// A step of the motor at a speed, with an angular impulse (N m s) of its torque.
    fn axle(&self, speed: f64, push: f64, way: Way) -> Axle {
        let rubs = if self.hold == 0.0 {
            Rubs::Never
        } else if speed.abs() > STILL_WHEEL {
            Rubs::Against(1f64.copysign(speed))
        } else {
            Rubs::Holds
        };
        Axle {
            momentum: self.inertia * speed + push,
            rub: self.rub,
            hold: self.hold,
            turning: self.turning[way as usize],
            held: self.held[way as usize],
            rubs,
        }
    }
}

/// A motor within one step.
#[derive(Clone, Copy, Debug)]
struct Axle {
    /// Angular momentum without friction, N m s.
    momentum: f64,
    /// Friction impulse while it turns, and at most while it stands, N m s.
    rub: f64,
    hold: f64,
    /// Speed gained for each N m s: turning and held.
    turning: f64,
    held: f64,
    rubs: Rubs,
}

impl Axle {
    /// Speed when nothing else acts, rad/s, and what an impulse does to it.
    fn now(&self) -> (f64, f64) {
        match self.rubs {
            Rubs::Against(sign) => (
                (self.momentum - sign * self.rub) * self.turning,
                self.turning,
            ),
            Rubs::Holds => (self.momentum * self.held, self.held),
            Rubs::Never => (self.momentum * self.turning, self.turning),
        }
    }

    /// Whether friction does what it is taken to do when the wheel ends at a speed; otherwise what
    /// it does is taken anew.
    fn settles(&mut self, speed: f64) -> bool {
        let now = match self.rubs {
            Rubs::Against(sign) if speed * sign < 0.0 => Rubs::Holds,
            Rubs::Holds if speed.abs() > STILL_WHEEL => Rubs::Against(1f64.copysign(speed)),
            as_it_was @ (Rubs::Against(_) | Rubs::Holds | Rubs::Never) => as_it_was,
        };
        std::mem::replace(&mut self.rubs, now) == now
    }

    /// The speed when nothing else acts at all.
    fn alone(mut self) -> f64 {
        for _ in 0..LOOKS {
            if self.settles(self.now().0) {
                break;
            }
        }
        self.now().0
    }
}

/// What a robot would do in a step if no floor held its wheels and nothing were in its way.
#[derive(Clone, Copy, Debug)]
pub struct Free {
    twist: Twist,
    axles: [Axle; 2],
}

/// Velocities in the body frame while the impulses are worked out.
#[derive(Clone, Copy, Debug)]
struct Twist {
    ahead: f64,
    left: f64,
    spin: f64,
    wheels: [f64; 2],
}

impl Body {
    /// Angles of the encoders, rad: left, right. They sit on the motors, before the play.
    pub fn encoders(&self) -> [f64; 2] {
        [0, 1].map(|wheel| self.angles[wheel] + self.lead[wheel])
    }

    /// Goes straight on for this many seconds, wheels turning as they do.
    pub fn glide(&mut self, seconds: f64) {
        self.x += self.velocity.0 * seconds;
        self.y += self.velocity.1 * seconds;
        for (angle, speed) in self.angles.iter_mut().zip(self.wheels) {
            *angle += speed * seconds;
        }
    }
}

impl Plant {
    /// The constants of a robot for steps of `dt` seconds.
    pub fn new(robot: &Robot, dt: f64) -> Self {
        let com = (robot.com_ahead, robot.com_left);
        let offsets = [
            robot.track_width / 2.0 - com.1,
            -robot.track_width / 2.0 - com.1,
        ];
        let on_wheels = robot.mass * GRAVITY * robot.wheel_share();
        // The wheel nearer to the centre of mass carries more.
        let left = (0.5 + com.1 / robot.track_width).clamp(0.0, 1.0);
        let share = [left, 1.0 - left];
        let caster = (robot.caster_ahead - com.0, -com.1);
        let arm = caster.0 * caster.0 + caster.1 * caster.1;
        let corners: Vec<Point> = robot
            .outline
            .iter()
            .map(|(x, y)| Point::new(x - com.0, y - com.1))
            .collect();
        let outline = Form::Polygon(Convex::new(&corners));
        Self {
            dt,
            per_mass: 1.0 / robot.mass,
            per_inertia: 1.0 / robot.yaw_inertia,
            com,
            offsets,
            radii: robot.true_diameters.map(|diameter| diameter / 2.0),
            believed: robot.wheel_diameter / 2.0,
            motors: [
                Drive::new(&robot.left, robot.battery, dt),
                Drive::new(&robot.right, robot.battery, dt),
            ],
            grip: share.map(|part| robot.grip * on_wheels * part * dt),
            load: share.map(|part| on_wheels * part * dt),
            share,
            caster,
            caster_drag: robot.caster_drag * (robot.mass * GRAVITY - on_wheels) * dt,
            caster_most: 1.0 / (1.0 / robot.mass + arm / robot.yaw_inertia),
            swivel: (robot.caster_trail > 0.0).then_some(Swivel {
                trail: robot.caster_trail,
                friction: (robot.caster_drag, robot.caster_scrub),
            }),
            shifts: (robot.com_height > 0.0).then(|| {
                let moment = robot.mass * robot.com_height;
                let over = if robot.caster_ahead == 0.0 {
                    0.0
                } else {
                    moment / robot.caster_ahead
                };
                (over, moment / robot.track_width)
            }),
            caster_load: (robot.mass * GRAVITY - on_wheels) * dt,
            caster_friction: robot.caster_drag,
            reach: outline.reach(Point::default()),
            outline,
            matrix: Matrix::new(1.0 / robot.mass, 1.0 / robot.yaw_inertia, offsets, com.0),
            steering: robot.steering.as_ref().map(|steering| Steered {
                base: robot.caster_ahead,
                limit: steering.limit,
                rate: steering.rate * dt,
                grip: robot.grip * (robot.mass * GRAVITY - on_wheels) * dt,
                track: robot.track_width,
            }),
            reduced: Reduced::new(robot, offsets, com, caster),
            leaps: robot.left.play == 0.0
                && robot.right.play == 0.0
                && robot.com_height == 0.0
                && robot.caster_trail == 0.0,
            deaf: robot.left.least_duty > 0.0 || robot.right.least_duty > 0.0,
        }
    }

    /// The body at rest with the middle of its axle at `pose`.
    pub fn at_rest(&self, pose: Pose) -> Body {
        let centre = pose.place(self.com.0, self.com.1);
        Body {
            x: centre.x,
            y: centre.y,
            heading: pose.heading,
            cos_sin: (math::cos(pose.heading), math::sin(pose.heading)),
            velocity: (0.0, 0.0),
            spin: 0.0,
            drag: self.caster_most,
            wheels: [0.0; 2],
            angles: [0.0; 2],
            added: [0.0; 2],
            kept: [None; 2],
            steered: (0.0, 0.0),
            held: [(0.0, 0.0); 3],
            supply: 1.0,
            lead: [0.0; 2],
            idle: [None; 2],
            shifted: (0.0, 0.0),
            swivel: (1.0, 0.0),
        }
    }

    /// The pose of the middle of the axle.
    pub fn pose(&self, body: &Body) -> Pose {
        let place = self.place(body, 0.0, 0.0);
        Pose {
            x: place.x,
            y: place.y,
            heading: body.heading,
        }
    }

    /// Where a point of the robot frame (ahead and left of the middle of the axle, metres) lies on
    /// the field.
    pub fn place(&self, body: &Body, ahead: f64, left: f64) -> Point {
        let (c, s) = body.cos_sin;
        let (dx, dy) = (ahead - self.com.0, left - self.com.1);
        Point::new(body.x + c * dx - s * dy, body.y + s * dx + c * dy)
    }

    /// The robot's body on the field.
    pub fn outline(&self, body: &Body) -> Form {
        self.outline.moved(Point::new(body.x, body.y), body.cos_sin)
    }

    /// How far the body goes from its centre of mass, metres.
    pub const fn reach(&self) -> f64 {
        self.reach
    }

    /// Where a place on the field lies on the robot: ahead and left of the middle of the axle,
    /// metres.
    pub fn local(&self, body: &Body, at: Point) -> (f64, f64) {
        let ((c, s), dx, dy) = (body.cos_sin, at.x - body.x, at.y - body.y);
        (c * dx + s * dy + self.com.0, c * dy - s * dx + self.com.1)
    }

    /// Goes on by this many seconds at once, where nothing is near; false, and nothing done, when
    /// only single steps show the truth.
    pub fn leap(&self, body: &mut Body, command: Command, seconds: f64) -> bool {
        if !self.leaps || !self.reduced.leap(body, self.heard(command), seconds) {
            return false;
        }
        // What a next single step needs to know of its last.
        let (c, s) = body.cos_sin;
        let (ahead, left) = (
            c * body.velocity.0 + s * body.velocity.1,
            c * body.velocity.1 - s * body.velocity.0,
        );
        body.drag = self.drag(
            body.shifted.0,
            ahead - body.spin * self.caster.1,
            left + body.spin * self.caster.0,
        );
        body.added = [0.0; 2];
        body.kept = [None; 2];
        true
    }

    /// A command as far as the drivers hear it: too small a duty is none.
    fn heard(&self, command: Command) -> Command {
        if !self.deaf {
            return command;
        }
        let heard = |wheel: usize, one: WheelCommand| match one {
            WheelCommand::Duty(duty) if duty.abs() < self.motors[wheel].least_duty => {
                WheelCommand::Duty(0.0)
            }
            other @ (WheelCommand::Duty(_)
            | WheelCommand::Brake
            | WheelCommand::Coast
            | WheelCommand::Speed(_)
            | WheelCommand::Keep) => other,
        };
        Command {
            left: heard(0, command.left),
            right: heard(1, command.right),
        }
    }

    /// The factor of the caster's velocity that is its friction in a step: never more than would
    /// stop it.
    ///
    /// - `shifted`: weight that has gone over to the driven wheels, as an impulse in a step, N s
    fn drag(&self, shifted: f64, ahead: f64, left: f64) -> f64 {
        let most = (self.caster_drag - self.caster_friction * shifted).max(0.0);
        (most / math::length(ahead, left).max(STILL_CASTER)).min(self.caster_most)
    }

    /// Speeds of the wheels' rims, m/s: left, right.
    pub fn rims(&self, body: &Body) -> [f64; 2] {
        [
            body.wheels[0] * self.radii[0],
            body.wheels[1] * self.radii[1],
        ]
    }

    /// A body that rolls at these rim speeds (m/s: left, right) without slip.
    pub fn rolling(&self, pose: Pose, rims: [f64; 2]) -> Body {
        let mut body = self.at_rest(pose);
        let track = (self.offsets[1] - self.offsets[0]).abs();
        body.spin = (rims[1] - rims[0]) / track;
        body.wheels = [rims[0] / self.radii[0], rims[1] / self.radii[1]];
        // The centre of mass, seen from the middle of the axle.
        let (ahead, left) = (
            f64::midpoint(rims[0], rims[1]) - body.spin * self.com.1,
            body.spin * self.com.0,
        );
        let (c, s) = body.cos_sin;
        body.velocity = (c * ahead - s * left, s * ahead + c * left);
        body.drag = self.drag(
            body.shifted.0,
            ahead - body.spin * self.caster.1,
            left + body.spin * self.caster.0,
        );
        body
    }

    /// Where the wheels touch the floor: left, right.
    pub fn wheels(&self, body: &Body) -> [Point; 2] {
        self.offsets
            .map(|offset| self.place(body, 0.0, offset + self.com.1))
    }

    /// The first half of a step: what the motors do, and the caster.
    pub fn free(&self, body: &mut Body, command: Command) -> Free {
        let [left, right] = self.mixed(body, command);
        let Command { left, right } = self.heard(Command { left, right });
        let axles = [self.axle(0, body, left), self.axle(1, body, right)];
        let (c, s) = body.cos_sin;
        let (vx, vy) = body.velocity;
        let mut twist = Twist {
            ahead: c * vx + s * vy,
            left: c * vy - s * vx,
            spin: body.spin,
            wheels: axles.map(|axle| axle.now().0),
        };
        match self.swivel {
            None => self.drag_caster(&mut twist, body.drag),
            Some(swivel) => self.drag_swivel(&mut twist, swivel, body),
        }
        Free { twist, axles }
    }

    /// The second half where nothing is in the way and the tyres hold; false, and nothing done,
    /// when they do not.
    pub fn roll(&self, body: &mut Body, free: &Free) -> bool {
        let mut axles = free.axles;
        for _ in 0..LOOKS {
            let mut twist = free.twist;
            twist.wheels = axles.map(|axle| axle.now().0);
            let compliances = axles.map(|axle| axle.now().1);
            let holds = match &self.steering {
                None => self.roll_straight(body, &mut twist, compliances),
                Some(steering) => self.roll_steered(body, steering, &mut twist, compliances),
            };
            if !holds {
                return false;
            }
            let settled = [0, 1].map(|wheel| axles[wheel].settles(twist.wheels[wheel]));
            if settled == [true; 2] {
                self.move_on(body, &twist);
                return true;
            }
        }
        // What friction does is not clear within the step: the solver finds it together with the
        // rest.
        false
    }

    /// What each driven wheel can hold in this step, N s, and the weight on it.
    fn grips(&self, body: &Body) -> [(f64, f64); 2] {
        if self.shifts.is_none() {
            return [0, 1].map(|wheel| (self.grip[wheel], self.load[wheel]));
        }
        let (over, side) = body.shifted;
        [(0, side), (1, -side)].map(|(wheel, side)| {
            let load = (self.load[wheel] + over * self.share[wheel] + side).max(0.0);
            (self.grip[wheel] / self.load[wheel].max(1e-12) * load, load)
        })
    }

    /// The robot for the solver, and its tyres. Where a wheel has no floor the body lies on the
    /// edge instead, and its share of the weight rubs there.
    pub fn enter(
        &self,
        body: &Body,
        free: &Free,
        index: usize,
        held: [bool; 2],
        tyres: &mut Vec<Tyre>,
    ) -> Moving {
        let (c, s) = body.cos_sin;
        let turned = |(x, y): (f64, f64)| (c * x - s * y, s * x + c * y);
        let grips = self.grips(body);
        for (wheel, held) in held.into_iter().enumerate() {
            let (grip, load) = grips[wheel];
            let axle = &free.axles[wheel];
            // Friction begins as what it probably is; the solver looks for what it is.
            let (rubbed, most) = match axle.rubs {
                Rubs::Against(sign) => (-sign * axle.rub, axle.rub),
                Rubs::Holds => (0.0, axle.hold),
                Rubs::Never => (0.0, 0.0),
            };
            tyres.push(Tyre {
                radius: if held { self.radii[wheel] } else { 0.0 },
                compliance: axle.turning,
                speed: (axle.momentum + rubbed) * axle.turning,
                rubbed,
                most_rubbed: most,
                grip: if held { grip } else { BODY_FRICTION * load },
                share: self.share[wheel],
                ..Tyre::new(
                    index,
                    turned((-self.com.0, self.offsets[wheel])),
                    body.cos_sin,
                    body.held[wheel],
                )
            });
        }
        if let Some(steering) = &self.steering {
            let size = 1.0 / math::length(1.0, body.steered.1);
            let ahead = turned((size, body.steered.1 * size));
            let arm = turned((steering.base - self.com.0, -self.com.1));
            tyres.push(Tyre {
                grip: steering.grip,
                rolls: true,
                ..Tyre::new(index, arm, ahead, body.held[2])
            });
        }
        let (vx, vy) = turned((free.twist.ahead, free.twist.left));
        Moving {
            at: Point::new(body.x, body.y),
            velocity: (vx, vy),
            spin: free.twist.spin,
            per_mass: self.per_mass,
            per_inertia: self.per_inertia,
        }
    }

    /// The second half of a step where the solver has worked it out; `tyres`: this robot's.
    pub fn leave(&self, body: &mut Body, moving: &Moving, tyres: &[Tyre]) {
        let (c, s) = body.cos_sin;
        let (vx, vy) = moving.velocity;
        for (held, tyre) in body.held.iter_mut().zip(tyres) {
            *held = tyre.held;
        }
        let wheels = [tyres[0].speed, tyres[1].speed];
        self.move_on(
            body,
            &Twist {
                ahead: c * vx + s * vy,
                left: c * vy - s * vx,
                spin: moving.spin,
                wheels,
            },
        );
    }

    /// The command of each motor. A car's driven wheels turn as one, and the difference of its
    /// commands steers: towards the circle that a robot with those wheel speeds would drive, as far
    /// and as fast as its steering goes.
    fn mixed(&self, body: &mut Body, command: Command) -> [WheelCommand; 2] {
        let Some(steering) = &self.steering else {
            return [command.left, command.right];
        };
        let value = |one: WheelCommand| match one {
            WheelCommand::Duty(duty) => duty,
            WheelCommand::Speed(speed) => speed,
            WheelCommand::Brake | WheelCommand::Coast | WheelCommand::Keep => 0.0,
        };
        let (mean, difference) = (
            f64::midpoint(value(command.left), value(command.right)),
            value(command.right) - value(command.left),
        );
        if mean == 0.0 && difference == 0.0 {
            return [command.left, command.right];
        }
        let slope = steering.base * difference / (mean * steering.track);
        let wanted = if mean == 0.0 {
            steering.limit.copysign(difference)
        } else {
            math::atan2(slope, 1.0)
        };
        let wanted = wanted.clamp(-steering.limit, steering.limit);
        let angle = body.steered.0;
        if wanted != angle {
            let angle = angle + (wanted - angle).clamp(-steering.rate, steering.rate);
            body.steered = (angle, math::sin(angle) / math::cos(angle));
        }
        match (command.left, command.right) {
            // Each wheel as fast as the circle takes that it steers on now, or they would drag the
            // front straight on.
            (WheelCommand::Speed(_), _) | (_, WheelCommand::Speed(_)) => {
                let lean = body.steered.1 / steering.base * steering.track / 2.0;
                [1.0 - lean, 1.0 + lean].map(|share| WheelCommand::Speed(mean * share))
            }
            _ => [WheelCommand::Duty(mean); 2],
        }
    }

    /// What a motor does in this step when no ground holds its wheel.
    fn axle(&self, wheel: usize, body: &mut Body, command: WheelCommand) -> Axle {
        let (motor, speed) = (&self.motors[wheel], body.wheels[wheel]);
        if command != WheelCommand::Keep {
            body.kept[wheel] = None;
        }
        let own = body.idle[wheel].unwrap_or(speed);
        let (torque, way) = match command {
            WheelCommand::Duty(duty) => (motor.stall * body.supply * duty, Way::Fed),
            WheelCommand::Brake => (0.0, Way::Fed),
            WheelCommand::Coast => (0.0, Way::Loose),
            WheelCommand::Speed(rim) => self.regulate(wheel, body, own, rim / self.believed),
            WheelCommand::Keep => {
                let angle = body.angles[wheel] + body.lead[wheel];
                let back = KEPT * (*body.kept[wheel].get_or_insert(angle) - angle);
                self.regulate(wheel, body, own, back)
            }
        };
        if !matches!(command, WheelCommand::Speed(_) | WheelCommand::Keep) {
            body.added[wheel] = 0.0;
        }
        let whole = motor.axle(own, self.dt * torque, way);
        if motor.play == 0.0 {
            return whole;
        }
        self.through_play(wheel, body, whole, own)
    }

    /// The same behind gears with play: while the motor crosses it, the wheel turns alone.
    fn through_play(&self, wheel: usize, body: &mut Body, whole: Axle, own: f64) -> Axle {
        let (motor, speed) = (&self.motors[wheel], body.wheels[wheel]);
        let ahead = body.lead[wheel];
        // Teeth push in one direction only: when the floor turned the wheel away from them, or the
        // motor now pulls off, they part.
        let pushed = body.held[wheel].0 * ahead;
        let parts = ahead.abs() < motor.play
            || pushed < 0.0
            || (pushed == 0.0 && (whole.alone() - speed) * ahead < 0.0);
        if !parts {
            body.idle[wheel] = None;
            return whole;
        }
        let less = motor.bare / motor.inertia;
        let rotor = Axle {
            momentum: whole.momentum - motor.bare * own,
            // 1 / (1 / turning - bare), and so for held.
            turning: whole.turning / (1.0 - motor.bare * whole.turning),
            held: whole.held / (1.0 - motor.bare * whole.held),
            ..whole
        };
        let rotor = rotor.alone();
        let crossed = ahead + (rotor - speed) * self.dt;
        body.lead[wheel] = crossed.clamp(-motor.play, motor.play);
        if crossed.abs() < motor.play {
            body.idle[wheel] = Some(rotor);
            return Axle {
                momentum: motor.bare * speed,
                rub: 0.0,
                hold: 0.0,
                turning: 1.0 / motor.bare,
                held: 1.0 / motor.bare,
                rubs: Rubs::Never,
            };
        }
        body.idle[wheel] = None;
        if ahead.abs() == motor.play && ahead * crossed > 0.0 {
            // They did not part after all.
            return whole;
        }
        // The teeth meet: motor and wheel go on together. What the motor did in this step is done.
        let together = (1.0 - less) * rotor + less * speed;
        Axle {
            momentum: motor.inertia * together,
            turning: 1.0 / motor.inertia,
            rubs: Rubs::Never,
            ..whole
        }
    }

    /// The duties that the motors get, 0 to 1: of one that keeps a speed what its driver gives.
    pub fn duties(&self, body: &Body, command: Command) -> [f64; 2] {
        let Command { left, right } = self.heard(command);
        [(0, left), (1, right)].map(|(wheel, command)| match command {
            WheelCommand::Duty(duty) => duty,
            WheelCommand::Brake | WheelCommand::Coast | WheelCommand::Keep => 0.0,
            WheelCommand::Speed(rim) => {
                let motor = &self.motors[wheel];
                let gain = 1.0 / (REGULATED_WITHIN * motor.no_load);
                let (target, own) = (
                    rim / self.believed,
                    body.idle[wheel].unwrap_or(body.wheels[wheel]),
                );
                let duty = target / motor.no_load + body.added[wheel] + gain * (target - own);
                duty.clamp(-1.0, 1.0)
            }
        })
    }

    /// Torque at standstill and damping of a motor whose driver keeps a wheel speed (rad/s):
    /// proportional and integral, with what the motor would need without load to begin with. Its
    /// proportional part acts within the step.
    fn regulate(&self, wheel: usize, body: &mut Body, own: f64, target: f64) -> (f64, Way) {
        let motor = &self.motors[wheel];
        let stall = motor.stall * body.supply;
        let gain = 1.0 / (REGULATED_WITHIN * motor.no_load);
        let ahead = target / motor.no_load + body.added[wheel] + gain * target;
        let duty = ahead - gain * own;
        if duty.abs() > 1.0 {
            return (stall * duty.clamp(-1.0, 1.0), Way::Fed);
        }
        body.added[wheel] += gain * (target - own) * self.dt / REGULATED_IN;
        // The damping of `Way::Kept` is that of a full battery; the rest is put right here.
        (
            stall * ahead + (motor.stall - stall) * gain * own,
            Way::Kept,
        )
    }

    /// Coulomb friction of the caster: against its motion now, with the factor that its speed gave
    /// a step before, so that no step waits for a square root (measured: a twelfth of a run). The
    /// tests against closed forms and finer steps hold as closely as with the speed of now.
    fn drag_caster(&self, twist: &mut Twist, factor: f64) {
        let (ahead, left) = (
            twist.ahead - twist.spin * self.caster.1,
            twist.left + twist.spin * self.caster.0,
        );
        self.push(twist, (-factor * ahead, -factor * left), self.caster);
    }

    /// The same for a wheel that trails behind a pivot: little friction along it, much across,
    /// where it touches the floor. It leaves the direction that it now rolls in.
    fn drag_swivel(&self, twist: &mut Twist, swivel: Swivel, body: &mut Body) {
        let velocity = (
            twist.ahead - twist.spin * self.caster.1,
            twist.left + twist.spin * self.caster.0,
        );
        let (c, s) = body.swivel;
        let (along, across) = (
            c * velocity.0 + s * velocity.1,
            c * velocity.1 - s * velocity.0,
        );
        let load = (self.caster_load - body.shifted.0).max(0.0);
        let per_speed = load / math::length(along, across).max(STILL_CASTER);
        let factor = |friction: f64| (friction * per_speed).min(self.caster_most);
        let (along, across) = (
            -factor(swivel.friction.0) * along,
            -factor(swivel.friction.1) * across,
        );
        let at = (
            self.caster.0 - swivel.trail * c,
            self.caster.1 - swivel.trail * s,
        );
        self.push(twist, (c * along - s * across, s * along + c * across), at);
        body.swivel = swivel.turned(body.swivel, velocity, twist.spin, self.dt);
    }

    /// An impulse (body frame, N s) at a place relative to the centre of mass.
    fn push(&self, twist: &mut Twist, impulse: (f64, f64), at: (f64, f64)) {
        twist.ahead += impulse.0 * self.per_mass;
        twist.left += impulse.1 * self.per_mass;
        twist.spin += (at.0 * impulse.1 - at.1 * impulse.0) * self.per_inertia;
    }

    /// Solves both wheels exactly for rolling without slip; false when the tyres cannot hold that.
    fn roll_straight(&self, body: &mut Body, twist: &mut Twist, compliances: [f64; 2]) -> bool {
        let (im, ii) = (self.per_mass, self.per_inertia);
        let [a, b] = self.offsets;
        let cx = self.com.0;
        let [r0, r1] = self.radii;
        let sl = twist.ahead - twist.spin * a - r0 * twist.wheels[0];
        let sr = twist.ahead - twist.spin * b - r1 * twist.wheels[1];
        let ss = twist.left - cx * twist.spin;
        // The symmetric matrix of what impulses ahead at the left wheel, ahead at the right wheel
        // and to the left at the axle do to the three slips, and its adjugate; only two of its
        // entries change.
        let Matrix {
            k11,
            k12,
            k13,
            k22,
            k23,
            k33,
            c12,
        } = self.matrix;
        let k11 = k11 + r0 * r0 * compliances[0];
        let k22 = k22 + r1 * r1 * compliances[1];
        let c11 = k22 * k33 - k23 * k23;
        let c13 = k12 * k23 - k13 * k22;
        let scale = -1.0 / (k11 * c11 + k12 * c12 + k13 * c13);
        let (c22, c23, c33) = (
            k11 * k33 - k13 * k13,
            k12 * k13 - k11 * k23,
            k11 * k22 - k12 * k12,
        );
        let left = (c11 * sl + c12 * sr + c13 * ss) * scale;
        let right = (c12 * sl + c22 * sr + c23 * ss) * scale;
        let side = (c13 * sl + c23 * sr + c33 * ss) * scale;
        let grips = self.grips(body);
        for (wheel, along) in [left, right].into_iter().enumerate() {
            let (across, grip) = (side * self.share[wheel], grips[wheel].0);
            if along * along + across * across > grip * grip {
                return false;
            }
        }
        twist.ahead += (left + right) * im;
        twist.left += side * im;
        twist.spin -= (left * a + right * b + side * cx) * ii;
        twist.wheels[0] -= left * r0 * compliances[0];
        twist.wheels[1] -= right * r1 * compliances[1];
        body.held = [
            (left, side * self.share[0]),
            (right, side * self.share[1]),
            (0.0, 0.0),
        ];
        true
    }

    /// The same with steered wheels in front: rolling leaves one motion only, whose speed follows
    /// from the momentum along it (the constraints do no work). Then what the tyres had to hold for
    /// that.
    fn roll_steered(
        &self,
        body: &mut Body,
        steering: &Steered,
        twist: &mut Twist,
        compliances: [f64; 2],
    ) -> bool {
        let (m, inertia) = (1.0 / self.per_mass, 1.0 / self.per_inertia);
        let (cx, cy) = self.com;
        let bend = body.steered.1 / steering.base;
        // Velocities for each m/s of the middle of the driven axle.
        let (ahead, left) = (1.0 - bend * cy, bend * cx);
        let wheels =
            [0, 1].map(|wheel| (1.0 - bend * (self.offsets[wheel] + cy)) / self.radii[wheel]);
        let mut momentum =
            m * (ahead * twist.ahead + left * twist.left) + inertia * bend * twist.spin;
        let mut mass = m * (ahead * ahead + left * left) + inertia * bend * bend;
        for wheel in 0..2 {
            momentum += wheels[wheel] * twist.wheels[wheel] / compliances[wheel];
            mass += wheels[wheel] * wheels[wheel] / compliances[wheel];
        }
        let speed = momentum / mass;
        let new = Twist {
            ahead: ahead * speed,
            left: left * speed,
            spin: bend * speed,
            wheels: wheels.map(|w| w * speed),
        };
        let along =
            [0, 1].map(|w| (twist.wheels[w] - new.wheels[w]) / (self.radii[w] * compliances[w]));
        let size = 1.0 / math::length(1.0, body.steered.1);
        let (cos, sin) = (size, body.steered.1 * size);
        let sideways = m * (new.left - twist.left);
        let turning = inertia * (new.spin - twist.spin)
            + along[0] * self.offsets[0]
            + along[1] * self.offsets[1];
        let front = (turning + cx * sideways) / (steering.base * cos - cy * sin);
        let side = sideways - front * cos;
        let held = [
            (along[0], side * self.share[0]),
            (along[1], side * self.share[1]),
            (0.0, front),
        ];
        let [left, right] = self.grips(body).map(|(grip, _)| grip);
        let grips = [left, right, steering.grip];
        if held
            .iter()
            .zip(grips)
            .any(|((along, across), grip)| along * along + across * across > grip * grip)
        {
            return false;
        }
        *twist = new;
        body.held = held;
        true
    }

    fn move_on(&self, body: &mut Body, twist: &Twist) {
        let (c, s) = body.cos_sin;
        if let Some((over, side)) = self.shifts {
            let (vx, vy) = body.velocity;
            let gained = (
                twist.ahead - (c * vx + s * vy),
                twist.left - (c * vy - s * vx),
            );
            // No more than what rests on the one or the other.
            let [left, right] = self.load;
            body.shifted = (
                (over * gained.0).clamp(-(left + right), self.caster_load),
                (-side * gained.1).clamp(-left.min(right), left.min(right)),
            );
            // An axle that nothing rests on any more would lift off, which nothing here does.
        }
        body.velocity = (
            c * twist.ahead - s * twist.left,
            s * twist.ahead + c * twist.left,
        );
        body.spin = twist.spin;
        let (ahead, left) = (
            twist.ahead - twist.spin * self.caster.1,
            twist.left + twist.spin * self.caster.0,
        );
        body.drag = self.drag(body.shifted.0, ahead, left);
        body.wheels = twist.wheels;
        body.x += body.velocity.0 * self.dt;
        body.y += body.velocity.1 * self.dt;
        for (angle, speed) in body.angles.iter_mut().zip(twist.wheels) {
            *angle += speed * self.dt;
        }
        let turn = twist.spin * self.dt;
        body.cos_sin = rotated(body.cos_sin, turn);
        body.heading += turn;
    }
}

/// A direction turned by a small angle, from the tangent of its half, whose series is cut behind
/// the third power.
pub fn rotated((c, s): (f64, f64), turn: f64) -> (f64, f64) {
    let t = turn * 0.5 * (1.0 + turn * turn * (1.0 / 12.0));
    // 1 / (1 + t^2) as a series, one division less to wait for; at 40 rad/s it is off by 3e-14.
    let square = t * t;
    let scale = 1.0 - square * (1.0 - square * (1.0 - square));
    let (dc, ds) = ((1.0 - square) * scale, 2.0 * t * scale);
    (c * dc - s * ds, s * dc + c * ds)
}
