//! `follow the left edge of a dark line with floor-left at 40 %, gain 0.6`

use super::{Behaviour, BehaviourKind, Does};
use crate::ids::DeviceKind;
use crate::mission::ast::{Part, Side, Spanned, Value, Wanted};
use crate::mission::offer::{Kit, Offer};
use crate::mission::readback::Reader;
use crate::mission::sentence::Sentence;

/// The gain of a follower whose sentence names none.
pub const GAIN: f64 = 0.6;

/// What of a line is followed, and with what.
#[derive(Clone, Debug, PartialEq)]
pub enum Track {
    /// One edge, with one sensor.
    Edge {
        /// Which edge.
        side: Side,
        /// The sensor.
        sensor: Spanned<String>,
    },
    /// The line lies under both sensors.
    Under([Spanned<String>; 2]),
    /// The line lies between the two sensors.
    Between([Spanned<String>; 2]),
}

impl Track {
    /// The sensors that steer: one, or left and right.
    pub fn sensors(&self) -> &[Spanned<String>] {
        match self {
            Self::Edge { sensor, .. } => std::slice::from_ref(sensor),
            Self::Under(pair) | Self::Between(pair) => pair,
        }
    }
}

/// How strongly a follower steers.
#[derive(Clone, Debug, PartialEq)]
pub enum Law {
    /// In proportion to the error, its sum and its rate of change.
    Gains {
        /// Share of the speed that is shifted when the sensor is fully off the edge.
        gain: Spanned<Value>,
        /// The same for each second of being fully off.
        integral: Option<Spanned<Value>>,
        /// The same for getting fully off within a second.
        derivative: Option<Spanned<Value>>,
    },
    /// The outer wheel at the speed and the inner one at this one.
    TwoSpeeds(Spanned<Value>),
}

/// What the wheels do while a followed line is out of sight.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WhenLost {
    /// They go on as the law says.
    GoOn,
    /// They brake.
    Stop,
    /// They reverse.
    Back,
    /// They turn on the spot to the side where the line was last seen.
    Search,
}

/// Follows a line.
#[derive(Clone, Debug, PartialEq)]
pub struct Follow {
    /// What is followed, and with what.
    pub track: Track,
    /// The tone of the line.
    pub tone: Spanned<String>,
    /// Duty, or kept speed, of both wheels right on the edge.
    pub speed: Spanned<Value>,
    /// How it steers.
    pub law: Law,
    /// What it does while the line is lost.
    pub lost: WhenLost,
}

impl Does for Follow {
    const KIND: BehaviourKind = BehaviourKind {
        word: "follow",
        plain: &[
            "line",
            "track",
            "line follower",
            "trace",
            "edge",
            "pid",
            "zigzag",
            "proportional",
            "straddle",
        ],
        what: "Follows a line: one edge of it with one sensor, or the line with two.",
        grammar: &[
            "follow the left|right edge of a TONE line with SENSOR at SPEED [, gain G [, integral I] [, derivative D]]",
            "follow the left|right edge of a TONE line with SENSOR at FAST and SLOW",
            "follow a TONE line under|between LEFT and RIGHT at SPEED ...",
            "... [, if lost steer|stop|back|search]",
        ],
        example: "follow the left edge of a dark line with floor-left at 40 %, gain 0.6",
        ends: &[],
        on_the_spot: false,
        read,
        offers,
    };

    fn parts<'a>(&'a self, each: &mut dyn FnMut(Part<'a>)) {
        match &self.track {
            Track::Edge { side, sensor } => {
                each(Part::Side(side));
                each(Part::Device(sensor, DeviceKind::Floor));
            }
            Track::Under(pair) | Track::Between(pair) => each(Part::Pair(pair)),
        }
        each(Part::Tone(&self.tone, self.track.sensors()));
        each(Part::Amount(&self.speed, Wanted::Speed));
        match &self.law {
            Law::Gains {
                gain,
                integral,
                derivative,
            } => {
                for value in [Some(gain), integral.as_ref(), derivative.as_ref()]
                    .into_iter()
                    .flatten()
                {
                    each(Part::Amount(value, Wanted::Gain));
                }
            }
            Law::TwoSpeeds(slow) => each(Part::Amount(slow, Wanted::Speed)),
        }
    }

    fn say(&self, of: &Reader<'_>) -> String {
        let Self {
            track,
            tone,
            speed,
            law,
            lost,
        } = self;
        let tone = &tone.node;
        let what = match track {
            Track::Edge { side: edge, sensor } => {
                format!(
                    "the {} edge of the {tone} line with {}",
                    of.side(edge),
                    sensor.node
                )
            }
            Track::Under([left, right]) => {
                format!(
                    "the broad {tone} line that lies under {} and {}",
                    left.node, right.node
                )
            }
            Track::Between([left, right]) => {
                format!(
                    "the {tone} line that lies between {} and {}",
                    left.node, right.node
                )
            }
        };
        let law = match law {
            Law::Gains {
                gain,
                integral,
                derivative,
            } => {
                let mut words = format!("steering with a gain of {}", of.amount_or_default(gain));
                for (name, value) in [("integral", integral), ("derivative", derivative)] {
                    if let Some(value) = value {
                        words.extend([", ", name, " ", &of.amount(value)]);
                    }
                }
                words
            }
            Law::TwoSpeeds(slow) => format!("the inner wheel at {} in a bend", of.amount(slow)),
        };
        let lost = match lost {
            WhenLost::GoOn => "it keeps steering",
            WhenLost::Stop => "it stops",
            WhenLost::Back => "it reverses",
            WhenLost::Search => "it turns to the side where the line was last seen",
        };
        format!(
            "follows {what} at {}, {law}; if it loses the line {lost}",
            of.amount(speed)
        )
    }
}

