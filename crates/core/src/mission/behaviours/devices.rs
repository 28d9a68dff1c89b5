//! `move arm to 60 deg`, `signal lamp "red"`

use super::{Behaviour, BehaviourKind, Does, Ending};
use crate::ids::DeviceKind;
use crate::mission::ast::{Part, Spanned, Value, Wanted};
use crate::mission::offer::Offer;
use crate::mission::readback::Reader;

/// Moves an actuator: the wheels brake until it has arrived, unless it is done alongside.
#[derive(Clone, Debug, PartialEq)]
pub struct Move {
    /// Which actuator.
    pub actuator: Spanned<String>,
    /// To which angle.
    pub angle: Spanned<Value>,
    /// The mission goes on at once.
    pub alongside: bool,
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
        ],
        what: "Moves an actuator to an angle.",
        grammar: &["move ACTUATOR to ANGLE [alongside]"],
        example: "move arm to 60 deg",
        ends: &[Ending::Finished],
        on_the_spot: false,
        read: |line| {
            let actuator = line.device(DeviceKind::Actuator)?;
            line.words(&["to"])?;
            let angle = line.amount(Wanted::SignedAngle)?;
            Some(Behaviour::Move(Move {
                actuator,
                angle,
                alongside: line.eat("alongside"),
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
            }
        },
    };

    fn parts<'a>(&'a self, each: &mut dyn FnMut(Part<'a>)) {
        each(Part::Device(&self.actuator, DeviceKind::Actuator));
        each(Part::Amount(&self.angle, Wanted::SignedAngle));
    }

    fn say(&self, of: &Reader<'_>) -> String {
        let how = if self.alongside {
            "while the mission goes on"
        } else {
            "and waits until it is there"
        };
        format!(
            "moves {} to {} {how}",
            self.actuator.node,
            of.amount(&self.angle)
        )
    }
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
