//! Names and flow: what the sentences refer to, and where the exits lead.

use std::ops::Range;

use super::ast::{Behaviour, Condition, DeviceState, Exit, SlotKind, Spanned, Step, Target, Value};
use super::parser::{Parsed, misfit};
use crate::finding::{Finding, Source, did_you_mean, has_errors};
use crate::units::{Dimension, Quantity, Unit};

/// A sensor as missions know it.
#[derive(Clone, Debug, PartialEq, Default)]
pub struct SensorName {
    /// Its name.
    pub name: String,
    /// The tones it has been calibrated to.
    pub tones: Vec<String>,
}

/// What a robot and a field offer to a mission.
#[derive(Clone, Debug, PartialEq, Default)]
pub struct Names {
    /// Sensors, in the order of the robot file.
    pub sensors: Vec<SensorName>,
    /// Ranging sensors, in the order of the robot file.
    pub rangers: Vec<String>,
    /// Start poses, in the order of the field file.
    pub starts: Vec<String>,
    /// Whether the robot can hold a heading.
    pub has_gyro: bool,
    /// Touch switches and buttons, in the order of the robot file.
    pub switches: Vec<String>,
    /// Actuators, in the order of the robot file.
    pub actuators: Vec<ActuatorName>,
    /// Signals, in the order of the robot file.
    pub signals: Vec<String>,
    /// Whether the robot steers like a car and so cannot turn on the spot.
    pub steers: bool,
    /// The speed in m/s that its motors reach without load; 0 when unknown.
    pub top_speed: f64,
}

/// An actuator as missions know it.
#[derive(Clone, Debug, PartialEq, Default)]
pub struct ActuatorName {
    /// Its name.
    pub name: String,
    /// Its end stops, rad; infinite where it has none.
    pub stops: (f64, f64),
}

impl Names {
    /// A floor sensor by its name.
    pub fn sensor(&self, name: &str) -> Option<&SensorName> {
        self.sensors.iter().find(|known| known.name == name)
    }

    /// The tones of a sensor; none when there is no such sensor.
    pub fn tones(&self, sensor: &str) -> &[String] {
        self.sensor(sensor).map_or(&[], |known| &known.tones)
    }
}

/// What missions call the battery.
pub const BATTERY: &str = "battery";

/// What is wrong with the names and the flow of a mission that parsed.
pub fn check(parsed: &Parsed, names: &Names) -> Vec<Finding> {
    let mut checker = Checker { parsed, names, findings: Vec::new(), used: vec![false; parsed.mission.lets.len()] };
    checker.header();
    checker.duplicates();
    for step in &parsed.mission.steps {
        checker.step(step);
    }
    checker.reach();
    checker.unused();
    checker.findings.sort_by_key(|finding| finding.span.start);
    checker.findings
}

struct Checker<'a> {
    parsed: &'a Parsed,
    names: &'a Names,
    findings: Vec<Finding>,
    /// Whether each `let` was referred to.
    used: Vec<bool>,
}

