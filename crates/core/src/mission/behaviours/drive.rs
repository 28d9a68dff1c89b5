//! `drive ahead at 45 % holding the heading`

use super::{Behaviour, BehaviourKind, Does};
use crate::ids::DeviceKind;
use crate::mission::ast::{Part, Side, Spanned, Value, Wanted};
use crate::mission::offer::{Offer, drive_to_mark};
use crate::mission::readback::Reader;
use crate::mission::sentence::Sentence;

/// Drives straight, on an arc, or with each wheel as it is told.
#[derive(Clone, Debug, PartialEq)]
pub enum Drive {
    /// Both wheels alike.
    Straight {
        /// Backwards instead of ahead.
        back: bool,
        /// Duty, or a speed that is kept.
        speed: Spanned<Value>,
        /// The heading that it steers to keep; none when it just drives.
        holds: Option<Hold>,
    },
    /// On a circle.
    Arc {
        /// Backwards instead of ahead.
        back: bool,
        /// To which side it bends.
        side: Side,
        /// How far the middle of the axle is from the circle's.
        radius: Spanned<Value>,
        /// Duty, or a speed that is kept, of the middle of the axle.
        speed: Spanned<Value>,
    },
    /// Each wheel at a speed of its own, in the order that they are written in.
    Wheels([Wheel; 2]),
}

/// One wheel of its own.
#[derive(Clone, Debug, PartialEq)]
pub struct Wheel {
    /// Which one.
    pub side: Side,
    /// Backwards instead of ahead.
    pub back: bool,
    /// Duty, or a speed that is kept.
    pub speed: Spanned<Value>,
}

/// A heading to keep.
#[derive(Clone, Debug, PartialEq)]
pub enum Hold {
    /// The one at entry.
    Entry,
    /// This one, since the start of the run.
    At(Spanned<Value>),
}

impl Does for Drive {
    const KIND: BehaviourKind = BehaviourKind {
        word: "drive",
        plain: &[
            "go", "forward", "backward", "reverse", "straight", "move", "curve", "arc", "steer",
        ],
        what: "Drives ahead or back, straight or on an arc.",
        grammar: &[
            "drive ahead|back at SPEED [holding the heading | holding ANGLE]",
            "drive ahead|back on a left|right arc of RADIUS at SPEED",
            "drive left wheel [back] at SPEED, right wheel [back] at SPEED",
        ],
        example: "drive ahead at 40 % holding the heading",
        ends: &[],
        on_the_spot: false,
        read,
        offers: |kit, offers| {
            let holding = if kit.names.has_gyro {
                " holding the heading"
            } else {
                ""
            };
            let ahead = format!("drive ahead at 30 %{holding}");
            offers.push(
                Offer::new(
                    "Drive ahead",
                    ahead,
                    "Drives straight ahead for a distance.",
                )
                .found_by(
                    "go, straight, forward, forwards, go straight, drive straight, move, move forward, advance, \
                     drive a distance, for a distance, go ahead, forward 30 cm",
                )
                .with(&["until travelled 300 mm"]),
            );
            if let Some((eye, tone)) = kit.eye() {
                offers.push(drive_to_mark(kit.names, eye, tone, "26 %"));
            }
            offers.push(
                Offer::new(
                    "Drive back",
                    "drive back at 30 %".into(),
                    "Drives straight back for a distance.",
                )
                .found_by(
                    "reverse, backward, backwards, back off, back up, retreat, go back, move back, away from",
                )
                .with(&["until travelled 150 mm"]),
            );
            let arc = "drive ahead on a left arc of 300 mm at 25 %";
            offers.push(
                Offer::new("Drive an arc", arc.into(), "Drives round a circle.")
                    .found_by("curve, bend, circle, round, steer, wide turn, drive a curve, gentle turn, radius")
                    .with(&["until turned 90 deg"]),
            );
            let wheels = "drive left wheel at 35 %, right wheel at 20 %";
            offers.push(
                Offer::new("Drive each wheel", wheels.into(), "Drives each wheel at its own speed.")
                    .found_by("unequal, two speeds, motors, left motor, right motor, tank, differential, each motor, wheels")
                    .with(&["until 1 s passes"]),
            );
            if kit.names.has_gyro {
                offers.push(
                    Offer::new(
                        "Drive on a heading",
                        "drive ahead at 30 % holding 90 deg".into(),
                        "Turns to a heading while it drives, and keeps it.",
                    )
                    .found_by("gyro, compass, absolute heading, hold a heading, course, given heading, direction, bearing")
                    .with(&["until travelled 300 mm"]),
                );
            }
            if let Some(ranger) = kit.names.first(DeviceKind::Ranger) {
                let near = format!("until {ranger} < 100 mm -> next");
                let what = "Drives until something is near.";
                offers.push(
                    Offer::new("Drive up to something", "drive ahead at 22 %".into(), what)
                        .found_by(
                            "obstacle, wall, approach, until near, drive until wall, stop before the wall, come close, \
                             drive to the wall, stop at an obstacle, ultrasonic, distance sensor, object",
                        )
                        .with(&[&near, "or travelled 800 mm -> fail \"nothing there\""]),
                );
            }
        },
    };

