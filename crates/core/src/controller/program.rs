//! A checked mission made ready to run: names resolved, units gone, tones turned into limits.

use super::tone::{Limits, Tones};
use crate::mission::{
    Behaviour, Condition, DeviceState, Direction, Exit, Mission, Spanned, Step, StopKind, Target, Value, Wheel,
};
use crate::robot::Robot;
use crate::units::{Dimension, Quantity};

/// Run time in seconds after which a mission without a limit is ended.
const LIMIT_WITHOUT_LINE: f64 = 600.0;

/// What one motor is told.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum WheelCommand {
    /// Share of the battery voltage, -1 to 1.
    Duty(f64),
    /// Terminals shorted.
    Brake,
    /// Terminals open.
    Coast,
    /// A rim speed in m/s that the motor's driver keeps by the encoder.
    Speed(f64),
    /// The angle at which this was first told, kept by the encoder.
    Keep,
}

impl WheelCommand {
    /// So many times as much drive.
    #[must_use]
    pub fn times(self, factor: f64) -> Self {
        self.plus(0.0, factor)
    }

    /// So many times as much drive, and so much more (a share of the battery voltage, or m/s), within what is possible.
    #[must_use]
    pub fn plus(self, more: f64, factor: f64) -> Self {
        match self {
            Self::Duty(duty) => Self::Duty((duty * factor + more).clamp(-1.0, 1.0)),
            Self::Speed(speed) => Self::Speed(speed * factor + more),
            other => other,
        }
    }
}

/// What a step does with the wheels.
#[derive(Clone, Debug, PartialEq)]
pub enum Action {
    /// The same command all the time.
    Constant {
        /// The left wheel's.
        left: WheelCommand,
        /// The right wheel's.
        right: WheelCommand,
    },
    /// The heading at entry is kept by adding to one wheel what is taken from the other.
    HoldHeading {
        /// What both wheels are told when the heading is right.
        pace: WheelCommand,
        /// Duty, or m/s, for each rad of error.
        gain: f64,
    },
    /// One edge of a line is followed in proportion to the reading.
    FollowEdge {
        /// Index of the sensor.
        sensor: usize,
        /// Reading right on the edge.
        middle: f64,
        /// From there to the reading that counts as wholly off; the sign says to which side to steer.
        half: f64,
        /// What both wheels are told on the edge.
        pace: WheelCommand,
        /// Share of the pace that is shifted when wholly off.
        gain: f64,
    },
    /// An actuator goes to an angle while the wheels brake.
    Move {
        /// Its index.
        actuator: usize,
        /// The angle, rad.
        angle: f64,
    },
    /// A signal is given while the wheels brake.
    Signal {
        /// Its index.
        signal: usize,
        /// What it shows, says or plays.
        words: String,
    },
}

/// What an exit looks at.
#[derive(Clone, Debug, PartialEq)]
pub enum Test {
    /// Brightness within the limits of a tone.
    Bright {
        /// Index of the sensor.
        sensor: usize,
        /// The tone's limits.
        limits: Limits,
    },
    /// Nearest calibrated colour.
    Colour {
        /// Index of the sensor.
        sensor: usize,
        /// Index of the tone among the sensor's.
        tone: usize,
    },
    /// Brightness against one limit.
    Reads {
        /// Index of the sensor.
        sensor: usize,
        /// Less than, instead of more than.
        below: bool,
        /// Share of full scale.
        limit: f64,
    },
    /// Lines crossed: entered and left again.
    Crossed {
        /// Index of the sensor.
        sensor: usize,
        /// The tone's limits.
        limits: Limits,
        /// Lines to cross.
        count: u32,
    },
    /// Metres rolled since the step began, by the encoders.
    Travelled(f64),
    /// Radians turned since the step began, by the gyro or else the encoders.
    Turned(f64),
    /// A ranging sensor's reading is below, or above, a limit in metres.
    Range {
        /// Index of the ranging sensor.
        ranger: usize,
        /// Below instead of above.
        below: bool,
        /// The limit in metres.
        limit: f64,
    },
    /// Ticks since the step began.
    Passed(u32),
    /// The battery's voltage against a limit in V.
    Battery {
        /// Below instead of above.
        below: bool,
        /// The limit in V.
        limit: f64,
    },
    /// A touch switch or a button is pressed, or is not.
    Switch {
        /// Its index.
        switch: usize,
        /// Pressed instead of released.
        pressed: bool,
    },
    /// A switch was pressed and let go again since the step began.
    Bumped(usize),
    /// An actuator is at the angle it was sent to.
    There(usize),
    /// An actuator stands at an end stop and its angle lies beyond.
    Blocked(usize),
}

