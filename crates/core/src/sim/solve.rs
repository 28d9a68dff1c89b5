//! Impulses of one step between bodies, tyres and floor: projected Gauss-Seidel at velocity level.
//!
//! Contacts push but never pull and rub within Coulomb's cone; tyres hold within a friction circle;
//! what lies on the floor rubs within an ellipsoid of force and torque. What was needed in the step
//! before is where the next one begins, so that lasting pushes settle in a sweep or two.
//!
//! Sources: Catto, "Iterative Dynamics with Temporal Coherence" (2005); the ellipsoid: Howe and
//! Cutkosky, "Practical Force-Motion Models for Sliding Manipulation" (1996).

use super::form::Spot;
use crate::field::Point;
use crate::units::math;

/// Sweeps are made until no impulse changes by more than this many N s...
const SETTLED: f64 = 1e-7;
/// ...but at most this many.
const MOST_SWEEPS: usize = 60;
/// Friction between things that touch.
pub const BODY_FRICTION: f64 = 0.3;
/// Things that meet more slowly than this (m/s) do not bounce.
const BOUNCING: f64 = 0.03;
/// Friction left over from an impact would stay for ever: for this many steps what is taken over
/// fades.
const SETTLING: u32 = 200;
/// What remains of it in a step.
const FADING: f64 = 0.98;

/// A body while the impulses of a step are worked out.
#[derive(Clone, Copy, Debug, Default)]
pub struct Moving {
    /// Centre of mass, metres.
    pub at: Point,
    /// m/s in the field frame.
    pub velocity: (f64, f64),
    /// rad/s.
    pub spin: f64,
    /// 0 for what nothing moves.
    pub per_mass: f64,
    /// 0 for what nothing turns.
    pub per_inertia: f64,
}

impl Moving {
    /// Velocity of a place `arm` away from the centre, along a direction.
    fn speed(&self, arm: (f64, f64), d: (f64, f64)) -> f64 {
        (self.velocity.0 - self.spin * arm.1) * d.0 + (self.velocity.1 + self.spin * arm.0) * d.1
    }

    /// An impulse at a place `arm` away from the centre.
    fn push(&mut self, arm: (f64, f64), d: (f64, f64), impulse: f64) {
        self.velocity.0 += d.0 * impulse * self.per_mass;
        self.velocity.1 += d.1 * impulse * self.per_mass;
        self.spin += (arm.0 * d.1 - arm.1 * d.0) * impulse * self.per_inertia;
    }

    /// Speed gained by a unit impulse, along it.
    fn response(&self, arm: (f64, f64), d: (f64, f64)) -> f64 {
        let turn = arm.0 * d.1 - arm.1 * d.0;
        self.per_mass + turn * turn * self.per_inertia
    }

    fn arm(&self, at: Point) -> (f64, f64) {
        (at.x - self.at.x, at.y - self.at.y)
    }
}

/// Two bodies in contact.
#[derive(Clone, Copy, Debug)]
pub struct Touch {
    /// The first body: the normal leads towards it.
    pub a: usize,
    /// The second.
    pub b: usize,
    /// Which of the places of this pair it is.
    pub ordinal: usize,
    /// Where.
    pub spot: Spot,
    /// Share of the speed of meeting that is given back.
    pub bounce: f64,
    /// Impulse along the normal and across it, N s.
    pub pressed: (f64, f64),
    /// For how many steps the contact has lasted.
    pub age: u32,
    row: Row,
}

/// What of a contact does not change during the sweeps.
#[derive(Clone, Copy, Debug, Default)]
struct Row {
    arms: [(f64, f64); 2],
    tangent: (f64, f64),
    /// Impulse for each m/s along the normal and across it.
    masses: (f64, f64),
    /// Speed at which they are to part, m/s.
    wanted: f64,
}

impl Touch {
    /// A contact that has just come about.
    pub fn new(a: usize, b: usize, ordinal: usize, spot: Spot, bounce: f64) -> Self {
        Self {
            a,
            b,
            ordinal,
            spot,
            bounce,
            pressed: (0.0, 0.0),
            age: 0,
            row: Row::default(),
        }
    }
}

