//! One run: a program on a robot on a field, from a start pose to its end.
//!
//! Long because a run, a piece of one and what people do by hand in it share one loop.

use crate::ids::{ActuatorId, StepId};
use std::collections::VecDeque;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use super::STEP;
use super::drive::Plant;
use super::random::Noise;
use super::referee::Referee;
use super::scene::{Fallen, Marks, Rider, Scene};
use super::sensor::{Lit, Senses};
use super::snapshot::Snaps;
use super::world::{Levels, Role, World, by_lot};
use crate::controller::{
    Action, Command, Controller, End, Event, Program, Status, THERE, WheelCommand,
};
use crate::field::{Edge, Mark, Outline, Point, Pose, Unlock};
use crate::record::{
    Act, Begun, Happened, Happening, Intervention, Outcome, Prop, PropKind, Run, Stamp, Tick,
    Trace, Verdict,
};
use crate::robot::Robot;
use crate::units::math;

/// Seconds for which the world goes on after the mission's end: the robot brakes, and the last mark
/// is crossed or not.
const RUN_OUT: f64 = 0.5;

/// What a run depends on besides its world and program.
#[derive(Clone, Copy, Debug, Default)]
pub struct Play<'a> {
    /// Where the robot starts.
    pub start: Pose,
    /// Where it was meant to be put down, when that is another pose: where its odometry begins.
    pub meant: Option<Pose>,
    /// What chance follows from.
    pub seed: u64,
    /// What is done by hand, in order of time.
    pub interventions: &'a [Intervention],
    /// Begin in the middle instead of with the first step.
    pub piece: Option<Piece<'a>>,
}

/// Where a run begins that is not to begin with the first step: the world is run up to there by
/// another program, whose momentum, knowledge and noise the robot then has.
#[derive(Clone, Copy, Debug)]
pub struct Piece<'a> {
    /// The program that gets there.
    pub before: &'a Arc<Program>,
    /// Tick of that run at which the other one begins.
    pub tick: usize,
    /// The step that it begins with; no part of a reflex.
    pub step: StepId,
    /// Where the robot is put then, standing; none leaves it where it got to, moving as it did.
    pub pose: Option<Pose>,
}

/// Runs a program to its end with nothing done by hand. None when `cancel` was set meanwhile.
///
/// A pure function of its arguments: the same ones give the same trace hash.
pub fn run(
    world: &World,
    program: &Arc<Program>,
    start: Pose,
    seed: u64,
    cancel: Option<&AtomicBool>,
) -> Option<Run> {
    play(
        world,
        program,
        Play {
            start,
            meant: None,
            seed,
            interventions: &[],
            piece: None,
        },
        cancel,
    )
}

/// Runs a program to its end. None when `cancel` was set meanwhile.
///
/// A pure function of its arguments: the same ones give the same trace hash.
pub fn play(
    world: &World,
    program: &Arc<Program>,
    play: Play<'_>,
    cancel: Option<&AtomicBool>,
) -> Option<Run> {
    play_again(world, program, play, cancel, Trace::default())
}

/// The same in the memory of a trace that is no longer wanted: for many runs after each other,
/// whose fresh pages would otherwise cost as much again as what is written on them (measured).
pub fn play_again(
    world: &World,
    program: &Arc<Program>,
    play: Play<'_>,
    cancel: Option<&AtomicBool>,
    spare: Trace,
) -> Option<Run> {
    Match::new(world, program, play, spare).go(cancel, None)
}

/// What decides a robot's commands.
#[derive(Clone, Debug)]
pub(super) enum Brain {
    Mission(Box<Controller>),
    /// The same command all the time.
    Fixed(Command),
    Patrol {
        places: Vec<Point>,
        next: usize,
        duty: f64,
    },
}

/// A robot that plays, besides its body in the scene.
#[derive(Clone, Debug)]
pub(super) struct Seat {
    senses: Senses,
    pub(super) brain: Brain,
    /// The step of its next look.
    look: u64,
    orders: Orders,
}

/// Commands on their way to the motors.
#[derive(Clone, Debug)]
struct Orders {
    /// Steps that each takes, and by how many more it may come late.
    lag: [u64; 2],
    noise: Noise,
    /// With the step at which each arrives.
    under_way: VecDeque<(u64, Command)>,
}

