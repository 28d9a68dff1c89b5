//! Everything that moves on a field, advanced together: robots, things to push, things that come
//! and go.
//!
//! Who may touch whom is found out by circles and kept until somebody may have come a little way.
//! As long as nobody is near anything, robots go on in leaps; otherwise in steps, in which those
//! without a contact still roll by themselves.
//!
//! Long because who is near, who touches and who rolls alone is decided in one loop.

use std::sync::Arc;

use super::STEP;
use super::drive::{Body, Plant};
use super::footing::{Footing, Stance};
use super::form::{AHEAD, Form, gap, touch};
use super::solve::{Moving, Rub, Solver, Touch};
use super::stage::{Look, Stage};
use super::things::{Loose, Mover};
use crate::controller::Command;
use crate::field::{Field, Outline, Point, Pose};
use crate::units::math;

/// Who is near whom is looked up again when somebody may have moved this far, metres.
const FREE: f64 = 0.05;
/// One whose way is blocked tries again after this many steps.
const PATIENCE: u64 = 20;
/// A walking obstacle stops this many metres before whatever is in its way.
const MANNERS: f64 = 0.002;
/// Whose speed (m/s) changes by less than this in a step is steady.
const STEADY: f64 = 1e-7;
/// This many steady steps after each other are needed before several are taken at once.
const SETTLED_FOR: u32 = 4;
/// A leap takes at most this many steps.
const LONGEST: u64 = 10;

/// A robot on the field.
#[derive(Clone, Debug)]
pub struct Rider {
    /// Its constants.
    pub plant: Plant,
    /// Where it is and how it moves.
    pub body: Body,
    /// The commands of its motors.
    pub command: Command,
    /// What it stands on.
    pub footing: Footing,
    /// 0 on the mat, otherwise one more than the index of its platform.
    pub level: usize,
    /// It fell, and plays no more.
    pub out: bool,
    /// Since these were last cleared: a tyre slipped, something was touched, a wheel had no floor.
    pub marks: Marks,
    /// Where it was touched in the last step: ahead and left of the middle of its axle, and how
    /// hard in N.
    pub pressed: Vec<(f64, f64, f64)>,
}

/// What happened to a robot since the marks were last cleared.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[expect(clippy::struct_excessive_bools, reason = "each is a mark of its own")]
pub struct Marks {
    /// A tyre was at the limit of its grip.
    pub slipped: bool,
    /// A wall, or the side of a platform, was touched.
    pub touched: bool,
    /// Something else was touched: a thing, an obstacle, another robot.
    pub met: bool,
    /// A wheel had no floor under it.
    pub hangs: bool,
    /// Which of the first 64 bodies besides our robot were touched, a bit each.
    pub bodies: u64,
}

impl Rider {
    /// A robot at rest with the middle of its axle at a pose.
    pub fn new(plant: Plant, field: &Field, pose: Pose) -> Self {
        let platform = field.platform_at(Point::new(pose.x, pose.y));
        let body = plant.at_rest(pose);
        Self {
            plant,
            body,
            command: Command::BRAKE,
            footing: Footing::new(field, platform),
            level: platform.map_or(0, |index| index + 1),
            out: false,
            marks: Marks::default(),
            pressed: Vec::with_capacity(8),
        }
    }

    fn centre(&self) -> Point {
        Point::new(self.body.x, self.body.y)
    }

    /// How far it may get in this many seconds, metres.
    fn range(&self, seconds: f64) -> f64 {
        let (vx, vy) = self.body.velocity;
        (math::length(vx, vy) + self.body.spin.abs() * self.plant.reach() + 30.0 * seconds)
            * seconds
    }
}

/// Who or what is near a body.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Near {
    /// Another body, by its index among all.
    Body(usize),
    /// A piece of the stage of its level.
    Still(usize),
}

/// Something that fell in a step.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Fallen {
    /// A robot.
    Rider(usize),
    /// An object.
    Loose(usize),
}

