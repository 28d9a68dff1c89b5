//! The running mission: state and the one function that moves it on.
//!
//! Long because one tick is one story: what is kept, what holds, what fires, what is driven.

mod gauge;
mod look;
mod odometry;
mod standing;

use crate::ids::StepId;
use std::sync::Arc;

use serde::{Deserialize, Serialize};

use super::program::{Action, After, ExitKind, Goal, Passes, Program, Term, Test, WheelCommand};
use crate::field::Pose;
use crate::mission::Ending;

pub use odometry::Odometry;
pub use standing::{Kept, Live, ReflexStanding, Standing, StepStanding, TermStanding, Wait};

/// What one floor sensor last published, shares of full scale.
#[derive(Clone, Copy, Debug, PartialEq, Default, Serialize, Deserialize)]
pub struct Reading {
    /// One brightness.
    pub brightness: f64,
    /// Red, green and blue; equal to the brightness for a sensor without colours.
    pub rgb: [f64; 3],
}

impl Reading {
    /// A reading of three colours, with their brightness. Weights: Rec. 709, as for the brightness
    /// of a surface.
    pub fn of(rgb: [f64; 3]) -> Self {
        Self {
            brightness: 0.2126 * rgb[0] + 0.7152 * rgb[1] + 0.0722 * rgb[2],
            rgb,
        }
    }
}

/// Everything a robot knows at a tick.
#[derive(Clone, Copy, Debug)]
pub struct Readings<'a> {
    /// One entry per floor sensor, in the order of the robot's sensors.
    pub sensors: &'a [Reading],
    /// Metres by each ranging sensor, in the order of the robot's.
    pub ranges: &'a [f64],
    /// Whether each touch switch is pressed, in the order of the robot's.
    pub touches: &'a [bool],
    /// Angle in rad that each wheel has turned, by its encoder: left, right.
    pub wheels: [f64; 2],
    /// Heading in rad by the gyro, counter-clockwise; absent without one.
    pub gyro: Option<f64>,
    /// Angle in rad of each actuator, in the order of the robot's.
    pub actuators: &'a [f64],
    /// Volts of the battery.
    pub battery: f64,
}

/// The commands of both motors.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Command {
    /// The left wheel's.
    pub left: WheelCommand,
    /// The right wheel's.
    pub right: WheelCommand,
}

impl Command {
    /// Both motors shorted: how every mission ends.
    pub const BRAKE: Self = Self {
        left: WheelCommand::Brake,
        right: WheelCommand::Brake,
    };
}

/// How a mission came to its end.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum End {
    /// An exit led to `done`, or below the last step.
    Done,
    /// Something led to `fail`.
    Failed {
        /// Index of the reason.
        reason: usize,
    },
    /// Steps that take no time led round in a circle.
    Circle {
        /// Index of one of them.
        step: StepId,
    },
    /// The time limit was reached.
    Limit,
}

/// Whether the mission goes on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Status {
    /// It goes on.
    Running,
    /// It is over; the motors brake.
    Ended(End),
}

/// Something worth a mark on the time axis.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub enum Event {
    /// A step began.
    Entered {
        /// Index of the step.
        step: StepId,
    },
    /// A line was crossed, and counted.
    Counted {
        /// Index of the step.
        step: StepId,
        /// Index of the exit that counts.
        exit: usize,
        /// Lines so far.
        count: u32,
    },
    /// A step ended.
    Left {
        /// Index of the step.
        step: StepId,
        /// Index of the exit that fired; none when something else ended it.
        exit: Option<usize>,
        /// Which look of the exit held, the first in written order.
        look: usize,
    },
    /// A behaviour ended by itself, by one of its own exits; the step is then left.
    Ended {
        /// Index of the step.
        step: StepId,
        /// Index of the exit.
        exit: usize,
    },
    /// A reflex took the wheels.
    Took {
        /// Its index.
        reflex: usize,
    },
    /// A reflex gave them back.
    Gave {
        /// Its index.
        reflex: usize,
    },
    /// Something was measured.
    Kept {
        /// Index of its name.
        name: usize,
    },
}

