//! Quantities with their units: parsed from and printed as people write them, kept in SI inside.
//!
//! Everything that enters from a text file passes through [`Unit`], so no number is ever without
//! its unit. Uses `f64` arithmetic only; [`math`] is the one door to transcendental functions.

use std::f64::consts::{PI, TAU};
use std::fmt;

use serde::de::{self, Deserializer, Visitor};
use serde::{Deserialize, Serialize};

pub mod colour;
pub mod hash;
pub mod math;

/// The largest magnitude any quantity may have in its written unit; beyond it a number is a typing
/// error.
pub const LARGEST: f64 = 1e6;

/// Standard gravity, m/s^2.
pub const GRAVITY: f64 = 9.806_65;

/// What a number measures.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Dimension {
    /// A plain number: a count or a gain.
    Number,
    /// A share of a whole: duty, reflectance.
    Percent,
    /// A length.
    Length,
    /// A plane angle.
    Angle,
    /// A duration.
    Time,
    /// A speed along the ground.
    Speed,
    /// An angular speed.
    TurnRate,
    /// A mass.
    Mass,
    /// An electric potential.
    Voltage,
    /// A torque.
    Torque,
    /// A moment of inertia.
    Inertia,
    /// An electric charge.
    Charge,
    /// A rate of repetition.
    Frequency,
}

impl Dimension {
    /// How the dimension is called in a message, with its article.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Number => "a plain number",
            Self::Percent => "a percentage",
            Self::Length => "a length",
            Self::Angle => "an angle",
            Self::Time => "a duration",
            Self::Speed => "a speed",
            Self::TurnRate => "a turn rate",
            Self::Mass => "a mass",
            Self::Voltage => "a voltage",
            Self::Torque => "a torque",
            Self::Inertia => "a moment of inertia",
            Self::Charge => "a charge",
            Self::Frequency => "a rate",
        }
    }

    /// A well-formed value of the dimension, for hints.
    pub const fn example(self) -> &'static str {
        match self {
            Self::Number => "0.6",
            Self::Percent => "45 %",
            Self::Length => "120 mm",
            Self::Angle => "90 deg",
            Self::Time => "2.5 s",
            Self::Speed => "150 mm/s",
            Self::TurnRate => "180 rpm",
            Self::Mass => "820 g",
            Self::Voltage => "7.4 V",
            Self::Torque => "0.25 N m",
            Self::Inertia => "0.55 kg cm^2",
            Self::Charge => "1200 mA h",
            Self::Frequency => "250 Hz",
        }
    }
}

macro_rules! units {
    ($($variant:ident $symbol:literal $dimension:ident $times:tt / $by:literal, $fine:literal, $coarse:literal;)*) => {
        /// A unit that may be written behind a number.
        #[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
        #[allow(missing_docs, reason = "each is named after itself and listed in docs/language.md")]
        pub enum Unit { $($variant),* }

        impl Unit {
            /// Every unit, in the order in which hints list them.
            pub const ALL: &[Self] = &[$(Self::$variant),*];

            /// The unit as it is written.
            pub const fn symbol(self) -> &'static str {
                match self { $(Self::$variant => $symbol),* }
            }

            /// What the unit measures.
            pub const fn dimension(self) -> Dimension {
                match self { $(Self::$variant => Dimension::$dimension),* }
            }

            /// The factor to SI as (times, divided by): division keeps `250 mm` exactly a quarter.
            const fn scale(self) -> (f64, f64) {
                match self { $(Self::$variant => ($times, $by)),* }
            }

            /// By how much people change such a number, in the unit itself: finely, and coarsely.
            pub const fn steps(self) -> (f64, f64) {
                match self { $(Self::$variant => ($fine, $coarse)),* }
            }
        }
    };
}

