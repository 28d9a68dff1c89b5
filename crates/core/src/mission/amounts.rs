//! Amounts: whether one fits its place, and what a formula of several measures and is worth.

use std::ops::Range;

use super::ast::{Formula, Function, Operator, SlotKind, Spanned, Value};
use crate::units::{Dimension, Quantity, Unit};

/// Why a quantity may not stand in a slot: code, message and hint.
pub fn misfit(quantity: Quantity, kind: &SlotKind) -> Option<(&'static str, String, String)> {
    let SlotKind::Amount { dimension, range, whole } = kind else { return None };
    let example = || format!("try {} such as `{}`", dimension.name(), dimension.example());
    if quantity.unit.dimension() != *dimension {
        if quantity.unit == Unit::None {
            let hint = format!("write it with {}, such as `{}`", Unit::list(*dimension), dimension.example());
            return Some(("M004", format!("`{quantity}` has no unit"), hint));
        }
        return Some(("M005", format!("expected {}, found `{quantity}`", dimension.name()), example()));
    }
    let si = quantity.si();
    if si < range.0 || si > range.1 {
        if si < 0.0 && *dimension == Dimension::Percent {
            return Some((
                "M008",
                format!("`{quantity}` is less than nothing"),
                "for the other direction write `back`, or the other side".into(),
            ));
        }
        let unit = quantity.unit;
        let (least, most) = (Quantity::from_si(range.0, unit), Quantity::from_si(range.1, unit));
        return Some(("M008", format!("`{quantity}` is out of range"), format!("it may be {least} to {most}")));
    }
    (*whole && quantity.value.fract() != 0.0)
        .then(|| ("M008", format!("`{quantity}` is not a whole number"), "count in whole numbers".into()))
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
        Self { si: quantity.si(), dimension: quantity.unit.dimension() }
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
            _ => Unit::None,
        };
        let exact = Quantity::from_si(self.si, unit);
        // As fine as anybody would write it: a gain of 0.05 is not 0.1.
        let fine = if matches!(self.dimension, Dimension::Number | Dimension::Time) { 1000.0 } else { 10.0 };
        Quantity { value: (exact.value * fine).round() / fine, ..exact }
    }
}

/// What two amounts make together; none when they do not go together.
pub fn joined(operator: Operator, left: Dimension, right: Dimension) -> Option<Dimension> {
    use Dimension::{Length, Number, Percent, Speed, Time};
    match (operator, left, right) {
        (Operator::Plus | Operator::Minus, a, b) => (a == b).then_some(a),
        (Operator::Times, Number, other) | (Operator::Times | Operator::Over, other, Number) => Some(other),
        (Operator::Times, Percent, other) | (Operator::Times, other, Percent) => Some(other),
        (Operator::Times, Speed, Time) | (Operator::Times, Time, Speed) => Some(Length),
        (Operator::Over, Length, Time) => Some(Speed),
        (Operator::Over, Length, Speed) => Some(Time),
        (Operator::Over, a, b) => (a == b).then_some(Number),
        _ => None,
    }
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

/// What a formula measures, with the place and the reason when its parts do not go together.
///
/// `named` answers what a name measures; none when it has said that there is no such name.
pub fn dimension(
    value: &Spanned<Value>,
    named: &mut dyn FnMut(&str, &Range<usize>) -> Option<Dimension>,
) -> Result<Option<Dimension>, (Range<usize>, String)> {
    match &value.node {
        Value::Literal(quantity) => Ok(Some(quantity.unit.dimension())),
        Value::Named(name) => Ok(named(name, &value.span)),
        Value::Formula(formula) => of_formula(formula, &value.span, named),
    }
}

fn of_formula(
    formula: &Formula,
    span: &Range<usize>,
    named: &mut dyn FnMut(&str, &Range<usize>) -> Option<Dimension>,
) -> Result<Option<Dimension>, (Range<usize>, String)> {
    match formula {
        Formula::Amount(value) => dimension(value, named),
        Formula::Two(operator, pair) => {
            let (left, right) = (of_formula(&pair[0], span, named)?, of_formula(&pair[1], span, named)?);
            let (Some(left), Some(right)) = (left, right) else { return Ok(None) };
            let word = match operator {
                Operator::Plus => "added to",
                Operator::Minus => "taken from",
                Operator::Times => "multiplied by",
                Operator::Over => "divided by",
            };
            let (first, second) = if *operator == Operator::Minus { (right, left) } else { (left, right) };
            joined(*operator, left, right)
                .map(Some)
                .ok_or_else(|| (span.clone(), format!("{} cannot be {word} {}", first.name(), second.name())))
        }
        Formula::Of(_, parts) => {
            let mut all = None;
            for part in parts {
                let Some(one) = of_formula(part, span, named)? else { return Ok(None) };
                if all.is_some_and(|all| all != one) {
                    let all: Dimension = all.expect("just looked");
                    return Err((span.clone(), format!("{} cannot be compared with {}", all.name(), one.name())));
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
    match value {
        Value::Literal(quantity) => Some((*quantity).into()),
        Value::Named(name) => named(name),
        Value::Formula(formula) => evaluate_formula(formula, named),
    }
}

fn evaluate_formula(formula: &Formula, named: &dyn Fn(&str) -> Option<Amount>) -> Option<Amount> {
    match formula {
        Formula::Amount(value) => evaluate(&value.node, named),
        Formula::Two(operator, pair) => {
            let (left, right) = (evaluate_formula(&pair[0], named)?, evaluate_formula(&pair[1], named)?);
            let dimension = joined(*operator, left.dimension, right.dimension)?;
            Some(Amount { si: reckon(*operator, left.si, right.si), dimension })
        }
        Formula::Of(function, parts) => {
            let parts = parts.iter().map(|part| evaluate_formula(part, named)).collect::<Option<Vec<_>>>()?;
            let first = parts.first()?.dimension;
            let alike = parts.iter().all(|part| part.dimension == first);
            alike.then(|| Amount { si: apply(*function, parts.iter().map(|part| part.si)), dimension: first })
        }
    }
}