impl Orders {
    fn new(robot: &Robot, seed: u64, who: &str) -> Self {
        Self {
            lag: robot.lag_ms.map(u64::from),
            noise: Noise::new(seed, &format!("{who}commands")),
            under_way: VecDeque::new(),
        }
    }

    /// Sends a command; the one that acts from now on, when that is another.
    fn send(&mut self, step: u64, command: Command) -> Option<Command> {
        let [lag, jitter] = self.lag;
        if lag + jitter == 0 {
            return Some(command);
        }
        let late = if jitter == 0 {
            0
        } else {
            (self.noise.uniform() * (jitter + 1) as f64) as u64 % (jitter + 1)
        };
        // None overtakes another.
        let before = self.under_way.back().map_or(0, |(at, _)| *at);
        self.under_way
            .push_back(((step + lag + late).max(before), command));
        self.arrived(step)
    }

    /// The newest command that has arrived by a step.
    fn arrived(&mut self, step: u64) -> Option<Command> {
        let mut newest = None;
        while self.next() <= step {
            newest = self.under_way.pop_front().map(|(_, command)| command);
        }
        newest
    }

    /// The step at which the next one arrives.
    fn next(&self) -> u64 {
        self.under_way.front().map_or(u64::MAX, |(at, _)| *at)
    }
}

/// One run under way.
pub(super) struct Match<'w> {
    pub(super) world: &'w World,
    pub(super) program: &'w Arc<Program>,
    pub(super) interventions: &'w [Intervention],
    pub(super) state: State,
    pub(super) trace: Trace,
    /// What is still to come of a run that begins in the middle, and its program.
    pub(super) piece: Option<(Piece<'w>, &'w Arc<Program>)>,
}

/// All that a run goes on from, but for what it has recorded.
#[derive(Clone, Debug)]
pub(super) struct State {
    scene: Scene,
    pub(super) seats: Vec<Seat>,
    lit: Lit,
    referee: Referee,
    /// With what was laid on the mat by hand.
    laid: Vec<Mark>,
    relaid: Option<Vec<Levels>>,
    /// Which obstacles were there at the last look.
    present: Vec<bool>,
    /// Our robot was beside the mat at the last look.
    off_mat: bool,
    /// A wheel of ours hung over an edge at the last look.
    hung: bool,
    /// What our robot touched, and the tick at which it last did.
    touching: Vec<(Option<usize>, usize)>,
    lock: Option<Lock>,
    /// Where each robot began.
    begins: Vec<Pose>,
    circle: Option<StepId>,
    begun: Option<Begun>,
    /// Where our robot was meant to be put down.
    meant: Pose,
    /// How many interventions were made.
    by_hand: usize,
    step: u64,
}

