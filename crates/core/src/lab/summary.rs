//! What many runs say, worked out once, by whoever made them.

use std::sync::Arc;

use super::causes::{Cause, causes};
use super::spread::{Brief, Ending, band, endings, held, survival, typical, worst};
use super::statistics::Share;

/// What many runs say.
#[derive(Clone, Debug)]
pub struct Summary {
    /// How many of them held.
    pub held: Share,
    /// In which ways the others died, the most frequent first.
    pub endings: Vec<Ending>,
    /// For each step of the program in how many of the runs that entered it they did not die.
    pub survival: Vec<Share>,
    /// What goes with failing, the surest first.
    pub causes: Vec<Cause>,
    /// For each channel of the readings between which values nine tenths of the runs lie ([`band`]).
    pub bands: Vec<Vec<(f32, f32)>>,
    /// The number of the run that went worst.
    pub worst: Option<u32>,
    /// The number of a run as most are.
    pub typical: Option<u32>,
}

impl Summary {
    /// What runs of a program with as many steps say.
    pub fn of(briefs: &[Arc<Brief>], steps: usize) -> Self {
        let channels = briefs.first().map_or(0, |brief| brief.channels);
        Self {
            held: held(briefs),
            endings: endings(briefs),
            survival: survival(briefs, steps),
            causes: causes(briefs),
            bands: (0..channels).map(|channel| band(briefs, channel)).collect(),
            worst: worst(briefs).map(|brief| brief.number),
            typical: typical(briefs).map(|brief| brief.number),
        }
    }
}