/// A driven wheel on the floor.
#[derive(Clone, Copy, Debug)]
pub struct Tyre {
    /// Whose it is.
    pub body: usize,
    /// From the centre of mass to where it touches, in the field frame.
    pub arm: (f64, f64),
    /// The direction it rolls in.
    pub ahead: (f64, f64),
    /// 0 for a wheel without floor: then the body lies on the edge.
    pub radius: f64,
    /// rad/s gained by a torque impulse of 1 N m s, motor included.
    pub compliance: f64,
    /// rad/s.
    pub speed: f64,
    /// What the gears' friction does to it in this step and at most does, N m s.
    pub rubbed: f64,
    /// See there.
    pub most_rubbed: f64,
    /// Largest impulse in a step, N s.
    pub grip: f64,
    /// Share of the sideways motion that this wheel stops: all wheels of an axle stop the same one.
    pub share: f64,
    /// Impulses ahead and to the left, N s.
    pub held: (f64, f64),
    /// It has no motor and rolls freely.
    pub rolls: bool,
    /// The limit of its grip was reached.
    pub slips: bool,
    /// Worked out by the solver: impulse for each m/s along and across.
    pub masses: (f64, f64),
}

impl Tyre {
    /// A tyre before a step; `held`: what it held in the step before.
    pub fn new(body: usize, arm: (f64, f64), ahead: (f64, f64), held: (f64, f64)) -> Self {
        Self {
            body,
            arm,
            ahead,
            radius: 0.0,
            compliance: 0.0,
            speed: 0.0,
            rubbed: 0.0,
            most_rubbed: 0.0,
            grip: 0.0,
            share: 1.0,
            held,
            rolls: false,
            slips: false,
            masses: (0.0, 0.0),
        }
    }
}

/// A thing that lies flat on the floor.
#[derive(Clone, Copy, Debug)]
pub struct Rub {
    /// Which body.
    pub body: usize,
    /// Largest impulse in a step, N s.
    pub most: f64,
    /// Torque over force at the limit: the mean distance of its floor area from the centre, metres.
    pub lever: f64,
    /// Impulses along x, along y, and around over the lever, N s.
    pub held: [f64; 3],
}

/// The bodies and what acts between them in one step. Kept from step to step so that nothing is
/// allocated.
#[derive(Clone, Debug, Default)]
pub struct Solver {
    /// All bodies; only those that something acts on change.
    pub bodies: Vec<Moving>,
    /// Contacts.
    pub touches: Vec<Touch>,
    /// Tyres.
    pub tyres: Vec<Tyre>,
    /// What lies on the floor.
    pub rubs: Vec<Rub>,
    before: Vec<Touch>,
}

impl Solver {
    /// Room for this many bodies.
    pub fn new(bodies: usize) -> Self {
        Self {
            bodies: vec![Moving::default(); bodies],
            ..Self::default()
        }
    }

    /// Forgets what acted, but keeps the contacts for the next step to begin with.
    pub fn clear(&mut self) {
        std::mem::swap(&mut self.before, &mut self.touches);
        self.touches.clear();
        self.tyres.clear();
        self.rubs.clear();
    }

    /// Works out all impulses of a step of `dt` seconds and applies them to the velocities.
    pub fn solve(&mut self, dt: f64) {
        self.prepare(dt);
        for _ in 0..MOST_SWEEPS {
            if self.sweep() < SETTLED {
                break;
            }
        }
    }

    fn prepare(&mut self, dt: f64) {
        for touch in &mut self.touches {
            let (a, b) = (&self.bodies[touch.a], &self.bodies[touch.b]);
            let normal = touch.spot.normal;
            let tangent = (-normal.1, normal.0);
            let arms = [a.arm(touch.spot.at), b.arm(touch.spot.at)];
            let mass = |d| 1.0 / (a.response(arms[0], d) + b.response(arms[1], d)).max(1e-12);
            let parting = a.speed(arms[0], normal) - b.speed(arms[1], normal);
            let gap = touch.spot.gap;
            // Up to each other but not into each other; what overlaps is parted within some twenty
            // steps.
            let mut wanted = if gap > 0.0 {
                -gap / dt
            } else {
                (-gap * 0.05 / dt).min(0.05)
            };
            if parting < -BOUNCING && parting * dt + gap < 0.0 {
                wanted = wanted.max(-touch.bounce * parting);
            }
            touch.row = Row {
                arms,
                tangent,
                masses: (mass(normal), mass(tangent)),
                wanted,
            };
            let same =
                |old: &&Touch| (old.a, old.b, old.ordinal) == (touch.a, touch.b, touch.ordinal);
            if let Some(old) = self.before.iter().find(same) {
                touch.age = old.age.saturating_add(1);
                let kept = if touch.age < SETTLING { FADING } else { 1.0 };
                touch.pressed = (old.pressed.0 * kept, old.pressed.1 * kept);
            }
        }
        for touch in &self.touches {
            let Touch {
                a,
                b,
                row,
                pressed,
                spot,
                ..
            } = *touch;
            for (body, arm, sign) in [(a, row.arms[0], 1.0), (b, row.arms[1], -1.0)] {
                self.bodies[body].push(arm, spot.normal, sign * pressed.0);
                self.bodies[body].push(arm, row.tangent, sign * pressed.1);
            }
        }
        for tyre in &mut self.tyres {
            let body = &mut self.bodies[tyre.body];
            let left = (-tyre.ahead.1, tyre.ahead.0);
            let along =
                body.response(tyre.arm, tyre.ahead) + tyre.radius * tyre.radius * tyre.compliance;
            let along = if tyre.rolls { 0.0 } else { 1.0 / along };
            tyre.masses = (along, tyre.share / body.response(tyre.arm, left));
            body.push(tyre.arm, tyre.ahead, tyre.held.0);
            body.push(tyre.arm, left, tyre.held.1);
            tyre.speed -= tyre.held.0 * tyre.radius * tyre.compliance;
        }
        for rub in &self.rubs {
            let body = &mut self.bodies[rub.body];
            body.velocity.0 += rub.held[0] * body.per_mass;
            body.velocity.1 += rub.held[1] * body.per_mass;
            body.spin += rub.held[2] * rub.lever * body.per_inertia;
        }
    }

