//! The robot: body, drive, motors, sensors and what is plugged in where.
//!
//! Robot frame: origin in the middle of the axle, x ahead, y left, metres.

mod load;

pub use load::{FILE, load};

use crate::ids::{ActuatorId, DeviceId, RangerId, SensorId, SignalId, SwitchId};
use crate::scatter::{RobotSpread, Spreads};
use crate::units::colour::Light;
use crate::units::colour::linear;
use crate::units::{GRAVITY, math};

/// What kind of light a floor sensor distinguishes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SensorKind {
    /// One number: reflected brightness.
    Reflectance,
    /// Red, green and blue apart; reads tones of different colour.
    Colour,
    /// It decides itself what it sees and reports the number of it: one of its table of codes.
    Code,
}

/// An entry of the table of a sensor that reports numbers.
#[derive(Clone, Debug, PartialEq)]
pub struct Code {
    /// What missions call it.
    pub name: String,
    /// The number that the sensor reports.
    pub number: i32,
    /// The colour that it stands for, as sRGB bytes.
    pub rgb: [u8; 3],
}

/// A sensor that looks straight down at the mat.
#[derive(Clone, Debug, PartialEq)]
pub struct FloorSensor {
    /// Its name in missions.
    pub name: String,
    /// What it distinguishes.
    pub kind: SensorKind,
    /// Socket it is plugged into.
    pub port: String,
    /// Metres ahead of the axle.
    pub ahead: f64,
    /// Metres left of the middle.
    pub left: f64,
    /// Diameter in metres of the spot on the mat that it averages.
    pub spot: f64,
    /// When it reads.
    pub clock: Clock,
    /// Standard deviation of a reading, as a share of full scale.
    pub noise: f64,
    /// Smallest difference of two readings, as a share of full scale.
    pub step: f64,
    /// Whether dark surfaces give high readings.
    pub inverted: bool,
    /// What its height makes of its own light: the square of the height it was made for over the
    /// height it has.
    pub gain: f64,
    /// The light of its lamp, and what it keeps of it.
    pub light: Light,
    /// What it can report, for one that reports numbers.
    pub codes: Vec<Code>,
}

impl FloorSensor {
    /// What it reads of a surface that sends back this share of its light.
    ///
    /// `ambient`: light of the room, as a share of the sensor's own at the height it was made for.
    pub fn reads(&self, share: f64, ambient: f64) -> f64 {
        let lit = (share * (self.gain + ambient)).min(1.0);
        if self.inverted { 1.0 - lit } else { lit }
    }

    /// Whether it looks at colours.
    pub fn sees_colours(&self) -> bool {
        self.kind != SensorKind::Reflectance
    }

    /// The entry of its table whose colour is nearest to linear red, green and blue.
    pub fn code(&self, rgb: [f64; 3]) -> Option<&Code> {
        let off = |code: &Code| {
            let known = linear(code.rgb);
            (0..3)
                .map(|channel| (known[channel] - rgb[channel]) * (known[channel] - rgb[channel]))
                .sum::<f64>()
        };
        self.codes.iter().min_by(|a, b| off(a).total_cmp(&off(b)))
    }
}

/// A sensor that measures how far away the nearest thing is.
#[derive(Clone, Debug, PartialEq)]
pub struct RangeSensor {
    /// Its name, as in `ahead < 280 mm`.
    pub name: String,
    /// Socket it is plugged into.
    pub port: String,
    /// Metres ahead of the axle.
    pub ahead: f64,
    /// Metres left of the middle.
    pub left: f64,
    /// Where it looks, rad counter-clockwise from ahead.
    pub facing: f64,
    /// Whole opening of its beam, rad.
    pub cone: f64,
    /// What is nearer reads as this, metres.
    pub least: f64,
    /// What is further away is not seen and reads as this, metres.
    pub greatest: f64,
    /// When it reads.
    pub clock: Clock,
    /// Simulation steps (ms) from the measurement to its reading.
    pub latency_ms: u32,
    /// Standard deviation of a reading, metres.
    pub noise: f64,
    /// Share of its measurements that see nothing.
    pub dropouts: f64,
    /// Share of its measurements that see something anywhere before the first thing.
    pub outliers: f64,
    /// What it reports of a distance, as a share of it.
    pub scale: f64,
    /// Smallest difference of two readings, metres.
    pub step: f64,
    /// Faces that the beam meets at a flatter angle than this to their normal (rad) send nothing
    /// back.
    pub slant: f64,
    /// Turning faster than this (rad/s) it sees nothing.
    pub blind_above: f64,
}