/// What a term remembers between ticks.
#[derive(Clone, Copy, Debug)]
#[expect(clippy::struct_excessive_bools, reason = "each is a mark of its own")]
pub(super) struct Memory {
    /// Whether it held at the last look.
    pub holds: bool,
    /// Whether the tone, or the press, was there at the last look.
    pub on: bool,
    /// Whether the line now under the sensor was entered during this step; whether a term is armed.
    pub entered: bool,
    /// Whether it has been looked at in this step at all.
    pub looked: bool,
    pub count: u32,
    /// The tick since which something lasts.
    pub since: u32,
    /// An extreme, an error or a place to compare with.
    pub marks: [f64; 2],
    /// The least distance from holding since the step began, in SI; infinite before it was
    /// evaluated.
    pub nearest: f64,
}

impl Default for Memory {
    fn default() -> Self {
        Self {
            holds: false,
            on: false,
            entered: false,
            looked: false,
            count: 0,
            since: 0,
            marks: [0.0; 2],
            nearest: f64::INFINITY,
        }
    }
}

/// A step that is active.
#[derive(Clone, Copy, Debug)]
pub(super) struct Frame {
    pub step: StepId,
    /// Tick at which it began.
    pub entered: u32,
    /// Encoder angles at entry.
    pub wheels: [f64; 2],
    /// Heading at entry, by whatever measures headings.
    pub heading: f64,
    /// Passes that a group has made; the row of a reaction that is done.
    pub passes: u32,
    /// How it ended by itself.
    pub ending: Option<Ending>,
    /// Which of its own exits made it do so, and by which look: small numbers, since a frame is
    /// copied at every tick.
    pub ender: Option<(u32, u32)>,
    /// How far off the line it was at the tick before.
    pub off: Option<f64>,
    /// How far off it was when the line was seen last.
    pub seen: f64,
    /// Seconds times how far off.
    pub sum: f64,
    /// Ticks for which the line has been out of sight.
    pub lost: u32,
    /// Which wheels of a squaring stand.
    pub stands: [bool; 2],
}

/// What a step did, for the one after it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
struct Last {
    distance: f64,
    turn: f64,
    time: f64,
    wheels: [f64; 2],
}

/// A reflex that has the wheels.
#[derive(Clone, Copy, Debug)]
struct Takeover {
    reflex: usize,
    /// How many steps were active when it took over.
    base: usize,
    /// What things were then.
    at: Frame,
}

/// A mission that runs.
#[derive(Clone, Debug)]
pub struct Controller {
    program: Arc<Program>,
    /// The steps that are active, outermost first; those of a reflex above those it broke into.
    pub(super) frames: Vec<Frame>,
    takeovers: Vec<Takeover>,
    /// For each reflex since when it watches, and whether its condition was false since it last
    /// took over.
    watches: Vec<(Frame, bool)>,
    pub(super) tick: u32,
    started: bool,
    pub(super) memory: Vec<Memory>,
    /// The reason of the `fail` that led to the last resort.
    failed: Option<usize>,
    /// What steps measured.
    kept: Vec<f64>,
    labels: Vec<bool>,
    last: Last,
    pub(super) heading_at_start: f64,
    /// Where it believes to be; kept only by programs that speak of zones.
    place: Odometry,
    /// Where each actuator was last sent, rad.
    wanted: Vec<f64>,
    /// The last commands of the motors.
    commanded: Command,
    /// The step that was active last, for whoever asks after the end.
    step: StepId,
    /// The step that it begins with.
    first: StepId,
}

/// What a controller knows besides the steps that are active.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Knowledge {
    kept: Vec<(String, f64)>,
    labels: Vec<(String, bool)>,
    last: Last,
    heading_at_start: Option<f64>,
    #[serde(default)]
    place: Option<Pose>,
}

impl Knowledge {
    /// Tells where the robot is: where somebody has put it down, or else what it believes; without
    /// either where it stands.
    pub fn locate(&mut self, put: Option<Pose>, stands: Pose) {
        self.place = put.or(self.place).or(Some(stands));
    }
}

/// How a step came to be left.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Left {
    /// One of its exits fired.
    Exit(usize),
    /// It came to its own end.
    Finished,
    /// A row of its `choose`, by its index, said where to go; none when no row held.
    Chose(Option<usize>),
    /// An exit of a step around it fired.
    Around(StepId, usize),
    /// The `react` around it went over to another row, by its index, or to none.
    Row(StepId, Option<usize>),
    /// The condition of its `while` reflex holds no longer.
    Over(usize),
    /// A reflex that had broken into it led elsewhere, or begins it anew.
    Reflex(usize),
    /// A step within it, or of its reflex, led out of it.
    GoneOn,
    /// The mission ended.
    End,
}

