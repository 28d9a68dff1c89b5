//! What a mission text says, with the span of everything.

use std::ops::Range;

use crate::units::{Dimension, Quantity};

/// A part of the text and what it means.
#[derive(Clone, Debug, PartialEq)]
pub struct Spanned<T> {
    /// The meaning.
    pub node: T,
    /// Its bytes in the mission text.
    pub span: Range<usize>,
}

/// An amount: written out, or the name of a `let`.
#[derive(Clone, Debug, PartialEq)]
pub enum Value {
    /// A number with its unit.
    Literal(Quantity),
    /// The name of a `let`.
    Named(String),
}

/// Which way to turn, or which edge.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Direction {
    /// Counter-clockwise; the left edge.
    Left,
    /// Clockwise; the right edge.
    Right,
}

/// One of the two driven wheels.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Wheel {
    /// The left one.
    Left,
    /// The right one.
    Right,
}

/// What the motors do while a step holds still.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum StopKind {
    /// Terminals shorted: the motors resist turning.
    Brake,
    /// Terminals open: the robot rolls out.
    Coast,
    /// The wheels go back to where they were when the step began.
    Keep,
}

/// What the robot does during a step.
#[derive(Clone, Debug, PartialEq)]
pub enum Behaviour {
    /// `drive ahead at 45 % holding the heading`
    Drive {
        /// Backwards instead of ahead.
        back: bool,
        /// Duty as a percentage, or a regulated speed.
        speed: Spanned<Value>,
        /// The circle that is driven on, and to which side it bends; straight without one.
        arc: Option<(Direction, Spanned<Value>)>,
        /// Steer so that the heading at entry is kept.
        hold_heading: bool,
    },
    /// `spin left at 30 %`
    Spin {
        /// Which way.
        direction: Direction,
        /// Duty of both wheels, in opposite senses.
        speed: Spanned<Value>,
    },
    /// `pivot left on the left wheel at 30 %`
    Pivot {
        /// Which way.
        direction: Direction,
        /// The wheel that stands.
        on: Wheel,
        /// Duty of the other wheel.
        speed: Spanned<Value>,
    },
    /// `follow the left edge of a dark line with floor-left at 40 %, gain 0.6`
    Follow {
        /// Which edge of the line.
        edge: Direction,
        /// The tone of the line.
        tone: Spanned<String>,
        /// The sensor that steers.
        sensor: Spanned<String>,
        /// Duty of both wheels when the reading is just between line and ground.
        speed: Spanned<Value>,
        /// Share of the speed added to one wheel and taken from the other when the reading is fully off.
        gain: Spanned<Value>,
    },
    /// `hold, brake`
    Hold {
        /// What the motors do.
        stop: StopKind,
    },
    /// `move arm to 60 deg`: the wheels brake meanwhile.
    Move {
        /// Which actuator.
        actuator: Spanned<String>,
        /// To which angle.
        angle: Spanned<Value>,
    },
    /// `signal lamp "red"`: the wheels brake meanwhile.
    Signal {
        /// Which signal.
        signal: Spanned<String>,
        /// What it shows, says or plays; nothing turns it off.
        words: Spanned<String>,
    },
}

impl Behaviour {
    /// The speed it names, if it drives.
    pub const fn speed(&self) -> Option<&Spanned<Value>> {
        match self {
            Self::Drive { speed, .. }
            | Self::Spin { speed, .. }
            | Self::Pivot { speed, .. }
            | Self::Follow { speed, .. } => Some(speed),
            Self::Hold { .. } | Self::Move { .. } | Self::Signal { .. } => None,
        }
    }

    /// The word its sentence starts with.
    pub const fn word(&self) -> &'static str {
        match self {
            Self::Drive { .. } => "drive",
            Self::Spin { .. } => "spin",
            Self::Pivot { .. } => "pivot",
            Self::Follow { .. } => "follow",
            Self::Hold { .. } => "hold",
            Self::Move { .. } => "move",
            Self::Signal { .. } => "signal",
        }
    }
}

/// What a switch or an actuator can be.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum DeviceState {
    /// A switch that is pushed in.
    Pressed,
    /// A switch that is not.
    Released,
    /// A switch that was pressed and let go again since the step began.
    Bumped,
    /// An actuator at the angle it was moved to.
    There,
    /// An actuator that its end stop keeps from getting there.
    Blocked,
}

impl DeviceState {
    /// Whether it is said of switches, and not of actuators.
    pub const fn is_of_switches(self) -> bool {
        matches!(self, Self::Pressed | Self::Released | Self::Bumped)
    }
}