impl<'w> Match<'w> {
    pub(super) fn new(
        world: &'w World,
        program: &'w Arc<Program>,
        play: Play<'w>,
        spare: Trace,
    ) -> Self {
        let field = &world.field;
        let piece = play.piece.map(|piece| (piece, program));
        let program = play.piece.map_or(program, |piece| piece.before);
        let opponents = field.opponents.iter().zip(&world.players);
        let start = |robot: &Robot, pose: Pose| Rider::new(Plant::new(robot, STEP), field, pose);
        let mut riders = vec![start(&world.robot, play.start)];
        let meant = play.meant.unwrap_or(play.start);
        let controller = Controller::new(Arc::clone(program)).placed(meant);
        let senses = Senses::new(&world.robot, play.seed, "");
        let mut seats = vec![Seat {
            senses,
            brain: Brain::Mission(Box::new(controller)),
            look: 0,
            orders: Orders::new(&world.robot, play.seed, ""),
        }];
        for (opponent, player) in opponents {
            let pose = by_lot(
                opponent.pose,
                opponent.turned_by_lot,
                play.seed,
                &opponent.name,
            );
            riders.push(start(&player.robot, pose));
            let both = |left, right| Command {
                left: WheelCommand::Duty(left),
                right: WheelCommand::Duty(right),
            };
            let brain = match &player.role {
                Role::Stands => Brain::Fixed(Command {
                    left: WheelCommand::Coast,
                    right: WheelCommand::Coast,
                }),
                Role::Drifts([left, right]) => Brain::Fixed(both(*left, *right)),
                Role::Patrols(places, duty) => Brain::Patrol {
                    places: places.clone(),
                    next: 0,
                    duty: *duty,
                },
                Role::Mission(program) => {
                    // Nobody says how exactly a rival was put down.
                    let controller = Controller::new(Arc::clone(program)).placed(pose);
                    Brain::Mission(Box::new(controller))
                }
            };
            let senses = Senses::new(&player.robot, play.seed, &format!("{}: ", opponent.name));
            seats.push(Seat {
                senses,
                brain,
                look: u64::from(player.robot.control_phase_ms),
                orders: Orders::new(&player.robot, play.seed, &format!("{}: ", opponent.name)),
            });
        }
        let scene = Scene::new(field, &world.stages, riders);
        let begins = scene
            .riders
            .iter()
            .map(|rider| rider.plant.pose(&rider.body));
        let begins = begins.collect();
        let mut trace = spare;
        make_ready(&mut trace, world, program);
        Self {
            world,
            program,
            interventions: play.interventions,
            state: State {
                present: vec![false; scene.movers.len()],
                off_mat: false,
                hung: false,
                touching: Vec::new(),
                lock: None,
                begins,
                scene,
                seats,
                lit: Lit::new(field, play.seed),
                referee: Referee::new(field, &world.robot),
                laid: Vec::new(),
                relaid: None,
                circle: None,
                begun: None,
                meant,
                by_hand: 0,
                step: 0,
            },
            trace,
            piece,
        }
    }

    /// Hands the robot over to the program that begins in the middle, when it is time.
    fn hand_over(&mut self) {
        let Some((piece, program)) = self
            .piece
            .take_if(|(piece, _)| piece.tick <= self.trace.ticks.len())
        else {
            return;
        };
        let Brain::Mission(before) = &self.state.seats[0].brain else {
            return;
        };
        let mut knowledge = before.knowledge();
        if !program.zones.is_empty() {
            let rider = &self.state.scene.riders[0];
            knowledge.locate(piece.pose, rider.plant.pose(&rider.body));
        }
        let after = Controller::starting_at(Arc::clone(program), piece.step, &knowledge);
        self.state.begun = Some(Begun {
            step: piece.step,
            knowledge,
        });
        self.state.seats[0].brain = Brain::Mission(Box::new(after));
        self.program = program;
        self.trace.begin_again();
        self.trace.period_ms = program.period_ms;
        self.state.referee = Referee::new(&self.world.field, &self.world.robot);
        if let Some(pose) = piece.pose {
            self.state.scene.move_rider(0, pose);
        }
    }

