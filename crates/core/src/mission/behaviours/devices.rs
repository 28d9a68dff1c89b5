//! `move arm to 60 deg`, `signal lamp "red"`

use super::{Behaviour, BehaviourKind, Does, Ending};
use crate::ids::DeviceKind;
use crate::mission::ast::{Part, Spanned, Value, Wanted};
use crate::mission::offer::Offer;
use crate::mission::readback::Reader;
use crate::mission::sentence::Sentence;

/// Moves an actuator: the wheels brake until it has arrived, unless it is done alongside.
#[derive(Clone, Debug, PartialEq)]
pub struct Move {
    /// Which actuator.
    pub actuator: Spanned<String>,
    /// Where it goes.
    pub way: Way,
    /// The mission goes on at once.
    pub alongside: bool,
}

/// Where an actuator goes.
#[derive(Clone, Debug, PartialEq)]
pub enum Way {
    /// To an angle.
    To(Spanned<Value>),
    /// By so much from where it is.
    By(Spanned<Value>),
    /// On towards its end stop, back or ahead, until an exit ends that: it stays where it is then.
    On {
        /// To smaller angles.
        back: bool,
    },
    /// To and fro between two angles, so many times.
    Between {
        /// The angle that it goes to first, and the other.
        ends: [Spanned<Value>; 2],
        /// How often there and back.
        times: Spanned<Value>,
    },
}

impl Does for Move {
    const KIND: BehaviourKind = BehaviourKind {
        word: "move",
        plain: &[
            "arm",
            "servo",
            "gripper",
            "motor",
            "lift",
            "actuator",
            "weapon",
            "grab",
            "raise",
            "lower",
            "claw",
            "open gripper",
            "close gripper",
            "pick up",
            "release",
            "drop",
            "lift up",
            "tilt",
            "throw",
            "arm up",
            "arm down",
            "rotate the arm",
            "move motor",
            "to and fro",
            "back and forth",
            "wave",
            "swing the arm",
            "run the motor for a time",
            "move by degrees",
        ],
        what: "Moves an actuator: to an angle, by an angle, on until something ends that, or to and fro.",
        grammar: &[
            "move ACTUATOR to|by ANGLE [alongside]",
            "move ACTUATOR ahead|back",
            "move ACTUATOR between ANGLE and ANGLE, N times",
        ],
        example: "move arm to 60 deg",
        ends: &[Ending::Finished],
        on_the_spot: false,
        read: |line| {
            let actuator = line.device(DeviceKind::Actuator)?;
            let way = way(line)?;
            let alongside = matches!(way, Way::To(_) | Way::By(_)) && line.eat("alongside");
            Some(Behaviour::Move(Move {
                actuator,
                way,
                alongside,
            }))
        },
        offers: |kit, offers| {
            for actuator in kit.names.of(DeviceKind::Actuator) {
                let (low, high) = actuator.stops;
                let bounded = low.is_finite() && high.is_finite();
                let to = if bounded {
                    f64::midpoint(low, high).to_degrees().round()
                } else {
                    30.0
                };
                let name = &actuator.name;
                let what = "Moves an actuator to an angle while the wheels brake.";
                offers.push(Offer::new(
                    format!("Move the {name}"),
                    format!("move {name} to {to} deg"),
                    what,
                ));
                let (from, to) = if bounded {
                    (low.to_degrees().ceil(), to)
                } else {
                    (0.0, to)
                };
                offers.push(Offer::new(
                    format!("Move the {name} by an angle"),
                    format!("move {name} by 10 deg"),
                    "Moves an actuator by so much from where it is.",
                ));
                offers.push(
                    Offer::new(
                        format!("Run the {name}"),
                        format!("move {name} ahead"),
                        "Moves an actuator on until an exit ends that.",
                    )
                    .with(&["until 0.5 s pass"]),
                );
                offers.push(Offer::new(
                    format!("Move the {name} to and fro"),
                    format!("move {name} between {to} deg and {from} deg, 3 times"),
                    "Moves an actuator to and fro between two angles.",
                ));
            }
        },
    };

