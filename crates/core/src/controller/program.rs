//! A checked mission made ready to run: names resolved, units gone, tones turned into limits.
//!
//! Long because every type of a program is here, and only types.

use crate::ids::{ActuatorId, RangerId, SensorId, SignalId, StepId, SwitchId};
use serde::{Deserialize, Serialize};

use std::ops::Range;

use super::machine::Reading;
use super::tone::{Limits, Tones};
use crate::field::Zone;
use crate::mission::{Ending, Function, Operator, WhenBoth, WhenLost, apply, reckon};
use crate::units::Dimension;

/// The command of one motor.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub enum WheelCommand {
    /// Share of the battery voltage, -1 to 1.
    Duty(f64),
    /// Terminals shorted.
    Brake,
    /// Terminals open.
    Coast,
    /// A rim speed in m/s that the motor's driver keeps by the encoder.
    Speed(f64),
    /// The angle at which this was first commanded, kept by the encoder.
    Keep,
}

impl WheelCommand {
    /// This many times as much drive.
    #[must_use]
    pub fn times(self, factor: f64) -> Self {
        self.plus(0.0, factor)
    }

    /// This many times as much drive, and this much more (a share of the battery voltage, or m/s),
    /// within what is possible.
    #[must_use]
    pub fn plus(self, more: f64, factor: f64) -> Self {
        match self {
            Self::Duty(duty) => Self::Duty((duty * factor + more).clamp(-1.0, 1.0)),
            Self::Speed(speed) => Self::Speed(speed * factor + more),
            other @ (Self::Brake | Self::Coast | Self::Keep) => other,
        }
    }
}

/// An amount in SI that may depend on what was measured during the run.
#[derive(Clone, Debug, PartialEq)]
pub enum Num {
    /// Known before the run.
    Is(f64),
    /// What a step kept, by the index of its name.
    Kept(usize),
    /// What the robot knows at the moment.
    Source(Source),
    /// Two joined.
    Two(Operator, Box<[Self; 2]>),
    /// A function of some.
    Of(Function, Vec<Self>),
}

impl Num {
    /// Its value, with what the robot knows given by its source, and nothing kept yet.
    pub fn known_as(&self, of: &dyn Fn(Source) -> f64) -> f64 {
        match self {
            Self::Is(value) => *value,
            Self::Kept(_) => 0.0,
            Self::Source(source) => of(*source),
            Self::Two(operator, pair) => {
                reckon(*operator, pair[0].known_as(of), pair[1].known_as(of))
            }
            Self::Of(function, parts) => {
                apply(*function, parts.iter().map(|part| part.known_as(of)))
            }
        }
    }

    /// Its value, when that is known before the run.
    pub fn fixed(&self) -> Option<f64> {
        match self {
            Self::Is(value) => Some(*value),
            Self::Kept(_) | Self::Source(_) => None,
            Self::Two(operator, pair) => {
                Some(reckon(*operator, pair[0].fixed()?, pair[1].fixed()?))
            }
            Self::Of(function, parts) => {
                let parts = parts.iter().map(Self::fixed).collect::<Option<Vec<_>>>()?;
                Some(apply(*function, parts.into_iter()))
            }
        }
    }
}

/// What may be measured.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Source {
    /// The brightness by a floor sensor.
    Sensor(SensorId),
    /// The number that a code sensor reports, -1 for none.
    Code(SensorId),
    /// The distance by a ranging sensor.
    Ranger(RangerId),
    /// The battery's voltage.
    Battery,
    /// How far the robot has turned since the start, rad.
    Heading,
    /// Seconds since the start.
    Clock,
    /// Of the step before: metres, ahead positive.
    LastDistance,
    /// Of the step before: rad, to the left positive.
    LastTurn,
    /// Of the step before: seconds.
    LastTime,
    /// Of the step before: metres that one wheel rolled, 0 the left and 1 the right.
    LastWheel(usize),
}

impl Source {
    /// What it measures.
    pub const fn dimension(self) -> Dimension {
        match self {
            Self::Sensor(_) => Dimension::Percent,
            Self::Code(_) => Dimension::Number,
            Self::Ranger(_) | Self::LastDistance | Self::LastWheel(_) => Dimension::Length,
            Self::Battery => Dimension::Voltage,
            Self::Heading | Self::LastTurn => Dimension::Angle,
            Self::Clock | Self::LastTime => Dimension::Time,
        }
    }
}