units! {
    None "" Number 1.0 / 1.0, 0.05, 0.25;
    Percent "%" Percent 1.0 / 100.0, 1.0, 5.0;
    Millimetre "mm" Length 1.0 / 1000.0, 1.0, 10.0;
    Centimetre "cm" Length 1.0 / 100.0, 0.1, 1.0;
    Metre "m" Length 1.0 / 1.0, 0.01, 0.1;
    Inch "in" Length 254.0 / 10000.0, 0.1, 0.5;
    Degree "deg" Angle PI / 180.0, 1.0, 5.0;
    Radian "rad" Angle 1.0 / 1.0, 0.05, 0.25;
    Turn "turn" Angle TAU / 1.0, 0.05, 0.25;
    Second "s" Time 1.0 / 1.0, 0.1, 0.5;
    Millisecond "ms" Time 1.0 / 1000.0, 10.0, 50.0;
    Minute "min" Time 60.0 / 1.0, 0.05, 0.25;
    MillimetrePerSecond "mm/s" Speed 1.0 / 1000.0, 10.0, 50.0;
    CentimetrePerSecond "cm/s" Speed 1.0 / 100.0, 0.05, 0.25;
    MetrePerSecond "m/s" Speed 1.0 / 1.0, 0.05, 0.25;
    InchPerSecond "in/s" Speed 254.0 / 10000.0, 0.5, 2.0;
    DegreePerSecond "deg/s" TurnRate PI / 180.0, 0.05, 0.25;
    TurnPerMinute "rpm" TurnRate TAU / 60.0, 0.05, 0.25;
    Gram "g" Mass 1.0 / 1000.0, 0.05, 0.25;
    Kilogram "kg" Mass 1.0 / 1.0, 0.05, 0.25;
    Volt "V" Voltage 1.0 / 1.0, 0.05, 0.25;
    NewtonMetre "N m" Torque 1.0 / 1.0, 0.05, 0.25;
    NewtonMillimetre "N mm" Torque 1.0 / 1000.0, 0.05, 0.25;
    KilogramSquareCentimetre "kg cm^2" Inertia 1.0 / 10000.0, 0.05, 0.25;
    MilliampereHour "mA h" Charge 36.0 / 10.0, 10.0, 100.0;
    Hertz "Hz" Frequency 1.0 / 1.0, 0.05, 0.25;
}

impl Unit {
    /// Words for units that people write, and the unit that is meant; none where no unit here is
    /// that large.
    pub const SPOKEN: &[(&str, Option<Self>)] = &[
        ("percent", Some(Self::Percent)),
        ("millimetres", Some(Self::Millimetre)),
        ("millimeters", Some(Self::Millimetre)),
        ("centimetres", Some(Self::Centimetre)),
        ("centimeters", Some(Self::Centimetre)),
        ("metres", Some(Self::Metre)),
        ("meters", Some(Self::Metre)),
        ("inch", Some(Self::Inch)),
        ("inches", Some(Self::Inch)),
        ("feet", None),
        ("foot", None),
        ("degree", Some(Self::Degree)),
        ("degrees", Some(Self::Degree)),
        ("radians", Some(Self::Radian)),
        ("turns", Some(Self::Turn)),
        ("rotations", Some(Self::Turn)),
        ("sec", Some(Self::Second)),
        ("second", Some(Self::Second)),
        ("seconds", Some(Self::Second)),
        ("milliseconds", Some(Self::Millisecond)),
        ("minute", Some(Self::Minute)),
        ("minutes", Some(Self::Minute)),
        ("volts", Some(Self::Volt)),
    ];

    /// The unit written as `symbol`, exactly.
    pub fn parse(symbol: &str) -> Option<Self> {
        Self::ALL
            .iter()
            .copied()
            .find(|unit| unit.symbol() == symbol)
    }

    /// The units of one dimension, as a list for a hint: `mm, cm or m`.
    pub fn list(dimension: Dimension) -> String {
        let symbols: Vec<&str> = Self::ALL
            .iter()
            .filter(|unit| unit.dimension() == dimension)
            .map(|unit| unit.symbol())
            .collect();
        match symbols.split_last() {
            Some((last, rest)) if !rest.is_empty() => format!("{} or {last}", rest.join(", ")),
            _ => symbols.concat(),
        }
    }
}

