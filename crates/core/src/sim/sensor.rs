//! Floor sensors, encoders and gyro: from the true state of the world to what the robot gets to
//! know.

use crate::ids::{RangerId, SwitchId};
use std::collections::VecDeque;
use std::sync::Arc;

use super::STEP;
use super::random::Noise;
use super::scene::{Rider, Scene};
use super::stage::{Cone, Look};
use crate::controller::{Command, Reading, Readings};
use crate::field::{Blurred, Field, Point};
use crate::robot::{RangeSensor, Robot, Side};
use crate::units::colour::linear;
use crate::units::math::{self, TAU, exp};

/// The robot's senses during one run.
///
/// The controller looks once a control period. A reading that is published and replaced between two
/// looks is never seen, so it is not worked out at all; what is seen has the age that the sensor's
/// own rate gives it.
#[derive(Clone, Debug)]
pub struct Senses {
    /// Steps of a control period.
    period: u64,
    noises: Vec<Noise>,
    readings: Vec<Reading>,
    /// The step of each sensor's next reading that is seen.
    due: Vec<u64>,
    /// How many steps before that it was made, for readings that are about to be looked at.
    ages: Vec<u64>,
    /// The earliest of those.
    next: u64,
    rangers: Vec<Ranger>,
    /// The earliest step at which a ranging sensor measures or publishes.
    next_echo: u64,
    ranges: Vec<f64>,
    touches: Vec<bool>,
    /// Until when each switch is held down by hand.
    fingers: Vec<u64>,
    /// Where each actuator is, rad.
    actuators: Vec<f64>,
    /// Charge taken out of the battery, A s.
    taken: f64,
    /// Volts of the battery, as last seen.
    battery: f64,
    /// Until when a hand is held before a ranging sensor, and how far away.
    hands: Vec<(u64, f64)>,
    gyro: Option<GyroState>,
    /// Encoder ticks of a radian.
    ticks_per_rad: f64,
}

/// A reading this many steps old is worked out when it is looked at. At the most that tyres can
/// hold, 10 m/s^2, its place is then off by 0.5 mm, and while the robot keeps its speed by nothing.
const YOUNG: u64 = 10;

#[derive(Clone, Debug)]
struct GyroState {
    noise: Noise,
    /// What noise adds in a control period, rad: the sum of a normal draw in every step.
    sigma: f64,
    /// What drift adds in a control period, rad.
    drift: f64,
    /// What it reports of a turn, and the heading from which it counts, as soon as that is known.
    scale: f64,
    from: Option<f64>,
    /// How far it is off by now, rad.
    off: f64,
    /// What it is off in a control period while it settles, rad, and what of that remains after
    /// each.
    unsettled: (f64, f64),
}

/// The light of a room and the evenness of a mat during a run.
#[derive(Clone, Debug)]
pub struct Lit {
    ambient: f64,
    /// How much it flickers, as a share of full scale, its turns in a step and at the start.
    flicker: Option<(f64, f64, f64)>,
    unevenness: f64,
    seed: u64,
}

/// Side of the patches in which a mat is brighter or paler, metres.
const PATCH: f64 = 0.04;

impl Lit {
    /// The light of a field in the run of a seed.
    pub fn new(field: &Field, seed: u64) -> Self {
        let (share, rate) = field.flicker;
        let (most, begins) = (
            share * field.ambient,
            Noise::new(seed, "flicker of the light").uniform(),
        );
        Self {
            ambient: field.ambient,
            flicker: (most > 0.0).then_some((most, rate * STEP, begins)),
            unevenness: field.unevenness,
            seed: Noise::new(seed, "evenness of the mat").bits(),
        }
    }

    /// Light of the room in a step.
    #[inline]
    fn ambient(&self, step: u64) -> f64 {
        self.flicker.map_or(self.ambient, |(most, turns, begins)| {
            let turned = step as f64 * turns + begins;
            self.ambient + most * math::sin(TAU * (turned - floor(turned)))
        })
    }

    /// How much brighter than it should be the mat is at a place, as a factor: normally spread over
    /// a grid of patches, and even between them.
    #[inline]
    fn evenness(&self, at: Point) -> f64 {
        if self.unevenness == 0.0 {
            1.0
        } else {
            self.patchy(at)
        }
    }

