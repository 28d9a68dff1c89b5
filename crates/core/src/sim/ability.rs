//! What a robot can do, found by letting it do it on an endless bare mat: its speeds, its ways to a
//! stop, what it pushes, and how far it gets between two readings.

use std::sync::Arc;

use super::STEP;
use super::drive::Plant;
use super::scene::{Rider, Scene};
use super::stage::Stage;
use crate::controller::{Command, WheelCommand};
use crate::field::{Field, Point, Pose, Wall};
use crate::ids::{RangerId, SensorId};
use crate::robot::{Clock, Robot};
use crate::units::math;

/// The duties of the table of speeds.
const DUTIES: [f64; 4] = [0.25, 0.5, 0.75, 1.0];
/// The mat is this long and wide, metres; everything happens near its middle.
const MAT: f64 = 2000.0;
/// Steps (ms) between two looks at a speed.
const LOOK: u64 = 20;
/// A speed that changes by less than this share in a quarter of a second is steady.
const STEADY: f64 = 1e-4;
/// Slower than this, m/s, it stands.
const STANDS: f64 = 1e-3;
/// At most this many looks (a minute) are made.
const LOOKS: usize = 3000;

/// What a robot can do.
#[derive(Clone, Debug, PartialEq)]
pub struct Ability {
    /// Speeds and ways to a stop by duty, slowest first; the last is full duty.
    pub paces: Vec<Pace>,
    /// Seconds and metres from rest to 95 % of the speed at full duty; none when it stays where it
    /// is.
    pub up_to_speed: Option<(f64, f64)>,
    /// Turn rate on the spot at full duty, rad/s; none for a car.
    pub spin: Option<f64>,
    /// The least duty, in whole hundredths, that moves it from rest; none when full duty does not.
    pub starts_at: Option<f64>,
    /// Force in N against a wall ahead at full duty, and whether the tyres slip then (otherwise the
    /// motors stall).
    pub push: (f64, bool),
    /// Floor sensors, in the order of the file.
    pub looks: Vec<Looking>,
    /// Ranging sensors, in the order of the file.
    pub ranges: Vec<Ranging>,
}

/// What one duty of both wheels gives.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Pace {
    /// The duty, 0 to 1.
    pub duty: f64,
    /// The steady speed, m/s.
    pub speed: f64,
    /// Ways from there to a stop, metres: braking, coasting, and with full duty the other way; none
    /// when it does not come to one within a minute.
    pub stops: [Option<f64>; 3],
}

/// What a floor sensor makes of a mat that passes below it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Looking {
    /// Which one.
    pub sensor: SensorId,
    /// The longest time between two readings that the controller gets to know, s.
    pub every: f64,
    /// A mark at least this wide (metres, in the direction of motion) fills its spot in at least one
    /// reading at full speed.
    pub sees: f64,
}

/// What a ranging sensor makes of what is ahead of it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Ranging {
    /// Which one.
    pub ranger: RangerId,
    /// How old a reading may be when the controller gets to know it next, s.
    pub age: f64,
    /// How wide its beam is at its greatest distance, metres.
    pub beam: f64,
}

impl Ability {
    /// What this robot can do on a level mat.
    pub fn of(robot: &Robot) -> Self {
        let paces: Vec<Pace> = DUTIES.iter().map(|duty| pace(robot, *duty)).collect();
        let full = paces.last().map_or(0.0, |pace| pace.speed);
        let looks = SensorId::all(robot.sensors.len())
            .zip(&robot.sensors)
            .map(|(sensor, about)| {
                let every = longest_gap(about.clock, robot.control_ms);
                Looking {
                    sensor,
                    every,
                    sees: about.spot + full * every,
                }
            })
            .collect();
        let ranges = RangerId::all(robot.rangers.len())
            .zip(&robot.rangers)
            .map(|(ranger, about)| Ranging {
                ranger,
                age: longest_gap(about.clock, robot.control_ms)
                    + f64::from(about.latency_ms) * STEP,
                beam: 2.0 * about.greatest * math::sin(about.cone / 2.0)
                    / math::cos(about.cone / 2.0),
            })
            .collect();
        Self {
            paces,
            up_to_speed: (full > STANDS).then(|| up_to_speed(robot, 0.95 * full)),
            spin: robot.steering.is_none().then(|| spin(robot)),
            starts_at: starts_at(robot),
            push: push(robot),
            looks,
            ranges,
        }
    }

    /// The steady speed at full duty, m/s.
    pub fn full_speed(&self) -> f64 {
        self.paces.last().map_or(0.0, |pace| pace.speed)
    }
}

