//! Amounts: whether one fits its place, and what a formula of several measures and is worth.

use std::ops::Range;

use super::ast::{Formula, Function, Operator, SlotKind, Spanned, Value};
use crate::units::{Dimension, Quantity, Unit};

/// Why a quantity may not stand in a slot: code, message and hint.
pub fn misfit(quantity: Quantity, kind: &SlotKind) -> Option<(&'static str, String, String)> {
    let SlotKind::Amount {
        dimension,
        range,
        whole,
    } = kind
    else {
        return None;
    };
    let example = || format!("try {} such as `{}`", dimension.name(), dimension.example());
    if quantity.unit.dimension() != *dimension {
        if quantity.unit == Unit::None {
            let hint = format!(
                "write it with {}, such as `{}`",
                Unit::list(*dimension),
                dimension.example()
            );
            return Some(("M004", format!("`{quantity}` has no unit"), hint));
        }
        return Some((
            "M005",
            format!("expected {}, found `{quantity}`", dimension.name()),
            example(),
        ));
    }
    let si = quantity.si();
    if si < range.0 || si > range.1 {
        if si < 0.0 && *dimension == Dimension::Percent {
            return Some((
                "M008",
                format!("`{quantity}` is negative"),
                "for the other direction write `back`, or the other side".into(),
            ));
        }
        let unit = quantity.unit;
        let (least, most) = (
            Quantity::from_si(range.0, unit),
            Quantity::from_si(range.1, unit),
        );
        let may = match range {
            (f64::MIN_POSITIVE, f64::INFINITY) => "it must be more than 0".to_owned(),
            (_, f64::INFINITY) => format!("it must be at least {least}"),
            _ => format!("it may be {least} to {most}"),
        };
        return Some(("M008", format!("`{quantity}` is out of range"), may));
    }
    (*whole && quantity.value.fract() != 0.0).then(|| {
        (
            "M008",
            format!("`{quantity}` is not a whole number"),
            "write a whole number".into(),
        )
    })
}

/// An amount in SI with what it measures.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Amount {
    /// SI value.
    pub si: f64,
    /// What it measures.
    pub dimension: Dimension,
}

impl From<Quantity> for Amount {
    fn from(quantity: Quantity) -> Self {
        Self {
            si: quantity.si(),
            dimension: quantity.unit.dimension(),
        }
    }
}

impl Amount {
    /// As people write it: in the unit they would choose.
    pub fn quantity(self) -> Quantity {
        let unit = match self.dimension {
            Dimension::Percent => Unit::Percent,
            Dimension::Length => Unit::Millimetre,
            Dimension::Angle => Unit::Degree,
            Dimension::Time => Unit::Second,
            Dimension::Speed => Unit::MillimetrePerSecond,
            Dimension::Voltage => Unit::Volt,
            Dimension::Number
            | Dimension::TurnRate
            | Dimension::Mass
            | Dimension::Torque
            | Dimension::Inertia
            | Dimension::Charge
            | Dimension::Frequency => Unit::None,
        };
        let exact = Quantity::from_si(self.si, unit);
        // As fine as anybody would write it: a gain of 0.05 is not 0.1.
        let fine = if matches!(self.dimension, Dimension::Number | Dimension::Time) {
            1000.0
        } else {
            10.0
        };
        Quantity {
            value: (exact.value * fine).round() / fine,
            ..exact
        }
    }
}

/// What a part of a formula measures: lengths, times, angles and volts multiplied and divided, or a
/// share of something.
///
/// Only whole formulas must come to something that has a name: `body * spacing / wheel` passes
/// through an angle times a length on its way to an angle.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Measure {
    length: i8,
    time: i8,
    angle: i8,
    volt: i8,
    /// Masses and torques are in no formula; they keep their dimension.
    other: Option<Dimension>,
    /// A percentage: a factor that stays a percentage beside plain numbers.
    share: bool,
}

const PLAIN: Measure = Measure {
    length: 0,
    time: 0,
    angle: 0,
    volt: 0,
    other: None,
    share: false,
};

impl Measure {
    const fn of(dimension: Dimension) -> Self {
        match dimension {
            Dimension::Number => PLAIN,
            Dimension::Percent => Self {
                share: true,
                ..PLAIN
            },
            Dimension::Length => Self { length: 1, ..PLAIN },
            Dimension::Angle => Self { angle: 1, ..PLAIN },
            Dimension::Time => Self { time: 1, ..PLAIN },
            Dimension::Speed => Self {
                length: 1,
                time: -1,
                ..PLAIN
            },
            Dimension::TurnRate => Self {
                angle: 1,
                time: -1,
                ..PLAIN
            },
            Dimension::Voltage => Self { volt: 1, ..PLAIN },
            Dimension::Frequency => Self { time: -1, ..PLAIN },
            other @ (Dimension::Mass
            | Dimension::Torque
            | Dimension::Inertia
            | Dimension::Charge) => Self {
                other: Some(other),
                ..PLAIN
            },
        }
    }