    fn patchy(&self, at: Point) -> f64 {
        let (x, y) = (at.x / PATCH, at.y / PATCH);
        let (column, row) = (floor(x), floor(y));
        let corner = |right: f64, up: f64| {
            let along = u64::from((column + right) as i64 as u32) << 32;
            let place = along | u64::from((row + up) as i64 as u32);
            Noise::new(self.seed ^ place, "patch").normal()
        };
        let (dx, dy) = (x - column, y - row);
        let weights = [
            ((0.0, 0.0), (1.0 - dx) * (1.0 - dy)),
            ((1.0, 0.0), dx * (1.0 - dy)),
            ((0.0, 1.0), (1.0 - dx) * dy),
            ((1.0, 1.0), dx * dy),
        ];
        // Between patches their mean would be less spread than each of them.
        let size: f64 = weights.iter().map(|(_, share)| share * share).sum();
        let off: f64 = weights
            .iter()
            .map(|((right, up), share)| share * corner(*right, *up))
            .sum();
        (1.0 + self.unevenness * off / size.sqrt()).max(0.0)
    }
}

/// A ranging sensor during a run.
#[derive(Clone, Debug)]
struct Ranger {
    cone: Cone,
    noise: Noise,
    /// Which measurements go astray.
    lots: Noise,
    /// The step of its next measurement.
    due: u64,
    /// Measurements on their way, with the step they arrive at.
    under_way: VecDeque<(u64, f64)>,
}

impl Ranger {
    fn new(about: &RangeSensor, noise: Noise, lots: Noise) -> Self {
        let most = u64::from(about.latency_ms) * 1000 / u64::from(about.clock.period_us.max(1)) + 2;
        Self {
            cone: Cone::new(about),
            noise,
            lots,
            due: 0,
            under_way: VecDeque::with_capacity(most as usize),
        }
    }
}

impl Ranger {
    /// What comes of an echo: now and then nothing, or one that comes from nowhere.
    fn stray(&mut self, about: &RangeSensor, echo: Option<f64>) -> Option<f64> {
        if about.dropouts == 0.0 && about.outliers == 0.0 {
            return echo;
        }
        let lot = self.lots.uniform();
        if lot <= about.dropouts {
            None
        } else if lot <= about.dropouts + about.outliers {
            let furthest = echo.unwrap_or(about.greatest).min(about.greatest);
            Some(about.least + (furthest - about.least).max(0.0) * self.lots.uniform())
        } else {
            echo
        }
    }
}

impl Senses {
    /// Senses before the first step.
    ///
    /// - `who`: a word that tells the robot from others with the same devices; empty for ours
    pub fn new(robot: &Robot, seed: u64, who: &str) -> Self {
        let named = |device: &str| Noise::new(seed, &format!("{who}{device}"));
        let period = u64::from(robot.control_ms);
        let seconds = period as f64 * STEP;
        let gyro = robot.gyro.as_ref().map(|gyro| {
            let mut noise = named("gyro");
            let drift = noise.normal() * gyro.drift * seconds;
            let sigma = gyro.noise * (seconds * STEP).sqrt();
            // Three time constants long: within `settles` all but a twentieth is gone.
            let fading = if gyro.settles > 0.0 {
                exp(-3.0 * seconds / gyro.settles)
            } else {
                0.0
            };
            let unsettled = (
                named("gyro settling").normal() * gyro.unsettled * seconds,
                fading,
            );
            GyroState {
                noise,
                sigma,
                drift,
                scale: gyro.scale,
                from: None,
                off: 0.0,
                unsettled,
            }
        });
        Self {
            period,
            noises: robot
                .sensors
                .iter()
                .map(|sensor| named(&sensor.name))
                .collect(),
            readings: vec![Reading::default(); robot.sensors.len()],
            due: vec![0; robot.sensors.len()],
            ages: vec![0; robot.sensors.len()],
            next: 0,
            next_echo: if robot.rangers.is_empty() {
                u64::MAX
            } else {
                0
            },
            rangers: robot
                .rangers
                .iter()
                .map(|ranger| {
                    Ranger::new(
                        ranger,
                        named(&ranger.name),
                        named(&format!("{} astray", ranger.name)),
                    )
                })
                .collect(),
            ranges: robot.rangers.iter().map(|ranger| ranger.greatest).collect(),
            touches: vec![false; robot.touches.len()],
            fingers: vec![0; robot.touches.len()],
            actuators: robot
                .actuators
                .iter()
                .map(|actuator| actuator.starts)
                .collect(),
            taken: 0.0,
            battery: robot.battery,
            hands: vec![(0, 0.0); robot.rangers.len()],
            gyro,
            ticks_per_rad: f64::from(robot.encoder_ticks) / TAU,
        }
    }