/// All that moves, in one run.
#[derive(Clone, Debug)]
pub struct Scene {
    field: Arc<Field>,
    /// By level.
    stages: Arc<[Stage]>,
    /// Robots; the first is ours.
    pub riders: Vec<Rider>,
    /// Things to push, in the order of the field.
    pub loose: Vec<Loose>,
    /// Things that come and go, in the order of the field.
    pub movers: Vec<Mover>,
    /// What fell since this was last emptied.
    pub fallen: Vec<Fallen>,
    /// Steps made.
    now: u64,
    solver: Solver,
    pairs: Vec<(usize, Near)>,
    /// Where each body was when it was found out who is near whom; empty when that must be done
    /// again.
    looked: Vec<Point>,
    /// Step of the next coming or leaving.
    next_change: u64,
    /// For how many steps everything in contact has kept its speed, without turning, under the same
    /// commands.
    steady: u32,
    /// How far everybody may still come, together, before anybody can touch anybody, metres.
    room: f64,
    /// Robots before a leap that may have to be taken back.
    before: Vec<Body>,
    /// The robots' commands in the last step.
    commanded: Vec<Command>,
    /// By body: it is in the solver in this step.
    involved: Vec<bool>,
    frees: Vec<super::drive::Free>,
}

impl Scene {
    /// The field at the start of a run with these robots on it.
    pub fn new(field: &Arc<Field>, stages: &Arc<[Stage]>, riders: Vec<Rider>) -> Self {
        let loose: Vec<Loose> = field
            .objects
            .iter()
            .map(|object| Loose::new(field, object))
            .collect();
        let movers: Vec<Mover> = field
            .obstacles
            .iter()
            .map(|obstacle| Mover::new(field, obstacle))
            .collect();
        let bodies = riders.len() + loose.len() + movers.len() + 1;
        Self {
            field: Arc::clone(field),
            stages: Arc::clone(stages),
            riders,
            loose,
            movers,
            fallen: Vec::new(),
            now: 0,
            solver: Solver::new(bodies),
            pairs: Vec::with_capacity(64),
            looked: Vec::with_capacity(bodies),
            next_change: 0,
            steady: 0,
            room: 0.0,
            before: Vec::with_capacity(4),
            commanded: Vec::with_capacity(4),
            involved: vec![false; bodies],
            frees: Vec::with_capacity(4),
        }
    }

    /// Lets come what is due to be there now.
    pub fn settle(&mut self) {
        if self.now >= self.next_change {
            self.come_and_go();
        }
    }

    /// Goes on by this many steps.
    pub fn advance(&mut self, steps: u64) {
        let until = self.now + steps;
        while self.now < until {
            self.settle();
            let made = self.leap(
                (until - self.now)
                    .min(LONGEST)
                    .min(self.next_change - self.now),
            );
            if made == 0 {
                self.step();
            }
            self.now += made.max(1);
        }
    }

    /// Shows everything that stands on a level, but one robot, to its ranging sensor.
    pub fn show(&self, look: &mut Look, who: usize) {
        let level = self.riders[who].level;
        self.stages[level].show(look);
        for (index, rider) in self.riders.iter().enumerate() {
            if index != who && !rider.out && rider.level == level {
                look.at(
                    &rider.plant.outline(&rider.body),
                    rider.centre(),
                    rider.plant.reach(),
                );
            }
        }
        for loose in self
            .loose
            .iter()
            .filter(|loose| !loose.gone && loose.level == level)
        {
            look.at(&loose.outline(), loose.at, loose.reach);
        }
        for mover in self
            .movers
            .iter()
            .filter(|mover| mover.present && mover.level == level)
        {
            look.at(&mover.outline(), mover.at, mover.reach);
        }
    }

    /// Puts a robot somewhere by hand, at rest.
    pub fn move_rider(&mut self, index: usize, pose: Pose) {
        let rider = &mut self.riders[index];
        let body = rider.plant.at_rest(pose);
        // What its wheels have turned stays turned.
        rider.body = Body {
            angles: rider.body.angles,
            lead: rider.body.lead,
            steered: rider.body.steered,
            supply: rider.body.supply,
            ..body
        };
        // A heading counts on from where it was: a gyro that is carried along feels every turn.
        let turn = crate::units::math::wrap(pose.heading - rider.body.heading);
        rider.body.heading += turn;
        let platform = self.field.platform_at(Point::new(pose.x, pose.y));
        rider.footing = Footing::new(&self.field, platform);
        rider.level = platform.map_or(0, |index| index + 1);
        self.looked.clear();
    }

