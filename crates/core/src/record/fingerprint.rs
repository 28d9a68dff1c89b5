//! The fingerprint of a record: equal exactly when two runs were the same.

use super::{Act, Happening, Run, Tick, Trace, Verdict};
use crate::controller::{Command, Event, WheelCommand};
use crate::field::{Outline, Pose, Shape};

/// Raised whenever the same input may give another record than before.
const ENGINE: u64 = 6;

/// What of a trace has gone into its fingerprint: as it grows, or all at once.
///
/// Each of its lists has a hash of its own, so that a part of the ticks can be counted first and
/// forgotten.
#[derive(Clone, Debug)]
pub struct Counted {
    /// So many ticks.
    ticks: usize,
    lists: [Hash; 6],
}

impl Default for Counted {
    fn default() -> Self {
        Self {
            ticks: 0,
            lists: [const { Hash(ENGINE) }; 6],
        }
    }
}

impl Counted {
    /// Counts the ticks of a trace up to one of them that have not been counted yet.
    pub(crate) fn up_to(&mut self, trace: &Trace, end: usize) {
        let [ticks, readings, ranges, angles, pressed, places] = &mut self.lists;
        let fresh = self.ticks..end.max(self.ticks);
        let of = |count: usize| fresh.start * count..fresh.end * count;
        for tick in &trace.ticks[fresh.clone()] {
            ticks.tick(tick);
        }
        for reading in &trace.readings[of(trace.sensors)] {
            let [r, g, b] = reading.rgb;
            readings.pair(reading.brightness, r);
            readings.pair(g, b);
        }
        for range in &trace.ranges[of(trace.rangers)] {
            ranges.pair(*range, 0.0);
        }
        for angle in &trace.angles[of(trace.actuators)] {
            angles.pair(*angle, 0.0);
        }
        for one in &trace.pressed[of(trace.touches)] {
            pressed.words(u64::from(*one), 0);
        }
        for place in &trace.places[of(trace.props.len())] {
            places.pair(place.x, place.y);
            places.pair(place.heading, 0.0);
        }
        self.ticks = fresh.end;
    }
}

/// What comes in once goes word by word through the finaliser of `SplitMix64` (Steele, Lea, Flood,
/// 2014); what comes in at every tick goes in pairs through one wide product (as in wyhash, Wang Yi,
/// 2019), since the finaliser would make each word wait for the one before.
#[derive(Clone, Debug)]
struct Hash(u64);

/// Odd numbers without a pattern: the first digits of the roots of 2, 3 and 5 as fractions.
const PATTERNS: [u64; 3] = [
    0x6a09_e667_f3bc_c909,
    0xbb67_ae85_84ca_a73b,
    0x3c6e_f372_fe94_f82b,
];

impl Hash {
    fn words(&mut self, first: u64, second: u64) {
        let [a, b, c] = PATTERNS;
        let wide = u128::from(first ^ a) * u128::from(second ^ b);
        let folded = wide as u64 ^ (wide >> 64) as u64;
        self.0 = (self.0.rotate_left(29) ^ folded).wrapping_mul(c);
    }

    fn pair(&mut self, first: f64, second: f64) {
        self.words(bits(first), bits(second));
    }

    fn add(&mut self, word: u64) {
        let mut z = (self.0 ^ word).wrapping_add(0x9e37_79b9_7f4a_7c15);
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        self.0 = z ^ (z >> 31);
    }

    fn float(&mut self, value: f64) {
        self.add(bits(value));
    }

    fn text(&mut self, text: &str) {
        self.add(text.len() as u64);
        for chunk in text.as_bytes().chunks(8) {
            let mut word = [0; 8];
            word[..chunk.len()].copy_from_slice(chunk);
            self.add(u64::from_le_bytes(word));
        }
    }

    fn pose(&mut self, pose: Pose) {
        for value in [pose.x, pose.y, pose.heading] {
            self.float(value);
        }
    }

    fn outline(&mut self, outline: &Outline) {
        match outline {
            Outline::Disc(radius) => self.float(*radius),
            Outline::Polygon(points) => {
                for point in points {
                    self.float(point.x);
                    self.float(point.y);
                }
            }
        }
    }

    fn shape(&mut self, shape: &Shape) {
        let rings: &[Vec<_>] = match shape {
            Shape::Band { points, width } => {
                self.float(*width);
                std::slice::from_ref(points)
            }
            Shape::Disc { centre, radius } => {
                for value in [centre.x, centre.y, *radius] {
                    self.float(value);
                }
                &[]
            }
            Shape::Polygon(points) => std::slice::from_ref(points),
            Shape::Rings(rings) => rings,
        };
        for point in rings.iter().flatten() {
            self.float(point.x);
            self.float(point.y);
        }
    }

    fn event(&mut self, tick: u32, event: Event) {
        let (kind, step, extra) = match event {
            Event::Entered { step } => (1, step.0, 0),
            Event::Counted { step, exit, count } => {
                (2, step.0, (exit as u64) << 32 | u64::from(count))
            }
            Event::Left { step, exit, look } => (
                3,
                step.0,
                exit.map_or(0, |exit| exit as u64 + 1) | (look as u64) << 32,
            ),
            Event::Took { reflex } => (4, reflex, 0),
            Event::Gave { reflex } => (5, reflex, 0),
            Event::Kept { name } => (6, name, 0),
            Event::Ended { step, exit } => (7, step.0, exit as u64),
        };
        for value in [u64::from(tick), kind, step as u64, extra] {
            self.add(value);
        }
    }