    /// What it is called; none for what no sentence of the language takes.
    fn dimension(self) -> Option<Dimension> {
        use Dimension::{
            Angle, Frequency, Length, Number, Percent, Speed, Time, TurnRate, Voltage,
        };
        let known = [
            Number, Percent, Length, Angle, Time, Speed, TurnRate, Voltage, Frequency,
        ];
        self.other.or_else(|| {
            known
                .into_iter()
                .find(|dimension| Self::of(*dimension) == self)
        })
    }

    const fn is_number(self) -> bool {
        self.length == 0
            && self.time == 0
            && self.angle == 0
            && self.volt == 0
            && self.other.is_none()
    }

    /// How it is called in a message.
    fn words(self) -> String {
        if let Some(dimension) = self.dimension() {
            return dimension.name().to_owned();
        }
        let units = [
            ("mm", self.length),
            ("s", self.time),
            ("deg", self.angle),
            ("V", self.volt),
        ];
        let power = |(unit, power): &(&str, i8)| match power {
            0 => None,
            1 => Some((*unit).to_owned()),
            other => Some(format!("{unit}^{other}")),
        };
        format!(
            "an amount in {}",
            units.iter().filter_map(power).collect::<Vec<_>>().join(" ")
        )
    }
}

/// What two parts of a formula make together; none when they do not go together.
fn joined(operator: Operator, left: Measure, right: Measure) -> Option<Measure> {
    let sign = match operator {
        Operator::Plus | Operator::Minus => return (left == right).then_some(left),
        Operator::Times => 1,
        Operator::Over => -1,
    };
    if (left.other.is_some() && right != PLAIN)
        || (right.other.is_some() && (left != PLAIN || sign < 0))
    {
        return None;
    }
    // A share of a length is a length; a length over a share is nothing that anybody means.
    let share = match (sign, left.share, right.share) {
        (1, true, _) | (1, _, true) => left.is_number() && right.is_number(),
        (_, true, true) => false,
        (_, true, false) => right.is_number(),
        (_, false, true) => return None,
        (_, false, false) => false,
    };
    let add = |left: i8, right: i8| {
        left.checked_add(right * sign)
            .filter(|power| power.abs() <= 8)
    };
    Some(Measure {
        length: add(left.length, right.length)?,
        time: add(left.time, right.time)?,
        angle: add(left.angle, right.angle)?,
        volt: add(left.volt, right.volt)?,
        other: left.other.or(right.other),
        share,
    })
}

/// What two SI values make together.
pub fn reckon(operator: Operator, left: f64, right: f64) -> f64 {
    match operator {
        Operator::Plus => left + right,
        Operator::Minus => left - right,
        Operator::Times => left * right,
        Operator::Over => left / right,
    }
}

/// What a function makes of SI values.
pub fn apply(function: Function, values: impl Iterator<Item = f64>) -> f64 {
    match function {
        Function::Min => values.fold(f64::INFINITY, f64::min),
        Function::Max => values.fold(f64::NEG_INFINITY, f64::max),
        Function::Abs => values.fold(0.0, |_, value| value.abs()),
    }
}

/// Why a formula measures nothing that can be used.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum NoSense {
    /// Its parts make something that no sentence takes.
    #[error("this is {0}, which cannot be used here")]
    Useless(String),
    /// Two of its parts do not go together.
    #[error("{first} cannot be {word} {second}")]
    Joined {
        /// What one measures.
        first: String,
        /// What was to be done with it.
        word: &'static str,
        /// What the other measures.
        second: String,
    },
}

/// What a formula measures, with the place and the reason when its parts do not go together.
///
/// `named` returns what a name measures; none when it has reported that there is no such name.
pub fn dimension(
    value: &Spanned<Value>,
    named: &mut dyn FnMut(&str, &Range<usize>) -> Option<Dimension>,
) -> Result<Option<Dimension>, Spanned<NoSense>> {
    let Some(measure) = measure(value, named)? else {
        return Ok(None);
    };
    match measure.dimension() {
        Some(dimension) => Ok(Some(dimension)),
        None => Err(Spanned {
            node: NoSense::Useless(measure.words()),
            span: value.span.clone(),
        }),
    }
}

fn measure(
    value: &Spanned<Value>,
    named: &mut dyn FnMut(&str, &Range<usize>) -> Option<Dimension>,
) -> Result<Option<Measure>, Spanned<NoSense>> {
    match &value.node {
        Value::Literal(quantity) => Ok(Some(Measure::of(quantity.unit.dimension()))),
        Value::Named(name) => Ok(named(name, &value.span).map(Measure::of)),
        Value::Formula(formula) => of_formula(formula, &value.span, named),
    }
}