    /// Puts an object or an obstacle somewhere by hand; false when there is none of that name.
    pub fn place(&mut self, name: &str, pose: Pose) -> bool {
        self.looked.clear();
        if let Some(index) = self
            .field
            .objects
            .iter()
            .position(|object| object.name == name)
        {
            self.loose[index].place(&self.field, pose);
            return true;
        }
        let Some(mover) = self
            .movers
            .iter_mut()
            .find(|mover| mover.about.name == name)
        else {
            return false;
        };
        mover.at = Point::new(pose.x, pose.y);
        mover.level = self
            .field
            .platform_at(mover.at)
            .map_or(0, |index| index + 1);
        (mover.present, mover.by_hand, mover.velocity) = (true, true, (0.0, 0.0));
        true
    }

    /// Takes an object or an obstacle away by hand; false when there is none of that name.
    pub fn remove(&mut self, name: &str) -> bool {
        self.looked.clear();
        if let Some(index) = self
            .field
            .objects
            .iter()
            .position(|object| object.name == name)
        {
            self.loose[index].gone = true;
            return true;
        }
        let Some(mover) = self
            .movers
            .iter_mut()
            .find(|mover| mover.about.name == name)
        else {
            return false;
        };
        (mover.present, mover.by_hand) = (false, true);
        true
    }

    /// Lets obstacles come and leave. One whose place is taken waits until it is free.
    fn come_and_go(&mut self) {
        self.next_change = u64::MAX;
        for index in 0..self.movers.len() {
            if self.movers[index].by_hand {
                continue;
            }
            let (wanted, change) = self.movers[index].timetable(self.now);
            let mut change = change;
            if wanted && !self.movers[index].present {
                if self.is_free(index) {
                    self.movers[index].present = true;
                    self.looked.clear();
                } else {
                    change = self.now + 10;
                }
            } else if !wanted && self.movers[index].present {
                let mover = &mut self.movers[index];
                (mover.present, mover.walked, mover.velocity) = (false, 0.0, (0.0, 0.0));
                mover.at = mover.along(0.0);
                self.looked.clear();
            }
            self.next_change = self.next_change.min(change);
        }
    }

    /// Whether nothing stands where an obstacle is.
    fn is_free(&self, index: usize) -> bool {
        let mover = &self.movers[index];
        let outline = mover.outline();
        let mut free = true;
        let mut meets = |form: &Form| touch(form, &outline, |spot| free &= spot.gap > MANNERS);
        let near =
            |centre: Point, reach: f64| mover.at.distance(centre) < reach + mover.reach + MANNERS;
        for rider in self
            .riders
            .iter()
            .filter(|rider| !rider.out && rider.level == mover.level)
        {
            if near(rider.centre(), rider.plant.reach()) {
                meets(&rider.plant.outline(&rider.body));
            }
        }
        for loose in self
            .loose
            .iter()
            .filter(|loose| !loose.gone && loose.level == mover.level)
        {
            if near(loose.at, loose.reach) {
                meets(&loose.outline());
            }
        }
        free
    }

    /// Lets obstacles walk for this many steps. They stop before whatever is in their way.
    fn walk(&mut self, steps: u64) {
        for index in 0..self.movers.len() {
            if !self.movers[index].walks() || self.now < self.movers[index].waits {
                continue;
            }
            let mover = &mut self.movers[index];
            let (was_at, was_walked) = (mover.at, mover.walked);
            mover.walked += mover.about.speed * steps as f64 * STEP;
            mover.at = mover.along(mover.walked);
            if !self.is_free(index) {
                let mover = &mut self.movers[index];
                (mover.at, mover.walked, mover.waits) = (was_at, was_walked, self.now + PATIENCE);
            }
        }
    }

    fn first_mover(&self) -> usize {
        self.riders.len() + self.loose.len()
    }

    /// Where a body is, how far it reaches, on which level, and whether it plays.
    fn circle(&self, index: usize) -> (Point, f64, usize, bool) {
        let (riders, loose) = (self.riders.len(), self.first_mover());
        if let Some(rider) = self.riders.get(index) {
            (rider.centre(), rider.plant.reach(), rider.level, !rider.out)
        } else if index < loose {
            let loose = &self.loose[index - riders];
            (loose.at, loose.reach, loose.level, !loose.gone)
        } else {
            let mover = &self.movers[index - loose];
            (mover.at, mover.reach, mover.level, mover.present)
        }
    }

    fn outline(&self, index: usize) -> Form {
        let (riders, loose) = (self.riders.len(), self.first_mover());
        if let Some(rider) = self.riders.get(index) {
            rider.plant.outline(&rider.body)
        } else if index < loose {
            self.loose[index - riders].outline()
        } else {
            self.movers[index - loose].outline()
        }
    }

