//! The mission language: text to model, findings and slots, and back.
//!
//! The text is the document. Parsing never fails: each line is read by itself, a broken one is a finding and
//! the rest still stands. Every place of a sentence that somebody would change is a [`Slot`] with its span, so
//! screens edit by replacing spans ([`edit`]) and never print a model back. `check` needs only [`Names`]:
//! what a robot and a field offer, not the robot or the field.

pub mod amend;
mod amounts;
mod ast;
mod behaviour;
mod check;
pub mod complete;
mod condition;
pub mod edit;
pub mod exits;
mod flow;
mod format;
mod lexer;
pub mod offer;
mod parser;
mod sentence;
pub mod steps;

pub use amounts::{Amount, apply, evaluate, reckon};
pub use ast::{
    Answer, Argument, Arming, Behaviour, Block, Comparison, Condition, DeviceState, Ending, Exit, Feeler, Formula,
    Function, Law, Let, Line, LineKind, Mission, Operator, Origin, Parameter, Quantifier, Reflex, Rounds, Routine, Row,
    Sensors, Side, Slot, SlotKind, Spanned, Step, StopKind, Target, Then, Track, Value, WhenBoth, WhenLost,
};
pub use behaviour::{GAIN, KEEP_GAIN};
pub use check::{ActuatorName, Names, SensorName, check};
pub use format::format;
pub use parser::{Parsed, parse};
pub use sentence::either;

#[cfg(test)]
mod tests;
