//! Swapping left and right in steps.

use crate::ids::{DeviceKind, TextStep};
use std::ops::Range;

use super::{Change, Note, Refusal, Text};
use crate::finding::Edit;
use crate::mission::ast::{
    Argument, Behaviour, Comparison, Condition, Formula, Operator, Part, SlotKind, Spanned, Value,
};
use crate::mission::behaviours::{Do, Ending};
use crate::units::Quantity;

/// Swaps left and right in steps and all that stands in them: sides, sensors with their opposites,
/// headings, results of a probe, and whether a routine is mirrored.
///
/// # Errors
/// Nothing in them has a side. A sensor without a counterpart stays, and the note says so.
pub fn mirror(of: Text<'_>, steps: Range<TextStep>) -> Result<Change, Refusal> {
    let steps = of.side_by_side(&steps)?;
    let mut mirror = Mirror {
        of,
        edits: Vec::new(),
        alone: None,
    };
    let lines = of.step(steps[0]).line..=of.step(steps[steps.len() - 1]).last;
    for slot in of
        .parsed
        .slots
        .iter()
        .filter(|slot| lines.contains(&slot.line))
    {
        if let SlotKind::Choice(words) = slot.kind
            && words.contains(&"left")
        {
            mirror.word(&slot.span, &[("left", "right"), ("right", "left")]);
        }
    }
    for (index, step) in of
        .parsed
        .mission
        .numbered()
        .filter(|(index, _)| of.is_among(&steps, *index))
    {
        for behaviour in of.parsed.behaviours_of(step) {
            if let Behaviour::Do(call) = &behaviour.node {
                mirror.call(behaviour, call);
            }
            behaviour.node.parts(&mut |part| mirror.part(part));
        }
        for (_, _, condition) in of
            .parsed
            .conditions()
            .into_iter()
            .filter(|(at, ..)| *at == Some(index))
        {
            condition.walk(&mut |term| mirror.condition(term));
        }
    }
    if mirror.edits.is_empty() {
        return Err(Refusal::NoSide);
    }
    let note = mirror.alone.map(Note::NoOpposite);
    of.sound(Change {
        note,
        ..Change::new(mirror.edits, of.name(steps[0]))
    })
}

struct Mirror<'a> {
    of: Text<'a>,
    edits: Vec<Edit>,
    /// A sensor without a counterpart.
    alone: Option<String>,
}