    /// How far the body that has come furthest since the last look has come, metres; infinite
    /// before the first.
    fn strayed(&self) -> f64 {
        let count = self.first_mover() + self.movers.len();
        if self.looked.len() != count {
            return f64::INFINITY;
        }
        let furthest = (0..count)
            .map(|index| {
                let (now, then) = (self.circle(index).0, self.looked[index]);
                let (dx, dy) = (now.x - then.x, now.y - then.y);
                dx * dx + dy * dy
            })
            .fold(0.0, f64::max);
        furthest.sqrt()
    }

    /// Finds out who is near whom.
    fn look(&mut self) {
        self.room = 0.0;
        self.pairs.clear();
        self.looked.clear();
        let (first_mover, count) = (self.first_mover(), self.first_mover() + self.movers.len());
        for index in 0..count {
            self.looked.push(self.circle(index).0);
        }
        for a in 0..first_mover {
            let (at, reach, level, plays) = self.circle(a);
            if !plays {
                continue;
            }
            for b in a + 1..count {
                let (other, its, its_level, its_plays) = self.circle(b);
                if its_plays
                    && its_level == level
                    && at.distance(other) < reach + its + AHEAD + 2.0 * FREE
                {
                    self.pairs.push((a, Near::Body(b)));
                }
            }
            for (piece, form) in self.stages[level].forms.iter().enumerate() {
                if form.apart(at) < reach + AHEAD + FREE {
                    self.pairs.push((a, Near::Still(piece)));
                }
            }
        }
    }

    /// Goes on by several steps at once, if everybody is by himself or steadily in touch; returns
    /// how many.
    fn leap(&mut self, most: u64) -> u64 {
        let commands = self.riders.iter().map(|rider| rider.command);
        if self.steady > 0 && !commands.eq(self.commanded.iter().copied()) {
            self.steady = 0;
        }
        if most < 2 {
            return 0;
        }
        if self.steady >= SETTLED_FOR {
            return self.glide(most);
        }
        if self.loose.iter().any(|loose| !loose.gone && !loose.rests()) {
            return 0;
        }
        let seconds = most as f64 * STEP;
        let quickest = self
            .movers
            .iter()
            .filter(|mover| mover.walks())
            .map(|mover| mover.about.speed);
        let walked = quickest.fold(0.0, f64::max) * seconds;
        let driven = self
            .riders
            .iter()
            .filter(|rider| !rider.out)
            .map(|rider| rider.range(seconds));
        let way = driven.fold(walked, f64::max);
        if way > FREE {
            return 0;
        }
        if self.strayed() + way > FREE {
            self.look();
        }
        let rider_near = |pair: &(usize, Near)| {
            pair.0 < self.riders.len()
                || matches!(pair.1, Near::Body(other) if other < self.riders.len())
        };
        if self.room < 2.0 * way {
            // Whoever is not among the pairs is further away than this.
            let mut room = FREE;
            for &(a, near) in self.pairs.iter().filter(|pair| rider_near(pair)) {
                let (at, reach, level, plays) = self.circle(a);
                let gap = match near {
                    Near::Body(b) => {
                        let (other, its, _, its_plays) = self.circle(b);
                        let apart = at.distance(other) - reach - its;
                        match plays && its_plays {
                            false => f64::INFINITY,
                            true if apart > 0.01 => apart,
                            true => gap(&self.outline(a), &self.outline(b)),
                        }
                    }
                    Near::Still(piece) => {
                        let form = &self.stages[level].forms[piece];
                        let apart = form.apart(at) - reach;
                        if apart > 0.01 {
                            apart
                        } else {
                            gap(&self.outline(a), form)
                        }
                    }
                };
                room = room.min(gap);
            }
            self.room = room;
            if room < 2.0 * way {
                return 0;
            }
        }
        for rider in self.riders.iter_mut().filter(|rider| !rider.out) {
            let (centre, wheels) = (rider.centre(), rider.plant.wheels(&rider.body));
            if !rider.footing.is_sure(centre, wheels, rider.range(seconds)) {
                return 0;
            }
        }
        // With several robots it must succeed for all or for none.
        self.before.clear();
        for index in 0..self.riders.len() {
            let is_last = index + 1 == self.riders.len();
            let rider = &mut self.riders[index];
            if !is_last {
                self.before.push(rider.body);
            }
            if !rider.out && !rider.plant.leap(&mut rider.body, rider.command, seconds) {
                for (rider, body) in self.riders.iter_mut().zip(&self.before).take(index) {
                    rider.body = *body;
                }
                return 0;
            }
            self.riders[index].pressed.clear();
        }
        self.room -= 2.0 * way;
        self.walk(most);
        most
    }