    fn happening(&mut self, tick: u32, what: Happening) {
        let (kind, first, second) = match what {
            Happening::Fell => (1, 0, 0),
            Happening::Gone(index) => (2, index, 0),
            Happening::Came(index) => (3, index, 0),
            Happening::Left(index) => (4, index, 0),
            Happening::Tape(index) => (5, index, 0),
            Happening::EarlyStart => (6, 0, 0),
            Happening::ByHand(index) => (7, index, 0),
            Happening::Signal(signal, step) => (8, signal.0, step.0),
            Happening::Arrived(index) => (9, index.0, 0),
            Happening::Blocked(index) => (10, index.0, 0),
            Happening::LeftMat => (11, 0, 0),
            Happening::Touched(index) => (12, index.map_or(0, |index| index + 1), 0),
            Happening::Hung => (13, 0, 0),
            Happening::Locked(index) => (14, index, 0),
            Happening::Parted(index) => (15, index, 0),
        };
        for value in [u64::from(tick), kind, first as u64, second as u64] {
            self.add(value);
        }
    }

    fn act(&mut self, at_ms: u64, act: &Act) {
        self.add(at_ms);
        match act {
            Act::Place { thing, pose } => {
                self.text(thing);
                self.pose(*pose);
            }
            Act::Remove { thing } => self.text(thing),
            Act::Carry { pose } => self.pose(*pose),
            Act::Cover {
                sensor,
                distance,
                for_ms,
            } => {
                self.text(sensor);
                self.float(*distance);
                self.add(*for_ms);
            }
            Act::Press { switch, for_ms } => {
                self.text(switch);
                self.add(*for_ms);
            }
            Act::Lay(mark) => {
                self.add(u64::from(mark.surface.0));
                self.shape(&mark.shape);
            }
        }
    }

    fn tick(&mut self, tick: &Tick) {
        let Command { left, right } = tick.command;
        let (left, right) = (commanded(left), commanded(right));
        let flags = [tick.hangs, tick.slipped, tick.touched, tick.met];
        let word = flags.into_iter().fold(u64::from(tick.step), |word, flag| {
            word << 1 | u64::from(flag)
        });
        self.pair(tick.pose.x, tick.pose.y);
        self.pair(tick.pose.heading, tick.gyro);
        self.pair(tick.rims[0], tick.rims[1]);
        self.pair(tick.wheels[0], tick.wheels[1]);
        self.words(bits(tick.battery), word << 8 | left.0 << 4 | right.0);
        self.pair(left.1, right.1);
    }

    fn trace(&mut self, trace: &Trace, counted: &Counted) {
        self.add(u64::from(trace.period_ms));
        for count in [
            trace.sensors,
            trace.rangers,
            trace.touches,
            trace.actuators,
            trace.props.len(),
        ] {
            self.add(count as u64);
        }
        for list in &counted.lists {
            self.add(list.0);
        }
        for prop in &trace.props {
            self.text(&prop.name);
            self.outline(&prop.outline);
        }
        trace
            .events
            .iter()
            .for_each(|stamp| self.event(stamp.tick, stamp.event));
        trace
            .happened
            .iter()
            .for_each(|happened| self.happening(happened.tick, happened.what));
    }
}

/// Adding zero turns a negative zero into a positive one; what is not a number is always the same.
fn bits(value: f64) -> u64 {
    if value.is_nan() {
        1
    } else {
        (value + 0.0).to_bits()
    }
}

/// What kind of command it is, and the value that goes with it.
fn commanded(command: WheelCommand) -> (u64, f64) {
    match command {
        WheelCommand::Duty(duty) => (1, duty),
        WheelCommand::Brake => (2, 0.0),
        WheelCommand::Coast => (3, 0.0),
        WheelCommand::Keep => (4, 0.0),
        WheelCommand::Speed(speed) => (5, speed),
    }
}

impl Run {
    /// A fingerprint of everything recorded: the same program in the same world with the same seed
    /// has the same one, on every platform and with any number of threads.
    pub fn fingerprint(&self) -> u64 {
        self.fingerprint_after(Counted::default())
    }

    /// The same when some of the ticks have been counted before: what the trace holds in their place
    /// does not matter.
    pub(crate) fn fingerprint_after(&self, mut counted: Counted) -> u64 {
        counted.up_to(&self.trace, self.trace.ticks.len());
        let mut hash = Hash(ENGINE);
        hash.add(counted.ticks as u64);
        hash.trace(&self.trace, &counted);
        hash.text(self.outcome.word());
        hash.text(&self.reason);
        hash.add(self.ended as u64);
        hash.add(
            self.begun
                .as_ref()
                .map_or(0, |begun| begun.step.0 as u64 + 1),
        );
        for line in &self.sheet.lines {
            hash.text(&line.words);
            hash.float(line.each);
            hash.add(u64::from(line.times));
            hash.add(line.first.map_or(0, |first| first as u64 + 1));
        }
        if let Some((verdict, tick)) = self.sheet.verdict {
            let word = match verdict {
                Verdict::Won => 1,
                Verdict::Lost => 2,
                Verdict::Drawn => 3,
            };
            hash.add(word);
            hash.add(tick as u64);
        }
        self.interventions
            .iter()
            .for_each(|hand| hash.act(hand.at_ms, &hand.act));
        hash.0
    }
}
