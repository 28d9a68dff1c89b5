//! The running mission: state and the one function that moves it on.

use std::sync::Arc;

use super::program::{Action, Goal, Program, Test, WheelCommand};
use crate::units::math::wrap;

/// What one floor sensor last published, shares of full scale.
#[derive(Clone, Copy, Debug, PartialEq, Default)]
pub struct Reading {
    /// One brightness.
    pub brightness: f64,
    /// Red, green and blue; equal to the brightness for a sensor without colours.
    pub rgb: [f64; 3],
}

impl Reading {
    /// A reading of three colours, with their brightness. Weights: Rec. 709, as for the brightness of a surface.
    pub fn of(rgb: [f64; 3]) -> Self {
        Self { brightness: 0.2126 * rgb[0] + 0.7152 * rgb[1] + 0.0722 * rgb[2], rgb }
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

/// What both motors are told.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Command {
    /// The left wheel's.
    pub left: WheelCommand,
    /// The right wheel's.
    pub right: WheelCommand,
}

impl Command {
    /// Both motors shorted: how every mission ends.
    pub const BRAKE: Self = Self { left: WheelCommand::Brake, right: WheelCommand::Brake };
}

/// How a mission came to its end.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum End {
    /// An exit led to `done`, or below the last step.
    Done,
    /// An exit led to `fail`: which step and which of its exits.
    Failed {
        /// Index of the step.
        step: usize,
        /// Index of its exit.
        exit: usize,
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
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Event {
    /// A step began.
    Entered {
        /// Index of the step.
        step: usize,
    },
    /// A line was crossed, and counted.
    Counted {
        /// Index of the step.
        step: usize,
        /// Index of the exit that counts.
        exit: usize,
        /// Lines so far.
        count: u32,
    },
    /// A step ended.
    Left {
        /// Index of the step.
        step: usize,
        /// Index of the exit that fired; none at the time limit.
        exit: Option<usize>,
    },
}

/// What an exit remembers between ticks.
#[derive(Clone, Copy, Debug, Default)]
struct Memory {
    /// Whether the tone was seen at the last look.
    on: bool,
    /// Whether the line now under the sensor was entered during this step.
    entered: bool,
    /// Whether the sensor has been looked at in this step at all.
    looked: bool,
    count: u32,
}

/// A mission that runs.
#[derive(Clone, Debug)]
pub struct Controller {
    program: Arc<Program>,
    step: usize,
    tick: u32,
    entered: u32,
    started: bool,
    /// Encoder angles at entry.
    wheels_at_entry: [f64; 2],
    /// Heading at entry, by whatever measures headings.
    heading_at_entry: f64,
    memories: Vec<Memory>,
    /// Where each actuator was last sent, rad.
    wanted: Vec<f64>,
}

/// An actuator nearer than this to its angle (rad) is there.
pub const THERE: f64 = 0.01;

impl Controller {
    /// A controller before its first tick.
    pub fn new(program: Arc<Program>) -> Self {
        let most = program.steps.iter().map(|step| step.exits.len()).max().unwrap_or(0);
        Self {
            wanted: program.actuators.clone(),
            program,
            step: 0,
            tick: 0,
            entered: 0,
            started: false,
            wheels_at_entry: [0.0; 2],
            heading_at_entry: 0.0,
            memories: vec![Memory::default(); most],
        }
    }

    /// The step that is active.
    pub const fn step(&self) -> usize {
        self.step
    }

    /// Where each actuator is to go, rad.
    pub fn wanted(&self) -> &[f64] {
        &self.wanted
    }

    /// One control period: looks at the readings, leaves the step if an exit holds, and commands the wheels.
    ///
    /// Exits are looked at in written order and the first that holds wins. A step that is entered commands the
    /// wheels at once; its own exits are looked at from the next tick on, so no chain of steps takes zero time.
    /// `events` is appended to; give it room for `2 + exits` entries and it never grows.
    pub fn tick(&mut self, readings: &Readings<'_>, events: &mut Vec<Event>) -> (Command, Status) {
        if !self.started {
            self.started = true;
            self.enter(0, readings, events);
            return (self.command(readings), Status::Running);
        }
        self.tick += 1;
        if let Some(exit) = self.first_exit(readings, events) {
            events.push(Event::Left { step: self.step, exit: Some(exit) });
            match self.program.steps[self.step].exits[exit].goal {
                Goal::Step(next) => self.enter(next, readings, events),
                Goal::Done => return (Command::BRAKE, Status::Ended(End::Done)),
                Goal::Fail(_) => return (Command::BRAKE, Status::Ended(End::Failed { step: self.step, exit })),
            }
        }
        if self.tick >= self.program.limit_ticks {
            events.push(Event::Left { step: self.step, exit: None });
            return (Command::BRAKE, Status::Ended(End::Limit));
        }
        (self.command(readings), Status::Running)
    }

    fn enter(&mut self, step: usize, readings: &Readings<'_>, events: &mut Vec<Event>) {
        self.step = step;
        self.entered = self.tick;
        self.wheels_at_entry = readings.wheels;
        self.heading_at_entry = self.heading(readings);
        self.memories.fill(Memory::default());
        if let Action::Move { actuator, angle } = self.program.steps[step].action {
            self.wanted[actuator] = angle;
        }
        events.push(Event::Entered { step });
    }

    /// The heading in rad, counter-clockwise, by the gyro or else from the wheels.
    fn heading(&self, readings: &Readings<'_>) -> f64 {
        let [left, right] = readings.wheels;
        readings.gyro.unwrap_or((right - left) * self.program.wheel_radius / self.program.track_width)
    }

    fn first_exit(&mut self, readings: &Readings<'_>, events: &mut Vec<Event>) -> Option<usize> {
        let program = Arc::clone(&self.program);
        let exits = &program.steps[self.step].exits;
        let mut first = None;
        // All are looked at even after one holds: the counters of the others must not miss a line.
        for (index, exit) in exits.iter().enumerate() {
            if self.holds(index, &exit.test, readings, events) && first.is_none() {
                first = Some(index);
            }
        }
        first
    }

    fn holds(&mut self, exit: usize, test: &Test, readings: &Readings<'_>, events: &mut Vec<Event>) -> bool {
        match test {
            Test::Bright { sensor, limits } => {
                let memory = &mut self.memories[exit];
                memory.on = limits.holds(readings.sensors[*sensor].brightness, memory.on);
                memory.on
            }
            Test::Colour { sensor, tone } => {
                self.program.tones[*sensor].nearest_colour(&readings.sensors[*sensor]) == Some(*tone)
            }
            Test::Reads { sensor, below, limit } => {
                let brightness = readings.sensors[*sensor].brightness;
                if *below { brightness < *limit } else { brightness > *limit }
            }
            Test::Range { ranger, below, limit } => {
                let range = readings.ranges[*ranger];
                if *below { range < *limit } else { range > *limit }
            }
            Test::Crossed { sensor, limits, count } => {
                let memory = &mut self.memories[exit];
                let on = limits.holds(readings.sensors[*sensor].brightness, memory.on);
                if on && !memory.on {
                    // A line that the step began on was not entered in it, and is not counted.
                    memory.entered = memory.looked;
                } else if !on && memory.on && memory.entered {
                    memory.count += 1;
                    events.push(Event::Counted { step: self.step, exit, count: memory.count });
                }
                memory.on = on;
                memory.looked = true;
                memory.count >= *count
            }
            Test::Travelled(distance) => self.travelled(readings).abs() >= *distance,
            Test::Turned(angle) => (self.heading(readings) - self.heading_at_entry).abs() >= *angle,
            Test::Battery { below, limit } => (readings.battery < *limit) == *below && readings.battery != *limit,
            Test::Passed(ticks) => self.tick - self.entered >= *ticks,
            Test::Switch { switch, pressed } => readings.touches[*switch] == *pressed,
            Test::Bumped(switch) => {
                let (memory, now) = (&mut self.memories[exit], readings.touches[*switch]);
                // Pressed already when the step began: that press belongs to what was before.
                memory.entered |= now && !memory.on && memory.looked;
                (memory.on, memory.looked) = (now, true);
                memory.entered && !now
            }
            Test::There(actuator) => (readings.actuators[*actuator] - self.wanted[*actuator]).abs() < THERE,
            Test::Blocked(actuator) => {
                let ((from, to), at) = (self.program.stops[*actuator], readings.actuators[*actuator]);
                let wanted = self.wanted[*actuator];
                (wanted > to && at >= to) || (wanted < from && at <= from)
            }
        }
    }

    /// Metres since the step began, ahead positive: the mean of both wheels.
    fn travelled(&self, readings: &Readings<'_>) -> f64 {
        let turned = |wheel: usize| readings.wheels[wheel] - self.wheels_at_entry[wheel];
        f64::midpoint(turned(0), turned(1)) * self.program.wheel_radius
    }

    fn command(&self, readings: &Readings<'_>) -> Command {
        let steer =
            |pace: WheelCommand, shift: f64| Command { left: pace.plus(-shift, 1.0), right: pace.plus(shift, 1.0) };
        match self.program.steps[self.step].action {
            Action::Constant { left, right } => Command { left, right },
            Action::HoldHeading { pace, gain } => {
                // A positive error means that the robot must turn left.
                steer(pace, gain * wrap(self.heading_at_entry - self.heading(readings)))
            }
            Action::FollowEdge { sensor, middle, half, pace, gain } => {
                let off = ((readings.sensors[sensor].brightness - middle) / half).clamp(-1.0, 1.0);
                Command { left: pace.times(1.0 + gain * off), right: pace.times(1.0 - gain * off) }
            }
            Action::Move { .. } | Action::Signal { .. } => Command::BRAKE,
        }
    }
}