    /// The next step at which a sensor reads, measures or publishes.
    pub fn next(&self) -> u64 {
        self.next.min(self.next_echo)
    }

    /// Holds a hand this many metres before a ranging sensor until a step.
    pub fn cover(&mut self, ranger: RangerId, until: u64, distance: f64) {
        self.hands[ranger] = (until, distance);
    }

    /// Holds a touch switch or a button down until a step.
    pub fn press(&mut self, switch: SwitchId, until: u64) {
        self.fingers[switch] = until;
    }

    /// The battery's voltage under what the motors draw, for the next look, and the charge that
    /// they take of it until then.
    pub fn drain(&mut self, robot: &Robot, rider: &mut Rider, command: Command) {
        if robot.sag == 0.0 && robot.capacity.is_none() {
            return;
        }
        let (duties, rims) = (
            rider.plant.duties(&rider.body, command),
            rider.plant.rims(&rider.body),
        );
        self.battery = robot.voltage(robot.rested(self.taken), duties, rims);
        self.taken += robot.current(self.battery, duties, rims) * self.period as f64 * STEP;
        rider.body.supply = self.battery / robot.battery;
    }

    /// Moves the actuators towards where they are wanted, for a control period, as far as their end
    /// stops let them.
    pub fn actuate(&mut self, robot: &Robot, wanted: &[f64]) {
        let seconds = self.period as f64 * STEP;
        for ((at, actuator), wanted) in self.actuators.iter_mut().zip(&robot.actuators).zip(wanted)
        {
            let most = actuator.speed * seconds;
            *at =
                (*at + (wanted - *at).clamp(-most, most)).clamp(actuator.stops.0, actuator.stops.1);
        }
    }

    /// Lets every sensor whose turn it is publish a new reading.
    ///
    /// - `lit`: light of the room and of the mat; `mats`: one a sensor
    pub fn sense(
        &mut self,
        robot: &Robot,
        lit: &Lit,
        mats: &[Arc<Blurred>],
        rider: &Rider,
        step: u64,
    ) {
        if step < self.next {
            return;
        }
        let (plant, body) = (&rider.plant, &rider.body);
        for (index, sensor) in robot.sensors.iter().enumerate() {
            if step < self.due[index] {
                continue;
            }
            // The last reading before the look that the next one would be there for.
            let (phase, next) = (sensor.clock.phase_ms, sensor.clock.next(step));
            let look = next.div_ceil(self.period) * self.period;
            let age = std::mem::take(&mut self.ages[index]);
            self.due[index] = sensor.clock.last(look);
            // The world is not stopped for a reading that is about to be looked at: where the robot
            // was then follows from how it moves.
            if phase > 0 && look - self.due[index] <= YOUNG {
                self.ages[index] = look - self.due[index];
                self.due[index] = look;
            }
            let mat = &mats[index];
            let mut place = plant.place(body, sensor.ahead, sensor.left);
            if age > 0 {
                let seconds = age as f64 * STEP;
                let (vx, vy) = body.velocity;
                let (dx, dy) = (place.x - body.x, place.y - body.y);
                place.x -= (vx - body.spin * dy) * seconds;
                place.y -= (vy + body.spin * dx) * seconds;
            }
            let sample = mat.sample(place);
            let (ambient, even) = (lit.ambient(step), lit.evenness(place));
            let noise = &mut self.noises[index];
            let per_step = 1.0 / sensor.step;
            let mut read = |share: f64| {
                let clean = sensor.reads((share * even).min(1.0), ambient);
                let noisy = (clean + noise.normal() * sensor.noise).clamp(0.0, 1.0);
                // Rounded half up by the cast: a share is never negative.
                let steps = |share: f64| f64::from((share * per_step + 0.5) as u32) * sensor.step;
                if sensor.step > 0.0 {
                    steps(noisy).min(1.0)
                } else {
                    noisy
                }
            };
            self.readings[index] = if mat.channels() == 1 {
                let brightness = read(sample[0]);
                Reading {
                    brightness,
                    rgb: [brightness; 3],
                }
            } else {
                let rgb = sample.map(&mut read);
                Reading::of(sensor.code(rgb).map_or(rgb, |code| linear(code.rgb)))
            };
        }
        self.next = self.due.iter().copied().min().unwrap_or(u64::MAX);
    }

