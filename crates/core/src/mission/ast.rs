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

/// An amount: written out, the name of one, or worked out from others.
#[derive(Clone, Debug, PartialEq)]
pub enum Value {
    /// A number with its unit.
    Literal(Quantity),
    /// The name of a `let`, of a parameter, or of what a step measured.
    Named(String),
    /// `(lane + bar) / 2`
    Formula(Box<Formula>),
}

/// A formula of amounts.
#[derive(Clone, Debug, PartialEq)]
pub enum Formula {
    /// A number or a name.
    Amount(Spanned<Value>),
    /// Two formulas joined by a sign.
    Two(Operator, Box<[Self; 2]>),
    /// A function of some formulas.
    Of(Function, Vec<Self>),
}

/// What joins two formulas.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Operator {
    /// `+`
    Plus,
    /// `-`
    Minus,
    /// `*`
    Times,
    /// `/`
    Over,
}

/// What may be asked of formulas.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Function {
    /// The least of several.
    Min,
    /// The greatest of several.
    Max,
    /// The size of one, without its sign.
    Abs,
}

/// Which way to turn, which edge, which wheel; or the parameter of a routine that says so.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Side {
    /// Counter-clockwise; the left edge; the left wheel.
    Left,
    /// Clockwise; the right edge; the right wheel.
    Right,
    /// What a parameter says.
    Named(String),
}

/// Less or more than; or the parameter of a routine that says so.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Comparison {
    /// `<`
    Below,
    /// `>`
    Above,
    /// What a parameter says.
    Named(String),
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

/// What of a line is followed, and with what.
#[derive(Clone, Debug, PartialEq)]
pub enum Track {
    /// One edge, with one sensor.
    Edge {
        /// Which edge.
        side: Side,
        /// The sensor.
        sensor: Spanned<String>,
    },
    /// The line lies under both sensors.
    Under([Spanned<String>; 2]),
    /// The line lies between the two sensors.
    Between([Spanned<String>; 2]),
}

impl Track {
    /// The sensors that steer: one, or left and right.
    pub fn sensors(&self) -> &[Spanned<String>] {
        match self {
            Self::Edge { sensor, .. } => std::slice::from_ref(sensor),
            Self::Under(pair) | Self::Between(pair) => pair,
        }
    }
}

/// How strongly a follower steers.
#[derive(Clone, Debug, PartialEq)]
pub enum Law {
    /// In proportion to how far off it is, and to how long and how fast it gets off.
    Gains {
        /// Share of the speed that is shifted when wholly off.
        gain: Spanned<Value>,
        /// The same for each second of being wholly off.
        integral: Option<Spanned<Value>>,
        /// The same for getting wholly off in a second.
        derivative: Option<Spanned<Value>>,
    },
    /// One wheel at the speed and the other at this one, by which side the reading says.
    TwoSpeeds(Spanned<Value>),
}

/// What the wheels do while a followed line is out of sight.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WhenLost {
    /// They go on as the law says.
    GoOn,
    /// They brake.
    Stop,
    /// They go back.
    Back,
    /// They turn on the spot to where the line was seen last.
    Search,
}

/// What to do when both borders are seen at once.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WhenBoth {
    /// Brake.
    Stop,
    /// Straight on.
    Ahead,
    /// Straight back.
    Back,
}

/// How often a repeat goes round.
#[derive(Clone, Debug, PartialEq)]
pub enum Rounds {
    /// `repeat 3 times`
    Times(Spanned<Value>),
    /// `repeat forever`
    Forever,
    /// `repeat until CONDITION`, watched all the time or only after each pass.
    Until {
        /// What ends it.
        condition: Spanned<Condition>,
        /// Looked at only at the end of a pass.
        after_pass: bool,
    },
}