/// A brushed motor with its gearbox, as seen at the wheel.
#[derive(Clone, Debug, PartialEq)]
pub struct Motor {
    /// Socket it is plugged into.
    pub port: String,
    /// Speed in rad/s without load at the rated voltage.
    pub no_load_speed: f64,
    /// Torque in N m that holds the wheel still at the rated voltage.
    pub stall_torque: f64,
    /// Torque in N m lost in the gearbox whenever the wheel turns.
    pub friction: f64,
    /// Torque in N m that breaks it loose from rest; no less than `friction`.
    pub stiction: f64,
    /// Duties below this do nothing.
    pub least_duty: f64,
    /// How far the motor turns before the wheel follows when it turns back, rad.
    pub play: f64,
    /// Voltage at which the two figures above were measured.
    pub rated_voltage: f64,
    /// Moment of inertia of wheel, gearbox and rotor at the wheel, kg m^2.
    pub inertia: f64,
}

/// The clock of a sensor: when it reads.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Clock {
    /// Microseconds between two readings.
    pub period_us: u32,
    /// Simulation step (ms) of the first one after the start.
    pub phase_ms: u32,
}

impl Clock {
    /// A clock of this many readings a second, 1 to 1000.
    pub fn with_rate(hertz: f64) -> Self {
        Self {
            period_us: (1e6 / hertz).round().clamp(1e3, 1e6) as u32,
            phase_ms: 0,
        }
    }

    /// Seconds between two readings.
    pub fn seconds(self) -> f64 {
        f64::from(self.period_us) / 1e6
    }

    /// The step of the last reading up to a step, which is not before the first one. A reading
    /// whose time lies between two steps is there in the second of them.
    pub const fn last(self, step: u64) -> u64 {
        let (period, phase) = (self.period_us as u64, self.phase_ms as u64);
        let nth = (step - phase) * 1000 / period;
        phase + (nth * period).div_ceil(1000)
    }

    /// The step of the first reading after a step.
    pub const fn next(self, step: u64) -> u64 {
        let (period, phase) = (self.period_us as u64, self.phase_ms as u64);
        if step < phase {
            return phase;
        }
        let nth = (step - phase) * 1000 / period + 1;
        phase + (nth * period).div_ceil(1000)
    }
}

/// How a battery runs down: its voltage without load falls evenly with the charge that was taken.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Capacity {
    /// Charge from full to empty, A s.
    pub charge: f64,
    /// Share of the voltage at the start that is left when it is empty.
    pub left: f64,
}

/// A gyro that integrates its own rate into a heading.
#[derive(Clone, Debug, PartialEq)]
pub struct Gyro {
    /// Socket it is plugged into.
    pub port: String,
    /// Standard deviation in rad/s of the rate, at each of its samples.
    pub noise: f64,
    /// Standard deviation in rad/s of the constant error drawn for a run.
    pub drift: f64,
    /// What it reports of a turn, as a share of it.
    pub scale: f64,
    /// Seconds after the start during which it still settles: it is off by as much as `unsettled`
    /// to begin with.
    pub settles: f64,
    /// Standard deviation in rad/s of what it is off at the start, which fades within `settles`.
    pub unsettled: f64,
}

/// Steered wheels in front, in place of a caster.
#[derive(Clone, Debug, PartialEq)]
pub struct Steering {
    /// Socket of its motor.
    pub port: String,
    /// Furthest angle to either side, rad.
    pub limit: f64,
    /// How fast it turns, rad/s.
    pub rate: f64,
}

