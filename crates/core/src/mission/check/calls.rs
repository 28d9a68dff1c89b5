//! What a `do` gives to the parameters of its routine.

use crate::ids::DeviceKind;
use std::collections::BTreeSet;

use super::{Checker, ParameterName, RoutineName, Use};
use crate::finding::{Hints, did_you_mean};
use crate::mission::ast::{Argument, Behaviour, Block, Part, Spanned};
use crate::mission::behaviours::Do;

impl Checker<'_> {
    /// What each `do` gives to its routine, and what parameters are without being given anything.
    pub(super) fn calls(&mut self) {
        // What a routine hands on is known once the calls in it have been looked at, wherever they
        // stand: looked at again until nothing new is learnt.
        loop {
            let (errors, uses) = (self.findings.len(), self.uses.clone());
            self.each_call();
            if self.uses == uses {
                break;
            }
            self.findings.truncate(errors);
        }
        let parsed = self.parsed;
        // A default is no business of the routine's other parameters.
        self.block = Block::Mission;
        for (index, routine) in parsed.mission.routines.iter().enumerate() {
            for parameter in &routine.parameters {
                if let Some(default) = &parameter.default {
                    let wanted = self
                        .uses
                        .get(&(index, parameter.name.node.clone()))
                        .copied();
                    self.argument(&parameter.name.node, default, wanted.unwrap_or(Use::Any));
                }
            }
        }
    }

    fn each_call(&mut self) {
        let parsed = self.parsed;
        for step in &parsed.mission.steps {
            self.block = step.block;
            for behaviour in parsed.behaviours_of(step) {
                if let Behaviour::Do(call) = &behaviour.node {
                    self.call(call);
                }
            }
        }
    }

    fn call(&mut self, call: &Do) {
        let Do {
            routine: name,
            arguments: given,
            mirrored,
        } = call;
        let mission = &self.parsed.mission;
        let own = mission
            .routines
            .iter()
            .position(|routine| routine.name.node == name.node);
        let known = match own {
            Some(own) => self.routine_name(own),
            None => match self
                .names
                .routines
                .iter()
                .find(|known| known.name == name.node)
            {
                Some(shared) => shared.clone(),
                None => {
                    let all = mission
                        .routines
                        .iter()
                        .map(|routine| routine.name.node.as_str());
                    let all =
                        all.chain(self.names.routines.iter().map(|known| known.name.as_str()));
                    let hint = did_you_mean(&name.span, &name.node, all).or(format!(
                        "add a line `routine {}` and steps below it",
                        name.node
                    ));
                    return self.error(
                        "M121",
                        &name.span,
                        format!("there is no routine `{}`", name.node),
                        hint,
                    );
                }
            },
        };
        for (index, (parameter, argument)) in given.iter().enumerate() {
            if given[..index]
                .iter()
                .any(|(other, _)| other.node == parameter.node)
            {
                let message = format!("`{}` is given twice", parameter.node);
                self.error("M122", &parameter.span, message, "delete one of the two");
            }
            let Some(about) = known
                .parameters
                .iter()
                .find(|one| one.name == parameter.node)
            else {
                let message = format!("`{}` has no parameter `{}`", name.node, parameter.node);
                // One that is given already was not meant, and neither is one of another kind.
                let is_free = |one: &&ParameterName| {
                    let given = given.iter().any(|(other, _)| other.node == one.name);
                    !given && one.stands_for.may_be(&argument.node)
                };
                let all = known.parameters.iter().filter(is_free);
                let all = all.map(|one| one.name.as_str());
                let hint = did_you_mean(&parameter.span, &parameter.node, all)
                    .or("take it out: everything is given");
                self.error("M122", &parameter.span, message, hint);
                continue;
            };
            self.argument(&parameter.node, argument, about.stands_for);
        }
        for parameter in known
            .parameters
            .iter()
            .filter(|parameter| !parameter.has_default)
        {
            if !given.iter().any(|(other, _)| other.node == parameter.name) {
                let message = format!("`do {}` needs a value for `{}`", name.node, parameter.name);
                let hint = format!(
                    "write `do {} ({} = ...)`, or give it a default",
                    name.node, parameter.name
                );
                self.error("M122", &name.span, message, hint);
            }
        }
        if let Some(own) = own.filter(|_| *mirrored) {
            self.mirrors(own, name);
        }
    }

    /// A routine of this text as calls know it.
    pub(super) fn routine_name(&self, index: usize) -> RoutineName {
        let routine = &self.parsed.mission.routines[index];
        let parameters = routine.parameters.iter().map(|parameter| ParameterName {
            name: parameter.name.node.clone(),
            has_default: parameter.default.is_some(),
            stands_for: self
                .uses
                .get(&(index, parameter.name.node.clone()))
                .copied()
                .unwrap_or(Use::Any),
        });
        RoutineName {
            name: routine.name.node.clone(),
            parameters: parameters.collect(),
        }
    }

    /// Every floor sensor of a mirrored routine must have one that sits on the other side.
    fn mirrors(&mut self, routine: usize, name: &Spanned<String>) {
        let mut used = BTreeSet::new();
        self.parsed.parts(&mut |at, part| {
            if at.block != Block::Routine(routine) {
                return;
            }
            match part {
                Part::Device(sensor, DeviceKind::Floor) => {
                    used.insert(sensor.node.as_str());
                }
                Part::Pair(pair) => used.extend(pair.iter().map(|sensor| sensor.node.as_str())),
                Part::Sensors(sensors) => {
                    used.extend(sensors.names.iter().map(|sensor| sensor.node.as_str()));
                }
                Part::Compared(sensors, _, limit) => {
                    used.extend(sensors.names.iter().map(|sensor| sensor.node.as_str()));
                    limit.node.names(&mut used);
                }
                Part::Measured(value) => value.node.names(&mut used),
                Part::Amount(value, wanted) if !wanted.before_the_run() => {
                    value.node.names(&mut used);
                }
                Part::Device(
                    _,
                    DeviceKind::Ranger
                    | DeviceKind::Switch
                    | DeviceKind::Actuator
                    | DeviceKind::Signal,
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
        });
        let names = self.names;
        for sensor in names
            .of(DeviceKind::Floor)
            .filter(|sensor| sensor.mirror.is_none())
        {
            if used.contains(sensor.name.as_str()) {
                let message = format!(
                    "`{}` cannot be mirrored: `{}` has no sensor opposite",
                    name.node, sensor.name
                );
                self.error(
                    "M123",
                    &name.span,
                    message,
                    "make the sensor a parameter of the routine",
                );
            }
        }
    }

    pub(super) fn argument(&mut self, name: &str, argument: &Spanned<Argument>, wanted: Use) {
        let fits = match (&argument.node, wanted) {
            (_, Use::Any) => {
                self.used_by_word(argument);
                true
            }
            (Argument::Amount(value), Use::Amount(dimension)) => {
                let found = self.measured(value, false);
                found.is_none_or(|found| found == dimension)
            }
            (Argument::Amount(value), Use::OneOf(wanted)) => {
                let found = self.measured(value, false);
                found.is_none_or(|found| wanted.dimensions().contains(&found))
            }
            (Argument::Side(side), Use::Side) => {
                self.side(side, &argument.span);
                true
            }
            (Argument::Comparison(_), Use::Comparison) => true,
            (Argument::Word(word), wanted) => {
                let word = Spanned {
                    node: word.clone(),
                    span: argument.span.clone(),
                };
                if self.parameter(&word, wanted) {
                    return;
                }
                match wanted {
                    Use::Sensor => self.device(&word, DeviceKind::Floor),
                    Use::Ranger => self.device(&word, DeviceKind::Ranger),
                    Use::Amount(dimension) => {
                        let found = self.named(&word, false);
                        if found.is_some_and(|found| found != dimension) {
                            let message = format!(
                                "`{name}` is {}, and `{}` is not",
                                dimension.name(),
                                word.node
                            );
                            self.error("M005", &argument.span, message, Hints::default());
                        }
                    }
                    Use::OneOf(wanted) => {
                        let found = self.named(&word, false);
                        if found.is_some_and(|found| !wanted.dimensions().contains(&found)) {
                            let wanted = Use::OneOf(wanted).name();
                            let message =
                                format!("`{name}` is {wanted}, and `{}` is not", word.node);
                            self.error("M005", &argument.span, message, Hints::default());
                        }
                    }
                    Use::Tone => {
                        let known = self
                            .names
                            .of(DeviceKind::Floor)
                            .flat_map(|sensor| &sensor.tones);
                        if !known.clone().any(|tone| *tone == word.node) {
                            let hint =
                                did_you_mean(&word.span, &word.node, known.map(String::as_str));
                            self.error(
                                "M102",
                                &word.span,
                                format!("no sensor is calibrated for `{}`", word.node),
                                hint,
                            );
                        }
                    }
                    Use::Device => {
                        let kinds = [DeviceKind::Switch, DeviceKind::Actuator, DeviceKind::Signal];
                        let known: Vec<&str> = kinds
                            .iter()
                            .flat_map(|kind| self.names.of_kind(*kind))
                            .collect();
                        if !known.contains(&word.node.as_str()) {
                            let hint = did_you_mean(&word.span, &word.node, known);
                            self.error(
                                "M101",
                                &word.span,
                                format!("the robot has no device `{}`", word.node),
                                hint,
                            );
                        }
                    }
                    Use::Side | Use::Comparison | Use::Any => {
                        let message =
                            format!("`{name}` is {}, found `{}`", wanted.name(), word.node);
                        self.error(
                            "M122",
                            &argument.span,
                            message,
                            format!("write {}", wanted.name()),
                        );
                    }
                }
                return;
            }
            _ => false,
        };
        if !fits {
            let message = format!("`{name}` is {}", wanted.name());
            self.error(
                "M122",
                &argument.span,
                message,
                Some("give it one, or name the parameter that is meant".to_owned()),
            );
        }
    }

    pub(super) fn used_by_word(&mut self, argument: &Spanned<Argument>) {
        if let Argument::Word(word) = &argument.node {
            let word = Spanned {
                node: word.clone(),
                span: argument.span.clone(),
            };
            self.parameter(&word, Use::Any);
            if let Some(index) = self
                .parsed
                .mission
                .lets
                .iter()
                .position(|entry| entry.name.node == word.node)
            {
                self.used[index] = true;
            }
        }
    }
}