/// What a probe measures with.
#[derive(Clone, Debug, PartialEq)]
pub enum Feeler {
    /// A ranging sensor looks to each side.
    Ranger(Spanned<String>),
    /// The robot drives to each side, so far at most, or until a condition holds.
    Wheels {
        /// How far at most.
        most: Spanned<Value>,
        /// What else ends it.
        until: Option<Spanned<Condition>>,
    },
}

/// What a parameter of a routine is given.
#[derive(Clone, Debug, PartialEq)]
pub enum Argument {
    /// A number with its unit, or a formula.
    Amount(Spanned<Value>),
    /// `left` or `right`
    Side(Side),
    /// `<` or `>`
    Comparison(Comparison),
    /// A name: of a sensor, a tone, a `let` or a parameter, as the routine uses it.
    Word(String),
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
        arc: Option<(Side, Spanned<Value>)>,
        /// Steer so that the heading at entry is kept.
        hold_heading: bool,
    },
    /// `spin left at 30 %`
    Spin {
        /// Which way.
        side: Side,
        /// Duty of both wheels, in opposite senses.
        speed: Spanned<Value>,
    },
    /// `pivot left on the left wheel at 30 %`
    Pivot {
        /// Which way.
        side: Side,
        /// The wheel that stands.
        on: Side,
        /// Duty of the other wheel.
        speed: Spanned<Value>,
    },
    /// `follow the left edge of a dark line with floor-left at 40 %, gain 0.6`
    Follow {
        /// What is followed, and with what.
        track: Track,
        /// The tone of the line.
        tone: Spanned<String>,
        /// Duty of both wheels when the reading is just between line and ground.
        speed: Spanned<Value>,
        /// How it steers.
        law: Law,
        /// What it does while the line is lost.
        lost: WhenLost,
    },
    /// `keep between dark lines with floor-left and floor-right at 30 %, gain 0.8, both stop`
    Keep {
        /// The tone of the borders.
        tone: Spanned<String>,
        /// The sensors: left and right.
        sensors: [Spanned<String>; 2],
        /// Duty of both wheels while neither border is seen.
        speed: Spanned<Value>,
        /// Share of it taken from one wheel and given to the other while one is.
        gain: Spanned<Value>,
        /// What to do when both are seen at once.
        both: Option<WhenBoth>,
    },
    /// `align floor-left and floor-right to a dark line at 16 %, lead-in 40 mm, again at 10 %`
    Align {
        /// The sensors: left and right.
        sensors: [Spanned<String>; 2],
        /// The tone of the line.
        tone: Spanned<String>,
        /// Duty of each wheel until its sensor sees the line.
        speed: Spanned<Value>,
        /// How far it first drives without looking.
        lead_in: Option<Spanned<Value>>,
        /// The duty of a second pass after backing off.
        again: Option<Spanned<Value>>,
    },
    /// `shift right to a dark line with floor-left at 20 %`
    Shift {
        /// To which side.
        side: Side,
        /// The tone of the line.
        tone: Spanned<String>,
        /// The sensor that meets the line.
        sensor: Spanned<String>,
        /// Duty of the wheel that moves.
        speed: Spanned<Value>,
    },
    /// `seek with ahead within 400 mm, spinning left at 20 % up to 360 deg, moving 150 mm, 4 tries, closing in to 80 mm`
    Seek {
        /// The ranging sensor.
        ranger: Spanned<String>,
        /// Nearer than this is found.
        within: Spanned<Value>,
        /// Which way it turns.
        side: Side,
        /// How fast it turns and moves.
        speed: Spanned<Value>,
        /// How far it turns in one scan.
        turn: Spanned<Value>,
        /// How far it moves on between two scans.
        relocate: Spanned<Value>,
        /// How many scans.
        tries: Spanned<Value>,
        /// How near it then comes, if at all.
        approach: Option<Spanned<Value>>,
    },
    /// `shove at 60 % to rim with floor-left and floor-right, back 60 mm`
    Shove {
        /// How fast.
        speed: Spanned<Value>,
        /// The tone of the rim.
        tone: Spanned<String>,
        /// The sensors that look for it.
        sensors: [Spanned<String>; 2],
        /// How far it backs off afterwards.
        back: Option<Spanned<Value>>,
    },
    /// `hold, brake`
    Hold {
        /// What the motors do.
        stop: StopKind,
    },
    /// `await clear with ahead beyond 300 mm, 3 tries of 2 s`
    Await {
        /// The ranging sensor.
        ranger: Spanned<String>,
        /// Further than this is clear.
        beyond: Spanned<Value>,
        /// How many pauses.
        tries: Spanned<Value>,
        /// How long each.
        pause: Spanned<Value>,
    },
    /// `probe 90 deg to each side at 30 %, up to 400 mm, tie left`
    Probe {
        /// How far it turns to each side.
        angle: Spanned<Value>,
        /// How fast it turns and drives.
        speed: Spanned<Value>,
        /// What measures.
        feeler: Feeler,
        /// Which side is taken when both are as far.
        tie: Side,
    },
    /// `move arm to 60 deg`: the wheels brake until it is there, unless it is done alongside.
    Move {
        /// Which actuator.
        actuator: Spanned<String>,
        /// To which angle.
        angle: Spanned<Value>,
        /// The mission goes on at once.
        alongside: bool,
    },
    /// `signal lamp "red"`: goes on at once, or brakes until an exit holds.
    Signal {
        /// Which signal.
        signal: Spanned<String>,
        /// What it shows, says or plays; nothing turns it off.
        words: Spanned<String>,
    },
    /// `measure ahead as gap`
    Measure {
        /// What is kept.
        value: Spanned<Value>,
        /// Under which name.
        name: Spanned<String>,
    },
    /// `choose`, with its rows below.
    Choose,
    /// `react`, with its rows below.
    React,
    /// `do back-away (back = 120 mm, swing = 90 deg) mirrored`
    Do {
        /// Which routine.
        routine: Spanned<String>,
        /// What its parameters are given.
        arguments: Vec<(Spanned<String>, Spanned<Argument>)>,
        /// Left and right swapped.
        mirrored: bool,
    },
    /// `repeat 3 times`, with its steps below, up to `end`.
    Repeat(Rounds),
}