    /// Goes on by several steps at once where pushing has become steady: who is in touch goes
    /// straight on as he did.
    fn glide(&mut self, most: u64) -> u64 {
        let seconds = most as f64 * STEP;
        let riders = self.riders.len();
        let mut way = 0.0f64;
        for index in 0..self.first_mover() {
            let (plays, velocity) = match self.riders.get(index) {
                Some(rider) => (!rider.out, rider.body.velocity),
                None => (
                    !self.loose[index - riders].gone,
                    self.loose[index - riders].velocity,
                ),
            };
            // Who is not in touch would have to be looked after as well.
            if plays && !self.involved[index] && velocity != (0.0, 0.0) {
                return 0;
            }
            way = way.max(math::length(velocity.0, velocity.1) * seconds);
        }
        // Whoever else is nearer than contacts are looked for has one, and moves along.
        let first_mover = self.first_mover();
        let walker = |pair: &(usize, Near)| matches!(pair.1, Near::Body(other) if other >= first_mover && self.movers[other - first_mover].walks() && self.movers[other - first_mover].waits < self.now + most);
        if way > AHEAD || self.pairs.iter().any(walker) {
            return 0;
        }
        if self.strayed() + way > FREE {
            self.look();
        }
        for index in 0..self.first_mover() {
            if !self.involved[index] {
                continue;
            }
            let sure = if index < riders {
                let rider = &mut self.riders[index];
                let (centre, wheels) = (rider.centre(), rider.plant.wheels(&rider.body));
                rider.out || rider.footing.is_sure(centre, wheels, way)
            } else {
                let loose = &self.loose[index - riders];
                loose.gone
                    || loose
                        .floor
                        .as_ref()
                        .is_none_or(|floor| floor.depth(loose.at) > way)
            };
            if !sure {
                return 0;
            }
        }
        for index in 0..riders {
            if self.involved[index] && !self.riders[index].out {
                let touches = self
                    .solver
                    .touches
                    .iter()
                    .filter(|touch| touch.a == index || touch.b == index);
                for touch in touches.filter(|touch| touch.pressed.0 > 0.0) {
                    let marks = &mut self.riders[index].marks;
                    let mark = if touch.b == self.involved.len() - 1 {
                        &mut marks.touched
                    } else {
                        &mut marks.met
                    };
                    *mark = true;
                }
                let slips = self
                    .solver
                    .tyres
                    .iter()
                    .any(|tyre| tyre.body == index && tyre.slips);
                let rider = &mut self.riders[index];
                rider.marks.slipped |= slips;
                rider.body.glide(seconds);
            }
        }
        for (index, loose) in self.loose.iter_mut().enumerate() {
            if self.involved[riders + index] && !loose.gone {
                let (vx, vy) = loose.velocity;
                loose.at = Point::new(loose.at.x + vx * seconds, loose.at.y + vy * seconds);
            }
        }
        self.walk(most);
        // A step in between shows whether it is still so.
        self.steady = SETTLED_FOR - 1;
        most
    }