impl Mirror<'_> {
    fn put(&mut self, span: &Range<usize>, text: String) {
        if self.of.text[span.clone()] != *text {
            self.edits.push(Edit {
                span: span.clone(),
                text,
            });
        }
    }

    fn word(&mut self, span: &Range<usize>, pairs: &[(&str, &str)]) {
        let old = &self.of.text[span.clone()];
        if let Some((_, new)) = pairs.iter().find(|(known, _)| *known == old) {
            self.put(span, (*new).to_owned());
        }
    }

    /// The sensor on the other side; the same for what is no floor sensor.
    fn opposite(&mut self, name: &str) -> String {
        let Some(sensor) = self.of.names.sensor(name) else {
            return name.to_owned();
        };
        sensor.mirror.clone().unwrap_or_else(|| {
            self.alone.get_or_insert_with(|| name.to_owned());
            name.to_owned()
        })
    }

    fn sensor(&mut self, name: &Spanned<String>) {
        let other = self.opposite(&name.node);
        self.put(&name.span, other);
    }

    fn part(&mut self, part: Part<'_>) {
        match part {
            Part::Device(name, DeviceKind::Floor) => self.sensor(name),
            // The left one of a pair is the opposite of the right one.
            Part::Pair([left, right]) => {
                let (new_left, new_right) = (self.opposite(&right.node), self.opposite(&left.node));
                self.put(&left.span, new_left);
                self.put(&right.span, new_right);
            }
            Part::Sensors(sensors) => sensors.names.iter().for_each(|name| self.sensor(name)),
            Part::Compared(sensors, _, limit) => {
                sensors.names.iter().for_each(|name| self.sensor(name));
                self.measured(limit);
            }
            Part::Measured(value) => self.measured(value),
            Part::Amount(value, wanted) if !wanted.before_the_run() => self.measured(value),
            Part::Device(
                _,
                DeviceKind::Ranger | DeviceKind::Switch | DeviceKind::Actuator | DeviceKind::Signal,
            )
            | Part::Amount(..)
            | Part::Side(_)
            | Part::Tone(..)
            | Part::Condition(_)
            | Part::Routine(_)
            | Part::Argument(..)
            | Part::Keeps(_)
            | Part::Zone(_)
            | Part::Label(_)
            | Part::LabelOf(_) => {}
        }
    }

    /// What is measured stays what it was: a heading is turned back into that of the text before,
    /// so that everything that goes by it later goes by the same number.
    fn measured(&mut self, value: &Spanned<Value>) {
        match &value.node {
            Value::Literal(_) => {}
            Value::Named(name) => self.source(name, &value.span),
            Value::Formula(formula) => match (&**formula, taken_from_nothing(&self.of, value)) {
                (_, Some(name)) if SIDED.contains(&name) => self.put(&value.span, name.to_owned()),
                (formula, _) => self.formula(formula),
            },
        }
    }

    fn formula(&mut self, formula: &Formula) {
        match formula {
            Formula::Amount(value) => self.measured(value),
            Formula::Two(_, pair) => pair.iter().for_each(|part| self.formula(part)),
            Formula::Of(_, parts) => parts.iter().for_each(|part| self.formula(part)),
        }
    }

    fn source(&mut self, name: &str, span: &Range<usize>) {
        match name {
            "last-left" => self.put(span, "last-right".to_owned()),
            "last-right" => self.put(span, "last-left".to_owned()),
            _ if SIDED.contains(&name) => self.put(span, format!("(0 deg - {name})")),
            _ => {
                let other = self.opposite(name);
                self.put(span, other);
            }
        }
    }

    fn condition(&mut self, condition: &Spanned<Condition>) {
        // Parts of the conditions within are theirs: `walk` comes to them.
        condition.node.parts(&mut |part| self.part(part));
        match &condition.node {
            Condition::Heading(angle) => self.negate(angle),
            Condition::Reads {
                sensors,
                than,
                limit,
            } if is_heading(&sensors.names) => {
                self.negate(limit);
                let between = sensors.names[0].span.end..limit.span.start;
                let sign = match than {
                    Comparison::Below => '<',
                    Comparison::Above => '>',
                    Comparison::Named(_) => return,
                };
                let Some(at) = self.of.text[between.clone()].find(sign) else {
                    return;
                };
                let other = if sign == '<' { ">" } else { "<" };
                self.put(
                    &(between.start + at..between.start + at + 1),
                    other.to_owned(),
                );
            }
            Condition::Between { sensors, low, high } if is_heading(&sensors.names) => {
                let (low_text, high_text) = (self.negative(low), self.negative(high));
                self.put(&low.span, high_text);
                self.put(&high.span, low_text);
            }
            Condition::Ended(Ending::LeftFurther | Ending::RightFurther) => {
                let written = &self.of.text[condition.span.clone()];
                let other = if let Some(rest) = written.strip_prefix("left") {
                    format!("right{rest}")
                } else {
                    written.replacen("right", "left", 1)
                };
                self.put(&condition.span, other);
            }
            // The same on both sides, but for sides and devices, which are changed as parts.
            Condition::Any(_)
            | Condition::All(_)
            | Condition::Not(_)
            | Condition::For(..)
            | Condition::After(..)
            | Condition::As(..)
            | Condition::Sees { .. }
            | Condition::Reads { .. }
            | Condition::Compares { .. }
            | Condition::Between { .. }
            | Condition::Code { .. }
            | Condition::Changed { .. }
            | Condition::Crossed { .. }
            | Condition::Is { .. }
            | Condition::Travelled(_)
            | Condition::Turned(_)
            | Condition::Rolled { .. }
            | Condition::Passed(_)
            | Condition::Clock(_)
            | Condition::Zone { .. }
            | Condition::Stalled(_)
            | Condition::Lost
            | Condition::Ended(_)
            | Condition::EndedBy(_) => {}
        }
    }

    fn negate(&mut self, angle: &Spanned<Value>) {
        let text = self.negative(angle);
        self.put(&angle.span, text);
    }

    /// An angle with the other sign, as it is written.
    fn negative(&self, angle: &Spanned<Value>) -> String {
        match &angle.node {
            Value::Literal(quantity) if quantity.value == 0.0 => quantity.to_string(),
            Value::Literal(quantity) => Quantity {
                value: -quantity.value,
                unit: quantity.unit,
            }
            .to_string(),
            Value::Named(_) | Value::Formula(_) => match taken_from_nothing(&self.of, angle) {
                Some(inner) => inner.to_owned(),
                None => format!("(0 deg - {})", &self.of.text[angle.span.clone()]),
            },
        }
    }

    /// A call is mirrored as a whole; sides that it gives are the caller's and have been swapped as
    /// words, which a mirrored routine would swap back.
    fn call(&mut self, behaviour: &Spanned<Behaviour>, call: &Do) {
        for (_, argument) in &call.arguments {
            if matches!(argument.node, Argument::Side(_)) {
                self.edits.retain(|edit| edit.span != argument.span);
            }
        }
        let written = &self.of.text[behaviour.span.clone()];
        if call.mirrored {
            let Some(at) = written.rfind("mirrored") else {
                return;
            };
            let start = written[..at].trim_end().len();
            let span = behaviour.span.start + start..behaviour.span.start + at + "mirrored".len();
            self.put(&span, String::new());
        } else {
            let end = behaviour.span.start + written.trim_end().len();
            self.put(&(end..end), " mirrored".to_owned());
        }
    }
}

/// What the robot knows that has the other sign in a mirror.
const SIDED: [&str; 2] = ["heading", "last-turn"];

/// What is taken from nothing in `(0 deg - X)`: `X` as it is written.
fn taken_from_nothing<'a>(of: &Text<'a>, value: &Spanned<Value>) -> Option<&'a str> {
    let Value::Formula(formula) = &value.node else {
        return None;
    };
    let Formula::Two(Operator::Minus, pair) = &**formula else {
        return None;
    };
    let Formula::Amount(Spanned {
        node: Value::Literal(Quantity { value: 0.0, .. }),
        ..
    }) = &pair[0]
    else {
        return None;
    };
    let written = of.text[value.span.clone()].strip_prefix("(0 deg - ")?;
    written.strip_suffix(')')
}

/// Whether it is the heading that is compared, which has a sign.
fn is_heading(names: &[Spanned<String>]) -> bool {
    matches!(names, [name] if SIDED.contains(&name.node.as_str()))
}
