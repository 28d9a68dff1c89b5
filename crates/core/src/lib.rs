//! The heart of Wayodos, without any interface: what a robot, a field and a mission are, how a
//! compiled mission decides, how the world answers, and what a run says about the mission.
//!
//! Modules point one way: `units` <- `scatter` <- `field`, `robot`, `mission` <- `controller` <-
//! `record` <- `sim` <- `lab`, and `project` brings them together. Text comes in, values come out;
//! there is no clock, no file and no terminal here, and nothing whose order differs from run to
//! run.

pub mod controller;
pub mod field;
pub mod finding;
pub mod ids;
pub mod keys;
pub mod lab;
pub mod mission;
pub mod project;
pub mod record;
pub mod robot;
pub mod scatter;
pub mod sim;
mod tables;
pub mod units;