/// Somebody who follows a run while it is made, or made again.
pub trait Watch {
    /// A step is about to be left: how its exits stand at that moment, and what it is left by.
    fn leaving(&mut self, step: StepStanding, by: Left);
}

/// What everything within a tick goes by.
pub(super) struct Now<'n> {
    pub watch: Option<&'n mut (dyn Watch + 'n)>,
    pub program: &'n Program,
    pub readings: &'n Readings<'n>,
    pub events: &'n mut Vec<Event>,
}

/// An actuator nearer than this to its angle (rad) is there.
pub const THERE: f64 = 0.01;
/// A wheel whose rim moves less than this (m) within the time of `stalled` stands.
const STALLED: f64 = 0.002;
/// So near (rad) a heading is reached; it is also when it was passed between two looks.
const REACHED: f64 = 0.004;
/// This many steps may follow each other within one tick.
const MOST_HOPS: usize = 200;

impl Controller {
    /// A controller before its first tick.
    pub fn new(program: Arc<Program>) -> Self {
        let still = Frame::new(StepId(0), 0, [0.0; 2], 0.0);
        Self {
            frames: Vec::with_capacity(program.depth + 1),
            takeovers: Vec::with_capacity(program.reflexes.len()),
            watches: vec![(still, true); program.reflexes.len()],
            tick: 0,
            started: false,
            memory: vec![Memory::default(); program.memory],
            failed: None,
            kept: vec![0.0; program.kept.len()],
            labels: vec![false; program.labels.len()],
            last: Last::default(),
            heading_at_start: f64::NAN,
            place: Odometry::default(),
            wanted: program.actuators.clone(),
            commanded: Command::BRAKE,
            step: program.first,
            first: program.first,
            program,
        }
    }

    /// A controller that begins at another step, as if it had been come to, with what another
    /// controller knew then.
    ///
    /// The repeats and routines around the step are in their first pass. `step` must not be a part
    /// of a reflex.
    pub fn starting_at(program: Arc<Program>, step: StepId, known: &Knowledge) -> Self {
        let mut new = Self {
            first: step,
            step,
            ..Self::new(program)
        };
        let program = Arc::clone(&new.program);
        for (name, value) in &known.kept {
            if let Some(at) = program.kept.iter().position(|other| other == name) {
                new.kept[at] = *value;
            }
        }
        for (name, held) in &known.labels {
            if let Some(at) = program.labels.iter().position(|other| other == name) {
                new.labels[at] = *held;
            }
        }
        new.last = known.last;
        new.heading_at_start = known.heading_at_start.unwrap_or(f64::NAN);
        if let Some(place) = known.place {
            new.place = Odometry::at(place);
        }
        new
    }

    /// What it knows besides the steps that are active: what was measured, what was seen, what the
    /// last step did.
    pub fn knowledge(&self) -> Knowledge {
        Knowledge {
            kept: self
                .program
                .kept
                .iter()
                .cloned()
                .zip(self.kept.iter().copied())
                .collect(),
            labels: self
                .program
                .labels
                .iter()
                .cloned()
                .zip(self.labels.iter().copied())
                .collect(),
            last: self.last,
            heading_at_start: self.started.then_some(self.heading_at_start),
            place: (self.started && !self.program.zones.is_empty()).then(|| self.place.pose()),
        }
    }

    /// The step of the text that is active, the innermost one.
    pub fn step(&self) -> StepId {
        self.program.shown(self.step)
    }

    /// The mission that it runs.
    pub const fn program(&self) -> &Arc<Program> {
        &self.program
    }

    /// Goes on with another program, as if it had been that one from the start. They must be alike
    /// but for steps that were not entered yet ([`Program::changed`]).
    pub(crate) fn go_on_with(&mut self, program: Arc<Program>) {
        self.program = program;
    }

    /// Where each actuator is to go, rad.
    pub fn wanted(&self) -> &[f64] {
        &self.wanted
    }

    /// What was measured under a name, in SI; zero before.
    pub fn kept(&self, name: usize) -> f64 {
        self.kept[name]
    }

    /// One control period: looks at the readings, leaves steps whose exits hold, and commands the
    /// wheels.
    ///
    /// docs/controller.md says in which order. `events` is appended to; it grows only beyond the
    /// room it has.
    pub fn tick(&mut self, readings: &Readings<'_>, events: &mut Vec<Event>) -> (Command, Status) {
        self.tick_watched(readings, events, None)
    }

