//! What people do by hand during a run: with it the run can be made again exactly.

use serde::{Deserialize, Serialize};

use crate::field::{Mark, Pose};

/// Something done by hand during a run.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Intervention {
    /// Milliseconds after the start.
    pub at_ms: u64,
    /// What.
    pub act: Act,
}

/// What a hand can do.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub enum Act {
    /// Puts an object or an obstacle of the field somewhere.
    Place {
        /// Its name.
        thing: String,
        /// Where.
        pose: Pose,
    },
    /// Takes an object or an obstacle away.
    Remove {
        /// Its name.
        thing: String,
    },
    /// Puts the robot somewhere else; its mission goes on.
    Carry {
        /// Where the middle of its axle then is.
        pose: Pose,
    },
    /// Holds a hand before a ranging sensor.
    Cover {
        /// The sensor's name.
        sensor: String,
        /// How far away, metres.
        distance: f64,
        /// For how many milliseconds.
        for_ms: u64,
    },
    /// Holds a touch switch or a button down.
    Press {
        /// Its name.
        switch: String,
        /// For how many milliseconds.
        for_ms: u64,
    },
    /// Lays a line or a patch on the mat.
    Lay(Mark),
}
