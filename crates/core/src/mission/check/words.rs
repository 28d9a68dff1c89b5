//! What words stand for: sensors, tones, devices, speeds.

use super::{BATTERY, Checker, SOURCES, Use};
use crate::finding::did_you_mean;
use crate::mission::amounts;
use crate::mission::ast::{Block, DeviceState, Quantifier, Sensors, SlotKind, Spanned, Value};
use crate::units::{Dimension, Quantity, Unit};

impl Checker<'_> {
    /// A sensor that is named twice in one condition.
    pub(super) fn twice(&mut self, sensors: &Sensors) {
        for (index, sensor) in sensors.names.iter().enumerate() {
            if sensors.how != Quantifier::One && sensors.names[..index].iter().any(|other| other.node == sensor.node) {
                let message = format!("`{}` is named twice", sensor.node);
                self.warning("M126", &sensor.span, message, "name the other sensor, or take it out");
            }
        }
    }

    pub(super) fn code(&mut self, sensor: &Spanned<String>, low: &Spanned<Value>, high: Option<&Spanned<Value>>) {
        self.value_as(low, &[Dimension::Number]);
        if let Some(high) = high {
            self.value_as(high, &[Dimension::Number]);
        }
        self.sensor(sensor);
        let Some(known) = self.names.sensor(&sensor.node) else { return };
        if known.codes.is_empty() {
            let message = format!("`{}` tells no codes", sensor.node);
            let hint = format!("write `{} sees ...` or compare its brightness", sensor.node);
            return self.error("M114", &sensor.span, message, Some(hint));
        }
        for end in [Some(low), high].into_iter().flatten() {
            let Some(number) = self.amount(end) else { continue };
            if !known.codes.iter().any(|code| f64::from(*code) == number.value) {
                let all: Vec<String> = known.codes.iter().map(ToString::to_string).collect();
                let message = format!("`{}` has no code {}", sensor.node, number.value);
                self.error("M102", &end.span, message, Some(format!("its table has {}", all.join(", "))));
            }
        }
        if high.is_some() && !known.codes.is_sorted() {
            let message = format!("the codes of `{}` are in no order", sensor.node);
            let span = low.span.start..high.map_or(low.span.end, |high| high.span.end);
            self.warning("M127", &span, message, "name the codes one by one with `or`");
        }
    }

    /// What is compared with a limit: sensors, or one named value.
    pub(super) fn compared(&mut self, sensors: &Sensors, limit: &Spanned<Value>) {
        for sensor in &sensors.names {
            if self.measures(sensor, limit) {
                self.value(limit);
            }
        }
    }

    /// Whether a limit is of the kind that the sensor measures; anything else is a finding.
    pub(super) fn measures(&mut self, sensor: &Spanned<String>, limit: &Spanned<Value>) -> bool {
        let dimension = match self.parsed.slot_at(&limit.span).map(|slot| &slot.kind) {
            Some(SlotKind::Amount { dimension, .. }) => Some(*dimension),
            _ => self.measured(limit, false),
        };
        let Some(dimension) = dimension else { return true };
        let of_parameter = match dimension {
            Dimension::Percent => Use::Sensor,
            Dimension::Length => Use::Ranger,
            other => Use::Amount(other),
        };
        if self.parameter(sensor, of_parameter) {
            return true;
        }
        let source = SOURCES.iter().find(|(name, _)| *name == sensor.node).map(|(_, dimension)| *dimension);
        let is_let = self.parsed.mission.lets.iter().position(|entry| entry.name.node == sensor.node);
        if let Some(index) = is_let {
            self.used[index] = true;
        }
        let own = self.kept.get(sensor.node.as_str()).copied();
        let own = own.or_else(|| self.parsed.mission.measures(&sensor.node, Block::Mission, 0)).or(source);
        if let Some(own) = own {
            if own == dimension {
                return true;
            }
            let what = if sensor.node == BATTERY { "volts".to_owned() } else { own.name().to_owned() };
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
        let (ranger, floor) = (self.names.rangers.contains(&sensor.node), self.names.sensor(&sensor.node).is_some());
        let (what, example) = match (dimension, ranger, floor) {
            (Dimension::Voltage, ..) => {
                let hint = "compare the battery with a voltage, such as `battery < 7.2 V`".to_owned();
                self.error("M114", &limit.span, format!("`{}` measures no voltage", sensor.node), Some(hint));
                return false;
            }
            (Dimension::Length, true, _) | (Dimension::Percent, _, true) => return true,
            (Dimension::Number, true, _) | (Dimension::Number, _, true) => {
                let (units, example) = if ranger { ("mm, cm or m", "280 mm") } else { ("%", "40 %") };
                let hint = format!("write it with {units}, such as `{example}`");
                self.error("M004", &limit.span, "this number has no unit".to_owned(), Some(hint));
                return false;
            }
            (_, true, _) => ("distances", "280 mm"),
            (_, _, true) => ("brightness", "40 %"),
            (_, false, false) => {
                self.sensor(sensor);
                return true;
            }
        };
        let message = format!("`{}` measures {what}", sensor.node);
        self.error("M114", &limit.span, message, Some(format!("compare it with an amount such as `{example}`")));
        false
    }

    /// Looks a floor sensor up.
    pub(super) fn sensor(&mut self, sensor: &Spanned<String>) {
        if self.parameter(sensor, Use::Sensor) {
            return;
        }
        if self.names.rangers.contains(&sensor.node) {
            let message = format!("`{}` sees no tones: it measures distances", sensor.node);
            let hint = format!("name a floor sensor, or write `{} < 280 mm`", sensor.node);
            return self.error("M114", &sensor.span, message, Some(hint));
        }
        let known = self
            .names
            .sensors
            .iter()
            .map(|known| known.name.as_str())
            .chain(self.names.rangers.iter().map(String::as_str));
        if !known.clone().any(|name| name == sensor.node) {
            let message = format!("the robot has no sensor `{}`", sensor.node);
            self.error("M101", &sensor.span, message, did_you_mean(&sensor.node, known));
        }
    }

    pub(super) fn ranger(&mut self, ranger: &Spanned<String>) {
        if self.names.rangers.contains(&ranger.node) || self.parameter(ranger, Use::Ranger) {
            return;
        }
        if self.names.sensor(&ranger.node).is_some() {
            let message = format!("`{}` looks at the floor and measures no distances", ranger.node);
            let hint = did_you_mean("", self.names.rangers.iter().map(String::as_str));
            return self.error("M114", &ranger.span, message, hint);
        }
        let hint = did_you_mean(&ranger.node, self.names.rangers.iter().map(String::as_str));
        self.error("M101", &ranger.span, format!("the robot has no ranging sensor `{}`", ranger.node), hint);
    }

    /// A tone of some sensors.
    pub(super) fn tone_of(&mut self, sensors: &[Spanned<String>], tone: &Spanned<String>) {
        let is_parameter = self.parameter(tone, Use::Tone);
        for sensor in sensors {
            self.sensor(sensor);
            let Some(known) = self.names.sensor(&sensor.node) else { continue };
            if !is_parameter && !known.tones.contains(&tone.node) {
                let message = format!("`{}` knows no tone `{}`", sensor.node, tone.node);
                let hint = did_you_mean(&tone.node, known.tones.iter().map(String::as_str));
                self.error("M102", &tone.span, message, hint);
            }
        }
    }

    /// A speed, which the robot should be able to reach.
    pub(super) fn speed(&mut self, speed: &Spanned<Value>) {
        self.settled(speed, &[Dimension::Percent, Dimension::Speed]);
        let top = self.names.top_speed;
        let Some(quantity) = self.amount(speed).filter(|it| it.unit.dimension() == Dimension::Speed) else { return };
        if top > 0.0 && quantity.si() > top {
            let most = Quantity::from_si((top * 1e3).floor() / 1e3, Unit::MillimetrePerSecond);
            let message = format!("the robot cannot reach {quantity}");
            self.warning("M116", &speed.span, message, &format!("without any load its motors reach {most}"));
        }
    }

    /// What an amount is worth, when that is known before the run.
    pub(super) fn amount(&self, value: &Spanned<Value>) -> Option<Quantity> {
        match &value.node {
            Value::Literal(quantity) => Some(*quantity),
            other => self.parsed.mission.evaluate(other).map(amounts::Amount::quantity),
        }
    }

    pub(super) fn moves(&mut self, actuator: &Spanned<String>, angle: &Spanned<Value>) {
        self.value_as(angle, &[Dimension::Angle]);
        if self.parameter(actuator, Use::Device) {
            return;
        }
        let Some(known) = self.names.actuators.iter().find(|known| known.name == actuator.node) else {
            return self.no_actuator(actuator);
        };
        let (from, to) = known.stops;
        let Some(wanted) = self.amount(angle).filter(|it| it.unit.dimension() == Dimension::Angle) else { return };
        if wanted.si() < from - 1e-9 || wanted.si() > to + 1e-9 {
            let stop = if wanted.si() < from { from } else { to };
            let stop = Quantity::from_si(stop, Unit::Degree);
            let message = format!("`{}` cannot get to {wanted}: its end stop is at {stop}", actuator.node);
            self.warning("M117", &angle.span, message, "stay within its end stops, or wait until it `is blocked`");
        }
    }

    pub(super) fn no_actuator(&mut self, actuator: &Spanned<String>) {
        let hint = did_you_mean(&actuator.node, self.names.actuators.iter().map(|known| known.name.as_str()));
        self.error("M101", &actuator.span, format!("the robot has no actuator `{}`", actuator.node), hint);
    }

    pub(super) fn device(&mut self, device: &Spanned<String>, state: DeviceState) {
        if self.parameter(device, Use::Device) {
            return;
        }
        if !state.is_of_switches() {
            if !self.names.actuators.iter().any(|known| known.name == device.node) {
                self.no_actuator(device);
            }
        } else if !self.names.switches.contains(&device.node) {
            self.no_switch(device);
        }
    }

    pub(super) fn no_switch(&mut self, device: &Spanned<String>) {
        let hint = did_you_mean(&device.node, self.names.switches.iter().map(String::as_str));
        self.error("M101", &device.span, format!("the robot has no switch `{}`", device.node), hint);
    }
}