    /// The same with somebody who learns how exits stand when their step is left. Nothing else
    /// changes by it.
    pub fn tick_watched(
        &mut self,
        readings: &Readings<'_>,
        events: &mut Vec<Event>,
        watch: Option<&mut dyn Watch>,
    ) -> (Command, Status) {
        let program = Arc::clone(&self.program);
        let program = &*program;
        // Not passed on as it is: it may live longer than this tick.
        let watch = watch.map(|watch| &mut *watch as &mut dyn Watch);
        let now = &mut Now {
            watch,
            program,
            readings,
            events,
        };
        if !program.zones.is_empty() {
            self.locate(readings);
        }
        let end = if self.started {
            self.tick += 1;
            self.look_around(now)
        } else {
            self.started = true;
            if self.heading_at_start.is_nan() {
                self.heading_at_start = self.heading(readings);
            }
            let here = self.heading(readings);
            for (watch, _) in &mut self.watches {
                (watch.wheels, watch.heading) = (readings.wheels, here);
            }
            self.begin(now)
        };
        let end = end.or_else(|| {
            (self.tick >= program.limit_ticks).then(|| {
                self.leave_all(0, Left::End, now);
                End::Limit
            })
        });
        if let Some(end) = end {
            self.commanded = Command::BRAKE;
            return (Command::BRAKE, Status::Ended(end));
        }
        self.step = self.frames.last().map_or(self.step, |frame| frame.step);
        self.commanded = self.command(program, readings);
        (self.commanded, Status::Running)
    }

    /// Enters the first step, and before it those that it stands in.
    fn begin(&mut self, now: &mut Now<'_>) -> Option<End> {
        let program = now.program;
        let mut around: Vec<StepId> =
            std::iter::successors(program.steps[self.first].parent, |step| {
                program.steps[*step].parent
            })
            .collect();
        while let Some(step) = around.pop() {
            let frame = self.here(step, now.readings);
            self.frames.push(frame);
            now.events.push(Event::Entered { step });
        }
        let from = self.frames.len();
        self.go(Goal::Step(self.first), from, now)
    }

    /// Reflexes first, then exits from the outermost step inwards; the first that holds wins.
    fn look_around(&mut self, now: &mut Now<'_>) -> Option<End> {
        let program = now.program;
        let readings = now.readings;
        let mut first = None;
        let has = self.takeovers.last().map(|takeover| takeover.reflex);
        // Whoever moves before the start delay is over has lost.
        let waits = self
            .frames
            .first()
            .is_some_and(|frame| program.steps[frame.step].is_prelude());
        if waits {
            // Whatever a gyro drifts until it has settled is not turned.
            self.heading_at_start = self.heading(readings);
        }
        for (index, reflex) in program.reflexes.iter().enumerate() {
            let top = self
                .takeovers
                .first()
                .map_or(self.frames.len(), |takeover| takeover.base);
            let named = |frame: &Frame| reflex.within.contains(&frame.step);
            let watches =
                !waits && (reflex.within.is_empty() || self.frames[..top].iter().any(named));
            if !watches {
                self.memory[reflex.memory.clone()].fill(Memory::default());
                self.watches[index] = (self.here(reflex.step, readings), true);
                continue;
            }
            let frame = self.watches[index].0;
            let holds = self.holds(&reflex.term, &frame, None, now);
            let active = self
                .takeovers
                .iter()
                .position(|takeover| takeover.reflex == index);
            if let Some(at) = active {
                self.watches[index].1 |= !holds;
                if reflex.lasting && !holds && at + 1 == self.takeovers.len() {
                    let base = self.takeovers[at].base;
                    self.leave_all(base, Left::Over(index), now);
                    let (way, from) = self.give_back(now)?.0;
                    return self.go(way, from, now);
                }
                continue;
            }
            self.watches[index].1 |= !holds || reflex.lasting;
            let free = has.is_none_or(|has| index < has);
            if holds && free && self.watches[index].1 && first.is_none() {
                first = Some(index);
            }
        }
        if let Some(reflex) = first {
            self.watches[reflex].1 = false;
            let at = self.here(program.reflexes[reflex].step, readings);
            self.takeovers.push(Takeover {
                reflex,
                base: self.frames.len(),
                at,
            });
            now.events.push(Event::Took { reflex });
            return self.go(
                Goal::Step(program.reflexes[reflex].step),
                self.frames.len(),
                now,
            );
        }
        let base = self.takeovers.last().map_or(0, |takeover| takeover.base);
        let mut fired = None;
        // Out of the controller meanwhile, so that they can be read beside what is remembered,
        // without a copy.
        let frames = std::mem::take(&mut self.frames);
        for (at, frame) in frames.iter().enumerate().skip(base) {
            // All are looked at even after one holds: the counters of the others must not miss a
            // line.
            for (index, exit) in program.steps[frame.step].exits.iter().enumerate() {
                if exit.kind == ExitKind::AfterPass {
                    continue;
                }
                let holds = self.holds(&exit.term, frame, Some(index), now);
                if holds {
                    fired.get_or_insert((at, index));
                }
            }
        }
        self.frames = frames;
        if let Some((at, exit)) = fired {
            return self.fire(at, exit, now);
        }
        self.react(base, now)
    }

