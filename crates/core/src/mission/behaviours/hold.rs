//! `hold, brake`

use super::{Behaviour, BehaviourKind, Does};
use crate::mission::ast::{Part, SlotKind};
use crate::mission::offer::Offer;
use crate::mission::readback::Reader;
use crate::mission::sentence::Sentence;

/// What the motors do while a step holds still.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum StopKind {
    /// Terminals shorted: the motors resist turning.
    Brake,
    /// Terminals open: the robot rolls out.
    Coast,
    /// The wheels go back to where they were when the step began.
    Keep,
}

const WORDS: &[&str] = &["brake", "coast", "keep position"];

/// Stands still.
#[derive(Clone, Debug, PartialEq)]
pub struct Hold {
    /// What the motors do.
    pub stop: StopKind,
}

impl Does for Hold {
    const KIND: BehaviourKind = BehaviourKind {
        word: "hold",
        plain: &[
            "wait",
            "stop",
            "pause",
            "stand",
            "brake",
            "coast",
            "sleep",
            "keep position",
        ],
        what: "Stands still.",
        grammar: &["hold", "hold, brake|coast|keep position"],
        example: "hold, brake",
        ends: &[],
        on_the_spot: false,
        read,
        offers: |_, offers| {
            let what = "Stands still for a time or until something is seen.";
            offers.push(
                Offer::new("Wait", "hold, brake".into(), what)
                    .found_by(
                        "stop, stand, stand still, pause, halt, rest, wait, hold, brake, sleep, delay, do nothing, stay, \
                         freeze, wait a second, stop the robot, stop motors, hold, wait for",
                    )
                    .with(&["until 1 s passes"]),
            );
            let what = "Switches the motors off and lets the wheels roll out.";
            offers.push(
                Offer::new("Roll out", "hold, coast".into(), what)
                    .found_by("coast, roll, motors off, free wheel, freewheel, let go, float, glide, switch off")
                    .with(&["until 1 s passes"]),
            );
            let what = "Stands still, and drives back to its place when it is moved.";
            offers.push(
                Offer::new("Hold the place", "hold, keep position".into(), what)
                    .found_by(
                        "keep position, hold position, stay in place, stay put, lock, resist, keep its place, \
                         do not move, stand firm, anchor",
                    )
                    .with(&["until 1 s passes"]),
            );
        },
    };

    fn parts<'a>(&'a self, _: &mut dyn FnMut(Part<'a>)) {}

    fn say(&self, _: &Reader<'_>) -> String {
        match self.stop {
            StopKind::Brake => "stands still with the motors braking".into(),
            StopKind::Coast => "switches the motors off and rolls out".into(),
            StopKind::Keep => "stands still, and drives back to its place when it is moved".into(),
        }
    }
}

fn read(line: &mut Sentence<'_>) -> Option<Behaviour> {
    let hold = |stop: StopKind| Some(Behaviour::Hold(Hold { stop }));
    if line.peek().is_none() {
        return hold(StopKind::Brake);
    }
    line.sign(",")?;
    let ahead = line
        .tokens
        .get(line.at + 1)
        .map(|token| (line.str(token), token.span.end));
    if let (Some("keep"), Some(("position", end))) = (line.word(), ahead) {
        let start = line.take_slot(SlotKind::Choice(WORDS)).start;
        line.at += 1;
        line.slots.last_mut()?.span = start..end;
        return hold(StopKind::Keep);
    }
    hold(if line.choice(WORDS)? == 0 {
        StopKind::Brake
    } else {
        StopKind::Coast
    })
}
