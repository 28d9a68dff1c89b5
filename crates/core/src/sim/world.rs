//! Everything about a run that does not change while it runs; built once and shared by all runs.

use std::sync::Arc;

use super::contact::Obstacles;
use crate::field::{Blurred, Field, Mat, Pose};
use crate::robot::{FloorSensor, Robot, SensorKind};

/// A robot on a field.
#[derive(Clone, Debug)]
pub struct World {
    /// The field.
    pub field: Arc<Field>,
    /// The robot.
    pub robot: Arc<Robot>,
    /// The mat as each sensor sees it, in the order of the robot's sensors: from the mat, then from each platform.
    mats: Vec<Vec<Arc<Blurred>>>,
    obstacles: Vec<Obstacles>,
}

impl World {
    /// Prepares the mat for the robot's sensors; what they see is worked out when they first come over it.
    pub fn new(field: Arc<Field>, robot: Arc<Robot>) -> Self {
        let levels = || std::iter::once(None).chain((0..field.platforms.len()).map(Some));
        let mats = levels().map(|level| seen_by(&robot, &Mat::new(&field, level))).collect();
        let obstacles = levels().map(|level| Obstacles::new(&field, level)).collect();
        Self { field, robot, mats, obstacles }
    }

    /// The mats and obstacles of who stands on a platform, or on the mat.
    pub(super) fn level(&self, platform: Option<usize>) -> (&[Arc<Blurred>], &Obstacles) {
        let level = platform.map_or(0, |index| index + 1);
        (&self.mats[level], &self.obstacles[level])
    }

    /// The pose of a named start; without a name, the field's first.
    pub fn start(&self, name: Option<&str>) -> Pose {
        let start = name.map_or_else(|| self.field.starts.first(), |name| self.field.start(name));
        start.map_or_else(Pose::default, |start| start.pose)
    }
}

/// A mat as each of a robot's sensors sees it; sensors with equal spots share one.
fn seen_by(robot: &Robot, mat: &Mat) -> Vec<Arc<Blurred>> {
    let mut made: Vec<(f64, bool, Arc<Blurred>)> = Vec::new();
    let one = |sensor: &FloorSensor| {
        let colour = sensor.kind == SensorKind::Colour;
        let same = made.iter().find(|(spot, kind, _)| *spot == sensor.spot && *kind == colour);
        if let Some((_, _, mat)) = same {
            return Arc::clone(mat);
        }
        let blurred = Arc::new(mat.blurred(sensor.spot, colour));
        made.push((sensor.spot, colour, Arc::clone(&blurred)));
        blurred
    };
    robot.sensors.iter().map(one).collect()
}