/// Numbers as people write them in words, from 0 on.
const SPOKEN_NUMBERS: &[&str] = &[
    "zero", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten",
    "eleven", "twelve",
];

/// The same for which one of several, from the first on.
const SPOKEN_ORDINALS: &[&str] = &["first", "second", "third", "fourth", "fifth", "sixth"];

/// The number that a word stands for, such as `three` or `twice`.
pub fn spoken_number(word: &str) -> Option<usize> {
    match word {
        "once" => Some(1),
        "twice" => Some(2),
        _ => SPOKEN_NUMBERS.iter().position(|number| *number == word),
    }
}

/// Which one of several a word stands for, such as 3 for `third`.
pub fn spoken_ordinal(word: &str) -> Option<usize> {
    let place = SPOKEN_ORDINALS
        .iter()
        .position(|ordinal| *ordinal == word)?;
    Some(place + 1)
}

/// A number as written, with its unit.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Quantity {
    /// The number in front of the unit.
    pub value: f64,
    /// The unit behind it.
    pub unit: Unit,
}

impl Quantity {
    /// The value in SI (m, rad, s, m/s, rad/s, kg, V, N m, Hz; a percentage as a share of one).
    pub fn si(self) -> f64 {
        let (times, by) = self.unit.scale();
        self.value * times / by
    }

    /// The quantity in `unit` that has this SI value, rounded to what people write (six decimals).
    pub fn from_si(si: f64, unit: Unit) -> Self {
        let (times, by) = unit.scale();
        Self {
            value: tidy(si * by / times),
            unit,
        }
    }

    /// Reads a text such as `40 mm`; spaces around and between are free.
    ///
    /// # Errors
    /// No number, no unit, an unknown unit, too large.
    pub fn parse(text: &str) -> Result<Self, NotAQuantity> {
        let text = text.trim();
        let end = text
            .find(|c: char| !(c.is_ascii_digit() || matches!(c, '.' | '-' | '+')))
            .unwrap_or(text.len());
        let (number, symbol) = text.split_at(end);
        let symbol = symbol.trim();
        let value = parse_number(number).ok_or_else(|| NotAQuantity::NoNumber(text.to_owned()))?;
        let unit = Unit::parse(symbol).ok_or_else(|| NotAQuantity::Unit(symbol.to_owned()))?;
        if value.abs() > LARGEST {
            return Err(NotAQuantity::TooLarge(number.to_owned()));
        }
        Ok(Self { value, unit })
    }
}

/// Why a text is no quantity.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum NotAQuantity {
    /// It does not begin with a number.
    #[error("expected a number with its unit, found `{0}`")]
    NoNumber(String),
    /// There is no unit of that symbol.
    #[error("unknown unit `{0}`")]
    Unit(String),
    /// Beyond [`LARGEST`].
    #[error("{0} is larger than {LARGEST}")]
    TooLarge(String),
}

/// A text that is not two lengths.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("expected two lengths such as \"300, 200 mm\", found `{0}`")]
pub struct NotAPair(pub String);

impl fmt::Display for Quantity {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.unit {
            Unit::None => write!(f, "{}", self.value),
            unit => write!(f, "{} {}", self.value, unit.symbol()),
        }
    }
}

/// Reads a plain decimal such as `0.6` or `-30`; exponents and the words for infinity are not
/// numbers here.
pub fn parse_number(text: &str) -> Option<f64> {
    let plain = text
        .bytes()
        .all(|b| b.is_ascii_digit() || matches!(b, b'.' | b'-' | b'+'));
    text.parse()
        .ok()
        .filter(|value: &f64| plain && value.is_finite())
}