/// A switch that is pressed when something pushes against one side of the body, or by hand.
#[derive(Clone, Debug, PartialEq)]
pub struct TouchSensor {
    /// Its name, as in `bumper pressed`.
    pub name: String,
    /// Socket it is plugged into.
    pub port: String,
    /// The side it is on; none for a button.
    pub side: Option<Side>,
    /// Force in N that presses it.
    pub force: f64,
}

/// A motor that moves something other than the robot.
#[derive(Clone, Debug, PartialEq)]
pub struct Actuator {
    /// Its name, as in `move arm to 60 deg`.
    pub name: String,
    /// Socket it is plugged into.
    pub port: String,
    /// Its end stops, rad; infinite where it has none.
    pub stops: (f64, f64),
    /// How fast it turns, rad/s.
    pub speed: f64,
    /// Its angle at the start, rad.
    pub starts: f64,
    /// Where it is fixed: metres ahead of the axle, and left of the middle.
    pub at: (f64, f64),
    /// How far it reaches, metres: for drawings.
    pub length: f64,
}

/// What signals to people.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SignalKind {
    /// A light.
    Lamp,
    /// Words on a display, or spoken.
    Text,
    /// A sound.
    Tone,
}

/// A device that signals to people.
#[derive(Clone, Debug, PartialEq)]
pub struct Signal {
    /// Its name, as in `signal lamp "red"`.
    pub name: String,
    /// What it does.
    pub kind: SignalKind,
    /// Socket it is plugged into, if any.
    pub port: Option<String>,
}

/// A side of the body.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Side {
    /// Ahead.
    Front,
    /// Behind.
    Rear,
    /// To the left.
    Left,
    /// To the right.
    Right,
}

/// A whole robot.
#[derive(Clone, Debug, PartialEq)]
pub struct Robot {
    /// What people call it.
    pub name: String,
    /// Whose it is, may be empty.
    pub team: String,
    /// Body length in metres.
    pub length: f64,
    /// Body width in metres.
    pub width: f64,
    /// Metres from the axle forward to the front edge.
    pub nose: f64,
    /// Mass in kg, wheels included.
    pub mass: f64,
    /// Centre of mass ahead of the axle, metres.
    pub com_ahead: f64,
    /// Centre of mass left of the middle, metres.
    pub com_left: f64,
    /// Moment of inertia about the vertical through the centre of mass, kg m^2.
    pub yaw_inertia: f64,
    /// Wheel diameter in metres, as the robot believes it.
    pub wheel_diameter: f64,
    /// Diameters that the wheels really have, metres: left, right.
    pub true_diameters: [f64; 2],
    /// Distance of the two wheels' tracks in metres.
    pub track_width: f64,
    /// Coefficient of friction of the tyres on the mat.
    pub grip: f64,
    /// Encoder ticks of one wheel turn.
    pub encoder_ticks: u32,
    /// Where the caster touches the mat, metres ahead of the axle; negative behind.
    pub caster_ahead: f64,
    /// Coefficient of friction with which the caster drags.
    pub caster_drag: f64,
    /// How far a swivelling caster touches the floor behind its pivot, metres; 0 for a ball.
    pub caster_trail: f64,
    /// Its coefficient of friction across its wheel.
    pub caster_scrub: f64,
    /// Height of the centre of mass, metres; 0 when weight is not to shift.
    pub com_height: f64,
    /// The left wheel's motor.
    pub left: Motor,
    /// The right wheel's motor.
    pub right: Motor,
    /// Actual battery voltage.
    pub battery: f64,
    /// How far its voltage falls when both motors stall at full duty.
    pub sag: f64,
    /// How it runs down, if it does.
    pub capacity: Option<Capacity>,
    /// The gyro, if it has one.
    pub gyro: Option<Gyro>,
    /// Floor sensors, in the order of the file.
    pub sensors: Vec<FloorSensor>,
    /// Ranging sensors, in the order of the file.
    pub rangers: Vec<RangeSensor>,
    /// Touch switches, in the order of the file.
    pub touches: Vec<TouchSensor>,
    /// Other motors, in the order of the file.
    pub actuators: Vec<Actuator>,
    /// What signals to people, in the order of the file.
    pub signals: Vec<Signal>,
    /// Steered wheels at `caster_ahead`, instead of a caster.
    pub steering: Option<Steering>,
    /// The body's corners in the robot frame (ahead, left), counter-clockwise; convex.
    pub outline: Vec<(f64, f64)>,
    /// Simulation steps (ms) between two control ticks.
    pub control_ms: u32,
    /// When in that a rival's ticks are, steps (ms); the time of a run counts from ours.
    pub control_phase_ms: u32,
    /// Simulation steps (ms) that a command takes to reach the motors, and by how many more it may
    /// come late.
    pub lag_ms: [u32; 2],
    /// How much it differs from run to run.
    pub scatter: Spreads<RobotSpread>,
}

