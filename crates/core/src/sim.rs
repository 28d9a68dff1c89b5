//! The world: moves robots and things, lets sensors read, runs controllers in it, and keeps the
//! score.
//!
//! A run is a pure function of world, program, start, seed and what is done by hand. Time is
//! counted in steps of one millisecond: commands, motors, traction and contacts, motion; where
//! nothing is near, several are taken at once. Sensors and programs look at their own times. The
//! model, its constants and their sources are written down in docs/world.md.

mod ability;
mod chance;
mod drive;
mod footing;
mod form;
mod leap;
mod random;
mod referee;
mod run;
mod scene;
mod sensor;
mod snapshot;
mod solve;
mod stage;
mod things;
mod world;

pub use ability::{Ability, Looking, Pace, Ranging};
pub use chance::{Chance, Drawn, Varied, varied};
pub use footing::{Footing, Stance};
pub(crate) use random::Noise;
pub use run::{Piece, Play, play, play_again, run};
pub use scene::in_the_way;
pub(crate) use snapshot::entered;
pub use snapshot::{Kept, Snapshot, resume};
pub use world::{Player, Role, World};

/// Length of a simulation step in seconds.
pub const STEP: f64 = 0.001;

pub use crate::units::GRAVITY;

/// A random stream for tests of other modules.
#[cfg(test)]
pub(crate) fn noise_for_tests(seed: u64) -> random::Noise {
    random::Noise::new(seed, "test")
}

#[cfg(test)]
mod tests;