/// What an exit waits for.
#[derive(Clone, Debug, PartialEq)]
pub enum Condition {
    /// `floor-left sees dark`
    Sees {
        /// Which sensor.
        sensor: Spanned<String>,
        /// Which tone.
        tone: Spanned<String>,
    },
    /// `floor-left < 40 %`, `ahead < 280 mm`
    Reads {
        /// Which sensor.
        sensor: Spanned<String>,
        /// Less than the limit, instead of more.
        below: bool,
        /// Share of full brightness, or a distance.
        limit: Spanned<Value>,
    },
    /// `floor-right has crossed 4 dark lines`
    Crossed {
        /// Which sensor.
        sensor: Spanned<String>,
        /// How many lines.
        count: Spanned<Value>,
        /// Their tone.
        tone: Spanned<String>,
    },
    /// `bumper is pressed`, `arm is there`, `bumper was bumped`
    Is {
        /// Which touch switch, button or actuator.
        device: Spanned<String>,
        /// What it is to be.
        state: DeviceState,
    },
    /// `travelled 400 mm`
    Travelled(Spanned<Value>),
    /// `turned 90 deg`
    Turned(Spanned<Value>),
    /// `4 s pass`
    Passed(Spanned<Value>),
}

/// Where an exit leads.
#[derive(Clone, Debug, PartialEq)]
pub enum Target {
    /// The step below.
    Next,
    /// A step by its name.
    Step(String),
    /// The end of the mission, as planned.
    Done,
    /// The end of the mission, not as planned.
    Fail(String),
}

/// One `until` or `or` line.
#[derive(Clone, Debug, PartialEq)]
pub struct Exit {
    /// What it waits for.
    pub condition: Spanned<Condition>,
    /// Where it leads; without an arrow, to the next step.
    pub target: Spanned<Target>,
    /// Index into [`super::Parsed::lines`].
    pub line: usize,
}

/// One step: a behaviour and what ends it.
#[derive(Clone, Debug, PartialEq)]
pub struct Step {
    /// Its name.
    pub name: Spanned<String>,
    /// Index into [`super::Parsed::lines`] of the line `step "..."`.
    pub line: usize,
    /// What the robot does, and the line that says it; absent when that line is missing or broken.
    pub behaviour: Option<(Spanned<Behaviour>, usize)>,
    /// Whether a line of this step could not be understood.
    pub broken: bool,
    /// What ends it, in written order.
    pub exits: Vec<Exit>,
}

/// `let cruise = 45 %`
#[derive(Clone, Debug, PartialEq)]
pub struct Let {
    /// Its name.
    pub name: Spanned<String>,
    /// Its amount.
    pub value: Spanned<Quantity>,
    /// Index into [`super::Parsed::lines`].
    pub line: usize,
}

/// A whole mission.
#[derive(Clone, Debug, PartialEq, Default)]
pub struct Mission {
    /// `mission "Morning round"`
    pub name: Option<Spanned<String>>,
    /// `limit 120 s`
    pub limit: Option<Spanned<Quantity>>,
    /// `start slipway`
    pub start: Option<Spanned<String>>,
    /// Named values, in written order.
    pub lets: Vec<Let>,
    /// Steps, in written order.
    pub steps: Vec<Step>,
}

/// What may stand in a slot.
#[derive(Clone, Debug, PartialEq)]
pub enum SlotKind {
    /// A number with a unit, or the name of a `let`.
    Amount {
        /// What it must measure.
        dimension: Dimension,
        /// Least and greatest value in SI.
        range: (f64, f64),
        /// Whether only whole numbers make sense.
        whole: bool,
    },
    /// One of a few words.
    Choice(&'static [&'static str]),
    /// The name of a sensor.
    Sensor,
    /// The name of a touch switch or a button.
    Switch,
    /// The name of an actuator.
    Actuator,
    /// The name of a signal.
    Signal,
    /// A tone that the named sensor tells apart.
    Tone {
        /// The sensor it belongs to.
        sensor: String,
    },
    /// The name of a start pose.
    Start,
    /// Where an exit leads.
    Target,
    /// Free text in quotes.
    Text,
}

/// A place of a sentence that somebody would change.
#[derive(Clone, Debug, PartialEq)]
pub struct Slot {
    /// Its bytes in the text.
    pub span: Range<usize>,
    /// What may stand there.
    pub kind: SlotKind,
    /// Index into [`super::Parsed::lines`].
    pub line: usize,
}

/// What a line of the text is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LineKind {
    /// Nothing, or only a comment.
    Blank,
    /// `mission "..."`
    Mission,
    /// `limit` or `start`.
    Header,
    /// `let`
    Let,
    /// `step "..."`
    Step,
    /// A behaviour.
    Behaviour,
    /// `until ...` or `or ...`
    Exit,
    /// Not understood; a finding says why.
    Broken,
}

/// One line of the text.
#[derive(Clone, Debug, PartialEq)]
pub struct Line {
    /// Its bytes, without the line end.
    pub span: Range<usize>,
    /// What it is.
    pub kind: LineKind,
    /// The bytes of its comment, from `#`.
    pub comment: Option<Range<usize>>,
}
