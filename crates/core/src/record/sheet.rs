//! The score sheet of a run, and how a match was decided.

use serde::{Deserialize, Serialize};

/// How a match was decided.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub enum Verdict {
    /// For us.
    Won,
    /// Against us.
    Lost,
    /// The time was over before anything decided it.
    Drawn,
}

impl Verdict {
    /// The word for it.
    pub const fn word(self) -> &'static str {
        match self {
            Self::Won => "won",
            Self::Lost => "lost",
            Self::Drawn => "drawn",
        }
    }
}

/// A line of the score sheet.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ScoreLine {
    /// What for.
    pub words: String,
    /// Points each time.
    pub each: f64,
    /// How many times.
    pub times: u32,
    /// Tick of the first time; none while there was none.
    pub first: Option<usize>,
}

/// The score sheet of a run.
#[derive(Clone, Debug, PartialEq, Default, Serialize, Deserialize)]
pub struct Sheet {
    /// One line for each line of the field's rules.
    pub lines: Vec<ScoreLine>,
    /// How the match was decided, and at which tick; none when the rules decide nothing.
    pub verdict: Option<(Verdict, usize)>,
}

impl Sheet {
    /// The sum of all lines; none when the rules give no points.
    pub fn total(&self) -> Option<f64> {
        let sum = || {
            self.lines
                .iter()
                .map(|line| line.each * f64::from(line.times))
                .sum()
        };
        (!self.lines.is_empty()).then(sum)
    }
}