    pub(super) fn go(
        mut self,
        cancel: Option<&AtomicBool>,
        mut snaps: Option<&mut Snaps>,
    ) -> Option<Run> {
        let all = self.interventions;
        let mut events: Vec<Event> = Vec::with_capacity(64);
        // When it is over, and how; it then goes on for a moment.
        let mut over: Option<(usize, Outcome, String)> = None;
        let run_out = (RUN_OUT * 1000.0) as usize / self.program.period_ms.max(1) as usize;
        let clock = self
            .world
            .field
            .rules
            .clock
            .map(|clock| (clock, (clock / STEP).round() as u64));
        loop {
            if over.is_none() {
                self.snap(&mut snaps);
            }
            while let Some(next) = all
                .get(self.state.by_hand)
                .filter(|next| next.at_ms <= self.state.step)
            {
                self.intervene(self.state.by_hand, &next.act);
                self.state.by_hand += 1;
            }
            if self.state.step >= self.state.seats[0].look {
                self.hand_over();
            }
            for (seat, rider) in self
                .state
                .seats
                .iter_mut()
                .zip(&mut self.state.scene.riders)
            {
                if let Some(command) = seat.orders.arrived(self.state.step) {
                    rider.command = command;
                }
            }
            self.state.scene.settle();
            if self.state.step == 0 {
                // What stands there from the start has not come.
                self.state.present = self
                    .state
                    .scene
                    .movers
                    .iter()
                    .map(|mover| mover.present)
                    .collect();
            }
            for who in 0..self.state.seats.len() {
                if !self.state.scene.riders[who].out {
                    self.sense(who);
                }
            }
            for who in 1..self.state.seats.len() {
                self.opponent(who);
            }
            if self.state.step >= self.state.seats[0].look {
                if cancel.is_some_and(|cancel| cancel.load(Ordering::Relaxed)) {
                    return None;
                }
                let tick = self.trace.ticks.len();
                let end = self.tick(over.is_some(), &mut events);
                if let Some(End::Circle { step }) = end {
                    self.state.circle = Some(step);
                }
                if over.is_none() {
                    let rung = clock.filter(|(_, steps)| self.state.step >= *steps);
                    over = self.verdict(tick);
                    if over.is_none() && rung.is_some() && self.state.referee.clock_ran_out(tick) {
                        over = Some((tick, Outcome::Done, String::new()));
                    }
                    let mut by_clock = over.is_some() && end.is_none() && rung.is_some();
                    if over.is_none() {
                        over = end.map(|end| {
                            let (outcome, reason) = why(self.program, end);
                            (tick, outcome, reason)
                        });
                    }
                    if over.is_none()
                        && let Some((seconds, _)) = rung
                    {
                        let reason = format!("the match clock of {seconds} s ran out");
                        over = Some((tick, Outcome::Limit, reason));
                        by_clock = true;
                    }
                    if by_clock {
                        let step = self.trace.ticks[tick].step();
                        self.trace.events.push(Stamp {
                            tick: tick as u32,
                            event: Event::Left {
                                step,
                                exit: None,
                                look: 0,
                            },
                        });
                    }
                }
                let pose = self.trace.ticks[tick].pose;
                if !(pose.x.is_finite() && pose.y.is_finite() && pose.heading.is_finite()) {
                    let seconds = self.state.step as f64 * STEP;
                    let reason = format!(
                        "the simulation lost the robot at {seconds:.2} s; please report this"
                    );
                    return Some(self.finish((tick, Outcome::Error, reason)));
                }
                let fell = self.state.scene.riders[0].out;
                if let Some(end) = over.take_if(|(at, _, _)| fell || tick >= *at + run_out) {
                    return Some(self.finish(end));
                }
            }
            let looks = self
                .state
                .seats
                .iter()
                .zip(&self.state.scene.riders)
                .filter(|(_, rider)| !rider.out);
            let next = looks
                .map(|(seat, _)| seat.look.min(seat.senses.next()).min(seat.orders.next()))
                .min()
                .unwrap_or(u64::MAX);
            let by_hand = all
                .get(self.state.by_hand)
                .map_or(u64::MAX, |next| next.at_ms);
            // When our robot is out there is one more look to be had.
            let next = next
                .min(by_hand)
                .min(self.state.seats[0].look)
                .max(self.state.step + 1);
            self.state.scene.advance(next - self.state.step);
            self.state.step = next;
        }
    }

    fn sense(&mut self, who: usize) {
        let robot = self.world.rider(who);
        let seat = &mut self.state.seats[who];
        let rider = &self.state.scene.riders[who];
        let levels = self
            .state
            .relaid
            .as_ref()
            .map_or_else(|| self.world.mats(who), |relaid| &relaid[who]);
        seat.senses.sense(
            robot,
            &self.state.lit,
            &levels[rider.level],
            rider,
            self.state.step,
        );
        seat.senses
            .measure(robot, &self.state.scene, who, self.state.step);
    }

