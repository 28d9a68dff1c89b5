//! A run is one of many: what is different in it, drawn for it alone.
//!
//! Each deviation has a stream of its own, told by the seed, the run's number and the name of what
//! is drawn: it depends on nothing else, so that run 17 is run 17 however many there are, and a
//! further deviation changes no other.

use std::sync::Arc;

use serde::{Deserialize, Serialize};

use super::STEP;
use super::random::Noise;
use super::scene::in_the_way;
use super::world::{World, by_lot};
use crate::field::{Edge, Field, Object, Outline, Point, Pose, SurfaceId};
use crate::robot::{Clock, Motor, Robot};
use crate::scatter::Scatter;
use crate::units::{Quantity, Unit};

/// Draws beyond this many standard deviations are drawn again: nobody puts a robot down that badly
/// unseen.
const FURTHEST: f64 = 3.0;
/// A place that is taken is drawn again so many times; then it is the one that the file names.
const TRIES: u32 = 50;
/// What is multiplied stays at least this share of itself, whatever the spread.
const LEAST: f64 = 0.05;

/// Something that is different in a run.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Drawn {
    /// What: `grip`, `left motor strength`, `start along`.
    pub what: String,
    /// By how much, in SI units or as a share.
    pub off: f64,
    /// In what people write it.
    pub unit: Unit,
    /// The same in standard deviations; none for what may be anything within its period.
    pub sigmas: Option<f64>,
}

impl Drawn {
    /// By how much, as people write it: `+1.2 mm`.
    pub fn words(&self) -> String {
        let digits = |value: f64| (value * 100.0).round() / 100.0;
        let value = digits(Quantity::from_si(self.off, self.unit).value);
        let sign = if value < 0.0 { "" } else { "+" };
        format!(
            "{sign}{}",
            Quantity {
                value,
                unit: self.unit
            }
        )
    }
}

/// What chance made of a run.
#[derive(Clone, Debug, PartialEq)]
pub struct Chance {
    /// The run's number.
    pub run: u32,
    /// How much runs differ.
    pub scatter: Scatter,
    /// What is different, in a fixed order.
    pub drawn: Vec<Drawn>,
    /// How many places were drawn again, because something stood there or nothing is there to stand
    /// on.
    pub again: u32,
}

impl Chance {
    /// What is furthest from what the files say, the furthest first.
    pub fn furthest(&self, count: usize) -> Vec<&Drawn> {
        let sigmas = |one: &&Drawn| one.sigmas.unwrap_or_default().abs();
        let mut all: Vec<&Drawn> = self
            .drawn
            .iter()
            .filter(|one| one.sigmas.is_some())
            .collect();
        all.sort_by(|a, b| sigmas(b).total_cmp(&sigmas(a)));
        all.truncate(count);
        all
    }

    /// `run 17, everyday scatter`; nothing for the nominal run.
    pub fn words(&self) -> Option<String> {
        let (run, scatter) = (self.run, self.scatter.word());
        (run > 0).then(|| format!("run {run}, {scatter} scatter"))
    }
}

/// A run that is to be made: its world, and what else it begins with.
#[derive(Clone, Debug)]
pub struct Varied {
    /// The world as it is in this run.
    pub world: World,
    /// Where the robot stands.
    pub start: Pose,
    /// Where it was meant to be put down.
    pub meant: Pose,
    /// What the noise of the senses follows from.
    pub seed: u64,
    /// What is different.
    pub chance: Chance,
}

