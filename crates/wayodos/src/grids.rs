//! Two numbers of a mission at once, each value of the one with each of the other: what is tried, and
//! the text with what was found.

use std::sync::Arc;

use wayodos_core::lab::grid::{Block, Pair};
use wayodos_core::lab::spread::Attempt;
use wayodos_core::mission::parse;
use wayodos_core::mission::span::{Swept, put_all, put_all_with_spans};
use wayodos_core::project::Setup;

use crate::sweeps::TextsJob;

/// So many runs of each pair are made: of so many nineteen hold where it is enough.
pub const RUNS: u32 = 20;
/// So many values of each number are tried, about.
pub const VALUES: usize = 9;

/// Two numbers that are to be tried together.
#[derive(Clone, Debug)]
pub struct GridJob {
    /// Which answers belong to it.
    pub id: u64,
    /// Both numbers: the first along a row, the second from row to row.
    pub axes: [Swept; 2],
    /// The text as it stands.
    pub text: Arc<str>,
    /// Robot, field and calibration.
    pub setup: Arc<Setup>,
    /// What the text as it stands is tried as.
    pub attempt: Attempt,
    /// How many varied runs of each pair.
    pub runs: u32,
}

impl GridJob {
    /// What people call the two numbers.
    pub fn name(&self) -> String {
        format!("{} and {}", self.axes[0].name, self.axes[1].name)
    }

    /// How many values the first number has.
    pub const fn columns(&self) -> usize {
        self.axes[0].values.len()
    }

    /// All pairs, row by row.
    pub fn pairs(&self) -> Vec<Pair> {
        let [first, second] = &self.axes;
        let row = |b| first.values.iter().map(move |a| [*a, b]);
        second.values.iter().flat_map(|b| row(*b)).collect()
    }

    /// The pair that stands in the text, when it is one of those that are tried.
    pub fn now(&self) -> Option<usize> {
        let now = [0, 1].map(|axis| self.axes[axis].now);
        self.pairs().iter().position(|pair| *pair == now)
    }

    /// The texts with each pair in place.
    pub fn texts(&self) -> TextsJob {
        let parsed = parse(&self.text);
        let slots = [0, 1].map(|axis| self.axes[axis].slot);
        let with = |pair: Pair| {
            let values = [(slots[0], pair[0]), (slots[1], pair[1])];
            put_all(&parsed, &self.text, &values).into()
        };
        TextsJob {
            id: self.id,
            texts: self.pairs().into_iter().map(with).collect(),
            setup: Arc::clone(&self.setup),
            attempt: self.attempt.clone(),
            runs: self.runs,
        }
    }

    /// The span of a rectangle along one of the numbers.
    pub fn span(&self, axis: usize, block: &Block) -> Pair {
        let values = &self.axes[axis].values;
        let part = if axis == 0 {
            &block.columns
        } else {
            &block.rows
        };
        [values[part.start], values[part.end - 1]]
    }

    /// The text with a pair in place, and with the spans within which it was found to hold.
    pub fn text_with(&self, pair: Pair, held: Option<&Block>) -> String {
        let value = |axis: usize| {
            let span = held.map(|block| self.span(axis, block));
            (self.axes[axis].slot, pair[axis], span)
        };
        put_all_with_spans(&self.text, &[value(0), value(1)])
    }
}

/// The verdict on a grid as far as it is known, in a sentence.
pub fn words(job: &GridJob, block: Option<&Block>, any: bool) -> String {
    let Some(block) = block else {
        return if any {
            "no pair holds 19 times in 20".to_owned()
        } else {
            "no run held at any pair".to_owned()
        };
    };
    let of = |axis: usize| {
        let [low, high] = job.span(axis, block);
        let name = &job.axes[axis].name;
        if low == high {
            format!("{name} {low}")
        } else {
            format!("{name} {low} to {high}")
        }
    };
    format!("holds with {} and {}", of(0), of(1))
}