    fn parts<'a>(&'a self, each: &mut dyn FnMut(Part<'a>)) {
        each(Part::Device(&self.actuator, DeviceKind::Actuator));
        match &self.way {
            Way::To(angle) | Way::By(angle) => each(Part::Amount(angle, Wanted::SignedAngle)),
            Way::On { .. } => {}
            Way::Between { ends, times } => {
                for end in ends {
                    each(Part::Amount(end, Wanted::SignedAngle));
                }
                each(Part::Amount(times, Wanted::Count));
            }
        }
    }

    fn say(&self, of: &Reader<'_>) -> String {
        let how = if self.alongside {
            "while the mission goes on"
        } else {
            "and waits until it is there"
        };
        let name = &self.actuator.node;
        match &self.way {
            Way::To(angle) => format!("moves {name} to {} {how}", of.amount(angle)),
            Way::By(angle) => {
                format!(
                    "moves {name} by {} from where it is {how}",
                    of.amount(angle)
                )
            }
            Way::On { back } => {
                let way = if *back { "back" } else { "ahead" };
                format!("moves {name} {way} until that is ended, and lets it stay there")
            }
            Way::Between { ends, times } => format!(
                "moves {name} to and fro between {} and {}, {} times",
                of.amount(&ends[0]),
                of.amount(&ends[1]),
                of.amount(times)
            ),
        }
    }
}

fn way(line: &mut Sentence<'_>) -> Option<Way> {
    if matches!(line.word(), Some("ahead" | "back")) {
        let back = line.choice(&["ahead", "back"])? == 1;
        return Some(Way::On { back });
    }
    if line.eat("between") {
        let first = line.amount(Wanted::SignedAngle)?;
        line.words(&["and"])?;
        let ends = [first, line.amount(Wanted::SignedAngle)?];
        line.sign(",")?;
        let times = line.amount(Wanted::Count)?;
        if !line.eat("time") {
            line.words(&["times"])?;
        }
        return Some(Way::Between { ends, times });
    }
    if line.eat("by") {
        return Some(Way::By(line.amount(Wanted::SignedAngle)?));
    }
    line.words(&["to"])?;
    Some(Way::To(line.amount(Wanted::SignedAngle)?))
}

/// Gives a signal: goes on at once, or brakes until an exit fires.
#[derive(Clone, Debug, PartialEq)]
pub struct Signal {
    /// Which signal.
    pub signal: Spanned<String>,
    /// What it shows, says or plays; nothing turns it off.
    pub words: Spanned<String>,
}

impl Does for Signal {
    const KIND: BehaviourKind = BehaviourKind {
        word: "signal",
        plain: &[
            "lamp",
            "light",
            "led",
            "beep",
            "sound",
            "say",
            "show",
            "text",
            "screen",
            "horn",
            "print",
            "display",
            "tone",
            "buzzer",
            "music",
            "play sound",
            "play a tone",
            "turn on light",
            "blink",
            "message",
            "alarm",
            "speak",
            "write text",
            "log",
        ],
        what: "Sets a lamp, shows a text or plays a sound.",
        grammar: &["signal SIGNAL \"TEXT\""],
        example: "signal lamp \"red\"",
        ends: &[Ending::Finished],
        on_the_spot: false,
        read: |line| {
            let signal = line.device(DeviceKind::Signal)?;
            let words = line
                .quoted("what it shows, says or plays in quotes, such as `signal lamp \"red\"`")?;
            Some(Behaviour::Signal(Signal { signal, words }))
        },
        offers: |kit, offers| {
            for signal in kit.names.of_kind(DeviceKind::Signal) {
                let what = "Shows, says or plays something, and goes on at once.";
                offers.push(Offer::new(
                    format!("Signal {signal}"),
                    format!("signal {signal} \"here\""),
                    what,
                ));
            }
        },
    };

    fn parts<'a>(&'a self, each: &mut dyn FnMut(Part<'a>)) {
        each(Part::Device(&self.signal, DeviceKind::Signal));
    }

    fn say(&self, _: &Reader<'_>) -> String {
        format!("sets {} to \"{}\"", self.signal.node, self.words.node)
    }
}