impl Behaviour {
    /// The speed it names, if it drives.
    pub const fn speed(&self) -> Option<&Spanned<Value>> {
        match self {
            Self::Drive { speed, .. }
            | Self::Spin { speed, .. }
            | Self::Pivot { speed, .. }
            | Self::Keep { speed, .. }
            | Self::Align { speed, .. }
            | Self::Shift { speed, .. }
            | Self::Seek { speed, .. }
            | Self::Shove { speed, .. }
            | Self::Probe { speed, .. }
            | Self::Follow { speed, .. } => Some(speed),
            Self::Hold { .. }
            | Self::Await { .. }
            | Self::Move { .. }
            | Self::Signal { .. }
            | Self::Measure { .. }
            | Self::Choose
            | Self::React
            | Self::Do { .. }
            | Self::Repeat(_) => None,
        }
    }

    /// The word its sentence starts with.
    pub const fn word(&self) -> &'static str {
        match self {
            Self::Drive { .. } => "drive",
            Self::Spin { .. } => "spin",
            Self::Pivot { .. } => "pivot",
            Self::Follow { .. } => "follow",
            Self::Keep { .. } => "keep",
            Self::Align { .. } => "align",
            Self::Shift { .. } => "shift",
            Self::Seek { .. } => "seek",
            Self::Shove { .. } => "shove",
            Self::Hold { .. } => "hold",
            Self::Await { .. } => "await",
            Self::Probe { .. } => "probe",
            Self::Move { .. } => "move",
            Self::Signal { .. } => "signal",
            Self::Measure { .. } => "measure",
            Self::Choose => "choose",
            Self::React => "react",
            Self::Do { .. } => "do",
            Self::Repeat(_) => "repeat",
        }
    }

    /// How it can come to its own end; empty when only an exit ends it.
    pub const fn outcomes(&self) -> &'static [Ending] {
        match self {
            Self::Align { .. } | Self::Shift { .. } | Self::Shove { .. } | Self::Do { .. } => &[Ending::Finished],
            Self::Move { .. } | Self::Signal { .. } | Self::Measure { .. } | Self::Choose => &[Ending::Finished],
            Self::Repeat(Rounds::Times(_) | Rounds::Until { .. }) => &[Ending::Finished],
            Self::Seek { .. } => &[Ending::Found, Ending::GivenUp],
            Self::Await { .. } => &[Ending::Clear, Ending::GivenUp],
            Self::Probe { .. } => &[Ending::LeftFurther, Ending::RightFurther],
            Self::Drive { .. }
            | Self::Spin { .. }
            | Self::Pivot { .. }
            | Self::Follow { .. }
            | Self::Keep { .. }
            | Self::Hold { .. }
            | Self::React
            | Self::Repeat(Rounds::Forever) => &[],
        }
    }
}