    /// Leaves a step by one of its exits.
    fn fire(&mut self, at: usize, exit: usize, now: &mut Now<'_>) -> Option<End> {
        let program = now.program;
        let step = self.frames[at].step;
        self.leave_all(at + 1, Left::Around(step, exit), now);
        let fired = &program.steps[step].exits[exit];
        if fired.kind == ExitKind::Own {
            self.ended_by(at, exit, now);
        } else {
            self.left(at, exit, now);
        }
        self.go(fired.goal, at, now)
    }

    /// Writes down that a behaviour ended by itself, by one of its own exits; its step is left
    /// afterwards.
    fn ended_by(&mut self, at: usize, exit: usize, now: &mut Now<'_>) {
        let program = now.program;
        let step = self.frames[at].step;
        let term = &program.steps[step].exits[exit].term;
        self.frames[at].ender = Some((exit as u32, self.held_look(term) as u32));
        self.forget_labels(term);
        self.keep_labels(term);
        now.events.push(Event::Ended { step, exit });
    }

    /// Which look of a term holds, the first in written order.
    fn held_look(&self, term: &Term) -> usize {
        let (mut look, mut found) = (0, None);
        term.each(&mut |one| {
            if self.memory[one.slot].holds && found.is_none() {
                found = Some(look);
            }
            look += 1;
        });
        found.unwrap_or(0)
    }

    /// Reports to whoever watches how the exits of a step stand that is about to be left.
    fn watched(&self, frame: &Frame, by: Left, now: &mut Now<'_>) {
        let readings = now.readings;
        if let Some(watch) = &mut now.watch {
            watch.leaving(self.step_standing(frame, readings), by);
        }
    }

    /// Writes down that a step was left by an exit, and which of its named terms held.
    fn left(&mut self, at: usize, exit: usize, now: &mut Now<'_>) {
        let program = now.program;
        let readings = now.readings;
        let frame = self.frames[at];
        let step = &program.steps[frame.step];
        self.watched(&frame, Left::Exit(exit), now);
        for other in step
            .exits
            .iter()
            .filter(|exit| exit.kind == ExitKind::Written)
        {
            self.forget_labels(&other.term);
        }
        let term = &step.exits[exit].term;
        self.keep_labels(term);
        let look = self.held_look(term);
        self.done(&frame, readings);
        now.events.push(Event::Left {
            step: frame.step,
            exit: Some(exit),
            look,
        });
    }

    fn forget_labels(&mut self, term: &Term) {
        match term {
            Term::Look(_) => {}
            Term::Any(terms) | Term::All(terms) => {
                for term in terms {
                    self.forget_labels(term);
                }
            }
            Term::Not(term) | Term::For(term, ..) | Term::After(term, ..) => {
                self.forget_labels(term);
            }
            Term::As(term, label) => {
                self.labels[*label] = false;
                self.forget_labels(term);
            }
        }
    }

    fn keep_labels(&mut self, term: &Term) {
        match term {
            Term::Look(_) => {}
            Term::Any(terms) | Term::All(terms) => {
                for term in terms {
                    self.keep_labels(term);
                }
            }
            Term::Not(term) | Term::For(term, ..) | Term::After(term, ..) => self.keep_labels(term),
            Term::As(term, label) => {
                self.labels[*label] |= self.held(term);
                self.keep_labels(term);
            }
        }
    }

