//! What an exit waits for.

use crate::mission::ast::{Comparison, Side, Spanned, Value};
use crate::mission::behaviours::Ending;

/// The whole mat, where a zone is named; it stands without quotes.
pub const MAT: &str = "the mat";

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
    /// This long, or this far, after the step began.
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
    /// `floor-left sees dark`, `any of floor-left, floor-right sees rim`, `hue sees any of red,
    /// blue`
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
    /// `floor-left - floor-right > 10 %`, `first + second < 300 mm`
    Compares {
        /// A formula that may name sensors and what is measured.
        left: Spanned<Value>,
        /// Less than the other side, or more.
        than: Comparison,
        /// Another one, or an amount.
        right: Spanned<Value>,
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
    /// `reaches "the quay"`, `leaves "the quay"`, `leaves the mat`
    Zone {
        /// A zone of the field, or [`MAT`].
        zone: Spanned<String>,
        /// Out of it again, instead of into it.
        leaves: bool,
    },
    /// `stalled for 300 ms`
    Stalled(Spanned<Value>),
    /// `finished`, `found`, `given up`, `clear`, `left is further`, `right is further`
    Ended(Ending),
    /// `ended by red-patch`
    EndedBy(Spanned<String>),
}
