//! Going over everything that a text says: behaviours, conditions, and their parts, wherever they
//! stand.
//!
//! What a copy has from its original stands in the original, and is gone over there only.

use crate::ids::TextStep;
use std::ops::Range;

use super::ast::{Answer, Behaviour, Block, Condition, Part, Spanned, Step};
use super::parser::Parsed;

/// Where a part stands.
#[derive(Clone, Debug)]
pub struct At<'a> {
    /// What it belongs to.
    pub block: Block,
    /// Index of its step; none for what a reflex watches for.
    pub step: Option<TextStep>,
    /// The bytes of its sentence: the whole behaviour or condition.
    pub sentence: &'a Range<usize>,
}

/// What evaluates a condition.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Watch {
    /// An exit of a step: its place among the step's exits.
    Exit(usize),
    /// A row of a `choose` or a `react`: its place among the rows.
    Row(usize),
    /// A behaviour: a repeat that runs until it holds, or a probe.
    Within,
    /// A reflex, by its index.
    Reflex(usize),
}

impl Parsed {
    /// Whether something stands on a line itself, instead of having been taken over from an
    /// original.
    pub fn is_own(&self, line: usize, span: &Range<usize>) -> bool {
        self.lines
            .get(line)
            .is_some_and(|about| (about.span.start..=about.span.end).contains(&span.start))
    }

    /// The behaviours that a step says itself: its own, and those of its rows.
    pub fn behaviours_of<'a>(
        &'a self,
        step: &'a Step,
    ) -> impl Iterator<Item = &'a Spanned<Behaviour>> {
        let own = step
            .behaviour
            .iter()
            .filter(|(behaviour, line)| self.is_own(*line, &behaviour.span));
        let rows = step.rows.iter().filter_map(|row| match &row.answer {
            Answer::Does(behaviour) => Some(&**behaviour),
            Answer::Go(_) => None,
        });
        own.map(|(behaviour, _)| behaviour).chain(rows)
    }

    /// Every condition that is evaluated, with its step and what evaluates it; conditions within it
    /// are not listed.
    pub fn conditions(&self) -> Vec<(Option<TextStep>, Watch, &Spanned<Condition>)> {
        let mut all = Vec::new();
        for (index, step) in self.mission.numbered() {
            for behaviour in self.behaviours_of(step) {
                behaviour.node.parts(&mut |part| {
                    if let Part::Condition(condition) = part {
                        all.push((Some(index), Watch::Within, condition));
                    }
                });
            }
            for (nth, row) in step.rows.iter().enumerate() {
                all.extend(
                    row.condition
                        .iter()
                        .map(|condition| (Some(index), Watch::Row(nth), condition)),
                );
            }
            let exits = step.exits.iter().enumerate();
            let own = exits.filter(|(_, exit)| self.is_own(exit.line, &exit.condition.span));
            all.extend(own.map(|(nth, exit)| (Some(index), Watch::Exit(nth), &exit.condition)));
        }
        for (index, reflex) in self.mission.reflexes.iter().enumerate() {
            all.extend(
                reflex
                    .trigger
                    .iter()
                    .map(|(condition, _)| (None, Watch::Reflex(index), condition)),
            );
        }
        all
    }

    /// The names that conditions are kept under with `as`, in written order.
    pub fn labels(&self) -> Vec<&str> {
        let mut labels = Vec::new();
        for (_, _, condition) in self.conditions() {
            condition.walk(&mut |term| {
                if let Condition::As(_, name) = &term.node {
                    labels.push(name.node.as_str());
                }
            });
        }
        labels
    }

    /// Calls for every part of every behaviour and condition, those within other conditions
    /// included.
    pub fn parts<'a>(&'a self, each: &mut dyn FnMut(&At<'a>, Part<'a>)) {
        for (index, step) in self.mission.numbered() {
            for behaviour in self.behaviours_of(step) {
                let at = At {
                    block: step.block,
                    step: Some(index),
                    sentence: &behaviour.span,
                };
                behaviour.node.parts(&mut |part| each(&at, part));
            }
        }
        for (step, watch, condition) in self.conditions() {
            let block = match (step, watch) {
                (Some(step), _) => self.mission.steps[step].block,
                (None, Watch::Reflex(reflex)) => Block::Reflex(reflex),
                (None, Watch::Exit(_) | Watch::Row(_) | Watch::Within) => Block::Mission,
            };
            condition.walk(&mut |term| {
                let at = At {
                    block,
                    step,
                    sentence: &term.span,
                };
                term.node.parts(&mut |part| each(&at, part));
            });
        }
    }
}