/// A robot alone on an endless bare mat, with a wall ahead of it or none.
#[derive(Clone)]
struct Ground<'a> {
    robot: &'a Robot,
    scene: Scene,
}

impl<'a> Ground<'a> {
    fn new(robot: &'a Robot, wall: Option<f64>) -> Self {
        let middle = MAT / 2.0;
        let walls = wall.map(|ahead| Wall {
            name: String::new(),
            points: vec![
                Point::new(middle + ahead + 0.05, middle - 2.0),
                Point::new(middle + ahead + 0.05, middle + 2.0),
            ],
            thickness: 0.1,
        });
        let field = Arc::new(Field {
            width: MAT,
            height: MAT,
            walls: walls.into_iter().collect(),
            ..Field::default()
        });
        let stages: Arc<[Stage]> = Arc::new([Stage::new(&field, None)]);
        let pose = Pose {
            x: middle,
            y: middle,
            heading: 0.0,
        };
        let rider = Rider::new(Plant::new(robot, STEP), &field, pose);
        Self {
            robot,
            scene: Scene::new(&field, &stages, vec![rider]),
        }
    }

    fn rider(&self) -> &Rider {
        &self.scene.riders[0]
    }

    fn command(&mut self, command: Command) {
        self.scene.riders[0].command = command;
    }

    /// Goes on by this many steps; a battery that sags does so from one control tick to the next, as
    /// in a run, but does not run down.
    fn advance(&mut self, steps: u64) {
        if self.robot.sag == 0.0 {
            return self.scene.advance(steps);
        }
        let mut left = steps;
        while left > 0 {
            let Rider {
                plant,
                body,
                command,
                ..
            } = &mut self.scene.riders[0];
            let (duties, rims) = (plant.duties(body, *command), plant.rims(body));
            let volts = self.robot.voltage(self.robot.battery, duties, rims);
            body.supply = volts / self.robot.battery;
            let made = left.min(u64::from(self.robot.control_ms));
            self.scene.advance(made);
            left -= made;
        }
    }

    /// The way of the middle of the axle in this many steps, metres.
    fn go(&mut self, steps: u64) -> f64 {
        let pose = |ground: &Self| ground.rider().plant.pose(&ground.rider().body);
        let before = pose(self);
        self.advance(steps);
        let now = pose(self);
        math::length(now.x - before.x, now.y - before.y)
    }

    /// Speed of the body ahead, m/s: its rims may already turn back while it still slides.
    fn speed(&self) -> f64 {
        let body = &self.rider().body;
        let (c, s) = body.cos_sin;
        c * body.velocity.0 + s * body.velocity.1
    }

    /// Goes on until what is looked at stays as it is, and returns it.
    fn settle(&mut self, look: impl Fn(&Self) -> f64) -> f64 {
        let mut before = look(self);
        for _ in 0..LOOKS / 12 {
            self.advance(12 * LOOK);
            let now = look(self);
            if (now - before).abs() <= STEADY * now.abs() {
                break;
            }
            before = now;
        }
        look(self)
    }

    /// The way to a stop, looked at every so many steps; none when it does not come to one.
    fn stop(mut self, command: Command, look: u64) -> Option<f64> {
        self.command(command);
        let mut way = 0.0;
        for _ in 0..LOOKS as u64 * LOOK / look {
            if self.speed() < STANDS {
                return Some(way);
            }
            way += self.go(look);
        }
        None
    }
}

fn both(wheel: WheelCommand) -> Command {
    Command {
        left: wheel,
        right: wheel,
    }
}

fn pace(robot: &Robot, duty: f64) -> Pace {
    let mut driving = Ground::new(robot, None);
    driving.command(both(WheelCommand::Duty(duty)));
    let speed = driving.settle(Ground::speed).max(0.0);
    let back = both(WheelCommand::Duty(-1.0));
    Pace {
        duty,
        speed,
        stops: [
            driving.clone().stop(Command::BRAKE, LOOK),
            driving.clone().stop(both(WheelCommand::Coast), LOOK),
            // It does not stay there.
            driving.stop(back, 1),
        ],
    }
}

fn up_to_speed(robot: &Robot, speed: f64) -> (f64, f64) {
    let mut ground = Ground::new(robot, None);
    ground.command(both(WheelCommand::Duty(1.0)));
    let (mut steps, mut way) = (0_u32, 0.0);
    while ground.speed() < speed && u64::from(steps) < LOOK * LOOKS as u64 {
        way += ground.go(1);
        steps += 1;
    }
    (f64::from(steps) * STEP, way)
}