    /// Lets the ranging sensors of a robot of the scene measure and publish, when it is their turn.
    pub fn measure(&mut self, robot: &Robot, scene: &Scene, who: usize, step: u64) {
        if step < self.next_echo {
            return;
        }
        self.next_echo = u64::MAX;
        let (plant, body) = (&scene.riders[who].plant, &scene.riders[who].body);
        let sensors = self
            .rangers
            .iter_mut()
            .zip(&robot.rangers)
            .zip(&mut self.ranges)
            .zip(&self.hands);
        for (((ranger, about), range), hand) in sensors {
            if step == ranger.due {
                // What it reads when the run begins it has measured before.
                ranger.due = about.clock.next(step);
                let echo = if body.spin.abs() > about.blind_above {
                    None
                } else {
                    let from = plant.place(body, about.ahead, about.left);
                    let mut look = Look::new(from, body.cos_sin, &ranger.cone);
                    scene.show(&mut look, who);
                    if look.again() {
                        scene.show(&mut look, who);
                    }
                    look.echo()
                };
                let echo = ranger.stray(about, echo);
                let held = (step < hand.0).then_some(hand.1);
                let echo = held.map_or(echo, |held| Some(echo.map_or(held, |echo| echo.min(held))));
                let noisy = echo.map_or(about.greatest, |echo| {
                    echo * about.scale + ranger.noise.normal() * about.noise
                });
                let stepped = if about.step > 0.0 {
                    floor(noisy / about.step + 0.5) * about.step
                } else {
                    noisy
                };
                let reading = stepped.clamp(about.least, about.greatest);
                ranger
                    .under_way
                    .push_back((step + u64::from(about.latency_ms), reading));
            }
            while ranger
                .under_way
                .front()
                .is_some_and(|(arrives, _)| *arrives <= step)
            {
                (_, *range) = ranger.under_way.pop_front().expect("just seen");
            }
            let arrives = ranger
                .under_way
                .front()
                .map_or(u64::MAX, |(arrives, _)| *arrives);
            self.next_echo = self.next_echo.min(ranger.due).min(arrives);
        }
    }

    /// What the robot knows now. To be called once a control period.
    pub fn look(&mut self, robot: &Robot, rider: &Rider, step: u64) -> Readings<'_> {
        let body = &rider.body;
        for ((pressed, sensor), finger) in self
            .touches
            .iter_mut()
            .zip(&robot.touches)
            .zip(&self.fingers)
        {
            let pushed = |(ahead, left, force): &(f64, f64, f64)| {
                *force >= sensor.force
                    && sensor
                        .side
                        .is_some_and(|side| is_on(robot, side, *ahead, *left))
            };
            *pressed = step < *finger || rider.pressed.iter().any(pushed);
        }
        let gyro = self.gyro.as_mut().map(|gyro| {
            if step > 0 {
                gyro.off += gyro.drift + gyro.noise.normal() * gyro.sigma + gyro.unsettled.0;
                gyro.unsettled.0 *= gyro.unsettled.1;
            }
            let from = *gyro.from.get_or_insert(body.heading);
            // At a scale of 1 to the last bit what it would be without one.
            body.heading + (gyro.scale - 1.0) * (body.heading - from) + gyro.off
        });
        // Whole ticks only, towards the lower one in both directions, as a disc with slots counts.
        let wheels = body
            .encoders()
            .map(|angle| (angle * self.ticks_per_rad).floor() / self.ticks_per_rad);
        Readings {
            sensors: &self.readings,
            ranges: &self.ranges,
            touches: &self.touches,
            wheels,
            gyro,
            actuators: &self.actuators,
            battery: self.battery,
        }
    }
}

/// Whether a place on the body lies on the side that a switch is on.
fn is_on(robot: &Robot, side: Side, ahead: f64, left: f64) -> bool {
    /// A bumper reaches this many metres around.
    const AROUND: f64 = 0.006;
    match side {
        Side::Front => ahead > robot.nose - AROUND,
        Side::Rear => ahead < robot.nose - robot.length + AROUND,
        Side::Left => left > robot.width / 2.0 - AROUND,
        Side::Right => left < AROUND - robot.width / 2.0,
    }
}

/// The largest whole number not above a value; by casts, since not every processor's baseline has
/// an instruction for it.
fn floor(value: f64) -> f64 {
    let cut = value as i64 as f64;
    if cut > value { cut - 1.0 } else { cut }
}
