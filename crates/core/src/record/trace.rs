//! What a run recorded: one entry a control tick, with the truth, what the robot knew, and what it
//! did.

use crate::ids::{ActuatorId, RangerId, SensorId, SignalId, StepId, SwitchId};
use serde::{Deserialize, Serialize};

use super::stored::{or_nothing, places_or_nothing};
use crate::controller::{Command, Event, Reading, Readings};
use crate::field::{Outline, Pose, SurfaceId};

/// One control tick.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[expect(clippy::struct_excessive_bools, reason = "each is a mark of its own")]
pub struct Tick {
    /// True pose of the middle of the axle.
    pub pose: Pose,
    /// True rim speeds in m/s: left, right.
    pub rims: [f64; 2],
    /// Encoder angles in rad: left, right.
    pub wheels: [f64; 2],
    /// Heading by the gyro, rad; not a number without one.
    #[serde(with = "or_nothing")]
    pub gyro: f64,
    /// The commands of the motors from this tick on.
    pub command: Command,
    /// Volts of the battery, as the robot knows it.
    pub battery: f64,
    /// Index of the active step.
    pub step: u16,
    /// A tyre slipped since the tick before.
    pub slipped: bool,
    /// A wall, or the side of a platform, was touched since the tick before.
    pub touched: bool,
    /// A thing, an obstacle or another robot was touched since the tick before.
    pub met: bool,
    /// A wheel had no floor under it since the tick before.
    pub hangs: bool,
}

impl Tick {
    /// The step that had the wheels.
    pub const fn step(&self) -> StepId {
        StepId(self.step as usize)
    }
}

/// An event with the tick it happened on.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Stamp {
    /// Index of the tick.
    pub tick: u32,
    /// What happened.
    pub event: Event,
}

/// Something on the field besides our robot.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Prop {
    /// Its name.
    pub name: String,
    /// What it is.
    pub kind: PropKind,
    /// What it looks like, if the field says so.
    pub surface: Option<SurfaceId>,
    /// Its outline about the place that the trace gives.
    pub outline: Outline,
}

/// What kind of thing it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub enum PropKind {
    /// Another robot.
    Robot,
    /// A thing to push.
    Object,
    /// A thing that comes and goes by itself.
    Obstacle,
}

/// What happened in the world, with the tick at which it was so first.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Happened {
    /// Index of the tick.
    pub tick: u32,
    /// What.
    pub what: Happening,
}

/// What can happen in the world.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub enum Happening {
    /// Our robot fell.
    Fell,
    /// A prop fell: its index.
    Gone(usize),
    /// An obstacle came: its index among the props.
    Came(usize),
    /// An obstacle left.
    Left(usize),
    /// A line to keep off was touched: its index among the field's marks.
    Tape(usize),
    /// Our robot moved before it was allowed to.
    EarlyStart,
    /// Our robot drove off the mat: the middle of its axle is beside it.
    LeftMat,
    /// Our robot came up against a prop: its index; or, without one, against a wall or the side of
    /// a platform.
    Touched(Option<usize>),
    /// A wheel of ours came to hang over an edge.
    Hung,
    /// Our robot and another, a prop: its index, push against each other and neither moves.
    Locked(usize),
    /// The referee put two robots that were locked back to where they had begun.
    Parted(usize),
    /// Something was done by hand: its index among the run's interventions.
    ByHand(usize),
    /// Our robot gave a signal; and the index of the step that says what.
    Signal(SignalId, StepId),
    /// An actuator of ours got to where it was sent.
    Arrived(ActuatorId),
    /// An actuator of ours came up against its end stop.
    Blocked(ActuatorId),
}