/// How a sensor recognises a tone.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Sight {
    /// By its brightness.
    Bright(Limits),
    /// By its being the nearest of the sensor's tones.
    Colour(usize),
}

/// A sensor against the edge of a line.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct EdgeSensor {
    /// Index of the sensor.
    pub sensor: SensorId,
    /// Reading right on the edge.
    pub middle: f64,
    /// From there to the reading of the ground; negative when the ground is darker.
    pub half: f64,
}

/// What of a line is followed.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Rail {
    /// One edge; positive when the ground is on the left of it.
    Edge(EdgeSensor, f64),
    /// The line lies under both sensors, left and right.
    Under([EdgeSensor; 2]),
    /// The line lies between them.
    Between([EdgeSensor; 2]),
}

/// How a line is followed.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Follow {
    /// What is followed.
    pub rail: Rail,
    /// The command of both wheels when nothing is off.
    pub pace: WheelCommand,
    /// Share of the pace that is shifted when wholly off.
    pub gain: f64,
    /// The same for every second of being wholly off.
    pub integral: f64,
    /// The same for getting wholly off within a second.
    pub derivative: f64,
    /// The slower of two speeds, instead of the gains.
    pub slow: Option<WheelCommand>,
    /// What the wheels do while the line is lost.
    pub lost: WhenLost,
}

/// How often a group goes round.
#[derive(Clone, Debug, PartialEq)]
pub enum Passes {
    /// Once.
    Once,
    /// This many times.
    Times(Num),
    /// Until an exit ends it.
    Forever,
    /// Until one of the group's own exits, by its index, holds at the end of a pass.
    Until(usize),
}

/// The command of a wheel that follows what the robot knows.
#[derive(Clone, Debug, PartialEq)]
pub struct LivePace {
    /// How much: a share of the battery voltage, or m/s.
    pub amount: Num,
    /// It is a rim speed that the motor's driver keeps.
    pub is_speed: bool,
}

impl LivePace {
    /// The command when the amount comes to this: within what a motor can be told, and the brake
    /// where a formula has no answer.
    pub const fn at(&self, amount: f64) -> WheelCommand {
        match (amount.is_finite(), self.is_speed) {
            (false, _) => WheelCommand::Brake,
            (true, true) => WheelCommand::Speed(amount.clamp(-FASTEST, FASTEST)),
            (true, false) => WheelCommand::Duty(amount.clamp(-1.0, 1.0)),
        }
    }
}

/// No rim goes faster than this, m/s: what a formula comes to beyond it is meant as this.
const FASTEST: f64 = 5.0;

/// What a step does.
#[derive(Clone, Debug, PartialEq)]
pub enum Action {
    /// The same command all the time.
    Constant {
        /// The left wheel's.
        left: WheelCommand,
        /// The right wheel's.
        right: WheelCommand,
    },
    /// Commands that follow what the robot knows, worked out anew at every tick.
    Live {
        /// The left wheel's and the right wheel's.
        wheels: [LivePace; 2],
    },
    /// A heading is kept by adding to one wheel what is taken from the other.
    HoldHeading {
        /// Which one, rad since the start of the run; without one, that at entry.
        heading: Option<Num>,
        /// The command of both wheels when the heading is right.
        pace: WheelCommand,
        /// Duty, or m/s, for each rad of error.
        gain: f64,
    },
    /// A line is followed.
    Follow(Follow),
    /// Between two borders, away from the one that is seen.
    Keep {
        /// The sensors left and right, and how each sees the border.
        sensors: [(SensorId, Sight); 2],
        /// The command of both wheels while none is seen.
        pace: WheelCommand,
        /// Share of it that is shifted while one is.
        gain: f64,
        /// While both are.
        both: WhenBoth,
    },
    /// Each wheel drives until its own sensor sees the line.
    Square {
        /// The sensors left and right, and how each sees the line.
        sensors: [(SensorId, Sight); 2],
        /// The command of a wheel until then.
        pace: WheelCommand,
    },
    /// An actuator goes to an angle while the wheels brake.
    Move {
        /// Its index.
        actuator: ActuatorId,
        /// The angle, rad.
        angle: Num,
        /// It counts from where the actuator is then.
        from_here: bool,
        /// When the step is left, the actuator stays where it is.
        halts: bool,
        /// The mission goes on at once.
        alongside: bool,
    },
    /// A signal is given, and the mission goes on at once or waits for an exit while the wheels
    /// brake.
    Signal {
        /// Its index.
        signal: SignalId,
        /// What it shows, says or plays.
        words: String,
        /// It waits for an exit.
        waits: bool,
    },
    /// Something is kept under a name; takes no time.
    Measure {
        /// What.
        value: Num,
        /// Index of its name.
        into: usize,
    },
    /// The first row that holds says where to go; takes no time.
    Choose(Vec<Choice>),
    /// The first row that holds is done, from tick to tick.
    React(Vec<Reaction>),
    /// Steps within a step.
    Group {
        /// The first of them.
        first: StepId,
        /// How often.
        passes: Passes,
    },
}