impl Checker<'_> {
    fn error(&mut self, code: &'static str, span: &Range<usize>, message: String, hint: Option<String>) {
        self.findings.push(Finding::error(code, Source::Mission, span.clone(), message).maybe_hint(hint));
    }

    fn warning(&mut self, code: &'static str, span: &Range<usize>, message: String, hint: &str) {
        self.findings.push(Finding::warning(code, Source::Mission, span.clone(), message).hint(hint));
    }

    fn header(&mut self) {
        let mission = &self.parsed.mission;
        let top = mission.name.as_ref().map_or(0..0, |name| name.span.clone());
        if mission.steps.is_empty() && !has_errors(&self.parsed.findings) {
            self.error("M109", &top, "the mission has no steps".into(), Some("add a line `step \"...\"`".into()));
        }
        if mission.limit.is_none() {
            self.warning(
                "M110",
                &top,
                "the mission has no time limit".into(),
                "add a line `limit 120 s`; without one a run ends after 10 min",
            );
        }
        match &mission.start {
            Some(start) if !self.names.starts.contains(&start.node) => {
                let hint = did_you_mean(&start.node, self.names.starts.iter().map(String::as_str));
                self.error("M105", &start.span, format!("the field has no start pose `{}`", start.node), hint);
            }
            None if self.names.starts.len() > 1 => {
                let hint = format!("add a line `start {}`", self.names.starts[0]);
                self.warning(
                    "M105",
                    &top,
                    "the field has several start poses and the mission names none".into(),
                    &hint,
                );
            }
            _ => {}
        }
    }

    fn duplicates(&mut self) {
        let mission = &self.parsed.mission;
        let steps: Vec<&Spanned<String>> = mission.steps.iter().map(|step| &step.name).collect();
        let lets: Vec<&Spanned<String>> = mission.lets.iter().map(|entry| &entry.name).collect();
        for (what, names) in [("step", steps), ("value", lets)] {
            for (index, name) in names.iter().enumerate() {
                if !name.node.is_empty() && names[..index].iter().any(|earlier| earlier.node == name.node) {
                    let message = format!("there are two {what}s named `{}`", name.node);
                    self.error("M106", &name.span, message, Some("give one of them another name".into()));
                }
            }
        }
    }

    fn step(&mut self, step: &Step) {
        match step.behaviour.as_ref().map(|(behaviour, _)| &behaviour.node) {
            Some(Behaviour::Drive { speed, arc, hold_heading, .. }) => {
                self.speed(speed);
                if let Some((_, radius)) = arc {
                    self.value(radius);
                }
                if *hold_heading && !self.names.has_gyro {
                    let message = "the robot has no gyro to hold the heading with".into();
                    self.error("M111", &speed.span, message, Some("take out `holding the heading`".into()));
                }
            }
            Some(Behaviour::Spin { speed, .. } | Behaviour::Pivot { speed, .. }) => {
                self.speed(speed);
                if self.names.steers {
                    let (behaviour, _) = step.behaviour.as_ref().expect("just looked at");
                    let message = "a robot with steered wheels cannot turn on the spot".into();
                    let hint = "write an arc, such as `drive ahead on a left arc of 300 mm at 30 %`".to_owned();
                    self.error("M115", &behaviour.span, message, Some(hint));
                }
            }
            Some(Behaviour::Move { actuator, angle }) => self.moves(actuator, angle),
            Some(Behaviour::Signal { signal, .. }) => {
                let known = self.names.signals.iter().map(String::as_str);
                if !self.names.signals.contains(&signal.node) {
                    let hint = did_you_mean(&signal.node, known);
                    self.error("M101", &signal.span, format!("the robot has no signal `{}`", signal.node), hint);
                }
            }
            Some(Behaviour::Follow { tone, sensor, speed, gain, .. }) => {
                self.sensor(sensor);
                self.tone(sensor, tone);
                self.speed(speed);
                self.value(gain);
            }
            Some(Behaviour::Hold { .. }) | None => {}
        }
        for exit in &step.exits {
            self.exit(exit);
        }
    }

    fn exit(&mut self, exit: &Exit) {
        match &exit.condition.node {
            Condition::Sees { sensor, tone } => {
                self.sensor(sensor);
                self.tone(sensor, tone);
            }
            Condition::Reads { sensor, limit, .. } => {
                if self.measures(sensor, limit) {
                    self.value(limit);
                }
            }
            Condition::Crossed { sensor, count, tone } => {
                self.sensor(sensor);
                self.value(count);
                self.tone(sensor, tone);
            }
            Condition::Is { device, state } => self.device(device, *state),
            Condition::Travelled(value) | Condition::Turned(value) | Condition::Passed(value) => self.value(value),
        }
        if let Target::Step(name) = &exit.target.node {
            let steps = self.parsed.mission.steps.iter().map(|step| step.name.node.as_str());
            // A step whose name could not be read has an empty one, and may be the one that is meant.
            if !steps.clone().any(|step| step == name || step.is_empty()) {
                self.error(
                    "M104",
                    &exit.target.span,
                    format!("there is no step \"{name}\""),
                    did_you_mean(name, steps),
                );
            }
        }
    }

    /// Whether a limit is of the kind that the sensor measures; anything else is a finding.
    fn measures(&mut self, sensor: &Spanned<String>, limit: &Spanned<Value>) -> bool {
        let slot = self.parsed.slots.iter().find(|slot| slot.span == limit.span);
        let volts = matches!(slot.map(|slot| &slot.kind), Some(SlotKind::Amount { dimension: Dimension::Voltage, .. }));
        if sensor.node == BATTERY && volts {
            return true;
        }
        if sensor.node == BATTERY || volts {
            let message = if volts {
                format!("`{}` measures no voltage", sensor.node)
            } else {
                "`battery` measures volts".into()
            };
            let hint = "compare the battery with a voltage, such as `battery < 7.2 V`".to_owned();
            self.error("M114", &limit.span, message, Some(hint));
            return false;
        }
        let length = matches!(slot.map(|slot| &slot.kind), Some(SlotKind::Amount { dimension: Dimension::Length, .. }));
        let (ranger, floor) = (self.names.rangers.contains(&sensor.node), self.names.sensor(&sensor.node).is_some());
        let (what, example) = match (length, ranger, floor) {
            (false, true, _) => ("distances", "280 mm"),
            (true, _, true) => ("brightness", "40 %"),
            (_, false, false) => {
                self.sensor(sensor);
                return true;
            }
            _ => return true,
        };
        let message = format!("`{}` measures {what}", sensor.node);
        self.error("M114", &limit.span, message, Some(format!("compare it with an amount such as `{example}`")));
        false
    }

    /// Looks a floor sensor up.
    fn sensor(&mut self, sensor: &Spanned<String>) {
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

    fn tone(&mut self, sensor: &Spanned<String>, tone: &Spanned<String>) {
        let Some(known) = self.names.sensor(&sensor.node) else { return };
        if !known.tones.contains(&tone.node) {
            let message = format!("`{}` knows no tone `{}`", sensor.node, tone.node);
            self.error("M102", &tone.span, message, did_you_mean(&tone.node, known.tones.iter().map(String::as_str)));
        }
    }

    fn value(&mut self, value: &Spanned<Value>) {
        let Value::Named(name) = &value.node else { return };
        let lets = &self.parsed.mission.lets;
        let Some(index) = lets.iter().position(|entry| entry.name.node == *name) else {
            let hint = did_you_mean(name, lets.iter().map(|entry| entry.name.node.as_str()))
                .unwrap_or_else(|| format!("write the amount itself, or add a line `let {name} = ...`"));
            self.error("M103", &value.span, format!("nothing is named `{name}`"), Some(hint));
            return;
        };
        self.used[index] = true;
        let quantity = lets[index].value.node;
        if let Some(slot) = self.parsed.slots.iter().find(|slot| slot.span == value.span)
            && let Some((code, message, hint)) = misfit(quantity, &slot.kind)
        {
            self.error(code, &value.span, format!("`{name}` does not fit here: {message}"), Some(hint));
        }
    }

    /// A speed, which the robot should be able to reach.
    fn speed(&mut self, speed: &Spanned<Value>) {
        self.value(speed);
        let top = self.names.top_speed;
        let Some(quantity) = self.amount(speed).filter(|it| it.unit.dimension() == Dimension::Speed) else { return };
        if top > 0.0 && quantity.si() > top {
            let most = Quantity::from_si((top * 1e3).floor() / 1e3, Unit::MillimetrePerSecond);
            let message = format!("the robot cannot reach {quantity}");
            self.warning("M116", &speed.span, message, &format!("without any load its motors reach {most}"));
        }
    }

    /// What an amount says, with the name of a `let` looked up.
    fn amount(&self, value: &Spanned<Value>) -> Option<Quantity> {
        match &value.node {
            Value::Literal(quantity) => Some(*quantity),
            Value::Named(name) => {
                self.parsed.mission.lets.iter().find(|entry| entry.name.node == *name).map(|entry| entry.value.node)
            }
        }
    }

    fn moves(&mut self, actuator: &Spanned<String>, angle: &Spanned<Value>) {
        self.value(angle);
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

    fn no_actuator(&mut self, actuator: &Spanned<String>) {
        let hint = did_you_mean(&actuator.node, self.names.actuators.iter().map(|known| known.name.as_str()));
        self.error("M101", &actuator.span, format!("the robot has no actuator `{}`", actuator.node), hint);
    }

    fn device(&mut self, device: &Spanned<String>, state: DeviceState) {
        if !state.is_of_switches() {
            if !self.names.actuators.iter().any(|known| known.name == device.node) {
                self.no_actuator(device);
            }
        } else if !self.names.switches.contains(&device.node) {
            let hint = did_you_mean(&device.node, self.names.switches.iter().map(String::as_str));
            self.error("M101", &device.span, format!("the robot has no switch `{}`", device.node), hint);
        }
    }

    /// Steps that no exit leads to.
    fn reach(&mut self) {
        let steps = &self.parsed.mission.steps;
        // A broken step may well lead on; and so may an exit to a step that is misspelt.
        if steps.is_empty() || steps.iter().any(|step| step.broken) || has_errors(&self.findings) {
            return;
        }
        let mut reached = vec![false; steps.len()];
        let mut open = vec![0];
        while let Some(index) = open.pop() {
            if std::mem::replace(&mut reached[index], true) {
                continue;
            }
            for exit in &steps[index].exits {
                open.extend(match &exit.target.node {
                    Target::Next if index + 1 < steps.len() => Some(index + 1),
                    Target::Step(name) => steps.iter().position(|step| step.name.node == *name),
                    _ => None,
                });
            }
        }
        for (step, _) in steps.iter().zip(&reached).filter(|(_, reached)| !**reached) {
            let message = format!("no exit leads to step \"{}\"", step.name.node);
            self.warning("M112", &step.name.span, message, "let an exit above it lead here, or take it out");
        }
    }

    fn unused(&mut self) {
        // The broken line, or the misspelt name, may be the one that uses it.
        if has_errors(&self.parsed.findings) || has_errors(&self.findings) {
            return;
        }
        let lets: Vec<Spanned<String>> = self.parsed.mission.lets.iter().map(|entry| entry.name.clone()).collect();
        for (name, _) in lets.iter().zip(self.used.clone()).filter(|(_, used)| !used) {
            self.warning(
                "M113",
                &name.span,
                format!("`{}` is never used", name.node),
                "use it in a step, or take it out",
            );
        }
    }
}
