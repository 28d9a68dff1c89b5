//! A part of many runs, for several machines.

use std::str::FromStr;

use serde::{Deserialize, Serialize};

/// Part `part` of `of`, from 1.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(super) struct Shard {
    pub(super) part: u32,
    pub(super) of: u32,
}

impl Shard {
    /// All of it.
    pub(super) const ALL: Self = Self { part: 1, of: 1 };

    /// The numbers of its runs: every `of`th.
    pub(super) fn numbers(self, runs: u32) -> Vec<u32> {
        (self.part..=runs).step_by(self.of as usize).collect()
    }
}

impl FromStr for Shard {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let (part, of) = text.split_once('/').unwrap_or_default();
        match (part.parse(), of.parse()) {
            (Ok(part), Ok(of)) if part >= 1 && part <= of && of <= 100_000 => Ok(Self { part, of }),
            _ => Err("a part and how many parts there are, such as 2/8".to_owned()),
        }
    }
}