/// A row of a `choose` or a `react`, for whoever tells of it.
#[derive(Clone, Copy, Debug)]
pub struct RowOf<'a> {
    /// Its condition; none for `otherwise`.
    pub term: Option<&'a Term>,
    /// The condition as written.
    pub words: &'a str,
    /// The line of a `choose` that says so.
    pub line: Option<usize>,
    /// Where it leads, of a `choose`.
    pub goal: Option<Goal>,
    /// The step that does it, of a `react`.
    pub step: Option<StepId>,
}

impl RowOf<'_> {
    /// `when` and its condition, or `otherwise`.
    pub fn said(&self) -> String {
        if self.term.is_some() {
            format!("when {}", self.words)
        } else {
            "otherwise".to_owned()
        }
    }
}

impl Action {
    /// Its rows, of a `choose` or a `react`, in written order.
    pub fn rows(&self) -> Vec<RowOf<'_>> {
        let mut rows = Vec::new();
        if let Self::Choose(all) = self {
            rows.extend(all.iter().map(|row| RowOf {
                term: row.term.as_ref(),
                words: &row.words,
                line: Some(row.line),
                goal: Some(row.goal),
                step: None,
            }));
        } else if let Self::React(all) = self {
            rows.extend(all.iter().map(|row| RowOf {
                term: row.term.as_ref(),
                words: &row.words,
                line: None,
                goal: None,
                step: Some(row.step),
            }));
        }
        rows
    }

    /// Whether it does the same, wherever it is written down.
    fn acts_like(&self, other: &Self) -> bool {
        if let (Self::Choose(rows), Self::Choose(others)) = (self, other) {
            let mut pairs = rows.iter().zip(others);
            return rows.len() == others.len() && pairs.all(|(a, b)| a.acts_like(b));
        }
        self == other
    }
}

/// One row of a `choose`.
#[derive(Clone, Debug, PartialEq)]
pub struct Choice {
    /// When it is taken; always without one.
    pub term: Option<Term>,
    /// Where it leads.
    pub goal: Goal,
    /// The line of the mission text that says so, from 0.
    pub line: usize,
    /// Its condition as written; empty without one.
    pub words: String,
}

impl Choice {
    /// Whether it chooses the same, wherever it is written down.
    fn acts_like(&self, other: &Self) -> bool {
        (self.goal, &self.words) == (other.goal, &other.words) && self.term == other.term
    }
}

/// One row of a `react`.
#[derive(Clone, Debug, PartialEq)]
pub struct Reaction {
    /// When it is done; always without one.
    pub term: Option<Term>,
    /// The step that does it.
    pub step: StepId,
    /// It is not broken off for a row below it: it comes to its own end.
    pub whole: bool,
    /// Its condition as written; empty without one.
    pub words: String,
}