    /// Our robot looks, decides, and what is so now is written down.
    fn tick(&mut self, is_over: bool, events: &mut Vec<Event>) -> Option<End> {
        let robot = &*self.world.robot;
        let seat = &mut self.state.seats[0];
        seat.look = self.state.step + u64::from(self.program.period_ms);
        let readings = seat
            .senses
            .look(robot, &self.state.scene.riders[0], self.state.step);
        events.clear();
        let tick = self.trace.ticks.len() as u32;
        let mut end = None;
        let Brain::Mission(controller) = &mut seat.brain else {
            unreachable!("ours runs a mission")
        };
        let mut command = Command::BRAKE;
        if !is_over {
            let (wanted, status) = controller.tick(&readings, events);
            command = wanted;
            if let Status::Ended(how) = status {
                end = Some(how);
            }
        }
        self.trace
            .events
            .extend(events.iter().map(|&event| Stamp { tick, event }));
        self.trace.readings.extend_from_slice(readings.sensors);
        self.trace.ranges.extend_from_slice(readings.ranges);
        self.trace.pressed.extend_from_slice(readings.touches);
        self.trace.angles.extend_from_slice(readings.actuators);
        for event in events.iter() {
            if let Event::Entered { step } = event
                && let Action::Signal { signal, .. } = self.program.steps[*step].action
            {
                self.trace.happened.push(Happened {
                    tick,
                    what: Happening::Signal(signal, *step),
                });
            }
        }
        let rider = &mut self.state.scene.riders[0];
        let Marks {
            slipped,
            touched,
            met,
            hangs,
            bodies,
        } = std::mem::take(&mut rider.marks);
        self.trace.ticks.push(Tick {
            pose: rider.plant.pose(&rider.body),
            rims: rider.plant.rims(&rider.body),
            wheels: readings.wheels,
            gyro: readings.gyro.unwrap_or(f64::NAN),
            command,
            battery: readings.battery,
            step: controller.step().0 as u16,
            slipped,
            touched,
            met,
            hangs,
        });
        seat.senses.drain(robot, rider, command);
        if let Some(command) = seat.orders.send(self.state.step, command) {
            rider.command = command;
        }
        seat.senses.actuate(robot, controller.wanted());
        self.actuators(tick as usize);
        self.write_down(tick as usize);
        self.contacts(tick as usize, bodies);
        end
    }

    /// Which actuators came to a stand at this tick, and why.
    fn actuators(&mut self, tick: usize) {
        let Brain::Mission(controller) = &self.state.seats[0].brain else {
            return;
        };
        let actuators = &self.world.robot.actuators;
        let all = ActuatorId::all(actuators.len())
            .zip(actuators)
            .zip(controller.wanted());
        for ((index, actuator), wanted) in all {
            let now = self.trace.angle(tick, index);
            let before = if tick == 0 {
                now
            } else {
                self.trace.angle(tick - 1, index)
            };
            let what = if now == before {
                continue;
            } else if (now - wanted).abs() < THERE && (before - wanted).abs() >= THERE {
                Happening::Arrived(index)
            } else if now == actuator.stops.0 || now == actuator.stops.1 {
                Happening::Blocked(index)
            } else {
                continue;
            };
            self.trace.happened.push(Happened {
                tick: tick as u32,
                what,
            });
        }
    }

    /// Where everything else is now, and what happened to it.
    fn write_down(&mut self, tick: usize) {
        let nowhere = Pose {
            x: f64::NAN,
            y: f64::NAN,
            heading: 0.0,
        };
        let riders = self.state.scene.riders[1..]
            .iter()
            .map(|rider| (rider.plant.pose(&rider.body), !rider.out));
        let loose = self
            .state
            .scene
            .loose
            .iter()
            .map(|loose| (loose.pose(), !loose.gone));
        let movers = self.state.scene.movers.iter().map(|mover| {
            (
                Pose {
                    x: mover.at.x,
                    y: mover.at.y,
                    heading: mover.heading(),
                },
                mover.present,
            )
        });
        let places = riders.chain(loose).chain(movers);
        self.trace
            .places
            .extend(places.map(|(pose, there)| if there { pose } else { nowhere }));
        let mut seen = Vec::new();
        let fallen = std::mem::take(&mut self.state.scene.fallen);
        for fallen in fallen {
            self.state.referee.fell(fallen, &self.state.scene, tick);
            seen.push(match fallen {
                Fallen::Rider(0) => Happening::Fell,
                Fallen::Rider(index) => Happening::Gone(index - 1),
                Fallen::Loose(index) => Happening::Gone(self.state.scene.riders.len() - 1 + index),
            });
        }
        let first = self.state.scene.riders.len() - 1 + self.state.scene.loose.len();
        for (index, mover) in self.state.scene.movers.iter().enumerate() {
            if mover.present != self.state.present[index] {
                self.state.present[index] = mover.present;
                seen.push(if mover.present {
                    Happening::Came(first + index)
                } else {
                    Happening::Left(first + index)
                });
            }
        }
        let Pose { x, y, .. } = self.trace.ticks[tick].pose;
        let field = &self.world.field;
        let on_mat = (0.0..=field.width).contains(&x) && (0.0..=field.height).contains(&y);
        // Over a drop it falls instead, and that is told.
        let off = !on_mat && field.edge == Edge::Floor;
        if off && !std::mem::replace(&mut self.state.off_mat, off) {
            seen.push(Happening::LeftMat);
        }
        self.state.off_mat = off;
        let seconds = self.state.step as f64 * STEP;
        self.state.referee.look(
            &self.world.field,
            &self.state.scene,
            tick,
            seconds,
            &mut seen,
        );
        self.trace
            .happened
            .extend(seen.into_iter().map(|what| Happened {
                tick: tick as u32,
                what,
            }));
    }

