//! What words stand for: sensors, tones, devices, speeds.

use super::{BATTERY, Checker, SOURCES, Use};
use crate::finding::{Edit, Hint, Hints, did_you_mean};
use crate::ids::DeviceKind;
use crate::mission::amounts;
use crate::mission::ast::{Block, Quantifier, Sensors, SlotKind, Spanned, Value};
use crate::units::{Dimension, Quantity, Unit};

impl Checker<'_> {
    /// A sensor that is named twice in one condition.
    pub(super) fn twice(&mut self, sensors: &Sensors) {
        for (index, sensor) in sensors.names.iter().enumerate() {
            if sensors.how != Quantifier::One
                && sensors.names[..index]
                    .iter()
                    .any(|other| other.node == sensor.node)
            {
                let message = format!("`{}` is named twice", sensor.node);
                self.warning(
                    "M126",
                    &sensor.span,
                    message,
                    "name the other sensor, or delete it",
                );
            }
        }
    }

    /// Whether a sensor's code table has the numbers that it is asked for.
    pub(super) fn code(
        &mut self,
        sensor: &Spanned<String>,
        low: &Spanned<Value>,
        high: Option<&Spanned<Value>>,
    ) {
        let Some(known) = self.names.sensor(&sensor.node) else {
            return;
        };
        if known.codes.is_empty() {
            let message = format!("`{}` does not read codes", sensor.node);
            let hint = format!("write `{} sees ...` or compare its brightness", sensor.node);
            return self.error("M114", &sensor.span, message, Some(hint));
        }
        for end in [Some(low), high].into_iter().flatten() {
            let Some(number) = self.amount(end) else {
                continue;
            };
            if !known
                .codes
                .iter()
                .any(|code| f64::from(*code) == number.value)
            {
                let all: Vec<String> = known.codes.iter().map(ToString::to_string).collect();
                let message = format!("`{}` has no code {}", sensor.node, number.value);
                self.error(
                    "M102",
                    &end.span,
                    message,
                    Some(format!("its table has {}", all.join(", "))),
                );
            }
        }
        if high.is_some() && !known.codes.is_sorted() {
            let message = format!("the codes of `{}` have no order", sensor.node);
            let span = low.span.start..high.map_or(low.span.end, |high| high.span.end);
            self.warning(
                "M127",
                &span,
                message,
                "name the codes one by one with `or`",
            );
        }
    }

    /// What is compared with a limit: sensors, or one named value.
    pub(super) fn compared(&mut self, sensors: &Sensors, limit: &Spanned<Value>) {
        for sensor in &sensors.names {
            if self.measures(sensor, limit) && !self.is_measured(limit) {
                self.value(limit, &[], true);
            }
        }
    }

    /// Whether an amount is the name of something that a step measures, or that the robot knows:
    /// what that is worth is not known here.
    fn is_measured(&self, value: &Spanned<Value>) -> bool {
        matches!(&value.node, Value::Named(name) if self.kept.contains_key(name.as_str())
            || self.is_known_live(name))
    }

    /// Whether a limit is of the kind that the sensor measures; anything else is a finding.
    pub(super) fn measures(&mut self, sensor: &Spanned<String>, limit: &Spanned<Value>) -> bool {
        let dimension = match self.parsed.slot_at(&limit.span).map(|slot| &slot.kind) {
            // The slot of a measured name cannot know what it measures.
            Some(SlotKind::Amount { dimension, .. }) if !self.is_measured(limit) => {
                Some(*dimension)
            }
            _ => self.measured(limit, true),
        };
        let Some(dimension) = dimension else {
            return true;
        };
        let of_parameter = match dimension {
            Dimension::Percent => Use::Sensor,
            Dimension::Length => Use::Ranger,
            Dimension::Number
            | Dimension::Angle
            | Dimension::Time
            | Dimension::Speed
            | Dimension::TurnRate
            | Dimension::Mass
            | Dimension::Voltage
            | Dimension::Torque
            | Dimension::Inertia
            | Dimension::Charge
            | Dimension::Frequency => Use::Amount(dimension),
        };
        if self.parameter(sensor, of_parameter) {
            return true;
        }
        let source = SOURCES
            .iter()
            .find(|(name, _)| *name == sensor.node)
            .map(|(_, dimension)| *dimension);
        let is_let = self
            .parsed
            .mission
            .lets
            .iter()
            .position(|entry| entry.name.node == sensor.node);
        if let Some(index) = is_let {
            self.used[index] = true;
        }
        let own = self.kept.get(sensor.node.as_str()).copied();
        let own = own
            .or_else(|| {
                self.parsed
                    .mission
                    .measures(&sensor.node, Block::Mission, 0)
            })
            .or(source);
        if let Some(own) = own {
            if own == dimension {
                return true;
            }
            let what = if sensor.node == BATTERY {
                "volts".to_owned()
            } else {
                own.name().to_owned()
            };
            let (message, hint) = match (sensor.node == BATTERY, own) {
                (true, _) => (
                    "`battery` measures volts".to_owned(),
                    "compare the battery with a voltage, such as `battery < 7.2 V`".to_owned(),
                ),
                _ => (
                    format!("`{}` is {what}", sensor.node),
                    format!("compare it with {} such as `{}`", own.name(), own.example()),
                ),
            };
            self.error("M114", &limit.span, message, Some(hint));
            return false;
        }
        let has = |kind| self.names.has(&sensor.node, kind);
        let (ranger, floor) = (has(DeviceKind::Ranger), has(DeviceKind::Floor));
        let (what, example) = match (dimension, ranger, floor) {
            (Dimension::Voltage, ..) => {
                let hint =
                    "compare the battery with a voltage, such as `battery < 7.2 V`".to_owned();
                self.error(
                    "M114",
                    &limit.span,
                    format!("`{}` does not measure a voltage", sensor.node),
                    Some(hint),
                );
                return false;
            }
            (Dimension::Length, true, _) | (Dimension::Percent, _, true) => return true,
            (Dimension::Number, true, _) | (Dimension::Number, _, true) => {
                let (units, example) = if ranger {
                    ("mm, cm or m", "280 mm")
                } else {
                    ("%", "40 %")
                };
                let hint = format!("write it with {units}, such as `{example}`");
                self.error(
                    "M004",
                    &limit.span,
                    "this number has no unit".to_owned(),
                    Some(hint),
                );
                return false;
            }
            (_, true, _) => ("distances", "280 mm"),
            (_, _, true) => ("brightness", "40 %"),
            (_, false, false) => {
                self.device(sensor, DeviceKind::Floor);
                return true;
            }
        };
        let message = format!("`{}` measures {what}", sensor.node);
        self.error(
            "M114",
            &limit.span,
            message,
            Some(format!("compare it with an amount such as `{example}`")),
        );
        false
    }

    /// A device of some kind.
    pub(super) fn device(&mut self, device: &Spanned<String>, kind: DeviceKind) {
        let stands_for = match kind {
            DeviceKind::Floor => Use::Sensor,
            DeviceKind::Ranger => Use::Ranger,
            DeviceKind::Switch | DeviceKind::Actuator | DeviceKind::Signal => Use::Device,
        };
        let names = self.names;
        if names.has(&device.node, kind) || self.parameter(device, stands_for) {
            return;
        }
        let name = &device.node;
        let (code, message, first) = match kind {
            DeviceKind::Floor if names.has(name, DeviceKind::Ranger) => (
                "M114",
                format!("`{name}` measures distances and sees no tones"),
                Some(format!("name a floor sensor, or write `{name} < 280 mm`")),
            ),
            DeviceKind::Ranger if names.has(name, DeviceKind::Floor) => (
                "M114",
                format!("`{name}` reads the floor and measures no distances"),
                None,
            ),
            // It may be a ranging sensor that is meant.
            DeviceKind::Floor => ("M101", format!("the robot has no sensor `{name}`"), None),
            DeviceKind::Ranger | DeviceKind::Switch | DeviceKind::Actuator | DeviceKind::Signal => {
                (
                    "M101",
                    format!("the robot has no {} `{name}`", kind.words()),
                    None,
                )
            }
        };
        let hints = match first {
            Some(first) => first.into(),
            None if self.is_enough() => Hints::default(),
            // Whoever compares an unknown name may mean a ranging sensor as well.
            None => {
                let more = (kind == DeviceKind::Floor).then(|| names.of_kind(DeviceKind::Ranger));
                did_you_mean(
                    &device.span,
                    name,
                    names.of_kind(kind).chain(more.into_iter().flatten()),
                )
            }
        };
        self.error(code, &device.span, message, hints);
    }

    /// A tone of some sensors.
    pub(super) fn tone_of(&mut self, sensors: &[Spanned<String>], tone: &Spanned<String>) {
        let is_parameter = self.parameter(tone, Use::Tone);
        for sensor in sensors {
            let Some(known) = self.names.sensor(&sensor.node) else {
                continue;
            };
            if !is_parameter && !known.tones.contains(&tone.node) {
                let message = format!("`{}` is not calibrated for `{}`", sensor.node, tone.node);
                let hint = did_you_mean(
                    &tone.span,
                    &tone.node,
                    known.tones.iter().map(String::as_str),
                );
                self.error("M102", &tone.span, message, hint);
            }
        }
    }

    /// A speed, which the robot should be able to reach.
    pub(super) fn speed(&mut self, speed: &Spanned<Value>) {
        let top = self.names.top_speed;
        let Some(quantity) = self
            .amount(speed)
            .filter(|it| it.unit.dimension() == Dimension::Speed)
        else {
            return;
        };
        if top > 0.0 && quantity.si() > top {
            let most = Quantity::from_si((top * 1e3).floor() / 1e3, Unit::MillimetrePerSecond);
            let message = format!("the robot cannot reach {quantity}");
            self.warning(
                "M116",
                &speed.span,
                message,
                format!("its motors' top speed, unloaded, is {most}"),
            );
        }
    }

    /// What an amount is worth, when that is known before the run.
    pub(super) fn amount(&self, value: &Spanned<Value>) -> Option<Quantity> {
        match &value.node {
            Value::Literal(quantity) => Some(*quantity),
            other @ (Value::Named(_) | Value::Formula(_)) => self
                .parsed
                .mission
                .evaluate(other)
                .map(amounts::Amount::quantity),
        }
    }

    /// Whether an actuator can reach an angle.
    pub(super) fn moves(&mut self, actuator: &Spanned<String>, angle: &Spanned<Value>) {
        let Some(known) = self.names.device(&actuator.node, DeviceKind::Actuator) else {
            return;
        };
        let (from, to) = known.stops;
        let Some(wanted) = self
            .amount(angle)
            .filter(|it| it.unit.dimension() == Dimension::Angle)
        else {
            return;
        };
        if wanted.si() < from - 1e-9 || wanted.si() > to + 1e-9 {
            let stop = if wanted.si() < from { from } else { to };
            // What is written stays on this side of it.
            let degrees = Quantity::from_si(stop, Unit::Degree).value * 10.0;
            let within = if wanted.si() < from {
                degrees.ceil()
            } else {
                degrees.floor()
            };
            let rounded = Quantity {
                value: within / 10.0,
                unit: Unit::Degree,
            };
            let is_near = (rounded.si() - stop).abs() < 0.01;
            let stop = if is_near {
                rounded
            } else {
                Quantity::from_si(stop, Unit::Degree)
            };
            let message = format!(
                "`{}` cannot reach {wanted}: its end stop is at {stop}",
                actuator.node
            );
            let edit = Edit {
                span: angle.span.clone(),
                text: stop.to_string(),
            };
            let mut hints = Hints::from("stay within its end stops, or wait until it `is blocked`");
            if matches!(angle.node, Value::Literal(_)) {
                hints.0.push(Hint::edit(format!("write `{stop}`"), edit));
            }
            self.warning("M117", &angle.span, message, hints);
        }
    }
}
