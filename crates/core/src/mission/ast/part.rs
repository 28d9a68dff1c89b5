//! What sentences are made of: amounts, sides, and names of things.
//!
//! Every behaviour and every condition lists its parts once. Checking, references, mirroring, the
//! slots' ranges and "what is used" all go over these lists, so that none of them can forget a
//! part.

use super::{Argument, Comparison, Condition, Sensors, Side, SlotKind, Spanned, Value, amount};
use crate::ids::DeviceKind;
use crate::units::{Dimension, LARGEST};

/// What an amount is for: what it may measure, and within which range.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Wanted {
    /// A duty as a percentage, or a speed that the motors' drivers keep.
    Speed,
    /// The same, which may follow what the robot knows: a reading, or something measured.
    LiveSpeed,
    /// How strongly something is steered: a plain number.
    Gain,
    /// The radius of an arc.
    Radius,
    /// A distance.
    Length,
    /// An angle without a sign.
    Angle,
    /// An angle with a sign.
    SignedAngle,
    /// A duration.
    Time,
    /// A whole number of times.
    Count,
    /// A share of full brightness.
    Share,
    /// A number of a code table.
    Code,
    /// What one wheel has rolled: a length of its rim, or its own angle.
    Rolled,
    /// From when on a condition counts: a duration, or a distance.
    Delay,
    /// What a reading or a named value is compared with.
    Limit,
}

impl Wanted {
    /// What may stand there: one entry for each kind of amount, the usual one first. Ranges are in
    /// SI.
    pub fn slots(self) -> Vec<SlotKind> {
        use Dimension::{Angle, Length, Number, Percent, Speed, Time, Voltage};
        let length = || amount(Length, 0.0, 1000.0);
        let angle = || amount(Angle, 0.0, 1000.0);
        let time = || amount(Time, 0.0, 3600.0);
        match self {
            Self::Speed | Self::LiveSpeed => {
                vec![amount(Percent, 0.0, 1.0), amount(Speed, 0.0, 5.0)]
            }
            Self::Gain => vec![amount(Number, 0.0, 20.0)],
            Self::Radius => vec![amount(Length, 0.02, 20.0)],
            Self::Length => vec![length()],
            Self::Angle => vec![angle()],
            Self::SignedAngle => vec![amount(Angle, -1000.0, 1000.0)],
            Self::Time => vec![time()],
            Self::Count => vec![SlotKind::Amount {
                dimension: Number,
                range: (1.0, 1000.0),
                whole: true,
            }],
            Self::Share => vec![amount(Percent, 0.0, 1.0)],
            Self::Code => vec![amount(Number, -LARGEST, LARGEST)],
            Self::Rolled => vec![length(), angle()],
            Self::Delay => vec![time(), length()],
            Self::Limit => vec![
                amount(Percent, 0.0, 1.0),
                amount(Length, 0.0, 20.0),
                amount(Voltage, 0.0, 100.0),
                amount(Angle, -1000.0, 1000.0),
                time(),
                amount(Number, -LARGEST, LARGEST),
                amount(Speed, -5.0, 5.0),
            ],
        }
    }

    /// What it may measure.
    pub fn dimensions(self) -> Vec<Dimension> {
        let of = |slot: &SlotKind| {
            if let SlotKind::Amount { dimension, .. } = slot {
                Some(*dimension)
            } else {
                None
            }
        };
        self.slots().iter().filter_map(of).collect()
    }

    /// Whether it must be known before the run: the compiled program holds the number itself.
    pub const fn before_the_run(self) -> bool {
        matches!(self, Self::Speed | Self::Gain | Self::Radius)
    }
}

/// A part of a behaviour or a condition.
#[derive(Clone, Copy, Debug)]
pub enum Part<'a> {
    /// An amount.
    Amount(&'a Spanned<Value>, Wanted),
    /// Left or right.
    Side(&'a Side),
    /// A device.
    Device(&'a Spanned<String>, DeviceKind),
    /// Two floor sensors: the left one and the right one.
    Pair(&'a [Spanned<String>; 2]),
    /// A tone, and the floor sensors that look for it.
    Tone(&'a Spanned<String>, &'a [Spanned<String>]),
    /// The floor sensors that a condition is about.
    Sensors(&'a Sensors),
    /// Sensors, or one named value, compared with a limit.
    Compared(&'a Sensors, Option<&'a Comparison>, &'a Spanned<Value>),
    /// A condition within.
    Condition(&'a Spanned<Condition>),
    /// A zone of the field, or the mat.
    Zone(&'a Spanned<String>),
    /// The routine that is called.
    Routine(&'a Spanned<String>),
    /// What a parameter of the called routine is given.
    Argument(&'a Spanned<String>, &'a Spanned<Argument>),
    /// What is measured: a formula that may name sensors and other sources.
    Measured(&'a Spanned<Value>),
    /// The name under which a measured value is kept.
    Keeps(&'a Spanned<String>),
    /// The name under which it is kept whether a condition held.
    Label(&'a Spanned<String>),
    /// The condition of such a name, asked for later.
    LabelOf(&'a Spanned<String>),
}
