//! `drive ahead at 45 % holding the heading`

use super::{Behaviour, BehaviourKind, Does};
use crate::ids::DeviceKind;
use crate::mission::ast::{Part, Side, Spanned, Value, Wanted};
use crate::mission::offer::{Offer, drive_to_mark};
use crate::mission::readback::{Reader, side};
use crate::mission::sentence::Sentence;

/// Drives straight, or on an arc.
#[derive(Clone, Debug, PartialEq)]
pub struct Drive {
    /// Backwards instead of ahead.
    pub back: bool,
    /// Duty, or a speed that is kept.
    pub speed: Spanned<Value>,
    /// The circle that is driven on, and to which side it bends; straight without one.
    pub arc: Option<(Side, Spanned<Value>)>,
    /// Steers so that the heading at entry is kept.
    pub hold_heading: bool,
}

impl Does for Drive {
    const KIND: BehaviourKind = BehaviourKind {
        word: "drive",
        plain: &[
            "go", "forward", "backward", "reverse", "straight", "move", "curve", "arc", "steer",
        ],
        what: "Drives ahead or back, straight or on an arc.",
        grammar: &[
            "drive ahead|back at SPEED [holding the heading]",
            "drive ahead|back on a left|right arc of RADIUS at SPEED",
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
        if let Some((side, radius)) = &self.arc {
            each(Part::Side(side));
            each(Part::Amount(radius, Wanted::Radius));
        }
        each(Part::Amount(&self.speed, Wanted::Speed));
    }

    fn say(&self, of: &Reader<'_>) -> String {
        let Self {
            back,
            speed,
            arc,
            hold_heading,
        } = self;
        let how = match (arc, back) {
            (Some((turn, radius)), back) => {
                let way = if *back { "backwards " } else { "" };
                format!(
                    "{way}on an arc to the {}, {} from its middle,",
                    side(turn),
                    of.amount(radius)
                )
            }
            (None, true) => "straight back".to_owned(),
            (None, false) => "straight ahead".to_owned(),
        };
        let keeps = if *hold_heading {
            ", and keeps its heading"
        } else {
            ""
        };
        format!("drives {how} at {}{keeps}", of.amount(speed))
    }
}

fn read(line: &mut Sentence<'_>) -> Option<Behaviour> {
    let back = line.choice(&["ahead", "back"])? == 1;
    let mut arc = None;
    if line.eat("on") {
        line.words(&["a"])?;
        let side = line.side()?;
        line.words(&["arc", "of"])?;
        arc = Some((side, line.amount(Wanted::Radius)?));
    }
    line.words(&["at"])?;
    let speed = line.amount(Wanted::Speed)?;
    let hold_heading = arc.is_none() && line.eat("holding");
    if hold_heading {
        line.words(&["the", "heading"])?;
    }
    Some(Behaviour::Drive(Drive {
        back,
        speed,
        arc,
        hold_heading,
    }))
}