/// How a behaviour came to its own end.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Ending {
    /// It did what it was to do.
    Finished,
    /// A search found something.
    Found,
    /// A search or a wait had no more tries.
    GivenUp,
    /// What was in the way has left.
    Clear,
    /// A probe got further on the left.
    LeftFurther,
    /// A probe got further on the right.
    RightFurther,
}

impl Ending {
    /// Every one.
    pub const ALL: &[Self] =
        &[Self::Finished, Self::Found, Self::GivenUp, Self::Clear, Self::LeftFurther, Self::RightFurther];

    /// How it is written as a condition.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Finished => "finished",
            Self::Found => "found",
            Self::GivenUp => "given up",
            Self::Clear => "clear",
            Self::LeftFurther => "left is further",
            Self::RightFurther => "right is further",
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

/// The sensors that a condition is about.
#[derive(Clone, Debug, PartialEq)]
pub struct Sensors {
    /// How many of them it must hold for.
    pub how: Quantifier,
    /// Their names; one only with [`Quantifier::One`].
    pub names: Vec<Spanned<String>>,
}

/// For how many of several a condition must hold.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Quantifier {
    /// There is just one.
    One,
    /// At least one.
    Any,
    /// Every one.
    All,
    /// Not one.
    None,
}

/// From when on an exit is looked at.
#[derive(Clone, Debug, PartialEq)]
pub enum Arming {
    /// So long, or so far, after the step began.
    Amount(Spanned<Value>),
    /// After it was false once.
    False,
}

