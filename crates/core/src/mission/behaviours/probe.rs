//! `probe 90 deg to each side at 30 %, up to 400 mm, tie left`

use super::{Behaviour, BehaviourKind, Does, Ending};
use crate::ids::DeviceKind;
use crate::mission::ast::{Condition, Part, Side, Spanned, Value, Wanted};
use crate::mission::offer::Offer;
use crate::mission::readback::Reader;
use crate::mission::sentence::Sentence;

/// What a probe measures with.
#[derive(Clone, Debug, PartialEq)]
pub enum Feeler {
    /// A ranging sensor looks to each side.
    Ranger(Spanned<String>),
    /// The robot drives to each side until a distance is covered or a condition holds.
    Wheels {
        /// How far at most.
        most: Spanned<Value>,
        /// What else ends it.
        until: Option<Spanned<Condition>>,
    },
}

/// Compares the free distance to the left and to the right.
#[derive(Clone, Debug, PartialEq)]
pub struct Probe {
    /// How far it turns to each side.
    pub angle: Spanned<Value>,
    /// How fast it turns and drives.
    pub speed: Spanned<Value>,
    /// What measures.
    pub feeler: Feeler,
    /// The answer when both sides are equally far.
    pub tie: Side,
}

impl Does for Probe {
    const KIND: BehaviourKind = BehaviourKind {
        word: "probe",
        plain: &[
            "compare sides",
            "try both",
            "which way",
            "more room",
            "measure left and right",
            "look left and right",
            "free side",
            "compare left right",
            "compare distances",
            "decide side",
            "look both ways",
            "check both sides",
        ],
        what: "Compares the free distance to the left and to the right of the same spot.",
        grammar: &[
            "probe ANGLE to each side at SPEED, with RANGER, tie left|right",
            "probe ANGLE to each side at SPEED, up to LENGTH [or CONDITION], tie left|right",
        ],
        example: "probe 90 deg to each side at 30 %, up to 400 mm, tie left",
        ends: &[Ending::LeftFurther, Ending::RightFurther],
        on_the_spot: false,
        read,
        offers: |kit, offers| {
            let Some(ranger) = kit.names.first(DeviceKind::Ranger) else {
                return;
            };
            let text = format!("probe 60 deg to each side at 22 %, with {ranger}, tie left");
            offers.push(
                Offer::new(
                    "Probe both sides",
                    text,
                    "Finds out which side has more room.",
                )
                .with(&[
                    "until left is further -> next",
                    "or right is further -> next",
                ]),
            );
        },
    };

    fn parts<'a>(&'a self, each: &mut dyn FnMut(Part<'a>)) {
        each(Part::Amount(&self.angle, Wanted::Angle));
        each(Part::Amount(&self.speed, Wanted::Speed));
        match &self.feeler {
            Feeler::Ranger(ranger) => each(Part::Device(ranger, DeviceKind::Ranger)),
            Feeler::Wheels { most, until } => {
                each(Part::Amount(most, Wanted::Length));
                if let Some(until) = until {
                    each(Part::Condition(until));
                }
            }
        }
        each(Part::Side(&self.tie));
    }

    fn say(&self, of: &Reader<'_>) -> String {
        let Self {
            angle,
            speed,
            feeler,
            tie,
        } = self;
        let how = match feeler {
            Feeler::Ranger(ranger) => format!("looks with {}", ranger.node),
            Feeler::Wheels { most, until: None } => {
                format!("drives {} there and back", of.amount(most))
            }
            Feeler::Wheels {
                most,
                until: Some(until),
            } => {
                format!(
                    "drives up to {} there and back, or until {}",
                    of.amount(most),
                    of.condition(until)
                )
            }
        };
        format!(
            "finds out which side has more room: turns {} to each at {} and {how}; if both are equal, {}",
            of.amount(angle),
            of.amount(speed),
            of.side(tie)
        )
    }
}

fn read(line: &mut Sentence<'_>) -> Option<Behaviour> {
    let angle = line.amount(Wanted::Angle)?;
    line.words(&["to", "each", "side", "at"])?;
    let speed = line.amount(Wanted::Speed)?;
    line.sign(",")?;
    let feeler = if line.eat("with") {
        Feeler::Ranger(line.ranger()?)
    } else {
        line.words(&["up", "to"])?;
        let most = line.amount(Wanted::Length)?;
        let until = if line.eat("or") {
            Some(line.condition()?)
        } else {
            None
        };
        Feeler::Wheels { most, until }
    };
    line.sign(",")?;
    line.words(&["tie"])?;
    Some(Behaviour::Probe(Probe {
        angle,
        speed,
        feeler,
        tie: line.side()?,
    }))
}