    /// Goes through everything once; returns the largest change of an impulse, N s.
    fn sweep(&mut self) -> f64 {
        let mut change = 0.0f64;
        for tyre in &mut self.tyres {
            let body = &mut self.bodies[tyre.body];
            let left = (-tyre.ahead.1, tyre.ahead.0);
            let along = body.speed(tyre.arm, tyre.ahead) - tyre.radius * tyre.speed;
            let across = body.speed(tyre.arm, left);
            let mut new = (
                tyre.held.0 - along * tyre.masses.0,
                tyre.held.1 - across * tyre.masses.1,
            );
            let size = math::length(new.0, new.1);
            tyre.slips = size > tyre.grip;
            if tyre.slips {
                let factor = if size > 0.0 { tyre.grip / size } else { 0.0 };
                new = (new.0 * factor, new.1 * factor);
            }
            let delta = (new.0 - tyre.held.0, new.1 - tyre.held.1);
            tyre.held = new;
            body.push(tyre.arm, tyre.ahead, delta.0);
            body.push(tyre.arm, left, delta.1);
            tyre.speed -= delta.0 * tyre.radius * tyre.compliance;
            change = change.max(delta.0.abs()).max(delta.1.abs());
            if tyre.most_rubbed > 0.0 {
                let all = tyre.rubbed - tyre.speed / tyre.compliance;
                let new = all.clamp(-tyre.most_rubbed, tyre.most_rubbed);
                tyre.speed += (new - tyre.rubbed) * tyre.compliance;
                tyre.rubbed = new;
            }
        }
        for rub in &mut self.rubs {
            let body = &mut self.bodies[rub.body];
            let turning = rub.lever * rub.lever * body.per_inertia;
            let mut new = [
                rub.held[0] - body.velocity.0 / body.per_mass,
                rub.held[1] - body.velocity.1 / body.per_mass,
                rub.held[2] - body.spin * rub.lever / turning.max(1e-12),
            ];
            let size = (new[0] * new[0] + new[1] * new[1] + new[2] * new[2]).sqrt();
            if size > rub.most {
                new = new.map(|part| part * rub.most / size);
            }
            let delta = [0, 1, 2].map(|part| new[part] - rub.held[part]);
            rub.held = new;
            body.velocity.0 += delta[0] * body.per_mass;
            body.velocity.1 += delta[1] * body.per_mass;
            body.spin += delta[2] * rub.lever * body.per_inertia;
            change = delta.iter().fold(change, |most, part| most.max(part.abs()));
        }
        for touch in &mut self.touches {
            let Touch {
                a,
                b,
                row,
                pressed,
                spot,
                ..
            } = *touch;
            let speed = |bodies: &[Moving], d| {
                bodies[a].speed(row.arms[0], d) - bodies[b].speed(row.arms[1], d)
            };
            let parting = speed(&self.bodies, spot.normal);
            let new = (pressed.0 + (row.wanted - parting) * row.masses.0).max(0.0);
            let delta = new - pressed.0;
            self.bodies[a].push(row.arms[0], spot.normal, delta);
            self.bodies[b].push(row.arms[1], spot.normal, -delta);
            let most = BODY_FRICTION * new;
            let sliding = speed(&self.bodies, row.tangent);
            let new_side = (pressed.1 - sliding * row.masses.1).clamp(-most, most);
            let delta_side = new_side - pressed.1;
            self.bodies[a].push(row.arms[0], row.tangent, delta_side);
            self.bodies[b].push(row.arms[1], row.tangent, -delta_side);
            touch.pressed = (new, new_side);
            change = change.max(delta.abs()).max(delta_side.abs());
        }
        change
    }
}