/// What an exit waits for.
#[derive(Clone, Debug, PartialEq)]
pub enum Condition {
    /// `A or B`
    Any(Vec<Spanned<Self>>),
    /// `A and B`
    All(Vec<Spanned<Self>>),
    /// `not A`
    Not(Box<Spanned<Self>>),
    /// `A for 50 ms`
    For(Box<Spanned<Self>>, Spanned<Value>),
    /// `A after 200 mm`, `A after it was false`
    After(Box<Spanned<Self>>, Arming),
    /// `A as red-patch`
    As(Box<Spanned<Self>>, Spanned<String>),
    /// `floor-left sees dark`, `any of floor-left, floor-right sees rim`, `hue sees any of red, blue`
    Sees {
        /// Which sensors.
        sensors: Sensors,
        /// None of the tones instead of any of them.
        none: bool,
        /// Which tones.
        tones: Vec<Spanned<String>>,
    },
    /// `floor-left < 40 %`, `ahead < 280 mm`, `gap > 20 mm`
    Reads {
        /// Which sensors, or which named value.
        sensors: Sensors,
        /// Less than the limit, or more.
        than: Comparison,
        /// Share of full brightness, a distance, or what the named value measures.
        limit: Spanned<Value>,
    },
    /// `floor-left between 30 % and 60 %`
    Between {
        /// Which sensors, or which named value.
        sensors: Sensors,
        /// From here on.
        low: Spanned<Value>,
        /// Up to here.
        high: Spanned<Value>,
    },
    /// `tag reads code 3`, `tag reads code 3 to 5`
    Code {
        /// Which sensor.
        sensor: Spanned<String>,
        /// The number, or the first of several.
        low: Spanned<Value>,
        /// The last of several.
        high: Option<Spanned<Value>>,
    },
    /// `floor-left has dropped by 20 %`, `... has risen by 20 %`
    Changed {
        /// Which sensor.
        sensor: Spanned<String>,
        /// Dropped from its highest instead of risen from its lowest.
        down: bool,
        /// By how much.
        by: Spanned<Value>,
    },
    /// `floor-right has crossed 4 dark lines`, `floor-right has met 4 dark lines`
    Crossed {
        /// Which sensor.
        sensor: Spanned<String>,
        /// How many lines.
        count: Spanned<Value>,
        /// Their tone.
        tone: Spanned<String>,
        /// Counted at the near edge instead of the far one.
        met: bool,
        /// Lines nearer than this to the one before are not counted.
        apart: Option<Spanned<Value>>,
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
    /// `heading reaches 90 deg`
    Heading(Spanned<Value>),
    /// `left wheel rolled 400 mm`
    Rolled {
        /// Which wheel.
        wheel: Side,
        /// How far, as a length of its rim or as an angle.
        amount: Spanned<Value>,
    },
    /// `4 s pass`
    Passed(Spanned<Value>),
    /// `clock reaches 90 s`
    Clock(Spanned<Value>),
    /// `line is lost`
    Lost,
    /// `stalled for 300 ms`
    Stalled(Spanned<Value>),
    /// `finished`, `found`, `given up`, `clear`, `left is further`, `right is further`
    Ended(Ending),
    /// `ended by red-patch`
    EndedBy(Spanned<String>),
}

/// Where an exit leads.
#[derive(Clone, Debug, PartialEq)]
pub enum Target {
    /// The step below.
    Next,
    /// A step by its name.
    Step(String),
    /// The next pass of the repeat around it.
    Again,
    /// The end of the repeat or the routine around it.
    Out,
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

/// One row of a `choose` or a `react`.
#[derive(Clone, Debug, PartialEq)]
pub struct Row {
    /// When it is taken; none for `otherwise`.
    pub condition: Option<Spanned<Condition>>,
    /// What then happens.
    pub answer: Answer,
    /// Index into [`super::Parsed::lines`].
    pub line: usize,
}

/// What a row says.
#[derive(Clone, Debug, PartialEq)]
pub enum Answer {
    /// Where to go: of a `choose`.
    Go(Spanned<Target>),
    /// What to do: of a `react`.
    Does(Box<Spanned<Behaviour>>),
}

/// What a step belongs to.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Block {
    /// The mission itself.
    Mission,
    /// A routine, by its index.
    Routine(usize),
    /// A reflex, by its index.
    Reflex(usize),
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
    /// The rows of a `choose` or a `react`, in written order.
    pub rows: Vec<Row>,
    /// Whether a line of this step could not be understood.
    pub broken: bool,
    /// What ends it, in written order.
    pub exits: Vec<Exit>,
    /// What it belongs to.
    pub block: Block,
    /// Index of the step with the `repeat` that it stands in.
    pub inside: Option<usize>,
    /// Index of its last line, its steps and its `end` included.
    pub last: usize,
}

/// Where an amount comes from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Origin {
    /// Somebody measured it.
    Measured,
    /// Somebody guessed it.
    Guessed,
}

