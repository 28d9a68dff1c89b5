//! What a `do` gives to the parameters of its routine.

use super::{Checker, Use};
use crate::finding::did_you_mean;
use crate::mission::ast::{Answer, Argument, Behaviour, Spanned};

impl<'a> Checker<'a> {
    /// What each `do` gives to its routine.
    pub(super) fn calls(&mut self) {
        let parsed = self.parsed;
        for step in &parsed.mission.steps {
            let rows = step.rows.iter().filter_map(|row| match &row.answer {
                Answer::Does(behaviour) => Some(&**behaviour),
                Answer::Go(_) => None,
            });
            let all: Vec<_> = step.behaviour.iter().map(|(behaviour, _)| behaviour).chain(rows).collect();
            self.block = step.block;
            for behaviour in all {
                if let Behaviour::Do { routine, arguments, mirrored } = &behaviour.node {
                    self.call(routine, arguments, *mirrored);
                }
            }
        }
    }

    pub(super) fn call(
        &mut self,
        name: &Spanned<String>,
        given: &'a [(Spanned<String>, Spanned<Argument>)],
        mirrored: bool,
    ) {
        let mission = &self.parsed.mission;
        let own = mission.routines.iter().position(|routine| routine.name.node == name.node);
        let shared = self.names.routines.iter().find(|(known, _)| *known == name.node);
        let known: Vec<String> = match (own, shared) {
            (Some(own), _) => mission.routines[own].parameters.iter().map(|one| one.name.node.clone()).collect(),
            (None, Some((_, parameters))) => parameters.clone(),
            (None, None) => {
                let all = mission.routines.iter().map(|routine| routine.name.node.as_str());
                let all = all.chain(self.names.routines.iter().map(|(name, _)| name.as_str()));
                let hint = did_you_mean(&name.node, all)
                    .unwrap_or_else(|| format!("add a line `routine {}` and steps below it", name.node));
                return self.error("M121", &name.span, format!("there is no routine `{}`", name.node), Some(hint));
            }
        };
        for (index, (parameter, argument)) in given.iter().enumerate() {
            if given[..index].iter().any(|(other, _)| other.node == parameter.node) {
                let message = format!("`{}` is given twice", parameter.node);
                self.error("M122", &parameter.span, message, Some("take one of the two out".to_owned()));
            }
            if !known.contains(&parameter.node) {
                let message = format!("`{}` has no parameter `{}`", name.node, parameter.node);
                let hint = did_you_mean(&parameter.node, known.iter().map(String::as_str));
                self.error("M122", &parameter.span, message, hint);
                continue;
            }
            let wanted = own.and_then(|own| self.uses.get(&(own, parameter.node.clone())).copied());
            self.argument(&parameter.node, argument, wanted.unwrap_or(Use::Any));
        }
        let Some(own) = own else { return };
        for parameter in &mission.routines[own].parameters {
            let given = given.iter().any(|(other, _)| other.node == parameter.name.node);
            if !given && parameter.default.is_none() {
                let message = format!("`{}` is not told its `{}`", name.node, parameter.name.node);
                let hint = format!("write `do {} ({} = ...)`, or give it a default", name.node, parameter.name.node);
                self.error("M122", &name.span, message, Some(hint));
            }
        }
        if mirrored {
            self.mirrors(own, name);
        }
    }

    /// Every sensor of a mirrored routine must have one that sits on the other side.
    pub(super) fn mirrors(&mut self, routine: usize, name: &Spanned<String>) {
        for sensor in &self.names.sensors {
            let used = self.parsed.sensor_words(routine).any(|word| word == sensor.name);
            if used && sensor.mirror.is_none() {
                let message = format!("`{}` cannot be mirrored: `{}` has no sensor opposite", name.node, sensor.name);
                self.error("M123", &name.span, message, Some("make the sensor a parameter of the routine".to_owned()));
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
            (Argument::Side(side), Use::Side) => {
                self.side(side, &argument.span);
                true
            }
            (Argument::Comparison(_), Use::Comparison) => true,
            (Argument::Word(word), wanted) => {
                let word = Spanned { node: word.clone(), span: argument.span.clone() };
                if self.parameter(&word, wanted) {
                    return;
                }
                match wanted {
                    Use::Sensor => self.sensor(&word),
                    Use::Ranger => self.ranger(&word),
                    Use::Amount(dimension) => {
                        let found = self.named(&word, false);
                        if found.is_some_and(|found| found != dimension) {
                            let message = format!("`{name}` is {}, and `{}` is not", dimension.name(), word.node);
                            self.error("M005", &argument.span, message, None);
                        }
                    }
                    Use::Tone => {
                        let known = self.names.sensors.iter().flat_map(|sensor| &sensor.tones);
                        if !known.clone().any(|tone| *tone == word.node) {
                            let hint = did_you_mean(&word.node, known.map(String::as_str));
                            self.error("M102", &word.span, format!("no sensor knows a tone `{}`", word.node), hint);
                        }
                    }
                    Use::Device => {}
                    Use::Side | Use::Comparison | Use::Any => {
                        let message = format!("`{name}` is {}, found `{}`", wanted.name(), word.node);
                        self.error("M122", &argument.span, message, None);
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
            let word = Spanned { node: word.clone(), span: argument.span.clone() };
            self.parameter(&word, Use::Any);
            if let Some(index) = self.parsed.mission.lets.iter().position(|entry| entry.name.node == word.node) {
                self.used[index] = true;
            }
        }
    }
}