/// Draws what is different in a run. Run 0 is the nominal one: everything is as the files say.
///
/// - `start`: name of the start, or the field's first
pub fn varied(world: &World, start: Option<&str>, seed: u64, run: u32, scatter: Scatter) -> Varied {
    let nominal = world.start(start, seed);
    let chance = Chance {
        run,
        scatter,
        drawn: Vec::new(),
        again: 0,
    };
    if run == 0 {
        return Varied {
            world: world.clone(),
            start: nominal,
            meant: world.meant(start),
            seed,
            chance,
        };
    }
    let mut draw = Draws { seed, chance };
    let own = draw.stream("senses").bits();
    let mut world = world.clone();
    // Nothing is put where our robot belongs, so that it always has a place.
    let nominal = world.start(start, own);
    let ours = Stands(body_of(&world.robot), nominal);
    if let Some(spread) = world.field.scatter.of(scatter) {
        let mut field = (*world.field).clone();
        field.ambient += draw.light(field.ambient, spread.light);
        for at in 0..field.objects.len() {
            let object = &field.objects[at];
            let (name, pose, outline) = (object.name.clone(), object.pose, object.outline.clone());
            field.objects[at].pose = draw.place(
                &name,
                pose,
                [spread.placed, spread.placed, spread.turned],
                |pose| {
                    on_same_level(&field, pose, object.pose)
                        && in_the_way(&field, &outline, pose, Some(at)).is_none()
                        && ours.is_clear_of(&outline, pose)
                },
            );
        }
        for obstacle in &mut field.obstacles {
            // What is there from the start is, and what never leaves does not.
            let times = |draw: &mut Draws, what: &str, at: f64| {
                let moves = at.is_finite() && at > 0.0;
                let name = format!("{} {what}", obstacle.name);
                if moves {
                    (at + draw.off(&name, spread.times, Unit::Second)).max(STEP)
                } else {
                    at
                }
            };
            let comes = times(&mut draw, "comes", obstacle.comes);
            let leaves = times(&mut draw, "leaves", obstacle.leaves);
            (obstacle.comes, obstacle.leaves) = (comes, leaves.max(comes + STEP));
        }
        for (at, player) in world.players.iter().enumerate() {
            let Some(opponent) = field.opponents.get(at) else {
                continue;
            };
            let name = opponent.name.clone();
            // Drawn by lot first, as in every run, and then put down as exactly as one puts robots
            // down.
            let pose = by_lot(opponent.pose, opponent.turned_by_lot, own, &name);
            let outline = body_of(&player.robot);
            let pose = draw.place(
                &name,
                pose,
                [spread.placed, spread.placed, spread.turned],
                |new| {
                    on_same_level(&field, new, pose)
                        && in_the_way(&field, &outline, new, None).is_none()
                        && ours.is_clear_of(&outline, new)
                },
            );
            (field.opponents[at].pose, field.opponents[at].turned_by_lot) = (pose, false);
        }
        world.field = Arc::new(field);
    }
    world.robot = Arc::new(draw.robot(&world.robot, scatter, ""));
    for (player, opponent) in world.players.iter_mut().zip(&world.field.opponents) {
        player.robot = Arc::new(draw.robot(&player.robot, scatter, &format!("{} ", opponent.name)));
    }
    let meant = world.meant(start);
    let start = world.placing.of(scatter).map_or(nominal, |spread| {
        let outline = body_of(&world.robot);
        draw.place(
            "start",
            nominal,
            [spread.along, spread.across, spread.turned],
            |pose| {
                on_same_level(&world.field, pose, nominal)
                    && in_the_way(&world.field, &outline, pose, None).is_none()
            },
        )
    });
    Varied {
        meant,
        world,
        start,
        seed: own,
        chance: draw.chance,
    }
}

/// Something that stands somewhere.
struct Stands(Outline, Pose);

impl Stands {
    fn is_clear_of(&self, outline: &Outline, pose: Pose) -> bool {
        let object = Object {
            name: String::new(),
            surface: SurfaceId(0),
            outline: outline.clone(),
            pose,
            mass: 0.0,
            friction: 0.0,
            bounce: 0.0,
            span: 0..0,
        };
        let alone = Field {
            objects: vec![object],
            ..Field::default()
        };
        in_the_way(&alone, &self.0, self.1, None).is_none()
    }
}

fn body_of(robot: &Robot) -> Outline {
    Outline::Polygon(
        robot
            .outline
            .iter()
            .map(|&(x, y)| Point::new(x, y))
            .collect(),
    )
}

/// Whether something still stands on what it is to stand on.
fn on_same_level(field: &Field, pose: Pose, nominal: Pose) -> bool {
    let (here, there) = (Point::new(pose.x, pose.y), Point::new(nominal.x, nominal.y));
    let on_mat =
        |at: Point| (0.0..=field.width).contains(&at.x) && (0.0..=field.height).contains(&at.y);
    field.platform_at(here) == field.platform_at(there)
        && (field.edge == Edge::Floor || on_mat(here) || !on_mat(there))
}

/// The draws of one run.
struct Draws {
    seed: u64,
    chance: Chance,
}

impl Draws {
    fn stream(&self, what: &str) -> Noise {
        Noise::new(self.seed, &format!("run {}: {what}", self.chance.run))
    }

    fn note(&mut self, what: String, off: f64, unit: Unit, sigmas: Option<f64>) {
        self.chance.drawn.push(Drawn {
            what,
            off,
            unit,
            sigmas,
        });
    }

    /// A deviation with a spread: normal, cut off at [`FURTHEST`].
    fn off(&mut self, what: &str, spread: f64, unit: Unit) -> f64 {
        if spread == 0.0 {
            return 0.0;
        }
        let sigmas = cut_off(&mut self.stream(what));
        self.note(what.to_owned(), sigmas * spread, unit, Some(sigmas));
        sigmas * spread
    }

    /// More or less light of the room: never less than there is, and what is told is what is done.
    fn light(&mut self, ambient: f64, spread: f64) -> f64 {
        if spread == 0.0 {
            return 0.0;
        }
        let off = (cut_off(&mut self.stream("light")) * spread).max(-ambient);
        self.note("light".to_owned(), off, Unit::Percent, Some(off / spread));
        off
    }

    /// A factor about 1.
    fn factor(&mut self, what: &str, spread: f64) -> f64 {
        (1.0 + self.off(what, spread, Unit::Percent)).max(LEAST)
    }