fn read(line: &mut Sentence<'_>) -> Option<Behaviour> {
    let edge = if line.eat("the") {
        let side = line.side()?;
        line.words(&["edge", "of"])?;
        Some(side)
    } else {
        None
    };
    let (tone, slot) = line.a_tone()?;
    line.words(&["line"])?;
    let track = match edge {
        Some(side) => {
            line.words(&["with"])?;
            Track::Edge {
                side,
                sensor: line.sensor()?,
            }
        }
        None if line.choice(&["under", "between"])? == 0 => Track::Under(line.two_sensors()?),
        None => Track::Between(line.two_sensors()?),
    };
    let first = track.sensors()[0].clone();
    line.belongs(slot, &first);
    line.words(&["at"])?;
    let speed = line.amount(Wanted::Speed)?;
    let law = if line.eat("and") {
        Law::TwoSpeeds(line.amount(Wanted::Speed)?)
    } else {
        let stated = line.clause("gain");
        let gain = if stated {
            line.amount(Wanted::Gain)?
        } else {
            line.default_of(GAIN)
        };
        let mut more = |word: &str| {
            if stated && line.clause(word) {
                line.amount(Wanted::Gain).map(Some)
            } else {
                Some(None)
            }
        };
        Law::Gains {
            gain,
            integral: more("integral")?,
            derivative: more("derivative")?,
        }
    };
    let mut lost = WhenLost::GoOn;
    if line.clause("if") {
        line.words(&["lost"])?;
        lost = match line.choice(&["steer", "stop", "back", "search"])? {
            0 => WhenLost::GoOn,
            1 => WhenLost::Stop,
            2 => WhenLost::Back,
            3.. => WhenLost::Search,
        };
    }
    Some(Behaviour::Follow(Follow {
        track,
        tone,
        speed,
        law,
        lost,
    }))
}

fn offers(kit: &Kit<'_>, offers: &mut Vec<Offer>) {
    let Some((eye, tone)) = kit.eye() else { return };
    let lost = "or the line is lost for 300 ms -> fail \"lost the line\"";
    let edge = |sensor: &str| {
        format!("follow the left edge of a {tone} line with {sensor} at 26 %, gain 0.6")
    };
    offers.push(
        Offer::new(
            "Follow a line",
            edge(eye),
            "Steers along one edge of a line.",
        )
        .found_by(
            "line, line following, line follower, edge, track, black line, along the line, follow line, trace, tape, \
             stay on the line, pid, proportional",
        )
        .with(&["until travelled 500 mm", lost]),
    );
    if let Some([left, right]) = kit.pair {
        let bars = format!("until {right} has crossed 1 {tone} line -> next");
        let what = "Steers along one edge until the other sensor has crossed a number of lines.";
        offers.push(
            Offer::new("Follow and count", edge(left), what)
                .found_by(
                    "count lines, cross lines, crossing, crossings, junction, intersection, follow until crossing, bars, \
                     count bars, number of lines, pass lines, cross a line, line counting, t junction",
                )
                .with(&[&bars, "or 20 s pass -> fail \"too few lines\""]),
        );
        let text = format!("follow a {tone} line between {left} and {right} at 26 %, gain 0.4");
        offers.push(
            Offer::new("Follow with two", text, "Keeps a line between two sensors.")
                .found_by("two sensors, both sensors, line between sensors, straddle, dual sensor, follow between")
                .with(&["until travelled 500 mm", lost]),
        );
    }
    let text = format!("follow the left edge of a {tone} line with {eye} at 26 % and 10 %");
    offers.push(
        Offer::new(
            "Follow in zig-zag",
            text,
            "Follows one edge with two speeds, from side to side.",
        )
        .found_by("zigzag, bang bang, wiggle, two speeds, simple follower, side to side, on off, left right left")
        .with(&["until travelled 300 mm", lost]),
    );
    if let Some([left, right]) = kit.pair {
        let text = format!("follow a {tone} line under {left} and {right} at 26 %, gain 0.4");
        let what = "Keeps both sensors over a line that is as wide as they are apart.";
        offers.push(
            Offer::new("Follow a wide line", text, what)
                .found_by("under two sensors, both over the line, wide tape, broad line, thick line, under, on the line")
                .with(&["until travelled 500 mm", lost]),
        );
    }
}
