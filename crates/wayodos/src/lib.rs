//! Wayodos as people meet it: the command line and the full-screen application.
//!
//! Everything it knows about missions, robots and runs comes from `wayodos-core`, everything it
//! draws from `wayodos-report`; what lives here is files, threads, keys and cells.

pub mod against;
pub mod cli;
pub mod demo;
pub mod draft;
pub mod folder;
pub mod grids;
pub mod leagues;
pub mod log;
pub mod logbook;
pub mod look;
pub mod open_error;
pub mod runner;
pub mod safe;
pub mod settings;
pub mod sheets;
pub mod shelf;
pub mod spreads;
pub mod survey;
pub mod sweeps;
pub mod tui;
pub mod tunes;
pub mod window;
pub mod work;