    /// What a step did, for the next one to ask; a step that takes no time did nothing.
    fn done(&mut self, frame: &Frame, readings: &Readings<'_>) {
        if frame.entered == self.tick {
            return;
        }
        if let Action::Move {
            actuator,
            halts: true,
            ..
        } = self.program.steps[frame.step].action
        {
            self.wanted[actuator] = readings.actuators[actuator];
        }
        let radius = self.program.wheel_radius;
        let rolled = [0, 1].map(|wheel| (readings.wheels[wheel] - frame.wheels[wheel]) * radius);
        self.last = Last {
            distance: f64::midpoint(rolled[0], rolled[1]),
            turn: self.heading(readings) - frame.heading,
            time: f64::from(self.tick - frame.entered) * f64::from(self.program.period_ms) / 1e3,
            wheels: rolled,
        };
    }

    /// Leaves every step from a depth on, innermost first.
    fn leave_all(&mut self, from: usize, by: Left, now: &mut Now<'_>) {
        let readings = now.readings;
        while self.frames.len() > from {
            let Some(frame) = self.frames.pop() else {
                return;
            };
            self.watched(&frame, by, now);
            self.done(&frame, readings);
            now.events.push(Event::Left {
                step: frame.step,
                exit: None,
                look: 0,
            });
        }
    }

    /// A reflex has ended: things go on as if no time had passed. Returns where to go, if not just
    /// on, and what the steps that it broke into are left by.
    fn give_back(&mut self, now: &mut Now<'_>) -> Option<((Goal, usize), Left)> {
        let program = now.program;
        let readings = now.readings;
        let Takeover { reflex, base, at } = self.takeovers.pop()?;
        now.events.push(Event::Gave { reflex });
        let of = &program.reflexes[reflex];
        self.memory[of.memory.clone()].fill(Memory::default());
        self.watches[reflex].0 = self.here(of.step, readings);
        let here = self.here(StepId(0), readings);
        let from = self.takeovers.last().map_or(0, |takeover| takeover.base);
        match &of.after {
            After::Go(goal) => {
                return Some(((*goal, base), Left::Reflex(reflex)));
            }
            After::Restart => {
                let top = (from..base)
                    .rev()
                    .find(|&at| program.steps[self.frames[at].step].written)?;
                let step = self.frames[top].step;
                self.leave_all(top, Left::Reflex(reflex), now);
                return Some(((Goal::Step(step), top), Left::Reflex(reflex)));
            }
            After::Resume => {}
        }
        for frame in &mut self.frames[from..base] {
            frame.entered += here.entered - at.entered;
            for wheel in 0..2 {
                frame.wheels[wheel] += here.wheels[wheel] - at.wheels[wheel];
            }
            frame.heading += here.heading - at.heading;
            frame.off = None;
            for memory in &mut self.memory[program.steps[frame.step].memory.clone()] {
                // What is under the sensors now was not entered in this step.
                (memory.on, memory.looked) = (false, false);
            }
        }
        None
    }

