//! The world: moves the robot, lets its sensors read, and runs a controller in it.
//!
//! A run is a pure function of world, program, start and seed. Time is counted in steps of one millisecond;
//! every step goes through the same phases: commands, motors, traction and contacts, motion, sensors, program,
//! trace. The model, its constants and their sources are written down in docs/world.md.

mod drive;
mod footing;
mod form;
mod leap;
mod random;
mod referee;
mod run;
mod scene;
mod sensor;
mod solve;
mod stage;
mod trace;
mod world;

pub use footing::{Footing, Stance};
pub use referee::{ScoreLine, Sheet, Verdict};
pub use run::{Act, Intervention, Outcome, Play, Run, Visit, play, play_again, run};
pub use scene::in_the_way;
pub use trace::{Happened, Happening, Prop, PropKind, Stamp, Tick, Trace};
pub use world::{Player, Role, World};

/// Length of a simulation step in seconds.
pub const STEP: f64 = 0.001;

/// Standard gravity, m/s^2.
pub const GRAVITY: f64 = 9.806_65;

/// A random stream for tests of other modules.
#[cfg(test)]
pub(crate) fn noise_for_tests(seed: u64) -> random::Noise {
    random::Noise::new(seed, "test")
}

#[cfg(test)]
mod tests;