    /// Goes on by one step.
    fn step(&mut self) {
        self.room = 0.0;
        if self.strayed() > FREE / 2.0 {
            self.look();
        }
        self.walk(1);
        self.frees.clear();
        for rider in &mut self.riders {
            let free = rider.plant.free(&mut rider.body, rider.command);
            self.frees.push(free);
            rider.pressed.clear();
            if rider.out || rider.footing.is_endless() {
                continue;
            }
            let (centre, wheels) = (
                Point::new(rider.body.x, rider.body.y),
                rider.plant.wheels(&rider.body),
            );
            if rider.footing.look(centre, wheels) == Stance::Falls {
                rider.out = true;
                let index = self.frees.len() - 1;
                self.fallen.push(Fallen::Rider(index));
                self.looked.clear();
            }
            rider.marks.hangs |= rider.footing.wheels != [true; 2];
        }
        self.find_contacts();
        let (riders, first_mover) = (self.riders.len(), self.first_mover());
        for index in 0..riders {
            let rider = &mut self.riders[index];
            if rider.out {
                continue;
            }
            let alone = !self.involved[index] && rider.footing.wheels == [true; 2];
            if alone && rider.plant.roll(&mut rider.body, &self.frees[index]) {
                continue;
            }
            self.involved[index] = true;
            self.solver.bodies[index] = rider.plant.enter(
                &rider.body,
                &self.frees[index],
                index,
                rider.footing.wheels,
                &mut self.solver.tyres,
            );
        }
        for (index, loose) in self
            .loose
            .iter()
            .enumerate()
            .filter(|(_, loose)| !loose.gone)
        {
            let body = riders + index;
            self.involved[body] |= !loose.rests();
            if self.involved[body] {
                self.solver.bodies[body] = Moving {
                    at: loose.at,
                    velocity: loose.velocity,
                    spin: loose.spin,
                    per_mass: 1.0 / loose.mass,
                    per_inertia: 1.0 / loose.inertia,
                };
                self.solver.rubs.push(Rub { body, ..loose.rub });
            }
        }
        if !self.involved[..first_mover].contains(&true) {
            self.steady = 0;
            return;
        }
        self.solver.solve(STEP);
        let is_steady = self.take_over();
        self.steady = if is_steady { self.steady + 1 } else { 0 };
        self.commanded.clear();
        self.commanded
            .extend(self.riders.iter().map(|rider| rider.command));
    }

    /// Fills the solver with the contacts of this step.
    fn find_contacts(&mut self) {
        self.solver.clear();
        self.involved.fill(false);
        if self.pairs.is_empty() {
            return;
        }
        let (riders, still) = (self.riders.len(), self.involved.len() - 1);
        let stages = Arc::clone(&self.stages);
        // The outline of a body is worked out once, for all that it may touch.
        let mut own: Option<(usize, Form)> = None;
        for pair in 0..self.pairs.len() {
            let (a, near) = self.pairs[pair];
            let (at, reach, level, plays) = self.circle(a);
            if !plays {
                continue;
            }
            let its_outline;
            let (b, other) = match near {
                Near::Body(b) => {
                    let (other, its, _, its_plays) = self.circle(b);
                    if !its_plays || at.distance(other) > reach + its + AHEAD {
                        continue;
                    }
                    its_outline = self.outline(b);
                    (b, &its_outline)
                }
                Near::Still(piece) => {
                    let form = &stages[level].forms[piece];
                    if form.apart(at) > reach + AHEAD {
                        continue;
                    }
                    (still, form)
                }
            };
            let bounce = |index: usize| {
                index
                    .checked_sub(riders)
                    .and_then(|i| self.loose.get(i))
                    .map_or(0.0, |l| l.bounce)
            };
            let bounce = bounce(a).max(bounce(b));
            // Places of one pair are kept apart by their order, and pieces of the stage by their
            // number.
            let mut ordinal = if let Near::Still(piece) = near {
                2 * piece
            } else {
                0
            };
            if own.as_ref().is_none_or(|(of, _)| *of != a) {
                own = Some((a, self.outline(a)));
            }
            let outline = &own.as_ref().expect("just worked out").1;
            let touches = &mut self.solver.touches;
            let before = touches.len();
            touch(outline, other, |spot| {
                touches.push(Touch::new(a, b, ordinal, spot, bounce));
                ordinal += 1;
            });
            if self.solver.touches.len() > before {
                self.involved[a] = true;
                self.involved[b] = true;
                if b >= self.first_mover() && b != still {
                    let mover = &self.movers[b - self.first_mover()];
                    self.solver.bodies[b] = Moving {
                        at: mover.at,
                        ..Moving::default()
                    };
                }
            }
        }
    }