    /// What our robot comes up against, and whether it is locked with another robot.
    fn contacts(&mut self, tick: usize, bodies: u64) {
        let now = self.trace.ticks[tick];
        let nothing = bodies == 0 && !now.touched && !now.hangs;
        if nothing
            && !self.state.hung
            && self.state.lock.is_none()
            && self.state.touching.is_empty()
        {
            return;
        }
        let seconds = f64::from(self.program.period_ms) * STEP;
        let lull = (LULL / seconds) as usize;
        let mut seen = Vec::new();
        if now.hangs && !self.state.hung {
            seen.push(Happening::Hung);
        }
        self.state.hung = now.hangs;
        let still = now.touched.then_some(None);
        let props = (0..u64::BITS).filter(|bit| bodies >> bit & 1 == 1);
        for what in still.into_iter().chain(props.map(|bit| Some(bit as usize))) {
            match self
                .state
                .touching
                .iter_mut()
                .find(|(known, _)| *known == what)
            {
                Some((_, last)) => {
                    if tick - std::mem::replace(last, tick) > lull {
                        seen.push(Happening::Touched(what));
                    }
                }
                None => {
                    self.state.touching.push((what, tick));
                    seen.push(Happening::Touched(what));
                }
            }
        }
        let rivals = self.state.scene.riders.len() - 1;
        let rival = (0..rivals).find(|&rival| {
            let with =
                |(what, last): &(Option<usize>, usize)| *what == Some(rival) && tick - last <= lull;
            self.state.touching.iter().any(with) && !self.state.scene.riders[rival + 1].out
        });
        let pose = |index: usize| {
            let rider = &self.state.scene.riders[index];
            rider.plant.pose(&rider.body)
        };
        let fresh = rival.map(|rival| Lock {
            rival,
            since: tick,
            poses: [pose(0), pose(rival + 1)],
            told: false,
        });
        let lasts = |lock: &Lock, fresh: &Lock| {
            let stays = |(a, b): (&Pose, &Pose)| {
                math::length(a.x - b.x, a.y - b.y) < STANDS
                    && (a.heading - b.heading).abs() < STANDS_TURNED
            };
            lock.rival == fresh.rival && lock.poses.iter().zip(&fresh.poses).all(stays)
        };
        self.state.lock = match (self.state.lock.take(), fresh) {
            (Some(lock), Some(fresh)) if lasts(&lock, &fresh) => Some(lock),
            (_, fresh) => fresh,
        };
        if let Some(lock) = &mut self.state.lock {
            let lasted = (tick - lock.since) as f64 * seconds;
            if lasted >= LOCKED && !lock.told {
                lock.told = true;
                seen.push(Happening::Locked(lock.rival));
            }
            let due = self.world.field.rules.locked;
            match due.filter(|(_, after)| lasted >= *after && lock.told) {
                Some((Unlock::Draw, _)) => self.state.referee.draw(tick),
                Some((Unlock::Part, _)) => {
                    let rival = lock.rival;
                    for index in [0, rival + 1] {
                        self.state.scene.move_rider(index, self.state.begins[index]);
                    }
                    seen.push(Happening::Parted(rival));
                    self.state.lock = None;
                }
                None => {}
            }
        }
        self.trace
            .happened
            .extend(seen.into_iter().map(|what| Happened {
                tick: tick as u32,
                what,
            }));
    }

