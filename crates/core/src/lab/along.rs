//! A sensor's reading along its own track over the mat: what is there to be seen, against when the
//! robot looked.

use crate::field::{Point, Pose};
use crate::ids::SensorId;
use crate::record::Run;
use crate::sim::World;

/// Between two places of the track lies at most this much, metres.
const GRAIN: f64 = 0.001;
/// A track has at most this many places: 100 m of them.
const MOST: usize = 100_000;

/// One place of the track.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Place {
    /// Metres that the sensor's spot has moved over the mat since the start.
    pub at: f64,
    /// Ticks since the start, with a fraction.
    pub tick: f64,
    /// What the sensor would read there, share of full scale, without noise.
    pub brightness: f64,
}

/// A sensor's track.
#[derive(Clone, Debug, PartialEq, Default)]
pub struct Along {
    /// The places, in order.
    pub places: Vec<Place>,
    /// For each control tick, metres of the track at it: where the robot looked.
    pub looks: Vec<f64>,
}

impl Along {
    /// The track of one of our floor sensors in a run.
    pub fn of(world: &World, run: &Run, sensor: SensorId) -> Self {
        let about = &world.robot.sensors[sensor];
        let spot = |pose: Pose| pose.place(about.ahead, about.left);
        let mut along = Self::default();
        let mut at = 0.0;
        let ticks = &run.trace.ticks[..=run.ended.min(run.trace.ticks.len().saturating_sub(1))];
        for (index, tick) in ticks.iter().enumerate() {
            let Some(before) = index.checked_sub(1).map(|before| ticks[before].pose) else {
                along.looks.push(0.0);
                let brightness = world.ideal_reading(sensor, tick.pose).brightness;
                along.places.push(Place {
                    at: 0.0,
                    tick: 0.0,
                    brightness,
                });
                continue;
            };
            let (from, to): (Point, Point) = (spot(before), spot(tick.pose));
            let moved = from.distance(to);
            let parts = (moved / GRAIN).ceil().max(1.0);
            for part in 1..=parts as usize {
                let share = part as f64 / parts;
                let mid = |a: f64, b: f64| a + (b - a) * share;
                let pose = Pose {
                    x: mid(before.x, tick.pose.x),
                    y: mid(before.y, tick.pose.y),
                    heading: mid(before.heading, tick.pose.heading),
                };
                // Standing still is one place.
                if moved > 1e-6 && along.places.len() < MOST {
                    let brightness = world.ideal_reading(sensor, pose).brightness;
                    let tick = (index - 1) as f64 + share;
                    along.places.push(Place {
                        at: at + moved * share,
                        tick,
                        brightness,
                    });
                }
            }
            at += moved;
            along.looks.push(at);
        }
        along
    }

    /// Metres of the whole track.
    pub fn length(&self) -> f64 {
        self.looks.last().copied().unwrap_or(0.0)
    }
}