    /// Goes on until a step wants time, or the mission ends.
    ///
    /// `from` is how many active steps have not been left yet; the one that was left last may still
    /// stand there.
    fn go(&mut self, mut way: Goal, mut from: usize, now: &mut Now<'_>) -> Option<End> {
        let program = now.program;
        let readings = now.readings;
        // What steps are left by that it leads out of.
        let mut by = Left::GoneOn;
        for _ in 0..MOST_HOPS {
            // The first reason stays: what comes after it is not what was planned, however it ends.
            if let (Goal::Fail(reason), None, Some(resort)) =
                (way, self.failed, program.last_resort)
            {
                self.failed = Some(reason);
                way = Goal::Step(resort);
            }
            match way {
                Goal::Done | Goal::Fail(_) => {
                    self.frames.truncate(from);
                    self.leave_all(0, Left::End, now);
                    return Some(match (self.failed, way) {
                        (Some(reason), _) | (None, Goal::Fail(reason)) => End::Failed { reason },
                        _ => End::Done,
                    });
                }
                Goal::Next => {
                    let step = self.frames[from].step;
                    let of = &program.steps[step];
                    way = match (of.next, of.parent, of.reflex) {
                        (Some(next), ..) => Goal::Step(next),
                        (None, Some(parent), _) => Goal::Pass(parent),
                        (None, None, None) => Goal::Done,
                        (None, None, Some(_)) => {
                            self.frames.truncate(from);
                            let ((next, at), left_by) = self.give_back(now)?;
                            (from, by) = (at, left_by);
                            next
                        }
                    };
                }
                Goal::Step(next) => {
                    self.frames.truncate(from);
                    if program.steps[next].reflex.is_none() {
                        // The mission goes on by itself: no reflex has the wheels any longer.
                        while let Some(takeover) = self.takeovers.pop() {
                            self.leave_all(takeover.base, by, now);
                            now.events.push(Event::Gave {
                                reflex: takeover.reflex,
                            });
                        }
                    }
                    let base = match program.steps[next].parent {
                        Some(parent) => {
                            self.frames.iter().rposition(|frame| frame.step == parent)? + 1
                        }
                        None => self.takeovers.last().map_or(0, |takeover| takeover.base),
                    };
                    self.leave_all(base, by, now);
                    by = Left::GoneOn;
                    (way, from) = self.enter(next, now)?;
                }
                Goal::Pass(group) => {
                    let at = self.up_to(group, from, now)?;
                    self.frames[at].passes += 1;
                    (way, from) = match &program.steps[group].action {
                        Action::Group { first, passes } => {
                            let over = match passes {
                                Passes::Once => true,
                                Passes::Times(times) => {
                                    f64::from(self.frames[at].passes) + 0.5
                                        > self.value(times, readings)
                                }
                                Passes::Forever => false,
                                Passes::Until(exit) => {
                                    let frame = self.frames[at];
                                    let term = &program.steps[group].exits[*exit].term;
                                    let over = self.holds(term, &frame, None, now);
                                    if over {
                                        self.ended_by(at, *exit, now);
                                    }
                                    over
                                }
                            };
                            let again = if over {
                                Goal::Complete(group, Ending::Finished)
                            } else {
                                Goal::Step(*first)
                            };
                            (again, at + 1)
                        }
                        // The row has come to its end: which one is next?
                        Action::Constant { .. }
                        | Action::Live { .. }
                        | Action::HoldHeading { .. }
                        | Action::Follow(_)
                        | Action::Keep { .. }
                        | Action::Square { .. }
                        | Action::Move { .. }
                        | Action::Signal { .. }
                        | Action::Measure { .. }
                        | Action::Choose(_)
                        | Action::React(_) => self.pick(at, now)?,
                    };
                }
                Goal::Complete(step, ending) => {
                    let at = self.up_to(step, from, now)?;
                    self.frames[at].ending = Some(ending);
                    let frame = self.frames[at];
                    let mut exit = None;
                    for (index, one) in program.steps[step].exits.iter().enumerate() {
                        if one.kind != ExitKind::Written {
                            continue;
                        }
                        let mut asks = false;
                        one.term
                            .each(&mut |look| asks |= matches!(look.test, Test::Ended(_)));
                        if asks && exit.is_none() && self.holds(&one.term, &frame, None, now) {
                            exit = Some(index);
                        }
                    }
                    from = at;
                    way = match exit {
                        Some(exit) => {
                            self.left(at, exit, now);
                            program.steps[step].exits[exit].goal
                        }
                        None => {
                            let (exit, look) = frame.ender.map_or((None, 0), |(exit, look)| {
                                (Some(exit as usize), look as usize)
                            });
                            let by = exit.map_or(Left::Finished, Left::Exit);
                            self.watched(&frame, by, now);
                            self.done(&frame, readings);
                            now.events.push(Event::Left { step, exit, look });
                            Goal::Next
                        }
                    };
                }
            }
        }
        let step = program.shown(self.step);
        self.frames.truncate(from);
        self.leave_all(0, Left::End, now);
        Some(End::Circle { step })
    }

    /// Leaves what is within a step, which stays; returns where it is.
    fn up_to(&mut self, step: StepId, from: usize, now: &mut Now<'_>) -> Option<usize> {
        let at = self.frames.iter().rposition(|frame| frame.step == step)?;
        self.frames.truncate(from.max(at + 1));
        self.leave_all(at + 1, Left::GoneOn, now);
        Some(at)
    }