/// What an exit looks at.
#[derive(Clone, Debug, PartialEq)]
pub enum Test {
    /// Brightness within the limits of a tone.
    Bright {
        /// Index of the sensor.
        sensor: SensorId,
        /// The tone's limits.
        limits: Limits,
    },
    /// Nearest calibrated colour.
    Colour {
        /// Index of the sensor.
        sensor: SensorId,
        /// Index of the tone among the sensor's.
        tone: usize,
    },
    /// Brightness against one limit.
    Reads {
        /// Index of the sensor.
        sensor: SensorId,
        /// Less than, instead of more than.
        below: bool,
        /// Share of full scale.
        limit: Num,
    },
    /// The code that a sensor reports is from one number to another.
    Code {
        /// Index of the sensor.
        sensor: SensorId,
        /// From.
        low: Num,
        /// To.
        high: Num,
    },
    /// Brightness has gone this far down from its highest, or up from its lowest, since the step
    /// began.
    Changed {
        /// Index of the sensor.
        sensor: SensorId,
        /// Down instead of up.
        down: bool,
        /// Share of full scale.
        by: Num,
    },
    /// Lines crossed: entered and left again; or only entered.
    Crossed {
        /// Index of the sensor.
        sensor: SensorId,
        /// The tone's limits.
        limits: Limits,
        /// Lines to cross.
        count: Num,
        /// Counted when entered.
        met: bool,
        /// Metres that must lie between two.
        apart: Option<Num>,
    },
    /// Metres rolled since the step began, by the encoders.
    Travelled(Num),
    /// Radians turned since the step began, by the gyro or else the encoders.
    Turned(Num),
    /// The heading since the start of the run comes to this many rad.
    Heading(Num),
    /// Metres that one wheel rolled since the step began.
    Rolled {
        /// 0 the left, 1 the right.
        wheel: usize,
        /// Metres of its rim.
        amount: Num,
    },
    /// A ranging sensor's reading is below, or above, a limit in metres.
    Range {
        /// Index of the ranging sensor.
        ranger: RangerId,
        /// Below instead of above.
        below: bool,
        /// The limit in metres.
        limit: Num,
    },
    /// Any other two amounts against each other.
    Compare {
        /// The one that is below or above.
        left: Num,
        /// Below instead of above.
        below: bool,
        /// The other.
        right: Num,
        /// What both measure.
        of: Dimension,
    },
    /// Seconds since the step began.
    Passed(Num),
    /// Seconds since the start of the run.
    Clock(Num),
    /// The battery's voltage against a limit in V.
    Battery {
        /// Below instead of above.
        below: bool,
        /// The limit in V.
        limit: Num,
    },
    /// A touch switch or a button is pressed, or is not.
    Switch {
        /// Its index.
        switch: SwitchId,
        /// Pressed instead of released.
        pressed: bool,
    },
    /// A switch was pressed and let go again since the step began.
    Bumped(SwitchId),
    /// An actuator is at the angle it was sent to.
    There(ActuatorId),
    /// An actuator stands at an end stop and its angle lies beyond.
    Blocked(ActuatorId),
    /// The line that the step follows is out of sight.
    Lost,
    /// The middle of the axle is in a zone, by odometry; or out of it after it was
    /// in it.
    Zone {
        /// Index into [`Program::zones`].
        zone: usize,
        /// Out of it again.
        leaves: bool,
    },
    /// A wheel that is commanded to turn has not turned for this many seconds.
    Stalled(Num),
    /// The behaviour came to its own end.
    Ended(Ending),
    /// Both wheels of a squaring have stopped.
    Squared,
    /// A term that was given this name held when its exit fired.
    Label(usize),
}

impl Test {
    /// Whether it goes by what is there at the moment, instead of by what adds up since the step
    /// began.
    pub const fn is_reading(&self) -> bool {
        match self {
            Self::Bright { .. }
            | Self::Reads { .. }
            | Self::Range { .. }
            | Self::Battery { .. }
            | Self::Compare { .. } => true,
            Self::Colour { .. }
            | Self::Code { .. }
            | Self::Changed { .. }
            | Self::Crossed { .. }
            | Self::Travelled(_)
            | Self::Turned(_)
            | Self::Heading(_)
            | Self::Rolled { .. }
            | Self::Passed(_)
            | Self::Clock(_)
            | Self::Switch { .. }
            | Self::Bumped(_)
            | Self::There(_)
            | Self::Blocked(_)
            | Self::Lost
            | Self::Zone { .. }
            | Self::Stalled(_)
            | Self::Ended(_)
            | Self::Squared
            | Self::Label(_) => false,
        }
    }

