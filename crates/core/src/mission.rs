//! The mission language: text to model, findings and slots, and back.
//!
//! The text is the document. Parsing never fails: each line is read by itself, a broken one is a finding and
//! the rest still stands. Every place of a sentence that somebody would change is a [`Slot`] with its span, so
//! screens edit by replacing spans ([`edit`]) and never print a model back. `check` needs only [`Names`]:
//! what a robot and a field offer, not the robot or the field.

mod ast;
mod check;
pub mod edit;
mod format;
mod lexer;
mod parser;

pub use ast::{
    Behaviour, Condition, DeviceState, Direction, Exit, Let, Line, LineKind, Mission, Slot, SlotKind, Spanned, Step,
    StopKind, Target, Value, Wheel,
};
pub use check::{ActuatorName, Names, SensorName, check};
pub use format::format;
pub use parser::{Parsed, either, parse};

#[cfg(test)]
mod tests;