impl Test {
    /// The floor sensor that the test reads, if any.
    pub const fn sensor(&self) -> Option<usize> {
        match self {
            Self::Bright { sensor, .. }
            | Self::Colour { sensor, .. }
            | Self::Reads { sensor, .. }
            | Self::Crossed { sensor, .. } => Some(*sensor),
            Self::Range { .. }
            | Self::Travelled(_)
            | Self::Turned(_)
            | Self::Passed(_)
            | Self::Battery { .. }
            | Self::Switch { .. }
            | Self::Bumped(_)
            | Self::There(_)
            | Self::Blocked(_) => None,
        }
    }
}

/// Where an exit leads.
#[derive(Clone, Debug, PartialEq)]
pub enum Goal {
    /// A step by its index.
    Step(usize),
    /// The planned end.
    Done,
    /// An unplanned end, with its reason.
    Fail(String),
}

/// One exit.
#[derive(Clone, Debug, PartialEq)]
pub struct ProgramExit {
    /// What it looks at.
    pub test: Test,
    /// Where it leads.
    pub goal: Goal,
    /// The line of the mission text it stands on, from 0.
    pub line: usize,
    /// Its condition as written, for reports.
    pub words: String,
}

/// One step.
#[derive(Clone, Debug, PartialEq)]
pub struct ProgramStep {
    /// Its name.
    pub name: String,
    /// The line of the mission text that names it, from 0.
    pub line: usize,
    /// What it does.
    pub action: Action,
    /// What ends it, in written order.
    pub exits: Vec<ProgramExit>,
}

/// A mission ready to run on one robot with one calibration.
#[derive(Clone, Debug, PartialEq)]
pub struct Program {
    /// Its steps; never empty.
    pub steps: Vec<ProgramStep>,
    /// Control ticks after which it is ended.
    pub limit_ticks: u32,
    /// Milliseconds between two ticks.
    pub period_ms: u32,
    /// Wheel radius that the robot believes it has, metres.
    pub wheel_radius: f64,
    /// Track width that the robot believes it has, metres.
    pub track_width: f64,
    /// Whether turns are measured by a gyro.
    pub has_gyro: bool,
    /// The tones of each sensor, in the order of the robot's sensors.
    pub tones: Vec<Tones>,
    /// Angle of each actuator at the start, rad.
    pub actuators: Vec<f64>,
    /// End stops of each actuator, rad.
    pub stops: Vec<(f64, f64)>,
}

/// Duty for each rad of heading error, over the square root of the duty driven at: strong enough to hold against a
/// motor mismatch of a tenth, weak enough not to weave (tried on the demo robot from 15 % to 100 %).
const HEADING_GAIN: f64 = 2.5;

impl Program {
    /// Compiles a mission for a robot; none when it has errors, which parsing and checking have told.
    ///
    /// - `text`: the mission's own text, for the words of conditions
    /// - `tones`: one entry per sensor of the robot
    pub fn compile(text: &str, mission: &Mission, robot: &Robot, tones: &[Tones]) -> Option<Self> {
        let compiler = Compiler { text, mission, robot, tones };
        let steps = mission.steps.iter().enumerate().map(|(index, step)| compiler.step(index, step));
        let steps = steps.collect::<Option<Vec<_>>>().filter(|steps| !steps.is_empty())?;
        let limit = mission.limit.as_ref().map_or(LIMIT_WITHOUT_LINE, |limit| limit.node.si());
        Some(Self {
            steps,
            limit_ticks: compiler.ticks(limit),
            period_ms: robot.control_ms,
            wheel_radius: robot.wheel_diameter / 2.0,
            track_width: robot.track_width,
            has_gyro: robot.gyro.is_some(),
            tones: tones.to_vec(),
            actuators: robot.actuators.iter().map(|actuator| actuator.starts).collect(),
            stops: robot.actuators.iter().map(|actuator| actuator.stops).collect(),
        })
    }
}