    /// The floor sensor that the test reads, if any.
    pub const fn sensor(&self) -> Option<SensorId> {
        match self {
            Self::Bright { sensor, .. }
            | Self::Colour { sensor, .. }
            | Self::Reads { sensor, .. }
            | Self::Code { sensor, .. }
            | Self::Changed { sensor, .. }
            | Self::Crossed { sensor, .. } => Some(*sensor),
            Self::Travelled(_)
            | Self::Turned(_)
            | Self::Heading(_)
            | Self::Rolled { .. }
            | Self::Range { .. }
            | Self::Compare { .. }
            | Self::Passed(_)
            | Self::Clock(_)
            | Self::Battery { .. }
            | Self::Switch { .. }
            | Self::Bumped(_)
            | Self::There(_)
            | Self::Blocked(_)
            | Self::Lost
            | Self::Zone { .. }
            | Self::Stalled(_)
            | Self::Ended(_)
            | Self::Squared
            | Self::Label(_) => None,
        }
    }
}

/// A test with its place in the controller's memory.
#[derive(Clone, Debug, PartialEq)]
pub struct Look {
    /// What it looks at.
    pub test: Test,
    /// Its place in the memory.
    pub slot: usize,
    /// As written, for reports.
    pub words: String,
}

/// What an exit waits for.
#[derive(Clone, Debug, PartialEq)]
pub enum Term {
    /// One look.
    Look(Look),
    /// At least one.
    Any(Vec<Self>),
    /// Every one.
    All(Vec<Self>),
    /// Not this.
    Not(Box<Self>),
    /// This for this many seconds without a break; with its place in the memory.
    For(Box<Self>, Num, usize),
    /// This, once it is armed; with its place in the memory.
    After(Box<Self>, Armed, usize),
    /// This, kept under the index of a name.
    As(Box<Self>, usize),
}

/// From when on a term counts.
#[derive(Clone, Debug, PartialEq)]
pub enum Armed {
    /// Seconds after the step began.
    Time(Num),
    /// Metres after the step began.
    Length(Num),
    /// Once it was false.
    False,
}

impl Term {
    /// Calls for every look, in written order. Nothing is allocated: the controller does this
    /// within a tick.
    pub fn each<'a>(&'a self, call: &mut dyn FnMut(&'a Look)) {
        match self {
            Self::Look(look) => call(look),
            Self::Any(terms) | Self::All(terms) => terms.iter().for_each(|term| term.each(call)),
            Self::Not(term) | Self::For(term, ..) | Self::After(term, ..) | Self::As(term, _) => {
                term.each(call);
            }
        }
    }

    /// Every look, in written order.
    pub const fn looks(&self) -> Looks<'_> {
        Looks {
            next: Some(self),
            open: Vec::new(),
        }
    }

    /// The one look, when there is just one and nothing around it.
    pub const fn plain(&self) -> Option<&Look> {
        match self {
            Self::Look(look) => Some(look),
            Self::Any(_)
            | Self::All(_)
            | Self::Not(_)
            | Self::For(..)
            | Self::After(..)
            | Self::As(..) => None,
        }
    }
}

/// The looks of a term. Nearly all terms are one look, and need no room for more.
#[derive(Clone, Debug)]
pub struct Looks<'a> {
    next: Option<&'a Term>,
    open: Vec<&'a Term>,
}

impl<'a> Iterator for Looks<'a> {
    type Item = &'a Look;

    fn next(&mut self) -> Option<&'a Look> {
        loop {
            match self.next.take().or_else(|| self.open.pop())? {
                Term::Look(look) => return Some(look),
                Term::Any(terms) | Term::All(terms) => self.open.extend(terms.iter().rev()),
                Term::Not(term)
                | Term::For(term, ..)
                | Term::After(term, ..)
                | Term::As(term, _) => {
                    self.next = Some(term);
                }
            }
        }
    }
}

/// Where an exit leads.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Goal {
    /// The step below; the end of the sequence below the last.
    Next,
    /// A step by its index.
    Step(StepId),
    /// The end of this pass of a group.
    Pass(StepId),
    /// The end of a step that has come to its own end.
    Complete(StepId, Ending),
    /// The planned end.
    Done,
    /// An unplanned end, with the index of its reason.
    Fail(usize),
}

/// What an exit is of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ExitKind {
    /// It is written as an exit.
    Written,
    /// The behaviour ends by itself when it holds.
    Own,
    /// The same, evaluated only at the end of each pass.
    AfterPass,
}