    /// Something put down about where it belongs, wherever it can stand.
    ///
    /// - `spreads`: along, across (m), turned (rad)
    fn place(
        &mut self,
        what: &str,
        nominal: Pose,
        spreads: [f64; 3],
        stands: impl Fn(Pose) -> bool,
    ) -> Pose {
        const PARTS: [(&str, Unit); 3] = [
            ("along", Unit::Millimetre),
            ("across", Unit::Millimetre),
            ("turned", Unit::Degree),
        ];
        if spreads == [0.0; 3] {
            return nominal;
        }
        let mut streams = PARTS.map(|(part, _)| self.stream(&format!("{what} {part}")));
        for _ in 0..TRIES {
            let sigmas = [0, 1, 2].map(|part| cut_off(&mut streams[part]));
            let [along, across, turned] = [0, 1, 2].map(|part| sigmas[part] * spreads[part]);
            let place = nominal.place(along, across);
            let pose = Pose {
                x: place.x,
                y: place.y,
                heading: nominal.heading + turned,
            };
            if !stands(pose) {
                self.chance.again += 1;
                continue;
            }
            for (part, (name, unit)) in PARTS.into_iter().enumerate() {
                if spreads[part] > 0.0 {
                    self.note(
                        format!("{what} {name}"),
                        sigmas[part] * spreads[part],
                        unit,
                        Some(sigmas[part]),
                    );
                }
            }
            return pose;
        }
        nominal
    }

    /// A robot as it is in this run. What it believes of itself stays as its file says.
    ///
    /// - `who`: tells it from the others; empty for ours
    fn robot(&mut self, nominal: &Robot, scatter: Scatter, who: &str) -> Robot {
        let mut robot = nominal.clone();
        let Some(spread) = nominal.scatter.of(scatter) else {
            return robot;
        };
        robot.battery *= self.factor(&format!("{who}battery"), spread.battery);
        self.motor(
            &mut robot.left,
            &format!("{who}left motor"),
            [spread.strength, spread.no_load_speed],
        );
        self.motor(
            &mut robot.right,
            &format!("{who}right motor"),
            [spread.strength, spread.no_load_speed],
        );
        robot.grip *= self.factor(&format!("{who}grip"), spread.grip);
        robot.caster_drag *= self.factor(&format!("{who}caster drag"), spread.caster_drag);
        robot.true_diameters[0] *= self.factor(&format!("{who}left wheel"), spread.wheel);
        robot.true_diameters[1] *= self.factor(&format!("{who}right wheel"), spread.wheel);
        robot.track_width *= self.factor(&format!("{who}track width"), spread.track_width);
        if let Some(gyro) = &mut robot.gyro {
            gyro.scale *= self.factor(&format!("{who}gyro scale"), spread.gyro_scale);
        }
        for sensor in &mut robot.sensors {
            sensor.gain *= self.factor(&format!("{who}{} gain", sensor.name), spread.floor_gain);
            sensor.clock.phase_ms = self.phase(&format!("{who}{}", sensor.name), sensor.clock);
        }
        if !who.is_empty() {
            let clock = Clock {
                period_us: robot.control_ms * 1000,
                phase_ms: 0,
            };
            robot.control_phase_ms = self.phase(&format!("{who}control"), clock);
        }
        for (lag, what) in robot.lag_ms.iter_mut().zip(["lag", "jitter"]) {
            if *lag > 0 {
                let factor = self.factor(&format!("{who}{what}"), spread.lag);
                *lag = (f64::from(*lag) * factor).round() as u32;
            }
        }
        for ranger in &mut robot.rangers {
            for (share, what) in [
                (&mut ranger.dropouts, "dropouts"),
                (&mut ranger.outliers, "outliers"),
            ] {
                if *share > 0.0 {
                    let what = format!("{who}{} {what}", ranger.name);
                    *share = (*share * self.factor(&what, spread.ranging_faults)).min(1.0);
                }
            }
            ranger.scale *=
                self.factor(&format!("{who}{} scale", ranger.name), spread.ranging_scale);
            ranger.clock.phase_ms = self.phase(&format!("{who}{}", ranger.name), ranger.clock);
        }
        robot
    }

    fn motor(&mut self, motor: &mut Motor, who: &str, [strength, speed]: [f64; 2]) {
        motor.stall_torque *= self.factor(&format!("{who} strength"), strength);
        motor.no_load_speed *= self.factor(&format!("{who} no-load speed"), speed);
    }

    /// When in its period a sensor reads: its clock knows nothing of the controller's.
    fn phase(&mut self, what: &str, clock: Clock) -> u32 {
        let period_ms = clock.period_us.div_ceil(1000);
        if period_ms < 2 {
            return 0;
        }
        let what = format!("{what} clock");
        let phase = (self.stream(&what).uniform() * f64::from(period_ms)) as u32 % period_ms;
        self.note(what, f64::from(phase) * STEP, Unit::Millisecond, None);
        phase
    }
}

fn cut_off(noise: &mut Noise) -> f64 {
    loop {
        let draw = noise.normal();
        if draw.abs() <= FURTHEST {
            return draw;
        }
    }
}
