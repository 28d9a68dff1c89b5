//! What a step does.

use super::{Comparison, Condition, Side, Spanned, Value};

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
