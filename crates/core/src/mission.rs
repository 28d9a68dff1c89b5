//! The mission language: text to model, findings and slots, and back.
//!
//! The text is the document. Parsing never fails: each line is read by itself, a broken one is a
//! finding and the rest still stands. Every place of a sentence that somebody would change is a
//! [`Slot`] with its span, so screens edit by replacing spans ([`edit`]) and never print a model
//! back. `check` needs only [`Names`]: what a robot and a field offer, not the robot or the field.

// A new behaviour, condition or ending must be looked at wherever its kind is: no arm says "all
// others".
#![cfg_attr(not(test), warn(clippy::wildcard_enum_match_arm))]

pub mod about;
pub mod amend;
mod amounts;
mod ast;
mod behaviours;
pub mod cases;
mod check;
pub mod complete;
mod conditions;
pub mod edit;
pub mod exits;
mod flow;
mod format;
mod lexer;
mod meant;
pub mod offer;
mod parser;
pub mod readback;
pub mod refs;
pub mod restructure;
mod sentence;
pub mod span;
pub mod steps;
pub mod walk;

pub use amounts::{Amount, apply, dimension, evaluate, reckon};
pub use ast::{
    Answer, Block, Comparison, Exit, Formula, Function, Let, Line, LineKind, Mission, Operator,
    Origin, Parameter, Part, Reflex, Routine, Row, Side, Slot, SlotKind, Spanned, Step, Target,
    Then, Value, Wanted,
};
pub use behaviours::{
    Align, Argument, Await, BEHAVIOURS, Behaviour, BehaviourKind, Choose, Do, Drive, Ending,
    Feeler, Follow, GAIN, HeldHeading, Hold, KEEP_GAIN, Keep, Law, Measure, Move, Pivot, Probe,
    React, Repeat, Rounds, Seek, Shift, Shove, Signal, Spin, StopKind, Track, Way, Wheel, WhenBoth,
    WhenLost,
};
pub use check::{Checked, DeviceName, Names, ParameterName, RoutineName, Use, check, check_all};
pub use conditions::{
    Arming, CONDITIONS, Condition, ConditionKind, DeviceState, MAT, Quantifier, Sensors,
};
pub use format::format;
pub use meant::explain;
pub use parser::{Parsed, parse};
pub use sentence::either;

#[cfg(test)]
mod tests;
