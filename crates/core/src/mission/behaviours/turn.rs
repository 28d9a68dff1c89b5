//! `spin left at 30 %`, `pivot left on the left wheel at 30 %`

use super::{Behaviour, BehaviourKind, Does};
use crate::mission::ast::{Part, Side, Spanned, Value, Wanted};
use crate::mission::offer::Offer;
use crate::mission::readback::Reader;

/// Turns on the spot.
#[derive(Clone, Debug, PartialEq)]
pub struct Spin {
    /// Which way.
    pub side: Side,
    /// Duty, or kept speed, of both wheels, in opposite directions.
    pub speed: Spanned<Value>,
}

impl Does for Spin {
    const KIND: BehaviourKind = BehaviourKind {
        word: "spin",
        plain: &[
            "turn",
            "rotate",
            "on the spot",
            "turn round",
            "turn around",
            "heading",
            "turn left",
            "turn right",
            "u turn",
            "spin left",
            "spin right",
            "face",
            "quarter turn",
            "turn back",
        ],
        what: "Turns on the spot: both wheels at the same speed in opposite directions.",
        grammar: &["spin left|right at SPEED"],
        example: "spin left at 30 %",
        ends: &[],
        on_the_spot: true,
        read: |line| {
            let side = line.side()?;
            line.words(&["at"])?;
            Some(Behaviour::Spin(Spin {
                side,
                speed: line.amount(Wanted::Speed)?,
            }))
        },
        offers: |kit, offers| {
            if !kit.names.steers {
                let offer = Offer::new("Spin", "spin left at 22 %".into(), "Turns on the spot.");
                offers.push(offer.with(&["until turned 90 deg"]));
            }
        },
    };

    fn parts<'a>(&'a self, each: &mut dyn FnMut(Part<'a>)) {
        each(Part::Side(&self.side));
        each(Part::Amount(&self.speed, Wanted::LiveSpeed));
    }

    fn say(&self, of: &Reader<'_>) -> String {
        format!(
            "turns to the {} on the spot at {}",
            of.side(&self.side),
            of.amount(&self.speed)
        )
    }
}

/// Turns about one wheel.
#[derive(Clone, Debug, PartialEq)]
pub struct Pivot {
    /// Which way.
    pub side: Side,
    /// The wheel that stands still.
    pub on: Side,
    /// Duty, or kept speed, of the other wheel.
    pub speed: Spanned<Value>,
}

impl Does for Pivot {
    const KIND: BehaviourKind = BehaviourKind {
        word: "pivot",
        plain: &[
            "one wheel",
            "swing",
            "turn on one wheel",
            "pivot turn",
            "swing turn",
            "hinge",
            "turn about one wheel",
        ],
        what: "Turns about one wheel, which stands still.",
        grammar: &["pivot left|right on the left|right wheel at SPEED"],
        example: "pivot left on the left wheel at 30 %",
        ends: &[],
        on_the_spot: true,
        read: |line| {
            let side = line.side()?;
            line.words(&["on", "the"])?;
            let on = line.side()?;
            line.words(&["wheel", "at"])?;
            Some(Behaviour::Pivot(Pivot {
                side,
                on,
                speed: line.amount(Wanted::Speed)?,
            }))
        },
        offers: |kit, offers| {
            if !kit.names.steers {
                let text = "pivot left on the left wheel at 20 %".into();
                let offer = Offer::new("Pivot", text, "Turns about one wheel, which stands still.");
                offers.push(offer.with(&["until turned 45 deg"]));
            }
        },
    };

    fn parts<'a>(&'a self, each: &mut dyn FnMut(Part<'a>)) {
        each(Part::Side(&self.side));
        each(Part::Side(&self.on));
        each(Part::Amount(&self.speed, Wanted::Speed));
    }

    fn say(&self, of: &Reader<'_>) -> String {
        let (turn, on) = (of.side(&self.side), of.side(&self.on));
        format!(
            "turns to the {turn} about its {on} wheel at {}",
            of.amount(&self.speed)
        )
    }
}