    /// What ends the run besides its mission.
    fn verdict(&self, tick: usize) -> Option<(usize, Outcome, String)> {
        if self.state.scene.riders[0].out {
            // Where it lies then is nobody's business: the run ends at the edge.
            let level = self.state.scene.riders[0].level.checked_sub(1);
            let off = match level.map(|index| self.world.field.platforms[index].name.as_str()) {
                None => "the table",
                Some("") => "the platform",
                Some(name) => name,
            };
            return Some((tick, Outcome::Fell, format!("fell off {off}")));
        }
        let (verdict, at) = self.state.referee.verdict()?;
        Some(match verdict {
            Verdict::Won | Verdict::Drawn => (at, Outcome::Done, String::new()),
            Verdict::Lost => {
                let delay = self.world.field.rules.start_delay;
                (
                    at,
                    Outcome::Failed,
                    format!("moved before the start delay of {delay} s was over"),
                )
            }
        })
    }

    fn opponent(&mut self, who: usize) {
        let robot = self.world.rider(who);
        let seat = &mut self.state.seats[who];
        let rider = &mut self.state.scene.riders[who];
        if self.state.step < seat.look || rider.out {
            return;
        }
        seat.look = self.state.step + u64::from(robot.control_ms);
        let readings = seat.senses.look(robot, rider, self.state.step);
        let waits = (self.state.step as f64) * STEP < self.world.field.rules.start_delay;
        let command = match &mut seat.brain {
            Brain::Mission(controller) => {
                let command = controller.tick(&readings, &mut Vec::new()).0;
                seat.senses.actuate(robot, controller.wanted());
                command
            }
            _ if waits => Command::BRAKE,
            Brain::Fixed(command) => *command,
            Brain::Patrol { places, next, duty } => {
                patrol(rider.plant.pose(&rider.body), places, next, *duty)
            }
        };
        seat.senses.drain(robot, rider, command);
        if let Some(command) = seat.orders.send(self.state.step, command) {
            rider.command = command;
        }
    }

    fn intervene(&mut self, index: usize, act: &Act) {
        let done = match act {
            Act::Place { thing, pose } => self.state.scene.place(thing, *pose),
            Act::Remove { thing } => self.state.scene.remove(thing),
            Act::Carry { pose } => {
                self.state.scene.move_rider(0, *pose);
                true
            }
            Act::Cover {
                sensor,
                distance,
                for_ms,
            } => self.world.robot.ranger(sensor).is_some_and(|ranger| {
                self.state.seats[0]
                    .senses
                    .cover(ranger, self.state.step + for_ms, *distance);
                true
            }),
            Act::Press { switch, for_ms } => self.world.robot.touch(switch).is_some_and(|switch| {
                self.state.seats[0]
                    .senses
                    .press(switch, self.state.step + for_ms);
                true
            }),
            Act::Lay(mark) => {
                self.state.laid.push(mark.clone());
                self.state.relaid = Some(self.world.with_mark(&self.state.laid));
                true
            }
        };
        if done {
            let tick = self.trace.ticks.len() as u32;
            self.trace.happened.push(Happened {
                tick,
                what: Happening::ByHand(index),
            });
        }
    }

    fn finish(self, (ended, outcome, reason): (usize, Outcome, String)) -> Run {
        let recorded = Run::of(self.trace, self.program, ended, outcome, reason);
        let clock = self.world.field.rules.clock.unwrap_or(f64::INFINITY);
        let left = clock
            .min(f64::from(self.program.limit_ticks) * f64::from(self.program.period_ms) / 1000.0)
            - recorded.trace.seconds(ended);
        let planned = recorded.outcome == Outcome::Done;
        let left = planned.then(|| left.max(0.0) as u32);
        let sheet = self.state.referee.close(
            &self.world.field,
            &self.world.robot,
            &self.state.scene,
            ended,
            left,
        );
        let interventions = self.interventions.to_vec();
        Run {
            circle: self.state.circle,
            begun: self.state.begun,
            meant: self.state.meant,
            sheet,
            interventions,
            ..recorded
        }
    }
}

