//! Everything about a run that does not change while it runs; built once and shared by all runs.

use crate::ids::SensorId;
use crate::units::colour::Light;
use std::sync::Arc;

use super::STEP;
use super::drive::Plant;
use super::random::Noise;
use super::scene::{Rider, Scene};
use super::stage::Stage;
use crate::controller::{Command, Program, Reading};
use crate::field::{Blurred, Field, Mark, Mat, Point, Pose};
use crate::robot::{FloorSensor, Robot};
use crate::scatter::{Spreads, StartSpread};
use crate::units::math::{self, TAU};

/// Another robot of a field, ready to play.
#[derive(Clone, Debug)]
pub struct Player {
    /// What it is.
    pub robot: Arc<Robot>,
    /// What it does.
    pub role: Role,
}

/// What moves another robot.
#[derive(Clone, Debug)]
pub enum Role {
    /// Nothing.
    Stands,
    /// Constant duties of its left and right motor.
    Drifts([f64; 2]),
    /// It goes from place to place at a duty, over and over; it knows where it is.
    Patrols(Vec<Point>, f64),
    /// A mission of its own.
    Mission(Arc<Program>),
}

/// A robot on a field, with everybody else on it.
#[derive(Clone, Debug)]
pub struct World {
    /// The field.
    pub field: Arc<Field>,
    /// The robot.
    pub robot: Arc<Robot>,
    /// The others, in the order of the field's opponents.
    pub players: Vec<Player>,
    /// How exactly our robot is put down.
    pub placing: Spreads<StartSpread>,
    /// The mat as each sensor of each robot sees it, ours first: from the mat, then from each
    /// platform.
    pub(super) mats: Vec<Levels>,
    pub(super) stages: Arc<[Stage]>,
}

/// For each level, one mat a sensor.
pub(super) type Levels = Vec<Vec<Arc<Blurred>>>;

impl World {
    /// A robot alone on its field, whatever opponents the field names.
    pub fn new(field: Arc<Field>, robot: Arc<Robot>) -> Self {
        Self::with(field, robot, Vec::new())
    }

    /// Prepares the mat for the robots' sensors; what they see is worked out when they first come
    /// over it.
    ///
    /// - `players`: one for each of the field's opponents, or none at all
    pub fn with(field: Arc<Field>, robot: Arc<Robot>, players: Vec<Player>) -> Self {
        let mats = std::iter::once(&robot)
            .chain(players.iter().map(|player| &player.robot))
            .map(|robot| levels(&field, robot))
            .collect();
        let stages = platforms(&field)
            .map(|level| Stage::new(&field, level))
            .collect();
        Self {
            field,
            robot,
            players,
            placing: Spreads::default(),
            mats,
            stages,
        }
    }

    /// A robot that plays: 0 is ours.
    pub(super) fn rider(&self, who: usize) -> &Robot {
        match who.checked_sub(1) {
            None => &self.robot,
            Some(other) => &self.players[other].robot,
        }
    }

    /// The mats of a robot: 0 is ours.
    pub(super) fn mats(&self, who: usize) -> &Levels {
        &self.mats[who]
    }

    /// The mats of all robots with one more mark on the field.
    pub(super) fn with_mark(&self, marks: &[Mark]) -> Vec<Levels> {
        let mut field = (*self.field).clone();
        field.marks.extend_from_slice(marks);
        let field = Arc::new(field);
        let robots =
            std::iter::once(&self.robot).chain(self.players.iter().map(|player| &player.robot));
        robots.map(|robot| levels(&field, robot)).collect()
    }

    /// What a floor sensor of ours would read with the robot at a pose, without noise and without
    /// the steps of its converter.
    pub fn ideal_reading(&self, sensor: SensorId, pose: Pose) -> Reading {
        let about = &self.robot.sensors[sensor];
        let level = self
            .field
            .platform_at(Point::new(pose.x, pose.y))
            .map_or(0, |index| index + 1);
        let mat = &self.mats[0][level][sensor];
        let shares = mat
            .sample(pose.place(about.ahead, about.left))
            .map(|share| about.reads(share, self.field.ambient));
        if mat.channels() == 1 {
            Reading {
                brightness: shares[0],
                rgb: [shares[0]; 3],
            }
        } else {
            Reading::of(shares)
        }
    }

    /// Where our robot comes to rest when both wheels brake from a pose with these rim speeds (m/s:
    /// left, right), with nobody else on the field: its stopping distance is the way there. It is
    /// found by letting it brake.
    pub fn rest_of(&self, pose: Pose, rims: [f64; 2]) -> Pose {
        /// Simulation steps between two looks, and how many looks at most.
        const LOOK: (u64, usize) = (20, 100);
        let plant = Plant::new(&self.robot, STEP);
        let mut rider = Rider::new(plant, &self.field, pose);
        rider.body = rider.plant.rolling(pose, rims);
        rider.command = Command::BRAKE;
        let mut scene = Scene::new(&self.field, &self.stages, vec![rider]);
        for _ in 0..LOOK.1 {
            let before = scene.riders[0].plant.pose(&scene.riders[0].body);
            scene.advance(LOOK.0);
            let now = scene.riders[0].plant.pose(&scene.riders[0].body);
            if scene.riders[0].out || math::length(now.x - before.x, now.y - before.y) < 1e-5 {
                break;
            }
        }
        scene.riders[0].plant.pose(&scene.riders[0].body)
    }

    /// The pose of a named start, without a name of the field's first; where it is turned by lot,
    /// the seed's lot.
    pub fn start(&self, name: Option<&str>, seed: u64) -> Pose {
        let start = name.map_or_else(|| self.field.starts.first(), |name| self.field.start(name));
        start.map_or_else(Pose::default, |start| {
            by_lot(start.pose, start.turned_by_lot, seed, "start")
        })
    }

    /// The pose that the field file gives for a start, without a name for the field's first: what a
    /// robot can know of where it stands. Of a lot it knows nothing.
    pub fn meant(&self, name: Option<&str>) -> Pose {
        let start = name.map_or_else(|| self.field.starts.first(), |name| self.field.start(name));
        start.map_or_else(Pose::default, |start| start.pose)
    }
}

/// A pose whose heading may be drawn by lot.
pub(super) fn by_lot(pose: Pose, is_drawn: bool, seed: u64, who: &str) -> Pose {
    if !is_drawn {
        return pose;
    }
    let heading = Noise::new(seed, &format!("facing of {who}")).uniform() * TAU;
    Pose { heading, ..pose }
}

fn platforms(field: &Field) -> impl Iterator<Item = Option<usize>> {
    std::iter::once(None).chain((0..field.platforms.len()).map(Some))
}

fn levels(field: &Arc<Field>, robot: &Robot) -> Levels {
    platforms(field)
        .map(|level| seen_by(robot, &Mat::new(field, level)))
        .collect()
}

/// A mat as each of a robot's sensors sees it; sensors with equal spots share one.
fn seen_by(robot: &Robot, mat: &Mat) -> Vec<Arc<Blurred>> {
    let mut made: Vec<(f64, Light, Arc<Blurred>)> = Vec::new();
    let one = |sensor: &FloorSensor| {
        let light = sensor.light;
        let same = made
            .iter()
            .find(|(spot, kind, _)| *spot == sensor.spot && *kind == light);
        if let Some((_, _, mat)) = same {
            return Arc::clone(mat);
        }
        let blurred = Arc::new(mat.blurred(sensor.spot, light));
        made.push((sensor.spot, light, Arc::clone(&blurred)));
        blurred
    };
    robot.sensors.iter().map(one).collect()
}