struct Compiler<'a> {
    text: &'a str,
    mission: &'a Mission,
    robot: &'a Robot,
    tones: &'a [Tones],
}

impl Compiler<'_> {
    fn step(&self, index: usize, step: &Step) -> Option<ProgramStep> {
        if step.broken {
            return None;
        }
        let action = self.action(&step.behaviour.as_ref()?.0.node)?;
        let exits = step.exits.iter().map(|exit| self.exit(index, exit)).collect::<Option<Vec<_>>>()?;
        Some(ProgramStep { name: step.name.node.clone(), line: step.line, action, exits })
    }

    fn action(&self, behaviour: &Behaviour) -> Option<Action> {
        let both = |pace: WheelCommand, left: f64, right: f64| Action::Constant {
            left: pace.times(left),
            right: pace.times(right),
        };
        let turn = |direction: &Direction| if *direction == Direction::Left { 1.0 } else { -1.0 };
        Some(match behaviour {
            Behaviour::Drive { back, speed, arc, hold_heading } => {
                let pace = self.pace(speed)?.times(if *back { -1.0 } else { 1.0 });
                if *hold_heading {
                    Action::HoldHeading { pace, gain: self.heading_gain(pace) }
                } else if let Some((side, radius)) = arc {
                    // The middle of the axle goes round at the pace, unless the outer wheel cannot keep up.
                    let lean = self.robot.track_width / 2.0 / self.value(radius)? * turn(side);
                    let most = if let WheelCommand::Duty(duty) = pace {
                        (1.0 / (duty.abs() * (1.0 + lean.abs())).max(1e-9)).min(1.0)
                    } else {
                        1.0
                    };
                    both(pace, most * (1.0 - lean), most * (1.0 + lean))
                } else {
                    both(pace, 1.0, 1.0)
                }
            }
            Behaviour::Spin { direction, speed } => both(self.pace(speed)?, -turn(direction), turn(direction)),
            Behaviour::Pivot { direction, on, speed } => {
                let pace = self.pace(speed)?.times(turn(direction));
                match on {
                    Wheel::Left => Action::Constant { left: WheelCommand::Brake, right: pace },
                    Wheel::Right => Action::Constant { left: pace.times(-1.0), right: WheelCommand::Brake },
                }
            }
            Behaviour::Move { actuator, angle } => {
                Action::Move { actuator: self.robot.actuator(&actuator.node)?, angle: self.value(angle)? }
            }
            Behaviour::Signal { signal, words } => {
                Action::Signal { signal: self.robot.signal(&signal.node)?, words: words.node.clone() }
            }
            Behaviour::Follow { edge, tone, sensor, speed, gain } => {
                let sensor = self.robot.sensor(&sensor.node)?;
                let tones = &self.tones[sensor];
                let (middle, half) = tones.edge(tones.index(&tone.node)?)?;
                // On the left edge the ground is on the left: what looks like ground steers to the right.
                let half = if *edge == Direction::Left { half } else { -half };
                Action::FollowEdge { sensor, middle, half, pace: self.pace(speed)?, gain: self.value(gain)? }
            }
            Behaviour::Hold { stop } => {
                let command = match stop {
                    StopKind::Brake => WheelCommand::Brake,
                    StopKind::Coast => WheelCommand::Coast,
                    StopKind::Keep => WheelCommand::Keep,
                };
                Action::Constant { left: command, right: command }
            }
        })
    }

    fn exit(&self, step: usize, exit: &Exit) -> Option<ProgramExit> {
        let limits = |sensor: usize, tone: &str| -> Option<Limits> {
            let tones = &self.tones[sensor];
            tones.index(tone).map(|index| tones.limits(index))
        };
        let test = match &exit.condition.node {
            Condition::Sees { sensor, tone } => {
                let sensor = self.robot.sensor(&sensor.node)?;
                if self.tones[sensor].by_colour {
                    Test::Colour { sensor, tone: self.tones[sensor].index(&tone.node)? }
                } else {
                    Test::Bright { sensor, limits: limits(sensor, &tone.node)? }
                }
            }
            Condition::Reads { sensor, below, limit } => {
                let dimension = self.quantity(limit)?.unit.dimension();
                let (below, limit) = (*below, self.value(limit)?);
                match self.robot.ranger(&sensor.node) {
                    _ if dimension == Dimension::Voltage => Test::Battery { below, limit },
                    Some(ranger) => Test::Range { ranger, below, limit },
                    None => Test::Reads { sensor: self.robot.sensor(&sensor.node)?, below, limit },
                }
            }
            Condition::Crossed { sensor, count, tone } => {
                let sensor = self.robot.sensor(&sensor.node)?;
                Test::Crossed { sensor, limits: limits(sensor, &tone.node)?, count: self.value(count)? as u32 }
            }
            Condition::Is { device, state } => match state {
                DeviceState::Pressed | DeviceState::Released => {
                    Test::Switch { switch: self.robot.touch(&device.node)?, pressed: *state == DeviceState::Pressed }
                }
                DeviceState::Bumped => Test::Bumped(self.robot.touch(&device.node)?),
                DeviceState::There => Test::There(self.robot.actuator(&device.node)?),
                DeviceState::Blocked => Test::Blocked(self.robot.actuator(&device.node)?),
            },
            Condition::Travelled(distance) => Test::Travelled(self.value(distance)?),
            Condition::Turned(angle) => Test::Turned(self.value(angle)?),
            Condition::Passed(duration) => Test::Passed(self.ticks(self.value(duration)?)),
        };
        let goal = match &exit.target.node {
            Target::Next if step + 1 < self.mission.steps.len() => Goal::Step(step + 1),
            // Below the last step the mission is over.
            Target::Next | Target::Done => Goal::Done,
            Target::Step(name) => Goal::Step(self.mission.steps.iter().position(|step| step.name.node == *name)?),
            Target::Fail(reason) => Goal::Fail(reason.clone()),
        };
        let words = self.text[exit.condition.span.clone()].split_whitespace().collect::<Vec<_>>().join(" ");
        Some(ProgramExit { test, goal, line: exit.line, words })
    }

    fn value(&self, value: &Spanned<Value>) -> Option<f64> {
        self.quantity(value).map(Quantity::si)
    }

    fn quantity(&self, value: &Spanned<Value>) -> Option<Quantity> {
        match &value.node {
            Value::Literal(literal) => Some(*literal),
            Value::Named(name) => {
                self.mission.lets.iter().find(|entry| entry.name.node == *name).map(|entry| entry.value.node)
            }
        }
    }

    /// What a speed tells a wheel: a duty, or a speed to keep.
    fn pace(&self, speed: &Spanned<Value>) -> Option<WheelCommand> {
        let quantity = self.quantity(speed)?;
        let is_speed = quantity.unit.dimension() == Dimension::Speed;
        Some(if is_speed { WheelCommand::Speed(quantity.si()) } else { WheelCommand::Duty(quantity.si()) })
    }

    fn heading_gain(&self, pace: WheelCommand) -> f64 {
        match pace {
            // As strong as with the duty that drives as fast.
            WheelCommand::Speed(speed) => {
                let top = self.robot.top_speed();
                HEADING_GAIN * (speed.abs() / top).sqrt() * top
            }
            WheelCommand::Duty(duty) => HEADING_GAIN * duty.abs().sqrt(),
            WheelCommand::Brake | WheelCommand::Coast | WheelCommand::Keep => 0.0,
        }
    }

    /// Whole control periods that last at least so many seconds.
    fn ticks(&self, seconds: f64) -> u32 {
        // A hair less, so that 0.3 s at 10 ms are 30 ticks and not 31.
        (seconds * 1e3 / f64::from(self.robot.control_ms) - 1e-6).ceil().max(0.0) as u32
    }
}