/// `let cruise = 45 %, safe from 30 % to 60 %, measured`
#[derive(Clone, Debug, PartialEq)]
pub struct Let {
    /// Its name.
    pub name: Spanned<String>,
    /// Its amount.
    pub value: Spanned<Value>,
    /// Between which amounts it may safely be changed.
    pub safe: Option<[Spanned<Quantity>; 2]>,
    /// Where it comes from, when it says so.
    pub origin: Option<Spanned<Origin>>,
    /// Index into [`super::Parsed::lines`].
    pub line: usize,
}

/// One parameter of a routine.
#[derive(Clone, Debug, PartialEq)]
pub struct Parameter {
    /// Its name.
    pub name: Spanned<String>,
    /// What it is without being given anything.
    pub default: Option<Spanned<Argument>>,
}

/// `routine back-away (back = 120 mm, swing = 130 deg)`
#[derive(Clone, Debug, PartialEq)]
pub struct Routine {
    /// Its name.
    pub name: Spanned<String>,
    /// Its parameters.
    pub parameters: Vec<Parameter>,
    /// Index into [`super::Parsed::lines`].
    pub line: usize,
}

/// What happens after a reflex.
#[derive(Clone, Debug, PartialEq)]
pub enum Then {
    /// The step goes on where it was.
    Resume,
    /// The step begins anew.
    Restart,
    /// Another step, or the end of the mission.
    Go(Target),
}

/// `reflex "Keep off the rim"`; what it does is the one step of its block.
#[derive(Clone, Debug, PartialEq)]
pub struct Reflex {
    /// Its name.
    pub name: Spanned<String>,
    /// What it watches for, and whether it takes over for as long as that holds instead of once on its becoming true.
    pub trigger: Option<(Spanned<Condition>, bool)>,
    /// The steps it watches; the whole mission without any.
    pub within: Vec<Spanned<String>>,
    /// What happens afterwards.
    pub then: Option<Spanned<Then>>,
    /// Index of the line of the trigger.
    pub watch_line: usize,
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
    /// `begin on go-button`
    pub button: Option<Spanned<String>>,
    /// `begin after 5 s`
    pub delay: Option<Spanned<Quantity>>,
    /// `settle 300 ms`
    pub settle: Option<Spanned<Quantity>>,
    /// `use "shared/turns.way"`: files with further routines.
    pub uses: Vec<Spanned<String>>,
    /// Named values, in written order.
    pub lets: Vec<Let>,
    /// Routines, in written order.
    pub routines: Vec<Routine>,
    /// Reflexes, in written order: the first goes before all others.
    pub reflexes: Vec<Reflex>,
    /// Every step of the mission, its routines and its reflexes, in written order.
    pub steps: Vec<Step>,
}

impl Mission {
    /// The steps of a sequence: of a block, or within a repeat; each with its index.
    pub fn sequence(&self, block: Block, inside: Option<usize>) -> impl Iterator<Item = (usize, &Step)> {
        let of = move |step: &Step| step.block == block && step.inside == inside;
        self.steps.iter().enumerate().filter(move |(_, step)| of(step))
    }
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
    /// The name of a ranging sensor.
    Ranger,
    /// The name of a start pose.
    Start,
    /// The name of a routine.
    Routine,
    /// A name that says nothing about what may stand there.
    Name,
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
    /// `limit`, `start`, `begin`, `settle` or `use`.
    Header,
    /// `let`
    Let,
    /// `step "..."`
    Step,
    /// `routine ...`
    Routine,
    /// `reflex "..."`
    Reflex,
    /// `when`, `while`, `during` or `then` of a reflex.
    Watch,
    /// A behaviour.
    Behaviour,
    /// `when` or `otherwise` of a choice.
    Row,
    /// `until ...` or `or ...`
    Exit,
    /// `end` of a repeat or a routine.
    End,
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
    /// How far it is set in for what it stands in: one for a routine, two for each repeat.
    pub depth: usize,
    /// The bytes of its comment, from `#`.
    pub comment: Option<Range<usize>>,
}