/// One exit.
#[derive(Clone, Debug, PartialEq)]
pub struct ProgramExit {
    /// What it is of.
    pub kind: ExitKind,
    /// What it waits for.
    pub term: Term,
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
    /// The step that it is a part of.
    pub parent: Option<StepId>,
    /// The step below it in its sequence.
    pub next: Option<StepId>,
    /// It stands in the text, and is no part of another's sentence.
    pub written: bool,
    /// Other steps of the text stand in it.
    pub group: bool,
    /// It stands in another file; its line is the one that calls it.
    pub foreign: bool,
    /// The reflex that it belongs to.
    pub reflex: Option<usize>,
    /// Its places in the controller's memory.
    pub memory: Range<usize>,
}

impl ProgramStep {
    /// Whether it has the same place among the others.
    fn stands_like(&self, other: &Self) -> bool {
        let place = |step: &Self| {
            (
                (step.parent, step.next, step.reflex),
                (step.written, step.group, step.foreign),
                step.memory.clone(),
            )
        };
        place(self) == place(other)
    }

    /// Whether it does the same, and ends by the same, wherever it is written down.
    fn acts_like(&self, other: &Self) -> bool {
        let same_exit = |(a, b): (&ProgramExit, &ProgramExit)| {
            (a.kind, a.goal) == (b.kind, b.goal) && a.term == b.term && a.words == b.words
        };
        self.name == other.name
            && self.action.acts_like(&other.action)
            && self.exits.len() == other.exits.len()
            && self.exits.iter().zip(&other.exits).all(same_exit)
    }

    /// Whether it is one of those before the first step: the button, the delay, the settling.
    pub const fn is_prelude(&self) -> bool {
        !self.written && self.parent.is_none() && self.reflex.is_none()
    }
}

/// What happens after a reflex.
#[derive(Clone, Debug, PartialEq)]
pub enum After {
    /// What it broke into goes on.
    Resume,
    /// The step it broke into begins again.
    Restart,
    /// The mission goes on elsewhere.
    Go(Goal),
}

/// One reflex.
#[derive(Clone, Debug, PartialEq)]
pub struct ProgramReflex {
    /// Its name.
    pub name: String,
    /// The line of the mission text that names it, from 0.
    pub line: usize,
    /// What it watches for.
    pub term: Term,
    /// It lasts as long as that holds, instead of beginning when that becomes true.
    pub lasting: bool,
    /// The steps it watches; all without any.
    pub within: Vec<StepId>,
    /// The step that says what it does.
    pub step: StepId,
    /// What happens afterwards.
    pub after: After,
    /// Its places in the controller's memory.
    pub memory: Range<usize>,
    /// Its condition as written, for reports.
    pub words: String,
}

/// A mission ready to run on one robot with one calibration.
#[derive(Clone, Debug, PartialEq)]
pub struct Program {
    /// Its steps: those that stand in the text first, in written order; never empty.
    pub steps: Vec<ProgramStep>,
    /// How many of them stand in the text.
    pub written: usize,
    /// The step that it begins with.
    pub first: StepId,
    /// The reflexes: the first goes before all others.
    pub reflexes: Vec<ProgramReflex>,
    /// The step that the first `fail` leads to, instead of to the end.
    pub last_resort: Option<StepId>,
    /// The names that steps keep something under.
    pub kept: Vec<String>,
    /// What is kept under each of them measures, where that is known.
    pub kept_kinds: Vec<Option<Dimension>>,
    /// The names that terms are kept under.
    pub labels: Vec<String>,
    /// The reasons of unplanned ends.
    pub reasons: Vec<String>,
    /// How many places the controller's memory needs.
    pub memory: usize,
    /// How many steps are active at most, one within the other.
    pub depth: usize,
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
    /// The number that each sensor reports for each of its tones; empty for sensors that report
    /// none.
    pub codes: Vec<Vec<i32>>,
    /// Angle of each actuator at the start, rad.
    pub actuators: Vec<f64>,
    /// End stops of each actuator, rad.
    pub stops: Vec<(f64, f64)>,
    /// The zones that tests speak of. Without any the robot need not know where it is.
    pub zones: Vec<Zone>,
}