    /// Moves everybody that was in the solver; returns whether all of them go straight on as fast
    /// as before, with those they touch.
    fn take_over(&mut self) -> bool {
        // Where two glide along each other, or come apart, the next step is another one.
        let mut steady = self.solver.touches.iter().all(|touch| {
            let (a, b) = (&self.solver.bodies[touch.a], &self.solver.bodies[touch.b]);
            let apart = (a.velocity.0 - b.velocity.0, a.velocity.1 - b.velocity.1);
            touch.age > 0 && math::length(apart.0, apart.1) < 1e-5
        });
        let (riders, still) = (self.riders.len(), self.involved.len() - 1);
        let mut first = 0;
        for index in 0..riders {
            if !self.involved[index] || self.riders[index].out {
                continue;
            }
            let rider = &mut self.riders[index];
            let own = self.solver.tyres[first..]
                .iter()
                .take_while(|tyre| tyre.body == index)
                .count();
            let tyres = &self.solver.tyres[first..first + own];
            first += own;
            rider.marks.slipped |= tyres.iter().any(|tyre| tyre.slips);
            for touch in self
                .solver
                .touches
                .iter()
                .filter(|touch| touch.a == index || touch.b == index)
            {
                let mark = if touch.b == still {
                    &mut rider.marks.touched
                } else {
                    &mut rider.marks.met
                };
                *mark |= touch.pressed.0 > 0.0;
                let other = touch.a + touch.b - index;
                if touch.pressed.0 > 0.0 && other != still {
                    let bit = 1u64.checked_shl(other.wrapping_sub(1) as u32);
                    rider.marks.bodies |= bit.unwrap_or(0);
                }
                let (ahead, left) = rider.plant.local(&rider.body, touch.spot.at);
                if touch.pressed.0 > 0.0 && rider.pressed.len() < 8 {
                    rider.pressed.push((ahead, left, touch.pressed.0 / STEP));
                }
            }
            let before = rider.body;
            rider
                .plant
                .leave(&mut rider.body, &self.solver.bodies[index], tyres);
            let (now, reach) = (&rider.body, rider.plant.reach());
            let rims = (0..2).map(|wheel| (now.wheels[wheel] - before.wheels[wheel]) * 0.1 * reach);
            let gained = [
                now.velocity.0 - before.velocity.0,
                now.velocity.1 - before.velocity.1,
            ];
            steady &= rims.chain(gained).all(|change| change.abs() < STEADY)
                && now.spin.abs() * reach < 10.0 * STEADY;
        }
        for rub in &self.solver.rubs {
            let loose = &mut self.loose[rub.body - riders];
            let (moving, before) = (&self.solver.bodies[rub.body], loose.velocity);
            let gained = math::length(moving.velocity.0 - before.0, moving.velocity.1 - before.1);
            steady &= gained < STEADY && moving.spin.abs() * loose.reach < 10.0 * STEADY;
            loose.rub.held = rub.held;
            if loose.move_on(&self.solver.bodies[rub.body]) {
                self.fallen.push(Fallen::Loose(rub.body - riders));
                self.looked.clear();
            }
        }
        steady
    }
}

/// What already stands where a thing of this outline is to stand at the start: its name, or what it
/// is.
///
/// - `but`: an object that is not looked at, by its index
pub fn in_the_way(
    field: &Field,
    outline: &Outline,
    pose: Pose,
    but: Option<usize>,
) -> Option<String> {
    /// Touching is no overlap, and neither is what drawing by hand gets wrong, metres.
    const SLIGHT: f64 = 0.0005;
    let placed = |outline: &Outline, pose: Pose| {
        Form::from(outline).moved(
            Point::new(pose.x, pose.y),
            (math::cos(pose.heading), math::sin(pose.heading)),
        )
    };
    let form = placed(outline, pose);
    let level = field.platform_at(Point::new(pose.x, pose.y));
    let meets = |other: &Form| {
        let mut deepest = f64::NEG_INFINITY;
        touch(&form, other, |spot| deepest = deepest.max(-spot.gap));
        deepest > SLIGHT
    };
    let same_level = |other: Pose| field.platform_at(Point::new(other.x, other.y)) == level;
    let called = |name: &str, what: &str| {
        if name.is_empty() {
            what.to_owned()
        } else {
            format!("`{name}`")
        }
    };
    for wall in &field.walls {
        let alone = Field {
            walls: vec![wall.clone()],
            ..Field::default()
        };
        if Stage::new(&alone, None).forms.iter().any(&meets) {
            return Some(called(&wall.name, "a wall"));
        }
    }
    let objects = field
        .objects
        .iter()
        .enumerate()
        .filter(|(index, _)| Some(*index) != but);
    let objects = objects.map(|(_, object)| (&object.name, &object.outline, object.pose));
    let at_once = field
        .obstacles
        .iter()
        .filter(|obstacle| obstacle.comes <= 0.0);
    let obstacles = at_once.map(|obstacle| (&obstacle.name, &obstacle.outline, obstacle.pose));
    let mut things = objects.chain(obstacles);
    things
        .find(|(_, outline, pose)| same_level(*pose) && meets(&placed(outline, *pose)))
        .map(|(name, ..)| format!("`{name}`"))
}