/// Everything recorded of one run.
#[derive(Clone, Debug, PartialEq, Default, Serialize, Deserialize)]
pub struct Trace {
    /// Milliseconds between two ticks.
    pub period_ms: u32,
    /// How many sensors the robot has.
    pub sensors: usize,
    /// How many ranging sensors it has.
    pub rangers: usize,
    /// How many touch switches it has.
    pub touches: usize,
    /// One entry a tick, from the start.
    pub ticks: Vec<Tick>,
    /// The sensors' readings, `sensors` entries a tick.
    pub readings: Vec<Reading>,
    /// Metres by the ranging sensors, `rangers` entries a tick.
    pub ranges: Vec<f64>,
    /// Whether each touch switch was pressed, `touches` entries a tick.
    pub pressed: Vec<bool>,
    /// Angle of each actuator in rad, `actuators` entries a tick.
    pub angles: Vec<f64>,
    /// How many actuators the robot has.
    pub actuators: usize,
    /// What else is on the field.
    pub props: Vec<Prop>,
    /// Where each prop was, `props.len()` entries a tick; not a number when it was not there.
    #[serde(with = "places_or_nothing")]
    pub places: Vec<Pose>,
    /// Events of the mission in the order they happened.
    pub events: Vec<Stamp>,
    /// What happened in the world, in order.
    pub happened: Vec<Happened>,
}

impl Trace {
    /// Forgets everything, and keeps the memory.
    pub(crate) fn empty(&mut self) {
        let Self {
            ticks,
            readings,
            ranges,
            pressed,
            angles,
            props,
            places,
            events,
            happened,
            ..
        } = self;
        ticks.clear();
        readings.clear();
        ranges.clear();
        pressed.clear();
        angles.clear();
        props.clear();
        places.clear();
        events.clear();
        happened.clear();
    }

    /// Forgets what happened so far; what is on the field stays on it.
    pub(crate) fn begin_again(&mut self) {
        let props = std::mem::take(&mut self.props);
        self.empty();
        self.props = props;
    }

    /// Seconds at a tick.
    pub fn seconds(&self, tick: usize) -> f64 {
        tick as f64 * f64::from(self.period_ms) / 1000.0
    }

    /// The last tick at or before this many seconds.
    pub fn tick_at(&self, seconds: f64) -> usize {
        let tick = (seconds * 1000.0 / f64::from(self.period_ms.max(1)))
            .floor()
            .max(0.0) as usize;
        tick.min(self.ticks.len().saturating_sub(1))
    }

    /// A sensor's reading at a tick.
    pub fn reading(&self, tick: usize, sensor: SensorId) -> Reading {
        self.readings[tick * self.sensors + sensor.0]
    }

    /// A ranging sensor's reading at a tick, metres.
    pub fn range(&self, tick: usize, ranger: RangerId) -> f64 {
        self.ranges[tick * self.rangers + ranger.0]
    }

    /// Everything that the robot knew at a tick, as its controller was given it.
    pub fn knew(&self, tick: usize) -> Readings<'_> {
        let of = |count: usize| tick * count..(tick + 1) * count;
        let now = &self.ticks[tick];
        Readings {
            sensors: &self.readings[of(self.sensors)],
            ranges: &self.ranges[of(self.rangers)],
            touches: &self.pressed[of(self.touches)],
            wheels: now.wheels,
            gyro: Some(now.gyro).filter(|gyro| !gyro.is_nan()),
            actuators: &self.angles[of(self.actuators)],
            battery: now.battery,
        }
    }

    /// Where a prop was at a tick; none when it was not there.
    pub fn place(&self, tick: usize, prop: usize) -> Option<Pose> {
        let place = self.places.get(tick * self.props.len() + prop).copied();
        place.filter(|pose| pose.x.is_finite())
    }

    /// Where a prop was last, at a tick or before it; none when it had not come yet.
    pub fn last_place(&self, tick: usize, prop: usize) -> Option<Pose> {
        (0..=tick.min(self.ticks.len().saturating_sub(1)))
            .rev()
            .find_map(|tick| self.place(tick, prop))
    }

    /// An actuator's angle at a tick, rad.
    pub fn angle(&self, tick: usize, actuator: ActuatorId) -> f64 {
        self.angles[tick * self.actuators + actuator.0]
    }

    /// Whether a touch switch was pressed at a tick.
    pub fn is_pressed(&self, tick: usize, switch: SwitchId) -> bool {
        self.pressed[tick * self.touches + switch.0]
    }

    /// The ticks at which something begins that was not so the tick before.
    pub fn onsets(&self, of: fn(&Tick) -> bool) -> impl Iterator<Item = usize> {
        (1..self.ticks.len())
            .filter(move |&tick| of(&self.ticks[tick]) && !of(&self.ticks[tick - 1]))
    }
}