impl Program {
    /// The steps that do something else in another program; none when the two differ in more than
    /// what single steps do. Until one of those steps is entered both do exactly the same. On which
    /// lines things stand does not matter.
    pub fn changed(&self, other: &Self) -> Option<Vec<StepId>> {
        let Self {
            steps,
            written,
            first,
            last_resort,
            reflexes,
            kept,
            // For whoever tells of a run.
            kept_kinds: _,
            labels,
            reasons,
            memory,
            depth,
            limit_ticks,
            period_ms,
            wheel_radius,
            track_width,
            has_gyro,
            tones,
            codes,
            actuators,
            stops,
            zones,
        } = self;
        let same_reflex = |a: &ProgramReflex, b: &ProgramReflex| {
            let b = ProgramReflex {
                line: a.line,
                ..b.clone()
            };
            *a == b
        };
        let alike = steps.len() == other.steps.len()
            && steps
                .iter()
                .zip(&other.steps)
                .all(|(a, b)| a.stands_like(b))
            && reflexes.len() == other.reflexes.len()
            && reflexes
                .iter()
                .zip(&other.reflexes)
                .all(|(a, b)| same_reflex(a, b))
            && (written, first, last_resort, kept, labels, reasons)
                == (
                    &other.written,
                    &other.first,
                    &other.last_resort,
                    &other.kept,
                    &other.labels,
                    &other.reasons,
                )
            && (memory, depth, limit_ticks, period_ms, has_gyro)
                == (
                    &other.memory,
                    &other.depth,
                    &other.limit_ticks,
                    &other.period_ms,
                    &other.has_gyro,
                )
            // Odometry that begins later does not know where it is.
            && *zones == other.zones
            && (wheel_radius, track_width, tones, codes, actuators, stops)
                == (
                    &other.wheel_radius,
                    &other.track_width,
                    &other.tones,
                    &other.codes,
                    &other.actuators,
                    &other.stops,
                );
        let differ = |step: &StepId| !steps[*step].acts_like(&other.steps[*step]);
        alike.then(|| StepId::all(steps.len()).filter(differ).collect())
    }

    /// Whether a sensor sees its tone by a reading alone.
    pub fn sees(&self, sensor: SensorId, sight: Sight, reading: &Reading) -> bool {
        match sight {
            Sight::Bright(limits) => limits.holds(reading.brightness, false),
            Sight::Colour(tone) => self.tones[sensor].nearest_colour(reading) == Some(tone),
        }
    }

    /// The number that a code sensor reports by a reading; none when it sees nothing it knows.
    pub fn code(&self, sensor: SensorId, reading: &Reading) -> Option<i32> {
        let seen = self.tones[sensor].nearest_colour(reading)?;
        self.codes[sensor].get(seen).copied()
    }

    /// Every step with its id.
    pub fn numbered(
        &self,
    ) -> impl DoubleEndedIterator<Item = (StepId, &ProgramStep)> + ExactSizeIterator + Clone {
        StepId::all(self.steps.len()).zip(&self.steps)
    }

    /// The step in the text that a step stands for: itself, or the sentence that it is a part of.
    pub fn shown(&self, mut step: StepId) -> StepId {
        while !self.steps[step].written {
            // What comes before the first step belongs to it.
            let Some(parent) = self.steps[step].parent else {
                return StepId(0);
            };
            step = parent;
        }
        step
    }

    /// A step of the text, and the phases that its sentence is made of.
    pub fn phases(&self, step: StepId) -> impl Iterator<Item = &ProgramStep> {
        // Most steps are one phase, and nothing is to be looked for.
        let made_of_others = matches!(
            self.steps[step].action,
            Action::Group { .. } | Action::React(_)
        );
        let behind =
            StepId::all(if made_of_others { self.steps.len() } else { 0 }).skip(self.written);
        let own = behind
            .filter(move |phase| self.steps[*phase].parent.is_some() && self.shown(*phase) == step);
        std::iter::once(step).chain(own).map(|id| &self.steps[id])
    }

    /// The reflex that owns the wheels while a step is active; none while the mission does.
    pub fn owner(&self, step: StepId) -> Option<&ProgramReflex> {
        self.steps[step].reflex.map(|reflex| &self.reflexes[reflex])
    }
}
