//! The compiled mission as a machine: readings in, commands and events out.
//!
//! Knows no simulator and no clock: whoever owns it calls [`Controller::tick`] once a control
//! period, be it the simulation, a replayed trace or a robot. A tick allocates nothing. What
//! happens within a tick, in which order, is written down in docs/controller.md; change both
//! together.

// A new behaviour, condition or ending must be looked at wherever its kind is: no arm says "all
// others".
#![cfg_attr(not(test), warn(clippy::wildcard_enum_match_arm))]

mod act;
mod compile;
mod machine;
mod program;
mod tone;

pub use compile::{CompileError, Refused, Script};
pub use machine::{
    Command, Controller, End, Event, Kept, Knowledge, Left, Live, Odometry, Reading, Readings,
    ReflexStanding, Standing, Status, StepStanding, THERE, TermStanding, Wait, Watch,
};
pub use program::{
    Action, After, Armed, Choice, EdgeSensor, ExitKind, Follow, Goal, LivePace, Look, Num, Passes,
    Program, ProgramExit, ProgramReflex, ProgramStep, Rail, Reaction, RowOf, Sight, Source, Term,
    Test, WheelCommand,
};
pub use tone::{Limits, Tone, Tones};

#[cfg(test)]
mod tests;