fn spin(robot: &Robot) -> f64 {
    let mut ground = Ground::new(robot, None);
    ground.command(Command {
        left: WheelCommand::Duty(-1.0),
        right: WheelCommand::Duty(1.0),
    });
    ground.settle(|ground| ground.rider().body.spin).max(0.0)
}

fn starts_at(robot: &Robot) -> Option<f64> {
    let moves = |percent: u32| {
        let mut ground = Ground::new(robot, None);
        ground.command(both(WheelCommand::Duty(f64::from(percent) / 100.0)));
        ground.advance(1000);
        ground.speed() > STANDS
    };
    let (mut stays, mut goes) = (0, 100);
    if !moves(goes) {
        return None;
    }
    while goes - stays > 1 {
        let half = u32::midpoint(stays, goes);
        if moves(half) {
            goes = half;
        } else {
            stays = half;
        }
    }
    Some(f64::from(goes) / 100.0)
}

fn push(robot: &Robot) -> (f64, bool) {
    /// It has come to rest against the wall, and is pressed for this many steps more.
    const LASTS: u64 = 100;
    let mut ground = Ground::new(robot, Some(robot.nose + 0.001));
    ground.command(both(WheelCommand::Duty(1.0)));
    ground.advance(2000);
    ground.scene.riders[0].marks = super::scene::Marks::default();
    let mut sum = 0.0;
    for _ in 0..LASTS {
        ground.advance(1);
        let pressed = ground.rider().pressed.iter();
        sum += pressed.map(|(_, _, force)| force).sum::<f64>();
    }
    (sum / LASTS as f64, ground.rider().marks.slipped)
}

