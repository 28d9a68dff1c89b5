//! Odometry: where the robot believes to be, worked out from its wheels and its heading, tick by tick, from
//! where it was put down. What it slips, and what its wheels and gyro are off, it does not know.

use super::{Controller, Readings};
use crate::field::{Point, Pose};
use crate::units::math::{cos, sin};

/// A place that is kept up to date.
#[derive(Clone, Copy, Debug, Default)]
pub struct Odometry {
    pose: Pose,
    /// What wheels and heading were at the tick before; none before the first.
    before: Option<Before>,
}

#[derive(Clone, Copy, Debug)]
struct Before {
    /// Metres that the middle of the axle has rolled.
    rolled: f64,
    heading: f64,
}

impl Odometry {
    /// At a pose, before the first tick.
    pub const fn at(pose: Pose) -> Self {
        Self { pose, before: None }
    }

    /// Where the robot believes to be.
    pub const fn pose(&self) -> Pose {
        self.pose
    }

    /// Goes on by what was rolled, in the direction half way through the turn (Borenstein, Everett and
    /// Feng, "Where am I?", 1996, chapter 1).
    ///
    /// - `rolled`: metres that the middle of the axle has rolled since the start
    /// - `heading`: rad, counter-clockwise, from wherever it is counted
    pub fn go_on(&mut self, rolled: f64, heading: f64) {
        if let Some(before) = self.before {
            let (way, turn) = (rolled - before.rolled, heading - before.heading);
            let along = self.pose.heading + turn / 2.0;
            self.pose.x += way * cos(along);
            self.pose.y += way * sin(along);
            self.pose.heading += turn;
        }
        self.before = Some(Before { rolled, heading });
    }
}

impl Controller {
    /// The same controller, which believes to start at a pose of the field.
    #[must_use]
    pub const fn placed(mut self, pose: Pose) -> Self {
        self.place = Odometry::at(pose);
        self
    }

    pub(super) fn locate(&mut self, readings: &Readings<'_>) {
        let [left, right] = readings.wheels;
        let rolled = f64::midpoint(left, right) * self.program.wheel_radius;
        let heading = self.heading(readings);
        self.place.go_on(rolled, heading);
    }

    /// How deep in a zone it believes to be, in metres; negative outside.
    pub(super) fn depth_in(&self, zone: usize) -> f64 {
        let Pose { x, y, .. } = self.place.pose;
        self.program.zones[zone].shape.depth(Point::new(x, y))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_arc_ends_where_it_should() {
        // A circle of 300 mm radius, driven in ticks of 5 ms at 0.3 m/s: it ends where it began.
        let mut place = Odometry::at(Pose {
            x: 1.0,
            y: 0.5,
            heading: 0.3,
        });
        let (radius, steps) = (0.3, 1257);
        for tick in 0..=steps {
            let turn = std::f64::consts::TAU * f64::from(tick) / f64::from(steps);
            place.go_on(turn * radius, turn);
            if tick == steps / 2 {
                // Half way round it is across: two radii to the left of where it began.
                let (x, y) = (1.0 - 0.6 * sin(0.3), 0.5 + 0.6 * cos(0.3));
                let off = (place.pose.x - x).abs() + (place.pose.y - y).abs();
                assert!(off < 0.002, "{off}");
            }
        }
        let off = (place.pose.x - 1.0).abs() + (place.pose.y - 0.5).abs();
        assert!(off < 1e-9, "{off}");
    }
}