/// `value` rounded to six decimals and without a negative zero.
pub fn tidy(value: f64) -> f64 {
    (value * 1e6).round() / 1e6 + 0.0
}

macro_rules! newtypes {
    ($($(#[$doc:meta])* $name:ident $dimension:ident;)*) => {$(
        $(#[$doc])*
        #[derive(Clone, Copy, Debug, PartialEq, PartialOrd, Default)]
        pub struct $name(f64);

        impl $name {
            /// From the SI value.
            pub const fn from_si(si: f64) -> Self { Self(si) }
            /// The SI value.
            pub const fn si(self) -> f64 { self.0 }
        }

        impl Measure for $name {
            const DIMENSION: Dimension = Dimension::$dimension;
            fn from_si(si: f64) -> Self { Self(si) }
            fn si(self) -> f64 { self.0 }
        }

        impl<'de> Deserialize<'de> for $name {
            fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
                deserializer.deserialize_any(MeasureVisitor(Dimension::$dimension)).map(Self)
            }
        }
    )*};
}

newtypes! {
    /// A length in metres.
    Length Length;
    /// A plane angle in radians, counter-clockwise positive.
    Angle Angle;
    /// A duration in seconds.
    Time Time;
    /// A speed along the ground in metres per second.
    Speed Speed;
    /// An angular speed in radians per second.
    TurnRate TurnRate;
    /// A mass in kilograms.
    Mass Mass;
    /// A potential in volts.
    Voltage Voltage;
    /// A torque in newton metres.
    Torque Torque;
    /// A moment of inertia in kilogram square metres.
    Inertia Inertia;
    /// A charge in ampere seconds.
    Charge Charge;
    /// A rate in hertz.
    Frequency Frequency;
    /// A share of one.
    Percent Percent;
}

impl Length {
    /// From millimetres.
    pub fn mm(mm: f64) -> Self {
        Self(mm / 1000.0)
    }
}

/// A quantity type of one dimension.
pub trait Measure: Copy {
    /// What it measures.
    const DIMENSION: Dimension;
    /// From the SI value.
    fn from_si(si: f64) -> Self;
    /// The SI value.
    fn si(self) -> f64;
}

/// Reads a quantity string and insists on one dimension; returns its SI value.
struct MeasureVisitor(Dimension);

impl Visitor<'_> for MeasureVisitor {
    type Value = f64;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(
            f,
            "{} in quotes, such as \"{}\"",
            self.0.name(),
            self.0.example()
        )
    }

    fn visit_str<E: de::Error>(self, text: &str) -> Result<f64, E> {
        let expected = || {
            format!(
                "expected {} such as \"{}\"",
                self.0.name(),
                self.0.example()
            )
        };
        let quantity =
            Quantity::parse(text).map_err(|why| E::custom(format!("{why}; {}", expected())))?;
        if quantity.unit.dimension() != self.0 {
            let found = quantity.unit.dimension().name();
            return Err(E::custom(format!(
                "{}, found {found} (`{text}`)",
                expected()
            )));
        }
        Ok(quantity.si())
    }

    fn visit_i64<E: de::Error>(self, value: i64) -> Result<f64, E> {
        self.visit_f64(value as f64)
    }

    fn visit_f64<E: de::Error>(self, value: f64) -> Result<f64, E> {
        Err(E::custom(format!(
            "the number {value} has no unit; write {} such as \"{}\"",
            self.0.name(),
            self.0.example()
        )))
    }
}

/// A quantity that must be above zero.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Positive<T>(pub T);

impl<'de, T: Measure + Deserialize<'de>> Deserialize<'de> for Positive<T> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let value = T::deserialize(deserializer)?;
        if value.si() > 0.0 {
            Ok(Self(value))
        } else {
            Err(de::Error::custom(format!(
                "must be more than zero, such as \"{}\"",
                T::DIMENSION.example()
            )))
        }
    }
}

