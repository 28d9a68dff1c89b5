//! One run: a program on a robot on a field, from a start pose to its end.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use super::footing::{Footing, Stance};
use super::sensor::Senses;
use super::trace::{Stamp, Tick, Trace};
use super::world::World;
use super::{Plant, STEP};
use crate::controller::{Command, Controller, End, Event, Goal, Program, Status};
use crate::field::{Point, Pose};

/// How a run came out.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Outcome {
    /// As planned.
    Done,
    /// An exit led to `fail`.
    Failed,
    /// The time limit was reached.
    Limit,
    /// It fell off a platform or a table.
    Fell,
    /// The simulation itself went wrong; the reason says how.
    Error,
}

impl Outcome {
    /// The word for it, as in `run --json`.
    pub const fn word(self) -> &'static str {
        match self {
            Self::Done => "done",
            Self::Failed => "failed",
            Self::Limit => "limit",
            Self::Fell => "fell",
            Self::Error => "error",
        }
    }
}

/// One stay in a step.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Visit {
    /// Index of the step.
    pub step: usize,
    /// Tick at which it was entered.
    pub entered: usize,
    /// Tick at which it was left.
    pub left: usize,
    /// Index of the exit that fired; none when the run ended otherwise.
    pub exit: Option<usize>,
}

/// Seconds for which the world goes on after the mission's end: the robot brakes, and the last mark is crossed or not.
const RUN_OUT: f64 = 0.5;

/// A finished run.
#[derive(Clone, Debug, PartialEq)]
pub struct Run {
    /// How it came out.
    pub outcome: Outcome,
    /// Why, in words; empty when done.
    pub reason: String,
    /// Tick at which the mission ended; the trace goes on for half a second, in which the robot comes to rest.
    pub ended: usize,
    /// What was recorded.
    pub trace: Trace,
    /// The steps in the order they were visited.
    pub visits: Vec<Visit>,
}

impl Run {
    /// Seconds from the start to the end of the mission.
    pub fn duration(&self) -> f64 {
        self.trace.seconds(self.ended)
    }

    /// Where the robot came to rest.
    pub fn final_pose(&self) -> Pose {
        self.trace.ticks.last().map_or_else(Pose::default, |tick| tick.pose)
    }
}

/// Runs a program to its end. None when `cancel` was set meanwhile.
///
/// A pure function of its arguments: the same ones give the same trace hash.
pub fn run(world: &World, program: &Arc<Program>, start: Pose, seed: u64, cancel: Option<&AtomicBool>) -> Option<Run> {
    let plant = Plant::new(&world.robot, STEP);
    let mut body = plant.at_rest(start);
    let platform = world.field.platform_at(Point::new(start.x, start.y));
    let (mats, obstacles) = world.level(platform);
    let mut obstacles = obstacles.clone();
    let mut footing = Footing::new(&world.field, platform);
    let mut falls = false;
    let mut senses = Senses::new(world, seed);
    let mut controller = Controller::new(Arc::clone(program));
    let mut events: Vec<Event> = Vec::with_capacity(64);
    let mut wait = 0u32;
    let (sensors, rangers) = (world.robot.sensors.len(), world.robot.rangers.len());
    // Most runs end well before their limit; what is not used is never touched.
    let room = program.limit_ticks.min(30_000) as usize + 1;
    let mut trace = Trace {
        period_ms: program.period_ms,
        sensors,
        rangers,
        ticks: Vec::with_capacity(room),
        readings: Vec::with_capacity(room * sensors),
        ranges: Vec::with_capacity(room * rangers),
        events: Vec::with_capacity(256),
    };
    let run_out = (RUN_OUT * 1000.0) as usize / program.period_ms.max(1) as usize;
    let mut command = Command::BRAKE;
    let mut ended: Option<(usize, End)> = None;
    let (mut slipped, mut touched, mut hangs) = (false, false, false);
    let mut step = 0u64;
    loop {
        senses.sense(world, mats, &plant, &body, step);
        senses.measure(world, &obstacles, &plant, &body, step);
        if wait == 0 {
            wait = program.period_ms;
            if cancel.is_some_and(|cancel| cancel.load(Ordering::Relaxed)) {
                return None;
            }
            let readings = senses.look(&body, step);
            events.clear();
            let tick = trace.ticks.len() as u32;
            if ended.is_none() {
                let (next, status) = controller.tick(&readings, &mut events);
                command = next;
                if let Status::Ended(end) = status {
                    ended = Some((tick as usize, end));
                }
            }
            trace.events.extend(events.iter().map(|&event| Stamp { tick, event }));
            trace.readings.extend_from_slice(readings.sensors);
            trace.ranges.extend_from_slice(readings.ranges);
            let pose = plant.pose(&body);
            trace.ticks.push(Tick {
                pose,
                rims: plant.rims(&body),
                wheels: readings.wheels,
                gyro: readings.gyro.unwrap_or(f64::NAN),
                command,
                step: controller.step() as u16,
                slipped,
                touched,
                hangs,
            });
            (slipped, touched, hangs) = (false, false, false);
            if falls {
                // Where it lies then is nobody's business: the run ends at the edge.
                let off = match platform.map(|index| world.field.platforms[index].name.as_str()) {
                    None => "the table",
                    Some("") => "the platform",
                    Some(name) => name,
                };
                return Some(finish(Outcome::Fell, format!("fell off {off}"), tick as usize, trace));
            }
            if !(pose.x.is_finite() && pose.y.is_finite() && pose.heading.is_finite()) {
                let reason =
                    format!("the simulation lost the robot at {:.2} s; please report this", step as f64 * STEP);
                return Some(finish(Outcome::Error, reason, tick as usize, trace));
            }
            if let Some((at, end)) = ended.filter(|(at, _)| tick as usize >= at + run_out) {
                let (outcome, reason) = why(program, end);
                return Some(finish(outcome, reason, at, trace));
            }
        }
        if !footing.is_endless() {
            falls |= footing.look(Point::new(body.x, body.y), plant.wheels(&body)) == Stance::Falls;
            hangs |= footing.wheels != [true; 2];
        }
        let moments = plant.step(&mut body, command, &mut obstacles, footing.wheels);
        slipped |= moments.slipped;
        touched |= moments.touched;
        wait -= 1;
        step += 1;
    }
}

fn why(program: &Program, end: End) -> (Outcome, String) {
    match end {
        End::Done => (Outcome::Done, String::new()),
        End::Limit => {
            let seconds = f64::from(program.limit_ticks) * f64::from(program.period_ms) / 1000.0;
            (Outcome::Limit, format!("the time limit of {seconds} s was reached"))
        }
        End::Failed { step, exit } => match &program.steps[step].exits[exit].goal {
            Goal::Fail(reason) => (Outcome::Failed, reason.clone()),
            Goal::Step(_) | Goal::Done => unreachable!("only a goal `fail` ends as failed"),
        },
    }
}

fn finish(outcome: Outcome, reason: String, ended: usize, trace: Trace) -> Run {
    let mut visits: Vec<Visit> = Vec::new();
    for stamp in &trace.events {
        let tick = stamp.tick as usize;
        match stamp.event {
            Event::Entered { step } => visits.push(Visit { step, entered: tick, left: ended, exit: None }),
            Event::Left { exit, .. } => {
                if let Some(visit) = visits.last_mut() {
                    (visit.left, visit.exit) = (tick, exit);
                }
            }
            Event::Counted { .. } => {}
        }
    }
    Run { outcome, reason, ended, trace, visits }
}