/// Our robot and another one that push against each other.
#[derive(Clone, Copy, Debug)]
struct Lock {
    /// The other: its index among the opponents.
    rival: usize,
    /// The tick since which neither has moved.
    since: usize,
    /// Where they stood then: ours, theirs.
    poses: [Pose; 2],
    told: bool,
}

/// What is touched again within so many seconds was never let go.
const LULL: f64 = 0.3;
/// Two robots that touch are locked once they have stood for so many seconds...
const LOCKED: f64 = 1.5;
/// ...which is: moved by less than this, metres and rad.
const STANDS: f64 = 0.006;
/// See there.
const STANDS_TURNED: f64 = 0.06;

/// Towards the next place, and the one after it when it is near: turning on the spot when it lies
/// far to the side.
fn patrol(pose: Pose, places: &[Point], next: &mut usize, duty: f64) -> Command {
    /// Near enough, metres.
    const NEAR: f64 = 0.04;
    let Some(place) = places.get(*next) else {
        return Command::BRAKE;
    };
    if place.distance(Point::new(pose.x, pose.y)) < NEAR {
        *next = (*next + 1) % places.len();
    }
    let place = places[*next];
    let off = math::wrap(math::atan2(place.y - pose.y, place.x - pose.x) - pose.heading);
    let shift = (duty * 1.5 * off).clamp(-duty.abs(), duty.abs());
    let ahead = if off.abs() > 0.8 { 0.0 } else { duty };
    let both = |value: f64| WheelCommand::Duty(value.clamp(-1.0, 1.0));
    Command {
        left: both(ahead - shift),
        right: both(ahead + shift),
    }
}

/// Empties a trace, and makes room for a run.
pub(super) fn make_ready(trace: &mut Trace, world: &World, program: &Program) {
    trace.empty();
    let (props, robot) = (props(world), &world.robot);
    trace.period_ms = program.period_ms;
    (trace.sensors, trace.rangers) = (robot.sensors.len(), robot.rangers.len());
    (trace.touches, trace.actuators) = (robot.touches.len(), robot.actuators.len());
    // Most runs end well before their limit; what is not used is never touched.
    let room = program.limit_ticks.min(30_000) as usize + 1;
    trace.ticks.reserve(room);
    trace.readings.reserve(room * trace.sensors);
    trace.ranges.reserve(room * trace.rangers);
    trace.pressed.reserve(room * trace.touches);
    trace.angles.reserve(room * trace.actuators);
    trace.places.reserve(room * props.len());
    trace.props = props;
    trace.events.reserve(256);
}

/// Everything on the field but our robot, in the order in which the trace says where it is.
fn props(world: &World) -> Vec<Prop> {
    let field = &world.field;
    let robots = field
        .opponents
        .iter()
        .zip(&world.players)
        .map(|(opponent, player)| Prop {
            name: opponent.name.clone(),
            kind: PropKind::Robot,
            surface: None,
            outline: Outline::Polygon(
                player
                    .robot
                    .outline
                    .iter()
                    .map(|&(x, y)| Point::new(x, y))
                    .collect(),
            ),
        });
    let objects = field.objects.iter().map(|object| Prop {
        name: object.name.clone(),
        kind: PropKind::Object,
        surface: Some(object.surface),
        outline: object.outline.clone(),
    });
    let obstacles = field.obstacles.iter().map(|obstacle| Prop {
        name: obstacle.name.clone(),
        kind: PropKind::Obstacle,
        surface: Some(obstacle.surface),
        outline: obstacle.outline.clone(),
    });
    robots.chain(objects).chain(obstacles).collect()
}

fn why(program: &Program, end: End) -> (Outcome, String) {
    match end {
        End::Done => (Outcome::Done, String::new()),
        End::Limit => {
            let seconds = f64::from(program.limit_ticks) * f64::from(program.period_ms) / 1000.0;
            (
                Outcome::Limit,
                format!("the time limit of {seconds} s was reached"),
            )
        }
        End::Failed { reason } => (Outcome::Failed, program.reasons[reason].clone()),
        End::Circle { step } => {
            let name = &program.steps[step].name;
            (
                Outcome::Failed,
                format!("steps that take no time lead round in a circle, by way of \"{name}\""),
            )
        }
    }
}