    /// Begins a step. Returns where to go at once when it takes no time.
    fn enter(&mut self, step: StepId, now: &mut Now<'_>) -> Option<(Goal, usize)> {
        let program = now.program;
        let readings = now.readings;
        let at = self.frames.len();
        let frame = self.here(step, readings);
        self.frames.push(frame);
        self.step = step;
        self.memory[program.steps[step].memory.clone()].fill(Memory::default());
        now.events.push(Event::Entered { step });
        let complete = Some((Goal::Complete(step, Ending::Finished), at + 1));
        match &program.steps[step].action {
            Action::Group { first, passes } => {
                let none =
                    matches!(passes, Passes::Times(times) if self.value(times, readings) < 0.5);
                if none {
                    complete
                } else {
                    Some((Goal::Step(*first), at + 1))
                }
            }
            Action::Measure { value, into } => {
                self.kept[*into] = self.value(value, readings);
                now.events.push(Event::Kept { name: *into });
                complete
            }
            Action::Choose(rows) => {
                let mut way = None;
                for (index, row) in rows.iter().enumerate() {
                    let holds =
                        (row.term.as_ref()).is_none_or(|term| self.holds(term, &frame, None, now));
                    if holds && way.is_none() {
                        way = Some((index, row.goal));
                    }
                }
                self.watched(&frame, Left::Chose(way.map(|(row, _)| row)), now);
                now.events.push(Event::Left {
                    step,
                    exit: None,
                    look: 0,
                });
                Some((way.map_or(Goal::Next, |(_, goal)| goal), at))
            }
            Action::React(_) => self.pick(at, now),
            Action::Move {
                actuator,
                angle,
                from_here,
                alongside,
                ..
            } => {
                let from = if *from_here {
                    readings.actuators[*actuator]
                } else {
                    0.0
                };
                self.wanted[*actuator] = from + self.value(angle, readings);
                if *alongside { complete } else { None }
            }
            Action::Signal { waits: false, .. } => complete,
            Action::Constant { .. }
            | Action::Live { .. }
            | Action::HoldHeading { .. }
            | Action::Follow(_)
            | Action::Keep { .. }
            | Action::Square { .. }
            | Action::Signal { .. } => None,
        }
    }

    /// Which row of a reaction is to be done, now that none is.
    fn pick(&mut self, at: usize, now: &mut Now<'_>) -> Option<(Goal, usize)> {
        let program = now.program;
        let row = self.row(at, now);
        self.frames[at].passes = row.map_or(u32::MAX, |row| row as u32);
        let Action::React(rows) = &program.steps[self.frames[at].step].action else {
            return None;
        };
        Some((Goal::Step(rows[row?].step), at + 1))
    }

    /// The first row that holds; all are looked at.
    fn row(&mut self, at: usize, now: &mut Now<'_>) -> Option<usize> {
        let program = now.program;
        let frame = self.frames[at];
        let Action::React(rows) = &program.steps[frame.step].action else {
            return None;
        };
        let mut first = None;
        for (index, row) in rows.iter().enumerate() {
            let holds = row
                .term
                .as_ref()
                .is_none_or(|term| self.holds(term, &frame, None, now));
            if holds && first.is_none() {
                first = Some(index);
            }
        }
        first
    }

    /// Lets reactions change over: to a row above at any time, to one below when the one that is
    /// done may be broken off.
    fn react(&mut self, base: usize, now: &mut Now<'_>) -> Option<End> {
        let program = now.program;
        for at in base..self.frames.len() {
            let frame = self.frames[at];
            let Action::React(rows) = &program.steps[frame.step].action else {
                continue;
            };
            let done = frame.passes as usize;
            let row = self.row(at, now);
            let index = row.unwrap_or(usize::MAX);
            let kept = rows.get(done).is_some_and(|row| row.whole);
            if index == done || (row.is_none() && done >= rows.len()) || (kept && index > done) {
                continue;
            }
            self.leave_all(at + 1, Left::Row(frame.step, row), now);
            self.frames[at].passes = row.map_or(u32::MAX, |row| row as u32);
            let row = row?;
            return self.go(Goal::Step(rows[row].step), at + 1, now);
        }
        None
    }

    /// A step that begins now.
    fn here(&self, step: StepId, readings: &Readings<'_>) -> Frame {
        Frame::new(step, self.tick, readings.wheels, self.heading(readings))
    }

    /// The heading in rad, counter-clockwise, by the gyro or else from the wheels.
    pub(super) fn heading(&self, readings: &Readings<'_>) -> f64 {
        let [left, right] = readings.wheels;
        readings
            .gyro
            .unwrap_or((right - left) * self.program.wheel_radius / self.program.track_width)
    }
}

impl Frame {
    const fn new(step: StepId, entered: u32, wheels: [f64; 2], heading: f64) -> Self {
        Self {
            step,
            entered,
            wheels,
            heading,
            passes: 0,
            ending: None,
            ender: None,
            off: None,
            seen: 0.0,
            sum: 0.0,
            lost: 0,
            stands: [false; 2],
        }
    }
}