/// A device of a robot that missions can name.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Device<'a> {
    /// Which one.
    pub id: DeviceId,
    /// Its name.
    pub name: &'a str,
    /// The socket that it is plugged into, if any.
    pub port: Option<&'a str>,
    /// Metres ahead of the axle and left of the middle, where that is known.
    pub place: Option<(f64, f64)>,
}

impl Robot {
    /// Every device that missions can name, kind by kind, in the order of the file.
    pub fn devices(&self) -> impl Iterator<Item = Device<'_>> {
        let floor = SensorId::all(self.sensors.len())
            .zip(&self.sensors)
            .map(|(id, sensor)| Device {
                id: DeviceId::Floor(id),
                name: &sensor.name,
                port: Some(&sensor.port),
                place: Some((sensor.ahead, sensor.left)),
            });
        let rangers = RangerId::all(self.rangers.len())
            .zip(&self.rangers)
            .map(|(id, ranger)| Device {
                id: DeviceId::Ranger(id),
                name: &ranger.name,
                port: Some(&ranger.port),
                place: Some((ranger.ahead, ranger.left)),
            });
        let switches = SwitchId::all(self.touches.len())
            .zip(&self.touches)
            .map(|(id, touch)| Device {
                id: DeviceId::Switch(id),
                name: &touch.name,
                port: Some(&touch.port),
                place: None,
            });
        let actuators = ActuatorId::all(self.actuators.len())
            .zip(&self.actuators)
            .map(|(id, actuator)| Device {
                id: DeviceId::Actuator(id),
                name: &actuator.name,
                port: Some(&actuator.port),
                place: Some(actuator.at),
            });
        let signals = SignalId::all(self.signals.len())
            .zip(&self.signals)
            .map(|(id, signal)| Device {
                id: DeviceId::Signal(id),
                name: &signal.name,
                port: signal.port.as_deref(),
                place: None,
            });
        floor
            .chain(rangers)
            .chain(switches)
            .chain(actuators)
            .chain(signals)
    }

    /// The sensor of that name.
    pub fn sensor(&self, name: &str) -> Option<SensorId> {
        self.sensors
            .iter()
            .position(|sensor| sensor.name == name)
            .map(SensorId)
    }

    /// The floor sensor of the same kind that sits where this one would with left and right
    /// swapped: itself in the middle.
    pub fn opposite(&self, sensor: SensorId) -> Option<SensorId> {
        /// Two sensors within this, metres, sit as well as opposite each other.
        const NEAR: f64 = 0.003;
        let one = &self.sensors[sensor];
        let beside = |other: &FloorSensor| {
            other.kind == one.kind
                && (other.ahead - one.ahead).abs() < NEAR
                && (other.left + one.left).abs() < NEAR
        };
        self.sensors.iter().position(beside).map(SensorId)
    }

    /// The ranging sensor of that name.
    pub fn ranger(&self, name: &str) -> Option<RangerId> {
        self.rangers
            .iter()
            .position(|sensor| sensor.name == name)
            .map(RangerId)
    }

    /// The touch switch of that name.
    pub fn touch(&self, name: &str) -> Option<SwitchId> {
        self.touches
            .iter()
            .position(|sensor| sensor.name == name)
            .map(SwitchId)
    }

    /// The actuator of that name.
    pub fn actuator(&self, name: &str) -> Option<ActuatorId> {
        self.actuators
            .iter()
            .position(|actuator| actuator.name == name)
            .map(ActuatorId)
    }

    /// The signal of that name.
    pub fn signal(&self, name: &str) -> Option<SignalId> {
        self.signals
            .iter()
            .position(|signal| signal.name == name)
            .map(SignalId)
    }

    /// The radius in metres of the tightest arc that a car drives; none for a robot that turns on the
    /// spot. The path of the middle of the rear axle has a radius of wheelbase / tan(angle)
    /// (Rajamani, *Vehicle Dynamics and Control*, 2012, sec. 2.2).
    pub fn least_radius(&self) -> Option<f64> {
        let limit = self.steering.as_ref()?.limit;
        Some(self.caster_ahead * math::cos(limit) / math::sin(limit))
    }

    /// Rim speed in m/s that the slower motor reaches without load on the battery that is in.
    pub fn top_speed(&self) -> f64 {
        let of = |motor: &Motor| {
            motor.no_load_speed * self.battery / motor.rated_voltage * self.wheel_diameter / 2.0
        };
        of(&self.left).min(of(&self.right))
    }

    /// Rim speed in m/s that a robot with these motors keeps at full duty on a level mat, on the
    /// battery that is in: where the slower motor's torque is used up by friction in the gears and
    /// the caster's drag. A little less than that can be kept with something to spare.
    pub fn kept_speed(&self) -> f64 {
        const SPARE: f64 = 0.97;
        let on_caster = self.mass * GRAVITY * (1.0 - self.wheel_share());
        let of = |motor: &Motor| {
            let lost = motor.friction + self.caster_drag * on_caster * self.wheel_diameter / 4.0;
            let full = motor.stall_torque * self.battery / motor.rated_voltage;
            let speed = motor.no_load_speed * (full - lost) / motor.stall_torque;
            speed.max(0.0) * self.wheel_diameter / 2.0
        };
        SPARE * of(&self.left).min(of(&self.right))
    }

    /// The battery's voltage without load once this charge (A s) was taken out of it.
    pub fn rested(&self, taken: f64) -> f64 {
        self.capacity.map_or(self.battery, |capacity| {
            let fallen = (1.0 - capacity.left) * taken / capacity.charge;
            self.battery * (1.0 - fallen).max(0.0)
        })
    }

    /// The battery's voltage when the motors have these duties and rim speeds (m/s): it falls from
    /// that without load by the current that they draw, which is duty x (duty - speed / no-load
    /// speed) of the stall current, as a chopper takes it from the battery.
    pub fn voltage(&self, rested: f64, duties: [f64; 2], rims: [f64; 2]) -> f64 {
        let drawn = |motor: &Motor, wheel: usize| {
            let top = motor.no_load_speed * self.battery / motor.rated_voltage
                * self.true_diameters[wheel]
                / 2.0;
            (duties[wheel] * (duties[wheel] - rims[wheel] / top)).clamp(0.0, 2.0)
        };
        let sags = self.sag * f64::midpoint(drawn(&self.left, 0), drawn(&self.right, 1)).min(1.0);
        (rested - sags).max(0.0)
    }

    /// Current in A that the motors take from a battery of this voltage at these duties and rim
    /// speeds (m/s): none flows back.
    ///
    /// A permanent magnet motor whose gears lose no speed has one constant for torque over current
    /// and voltage over speed: rated voltage over no-load speed.
    pub fn current(&self, volts: f64, duties: [f64; 2], rims: [f64; 2]) -> f64 {
        let of = |motor: &Motor, wheel: usize| {
            let constant = motor.rated_voltage / motor.no_load_speed;
            let speed = rims[wheel] / (self.true_diameters[wheel] / 2.0);
            let resistance = motor.rated_voltage * constant / motor.stall_torque;
            let through = (duties[wheel] * volts - constant * speed) / resistance;
            (duties[wheel] * through).max(0.0)
        };
        of(&self.left, 0) + of(&self.right, 1)
    }

    /// Share of the weight that rests on the two driven wheels, from the lever of the caster.
    pub fn wheel_share(&self) -> f64 {
        if self.caster_ahead == 0.0 {
            1.0
        } else {
            (1.0 - self.com_ahead / self.caster_ahead).clamp(0.0, 1.0)
        }
    }
}
