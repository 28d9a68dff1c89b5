//! Everything about a run that does not change while it runs; built once and shared by all runs.

use std::sync::Arc;

use super::contact::Obstacles;
use crate::field::{Blurred, Field, Mat, Pose};
use crate::robot::{Robot, SensorKind};

/// A robot on a field.
#[derive(Clone, Debug)]
pub struct World {
    /// The field.
    pub field: Arc<Field>,
    /// The robot.
    pub robot: Arc<Robot>,
    /// The mat as each sensor sees it, in the order of the robot's sensors.
    pub(super) mats: Vec<Arc<Blurred>>,
    pub(super) obstacles: Obstacles,
}

impl World {
    /// Prepares the mat for the robot's sensors; what they see is worked out when they first come over it.
    pub fn new(field: Arc<Field>, robot: Arc<Robot>) -> Self {
        let mat = Mat::new(&field);
        let mut made: Vec<(f64, bool, Arc<Blurred>)> = Vec::new();
        let mats = robot
            .sensors
            .iter()
            .map(|sensor| {
                let colour = sensor.kind == SensorKind::Colour;
                let same = made.iter().find(|(spot, kind, _)| *spot == sensor.spot && *kind == colour);
                if let Some((_, _, mat)) = same {
                    return Arc::clone(mat);
                }
                let blurred = Arc::new(mat.blurred(sensor.spot, colour));
                made.push((sensor.spot, colour, Arc::clone(&blurred)));
                blurred
            })
            .collect();
        let obstacles = Obstacles::new(&field);
        Self { field, robot, mats, obstacles }
    }

    /// The pose of a named start; without a name, the field's first.
    pub fn start(&self, name: Option<&str>) -> Pose {
        let start = name.map_or_else(|| self.field.starts.first(), |name| self.field.start(name));
        start.map_or_else(Pose::default, |start| start.pose)
    }
}