    fn parts<'a>(&'a self, each: &mut dyn FnMut(Part<'a>)) {
        match self {
            Self::Straight { speed, holds, .. } => {
                let wanted = if holds.is_none() {
                    Wanted::LiveSpeed
                } else {
                    Wanted::Speed
                };
                each(Part::Amount(speed, wanted));
                if let Some(Hold::At(heading)) = holds {
                    each(Part::Amount(heading, Wanted::SignedAngle));
                }
            }
            Self::Arc {
                side,
                radius,
                speed,
                ..
            } => {
                each(Part::Side(side));
                each(Part::Amount(radius, Wanted::Radius));
                each(Part::Amount(speed, Wanted::Speed));
            }
            Self::Wheels(wheels) => {
                for wheel in wheels {
                    each(Part::Side(&wheel.side));
                    each(Part::Amount(&wheel.speed, Wanted::LiveSpeed));
                }
            }
        }
    }

    fn say(&self, of: &Reader<'_>) -> String {
        match self {
            Self::Straight { back, speed, holds } => {
                let way = if *back {
                    "straight back"
                } else {
                    "straight ahead"
                };
                let (way, keeps) = match holds {
                    None => (way, String::new()),
                    Some(Hold::Entry) => (way, ", and keeps its heading".to_owned()),
                    Some(Hold::At(heading)) => {
                        let way = if *back { "back" } else { "ahead" };
                        let heading = of.amount(heading);
                        (
                            way,
                            format!(
                                ", turning to a heading of {heading} since the start, and keeps that"
                            ),
                        )
                    }
                };
                format!("drives {way} at {}{keeps}", of.amount(speed))
            }
            Self::Arc {
                back,
                side: to,
                radius,
                speed,
            } => {
                // Going back round a circle on the left, the nose turns to the right.
                let way = if *back { "backwards " } else { "" };
                let nose = match (to, back) {
                    (Side::Left, true) => ", the nose turning to the right,",
                    (Side::Right, true) => ", the nose turning to the left,",
                    _ => ",",
                };
                format!(
                    "drives {way}on an arc to the {}, {} from its middle{nose} at {}",
                    of.side(to),
                    of.amount(radius),
                    of.amount(speed)
                )
            }
            Self::Wheels(wheels) => {
                let one = |wheel: &Wheel| {
                    let way = if wheel.back { "back " } else { "" };
                    format!(
                        "the {} wheel {way}at {}",
                        of.side(&wheel.side),
                        of.amount(&wheel.speed)
                    )
                };
                format!("drives {} and {}", one(&wheels[0]), one(&wheels[1]))
            }
        }
    }
}

fn read(line: &mut Sentence<'_>) -> Option<Behaviour> {
    if line.is_wheel() {
        let first = wheel(line)?;
        line.sign(",")?;
        let start = line.at;
        let second = wheel(line)?;
        if first.side == second.side {
            line.at = start;
            line.expected("the other wheel");
            return None;
        }
        return Some(Behaviour::Drive(Drive::Wheels([first, second])));
    }
    let back = line.choice(&["ahead", "back"])? == 1;
    if line.eat("on") {
        line.words(&["a"])?;
        let side = line.side()?;
        line.words(&["arc", "of"])?;
        let radius = line.amount(Wanted::Radius)?;
        line.words(&["at"])?;
        let speed = line.amount(Wanted::Speed)?;
        return Some(Behaviour::Drive(Drive::Arc {
            back,
            side,
            radius,
            speed,
        }));
    }
    line.words(&["at"])?;
    let speed = line.amount(Wanted::Speed)?;
    let holds = if !line.eat("holding") {
        None
    } else if matches!(line.word(), Some("the" | "heading")) {
        // A robot that held the heading that it has at every moment would hold none: what is meant
        // is the one that it begins with.
        line.words(&["the", "heading"])?;
        Some(Hold::Entry)
    } else {
        Some(Hold::At(line.amount(Wanted::SignedAngle)?))
    };
    Some(Behaviour::Drive(Drive::Straight { back, speed, holds }))
}

/// `left wheel back at 20 %`
fn wheel(line: &mut Sentence<'_>) -> Option<Wheel> {
    let side = line.side()?;
    line.words(&["wheel"])?;
    let back = line.eat("back");
    if !back {
        line.eat("ahead");
    }
    line.words(&["at"])?;
    let speed = line.amount(Wanted::Speed)?;
    Some(Wheel { side, back, speed })
}