/// The longest time in s between two readings of which the controller gets to know: of several
/// between two of its looks only the last.
fn longest_gap(clock: Clock, control_ms: u32) -> f64 {
    /// Looks after which the pattern of two whole-number clocks has shown itself.
    const PATTERN: u64 = 2000;
    let control = u64::from(control_ms);
    let first = u64::from(clock.phase_ms).div_ceil(control);
    let read = |look: u64| clock.last(look * control);
    let mut longest = 0;
    for look in first + 1..first + PATTERN {
        longest = longest.max(read(look) - read(look - 1));
    }
    longest as f64 * STEP
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::robot::load;
    use crate::units::GRAVITY;

    const ROBOT: &str = include_str!("../../../../examples/brinewick/robots/curlew.toml");

    fn even() -> Robot {
        let mut robot = load(ROBOT).0.unwrap();
        robot.right = robot.left.clone();
        robot
    }

    fn near(measured: f64, expected: f64, share: f64) {
        assert!(
            (measured - expected).abs() <= share * expected.abs(),
            "{measured} is not {expected}"
        );
    }

    /// Force at full duty and standstill, its loss for each m/s, and what friction takes, for both
    /// wheels together.
    fn forces(robot: &Robot) -> (f64, f64, f64) {
        let (motor, r) = (&robot.left, robot.wheel_diameter / 2.0);
        let stall = 2.0 * motor.stall_torque * robot.battery / motor.rated_voltage / r;
        let damping = 2.0 * motor.stall_torque / motor.no_load_speed / (r * r);
        let on_caster = robot.mass * GRAVITY * (1.0 - robot.wheel_share());
        (
            stall,
            damping,
            2.0 * motor.friction / r + robot.caster_drag * on_caster,
        )
    }

    #[test]
    fn speeds_and_ways_to_a_stop_are_those_of_the_closed_forms() {
        let robot = even();
        let ability = Ability::of(&robot);
        let (stall, damping, lost) = forces(&robot);
        let r = robot.wheel_diameter / 2.0;
        let felt = robot.mass + 2.0 * robot.left.inertia / (r * r);
        for pace in &ability.paces {
            let speed = (pace.duty * stall - lost) / damping;
            near(pace.speed, speed, 0.003);
            // Coasting: v^2 m / (2 F).
            let [brake, coast, back] = pace.stops.map(Option::unwrap);
            near(coast, speed * speed * felt / (2.0 * lost), 0.02);
            assert!(back <= 1.01 * brake && brake < coast, "{pace:?}");
            // Nothing stops it shorter than its tyres and its caster hold; a step moves by the speed
            // at its end.
            let holds = GRAVITY
                * (robot.grip * robot.wheel_share()
                    + robot.caster_drag * (1.0 - robot.wheel_share()));
            let shortest = pace.speed * (pace.speed / (2.0 * holds) - STEP / 2.0);
            assert!(back >= 0.99 * shortest, "{pace:?}: {shortest}");
        }
        // Braking, slowly enough that the tyres hold.
        let slow = ability.paces[0];
        let brake = felt / damping
            * (slow.speed - lost / damping * math::ln(1.0 + damping * slow.speed / lost));
        near(slow.stops[0].unwrap(), brake, 0.02);
        // Getting to 95 % of the speed: m / k ln 20, where the tyres hold; else longer.
        let sticky = Robot {
            grip: 3.0,
            ..robot.clone()
        };
        let (seconds, way) = Ability::of(&sticky).up_to_speed.unwrap();
        assert!(seconds < ability.up_to_speed.unwrap().0);
        let constant = felt / damping;
        near(seconds, constant * math::ln(20.0), 0.05);
        near(
            way,
            ability.full_speed() * constant * (math::ln(20.0) - 0.95),
            0.08,
        );
        // Without a caster that scrubs: 2 v / track.
        let spin = ability.spin.unwrap();
        assert!(spin < 2.0 * ability.full_speed() / robot.track_width * 1.05);
        near(spin, 2.0 * ability.full_speed() / robot.track_width, 0.1);
    }

    #[test]
    fn it_pushes_as_hard_as_the_motors_or_the_tyres_allow() {
        let mut robot = even();
        let (stall, _, lost) = forces(&robot);
        let (push, slips) = Ability::of(&robot).push;
        let holds = robot.grip * robot.mass * GRAVITY * robot.wheel_share();
        assert_eq!(slips, stall - lost > holds);
        // Against a wall friction may help or hinder by as much as there is of it.
        let most = stall.min(holds);
        assert!(
            push <= most * 1.001 && push >= most - lost - 0.01,
            "{push} of {most}, {lost} lost"
        );
        robot.grip = 0.1;
        let (weak, slips) = Ability::of(&robot).push;
        assert!(slips && weak < push / 2.0, "{weak}");
        near(weak, 0.1 * robot.mass * GRAVITY * robot.wheel_share(), 0.1);
    }

    #[test]
    fn it_starts_at_the_duty_that_overcomes_what_holds_it() {
        let mut robot = even();
        let (stall, _, lost) = forces(&robot);
        let at = Ability::of(&robot).starts_at.unwrap();
        assert!(
            (at - lost / stall).abs() <= 0.011,
            "{at} for {}",
            lost / stall
        );
        robot.left.least_duty = 0.3;
        robot.right.least_duty = 0.3;
        near(Ability::of(&robot).starts_at.unwrap(), 0.3, 1e-9);
        robot.left.stall_torque = 0.0;
        robot.right.stall_torque = 0.0;
        let stuck = Ability::of(&robot);
        assert_eq!((stuck.starts_at, stuck.up_to_speed), (None, None));
        assert!(stuck.full_speed() < 1e-6);
    }

    #[test]
    fn what_rolls_on_has_no_way_to_a_stop() {
        let mut robot = even();
        robot.caster_drag = 0.0;
        for motor in [&mut robot.left, &mut robot.right] {
            (motor.friction, motor.stiction) = (0.0, 0.0);
        }
        let ability = Ability::of(&robot);
        assert!(ability.paces.iter().all(|pace| pace.stops[1].is_none()));
        assert!(ability.paces.iter().all(|pace| pace.stops[2].is_some()));
    }

    #[test]
    fn a_battery_that_sags_takes_it_off_the_push() {
        // At standstill both motors draw their stall current: the battery falls by all of `sag`, and
        // the motors' pull with it.
        let mut robot = even();
        robot.grip = 3.0;
        for motor in [&mut robot.left, &mut robot.right] {
            (motor.friction, motor.stiction) = (0.0, 0.0);
        }
        robot.caster_drag = 0.0;
        let full = Ability::of(&robot);
        robot.sag = 2.0;
        let sagged = Ability::of(&robot);
        near(
            sagged.push.0 / full.push.0,
            (robot.battery - 2.0) / robot.battery,
            0.01,
        );
        assert!(sagged.up_to_speed.unwrap().0 > full.up_to_speed.unwrap().0);
    }

    #[test]
    fn the_longest_gap_is_that_between_readings_which_are_looked_at() {
        let clock = |hertz| Clock::with_rate(hertz);
        // Faster than the controller looks: its own period.
        near(longest_gap(clock(500.0), 10), 0.010, 1e-9);
        // Slower: the sensor's.
        near(longest_gap(clock(25.0), 10), 0.040, 1e-9);
        // In between: of readings at 7, 14, 21, 28 ms, looks at 20 and 30 get those at 14 and 28.
        near(longest_gap(clock(1000.0 / 7.0), 10), 0.014, 0.08);
    }
}