fn of_formula(
    formula: &Formula,
    span: &Range<usize>,
    named: &mut dyn FnMut(&str, &Range<usize>) -> Option<Dimension>,
) -> Result<Option<Measure>, Spanned<NoSense>> {
    match formula {
        Formula::Amount(value) => measure(value, named),
        Formula::Two(operator, pair) => {
            let (left, right) = (
                of_formula(&pair[0], span, named)?,
                of_formula(&pair[1], span, named)?,
            );
            let (Some(left), Some(right)) = (left, right) else {
                return Ok(None);
            };
            let word = match operator {
                Operator::Plus => "added to",
                Operator::Minus => "taken from",
                Operator::Times => "multiplied by",
                Operator::Over => "divided by",
            };
            let (first, second) = if *operator == Operator::Minus {
                (right, left)
            } else {
                (left, right)
            };
            joined(*operator, left, right).map(Some).ok_or_else(|| {
                let node = NoSense::Joined {
                    first: first.words(),
                    word,
                    second: second.words(),
                };
                Spanned {
                    node,
                    span: span.clone(),
                }
            })
        }
        Formula::Of(_, parts) => {
            let mut all: Option<Measure> = None;
            for part in parts {
                let Some(one) = of_formula(part, span, named)? else {
                    return Ok(None);
                };
                if let Some(all) = all.filter(|all| *all != one) {
                    let node = NoSense::Joined {
                        first: all.words(),
                        word: "compared with",
                        second: one.words(),
                    };
                    return Err(Spanned {
                        node,
                        span: span.clone(),
                    });
                }
                all = Some(one);
            }
            Ok(all)
        }
    }
}

impl Value {
    /// Every name that it is worked out from.
    pub fn names<'a>(&'a self, into: &mut std::collections::BTreeSet<&'a str>) {
        match self {
            Self::Literal(_) => {}
            Self::Named(name) => {
                into.insert(name);
            }
            Self::Formula(formula) => formula.names(into),
        }
    }
}

impl Formula {
    fn names<'a>(&'a self, into: &mut std::collections::BTreeSet<&'a str>) {
        match self {
            Self::Amount(value) => value.node.names(into),
            Self::Two(_, pair) => pair.iter().for_each(|part| part.names(into)),
            Self::Of(_, parts) => parts.iter().for_each(|part| part.names(into)),
        }
    }
}

/// What an amount is worth; none when a name is not known or the parts do not go together.
pub fn evaluate(value: &Value, named: &dyn Fn(&str) -> Option<Amount>) -> Option<Amount> {
    let (si, measure) = worth(value, named)?;
    Some(Amount {
        si,
        dimension: measure.dimension()?,
    })
}

fn worth(value: &Value, named: &dyn Fn(&str) -> Option<Amount>) -> Option<(f64, Measure)> {
    match value {
        Value::Literal(quantity) => Some((quantity.si(), Measure::of(quantity.unit.dimension()))),
        Value::Named(name) => named(name).map(|amount| (amount.si, Measure::of(amount.dimension))),
        Value::Formula(formula) => worth_of_formula(formula, named),
    }
}

fn worth_of_formula(
    formula: &Formula,
    named: &dyn Fn(&str) -> Option<Amount>,
) -> Option<(f64, Measure)> {
    match formula {
        Formula::Amount(value) => worth(&value.node, named),
        Formula::Two(operator, pair) => {
            let (left, right) = (
                worth_of_formula(&pair[0], named)?,
                worth_of_formula(&pair[1], named)?,
            );
            Some((
                reckon(*operator, left.0, right.0),
                joined(*operator, left.1, right.1)?,
            ))
        }
        Formula::Of(function, parts) => {
            let parts = parts
                .iter()
                .map(|part| worth_of_formula(part, named))
                .collect::<Option<Vec<_>>>()?;
            let first = parts.first()?.1;
            let alike = parts.iter().all(|part| part.1 == first);
            alike.then(|| (apply(*function, parts.iter().map(|part| part.0)), first))
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::mission::parse;

    #[test]
    fn products_are_worked_out_in_any_order() {
        for (formula, result) in [
            ("body * spacing / wheel", "180 deg"),
            ("spacing * body / wheel", "180 deg"),
            ("spacing / wheel * body", "180 deg"),
            ("body / wheel * spacing", "180 deg"),
            ("50 % * 80 mm", "40 mm"),
            ("50 % * 50 %", "25 %"),
            ("80 mm / 20 mm", "4"),
            ("80 mm / 2 s", "40 mm/s"),
            ("80 mm / 40 mm/s", "2 s"),
            ("body / 2 s * 4 s", "180 deg"),
            ("max(spacing, wheel) - 12 mm", "100 mm"),
        ] {
            let text = format!(
                "let body = 90 deg\nlet spacing = 112 mm\nlet wheel = 56 mm\nlet x = {formula}\n"
            );
            let worth = parse(&text)
                .mission
                .worth("x")
                .map(|amount| amount.quantity().to_string());
            assert_eq!(worth.as_deref(), Some(result), "{formula}");
        }
        for formula in [
            "spacing * wheel",
            "spacing + body",
            "spacing / 50 %",
            "body * body",
            "2 s * 2 s",
        ] {
            let text = format!(
                "let body = 90 deg\nlet spacing = 112 mm\nlet wheel = 56 mm\nlet x = {formula}\n"
            );
            assert_eq!(parse(&text).mission.worth("x"), None, "{formula}");
        }
    }
}