/// A quantity that may be zero but not less.
#[derive(Clone, Copy, Debug, PartialEq, Default)]
pub struct NotNegative<T>(pub T);

impl<'de, T: Measure + Deserialize<'de>> Deserialize<'de> for NotNegative<T> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let value = T::deserialize(deserializer)?;
        if value.si() >= 0.0 {
            Ok(Self(value))
        } else {
            Err(de::Error::custom("must not be negative"))
        }
    }
}

/// Two lengths that belong together, written `"300, 200 mm"` (a place) or `"2000 x 1500 mm"` (a
/// size); in metres.
#[derive(Clone, Copy, Debug, PartialEq, Default)]
pub struct Pair {
    /// Rightwards in the field frame, forwards in the robot frame.
    pub x: f64,
    /// Upwards in the field frame, leftwards in the robot frame.
    pub y: f64,
}

impl Pair {
    /// Reads `"300, 200 mm"`, `"300 mm, 20 cm"` or `"2000 x 1500 mm"`.
    ///
    /// # Errors
    /// The text is neither.
    pub fn parse(text: &str) -> Result<Self, NotAPair> {
        let expected = || NotAPair(text.to_owned());
        let (first, second) = text
            .split_once(',')
            .or_else(|| text.split_once(" x "))
            .ok_or_else(expected)?;
        let y = Quantity::parse(second).map_err(|_| expected())?;
        let x = match parse_number(first.trim()) {
            Some(value) if value.abs() <= LARGEST => Quantity {
                value,
                unit: y.unit,
            },
            _ => Quantity::parse(first).map_err(|_| expected())?,
        };
        if x.unit.dimension() != Dimension::Length || y.unit.dimension() != Dimension::Length {
            return Err(expected());
        }
        Ok(Self {
            x: x.si(),
            y: y.si(),
        })
    }
}

impl<'de> Deserialize<'de> for Pair {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let text = String::deserialize(deserializer)?;
        Self::parse(&text).map_err(de::Error::custom)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn quantities_are_read_with_their_unit_and_kept_in_si() {
        for (text, si) in [
            ("250 mm", 0.25),
            ("25cm", 0.25),
            (" 0.25  m ", 0.25),
            ("90 deg", std::f64::consts::FRAC_PI_2),
            ("45 %", 0.45),
            ("150 ms", 0.15),
            ("0.3 N m", 0.3),
            ("60 rpm", std::f64::consts::TAU),
        ] {
            assert!(
                (Quantity::parse(text).unwrap().si() - si).abs() < 1e-12,
                "{text}"
            );
        }
    }

    #[test]
    fn what_is_no_quantity_is_refused() {
        for text in [
            "",
            "mm",
            "4 furlongs",
            "1e3 mm",
            "inf mm",
            "NaN s",
            "5000000 mm",
            "--3 mm",
            "1.2.3 s",
        ] {
            assert!(Quantity::parse(text).is_err(), "{text}");
        }
    }

    #[test]
    fn printing_and_reading_agree() {
        for text in ["45 %", "0.6", "120 mm", "-30 deg", "2.5 s", "150 mm/s"] {
            assert_eq!(Quantity::parse(text).unwrap().to_string(), text);
        }
        assert_eq!(
            Quantity::from_si(0.1 + 0.2, Unit::Metre).to_string(),
            "0.3 m"
        );
    }

    #[test]
    fn pairs_share_a_trailing_unit() {
        assert_eq!(Pair::parse("300, 200 mm"), Ok(Pair { x: 0.3, y: 0.2 }));
        assert_eq!(Pair::parse("30 cm, -200 mm"), Ok(Pair { x: 0.3, y: -0.2 }));
        assert_eq!(Pair::parse("2000 x 1500 mm"), Ok(Pair { x: 2.0, y: 1.5 }));
        for text in ["300 mm", "1, 2", "1 s, 2 mm", "a, b mm", ""] {
            assert!(Pair::parse(text).is_err(), "{text}");
        }
    }
}
